"""Cooling clocks: a hot compressor waits for its overload to close. Kept here, so they survive a restart."""

from datetime import timedelta
from typing import Annotated

from pydantic import AwareDatetime, Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.calls.journal import write_on
from orange_crank.store.database import now, transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import CoolingClock, Person

ShellFahrenheit = Annotated[float, Field(strict=True, ge=-40, le=500, allow_inf_nan=False)]


class NewClock(Frozen):
    """A clock to be started."""

    minutes: Annotated[float, Field(strict=True, ge=1, le=24 * 60, allow_inf_nan=False)] = Field(
        default=30.0, description="How long it shall cool [min]"
    )
    shell_f: ShellFahrenheit | None = Field(default=None, description="Shell temperature now, if known [°F]")


class Clock(Frozen):
    """A clock that runs."""

    id: int
    call_id: int
    started_at: AwareDatetime
    due_at: AwareDatetime
    shell_f: float | None
    person: str


def start_clock(call_id: int, entry: NewClock, person_id: int) -> None:
    """Start a clock on a call."""
    with transaction():
        write_on(call_id)
        CoolingClock.create(
            call=call_id,
            minutes_min=entry.minutes,
            shell_f=entry.shell_f,
            started_at=now(),
            person=person_id,
        )


def end_clock(call_id: int, clock_id: int, person_id: int) -> None:
    """End a clock once.

    Raises
    ------
    NotFound : no such clock on this call
    Conflict : a person ended it already

    """
    mine = (CoolingClock.id == clock_id) & (CoolingClock.call == call_id)
    if CoolingClock.get_or_none(mine) is None:
        raise NotFound(
            msg("Clock {clock_id} is not on this call.", clock_id=clock_id),
            next_step=msg("Look at the call again."),
        )
    with transaction():
        write_on(call_id)
        changed = (
            CoolingClock.update(ended_at=now(), ended_by=person_id)
            .where(mine & CoolingClock.ended_at.is_null())
            .execute()
        )
    if not changed:
        raise Conflict(msg("That clock was ended already."), next_step=msg("Retest the windings."))


def running_clocks(call_ids: list[int]) -> dict[int, list[Clock]]:
    """Return the running clocks of calls, by call, the one due first ahead."""
    found: dict[int, list[Clock]] = {}
    if not call_ids:
        return found
    rows = (
        CoolingClock.select(CoolingClock, Person)
        .join(Person, on=(CoolingClock.person == Person.id))
        .where(CoolingClock.call.in_(call_ids) & CoolingClock.ended_at.is_null())
    )
    for row in rows:
        found.setdefault(row.call_id, []).append(
            Clock(
                id=row.id,
                call_id=row.call_id,
                started_at=row.started_at,
                due_at=row.started_at + timedelta(minutes=row.minutes_min),
                shell_f=row.shell_f,
                person=row.person.name,
            )
        )
    for clocks in found.values():
        clocks.sort(key=lambda c: c.due_at)
    return found
