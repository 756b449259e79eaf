"""Windings: the open-pattern table, unlabelled terminals, references and three phases."""

from itertools import permutations
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from orange_crank.core.errors import InputProblem, input_problem
from orange_crank.core.measure.windings import Windings, WindingsResult, judge_windings


def judge(cs: Any, cr: Any, sr: Any, **more: Any) -> WindingsResult:
    return judge_windings(Windings.model_validate({"cs_ohm": cs, "cr_ohm": cr, "sr_ohm": sr, **more}))


@pytest.mark.parametrize(
    ("cs", "cr", "sr", "more", "verdict"),
    [
        (3.1, 0.9, 4.0, {}, "sound"),
        ("open", 0.9, "open", {}, "start_open"),
        (3.1, "open", "open", {}, "run_open"),
        ("open", "open", 4.0, {"hot": True}, "overload_open"),
        ("open", "open", 4.0, {"hot": False}, "overload_open"),
        ("open", "open", "open", {}, "all_open"),
        (3.1, 0.9, 5.0, {}, "not_additive"),
        (3.1, 0.9, "open", {}, "not_additive"),
        ("open", 0.9, 4.0, {}, "not_additive"),
        (3.1, 0.9, 4.0, {"to_ground": True}, "grounded"),
        ("open", "open", 4.0, {"to_ground": {"s": True}}, "grounded"),
        (3.1, 0.9, 4.0, {"to_ground": {"s": False}}, "sound"),
        (3.1, 0.9, 4.0, {"to_ground": False}, "sound"),
        # leads of 0.3 Ω in every reading: 3.4, 1.2, 4.3
        (3.4, 1.2, 4.3, {"lead_ohm": 0.3}, "sound"),
        # 4.6 against 4.3 is outside max(0.2, 5 %) only without the leads
        (3.4, 1.2, 4.3, {}, "not_additive"),
    ],
)
def test_the_pattern_of_three_readings_gives_its_verdict(
    cs: Any, cr: Any, sr: Any, more: dict[str, Any], verdict: str
) -> None:
    result = judge(cs, cr, sr, **more)
    assert verdict == result.verdict
    assert result.findings


@pytest.mark.parametrize(
    ("sr", "verdict"), [(4.2, "sound"), (4.21, "not_additive"), (3.8, "sound"), (3.79, "not_additive")]
)
def test_the_sum_holds_within_two_tenths_of_an_ohm(sr: float, verdict: str) -> None:
    assert verdict == judge(3.1, 0.9, sr).verdict


@pytest.mark.parametrize(("sr", "verdict"), [(21.0, "sound"), (21.1, "not_additive")])
def test_on_large_windings_the_sum_holds_within_five_per_cent(sr: float, verdict: str) -> None:
    assert verdict == judge(15, 5, sr).verdict


def test_a_hot_open_overload_is_cooled_not_condemned() -> None:
    finding = judge("open", "open", 4.0, hot=True).findings[0]
    assert "Hot, not failed" in finding.text
    assert "cool" in str(finding.next_step)


def test_a_cold_shell_points_at_the_common_lead() -> None:
    assert "common lead" in str(judge("open", "open", 4.0, hot=False).findings[0].next_step)


def test_start_below_run_asks_whether_names_are_swapped() -> None:
    assert "START_BELOW_RUN" in {f.code for f in judge(0.9, 3.1, 4.0).findings}


@pytest.mark.parametrize(
    ("reference", "more", "verdict"),
    [
        ({"cs_ohm": 3.1, "cr_ohm": 0.9}, {}, "sound"),
        ({"cs_ohm": 3.9}, {}, "turn_short"),
        ({"cs_ohm": 3.5}, {}, "sound"),
        # 3.5 Ω at 77 °F is 3.5·(1 + 0.0039·(−10/1.8)) at 67 °F = 3.42: 9.5 % low
        ({"cs_ohm": 3.5, "winding_f": 77}, {"winding_f": 67}, "turn_short"),
        # 3.1 Ω at 77 °F is 3.43 Ω at 127 °F: reading 3.43 then is no short, reading 3.1 is
        ({"cs_ohm": 3.1, "winding_f": 77}, {"winding_f": 127}, "turn_short"),
    ],
)
def test_a_turn_short_shows_only_against_a_reference(
    reference: dict[str, float], more: dict[str, Any], verdict: str
) -> None:
    assert verdict == judge(3.1, 0.9, 4.0, reference=reference, **more).verdict


@pytest.mark.parametrize("order", list(permutations(("common", "start", "run"))))
def test_unlabelled_terminals_are_named_whichever_way_they_lie(order: tuple[str, str, str]) -> None:
    ohms = {
        frozenset(("common", "start")): 3.1,
        frozenset(("common", "run")): 0.9,
        frozenset(("start", "run")): 4.0,
    }
    a, b, c = order
    pairs = {
        "ab": ohms[frozenset((a, b))],
        "bc": ohms[frozenset((b, c))],
        "ca": ohms[frozenset((c, a))],
    }
    result = judge_windings(Windings.model_validate({"pairs": pairs}))
    assert {"a": a, "b": b, "c": c} == result.terminals
    assert "sound" == result.verdict


@pytest.mark.parametrize(
    ("pairs", "verdict"),
    [
        ({"ab": "open", "bc": "open", "ca": "open"}, "all_open"),
        ({"ab": "open", "bc": 0.9, "ca": "open"}, "unidentified"),
    ],
)
def test_with_a_pair_open_unlabelled_terminals_stay_unnamed(pairs: dict[str, Any], verdict: str) -> None:
    result = judge_windings(Windings.model_validate({"pairs": pairs}))
    assert (verdict, None) == (result.verdict, result.terminals)
    assert result.findings[0].next_step


def test_names_a_hair_apart_are_called_a_guess() -> None:
    result = judge_windings(Windings.model_validate({"pairs": {"ab": 4.0, "bc": 2.0, "ca": 2.05}}))
    assert "TERMINALS_TOO_CLOSE" in {f.code for f in result.findings}


@pytest.mark.parametrize(
    ("values", "more", "verdict"),
    [
        ((1.0, 1.02, 0.99), {}, "sound"),
        ((1.0, 1.2, 0.99), {}, "unequal"),
        (("open", "open", "open"), {"hot": True}, "overload_open"),
        (("open", "open", "open"), {}, "all_open"),
        ((1.0, "open", "open"), {}, "run_open"),
    ],
)
def test_three_phase_windings_read_alike(
    values: tuple[Any, Any, Any], more: dict[str, Any], verdict: str
) -> None:
    assert verdict == judge(*values, phase=3, **more).verdict


def test_the_meters_share_of_the_error_is_carried_through() -> None:
    # √(3.1² + 0.9² + 4.0²) = 5.14; 1 % of it
    assert pytest.approx(0.0514, rel=1e-3) == judge(3.1, 0.9, 4.0, accuracy_pct=1).plus_minus_ohm


@pytest.mark.parametrize(
    ("entry", "field"),
    [
        ({}, "cs_ohm"),
        ({"cs_ohm": 3, "cr_ohm": 1}, "sr_ohm"),
        ({"cs_ohm": "infinite", "cr_ohm": 1, "sr_ohm": 4}, "cs_ohm"),
        ({"cs_ohm": -3, "cr_ohm": 1, "sr_ohm": 4}, "cs_ohm"),
        ({"pairs": {"ab": 1, "bc": 2}}, "pairs.ca"),
    ],
)
def test_a_missing_or_impossible_reading_is_named(entry: dict[str, Any], field: str) -> None:
    with pytest.raises(ValidationError) as caught:
        Windings.model_validate(entry)
    assert field in {e.field for e in input_problem(caught.value).errors}


def test_leads_that_read_more_than_the_winding_are_refused() -> None:
    with pytest.raises(InputProblem, match="less than each reading"):
        judge(3.1, 0.9, 4.0, lead_ohm=1.5)


@given(cs=st.floats(min_value=0.5, max_value=40), cr=st.floats(min_value=0.2, max_value=20))
def test_true_sums_are_always_sound(cs: float, cr: float) -> None:
    assert "sound" == judge(cs, cr, cs + cr).verdict


@pytest.mark.parametrize(
    "reading",
    [
        {"cs_ohm": 0.0, "cr_ohm": 0.0, "sr_ohm": 0.0},
        {"cs_ohm": 2.4, "cr_ohm": 0.0, "sr_ohm": 2.4},
        {"cs_ohm": 2.6, "cr_ohm": 0.2, "sr_ohm": 2.6, "lead_ohm": 0.2},
        {"cs_ohm": 0.0, "cr_ohm": 0.0, "sr_ohm": 0.0, "phase": 3},
        {"pairs": {"ab": 0.0, "bc": 0.0, "ca": 0.0}},
    ],
)
def test_no_winding_reads_zero_ohms(reading: dict[str, Any]) -> None:
    """0 + 0 = 0 adds up, and is a meter or a lead, never a sound winding."""
    out = judge_windings(Windings.model_validate(reading))
    assert "sound" != out.verdict
    told = next(f for f in out.findings if f.code == "ZERO_OHMS")
    assert "unknown" == told.verdict
    assert "Prove the meter" in (told.next_step or "")
