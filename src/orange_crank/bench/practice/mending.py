"""What a new part or a piece of work puts right in a unit, and how an aid of the list acts in a start."""

from orange_crank.bench.scenarios import Case
from orange_crank.core.aids.parts import Part
from orange_crank.core.call.changes import PartKind
from orange_crank.core.diagnosis.model import Hypothesis
from orange_crank.core.motor.entry import Aid


def cured_truth(
    case: Case, cause: Hypothesis, part: PartKind, breaker_a: float
) -> dict[str, float | bool | str]:
    """Return what of a unit's truth a part's change makes otherwise; empty where it makes nothing so.

    Parameters
    ----------
    case : the unit as it is
    cause : what is really wrong with it
    breaker_a : the breaker that is there afterwards [A]

    """
    t, plate = case.truth, case.plate
    cap = plate.run_cap_uf or 0.0
    z = plate.volts / (plate.compressors[0].lra_a or 60)
    cured: dict[str, float | bool | str] = {}
    if part in ("run_capacitor", "dual_capacitor"):
        cured |= {"cap_uf": 1.005 * cap, "can_label": cap, "legs_short": False}
    if part in ("fan_capacitor", "dual_capacitor"):
        cured |= {"fan_cap_uf": plate.fan_cap_uf or 0.0}
    if part == "contactor":
        cured |= {"drop_v": 0.06, "contactor": "clean"}
        if cause == "contactor_worn":
            cured |= {"path_ohm": 0.012 * z}
    if part in ("wiring", "breaker", "fuse"):
        if cause != "contactor_worn":
            cured |= {"path_ohm": 0.012 * z}
        if cause == "loose_lug_at_breaker":
            cured |= {"source_ohm": 0.02 * z}
        cured |= {"lug_tight": True, "line_v": plate.volts, "holds": True}
        if part == "wiring" and t["pins"] == "sound" and cause == "lead_or_terminal_open":
            cured |= {"windings": "sound", "turns": True, "start_branch": True}
    if part == "breaker":
        cured |= {"breaker_a": breaker_a}
    if part == "supply":
        cured |= {"source_ohm": 0.02 * z, "idle_v": 1.02 * plate.volts, "line_v": plate.volts}
    if part == "control":
        cured |= {"control_fuse_open": False, "coil_v": 25.5, "control_switch": False, "delay": False}
    if part == "compressor":
        cured |= {"windings": "sound", "ground": False, "load": 10.0, "turns": True, "start_branch": True}
    if part in ("fan_motor", "condenser"):
        cured |= {"fan_factor": 0.9, "head_ratio": 3.0, "run_factor": 0.9, "condenser_dirty": False}
    if part == "charge":
        cured |= {"charge": "right", "run_factor": 0.9, "head_ratio": 3.0, "subcool": 10.0}
    if cause == "control_switch_open" and part in ("charge", "condenser"):
        cured |= {"control_switch": False, "coil_v": 25.5}
    return cured


def aid_of(part: Part, lra_a: float, relay: Part | None = None) -> Aid:
    """Return how a part of the list acts in a start; ``relay`` takes the place of its own."""
    if part.kind == "kit_ptc":
        return Aid(kind="ptc", cold_ohm=part.cold_ohm)
    if part.kind == "soft_starter":
        return Aid(
            kind="soft_starter",
            ceiling_a=round((part.ceiling_ratio or 0.33) * lra_a, 1),
            start_cap_uf=part.start_cap_uf,
        )
    sections = part.sections_uf or ()
    middle = 0.5 * ((part.uf_low or 0.0) + (part.uf_high or 0.0)) or max(sections, default=100.0)
    coil = relay or part
    low, high = coil.pickup_low_v, coil.pickup_high_v
    pickup = 0.5 * (low + high) if low and high else None
    return Aid(kind="start_capacitor", start_cap_uf=middle, pickup_v=pickup, dropout_v=coil.dropout_high_v)
