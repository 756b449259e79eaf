"""A branch circuit for cooling equipment: chosen by the rules, then judged by the same rules as any."""

from collections.abc import Callable
from typing import Literal

from pydantic import Field

from orange_crank.core.circuit.answer import AnswerLine, answer_lines
from orange_crank.core.circuit.conductor import (
    conditions,
    corrected_a,
    smallest_for,
    smallest_protected,
    usable_a,
)
from orange_crank.core.circuit.entry import CircuitIn, RacewayMetal, School
from orange_crank.core.circuit.loads import Loads, loads_of
from orange_crank.core.circuit.one_line import (
    Material,
    Station,
    StationOut,
    breaker_ahead_a,
    materials,
    stations,
)
from orange_crank.core.circuit.rules import (
    ampacity,
    disconnect,
    drop,
    fault_current,
    ground_fault,
    grounding,
    lugs,
    overcurrent,
    place,
    plate,
    raceway,
)
from orange_crank.core.circuit.rules.always import always
from orange_crank.core.circuit.rules.defaults import Assumed, defaults
from orange_crank.core.circuit.rules.job import Built, Device, Job, finding, poles_word
from orange_crank.core.errors import BeyondTable, FieldProblem, InputProblem
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, feet
from orange_crank.core.plate.arithmetic import clause, most_clause
from orange_crank.core.tables.code import NEEDS_ENGINEER, RANK, ampacity_a, metal_word, size_word
from orange_crank.core.tables.standards import Standards, shipped_standards

GRAVITY: dict[Verdict, int] = {"fail": 0, "unknown": 1, "watch": 2, "pass": 3, "note": 4}


class OtherSchool(Frozen):
    """What the other way of sizing the conductor would take."""

    school: Literal["mca", "breaker"]
    conductor_awg: str | None
    why: Prose


class CircuitOut(Frozen):
    """A sized circuit."""

    ok: bool = Field(description="Whether nothing in the answer fails")
    answer: list[AnswerLine] = Field(description="The answer in at most six lines")
    mca_a: float
    computed_mca_a: float | None = Field(description="MCA of the loads, beside the plate's [A]")
    mocp_a: float | None = Field(description="None where only the load sets the device")
    overcurrent_a: int
    overcurrent_kind: Literal["breaker", "fuse"]
    overcurrent_225_a: float | None = Field(description="Largest by the 225 % rule, where it is computed [A]")
    conductor_awg: str
    minimum_conductor_awg: str = Field(description="Before voltage drop")
    ampacity_a: float = Field(description="Usable: the lesser of corrected and termination ampacity [A]")
    corrected_a: float
    termination_a: float
    egc_awg: str
    drop_at_a: float = Field(description="RLA and FLA together, else MCA: what the drop is taken at [A]")
    reactance_of: RacewayMetal = Field(description="Raceway metal taken for reactance")
    voltage_drop_v: float | None
    voltage_drop_pct: float | None
    start_drop_pct: float | None
    start_conductor_awg: str | None = Field(
        description="The wire that keeps the start within the limit; None without length or LRA, or beyond"
    )
    disconnect_a: int
    disconnect_min_a: float
    disconnect_hp: float | None
    raceway_trade_size: str | None
    raceway_fill_pct: float | None
    poles: int
    other_school: OtherSchool
    stations: list[StationOut] = Field(description="The circuit as one line, panel first")
    materials: list[Material]
    findings: list[Finding] = Field(description="What fails first, then what is unknown, then the reasons")
    assumed: list[Assumed] = Field(description="Defaults taken because nothing was entered")
    always: list[Finding] = Field(description="Notes that stand on every answer")


def job_of(entry: CircuitIn, limits: Standards) -> Job:
    """Return the job of a circuit: its loads, the device it may have, what lowers its conductors.

    Raises
    ------
    InputProblem : the place is too hot for the insulation, or a plate maximum under the smallest fuse

    """
    loads = loads_of(entry)
    device = overcurrent.lawful(entry, loads)
    return Job(entry, loads, device, conditions(entry, device.amps), limits)


def minimum_conductor(job: Job) -> str:
    """Return the smallest conductor that carries the load, by the school asked for.

    Raises
    ------
    BeyondTable : more than the largest carries

    """
    return _smallest(job, job.entry.school)


def _smallest(job: Job, school: School) -> str:
    least = job.loads.mca_a
    if school == "breaker":
        least = max(least, float(job.device.amps))
    if not job.guarded:
        return smallest_protected(least, job.device.amps, job.entry, job.conditions)
    return smallest_for(least, job.entry, job.conditions)


# Each part of what is judged; a sizing and an audit go through the same list.
RULES: tuple[Callable[[Job, Built], list[Finding]], ...] = (
    lambda job, _: plate.judge(job),
    overcurrent.judge,
    ampacity.judge,
    grounding.judge,
    disconnect.judge,
    lambda job, _: place.judge(job),
    lugs.judge,
    drop.judge,
    ground_fault.judge,
    lambda job, _: fault_current.judge(job),
)


def judge(job: Job, built: Built) -> list[Finding]:
    """Judge a circuit, chosen or there, by every rule; the gravest first."""
    found = [f for rule in RULES for f in rule(job, built)]
    return sorted(found, key=lambda f: GRAVITY[f.verdict])


def size_circuit(entry: CircuitIn, standards: Standards | None = None) -> CircuitOut:
    """Size a branch circuit.

    Parameters
    ----------
    entry : loads [A], wiring method, length [ft], ambient [°F]; whatever is left out stands in ``assumed``
    standards : the shop's limits (shipped ones when left out)

    Raises
    ------
    InputProblem : the place is too hot for the insulation
    BeyondTable : larger than the tables; parallel conductors need an engineer

    References
    ----------
    NEC 440.4(B), 440.22, 440.32 to 440.35, 440.12, 250.122, 310, Chapter 9; edition as asked.

    """
    limits = standards or shipped_standards()
    job = job_of(entry, limits)
    loads, device, c = job.loads, job.device, job.conditions
    by_mca = _smallest(job, "mca")
    by_breaker = _or_none(lambda: _smallest(job, "breaker"))
    minimum = by_mca if entry.school == "mca" else (by_breaker or _beyond(device.amps))
    chosen = minimum
    if entry.length_ft is not None and entry.drop_limit_pct is not None:
        chosen = drop.size_within(entry, loads, minimum)
    for_start = drop.size_for_start(
        entry, loads, minimum, limits, entry.start_limit_pct or limits.start_dip_pct
    )
    if entry.start_limit_pct is not None and entry.length_ft is not None:
        chosen = _for_start(entry, loads, chosen, for_start)
    running = drop.running_drop_v(chosen, entry, loads)
    start = drop.start_drop_v(chosen, entry, loads, limits.start_power_factor)
    metal = grounding.metal_of(entry)
    ground = grounding.in_proportion(device.amps, minimum, chosen, metal, limits.ground_tolerance_pct)
    kind = overcurrent.kind_of(job)
    need = disconnect.need_a(loads)
    frame = disconnect.frame_a(need, device.amps if kind == "fuse" else None)
    power = disconnect.horsepower(entry, loads, limits)
    # A raceway that can't be the ground is judged as entered, and a wire is sized in its place.
    by_raceway = entry.ground_by == "raceway" and not grounding.never_by(entry, float(device.amps))
    trade, fill = raceway.fill(entry, chosen, ground)
    built = Built(
        device_a=float(device.amps),
        device_kind=kind,
        poles=entry.poles,
        conductor_awg=chosen,
        minimum_awg=minimum,
        egc_awg=ground,
        egc_material=metal,
        egc_raceway=entry.ground_by == "raceway",
        disconnect_a=float(frame),
        disconnect_hp=power,
        disconnect_fused=kind == "fuse",
        fuse_a=float(device.amps) if kind == "fuse" else None,
        ground_fault=None,
    )
    findings = judge(job, built)
    findings += raceway.judge(job, chosen, ground, trade, fill)
    findings = sorted([*findings, *_notes(job, by_mca, by_breaker)], key=lambda f: GRAVITY[f.verdict])
    # Worth a word in the answer itself: it decides which breaker is bought.
    guarded = any(f.code == "GFCI_OUTDOOR" and f.verdict == "watch" for f in findings)
    sizes: dict[Station, str] = {
        "device": _device_words(entry, device, kind, guarded),
        "conductor": f"{size_word(chosen)} {metal_word(entry.material)} {entry.insulation}",
        "ground": msg("{raceway} itself", raceway=entry.raceway)
        if by_raceway
        else f"{size_word(ground)} {metal_word(metal)}",
        "disconnect": f"{frame} A"
        + (msg(", {power:g} hp", power=power) if power else "")
        + (msg(", fused") if kind == "fuse" else ""),
        "unit": msg("MCA {mca_a:g} A", mca_a=loads.mca_a)
        + (msg(", MOCP {mocp_a:g} A", mocp_a=device.mocp_a) if device.mocp_a is not None else ""),
    }
    if trade is not None:
        sizes["raceway"] = f"{entry.raceway} {trade}"
    elif entry.raceway is not None:
        sizes["raceway"] = entry.raceway
    amps = loads.running_a if loads.running_a is not None else loads.mca_a
    return CircuitOut(
        ok=not any(f.verdict == "fail" for f in findings),
        answer=answer_lines(sizes, entry, findings),
        mca_a=round(loads.mca_a, 6),
        computed_mca_a=loads.figures.mca_a if loads.figures else None,
        mocp_a=device.mocp_a,
        overcurrent_a=device.amps,
        overcurrent_kind="fuse" if kind == "fuse" else "breaker",
        overcurrent_225_a=device.largest_a,
        conductor_awg=chosen,
        minimum_conductor_awg=minimum,
        ampacity_a=round(usable_a(chosen, entry, c), 4),
        corrected_a=round(corrected_a(chosen, entry, c), 4),
        termination_a=ampacity_a(chosen, entry.material, c.termination_c),
        egc_awg=ground,
        drop_at_a=round(amps, 4),
        reactance_of=drop.metal_of(entry),
        voltage_drop_v=None if running is None else round(running, 4),
        voltage_drop_pct=None if running is None else round(100 * running / entry.volts, 4),
        start_conductor_awg=for_start,
        start_drop_pct=None if start is None else round(100 * start / entry.volts, 4),
        disconnect_a=frame,
        disconnect_min_a=round(need, 4),
        disconnect_hp=power,
        raceway_trade_size=trade,
        raceway_fill_pct=fill,
        poles=entry.poles,
        other_school=_other_school(entry, by_mca, by_breaker, device),
        stations=stations(sizes, findings),
        materials=materials(
            entry, chosen, None if by_raceway else ground, device.amps, kind, frame, trade, guarded=guarded
        ),
        findings=findings,
        assumed=defaults(job),
        always=always(job),
    )


def _for_start(entry: CircuitIn, loads: Loads, chosen: str, for_start: str | None) -> str:
    if loads.compressor_lra_a is None:
        raise InputProblem(
            [
                FieldProblem(
                    field="compressors.lra_a",
                    wanted=msg("locked-rotor amps, to size by the start"),
                    got=None,
                )
            ]
        )
    if for_start is None:
        raise BeyondTable(
            msg(
                "No conductor of the table keeps the start within {most:g} % over {length_ft}.",
                most=entry.start_limit_pct,
                length_ft=feet(entry.length_ft or 0.0),
            ),
            next_step=msg("Fit a soft starter, or bring the source nearer. {ask}", ask=NEEDS_ENGINEER),
        )
    return max(chosen, for_start, key=lambda size: RANK[size])


def _device_words(entry: CircuitIn, device: Device, kind: str, guarded: bool) -> str:
    poles = poles_word(entry.poles)
    if kind != "fuse":
        words = msg("{amps} A breaker (HACR), {poles}", amps=device.amps, poles=poles)
        return words + (msg(", GFCI (Class A)") if guarded else "")
    words = msg("{amps} A time-delay fuses, {poles}", amps=device.amps, poles=poles)
    if not guarded:
        return words
    ahead = breaker_ahead_a(entry, device.amps)
    return words + msg("; {ahead} A GFCI breaker (Class A) ahead of the fused disconnect", ahead=ahead)


def _or_none(choose: Callable[[], str]) -> str | None:
    try:
        return choose()
    except BeyondTable:
        return None


def _beyond(amps: float) -> str:
    raise BeyondTable(
        msg("A conductor for {amps:g} A is beyond the table.", amps=amps), next_step=NEEDS_ENGINEER
    )


def _notes(job: Job, by_mca: str, by_breaker: str | None) -> list[Finding]:
    """Return how the figures came about, where the plate does not simply say them."""
    entry, loads, device = job.entry, job.loads, job.device
    e, found = entry.edition, []
    if loads.figures is not None:
        single = len(loads.compressors) == 1 and not loads.motors and not loads.other_a and not loads.heat_a
        printed = loads.plate_mca_a
        found.append(
            finding(
                "MCA",
                "note",
                msg("Minimum circuit ampacity {mca_a:.5g} A", mca_a=loads.mca_a)
                + (
                    " (computed)."
                    if printed is None
                    else msg(" on the nameplate; the loads give {mca_a:.5g} A.", mca_a=loads.figures.mca_a)
                ),
                clause(e, ("440.32" if single else "440.33") + (", 424.4(B)" if loads.heat_a else "")),
                loads.figures.mca_working,
                largest_a=loads.figures.largest_a,
                others_a=loads.figures.others_a,
            )
        )
        if loads.plate_mocp_a is None:
            found.append(
                finding(
                    "OVERCURRENT",
                    "note",
                    msg(
                        "{amps} A, the next standard size above MCA: the {most_pct:g} % figure is below it.",
                        amps=device.amps,
                        most_pct=loads.figures.most_pct,
                    )
                    if device.raised and loads.figures.mocp_a < device.amps
                    else msg(
                        "Start with {amps} A; up to {mocp_a:g} A if it trips on starting.",
                        amps=device.amps,
                        mocp_a=loads.figures.mocp_a,
                    ),
                    clause(e, f"440.22(A), {most_clause(loads.figures)}, 240.6(A)"),
                    f"{loads.figures.mocp_start_working}; {loads.figures.mocp_working}",
                    limit_175_a=loads.figures.mocp_start_limit_a,
                    limit_225_a=loads.figures.mocp_limit_a,
                )
            )
    other = by_breaker if entry.school == "mca" else by_mca
    used = by_mca if entry.school == "mca" else by_breaker
    if other != used:
        school = _other_school(entry, by_mca, by_breaker, device)
        found.append(
            finding(
                "SCHOOL",
                "note",
                msg(
                    "Sized by {school}. The other way: {other}. {why}",
                    school="MCA" if entry.school == "mca" else "the breaker",
                    other=size_word(other) if other else "beyond the table",
                    why=school.why,
                ),
                clause(e, "440.32, 440.33"),
            )
        )
    if entry.provisional:
        found.append(
            finding(
                "PROVISIONAL",
                "watch",
                msg("Sized before the unit is here."),
                clause(e, "440.4(B)"),
                step=msg("When it arrives, audit this circuit against its nameplate."),
            )
        )
    return found


def _other_school(entry: CircuitIn, by_mca: str, by_breaker: str | None, device: Device) -> OtherSchool:
    if entry.school == "mca":
        why = msg("Sized to the {amps} A breaker: larger wire, simpler for the next tech.", amps=device.amps)
        if by_breaker is None:
            why = msg("Sized to the device it is beyond the table: parallel conductors need an engineer.")
        return OtherSchool(school="breaker", conductor_awg=by_breaker, why=why)
    return OtherSchool(school="mca", conductor_awg=by_mca, why=msg("Code minimum, from MCA."))


__all__ = ["CircuitOut", "Loads", "OtherSchool", "job_of", "judge", "minimum_conductor", "size_circuit"]
