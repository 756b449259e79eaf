"""A Fail reaches Why, closing, the customer and the unit until it is mended."""

from typing import Any

import pytest

from orange_crank.core.call.call_tests import CALL_TESTS
from orange_crank.core.call.evidence_of_record import NO_EVIDENCE, evidence_of_test
from orange_crank.core.call.facts import TakenTest
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.stops import find_stops
from orange_crank.core.errors import InputProblem
from orange_crank.core.handover.hand_over import hand_over
from orange_crank.core.handover.money import Rates
from orange_crank.core.handover.options import options_of
from orange_crank.core.handover.words import plain
from orange_crank.core.logbook.unit import logbook_of_call
from orange_crank.core.measure.compare import Comparison, compare
from orange_crank.core.measure.legs import Imbalance, judge_imbalance
from orange_crank.core.tables.standards import shipped_standards
from tests.core.call.test_ladder import NOON, PLATE, start, taken
from tests.core.call.test_open_points import call, changed, decided
from tests.core.call.test_states_and_stops import PROVED, event

LIVE = [event("caution_read", 0, 0), event("went_live", 0, 0)]
DUAL = PLATE.model_copy(update={"run_cap_uf": 45.0, "fan_cap_uf": 5.0})
# One entry of each topic that can fail; a capacitor top is named or not, and fails by its readings.
FAILING: dict[str, dict[str, Any]] = {
    "isolation": {"whole": True, "compressor": True},
    "start-kit": {"kind": "potential_relay", "contact_ohm": "open"},
    "refrigerant": {"suction_psig": -2.0, "discharge_psig": 200.0},
    "legs": {"leg_a_idle_v": 120.0, "leg_b_idle_v": 120.0, "leg_a_start_v": 100.0, "leg_b_start_v": 140.0},
    "supply-walk": {
        "running_a": 11.0,
        "stops": [
            {"point": "disconnect_line", "running_v": 237.2},
            {"point": "disconnect_load", "running_v": 224.5},
        ],
    },
    "capacitor": {"label_uf": 45.0, "winding_a": 3.0, "capacitor_v": 340.0},
    "winding-amps": {"common_a": 12.0, "run_a": 12.0, "start_a": 0.02},
    "imbalance": {"volts": [209.0, 118.0, 121.0], "amps": [42.0, 43.0, 0.0]},
    "heat-strips": {"stage_called": 3, "elements": 3, "element_kw": 5.0, "rated_v": 240.0, "volts": 240.0,
                    "amps": 41.7},
}  # fmt: skip


def took(topic: str, entry: dict[str, Any], minute: int = 4) -> TakenTest:
    return TakenTest(id=minute, topic=topic, entry=entry, taken_at=NOON, person="Marlo", place=float(minute))


def failing(topic: str) -> JudgedCall | None:
    try:
        judged = call(LIVE, plate=DUAL, tests=[took(topic, FAILING[topic])])
        verdict = judged.tests[0][1].verdict
    except (KeyError, InputProblem):
        return None
    return judged if verdict == "fail" else None


@pytest.mark.parametrize("topic", sorted(FAILING))
def test_a_test_that_fails_is_missing_nowhere(topic: str) -> None:
    judged = failing(topic)
    assert judged is not None, topic
    assert topic in {f.topic for f in judged.fails}
    assert any(p.code == "FAIL" for p in judged.left_open)
    page = hand_over(judged, logbook_of_call(judged.facts, judged.limits, NOON), NOON.date())
    assert any(s.code.startswith("TEST-") for s in page.found)
    stopped = {s.key for s in judged.stops}
    assert any(s.verdict == "fail" for s in page.left)
    assert stopped or any(s.code.startswith("FAIL-") for s in page.left)
    assert topic in NO_EVIDENCE or evidence_of_test(judged.facts.tests[0], judged.limits)


def test_every_test_of_a_call_has_the_customers_words() -> None:
    assert {t.topic for t in CALL_TESTS} == set(plain().tests)


def test_measured_again_and_well_it_is_gone_and_a_decline_leaves_it() -> None:
    bad, good = (
        {"leg_a_start_v": 100.0, "leg_b_start_v": 140.0},
        {"leg_a_start_v": 118.0, "leg_b_start_v": 118.0},
    )
    idle = {"leg_a_idle_v": 120.0, "leg_b_idle_v": 120.0}
    twice = call(LIVE, tests=[took("legs", idle | bad), took("legs", idle | good, 5)])
    assert [] == twice.fails
    declined = call(
        LIVE, tests=[took("legs", idle | bad)], decisions=[decided("go_ahead", 6, go="not_today")]
    )
    assert ["legs"] == [f.topic for f in declined.fails]


def test_a_reading_that_fails_counts_until_its_part_is_new() -> None:
    weak = taken(1, 2, {"quantity": "run_cap_uf", "value": 31.2, "without_make_safe": "bench"})
    judged = call(LIVE, plate=DUAL, readings=[weak])
    assert ["run_cap_uf"] == [f.topic for f in judged.fails]
    mended = call(LIVE, plate=DUAL, readings=[weak], changes=[changed(3, "dual_capacitor")])
    assert [] == mended.fails
    # The reading that decided stays on the papers, on which part, with its verdict of then.
    old = mended.readings[0]
    assert (old.verdict, old.was) == ("note", "fail")
    page = hand_over(mended, logbook_of_call(mended.facts, mended.limits, NOON), NOON.date())
    found = next(s for s in page.found if s.code == "READING-1")
    assert "31.2 of 45 microfarads" in found.plain
    assert "on the part that was replaced" in found.plain


def test_amps_at_zero_leave_the_dead_tests_as_they_were() -> None:
    coil = taken(1, 2, {"quantity": "coil_ohm", "value": "open", "without_make_safe": "bench"})
    nothing = taken(2, 3, {"quantity": "running_a", "value": 0.0})
    judged = call(LIVE, plate=DUAL, readings=[coil, nothing])
    assert ["fail", "fail"] == [r.verdict for r in judged.readings]
    assert {"coil_ohm", "running_a"} == {f.topic for f in judged.fails}


LEFT_IN = {"common_a": 24.0, "run_a": 17.0, "start_a": 16.0}


def test_a_start_capacitor_left_in_fails_through_either_door_until_it_is_measured_well() -> None:
    clamp = taken(1, 2, {"quantity": "start_a", "value": 16.0})
    by_clamp = call(LIVE, plate=DUAL, readings=[clamp])
    by_test = call(LIVE, plate=DUAL, tests=[took("winding-amps", LEFT_IN)])
    for judged in (by_clamp, by_test):
        assert 1 == len(judged.fails)
        assert any(p.code == "FAIL" for p in judged.left_open)
        page = hand_over(judged, logbook_of_call(judged.facts, judged.limits, NOON), NOON.date())
        assert any(s.verdict == "fail" for s in page.left)
        assert "start_a" not in " ".join(s.plain for s in page.left)
    # A new kit is no proof: 0 A on the start lead would go with it too. The clamp says it is out.
    again = taken(2, 8, {"quantity": "start_a", "value": 6.4})
    assert [] == call(LIVE, plate=DUAL, readings=[clamp, again]).fails
    well = took("winding-amps", {"common_a": 12.0, "run_a": 10.5, "start_a": 6.4}, 8)
    assert [] == call(LIVE, plate=DUAL, tests=[took("winding-amps", LEFT_IN), well]).fails


@pytest.mark.parametrize("amps", [0.0, 7.0, 9.0])
def test_amps_a_run_capacitor_can_pass_do_not_fail(amps: float) -> None:
    judged = call(LIVE, plate=DUAL, readings=[taken(1, 2, {"quantity": "start_a", "value": amps})])
    assert ("start_a" in {f.topic for f in judged.fails}) == (amps == 0)


# Three-phase -------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("entry", "leg"),
    [
        ({"volts": [209.0, 118.0, 121.0], "amps": [42.0, 43.0, 0.0]}, "L3"),
        ({"amps": [0.0, 43.0, 42.0]}, "L1"),
        ({"volts": [118.0, 121.0, 209.0]}, "L2"),
        ({"volts": [0.0, 230.0, 0.0]}, "L1"),
        ({"volts": [230.0, 232.0, 225.0], "amps": [14.0, 15.0, 13.0]}, None),
    ],
)
def test_a_lost_phase_is_named_and_zero_is_a_reading(entry: dict[str, Any], leg: str | None) -> None:
    result = judge_imbalance(Imbalance.model_validate(entry))
    assert result.lost == leg
    assert any(f.stops for f in result.findings) == (leg is not None)


def test_all_at_zero_is_refused_by_field() -> None:
    with pytest.raises(InputProblem) as refused:
        judge_imbalance(Imbalance(volts=[0.0, 0.0, 0.0]))
    assert refused.value.errors[0].field == "volts"


def test_a_lost_phase_stops_the_work_until_it_is_put_right() -> None:
    three = PLATE.model_copy(update={"phase": 3, "run_cap_uf": None})
    judged = call(LIVE, plate=three, tests=[took("imbalance", {"amps": [42.0, 43.0, 0.0]})])
    assert ["PHASE_LOST"] == [s.code for s in judged.stops]
    assert not judged.gates["go_live"].ok
    assert find_stops(judged.facts, judged.tests, shipped_standards()).standing[0].may_lift


# Compare -----------------------------------------------------------------------------------------


def test_an_aids_own_smaller_dip_does_not_weaken_the_comparison() -> None:
    side = {"mode": "inrush", "conductor": "common", "outdoor_f": 84.0, "rest_min": 10.0}
    before, after = {"value_a": 104.0, "volts": 228.0}, {"value_a": 41.0, "volts": 236.0}
    pair = {"changes": ["Soft starter"], "aid_changed": True}

    def compared(**idle: Any) -> str:
        one, two = side | before, side | after | {"learning_starts": 10}
        if idle:
            one, two = one | {"idle_v": idle["before"]}, two | {"idle_v": idle["after"]}
        return compare(Comparison.model_validate({"before": one, "after": two, **pair})).comparable

    assert compared(before=241.0, after=240.0) == "yes"
    assert compared(before=241.0, after=220.0) == "weak"
    assert compared() == "yes"
    same = Comparison.model_validate({"before": side | before, "after": side | after, "changes": ["Can"]})
    assert compare(same).comparable == "weak"


def test_the_aid_on_the_record_is_taken_for_a_start_after_it() -> None:
    low = start(9, 9, 36.0)
    bare = call(LIVE, readings=[low])
    fitted = call(LIVE, readings=[low], changes=[changed(8, "soft_starter", "Soft starter")])
    assert "too low" in bare.readings[0].summary
    assert "too low" not in fitted.readings[0].summary


# Price -------------------------------------------------------------------------------------------


def test_a_grounded_motor_is_offered_a_replacement_and_no_start() -> None:
    shorted = taken(1, 2, {"quantity": "to_ground", "value": True, "without_make_safe": "bench"})
    judged = call(
        [event("made_safe", 0, 1, PROVED)],
        plate=DUAL,
        readings=[shorted],
        decisions=[decided("cause", 3, hypothesis="winding_grounded")],
    )
    offered = options_of(judged, None, [], Rates(labor_per_hour=110.0)).options
    assert ["replace_compressor", "replace_unit", "as_it_is"] == [o.key for o in offered]
    assert "Computed" not in " ".join(o.does for o in offered)
    assert "stays switched off" in offered[-1].does


def test_a_measured_stall_outranks_the_computed_start() -> None:
    stalled = start(2, 2, 108.0, outcome="stalled")
    offered = options_of(call(LIVE, plate=DUAL, readings=[stalled]), None, [], Rates(labor_per_hour=110.0))
    left = next(o for o in offered.options if o.key == "as_it_is")
    assert left.does == "Measured: it did not start, 108 A."
