"""Before against after: comparable or not, and what gets the credit."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.measure.compare import Comparison, ComparisonResult, compare

GOOD: dict[str, Any] = {
    "value_a": 92,
    "mode": "inrush",
    "conductor": "common",
    "volts": 236,
    "outdoor_f": 84,
    "rest_min": 10,
}


def run(
    before: dict[str, Any] | None = None,
    after: dict[str, Any] | None = None,
    changes: list[str] | None = None,
) -> ComparisonResult:
    return compare(
        Comparison.model_validate(
            {
                "before": {**GOOD, **(before or {})},
                "after": {**GOOD, "value_a": 69, **(after or {})},
                "changes": changes or [],
            }
        )
    )


def test_a_clean_pair_with_one_change_gives_it_the_credit() -> None:
    result = run(changes=["start kit"])
    assert ("yes", "start kit", []) == (result.comparable, result.credit, result.reasons)
    assert pytest.approx(-25.0) == result.change_pct
    assert "Start amps fell 25 % after “start kit”." == result.sentence


@pytest.mark.parametrize(
    ("after", "comparable", "word"),
    [
        ({"mode": "peak"}, "no", "modes differ"),
        ({"conductor": "run"}, "no", "places differ"),
        ({"learning_starts": 2}, "no", "learning starts"),
        ({"learning_starts": 8}, "yes", ""),
        ({"volts": 228.8}, "weak", "Volts differ"),
        ({"volts": 229}, "yes", ""),
        ({"outdoor_f": 100}, "weak", "Outdoor"),
        ({"outdoor_f": 99}, "yes", ""),
        ({"outdoor_f": None}, "yes", ""),
        ({"rest_min": 4}, "weak", "min off"),
        ({"rest_min": 5}, "yes", ""),
        ({"rest_min": None}, "weak", "unknown"),
        ({"volts": 200, "mode": "peak"}, "no", "modes differ"),
    ],
)
def test_each_difference_spoils_it_as_much_as_it_should(
    after: dict[str, Any], comparable: str, word: str
) -> None:
    result = run(after=after, changes=["start kit"])
    assert comparable == result.comparable
    assert word in " ".join(result.reasons)
    assert (comparable != "yes") == bool(result.reasons)


def test_rest_unknown_on_both_sides_does_not_weaken_it() -> None:
    assert "yes" == run({"rest_min": None}, {"rest_min": None}).comparable


@pytest.mark.parametrize("outcome", ["stalled", "tripped"])
@pytest.mark.parametrize("side", ["before", "after"])
def test_a_start_that_never_happened_has_no_percentage(side: str, outcome: str) -> None:
    result = run(**{side: {"outcome": outcome}}, changes=["start kit"])
    assert result.change_pct is None
    assert outcome in result.sentence


def test_several_changes_share_no_credit() -> None:
    result = run(changes=["start kit", "run capacitor"])
    assert result.credit is None
    assert "NO_SOLE_CREDIT" in {f.code for f in result.findings}


def test_the_same_change_named_twice_is_one_change() -> None:
    assert run(changes=["start kit", "start kit"]).credit == "start kit"


def test_no_credit_comes_from_readings_that_cannot_be_compared() -> None:
    result = run(after={"mode": "peak"}, changes=["start kit"])
    assert result.credit is None
    assert "CREDIT_WITHHELD" in {f.code for f in result.findings}


@given(
    before=st.floats(min_value=1, max_value=500),
    after=st.floats(min_value=1, max_value=500),
)
def test_the_percentage_is_raw_and_undoes_itself(before: float, after: float) -> None:
    there = run({"value_a": before}, {"value_a": after}).change_pct
    back = run({"value_a": after}, {"value_a": before}).change_pct
    assert there is not None
    assert back is not None
    assert pytest.approx(1.0) == (1 + there / 100) * (1 + back / 100)


@pytest.mark.parametrize(("place", "mode"), [("panel", "inrush"), ("common", "energy_monitor")])
def test_a_panel_or_an_energy_monitor_earns_nothing_any_credit(place: str, mode: str) -> None:
    side = {
        "value_a": 100.0,
        "mode": mode,
        "conductor": place,
        "volts": 230.0,
        "rest_min": 10.0,
        "outdoor_f": 90.0,
    }
    out = compare(
        Comparison.model_validate(
            {"before": side, "after": side | {"value_a": 60.0}, "changes": ["start kit fitted"]}
        )
    )
    assert out.credit is None
    assert "CREDIT_WITHHELD" in {f.code for f in out.findings}


@pytest.mark.parametrize(("after", "said"), [(90.0, True), (115.0, True), (70.0, False)])
def test_one_pair_within_the_closing_angle_asks_for_three_starts(after: float, said: bool) -> None:
    side = {"value_a": 100.0, "mode": "inrush", "conductor": "common", "volts": 230.0}
    out = compare(
        Comparison.model_validate({"before": side, "after": side | {"value_a": after}, "changes": []})
    )
    told = [f for f in out.findings if f.code == "WITHIN_THE_CLOSING_ANGLE"]
    assert bool(told) == said
    if said:
        assert "three starts" in (told[0].next_step or "")
