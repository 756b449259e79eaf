"""People, sites and units over HTTP."""

from typing import Annotated

from fastapi import APIRouter, Path, Query, Request, Response
from fastapi.responses import PlainTextResponse
from pydantic import Field

from orange_crank.api.door import Who
from orange_crank.api.keyed import Key
from orange_crank.api.records import rows_of_call
from orange_crank.core.call.open_fails import OpenFail
from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.logbook.fitted import FittedNow
from orange_crank.core.logbook.unit import Logbook
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen, Moment
from orange_crank.formats.record_csv import record_csv
from orange_crank.formats.unit_label import unit_label_svg
from orange_crank.store import audit, leaving, logbook, people, search, trail, unit_pages, units
from orange_crank.store.calls import listing, view
from orange_crank.store.database import session
from orange_crank.store.once import once
from orange_crank.store.shop_details import get_shop

router = APIRouter(prefix="/api", tags=["shop"])

Number = Annotated[int, Path(ge=1, le=2**31 - 1)]


class UnitPage(Frozen):
    """A unit with its history."""

    unit: units.UnitOut
    plates: list[units.PlateOut]
    calls: list[listing.CallSummary]
    starts: list[listing.StartPoint]
    logbook: Logbook = Field(description="What the visits say over the years")
    fitted: list[FittedNow] = Field(description="Parts fitted now, with date and who")
    fails: list[OpenFail] = Field(description="What failed at the last visit and was left so")


class DemoReload(Frozen):
    """The phrase that confirms deleting the records."""

    confirm: str = Field(description="The words: reload the demo")


@router.get("/people")
def list_people() -> list[people.PersonOut]:
    """Return the shop's people."""
    with session():
        return people.list_people()


@router.post("/people", status_code=201)
def add_person(entry: people.NewPerson, who: Who, key: Key) -> people.PersonOut:
    """Add a person to the shop; the lead's and the office's to do."""

    def run() -> people.PersonOut:
        people.may_manage(who)
        people.only_a_lead(who, entry.role)
        made = people.add_person(entry)
        audit.note("person", made.name, f"added as {made.role}", who.id)
        return made

    with session():
        return once(key, run, lambda n: people.get_person(n or 0), lambda made: made.id)


@router.put("/people/{person_id}")
def edit_person(person_id: Number, edit: people.PersonEdit, who: Who, key: Key) -> list[people.PersonOut]:
    """Change a person, or retire them; the lead's and the office's to do."""

    def run() -> list[people.PersonOut]:
        people.may_manage(who)
        made = people.edit_person(person_id, edit, who)
        if not edit.active:
            leaving.leave(made, by=who)
        audit.note("person", made.name, f"{made.role}" if edit.active else "retired", who.id)
        return people.list_people()

    with session():
        return once(key, run, lambda _: people.list_people())


@router.get("/audit")
def get_audit(who: Who) -> list[audit.AuditLine]:
    """Return who changed what of the shop itself; the lead's and the office's to see."""
    with session():
        return audit.audit(who)


@router.get("/audit/trail")
def get_trail(
    who: Who,
    before: Annotated[int | None, Query(ge=1, le=2**31 - 1, description="Only ahead of this change")] = None,
    table: Annotated[str | None, Query(max_length=40, description="Only of this table")] = None,
) -> list[trail.TrailLine]:
    """Return every change of a row, as the database wrote it down; the lead's and the office's to see."""
    with session():
        return trail.trail(who, before, table)


@router.post("/sites/{site_id}/merge")
def merge_sites(site_id: Number, merge: units.MergeSites, who: Who, key: Key) -> units.SiteOut:
    """Merge two records of one place; the lead's and the office's to do."""

    def run() -> units.SiteOut:
        people.may_manage(who)
        name = units.get_site(site_id).name
        made = units.merge_sites(site_id, merge)
        audit.note("site", made.name, f"{name} was merged into it", who.id)
        return made

    with session():
        return once(key, run, lambda _: units.get_site(merge.into))


@router.get("/sites")
def list_sites() -> list[units.SiteOut]:
    """Return all sites."""
    with session():
        return units.list_sites()


@router.post("/sites", status_code=201)
def add_site(entry: units.NewSite, _: Who, key: Key) -> units.SiteOut:
    """Put a site on record."""
    with session():
        return once(
            key, lambda: units.add_site(entry), lambda n: units.get_site(n or 0), lambda made: made.id
        )


@router.get("/units")
def list_units() -> list[units.UnitOut]:
    """Return all units."""
    with session():
        return units.list_units()


@router.get("/units/page")
def page_of_units(
    find: Annotated[str, Query(max_length=200)] = "",
    after: Annotated[int | None, Query(ge=1, le=2**31 - 1, description="The last unit shown")] = None,
    most: Annotated[int, Query(ge=1, le=200)] = unit_pages.PAGE,
) -> unit_pages.UnitsPage:
    """Return a stretch of the list of units, by site and name; go on after the last one."""
    with session():
        return unit_pages.page_of_units(find, after, most)


@router.post("/units", status_code=201)
def add_unit(entry: units.NewUnit, _: Who, key: Key) -> units.UnitOut:
    """Put a unit on record."""
    with session():
        return once(
            key, lambda: units.add_unit(entry), lambda n: units.get_unit(n or 0), lambda made: made.id
        )


def unit_page(unit_id: int) -> UnitPage:
    """Return a unit with all its page shows."""
    unit = units.get_unit(unit_id)
    book = logbook.unit_logbook(unit.id)
    calls = listing.calls_of_unit(unit.id)
    return UnitPage(
        unit=unit,
        plates=units.plate_versions(unit.id),
        calls=calls,
        starts=listing.history_of_unit(unit.id),
        logbook=book.logbook,
        fitted=book.fitted,
        fails=view.get_call(calls[0].id).fails if calls else [],
    )


@router.get("/units/{unit_id}")
def get_unit(unit_id: Number) -> UnitPage:
    """Return a unit with its plates, calls and measured starts."""
    with session():
        return unit_page(unit_id)


@router.get("/units/{unit_id}/time-line")
def time_line(unit_id: Number, before: Moment | None = None) -> logbook.TimeLine:
    """Return a stretch of a unit's time line, newest first; ask again with ``before`` for what is older."""
    with session():
        return logbook.time_line(units.get_unit(unit_id).id, before)


@router.get("/units/{unit_id}/record.csv", response_class=PlainTextResponse)
def export_unit(unit_id: Number) -> Response:
    """Return the record of all of a unit's calls as CSV, oldest first."""
    with session():
        unit_id = units.get_unit(unit_id).id
        shop = get_shop().details.name
        calls = [view.get_call(c.id) for c in reversed(listing.calls_of_unit(unit_id))]
        rows = [row for call in calls for row in rows_of_call(call, shop)]
    return Response(
        record_csv(rows),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="unit-{unit_id}-record.csv"'},
    )


@router.get("/search")
def find(asked: Annotated[str, Query(max_length=200)]) -> search.Found:
    """Return sites, units, calls, notes and people that go with what is typed, half a word included."""
    with session():
        return search.search(asked)


@router.get("/fleet")
def get_fleet() -> logbook.Fleet:
    """Return units by what is expected to fail next and what a breakdown would cost."""
    with session():
        return logbook.fleet()


@router.get("/lots/{lot}")
def units_with_lot(
    lot: Annotated[str, Path(min_length=1, max_length=40)], part: str | None = None
) -> list[logbook.LotLine]:
    """Return where parts of a lot were fitted: for a recall."""
    with session():
        return logbook.units_with_lot(lot, part)


@router.put("/units/{unit_id}")
def edit_unit(unit_id: Number, edit: units.UnitEdit, who: Who, key: Key) -> units.UnitOut:
    """Change what is known of a unit, from a known version."""

    def run() -> units.UnitOut:
        before = units.get_unit(unit_id).model_dump()
        made = units.edit_unit(unit_id, edit)
        known = {n: before.get(n) for n in units.UnitWords.model_fields}
        said = audit.differences(known, edit.model_dump(include=set(known)))
        audit.note("unit", f"{made.site.name}, {made.name}", said, who.id)
        return made

    with session():
        return once(key, run, lambda _: units.get_unit(unit_id))


@router.post("/units/{unit_id}/merge")
def merge_units(unit_id: Number, merge: units.MergeUnits, who: Who, key: Key) -> units.UnitOut:
    """Merge two records of one machine; the lead's and the office's to do."""

    def run() -> units.UnitOut:
        people.may_manage(who)
        name = units.get_unit(unit_id).name
        made = units.merge_units(unit_id, merge)
        audit.note("unit", f"{made.site.name}, {made.name}", f"{name} was merged into it", who.id)
        return made

    with session():
        return once(key, run, lambda _: units.get_unit(merge.into))


@router.put("/sites/{site_id}")
def edit_site(site_id: Number, edit: units.SiteEdit, who: Who, key: Key) -> units.SiteOut:
    """Change what is known of a place, from a known version."""

    def run() -> units.SiteOut:
        before = units.get_site(site_id).model_dump()
        made = units.edit_site(site_id, edit)
        audit.note("site", made.name, audit.differences(before, made.model_dump()), who.id)
        return made

    with session():
        return once(key, run, lambda _: units.get_site(site_id))


@router.get("/units/{unit_id}/label.svg")
def unit_label(unit_id: Number, request: Request) -> Response:
    """Return a label for the unit's panel: its name, and a QR code that opens it here."""
    with session():
        unit = units.get_unit(unit_id)
    address = f"{str(request.base_url).rstrip('/')}/units/{unit.id}"
    return Response(
        unit_label_svg(address, unit.name, unit.site.name, units.label_words(unit)),
        media_type="image/svg+xml",
        headers={"Content-Disposition": f'inline; filename="unit-{unit.id}-label.svg"'},
    )


@router.post("/demo/reload")
def reload_demo(entry: DemoReload, request: Request, _: Who) -> list[people.PersonOut]:
    """Throw the demo's records away and load it again; only a server started as the demo does this."""
    reload = request.app.state.reload_demo
    if reload is None:
        raise GateClosed(
            msg("This is not the demo: records are never thrown away."),
            next_step=msg("Start the demo with its own data folder to try it."),
        )
    if entry.confirm != "reload the demo":
        raise InputProblem(
            [FieldProblem(field="confirm", wanted=msg("the words: reload the demo"), got=entry.confirm)]
        )
    reload()
    with session():
        return people.list_people()
