"""The fleet by what waiting risks, and what is fitted on a unit now."""

from datetime import UTC, date, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.call.changes import TAKEN_OFF, Change, PartKind
from orange_crank.core.call.visits import Visit
from orange_crank.core.logbook.fitted import fitted_now
from orange_crank.core.logbook.fleet import (
    SUMMER,
    UnitAhead,
    breakdown_cost,
    chance_within,
    fleet_lines,
    see_to_by,
)
from orange_crank.core.logbook.wear import Forecast
from orange_crank.core.tables.standards import shipped_standards, with_standard

TODAY = date(2026, 11, 26)
LIMITS = shipped_standards()
days = st.integers(10, 4_000)


def due(early: int, likely: int, late: int | None) -> Forecast:
    return Forecast(
        quantity="run_cap_uf",
        title="Run capacitor",
        unit="µF",
        limit=42.3,
        latest_value=43.0,
        visits=5,
        few=True,
        rate_pct_per_year=-1.0,
        state="due",
        earliest=TODAY + timedelta(days=early),
        likely=TODAY + timedelta(days=likely),
        latest=TODAY + timedelta(days=late) if late is not None else None,
        words="Run capacitor passes 42.3 µF.",
        reason="",
    )


spans = st.tuples(days, days, days).map(lambda d: due(*sorted(d)))


@given(spans, st.floats(0.1, 8), st.floats(0.1, 8))
def test_more_time_is_never_a_smaller_chance(f: Forecast, a: float, b: float) -> None:
    short, long = sorted((a, b))
    assert 0 <= chance_within(f, TODAY, short) <= chance_within(f, TODAY, long) <= 1


@given(spans)
def test_it_is_seen_to_before_it_is_likely_and_never_in_the_past_or_in_the_season(f: Forecast) -> None:
    by = see_to_by(f, TODAY)
    assert by is not None
    assert f.likely is not None
    assert TODAY <= by <= f.likely
    if by > TODAY:
        assert by.month not in SUMMER or (by.month, by.day) == (5, 1)


def test_a_summer_breakdown_costs_more_and_the_shop_says_how_much() -> None:
    winter, summer = breakdown_cost(date(2027, 1, 9), LIMITS), breakdown_cost(date(2027, 7, 9), LIMITS)
    assert summer == LIMITS.summer_cost_factor * winter
    assert 2 * winter == breakdown_cost(date(2027, 1, 9), with_standard(LIMITS, "breakdown_hours", 5.0))
    same = with_standard(LIMITS, "summer_cost_factor", 1.0)
    assert winter == breakdown_cost(date(2027, 7, 9), same)


@given(st.lists(st.lists(spans, max_size=3), max_size=6))
def test_what_waiting_risks_stands_first(fleet: list[list[Forecast]]) -> None:
    units = [
        UnitAhead(
            unit_id=i,
            unit=f"Unit {i}",
            site="Site",
            forecasts=f,
            age_years=None,
            last_visit=None,
            open_tasks=0,
        )
        for i, f in enumerate(fleet)
    ]
    lines = fleet_lines(units, LIMITS, TODAY)
    risks = [line.at_risk for line in lines]
    assert sorted(risks, reverse=True) == risks
    assert {u.unit_id for u in units} == {line.unit_id for line in lines}
    assert all("can't" in line.words or "No forecast" in line.words or line.what for line in lines)


parts = st.sampled_from(
    ["run_capacitor", "fan_capacitor", "dual_capacitor", "contactor", "charge", "start_kit"]
)


@given(st.lists(st.tuples(parts, st.booleans()), max_size=12))
def test_of_each_part_the_last_one_put_in_is_there_and_what_came_off_is_not(
    done: list[tuple[PartKind, bool]],
) -> None:
    at = datetime(2026, 1, 1, tzinfo=UTC)
    changes = [
        Change(
            id=i + 1,
            what=(TAKEN_OFF if off else "") + f"{part} {i}",
            part=part,
            made_at=at + timedelta(days=i),
            person="A",
        )
        for i, (part, off) in enumerate(done)
    ]
    there = fitted_now([Visit(i, (), [c]) for i, c in enumerate(changes)])
    kinds = [f.part for f in there]
    assert len(kinds) == len(set(kinds))
    assert "charge" not in kinds
    assert not {"dual_capacitor", "run_capacitor"} <= set(kinds)
    for f in there:
        last = [(i, off) for i, (part, off) in enumerate(done) if part == f.part][-1]
        assert not last[1]
        assert f.call_id == last[0]
