"""The Aid rung of a call: the entry for choosing an aid, put together from the record."""

from typing import Annotated

from pydantic import Field

from orange_crank.core.aids import AidIn
from orange_crank.core.aids.entry import AidPart, Goal, School
from orange_crank.core.backup import BackupSupply
from orange_crank.core.call.evidence_of_record import evidence_of_reading, evidence_of_test
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.old_kit import kit_on
from orange_crank.core.call.start import start_on_call
from orange_crank.core.errors import CrankError
from orange_crank.core.measure.reading import Quantity
from orange_crank.core.messages import msg
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.relay import start_winding_volts
from orange_crank.core.nomenclature import Fahrenheit, Frozen, Volts


class AidAsk(Frozen):
    """What a person says on the Aid rung; everything else is on the record."""

    goal: Goal = "start_at_all"
    from_van: int | None = Field(
        default=None, strict=True, ge=1, description="Whose van; left out for one of each kind"
    )
    school: School | None = None
    running_s_c_v: Volts | None = Field(default=None, description="S–C measured while running [V]")
    outdoor_design_f: Fahrenheit | None = None
    backup: BackupSupply | None = Field(default=None, description="Where the goal is backup power")
    cycles_per_hour: Annotated[float, Field(strict=True, ge=0, le=60, allow_inf_nan=False)] | None = None


def aid_entry(call: JudgedCall, ask: AidAsk, stock: list[AidPart] | None) -> AidIn:
    """Return the entry for choosing an aid on a call.

    Parameters
    ----------
    call : the judged call; its unit has a plate
    ask : what the person says
    stock : what the van holds; None for one of each kind

    Raises
    ------
    GateClosed : the plate is not read yet

    """
    facts = call.facts
    taken = facts.cause
    cause = taken.decision.hypothesis if taken is not None else None
    try:
        start = start_on_call(call).start
    except CrankError:
        if facts.plate is None:
            raise
        start = None
    told = start.load.start_torque_pct if start is not None else None
    assert facts.plate is not None
    s_c_v, s_c_from = (ask.running_s_c_v, "") if ask.running_s_c_v is not None else s_c_of_record(call)
    return AidIn(
        plate=start.plate
        if start is not None and start.plate is not None
        else StartPlate.model_validate(facts.plate.model_dump()),
        run_cap_uf=start.run_cap_uf if start is not None else None,
        goal=ask.goal,
        diagnosis=cause,
        put_right=call.put_right,
        run_cap_measured=_run_cap_measured(call),
        stop=msg("{text} {next_step}", text=call.stops[0].text, next_step=call.stops[0].next_step)
        if call.stops
        else "",
        backup=ask.backup if ask.goal == "backup_power" else None,
        source=None if ask.goal == "backup_power" or start is None else start.source,
        inertia_factor=start.inertia_factor if start is not None else 1.0,
        start_torque_pct=told if ask.goal == "start_at_all" else None,
        stock=stock,
        metering=facts.plate.metering,
        school=ask.school,
        running_s_c_v=s_c_v,
        running_s_c_from=s_c_from,
        outdoor_design_f=ask.outdoor_design_f,
        cycles_per_hour=ask.cycles_per_hour,
    )


def s_c_of_record(call: JudgedCall) -> tuple[float | None, str]:
    """Return S–C running from the record's start lead amps, and the figures used; None where it lacks them.

    Notes
    -----
    Only from start lead amps and a measured run capacitor of this call, with no kit in circuit: a start
    capacitor that stays in carries its own share. Line volts running, else at rest, else the nameplate's.

    """
    facts, plate = call.facts, call.facts.plate
    if plate is None or kit_on(facts, call.limits):
        return None, ""

    def last(quantity: Quantity) -> float | None:
        found = [r.figure for r in facts.current if r.entry.quantity == quantity and (r.figure or 0) > 0]
        return found[-1] if found else None

    three = [t.entry.get("start_a") for t in facts.current_tests if t.topic == "winding-amps"]
    amps, uf = last("start_a") or (three[-1] if three else None), last("run_cap_uf")
    volts = last("line_v_run") or last("line_v_idle") or plate.volts
    if amps is None or uf is None:
        return None, ""
    found = start_winding_volts(amps, uf, volts, plate.hertz or 60.0)
    return found, msg(
        "{amps:g} A on the start lead, {uf:g} µF, {volts:g} V", amps=amps, uf=uf, volts=volts
    ) if found is not None else ""


def _run_cap_measured(call: JudgedCall) -> bool:
    """Tell whether the run capacitor that is there now was measured on this call, by whichever test."""
    facts = call.facts
    says = [e for r in facts.current for e in evidence_of_reading(r)]
    says += [e for t in facts.current_tests for e in evidence_of_test(t, call.limits)]
    return any(e.quantity == "run_cap_uf" for e in says)
