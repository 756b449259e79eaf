"""The one order of work: what Next names, and that following it alone always closes the call."""

from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from orange_crank.core.call.changes import Change
from orange_crank.core.call.facts import CallFacts, TakenTest
from orange_crank.core.call.judge import JudgedCall, judge_call
from orange_crank.core.call.next_step import NextStep, _rung_of_test, next_step
from orange_crank.core.call.why import WhyOfCall
from orange_crank.core.call.why_record import (
    SEEN_HERE,
    Decided,
    Decision,
    SeenAt,
    WhyRecord,
    with_test_skipped,
)
from orange_crank.core.call.work import FittedPart, KeptPart
from orange_crank.core.diagnosis.model import Evidence, NextTest
from orange_crank.core.diagnosis.table import diagnosis_tests, priors
from orange_crank.core.errors import GateClosed, InputProblem
from orange_crank.core.handover.agreement import Agreement
from orange_crank.core.handover.record import Agreed, HandedOver, HandedOverAt
from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.safety.state import call_state
from tests.core.call.test_ladder import NOON, taken
from tests.core.call.test_ladder import PLATE as BARE
from tests.core.call.test_states_and_stops import PROVED, event

PLATE = BARE.model_copy(update={"run_cap_uf": 45.0, "fan_cap_uf": 5.0})
MOST_STEPS = 40


class Walker:
    """A technician who does what Next names and nothing else; how each thing turns out is drawn."""

    def __init__(self, facts: CallFacts, draw: Any) -> None:
        self.facts = facts
        self.draw = draw
        self.minute = 1
        self.steps: list[NextStep] = []

    @property
    def call(self) -> JudgedCall:
        return judge_call(self.facts)

    def more(self, **new: Any) -> None:
        self.minute += 1
        self.facts = replace(self.facts, **new)

    def event(self, kind: Any, record: Any = None) -> None:
        events = [*self.facts.events, event(kind, 0, self.minute, record)]
        self.more(events=events, state=call_state(events, NOON))
        if record is not None:
            self.facts = replace(self.facts, make_safe=record)

    def read(self, quantity: str, value: Any, **beside: Any) -> None:
        entry = {"quantity": quantity, "value": value, **beside}
        if QUANTITIES[quantity].work == "dead":  # type: ignore[index]
            entry["without_make_safe"] = "bench"
        self.more(readings=[*self.facts.readings, taken(self.minute, self.minute, entry)])

    def change(self, part: Any, what: str = "New part") -> None:
        made = Change(
            id=self.minute, what=what, part=part, made_at=NOON, person="Marlo", place=float(self.minute)
        )
        self.more(changes=[*self.facts.changes, made])

    def decide(self, kind: Any, **more: Any) -> None:
        made = Decided(
            kind=kind,
            decision=Decision(kind=kind, **more),
            decided_at=NOON + timedelta(minutes=self.minute),
            person="Marlo",
            place=float(self.minute),
        )
        self.more(decisions=[*self.facts.decisions, made])

    def see(self, quantity: str, value: Any) -> None:
        for state in ("idle", "starting") if quantity in ("leg_a_n_v", "leg_b_n_v") else (None,):
            evidence = Evidence.model_validate({"quantity": quantity, "value": value, "state": state})
            seen = SeenAt(what=evidence, place=float(self.minute), at=NOON, person="Marlo")
            self.more(seen=[*self.facts.seen, seen])

    def measure(self, asks: list[str]) -> None:
        """Enter what a test asks for; how it reads is drawn."""
        for quantity in asks:
            value = self.draw(st.sampled_from(READS.get(quantity, (True, False))))
            if quantity in QUANTITIES:
                self.read(quantity, value, **BESIDE.get(quantity, {}))
            else:
                self.see(quantity, value)

    def do(self, step: NextStep) -> None:
        """Do the one thing a step names."""
        handle = getattr(self, step.code.lower())
        handle(step)

    def make_safe(self, step: NextStep) -> None:
        del step
        self.event("made_safe", PROVED)

    def go_live(self, step: NextStep) -> None:
        del step
        self.event("went_live")

    def clear_stop(self, step: NextStep) -> None:
        if step.rung == "make_safe":
            self.make_safe(step)
        elif self.draw(st.booleans()) and not self.facts.cause:
            self.read("to_ground", self.draw(st.booleans()))
        else:
            self.cause(step)

    def nameplate(self, step: NextStep) -> None:
        del step
        self.more(plate=PLATE)

    def symptoms(self, step: NextStep) -> None:
        del step
        self.more(told=WhyRecord(symptoms=["hums_no_start"]))

    def test(self, step: NextStep) -> None:
        found = WhyOfCall(self.call).result.next_tests
        asked = next((t for t in found if t.test == step.anchor), None)
        if asked is not None and self.draw(st.sampled_from([False, False, False, asked.may_skip])):
            self.more(told=with_test_skipped(self.facts.told, asked.test, True, found))
            return
        if asked is not None:
            self.measure(list(asked.asks) or ["minutes_rest"])
            return
        wanted = {"to ground": "to_ground", "capacitor": "run_cap_uf", "running amps on C": "running_a"}
        for words, quantity in wanted.items():
            if words in step.text:
                self.measure([quantity])
        if "windings" in step.text:
            self.measure(["winding_cs_ohm", "winding_cr_ohm", "winding_sr_ohm"])
        if "inrush" in step.text:
            self.measure(["inrush_a"])

    def cause(self, step: NextStep) -> None:
        del step
        result = WhyOfCall(self.call).result
        self.decide("cause", hypothesis=result.ranked[0].hypothesis)

    def price(self, step: NextStep) -> None:
        del step
        self.decide("go_ahead", go=self.draw(st.sampled_from(["covered", "not_today"])))

    def fit(self, step: NextStep) -> None:
        del step
        cause = self.facts.settled_cause
        assert cause is not None
        self.change(priors()[cause].mended_by[0])

    def measure_new(self, step: NextStep) -> None:
        assert step.anchor is not None
        self.measure([step.anchor])

    def live_tests(self, step: NextStep) -> None:
        del step
        self.measure(["inrush_a", "running_a"])

    def prove(self, step: NextStep) -> None:
        del step
        self.more(
            kept=[
                *self.facts.kept,
                *(KeptPart(work=f.work, decision="keep", place=99.0) for f in self.facts.fitted),
            ]
        )

    def explain(self, step: NextStep) -> None:
        kinds = {"OVERLOAD_UNEXPLAINED": "overload_cause", "WHY_IT_DIED": "why_it_died"}
        assert step.anchor is not None
        self.decide(kinds[step.anchor], note="Head pressure", put_right=["Dirty coil"])

    def hand_over(self, step: NextStep) -> None:
        del step
        self.more(handed_over=HandedOverAt(handed=HandedOver(to="Owner"), at=NOON, person="Marlo"))

    def walk(self) -> list[str]:
        """Follow Next until it says to close; return the codes on the way."""
        for _ in range(MOST_STEPS):
            step = next_step(self.call)
            assert step is not None
            self.steps.append(step)
            if step.code == "CLOSE":
                return [s.code for s in self.steps]
            self.do(step)
        raise AssertionError([(s.code, s.text) for s in self.steps])


BESIDE: dict[str, dict[str, Any]] = {
    "inrush_a": {"mode": "inrush", "conductor": "common", "volts": 232.0, "outcome": "started"},
    "running_a": {"conductor": "common", "volts": 238.0},
}
READS: dict[str, tuple[Any, ...]] = {
    "to_ground": (False, False, False, True),
    "run_cap_uf": (45.0, 28.0, 21.0, 0.0),
    "fan_cap_uf": (5.0, 2.0),
    "start_cap_uf": (88.0, 20.0),
    "winding_cs_ohm": (2.6, "open"),
    "winding_cr_ohm": (0.9, "open"),
    "winding_sr_ohm": (3.5,),
    "inrush_a": (70.0, 104.0),
    "running_a": (12.0, 22.0),
    "fan_a": (1.1, 2.4),
    "line_v_idle": (240.0, 205.0),
    "line_v_run": (238.0, 200.0),
    "line_v_start": (232.0, 190.0),
    "terminal_v_start": (228.0, 180.0),
    "line_at_unit_v": (240.0, 0.0),
    "contactor_drop_v": (0.05, 0.9),
    "contactor_look": ("clean", "pitted", "burnt"),
    "can_look": ("clean", "bulged"),
    "coil_v": (25.0, 18.0),
    "minutes_rest": (10.0, 1.0),
    "start_time_s": (0.3, 1.8),
    "start_kit_kind": ("ptc",),
    "start_kit_contact_ohm": (0.2, "open"),
    "start_kit_verdict": ("good", "bad"),
    "start_relay_verdict": ("good", "bad"),
    "shorted_piece": ("compressor", "fan", "wiring"),
    "idle_days": (1.0, 60.0),
    "status_code": ("none",),
    "suction_psig": (120.0,),
    "discharge_psig": (130.0, 320.0),
    "superheat_f": (10.0,),
    "subcooling_f": (10.0,),
    "charge": ("right", "low"),
    "run_a": (11.0,),
    "start_a": (4.0, 0.0),
    "breaker_a": (40.0, 20.0),
    "line_set_ft": (25.0, 120.0),
    "leg_a_n_v": (120.0,),
    "leg_b_n_v": (120.0,),
    "phase_imbalance_pct": (1.0, 9.0),
    "can_label_uf": (45.0,),
    "windings_at_pins": ("sound", "open"),
    "outdoor_f": (90.0,),
    "start_winding_v": (260.0,),
    "discharge_temp_f": (180.0,),
}
COMPLAINTS = (
    "Hums, does not start",
    "Lights dim, slow start",
    "Trips at once",
    "Only the fan runs",
    "Contactor buzzes",
    "Yearly service",
    "Noise",
    "",
)


@given(data=st.data())
@settings(
    max_examples=60,
    deadline=None,
    suppress_health_check=list(HealthCheck),
    phases=(Phase.explicit, Phase.reuse, Phase.generate),  # the walk itself is the shortest report
)
def test_next_alone_always_closes_the_call(data: st.DataObject) -> None:
    complaint = data.draw(st.sampled_from(COMPLAINTS))
    known = data.draw(st.booleans())
    walker = Walker(
        CallFacts(plate=PLATE if known else None, state=call_state([], NOON), complaint=complaint), data.draw
    )
    codes = walker.walk()
    assert codes[0] == "MAKE_SAFE"
    # Priced before the work, handed over before it is closed, and nothing live under a stop.
    assert codes.count("PRICE") <= 1
    assert "HAND_OVER" in codes


def steps(facts: CallFacts, **more: Any) -> str:
    step = next_step(judge_call(replace(facts, **more)))
    assert step is not None
    return step.code


@pytest.fixture
def begun() -> CallFacts:
    events = [event("made_safe", 0, 1, PROVED)]
    return CallFacts(
        plate=PLATE,
        events=events,
        make_safe=PROVED,
        state=call_state(events, NOON),
        complaint="Hums, does not start",
    )


def weak(begun: CallFacts) -> CallFacts:
    entry = {"quantity": "run_cap_uf", "value": 21.0, "without_make_safe": "bench"}
    ground = {"quantity": "to_ground", "value": False, "without_make_safe": "bench"}
    return replace(
        begun,
        told=WhyRecord(symptoms=["hums_no_start"]),
        readings=[taken(1, 2, ground), taken(2, 3, entry)],
    )


def cause(hypothesis: Any, minute: int) -> Decided:
    return Decided(
        kind="cause",
        decision=Decision(kind="cause", hypothesis=hypothesis),
        decided_at=NOON + timedelta(minutes=minute),
        person="Marlo",
        place=float(minute),
    )


def test_price_comes_between_the_cause_and_the_part(begun: CallFacts) -> None:
    found = weak(begun)
    assert steps(found) == "CAUSE"
    decided = replace(found, decisions=[cause("run_capacitor_weak", 4)])
    assert steps(decided) == "PRICE"
    go = Decided(
        kind="go_ahead",
        decision=Decision(kind="go_ahead", go="covered"),
        decided_at=NOON,
        person="Marlo",
        place=5.0,
    )
    assert steps(decided, decisions=[*decided.decisions, go]) == "FIT"
    later = go.model_copy(update={"decision": Decision(kind="go_ahead", go="not_today")})
    assert steps(decided, decisions=[*decided.decisions, later]) == "HAND_OVER"


def test_after_a_new_part_it_is_measured_then_live_then_handed_over_never_aid_or_circuit(
    begun: CallFacts,
) -> None:
    go = Decided(
        kind="go_ahead",
        decision=Decision(kind="go_ahead", go="covered"),
        decided_at=NOON,
        person="M",
        place=5.0,
    )
    change = Change(id=6, what="Dual can", part="dual_capacitor", made_at=NOON, person="Marlo", place=6.0)
    done = replace(
        weak(begun),
        decisions=[cause("run_capacitor_weak", 4), go],
        changes=[change],
        fitted=[FittedPart(work="capacitor", title="Dual can", place=6.0)],
    )
    assert steps(done) == "MEASURE_NEW"
    new = {"quantity": "run_cap_uf", "value": 45.2, "without_make_safe": "bench"}
    measured = replace(done, readings=[*done.readings, taken(7, 7, new)])
    assert steps(measured) == "GO_LIVE"
    events = [*measured.events, event("went_live", 8, 8)]
    live = replace(measured, events=events, state=call_state(events, NOON))
    assert steps(live) == "LIVE_TESTS"
    running = {"quantity": "running_a", "value": 12.0, "conductor": "common", "volts": 238.0}
    ran = replace(live, readings=[*live.readings, taken(9, 9, running)])
    assert steps(ran) == "PROVE"
    kept = replace(ran, kept=[KeptPart(work="capacitor", decision="keep", place=10.0)])
    assert steps(kept) == "HAND_OVER"
    handed = HandedOverAt(handed=HandedOver(to="Owner"), at=NOON, person="Marlo")
    assert steps(kept, handed_over=handed) == "CLOSE"


@pytest.mark.parametrize(
    ("hypothesis", "rung"),
    [
        ("run_capacitor_weak", "parts"),
        ("contactor_worn", "parts"),
        ("start_kit_failed", "aid"),
        ("segment_loss", "prove"),
        ("high_head", "prove"),
    ],
)
def test_the_work_is_done_where_it_is_recorded(begun: CallFacts, hypothesis: Any, rung: str) -> None:
    go = cause(hypothesis, 5).model_copy(
        update={"kind": "go_ahead", "decision": Decision(kind="go_ahead", go="covered")}
    )
    step = next_step(judge_call(replace(weak(begun), decisions=[cause(hypothesis, 4), go])))
    assert step is not None
    assert (step.code, step.rung) == ("FIT", rung)


def test_under_a_stop_it_names_what_clears_it_and_then_lets_the_call_end(begun: CallFacts) -> None:
    shorted = {"quantity": "to_ground", "value": True, "without_make_safe": "bench"}
    stopped = replace(begun, readings=[taken(1, 2, shorted)], told=WhyRecord(symptoms=["trips_at_once"]))
    step = next_step(judge_call(stopped))
    assert step is not None
    assert (step.code, step.rung) == ("CLEAR_STOP", "dead_tests")
    assert "one part at a time" in step.text
    decided = replace(stopped, decisions=[cause("winding_grounded", 3)])
    assert steps(decided) == "PRICE"


def test_a_buzzing_contactor_is_looked_at_before_anything_is_live(begun: CallFacts) -> None:
    told = replace(begun, complaint="Contactor buzzes", told=WhyRecord(symptoms=["contactor_hums"]))
    step = next_step(judge_call(told))
    assert step is not None
    assert (step.code, step.anchor, step.danger) == ("TEST", "contactor", "dead")
    seen = {"quantity": "contactor_look", "value": "burnt", "without_make_safe": "bench"}
    good = {"quantity": "run_cap_uf", "value": 45.0, "without_make_safe": "bench"}
    then = next_step(judge_call(replace(told, readings=[taken(1, 2, seen), taken(2, 3, good)])))
    assert then is not None
    # Control power comes back with the line dead: no "power back on" before it.
    assert (then.anchor, then.rung, then.code) == ("coil", "live_tests", "TEST")


def test_a_clock_set_back_does_not_hold_next_at_a_stop(begun: CallFacts) -> None:
    shorted = {"quantity": "to_ground", "value": True, "without_make_safe": "bench"}
    late = cause("winding_grounded", 3).model_copy(update={"decided_at": NOON - timedelta(days=1)})
    assert steps(begun, readings=[taken(1, 2, shorted)], decisions=[late]) == "PRICE"


def test_the_last_answer_to_the_price_counts_by_the_order_of_recording(begun: CallFacts) -> None:
    def answer(go: Any, minute: int) -> Decided:
        return cause("run_capacitor_weak", minute).model_copy(
            update={"kind": "go_ahead", "decision": Decision(kind="go_ahead", go=go), "decided_at": NOON}
        )

    def signed(key: str, minute: int) -> Agreed:
        yes = Agreement(name="Hattie Voss", keys=[key], what=[key], total=1.0, currency="USD", trial=False)
        return Agreed(agreement=yes, at=NOON - timedelta(days=minute), person="Marlo", place=float(minute))

    taken_cause = cause("run_capacitor_weak", 4)
    found = weak(begun)
    later = replace(
        found, decisions=[taken_cause, answer("not_today", 5)], agreed=[signed("run_capacitor", 6)]
    )
    assert steps(later) == "FIT"
    refused = replace(
        found, decisions=[taken_cause, answer("not_today", 7)], agreed=[signed("run_capacitor", 6)]
    )
    assert steps(refused) == "HAND_OVER"
    covered = replace(found, decisions=[taken_cause, answer("not_today", 5), answer("covered", 6)])
    assert steps(covered) == "FIT"


def test_a_closed_call_has_no_next_step(begun: CallFacts) -> None:
    assert next_step(judge_call(replace(begun, status="closed"))) is None


def test_a_walk_that_fails_is_evidence_and_stays_open(begun: CallFacts) -> None:
    del begun
    walk = TakenTest.model_validate(
        {
            "id": 1,
            "topic": "supply-walk",
            "entry": {
                "running_a": 11.0,
                "stops": [
                    {"point": "panel_bus", "running_v": 238.0},
                    {"point": "disconnect_line", "running_v": 237.2},
                    {"point": "disconnect_load", "running_v": 224.5},
                    {"point": "terminals", "running_v": 224.0},
                ],
            },
            "taken_at": NOON,
            "person": "Marlo",
            "place": 3.0,
        }
    )
    events = [event("caution_read", 0, 1), event("went_live", 1, 2)]
    call = judge_call(
        CallFacts(
            plate=PLATE,
            events=events,
            state=call_state(events, NOON),
            tests=[walk],
            told=WhyRecord(symptoms=["lights_dim", "slow_start"]),
        )
    )
    assert [f.title for f in call.fails] == ["Supply walk"]
    assert any(p.code == "FAIL" and "Supply walk" in p.text for p in call.left_open)
    ranked = WhyOfCall(call).result.ranked
    assert ranked[0].hypothesis == "segment_loss"


def test_a_skipped_test_leaves_next_and_is_offered_again() -> None:
    facts = replace(
        CallFacts(plate=PLATE, state=call_state([], NOON)), told=WhyRecord(symptoms=["slow_start"])
    )
    first = WhyOfCall(judge_call(facts)).result.next_tests
    for test in first:
        told = with_test_skipped(facts.told, test.test, True, first)
        result = WhyOfCall(judge_call(replace(facts, told=told))).result
        assert test.test not in {t.test for t in result.next_tests}
        assert [s.test for s in result.skipped] == [test.test]
        assert not result.condemn.allowed
        assert with_test_skipped(told, test.test, False, first) == facts.told


def test_skipping_every_test_still_ends_in_a_cause_to_take() -> None:
    everything = [t.test for t in diagnosis_tests()]
    facts = replace(
        CallFacts(plate=PLATE, state=call_state([event("made_safe", 0, 1, PROVED)], NOON)),
        events=[event("made_safe", 0, 1, PROVED)],
        told=WhyRecord(symptoms=["slow_start"], skipped=everything),
    )
    call = judge_call(facts)
    assert WhyOfCall(call).result.next_tests == []
    step = next_step(call)
    assert step is not None
    assert (step.code, step.skip) == ("CAUSE", None)


def test_the_ground_test_after_a_trip_is_not_skipped() -> None:
    facts = replace(
        CallFacts(plate=PLATE, state=call_state([], NOON)), told=WhyRecord(symptoms=["trips_at_once"])
    )
    upcoming = WhyOfCall(judge_call(facts)).result.next_tests
    assert (upcoming[0].test, upcoming[0].may_skip) == ("to_ground", False)
    with pytest.raises(GateClosed, match="cannot be skipped"):
        with_test_skipped(facts.told, "to_ground", True, upcoming)
    # Written past the refusal it changes nothing: still first, and nothing live before it.
    told = facts.told.model_copy(update={"skipped": ["to_ground"]})
    after = WhyOfCall(judge_call(replace(facts, told=told))).result.next_tests
    assert after[0].test == "to_ground"
    assert all(t.danger != "live" for t in after)
    with pytest.raises(InputProblem) as refused:
        with_test_skipped(facts.told, "look_at_the_moon", True, upcoming)
    assert refused.value.errors[0].field == "test"


def test_next_leads_each_test_to_a_rung_that_can_take_it() -> None:
    """On Why only what Why has a field for; on the test rungs a reading, or a call test that gives it."""
    of_topics = {"shorted_piece", "start_relay_verdict", "start_kit_present", "start_kit_contact_ohm",
                 "leg_a_n_v", "leg_b_n_v", "phase_imbalance_pct", "line_v_start", "terminal_v_start",
                 "suction_psig", "discharge_psig"}  # fmt: skip
    here = {note.quantity for note in SEEN_HERE}
    for note in diagnosis_tests():
        made = NextTest(
            test=note.test, title=note.title, why="", minutes=1, danger=note.danger, gain=1.0,
            rung=note.rung, asks=note.asks,
        )  # fmt: skip
        rung = _rung_of_test(made)
        takes = here if rung == "why" else set(QUANTITIES) | of_topics
        assert set(note.asks) <= takes, (note.test, rung, set(note.asks) - takes)


@pytest.mark.parametrize(
    ("events", "code"),
    [(["made_safe"], "FIT"), (["made_safe", "control_live"], "MAKE_SAFE"), (["went_live"], "MAKE_SAFE")],
)
def test_hands_go_in_only_where_it_is_proved_dead_and_control_is_off(events: list[str], code: str) -> None:
    made = [event(k, 0, n + 1, PROVED if k == "made_safe" else None) for n, k in enumerate(events)]
    cause = Decided(
        kind="cause", decision=Decision(kind="cause", hypothesis="contactor_worn"), decided_at=NOON,
        person="Marlo", place=5.0,
    )  # fmt: skip
    yes = Decided(
        kind="go_ahead", decision=Decision(kind="go_ahead", go="covered"), decided_at=NOON, person="Marlo",
        place=6.0,
    )  # fmt: skip
    facts = CallFacts(
        plate=PLATE, state=call_state(made, NOON), events=made, decisions=[cause, yes],
        make_safe=PROVED, told=WhyRecord(symptoms=["contactor_hums"]),
    )  # fmt: skip
    call = judge_call(facts)
    step = next_step(call)
    assert step is not None
    assert code == step.code, step
    if code == "FIT":
        assert call.gates["tick_move"].ok
    else:
        assert not call.gates["tick_move"].ok
