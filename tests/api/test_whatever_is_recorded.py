"""A call under whatever anybody records on it: its state, its stops, its gates and every view of it."""

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    invariant,
    precondition,
    rule,
    run_state_machine_as_test,
)

from orange_crank.core.call.call_tests import CALL_TESTS
from orange_crank.core.call.changes import PART_WORDS
from orange_crank.core.call.why_record import WhyRecord
from orange_crank.core.diagnosis.model import HYPOTHESES
from orange_crank.core.measure.reading import QUANTITIES, NewReading
from orange_crank.core.plate import Plate
from orange_crank.topics import find_topic
from tests.conftest import as_loaded
from tests.doing import CAUTION, GO_LIVE, make_safe_body
from tests.making import from_schema
from tests.sentences import code_names, read_by_people

CALL, UNIT = 4, 3
VIEWS = (
    "/api/calls/{call}",
    "/api/calls/{call}/why",
    "/api/calls/{call}/work",
    "/api/calls/{call}/circuit",
    "/api/calls/{call}/readings.csv",
    "/api/calls/{call}/hand-over",
    "/api/units/{unit}",
    "/api/calls",
    "/api/units",
)
SLOW = ("/api/calls/{call}/start",)
AT_THE_END = (
    "/api/calls/{call}/hand-over/options",
    "/api/calls/{call}/papers/technical.html",
    "/api/calls/{call}/papers/customer.html",
)
READINGS = from_schema(NewReading.model_json_schema())
PLATES = from_schema(Plate.model_json_schema())
TOLD = from_schema(WhyRecord.model_json_schema())
TESTS = {t.topic: from_schema(find_topic(t.topic).takes.model_json_schema()) for t in CALL_TESTS}
SECTIONS = st.sampled_from([("c_herm", "c_fan"), ("single",)])


class Call(RuleBasedStateMachine):
    """One call, and what its state must be by the order of recording alone."""

    def __init__(self, client: TestClient) -> None:
        super().__init__()
        as_loaded()
        self.client = client
        self.seen = self.read()
        self.state = "as_found"
        self.version = int(self.seen["state"]["version"])
        self.caution = bool(self.seen["state"]["caution_read"])
        self.old: Mapping[str, Any] = make_safe_body(self.seen)

    def read(self) -> dict[str, Any]:
        found = self.client.get(f"/api/calls/{CALL}")
        assert 200 == found.status_code, found.text
        body: dict[str, Any] = found.json()
        return body

    def send(self, path: str, body: Any) -> bool:
        """Send something; it is taken or refused with what to do, and never breaks anything."""
        answer = self.client.post(f"/api/calls/{CALL}{path}", json=body)
        assert answer.status_code in (201, 409, 422), (path, body, answer.text)
        if answer.status_code != 201:
            problem = answer.json()
            assert problem["errors"] or problem["next_step"], problem
            for field, sentence in read_by_people(problem):
                assert not code_names(sentence), (field, sentence)
        self.seen = self.read()
        return answer.status_code == 201

    @rule()
    def read_the_caution(self) -> None:
        if self.send("/safety-events", CAUTION):
            self.caution = True

    @rule(left_out=st.sampled_from([None, "covers_on", "people_clear", "meter_set", "leads_back"]))
    def go_live(self, left_out: str | None) -> None:
        stopped = bool(self.seen["ladder"]["stops"])
        ticks = {k: v for k, v in GO_LIVE.items() if k != left_out}
        taken = self.send("/safety-events", ticks)
        assert taken == (left_out is None and self.caution and not stopped)
        if taken:
            self.state, self.version = "live", self.version + 1

    @rule()
    def let_it_lapse(self) -> None:
        if self.send("/safety-events", {"kind": "lapsed", "detail": "break"}):
            self.state, self.version = "lapsed", self.version + 1

    @rule()
    def give_control_back(self) -> None:
        taken = self.send("/safety-events", {"kind": "control_live"})
        assert not taken or self.state == "dead_proved"
        if taken:
            self.state, self.version = "control_live", self.version + 1

    @rule()
    def prove_it_dead(self) -> None:
        body = make_safe_body(self.seen)
        if self.send("/make-safe", body):
            self.state, self.version, self.old = "dead_proved", self.version + 1, body

    @rule(volts=st.sampled_from([5.0, 48.0, 120.0]))
    def find_it_hot(self, volts: float) -> None:
        body = make_safe_body(self.seen)
        body["record"]["dead_points"][0]["reading_v"] = volts
        if self.send("/make-safe", body):
            self.version += 1
            self.state = "lapsed" if self.state in ("dead_proved", "control_live") else self.state
            assert self.seen["ladder"]["stops"] or volts < 30

    @precondition(lambda self: self.version != self.old["state_version"])
    @rule()
    def send_an_old_record_again(self) -> None:
        assert not self.send("/make-safe", self.old), "a record of another state proves nothing of this one"

    @rule(minutes=st.sampled_from([30, 600]))
    def date_a_record_ahead(self, minutes: int) -> None:
        ahead = (datetime.now(UTC) + timedelta(minutes=minutes)).isoformat()
        assert not self.send("/make-safe", make_safe_body(self.seen) | {"volts_taken_at": ahead})

    @rule(entry=READINGS)
    def read_anything(self, entry: dict[str, Any]) -> None:
        entry.pop("supersedes_id", None)
        entry.pop("taken_at", None)
        stops = self.seen["ladder"]["stops"]
        taken = self.send("/readings", entry)
        work = QUANTITIES[entry["quantity"]].work
        if taken and work == "live":
            assert self.caution
            assert self.state in ("as_found", "live")
            assert not stops
        if taken and work == "dead" and not entry.get("without_make_safe"):
            assert self.state == "dead_proved"

    @rule(topic=st.sampled_from(sorted(TESTS)), data=st.data())
    def test_anything(self, topic: str, data: st.DataObject) -> None:
        entry = data.draw(TESTS[topic])
        self.send("/tests", {"topic": topic, "entry": entry, "without_make_safe": "bench"})

    @rule(told=TOLD)
    def tell_anything(self, told: dict[str, Any]) -> None:
        self.send("/why", told)

    @rule(part=st.sampled_from([*PART_WORDS, None]))
    def change_something(self, part: str | None) -> None:
        self.send("/changes", {"what": "Something new", "part": part})

    @rule(cause=st.sampled_from(HYPOTHESES))
    def say_what_it_was(self, cause: str) -> None:
        self.send("/hand-over/confirm", {"hypothesis": cause})

    @rule(minutes=st.floats(0, 600), running=st.sampled_from([True, False, None]))
    def bill_and_hand_over(self, minutes: float, running: bool | None) -> None:
        self.send("/hand-over/bill", {"minutes": minutes})
        self.send("/hand-over", {"to": "Hattie Voss", "running": running})

    @rule(plate=PLATES)
    def read_another_plate(self, plate: dict[str, Any]) -> None:
        number = (self.seen["plate"] or {"number": 0})["number"]
        self.send("/plates", {"plate": plate, "base_number": number})
        now = self.seen["state"]["state"]
        if self.state in ("dead_proved", "control_live") and now != self.state:
            # A nameplate that shows more than was measured takes the proof away, and gives none.
            assert self.seen["ladder"]["make_safe"]["status"] != "proved"
            assert now in ("as_found", "live", "lapsed")
            self.state = now

    @precondition(lambda self: self.seen["ladder"]["stops"])
    @rule()
    def lift_a_stop(self) -> None:
        stop = self.seen["ladder"]["stops"][0]
        lifted = self.send("/stops/lift", {"stop": stop["key"], "how": "Put right by the utility"})
        assert lifted == stop["may_lift"]

    @invariant()
    def its_state_follows_the_order_of_recording(self) -> None:
        assert (self.state, self.version) == (self.seen["state"]["state"], self.seen["state"]["version"])

    @invariant()
    def a_stop_is_a_stop_everywhere(self) -> None:
        stops, allowed = self.seen["ladder"]["stops"], self.seen["allowed"]
        why = self.client.get(f"/api/calls/{CALL}/why").json()
        assert (stops[0]["key"] if stops else None) == (why["result"]["stop"] or {"key": None})["key"]
        if not stops:
            return
        for gate in ("go_live", "take_live", "take_control", "control_live"):
            assert not allowed[gate]["ok"], gate
            assert allowed[gate]["next_step"]
        assert not [r["key"] for r in self.seen["ladder"]["rungs"] if r["next_is_live"]]
        assert not [t["test"] for t in why["result"]["next_tests"] if t["danger"] == "live"]
        assert not [
            g for g, gate in why["allowed"].items() if g in ("agree_trial", "end_trial") and gate["ok"]
        ]
        assert not [
            m for m in why["result"]["condemn"]["missing"] if m["live"] and "After the stop" not in m["text"]
        ]
        assert all(s["next_step"] and s["source"] and s["lifted_by"] for s in stops)

    @invariant()
    def every_view_answers_in_words(self) -> None:
        self.look(VIEWS)

    def teardown(self) -> None:
        """Computing the start takes longest: it is looked at once, at the end."""
        self.look(SLOW + AT_THE_END)

    def look(self, views: tuple[str, ...]) -> None:
        for view in views:
            found = self.client.get(view.format(call=CALL, unit=UNIT))
            assert 200 == found.status_code, (view, found.text)
            if "json" in found.headers["content-type"]:
                for field, sentence in read_by_people(found.json()):
                    assert not code_names(sentence), (view, field, sentence)


def test_a_call_under_whatever_is_recorded_on_it(client: TestClient) -> None:
    run_state_machine_as_test(
        lambda: Call(client),  # type: ignore[arg-type]
        settings=settings(
            max_examples=12,
            stateful_step_count=14,
            deadline=None,
            # Found is enough: making it smaller would take minutes of real requests.
            phases=(Phase.explicit, Phase.reuse, Phase.generate),
            suppress_health_check=list(HealthCheck),
        ),
    )


@pytest.mark.parametrize("value", [0, 0.01, 1e6])
@pytest.mark.parametrize("quantity", sorted(QUANTITIES))
def test_the_ends_of_every_reading_leave_every_view_standing(
    client: TestClient, quantity: str, value: float
) -> None:
    """Zero volts and zero ohms are readings; so is the largest a meter shows."""
    note = QUANTITIES[quantity]  # type: ignore[index]
    words = {"flag": True, "word": note.words[:1] and note.words[0]}
    client.post("/api/calls/4/safety-events", json=CAUTION)
    entry = {
        "quantity": quantity,
        "value": words.get(note.kind, min(max(value, note.low), note.high)),
        "without_make_safe": "bench",
        **({"mode": "inrush", "conductor": "common", "volts": 214} if quantity == "inrush_a" else {}),
    }
    if note.work == "control":
        client.post("/api/calls/4/make-safe", json=make_safe_body(client.get("/api/calls/4").json()))
        client.post("/api/calls/4/safety-events", json={"kind": "control_live"})
    saved = client.post("/api/calls/4/readings", json=entry)
    assert 201 == saved.status_code, saved.text
    for view in VIEWS + SLOW:
        answer = client.get(view.format(call=4, unit=UNIT))
        assert 200 == answer.status_code, (view, answer.text)


@pytest.mark.parametrize("quantity", ["winding_cr_ohm", "winding_cs_ohm", "run_cap_uf", "line_v_idle"])
def test_the_options_stand_at_the_ends_of_what_a_start_is_computed_from(
    client: TestClient, quantity: Any
) -> None:
    for value in (QUANTITIES[quantity].low, QUANTITIES[quantity].high):
        entry = {"quantity": quantity, "value": float(value), "without_make_safe": "on the bench"}
        client.post(f"/api/calls/{CALL}/readings", json=entry)
        answer = client.get(f"/api/calls/{CALL}/hand-over/options")
        assert 200 == answer.status_code, answer.text
        assert any(o["key"] == "as_it_is" for o in answer.json()["options"])
