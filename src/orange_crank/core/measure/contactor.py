"""A contactor judged by look, coil, and what its closed poles lose under load."""

from typing import Literal

from pydantic import Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import (
    Amps,
    Finding,
    Frozen,
    Verdict,
    Volts,
    ZeroOrMoreOhms,
    ZeroOrMoreVolts,
    worst,
)
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import Standards, shipped_standards

ContactorLook = Literal["clean", "pitted", "burnt", "welded", "insects"]


def poles_of(plate: Plate | None) -> list[str]:
    """Return the poles a contactor may have on a unit, by the terminals each joins.

    >>> poles_of(None)
    ['L1–T1', 'L2–T2']
    """
    return [f"L{n}–T{n}" for n in range(1, 4 if plate is not None and plate.phase == 3 else 3)]


class Contactor(Frozen):
    """What was seen and measured on a contactor."""

    look: ContactorLook | None = None
    coil_ohm: ZeroOrMoreOhms | Literal["open"] | None = Field(default=None, description="Coil, dead [Ω]")
    coil_v: ZeroOrMoreVolts | None = Field(default=None, description="Volts at the coil, pulled in [V]")
    coil_rated_v: Volts = Field(default=24.0, description="Coil rating [V]")
    pole_drop_v: list[ZeroOrMoreVolts] = Field(
        default_factory=list, max_length=4, description="Across each closed pole under load [V]"
    )
    poles: list[str] = Field(
        default_factory=list, max_length=4, description="Which pole each drop is of, in the same order"
    )
    load_a: Amps | None = Field(default=None, description="Amps through the poles meanwhile [A]")


class ContactorResult(Frozen):
    """What it shows."""

    verdict: Verdict
    watts_lost: list[float] = Field(description="Heat in each pole, V·I [W]")
    findings: list[Finding]


def judge_contactor(seen: Contactor, standards: Standards | None = None) -> ContactorResult:
    """Judge a contactor.

    Parameters
    ----------
    seen : look, coil [Ω, V], drops [V] and load [A]
    standards : the shop's limits (shipped ones when left out)

    Notes
    -----
    A pitted contact that passes the drop test is *watch*; drop, weld or heat decides replacement.

    """
    limits = standards or shipped_standards()
    findings = [*_look(seen), *_coil(seen, limits)]
    watts = [v * seen.load_a for v in seen.pole_drop_v] if seen.load_a is not None else []
    for i, drop in enumerate(seen.pole_drop_v):
        findings.append(_pole(i, drop, seen, limits))
    if not findings:
        findings.append(
            Finding(
                code="NOTHING_SEEN",
                verdict="unknown",
                text=msg("Nothing about the contactor was recorded."),
                rule="field practice: contactor",
                next_step=msg("Look at the contacts dead; measure each closed pole under load."),
            )
        )
    return ContactorResult(
        verdict=worst([f.verdict for f in findings if f.verdict != "note"]),
        watts_lost=watts,
        findings=findings,
    )


def _look(seen: Contactor) -> list[Finding]:
    if seen.look is None:
        return []
    words: dict[ContactorLook, tuple[Verdict, str, str | None]] = {
        "clean": ("pass", msg("Contacts are clean."), None),
        "pitted": (
            "watch",
            msg("Pitted. Judge it by the drop across each closed pole; many replace on sight."),
            msg("Measure the drop across each closed pole under load."),
        ),
        "burnt": ("fail", msg("Burnt: replace it."), msg("Replace it, and ask what burnt it.")),
        "welded": ("fail", msg("Welded shut."), msg("Replace it before you energize.")),
        "insects": (
            "watch",
            msg("Insects between the contacts."),
            msg("Power off, clean it out, then measure the drop."),
        ),
    }
    verdict, text, step = words[seen.look]
    return [
        Finding(
            code="CONTACTOR_LOOK",
            verdict=verdict,
            text=text,
            rule="field practice: contactor",
            inputs={"look": seen.look},
            next_step=step,
        )
    ]


def _coil(seen: Contactor, limits: Standards) -> list[Finding]:
    found: list[Finding] = []
    if seen.coil_ohm is not None:
        opened = seen.coil_ohm == "open"
        shorted = not opened and float(seen.coil_ohm) < 1
        found.append(
            Finding(
                code="COIL_OHMS",
                verdict="fail" if opened or shorted else "pass",
                text=msg("Coil is open: it cannot pull in.")
                if opened
                else msg("Coil is shorted: it blows the control transformer.")
                if shorted
                else msg("Coil has continuity."),
                rule="field practice: contactor",
                inputs={"coil_ohm": seen.coil_ohm},
                next_step=msg("Replace it; isolate the coil leads one at a time.")
                if opened or shorted
                else None,
            )
        )
    if seen.coil_v is not None:
        floor = limits.coil_pull_in_v / 24 * seen.coil_rated_v
        good = seen.coil_v >= floor
        found.append(
            Finding(
                code="COIL_VOLTS",
                verdict="pass" if good else "fail",
                text=msg("Enough voltage to pull in.")
                if good
                else msg("Too low for the coil to pull in reliably."),
                rule=limits.rule("coil_pull_in_v"),
                inputs={"coil_v": seen.coil_v, "coil_rated_v": seen.coil_rated_v},
                arithmetic=msg("{coil_v:g} V against at least {floor:g} V", coil_v=seen.coil_v, floor=floor),
                next_step=None
                if good
                else msg("Check the control circuit: transformer, fuse, thermostat wire."),
            )
        )
    return found


def _pole(i: int, drop: float, seen: Contactor, limits: Standards) -> Finding:
    watch, replace = limits.contactor_drop_watch_v, limits.contactor_drop_replace_v
    verdict: Verdict = "fail" if drop >= replace else "watch" if drop >= watch else "pass"
    texts = {
        "pass": msg("almost no drop."),
        "watch": msg("drops more than a good contact; it heats up."),
        "fail": msg("drops too much; replace the contactor."),
    }
    name = (
        msg("Pole {poles}", poles=seen.poles[i])
        if i < len(seen.poles) and seen.poles[i]
        else msg("Pole {i}", i=i + 1)
    )
    heat = f"; {drop:g} V × {seen.load_a:g} A = {drop * seen.load_a:.3g} W" if seen.load_a else ""
    return Finding(
        code="POLE_DROP",
        verdict=verdict,
        text=msg("{name} {texts}", name=name, texts=texts[verdict]),
        rule=limits.rule("contactor_drop_replace_v" if verdict == "fail" else "contactor_drop_watch_v"),
        inputs={"pole": i + 1, "drop_v": drop, "load_a": seen.load_a},
        arithmetic=msg(
            "{drop:g} V (watch {watch:g} V, replace {replace:g} V){heat}",
            drop=drop,
            watch=watch,
            replace=replace,
            heat=heat,
        ),
        next_step=msg("Replace it; the swap plan keeps the crankcase heater alive.")
        if verdict == "fail"
        else msg("Watch it; measure again next visit.")
        if verdict == "watch"
        else None,
    )
