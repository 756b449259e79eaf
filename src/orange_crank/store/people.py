"""Who works here."""

from orange_crank.core.nomenclature import Frozen
from orange_crank.store.errors import NotFound
from orange_crank.store.models import Person


class PersonOut(Frozen):
    """Somebody of the shop."""

    id: int
    name: str
    role: str
    initials: str


def _out(row: Person) -> PersonOut:
    return PersonOut(id=row.id, name=row.name, role=row.role, initials=row.initials)


def list_people() -> list[PersonOut]:
    """Return everybody active, in the order they were entered."""
    return [_out(p) for p in Person.select().where(Person.active).order_by(Person.id)]


def get_person(person_id: int) -> PersonOut:
    """Return one active person.

    Raises
    ------
    NotFound : nobody active has that number

    """
    row = Person.get_or_none((Person.id == person_id) & Person.active)
    if row is None:
        raise NotFound(
            f"Nobody here has number {person_id}.", next_step="Pick who you are from the shop's people."
        )
    return _out(row)
