"""What a unit draws: by robust regression, with what the trade knows as prior."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.bench.histories import amps_history
from orange_crank.core.logbook.baseline import Drawn, against_baseline, baseline

START = datetime(2020, 5, 1, 12, tzinfo=UTC)


def visits(*rows: tuple[float, float], volts: float | None = 236.0) -> list[Drawn]:
    return [Drawn(a, f, volts, START + timedelta(days=365 * i)) for i, (a, f) in enumerate(rows)]


def law(level: float, rise: float, *outdoor: float) -> list[Drawn]:
    return visits(*[(level * float(np.exp(rise * (f - 95))), f) for f in outdoor])


def test_two_visits_make_no_baseline() -> None:
    assert baseline(law(12, 0.0095, 80, 100)) is None
    one_day = [Drawn(12.0, 90.0, 236.0, START + timedelta(minutes=i)) for i in range(9)]
    assert baseline(one_day) is None


@given(st.floats(3, 60), st.floats(0.007, 0.012))
def test_a_unit_that_follows_its_law_is_found_out(level: float, rise: float) -> None:
    line = baseline(law(level, rise, 75, 82, 90, 96, 104, 108))
    assert line is not None
    assert line.at_95f_a == pytest.approx(level, rel=0.03)
    assert line.rise_pct_per_f == pytest.approx(100 * rise, abs=0.12)


@given(st.floats(3, 60), st.integers(0, 6), st.floats(1.2, 1.8))
def test_one_clamp_in_the_wrong_place_does_not_move_the_line(level: float, at: int, factor: float) -> None:
    drawn = law(level, 0.0095, 75, 82, 90, 96, 100, 104, 108)
    drawn[at] = Drawn(drawn[at].amps_a * factor, drawn[at].outdoor_f, 236.0, drawn[at].at)
    line = baseline(drawn)
    assert line is not None
    assert line.at_95f_a == pytest.approx(level, rel=0.06)


def test_three_visits_on_like_days_keep_the_trades_slope() -> None:
    line = baseline(visits((12.0, 94), (12.3, 95), (11.8, 96)))
    assert line is not None
    assert 0.7 <= line.rise_pct_per_f <= 1.2
    assert line.few


def test_todays_amps_are_told_against_this_units_own() -> None:
    line = baseline(law(12, 0.0095, 75, 82, 90, 96, 104, 108))
    assert line is not None
    high = against_baseline(line, Drawn(13.9, 97.0, 236.0, START))
    assert "watch" == high.verdict
    assert "above what this unit draws at 97\u00a0°F" in high.text
    assert high.next_step
    expected, _ = line.expected(97.0, 236.0)
    assert f"{13.9 - expected:.1f} A above" in high.text
    same = against_baseline(line, Drawn(expected, 97.0, 236.0, START))
    assert "pass" == same.verdict


@given(st.floats(1, 80), st.floats(-20, 120))
def test_more_amps_never_read_as_less_above(amps: float, outdoor: float) -> None:
    line = baseline(law(12, 0.0095, 75, 90, 104))
    assert line is not None
    one, two = (against_baseline(line, Drawn(a, outdoor, 236.0, START)) for a in (amps, amps + 1))
    assert one.inputs["expected_a"] == two.inputs["expected_a"]
    assert one.arithmetic != two.arithmetic


def test_volts_that_were_never_noted_are_not_needed() -> None:
    drawn = [Drawn(d.amps_a, d.outdoor_f, None, d.at) for d in law(12, 0.0095, 75, 90, 104)]
    line = baseline(drawn)
    assert line is not None
    assert line.usual_v is None
    assert line.expected(95, 240)[0] == pytest.approx(12, rel=0.03)


def test_a_sound_visit_is_called_sound_nine_times_in_ten() -> None:
    held = total = 0
    for seed in range(70_000, 70_300):
        drawn, _, _ = amps_history(seed, 7)
        line = baseline(drawn[:-1])
        assert line is not None
        expected, spread = line.expected(drawn[-1].outdoor_f, drawn[-1].volts_v)
        total += 1
        held += abs(drawn[-1].amps_a - expected) <= 2 * spread
    assert 0.8 <= held / total <= 0.98
