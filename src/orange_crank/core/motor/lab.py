"""The Start lab's questions: starts side by side, and what it would take to start at all."""

import math
from collections.abc import Callable
from functools import partial
from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.on_source import DROPOUT_PCT, judge_on_source
from orange_crank.core.motor.start import StartResult, compute_start
from orange_crank.core.nomenclature import Finding, Frozen, Word, say
from orange_crank.core.tables import StartCapacitorRange, start_capacitor_ranges
from orange_crank.core.tables.standards import Standards, shipped_standards

ALIKE = 0.15


class LabStart(Frozen):
    """One start with the name it goes by."""

    label: Word
    start: StartIn


class LabIn(Frozen):
    """Starts to hold side by side; the first is what the others are held against."""

    starts: list[LabStart] = Field(min_length=1, max_length=6)

    @model_validator(mode="after")
    def _told_apart(self) -> "LabIn":
        labels = [s.label for s in self.starts]
        for i, label in enumerate(labels):
            if label in labels[:i]:
                raise PydanticCustomError(
                    "value_error",
                    "{error}",
                    {"field": f"starts[{i}].label", "error": msg("a name no other start here has")},
                )
        return self


class LabResult(Frozen):
    """One computed start, and how it stands beside the first."""

    label: str
    result: StartResult
    against_first: list[Finding] = Field(description="What differs from the first, and why")


class LabOut(Frozen):
    """Starts side by side."""

    results: list[LabResult]
    sentence: Prose = Field(description="What the comparison comes to, in words")
    findings: list[Finding]


def compare_starts(entry: LabIn, standards: Standards | None = None) -> LabOut:
    """Compute several starts and say how and why they differ.

    Raises
    ------
    InputProblem : one of the starts cannot be computed; its number is in the field's path

    """
    limits = standards or shipped_standards()
    computed: list[StartResult] = []
    for i, one in enumerate(entry.starts):
        try:
            computed.append(compute_start(one.start, limits))
        except InputProblem as problem:
            raise InputProblem(
                [e.model_copy(update={"field": f"starts[{i}].start.{e.field}"}) for e in problem.errors],
                next_step=problem.next_step,
            ) from None
    first = computed[0]
    results = [
        LabResult(
            label=one.label,
            result=result,
            against_first=[] if result is first else _against(entry.starts[0], first, one, result),
        )
        for one, result in zip(entry.starts, computed, strict=True)
    ]
    sentence, findings = _comes_to(results)
    return LabOut(results=results, sentence=sentence, findings=findings)


def _change(before: float, after: float) -> str:
    pct = 100 * (after - before) / before
    return f"{before:.0f} → {after:.0f} A ({pct:+.0f} %)"


def _against(first_in: LabStart, first: StartResult, other_in: LabStart, other: StartResult) -> list[Finding]:
    found: list[Finding] = []
    aid = other_in.start.aid.kind
    ratio = other.max_cycle_rms_a / first.max_cycle_rms_a
    used = {"before_a": first.max_cycle_rms_a, "after_a": other.max_cycle_rms_a}
    if aid == "soft_starter":
        share = other.max_cycle_rms_a / first.max_cycle_rms_a
        found.append(
            Finding(
                code="LARGEST_CYCLE_HELD",
                verdict="note",
                text=msg(
                    "The soft starter holds the largest cycle to {share:.2f} of the bare motor's. "
                    "It takes volts from the run winding, and torque with them.",
                    share=share,
                ),
                rule="start model",
                inputs=used,
                arithmetic=_change(first.max_cycle_rms_a, other.max_cycle_rms_a),
            )
        )
    elif abs(ratio - 1) <= ALIKE and aid in ("start_capacitor", "ptc"):
        found.append(
            Finding(
                code="FIRST_CYCLES_NO_LOWER",
                verdict="note",
                text=msg(
                    "The first cycles are no lower: a start capacitor adds torque, it takes no amps away."
                ),
                rule="start model",
                inputs=used,
                arithmetic=_change(first.max_cycle_rms_a, other.max_cycle_rms_a),
            )
        )
    if first.time_to_speed_s is None and other.time_to_speed_s is not None:
        found.append(
            Finding(
                code="STARTS_WHERE_FIRST_STALLS",
                verdict="pass",
                text=msg(
                    "“{label}” stalls; this is up to speed in {time_to_speed_s:.2f} s.",
                    label=first_in.label,
                    time_to_speed_s=other.time_to_speed_s,
                ),
                rule="start model",
                inputs={"start_torque_nm": other.start_torque_nm},
            )
        )
    elif first.time_to_speed_s is not None and other.time_to_speed_s is None:
        found.append(
            Finding(
                code="STALLS_WHERE_FIRST_STARTS",
                verdict="fail",
                text=msg("“{label}” starts; this does not.", label=first_in.label),
                rule="start model",
                next_step=msg("Add starting torque, or leave it as it was."),
            )
        )
    elif first.time_to_speed_s is not None and other.time_to_speed_s is not None:
        found.append(_sooner(first, other, other.time_to_speed_s - first.time_to_speed_s))
    return found


def _sooner(first: StartResult, other: StartResult, change_s: float) -> Finding:
    a, b = first.inrush_100ms_a, other.inrush_100ms_a
    fell = (b - a) / a
    if change_s < 0 and fell <= -0.1:
        text = (
            msg(
                "The rotor is away {change_s:.2f} s sooner, so the 100 ms reading falls, "
                "though no single cycle is smaller.",
                change_s=-change_s,
            )
            if other.max_cycle_rms_a > 0.9 * first.max_cycle_rms_a
            else msg("It starts {change_s:.2f} s sooner and the highest cycle is lower.", change_s=-change_s)
        )
    elif change_s < 0:
        text = msg(
            "The rotor is away {change_s:.2f} s sooner. Both starts outlast the meter's "
            "100 ms, so its reading hardly moves. Time the start instead.",
            change_s=-change_s,
        )
    else:
        text = msg("It takes {change_s:.2f} s longer.", change_s=change_s)
    return Finding(
        code="SOONER" if change_s < 0 else "LONGER",
        verdict="note",
        text=text,
        rule="start model",
        inputs={"before_s": first.time_to_speed_s, "after_s": other.time_to_speed_s},
        arithmetic=msg(
            "100 ms: {change}; I²t {i2t:.0f} → {i2t_2:.0f} A²s",
            change=_change(a, b),
            i2t=first.i2t,
            i2t_2=other.i2t,
        ),
    )


def _comes_to(results: list[LabResult]) -> tuple[str, list[Finding]]:
    away = [r for r in results if r.result.verdict in ("started", "late")]
    if not away:
        text = (
            msg("None of these start it.")
            if len(results) > 1
            else f"“{results[0].label}”: {results[0].result.sentence}"
        )
        return text, [
            Finding(
                code="NOTHING_HELPS",
                verdict="fail",
                text=msg(
                    "No aid here starts it: the load needs more torque than this motor has at these volts."
                ),
                rule="start model",
                next_step=msg(
                    "Check volts, run capacitor and pressure first; “What would it take” shows how much."
                ),
            )
        ]
    best = min(away, key=lambda r: r.result.time_to_speed_s or math.inf)
    gentlest = min(away, key=lambda r: r.result.max_cycle_rms_a)
    if len(results) == 1:
        return best.result.sentence, []
    first = results[0]
    beside = (
        f" ({first.label}: {first.result.time_to_speed_s:.2f} s)"
        if first is not best and first.result.time_to_speed_s is not None
        else ""
    )
    words = [
        msg(
            "Fastest start: {label}, {time_to_speed_s:.2f} s{beside}.",
            label=best.label,
            time_to_speed_s=best.result.time_to_speed_s,
            beside=beside,
        )
    ]
    if gentlest is not best and gentlest.result.max_cycle_rms_a < (1 - ALIKE) * best.result.max_cycle_rms_a:
        words.append(
            msg(
                "Least amps: {label}, {max_cycle_rms_a:.0f} A at most.",
                label=gentlest.label,
                max_cycle_rms_a=gentlest.result.max_cycle_rms_a,
            )
        )
    stalled = [r.label for r in results if r not in away]
    if stalled:
        words.append(msg("Does not start: {join}.", join=joined(stalled, ", ")))
    return joined(words, " "), []


Sought = Literal["start_capacitor", "lowest_volts", "highest_start_torque", "smallest_source"]


class TakeIn(Frozen):
    """A start, and what is asked about it."""

    start: StartIn
    seek: Sought
    prompt: Annotated[bool, Field(strict=True)] = Field(
        default=False, description="Ask for a start within the shop's limit, not merely for any start"
    )


class Tried(Frozen):
    """One start on the way to the answer."""

    value: float
    verdict: Literal["started", "late", "stalled", "tripped"]
    time_to_speed_s: float | None


class TakeOut(Frozen):
    """The answer, with what was tried."""

    found: bool
    value: float | None
    unit: str
    text: Prose
    standard_range: StartCapacitorRange | None = Field(
        default=None, description="The smallest standard start capacitor that does it"
    )
    tried: list[Tried]


_SOUGHT: dict[Sought, tuple[str, float, float, float, bool]] = {
    # unit, lowest, highest, how near, whether more helps
    "start_capacitor": ("µF", 5.0, 400.0, 2.0, True),
    "lowest_volts": ("V", 0.4, 1.1, 0.005, True),
    "highest_start_torque": ("%", 1.0, 400.0, 2.0, False),
    "smallest_source": ("kVA", 0.5, 100.0, 0.1, True),
}


def what_it_takes(entry: TakeIn, standards: Standards | None = None) -> TakeOut:
    """Find by bisection the least (or most) of one thing with which the motor still starts.

    Raises
    ------
    InputProblem : the start cannot be computed, or the question does not fit it

    Notes
    -----
    Volts are sought as a share of the plate's. A start capacitor too large is worse again: the search
    first walks up the standard ranges, then bisects below the first that starts.

    """
    limits = standards or shipped_standards()
    unit, low, high, near, more_helps = _SOUGHT[entry.seek]
    tried: list[Tried] = []
    base = entry.start.model_copy(update={"spread": False, "series": False, "trace": False})
    entry = entry.model_copy(update={"start": base})
    rated_v = base.plate.volts if base.plate is not None else float(base.source.volts or 0.0)
    make = _changed(entry, rated_v)
    if entry.seek == "lowest_volts":
        low, high, near = low * rated_v, high * rated_v, near * rated_v

    dropout = base.control.dropout_pct if base.control is not None else DROPOUT_PCT

    def starts(value: float, prompt: bool = entry.prompt) -> bool:
        result = compute_start(make(value), limits)
        tried.append(
            Tried(value=round(value, 3), verdict=result.verdict, time_to_speed_s=result.time_to_speed_s)
        )
        if entry.seek == "smallest_source":
            # The same judgement as of a source at hand: contactor, dip and engine are part of it.
            judged = judge_on_source(result, rated_v, limits, dropout)
            return judged.verdict == "starts" or (judged.verdict == "marginal" and not prompt)
        ok = result.verdict == "started" or (result.verdict == "late" and not prompt)
        return ok and result.final_speed_pct > 80

    if entry.seek == "start_capacitor":
        return _least_capacitor(starts, tried, near)
    if entry.seek == "smallest_source":
        low = max(low, base.source.others_w / 1000 + near)
    easy, hard = (high, low) if more_helps else (low, high)
    if not starts(easy):
        return TakeOut(found=False, value=None, unit=unit, text=_never(entry.seek, easy, unit), tried=tried)
    if starts(hard):
        text = msg("It starts over the whole range, {hard} too.", hard=say(hard, unit, 3))
        return TakeOut(found=True, value=hard, unit=unit, text=text, tried=tried)
    value = round(_halved(starts, easy, hard, near), 1)
    texts = {
        "lowest_volts": msg(
            "It still starts at {value:.0f} V ({rated_v:.0f} % of rated).",
            value=value,
            rated_v=100 * value / rated_v,
        ),
        "highest_start_torque": msg("Max starting load {value:.0f} % of rated torque.", value=value),
        "smallest_source": msg(
            "A generator of {value:.1f} kVA starts it within a dip of {source_dip_pct:g} %.",
            value=value,
            source_dip_pct=limits.source_dip_pct,
        ),
    }
    if entry.seek == "smallest_source" and not entry.prompt:
        sure = partial(starts, prompt=True)
        from_kva = (
            msg("{halved:.1f} kVA", halved=_halved(sure, high, value, near))
            if sure(high)
            else msg("no size here")
        )
        texts["smallest_source"] = msg(
            "A generator of {value:.1f} kVA may just start it: the dip is deep. It surely "
            "starts from {from_kva}, {others_w:g} W of other load on. Hertz sag is not "
            "computed: prove it by a cold start and a hot restart.",
            value=value,
            from_kva=from_kva,
            others_w=base.source.others_w,
        )
    return TakeOut(found=True, value=value, unit=unit, text=texts[entry.seek], tried=tried)


def _halved(starts: Callable[[float], bool], easy: float, hard: float, near: float) -> float:
    """Return the hardest value that still starts, to ``near``, between one that does and one that fails."""
    while abs(easy - hard) > near:
        # Sizes span decades: halve by ratio where the ends lie far apart.
        middle = math.sqrt(easy * hard) if max(easy, hard) > 4 * min(easy, hard) else (easy + hard) / 2
        easy, hard = (middle, hard) if starts(middle) else (easy, middle)
    return easy


def _changed(entry: TakeIn, rated_v: float) -> Callable[[float], StartIn]:
    base = entry.start

    def with_capacitor(value: float) -> StartIn:
        aid = base.aid.model_copy(
            update={"kind": "start_capacitor", "start_cap_uf": value, "pickup_v": None, "dropout_v": None}
        )
        return base.model_copy(update={"aid": aid})

    def with_volts(value: float) -> StartIn:
        return base.model_copy(update={"source": base.source.model_copy(update={"volts": value})})

    def with_torque(value: float) -> StartIn:
        update: dict[str, float | None]
        if base.plate is not None:
            update = {"start_torque_pct": value, "start_torque_nm": None}
        else:
            update = {"start_torque_nm": value / 100 * float(base.load.run_torque_nm or 0.0)}
        return base.model_copy(update={"load": base.load.model_copy(update=update)})

    def with_source(value: float) -> StartIn:
        source = base.source.model_copy(
            update={"kind": "generator", "rated_kva": value, "volts": base.source.volts or rated_v}
        )
        return base.model_copy(update={"source": source})

    if entry.seek == "highest_start_torque" and base.plate is None and not base.load.run_torque_nm:
        raise InputProblem(
            [FieldProblem(field="start.load.run_torque_nm", wanted=msg("what 100 % is [N·m]"), got=None)]
        )
    if entry.seek == "lowest_volts" and base.aid.kind == "start_capacitor" and base.aid.pickup_v is None:
        # The relay stays what it is while the volts fall.
        fixed = compute_start(base).pickup_v
        base = base.model_copy(update={"aid": base.aid.model_copy(update={"pickup_v": fixed})})
    return {
        "start_capacitor": with_capacitor,
        "lowest_volts": with_volts,
        "highest_start_torque": with_torque,
        "smallest_source": with_source,
    }[entry.seek]


def _least_capacitor(starts: Callable[[float], bool], tried: list[Tried], near: float) -> TakeOut:
    below = 5.0
    if starts(below):
        return TakeOut(
            found=True, value=0.0, unit="µF", text=msg("Starts with no start capacitor."),
            tried=tried,
        )  # fmt: skip
    for size in start_capacitor_ranges():
        middle = (size.low_uf + size.high_uf) / 2
        if not starts(middle):
            below = middle
            continue
        hard, easy = below, middle
        while easy - hard > near:
            at = (easy + hard) / 2
            hard, easy = (hard, at) if starts(at) else (at, easy)
        # A capacitor may lie anywhere in its range: the smallest it can be must do.
        fits = next(s for s in start_capacitor_ranges() if s.low_uf >= easy or s is size)
        return TakeOut(
            found=True,
            value=round(easy, 1),
            unit="µF",
            text=msg(
                "About {easy:.0f} µF is the least that starts it; the smallest standard range "
                "that does is {low_uf:g}–{high_uf:g} µF.",
                easy=easy,
                low_uf=fits.low_uf,
                high_uf=fits.high_uf,
            ),
            standard_range=fits,
            tried=tried,
        )
    return TakeOut(found=False, value=None, unit="µF", text=_never("start_capacitor", 400, "µF"), tried=tried)


def _never(seek: Sought, edge: float, unit: str) -> str:
    texts: dict[Sought, str] = {
        "start_capacitor": msg(
            "No standard start capacitor starts it: volts, pressure, run capacitor first."
        ),
        "lowest_volts": msg(
            "It does not start even at {edge}: volts are not what is missing.", edge=say(edge, unit, 3)
        ),
        "highest_start_torque": msg(
            "It does not start even unloaded: run capacitor or volts are what is wrong."
        ),
        "smallest_source": msg(
            "Not even {edge} starts it: the source is not what is missing.", edge=say(edge, unit, 3)
        ),
    }
    return texts[seek]
