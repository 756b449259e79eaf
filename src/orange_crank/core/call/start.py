"""The start of a call: what its readings say of machine, supply and load, ready to compute."""

import math
from collections.abc import Callable, Mapping, Sequence

from pydantic import Field, ValidationError

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.visits import earlier_figures
from orange_crank.core.errors import CrankError, GateClosed, InputProblem, Problem
from orange_crank.core.measure.reading import Quantity
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.messages import Prose, msg
from orange_crank.core.motor.entry import Load, Source, StartIn
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.start import compute_start
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate

LONGEST_S = 10.0  # a start longer than this is no start; the model plays no longer
MOST_SOURCE_OHM = 50.0  # beyond it the dip and the amps are not of one start
Z_RESISTIVE = 0.85  # share of a supply's impedance that is resistance: long, thin conductors


class Taken(Frozen):
    """One figure of the start, and where it came from."""

    field: str
    value: float
    unit: str
    source: Prose = Field(description="Which reading, in words")
    reading_id: int | None = None


class CallStart(Frozen):
    """A start as the record of a call tells it."""

    start: StartIn
    taken: list[Taken]


class StartOnCall(Frozen):
    """The start a call describes, or why none can be computed."""

    start: StartIn | None
    taken: list[Taken]
    refused: Problem | None = Field(default=None, description="Why there is none, and what to do")


def start_of_call(
    plate: Plate, readings: Sequence[TakenReading], earlier: Mapping[Quantity, float] | None = None
) -> CallStart:
    """Return the start that a call's readings describe.

    Parameters
    ----------
    plate : the unit's plate
    readings : standing readings of the call, oldest first
    earlier : figures of the last visit, taken where this call has none

    Raises
    ------
    InputProblem : the plate is none of a single-phase machine

    Notes
    -----
    Where a start time was measured, the torque it was held by is the one that makes the computed start
    take as long.

    """
    past = earlier or {}
    taken: list[Taken] = []

    def last(quantity: Quantity) -> TakenReading | None:
        found = [r for r in readings if r.entry.quantity == quantity and (r.figure or 0) > 0]
        return found[-1] if found else None

    def figure(quantity: Quantity, field: str, unit: str, words: str) -> float | None:
        reading = last(quantity)
        if reading is not None:
            value = (reading.figure or 0.0) - (reading.entry.lead_ohm or 0.0 if unit == "Ω" else 0.0)
            if value <= 0:
                return None
            taken.append(Taken(field=field, value=value, unit=unit, source=words, reading_id=reading.id))
            return value
        if past.get(quantity, 0.0) > 0:
            taken.append(
                Taken(
                    field=field,
                    value=past[quantity],
                    unit=unit,
                    source=msg("{words}, last visit", words=words),
                )
            )
            return past[quantity]
        return None

    known = StartPlate.model_validate(
        plate.model_dump()
        | {
            "winding_cr_ohm": figure("winding_cr_ohm", "plate.winding_cr_ohm", "Ω", msg("C–R measured")),
            "winding_cs_ohm": figure("winding_cs_ohm", "plate.winding_cs_ohm", "Ω", msg("C–S measured")),
        }
    )
    run_cap = figure("run_cap_uf", "run_cap_uf", "µF", msg("run capacitor measured"))
    idle = last("line_v_idle")
    volts = (idle.figure or plate.volts) if idle is not None else plate.volts
    if idle is not None:
        taken.append(
            Taken(field="source.volts", value=volts, unit="V", source=msg("volts idle"), reading_id=idle.id)
        )
    source = Source(volts=None if idle is None else volts)
    inrush = last("inrush_a")
    if inrush is not None and inrush.entry.volts is not None and inrush.entry.volts < volts:
        amps = inrush.figure or 1.0
        z = min(MOST_SOURCE_OHM, (volts - inrush.entry.volts) / amps)
        ohm = round(Z_RESISTIVE * z, 4)
        source = Source(
            volts=volts,
            resistance_ohm=ohm,
            inductance_mh=round(1000 * math.sqrt(1 - Z_RESISTIVE**2) * z / (2 * math.pi * 60), 4),
        )
        taken.append(
            Taken(
                field="source.resistance_ohm",
                value=ohm,
                unit="Ω",
                source=msg(
                    "dip of {volts:.0f} V at {amps:.0f} A", volts=volts - inrush.entry.volts, amps=amps
                ),
                reading_id=inrush.id,
            )
        )
    base = StartIn(plate=known, run_cap_uf=run_cap, source=source, fan_a=None)
    timed = last("start_time_s")
    heard = timed or inrush
    seconds = timed.figure if timed is not None else inrush.entry.seconds if inrush else None
    if heard is not None and seconds:
        torque, inertia = held_by(base, min(seconds, LONGEST_S))
        base = base.model_copy(update={"load": Load(start_torque_pct=torque), "inertia_factor": inertia})
        words = msg("start took {seconds:.2f} s", seconds=seconds)
        for name, value, unit in (
            ("load.start_torque_pct", torque, "%"),
            ("inertia_factor", inertia, "×"),
        ):
            taken.append(Taken(field=name, value=value, unit=unit, source=words, reading_id=heard.id))
    return CallStart(start=base, taken=taken)


NEAR_STALL = 0.90


def held_by(entry: StartIn, seconds: float) -> tuple[float, float]:
    """Return torque at standstill [% of rated] and inertia factor with which a start takes so long.

    Notes
    -----
    One time cannot tell two things. The torque is raised first, up to 10 % under where the motor
    stalls: nearer, the closing angle decides. What is still missing is put down to inertia.

    """

    def takes(torque: float, inertia: float) -> float:
        load = entry.load.model_copy(update={"start_torque_pct": torque, "start_torque_nm": None})
        trial = entry.model_copy(
            update={"load": load, "inertia_factor": inertia, "duration_s": max(1.0, 1.5 * seconds)}
        )
        found = compute_start(trial)
        return found.time_to_speed_s if found.time_to_speed_s is not None else math.inf

    def halve(low: float, high: float, too_long: Callable[[float], bool], times: int) -> float:
        for _ in range(times):
            middle = (low + high) / 2
            low, high = (low, middle) if too_long(middle) else (middle, high)
        return low

    light = takes(0.0, 1.0)
    if light >= seconds:
        return 0.0, round(max(0.05, seconds / light), 2) if math.isfinite(light) else 1.0
    stall = halve(0.0, 200.0, lambda t: math.isinf(takes(t, 1.0)), 11)
    most = round(NEAR_STALL * stall, 2)
    if takes(most, 1.0) >= seconds:
        return round(halve(0.0, most, lambda t: takes(t, 1.0) >= seconds, 13), 2), 1.0
    inertia = halve(1.0, 10.0, lambda j: takes(most, j) >= seconds, 13)
    return most, round(inertia, 3)


def start_on_call(call: JudgedCall) -> CallStart:
    """Return the start a call describes: its own readings, of the parts that are there now.

    Raises
    ------
    GateClosed : the plate is not read, or cannot be
    InputProblem : the plate is none of a single-phase machine

    """
    facts = call.facts
    if facts.plate is None:
        raise GateClosed(
            msg("No nameplate saved for this unit."), next_step=msg("Enter the nameplate first (step 2).")
        )
    return start_of_call(facts.plate, facts.current, earlier_figures(facts.visits))


def start_or_why_not(call: JudgedCall) -> StartOnCall:
    """Return the start a call describes; where the record makes none, why, never an error."""
    try:
        found = start_on_call(call)
    except CrankError as refusal:
        return StartOnCall(start=None, taken=[], refused=refusal.problem())
    except (ValidationError, ArithmeticError, ValueError, LookupError):
        unfit = InputProblem([], next_step=msg("Look at the odd reading again and correct it.")).problem()
        return StartOnCall(
            start=None,
            taken=[],
            refused=unfit.model_copy(
                update={
                    "detail": msg("These readings and this nameplate make no start that can be computed.")
                }
            ),
        )
    return StartOnCall(start=found.start, taken=found.taken)
