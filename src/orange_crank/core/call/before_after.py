"""The start before against the start after, of one call."""

from collections.abc import Sequence
from typing import Literal

from orange_crank.core.call.changes import TAKEN_OFF_WORDS, Change
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.judging import judged_or_said
from orange_crank.core.measure.compare import Comparison, ComparisonResult, Side, compare
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.tables.standards import Standards

AIDS = frozenset({"start_kit", "soft_starter"})


class BeforeAfter(Frozen):
    """The start before and the start after that stand against each other on this call."""

    before_id: int
    after_id: int
    changes: list[str]
    result: ComparisonResult


def starts_before(facts: CallFacts) -> list[TakenReading]:
    """Return the starts recorded ahead of the first change."""
    first = min((c.place for c in facts.changes), default=None)
    return [r for r in _starts(facts) if first is None or r.place < first]


def starts_after(facts: CallFacts) -> list[TakenReading]:
    """Return the starts recorded behind the last change."""
    last = max((c.place for c in facts.changes), default=None)
    return [r for r in _starts(facts) if last is not None and r.place > last]


def _starts(facts: CallFacts) -> list[TakenReading]:
    return [r for r in facts.readings if r.entry.quantity == "inrush_a" and r.trouble is None]


def before_and_after(facts: CallFacts, limits: Standards) -> BeforeAfter | None:
    """Return the before/after pair of a call, or None while there is none.

    The *before* is the last start recorded ahead of the first change, the *after* the last start recorded
    behind
    the last change; the changes in between are all of them. A start recorded between two changes is neither.
    """
    # One without volts at the dip compares with nothing.
    before = [r for r in starts_before(facts) if r.entry.volts is not None]
    after = [r for r in starts_after(facts) if r.entry.volts is not None]
    if not facts.changes or not before or not after:
        return None
    one, two = before[-1], after[-1]
    names = [c.what for c in facts.changes]

    def pair() -> BeforeAfter | None:
        counted = one_a_part(facts.changes)[-50:]
        result = compare(
            Comparison(
                before=side_of(one, line_before(facts, one), rest_before(facts, one)),
                after=side_of(two, line_before(facts, two), rest_before(facts, two)),
                changes=counted,
                aid_changed=any(c.part in AIDS for c in facts.changes),
            ),
            limits,
        )
        return BeforeAfter(before_id=one.id, after_id=two.id, changes=names, result=result)

    return judged_or_said(pair, lambda _: None)


def one_a_part(changes: Sequence[Change]) -> list[str]:
    """Return the changes as they count: one part taken off and another put in its place is one change."""
    counted: dict[str, str] = {}
    for c in changes:
        alone = c.part is None or c.part in ("other", "wiring", "control")
        counted[f"{c.place}" if alone else str(c.part)] = c.what
    return list(counted.values())


def line_before(facts: CallFacts, start: TakenReading) -> float | None:
    """Return line volts read before a start, on its side of the changes; the nearest one."""
    places = [c.place for c in facts.changes]
    same_side = [
        r
        for r in facts.readings
        if r.entry.quantity == "line_v_idle"
        and r.trouble is None
        and not any(min(r.place, start.place) < p < max(r.place, start.place) for p in places)
    ]
    nearest = min(same_side, key=lambda r: abs(r.place - start.place), default=None)
    return nearest.figure if nearest is not None else None


RAN = frozenset({"inrush_a", "running_a", "start_time_s", "run_a", "start_a", "line_v_run"})
LONGEST_REST_MIN = 1_440.0


def rest_before(facts: CallFacts, start: TakenReading) -> float | None:
    """Return how long the unit was dead at least before a start, by the call's own clock [min].

    Notes
    -----
    From the last make-safe record ahead of the start, where nothing since shows that it ran. A device whose
    clock ran ahead says nothing.

    """
    dead = [e for e in facts.events if e.kind == "made_safe" and e.place < start.place]
    if not dead:
        return None
    last = dead[-1]
    ran = any(
        last.place < r.place < start.place and r.entry.quantity in RAN and r.trouble is None
        for r in facts.readings
    )
    minutes = (start.taken_at - last.at).total_seconds() / 60
    return round(minutes, 1) if not ran and 0 < minutes <= LONGEST_REST_MIN else None


def aid_in_circuit(facts: CallFacts, place: float) -> Literal["soft_starter", "hard_start"] | None:
    """Return the aid that this call's changes put in circuit before a place in its order, if any."""
    last = next((c for c in reversed(facts.changes) if c.part in AIDS and c.place < place), None)
    if last is None or last.what.startswith(TAKEN_OFF_WORDS):
        return None
    return "soft_starter" if last.part == "soft_starter" else "hard_start"


def side_of(reading: TakenReading, idle_v: float | None = None, rest_min: float | None = None) -> Side:
    """Return a start as one side of a comparison; its outcome is what was said, started where nothing was.

    Raises
    ------
    ValidationError : it was not measured as a start is compared

    """
    entry = reading.entry
    return Side.model_validate(
        {
            "value_a": reading.figure,
            "mode": entry.mode,
            "conductor": entry.conductor,
            "volts": entry.volts,
            "idle_v": idle_v,
            "outdoor_f": entry.outdoor_f,
            "rest_min": entry.rest_min if entry.rest_min is not None else rest_min,
            "learning_starts": entry.learning_starts,
            "outcome": entry.outcome or "started",
            "seconds": entry.seconds,
        }
    )
