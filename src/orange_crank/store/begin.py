"""A shop begins: its name and its first people, into records that hold no one yet."""

from typing import Annotated

import peewee
from pydantic import Field

from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.audit import note
from orange_crank.store.credentials import refuse_weak, set_passphrase
from orange_crank.store.database import transaction
from orange_crank.store.models import Person, ShopFact
from orange_crank.store.people import NewPerson, PersonOut, add_person
from orange_crank.store.shop_details import ShopDetails, keep_shop


class NewShop(Frozen):
    """A shop as it begins."""

    details: ShopDetails
    people: Annotated[list[NewPerson], Field(min_length=1, max_length=60)] = Field(
        description="The first is who begins it, and a lead"
    )
    passphrase: Annotated[str, Field(max_length=400, description="What the first signs in by")]


def begin_shop(entry: NewShop) -> PersonOut:
    """Begin a shop and return who began it.

    Raises
    ------
    GateClosed : a person is here already
    InputProblem : who begins it is no lead, two have one name, or the passphrase would be guessed

    """
    if entry.people[0].role != "lead":
        raise InputProblem(
            [
                FieldProblem(
                    field="people[0].role",
                    wanted=msg(
                        "lead: the person who begins the shop invites the others and sets its standards"
                    ),
                    got=entry.people[0].role,
                )
            ],
            next_step=msg("Be lead for now; another can be made lead later."),
        )
    refuse_weak(entry.passphrase, entry.people[0].name, entry.details.name)
    return _begin(entry.details, entry.people, entry.passphrase)


def _begin(details: ShopDetails, people: list[NewPerson], passphrase: str | None) -> PersonOut:
    """Keep a shop and its people, the lead first."""
    try:
        with transaction():
            if Person.select().exists():
                raise _begun()
            # Two phones that begin at once: the name can be written only once.
            ShopFact.create(name="begun", value="yes")
            lead, *_ = [add_person(person) for person in people]
            if passphrase is not None:
                set_passphrase(lead, passphrase)
            keep_shop(details, lead.id)
            note("shop", details.name, "The shop began.", lead.id)
    except peewee.IntegrityError:
        raise _begun() from None
    return lead


def begin_by_command(shop: str, lead: str) -> PersonOut:
    """Begin a shop at its own computer, with its lead, who chooses a passphrase by an invitation.

    Raises
    ------
    GateClosed : a person is here already
    ValidationError : a name is empty or too long

    """
    initials = "".join(word[0] for word in lead.split())[:3].upper()
    details = ShopDetails(name=shop)
    first = NewPerson(name=lead, role="lead", initials=initials or "?")
    return _begin(details, [first], None)


def _begun() -> GateClosed:
    return GateClosed(
        msg("This shop has begun already: it has its people."), next_step=msg("Sign in, and go on.")
    )
