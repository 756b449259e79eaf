"""The Why rung over HTTP: told, judged, decided, and kept."""

from typing import Any

import peewee
import pytest
from fastapi.testclient import TestClient

from orange_crank.store.database import proxy, session


def reading(client: TestClient, quantity: str, value: Any, **more: Any) -> None:
    entry = {"quantity": quantity, "value": value, "without_make_safe": "bench test of the record", **more}
    saved = client.post("/api/calls/4/readings", json=entry)
    assert 201 == saved.status_code, saved.text


def chance(why: Any, hypothesis: str) -> float:
    return float(next(r["probability"] for r in why["result"]["ranked"] if r["hypothesis"] == hypothesis))


def test_the_ticket_office_is_ranked_from_its_record_and_its_history(client: TestClient) -> None:
    why = client.get("/api/calls/4/why").json()
    assert "run_capacitor_weak" == why["result"]["ranked"][0]["hypothesis"]
    assert "to_ground" == why["result"]["next_tests"][0]["test"]
    texts = [p["text"] for p in why["result"]["ranked"][0]["for"]]
    assert any("faded over the visits" in t for t in texts)
    quantities = {r["quantity"] for r in why["entry"]["readings"]}
    assert {"line_v_idle", "line_v_start", "inrush_a", "start_time_s", "running_a"} <= quantities


def test_cold_windings_typed_over_hot_ones_leave_the_open_overload_on_record(client: TestClient) -> None:
    reading(client, "winding_sr_ohm", 3.5)
    reading(client, "winding_cs_ohm", "open")
    reading(client, "winding_cr_ohm", "open")
    rows = client.get("/api/calls/4").json()["readings"]
    hot = {r["entry"]["quantity"]: r["id"] for r in rows if r["entry"]["value"] == "open"}
    for quantity, cold in (("winding_cs_ohm", 2.6), ("winding_cr_ohm", 0.9)):
        reading(client, quantity, cold, supersedes_id=hot[quantity], typed_over=True)
    call = client.get("/api/calls/4").json()
    assert call["overload_unexplained"]
    assert all(r["superseded_by_id"] is None for r in call["readings"] if r["id"] in hot.values())
    # A slip within seconds, and a correction from the list of readings, take the old one's place.
    slip = next(r for r in call["readings"] if r["entry"]["value"] == 2.6)
    reading(client, "winding_cs_ohm", 2.5, supersedes_id=slip["id"], typed_over=True)
    reading(client, "winding_cs_ohm", 2.4, supersedes_id=hot["winding_cs_ohm"])
    by_id = {r["id"]: r["superseded_by_id"] for r in client.get("/api/calls/4").json()["readings"]}
    assert by_id[slip["id"]] is not None
    assert by_id[hot["winding_cs_ohm"]] is not None


def test_what_is_measured_moves_the_causes_and_jumps_back_to_its_reading(client: TestClient) -> None:
    before = client.get("/api/calls/4/why").json()
    reading(client, "to_ground", False)
    reading(client, "run_cap_uf", 38.9)
    after = client.get("/api/calls/4/why").json()
    assert chance(after, "run_capacitor_weak") > max(0.85, chance(before, "run_capacitor_weak"))
    points = after["result"]["ranked"][0]["for"]
    capacitor = next(p for p in points if "38.9 µF" in p["text"])
    call = client.get("/api/calls/4").json()
    assert capacitor["reading_ids"] == [
        next(r["id"] for r in call["readings"] if r["entry"]["value"] == 38.9)
    ]


def test_what_is_told_is_kept_as_it_was_and_the_newest_counts(client: TestClient) -> None:
    record = {"symptoms": ["hums_no_start"], "seen": [{"quantity": "minutes_rest", "value": 2}]}
    told = client.post("/api/calls/4/why", json=record)
    assert 201 == told.status_code, told.text
    assert ["hums_no_start"] == client.get("/api/calls/4/why").json()["record"]["symptoms"]
    rung = client.get("/api/calls/4").json()["ladder"]["rungs"][4]
    assert ("why", "ready", "Hums, does not start") == (rung["key"], rung["status"], rung["load"])
    with session(), pytest.raises(peewee.OperationalError, match="append-only"):
        proxy.obj.execute_sql("UPDATE decision SET kind = 'x'")


def test_a_cause_taken_energises_the_rung(client: TestClient) -> None:
    entry = {"kind": "cause", "decision": {"kind": "cause", "hypothesis": "run_capacitor_weak"}}
    assert 201 == client.post("/api/calls/4/decisions", json=entry).status_code
    rung = client.get("/api/calls/4").json()["ladder"]["rungs"][4]
    assert ("energized", "Weak run capacitor") == (rung["status"], rung["load"])
    bare = client.post("/api/calls/4/decisions", json={"kind": "cause", "decision": {"kind": "cause"}})
    assert (422, "decision.hypothesis") == (bare.status_code, bare.json()["errors"][0]["field"])


def prove_it_locked(client: TestClient) -> None:
    client.post("/api/calls/4/why", json={
        "symptoms": ["hums_no_start"],
        "seen": [
            {"quantity": "start_kit_present", "value": False},
            {"quantity": "pressures_equal", "value": True},
            {"quantity": "line_v_start", "value": 226, "where": "panel"},
            {"quantity": "terminal_v_start", "value": 223, "where": "terminals"},
        ],
    })  # fmt: skip
    for quantity, value in (
        ("to_ground", False), ("run_cap_uf", 44.6), ("winding_cs_ohm", 2.31), ("winding_cr_ohm", 0.62),
        ("winding_sr_ohm", 2.94),
    ):  # fmt: skip
        reading(client, quantity, value)
    call = client.get("/api/calls/4").json()
    for number in [r["id"] for r in call["readings"] if r["entry"]["quantity"] == "inrush_a"]:
        stall: dict[str, Any] = {"mode": "inrush", "conductor": "common", "volts": 226, "later_a": 108}
        reading(client, "inrush_a", 109, **stall, outcome="stalled", supersedes_id=number)
    # It never ran: the time by ear was the hum until its overload opened.
    for number in [r["id"] for r in call["readings"] if r["entry"]["quantity"] == "start_time_s"]:
        reading(client, "start_time_s", 7.5, timed_by="taps", outcome="stalled", supersedes_id=number)


def trial(result: str | None) -> dict[str, Any]:
    agreed = {"agreed_with": "M. Owner", "result": result}
    return {"kind": "kit_trial", "decision": {"kind": "kit_trial", "trial": agreed}}


def test_a_compressor_is_condemned_only_when_the_record_proves_it(client: TestClient) -> None:
    refused = client.post(
        "/api/calls/4/decisions", json={"kind": "condemned", "decision": {"kind": "condemned"}}
    )
    assert 409 == refused.status_code
    assert "Measure to ground" in refused.json()["detail"]
    early = trial(None)
    assert "comes last" in client.post("/api/calls/4/decisions", json=early).json()["detail"]
    prove_it_locked(client)
    why = client.get("/api/calls/4/why").json()
    assert [] == why["result"]["condemn"]["missing"]
    assert why["result"]["condemn"]["allowed"]
    unagreed = trial("started")
    assert "agreed in writing" in client.post("/api/calls/4/decisions", json=unagreed).json()["detail"]
    assert 201 == client.post("/api/calls/4/decisions", json=early).status_code
    failed = trial("did_not_start")
    assert 201 == client.post("/api/calls/4/decisions", json=failed).status_code
    done = client.post(
        "/api/calls/4/decisions", json={"kind": "condemned", "decision": {"kind": "condemned"}}
    )
    assert 201 == done.status_code, done.text
    assert done.json()["result"]["condemn"]["ask_why"]
    empty = client.post(
        "/api/calls/4/decisions", json={"kind": "why_it_died", "decision": {"kind": "why_it_died"}}
    )
    assert "decision.put_right" == empty.json()["errors"][0]["field"]
    told = {"kind": "why_it_died", "decision": {"kind": "why_it_died", "put_right": ["Low volts"]}}
    assert 201 == client.post("/api/calls/4/decisions", json=told).status_code
    with session():
        rows = list(proxy.obj.execute_sql("SELECT body FROM decision WHERE kind = 'condemned'"))
    assert '"proof"' in rows[0][0]
    assert '"evidence"' in rows[0][0]


def test_bad_words_are_refused_by_field_and_a_closed_call_takes_nothing(client: TestClient) -> None:
    refused = client.post("/api/calls/4/why", json={"symptoms": ["sings"]})
    assert (422, "symptoms[0]") == (refused.status_code, refused.json()["errors"][0]["field"])
    assert 409 == client.post("/api/calls/1/why", json={"symptoms": ["rattles"]}).status_code
    assert 404 == client.get("/api/calls/999/why").status_code


@pytest.mark.parametrize("later", [[], [{"quantity": "to_ground", "value": False}]])
def test_a_short_told_on_why_is_not_taken_back_without_saying_how(
    client: TestClient, later: list[dict[str, Any]]
) -> None:
    client.post("/api/calls/4/why", json={"seen": [{"quantity": "to_ground", "value": True}]})
    stop = client.get("/api/calls/4").json()["ladder"]["stops"][0]
    assert "GROUNDED" == stop["code"]
    dropped = client.post("/api/calls/4/why", json={"seen": later})
    assert 409 == dropped.status_code
    assert stop["lifted_by"] in dropped.json()["next_step"]
    assert client.get("/api/calls/4").json()["ladder"]["stops"]
    lift = {"stop": stop["key"], "how": "Probe had touched the cabinet, Marlo"}
    client.post("/api/calls/4/stops/lift", json=lift).raise_for_status()
    assert 201 == client.post("/api/calls/4/why", json={"seen": later}).status_code
    assert not client.get("/api/calls/4").json()["ladder"]["stops"]


def test_what_closed_calls_turned_out_to_be_counts_for_calls_opened_after_and_for_no_other(
    client: TestClient,
) -> None:
    def counted(call: int) -> dict[str, Any]:
        ranked = client.get(f"/api/calls/{call}/why").json()["result"]["ranked"]
        return {str(r["hypothesis"]): r for r in ranked}

    at_first = counted(4)["contactor_worn"]
    assert 0 == at_first["here_calls"]
    assert at_first["shipped_pct"] == at_first["here_pct"]
    entry = {"kind": "cause", "decision": {"kind": "cause", "hypothesis": "run_capacitor_weak"}}
    assert 201 == client.post("/api/calls/4/decisions", json=entry).status_code
    for hypothesis in ("worn_bearings", "contactor_worn"):  # what was confirmed last is what it was
        said = client.post("/api/calls/4/hand-over/confirm", json={"hypothesis": hypothesis})
        assert 201 == said.status_code
    opened = client.get("/api/calls/4").json()
    other = client.post("/api/calls", json={"unit_id": opened["unit_id"] % 3 + 1, "complaint": "before"})
    before = other.json()["id"]
    closing = {"version": opened["version"], "status": "closed", "reason": "Contactor changed"}
    assert 200 == client.patch("/api/calls/4", json=closing).status_code
    again = client.post("/api/calls", json={"unit_id": opened["unit_id"], "complaint": "hums"}).json()["id"]
    now = counted(again)["contactor_worn"]
    assert 1 == now["here_calls"]
    assert now["here_pct"] > now["shipped_pct"]
    assert 0 == counted(again)["run_capacitor_weak"]["here_calls"], "taken, and not what it was"
    assert 0 == counted(before)["contactor_worn"]["here_calls"], "opened before it was known"
    assert at_first["probability"] == counted(4)["contactor_worn"]["probability"], "as it was closed"


def test_the_new_causes_are_told_and_looked_at_on_why(client: TestClient) -> None:
    notes = {n["quantity"]: n for n in client.get("/api/reference").json()["seen_here"]}
    for quantity, value, cause in (
        ("control_switch_open", True, "control_switch_open"),
        ("line_at_unit_v", 2.0, "no_line_at_unit"),
        ("fan_rotation_ok", False, "fan_reversed"),
        ("breaker_lug_tight", False, "loose_lug_at_breaker"),
        ("can_label_uf", 30.0, "capacitor_wrong_value"),
    ):
        assert quantity in notes
        before = chance(client.get("/api/calls/4/why").json(), cause)
        record = client.get("/api/calls/4/why").json()["record"]
        seen = [*record["seen"], {"quantity": quantity, "value": value, "where": notes[quantity]["where"]}]
        told = client.post("/api/calls/4/why", json=record | {"seen": seen})
        assert 201 == told.status_code, told.text
        assert chance(told.json(), cause) > 3 * before


def test_a_signed_yes_to_the_trial_is_its_agreement_and_no_more(client: TestClient) -> None:
    signed = {
        "options": ["as_it_is"],
        "name": "Hattie Voss",
        "trial": True,
        "shown_total": 0.0,
        "heard_by": "by phone",
    }
    agreed = client.post("/api/calls/4/hand-over/agree", json=signed)
    assert 201 == agreed.status_code, agreed.text
    # Signed before everything is proved: the trial still comes last.
    early = client.post("/api/calls/4/decisions", json=trial("started")).json()
    assert "comes last" in early["detail"]
    prove_it_locked(client)
    why = client.get("/api/calls/4/why").json()
    assert "Hattie Voss" == why["trial"]["agreed_with"]
    assert not why["allowed"]["agree_trial"]["ok"]
    assert why["allowed"]["end_trial"]["ok"]
    assert 201 == client.post("/api/calls/4/decisions", json=trial("did_not_start")).status_code
    told = client.get("/api/calls/4/why").json()
    assert "did_not_start" == told["trial"]["result"]
    assert "not charged" in told["result"]["condemn"]["trial"]


def test_a_test_nobody_can_do_is_skipped_once_and_next_goes_on(client: TestClient) -> None:
    at = "/api/calls/4"
    client.post(f"{at}/why", json={"symptoms": ["slow_start"]}).raise_for_status()
    first = client.get(f"{at}/why").json()["result"]["next_tests"][0]["test"]
    key = {"Idempotency-Key": "0b9d1c86-55a0-4d0a-9d0e-6a1e4c7b8f21"}
    skips = [
        client.post(f"{at}/skipped-tests", json={"test": first, "skipped": True}, headers=key) for _ in "ab"
    ]
    assert [201, 201] == [s.status_code for s in skips], skips[0].text
    why = client.get(f"{at}/why").json()
    assert [first] == [t["test"] for t in why["result"]["skipped"]] == why["record"]["skipped"]
    assert first not in {t["test"] for t in why["result"]["next_tests"]}
    following = client.get(at).json()["next"]
    assert following["anchor"] != first
    # A symptom told after it keeps it; offered again it is back.
    client.post(f"{at}/why", json=why["record"] | {"symptoms": ["slow_start", "lights_dim"]})
    assert [first] == client.get(f"{at}/why").json()["record"]["skipped"]
    client.post(f"{at}/skipped-tests", json={"test": first, "skipped": False}).raise_for_status()
    assert [] == client.get(f"{at}/why").json()["result"]["skipped"]


def test_a_skip_is_refused_where_it_names_no_test_where_it_trips_and_when_closed(client: TestClient) -> None:
    at = "/api/calls/4"
    unknown = client.post(f"{at}/skipped-tests", json={"test": "moon"})
    assert (422, "test") == (unknown.status_code, unknown.json()["errors"][0]["field"])
    client.post(f"{at}/why", json={"symptoms": ["trips_at_once"]}).raise_for_status()
    refused = client.post(f"{at}/skipped-tests", json={"test": "to_ground"})
    assert 409 == refused.status_code, refused.text
    assert "Measure to ground" in refused.json()["next_step"]
    assert "to_ground" == client.get(f"{at}/why").json()["result"]["next_tests"][0]["test"]
    call = client.get(at).json()
    done = {"version": call["version"], "status": "closed", "reason": "Sent home"}
    client.patch(at, json=done).raise_for_status()
    assert 409 == client.post(f"{at}/skipped-tests", json={"test": "coil"}).status_code


def test_an_old_tab_takes_no_stop_back_by_leaving_a_fact_out(client: TestClient) -> None:
    """Second phone enters the legs one after the other; the old tab posts its whole record without one."""
    at = "/api/calls/4/why"
    leg_a = {"quantity": "leg_a_n_v", "value": 160.0, "state": "idle"}
    leg_b = {"quantity": "leg_b_n_v", "value": 80.0, "state": "idle"}
    client.post(at, json={"seen": [leg_a]}).raise_for_status()
    client.post(at, json={"seen": [leg_a, leg_b]}).raise_for_status()
    assert ["OPEN_NEUTRAL"] == [s["code"] for s in client.get("/api/calls/4").json()["ladder"]["stops"]]
    for left in ([leg_b], [leg_a], []):
        assert 409 == client.post(at, json={"seen": left}).status_code, left
    client.post(at, json={"symptoms": ["lights_dim"], "seen": [leg_a, leg_b]}).raise_for_status()
    assert ["OPEN_NEUTRAL"] == [s["code"] for s in client.get("/api/calls/4").json()["ladder"]["stops"]]


def test_two_phones_that_skip_at_once_both_count(client: TestClient) -> None:
    at = "/api/calls/4"
    client.post(f"{at}/why", json={"symptoms": ["slow_start"]}).raise_for_status()
    for test in ("look_delay", "kit", "look_delay"):
        client.post(f"{at}/skipped-tests", json={"test": test}).raise_for_status()
    assert ["kit", "look_delay"] == sorted(client.get(f"{at}/why").json()["record"]["skipped"])
    for bad in ({}, {"test": ""}, {"test": "kit", "skipped": "yes"}, {"test": 7}):
        assert 422 == client.post(f"{at}/skipped-tests", json=bad).status_code, bad
