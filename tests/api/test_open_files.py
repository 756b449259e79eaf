"""What leaves in open files can be read by others, and is damaged nowhere without being noticed."""

import csv
import io
import json
import zipfile
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from orange_crank.demo import player
from orange_crank.formats.comtrade_files import comtrade_channels
from orange_crank.store.archive import read_archive
from orange_crank.store.database import session
from tests.doing import ok


@pytest.fixture(autouse=True)
def lead(client: TestClient) -> None:
    who = next(p for p in client.get("/api/people").json() if p["role"] == "lead")
    client.headers["As-Person"] = str(who["id"])


def archive(client: TestClient, path: str = "/api/archive.zip") -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(client.get(path).content)) as file:
        return {name: file.read(name) for name in file.namelist()}


def rows(data: bytes) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(data.decode("utf-8-sig"))))


def test_the_csv_of_an_archive_says_what_every_calls_own_csv_says(client: TestClient) -> None:
    """Two doors to one record: the archive's lines and those a call hands out."""
    mine = rows(archive(client)["csv/record.csv"])
    for call in client.get("/api/calls").json():
        theirs = rows(client.get(f"/api/calls/{call['id']}/readings.csv").content)
        for kind in ("reading", "test", "change"):

            def told(lines: list[dict[str, str]], kind: str = kind, number: str = str(call["id"])) -> Any:
                skip = {"note", "corrected_by", "shop"} | ({"value"} if kind == "test" else set())
                return sorted(
                    json.dumps({k: v for k, v in line.items() if k not in skip}, sort_keys=True)
                    for line in lines
                    if line["kind"] == kind and line["call"] == number
                )

            assert told(mine) == told(theirs), (call["id"], kind)


def test_one_units_archive_has_that_units_lines_alone(client: TestClient) -> None:
    found = archive(client, "/api/units/2/archive.zip")
    name = client.get("/api/units/2").json()["unit"]["name"]
    assert {line["unit"] for line in rows(found["csv/record.csv"])} <= {name}
    assert "record/reading.json" in found


def test_a_recording_in_an_archive_opens_as_comtrade(client: TestClient, tmp_path: Path) -> None:
    found = archive(client)
    names = sorted(n for n in found if n.endswith(".cfg"))
    captures = json.loads(found["record/capture.json"])
    assert len(names) == len(captures)
    assert names, "the demo shop holds a recording"
    for name in names:
        cfg, dat = tmp_path / "a.cfg", tmp_path / "a.dat"
        cfg.write_bytes(found[name])
        dat.write_bytes(found[name.replace(".cfg", ".dat")])
        assert comtrade_channels(cfg, dat)


@pytest.mark.parametrize("name", ["csv/record.csv", "record/unit.json", "schema.json"])
def test_an_archive_altered_anywhere_is_refused(client: TestClient, name: str) -> None:
    found = archive(client)
    found[name] = found[name] + b" "
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        for member, data in found.items():
            file.writestr(member, data)
    refused = client.post("/api/archives", content=out.getvalue())
    assert refused.status_code == 422, refused.text
    assert name in refused.text


def test_a_shop_with_merged_units_and_imports_goes_out_and_in_again_the_same(client: TestClient) -> None:
    unit = client.get("/api/units/1").json()["unit"]
    twin = ok(client.post("/api/units", json={"site_id": unit["site"]["id"], "name": "Twin"}))
    # The older record into the newer one: a row that refers to a later one.
    merge = {"into": twin["id"], "version": unit["version"]}
    ok(client.post("/api/units/1/merge", json=merge))
    text = "Customer,Unit\nAlder Farm,Barn split\n"
    ok(client.post("/api/customers/import", params={"keep": True}, content=text))
    before = archive(client)
    whole = client.get("/api/archive.zip").content
    player.clear()
    with session():
        read_archive(io.BytesIO(whole), keep=True)
    after = archive(client)
    # An import lapses what open calls prove, on the record: the rest is the same.
    told = {"manifest.json", "record/safety_event.json", "record/service_call.json"}
    assert {n: d for n, d in after.items() if n not in told} == {
        n: d for n, d in before.items() if n not in told
    }
    kept = json.loads(before["record/safety_event.json"])
    came = json.loads(after["record/safety_event.json"])
    assert kept == [e for e in came if not str(e["detail"]).startswith("imported by")]
    back = ok(client.get("/api/units/1"))
    assert back["unit"]["id"] == twin["id"]


def test_an_archive_is_kept_once_though_the_answer_was_lost(client: TestClient) -> None:
    whole = client.get("/api/units/2/archive.zip").content
    sent = ok(client.post("/api/archives", content=whole))
    path = f"/api/archives/{sent['upload_id']}/keep"
    key = {"Idempotency-Key": "brought-in-once"}
    ok(client.post(path, headers=key))
    assert ok(client.post(path, headers=key))["done"]
    assert client.post(path, headers={"Idempotency-Key": "another-key"}).status_code == 422
