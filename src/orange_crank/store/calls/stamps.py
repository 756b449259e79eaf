"""A digest of a call's record, read in one query, so that only changed calls are read again.

Rows of a record are never altered and their numbers never come back, so a table's part of a call is known by
how many rows it has, the last one's number and its moment. What can be edited (a call, its unit, its site) is
known by a digest of its rows. The cache is compared with the database on every reading: several
processes may write, and none has to notify the others.
"""

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Any, TypeVar

import peewee

from orange_crank.store.calls.decisions import CONFIRMED
from orange_crank.store.database import proxy, schema_name
from orange_crank.store.models import (
    ChangeMade,
    CoolingClock,
    DecisionRow,
    PlateVersion,
    Reading,
    SafetyEventRow,
    ServiceCall,
    ShopStandardRow,
    Site,
    TestTaken,
    Unit,
)

T = TypeVar("T")

MOST_KEPT = 6_000  # some four hundred calls with their parts, or a list of two thousand
UNKNOWN = object()


@dataclass(frozen=True)
class Stamps:
    """What each part of a call's record is known by now."""

    entries: int
    call: str
    events: str
    readings: str
    changes: str
    tests: str
    decisions: str
    clocks: str
    plate: str
    elsewhere: str
    causes: str
    standards: str
    people: str


def _table(model: type[peewee.Model]) -> str:
    name: str = model._meta.table_name
    return name


def _digest(alias: str, model: type[peewee.Model], but: str = "") -> str:
    """Return an expression over every column of a table, but one."""
    names = [f.column_name for f in model._meta.sorted_fields if f.column_name != but]
    columns = ", ".join(f"IFNULL({alias}.{name}, CHAR(0))" for name in names)
    return f"CONCAT_WS(CHAR(31), {columns})"


def _rows(model: type[peewee.Model], at: peewee.Field, where: str) -> str:
    """Return an expression for the rows of an append-only table."""
    told = f"CONCAT_WS('/', COUNT(*), MAX(t.id), MAX(t.{at.column_name}))"
    return f"(SELECT {told} FROM {_table(model)} t WHERE {where})"


_OTHERS = "CONCAT_WS('/', COUNT(*), SUM(CRC32({0})), BIT_XOR(CRC32({0})))"
_A_CALL = "CONCAT_WS('/', o.id, o.unit_id, o.entries, o.version, o.opened_at)"
_A_UNIT = "CONCAT_WS('/', n.id, n.version, n.name, n.kind)"
PEOPLE = "(SELECT CONCAT_WS('/', COUNT(*), MAX(id), SUM(version)) FROM person)"
STANDARDS = _rows(ShopStandardRow, ShopStandardRow.set_at, "TRUE")
_CALL = f"""MD5(CONCAT_WS(CHAR(30), {_digest("c", ServiceCall, but="entries")},
  {_digest("u", Unit)}, {_digest("s", Site)}))"""
_EVENTS = _rows(SafetyEventRow, SafetyEventRow.happened_at, "t.call_id = c.id")
_CLOCKS = f"""(SELECT CONCAT_WS('/', COUNT(*), MAX(id), MAX(started_at), COUNT(ended_at))
  FROM {_table(CoolingClock)} WHERE call_id = c.id)"""
_FROM = "FROM service_call c JOIN unit u ON u.id = c.unit_id JOIN site s ON s.id = u.site_id"

_LOOK = f"""
SELECT
 c.entries,
 {_CALL},
 {_EVENTS},
 {_rows(Reading, Reading.recorded_at, "t.call_id = c.id")},
 {_rows(ChangeMade, ChangeMade.made_at, "t.call_id = c.id")},
 {_rows(TestTaken, TestTaken.taken_at, "t.call_id = c.id")},
 {_rows(DecisionRow, DecisionRow.decided_at, "t.call_id = c.id")},
 {_CLOCKS},
 {_rows(PlateVersion, PlateVersion.recorded_at, "t.unit_id = u.id")},
 CONCAT_WS('|',
  (SELECT {_OTHERS.format(_A_CALL)}
   FROM service_call o JOIN unit ou ON ou.id = o.unit_id WHERE ou.site_id = s.id AND o.id <> c.id),
  (SELECT {_OTHERS.format(_A_UNIT)}
   FROM unit n WHERE n.site_id = s.id)),
 CONCAT_WS('|',
  (SELECT MAX(id) FROM decision WHERE kind = '{CONFIRMED}'),
  (SELECT MAX(closed_at) FROM service_call WHERE status = 'closed'),
  (SELECT COUNT(*) FROM service_call WHERE status = 'open')),
 {STANDARDS},
 {PEOPLE}
{_FROM}
WHERE c.id = %s
"""


def look(call_id: int) -> Stamps | None:
    """Return what a call's record is known by now; None where there is no such call."""
    row = proxy.obj.execute_sql(_LOOK, (call_id,)).fetchone()
    return None if row is None else Stamps(int(row[0]), *(_word(v) for v in row[1:]))


def look_at_shop() -> tuple[str, str]:
    """Return what the shop's standards and its people are known by now."""
    row = proxy.obj.execute_sql(f"SELECT {STANDARDS}, {PEOPLE}").fetchone()
    return _word(row[0]), _word(row[1])


@dataclass(frozen=True)
class Listed:
    """What a call in a list is known by now."""

    id: int
    call: str
    events: str
    clocks: str
    readings: int


def look_at_list(call_ids: list[int]) -> list[Listed]:
    """Return the stamps of calls in the order asked, by ``look`` for one."""
    if not call_ids:
        return []
    marks = ", ".join(["%s"] * len(call_ids))
    told = proxy.obj.execute_sql(
        f"SELECT c.id, {_CALL}, {_EVENTS}, {_CLOCKS}, "
        "(SELECT COUNT(*) FROM reading t WHERE t.call_id = c.id) "
        f"{_FROM} WHERE c.id IN ({marks})",
        tuple(call_ids),
    )
    found = {
        row[0]: Listed(row[0], _word(row[1]), _word(row[2]), _word(row[3]), int(row[4]))
        for row in told.fetchall()
    }
    return [found[number] for number in call_ids]


def _word(value: Any) -> str:
    return value.decode() if isinstance(value, bytes) else str(value)


class Remembered:
    """Parts of records by what they were known by when read; the longest unused make room."""

    def __init__(self, most: int = MOST_KEPT) -> None:
        self._most = most
        self._lock = threading.Lock()
        self._kept: OrderedDict[Hashable, tuple[Any, Any]] = OrderedDict()

    def find(self, name: str, number: int, known: Any) -> Any:
        """Return a part as remembered while it is known by the same; ``UNKNOWN`` where it is not."""
        place = (schema_name(), name, number)
        with self._lock:
            kept = self._kept.get(place)
            if kept is None or kept[0] != known:
                return UNKNOWN
            self._kept.move_to_end(place)
            return kept[1]

    def keep(self, name: str, number: int, known: Any, read: T) -> T:
        """Remember a part by what it was known by before it was read."""
        place = (schema_name(), name, number)
        with self._lock:
            self._kept[place] = (known, read)
            self._kept.move_to_end(place)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return read

    def part(self, name: str, number: int, known: Any, read: Callable[[], T]) -> T:
        """Return a part as remembered while it is known by the same; else read it."""
        found: Any = self.find(name, number, known)
        if found is UNKNOWN:
            return self.keep(name, number, known, read())
        here: T = found
        return here

    def forget(self) -> None:
        """Forget everything: the records themselves were put in place of others."""
        with self._lock:
            self._kept.clear()


REMEMBERED = Remembered()
