"""Where along the circuit the voltage is lost, and what of it is not the wire."""

import math
from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Amps, Finding, Frozen, Verdict, Volts, inputs, worst
from orange_crank.core.tables import conductor_ohms
from orange_crank.core.tables.standards import Standards, shipped_standards

Point = Literal[
    "panel_bus",
    "breaker_load",
    "disconnect_line",
    "disconnect_load",
    "contactor_line",
    "contactor_load",
    "terminals",
]
ORDER: tuple[Point, ...] = (
    "panel_bus",
    "breaker_load",
    "disconnect_line",
    "disconnect_load",
    "contactor_line",
    "contactor_load",
    "terminals",
)
POINT_WORDS: dict[Point, str] = {
    "panel_bus": msg("panel bus"),
    "breaker_load": msg("breaker, load side"),
    "disconnect_line": msg("disconnect, line side"),
    "disconnect_load": msg("disconnect, load side"),
    "contactor_line": msg("contactor, line side"),
    "contactor_load": msg("contactor, load side"),
    "terminals": msg("compressor terminals"),
}
SUSPECTS: dict[tuple[Point, Point], str] = {
    ("panel_bus", "breaker_load"): msg("the breaker or its stab"),
    ("breaker_load", "disconnect_line"): msg("a lug or splice between breaker and disconnect"),
    ("disconnect_line", "disconnect_load"): msg("a fuse clip, blade or pull-out of the disconnect"),
    ("disconnect_load", "contactor_line"): msg("a lug or splice between disconnect and contactor"),
    ("contactor_line", "contactor_load"): msg("the contactor's contacts"),
    ("contactor_load", "terminals"): msg("a terminal or lead to the compressor"),
}

Feet = Annotated[
    float, Field(strict=True, gt=0, le=20_000, allow_inf_nan=False, json_schema_extra={"unit": "ft"})
]


class Stop(Frozen):
    """Volts at one point of the walk, all taken minutes apart under the same load."""

    point: Point
    idle_v: Volts | None = None
    running_v: Volts | None = None
    dip_v: Volts | None = Field(default=None, description="Lowest during the start [V]")


class Run(Frozen):
    """The conductor between two neighboring points."""

    start: Point
    end: Point
    conductor_awg: str
    length_ft: Feet
    material: Literal["copper", "aluminum"] = "copper"
    raceway_metal: Literal["pvc", "steel", "aluminum"] = "pvc"
    conductor_f: Annotated[float, Field(strict=True, ge=-40, le=250)] = 167.0


class SupplyWalk(Frozen):
    """A walk from the panel to the machine."""

    stops: list[Stop] = Field(min_length=2, max_length=7)
    running_a: Amps | None = None
    start_a: Amps | None = Field(default=None, description="Amps at the dip [A]")
    runs: list[Run] = Field(default_factory=list, max_length=6)
    phase: Literal[1, 3] = 1


class Segment(Frozen):
    """What is lost between two neighboring points."""

    start: Point
    end: Point
    running_drop_v: float | None
    dip_drop_v: float | None
    expected_running_v: float | None
    expected_dip_v: float | None
    excess_v: float | None
    verdict: Verdict


class SupplyWalkResult(Frozen):
    """The walk, segment by segment."""

    segments: list[Segment]
    guilty: Prose | None = Field(description="The segment that loses too much, in words")
    source_ohm: float | None = Field(description="Impedance ahead of the last point [Ω]")
    wire_ohm: float | None = Field(description="What of it the known wire explains [Ω]")
    other_ohm: float | None = Field(description="What remains: utility, transformer, generator, joints [Ω]")
    verdict: Verdict
    findings: list[Finding]


def run_ohm(run: Run, phase: int) -> float:
    """Return the loop impedance of a run [Ω]: there and back, or √3 on three phases.

    Notes
    -----
    R at the conductor's temperature from the 75 °C table (copper 0.323 %/K, aluminium 0.330 %/K of
    the 75 °C value), X as printed.

    """
    table = conductor_ohms(run.conductor_awg, run.material, run.raceway_metal)
    per_kelvin = 0.00323 if run.material == "copper" else 0.00330
    celsius = (run.conductor_f - 32) / 1.8
    resistance = table.resistance_ohm_per_kft * (1 + per_kelvin * (celsius - 75))
    factor = 2.0 if phase == 1 else math.sqrt(3)
    return factor * run.length_ft / 1000 * math.hypot(resistance, table.reactance_ohm_per_kft)


def walk_supply(walk: SupplyWalk, standards: Standards | None = None) -> SupplyWalkResult:
    """Subtract neighbors, compare with the wire, and name the segment that loses too much.

    Raises
    ------
    InputProblem : a point twice, or fewer than two points that can be subtracted

    """
    limits = standards or shipped_standards()
    by_point: dict[Point, Stop] = {}
    for i, stop in enumerate(walk.stops):
        if stop.idle_v is None and stop.running_v is None and stop.dip_v is None:
            raise InputProblem(
                [FieldProblem(field=f"stops[{i}].running_v", wanted=msg("volts at this point"), got=None)],
                next_step=msg(
                    "Measure at {point_words}, or leave that point out.", point_words=POINT_WORDS[stop.point]
                ),
            )
        if stop.point in by_point:
            raise InputProblem(
                [FieldProblem(field=f"stops[{i}].point", wanted=msg("each point once"), got=stop.point)]
            )
        by_point[stop.point] = stop
    listed = [by_point[p] for p in ORDER if p in by_point]
    line = next((s.idle_v for s in listed if s.idle_v), None) or max(
        (v for s in listed for v in (s.running_v, s.dip_v) if v), default=None
    )
    if line is None:
        raise InputProblem(
            [FieldProblem(field="stops", wanted=msg("volts at two points or more"), got=None)],
            next_step=msg("Measure idle, running and at the dip."),
        )
    segments = [_segment(a, b, walk, line, limits) for a, b in pairwise(listed)]
    findings = [_segment_finding(s, line, limits) for s in segments]
    worst_one = max(
        (s for s in segments if s.verdict in ("watch", "fail")), key=lambda s: s.excess_v or 0, default=None
    )
    guilty = None
    if worst_one is not None:
        between = msg(
            "{point_words} and {point_words_2}",
            point_words=POINT_WORDS[worst_one.start],
            point_words_2=POINT_WORDS[worst_one.end],
        )
        suspect = SUSPECTS.get((worst_one.start, worst_one.end), msg("a connection there"))
        guilty = msg("between {between}: {suspect}", between=between, suspect=suspect)
    source, wire, other, source_finding = _source(listed, walk)
    if source_finding is not None:
        findings.append(source_finding)
    findings += _dip(listed, line, limits)
    return SupplyWalkResult(
        segments=segments,
        guilty=guilty,
        source_ohm=source,
        wire_ohm=wire,
        other_ohm=other,
        verdict=worst([f.verdict for f in findings if f.verdict != "note"]),
        findings=findings,
    )


def _difference(a: float | None, b: float | None) -> float | None:
    return a - b if a is not None and b is not None else None


def _runs_between(walk: SupplyWalk, start: Point, end: Point) -> list[Run]:
    first, last = ORDER.index(start), ORDER.index(end)
    return [r for r in walk.runs if first <= ORDER.index(r.start) < ORDER.index(r.end) <= last]


CONTACTOR: tuple[Point, Point] = ("contactor_line", "contactor_load")


def _poles(line: float) -> int:
    """Return how many closed poles stand between two legs, or a leg and neutral, of the contactor."""
    return 1 if line <= 150 else 2


def _segment(a: Stop, b: Stop, walk: SupplyWalk, line: float, limits: Standards) -> Segment:
    running, dip = _difference(a.running_v, b.running_v), _difference(a.dip_v, b.dip_v)
    loop = sum(run_ohm(r, walk.phase) for r in _runs_between(walk, a.point, b.point))
    expected_running = loop * walk.running_a if walk.running_a is not None else None
    expected_dip = loop * walk.start_a if walk.start_a is not None else None
    excesses = [
        seen - (expected or 0.0)
        for seen, expected in ((running, expected_running), (dip, expected_dip))
        if seen is not None
    ]
    allowed = line * limits.segment_excess_pct / 100
    running_excess = running - (expected_running or 0.0) if running is not None else None
    verdict: Verdict = "unknown"
    if running_excess is not None and (a.point, b.point) == CONTACTOR:
        poles = _poles(line)
        verdict = (
            "fail"
            if running_excess > poles * limits.contactor_drop_replace_v
            else "watch"
            if running_excess > poles * limits.contactor_drop_watch_v
            else "pass"
        )
    elif running_excess is not None:
        verdict = "fail" if running_excess > allowed else "watch" if running_excess > allowed / 2 else "pass"
    elif dip is not None:
        # At the dip the current is several times larger; so is what a connection may lose.
        verdict = "fail" if excesses[-1] > 4 * allowed else "watch" if excesses[-1] > 2 * allowed else "pass"
    return Segment(
        start=a.point,
        end=b.point,
        running_drop_v=running,
        dip_drop_v=dip,
        expected_running_v=expected_running,
        expected_dip_v=expected_dip,
        excess_v=max(excesses) if excesses else None,
        verdict=verdict,
    )


def _segment_finding(s: Segment, line: float, limits: Standards) -> Finding:
    between = msg(
        "{point_words} → {point_words_2}", point_words=POINT_WORDS[s.start], point_words_2=POINT_WORDS[s.end]
    )
    seen = s.running_drop_v if s.running_drop_v is not None else s.dip_drop_v
    expected = s.expected_running_v if s.running_drop_v is not None else s.expected_dip_v
    if seen is None:
        return Finding(
            code="SEGMENT",
            verdict="unknown",
            text=msg("{between}: not measured in the same state on both sides.", between=between),
            rule=limits.rule("segment_excess_pct"),
            next_step=msg("Measure both ends running."),
        )
    if (s.start, s.end) == CONTACTOR and s.running_drop_v is not None:
        return _contactor_finding(s, seen, line, limits)
    suspect = SUSPECTS.get((s.start, s.end), msg("a connection there"))
    bad = s.verdict in ("watch", "fail")
    return Finding(
        code="SEGMENT",
        verdict=s.verdict,
        text=msg("{between}: {seen:.2g} V drop", between=between, seen=seen)
        + (msg("; the wire explains {expected:.2g} V.", expected=expected) if expected else "."),
        rule=limits.rule("segment_excess_pct"),
        inputs=dict(inputs(lost_v=round(seen, 3), expected_v=round(expected, 3) if expected else None)),
        arithmetic=msg(
            "excess {seen:.2g} V against {line:.2g} V ({segment_excess_pct:g} % of {line_2:g} V)",
            seen=seen - (expected or 0),
            line=line * limits.segment_excess_pct / 100,
            segment_excess_pct=limits.segment_excess_pct,
            line_2=line,
        ),
        next_step=msg("Power off and look at {suspect}.", suspect=suspect) if bad else None,
    )


def _contactor_finding(s: Segment, lost: float, line: float, limits: Standards) -> Finding:
    """Return the contactor's own segment, by the limits a closed pole has everywhere."""
    poles = _poles(line)
    most = poles * limits.contactor_drop_replace_v
    return Finding(
        code="SEGMENT",
        verdict=s.verdict,
        text=(
            msg(
                "{point_words} → {point_words_2}: {lost:.2g} V drop over {poles} closed pole{poles_2}.",
                point_words=POINT_WORDS[s.start],
                point_words_2=POINT_WORDS[s.end],
                lost=lost,
                poles=poles,
                poles_2="s" if poles > 1 else "",
            )
        ),
        rule=limits.rule("contactor_drop_replace_v"),
        inputs={"lost_v": round(lost, 3)},
        arithmetic=msg(
            "{lost:.2g} V against {poles} × {contactor_drop_watch_v:g} V to watch, {most:g} V to replace",
            lost=lost,
            poles=poles,
            contactor_drop_watch_v=limits.contactor_drop_watch_v,
            most=most,
        ),
        next_step=msg("Power off and look at its contacts; measure each pole by itself under load.")
        if s.verdict in ("watch", "fail")
        else None,
    )


def _source(
    listed: list[Stop], walk: SupplyWalk
) -> tuple[float | None, float | None, float | None, Finding | None]:
    last = next((s for s in reversed(listed) if s.idle_v is not None and s.dip_v is not None), None)
    if last is None or walk.start_a is None or last.idle_v is None or last.dip_v is None:
        return None, None, None, None
    source = (last.idle_v - last.dip_v) / walk.start_a
    wire = sum(run_ohm(r, walk.phase) for r in _runs_between(walk, listed[0].point, last.point))
    known = bool(wire)
    other = max(source - wire, 0.0) if known else None
    finding = Finding(
        code="SOURCE_IMPEDANCE",
        verdict="note",
        text=msg(
            "Source impedance at the {point_words}: {source:.3g} Ω",
            point_words=POINT_WORDS[last.point],
            source=source,
        )
        + (
            msg(
                "; the wire explains {wire:.3g} Ω, the utility, transformer or joints {other:.3g} Ω.",
                wire=wire,
                other=other,
            )
            if known
            else "."
        ),
        rule="Z ≈ (V before − V at start) ÷ I at start",
        inputs={"idle_v": last.idle_v, "dip_v": last.dip_v, "start_a": walk.start_a},
        arithmetic=f"({last.idle_v:g} − {last.dip_v:g}) V ÷ {walk.start_a:g} A = {source:.4g} Ω",
    )
    return source, wire if known else None, other, finding


def _dip(listed: list[Stop], line: float, limits: Standards) -> list[Finding]:
    last = next((s for s in reversed(listed) if s.dip_v is not None), None)
    if last is None or last.dip_v is None:
        return []
    dip_pct = 100 * (line - last.dip_v) / line
    over = dip_pct > limits.start_dip_pct
    return [
        Finding(
            code="START_DIP",
            verdict="watch" if over else "pass",
            text=msg(
                "The line dips {dip_pct:.1f} % at the {point_words} during the start.",
                dip_pct=dip_pct,
                point_words=POINT_WORDS[last.point],
            ),
            rule=limits.rule("start_dip_pct"),
            inputs={"line_v": line, "dip_v": last.dip_v},
            arithmetic=msg(
                "({line:g} − {dip_v:g}) ÷ {line:g} = {dip_pct:.1f} % (watch above {start_dip_pct:g} %)",
                line=line,
                dip_v=last.dip_v,
                dip_pct=dip_pct,
                start_dip_pct=limits.start_dip_pct,
            ),
            next_step=msg("Fix the supply before you choose a start aid.") if over else None,
        )
    ]
