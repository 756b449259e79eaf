"""Earlier visits to a unit, and what of them still speaks of the parts that are there now."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from orange_crank.core.call.changes import OWN_READINGS, Change
from orange_crank.core.measure.reading import Quantity
from orange_crank.core.measure.start_time import PastStart


@dataclass(frozen=True)
class EarlierReading:
    """A standing figure of an earlier visit."""

    quantity: Quantity
    value: float
    taken_at: datetime
    place: float
    plus_minus: float | None = None
    outdoor_f: float | None = None
    line_v: float | None = None
    person: str = ""
    seconds: float | None = None


@dataclass(frozen=True)
class Visit:
    """An earlier call on the same unit, in the order of recording."""

    call_id: int
    readings: Sequence[EarlierReading] = field(default_factory=tuple)
    changes: Sequence[Change] = field(default_factory=tuple)


@dataclass(frozen=True)
class SiteStart:
    """A start time taken on another unit of the site."""

    unit: str
    kind: str
    seconds: float
    plus_minus_s: float | None
    taken_at: datetime


def same_part(visits: Sequence[Visit]) -> list[EarlierReading]:
    """Return the readings of earlier visits, oldest first, whose part no later change replaced."""
    kept: list[EarlierReading] = []
    replaced: set[Quantity] = set()
    for visit in reversed(visits):
        mine = []
        for reading in reversed(visit.readings):
            gone = reading.quantity in replaced or any(
                c.part is not None
                and c.place > reading.place
                and reading.quantity in OWN_READINGS.get(c.part, frozenset())
                for c in visit.changes
            )
            if not gone:
                mine.append(reading)
        kept += mine
        for change in visit.changes:
            if change.part is not None:
                replaced |= OWN_READINGS.get(change.part, frozenset())
    kept.reverse()
    return kept


def earlier_figures(visits: Sequence[Visit]) -> Mapping[Quantity, float]:
    """Return the last figure of each quantity from earlier visits, of the part that is still there."""
    return {r.quantity: r.value for r in same_part(visits)}


def last_start(visits: Sequence[Visit], unit: str) -> PastStart | None:
    """Return this unit's start time on its last visit that timed one."""
    found = [r for r in same_part(visits) if r.quantity == "start_time_s"]
    if not found:
        return None
    return PastStart(unit=unit, seconds=found[-1].value, plus_minus_s=found[-1].plus_minus)


def sister_start(starts: Sequence[SiteStart], kind: str) -> PastStart | None:
    """Return the newest start time of a like unit on the site: one of the same kind."""
    like = [s for s in starts if kind and s.kind == kind]
    if not like:
        return None
    newest = max(like, key=lambda s: s.taken_at)
    return PastStart(unit=newest.unit, seconds=newest.seconds, plus_minus_s=newest.plus_minus_s)
