"""Before against after: whether the two may be compared, and what gets the credit."""

from typing import Literal

from pydantic import Field

from orange_crank.core.measure.meter import CONDUCTORS, Conductor, MeterMode, Outcome, mode_note
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import (
    Amps,
    Count,
    Fahrenheit,
    Finding,
    Flag,
    Frozen,
    Minutes,
    Seconds,
    Volts,
    Word,
    apart,
    inputs,
    say,
    temperature,
)
from orange_crank.core.tables.standards import Standards, shipped_standards

Comparable = Literal["yes", "weak", "no"]


class Side(Frozen):
    """One side of a comparison: a start, how it was measured, and how it ended."""

    value_a: Amps = Field(description="What the meter showed [A]")
    mode: MeterMode
    conductor: Conductor
    volts: Volts = Field(description="Line voltage at the start, at its lowest [V]")
    idle_v: Volts | None = Field(default=None, description="Line voltage before the start [V]")
    outdoor_f: Fahrenheit | None = Field(default=None, description="Outdoor temperature [°F]")
    rest_min: Minutes | None = Field(default=None, description="Time since it last ran [min]")
    learning_starts: Count | None = Field(default=None, description="Starts a soft starter has had to learn")
    outcome: Outcome = "started"
    seconds: Seconds | None = Field(default=None, description="How long the start took [s]")


class Comparison(Frozen):
    """A before, an after, and everything changed in between."""

    before: Side
    after: Side
    changes: list[Word] = Field(
        default_factory=list, max_length=50, description="What was changed in between"
    )
    aid_changed: Flag = Field(
        default=False, description="A start aid is among the changes: it moves the dip itself"
    )


class ComparisonResult(Frozen):
    """Whether the two sides may be compared, and what came of it."""

    comparable: Comparable
    reasons: list[str] = Field(description="What spoils the comparison, each with how to retake")
    change_pct: float | None = Field(
        description="100·(after − before)/before; null when a side did not start"
    )
    credit: str | None = Field(description="The one change, or null")
    sentence: Prose = Field(description="The outcome in one sentence")
    findings: list[Finding]


def compare(pair: Comparison, standards: Standards | None = None) -> ComparisonResult:
    """Compare a start before with a start after.

    Parameters
    ----------
    pair : both sides and the changes in between
    standards : the shop's limits (shipped ones when left out)

    Returns
    -------
    ComparisonResult : ``comparable`` is ``no`` when mode or conductor differ or learning is
        incomplete, ``weak`` when volts, outdoor temperature or rest time differ too much

    """
    limits = standards or shipped_standards()
    spoilers = [*_measured_differently(pair, limits), *_conditions_differ(pair, limits)]
    comparable: Comparable = "yes"
    if any(f.verdict == "fail" for f in spoilers):
        comparable = "no"
    elif any(f.verdict == "watch" for f in spoilers):
        comparable = "weak"

    both_started = pair.before.outcome == "started" and pair.after.outcome == "started"
    change = (
        100.0 * (pair.after.value_a - pair.before.value_a) / pair.before.value_a if both_started else None
    )
    names = list(dict.fromkeys(pair.changes))
    blind = _blind(pair)
    credit = names[0] if len(names) == 1 and comparable != "no" and not blind else None
    findings = [
        *spoilers,
        _change_finding(pair, change),
        *_one_pair(pair, change, limits),
        *_credit_findings(names, credit, comparable),
        *_learning_notes(pair, limits),
    ]
    return ComparisonResult(
        comparable=comparable,
        reasons=[
            joined([f.text, *([f.next_step] if f.next_step else [])])
            for f in spoilers
            if f.verdict in ("fail", "watch")
        ],
        change_pct=change,
        credit=credit,
        sentence=_sentence(pair, comparable, change, names, credit),
        findings=findings,
    )


_ONE_SHOT = ("inrush", "peak", "max_hold")


def _blind(pair: Comparison) -> bool:
    """Whether the readings see more, or less, than this compressor's start."""
    return any(s.conductor == "panel" or s.mode == "energy_monitor" for s in (pair.before, pair.after))


def _one_pair(pair: Comparison, change: float | None, limits: Standards) -> list[Finding]:
    """Say how little one start on each side tells: the closing angle alone moves a single reading."""
    if change is None or pair.before.mode not in _ONE_SHOT or abs(change) > limits.closing_angle_pct:
        return []
    return [
        Finding(
            code="WITHIN_THE_CLOSING_ANGLE",
            verdict="note",
            text=(
                msg(
                    "One start each: the closing point on the wave alone can change this reading "
                    "{closing_angle_pct:g} %.",
                    closing_angle_pct=limits.closing_angle_pct,
                )
            ),
            rule=limits.rule("closing_angle_pct"),
            inputs={"change_pct": round(change, 1)},
            next_step=msg("Take three starts on each side, rested, and compare their middle."),
        )
    ]


def _measured_differently(pair: Comparison, limits: Standards) -> list[Finding]:
    before, after = pair.before, pair.after
    found: list[Finding] = []
    if before.mode != after.mode:
        found.append(
            Finding(
                code="MODE_DIFFERS",
                verdict="fail",
                text=msg(
                    "Meter modes differ: {label} before, {label_2} after.",
                    label=mode_note(before.mode).label,
                    label_2=mode_note(after.mode).label,
                ),
                rule="field practice: before/after",
                inputs={"before": before.mode, "after": after.mode},
                next_step=msg("Retake the after in {label}.", label=mode_note(before.mode).label),
            )
        )
    if before.conductor != after.conductor:
        found.append(
            Finding(
                code="CONDUCTOR_DIFFERS",
                verdict="fail",
                text=msg(
                    "Clamp places differ: {conductors} before, {conductors_2} after.",
                    conductors=CONDUCTORS[before.conductor],
                    conductors_2=CONDUCTORS[after.conductor],
                ),
                rule="field practice: before/after",
                inputs={"before": before.conductor, "after": after.conductor},
                next_step=msg("Retake the after on {conductors}.", conductors=CONDUCTORS[before.conductor]),
            )
        )
    needed = limits.learning_starts
    for name, side in (("before", before), ("after", after)):
        if side.learning_starts is not None and side.learning_starts < needed:
            missing = int(needed - side.learning_starts)
            found.append(
                Finding(
                    code="STILL_LEARNING",
                    verdict="fail",
                    text=msg(
                        "The soft starter had {learning_starts} learning starts {name}; it needs {needed:g}.",
                        learning_starts=side.learning_starts,
                        name=name,
                        needed=needed,
                    ),
                    rule=limits.rule("learning_starts"),
                    inputs={"learning_starts": side.learning_starts, "needed": needed},
                    next_step=msg("Let it make {missing} more starts, rested, then retake.", missing=missing),
                )
            )
    return found


def _conditions_differ(pair: Comparison, limits: Standards) -> list[Finding]:
    before, after = pair.before, pair.after
    found: list[Finding] = []
    found += _volts_differ(pair, limits)
    if before.outdoor_f is not None and after.outdoor_f is not None:
        apart_f = abs(after.outdoor_f - before.outdoor_f)
        if apart_f > limits.compare_outdoor_f + 1e-9:
            found.append(
                Finding(
                    code="OUTDOOR_APART",
                    verdict="watch",
                    text=msg("Outdoor temperature differs by {apart}.", apart=apart(apart_f, 0)),
                    rule=limits.rule("compare_outdoor_f"),
                    inputs={"before_f": before.outdoor_f, "after_f": after.outdoor_f},
                    arithmetic=f"{apart_f:.0f} °F > {limits.compare_outdoor_f:g} °F",
                    next_step=msg("Retake near {outdoor_f}.", outdoor_f=temperature(before.outdoor_f, 0)),
                )
            )
    elif before.outdoor_f is None or after.outdoor_f is None:
        found.append(
            Finding(
                code="OUTDOOR_UNKNOWN",
                verdict="note",
                text=msg("Outdoor temperature is missing on one side or both."),
                rule=limits.rule("compare_outdoor_f"),
                next_step=msg("Note it with the next start."),
            )
        )
    return found + _rest_differs(before, after, limits)


def _volts_differ(pair: Comparison, limits: Standards) -> list[Finding]:
    """Compare the line before the start where both sides have it: a start aid moves the dip itself."""
    before, after = pair.before, pair.after
    if before.idle_v is not None and after.idle_v is not None:
        one, two, where = before.idle_v, after.idle_v, msg("Line volts before the start")
    elif pair.aid_changed:
        return [
            Finding(
                code="LINE_UNKNOWN",
                verdict="note",
                text=msg(
                    "Line volts before the start are not on record for both sides; the aid changes "
                    "the dip itself."
                ),
                rule=limits.rule("compare_volts_pct"),
                inputs={"before_v": before.volts, "after_v": after.volts},
                next_step=msg("Read line volts just before each start."),
            )
        ]
    else:
        one, two, where = before.volts, after.volts, "Volts"
    apart_pct = 100.0 * abs(two - one) / one
    if apart_pct <= limits.compare_volts_pct + 1e-9:
        return []
    return [
        Finding(
            code="VOLTS_APART",
            verdict="watch",
            text=msg(
                "{where} differ by {apart_pct:.1f} %: {one} before, {two} after.",
                where=where,
                apart_pct=apart_pct,
                one=say(one, "V"),
                two=say(two, "V"),
            ),
            rule=limits.rule("compare_volts_pct"),
            inputs={"before_v": one, "after_v": two},
            arithmetic=f"|{two:g} − {one:g}| ÷ {one:g} = {apart_pct:.1f} % > {limits.compare_volts_pct:g} %",
            next_step=msg("Retake when the line is near {one}.", one=say(one, "V")),
        )
    ]


def _rest_differs(before: Side, after: Side, limits: Standards) -> list[Finding]:
    floor = limits.compare_rest_min
    found: list[Finding] = []
    for name, side in (("before", before), ("after", after)):
        if side.rest_min is not None and side.rest_min < floor:
            found.append(
                Finding(
                    code="SHORT_REST",
                    verdict="watch",
                    text=msg(
                        "Only {rest_min:g} min off {name}: pressures may not be equal.",
                        rest_min=side.rest_min,
                        name=name,
                    ),
                    rule=limits.rule("compare_rest_min"),
                    inputs={"rest_min": side.rest_min, "wanted_min": floor},
                    arithmetic=msg("{rest_min:g} min < {floor:g} min", rest_min=side.rest_min, floor=floor),
                    next_step=msg("Let it stand {floor:g} minutes, then retake.", floor=floor),
                )
            )
    unknown = [n for n, s in (("before", before), ("after", after)) if s.rest_min is None]
    if len(unknown) == 1:
        found.append(
            Finding(
                code="REST_UNKNOWN_ON_ONE_SIDE",
                verdict="watch",
                text=msg("Rest time {unknown} is unknown.", unknown=unknown[0]),
                rule=limits.rule("compare_rest_min"),
                inputs=dict(inputs(before_min=before.rest_min, after_min=after.rest_min)),
                next_step=msg("Let it stand {floor:g} minutes, retake and note it.", floor=floor),
            )
        )
    elif len(unknown) == 2:
        found.append(
            Finding(
                code="REST_UNKNOWN",
                verdict="note",
                text=msg("Rest time is unknown on both sides."),
                rule=limits.rule("compare_rest_min"),
                next_step=msg("Enter minutes off with each start."),
            )
        )
    return found


def _change_finding(pair: Comparison, change: float | None) -> Finding:
    before, after = pair.before, pair.after
    if change is None:
        words = {"started": "started", "stalled": "stalled", "tripped": "tripped"}
        return Finding(
            code="NO_PERCENTAGE",
            verdict="note",
            text=(
                msg(
                    "{capitalize} before, {words} after. No percent change when one did not start.",
                    capitalize=words[before.outcome].capitalize(),
                    words=words[after.outcome],
                )
            ),
            rule="field practice: before/after",
            inputs={"before": before.outcome, "after": after.outcome},
        )
    return Finding(
        code="CHANGE",
        verdict="note",
        text=msg(
            "{value_a} before, {value_a_2} after.",
            value_a=say(before.value_a, "A"),
            value_a_2=say(after.value_a, "A"),
        ),
        rule="100 × (after − before) ÷ before",
        inputs={"before_a": before.value_a, "after_a": after.value_a},
        arithmetic=f"100 × ({after.value_a:g} − {before.value_a:g}) ÷ {before.value_a:g} = {change:+.1f} %",
    )


def _credit_findings(names: list[str], credit: str | None, comparable: Comparable) -> list[Finding]:
    if credit is not None:
        return []
    if len(names) > 1:
        return [
            Finding(
                code="NO_SOLE_CREDIT",
                verdict="watch",
                text=msg(
                    "{names} things were changed in between ({join}); none of them gets sole credit.",
                    names=len(names),
                    join=joined(names, ", "),
                ),
                rule="field practice: before/after",
                inputs={"changes": list(names)},
                next_step=msg("Change one at a time to know which one did it."),
            )
        ]
    if len(names) == 1 and comparable != "no":
        return [
            Finding(
                code="CREDIT_WITHHELD",
                verdict="watch",
                text=msg(
                    "“{names}” gets no credit from a panel or energy-monitor reading: it sees more "
                    "than this start, or less.",
                    names=names[0],
                ),
                rule="field practice: meter modes",
                inputs={"changes": list(names)},
                next_step=msg("Take both on the compressor's common wire, in inrush mode."),
            )
        ]
    if len(names) == 1:
        return [
            Finding(
                code="CREDIT_WITHHELD",
                verdict="watch",
                text=msg(
                    "“{names}” gets no credit from two readings that cannot be compared.", names=names[0]
                ),
                rule="field practice: before/after",
                inputs={"changes": list(names), "comparable": comparable},
                next_step=msg("Retake the after the way the before was taken."),
            )
        ]
    return [
        Finding(
            code="NOTHING_CHANGED",
            verdict="note",
            text=msg("No change was recorded in between."),
            rule="field practice: before/after",
            next_step=msg("Record what was done, or leave it as a repeat reading."),
        )
    ]


def _learning_notes(pair: Comparison, limits: Standards) -> list[Finding]:
    named_soft = any("soft" in name.lower() for name in pair.changes)
    if named_soft and pair.after.learning_starts is None:
        return [
            Finding(
                code="LEARNING_STARTS_UNKNOWN",
                verdict="watch",
                text=msg("How many starts the soft starter has learned from is not recorded."),
                rule=limits.rule("learning_starts"),
                next_step=msg("Count its starts and note the number."),
            )
        ]
    return []


def _sentence(
    pair: Comparison, comparable: Comparable, change: float | None, names: list[str], credit: str | None
) -> str:
    before, after = pair.before, pair.after
    if comparable == "no":
        return msg("These two readings cannot be compared.")
    weak = msg(" The comparison is weak.") if comparable == "weak" else ""
    by = (
        msg(" after “{credit}”", credit=credit)
        if credit
        else (msg(" after {names} changes", names=len(names)) if names else "")
    )
    if change is None:
        if after.outcome == "started":
            return msg(
                "It {outcome} before and starts now{by}.{weak}", outcome=before.outcome, by=by, weak=weak
            )
        if before.outcome == "started":
            return msg(
                "It started before and {outcome} now{by}.{weak}", outcome=after.outcome, by=by, weak=weak
            )
        return msg(
            "It {outcome} before and {outcome_2} now{by}: no better.{weak}",
            outcome=before.outcome,
            outcome_2=after.outcome,
            by=by,
            weak=weak,
        )
    if abs(change) < 0.5:
        return msg("The reading did not change{by}.{weak}", by=by, weak=weak)
    return msg(
        "Start amps {change} {change_2:.0f} %{by}.{weak}",
        change="fell" if change < 0 else "rose",
        change_2=abs(change),
        by=by,
        weak=weak,
    )
