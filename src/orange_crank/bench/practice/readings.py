"""What resistance lies between two terminals, and which test of the diagnosis a reading is."""

import math
from collections.abc import Mapping

from orange_crank.bench.practice.probes import Pair, pair
from orange_crank.bench.unit import SimulatedUnit

COIL_OHM, GROUNDED_OHM, WINDING_OHM = 11.8, 1_200.0, 0.6
_POLES = (pair("contactor.L1", "contactor.T1"), pair("contactor.L2", "contactor.T2"))
_OF_CLAMP = {"common": "running", "fan": "fan", "start": "start_branch"}


def ohms_between(truth: Mapping[str, float | bool | str], at: Pair, overload_open: bool) -> float:
    """Return the ohms between two terminals of a dead unit; infinite where nothing joins them [Ω]."""
    cr = float(truth.get("cr_ohm", WINDING_OHM))
    windings = str(truth["windings"])
    if len(at) == 2 and all(t.startswith("compressor.") for t in at):
        pins = "".join(sorted(t[-1] for t in at))
        opened = {"common_open": "C", "start_open": "S", "run_open": "R"}.get(windings)
        if overload_open:
            opened = "C"
        if opened and opened in pins:
            return math.inf
        run = 0.8 * cr if windings == "turn_short" else cr
        return {"CR": run, "CS": 3.6 * cr, "RS": 3.6 * cr + run}[pins]
    if "ground" in at:
        loads = any(t.startswith(("compressor.", "contactor.T")) for t in at)
        return GROUNDED_OHM if truth["ground"] and loads else math.inf
    return COIL_OHM if at == pair("contactor.A1", "contactor.A2") else math.inf


def tests_of(
    mode: str, at: Pair, clamp: str | None, unit: SimulatedUnit, *, started: bool, pairs: int
) -> list[str]:
    """Return which tests of the diagnosis a reading is, by their names.

    Parameters
    ----------
    started : whether a start was watched just now
    pairs : how many pairs of the windings have been measured, this one included

    """
    if mode == "ohms":
        if "ground" in at:
            loads = any(t.startswith(("contactor.T", "compressor.")) for t in at)
            return ["to_ground"] if loads else []
        windings = all(t.startswith("compressor.") for t in at)
        return ["windings"] if windings and pairs == 3 else []
    if mode == "microfarads":
        return ["run_capacitor"] if at == pair("run_cap.C", "run_cap.HERM") else ["fan_capacitor"]
    if mode in ("volts", "volts_low_z"):
        return _of_volts(at, unit, started and unit.phase != "off")
    if mode == "inrush":
        return ["start_volts"] if clamp == "common" and started else []
    if mode == "amps" and unit.phase == "running" and clamp in _OF_CLAMP:
        return [_OF_CLAMP[clamp]]
    return []


def _of_volts(at: Pair, unit: SimulatedUnit, started: bool) -> list[str]:
    if at == pair("contactor.A1", "contactor.A2"):
        return ["coil"] if unit.call else []
    if at == pair("panel.A", "panel.B"):
        return ["supply_walk"] if started else ["idle_volts"] if not unit.breaker_tripped else []
    if at == pair("contactor.L1", "contactor.L2"):
        return ["start_volts"] if started else ["line_at_unit"] if unit.disconnect else []
    return ["contactor_drop"] if at in _POLES and unit.closed else []
