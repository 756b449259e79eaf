"""Sounds of a start, made from a stated loudness over time: the truth is known to the millisecond."""

import numpy as np

from orange_crank.core.measure.start_sound import Sound


def start_sound(
    seconds: float,
    before_s: float = 1.5,
    after_s: float = 3.0,
    noise: float = 0.003,
    hertz: float = 60.0,
    sample_hz: float = 8_000.0,
    stops_after: float | None = None,
    seed: int = 1,
) -> Sound:
    """Hum of twice the line frequency: loud while starting, falling within 40 ms to its steady level."""
    rng = np.random.default_rng(seed)
    t = np.arange(round((before_s + seconds + after_s) * sample_hz)) / sample_hz
    since = t - before_s
    loud = np.where(
        since < 0, 0.0, np.where(since < seconds, 1.0, 0.12 + 0.88 * np.exp(-(since - seconds) / 0.01))
    )
    if stops_after is not None:
        loud = np.where(since > stops_after, 0.0, loud)
    tone = sum(
        a * np.sin(2 * np.pi * 2 * hertz * (k + 1) * t + k) for k, a in enumerate((0.2, 0.1, 0.06, 0.03))
    )
    click = np.where((since >= 0) & (since < 0.004), rng.normal(0, 0.3, len(t)), 0.0)
    rush = 0.01 * np.clip(since / 1.2, 0, 1) * rng.normal(0, 1, len(t))  # the fan comes up over a second
    return Sound(sample_hz, loud * tone + click + rush + rng.normal(0, noise, len(t)), hertz)
