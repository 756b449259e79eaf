"""Who works here: a shop begins with its first people; others are added, changed and retired."""

from typing import Annotated, Literal

from pydantic import Field

from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Flag, Frozen, Name, name_skeleton
from orange_crank.store.database import transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import Person
from orange_crank.store.prepared import Prepared

Role = Literal["technician", "helper", "lead", "office", "learner", "read-only"]
Initials = Annotated[str, Field(strict=True, min_length=1, max_length=4)]


class PersonOut(Frozen):
    """A person of the shop."""

    id: int
    name: str
    role: str
    initials: str
    version: int = 1


class NewPerson(Frozen):
    """A person to be added."""

    name: Name
    role: Role
    initials: Initials


class PersonEdit(NewPerson):
    """A person as they shall be; ``version`` is the one it was edited from."""

    version: int
    active: Flag = Field(default=True, description="Not: retired; what they wrote stays theirs")


def _out(row: Person) -> PersonOut:
    return PersonOut(id=row.id, name=row.name, role=row.role, initials=row.initials, version=row.version)


def list_people() -> list[PersonOut]:
    """Return everybody active, in the order they were entered."""
    return [_out(p) for p in Person.select().where(Person.active).order_by(Person.id)]


_ACTIVE = Prepared(lambda number: Person.select().where((Person.id == number) & Person.active))


def get_person(person_id: int) -> PersonOut:
    """Return one active person.

    Raises
    ------
    NotFound : no active person has that number

    """
    row = _ACTIVE.first(person_id)
    if row is None:
        raise NotFound(
            msg("Nobody here has number {person_id}.", person_id=person_id),
            next_step=msg("Pick who you are from the shop's people."),
        )
    return _out(row)


def may_manage(who: PersonOut) -> None:
    """Raise unless a person may change the shop's people and places.

    Raises
    ------
    GateClosed : neither lead nor office

    """
    if who.role not in ("lead", "office"):
        raise GateClosed(
            msg("The shop's people, places and lists are the lead's and the office's to change."),
            next_step=msg("Ask the lead or the office."),
        )


def only_a_lead(who: PersonOut, *roles: str) -> None:
    """Raise where a role is lead and another person than a lead gives, takes or invites it.

    Raises
    ------
    GateClosed : the lead's to do

    """
    if "lead" in roles and who.role != "lead":
        raise GateClosed(
            msg("Only a lead makes a person lead, changes a lead or invites one."),
            next_step=msg("Ask the lead."),
        )


def add_person(entry: NewPerson) -> PersonOut:
    """Add a person; called where it was checked who may.

    Raises
    ------
    InputProblem : a person active has that name

    """
    with transaction():
        _refuse_same_name(entry.name, None)
        row = Person.create(name=entry.name.strip(), role=entry.role, initials=entry.initials.strip().upper())
    return _out(row)


def edit_person(person_id: int, edit: PersonEdit, who: PersonOut) -> PersonOut:
    """Change a person, or retire them; the last lead stays.

    Raises
    ------
    NotFound : no person has that number
    Conflict : changed since
    GateClosed : no one would be lead any more, or only a lead may do it

    """
    with transaction():
        row = Person.select().where(Person.id == person_id).for_update().get_or_none()
        if row is None:
            raise NotFound(
                msg("Nobody has number {person_id}.", person_id=person_id),
                next_step=msg("Pick a person from the Shop page."),
            )
        if row.version != edit.version:
            raise Conflict(
                msg("Another person changed this meanwhile. Yours is still on this screen."),
                next_step=msg("Check the new version, then save yours again or discard it."),
            )
        only_a_lead(who, row.role, edit.role)
        leaves = row.role == "lead" and row.active and (edit.role != "lead" or not edit.active)
        others = Person.select().where((Person.role == "lead") & Person.active & (Person.id != person_id))
        if leaves and not others.exists():
            raise GateClosed(
                msg("Nobody would be lead any more: standards, prices and people could no longer be set."),
                next_step=msg("Make another person lead first."),
            )
        _refuse_same_name(edit.name, person_id, active=edit.active)
        Person.update(
            name=edit.name.strip(),
            role=edit.role,
            initials=edit.initials.strip().upper(),
            active=edit.active,
            version=row.version + 1,
        ).where(Person.id == person_id).execute()
    return _out(Person.get(Person.id == person_id))


def _refuse_same_name(name: str, but: int | None, *, active: bool = True) -> None:
    """Refuse a name that looks like another name here: records would not show which is which.

    A retired person may keep a name that looks like another, but not the same one: the database holds each
    name once, by its own comparison.
    """
    mine = name_skeleton(name)
    others = Person.select(Person.id, Person.name).where(Person.active)
    alike = active and any(name_skeleton(p.name) == mine for p in others if p.id != but)
    same = Person.select(Person.id).where(Person.name == name.strip())
    if alike or any(p.id != but for p in same):
        raise InputProblem(
            [FieldProblem(field="name", wanted=msg("a name that no other person here has"), got=name)],
            next_step=msg("Add a letter or a second name, so that records tell the two apart."),
        )
