"""A start as sound: the ear's own analysis hears in it when the machine was up, and that a stall is none."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.measure.start_sound import hear_start
from orange_crank.core.motor.assemble import assemble
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.sound import SOUND_HZ, sound_of_start
from orange_crank.core.motor.start import simulate

PLATE = {
    "volts": 230.0, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112.0}], "run_cap_uf": 45.0,
}  # fmt: skip


def ran(load: float, locked: bool = False, duration_s: float = 2.0):  # type: ignore[no-untyped-def]
    entry = StartIn.model_validate(
        {
            "plate": PLATE,
            "run_cap_uf": 45.0,
            "load": {"start_torque_pct": load, "locked": locked},
            "duration_s": duration_s,
        }
    )
    return simulate(assemble(entry), detail=True)


@settings(max_examples=8)
@given(load=st.floats(8, 45))
def test_the_ear_finds_in_the_sound_when_the_machine_was_up(load: float) -> None:
    r = ran(load)
    up = r.speed_pu() >= 0.85
    sound = sound_of_start(r.out[0], r.detail[3], r.speed_pu(), r.made.step_s, before_s=2.5, after_s=2.0)
    report = hear_start(sound)
    if up.any():
        seconds = float(up.argmax()) * r.made.step_s
        assert report.seconds is not None
        assert report.seconds == pytest.approx(seconds, abs=0.25 + (report.plus_minus_s or 0.0))


def test_a_stall_has_the_hum_and_no_rising_shaft() -> None:
    def above(share: np.ndarray) -> float:
        spectrum = np.abs(np.fft.rfft(share)) ** 2
        hz = np.fft.rfftfreq(len(share), 1 / SOUND_HZ)
        line = np.abs(hz % 120.0 - 60.0) > 57.5
        return float(spectrum[~line & (hz > 60)].sum() / spectrum[hz > 60].sum())

    tail = slice(int(1.6 * SOUND_HZ), int(2.2 * SOUND_HZ))
    stall, start = (
        sound_of_start(r.out[0], r.detail[3], r.speed_pu(), r.made.step_s).samples[tail]
        for r in (ran(10, locked=True), ran(10))
    )
    assert above(stall) < 0.05 < above(start)
    assert np.abs(stall).max() <= 1


def test_nothing_makes_no_sound() -> None:
    nothing = np.zeros(0)
    assert len(sound_of_start(nothing, nothing, nothing, 5e-5).samples) == 0
    still = np.zeros(4_000)
    assert np.isfinite(sound_of_start(still, still, still, 5e-5).samples).all()
