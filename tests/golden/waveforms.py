"""Golden waveforms: made here from stated amplitudes, so that every figure read off them is known.

A load that draws ``stall_a`` RMS for ``stall_s``, then ``run_a`` RMS, switched at a cycle's zero; a fan
may start earlier on its own.
"""

import math

import numpy as np

from orange_crank.core.measure.waveform import Waveform

HERTZ = 60.0


def steps(
    levels: list[tuple[float, float]],
    sample_hz: float = 6_000,
    duration_s: float = 4.0,
    line_v: float = 240.0,
    ohms: float = 0.25,
    angle_deg: float = 0.0,
) -> Waveform:
    """Return a waveform whose current's RMS is piecewise constant.

    Parameters
    ----------
    levels : (from [s], RMS [A]) in order; zero before the first
    sample_hz : samples a second
    duration_s : length [s]
    line_v : voltage without load, RMS [V]
    ohms : source resistance; the line sags by ohms × amps [Ω]
    angle_deg : phase of the voltage at t = 0 [°]

    """
    time = np.arange(round(duration_s * sample_hz)) / sample_hz
    rms = np.zeros_like(time)
    for begin, level in levels:
        rms[time >= begin - 1e-9] = level
    wave = np.sin(2 * math.pi * HERTZ * time + math.radians(angle_deg))
    current = math.sqrt(2) * rms * wave
    volts = math.sqrt(2) * (line_v - ohms * rms) * wave
    return Waveform(sample_hz=sample_hz, line_a=current, line_v=volts, hertz=HERTZ)


def slow_start() -> Waveform:
    """0.8 s at 100 A, then 17 A; from t = 0.5 s."""
    return steps([(0.5, 100.0), (1.3, 17.0)])


def quick_start() -> Waveform:
    """0.05 s (three cycles) at 100 A, then 17 A; from t = 0.5 s."""
    return steps([(0.5, 100.0), (0.55, 17.0)])


def fan_first() -> Waveform:
    """A fan at 0.5 s (6 A for 0.3 s, then 1.4 A), the compressor at 2.0 s (100 A for 0.4 s, then 17 A)."""
    return steps([(0.5, 6.0), (0.8, 1.4), (2.0, 101.4), (2.4, 18.4)])


def stall() -> Waveform:
    """95 A from 0.5 s that never falls."""
    return steps([(0.5, 95.0)])


def two_starts() -> Waveform:
    """On at 0.5 s, off at 2.0 s, on again at 3.0 s."""
    return steps([(0.5, 90.0), (0.8, 15.0), (2.0, 0.0), (3.0, 92.0), (3.4, 15.5)], duration_s=5.0)
