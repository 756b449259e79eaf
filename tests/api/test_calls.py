"""A call over HTTP: what is saved, what is refused, and in which words."""

import csv
import io
import threading
from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.doing import GO_LIVE, make_safe_body

TICKET_OFFICE = 4
RUNNING = {"quantity": "running_a", "value": 17.2, "volts": 228}


def call(client: TestClient, number: int = TICKET_OFFICE) -> dict[str, Any]:
    body: dict[str, Any] = client.get(f"/api/calls/{number}").json()
    return body


def problem(response: Any, status: int) -> dict[str, Any]:
    assert status == response.status_code, response.text
    assert response.headers["content-type"].startswith("application/problem+json")
    body: dict[str, Any] = response.json()
    assert body["title"]
    assert body["detail"]
    return body


def fresh_call(client: TestClient, unit_id: int = 2) -> int:
    opened = client.post("/api/calls", json={"unit_id": unit_id, "complaint": "Hums <b>&amp;</b> 🧊"})
    assert 201 == opened.status_code, opened.text
    return int(opened.json()["id"])


def test_a_call_is_opened_once_per_unit(client: TestClient) -> None:
    fresh_call(client)
    again = client.post("/api/calls", json={"unit_id": 2, "complaint": "again"})
    assert "open call already" in problem(again, 409)["detail"]


def test_markup_and_emoji_in_a_complaint_come_back_as_typed(client: TestClient) -> None:
    number = fresh_call(client)
    assert "Hums <b>&amp;</b> 🧊" == call(client, number)["complaint"]


def test_a_reading_is_judged_when_read_not_when_saved(client: TestClient) -> None:
    before = {r["reading_id"]: r for r in call(client)["ladder"]["readings"]}
    plate = call(client)["plate"]["plate"]
    plate["compressors"][0]["rla_a"] = 14
    plate["mca_a"] = 18.9
    client.post("/api/calls/4/plates", json={"plate": plate, "base_number": 1}).raise_for_status()
    after = {r["reading_id"]: r for r in call(client)["ladder"]["readings"]}
    changed = [i for i in before if before[i]["verdict"] != after[i]["verdict"]]
    assert changed, "a better plate changes the verdict on running amps"


def test_the_same_request_twice_stores_one_reading(client: TestClient) -> None:
    head = {"Idempotency-Key": "tab-1-reading-1"}
    one = client.post("/api/calls/4/readings", json=RUNNING, headers=head)
    two = client.post("/api/calls/4/readings", json=RUNNING, headers=head)
    assert (201, 200) == (one.status_code, two.status_code)
    assert one.json()["reading"]["id"] == two.json()["reading"]["id"]
    assert two.json()["repeated"] is True


def test_requests_racing_with_one_key_store_one_reading(client: TestClient) -> None:
    results: list[int] = []

    def send() -> None:
        answer = client.post("/api/calls/4/readings", json=RUNNING, headers={"Idempotency-Key": "racing-key"})
        results.append(answer.json()["reading"]["id"])

    threads = [threading.Thread(target=send) for _ in range(8)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert 8 == len(results)
    assert 1 == len(set(results))
    assert 6 == len(call(client)["readings"])


def test_a_key_used_for_another_reading_is_refused(client: TestClient) -> None:
    head = {"Idempotency-Key": "tab-1-reading-1"}
    client.post("/api/calls/4/readings", json=RUNNING, headers=head)
    other = client.post("/api/calls/4/readings", json={**RUNNING, "value": 3}, headers=head)
    assert "Idempotency-Key" == problem(other, 422)["errors"][0]["field"]


def test_a_correction_supersedes_and_the_old_value_stays(client: TestClient) -> None:
    old = next(r for r in call(client)["readings"] if r["entry"]["quantity"] == "running_a")
    saved = client.post(
        "/api/calls/4/readings", json={"quantity": "running_a", "value": 16.1, "supersedes_id": old["id"]}
    )
    assert 201 == saved.status_code
    readings = {r["id"]: r for r in call(client)["readings"]}
    assert saved.json()["reading"]["id"] == readings[old["id"]]["superseded_by_id"]
    assert 17.6 == readings[old["id"]]["entry"]["value"]
    assert old["taken_at"] == saved.json()["reading"]["taken_at"]
    judged = {j["reading_id"] for j in call(client)["ladder"]["readings"]}
    assert old["id"] not in judged


def test_a_second_correction_of_one_reading_is_a_conflict(client: TestClient) -> None:
    old = call(client)["readings"][0]
    entry = {"quantity": old["entry"]["quantity"], "value": 230, "supersedes_id": old["id"]}
    client.post("/api/calls/4/readings", json=entry).raise_for_status()
    problem(client.post("/api/calls/4/readings", json=entry), 409)


def test_a_correction_of_a_reading_elsewhere_is_refused(client: TestClient) -> None:
    bad = client.post("/api/calls/4/readings", json={**RUNNING, "supersedes_id": 1})
    assert "supersedes_id" == problem(bad, 422)["errors"][0]["field"]


@pytest.mark.parametrize(
    ("entry", "field"),
    [
        ({"quantity": "running_a", "value": "17"}, "value"),
        ({"quantity": "running_a", "value": -1}, "value"),
        ({"quantity": "running_a", "value": 1e9}, "value"),
        ({"quantity": "running_a"}, "value"),
        ({"quantity": "horses", "value": 1}, "quantity"),
        ({"quantity": "inrush_a", "value": 90}, "mode"),
        ({**RUNNING, "volts": 0}, "volts"),
        ({**RUNNING, "taken_at": "yesterday"}, "taken_at"),
        ({**RUNNING, "taken_at": "2026-01-01T00:00:00"}, "taken_at"),
        ({**RUNNING, "taken_at": "2999-01-01T00:00:00Z"}, "taken_at"),
        ({**RUNNING, "taken_at": "1999-01-01T00:00:00Z"}, "taken_at"),
        ({**RUNNING, "note": "x" * 2001}, "note"),
        ({**RUNNING, "extra": 1}, "extra"),
    ],
)
def test_a_bad_reading_is_refused_at_its_field(client: TestClient, entry: dict[str, Any], field: str) -> None:
    refused = problem(client.post("/api/calls/4/readings", json=entry), 422)
    assert [field] == [e["field"] for e in refused["errors"]]
    assert 5 == len(call(client)["readings"])


def test_nan_in_the_body_is_refused_not_stored(client: TestClient) -> None:
    answer = client.post(
        "/api/calls/4/readings",
        content='{"quantity": "running_a", "value": NaN}',
        headers={"content-type": "application/json"},
    )
    assert "value" == problem(answer, 422)["errors"][0]["field"]


@pytest.mark.parametrize(
    ("content", "status"),
    [(b"", 422), (b"{", 422), (b"\xff\xfe", 422), (b"[1]", 422), (b"a" * 2_000_000, 413)],
)
def test_a_body_that_is_no_entry_is_refused(client: TestClient, content: bytes, status: int) -> None:
    problem(
        client.post("/api/calls/4/readings", content=content, headers={"content-type": "application/json"}),
        status,
    )


def test_live_readings_wait_for_the_caution(client: TestClient) -> None:
    number = fresh_call(client)
    shut = problem(
        client.post(f"/api/calls/{number}/readings", json={"quantity": "running_a", "value": 8}), 409
    )
    assert "caution" in shut["detail"]
    assert shut["next_step"]
    client.post(f"/api/calls/{number}/safety-events", json={"kind": "caution_read"}).raise_for_status()
    assert (
        201
        == client.post(
            f"/api/calls/{number}/readings", json={"quantity": "running_a", "value": 8}
        ).status_code
    )


def test_going_live_wants_covers_people_and_meter(client: TestClient) -> None:
    refused = problem(
        client.post("/api/calls/4/safety-events", json={"kind": "went_live", "covers_on": True}), 409
    )
    assert "people clear, meter set, leads back on" in refused["detail"]


def test_control_voltage_comes_back_only_on_a_dead_line(client: TestClient) -> None:
    problem(client.post("/api/calls/4/safety-events", json={"kind": "control_live"}), 409)


def test_a_complete_record_makes_it_dead_and_stops_live_readings(client: TestClient) -> None:
    made = client.post("/api/calls/4/make-safe", json=make_safe_body(call(client)))
    assert "dead_proved" == made.json()["state"]["state"]
    assert "energized" == made.json()["ladder"]["rungs"][0]["status"]
    assert "going live" in str(problem(client.post("/api/calls/4/readings", json=RUNNING), 409)["next_step"])
    client.post("/api/calls/4/safety-events", json=GO_LIVE).raise_for_status()
    assert 201 == client.post("/api/calls/4/readings", json=RUNNING).status_code


def test_an_incomplete_record_is_kept_and_does_not_open_the_gate(client: TestClient) -> None:
    begun = {"record": {"dry": True, "control_off": True}}
    made = client.post("/api/calls/4/make-safe", json=make_safe_body(call(client)) | begun)
    assert "as_found" == made.json()["state"]["state"]
    assert made.json()["make_safe"]["control_off"] is True


def test_two_tabs_saving_a_plate_the_second_hears_of_the_first(client: TestClient) -> None:
    plate = call(client)["plate"]["plate"]
    one = client.post("/api/calls/4/plates", json={"plate": plate, "base_number": 1})
    two = client.post("/api/calls/4/plates", json={"plate": plate, "base_number": 1})
    assert 201 == one.status_code
    assert "Another nameplate was saved" in problem(two, 409)["detail"]
    assert 2 == call(client)["plate"]["number"]


def test_two_tabs_editing_a_call_the_second_hears_of_the_first(client: TestClient) -> None:
    one = client.patch("/api/calls/4", json={"version": 1, "note": "first"})
    two = client.patch("/api/calls/4", json={"version": 1, "note": "second"})
    assert (200, 2) == (one.status_code, one.json()["version"])
    problem(two, 409)
    assert "first" == call(client)["note"]


def test_a_plate_with_lra_below_rla_is_refused_at_the_field(client: TestClient) -> None:
    plate = call(client)["plate"]["plate"]
    plate["compressors"][0] = {"rla_a": 112, "lra_a": 17.9}
    refused = problem(client.post("/api/calls/4/plates", json={"plate": plate, "base_number": 1}), 422)
    assert "compressors[0].lra_a" == refused["errors"][0]["field"]
    assert "swapped" in refused["errors"][0]["wanted"]


def test_before_and_after_with_one_change_read_as_a_verdict(client: TestClient) -> None:
    start = {
        "quantity": "inrush_a",
        "mode": "inrush",
        "conductor": "common",
        "volts": 212,
        "rest_min": 12,
        "outdoor_f": 97,
    }
    client.post("/api/calls/4/changes", json={"what": "Start kit fitted"}).raise_for_status()
    client.post("/api/calls/4/readings", json={**start, "value": 70}).raise_for_status()
    pair = call(client)["ladder"]["before_after"]
    assert ("yes", "Start kit fitted") == (pair["result"]["comparable"], pair["result"]["credit"])
    assert pytest.approx(100 * (70 - 101) / 101) == pair["result"]["change_pct"]


def test_a_kit_for_a_kit_is_one_change_and_two_parts_are_two(client: TestClient) -> None:
    start = {"quantity": "inrush_a", "mode": "inrush", "conductor": "common", "volts": 212,
             "rest_min": 12, "outdoor_f": 97}  # fmt: skip
    for what in ("Old kit taken off", "Three-wire kit fitted"):
        body = {"what": what, "part": "start_kit"}
        client.post("/api/calls/4/changes", json=body).raise_for_status()
    client.post("/api/calls/4/readings", json={**start, "value": 70}).raise_for_status()
    pair = call(client)["ladder"]["before_after"]
    assert "Three-wire kit fitted" == pair["result"]["credit"]
    assert ["Old kit taken off", "Three-wire kit fitted"] == pair["changes"], "both stay on the record"
    client.post(
        "/api/calls/4/changes", json={"what": "New contactor", "part": "contactor"}
    ).raise_for_status()
    client.post("/api/calls/4/readings", json={**start, "value": 69}).raise_for_status()
    assert call(client)["ladder"]["before_after"]["result"]["credit"] is None


def test_a_closed_call_takes_nothing_more_until_it_is_opened_again(client: TestClient) -> None:
    client.patch("/api/calls/4", json={"version": 1, "status": "closed"}).raise_for_status()
    assert "closed" in problem(client.post("/api/calls/4/readings", json=RUNNING), 409)["detail"]
    client.patch("/api/calls/4", json={"version": 2, "status": "open"}).raise_for_status()
    assert 201 == client.post("/api/calls/4/readings", json=RUNNING).status_code


def test_a_unit_with_a_newer_open_call_keeps_the_old_one_closed(client: TestClient) -> None:
    refused = client.patch("/api/calls/3", json={"version": 2, "status": "open"})
    assert "open call already" in problem(refused, 409)["detail"]


@pytest.mark.parametrize("number", [99, 0, 2**40])
def test_a_call_that_is_not_there_says_so(client: TestClient, number: int) -> None:
    answer = client.get(f"/api/calls/{number}")
    assert answer.status_code in (404, 422)
    assert answer.json()["detail"]


def test_readings_leave_as_csv_with_units_and_harmless_notes(client: TestClient) -> None:
    client.post("/api/calls/4/readings", json={**RUNNING, "note": "=1+1"}).raise_for_status()
    lines = client.get("/api/calls/4/readings.csv").text.splitlines()
    assert lines[0].startswith("\ufeffshop,site,unit,call,kind,date,time,zone,what,value,value_unit,code")
    rows = list(csv.DictReader(io.StringIO("\n".join(lines).lstrip("\ufeff"))))
    assert {"plate", "reading"} == {r["kind"] for r in rows}
    assert {"Quillback Cooling"} == {r["shop"] for r in rows}
    running = [r for r in rows if r["code"] == "running_a"]
    assert ["Running amps", "Running amps"] == [r["what"] for r in running]
    assert {"A"} == {r["value_unit"] for r in running}
    assert "'=1+1" == running[-1]["note"]
    assert all(len(r["zone"]) == 5 for r in rows)


@pytest.mark.parametrize(
    "said", ["", "1", "orange_crank_80=", "orange_crank_80=1", "a=b; orange_crank_80=" + 90 * "x"]
)
def test_a_record_wants_somebody_signed_in(client: TestClient, said: str) -> None:
    del client.headers["As-Person"]
    # Who one is comes from the device's session, whatever a header says.
    told = {"cookie": said, "Orange-Crank-Person": "1", "As": "1"}
    refused = problem(client.post("/api/calls/4/readings", json=RUNNING, headers=told), 401)
    assert "sign in" in refused["next_step"].lower()


def test_dead_readings_wait_for_make_safe_or_a_reason_that_stays(client: TestClient) -> None:
    entry = {"readings": [{"quantity": "run_cap_uf", "value": 38.9}]}
    shut = problem(client.post("/api/calls/4/reading-sets", json=entry), 409)
    assert "Make safe" in str(shut["next_step"])
    entry["readings"][0]["without_make_safe"] = "capacitor is on the tailgate"
    saved = client.post("/api/calls/4/reading-sets", json=entry).json()
    assert "capacitor is on the tailgate" == saved["readings"][-1]["entry"]["without_make_safe"]
    assert "45 µF → 38.9, out" in saved["ladder"]["rungs"][2]["load"]


def test_the_readings_of_one_test_are_saved_all_or_none(client: TestClient) -> None:
    good = {"quantity": "winding_cs_ohm", "value": "open", "without_make_safe": "bench"}
    bad = {"quantity": "winding_cr_ohm", "value": 1.2}
    problem(client.post("/api/calls/4/reading-sets", json={"readings": [good, bad]}), 409)
    assert 5 == len(call(client)["readings"])


def test_words_and_flags_come_back_as_they_were_said(client: TestClient) -> None:
    values: dict[str, Any] = {"contactor_look": "pitted", "to_ground": False, "winding_cs_ohm": "open"}
    entry = [{"quantity": q, "value": v, "without_make_safe": "bench"} for q, v in values.items()]
    saved = client.post("/api/calls/4/reading-sets", json={"readings": entry})
    assert 201 == saved.status_code, saved.text
    back = {r["entry"]["quantity"]: r["entry"]["value"] for r in saved.json()["readings"]}
    assert values == {q: back[q] for q in values}


@pytest.mark.parametrize(
    ("quantity", "value"),
    [
        ("contactor_look", "shiny"),
        ("to_ground", 1),
        ("to_ground", "yes"),
        ("winding_cs_ohm", "infinite"),
        ("run_cap_uf", "open"),
    ],
)
def test_a_word_that_is_not_the_quantitys_is_refused(client: TestClient, quantity: str, value: Any) -> None:
    entry = {"quantity": quantity, "value": value, "without_make_safe": "bench"}
    problem(client.post("/api/calls/4/readings", json=entry), 422)


LEGS = {"leg_a_idle_v": 120, "leg_b_idle_v": 120, "leg_a_start_v": 105, "leg_b_start_v": 134}


def test_an_open_neutral_stops_everything_live_until_it_is_said_who_mended_it(client: TestClient) -> None:
    saved = client.post("/api/calls/4/tests", json={"topic": "legs", "entry": LEGS}).json()
    live = next(r for r in saved["ladder"]["rungs"] if r["key"] == "live_tests")
    assert ("fail", "blocked") == (live["verdict"], live["status"])
    assert live["load"].startswith("STOP")
    mended = {**LEGS, "leg_a_start_v": 117, "leg_b_start_v": 117}
    shut = client.post("/api/calls/4/tests", json={"topic": "legs", "entry": mended})
    assert "STOP" in problem(shut, 409)["detail"]
    stop = saved["ladder"]["stops"][0]
    lift = {"stop": stop["key"], "how": "Utility remade the neutral at the pole"}
    client.post("/api/calls/4/stops/lift", json=lift).raise_for_status()
    again = client.post("/api/calls/4/tests", json={"topic": "legs", "entry": mended}).json()
    live = next(r for r in again["ladder"]["rungs"] if r["key"] == "live_tests")
    assert "energized" == live["status"]
    assert ["fail", "pass"] == [t["judged"]["verdict"] for t in again["tests"]]
    assert lift["how"] == again["settled_stops"][0]["how"]


def test_a_test_is_saved_once_and_only_in_its_state(client: TestClient) -> None:
    head = {"Idempotency-Key": "legs-once"}
    steady = LEGS | {"leg_a_start_v": 118, "leg_b_start_v": 118}
    for _ in range(2):
        saved = client.post("/api/calls/4/tests", json={"topic": "legs", "entry": steady}, headers=head)
    assert 1 == len(saved.json()["tests"])
    kit = {"topic": "start-kit", "entry": {"kind": "potential_relay", "contact_ohm": "open"}}
    assert "Make safe" in str(problem(client.post("/api/calls/4/tests", json=kit), 409)["next_step"])
    told = client.post("/api/calls/4/tests", json={**kit, "without_make_safe": "kit is in my hand"}).json()
    assert "fail" == told["tests"][-1]["judged"]["verdict"]


@pytest.mark.parametrize(
    ("test", "field"),
    [
        ({"topic": "legs", "entry": {}}, "leg_a_idle_v"),
        ({"topic": "legs", "entry": {**LEGS, "leg_a_idle_v": "120"}}, "leg_a_idle_v"),
        ({"topic": "plumbing", "entry": {}}, "topic"),
        ({"topic": "winding-amps", "entry": {"common_a": 30, "run_a": 12, "start_a": 5}}, "common_a"),
    ],
)
def test_a_test_that_cannot_be_judged_is_refused_at_its_field(
    client: TestClient, test: dict[str, Any], field: str
) -> None:
    refused = problem(client.post("/api/calls/4/tests", json=test), 422)
    assert field == refused["errors"][0]["field"]
    assert [] == call(client)["tests"]
