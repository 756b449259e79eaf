"""Parts, prices and vans: the neutral list with the shop's own over it, and what each technician carries."""

import re
from collections.abc import Sequence
from datetime import datetime
from typing import Annotated, Any, Literal

import peewee
from pydantic import AwareDatetime, Field

from orange_crank.core.aids.entry import AidPart
from orange_crank.core.aids.parts import KIND_WORDS, Counted, Part, PartKind, Price, shipped_parts
from orange_crank.core.aids.stock import aid_part
from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.handover.money import customer_price
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen, Sentence
from orange_crank.store import imports
from orange_crank.store.database import now, transaction
from orange_crank.store.errors import NotFound, refuse_changed
from orange_crank.store.models import OwnPart, PartPrice, Person, StockMove, StockWant
from orange_crank.store.people import PersonOut
from orange_crank.store.shop_details import get_shop

MoveReason = Literal["restocked", "counted", "fitted", "taken_off", "moved_out"]
MOST_ROWS = 2_000


class PartOut(Frozen):
    """A part of the list, its price, and how many the vans hold."""

    part: Part
    kind_word: Prose
    own_list: bool = Field(description="Of the shop's own list, not the neutral one that ships")
    price: float | None
    in_vans: int


class VanLine(Frozen):
    """One part in one van."""

    part: Part
    kind_word: Prose
    count: int
    want: int
    short: int = Field(description="How many to restock")
    price: float | None
    aid: AidPart | None = Field(description="The part as a start aid to choose from, where it is one")


class MoveOut(Frozen):
    """One move of stock."""

    part: str
    title: str
    count: int
    reason: str
    call_id: int | None
    note: str | None
    moved_at: AwareDatetime
    person: str


class Van(Frozen):
    """What a technician carries."""

    holder_id: int
    holder: str
    lines: list[VanLine]
    restock: list[VanLine]
    restock_cost: float | None = Field(description="Of the restock list, where every part has a price")
    moves: list[MoveOut]


class NewMove(Frozen):
    """Parts into a van or out of it."""

    part: str = Field(min_length=1, max_length=40)
    count: Annotated[int, Field(strict=True, ge=0, le=1_000)] = Field(
        description="How many; for a count, how many there really are"
    )
    reason: Literal["restocked", "counted", "moved_out"]
    note: Sentence | None = None


class NewWant(Frozen):
    """How many a van should hold."""

    part: str = Field(min_length=1, max_length=40)
    want: Annotated[int, Field(strict=True, ge=0, le=1_000)]
    was: int | None = Field(
        default=None, description="What it was edited from; refused where somebody else set another meanwhile"
    )


class NewPrice(Frozen):
    """A price to be set."""

    price: Price
    was: float | None = Field(
        default=None, description="What it was edited from; refused where somebody else set another meanwhile"
    )


class Imported(Frozen):
    """What an import did."""

    added: int
    replaced: int
    priced: int
    done: bool = Field(default=True, description="Whether it was kept; a preview is not")
    batch_id: int | None = Field(default=None, description="The import it was kept as; it can be taken back")


def _own() -> dict[str, Part]:
    return {r.part: Part.model_validate_json(r.body) for r in OwnPart.select()}


def all_parts() -> dict[str, Part]:
    """Return every part by number: the neutral list, the shop's own over it."""
    return {p.part: p for p in shipped_parts()} | _own()


def prices() -> dict[str, float]:
    """Return the price that holds of each part."""
    found: dict[str, float] = {}
    for row in PartPrice.select(PartPrice.part, PartPrice.price).order_by(PartPrice.id):
        found[row.part] = row.price
    # A price that was taken back, with none before it, is kept as zero.
    return {part: price for part, price in found.items() if price > 0}


def find_part(number: str) -> Part:
    """Return a part by its number.

    Raises
    ------
    NotFound : no such part

    """
    part = all_parts().get(number)
    if part is None:
        raise NotFound(
            msg("Part {number} is in no list.", number=number),
            next_step=msg("Look it up under Van, or import the shop's list."),
        )
    return part


def list_parts() -> list[PartOut]:
    """Return the whole list, by kind then number as listed."""
    own, cost = _own(), prices()
    held: Any = StockMove.select(StockMove.part, peewee.fn.SUM(StockMove.moved_count)).group_by(
        StockMove.part
    )
    counts = {part: int(total) for part, total in held.tuples()}
    kinds = list(KIND_WORDS)
    parts = sorted(all_parts().values(), key=lambda p: kinds.index(p.kind))
    return [
        PartOut(
            part=p,
            kind_word=KIND_WORDS[p.kind],
            own_list=p.part in own,
            price=cost.get(p.part),
            in_vans=counts.get(p.part, 0),
        )
        for p in parts
    ]


def priced_parts(own_only: bool = False) -> list[Counted]:
    """Return the list with prices, for writing it out."""
    cost = prices()
    chosen = _own().values() if own_only else all_parts().values()
    return [Counted(part=p, price=cost.get(p.part)) for p in chosen]


def import_parts(rows: Sequence[tuple[Part, float | None]], who: PersonOut) -> Imported:
    """Take a list of parts into the shop's own: all of it or none.

    Raises
    ------
    GateClosed : a person who may not set the shop's list

    """
    _lead_or_office(who)
    moment, known, own = now(), all_parts(), _own()
    cost = prices()
    with transaction():
        batch = imports.new_batch("parts", who.id)
        for part, price in rows:
            body = part.model_dump_json()
            if part.part in own:
                if own[part.part] != part:
                    row = OwnPart.get(OwnPart.part == part.part)
                    imports.line(batch, "own_part", row.id, {"body": row.body}, {"body": body})
                    OwnPart.update(body=body, set_at=moment, person=who.id).where(
                        OwnPart.id == row.id
                    ).execute()
            elif known.get(part.part) != part:
                row = OwnPart.create(part=part.part, body=body, set_at=moment, person=who.id)
                imports.line(batch, "own_part", row.id, None, {"body": body})
            if price is not None:
                _price_by_import(batch, part.part, cost.get(part.part), price, who.id)
        numbers = [p.part for p, _ in rows]
        replaced = sum(n in known for n in numbers)
        return _imported(
            batch, len(numbers) - replaced, replaced, sum(price is not None for _, price in rows)
        )


def _imported(batch: int, added: int, replaced: int, priced: int) -> Imported:
    imports.told(batch, f"{added} added, {replaced} replaced, {priced} priced")
    return Imported(added=added, replaced=replaced, priced=priced, batch_id=batch)


def imported_as(batch: int) -> Imported:
    """Return the result of an import, rebuilt from its rows."""
    added, replaced, priced = (int(n) for n in re.findall(r"\d+", imports.get_batch(batch).told))
    return Imported(added=added, replaced=replaced, priced=priced, batch_id=batch)


def _price_by_import(batch: int, part: str, old: float | None, price: float, person_id: int) -> None:
    if old != price:
        row = PartPrice.create(part=part, price=price, set_at=now(), person=person_id)
        imports.line(batch, "part_price", row.id, {"price": old}, {"price": price})


@imports.can_undo("own_part")
def _own_part_back(row_id: int, was: dict[str, Any] | None, made: dict[str, Any], _: int) -> str | None:
    row = OwnPart.get_or_none(OwnPart.id == row_id)
    if row is None:
        return None
    if row.body != made["body"]:
        return f"{row.part}: changed since."
    if was is not None:
        OwnPart.update(body=was["body"], set_at=now()).where(OwnPart.id == row_id).execute()
        return None
    shipped = {p.part for p in shipped_parts()}
    if row.part not in shipped and StockMove.select().where(StockMove.part == row.part).exists():
        return f"{row.part}: a van has carried it."
    OwnPart.delete().where(OwnPart.id == row_id).execute()
    return None


@imports.can_undo("part_price")
def _price_back(row_id: int, was: dict[str, Any] | None, made: dict[str, Any], person_id: int) -> str | None:
    row = PartPrice.get(PartPrice.id == row_id)
    newest = PartPrice.select(peewee.fn.MAX(PartPrice.id)).where(PartPrice.part == row.part).scalar()
    if newest != row_id:
        return f"{row.part}: priced again since."
    PartPrice.create(part=row.part, price=(was or {})["price"] or 0.0, set_at=now(), person=person_id)
    return None


def import_prices(rows: Sequence[tuple[int, str, float]], who: PersonOut) -> Imported:
    """Take a list of prices for parts that are listed: all of it or none.

    Raises
    ------
    GateClosed : a person who may not set the shop's prices
    InputProblem : a part that is in no list, by its line

    """
    _lead_or_office(who)
    known, cost = all_parts(), prices()
    strangers = [
        FieldProblem(field=f"line {line}, column part", wanted=msg("a part of the list"), got=number)
        for line, number, _ in rows
        if number not in known
    ]
    if strangers:
        raise InputProblem(
            strangers[:50], next_step=msg("Import the parts themselves first. Nothing was imported.")
        )
    with transaction():
        batch = imports.new_batch("prices", who.id)
        for _, number, price in rows:
            _price_by_import(batch, number, cost.get(number), price, who.id)
        return _imported(batch, 0, 0, len(rows))


def _lead_or_office(who: PersonOut) -> None:
    if who.role not in ("lead", "office"):
        raise GateClosed(
            msg("The shop's list and prices are the lead's and the office's to set."),
            next_step=msg("Ask the lead or the office."),
        )


def set_price(number: str, entry: NewPrice, who: PersonOut) -> list[PartOut]:
    """Set a part's price."""
    _lead_or_office(who)
    find_part(number)
    with transaction():
        # One after another, by anyone who asks first: two who set a price at once see each other's.
        Person.select(Person.id).order_by(Person.id).limit(1).for_update().execute()
        if entry.was is not None:
            newest = PartPrice.select().where(PartPrice.part == number).order_by(PartPrice.id.desc()).first()
            refuse_changed(entry.was, newest.price if newest is not None else 0.0)
        PartPrice.create(part=number, price=entry.price, set_at=now(), person=who.id)
    return list_parts()


def _holder(person_id: int) -> Person:
    row = Person.get_or_none(Person.id == person_id)
    if row is None:
        raise NotFound(
            msg("Nobody has number {person_id}.", person_id=person_id),
            next_step=msg("Pick one of the shop's people."),
        )
    return row


def counts_of(person_id: int) -> dict[str, int]:
    """Return how many of each part a van holds."""
    held: Any = (
        StockMove.select(StockMove.part, peewee.fn.SUM(StockMove.moved_count))
        .where(StockMove.holder == person_id)
        .group_by(StockMove.part)
        .tuples()
    )
    return {part: int(total) for part, total in held}


def _count_to_move(person_id: int, part: str) -> int:
    """Return how many of a part a van holds now, and keep the van for this transaction alone.

    Two who take the last one at once: the second waits here, and then counts what the first left. The count
    is a locking read, for a plain one would see the van as it was when the transaction began.
    """
    Person.select(Person.id).where(Person.id == person_id).for_update().execute()
    rows: Any = (
        StockMove.select(StockMove.moved_count)
        .where((StockMove.holder == person_id) & (StockMove.part == part))
        .for_update()
        .tuples()
    )
    return sum(int(count) for (count,) in rows)


def aids_of_van(person_id: int) -> list[AidPart]:
    """Return the start aids a van holds; none for a van that holds none."""
    van = get_van(person_id)
    return [line.aid for line in van.lines if line.aid is not None and line.count > 0]


def get_van(person_id: int) -> Van:
    """Return what a technician carries, what to restock, and the last moves.

    Raises
    ------
    NotFound : no person has this number

    """
    holder = _holder(person_id)
    parts, cost, counts = all_parts(), prices(), counts_of(person_id)
    markup = get_shop().details.parts_markup_pct
    wants = {w.part: w.want_count for w in StockWant.select().where(StockWant.holder == person_id)}
    kinds = list(KIND_WORDS)
    shown = [parts[n] for n in {*counts, *wants} if n in parts and (counts.get(n) or wants.get(n))]
    lines = [
        _line(p, counts.get(p.part, 0), wants.get(p.part, 0), cost.get(p.part), markup)
        for p in sorted(shown, key=lambda p: (kinds.index(p.kind), p.part))
    ]
    restock = [line for line in lines if line.short]
    total = None
    if restock and all(line.price is not None for line in restock):
        total = round(sum(line.short * (line.price or 0) for line in restock), 2)
    return Van(
        holder_id=person_id,
        holder=holder.name,
        lines=lines,
        restock=restock,
        restock_cost=total,
        moves=_moves(StockMove.holder == person_id, parts, 40),
    )


def _to_customer(price: float | None, markup_pct: float) -> float | None:
    """Return what a customer pays for a part: what an aid is compared by is what is billed."""
    return None if price is None else float(customer_price(price, markup_pct))


def _line(part: Part, count: int, want: int, price: float | None, markup_pct: float) -> VanLine:
    return VanLine(
        part=part,
        kind_word=KIND_WORDS[part.kind],
        count=count,
        want=want,
        short=max(0, want - count),
        price=price,
        aid=aid_part(Counted(part=part, count=max(0, count), price=_to_customer(price, markup_pct))),
    )


def _moves(where: Any, parts: dict[str, Part], most: int) -> list[MoveOut]:
    by = Person.alias()
    rows = (
        StockMove.select(StockMove, by)
        .join(by, on=(StockMove.person == by.id))
        .where(where)
        .order_by(StockMove.id.desc())
        .limit(most)
    )
    return [
        MoveOut(
            part=r.part,
            title=parts[r.part].title if r.part in parts else r.part,
            count=r.moved_count,
            reason=r.reason,
            call_id=r.call_id,
            note=r.note,
            moved_at=r.moved_at,
            person=r.person.name,
        )
        for r in rows
    ]


def moves_of_call(call_id: int) -> list[MoveOut]:
    """Return what was fitted and taken off on a call, newest first."""
    return _moves(StockMove.call == call_id, all_parts(), MOST_ROWS)


def move_stock(person_id: int, entry: NewMove, by_id: int) -> Van:
    """Put parts into a van, take them out, or set what a count found.

    Raises
    ------
    InputProblem : more taken out than there are
    NotFound : no such part, or no person has that number

    """
    _holder(person_id)
    find_part(entry.part)
    with transaction():
        have = _count_to_move(person_id, entry.part)
        delta = {"restocked": entry.count, "moved_out": -entry.count, "counted": entry.count - have}[
            entry.reason
        ]
        if have + delta < 0:
            raise InputProblem(
                [
                    FieldProblem(
                        field="count", wanted=msg("at most the {have} there are", have=have), got=entry.count
                    )
                ]
            )
        StockMove.create(
            part=entry.part,
            holder=person_id,
            moved_count=delta,
            reason=entry.reason,
            note=entry.note,
            moved_at=now(),
            person=by_id,
        )
    return get_van(person_id)


def want_stock(person_id: int, entry: NewWant) -> Van:
    """Set how many a van should hold."""
    _holder(person_id)
    find_part(entry.part)
    with transaction():
        Person.select(Person.id).where(Person.id == person_id).for_update().execute()
        here = (StockWant.holder == person_id) & (StockWant.part == entry.part)
        row = StockWant.get_or_none(here)
        if entry.was is not None:
            refuse_changed(entry.was, row.want_count if row is not None else 0)
        if row is None:
            StockWant.create(part=entry.part, holder=person_id, want_count=entry.want)
        else:
            StockWant.update(want_count=entry.want).where(here).execute()
    return get_van(person_id)


def take_from_van(
    part: str, count: int, holder_id: int, call_id: int, person_id: int, at: datetime | None = None
) -> None:
    """Take a part off a van because it was fitted on a call; called inside the caller's transaction.

    Raises
    ------
    InputProblem : the van does not hold so many

    """
    have = _count_to_move(holder_id, part)
    if have < count:
        raise InputProblem(
            [FieldProblem(field="count", wanted=msg("at most the {have} on the van", have=have), got=count)],
            next_step=msg("Restock or count the van, or say that it came from elsewhere."),
        )
    StockMove.create(
        part=part,
        holder=holder_id,
        moved_count=-count,
        reason="fitted",
        call=call_id,
        moved_at=at or now(),
        person=person_id,
    )


def put_back(part: str, count: int, holder_id: int, call_id: int, person_id: int) -> None:
    """Put a part back on the van that was taken off again on a call."""
    StockMove.create(
        part=part,
        holder=holder_id,
        moved_count=count,
        reason="taken_off",
        call=call_id,
        moved_at=now(),
        person=person_id,
    )


__all__ = ["PartKind", "PartOut", "Van", "get_van", "list_parts"]
