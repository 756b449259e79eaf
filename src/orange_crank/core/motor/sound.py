"""A start as one hears it: the hum of the line, the torque that pulses, the shaft that comes up."""

import numpy as np
from numpy.typing import NDArray

from orange_crank.core.measure.start_sound import Sound

SOUND_HZ = 11_025
LOUD, QUIET = 0.92, 0.002
HUM, PULSE, SHAFT = 0.55, 0.35, 0.35  # how loud each is beside the others, at its most
HARMONICS = 3  # of the shaft: vanes or pistons are heard above the turn itself


def sound_of_start(
    line_a: NDArray[np.float64],
    torque_nm: NDArray[np.float64],
    speed_pu: NDArray[np.float64],
    step_s: float,
    hertz: float = 60.0,
    before_s: float = 0.3,
    after_s: float = 1.0,
) -> Sound:
    """Return a start as sound.

    Parameters
    ----------
    line_a, torque_nm, speed_pu : samples of one start, shape (n,) [A, N·m, of synchronous speed]
    step_s : between samples [s]
    before_s, after_s : of quiet before it, and of how it goes on after it [s]

    Returns
    -------
    one channel at ``SOUND_HZ``, shape ((before_s + n · step_s + after_s) · SOUND_HZ,)

    Notes
    -----
    Iron and windings hum with the square of the current, at twice the line's frequency; a motor that stands
    on its windings is loud and steady. The torque of a single-phase motor pulses at the same frequency, and
    so do the shell and the lines. The shaft adds a tone that climbs with its speed: a stall has none.

    """
    seconds = len(line_a) * step_s
    if seconds <= 0:
        return Sound(sample_hz=SOUND_HZ, samples=np.zeros(0), hertz=hertz)
    at = np.arange(int(seconds * SOUND_HZ)) / SOUND_HZ
    have = np.arange(len(line_a)) * step_s

    def heard(values: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(np.interp(at, have, values), dtype=np.float64)

    square = heard(line_a**2)
    hum = square - np.mean(square)
    pulse = heard(torque_nm) - np.mean(torque_nm)
    speed = np.clip(heard(speed_pu), 0.0, 1.2)
    turn = 2 * np.pi * np.cumsum(speed) * (hertz / 2) / SOUND_HZ
    shaft = sum(np.sin(k * turn * 4) / k for k in range(1, HARMONICS + 1)) * speed**2

    def level(values: NDArray[np.float64], share: float) -> NDArray[np.float64]:
        most = float(np.max(np.abs(values))) if len(values) else 0.0
        return values * (share / most) if most > 0 else values * 0.0

    mixed = level(hum, HUM) + level(pulse, PULSE) + np.asarray(shaft) * SHAFT / HARMONICS
    # How it ends it goes on: whole turns of the last tenth of a second, over and over.
    end = mixed[-int(0.1 * SOUND_HZ) :]
    on = np.resize(end, int(after_s * SOUND_HZ))
    rest = np.random.default_rng(0).normal(0, QUIET, int(before_s * SOUND_HZ))
    whole = np.concatenate([rest * float(np.max(np.abs(mixed))), mixed, on])
    most = float(np.max(np.abs(whole)))
    return Sound(sample_hz=SOUND_HZ, samples=whole * (LOUD / max(most, 1e-9)), hertz=hertz)
