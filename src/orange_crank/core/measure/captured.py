"""Two recorded starts held against each other."""

from pydantic import Field

from orange_crank.core.measure.compare import Comparable, Comparison, ComparisonResult, Side, compare
from orange_crank.core.measure.meter import Conductor
from orange_crank.core.measure.waveform import StartFound
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Frozen
from orange_crank.core.tables.standards import Standards, shipped_standards


class CapturedStart(Frozen):
    """The largest start on a recording, and where the clamp was."""

    name: str
    start: StartFound
    conductor: Conductor | None


class StartRow(Frozen):
    """One figure read off both recordings."""

    name: str
    unit: str
    before: float | None
    after: float | None
    change_pct: float | None


class CaptureComparison(Frozen):
    """Whether the two recordings may be compared, and figure by figure what came of it."""

    result: ComparisonResult
    rows: list[StartRow] = Field(description="Figures read off both")


_ROWS = (
    (msg("Start time"), "s", "start_time_s"),
    ("100 ms", "A", "inrush_100ms_a"),
    (msg("Worst cycle"), "A", "max_cycle_rms_a"),
    ("Peak", "A", "peak_a"),
    ("Settled", "A", "settled_a"),
    ("I²t", "A²s", "i2t_a2s"),
    ("Dip", "%", "sag_pct"),
)


def compare_captures(
    before: CapturedStart, after: CapturedStart, changes: list[str], standards: Standards | None = None
) -> CaptureComparison:
    """Compare two recorded starts by the rules of any before and after.

    Notes
    -----
    A recording without the clamp's place cannot be compared; one without volts only weakly. A start that
    never settles on its recording counts as stalled.

    """
    limits = standards or shipped_standards()
    pair = Comparison(before=_side(before, after), after=_side(after, before), changes=changes)
    result = compare(pair, limits)
    extra: list[Finding] = []
    for word, captured in (("before", before), ("after", after)):
        if captured.conductor is None:
            extra.append(
                _spoiler(
                    "CLAMP_UNKNOWN",
                    "fail",
                    msg("Where the clamp was is not written on the recording {word}.", word=word),
                    msg("Record again and name the wire."),
                )
            )
        if captured.start.volts_before_v is None:
            extra.append(
                _spoiler(
                    "VOLTS_UNKNOWN",
                    "watch",
                    msg("No volts were recorded {word}.", word=word),
                    msg("Record voltage beside the current."),
                )
            )
    one, two = before.start.closing_angle_deg, after.start.closing_angle_deg
    if one is not None and two is not None:
        # A full-wave apart is the same: angles are compared within half a turn.
        apart = abs((one - two + 90) % 180 - 90)
        if apart > 20:
            extra.append(
                Finding(
                    code="CLOSED_APART",
                    verdict="note",
                    text=msg(
                        "The contactor closed {apart:.0f}° apart on the wave, so don't compare peaks.",
                        apart=apart,
                    ),
                    rule="field practice: meter modes",
                    inputs={"before_deg": one, "after_deg": two},
                )
            )
    comparable: Comparable = result.comparable
    if any(f.verdict == "fail" for f in extra):
        comparable = "no"
    elif any(f.verdict == "watch" for f in extra) and comparable == "yes":
        comparable = "weak"
    reasons = [f"{f.text} {f.next_step}" for f in extra if f.verdict != "note"]
    result = result.model_copy(
        update={
            "comparable": comparable,
            "reasons": [*result.reasons, *reasons],
            "credit": None if comparable == "no" else result.credit,
            "findings": [*extra, *result.findings],
        }
    )
    return CaptureComparison(result=result, rows=[_row(n, u, f, before, after) for n, u, f in _ROWS])


def _spoiler(code: str, verdict: str, text: str, step: str) -> Finding:
    return Finding.model_validate(
        {
            "code": code,
            "verdict": verdict,
            "text": text,
            "rule": msg("field practice: before/after"),
            "next_step": step,
        }
    )


def _side(captured: CapturedStart, other: CapturedStart) -> Side:
    """Return a side; what is missing is taken from the other, so that it spoils nothing twice."""
    start = captured.start
    return Side(
        value_a=start.inrush_100ms_a,
        mode="waveform",
        conductor=captured.conductor or other.conductor or "common",
        volts=start.volts_before_v or other.start.volts_before_v or 1.0,
        outcome="started" if start.start_time_s is not None else "stalled",
        seconds=start.start_time_s,
    )


def _row(name: str, unit: str, field: str, before: CapturedStart, after: CapturedStart) -> StartRow:
    one, two = getattr(before.start, field), getattr(after.start, field)
    change = 100 * (two - one) / one if one and two is not None else None
    return StartRow(name=name, unit=unit, before=one, after=two, change_pct=change)
