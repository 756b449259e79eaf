"""Search as one types: sites, units, serials, complaints, notes, parts fitted, people.

By MariaDB's full-text indexes, each word as a beginning; serials and short words by their own ordered index.
"""

import re
from typing import Any, Literal
from urllib.parse import quote

from pydantic import Field

from orange_crank.core.nomenclature import Frozen
from orange_crank.store.database import proxy

HitKind = Literal["unit", "site", "call", "note", "person"]
MOST_WORDS, MOST_EACH = 6, 12
# What the full-text parser keeps; shorter words are looked up as beginnings of names.
SHORTEST = 3
_WORD = re.compile(r"[^\W_]+", re.UNICODE)


class Hit(Frozen):
    """One thing found."""

    kind: HitKind
    title: str
    text: str
    to: str = Field(description="Page it leads to")


class Found(Frozen):
    """What a search found, best first of each kind."""

    hits: list[Hit]
    asked: list[str] = Field(description="The words that were looked for")


# Each finds its few rows first and looks up their places after: a common word matches tens of thousands.
QUERIES: tuple[tuple[HitKind, str], ...] = (
    (
        "unit",
        """SELECT u.id, CONCAT(s.name, ' · ', u.name), CONCAT_WS(' · ', NULLIF(u.kind, ''),
           NULLIF(u.model, ''), NULLIF(u.serial, ''), NULLIF(u.note, '')), CONCAT('/units/', u.id)
           FROM (SELECT id FROM unit WHERE MATCH (name, kind, note, serial, model, access_note)
                 AGAINST (%s IN BOOLEAN MODE) AND merged_into_id IS NULL LIMIT %s) f
           JOIN unit u ON u.id = f.id JOIN site s ON s.id = u.site_id""",
    ),
    (
        "site",
        """SELECT s.id, s.name, CONCAT_WS(' · ', NULLIF(s.place, ''), NULLIF(s.contact, '')),
           CAST(s.id AS CHAR)
           FROM (SELECT id FROM site WHERE MATCH (name, place, access_note, contact)
                 AGAINST (%s IN BOOLEAN MODE) LIMIT %s) f JOIN site s ON s.id = f.id""",
    ),
    (
        "call",
        """SELECT c.id, CONCAT(s.name, ' · ', u.name), CONCAT_WS(' · ', c.complaint, NULLIF(c.note, ''),
           NULLIF(c.parts_ordered, '')), CONCAT('/calls/', c.id)
           FROM (SELECT id FROM service_call WHERE MATCH (complaint, note, spoken_to, parts_ordered)
                 AGAINST (%s IN BOOLEAN MODE) LIMIT %s) f
           JOIN service_call c ON c.id = f.id JOIN unit u ON u.id = c.unit_id
           JOIN site s ON s.id = u.site_id ORDER BY c.id DESC""",
    ),
    (
        "note",
        """SELECT r.id, CONCAT(s.name, ' · ', u.name), r.note, CONCAT('/calls/', r.call_id)
           FROM (SELECT id FROM reading WHERE MATCH (note) AGAINST (%s IN BOOLEAN MODE) LIMIT %s) f
           JOIN reading r ON r.id = f.id JOIN service_call c ON c.id = r.call_id
           JOIN unit u ON u.id = c.unit_id JOIN site s ON s.id = u.site_id""",
    ),
    (
        "note",
        """SELECT m.id, CONCAT(s.name, ' · ', u.name), m.what, CONCAT('/calls/', m.call_id)
           FROM (SELECT id FROM change_made WHERE MATCH (what) AGAINST (%s IN BOOLEAN MODE) LIMIT %s) f
           JOIN change_made m ON m.id = f.id JOIN service_call c ON c.id = m.call_id
           JOIN unit u ON u.id = c.unit_id JOIN site s ON s.id = u.site_id""",
    ),
)
BEGINNINGS: tuple[tuple[HitKind, str], ...] = (
    (
        "unit",
        """SELECT u.id, CONCAT(s.name, ' · ', u.name), CONCAT_WS(' · ', NULLIF(u.kind, ''), u.serial),
           CONCAT('/units/', u.id)
           FROM unit u JOIN site s ON s.id = u.site_id WHERE u.serial LIKE %s AND u.merged_into_id IS NULL
           LIMIT %s""",
    ),
    (
        "site",
        """SELECT s.id, s.name, s.place, CAST(s.id AS CHAR)
           FROM site s WHERE s.name LIKE %s LIMIT %s""",
    ),
    (
        "person",
        """SELECT p.id, p.name, p.role, '/shop'
           FROM person p WHERE p.active AND p.name LIKE %s LIMIT %s""",
    ),
)


def words_of(asked: str) -> list[str]:
    """Return the words of what a person typed, at most six."""
    return _WORD.findall(asked)[:MOST_WORDS]


def search(asked: str, most: int = MOST_EACH) -> Found:
    """Return what is found, each kind by itself.

    Parameters
    ----------
    asked : as typed, half a word included
    most : at most so many of each kind

    """
    words = words_of(asked)
    hits: dict[str, Hit] = {}
    long = [w for w in words if len(w) >= SHORTEST]
    if long:
        # Letters and figures only: nothing of the full-text language itself gets through.
        boolean = " ".join(f"+{w}*" for w in long)
        for kind, sql in QUERIES:
            _gather(hits, kind, sql, (boolean, most))
    typed = asked.strip()
    if typed:
        beginning = typed.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        for kind, sql in BEGINNINGS:
            _gather(hits, kind, sql, (beginning, most))
    return Found(hits=list(hits.values()), asked=words)


def _gather(hits: dict[str, Hit], kind: HitKind, sql: str, values: tuple[Any, ...]) -> None:
    for number, title, text, to in proxy.obj.execute_sql(sql, values).fetchall():
        hits.setdefault(f"{kind} {to} {number if kind == 'note' else ''}", _hit(kind, title, text, to))


def _hit(kind: HitKind, title: str, text: str | None, to: str) -> Hit:
    if kind == "site":
        to = f"/units?find={quote(title)}"
    return Hit(kind=kind, title=title, text=(text or "")[:200], to=to)
