"""What a phone takes along to where there is no signal: open calls, the last ones, their units, the lists."""

from datetime import datetime

from fastapi import APIRouter
from pydantic import AwareDatetime, Field

from orange_crank.api.reference import Reference, get_reference
from orange_crank.api.shop import UnitPage, unit_page
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import planned
from orange_crank.store.calls import listing, view
from orange_crank.store.database import day_bounds, local_day, now, session
from orange_crank.store.people import PersonOut, list_people
from orange_crank.store.standards import StandardOut, list_standards
from orange_crank.store.tasks import TaskOut, list_tasks
from orange_crank.store.units import SiteOut, UnitOut, list_sites, list_units

router = APIRouter(prefix="/api", tags=["calls"])

LAST_CALLS = 20
# A day's plan may be longer: a phone caches no more than this.
MOST = 40


class Pack(Frozen):
    """Each part as its own address answers, of one moment."""

    made_at: AwareDatetime
    calls: list[view.CallOut] = Field(description="The open ones and the last")
    units: list[UnitPage] = Field(description="Of those calls, and of the visits planned for today")
    call_list: list[listing.CallSummary]
    unit_list: list[UnitOut]
    sites: list[SiteOut]
    tasks: list[TaskOut] = Field(description="Open ones that are due today or overdue")
    people: list[PersonOut]
    standards: list[StandardOut]
    reference: Reference


def _chosen(moment: datetime, listed: list[listing.CallSummary]) -> tuple[list[int], list[int]]:
    """Return the numbers of the calls and of the units that are taken along."""
    open_ = listing.list_calls("open", most=MOST)
    unit_of = {c.id: c.unit_id for c in (*open_, *listed[:LAST_CALLS])}
    begins, ends = day_bounds(local_day(moment))
    visited = [v.unit_id for v in planned.list_visits(since=begins, until=ends) if v.unit_id is not None]
    calls = list(unit_of)[:MOST]
    return calls, list(dict.fromkeys([*(unit_of[c] for c in calls), *visited]))[:MOST]


@router.get("/pack")
def get_pack() -> Pack:
    """Return what a phone takes along: judged now, readable where nothing can be asked."""
    with session():
        moment, listed = now(), listing.list_calls()
        calls, taken = _chosen(moment, listed)
        return Pack(
            made_at=moment,
            calls=[view.worked_out(view.get_call(number)) for number in calls],
            units=[unit_page(number) for number in taken],
            call_list=listed,
            unit_list=list_units(),
            sites=list_sites(),
            tasks=[t for t in list_tasks() if t.due_on <= local_day(moment)][:MOST],
            people=list_people(),
            standards=list_standards(),
            reference=get_reference(),
        )
