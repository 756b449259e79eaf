"""The list of units in pages: by site and name, each page after the last unit of the one before."""

import re
from typing import Any

from pydantic import Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.database import proxy
from orange_crank.store.models import Site, Unit
from orange_crank.store.search import SHORTEST, words_of
from orange_crank.store.units import UnitOut, units_of

PAGE = 60
_YEAR = re.compile(r"(?:19|20)\d\d")


class UnitsPage(Frozen):
    """A stretch of the list of units."""

    units: list[UnitOut]
    more_after: int | None = Field(description="Ask again after this unit; None where the list ends")


def page_of_units(find: str = "", after: int | None = None, most: int = PAGE) -> UnitsPage:
    """Return a page of the list.

    Parameters
    ----------
    find : words; each is the beginning of a word of the unit or of its site, a piece of its serial,
        or its year
    after : the last unit of the page before
    most : how many

    Raises
    ------
    InputProblem : the unit to go on after is no longer there

    """
    where, values = ["u.merged_into_id IS NULL"], []
    for word in words_of(find):
        clause, more = _holds(word)
        where.append(clause)
        values += more
    if after is not None:
        last = Unit.select(Unit, Site).join(Site).where(Unit.id == after).first()
        if last is None:
            raise InputProblem(
                [FieldProblem(field="after", wanted=msg("a unit of the list"), got=after)],
                next_step=msg("Open the list again from its beginning."),
            )
        where.append("(s.name > %s OR (s.name = %s AND (u.name > %s OR (u.name = %s AND u.id > %s))))")
        values += [last.site.name, last.site.name, last.name, last.name, last.id]
    sql = (
        "SELECT u.id FROM unit u JOIN site s ON s.id = u.site_id WHERE "
        + " AND ".join(where)
        + " ORDER BY s.name, u.name, u.id LIMIT %s"
    )
    ids = [number for (number,) in proxy.obj.execute_sql(sql, (*values, most + 1)).fetchall()]
    found = units_of(ids[:most])
    return UnitsPage(units=found, more_after=found[-1].id if len(ids) > most else None)


def _holds(word: str) -> tuple[str, list[Any]]:
    """Return a condition that a unit or its site has a word, and its values."""
    beginning = word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
    if len(word) < SHORTEST:
        return "(u.name LIKE %s OR s.name LIKE %s OR u.serial LIKE %s OR u.model LIKE %s)", [beginning] * 4
    if _YEAR.fullmatch(word):
        year = " OR u.built_year = %s"
        more: list[Any] = [int(word)]
    else:
        year, more = "", []
    boolean = f"+{word}*"
    return (
        "(u.id IN (SELECT id FROM unit WHERE MATCH (name, kind, note, serial, model, access_note) "
        "AGAINST (%s IN BOOLEAN MODE)) "
        "OR s.id IN (SELECT id FROM site WHERE MATCH (name, place, access_note, contact) "
        f"AGAINST (%s IN BOOLEAN MODE)) OR u.serial LIKE %s{year})",
        # The end of a serial is what is read off a label: found within it too.
        [boolean, boolean, "%" + beginning if any(c.isdigit() for c in word) else beginning, *more],
    )
