"""How often a unit starts, from the count an electronic contactor keeps."""

from collections.abc import Sequence
from datetime import datetime

from pydantic import Field

from orange_crank.core.logbook.wear import Seen
from orange_crank.core.messages import DayOf, Prose, msg
from orange_crank.core.nomenclature import Frozen

LEAST_DAYS = 7.0
SHORT_CYCLING = 2.0  # times as many starts a day as before is worth a word


class Switchings(Frozen):
    """Starts a day, lately and before."""

    per_day: float = Field(description="Since the visit before the last count [1/d]")
    before_per_day: float | None = Field(description="Over all earlier visits [1/d]")
    since: datetime
    more: bool = Field(description="Whether it starts far more often than it did")
    words: Prose


def counted(seen: Sequence[Seen]) -> list[Seen]:
    """Return the counts of the contactor that is there: a count that falls is another one's, or was reset."""
    kept: list[Seen] = []
    for one in sorted(seen, key=lambda s: s.at):
        if kept and one.value < kept[-1].value:
            kept = []
        kept.append(one)
    return kept


def switchings(seen: Sequence[Seen]) -> Switchings | None:
    """Return how often it starts, or None where two counts a week apart are not there.

    Notes
    -----
    A season apart counts differ: lately is held against all before it, and only double is said to be more.

    """
    counts = counted(seen)
    last = counts[-1] if counts else None
    earlier = [s for s in counts if last is not None and _days(s.at, last.at) >= LEAST_DAYS]
    if last is None or not earlier:
        return None
    since = earlier[-1]
    per_day = (last.value - since.value) / _days(since.at, last.at)
    first, before = earlier[0], None
    if _days(first.at, since.at) >= LEAST_DAYS:
        before = (since.value - first.value) / _days(first.at, since.at)
    more = before is not None and before > 0 and per_day >= SHORT_CYCLING * before
    words = msg("{per_day:.0f} starts a day since {day}", per_day=per_day, day=DayOf(since.at))
    if before is not None:
        words += msg(", {before:.0f} a day before", before=before)
    words += msg(". Look for short cycling: thermostat, charge, a pressure switch.") if more else "."
    return Switchings(
        per_day=round(per_day, 1),
        before_per_day=None if before is None else round(before, 1),
        since=since.at,
        more=more,
        words=words,
    )


def _days(start: datetime, end: datetime) -> float:
    return (end - start).total_seconds() / 86_400
