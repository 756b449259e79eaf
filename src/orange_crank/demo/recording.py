"""A recorded start, made up: what a clamp and a voltmeter on a logger would leave."""

import numpy as np

from orange_crank.core.measure.waveform import Waveform


def recorded_start(
    stall_a: float, stall_s: float, run_a: float, idle_v: float, source_ohm: float, fan_a: float = 0.0
) -> Waveform:
    """Return a recording as a clamp and a voltmeter on a logger would leave it.

    Parameters
    ----------
    stall_a, run_a : RMS amps at stall and settled [A]
    stall_s : how long the rotor takes [s]
    idle_v : line volts before [V]
    source_ohm : what the line sags by, volts an ampere [Ω]
    fan_a : a fan that starts a second earlier, in the same clamp [A]

    """
    rate, length_s, onset = 4_000.0, 4.5, 1.62
    time = np.arange(round(rate * length_s)) / rate
    since = time - onset
    away = 1 / (1 + np.exp(-(since - stall_s) / 0.025))
    rms = np.where(
        since >= 0, stall_a * (1 - 0.12 * np.clip(since / stall_s, 0, 1)) * (1 - away) + run_a * away, 0
    )
    fan = np.where(time >= 0.4, fan_a * (1 + 3.5 * np.exp(-(time - 0.4) / 0.15)), 0) if fan_a else 0.0
    angle = 2 * np.pi * 60 * time
    lag = np.where(away < 0.5, np.deg2rad(42), np.deg2rad(15))
    offset = np.where(since >= 0, 0.12 * stall_a * np.exp(-np.clip(since, 0, None) / 0.02), 0)
    amps = np.sqrt(2) * (rms * np.sin(angle - lag) + fan * np.sin(angle - 0.5)) + offset
    volts = np.sqrt(2) * (idle_v - source_ohm * (rms + fan)) * np.sin(angle)
    noise = np.random.default_rng(7).normal(size=(2, len(time)))
    return Waveform(sample_hz=rate, line_a=amps + 0.15 * noise[0], line_v=volts + 0.3 * noise[1])
