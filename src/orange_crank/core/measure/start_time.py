"""How long a start took: against the shop's limit, the last visit and the sister unit."""

import math
from typing import Literal

from pydantic import Field

from orange_crank.core.measure.meter import TimedBy
from orange_crank.core.measure.taken import NOTED, ReadingVerdict, TakenReading
from orange_crank.core.messages import joined, msg
from orange_crank.core.nomenclature import Finding, Frozen, Seconds, Verdict, Word, say, worst
from orange_crank.core.tables.standards import Standards, shipped_standards


class StartTime(Frozen):
    """A start time with its uncertainty, and what it may be held against."""

    seconds: Seconds = Field(description="First hum or current to steady [s]")
    plus_minus_s: Seconds | None = Field(
        default=None, description="Its uncertainty [s]; that of the way it was timed if left out"
    )
    timed_by: TimedBy = "taps"
    last_visit_s: Seconds | None = Field(default=None, description="The same unit on its last visit [s]")
    last_visit_plus_minus_s: Seconds | None = None
    sister_s: Seconds | None = Field(default=None, description="A like unit on the same site [s]")
    sister_plus_minus_s: Seconds | None = None
    sister: Word | None = Field(default=None, description="Which unit that is")


class StartTimeResult(Frozen):
    """Whether the start is prompt, and longer or not than those it is held against."""

    plus_minus_s: float
    against_last_visit: Literal["longer", "shorter", "same"] | None
    against_sister: Literal["longer", "shorter", "same"] | None
    verdict: Verdict
    findings: list[Finding]


def default_plus_minus_s(timed_by: TimedBy, limits: Standards) -> float:
    """Return the uncertainty of a way of timing [s]."""
    return {"taps": limits.tap_seconds, "sound": 0.06, "waveform": 0.02}[timed_by]


def judge_start_time(entry: StartTime, standards: Standards | None = None) -> StartTimeResult:
    """Judge a start time.

    Notes
    -----
    Two times differ only when they are further apart than the root of the sum of their squared
    uncertainties.

    """
    limits = standards or shipped_standards()
    own = (
        entry.plus_minus_s if entry.plus_minus_s is not None else default_plus_minus_s(entry.timed_by, limits)
    )
    limit = limits.start_seconds
    verdict: Verdict = (
        "pass" if entry.seconds + own <= limit else "fail" if entry.seconds - own > limit else "watch"
    )
    texts = {
        "pass": msg("A prompt start."),
        "watch": msg("About the limit: the uncertainty straddles it."),
        "fail": msg("A slow start."),
    }
    findings = [
        Finding(
            code="START_TIME",
            verdict="watch" if verdict == "fail" else verdict,
            text=texts[verdict],
            rule=limits.rule("start_seconds"),
            inputs={"seconds": entry.seconds, "plus_minus_s": own, "limit_s": limit},
            arithmetic=msg(
                "{seconds:.2f} ± {own:.2f} s against {limit:g} s", seconds=entry.seconds, own=own, limit=limit
            ),
            next_step=None
            if verdict == "pass"
            else msg("Volts during the start and the run capacitor first: they stretch a start most."),
        )
    ]
    last, said = _against(
        entry, own, entry.last_visit_s, entry.last_visit_plus_minus_s, msg("the last visit"), limits
    )
    findings += said
    sister, said = _against(
        entry, own, entry.sister_s, entry.sister_plus_minus_s, entry.sister or msg("the sister unit"), limits
    )
    findings += said
    return StartTimeResult(
        plus_minus_s=own,
        against_last_visit=last,
        against_sister=sister,
        verdict=worst([f.verdict for f in findings]),
        findings=findings,
    )


def _against(
    entry: StartTime, own: float, other_s: float | None, other_pm: float | None, whom: str, limits: Standards
) -> tuple[Literal["longer", "shorter", "same"] | None, list[Finding]]:
    if other_s is None:
        return None, []
    theirs = other_pm if other_pm is not None else limits.tap_seconds
    both = math.hypot(own, theirs)
    change = entry.seconds - other_s
    which: Literal["longer", "shorter", "same"] = (
        "longer" if change > both else "shorter" if change < -both else "same"
    )
    words = {
        "longer": msg("Longer than {whom} by more than the timing error.", whom=whom),
        "shorter": msg("Shorter than {whom}, beyond what the timing can hide.", whom=whom),
        "same": msg("Same as {whom} within the timing error.", whom=whom),
    }
    return which, [
        Finding(
            code="START_TIME_LAST_VISIT" if whom == "the last visit" else "START_TIME_SISTER",
            verdict="watch" if which == "longer" else "note" if which == "shorter" else "pass",
            text=words[which],
            rule="field practice: start by ear, measured",
            inputs={"seconds": entry.seconds, "other_s": other_s, "plus_minus_s": both},
            arithmetic=(
                f"{entry.seconds:.2f} − {other_s:.2f} = {change:+.2f} s; "
                f"√({own:.2f}² + {theirs:.2f}²) = {say(both, 's', 2)}"
            ),
            next_step=msg("What changed in between: capacitor, volts, pressures, restart too soon?")
            if which == "longer"
            else None,
        )
    ]


class PastStart(Frozen):
    """A start time taken elsewhere: on an earlier visit, or on a like unit of the site."""

    unit: Word
    seconds: float
    plus_minus_s: float | None = None


def judge_start_time_reading(
    reading: TakenReading, last: PastStart | None, sister: PastStart | None, limits: Standards
) -> ReadingVerdict:
    """Judge a start time of a call against the limit, the last visit and the sister unit."""
    entry, seconds = reading.entry, reading.figure
    if seconds is None:
        return NOTED
    result = judge_start_time(
        StartTime(
            seconds=seconds,
            plus_minus_s=entry.plus_minus,
            timed_by=entry.timed_by or "taps",
            last_visit_s=last.seconds if last else None,
            last_visit_plus_minus_s=last.plus_minus_s if last else None,
            sister_s=sister.seconds if sister else None,
            sister_plus_minus_s=sister.plus_minus_s if sister else None,
            sister=sister.unit if sister else None,
        ),
        limits,
    )
    words = [f"± {result.plus_minus_s:.2g} s"]
    if result.against_last_visit:
        words.append(_than(result.against_last_visit, msg("last visit")))
    if result.against_sister and sister:
        words.append(_than(result.against_sister, sister.unit))
    return ReadingVerdict(
        code="start_time", verdict=result.verdict, summary=joined(words, ", "), findings=result.findings
    )


def _than(how: str, whom: str) -> str:
    return msg("same as {whom}", whom=whom) if how == "same" else msg("{how} than {whom}", how=how, whom=whom)
