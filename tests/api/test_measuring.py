"""Waveforms, photographs, clocks and standards over HTTP."""

import io
import zipfile
from datetime import datetime
from pathlib import Path
from typing import Any

import comtrade
import peewee
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from orange_crank.formats.comtrade_files import write_comtrade
from orange_crank.formats.logger_csv import write_csv
from orange_crank.formats.recording import Recording
from orange_crank.formats.wav import write_wav
from orange_crank.store.database import as_owner, proxy
from orange_crank.store.server import MariaDbServer
from tests.golden import waveforms as golden
from tests.golden.sounds import start_sound


def recording() -> Recording:
    wave = golden.fan_first()
    assert wave.line_v is not None
    return Recording(
        wave.sample_hz, {"line_a": wave.line_a, "line_v": wave.line_v}, {"line_a": "A", "line_v": "V"}
    )


def send(client: TestClient, data: bytes, kind: str = "csv") -> Any:
    return client.post(f"/api/uploads?kind={kind}", content=data)


def capture(client: TestClient) -> dict[str, Any]:
    sent = send(client, write_csv(recording()).encode()).json()
    entry = {"name": "first start", "upload_id": sent["upload_id"], "line_a_index": 1, "line_v_index": 2}
    saved = client.post("/api/calls/4/captures", json=entry)
    assert 201 == saved.status_code, saved.text
    body: dict[str, Any] = saved.json()
    return body


def test_a_logger_file_becomes_a_capture_with_its_starts_and_meter_readings(client: TestClient) -> None:
    preview = send(client, write_csv(recording()).encode()).json()["preview"]
    assert ["time", "amps", "volts"] == [c["guess"] for c in preview["columns"]]
    saved = capture(client)
    assert 2 == len(saved["report"]["starts"])
    assert pytest.approx(6.0, rel=0.02) == saved["report"]["meter"]["inrush"]
    assert saved["id"] == client.get("/api/calls/4/captures").json()[-1]["id"]


def test_a_clamp_in_millivolts_is_asked_about_and_the_file_waits_for_the_answer(client: TestClient) -> None:
    made = recording()
    in_mv = Recording(
        made.sample_hz,
        {"clamp": made.channels["line_a"] * 10.0, "line_v": made.channels["line_v"]},
        {"clamp": "mV", "line_v": "V"},
    )
    up = send(client, write_csv(in_mv).encode())
    assert ["time", "amps", "volts"] == [c["guess"] for c in up.json()["preview"]["columns"]]
    entry = {"name": "clamp", "upload_id": up.json()["upload_id"], "line_a_index": 1, "line_v_index": 2}
    asked = client.post("/api/calls/4/captures", json=entry)
    assert 422 == asked.status_code
    assert [("line_a_factor", "Clamp ratio")] == [(e["field"], e["label"]) for e in asked.json()["errors"]]
    turned = client.post("/api/calls/4/captures", json={**entry, "line_a_index": 2, "line_v_index": 1})
    assert ["line_a_factor"] == [e["field"] for e in turned.json()["errors"]]
    saved = client.post("/api/calls/4/captures", json={**entry, "line_a_factor": 0.1}).json()
    plain = capture(client)
    assert plain["sample_hz"] == pytest.approx(saved["sample_hz"], rel=1e-4)
    first, second = (c["report"]["starts"][0] for c in (plain, saved))
    assert first["peak_a"] == pytest.approx(second["peak_a"], rel=1e-3)


def test_a_capture_whose_answer_was_lost_is_given_again_and_kept_once(client: TestClient) -> None:
    sent = send(client, write_csv(recording()).encode()).json()
    entry = {"name": "x", "upload_id": sent["upload_id"], "line_a_index": 1}
    head = {"Idempotency-Key": "lost-capture"}
    before = len(client.get("/api/calls/4/captures").json())
    first = client.post("/api/calls/4/captures", json=entry, headers=head)
    again = client.post("/api/calls/4/captures", json=entry, headers=head)
    assert (201, 201) == (first.status_code, again.status_code), again.text
    assert first.json() == again.json()
    assert before + 1 == len(client.get("/api/calls/4/captures").json())


def test_an_upload_is_used_once(client: TestClient) -> None:
    sent = send(client, write_csv(recording()).encode()).json()
    entry = {"name": "x", "upload_id": sent["upload_id"], "line_a_index": 1}
    assert 201 == client.post("/api/calls/4/captures", json=entry).status_code
    again = client.post("/api/calls/4/captures", json=entry)
    assert (422, "upload_id") == (again.status_code, again.json()["errors"][0]["field"])


@pytest.mark.parametrize("name", ["../../etc/passwd", "0" * 32, "", "a/b"])
def test_an_upload_is_no_path(client: TestClient, name: str) -> None:
    entry = {"name": "x", "upload_id": name, "line_a_index": 1}
    assert 422 == client.post("/api/calls/4/captures", json=entry).status_code


def test_a_trace_keeps_its_peak_and_fits_the_screen(client: TestClient) -> None:
    number = capture(client)["id"]
    trace = client.get(f"/api/captures/{number}/trace?points=500").json()
    assert len(trace["time_s"]) <= 502
    assert pytest.approx(101.4 * 2**0.5, rel=0.01) == max(abs(a) for a in trace["line_a"])
    part = client.get(f"/api/captures/{number}/trace?from_s=1.9&to_s=2.1").json()
    assert pytest.approx(1.9, abs=0.01) == part["time_s"][0]


def test_a_capture_leaves_as_csv_and_as_comtrade(client: TestClient, tmp_path: Path) -> None:
    number = capture(client)["id"]
    text = client.get(f"/api/captures/{number}/file?form=csv").text
    assert text.startswith("time_s,line_a [A],line_v [V]")
    packed = zipfile.ZipFile(io.BytesIO(client.get(f"/api/captures/{number}/file?form=comtrade").content))
    packed.extractall(tmp_path)
    record = comtrade.Comtrade()
    record.load(str(tmp_path / f"capture-{number}.cfg"), str(tmp_path / f"capture-{number}.dat"))
    assert 24_000 == record.total_samples


def test_a_comtrade_record_comes_in(client: TestClient) -> None:
    cfg, dat = write_comtrade(recording())
    one = send(client, cfg.encode(), "cfg").json()["upload_id"]
    two = send(client, dat, "dat").json()["upload_id"]
    pair = {"cfg_upload_id": one, "dat_upload_id": two}
    assert ["line_a", "line_v"] == [c["name"] for c in client.post("/api/uploads/comtrade", json=pair).json()]
    entry = {"name": "pq", "upload_id": one, "dat_upload_id": two, "line_a_index": 0, "line_v_index": 1}
    saved = client.post("/api/calls/4/captures", json=entry)
    assert 2 == len(saved.json()["report"]["starts"])


@pytest.mark.parametrize(
    ("data", "words"),
    [(b"", "empty"), (b"PK\x03\x04", "packed"), (b"\x00" * 100, "binary"), (b"no\nlog", "No lines")],
)
def test_a_file_that_is_no_log_is_refused_and_the_server_still_answers(
    client: TestClient, data: bytes, words: str
) -> None:
    answer = send(client, data)
    assert 422 == answer.status_code
    assert words in answer.json()["detail"]
    assert 200 == client.get("/api/health").status_code


def test_a_damaged_capture_is_noticed_by_its_checksum(client: TestClient, records: MariaDbServer) -> None:
    del records
    number = capture(client)["id"]
    with as_owner() as owner:
        owner.execute_sql("DROP TRIGGER capture_no_update")
        try:
            owner.execute_sql(f"UPDATE capture SET sha256 = REPEAT('0', 64) WHERE id = {number}")
        finally:
            owner.execute_sql(
                "CREATE TRIGGER capture_no_update BEFORE UPDATE ON capture FOR EACH ROW "
                "SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'capture is append-only'"
            )
    answer = client.get(f"/api/captures/{number}/trace")
    assert (409, True) == (answer.status_code, "checksum" in answer.json()["detail"])


def picture(form: str = "JPEG", size: tuple[int, int] = (3000, 2000), **more: Any) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, (200, 90, 20)).save(out, form, **more)
    return out.getvalue()


def test_a_photograph_is_kept_small_and_without_its_location(client: TestClient) -> None:
    exif = Image.Exif()
    exif.get_ifd(0x8825)[1] = "N"
    exif[0x010F] = "some camera"
    sent = client.post(
        "/api/calls/4/photos?subject=nameplate&caption=Plate%20%F0%9F%94%8D", content=picture(exif=exif)
    )
    assert 201 == sent.status_code, sent.text
    kept = sent.json()
    assert (2000, "Plate 🔍") == (kept["width_px"], kept["caption"])
    back = Image.open(io.BytesIO(client.get(f"/api/photos/{kept['id']}").content))
    assert not dict(back.getexif())
    assert [kept["id"]] == [p["id"] for p in client.get("/api/units/1/photos").json()]


@pytest.mark.parametrize(
    ("data", "status"),
    [
        (b"", 422),
        (b"not a picture", 422),
        (picture()[:500], 422),
        (picture("GIF", (10, 10)), 422),
        (b"\xff\xd8" + b"0" * (31 * 2**20), 413),
    ],
)
def test_what_is_no_photograph_is_refused(client: TestClient, data: bytes, status: int) -> None:
    answer = client.post("/api/calls/4/photos", content=data)
    assert status == answer.status_code
    assert answer.json()["detail"]
    assert [] == client.get("/api/calls/4/photos").json()


def test_a_picture_that_unfolds_beyond_bounds_is_refused(client: TestClient) -> None:
    out = io.BytesIO()
    Image.new("1", (20_000, 20_000)).save(out, "PNG")
    answer = client.post("/api/calls/4/photos", content=out.getvalue())
    assert 422 == answer.status_code


def test_several_cooling_clocks_run_and_are_shown_on_the_call_and_the_list(client: TestClient) -> None:
    client.post("/api/calls/4/clocks", json={"minutes": 45, "shell_f": 210}).raise_for_status()
    two = client.post("/api/calls/4/clocks", json={}).json()["clocks"]
    assert [30, 45] == [round(_minutes(c)) for c in two]
    listed = next(c for c in client.get("/api/calls").json() if c["id"] == 4)
    assert 2 == len(listed["clocks"])
    ended = client.post(f"/api/calls/4/clocks/{two[0]['id']}/end")
    assert 1 == len(ended.json()["clocks"])
    assert 409 == client.post(f"/api/calls/4/clocks/{two[0]['id']}/end").status_code
    assert 422 == client.post("/api/calls/4/clocks", json={"minutes": 0}).status_code


def _minutes(clock: dict[str, Any]) -> float:
    begun, due = (datetime.fromisoformat(clock[k]) for k in ("started_at", "due_at"))
    return (due - begun).total_seconds() / 60


def test_only_the_lead_sets_a_standard_and_its_history_is_kept(client: TestClient) -> None:
    entry = {"value": 0.95, "why": "Our plates run warm"}
    refused = client.put("/api/standards/running_watch_ratio", json=entry)
    assert (403, "Ask Bettany Rook.") == (refused.status_code, refused.json()["next_step"])
    client.headers["As-Person"] = "3"
    listed = client.put("/api/standards/running_watch_ratio", json=entry).json()
    found = next(s for s in listed if s["standard"]["name"] == "running_watch_ratio")
    assert (0.95, 1.0) == (found["standard"]["value"], found["shipped_value"])
    assert "Bettany Rook" == found["history"][0]["person"]
    judged = client.get("/api/calls/4").json()["ladder"]["readings"]
    running = next(j for j in judged if j["code"] == "running")
    assert "watch" == running["verdict"], "0.983 × RLA is above this shop's 0.95"


@pytest.mark.parametrize(
    ("name", "entry", "field"),
    [
        ("running_watch_ratio", {"value": 5, "why": "x"}, "value"),
        ("running_watch_ratio", {"value": -1, "why": "x"}, "value"),
        ("running_watch_ratio", {"value": 1, "why": ""}, "why"),
        ("no_such", {"value": 1, "why": "x"}, "name"),
    ],
)
def test_a_standard_that_makes_no_sense_is_refused(
    client: TestClient, name: str, entry: dict[str, Any], field: str
) -> None:
    client.headers["As-Person"] = "3"
    answer = client.put(f"/api/standards/{name}", json=entry)
    assert (422, field) == (answer.status_code, answer.json()["errors"][0]["field"])


def test_a_start_by_ear_is_kept_as_wav_and_heard_the_same_again(client: TestClient) -> None:
    wav = write_wav(start_sound(0.7))
    saved = client.post("/api/calls/4/sounds", content=wav)
    assert 201 == saved.status_code, saved.text
    body = saved.json()
    assert body["report"]["seconds"] == pytest.approx(0.7, abs=0.06)
    assert body == client.get("/api/calls/4/sounds").json()[-1]
    assert wav == client.get(f"/api/sounds/{body['id']}/file").content
    with pytest.raises(peewee.OperationalError, match="append-only"), proxy.connection_context():
        proxy.execute_sql("UPDATE sound SET wav = ''")


@pytest.mark.parametrize("data", [b"", b"not a sound at all", b"RIFF\xff\xff\xff\xffWAVE" + b"\x00" * 40])
def test_what_is_no_sound_is_refused_and_nothing_kept(client: TestClient, data: bytes) -> None:
    before = len(client.get("/api/calls/4/sounds").json())
    refused = client.post("/api/calls/4/sounds", content=data)
    assert 422 == refused.status_code, refused.text
    assert refused.json()["next_step"]
    assert before == len(client.get("/api/calls/4/sounds").json())


def test_a_start_time_is_held_against_the_sister_unit_with_both_uncertainties(client: TestClient) -> None:
    entry = {"quantity": "start_time_s", "value": 0.9, "plus_minus": 0.05, "timed_by": "sound"}
    client.post("/api/calls/4/safety-events", json={"kind": "caution_read"})
    saved = client.post("/api/calls/4/readings", json=entry)
    assert 201 == saved.status_code, saved.text
    number = saved.json()["reading"]["id"]
    judged = next(
        j for j in client.get("/api/calls/4").json()["ladder"]["readings"] if number == j["reading_id"]
    )
    assert "START_TIME" == judged["findings"][0]["code"]
    assert "± 0.05 s" in judged["summary"]


def test_two_captures_are_compared_by_clamp_volts_and_what_was_changed(client: TestClient) -> None:
    one = capture(client)
    changed = client.post("/api/calls/4/changes", json={"what": "Run capacitor replaced"})
    assert 201 == changed.status_code, changed.text
    sent = send(client, write_csv(recording()).encode()).json()
    entry = {
        "name": "after",
        "upload_id": sent["upload_id"],
        "line_a_index": 1,
        "line_v_index": 2,
        "conductor": "common",
        "from_s": 0.0,
        "to_s": 3.0,
    }
    two = client.post("/api/calls/4/captures", json=entry).json()
    assert "Cut" in two["notes"][-1]
    path = f"/api/calls/4/captures/compare?before={one['id']}&after={two['id']}"
    found = client.get(path).json()
    assert "no" == found["result"]["comparable"]  # the first does not say where the clamp was
    assert "CLAMP_UNKNOWN" == found["result"]["findings"][0]["code"]
    took = next(r for r in found["rows"] if "100 ms" == r["name"])
    assert took["change_pct"] == pytest.approx(0, abs=0.01)
    both = client.get(f"/api/calls/4/captures/compare?before={two['id']}&after={two['id']}").json()
    assert "yes" == both["result"]["comparable"]
    assert 422 == client.get("/api/calls/4/captures/compare?before=9999&after=9999").status_code
