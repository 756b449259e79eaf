"""Visits to come: who, when, which unit, what for, and what to bring."""

from datetime import date, datetime, timedelta
from typing import Annotated, Any, Literal

from pydantic import AwareDatetime, Field

from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.handover.bring import Bring, bring
from orange_crank.core.logbook.unit import read_logbook
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen, Moment
from orange_crank.store import parts
from orange_crank.store.calls.record import visits_of_unit
from orange_crank.store.database import day_bounds, local_day, now, transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import Person, PlannedVisit, Site, Unit
from orange_crank.store.people import PersonOut
from orange_crank.store.standards import shop_standards
from orange_crank.store.tasks import TaskOut, list_tasks
from orange_crank.store.units import plate_of_unit, standing

Status = Literal["planned", "begun", "cancelled"]
VisitMinutes = Annotated[int, Field(strict=True, ge=10, le=1_440)]
Purpose = Annotated[str, Field(strict=True, min_length=2, max_length=400)]
MOST = 500


class NewVisit(Frozen):
    """A visit to be planned."""

    unit_id: int
    visitor_id: int = Field(description="Who goes")
    starts_at: Moment
    minutes: VisitMinutes = 90
    purpose: Purpose


class VisitEdit(Frozen):
    """A visit as it shall be; ``version`` is the one it was edited from."""

    version: int
    visitor_id: int | None = None
    starts_at: Moment | None = None
    minutes: VisitMinutes | None = None
    purpose: Purpose | None = None
    status: Literal["planned", "cancelled"] | None = None


class VisitOut(Frozen):
    """A visit to come."""

    id: int
    unit_id: int
    unit: str
    kind: str
    site_id: int
    site: str
    place: str
    access: str
    contact: str
    visitor_id: int
    visitor: str
    starts_at: AwareDatetime
    minutes: int
    purpose: str
    status: Status
    call_id: int | None
    version: int


class DayLine(Frozen):
    """A visit of a day, with what to bring and what is open on its unit."""

    visit: VisitOut
    bring: list[Bring]
    tasks: list[TaskOut]


class DayList(Frozen):
    """A technician's day."""

    day: date
    person_id: int
    person: str
    lines: list[DayLine]
    lacking: list[str] = Field(description="What the van lacks for the whole day")


def list_visits(
    person_id: int | None = None,
    site_id: int | None = None,
    since: datetime | None = None,
    until: datetime | None = None,
    unit_id: int | None = None,
) -> list[VisitOut]:
    """Return visits to come, soonest first; cancelled ones are left out."""
    where: list[Any] = [PlannedVisit.status != "cancelled"]
    if person_id is not None:
        where.append(PlannedVisit.visitor == person_id)
    if site_id is not None:
        where.append(Unit.site == site_id)
    if unit_id is not None:
        where.append(PlannedVisit.unit == unit_id)
    if since is not None:
        where.append(PlannedVisit.starts_at >= since)
    if until is not None:
        where.append(PlannedVisit.starts_at < until)
    return _out(where)


def _out(where: list[Any]) -> list[VisitOut]:
    rows: Any = (
        PlannedVisit.select(PlannedVisit, Unit, Site, Person)
        .join(Unit)
        .join(Site)
        .switch(PlannedVisit)
        .join(Person, on=(PlannedVisit.visitor == Person.id))
        .where(*where)
        .order_by(PlannedVisit.starts_at, PlannedVisit.id)
        .limit(MOST)
    )
    return [
        VisitOut(
            id=r.id,
            unit_id=r.unit_id,
            unit=r.unit.name,
            kind=r.unit.kind,
            site_id=r.unit.site.id,
            site=r.unit.site.name,
            place=r.unit.site.place,
            access=" ".join(t for t in (r.unit.site.access_note, r.unit.access_note) if t),
            contact=r.unit.site.contact,
            visitor_id=r.visitor_id,
            visitor=r.visitor.name,
            starts_at=r.starts_at,
            minutes=r.minutes,
            purpose=r.purpose,
            status=r.status,
            call_id=r.call_id,
            version=r.version,
        )
        for r in rows
    ]


def get_visit(visit_id: int) -> VisitOut:
    """Return one visit.

    Raises
    ------
    NotFound : no visit has that number

    """
    found = _out([PlannedVisit.id == visit_id])
    if not found:
        raise NotFound(
            msg("Visit {visit_id} is not on record.", visit_id=visit_id),
            next_step=msg("Look at the day list."),
        )
    return found[0]


def plan_visit(entry: NewVisit, who: PersonOut) -> VisitOut:
    """Plan a visit: one's own, or as lead or office anybody's.

    Raises
    ------
    GateClosed : another person's, by neither lead nor office
    NotFound : no such unit
    InputProblem : no person has that number

    """
    unit_id = standing(entry.unit_id)
    if Unit.get_or_none(Unit.id == unit_id) is None:
        raise NotFound(
            msg("Unit {unit_id} is not on record.", unit_id=entry.unit_id),
            next_step=msg("Pick a unit from the list."),
        )
    _may_plan(entry.visitor_id, who)
    with transaction():
        row = PlannedVisit.create(
            unit=unit_id,
            visitor=entry.visitor_id,
            starts_at=entry.starts_at,
            minutes=entry.minutes,
            purpose=entry.purpose.strip(),
            made_at=now(),
            person=who.id,
        )
    return get_visit(row.id)


def edit_visit(visit_id: int, edit: VisitEdit, who: PersonOut) -> VisitOut:
    """Move a visit, give it to another person or cancel it.

    Raises
    ------
    NotFound : no such visit
    GateClosed : another person's, by neither lead nor office
    Conflict : a person moved it since

    """
    there = get_visit(visit_id)
    if there.status == "begun":
        raise GateClosed(
            msg("This visit has begun: its call is open or was."),
            next_step=msg("Go on with its call, or plan another visit."),
        )
    _may_plan(there.visitor_id, who)
    if edit.visitor_id is not None:
        _may_plan(edit.visitor_id, who)
    fields: dict[str, Any] = {
        name: value
        for name, value in (
            ("visitor", edit.visitor_id),
            ("starts_at", edit.starts_at),
            ("minutes", edit.minutes),
            ("purpose", edit.purpose.strip() if edit.purpose else None),
            ("status", edit.status),
        )
        if value is not None
    }
    with transaction():
        changed = (
            PlannedVisit.update(version=PlannedVisit.version + 1, **fields)
            .where((PlannedVisit.id == visit_id) & (PlannedVisit.version == edit.version))
            .execute()
        )
    if not changed:
        raise Conflict(
            msg("Another person moved this visit meanwhile. Yours is still on this screen."),
            next_step=msg("Look at what is there now, then move it again if it still holds."),
        )
    return get_visit(visit_id)


def day_list(person_id: int, day: date | None = None) -> DayList:
    """Return a technician's day, with what to bring and what the van lacks."""
    on = day or local_day(now())
    since, until = day_bounds(on)
    holder = Person.get_or_none(Person.id == person_id)
    if holder is None:
        raise NotFound(
            msg("Nobody has number {person_id}.", person_id=person_id),
            next_step=msg("Pick one of the shop's people."),
        )
    listed, van = list(parts.all_parts().values()), parts.counts_of(person_id)
    limits, moment = shop_standards(), now()
    lines = []
    for visit in list_visits(person_id=person_id, since=since, until=until):
        plate = plate_of_unit(visit.unit_id)
        book = read_logbook(visits_of_unit(visit.unit_id), plate.plate if plate else None, limits, moment)
        tasks = list_tasks(unit_id=visit.unit_id)
        wanted = bring(
            plate.plate if plate else None,
            book,
            [t.title for t in tasks] + [visit.purpose],
            listed,
            van,
            local_day(moment),
        )
        lines.append(DayLine(visit=visit, bring=wanted, tasks=tasks))
    lacking = list(dict.fromkeys(b.what for line in lines for b in line.bring if b.lacks))
    return DayList(day=on, person_id=person_id, person=holder.name, lines=lines, lacking=lacking)


def _may_plan(visitor_id: int, who: PersonOut) -> None:
    if Person.get_or_none((Person.id == visitor_id) & Person.active) is None:
        raise InputProblem(
            [
                FieldProblem(
                    field="visitor_id", wanted=msg("the number of one of the shop's people"), got=visitor_id
                )
            ]
        )
    if visitor_id != who.id and who.role not in ("lead", "office"):
        raise GateClosed(
            msg("Other people's visits are the lead's and the office's to plan."),
            next_step=msg("Plan your own, or ask the lead."),
        )


def end_of(visit: VisitOut) -> datetime:
    """Return when a visit is planned to end; of one at the end of time, when it begins."""
    try:
        return visit.starts_at + timedelta(minutes=visit.minutes)
    except OverflowError:
        return visit.starts_at
