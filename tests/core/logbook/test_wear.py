"""Forecasts of wear: what they may say, what they must not, and how often they are right."""

from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from statistics import median

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from orange_crank.bench.histories import capacitor_history, start_history
from orange_crank.core.logbook.switchings import counted, switchings
from orange_crank.core.logbook.trend import trend
from orange_crank.core.logbook.wear import (
    CAPACITOR,
    CONTACT_DROP,
    CYCLES,
    START_TIME,
    YEAR_DAYS,
    Seen,
    between,
    forecast,
)

START = datetime(2020, 5, 1, 12, tzinfo=UTC)
LABEL, LOW = 45.0, 42.3


def yearly(*values: float, person: str = "A") -> list[Seen]:
    return [Seen(v, START + timedelta(days=YEAR_DAYS * i), person) for i, v in enumerate(values)]


def told(seen: list[Seen], **more: object):  # type: ignore[no-untyped-def]
    entry = {"wear": CAPACITOR, "scale": LABEL, "limit": LOW, "now": seen[-1].at, "title": "Run capacitor"}
    return forecast(seen, **(entry | {"unit": "µF"} | more))  # type: ignore[arg-type]


def test_two_visits_are_no_forecast_and_neither_are_three_readings_of_one_day() -> None:
    assert told(yearly(44.8, 44.0)) is None
    one_day = [Seen(44.8 - i / 10, START + timedelta(minutes=i), "A") for i in range(6)]
    assert told(one_day) is None
    assert told(yearly(44.8, 44.4, 44.0)) is not None


def test_few_visits_are_said_to_be_few() -> None:
    few, many = told(yearly(44.8, 44.4, 44.0)), told(yearly(44.8, 44.6, 44.4, 44.2, 44.0, 43.8))
    assert few is not None
    assert many is not None
    assert few.few
    assert "only 3 visits" in few.words
    assert not many.few
    assert "Only" not in many.words


def test_a_capacitor_that_reads_out_has_passed_and_gets_no_date() -> None:
    found = told(yearly(44.0, 43.0, 42.0))
    assert found is not None
    assert "passed" == found.state
    assert found.earliest is found.likely is found.latest is None


def test_one_that_holds_its_value_is_not_given_a_date() -> None:
    found = told(yearly(*[46.5] * 8))
    assert found is not None
    assert "far" == found.state
    assert "not" in found.words


rates = st.floats(0.002, 0.02)


@given(rates, st.integers(4, 12))
def test_the_dates_stand_in_order_and_none_lies_in_the_past(rate: float, visits: int) -> None:
    seen = yearly(*[44.9 * (1 - rate * i) for i in range(visits)])
    found = told(seen)
    assert found is not None
    dates = [d for d in (found.earliest, found.likely, found.latest) if d is not None]
    assert dates == sorted(dates)
    assert all(d >= seen[-1].at.date() for d in dates)


@given(rates, st.integers(4, 10))
def test_what_falls_faster_is_due_no_later(rate: float, visits: int) -> None:
    slow = told(yearly(*[44.9 * (1 - rate * i) for i in range(visits)]))
    fast = told(yearly(*[44.9 * (1 - 1.5 * rate * i) for i in range(visits)]))
    assert slow is not None
    assert fast is not None
    far = date.max
    assert (fast.likely or (date.min if fast.state == "passed" else far)) <= (
        slow.likely or (date.min if slow.state == "passed" else far)
    )


@given(st.floats(0.5, 3.0), st.integers(4, 9))
def test_another_label_of_the_same_shares_has_the_same_dates(scale: float, visits: int) -> None:
    """Properties of shares: 90 µF at the same per cent wears like 45 µF."""
    values = [44.9 * (1 - 0.008 * i) for i in range(visits)]
    one = told(yearly(*values))
    other = told(yearly(*[v * scale for v in values]), scale=LABEL * scale, limit=LOW * scale)
    assert one is not None
    assert other is not None
    assert one.state == other.state
    if one.likely and other.likely:
        assert abs((one.likely - other.likely).days) <= 2


@given(st.integers(4, 9), st.floats(0.85, 1.15), st.data())
def test_one_wild_reading_moves_the_date_less_than_it_would_alone(
    visits: int, wild: float, data: st.DataObject
) -> None:
    assume(abs(wild - 1) > 0.06)
    values = [44.9 * (1 - 0.006 * i) for i in range(visits)]
    at = data.draw(st.integers(0, visits - 2))
    clean = told(yearly(*values))
    values[at] *= wild
    dirty = told(yearly(*values))
    assert clean is not None
    assert dirty is not None
    if clean.likely and dirty.likely:
        assert abs((clean.likely - dirty.likely).days) < 4 * YEAR_DAYS


def test_a_step_at_a_change_of_person_counts_for_less_than_the_units_own() -> None:
    own = told(yearly(44.9, 44.8, 44.8, 43.7, 43.6, 43.6))
    seen = yearly(44.9, 44.8, 44.8, 43.7, 43.6, 43.6)
    theirs = [Seen(s.value, s.at, "A" if i < 3 else "B") for i, s in enumerate(seen)]
    other = told(theirs)
    assert own is not None
    assert other is not None
    assert abs(other.rate_pct_per_year) < abs(own.rate_pct_per_year)


def test_a_new_part_is_known_to_have_begun_at_its_label() -> None:
    seen = yearly(44.9, 44.6, 44.3)
    known, unknown = told(seen, fitted_at=seen[0].at), told(seen)
    assert known is not None
    assert unknown is not None
    assert known.rate_pct_per_year != unknown.rate_pct_per_year


def test_a_contact_that_drops_more_each_year_is_due_when_it_reaches_its_limit() -> None:
    seen = yearly(0.06, 0.1, 0.16, 0.22, 0.29, 0.36)
    found = forecast(seen, wear=CONTACT_DROP, scale=0.5, limit=0.5, now=seen[-1].at, title="Contactor drop")
    assert found is not None
    assert "due" == found.state
    assert found.likely is not None
    assert date(2026, 5, 1) < found.likely < date(2030, 1, 1)


def test_an_interval_is_spoken_as_people_say_it() -> None:
    assert "between March and October 2027" == between(date(2027, 3, 4), date(2027, 10, 9))
    assert "between November 2026 and May 2028" == between(date(2026, 11, 1), date(2028, 5, 1))
    assert "in May 2027" == between(date(2027, 5, 1), date(2027, 5, 30))
    assert "after May 2027" == between(date(2027, 5, 1), None)


def test_the_ninety_per_cent_interval_covers_about_that_many() -> None:
    """Seeds of their own: neither those the constants were chosen with nor the benchmark's."""
    inside = total = 0
    errors = []
    for seed in range(50_000, 50_260):
        h = capacitor_history(seed, 5)
        if h.leaves_at is None or h.leaves_at <= h.now or h.seen[-1].value < h.low_uf:
            continue
        found = forecast(h.seen, wear=CAPACITOR, scale=h.label_uf, limit=h.low_uf, now=h.now)
        assert found is not None
        truth = h.leaves_at.date()
        total += 1
        inside += (found.earliest is None or found.earliest <= truth) and (
            found.latest is None or truth <= found.latest
        )
        if found.likely is not None:
            errors.append(abs((found.likely - truth).days) / YEAR_DAYS)
    assert total > 80
    assert 0.8 <= inside / total <= 0.98
    assert median(errors) < 2.0


@given(st.lists(st.floats(0.1, 500), min_size=3, max_size=9), st.sampled_from([CAPACITOR, CONTACT_DROP]))
def test_whatever_was_read_a_forecast_never_breaks(values: list[float], wear) -> None:  # type: ignore[no-untyped-def]
    found = told(yearly(*values), wear=wear)
    assert found is not None
    assert "nan" not in found.words


def test_a_drift_wants_four_visits_and_more_than_chance() -> None:
    assert trend(yearly(0.3, 0.4, 0.5), "start_time_s", "Start time", "s") is None
    rising = trend(yearly(0.3, 0.4, 0.5, 0.6, 0.72), "start_time_s", "Start time", "s")
    assert rising is not None
    assert rising.sure
    assert rising.per_year == pytest.approx(0.1, abs=0.01)
    noise = trend(yearly(0.4, 0.3, 0.5, 0.3, 0.4), "start_time_s", "Start time", "s")
    assert noise is not None
    assert not noise.sure


@given(st.floats(-2, 2), st.integers(5, 9), st.integers(0, 8))
def test_one_odd_reading_does_not_turn_a_slope(slope: float, visits: int, odd: int) -> None:
    values = [10 + slope * i for i in range(visits)]
    assume(odd < visits)
    values[odd] += 25
    found = trend(yearly(*values), "inrush_a", "Inrush", "A")
    assert found is not None
    assert found.per_year == pytest.approx(slope, abs=6.5)


def test_the_interval_of_longer_starts_covers_about_nine_of_ten() -> None:
    inside = total = 0
    for seed in range(40_000, 40_400):
        h = start_history(seed, 6)
        if h.passes_at is None or h.passes_at <= h.now or h.seen[-1].value > h.limit_s:
            continue
        found = forecast(h.seen, wear=START_TIME, scale=h.limit_s, limit=h.limit_s, now=h.now)
        if found is None or found.state == "passed":
            continue
        total += 1
        day = h.passes_at.date()
        inside += (found.earliest is None or day >= found.earliest) and (
            found.latest is None or day <= found.latest
        )
    assert total > 150
    assert 0.85 <= inside / total <= 0.98


counts = st.lists(
    st.tuples(st.integers(0, 4_000), st.floats(0, 2_000_000)),
    min_size=0,
    max_size=8,
    unique_by=lambda p: p[0],
)


@given(counts)
def test_a_count_that_falls_begins_anew_and_a_rate_is_never_negative(points: list[tuple[int, float]]) -> None:
    seen = [Seen(value, START + timedelta(days=day)) for day, value in points]
    kept = counted(seen)
    assert all(a.value <= b.value and a.at < b.at for a, b in pairwise(kept))
    told_ = switchings(seen)
    if told_ is None:
        assert len(kept) < 2 or (kept[-1].at - kept[0].at).days < 7
        return
    assert told_.per_day >= 0
    assert told_.before_per_day is None or told_.before_per_day >= 0
    assert not told_.more or "short cycling" in told_.words


def test_starts_a_day_are_held_against_those_before() -> None:
    steady = [Seen(n, START + timedelta(days=d)) for d, n in ((0, 1_000), (365, 8_300), (730, 15_600))]
    often = [*steady, Seen(20_000, START + timedelta(days=760))]
    plain, more = switchings(steady), switchings(often)
    assert plain is not None
    assert more is not None
    assert (plain.per_day, plain.before_per_day, plain.more) == (20.0, 20.0, False)
    assert more.more
    assert more.words.startswith("147 starts a day since")
    assert switchings(steady[:1]) is None


def test_a_count_far_from_its_life_gets_no_date_and_one_near_it_does() -> None:
    def at(*values: float) -> object:
        seen = yearly(*values)
        return forecast(
            seen, wear=CYCLES, scale=1e6, limit=1e6, now=seen[-1].at, title="Contactor", unit="starts"
        )

    far, near = at(10_000, 20_000, 30_000), at(700_000, 790_000, 880_000)
    assert far is not None
    assert near is not None
    assert "far" == far.state  # type: ignore[attr-defined]
    assert "due" == near.state  # type: ignore[attr-defined]
    assert "1,000,000 starts" in near.words  # type: ignore[attr-defined]
