"""Practice through HTTP: in records of its own, act by act, once, by whom it belongs to."""

from datetime import date, timedelta
from typing import Any

import pytest
from fastapi.testclient import TestClient

from orange_crank.api import practice as routes
from orange_crank.bench.practice.acts import Act
from orange_crank.bench.practice.scenario import CAPACITOR, MAKE_SAFE, POWER, START, lead, look
from orange_crank.store.database import proxy, records_of, session
from orange_crank.store.models import Person
from orange_crank.store.practice import PRACTICE_FROM
from tests.doing import CAUTION, GO_LIVE, make_safe_body, ok, wire_first

PLATE = {
    "volts": 230, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112, "kind": "scroll"}],
    "motors": [{"fla_a": 1.4}], "mca_a": 23.8, "mocp_a": 40, "run_cap_uf": 45, "fan_cap_uf": 5,
}  # fmt: skip


def as_(person: int, **more: str) -> dict[str, str]:
    return {"As-Person": str(person)} | more


def begin(client: TestClient, scenario: str = "graded-6", person: int = 1) -> int:
    run = ok(client.post("/api/practice/runs", json={"scenario": scenario}, headers=as_(person)))
    number: int = run["call_number"]
    assert number >= PRACTICE_FROM
    return number


def act(client: TestClient, call: int, number: int, one: Any, person: int = 1) -> Any:
    body = one.model_dump(mode="json", exclude_none=True) if isinstance(one, Act) else one
    return client.post(
        f"/api/practice/calls/{call}/acts", json={"number": number, "act": body}, headers=as_(person)
    )


def do(client: TestClient, call: int, *acts: Any) -> Any:
    state = ok(client.get(f"/api/practice/calls/{call}"))
    for one in acts:
        if isinstance(one, Act):
            state = ok(act(client, call, state["run"]["acts"] + 1, one))
    return state


def tally(client: TestClient) -> dict[str, Any]:
    """Everything of the shop that practice must not touch."""
    return {
        path: ok(client.get(path))
        for path in ("/api/calls", "/api/units", "/api/sites", "/api/vans/1", "/api/tasks", "/api/fleet")
    }


def test_a_whole_call_is_practised_in_the_same_routes_and_touches_nothing_of_the_shop(
    client: TestClient,
) -> None:
    before = tally(client)
    n = begin(client)
    assert client.get(f"/api/calls/{n}").status_code == 404, "not among the shop's calls"
    at = f"/practice/api/calls/{n}"
    ok(client.post(f"{at}/plates", json={"plate": PLATE, "base_number": 0}))
    do(client, n, look("plate"), *MAKE_SAFE)
    ok(client.post(f"{at}/make-safe", json=make_safe_body(ok(client.get(at)))))
    state = do(client, n, *CAPACITOR)
    assert state["meter"]["fill"]["quantity"] == "run_cap_uf"
    assert state["meter"]["value"] < 3
    entry = {"quantity": "run_cap_uf", "value": state["meter"]["value"]}
    ok(client.post(f"{at}/readings", json=entry))
    ok(client.post(f"{at}/why", json={"symptoms": ["hums_no_start"]}))
    cause = {"kind": "cause", "decision": {"kind": "cause", "hypothesis": "run_capacitor_open"}}
    ok(client.post(f"{at}/decisions", json=cause))
    fitted = {"work": "capacitor", "what": "Dual run capacitor 45 + 5 µF", "part": "RD-45-5-440"}
    wire_first(client, at, fitted)
    ok(client.post(f"{at}/work/fitted", json=fitted | {"holder_id": 2}))
    do(client, n, Act(verb="replace", part="dual_capacitor"), lead("run_capacitor", True), *POWER)
    for event in (CAUTION, GO_LIVE):
        ok(client.post(f"{at}/safety-events", json=event))
    state = do(client, n, *START)
    reading = {
        "quantity": "inrush_a", "value": state["meter"]["value"], "mode": "inrush", "conductor": "common",
        "volts": 230, "outcome": "started", "seconds": 0.3,
    }  # fmt: skip
    ok(client.post(f"{at}/readings", json=reading))
    confirmed = {"hypothesis": "run_capacitor_open", "note": "It starts with the new can."}
    ok(client.post(f"{at}/hand-over/confirm", json=confirmed))
    ok(client.post(f"{at}/hand-over", json={"to": "The owner", "running": True}))
    sheet = ok(client.post(f"/api/practice/calls/{n}/end"))
    score = sheet["score"]
    assert score["passed"], score
    assert score["hurt"] is None
    assert {d["skill"]: d["points"] for d in score["dimensions"]}["diagnosis"] == 100
    assert sheet["told"]
    assert sheet["starts"][0]["started"]
    assert max(sheet["starts"][0]["speed_pct"]) > 90
    assert tally(client) == before
    # Over is over: nothing moves the unit or the score any more.
    refused = act(client, n, state["run"]["acts"] + 1, look("plate"))
    assert refused.status_code == 409
    assert refused.json()["next_step"]
    assert ok(client.post(f"/api/practice/calls/{n}/end"))["score"] == score
    home = ok(client.get("/api/practice"))
    six = next(s for s in home["scenarios"] if s["number"] == 6)
    assert (six["passed"], six["best"]) == (True, score["total"])
    assert six["due_on"] > date.today().isoformat()


def test_the_same_act_sent_twice_is_done_once_and_a_second_screen_is_told(client: TestClient) -> None:
    n = begin(client)
    first = ok(act(client, n, 1, look("plate")))
    again = ok(act(client, n, 1, look("plate")))
    assert again == first
    other = act(client, n, 1, {"verb": "feel"})
    assert other.status_code == 409
    assert "Another screen" in other.json()["detail"]
    ahead = act(client, n, 5, look("plate"))
    assert ahead.status_code == 409
    assert ok(client.get(f"/api/practice/calls/{n}"))["run"]["acts"] == 1
    key = as_(1, **{"Idempotency-Key": "begin-once-0001"})
    runs = [ok(client.post("/api/practice/runs", json={"level": 1}, headers=key)) for _ in range(2)]
    assert runs[0] == runs[1]


def test_a_call_is_its_acts_whatever_any_process_remembers(client: TestClient) -> None:
    n = begin(client, "graded-7")
    state = do(client, n, *MAKE_SAFE, lead("start_kit", False), *POWER, *START)
    routes.WORLDS = routes._Worlds()
    assert ok(client.get(f"/api/practice/calls/{n}")) == state


def test_what_an_act_lacks_is_named_and_nothing_is_done(client: TestClient) -> None:
    n = begin(client)
    for body, field in (
        ({"verb": "measure", "mode": "volts", "red": "contactor.L1"}, "red"),
        ({"verb": "measure", "mode": "volts", "red": "nowhere", "black": "ground"}, "red"),
        ({"verb": "measure", "mode": "amps"}, "clamp"),
        ({"verb": "look"}, "sight"),
        ({"verb": "wait"}, "minutes"),
        ({"verb": "wait", "minutes": 1e9}, "minutes"),
        ({"verb": "fly"}, "verb"),
        ({"verb": "replace", "part": "start_kit", "number": "RC-5-440"}, "number"),
        ({"verb": "replace", "part": "start_kit", "number": "KT-130", "relay": "KT-130"}, "relay"),
    ):
        refused = act(client, n, 1, body)
        assert refused.status_code == 422, body
        assert any(field in e["field"] for e in refused.json()["errors"]), refused.json()
    wire = act(client, n, 1, {"verb": "wire"})
    assert wire.status_code == 409
    assert "checked as wired" in wire.json()["detail"]
    assert ok(client.get(f"/api/practice/calls/{n}"))["run"]["acts"] == 0
    assert client.get("/api/practice/calls/4").status_code == 404, "a real call is no practice call"
    assert client.get(f"/api/practice/calls/{n}/score").status_code == 409
    assert client.get(f"/api/practice/calls/{n}/starts/1.wav").status_code == 404
    for bad in ({}, {"scenario": "graded-99"}, {"level": 9}, {"race": "ABCDEF"}):
        assert client.post("/api/practice/runs", json=bad).status_code in (404, 422)


def test_somebody_else_neither_looks_nor_touches_and_the_lead_looks(client: TestClient) -> None:
    n = begin(client)
    assert client.get(f"/api/practice/calls/{n}", headers=as_(2)).status_code == 403
    assert client.get(f"/api/practice/calls/{n}", headers=as_(3)).status_code == 200
    assert act(client, n, 1, look("plate"), person=2).status_code == 403
    assert client.post(f"/api/practice/calls/{n}/end", headers=as_(2)).status_code == 403


def test_two_race_on_one_seed_and_see_each_other(client: TestClient) -> None:
    opened = ok(client.post("/api/practice/runs", json={"level": 2, "seed": 5, "open_race": True}))
    code = opened["race"]
    joined = ok(client.post("/api/practice/runs", json={"race": code}, headers=as_(2)))
    assert joined["scenario"] == opened["scenario"] == "seed-2-5"
    assert joined["call_number"] != opened["call_number"]
    twice = client.post("/api/practice/runs", json={"race": code}, headers=as_(2))
    assert twice.status_code == 409
    for person, run in ((1, opened), (2, joined)):
        state = ok(act(client, run["call_number"], 1, look("capacitor"), person))
        told = [t["text"] for t in state["told"]]
        assert told == [
            t["text"] for t in ok(client.get(f"/api/practice/calls/{opened['call_number']}"))["told"]
        ]
    ok(client.post(f"/api/practice/calls/{opened['call_number']}/end"))
    both = ok(client.get(f"/api/practice/races/{code}"))
    assert [r["learner_id"] for r in both] == [1, 2]
    assert both[0]["ended_at"]
    assert not both[1]["ended_at"]


def test_the_lead_sets_a_call_and_sees_the_result_and_nobody_else_does(client: TestClient) -> None:
    body = {"scenario": "graded-3", "learners": [1, 2], "due_on": (date.today() + timedelta(3)).isoformat()}
    assert client.post("/api/practice/sets", json=body).status_code == 403
    ok(client.post("/api/practice/sets", json=body, headers=as_(3)))
    unknown = client.post("/api/practice/sets", json=body | {"learners": [99]}, headers=as_(3))
    assert unknown.status_code == 422
    assert [s["scenario"] for s in ok(client.get("/api/practice"))["sets"]] == ["graded-3"]
    n = begin(client, "graded-3")
    ok(client.post(f"/api/practice/calls/{n}/end"))
    assert ok(client.get("/api/practice"))["sets"] == []
    assert len(ok(client.get("/api/practice", headers=as_(2)))["sets"]) == 1
    seen = ok(client.get("/api/practice", headers=as_(3)))["everybody"]
    assert [(r["learner_id"], r["passed"]) for r in seen] == [(1, False)]
    assert ok(client.get("/api/practice"))["everybody"] == []


def test_practice_knows_the_shops_people_standards_and_vans_and_gives_used_parts_back(
    client: TestClient,
) -> None:
    begin(client)
    # People of other tests, who are not this shop's any more, may still be known to what was practised.
    with records_of(practice=True), session():
        known = {p.name for p in Person.select()}
    assert {person["name"] for person in ok(client.get("/api/people"))} <= known
    van = ok(client.get("/api/vans/1"))
    moved = {"part": "RC-5-440", "count": 1, "reason": "restocked"}
    ok(client.post("/practice/api/vans/1/moves", json=moved))
    assert ok(client.get("/api/vans/1")) == van
    begin(client)
    assert ok(client.get("/practice/api/vans/1"))["lines"] == van["lines"]


@pytest.mark.parametrize("path", ["/practice/api/calls/4", "/practice/api/units/1"])
def test_nothing_of_the_shop_is_reached_from_practice(client: TestClient, path: str) -> None:
    begin(client)
    assert client.get(path).status_code == 404


def test_a_start_is_heard(client: TestClient) -> None:
    from orange_crank.formats.wav import read_wav

    n = begin(client, "graded-5")
    do(client, n, *START)
    heard = client.get(f"/api/practice/calls/{n}/starts/1.wav")
    assert heard.headers["content-type"] == "audio/wav"
    assert 3 < len(read_wav(heard.content).samples) / read_wav(heard.content).sample_hz < 4


def test_what_was_checked_as_wired_is_what_runs_right_or_wrong(client: TestClient) -> None:
    from orange_crank.bench.practice.scenario import fit, three_wire_nets

    for wrong in (True, False):
        n = begin(client, "graded-9")
        at = f"/practice/api/calls/{n}"
        ok(client.post(f"{at}/plates", json={"plate": PLATE, "base_number": 0}))
        do(client, n, *MAKE_SAFE)
        ok(client.post(f"{at}/make-safe", json=make_safe_body(ok(client.get(at)))))
        wiring = {"kind": "three_wire_kit", "nets": [list(net) for net in three_wire_nets(wrong)]}
        ok(client.post(f"{at}/work/as-wired", json={"work": "aid", "wiring": wiring}))
        kit = fit("start_kit", number="KT-130")
        do(client, n, lead("coil", False, taped=True), kit, Act(verb="wire"), lead("coil", True), *POWER)
        state = do(client, n, *START)
        told = " ".join(t["text"] for t in state["told"])
        assert ("does not turn" in told) is wrong, told
        sheet = ok(client.post(f"/api/practice/calls/{n}/end"))
        points = {d["skill"]: d["points"] for d in sheet["score"]["dimensions"]}
        assert (points["wiring"] == 100) is not wrong


def test_before_anybody_practised_the_address_says_what_to_do(client: TestClient) -> None:
    from orange_crank.store import database, practice

    if practice.is_laid_out():
        with database.records_of(practice=True):
            name = database.schema_name()
        with database.session():
            database.proxy.obj.execute_sql(f"DROP DATABASE `{name}`")
        database.proxy.obj.close_all()
        practice._ready.clear()
    refused = client.get("/practice/api/calls")
    assert refused.status_code == 404
    assert "Begin a practice call" in refused.json()["next_step"]
    assert client.get("/api/people").status_code == 200
    begin(client)
    assert len(ok(client.get("/practice/api/calls"))) == 1


def test_counters_that_were_forgotten_give_no_number_of_the_shops(client: TestClient) -> None:
    """A database that broke may count again where a table has no row."""
    begin(client)
    with records_of(practice=True), session():
        proxy.obj.execute_sql("SET foreign_key_checks = 0")
        for name in ("reading", "service_call", "unit", "site"):
            proxy.obj.execute_sql(f"TRUNCATE TABLE {name}")
        proxy.obj.execute_sql("SET foreign_key_checks = 1")
    begin(client)


def test_a_practice_call_whose_record_is_closed_is_still_scored_by_what_stands_on_it(
    client: TestClient,
) -> None:
    n = begin(client)
    at = f"/practice/api/calls/{n}"
    ok(client.post(f"{at}/plates", json={"plate": PLATE, "base_number": 0}))
    version = ok(client.get(at))["version"]
    ok(client.patch(at, json={"version": version, "status": "closed", "reason": "Owner sent us home"}))
    assert client.post(f"{at}/readings", json={"quantity": "running_a", "value": 12}).status_code == 409
    state = do(client, n, look("capacitor"))
    assert state["run"]["acts"] == 1, "the unit is still there"
    score = ok(client.post(f"/api/practice/calls/{n}/end"))["score"]
    assert {d["skill"]: d["points"] for d in score["dimensions"]}["record"] == 100
