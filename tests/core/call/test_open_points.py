"""What a call leaves open, what a change makes old, and what each test of a call says as evidence."""

from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from orange_crank.core.call.call_tests import CALL_TESTS
from orange_crank.core.call.changes import OWN_READINGS, PART_WORDS, Change
from orange_crank.core.call.evidence_of_record import NO_EVIDENCE, OF_TEST, evidence_of_test
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.judge import JudgedCall, judge_call
from orange_crank.core.call.ladder import ladder_of
from orange_crank.core.call.open_points import overload_of, to_measure_again
from orange_crank.core.call.start import start_or_why_not
from orange_crank.core.call.why import WHY_GATES, WhyOfCall
from orange_crank.core.call.why_record import Decided, Decision, SeenAt, Trial
from orange_crank.core.call.work import FittedPart, KeptPart, WorkPlan
from orange_crank.core.diagnosis.model import Evidence
from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.safety.state import SafetyEvent, call_state
from orange_crank.topics import find_topic
from tests.core.call.test_ladder import NOON, PLATE, start, taken
from tests.core.call.test_states_and_stops import PROVED, event, ground, lift, test
from tests.making import from_schema


def call(events: list[SafetyEvent] | None = None, **known: Any) -> JudgedCall:
    events = events or []
    records = [e.record for e in events if e.record is not None]
    facts: Any = {"plate": PLATE} | known
    return judge_call(
        CallFacts(
            state=call_state(events, NOON),
            events=events,
            make_safe=records[-1] if records else None,
            **facts,
        )
    )


def left(judged: JudgedCall) -> set[str]:
    return {p.code for p in judged.left_open}


def changed(minute: int, part: Any, what: str = "New part") -> Change:
    return Change(id=minute, what=what, part=part, made_at=NOON, person="Marlo", place=float(minute))


def decided(kind: Any, minute: int, **more: Any) -> Decided:
    return Decided(
        kind=kind,
        decision=Decision(kind=kind, **more),
        decided_at=NOON,
        person="Marlo",
        place=float(minute),
    )


def winding(number: int, minute: int, pair: str, value: Any) -> Any:
    return taken(
        number, minute, {"quantity": f"winding_{pair}_ohm", "value": value, "without_make_safe": "bench"}
    )


# What closing leaves open ------------------------------------------------------------------------


def test_a_call_nothing_was_done_on_leaves_nothing_open() -> None:
    assert set() == left(call())
    assert set() == left(call([event("caution_read", 0, 1), event("went_live", 1, 2)]))


def test_locks_power_and_thermostat_stay_open_until_the_power_is_back() -> None:
    dead = [event("made_safe", 0, 1, PROVED)]
    assert {"LEFT_DEAD", "LOCK_ON", "THERMOSTAT_OFF"} == left(call(dead))
    assert set() == left(call([*dead, event("went_live", 1, 2)]))
    again = [*dead, event("went_live", 1, 2), event("made_safe", 2, 3, PROVED)]
    assert {"LEFT_DEAD", "LOCK_ON", "THERMOSTAT_OFF"} == left(call(again))
    on = PROVED.model_copy(update={"control_off": False})
    assert "THERMOSTAT_OFF" not in left(call([event("made_safe", 0, 1, on)]))
    unlocked = PROVED.model_copy(
        update={"opened": [o.model_copy(update={"locked": False}) for o in PROVED.opened]}
    )
    assert "LOCK_ON" not in left(call([event("made_safe", 0, 1, unlocked)]))


def test_a_lock_is_named_with_who_has_its_key() -> None:
    point = next(p for p in call([event("made_safe", 0, 1, PROVED)]).left_open if p.code == "LOCK_ON")
    assert PROVED.opened[0].device in point.text
    assert str(PROVED.opened[0].key_holder) in point.text


def test_a_stop_that_stands_leads_what_is_left_open() -> None:
    points = call([event("made_safe", 0, 1, PROVED)], readings=[ground(1, 2, True)]).left_open
    assert "GROUNDED" == points[0].code
    assert "Still stopped" in points[0].text


def test_work_half_done_and_work_not_decided_stay_open() -> None:
    plan = WorkPlan(work="aid", title="Three-wire kit", ticked=[0, 1])
    assert "WIRING_HALF_DONE" in left(call(plans={"aid": plan}))
    assert "WIRING_HALF_DONE" not in left(call(plans={"aid": plan.model_copy(update={"dropped": True})}))
    assert "WIRING_HALF_DONE" not in left(call(plans={"aid": plan.model_copy(update={"ticked": []})}))
    fitted = [FittedPart(work="aid", title="Three-wire kit", place=3.0)]
    done = call(plans={"aid": plan}, fitted=fitted, changes=[changed(3, "start_kit")])
    assert "WIRING_HALF_DONE" not in left(done)
    assert {"KEEP_OR_NOT", "PROOF_MISSING"} <= left(done)
    kept = [KeptPart(work="aid", decision="keep", place=4.0)]
    assert "KEEP_OR_NOT" not in left(call(plans={"aid": plan}, fitted=fitted, kept=kept))
    before = [KeptPart(work="aid", decision="keep", place=2.0)]
    assert "KEEP_OR_NOT" in left(call(plans={"aid": plan}, fitted=fitted, kept=before))


def test_a_trial_a_condemnation_and_a_cooling_clock_stay_open_until_answered() -> None:
    agreed = decided("kit_trial", 1, trial=Trial(agreed_with="M. Owner"))
    assert "TRIAL_OPEN" in left(call(decisions=[agreed]))
    ended = decided("kit_trial", 2, trial=Trial(agreed_with="M. Owner", result="did_not_start"))
    assert "TRIAL_OPEN" not in left(call(decisions=[agreed, ended]))
    condemned = decided("condemned", 3)
    assert "WHY_IT_DIED" in left(call(decisions=[agreed, ended, condemned]))
    why = decided("why_it_died", 4, put_right=["Low volts"])
    assert "WHY_IT_DIED" not in left(call(decisions=[agreed, ended, condemned, why]))
    assert "COOLING" in left(call(clocks_running=1))


def test_a_change_wants_a_start_after_it() -> None:
    one = changed(3, None, "Terminals tightened")
    assert "NOT_PROVED" in left(call(changes=[one]))
    assert "NOT_PROVED" in left(call(changes=[one], readings=[start(1, 1, 90)]))
    assert "NOT_PROVED" not in left(call(changes=[one], readings=[start(1, 1, 90), start(2, 5, 70)]))


# The overload ------------------------------------------------------------------------------------

OPEN_HOT = [winding(1, 1, "cs", "open"), winding(2, 2, "cr", "open"), winding(3, 3, "sr", 2.9)]


def test_an_open_overload_is_open_until_a_cause_or_an_answer_after_it() -> None:
    found = overload_of(call(readings=OPEN_HOT).facts)
    assert found is not None
    assert (3.0, None) == (found.place, found.answered_by)
    assert "OVERLOAD_UNEXPLAINED" in left(call(readings=OPEN_HOT))
    cold = [*OPEN_HOT, winding(4, 8, "cs", 2.3), winding(5, 9, "cr", 0.6)]
    assert "OVERLOAD_UNEXPLAINED" in left(call(readings=cold))
    weak = decided("cause", 10, hypothesis="run_capacitor_weak")
    assert "OVERLOAD_UNEXPLAINED" not in left(call(readings=cold, decisions=[weak]))
    early = decided("cause", 2, hypothesis="run_capacitor_weak")
    assert "OVERLOAD_UNEXPLAINED" in left(call(readings=cold, decisions=[early]))
    circular = decided("cause", 10, hypothesis="overload_open")
    assert "OVERLOAD_UNEXPLAINED" in left(call(readings=cold, decisions=[circular]))


def test_two_open_pairs_alone_are_no_open_overload() -> None:
    assert overload_of(call(readings=OPEN_HOT[:2]).facts) is None
    broken = [*OPEN_HOT[:2], winding(3, 3, "sr", "open")]
    assert overload_of(call(readings=broken).facts) is None


# What a change makes old -------------------------------------------------------------------------

FIGURES: dict[str, Any] = {
    q: {"flag": False, "word": n.words[:1] and n.words[0]}.get(n.kind, max(n.low, 2.0))
    for q, n in QUANTITIES.items()
    if q not in ("inrush_a", "start_time_s", "to_ground")
}


def readings() -> list[Any]:
    return [
        taken(i, i, {"quantity": q, "value": v, "without_make_safe": "bench"})
        for i, (q, v) in enumerate(FIGURES.items(), 1)
    ]


@pytest.mark.parametrize("part", PART_WORDS)
def test_a_change_retires_the_parts_own_readings_and_no_others(part: Any) -> None:
    judged = call(readings=readings(), changes=[changed(90, part)])
    by_id = {r.id: r.entry.quantity for r in judged.facts.readings}
    old = {by_id[j.reading_id] for j in judged.readings if j.old_part}
    assert OWN_READINGS.get(part, frozenset()) & set(FIGURES) == old
    assert old.isdisjoint(r.entry.quantity for r in judged.facts.current)
    assert len(FIGURES) == len(judged.facts.readings), "they stay on the record"
    for judged_reading in judged.readings:
        if judged_reading.old_part:
            assert "note" == judged_reading.verdict
            assert "OLD_PART" == judged_reading.findings[0].code


@given(st.lists(st.sampled_from([*PART_WORDS, None]), max_size=4), st.integers(1, 80))
@settings(max_examples=40, deadline=None)
def test_what_was_measured_before_a_change_is_asked_for_anew_and_only_once(parts: list[Any], at: int) -> None:
    changes = [changed(at + i, p) for i, p in enumerate(parts)]
    judged = call(readings=readings(), changes=changes)
    asked = [q for q, _ in to_measure_again(judged.facts)]
    assert len(set(asked)) == len(asked)
    current = {r.entry.quantity for r in judged.facts.current}
    assert current.isdisjoint(asked)
    own = {q for p in parts if p for q in OWN_READINGS.get(p, ())}
    assert set(asked) <= own


def test_the_start_follows_the_new_part() -> None:
    old = taken(1, 1, {"quantity": "run_cap_uf", "value": 31.0, "without_make_safe": "bench"})
    new = taken(2, 5, {"quantity": "run_cap_uf", "value": 44.5, "without_make_safe": "bench"})
    before = start_or_why_not(call(readings=[old]))
    assert before.start is not None
    assert 31.0 == before.start.run_cap_uf
    between = start_or_why_not(call(readings=[old], changes=[changed(3, "run_capacitor")]))
    assert between.start is not None
    assert 31.0 != between.start.run_cap_uf
    after = start_or_why_not(call(readings=[old, new], changes=[changed(3, "run_capacitor")]))
    assert after.start is not None
    assert 44.5 == after.start.run_cap_uf


def test_without_a_plate_there_is_no_start_and_it_is_said_what_to_do() -> None:
    found = start_or_why_not(call(plate=None))
    assert found.start is None
    assert found.refused is not None
    assert found.refused.next_step


# Evidence ----------------------------------------------------------------------------------------


def test_every_test_of_a_call_is_evidence_or_says_why_not() -> None:
    topics = {t.topic for t in CALL_TESTS}
    assert topics == set(OF_TEST) | set(NO_EVIDENCE)
    assert not set(OF_TEST) & set(NO_EVIDENCE)
    assert all(len(reason) > 10 for reason in NO_EVIDENCE.values())


@pytest.mark.parametrize(
    ("topic", "entry", "quantity", "value"),
    [
        ("isolation", {"compressor": True, "terminal_c": True}, "shorted_piece", "compressor"),
        ("isolation", {"compressor": False, "fan": True}, "shorted_piece", "fan"),
        ("isolation", {"whole": False}, "to_ground", False),
        ("start-kit", {"kind": "potential_relay", "contact_ohm": "open"}, "start_kit_verdict", None),
        ("legs", {"leg_a_idle_v": 120, "leg_b_idle_v": 120, "leg_a_start_v": 104, "leg_b_start_v": 135},
         "leg_a_n_v", 104),
        ("winding-amps", {"common_a": 17.0, "run_a": 12.5, "start_a": 5.9}, "start_a", 5.9),
    ],
)  # fmt: skip
def test_a_test_reaches_the_diagnosis(topic: str, entry: dict[str, Any], quantity: str, value: Any) -> None:
    found = evidence_of_test(test(1, 1, topic, entry))
    told = {e.quantity: e.value for e in found}
    assert quantity in told, told
    assert value is None or value == told[quantity]


@pytest.mark.parametrize("topic", sorted(OF_TEST))
@given(data=st.data())
@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
def test_whatever_a_test_says_the_diagnosis_of_the_call_stands(topic: str, data: st.DataObject) -> None:
    entry = data.draw(from_schema(find_topic(topic).takes.model_json_schema()))
    judged = call(tests=[test(1, 1, topic, entry)])
    why = WhyOfCall(judged)
    total = sum(r.probability for r in why.result.ranked)
    assert total <= 1.001, "each is rounded"
    stop = why.result.stop
    assert (stop is None) == (not judged.stops)
    assert set(WHY_GATES) == set(why.gates)
    if stop is not None:
        assert not [t for t in why.result.next_tests if t.danger == "live"]
        assert not [r for r in ladder_of(judged).rungs if r.next_is_live]
        settled = call(tests=[test(1, 1, topic, entry)], lifts=[lift(s.key, 9) for s in judged.stops])
        assert not [s for s in settled.stops if s.may_lift]


def told(minute: int, quantity: Any, value: Any, **more: Any) -> SeenAt:
    return SeenAt(Evidence(quantity=quantity, value=value, **more), float(minute), NOON, "Marlo")


LEGS_TOLD = [
    told(i, q, v, state=s)
    for i, (q, s, v) in enumerate(
        [
            ("leg_a_n_v", "idle", 120),
            ("leg_b_n_v", "idle", 120),
            ("leg_a_n_v", "starting", 104),
            ("leg_b_n_v", "starting", 135),
        ],
        1,
    )
]


@pytest.mark.parametrize(
    ("seen", "code"),
    [
        ([told(1, "to_ground", True)], "GROUNDED"),
        ([told(1, "suction_psig", -6.0)], "VACUUM"),
        ([told(1, "suction_psig", -6.0, state="idle")], "VACUUM"),
        (LEGS_TOLD, "OPEN_NEUTRAL"),
        (LEGS_TOLD[:3], None),
        ([told(1, "suction_psig", 0.0)], None),
        ([told(1, "to_ground", False)], None),
    ],
)
def test_what_is_told_on_why_stops_the_call_too_and_lets_go_of_it(
    seen: list[SeenAt], code: str | None
) -> None:
    judged = call(seen=seen)
    stop = WhyOfCall(judged).result.stop
    assert code == (judged.stops[0].code if judged.stops else None) == (stop.code if stop else None)
    if code is None:
        return
    assert not judged.gates["take_live"].ok
    settled = call(seen=seen, lifts=[lift(judged.stops[0].key, 9)])
    assert not settled.stops
    assert WhyOfCall(settled).result.stop is None, "what was put right stops nothing any more"


def test_a_vacuum_at_rest_is_not_started() -> None:
    judged = call(tests=[test(1, 1, "refrigerant", {"idle_suction_psig": -15.0})])
    assert ["VACUUM"] == [s.code for s in judged.stops]
    assert "do not start" in judged.stops[0].text
