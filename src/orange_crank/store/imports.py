"""Imports as they were kept, and how each is taken back: what was made since is never lost with it."""

import json
from collections.abc import Callable, Iterable, Mapping
from typing import Any

import peewee
from pydantic import AwareDatetime, Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.audit import note
from orange_crank.store.database import now, transaction
from orange_crank.store.errors import NotFound
from orange_crank.store.models import ImportBatch, ImportLine, Person
from orange_crank.store.people import PersonOut, may_manage

MOST = 30


class BatchOut(Frozen):
    """One import."""

    id: int
    kind: str = Field(description="What was imported: customers, parts")
    told: str = Field(description="What it brought, in words")
    made_at: AwareDatetime
    person: str
    undone_at: AwareDatetime | None
    undone_by: str | None


class TakenBack(Frozen):
    """What taking an import back did, and what it left because something hangs on it."""

    back: int = Field(description="Rows as they were before")
    kept: list[str] = Field(description="What stays, and why")


Undo = Callable[[int, dict[str, Any] | None, dict[str, Any], int], str | None]
_UNDO: dict[str, Undo] = {}


def can_undo(table: str) -> Callable[[Undo], Undo]:
    """Say how a row of a table is taken back: by its number, what it was, what it was made, and who does it.

    The function returns why the row stays, or None where it is as it was before.
    """

    def keep(undo: Undo) -> Undo:
        _UNDO[table] = undo
        return undo

    return keep


def new_batch(kind: str, person_id: int) -> int:
    """Begin an import inside the caller's transaction; return its number."""
    row = ImportBatch.create(kind=kind, told="", made_at=now(), person=person_id)
    return int(row.id)


def told(batch_id: int, words: str) -> None:
    """Say what an import brought."""
    ImportBatch.update(told=words).where(ImportBatch.id == batch_id).execute()


def line(
    batch_id: int, table: str, row_id: int, was: Mapping[str, Any] | None, made: Mapping[str, Any]
) -> None:
    """Keep what an import did to one row."""
    ImportLine.create(
        batch=batch_id,
        table_name=table,
        row_id=row_id,
        was=None if was is None else json.dumps(was, default=str),
        made=json.dumps(made, default=str),
    )


def get_batch(batch_id: int) -> BatchOut:
    """Return one import.

    Raises
    ------
    NotFound : no import has that number

    """
    found = _batches(ImportBatch.id == batch_id)
    if not found:
        raise NotFound(
            msg("Import {batch_id} is not on record.", batch_id=batch_id),
            next_step=msg("Pick one from the list."),
        )
    return found[0]


def list_batches(who: PersonOut) -> list[BatchOut]:
    """Return the newest imports; the lead's and the office's to see."""
    may_manage(who)
    return _batches(None)


def _batches(where: peewee.Expression | None) -> list[BatchOut]:
    by = Person.alias()
    query = (
        ImportBatch.select(ImportBatch, Person.name.alias("by_name"), by.name.alias("undone_name"))
        .join(Person, on=(ImportBatch.person == Person.id))
        .switch(ImportBatch)
        .join(by, peewee.JOIN.LEFT_OUTER, on=(ImportBatch.undone_by == by.id))
        .order_by(ImportBatch.id.desc())
        .limit(MOST)
        .objects()
    )
    rows: Iterable[Any] = query if where is None else query.where(where)
    return [
        BatchOut(
            id=b.id,
            kind=b.kind,
            told=b.told,
            made_at=b.made_at,
            person=b.by_name,
            undone_at=b.undone_at,
            undone_by=b.undone_name,
        )
        for b in rows
    ]


def take_back(batch_id: int, who: PersonOut) -> TakenBack:
    """Take an import back: what it made goes where nothing hangs on it, what it changed reads as before.

    Raises
    ------
    NotFound : no import has that number
    GateClosed : a person who may not

    """
    may_manage(who)
    batch = get_batch(batch_id)
    with transaction():
        # Two hands at once: the second finds it taken back.
        fresh = (
            ImportBatch.update(undone_at=now(), undone_by=who.id)
            .where((ImportBatch.id == batch_id) & ImportBatch.undone_at.is_null())
            .execute()
        )
        if not fresh:
            return TakenBack(back=0, kept=["It had been taken back already."])
        back, kept = 0, []
        lines = ImportLine.select().where(ImportLine.batch == batch_id).order_by(ImportLine.id.desc())
        for row in list(lines):
            was = None if row.was is None else json.loads(row.was)
            stays = _UNDO[row.table_name](row.row_id, was, json.loads(row.made), who.id)
            if stays is None:
                back += 1
            else:
                kept.append(stays)
        note("import", batch.kind, f"taken back: {back} rows; {len(kept)} stay", who.id)
    return TakenBack(back=back, kept=kept)
