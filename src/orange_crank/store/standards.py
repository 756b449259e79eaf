"""The shop's own standards over the shipped ones, with who set them, when and why."""

from typing import Annotated

from pydantic import AwareDatetime, Field

from orange_crank.core.errors import GateClosed
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen, Word
from orange_crank.core.tables.standards import (
    ShopStandard,
    Standards,
    shipped_standards,
    shop_standards_of,
    with_standard,
)
from orange_crank.store.database import now, transaction
from orange_crank.store.errors import refuse_changed
from orange_crank.store.models import Person, ShopStandardRow
from orange_crank.store.people import PersonOut


class NewStandard(Frozen):
    """A shop standard to be set."""

    value: Annotated[float, Field(strict=True, gt=0, le=1e6, allow_inf_nan=False)]
    why: Word = Field(description="Why this shop does it so")
    was: float | None = Field(
        default=None, description="What it was edited from; refused where somebody else set another meanwhile"
    )


class StandardSet(Frozen):
    """One entry of a standard's history."""

    value: float
    why: str
    person: str
    set_at: AwareDatetime


class StandardOut(Frozen):
    """A standard as it holds, beside the shipped value and its history."""

    standard: ShopStandard
    shipped_value: float
    history: list[StandardSet]


def shop_standards(until: int | None = None) -> Standards:
    """Return the standards as this shop holds them, or as they held up to entry ``until``."""
    rows = ShopStandardRow.select(ShopStandardRow.name, ShopStandardRow.value).order_by(ShopStandardRow.id)
    if until is not None:
        rows = rows.where(ShopStandardRow.id <= until)
    return shop_standards_of((row.name, row.value) for row in rows)


def list_standards() -> list[StandardOut]:
    """Return every standard with its history, newest first."""
    history: dict[str, list[StandardSet]] = {}
    rows = ShopStandardRow.select(ShopStandardRow, Person).join(Person).order_by(ShopStandardRow.id.desc())
    for row in rows:
        history.setdefault(row.name, []).append(
            StandardSet(value=row.value, why=row.why, person=row.person.name, set_at=row.set_at)
        )
    shipped = {s.name: s.value for s in shipped_standards().all()}
    return [
        StandardOut(standard=s, shipped_value=shipped[s.name], history=history.get(s.name, []))
        for s in shop_standards().all()
    ]


def set_standard(name: str, entry: NewStandard, who: PersonOut) -> list[StandardOut]:
    """Set a standard; only the lead may.

    Raises
    ------
    GateClosed : another person than the lead
    InputProblem : no such standard, or limits that cross each other
    Conflict : another person set it since

    """
    if who.role != "lead":
        leads = ", ".join(p.name for p in Person.select().where((Person.role == "lead") & Person.active))
        raise GateClosed(
            msg("Shop standards are the lead's to set."),
            next_step=msg("Ask {leads}.", leads=leads or "the lead"),
        )
    with transaction():
        # One after another: what one lead saw is still so when it is set.
        Person.select(Person.id).order_by(Person.id).limit(1).for_update().execute()
        held = shop_standards()
        with_standard(held, name, entry.value)
        now_held = next(s.value for s in held.all() if s.name == name)
        if entry.was is not None:
            refuse_changed(entry.was, now_held)
        ShopStandardRow.create(name=name, value=entry.value, why=entry.why, set_at=now(), person=who.id)
    return list_standards()
