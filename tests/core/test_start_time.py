import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.errors import InputProblem
from orange_crank.core.measure.start_sound import Sound, hear_start
from orange_crank.core.measure.start_time import StartTime, judge_start_time
from tests.golden.sounds import start_sound


@pytest.mark.parametrize("seconds", [0.25, 0.4, 0.8, 1.6, 3.0])
@pytest.mark.parametrize("hertz", [60.0, 50.0])
def test_a_start_is_heard_within_its_own_uncertainty(seconds: float, hertz: float) -> None:
    report = hear_start(start_sound(seconds, hertz=hertz))
    assert report.seconds is not None
    assert report.plus_minus_s is not None
    assert abs(report.seconds - seconds) <= report.plus_minus_s
    assert report.plus_minus_s < 0.12
    assert report.onset_s == pytest.approx(1.5, abs=0.05)


@settings(max_examples=25, deadline=None)
@given(seconds=st.floats(0.2, 2.5), noise=st.floats(0.0005, 0.02), seed=st.integers(0, 50))
def test_noise_widens_the_uncertainty_rather_than_the_error(seconds: float, noise: float, seed: int) -> None:
    report = hear_start(start_sound(seconds, noise=noise, seed=seed))
    if report.seconds is not None and report.plus_minus_s is not None:
        assert abs(report.seconds - seconds) <= report.plus_minus_s + 0.05


def test_a_stall_never_becomes_steady() -> None:
    report = hear_start(start_sound(4.0, after_s=0.3))
    assert report.seconds is None
    assert "unknown" == report.verdict
    assert report.findings[-1].next_step


@pytest.mark.parametrize("steady", [1.0, 0.9])
def test_a_hum_that_never_falls_is_no_start(steady: float) -> None:
    """A stalled rotor hums at one loudness until something opens."""
    rng = np.random.default_rng(3)
    t = np.arange(6 * 8_000) / 8_000.0
    loud = np.where(t < 1.5, 0.0, np.where(t < 1.9, 1.0, steady))
    hum = loud * (0.2 * np.sin(2 * np.pi * 120 * t) + 0.1 * np.sin(2 * np.pi * 240 * t))
    told = hear_start(Sound(8_000.0, hum + rng.normal(0, 0.002, len(t))))
    assert told.seconds is None
    assert "watch" == told.verdict
    assert "NEVER_FALLS" in {f.code for f in told.findings}


def test_a_start_that_stops_again_is_no_start_time() -> None:
    assert hear_start(start_sound(0.6, stops_after=2.0)).seconds is None


def test_no_start_on_the_recording_is_said() -> None:
    rng = np.random.default_rng(3)
    report = hear_start(Sound(8_000.0, rng.normal(0, 0.01, 40_000)))
    assert ["NO_ONSET"] == [f.code for f in report.findings]


def test_too_loud_is_said() -> None:
    sound = start_sound(0.6)
    report = hear_start(Sound(sound.sample_hz, np.clip(8 * sound.samples, -1, 1)))
    assert "CLIPPED" in [f.code for f in report.findings]


@pytest.mark.parametrize(
    ("sound", "wanted"),
    [
        (Sound(8_000.0, np.zeros(16_000)), "not silence"),
        (Sound(8_000.0, np.ones(100)), "between 1 and 120 s"),
        (Sound(1_000.0, np.ones(10_000)), "samples a second"),
        (Sound(8_000.0, np.full(16_000, np.nan)), "numbers only"),
    ],
)
def test_unusable_sound_is_refused_with_what_is_wanted(sound: Sound, wanted: str) -> None:
    with pytest.raises(InputProblem, match=wanted):
        hear_start(sound)


def test_taps_carry_a_fifth_of_a_second() -> None:
    result = judge_start_time(StartTime(seconds=0.4))
    assert 0.2 == result.plus_minus_s
    assert "watch" == result.verdict  # 0.4 + 0.2 s straddles 0.5 s


@pytest.mark.parametrize(
    ("now", "then", "said"), [(0.9, 0.4, "longer"), (0.6, 0.4, "same"), (0.3, 0.9, "shorter")]
)
def test_two_times_differ_only_beyond_both_uncertainties(now: float, then: float, said: str) -> None:
    result = judge_start_time(StartTime(seconds=now, last_visit_s=then, sister_s=then, sister="Unit 2"))
    assert said == result.against_last_visit == result.against_sister
    limit = math.hypot(0.2, 0.2)
    assert (abs(now - then) > limit) is (said != "same")
