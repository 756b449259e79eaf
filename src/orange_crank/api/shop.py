"""People, sites and units over HTTP."""

from typing import Annotated

from fastapi import APIRouter, Depends, Header, Path
from pydantic import Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import calls, demo_shop, people, units
from orange_crank.store.calls import StartPoint
from orange_crank.store.database import session
from orange_crank.store.errors import NotFound

router = APIRouter(prefix="/api", tags=["shop"])

Number = Annotated[int, Path(ge=1, le=2**31 - 1)]


def current_person(
    orange_crank_person: Annotated[str | None, Header(description="Number of the person at work")] = None,
) -> people.PersonOut:
    """Return who is at work; every record keeps it."""
    wanted = "the number of one of the shop's people"
    try:
        number = int(orange_crank_person or "")
    except ValueError:
        raise InputProblem(
            [FieldProblem(field="Orange-Crank-Person", wanted=wanted, got=orange_crank_person)],
            next_step="Pick who you are.",
        ) from None
    try:
        with session():
            return people.get_person(number)
    except NotFound as error:
        raise InputProblem(
            [FieldProblem(field="Orange-Crank-Person", wanted=wanted, got=number)], next_step=error.next_step
        ) from None


Who = Annotated[people.PersonOut, Depends(current_person)]


class UnitPage(Frozen):
    """A unit with its history."""

    unit: units.UnitOut
    plates: list[units.PlateOut]
    calls: list[calls.CallSummary]
    starts: list[StartPoint]


class DemoReload(Frozen):
    """The word that says the records may be thrown away."""

    confirm: str = Field(description="The words: reload the demo")


@router.get("/people")
def list_people() -> list[people.PersonOut]:
    """Return the shop's people."""
    with session():
        return people.list_people()


@router.get("/sites")
def list_sites() -> list[units.SiteOut]:
    """Return all sites."""
    with session():
        return units.list_sites()


@router.post("/sites", status_code=201)
def add_site(entry: units.NewSite, _: Who) -> units.SiteOut:
    """Put a site on record."""
    with session():
        return units.add_site(entry)


@router.get("/units")
def list_units() -> list[units.UnitOut]:
    """Return all units."""
    with session():
        return units.list_units()


@router.post("/units", status_code=201)
def add_unit(entry: units.NewUnit, _: Who) -> units.UnitOut:
    """Put a unit on record."""
    with session():
        return units.add_unit(entry)


@router.get("/units/{unit_id}")
def get_unit(unit_id: Number) -> UnitPage:
    """Return a unit with its plates, calls and measured starts."""
    with session():
        return UnitPage(
            unit=units.get_unit(unit_id),
            plates=units.plate_versions(unit_id),
            calls=calls.calls_of_unit(unit_id),
            starts=calls.history_of_unit(unit_id),
        )


@router.post("/demo/reload")
def reload_demo(entry: DemoReload, _: Who) -> list[people.PersonOut]:
    """Throw all records away and load the demo shop again."""
    if entry.confirm != "reload the demo":
        raise InputProblem(
            [FieldProblem(field="confirm", wanted="the words: reload the demo", got=entry.confirm)]
        )
    demo_shop.clear()
    demo_shop.load()
    with session():
        return people.list_people()
