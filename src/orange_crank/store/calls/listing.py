"""Calls in a list, and a unit's readings over the years."""

from typing import Any, Literal, cast

import peewee
from pydantic import AwareDatetime

from orange_crank.core.measure.reading import Quantity
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.safety.state import CallState
from orange_crank.store.calls.decisions import CONFIRMED
from orange_crank.store.calls.record import states_of
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
    status: Literal["open", "closed"] | None = None, before: int | None = None, most: int = MOST_CALLS
) -> list[CallSummary]:
    """Return calls, newest first.

    Parameters
    ----------
    status : only these
    before : only calls ahead of this one in time: to go on where a list ended
    most : how many

    Raises
    ------
    NotFound : the call to go on from is not on record

    """
    where: Any = (ServiceCall.status == status) if status else None
    if before is not None:
        last = ServiceCall.get_or_none(ServiceCall.id == before)
        if last is None:
            raise NotFound(f"Call {before} is not on record.", next_step="Open the list again.")
        older = (ServiceCall.opened_at < last.opened_at) | (
            (ServiceCall.opened_at == last.opened_at) & (ServiceCall.id < before)
        )
        where = older if where is None else where & older
    return _summaries(where, most)


def calls_of_unit(unit_id: int) -> list[CallSummary]:
    """Return a unit's calls, newest first."""
    return _summaries(ServiceCall.unit == unit_id)


def _summaries(condition: peewee.Expression | None, most: int = MOST_CALLS) -> list[CallSummary]:
    query = (
        ServiceCall.select(ServiceCall, Unit, Site, Person)
        .join(Unit)
        .join(Site)
        .switch(ServiceCall)
        .join(Person)
        .order_by(ServiceCall.opened_at.desc(), ServiceCall.id.desc())
        .limit(most)
    )
    rows = list(query.where(condition) if condition is not None else query)
    ids = [r.id for r in rows]
    counted: Any = (
        Reading.select(Reading.call, peewee.fn.COUNT(Reading.id))
        .where(Reading.call.in_(ids or [0]))
        .group_by(Reading.call)
        .tuples()
    )
    counts: dict[int, int] = dict(list(counted))
    clocks = running_clocks(ids)
    at = now()
    states = states_of(ids, {r.id: r.closed_at or at for r in rows}, shop_standards())
    return [
        CallSummary(
            id=r.id,
            unit_id=r.unit_id,
            unit=r.unit.name,
            kind=r.unit.kind,
            site=site_out(r.unit.site),
            complaint=r.complaint,
            status=r.status,
            opened_at=r.opened_at,
            opened_by=r.opened_by.name,
            closed_at=r.closed_at,
            state=states[r.id],
            readings=counts.get(r.id, 0),
            clocks=clocks.get(r.id, []) if r.status == "open" else [],
        )
        for r in rows
    ]


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
    """A closed call of which nobody said what it was in the end."""

    call_id: int
    unit: str
    site: str
    complaint: str
    closed_at: AwareDatetime
    person: str


def calls_without_cause(most: int = 200) -> list[UnconfirmedCall]:
    """Return closed calls of which nobody said what it was in the end, newest first."""
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
