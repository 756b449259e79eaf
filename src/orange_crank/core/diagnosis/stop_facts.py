"""Facts that stop the work, whichever way they were recorded: one table for every door.

A reading, a call test, something looked at on Why, a live meter and an entry without a call all come here
as evidence; what the evidence says decides, not the form it came through.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from orange_crank.core.diagnosis.model import Evidence, Measured
from orange_crank.core.measure.legs import LegsToNeutral, judge_legs
from orange_crank.core.measure.saturation import is_vacuum
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import say
from orange_crank.core.plate import Plate
from orange_crank.core.safety.stop import StopCode
from orange_crank.core.tables.standards import Standards

# Above this share of the nameplate's volts insulation, coil and capacitor are no longer in their range:
# twice the 10 % a motor is built for (a 208 V nameplate on 240 V stays below it).
OVERVOLTAGE_SHARE = 1.2


@dataclass(frozen=True)
class StopFact:
    """One fact that stops, and the evidence it comes from."""

    code: StopCode
    evidence: Evidence
    text: str | None = None


def _is(value: bool | str) -> Callable[[Evidence, Plate | None, Standards], str | None]:
    def found(e: Evidence, plate: Plate | None, limits: Standards) -> str | None:
        del plate, limits
        return "" if e.value == value and isinstance(e.value, type(value)) else None

    return found


def _vacuum(e: Evidence, plate: Plate | None, limits: Standards) -> str | None:
    fluid = plate.refrigerant if plate is not None else None
    return "" if e.number is not None and is_vacuum(e.number, fluid, limits) else None


def _piece(e: Evidence, plate: Plate | None, limits: Standards) -> str | None:
    del plate, limits
    if e.value == "not_compressor":
        return None
    return msg("Shorted to metal: {replace}. No reset, no start.", replace=str(e.value).replace("_", " "))


def _overvoltage(e: Evidence, plate: Plate | None, limits: Standards) -> str | None:
    del limits
    volts = e.volts if e.quantity == "running_a" else e.number
    if plate is None or volts is None or volts <= OVERVOLTAGE_SHARE * plate.volts:
        return None
    return msg("{volts} on a {volts_2} nameplate.", volts=say(volts, "V"), volts_2=say(plate.volts, "V"))


# What stops, by the quantity that shows it. "" stands for the stop's own words.
FACTS: Mapping[Measured, tuple[StopCode, Callable[[Evidence, Plate | None, Standards], str | None]]] = {
    "to_ground": ("GROUNDED", _is(True)),
    "shorted_piece": ("GROUNDED", _piece),
    "legs_shorted": ("LEGS_SHORTED", _is(True)),
    "contactor_look": ("WELDED_POLE", _is("welded")),
    "fuse_open": ("FUSE_BLOWN", _is(True)),
    "start_kit_wired_right": ("MISWIRED", _is(False)),
    "phase_lost": ("PHASE_LOST", _is(True)),
    "suction_psig": ("VACUUM", _vacuum),
    "line_v_idle": ("OVERVOLTAGE", _overvoltage),
    "line_v_run": ("OVERVOLTAGE", _overvoltage),
    "line_at_unit_v": ("OVERVOLTAGE", _overvoltage),
    "line_v_start": ("OVERVOLTAGE", _overvoltage),
    "terminal_v_start": ("OVERVOLTAGE", _overvoltage),
    "running_a": ("OVERVOLTAGE", _overvoltage),
}
# Codes this table can raise; legs to neutral are judged as a pair.
CODES: tuple[StopCode, ...] = (*dict.fromkeys(code for code, _ in FACTS.values()), "OPEN_NEUTRAL")


def stop_facts(evidence: Sequence[Evidence], plate: Plate | None, limits: Standards) -> list[StopFact]:
    """Return what stops among some evidence, in its order.

    Parameters
    ----------
    evidence : what is on record, oldest first; superseded readings are not in it
    plate : the nameplate, where it is read
    limits : the shop's standards

    """
    found: list[StopFact] = []
    legs: dict[tuple[str, str | None], Evidence] = {}
    for one in evidence:
        if one.quantity in FACTS:
            code, says = FACTS[one.quantity]
            text = says(one, plate, limits)
            if text is not None:
                found.append(StopFact(code, one, text or None))
        elif one.quantity in ("leg_a_n_v", "leg_b_n_v") and one.number is not None:
            legs[one.quantity, one.state] = one
    neutral = _open_neutral(legs, limits)
    return found if neutral is None else [*found, neutral]


def _open_neutral(legs: Mapping[tuple[str, str | None], Evidence], limits: Standards) -> StopFact | None:
    a0, b0, a1, b1 = (legs.get((q, s)) for s in ("idle", "starting") for q in ("leg_a_n_v", "leg_b_n_v"))
    if a0 is None or b0 is None:
        return None
    both = a1 is not None and b1 is not None
    result = judge_legs(
        LegsToNeutral(
            leg_a_idle_v=a0.number or 0.0,
            leg_b_idle_v=b0.number or 0.0,
            leg_a_start_v=a1.number if both and a1 is not None else None,
            leg_b_start_v=b1.number if both and b1 is not None else None,
        ),
        limits,
    )
    last = b1 if both and b1 is not None else b0
    return StopFact("OPEN_NEUTRAL", last, result.findings[0].text) if result.code == "open_neutral" else None
