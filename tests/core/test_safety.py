"""The make-safe record as a gate, the states of a call, and bleeding down."""

import math
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.safety.bleed import Bleed, bleed_down, volts_after
from orange_crank.core.safety.make_safe import PAIRS, MakeSafe, judge_make_safe
from orange_crank.core.safety.state import SafetyEvent, call_state

NOON = datetime(2026, 7, 1, 12, tzinfo=UTC)


def record(**change: Any) -> MakeSafe:
    proof = {"source": "receptacle", "expected_v": 120, "reading_v": 121}
    complete: dict[str, Any] = {
        "supply": "single_phase_two_leg",
        "dry": True,
        "control_off": True,
        "source_identified": "disconnect",
        "other_sources": [],
        "opened": [{"device": "disconnect", "locked": True, "tagged": True, "key_holder": "me"}],
        "proof_before": proof,
        "dead_points": [
            {"place": place, "pair": pair, "reading_v": 0.2}
            for place in ("contactor_line", "contactor_load")
            for pair in PAIRS["single_phase_two_leg"]
        ],
        "proof_after": proof,
        "capacitors": [{"section": "c_herm", "meter_on": "dc", "after_v": 0.3}],
    }
    return MakeSafe.model_validate({**complete, **change})


def test_a_complete_record_proves_it_dead() -> None:
    result = judge_make_safe(record())
    assert ("proved", []) == (result.status, result.missing)


@pytest.mark.parametrize(
    ("change", "status", "words"),
    [
        ({"control_off": False}, "incomplete", "thermostat"),
        ({"dry": None}, "incomplete", "rain or standing water"),
        ({"dry": False}, "stop", "Wait until it is dry"),
        ({"source_identified": None}, "incomplete", "Name the feeding disconnect"),
        ({"other_sources": None}, "incomplete", "second source"),
        ({"other_sources": ["second disconnect"]}, "incomplete", "Open, lock and tag each source"),
        ({"opened": []}, "incomplete", "Open, lock and tag"),
        (
            {"opened": [{"device": "disconnect", "locked": True, "tagged": False, "key_holder": "me"}]},
            "incomplete",
            "Lock, tag and name",
        ),
        ({"proof_before": None}, "incomplete", "Check the meter on a known live source before"),
        ({"proof_after": None}, "incomplete", "after the dead test"),
        (
            {"proof_after": {"source": "receptacle", "expected_v": 120, "reading_v": 60}},
            "incomplete",
            "Use another meter",
        ),
        ({"dead_points": []}, "incomplete", "L1-L2, L1-G, L2-G"),
        ({"capacitors": []}, "incomplete", "Bleed every section"),
        (
            {"capacitors": [{"section": "c_herm", "meter_on": "ac", "after_v": 0}]},
            "incomplete",
            "Measure again on DC volts",
        ),
        (
            {"capacitors": [{"section": "c_herm", "meter_on": "dc", "after_v": 40}]},
            "incomplete",
            "Bleed it again",
        ),
        ({"sections_present": ["c_herm", "c_fan"]}, "incomplete", "C–FAN"),
        ({"inverter": True}, "incomplete", "DC bus"),
    ],
)
def test_each_missing_step_keeps_the_gate_shut_and_says_what_to_do(
    change: dict[str, Any], status: str, words: str
) -> None:
    result = judge_make_safe(record(**change))
    assert status == result.status
    assert words.lower() in " ".join(result.missing).lower()


def _with_reading(volts: float, **more: Any) -> MakeSafe:
    points = [p.model_dump() for p in record().dead_points]
    points[0] = {**points[0], "reading_v": volts, **more}
    return record(dead_points=points)


@pytest.mark.parametrize(
    ("volts", "more", "status"),
    [
        (0.99, {}, "proved"),
        (1.0, {}, "retest"),
        (30.0, {}, "retest"),
        (30.1, {}, "stop"),
        (12, {"low_impedance_v": 0.1}, "retest"),
        (12, {"low_impedance_v": 0.1, "explained": "stray from the neighbor's cable"}, "proved"),
        (12, {"low_impedance_v": 8, "explained": "not sure"}, "retest"),
        (120, {"low_impedance_v": 0, "explained": "ghost"}, "stop"),
    ],
)
def test_volts_on_a_dead_point_retest_or_stop(volts: float, more: dict[str, Any], status: str) -> None:
    assert status == judge_make_safe(_with_reading(volts, **more)).status


def test_three_phase_wants_all_six_pairs_on_both_sides() -> None:
    result = judge_make_safe(record(supply="three_phase"))
    assert "L2-L3" in " ".join(result.missing)


def test_a_unit_without_capacitors_needs_none_bled() -> None:
    assert judge_make_safe(record(has_capacitors=False, capacitors=[])).status == "proved"


def _events(*kinds: str) -> list[SafetyEvent]:
    return [
        SafetyEvent.model_validate(
            {
                "kind": kind,
                "at": NOON + timedelta(minutes=i),
                "record": record() if kind == "made_safe" else None,
            }
        )
        for i, kind in enumerate(kinds)
    ]


@pytest.mark.parametrize(
    ("kinds", "state"),
    [
        ((), "as_found"),
        (("caution_read",), "as_found"),
        (("made_safe",), "dead_proved"),
        (("made_safe", "control_live"), "control_live"),
        (("control_live",), "as_found"),
        (("made_safe", "went_live"), "live"),
        (("made_safe", "lapsed"), "lapsed"),
        (("made_safe", "lapsed", "made_safe"), "dead_proved"),
        (("made_safe", "went_live", "made_safe"), "dead_proved"),
    ],
)
def test_the_state_of_a_call_follows_its_events(kinds: tuple[str, ...], state: str) -> None:
    assert state == call_state(_events(*kinds), NOON + timedelta(minutes=20)).state


def test_proof_lapses_after_the_shops_time() -> None:
    events = _events("made_safe")
    assert call_state(events, NOON + timedelta(minutes=60)).state == "dead_proved"
    late = call_state(events, NOON + timedelta(minutes=61))
    assert ("lapsed", False) == (late.state, "dead" in late.words.lower())


def test_a_record_that_does_not_prove_it_leaves_it_live() -> None:
    bad = SafetyEvent(kind="made_safe", at=NOON, record=record(dry=False))
    assert "as_found" == call_state([bad], NOON).state


def test_bleeding_45_uf_at_440_v_through_22_k_agrees_with_the_sum_by_hand() -> None:
    # V₀ = 622.3 V, τ = 0.99 s, t = 0.99·ln 622.3 = 6.37 s, E = 8.71 J, P = 17.6 W
    result = bleed_down(Bleed(capacitance_uf=45, rated_v=440, resistance_ohm=22_000, resistor_w=5))
    assert pytest.approx(622.25, rel=1e-4) == result.start_v
    assert pytest.approx(0.99) == result.tau_s
    assert pytest.approx(6.369, rel=1e-3) == result.time_to_limit_s
    assert pytest.approx(8.712, rel=1e-3) == result.energy_j
    assert pytest.approx(17.6, rel=1e-3) == result.peak_w


def test_a_resistor_too_small_is_refused_with_a_better_one() -> None:
    power = bleed_down(Bleed(capacitance_uf=45, rated_v=440, resistance_ohm=100, resistor_w=2)).findings[1]
    assert "fail" == power.verdict
    assert power.next_step


@given(uf=st.floats(min_value=1, max_value=400), volts=st.floats(min_value=110, max_value=480))
def test_the_resistor_chosen_is_never_overloaded_and_leaves_less_than_the_limit(
    uf: float, volts: float
) -> None:
    result = bleed_down(Bleed(capacitance_uf=uf, rated_v=volts))
    assert "pass" == result.findings[1].verdict
    left = volts_after(result.start_v, result.time_to_limit_s, result.tau_s)
    assert math.isclose(left, 1.0, rel_tol=1e-9)
