"""Where the probes are and what a meter sees there: potentials of terminals, ohms, microfarads, charge."""

import math
from dataclasses import dataclass

from orange_crank.bench.practice.acts import CLAMP_MODES, Conductor, ProbeMode
from orange_crank.core.measure.live_meter import Fill, fill_of
from orange_crank.core.measure.reading import Quantity

UNIT_OF: dict[ProbeMode, str] = {
    "volts": "V", "volts_low_z": "V", "volts_dc": "V", "ohms": "Ω", "microfarads": "µF", "amps": "A",
    "inrush": "A", "max_hold": "A",
}  # fmt: skip
# Largest value a range shows; above it the display says OL.
RANGES: dict[ProbeMode, float] = {
    "volts": 750, "volts_low_z": 600, "volts_dc": 1_000, "ohms": 40_000_000, "microfarads": 200, "amps": 400,
    "inrush": 600, "max_hold": 600,
}  # fmt: skip
ACCURACY_PCT: dict[ProbeMode, float] = {
    "volts": 0.5, "volts_low_z": 1.0, "volts_dc": 0.5, "ohms": 0.9, "microfarads": 1.2, "amps": 1.5,
    "inrush": 2.0, "max_hold": 2.0,
}  # fmt: skip
Pair = frozenset[str]


def pair(one: str, two: str) -> Pair:
    """Return two terminals as a pair, whichever probe is where."""
    return frozenset((one, two))


@dataclass(frozen=True)
class Display:
    """What a meter shows after an act.

    Parameters
    ----------
    value : None where it is blank, infinite where it says OL
    low : lowest of the volts while a start was watched [V]

    """

    value: float | None
    unit: str = ""
    low: float | None = None
    armed: bool = False

    @property
    def text(self) -> str:
        """What one reads."""
        if self.value is None:
            return "armed" if self.armed else "–"
        if math.isinf(self.value):
            return "OL"
        digits = 1 if abs(self.value) >= 10 else 2
        return f"{self.value:.{digits}f} {self.unit}"


_FIELDS: dict[tuple[ProbeMode, Pair], Quantity] = {
    ("ohms", pair("compressor.C", "compressor.S")): "winding_cs_ohm",
    ("ohms", pair("compressor.C", "compressor.R")): "winding_cr_ohm",
    ("ohms", pair("compressor.S", "compressor.R")): "winding_sr_ohm",
    ("ohms", pair("contactor.A1", "contactor.A2")): "coil_ohm",
    ("microfarads", pair("run_cap.C", "run_cap.HERM")): "run_cap_uf",
    ("microfarads", pair("run_cap.C", "run_cap.FAN")): "fan_cap_uf",
}
_VOLTS: dict[Pair, tuple[str, str]] = {
    pair("contactor.L1", "contactor.L2"): ("line_v", "line"),
    pair("panel.A", "panel.B"): ("line_v", "panel"),
    pair("contactor.T1", "contactor.T2"): ("line_v", "load"),
    pair("contactor.L1", "contactor.T1"): ("contactor_drop_v", "pole"),
    pair("contactor.L2", "contactor.T2"): ("contactor_drop_v", "pole"),
    pair("contactor.A1", "contactor.A2"): ("coil_v", "coil"),
}
_AMPS: dict[Conductor, str] = {
    "common": "running_a", "run": "run_a", "start": "start_a", "fan": "fan_a", "whole_unit": "unit_a",
}  # fmt: skip


def quantity_at(
    mode: ProbeMode, red: str | None, black: str | None, clamp: Conductor | None
) -> tuple[str, str]:
    """Return what is measured and where, by the names of the live meter; empty where it is no quantity."""
    if mode in CLAMP_MODES and clamp is not None:
        if mode == "amps":
            return _AMPS[clamp], clamp
        return ("inrush_a", clamp) if clamp in ("common", "whole_unit") else ("", clamp)
    if red is None or black is None:
        return "", ""
    at = pair(red, black)
    if (mode, at) in _FIELDS:
        return _FIELDS[mode, at], "terminals"
    if mode in ("volts", "volts_low_z") and at in _VOLTS:
        return _VOLTS[at]
    return "", ""


def fill_at(
    mode: ProbeMode,
    red: str | None,
    black: str | None,
    clamp: Conductor | None,
    value: float,
    line_v: float | None,
) -> Fill | None:
    """Return the reading a display may be taken as; None where it is none."""
    if not math.isfinite(value):
        return None
    quantity, place = quantity_at(mode, red, black, clamp)
    if not quantity:
        return None
    if (mode, pair(red or "", black or "")) in _FIELDS:
        return Fill.model_validate({"quantity": quantity, "conductor": None, "mode": None, "volts": None})
    kept = mode if mode in ("inrush", "max_hold") else None
    return fill_of(quantity, place, kept, value, line_v)
