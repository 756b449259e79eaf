"""The audit trail: every change of a row that can be changed, written by the database itself.

Triggers write down who changed what, from what, to what and when. They are laid out by the owner's account
and the application's own account may neither drop nor alter them, so that no code of the application, and
no one who holds its password, can change a row unseen.
"""

from typing import Any

import peewee
from pydantic import AwareDatetime, Field, JsonValue

from orange_crank.core.errors import GateClosed
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.models import (
    ArchiveImport,
    AuditRow,
    CallImport,
    CaptureRow,
    ChangeMade,
    ChangeTrail,
    CoolingClock,
    DecisionRow,
    ImportBatch,
    MakeSafeRecord,
    OwnPart,
    PartPrice,
    Person,
    Photo,
    PlannedVisit,
    PlateCompressor,
    PlateMotor,
    PlateVersion,
    PracticeAct,
    Reading,
    RecordSeal,
    SafetyEventRow,
    ServiceCall,
    ShopDetail,
    ShopFact,
    ShopStandardRow,
    Site,
    SoundRow,
    StockMove,
    StockWant,
    Task,
    TaskStep,
    TestTaken,
    Unit,
)
from orange_crank.store.people import PersonOut

# Tables whose rows can change, and their counting columns: a change of those alone means nothing.
AUDITED: dict[type[peewee.Model], tuple[str, ...]] = {
    Person: (),
    Site: (),
    Unit: (),
    ServiceCall: ("entries",),
    PlannedVisit: (),
    Task: (),
    StockWant: (),
    OwnPart: (),
    ShopFact: (),
    CoolingClock: (),
    ImportBatch: (),
}
# Tables whose rows are never changed or deleted.
APPEND_ONLY: tuple[type[peewee.Model], ...] = (
    Reading, MakeSafeRecord, SafetyEventRow, PlateVersion, PlateCompressor, PlateMotor, ChangeMade, TestTaken,
    DecisionRow, CaptureRow, Photo, SoundRow, ShopStandardRow, StockMove, PartPrice, TaskStep, AuditRow,
    ShopDetail, PracticeAct, ChangeTrail, RecordSeal, ArchiveImport, CallImport,
)  # fmt: skip
WHO = "@orange_crank_person"
MOST = 200


class TrailLine(Frozen):
    """One change of one row."""

    id: int
    table: str
    row: str = Field(description="Number of the row, or its name")
    verb: str = Field(description="update or delete")
    person: str = Field(description="Who; empty where the program did it by itself")
    at: AwareDatetime
    was: dict[str, JsonValue] = Field(description="What it said before, only what differs")
    becomes: dict[str, JsonValue] = Field(description="What it says since; empty where it was deleted")


def _columns(model: type[peewee.Model]) -> list[str]:
    return [f.column_name for f in model._meta.sorted_fields]


def _pairs(columns: list[str], of: str, only_changed: bool) -> str:
    """Return an expression for a JSON object of columns; with ``only_changed`` of those that differ."""
    parts = []
    for column in columns:
        one = f"JSON_OBJECT('{column}', {of}.`{column}`)"
        parts.append(f"IF(OLD.`{column}` <=> NEW.`{column}`, JSON_OBJECT(), {one})" if only_changed else one)
    return f"JSON_MERGE_PRESERVE(JSON_OBJECT(), {', '.join(parts)})"


def wanted_triggers() -> dict[str, tuple[str, str, str]]:
    """Return the triggers by name: table, timing with verb, and body."""
    found: dict[str, tuple[str, str, str]] = {}
    for model in APPEND_ONLY:
        name = str(model._meta.table_name)
        body = f"SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{name} is append-only'"
        for verb in ("UPDATE", "DELETE"):
            found[f"{name}_no_{verb.lower()}"] = (name, f"BEFORE {verb}", body)
    for model, counting in AUDITED.items():
        name, columns = str(model._meta.table_name), _columns(model)
        key = next(f.column_name for f in model._meta.sorted_fields if f.primary_key)
        into = (
            "INSERT INTO change_trail (table_name, row_name, verb, person_id, happened_at, was, becomes) "
            f"VALUES ('{name}', OLD.`{key}`, '%s', {WHO}, UTC_TIMESTAMP(6), %s, %s)"
        )
        told = [c for c in columns if c not in counting]
        same = " AND ".join(f"OLD.`{c}` <=> NEW.`{c}`" for c in told)
        update = into % ("update", _pairs(told, "OLD", True), _pairs(told, "NEW", True))
        found[f"{name}_trail_update"] = (
            name,
            "AFTER UPDATE",
            f"BEGIN IF NOT ({same}) THEN {update}; END IF; END",
        )
        delete = into % ("delete", _pairs(told, "OLD", False), "JSON_OBJECT()")
        found[f"{name}_trail_delete"] = (name, "AFTER DELETE", f"BEGIN {delete}; END")
    return found


def missing_triggers(database: Any) -> list[str]:
    """Return the triggers that are missing or differ; the owner's account sees them."""
    rows = database.execute_sql(
        "SELECT trigger_name, action_statement FROM information_schema.triggers "
        "WHERE trigger_schema = DATABASE()"
    ).fetchall()
    there = {str(name): str(body) for name, body in rows}
    return [name for name, (_, _, body) in wanted_triggers().items() if there.get(name) != body]


def lay_trail(database: Any) -> list[str]:
    """Put the triggers in place that are missing or differ; return their names.

    Parameters
    ----------
    database : signed in as the owner

    """
    laid = missing_triggers(database)
    wanted = wanted_triggers()
    for name in laid:
        table, when, body = wanted[name]
        database.execute_sql(f"CREATE OR REPLACE TRIGGER `{name}` {when} ON `{table}` FOR EACH ROW {body}")
    rows = database.execute_sql(
        "SELECT trigger_name, action_statement, definer FROM information_schema.triggers "
        "WHERE trigger_schema = DATABASE()"
    ).fetchall()
    return laid + _own(database, rows)


def _own(database: Any, rows: list[tuple[Any, ...]]) -> list[str]:
    """Lay triggers that another account laid out again as one's own: its rights may have gone since."""
    [[me]] = database.execute_sql("SELECT CURRENT_USER()").fetchall()
    strange = [str(name) for name, _, definer in rows if definer != me]
    for name in strange:
        [[table, timing, verb, body]] = database.execute_sql(
            "SELECT event_object_table, action_timing, event_manipulation, action_statement "
            "FROM information_schema.triggers WHERE trigger_schema = DATABASE() AND trigger_name = %s",
            (name,),
        ).fetchall()
        # In one statement: at no moment can a row be altered that may not be.
        database.execute_sql(
            f"CREATE OR REPLACE TRIGGER `{name}` {timing} {verb} ON `{table}` FOR EACH ROW {body}"
        )
    return strange


def trail(who: PersonOut, before: int | None = None, table: str | None = None) -> list[TrailLine]:
    """Return changes, newest first; the lead's and the office's to see.

    Parameters
    ----------
    who : who asks
    before : only changes ahead of this one, to go on where a list ended
    table : only of this table

    Raises
    ------
    GateClosed : another person

    """
    if who.role not in ("lead", "office"):
        raise GateClosed(
            msg("Who changed what is the lead's and the office's to see."), next_step=msg("Ask the lead.")
        )
    names = {p.id: p.name for p in Person.select()}
    query = ChangeTrail.select().order_by(ChangeTrail.id.desc()).limit(MOST)
    if before is not None:
        query = query.where(ChangeTrail.id < before)
    if table is not None:
        query = query.where(ChangeTrail.table_name == table)
    return [
        TrailLine(
            id=r.id,
            table=r.table_name,
            row=r.row_name,
            verb=r.verb,
            person=names.get(r.person_id, ""),
            at=r.happened_at,
            was=r.was,
            becomes=r.becomes,
        )
        for r in query
    ]
