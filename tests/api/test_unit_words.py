"""A unit's words, its label, plates from photographs, sources and checks kept: the same over HTTP."""

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.doing import CAUTION, GO_LIVE, make_safe_body
from tests.plates import make_plate

TICKET_OFFICE = 4
WORDS = {
    "name": "Transmitter room split", "kind": "Split, rotary, 2 ton", "note": "", "serial": "2214K77120",
    "model": "QX24-310", "built_year": 2014, "warranty_until": "2029-03-31", "access_note": "Ladder",
}  # fmt: skip


def unit(client: TestClient, number: int = 5) -> Any:
    return client.get(f"/api/units/{number}").json()["unit"]


def test_a_units_words_are_kept_and_a_second_editor_is_told(client: TestClient) -> None:
    version = unit(client)["version"]
    saved = client.put("/api/units/5", json=WORDS | {"version": version})
    assert (200, "2214K77120", version + 1) == (
        saved.status_code, saved.json()["serial"], saved.json()["version"]
    )  # fmt: skip
    late = client.put("/api/units/5", json=WORDS | {"version": version, "serial": "OTHER"})
    assert 409 == late.status_code
    assert "changed while you typed" in late.json()["detail"]
    assert "2214K77120" == unit(client)["serial"]


def test_the_same_key_again_changes_a_unit_once(client: TestClient) -> None:
    body, key = WORDS | {"version": unit(client)["version"]}, {"Idempotency-Key": "unit-5"}
    first = client.put("/api/units/5", json=body, headers=key).json()
    assert first == client.put("/api/units/5", json=body, headers=key).json()


@pytest.mark.parametrize(
    ("change", "field"),
    [({"built_year": 1066}, "built_year"), ({"warranty_until": "soon"}, "warranty_until"),
     ({"name": ""}, "name"), ({"serial": "x" * 81}, "serial")],
)  # fmt: skip
def test_what_cannot_be_is_refused_at_its_field(client: TestClient, change: Any, field: str) -> None:
    answer = client.put("/api/units/5", json=WORDS | {"version": unit(client)["version"]} | change)
    assert 422 == answer.status_code
    assert field == answer.json()["errors"][0]["field"]


def test_a_site_keeps_its_contact_and_calls_show_it(client: TestClient) -> None:
    site = unit(client, 1)["site"]
    body = {k: site[k] for k in ("name", "place", "access_note", "version")} | {
        "contact": "Perrin, harbor hut"
    }
    assert 200 == client.put(f"/api/sites/{site['id']}", json=body).status_code
    assert "Perrin, harbor hut" == client.get(f"/api/calls/{TICKET_OFFICE}").json()["site"]["contact"]
    taken = client.put(f"/api/sites/{site['id']}", json=body | {"version": 2, "name": "Windfall orchard"})
    assert (422, "name") == (taken.status_code, taken.json()["errors"][0]["field"])


def test_a_label_names_the_unit_and_opens_it(client: TestClient) -> None:
    client.put("/api/units/5", json=WORDS | {"version": unit(client)["version"], "name": "Room <A> & B"})
    answer = client.get("/api/units/5/label.svg")
    assert "image/svg+xml" == answer.headers["content-type"]
    assert "Room &lt;A&gt; &amp; B" in answer.text
    assert "http://127.0.0.1/units/5" in answer.text
    assert 404 == client.get("/api/units/999/label.svg").status_code


@pytest.mark.parametrize(("seed", "light"), [(1000, "plain"), (1004, "scratched"), (1006, "dark")])
def test_a_plates_photograph_is_read_and_what_is_wrong_is_flagged(
    client: TestClient, seed: int, light: str
) -> None:
    made = make_plate(seed, light)
    answer = client.post("/api/plate-photo", content=made.jpeg)
    assert 200 == answer.status_code, answer.text
    fields = {f["proposed"]["field"]: f for f in answer.json()["fields"]}
    right = [n for n, true in made.truth.items() if n in fields and fields[n]["proposed"]["value"] == true]
    assert len(right) >= 0.8 * len(made.truth)
    for name, f in fields.items():
        assert f["proposed"]["value"] == made.truth[name] or f["proposed"]["flagged"], (name, f["proposed"])
        assert f["piece"].startswith("data:image/png;base64,")


@pytest.mark.parametrize("data", [b"", b"no picture", b"\xff\xd8\xff\xe0" + b"0" * 40])
def test_what_is_no_picture_is_refused(client: TestClient, data: bytes) -> None:
    answer = client.post("/api/plate-photo", content=data)
    assert (422, "photo") == (answer.status_code, answer.json()["errors"][0]["field"])


SUPPLY = {
    "source": {"kind": "portable_synchronous", "continuous_kw": 9.0}, "transfer": "interlock",
    "path": {"cord": {"size": "10", "length_ft": 40.0}, "breaker_a": 30.0},
}  # fmt: skip


def test_a_source_is_kept_with_the_call_and_offered_at_the_next_one_of_the_site(client: TestClient) -> None:
    assert client.get(f"/api/calls/{TICKET_OFFICE}/work").json()["source"] is None
    said = client.post(f"/api/calls/{TICKET_OFFICE}/work/backup-source", json=SUPPLY).json()["source"]
    assert said["here"]
    assert 9.0 == said["supply"]["source"]["continuous_kw"]
    call = client.get(f"/api/calls/{TICKET_OFFICE}").json()
    closing = {"version": call["version"], "status": "closed", "reason": "as found"}
    assert 200 == client.patch(f"/api/calls/{TICKET_OFFICE}", json=closing).status_code
    late = client.post(f"/api/calls/{TICKET_OFFICE}/work/backup-source", json=SUPPLY)
    assert 409 == late.status_code
    fresh = client.post("/api/calls", json={"unit_id": call["unit_id"], "complaint": "Hums"}).json()["id"]
    offered = client.get(f"/api/calls/{fresh}/work").json()["source"]
    assert (False, "interlock") == (offered["here"], offered["supply"]["transfer"])
    other = client.post("/api/calls", json={"unit_id": 4, "complaint": "Hums"}).json()["id"]
    assert client.get(f"/api/calls/{other}/work").json()["source"] is None, "another site's source is its own"


def test_a_check_as_wired_is_judged_here_whatever_was_sent(client: TestClient) -> None:
    plan = client.post("/api/calc/wiring", json={"kind": "two_wire_kit"}).json()
    right = {
        "work": "aid",
        "wiring": {"kind": "two_wire_kit", "nets": plan["after"]},
        "ok": False,
        "faults": ["no"],
    }
    told = client.post(f"/api/calls/{TICKET_OFFICE}/work/as-wired", json=right).json()["as_wired"]
    assert (True, []) == (told[0]["checked"]["ok"], told[0]["checked"]["faults"])
    loose = [[t for t in net if t != "kit.1"] for net in plan["after"]]
    wrong = {"work": "aid", "wiring": {"kind": "two_wire_kit", "nets": loose}, "ok": True}
    told = client.post(f"/api/calls/{TICKET_OFFICE}/work/as-wired", json=wrong).json()["as_wired"]
    assert [True, False] == [c["checked"]["ok"] for c in told]
    assert told[1]["checked"]["faults"]

    def stops() -> list[str]:
        return [s["code"] for s in client.get(f"/api/calls/{TICKET_OFFICE}").json()["ladder"]["stops"]]

    assert ["MISWIRED"] == stops()
    gate = client.get(f"/api/calls/{TICKET_OFFICE}").json()["allowed"]["go_live"]
    assert "wired wrong" in gate["why"]
    assert "wired wrong" in client.get(f"/api/calls/{TICKET_OFFICE}/papers/customer.html").text
    client.post(f"/api/calls/{TICKET_OFFICE}/work/as-wired", json=right).raise_for_status()
    assert [] == stops()
    bare = client.post(
        f"/api/calls/{TICKET_OFFICE}/work/as-wired", json={"work": "aid", "wiring": {"kind": "two_wire_kit"}}
    )
    assert (422, "wiring.nets") == (bare.status_code, bare.json()["errors"][0]["field"])


def test_poles_are_kept_apart_and_the_worst_one_counts(client: TestClient) -> None:
    at = f"/api/calls/{TICKET_OFFICE}"
    client.post(f"{at}/make-safe", json=make_safe_body(client.get(at).json()))
    for event in (CAUTION, GO_LIVE):
        client.post(f"{at}/safety-events", json=event)
    for spot, drop in (("L1–T1", 0.62), ("L2–T2", 0.05)):
        body = {"quantity": "contactor_drop_v", "value": drop, "spot": spot}
        assert 201 == client.post(f"{at}/readings", json=body).status_code
    call = client.get(at).json()
    assert ["L1–T1", "L2–T2"] == [r["entry"]["spot"] for r in call["readings"] if r["entry"]["spot"]]
    rung = next(r for r in call["ladder"]["rungs"] if r["key"] == "parts")
    assert "fail" == rung["verdict"]
    texts = [f["text"] for j in call["ladder"]["readings"] for f in j["findings"]]
    assert "Pole L1–T1 drops too much; replace the contactor." in texts
    why = client.get(f"{at}/why").json()
    assert any("0.62 V across a closed pole" in str(o) for o in (why,)), "Why counts the worst pole too"


def test_a_bulged_can_is_out_on_every_rung_and_counts_on_why(client: TestClient) -> None:
    at = f"/api/calls/{TICKET_OFFICE}"
    before = {c["hypothesis"]: c["probability"] for c in client.get(f"{at}/why").json()["result"]["ranked"]}
    client.post(f"{at}/make-safe", json=make_safe_body(client.get(at).json()))
    for quantity, value in (("can_look", "bulged"), ("run_cap_uf", 45.1)):
        assert 201 == client.post(f"{at}/readings", json={"quantity": quantity, "value": value}).status_code
    call = client.get(at).json()
    rungs = {r["key"]: r for r in call["ladder"]["rungs"]}
    assert ("fail", "fail") == (rungs["dead_tests"]["verdict"], rungs["parts"]["verdict"])
    assert "Can bulged" in rungs["parts"]["load"]
    after = {c["hypothesis"]: c["probability"] for c in client.get(f"{at}/why").json()["result"]["ranked"]}
    assert before != after


def test_a_can_with_another_label_is_the_wrong_one_in_dead_tests_as_on_why(client: TestClient) -> None:
    at = f"/api/calls/{TICKET_OFFICE}"
    client.post(f"{at}/make-safe", json=make_safe_body(client.get(at).json()))
    for quantity, value in (("can_label_uf", 30.0), ("run_cap_uf", 30.2)):
        assert 201 == client.post(f"{at}/readings", json={"quantity": quantity, "value": value}).status_code
    rung = next(r for r in client.get(at).json()["ladder"]["rungs"] if r["key"] == "dead_tests")
    assert "30 µF fitted, nameplate asks 45" in rung["load"]
    top = client.get(f"{at}/why").json()["result"]["ranked"][0]
    assert "capacitor_wrong_value" == top["hypothesis"]


def test_who_was_spoken_to_and_what_is_on_order_stay_with_the_call(client: TestClient) -> None:
    at = f"/api/calls/{TICKET_OFFICE}"
    body = {
        "version": client.get(at).json()["version"],
        "spoken_to": "Perrin: goes ahead",
        "parts_ordered": "45/5 µF",
    }
    assert 200 == client.patch(at, json=body).status_code
    call = client.get(at).json()
    assert ("Perrin: goes ahead", "45/5 µF") == (call["spoken_to"], call["parts_ordered"])
