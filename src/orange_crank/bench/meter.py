"""A multimeter with a clamp: one place and one mode at a time, its own lag, its own error, its own traps."""

import math
from dataclasses import dataclass
from typing import Literal, cast

import numpy as np

from orange_crank.bench.replay import Replay
from orange_crank.bench.unit import AmpsAt, SimulatedUnit, VoltsAt

MeterMode = Literal["off", "volts", "volts_low_z", "amps", "inrush", "max_hold"]
Place = Literal[
    "line", "load", "pole", "coil", "start_winding", "common", "run", "start", "fan", "whole_unit"
]
VOLT_PLACES: tuple[VoltsAt, ...] = ("line", "load", "pole", "coil", "start_winding")
AMP_PLACES: tuple[AmpsAt, ...] = ("common", "run", "start", "fan", "whole_unit")
MODES: tuple[MeterMode, ...] = ("off", "volts", "volts_low_z", "amps", "inrush", "max_hold")

LAG_S = 0.25
UPDATE_S = 0.25
TRIGGER_A = 1.0
WINDOW_S = 0.1
SMALL_V = 0.05


@dataclass(frozen=True)
class Make:
    """How good a meter is.

    Parameters
    ----------
    volts_pct, amps_pct : error of this one instrument, fixed [% of reading]
    flicker_pct : of one display after another [% of reading]

    """

    volts_pct: float = 0.4
    amps_pct: float = -1.2
    flicker_pct: float = 0.15


class Meter:
    """The meter in the hand."""

    def __init__(self, unit: SimulatedUnit | Replay, make: Make | None = None, seed: int = 0) -> None:
        self.unit = unit
        self.make = make or Make()
        self.mode: MeterMode = "volts"
        self.place: Place = "line"
        self.battery_dead = False
        self.fuse_blown = False
        self.armed = False
        self.triggered = False
        self._rng = np.random.default_rng(seed)
        self._shown = 0.0
        self._at_s = unit.now_s
        self._held: float | None = None
        self._squares = 0.0
        self._window_s = 0.0
        self._most = 0.0

    def set(self, mode: MeterMode, place: Place) -> None:
        """Turn the dial and move the probes or the clamp; what was held is gone."""
        self.mode, self.place = mode, place
        self._shown, self._most = 0.0, 0.0
        self.armed = self.triggered = False
        self._held = None

    def arm(self) -> None:
        """Arm the one inrush shot again."""
        if self.mode == "inrush":
            self.armed, self.triggered, self._held = True, False, None
            self._squares = self._window_s = 0.0

    @property
    def fits(self) -> bool:
        """Whether the mode can measure where the meter is."""
        if self.mode in ("volts", "volts_low_z"):
            return self.place in VOLT_PLACES
        return self.mode != "off" and self.place in AMP_PLACES

    def true(self) -> float:
        """Return what is really there [V or A]."""
        if self.place not in AMP_PLACES:
            volts = self.unit.volts(cast("VoltsAt", self.place))
            ghost = self.mode == "volts" and volts < SMALL_V and self.place in ("line", "load")
            return self.unit.ghost_v if ghost and self._beside_live() else volts
        return self.unit.amps(self.place)

    def _beside_live(self) -> bool:
        """Whether an open conductor runs beside a live one: the line side does, the breaker being on."""
        return (
            not self.unit.breaker_tripped
            and not self.unit.closed
            and (self.place == "load" or not self.unit.disconnect)
        )

    def advance(self, to_s: float) -> None:
        """Let the display follow to a moment; the unit is taken along."""
        while self._at_s < to_s:
            step = min(0.01, to_s - self._at_s)
            self._at_s += step
            self.unit.advance(self._at_s)
            self._follow(step)

    def _follow(self, step: float) -> None:
        if not self.fits:
            return
        now = self.true()
        if self.mode == "inrush":
            self._shoot(now, step)
        elif self.mode == "max_hold":
            self._shown += (now - self._shown) * (1 - math.exp(-step / UPDATE_S))
            self._most = max(self._most, self._shown)
        else:
            self._shown += (now - self._shown) * (1 - math.exp(-step / LAG_S))

    def _shoot(self, now: float, step: float) -> None:
        """Take the one shot: the first thing over the trigger spends it, a fan too."""
        if self.armed and not self.triggered and now >= TRIGGER_A:
            self.triggered = True
        if self.triggered and self._held is None:
            self._squares += now**2 * step
            self._window_s += step
            if self._window_s >= WINDOW_S:
                self._held = math.sqrt(self._squares / self._window_s)

    def display(self) -> float | None:
        """Return what the display shows; None where it is blank."""
        if self.battery_dead or not self.fits or (self.fuse_blown and self.place in AMP_PLACES):
            return None
        if self.mode == "inrush":
            value = self._held
        elif self.mode == "max_hold":
            value = self._most
        else:
            value = self._shown
        if value is None:
            return None
        off = self.make.volts_pct if self.place in VOLT_PLACES else self.make.amps_pct
        flicker = 0.0 if self.mode == "inrush" else float(self._rng.normal(0, self.make.flicker_pct))
        return round(value * (1 + (off + flicker) / 100), 1 if value >= 10 else 2)
