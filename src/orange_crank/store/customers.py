"""A customer list into the records: what is known is found again, blanks are filled, nothing overwritten."""

from collections.abc import Sequence
from datetime import date
from typing import Any

import peewee
from pydantic import Field

from orange_crank.core.customers import CustomerLine, ListColumn
from orange_crank.core.errors import FieldProblem
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import imports
from orange_crank.store.models import PlannedVisit, PlateVersion, ServiceCall, Site, Task, Unit

MOST_SHOWN = 60
COUNTED = {
    "new site": "new sites",
    "new unit": "new units",
    "blank filled": "blanks filled",
    "line here already": "lines here already",
}


class LineOut(Frozen):
    """What a line would do."""

    line: int
    site: str
    unit: str
    does: str = Field(description="In words: new, fills a blank, here already")


class CustomersOut(Frozen):
    """A customer list as it is read: columns, what it would bring, what is wrong."""

    columns: list[ListColumn]
    problems: list[FieldProblem]
    lines: list[LineOut] = Field(description="The first lines")
    count: int = Field(description="How many lines say something")
    told: str = Field(description="What it brings, in words")
    batch_id: int | None = Field(description="The import it was kept as; None where it was only looked at")


def bring_in(lines: Sequence[CustomerLine], person_id: int) -> tuple[int, list[LineOut], str]:
    """Bring lines in, inside the caller's transaction.

    Returns
    -------
    tuple : the import's number, what each line did, and the whole in words

    """
    batch = imports.new_batch("customers", person_id)
    fresh: set[tuple[str, int]] = set()
    counts = dict.fromkeys(COUNTED, 0)
    done = []
    for line in lines:
        did = []
        site, made = _site(batch, line)
        if made:
            counts["new site"] += 1
            did.append("new site")
        if made:
            fresh.add(("site", site.id))
        filled = _fill(batch, Site, site, _site_words(line), fresh)
        if line.unit or line.kind or line.model or line.serial:
            unit, made_unit = _unit(batch, site, line)
            if made_unit:
                fresh.add(("unit", unit.id))
                counts["new unit"] += 1
                did.append("new unit")
            else:
                filled += _fill(batch, Unit, unit, _unit_words(line), fresh)
        if filled:
            counts["blank filled"] += len(filled)
            did.append("fills " + ", ".join(f.replace("_", " ") for f in filled))
        if not did:
            counts["line here already"] += 1
        done.append(
            LineOut(
                line=line.line, site=line.site, unit=_unit_name(line), does=", ".join(did) or "here already"
            )
        )
    words = ", ".join(f"{n} {one if n == 1 else COUNTED[one]}" for one, n in counts.items() if n)
    imports.told(batch, words)
    return batch, done, words or "nothing"


def _site_words(line: CustomerLine) -> dict[str, Any]:
    return {"place": line.place, "contact": line.contact, "access_note": line.site_access}


def _unit_words(line: CustomerLine) -> dict[str, Any]:
    return {
        "kind": line.kind,
        "model": line.model,
        "serial": line.serial,
        "built_year": line.built_year,
        "warranty_until": line.warranty_until,
        "access_note": line.unit_access,
        "note": line.note,
    }


def _unit_name(line: CustomerLine) -> str:
    return (line.unit or line.kind or line.model or (f"Unit {line.serial}" if line.serial else ""))[:80]


def _site(batch: int, line: CustomerLine) -> tuple[Site, bool]:
    there = Site.get_or_none(Site.name == line.site)
    if there is not None:
        return there, False
    made = {"name": line.site, **_site_words(line)}
    row = Site.create(**made)
    imports.line(batch, "site", row.id, None, made)
    return row, True


def _unit(batch: int, site: Site, line: CustomerLine) -> tuple[Unit, bool]:
    """Return the unit of a line: known by its serial anywhere, or by its name at the site; else a new one."""
    here = Unit.merged_into.is_null()
    there = None
    if line.serial:
        there = Unit.get_or_none((Unit.serial == line.serial) & (Unit.site == site) & here)
    if there is None:
        named = Unit.get_or_none((Unit.name == _unit_name(line)) & (Unit.site == site) & here)
        # Serial numbers tell two machines of one name apart.
        if named is not None and not (line.serial and named.serial and named.serial != line.serial):
            there = named
    if there is not None:
        return there, False
    made = {"name": _free_name(site, _unit_name(line)), **_unit_words(line)}
    row = Unit.create(site=site, **made)
    imports.line(batch, "unit", row.id, None, made)
    return row, True


def _free_name(site: Site, name: str) -> str:
    taken = {u.name.lower() for u in Unit.select(Unit.name).where(Unit.site == site)}
    free, number = name, 2
    while free.lower() in taken:
        free = f"{name[:74]} ({number})"
        number += 1
    return free


def _fill(batch: int, model: Any, row: Any, words: dict[str, Any], fresh: set[tuple[str, int]]) -> list[str]:
    """Fill blanks on record; a value that is there stays."""
    table = model._meta.table_name
    filled = {
        name: value for name, value in words.items() if value not in ("", None) and not getattr(row, name)
    }
    if filled:
        new = (table, row.id) in fresh  # made by this same list: it goes whole, or stays whole
        model.update(version=model.version + (0 if new else 1), **filled).where(model.id == row.id).execute()
        if not new:
            imports.line(batch, table, row.id, {name: getattr(row, name) for name in filled}, filled)
        for name, value in filled.items():
            setattr(row, name, value)
    return list(filled)


def _same(now_there: Any, then_made: Any) -> bool:
    shown = now_there.isoformat() if isinstance(now_there, date) else now_there
    return bool(shown == then_made)


def _back(model: Any, row_id: int, was: dict[str, Any], made: dict[str, Any]) -> str | None:
    row = model.get_or_none(model.id == row_id)
    if row is None:
        return None
    restored = {name: was[name] for name in made if _same(getattr(row, name), made[name])}
    if restored:
        model.update(version=model.version + 1, **restored).where(model.id == row_id).execute()
    if len(restored) < len(made):
        return f"{row.name}: changed since; that stays."
    return None


@imports.can_undo("site")
def _site_back(row_id: int, was: dict[str, Any] | None, made: dict[str, Any], _: int) -> str | None:
    if was is not None:
        return _back(Site, row_id, was, made)
    row = Site.get_or_none(Site.id == row_id)
    if row is None:
        return None
    if Unit.select().where(Unit.site == row_id).exists():
        return f"{row.name}: units stand there."
    if row.version > 1:
        return f"{row.name}: changed since."
    Site.delete().where(Site.id == row_id).execute()
    return None


@imports.can_undo("unit")
def _unit_back(row_id: int, was: dict[str, Any] | None, made: dict[str, Any], _: int) -> str | None:
    if was is not None:
        return _back(Unit, row_id, was, made)
    row = Unit.get_or_none(Unit.id == row_id)
    if row is None:
        return None
    for model, words in (
        (ServiceCall, "a call is on record"),
        (PlateVersion, "its plate was read"),
        (PlannedVisit, "a visit is planned"),
        (Task, "a task is kept"),
    ):
        if model.select().where(model.unit == row_id).exists():
            return f"{row.name}: {words}."
    if row.version > 1:
        return f"{row.name}: changed since."
    try:
        Unit.delete().where(Unit.id == row_id).execute()
    except peewee.IntegrityError:
        return f"{row.name}: something on record hangs on it."
    return None
