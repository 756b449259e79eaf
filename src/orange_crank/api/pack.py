"""What a phone takes along to where there is no signal: open calls and the last ones, with their units."""

from datetime import datetime

from fastapi import APIRouter
from pydantic import AwareDatetime, Field

from orange_crank.api.shop import UnitPage, unit_page
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import planned
from orange_crank.store.calls import listing, view
from orange_crank.store.database import day_bounds, local_day, now, session

router = APIRouter(prefix="/api", tags=["calls"])

LAST_CALLS = 20
# However many stand in a day's plan: a phone takes no more than it may need.
MOST_CALLS, MOST_UNITS = 40, 40


class Pack(Frozen):
    """Calls and units as their own addresses answer, of one moment."""

    made_at: AwareDatetime
    calls: list[view.CallOut] = Field(description="The open ones and the last")
    units: list[UnitPage] = Field(description="Of those calls, and of the visits planned for today")


def _today(moment: datetime) -> tuple[list[int], list[int]]:
    """Return the numbers of the calls and of the units that are taken along."""
    day = local_day(moment)
    last = listing.list_calls(most=LAST_CALLS)
    open_ = listing.list_calls("open", most=MOST_CALLS)
    units_of = {c.id: c.unit_id for c in (*open_, *last)}
    begins, ends = day_bounds(day)
    visited = [v.unit_id for v in planned.list_visits(since=begins, until=ends) if v.unit_id is not None]
    chosen = list(units_of)[:MOST_CALLS]
    return chosen, list(dict.fromkeys([*(units_of[c] for c in chosen), *visited]))[:MOST_UNITS]


@router.get("/pack")
def get_pack() -> Pack:
    """Return what a phone takes along: judged now, readable where nothing is."""
    with session():
        moment = now()
        calls, units = _today(moment)
        return Pack(
            made_at=moment,
            calls=[view.get_call(number) for number in calls],
            units=[unit_page(number) for number in units],
        )
