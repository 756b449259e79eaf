"""A visit handed over in two voices, and what is to come back for."""

import re
from datetime import date, timedelta
from typing import Any, get_args

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from orange_crank.core.call.changes import PART_WORDS, PartKind
from orange_crank.core.call.circuit import CircuitLook
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.work import FittedPart, KeptPart, WorkPlan
from orange_crank.core.diagnosis.model import HYPOTHESES, Evidence, Hypothesis
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.handover.follow_ups import follow_ups
from orange_crank.core.handover.hand_over import HandOver, hand_over
from orange_crank.core.handover.record import Confirmed, ConfirmedAt, HandedOver, HandedOverAt
from orange_crank.core.handover.words import plain
from orange_crank.core.logbook.unit import logbook_of_call
from orange_crank.core.measure.reading import QUANTITIES, Quantity
from orange_crank.core.tables.standards import shipped_standards, with_standard
from tests.core.call.test_ladder import NOON, start, taken
from tests.core.call.test_open_points import call, changed, decided
from tests.core.call.test_states_and_stops import PROVED, event
from tests.sentences import code_names

TODAY = date(2026, 11, 26)
DEAD = [event("made_safe", 0, 0, PROVED)]
# What a customer is never made to read: the trade's abbreviations and the engine's names.
ABBREVIATION = re.compile(r"\b(?!STOP\b|OK\b)[A-Z]{2,}\b|µF|Ω|\bRLA\b")
FRIGHTENING = re.compile(r"\b(fire|dangerous|deadly|explode|kill|die)\b", re.IGNORECASE)
ACTS = re.compile(r"\b(call|switch|leave|stay|wait|keep|see to|left|put right|do not|reset)\b", re.IGNORECASE)


def handed(judged: JudgedCall) -> HandOver:
    return hand_over(judged, logbook_of_call(judged.facts, judged.limits, NOON), TODAY)


def confirmed(hypothesis: Hypothesis, note: str = "") -> ConfirmedAt:
    return ConfirmedAt(confirmed=Confirmed(hypothesis=hypothesis, note=note), at=NOON, person="Marlo")


def codes(said: list[Any]) -> set[str]:
    return {s.code for s in said}


def lines(h: HandOver) -> list[Any]:
    return [*h.found, *h.done, *h.left, *h.may_fail, *h.watch, h.state]


def seen(quantity: Quantity, value: Any, minute: int = 5) -> Any:
    return taken(1, minute, {"quantity": quantity, "value": value, "without_make_safe": "bench"})


# Words -------------------------------------------------------------------------------------------


def test_everything_a_hand_over_may_have_to_say_has_its_words() -> None:
    words = plain()
    assert set(HYPOTHESES) == set(words.causes)
    assert set(QUANTITIES) == set(words.quantities)
    assert set(PART_WORDS) == set(get_args(PartKind)) == set(words.parts)
    assert {n.unit for n in QUANTITIES.values()} <= set(words.units)


@pytest.mark.parametrize("hypothesis", HYPOTHESES)
def test_a_cause_is_told_without_abbreviation_and_never_frightens_without_saying_what_to_do(
    hypothesis: Hypothesis,
) -> None:
    words = plain().causes[hypothesis]
    for text in (words.found, words.wait, words.watch):
        assert not ABBREVIATION.findall(text), text
        assert not code_names(text), text
    told = f"{words.found} {words.wait} {words.watch}"
    if FRIGHTENING.search(told):
        assert ACTS.search(told), told
    assert words.found.endswith(".")
    assert words.watch, "there is always something to do"


# From the record ---------------------------------------------------------------------------------


def test_a_call_with_nothing_measured_says_so() -> None:
    h = handed(call())
    assert h.nothing_measured
    assert {"NOTHING_MEASURED"} == codes(h.found)
    assert "Nothing was measured on this visit." == h.found[0].plain
    assert not h.done
    assert not h.left
    assert not h.come_back


def test_measured_and_not_settled_is_not_a_guess() -> None:
    h = handed(call(readings=[seen("run_cap_uf", 44.8)]))
    assert "NOT_SETTLED" in codes(h.found)
    assert h.cause is None


def test_what_was_confirmed_outranks_what_was_taken() -> None:
    both: Any = {"decisions": [decided("cause", 3, hypothesis="worn_bearings")]}
    taken_only = handed(call(**both))
    assert ("worn_bearings", False) == (taken_only.cause, taken_only.confirmed)
    assert "not confirmed" in taken_only.found[0].technical
    in_the_end = handed(call(confirmed=confirmed("contactor_worn", "burnt poles"), **both))
    assert ("contactor_worn", True) == (in_the_end.cause, in_the_end.confirmed)
    assert "confirmed by Marlo. Burnt poles." in in_the_end.found[0].technical


def test_a_cause_not_put_right_is_left_undone_and_comes_back_as_a_task() -> None:
    weak = confirmed("run_capacitor_weak")
    h = handed(call(confirmed=weak, readings=[seen("run_cap_uf", 38.0)]))
    assert "NOT_PUT_RIGHT" in codes(h.left)
    assert "PUT_RIGHT" in {f.code for f in h.come_back}
    mended = handed(call(confirmed=weak, changes=[changed(9, "run_capacitor", "Run capacitor replaced")]))
    assert "NOT_PUT_RIGHT" not in codes(mended.left)
    assert "PUT_RIGHT" not in {f.code for f in mended.come_back}
    assert "We put in a new run capacitor" in mended.done[0].plain


def test_nothing_wrong_leaves_nothing_to_put_right() -> None:
    h = handed(call(confirmed=confirmed("healthy"), readings=[seen("run_cap_uf", 44.8)]))
    assert "NOT_PUT_RIGHT" not in codes(h.left)
    assert "PUT_RIGHT" not in {f.code for f in h.come_back}


def test_a_stop_leads_and_tells_the_customer_to_keep_it_off() -> None:
    h = handed(call(readings=[seen("to_ground", True)]))
    assert "fail" == h.state.verdict
    assert "do not reset its breaker" in h.state.plain
    assert h.left[0].plain.endswith("The unit must not be switched on.")
    assert h.come_back[0].code.startswith("STOP-")
    assert TODAY + timedelta(days=1) == h.come_back[0].due_on


def test_a_unit_left_dead_is_said_to_be_left_off() -> None:
    h = handed(call(DEAD))
    assert "The unit is left switched off." == h.state.plain
    assert {"LEFT_DEAD", "LOCK_ON"} <= codes(h.left)


def test_what_came_off_again_is_not_told_as_fitted() -> None:
    h = handed(call(changes=[changed(5, "start_kit", "Removed: Kit")]))
    assert ["It was taken off again after the test."] == [s.plain for s in h.done]


def test_before_and_after_is_told_in_what_the_customer_heard() -> None:
    before, after = start(1, 2, 101.0, seconds=0.8), start(2, 9, 60.0, seconds=0.2)
    h = handed(call(readings=[before, after], changes=[changed(5, "start_kit", "Kit fitted")]))
    told = next(s for s in h.done if s.code == "BEFORE_AFTER")
    assert "Starting time: 0.8 seconds before, 0.2 seconds after." == told.plain


def test_an_aid_is_promised_nothing() -> None:
    fitted = [FittedPart(work="aid", title="Kit", place=5.0)]
    h = handed(call(fitted=fitted, changes=[changed(5, "start_kit", "Kit fitted")]))
    assert any("nobody can promise years" in s.plain for s in h.may_fail)
    off = handed(call(fitted=fitted, kept=[KeptPart(work="aid", decision="take_off", place=6.0)]))
    assert not any(s.code == "AID" for s in off.may_fail)


def test_how_it_was_left_is_what_somebody_saw() -> None:
    for running, words in ((True, "running"), (False, "not running"), (None, "Power to the unit is on")):
        at = HandedOverAt(handed=HandedOver(to="Hattie", running=running), at=NOON, person="Marlo")
        assert words in handed(call(handed_over=at, readings=[seen("run_cap_uf", 44.8)])).state.plain


# Follow-ups --------------------------------------------------------------------------------------


def due(judged: JudgedCall) -> dict[str, date]:
    found = follow_ups(judged, logbook_of_call(judged.facts, judged.limits, NOON), TODAY)
    assert [f.due_on for f in found] == sorted(f.due_on for f in found)
    return {f.code: f.due_on for f in found}


def test_a_part_on_order_is_asked_after_when_the_shop_says() -> None:
    ordered = call(parts_ordered="contactor, 2 pole")
    assert {"ORDER": TODAY + timedelta(days=7)} == due(ordered)
    later = JudgedCall(ordered.facts, with_standard(shipped_standards(), "order_days", 3.0))
    assert {"ORDER": TODAY + timedelta(days=3)} == due(later)


def test_a_soft_starter_that_still_learns_is_measured_later_and_one_that_has_learned_is_not() -> None:
    plan = WorkPlan(work="aid", title="Soft starter", learning_starts=5)
    fitted = [FittedPart(work="aid", title="Soft starter", place=4.0)]
    once = call(plans={"aid": plan}, fitted=fitted, readings=[start(1, 9, 60.0, learning_starts=1)])
    assert TODAY + timedelta(days=14) == due(once)["LEARNING"]
    learned = call(plans={"aid": plan}, fitted=fitted, readings=[start(1, 9, 60.0, learning_starts=6)])
    assert "LEARNING" not in due(learned)
    sooner = JudgedCall(once.facts, with_standard(shipped_standards(), "follow_up_days", 5.0))
    assert TODAY + timedelta(days=5) == due(sooner)["LEARNING"]


def test_a_circuit_that_fails_is_due_when_the_shop_says() -> None:
    look = CircuitLook.model_validate(
        {"installed": {"overcurrent_a": 60.0, "overcurrent_kind": "breaker", "conductor_awg": "14"}}
    )
    failing = call(circuit=look)
    assert TODAY + timedelta(days=30) == due(failing)["CIRCUIT"]
    assert "CIRCUIT" in codes(handed(failing).left)
    sooner = JudgedCall(failing.facts, with_standard(shipped_standards(), "circuit_days", 2.0))
    assert TODAY + timedelta(days=2) == due(sooner)["CIRCUIT"]


# Whatever is on record ---------------------------------------------------------------------------

causes = st.none() | st.sampled_from(HYPOTHESES)
changes = st.lists(
    st.builds(
        lambda part, off: (part, ("Removed: " if off else "") + PART_WORDS[part]),
        st.sampled_from(list(PART_WORDS)),
        st.booleans(),
    ),
    max_size=5,
)
READ: dict[Quantity, Any] = {
    "run_cap_uf": 38.0, "fan_cap_uf": 5.0, "to_ground": True, "contactor_look": "burnt", "can_look": "bulged",
    "running_a": 19.0, "line_v_idle": 200.0, "contactor_drop_v": 0.4, "start_time_s": 1.1, "shell_hot": True,
}  # fmt: skip


@given(causes, causes, changes, st.sets(st.sampled_from(sorted(READ))), st.booleans(), st.text(max_size=30))
@settings(deadline=None, max_examples=120, suppress_health_check=list(HealthCheck))
def test_whatever_is_on_record_it_is_handed_over_in_both_voices(
    took: Hypothesis | None,
    was: Hypothesis | None,
    done: list[tuple[PartKind, str]],
    read: set[Quantity],
    dead: bool,
    ordered: str,
) -> None:
    judged = call(
        DEAD if dead else None,
        decisions=[decided("cause", 3, hypothesis=took)] if took else [],
        confirmed=confirmed(was) if was else None,
        changes=[changed(10 + i, part, what) for i, (part, what) in enumerate(done)],
        readings=[
            taken(i + 1, i + 1, {"quantity": q, "value": READ[q], "without_make_safe": "bench"})
            for i, q in enumerate(sorted(read))
        ],
        told=call().facts.told,
        parts_ordered=ordered,
        seen=[],
    )
    h = handed(judged)
    assert h.found
    assert h.watch
    for s in lines(h):
        assert s.plain.strip()
        assert s.technical.strip()
        if s.code not in ("ON_ORDER",) and not s.code.startswith("CHANGE"):
            assert not ABBREVIATION.findall(s.plain), s.plain
            assert not code_names(s.plain), s.plain
    for f in h.come_back:
        assert f.due_on >= TODAY
        assert f.rule
    assert len({f.code for f in h.come_back}) == len(h.come_back), "each once"
    cause = was or took
    if judged.stops:
        assert "fail" == h.state.verdict
    if cause and priors()[cause].mended_by and not judged.put_right:
        assert any(f.code == "PUT_RIGHT" for f in h.come_back) or cause in ("healthy", "delay_or_lockout")


def test_evidence_alone_is_something_measured() -> None:
    evidence = Evidence(quantity="condenser_dirty", value=True)
    told = call().facts.told.model_copy(update={"seen": [evidence]})
    from orange_crank.core.call.why_record import SeenAt

    h = handed(call(told=told, seen=[SeenAt(evidence, 1.0, NOON, "Marlo")]))
    assert not h.nothing_measured
