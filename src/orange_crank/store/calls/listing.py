"""Calls in a list, and a unit's readings over the years."""

from dataclasses import dataclass
from typing import Any, Literal, cast

import peewee
from pydantic import AwareDatetime

from orange_crank.core.measure.reading import Quantity
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.safety.state import CallState
from orange_crank.store.calls.decisions import CONFIRMED
from orange_crank.store.calls.record import states_of
from orange_crank.store.calls.stamps import REMEMBERED, UNKNOWN, look_at_list, look_at_shop
from orange_crank.store.clocks import Clock, running_clocks
from orange_crank.store.database import now
from orange_crank.store.errors import NotFound
from orange_crank.store.models import DecisionRow, Person, Reading, ServiceCall, Site, Unit
from orange_crank.store.standards import shop_standards
from orange_crank.store.units import SiteOut, site_out

MOST_CALLS = 500
MOST_POINTS = 5_000


class CallSummary(Frozen):
    """A call in a list."""

    id: int
    unit_id: int
    unit: str
    kind: str
    site: SiteOut
    complaint: str
    status: Literal["open", "closed"]
    opened_at: AwareDatetime
    opened_by: str
    closed_at: AwareDatetime | None
    state: CallState
    readings: int
    clocks: list[Clock]


class StartPoint(Frozen):
    """One measured figure of a unit's history, for the trend."""

    call_id: int
    quantity: Quantity
    value: float
    line_v: float | None
    outdoor_f: float | None
    seconds: float | None
    mode: str | None
    aid: str | None
    taken_at: AwareDatetime


def list_calls(
    status: Literal["open", "closed"] | None = None,
    before: int | None = None,
    most: int = MOST_CALLS,
    opened_by: int | None = None,
) -> list[CallSummary]:
    """Return calls, newest first.

    Parameters
    ----------
    status : only these
    before : only calls ahead of this one in time: to go on where a list ended
    most : how many
    opened_by : only this person's

    Raises
    ------
    NotFound : the call to go on from is not on record

    """
    where: Any = (ServiceCall.status == status) if status else None
    if before is not None:
        last = ServiceCall.get_or_none(ServiceCall.id == before)
        if last is None:
            raise NotFound(
                msg("Call {before} is not on record.", before=before), next_step=msg("Open the list again.")
            )
        older = (ServiceCall.opened_at < last.opened_at) | (
            (ServiceCall.opened_at == last.opened_at) & (ServiceCall.id < before)
        )
        where = older if where is None else where & older
    if opened_by is not None:
        mine = ServiceCall.opened_by == opened_by
        where = mine if where is None else where & mine
    return _summaries(where, most)


def calls_of_unit(unit_id: int) -> list[CallSummary]:
    """Return a unit's calls, newest first."""
    return _summaries(ServiceCall.unit == unit_id)


@dataclass(frozen=True)
class _Head:
    """A call's own row with its unit, site and opener, as a list shows it."""

    row: ServiceCall
    site: SiteOut


def _summaries(condition: peewee.Expression | None, most: int = MOST_CALLS) -> list[CallSummary]:
    query = ServiceCall.select(ServiceCall.id)
    if condition is not None:
        query = query.where(condition)
    found: Any = query.order_by(ServiceCall.opened_at.desc(), ServiceCall.id.desc()).limit(most).tuples()
    calls = look_at_list([number for (number,) in found])
    standards, people = look_at_shop()
    heads = {c.id: REMEMBERED.find("head", c.id, (c.call, people)) for c in calls}
    stamps = {c.id: c.call for c in calls}
    fresh = [number for number, head in heads.items() if head is UNKNOWN]
    for head in _heads(fresh):
        number = head.row.id
        heads[number] = REMEMBERED.keep("head", number, (stamps[number], people), head)
    cooling = {c.id: REMEMBERED.find("cooling", c.id, (c.clocks, people)) for c in calls}
    ticking = running_clocks([number for number, clocks in cooling.items() if clocks is UNKNOWN])
    for one in calls:
        if cooling[one.id] is UNKNOWN:
            clocks = ticking.get(one.id, [])
            cooling[one.id] = REMEMBERED.keep("cooling", one.id, (one.clocks, people), clocks)
    at = now()
    moments = {c.id: heads[c.id].row.closed_at or at for c in calls}
    limits = REMEMBERED.part("shop limits", 0, standards, shop_standards)
    states = states_of(calls, moments, limits, people)
    return [
        CallSummary.model_construct(
            id=c.id,
            unit_id=row.unit_id,
            unit=row.unit.name,
            kind=row.unit.kind,
            site=heads[c.id].site,
            complaint=row.complaint,
            status=cast(Literal["open", "closed"], row.status),
            opened_at=row.opened_at,
            opened_by=row.opened_by.name,
            closed_at=row.closed_at,
            state=states[c.id],
            readings=c.readings,
            clocks=cooling[c.id] if row.status == "open" else [],
        )
        for c in calls
        for row in (heads[c.id].row,)
    ]


def _heads(call_ids: list[int]) -> list[_Head]:
    if not call_ids:
        return []
    rows = (
        ServiceCall.select(ServiceCall, Unit, Site, Person)
        .join(Unit)
        .join(Site)
        .switch(ServiceCall)
        .join(Person)
        .where(ServiceCall.id.in_(call_ids))
    )
    return [_Head(row=r, site=site_out(r.unit.site)) for r in rows]


def history_of_unit(unit_id: int) -> list[StartPoint]:
    """Return a unit's standing readings over all its calls, in the order of the calls."""
    later = Reading.alias()
    rows: Any = (
        Reading.select(
            Reading.call,
            Reading.quantity,
            Reading.value,
            Reading.line_v,
            Reading.outdoor_f,
            Reading.start_s,
            Reading.meter_mode,
            Reading.aid,
            Reading.taken_at,
        )
        .join(ServiceCall)
        .switch(Reading)
        .join(later, peewee.JOIN.LEFT_OUTER, on=(later.supersedes == Reading.id))
        .where((ServiceCall.unit == unit_id) & later.id.is_null() & ~Reading.value.is_null())
        .order_by(Reading.taken_at, Reading.id)
        .limit(MOST_POINTS)
        .tuples()
    )
    return [
        StartPoint.model_construct(
            call_id=call,
            quantity=cast(Quantity, quantity),
            value=float(value or 0.0),
            line_v=line_v,
            outdoor_f=outdoor_f,
            seconds=seconds,
            mode=mode,
            aid=aid,
            taken_at=taken_at,
        )
        for call, quantity, value, line_v, outdoor_f, seconds, mode, aid, taken_at in rows
    ]


class UnconfirmedCall(Frozen):
    """A closed call whose final cause was not confirmed."""

    call_id: int
    unit: str
    site: str
    complaint: str
    closed_at: AwareDatetime
    person: str


def calls_without_cause(most: int = 200) -> list[UnconfirmedCall]:
    """Return closed calls whose final cause was not confirmed, newest first."""
    said = DecisionRow.select(DecisionRow.call).where(DecisionRow.kind == CONFIRMED)
    rows = (
        ServiceCall.select(ServiceCall, Unit, Site, Person)
        .join(Unit)
        .join(Site)
        .switch(ServiceCall)
        .join(Person)
        .where((ServiceCall.status == "closed") & ServiceCall.id.not_in(said))
        .order_by(ServiceCall.closed_at.desc())
        .limit(most)
    )
    return [
        UnconfirmedCall(
            call_id=r.id,
            unit=r.unit.name,
            site=r.unit.site.name,
            complaint=r.complaint,
            closed_at=r.closed_at,
            person=r.opened_by.name,
        )
        for r in rows
    ]


def journal_numbers(most: int = 200) -> dict[int, int]:
    """Return the journal number of the newest calls, and of every open one."""
    rows: Any = (
        ServiceCall.select(ServiceCall.id, ServiceCall.entries)
        .order_by((ServiceCall.status == "open").desc(), ServiceCall.id.desc())
        .limit(most)
        .tuples()
    )
    return dict(list(rows))
