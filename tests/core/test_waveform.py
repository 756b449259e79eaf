"""Golden waveforms give the readings each meter mode should give, and the starts that are on them."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.errors import InputProblem
from orange_crank.core.measure.inrush import Inrush, judge_inrush
from orange_crank.core.measure.waveform import (
    StartFound,
    Waveform,
    meter_readings,
    read_waveform,
    rolling_rms,
    thinned,
)
from orange_crank.core.motor import StartIn, compute_start
from orange_crank.core.motor.assemble import assemble
from orange_crank.core.motor.start import simulate
from tests.golden import waveforms as golden


def only_start(wave: Waveform) -> StartFound:
    starts = read_waveform(wave).starts
    assert 1 == len(starts)
    return starts[0]


def test_a_slow_start_reads_stall_amps_in_every_mode_that_looks() -> None:
    shown = meter_readings(golden.slow_start())
    assert pytest.approx(100, rel=0.01) == shown.inrush
    assert pytest.approx(100, rel=0.01) == shown.max_hold
    assert pytest.approx(100 * math.sqrt(2), rel=0.001) == shown.peak
    # 0.8 s of the worst whole second at 100 A and 215 V, the rest at 17 A and 235.75 V or nothing
    assert shown.energy_monitor_w is not None
    assert shown.energy_monitor_w < 0.6 * 100 * 215


def test_a_quick_start_averages_away_in_max_hold_and_half_away_in_inrush() -> None:
    shown = meter_readings(golden.quick_start())
    # 100 ms: half at 100 A, half at 17 A → √((100² + 17²)/2) = 71.7
    assert pytest.approx(71.7, rel=0.01) == shown.inrush
    # a quarter second from 0.5 s: 0.05 s at 100, 0.2 s at 17 → √((0.05·100² + 0.2·17²)/0.25) = 47.2
    assert pytest.approx(47.2, rel=0.01) == shown.max_hold
    assert pytest.approx(100 * math.sqrt(2), rel=0.001) == shown.peak


def test_a_fan_that_starts_first_uses_up_the_shot() -> None:
    shown = meter_readings(golden.fan_first())
    assert pytest.approx(6.0, rel=0.02) == shown.inrush
    assert pytest.approx(0.5, abs=0.002) == shown.inrush_from_s
    assert meter_readings(golden.fan_first(), trigger_a=20).inrush == pytest.approx(101.4, rel=0.01)


def test_the_fan_and_the_compressor_are_found_as_two_starts() -> None:
    fan, compressor = read_waveform(golden.fan_first()).starts
    assert pytest.approx(0.5, abs=0.02) == fan.onset_s
    assert pytest.approx(2.0, abs=0.02) == compressor.onset_s
    assert pytest.approx(101.4, rel=0.02) == compressor.max_cycle_rms_a
    assert pytest.approx(0.4, abs=0.02) == compressor.start_time_s


def test_a_start_is_measured_whole() -> None:
    found = only_start(golden.slow_start())
    assert pytest.approx(0.5, abs=0.002) == found.onset_s
    assert pytest.approx(0.8, abs=0.02) == found.start_time_s
    assert pytest.approx(17, rel=0.01) == found.settled_a
    assert pytest.approx(100**2 * 0.8, rel=0.02) == found.i2t_a2s
    assert pytest.approx(240, rel=0.002) == found.volts_before_v
    assert pytest.approx(215, rel=0.005) == found.dip_v
    assert pytest.approx(100 * 25 / 240, rel=0.03) == found.sag_pct
    assert pytest.approx(0.8, abs=0.03) == found.sag_length_s


def test_a_stall_has_no_start_time() -> None:
    found = only_start(golden.stall())
    assert found.start_time_s is None
    assert pytest.approx(95, rel=0.01) == found.settled_a


def test_several_starts_in_one_capture_are_listed() -> None:
    starts = read_waveform(golden.two_starts()).starts
    assert [pytest.approx(0.5, abs=0.02), pytest.approx(3.0, abs=0.02)] == [s.onset_s for s in starts]
    assert [pytest.approx(90, rel=0.02), pytest.approx(92, rel=0.02)] == [s.inrush_100ms_a for s in starts]


def test_a_load_that_runs_from_the_beginning_is_no_start() -> None:
    assert [] == read_waveform(golden.steps([(0.0, 17.0)])).starts


@pytest.mark.parametrize("angle", [0, 30, 90, 135, 200, 300])
def test_the_closing_angle_is_read_off_the_voltage(angle: float) -> None:
    found = only_start(golden.steps([(0.5, 100.0), (0.9, 17.0)], angle_deg=angle))
    wrapped = (found.closing_angle_deg or 0) % 360
    # first current may lie a sample late where the sine begins at zero
    assert min(abs(wrapped - angle), 360 - abs(wrapped - angle)) < 12


@given(
    stall=st.floats(min_value=40, max_value=200),
    seconds=st.floats(min_value=0.15, max_value=1.5),
    run=st.floats(min_value=5, max_value=20),
)
def test_start_time_is_found_whatever_the_size(stall: float, seconds: float, run: float) -> None:
    found = only_start(golden.steps([(0.5, stall), (0.5 + seconds, run)]))
    assert pytest.approx(seconds, abs=0.03) == found.start_time_s
    assert pytest.approx(stall, rel=0.03) == found.max_cycle_rms_a


@pytest.mark.parametrize(
    ("rate", "samples", "wanted"),
    [
        (100, np.zeros(1000), "samples a second"),
        (6000, np.zeros(20), "one cycle"),
        (6000, np.full(6000, np.nan), "finite numbers"),
        (float("nan"), np.zeros(1000), "samples a second"),
    ],
)
def test_a_waveform_that_cannot_be_read_says_why(rate: float, samples: np.ndarray, wanted: str) -> None:
    with pytest.raises(InputProblem, match=wanted):
        Waveform(sample_hz=rate, line_a=samples)


def test_rolling_rms_of_a_sine_is_its_amplitude_over_root_two() -> None:
    wave = golden.steps([(0.0, 10.0)], duration_s=1)
    assert pytest.approx(10, rel=1e-6) == float(rolling_rms(wave.line_a, wave.cycle)[-1])


@given(count=st.integers(min_value=1, max_value=5000), points=st.integers(min_value=4, max_value=400))
def test_thinning_keeps_every_peak(count: int, points: int) -> None:
    values = np.random.default_rng(count).normal(size=count)
    picks, kept = thinned(values, points)
    assert len(kept) <= points + 2
    assert bool(np.all(np.diff(picks) >= 0))
    assert {float(values.max()), float(values.min())} <= set(kept.tolist())


def test_an_inrush_judged_from_its_waveform_needs_no_second_reading() -> None:
    """The waveform itself says whether the rotor got away."""

    def judged(wave: Waveform) -> str:
        assert wave.line_v is not None
        result = judge_inrush(
            Inrush.model_validate(
                {
                    "reading_a": 100,
                    "mode": "waveform",
                    "conductor": "common",
                    "lra_a": 107,
                    "volts_start": 215,
                    "plate_volts": 230,
                    "waveform": {"sample_hz": wave.sample_hz, "line_a": wave.line_a.tolist()},
                }
            )
        )
        return result.verdict

    assert "accelerating" == judged(golden.slow_start())
    assert "not_turning" == judged(golden.stall())


@pytest.mark.parametrize("ahead_s", [0.0, 0.1, 0.15, 0.2, 0.3, 0.8])
@pytest.mark.parametrize("size", ["bare", "kit"])
def test_a_fan_that_starts_a_moment_ahead_does_not_hide_the_compressors_start(
    ahead_s: float, size: str
) -> None:
    """A computed start with a fan in the clamp that came on before it."""
    plate = {"volts": 230.0, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112.0}], "run_cap_uf": 45.0}
    aid = {"kind": "start_capacitor", "start_cap_uf": 119.0} if size == "kit" else {"kind": "none"}
    entry = StartIn.model_validate(
        {"plate": plate, "aid": aid, "load": {"start_torque_pct": 12.0}, "duration_s": 2.0}
    )
    ran = simulate(assemble(entry))
    rate = 1.0 / ran.made.step_s
    begins = round((0.4 + ahead_s) * rate)
    line = np.concatenate((np.zeros(begins), ran.out[0]))
    t = np.arange(len(line)) / rate - 0.4
    fan = np.where(
        t >= 0, 2.0 * (1 + 1.5 * np.exp(-np.maximum(t, 0) / 0.15)) * np.sin(2 * np.pi * 60 * t), 0.0
    )
    alone = compute_start(entry)
    report = read_waveform(Waveform(sample_hz=rate, line_a=line + fan))
    largest = max(report.starts, key=lambda s: s.max_cycle_rms_a)
    assert largest.onset_s == pytest.approx(0.4 + ahead_s, abs=1.2 / 60)
    assert largest.inrush_100ms_a == pytest.approx(alone.inrush_100ms_a, rel=0.08)
    assert largest.start_time_s is not None
    assert largest.start_time_s < (alone.time_to_speed_s or 9.0) + 0.2
