"""A circuit that is there against a plate: each clause pass, fail or cannot tell, and what would mend it."""

from pydantic import Field

from orange_crank.core.circuit.answer import AnswerLine
from orange_crank.core.circuit.entry import AuditIn
from orange_crank.core.circuit.fixes import BY_HAND, FixSet, failing, fix_sets
from orange_crank.core.circuit.one_line import STATION_OF, TITLES, Station, StationOut, stations
from orange_crank.core.circuit.rules import disconnect, drop, grounding, overcurrent
from orange_crank.core.circuit.rules.always import always
from orange_crank.core.circuit.rules.defaults import Assumed, defaults
from orange_crank.core.circuit.rules.job import Built, Job, poles_word
from orange_crank.core.circuit.size import GRAVITY, job_of, judge, minimum_conductor
from orange_crank.core.errors import BeyondTable
from orange_crank.core.messages import Prose, joined, msg, no_stop, shaped
from orange_crank.core.nomenclature import Finding, Frozen, Verdict
from orange_crank.core.tables.code import metal_word, size_word
from orange_crank.core.tables.standards import Standards, shipped_standards

# What a wrong part costs to put right, for the order of checks of one verdict.
_COST: dict[str, int] = {"device": 0, "disconnect": 2, "ground": 3, "conductor": 4, "raceway": 5, "unit": 6}
MOST_SETS = 3


class AuditCheck(Frozen):
    """One clause held against what is there."""

    code: str
    verdict: Verdict
    clause: str
    text: Prose
    fix: Prose | None = None
    arithmetic: Prose | None = None


class Wanted(Frozen):
    """What would be put in again."""

    overcurrent_a: int
    overcurrent_kind: str
    conductor_awg: str | None
    egc_awg: str | None
    disconnect_a: int | None
    disconnect_hp: float | None


class AuditOut(Frozen):
    """What is there, clause by clause."""

    ok: bool = Field(description="Whether nothing fails")
    lawful: bool = Field(description="Whether nothing fails and nothing is open")
    answer: list[AnswerLine] = Field(description="The answer in at most six lines")
    checks: list[AuditCheck] = Field(description="What fails first, cheapest to put right first")
    fixes: list[FixSet] = Field(description="Sets of changes that make it meet code, cheapest first")
    wanted: Wanted
    stations: list[StationOut]
    findings: list[Finding] = Field(description="Notes that are no check; checks are not repeated here")
    assumed: list[Assumed]
    always: list[Finding]


def audit_circuit(entry: AuditIn, standards: Standards | None = None) -> AuditOut:
    """Hold an existing circuit against a plate.

    Parameters
    ----------
    entry : the plate's loads, how it is wired, and what is there; what nobody looked at is left out
    standards : the shop's limits (shipped ones when left out)

    Raises
    ------
    InputProblem : the place is too hot for the insulation, or a size the metal does not come in

    """
    limits = standards or shipped_standards()
    there = entry.installed
    own = {"insulation": there.insulation, "material": there.material, "egc_material": there.egc_material}
    job = job_of(entry.model_copy(update={k: v for k, v in own.items() if v is not None}), limits)
    least = _least(job)
    built = Built(
        device_a=there.overcurrent_a,
        device_kind=there.overcurrent_kind,
        poles=there.poles,
        conductor_awg=there.conductor_awg,
        minimum_awg=least,
        egc_awg=there.egc_awg,
        egc_material=grounding.metal_of(job.entry),
        egc_raceway=there.egc_raceway,
        disconnect_a=there.disconnect_a,
        disconnect_hp=there.disconnect_hp,
        disconnect_fused=there.disconnect_fused,
        fuse_a=there.fuse_a,
        ground_fault=there.ground_fault,
    )
    found = judge(job, built)
    judged = sorted(
        (f for f in found if f.verdict != "note"),
        key=lambda f: (GRAVITY[f.verdict], _COST[STATION_OF.get(f.code, "unit")]),
    )
    fixes = fix_sets(job, built, failing(found), minimum_conductor)[:MOST_SETS]
    checks = [_check(f, fixes[0] if fixes else None) for f in judged]
    sizes = _sizes(job, built)
    ok = not any(f.verdict == "fail" for f in judged)
    return AuditOut(
        ok=ok,
        lawful=ok and not any(f.verdict == "unknown" for f in judged),
        answer=_answer(checks, fixes),
        checks=checks,
        fixes=fixes,
        wanted=_wanted(job, least),
        stations=stations(sizes, found),
        findings=[f for f in found if f.verdict == "note"],
        assumed=defaults(job),
        always=always(job),
    )


def _least(job: Job) -> str | None:
    try:
        return minimum_conductor(job)
    except BeyondTable:
        return None


def _check(f: Finding, cheapest: FixSet | None) -> AuditCheck:
    """Return a finding as a check; what the cheapest set changes is its fix, in the set's own words."""
    fix = f.next_step
    part = STATION_OF.get(f.code, "unit")
    if f.verdict == "fail" and cheapest is not None and part != "unit" and f.code not in BY_HAND:
        own = next((c.text for c in cheapest.changes if c.part == part), None)
        fix = own or msg(
            "Put right by the rest: {join}", join=joined((c.text for c in cheapest.changes), " ")
        )
    return AuditCheck(
        code=f.code, verdict=f.verdict, clause=f.rule, text=f.text, fix=fix, arithmetic=f.arithmetic
    )


def _answer(checks: list[AuditCheck], fixes: list[FixSet]) -> list[AnswerLine]:
    """Return what fails and what would mend it, then what is open; in at most six lines."""
    fails = [c for c in checks if c.verdict == "fail"]
    open_ = [c for c in checks if c.verdict == "unknown"]
    lines = [_line(c) for c in fails[:3]]
    if len(fails) > 3:
        lines.append(
            AnswerLine(
                part="more",
                label=msg("More"),
                text=msg("{fails} more fail.", fails=len(fails) - 3),
                verdict="fail",
            )
        )
    if fixes:
        told = joined((c.text for c in fixes[0].changes), " ")
        lines.append(
            AnswerLine(part="fix", label=msg("Cheapest fix that meets code"), text=told, verdict="note")
        )
    if open_:
        asked = joined((shaped(f, no_stop) for f in dict.fromkeys(c.fix for c in open_ if c.fix)), "; ")
        text = msg("{open} items need more information. {asked}.", open=len(open_), asked=asked)
        lines.append(AnswerLine(part="open", label=msg("Need more info"), text=text, verdict="unknown"))
    if not lines:
        lines.append(
            AnswerLine(part="all", label=msg("Circuit"), text=msg("Every clause passes."), verdict="pass")
        )
    return lines


def _line(c: AuditCheck) -> AnswerLine:
    part = STATION_OF.get(c.code, "unit")
    return AnswerLine(part=part, label=TITLES[part], text=c.text, verdict=c.verdict)


def _sizes(job: Job, built: Built) -> dict[Station, str]:
    entry, there = job.entry, built
    assert isinstance(entry, AuditIn)
    no = msg("not entered")
    metal = "" if job.unsaid("material") else f" {metal_word(entry.material)}"
    covering = "" if job.unsaid("insulation") else f" {entry.insulation}"
    device = no if there.device_a is None else overcurrent.device_word(there.device_a, there.device_kind)
    if there.device_a is not None and there.poles is not None:
        device += msg(", {poles_word}", poles_word=poles_word(there.poles))
    box = f"{there.disconnect_a:g} A" if there.disconnect_a is not None else no
    box += (
        msg(", {disconnect_hp:g} hp", disconnect_hp=there.disconnect_hp)
        if there.disconnect_hp is not None
        else ""
    )
    box += msg(", fused") if there.disconnect_fused else ""
    by_raceway = there.egc_raceway or entry.ground_by == "raceway"
    ground = msg("{raceway} itself", raceway=entry.raceway or "raceway") if by_raceway else no
    if there.egc_awg is not None and not by_raceway:
        ground = size_word(there.egc_awg)
    unit = msg("MCA {mca_a:.5g} A", mca_a=job.loads.mca_a)
    unit += msg(", MOCP {mocp_a:g} A", mocp_a=job.device.mocp_a) if job.device.mocp_a is not None else ""
    sizes: dict[Station, str] = {
        "device": device,
        "conductor": f"{size_word(there.conductor_awg)}{metal}{covering}" if there.conductor_awg else no,
        "ground": ground,
        "raceway": entry.raceway or no,
        "disconnect": box,
        "unit": unit,
    }
    return sizes


def _wanted(job: Job, least: str | None) -> Wanted:
    chosen = least
    if least is not None and job.entry.drop_limit_pct is not None and job.entry.length_ft is not None:
        try:
            chosen = drop.size_within(job.entry, job.loads, least)
        except BeyondTable:
            chosen = None
    kind = overcurrent.kind_of(job)
    need = disconnect.need_a(job.loads)
    try:
        frame = disconnect.frame_a(need, job.device.amps if kind == "fuse" else None)
    except BeyondTable:
        frame = None
    ground = None
    if least is not None and chosen is not None:
        metal = grounding.metal_of(job.entry)
        ground = grounding.in_proportion(
            job.device.amps, least, chosen, metal, job.limits.ground_tolerance_pct
        )
    return Wanted(
        overcurrent_a=job.device.amps,
        overcurrent_kind=kind,
        conductor_awg=chosen,
        egc_awg=ground,
        disconnect_a=frame,
        disconnect_hp=disconnect.horsepower(job.entry, job.loads, job.limits),
    )
