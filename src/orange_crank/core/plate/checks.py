"""A plate checked against itself: what its own numbers say about one another.

Plates are half-legible and numbers are mistyped. A likely slip is suggested, never put right silently.
"""

import math
from collections.abc import Callable

from pydantic import Field

from orange_crank.core.errors import field_words
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, inputs, say, worst
from orange_crank.core.plate.arithmetic import CircuitFigures, clause, figures_of, most_clause
from orange_crank.core.plate.model import CompressorRead, Edition, PlateRead
from orange_crank.core.tables import is_standard, nominal_volts
from orange_crank.core.tables.standards import Standards, shipped_standards


class Suspect(Frozen):
    """A number that is probably not what the plate says."""

    field: str = Field(description="Path of the field, e.g. compressors[0].rla_a")
    got: float
    maybe: float = Field(description="The likely true value")
    why: Prose


class Missing(Frozen):
    """A figure that the plate no longer shows, and what it keeps from being known."""

    field: str
    label: str
    keeps: Prose = Field(description="What cannot be known without it")


class PlateResult(Frozen):
    """The plate's own arithmetic and what it shows."""

    mca_a: float | None = Field(
        description="Computed minimum circuit ampacity [A]; none where a load is missing"
    )
    mocp_a: float | None = Field(description="Computed maximum overcurrent device, 225 % rule [A]")
    mocp_start_a: float | None = Field(description="First overcurrent device to try, 175 % rule [A]")
    suspects: list[Suspect]
    missing: list[Missing] = Field(description="What could not be read, and what that keeps from being known")
    verdict: Verdict
    findings: list[Finding]


def check_plate(
    plate: PlateRead, standards: Standards | None = None, *, edition: Edition = "2023"
) -> PlateResult:
    """Check a plate's numbers against one another, as far as they can be read.

    Parameters
    ----------
    plate : the plate as read
    standards : the shop's limits (shipped ones when left out)
    edition : of the National Electrical Code, for the clauses cited

    Returns
    -------
    PlateResult : computed MCA and MOCP [A], likely slips, findings

    Raises
    ------
    BeyondTable : loads above the largest standard overcurrent device

    """
    limits = standards or shipped_standards()
    figures = figures_of(plate)
    suspects = suspects_of(plate, figures, limits)
    missing = _missing(plate)
    findings = [
        *([] if figures is None else _computed(plate, figures, edition)),
        *printed_against_computed(plate, figures, limits, edition),
        *_compressors(plate, limits),
        *_kind_of_machine(plate),
        *_starting(plate),
        *_tonnage(plate, limits),
        *(
            Finding(
                code="NOT_LEGIBLE",
                # Small plates print no circuit figures; what the machine draws every plate says.
                verdict="note" if m.field in ("mca_a", "mocp_a") else "unknown",
                text=msg("{label} not entered. Without it: {keeps}.", label=m.label, keeps=m.keeps),
                rule="plate arithmetic",
                inputs={"field": m.field},
                next_step=msg("Clean the nameplate, or ask its maker by model and serial number."),
            )
            for m in missing
        ),
        *(suspect_finding(s, limits, "watch") for s in suspects),
    ]
    return PlateResult(
        mca_a=figures.mca_a if figures else None,
        mocp_a=figures.mocp_a if figures else None,
        mocp_start_a=figures.mocp_start_a if figures else None,
        suspects=suspects,
        missing=missing,
        verdict=worst([f.verdict for f in findings if f.verdict != "note"] or ["pass"]),
        findings=findings,
    )


def suspect_finding(s: Suspect, limits: Standards, verdict: Verdict) -> Finding:
    """Return a likely slip as a question."""
    return Finding(
        code="PLATE_SUSPECT",
        verdict=verdict,
        text=msg(
            "{field_words}: {got:g}? Perhaps {maybe:g}. {why}",
            field_words=field_words(s.field),
            got=s.got,
            maybe=s.maybe,
            why=s.why,
        ),
        rule=limits.rule("lra_rla_ratio_low")
        if "lra" in s.field or "rla" in s.field
        else msg("nameplate arithmetic"),
        inputs={"field": s.field, "got": s.got, "maybe": s.maybe},
        next_step=msg("Look at the nameplate again; nothing was changed."),
    )


_KEEPS = {
    "volts": msg("voltage drop, the disconnect's horsepower, and the start cannot be computed"),
    "phase": msg("poles, voltage drop and start aids are not known"),
    "compressors": msg("MCA and MOCP cannot be checked, nor running amps judged"),
    "rla_a": msg("MCA and MOCP cannot be computed, nor running amps judged"),
    "lra_a": msg("inrush cannot be judged, nor a start aid or backup power chosen; MCA and MOCP need none"),
    "fla_a": msg("MCA and MOCP cannot be computed"),
    "mca_a": msg("the circuit goes by the loads alone"),
    "mocp_a": msg("the largest device goes by the 225 % rule alone"),
}


def _missing(plate: PlateRead) -> list[Missing]:
    """Return what is not legible; what the plate may lawfully leave out is not missed."""
    fields = [name for name in ("volts", "phase") if getattr(plate, name) is None]
    if not plate.compressors:
        fields.append("compressors")
    for i, c in enumerate(plate.compressors):
        fields += [f"compressors[{i}].rla_a"] if c.rla_a is None else []
        fields += [f"compressors[{i}].lra_a"] if c.lra_a is None and not plate.is_inverter else []
    fields += [f"motors[{i}].fla_a" for i, m in enumerate(plate.motors) if m.fla_a is None]
    fields += [name for name in ("mca_a", "mocp_a") if getattr(plate, name) is None]
    return [Missing(field=f, label=field_words(f), keeps=_KEEPS[f.rpartition(".")[2]]) for f in fields]


def _computed(plate: PlateRead, figures: CircuitFigures, edition: Edition) -> list[Finding]:
    single = len(plate.compressors) == 1 and not plate.motors and not plate.other_a
    found = [
        Finding(
            code="MCA_COMPUTED",
            verdict="note",
            text=msg("Minimum circuit ampacity {mca_a}.", mca_a=say(figures.mca_a, "A", 3)),
            rule=clause(edition, "440.32" if single else "440.33"),
            inputs={"largest_a": figures.largest_a, "others_a": figures.others_a},
            arithmetic=figures.mca_working,
        ),
        Finding(
            code="MOCP_COMPUTED",
            verdict="note",
            text=msg(
                "Max breaker or fuse {mocp_a:g} A. Try {mocp_start_a:g} A first.",
                mocp_a=figures.mocp_a,
                mocp_start_a=figures.mocp_start_a,
            ),
            rule=clause(edition, f"440.22(A), {most_clause(figures)}, 240.6(A)"),
            inputs={"limit_225_a": figures.mocp_limit_a, "limit_175_a": figures.mocp_start_limit_a},
            arithmetic=f"{figures.mocp_working}; {figures.mocp_start_working}",
        ),
    ]
    if figures.mocp_start_a < figures.mca_a:
        found.append(
            Finding(
                code="MOCP_ROUNDS_BELOW_MCA",
                verdict="note",
                text=msg(
                    "Rounded down, the 175 % figure lands under the circuit ampacity; the circuit "
                    "then takes the next standard size up."
                ),
                rule=clause(edition, "440.22(A)"),
                inputs={"mocp_start_a": figures.mocp_start_a, "mca_a": figures.mca_a},
            )
        )
    if figures.largest_is_motor:
        found.append(
            Finding(
                code="LARGEST_IS_A_MOTOR",
                verdict="note",
                text=msg(
                    "A motor on this nameplate draws more than the compressor, so it carries the extra 25 %."
                ),
                rule=clause(edition, "440.33"),
                inputs={"largest_a": figures.largest_a},
            )
        )
    return found


def _mca_tolerance_a(figures: CircuitFigures, limits: Standards) -> float:
    return max(limits.mca_agreement_a, figures.mca_a * limits.mca_agreement_pct / 100)


def printed_against_computed(
    plate: PlateRead, figures: CircuitFigures | None, limits: Standards, edition: Edition
) -> list[Finding]:
    """Hold the printed MCA and MOCP against what the loads give, and against each other."""
    found: list[Finding] = []
    if plate.mca_a is not None and figures is not None:
        gap = plate.mca_a - figures.mca_a
        tolerance = _mca_tolerance_a(figures, limits)
        agrees = abs(gap) <= tolerance
        direction = "above" if gap > 0 else "below"
        found.append(
            Finding(
                code="MCA_AGREES" if agrees else "MCA_DIFFERS",
                verdict="pass" if agrees else "watch",
                text=msg("Nameplate MCA matches the loads.")
                if agrees
                else (
                    msg(
                        "Nameplate MCA is {abs} {direction} the computed value: a load is missing or a "
                        "number is misread. The nameplate governs.",
                        abs=say(abs(gap), "A", 3),
                        direction=direction,
                    )
                ),
                rule=limits.rule("mca_agreement_a"),
                inputs={
                    "mca_a": plate.mca_a,
                    "computed_mca_a": round(figures.mca_a, 3),
                    "tolerance_a": round(tolerance, 3),
                },
                arithmetic=msg(
                    "{mca_a:g} − {mca_a_2:.6g} = {gap:+.3g} A (allowed ±{tolerance:.2g} A)",
                    mca_a=plate.mca_a,
                    mca_a_2=figures.mca_a,
                    gap=gap,
                    tolerance=tolerance,
                ),
                next_step=None if agrees else msg("Read MCA, RLA and FLA off the nameplate again."),
            )
        )
    if plate.mocp_a is None:
        return found
    if plate.mca_a is not None and plate.mocp_a < plate.mca_a:
        found.append(
            Finding(
                code="MOCP_BELOW_MCA",
                verdict="fail",
                text=msg("The printed MOCP is below the printed MCA; no nameplate has that."),
                rule=clause(edition, "440.4(B)"),
                inputs={"mocp_a": plate.mocp_a, "mca_a": plate.mca_a},
                next_step=msg("Read both again; they may be swapped."),
            )
        )
    if not is_standard(plate.mocp_a):
        found.append(
            Finding(
                code="MOCP_NOT_STANDARD",
                verdict="watch",
                text=msg("{mocp_a:g} A is not a standard size of fuse or breaker.", mocp_a=plate.mocp_a),
                rule=clause(edition, "240.6(A)"),
                inputs={"mocp_a": plate.mocp_a},
                next_step=msg("Read the nameplate again; if it is right, the next size down is the limit."),
            )
        )
    if figures is None:
        return found
    within = plate.mocp_a <= figures.mocp_limit_a + 1e-9
    floor_case = plate.mocp_a <= figures.mocp_a
    found.append(
        Finding(
            code="MOCP_AGREES" if within or floor_case else "MOCP_ABOVE_RULE",
            verdict="pass" if within or floor_case else "watch",
            text=msg("Nameplate MOCP is within the {most_pct:g} % limit.", most_pct=figures.most_pct)
            if within or floor_case
            else msg(
                "The printed maximum overcurrent device is above what the loads allow: a load "
                "was missed or a number misread. The nameplate governs."
            ),
            rule=clause(edition, most_clause(figures)),
            inputs={"mocp_a": plate.mocp_a, "limit_225_a": round(figures.mocp_limit_a, 3)},
            arithmetic=figures.mocp_working,
        )
    )
    return found


def _compressors(plate: PlateRead, limits: Standards) -> list[Finding]:
    found: list[Finding] = []
    low, high = limits.lra_rla_ratio_low, limits.lra_rla_ratio_high
    for i, c in enumerate(plate.compressors):
        name = msg("The compressor") if len(plate.compressors) == 1 else msg("Compressor {i}", i=i + 1)
        if c.rla_a is None:
            continue
        if c.bcsc_a is not None and c.bcsc_a < c.rla_a:
            found.append(
                Finding(
                    code="BCSC_BELOW_RLA",
                    verdict="watch",
                    text=msg(
                        "{name}: selection current is below rated load amps; it is never smaller.", name=name
                    ),
                    rule="NEC 440.2 (definition)",
                    inputs={"bcsc_a": c.bcsc_a, "rla_a": c.rla_a},
                    next_step=msg("Read both again; the greater one is used meanwhile."),
                )
            )
        if c.lra_a is None:
            continue
        ratio = c.lra_a / c.rla_a
        verdict: Verdict = "pass" if low <= ratio <= high else "watch"
        if ratio < 1:
            verdict = "fail"
        words = {
            "pass": msg("{name}: LRA ÷ RLA is normal.", name=name),
            "watch": msg(
                "{name}: locked-rotor amps are {ratio:.1f} × rated amps; usual is {low:g} to {high:g}.",
                name=name,
                ratio=ratio,
                low=low,
                high=high,
            ),
            "fail": msg("{name}: locked-rotor amps are below rated amps; no motor does that.", name=name),
        }
        found.append(
            Finding(
                code="LRA_RLA_RATIO",
                verdict=verdict,
                text=words[verdict],
                rule=limits.rule("lra_rla_ratio_low"),
                inputs={"lra_a": c.lra_a, "rla_a": c.rla_a, "usual_low": low, "usual_high": high},
                arithmetic=f"{c.lra_a:g} A ÷ {c.rla_a:g} A = {ratio:.2f}",
                next_step=None if verdict == "pass" else msg("Look at both numbers on the nameplate again."),
            )
        )
    return found


def _kind_of_machine(plate: PlateRead) -> list[Finding]:
    found: list[Finding] = []
    if plate.is_inverter:
        found.append(
            Finding(
                code="INVERTER_NO_AID",
                verdict="note",
                text=msg("Inverter drive: it starts itself gently. No start aid, and no locked-rotor test."),
                rule="field practice: plate checks",
                inputs={"inverter": True},
            )
        )
    if plate.phase == 3:
        found.append(
            Finding(
                code="THREE_PHASE_NO_SINGLE_PHASE_AID",
                verdict="watch" if plate.run_cap_uf else "note",
                text=msg(
                    "Three-phase: the compressor has no run capacitor and takes no single-phase start kit."
                )
                + (msg(" A run capacitor was entered: is the phase right?") if plate.run_cap_uf else ""),
                rule="field practice: plate checks",
                inputs=dict(inputs(phase=3, run_cap_uf=plate.run_cap_uf)),
            )
        )
    return found


def va_per_ton(volts: float, phase: int, rla_a: float, tons: float) -> float:
    """Return rated apparent power a ton [VA/ton], a coarse measure of whether a plate makes sense."""
    return volts * rla_a * (math.sqrt(3) if phase == 3 else 1.0) / tons


def _tonnage(plate: PlateRead, limits: Standards) -> list[Finding]:
    total = _total_rla_a(plate)
    if plate.tons is None or total is None or plate.volts is None or plate.phase is None:
        return []
    figure = va_per_ton(plate.volts, plate.phase, total, plate.tons)
    usual = limits.va_per_ton_low <= figure <= limits.va_per_ton_high
    return [
        Finding(
            code="TONNAGE_GUESS",
            verdict="note",
            text=msg("RLA fits the tonnage.")
            if usual
            else msg("RLA and tonnage don't match well. Recheck both. Rough check only."),
            rule=limits.rule("va_per_ton_low"),
            inputs={"rla_a": total, "tons": plate.tons, "volts": plate.volts, "phase": plate.phase},
            arithmetic=msg(
                "{figure:.0f} VA a ton (usual {va_per_ton_low:g} to {va_per_ton_high:g})",
                figure=figure,
                va_per_ton_low=limits.va_per_ton_low,
                va_per_ton_high=limits.va_per_ton_high,
            ),
        )
    ]


def _total_rla_a(plate: PlateRead) -> float | None:
    """Return all rated load amps together [A]; None where one is missing."""
    rated = [c.rla_a for c in plate.compressors if c.rla_a is not None]
    return sum(rated) if rated and len(rated) == len(plate.compressors) else None


def _with_compressor(plate: PlateRead, index: int, **change: float | None) -> PlateRead:
    compressors = list(plate.compressors)
    compressors[index] = compressors[index].model_copy(update=change)
    return plate.model_copy(update={"compressors": compressors})


def _agrees_with_mca(plate: PlateRead, limits: Standards) -> bool | None:
    """Whether the printed MCA fits the loads; None without a printed MCA or with a load missing."""
    figures = figures_of(plate)
    if plate.mca_a is None or figures is None:
        return None
    return abs(plate.mca_a - figures.mca_a) <= 2 * _mca_tolerance_a(figures, limits)


def _starting(plate: PlateRead) -> list[Finding]:
    """Doubt a run capacitor on a motor that is entered as starting without one."""
    if plate.run_cap_uf is None or plate.starting in (None, "run_capacitor"):
        return []
    return [
        Finding(
            code="STARTING_AND_RUN_CAPACITOR",
            verdict="watch",
            text=msg(
                "Run capacitor {run_cap_uf:g} µF, but it is entered as starting without one. "
                "The run capacitor counts.",
                run_cap_uf=plate.run_cap_uf,
            ),
            rule="field practice: plate checks",
            inputs={"run_cap_uf": plate.run_cap_uf, "starting": plate.starting},
            next_step=msg("Look which one is there, then clear the other field."),
        )
    ]


def suspects_of(plate: PlateRead, figures: CircuitFigures | None, limits: Standards) -> list[Suspect]:
    """Return the numbers of a plate that are probably not what it says, its figures being known."""
    found: list[Suspect] = []
    for i, compressor in enumerate(plate.compressors):
        found += _compressor_suspects(plate, i, compressor, limits)
    clean = not found
    if figures is not None:
        found += _circuit_suspects(plate, figures, limits, loads_trusted=clean)
    found += _fan_suspects(plate)
    found += _volts_suspects(plate, limits)
    return found


def _compressor_suspects(plate: PlateRead, i: int, c: CompressorRead, limits: Standards) -> list[Suspect]:
    rla, lra = f"compressors[{i}].rla_a", f"compressors[{i}].lra_a"

    def usual(ratio: float) -> bool:
        return 0.75 * limits.lra_rla_ratio_low <= ratio <= 1.3 * limits.lra_rla_ratio_high

    if c.rla_a is None:
        return []
    if c.lra_a is None:
        tenth = _with_compressor(plate, i, rla_a=c.rla_a / 10)
        if _agrees_with_mca(plate, limits) is False and _agrees_with_mca(tenth, limits):
            why = msg("Missing decimal point? One tenth of it matches the MCA.")
            return [Suspect(field=rla, got=c.rla_a, maybe=round(c.rla_a / 10, 4), why=why)]
        return []
    if usual(c.lra_a / c.rla_a):
        return []

    options: list[tuple[PlateRead, list[Suspect]]] = []

    def offer(changed: dict[str, float], suspects: list[Suspect]) -> None:
        options.append((_with_compressor(plate, i, **changed), suspects))

    if usual(c.rla_a / c.lra_a):
        why = msg("RLA and LRA may be swapped.")
        offer(
            {"rla_a": c.lra_a, "lra_a": c.rla_a},
            [
                Suspect(field=rla, got=c.rla_a, maybe=c.lra_a, why=why),
                Suspect(field=lra, got=c.lra_a, maybe=c.rla_a, why=why),
            ],
        )
    scale: list[tuple[str, str, float, float]] = [
        (rla, "rla_a", c.rla_a, 0.1),
        (lra, "lra_a", c.lra_a, 0.1),
        (rla, "rla_a", c.rla_a, 10.0),
        (lra, "lra_a", c.lra_a, 10.0),
    ]
    for field, name, got, factor in scale:
        maybe = round(got * factor, 4)
        pair = {"rla_a": c.rla_a, "lra_a": c.lra_a, name: maybe}
        if usual(pair["lra_a"] / pair["rla_a"]):
            side = msg("a tenth") if factor < 1 else msg("ten times")
            why = msg(
                "The decimal point may be lost: {side} of it puts LRA and RLA in the usual proportion.",
                side=side,
            )
            offer({name: maybe}, [Suspect(field=field, got=got, maybe=maybe, why=why)])

    return _best_supported(options, plate, limits)


def _best_supported(
    options: list[tuple[PlateRead, list[Suspect]]], plate: PlateRead, limits: Standards
) -> list[Suspect]:
    """Keep the readings that the rest of the plate supports; all of them when nothing tells."""
    tests: list[Callable[[PlateRead], bool | None]] = [
        lambda p: _agrees_with_mca(p, limits),
        lambda p: _fits_tonnage(p, limits),
    ]
    for test in tests:
        supported = [option for option in options if test(option[0])]
        if supported:
            options = supported
            break
    return [suspect for _, suspects in options for suspect in suspects]


def _fits_tonnage(plate: PlateRead, limits: Standards) -> bool | None:
    total = _total_rla_a(plate)
    if plate.tons is None or total is None or plate.volts is None or plate.phase is None:
        return None
    figure = va_per_ton(plate.volts, plate.phase, total, plate.tons)
    return limits.va_per_ton_low <= figure <= limits.va_per_ton_high


def _circuit_suspects(
    plate: PlateRead, figures: CircuitFigures, limits: Standards, *, loads_trusted: bool
) -> list[Suspect]:
    found: list[Suspect] = []
    mca, mocp = plate.mca_a, plate.mocp_a
    near = 2 * _mca_tolerance_a(figures, limits)

    if mca is not None and loads_trusted:
        for factor, side in ((0.1, msg("a tenth")), (10.0, msg("ten times"))):
            if abs(mca * factor - figures.mca_a) <= near:
                why = msg(
                    "The decimal point may be lost: {side} of it fits the loads ({mca_a:.4g} A).",
                    side=side,
                    mca_a=figures.mca_a,
                )
                return [Suspect(field="mca_a", got=mca, maybe=round(mca * factor, 4), why=why)]
    if mca is not None and mocp is not None and mocp < mca:
        why = msg("MCA and MOCP may be swapped: MOCP is never below MCA.")
        if not loads_trusted or abs(mocp - figures.mca_a) <= near or is_standard(mca):
            found.append(Suspect(field="mca_a", got=mca, maybe=mocp, why=why))
            found.append(Suspect(field="mocp_a", got=mocp, maybe=mca, why=why))
        return found
    if mocp is not None and loads_trusted and mocp > 2 * figures.mocp_a:
        tenth = round(mocp / 10, 4)
        if is_standard(tenth) and figures.mca_a <= tenth <= figures.mocp_limit_a:
            why = msg("A digit may be one too many: a tenth of it is a standard size that fits the loads.")
            found.append(Suspect(field="mocp_a", got=mocp, maybe=tenth, why=why))
    return found


def _fan_suspects(plate: PlateRead) -> list[Suspect]:
    largest = max((c.rla_a for c in plate.compressors if c.rla_a is not None), default=0.0)
    if len(plate.compressors) > 1 or plate.phase == 3 or _printed_mca_agrees(plate):
        # A package unit's blower may well draw more than any one of its compressors.
        return []
    return [
        Suspect(
            field=f"motors[{i}].fla_a",
            got=m.fla_a,
            maybe=round(m.fla_a / 10, 4),
            why=msg("The decimal point may be lost: a fan seldom draws as much as the compressor."),
        )
        for i, m in enumerate(plate.motors)
        if m.fla_a is not None
        and m.fla_a >= 0.8 * largest > 0
        and 0.02 * largest <= m.fla_a / 10 <= 0.3 * largest
    ]


def _printed_mca_agrees(plate: PlateRead) -> bool:
    """Whether the printed MCA is what the loads give as they were read: then none of them lost a decimal."""
    figures = figures_of(plate)
    if plate.mca_a is None or figures is None:
        return False
    return abs(plate.mca_a - figures.mca_a) <= _mca_tolerance_a(figures, shipped_standards())


def _volts_suspects(plate: PlateRead, limits: Standards) -> list[Suspect]:
    if plate.volts is None or plate.phase is None:
        return []
    here = nominal_volts(plate.phase)
    other_phase = 1 if plate.phase == 3 else 3
    elsewhere = nominal_volts(other_phase)
    if not any(abs(plate.volts - v) <= 0.02 * v for v in here):
        if any(abs(plate.volts - v) <= 0.02 * v for v in elsewhere):
            words = "three-phase" if other_phase == 3 else "single-phase"
            maybe = 230.0 if other_phase == 3 else 208.0
            why = msg(
                "{volts:g} V is {words} equipment: check volts and phase.", volts=plate.volts, words=words
            )
            return [
                Suspect(field="volts", got=plate.volts, maybe=maybe, why=why),
                Suspect(field="phase", got=plate.phase, maybe=other_phase, why=why),
            ]
        for factor in (0.1, 10.0):
            maybe = round(plate.volts * factor, 4)
            if any(abs(maybe - v) <= 0.02 * v for v in here):
                why = msg("The decimal point may be lost: no nameplate of this phase shows such volts.")
                return [Suspect(field="volts", got=plate.volts, maybe=maybe, why=why)]
        return []
    if plate.phase == 3 and plate.run_cap_uf is not None:
        why = msg("A run capacitor belongs to a single-phase compressor.")
        return [Suspect(field="phase", got=3, maybe=1, why=why)]
    if plate.phase == 1 and plate.tons is not None and _fits_tonnage(plate, limits) is False:
        for maybe in (230.0, 115.0):
            if maybe / plate.volts > 1.5 or plate.volts / maybe > 1.5:
                other = plate.model_copy(update={"volts": maybe})
                if _fits_tonnage(other, limits):
                    why = msg("The amps fit this tonnage at the other voltage.")
                    return [Suspect(field="volts", got=plate.volts, maybe=maybe, why=why)]
    return []
