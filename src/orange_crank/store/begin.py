"""A shop begins: its name and its first people, into records that hold nobody yet."""

from typing import Annotated

import peewee
from pydantic import Field

from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.audit import note
from orange_crank.store.database import transaction
from orange_crank.store.models import Person, ShopFact
from orange_crank.store.people import NewPerson, PersonOut, add_person, list_people
from orange_crank.store.shop_details import ShopDetails, keep_shop


class NewShop(Frozen):
    """A shop as it begins."""

    details: ShopDetails
    people: Annotated[list[NewPerson], Field(min_length=1, max_length=60)]


def begin_shop(entry: NewShop) -> list[PersonOut]:
    """Begin a shop.

    Raises
    ------
    GateClosed : somebody is here already
    InputProblem : nobody is lead, or two have one name

    """
    if not any(p.role == "lead" for p in entry.people):
        raise InputProblem(
            [
                FieldProblem(
                    field="people", wanted="one lead at least: they set standards and prices", got=None
                )
            ],
            next_step="Make one of them lead; in a shop of one that is you.",
        )
    try:
        with transaction():
            if Person.select().exists():
                raise _begun()
            # Two phones that begin at once: the name can be written only once.
            ShopFact.create(name="begun", value="yes")
            for person in entry.people:
                add_person(person)
            people = list_people()
            lead = next(p for p in people if p.role == "lead")
            keep_shop(entry.details, lead.id)
            note("shop", entry.details.name, "The shop began.", lead.id)
    except peewee.IntegrityError:
        raise _begun() from None
    return people


def _begun() -> GateClosed:
    return GateClosed(
        "This shop has begun already: it has its people.", next_step="Pick who you are, and go on."
    )
