"""The records as an archive, out and in: every row by its columns, every picture and recording beside it.

A whole shop goes into empty records as it was, number for number, and once more into its own without
doing anything. One unit goes into any shop: its rows get new numbers there, and the archive's own keys are
kept beside them, so that the same archive again brings nothing twice and a later one only what is new.
"""

import base64
import hashlib
import json
import uuid
import zlib
from collections.abc import Iterable, Iterator
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any, BinaryIO
from zipfile import ZIP_DEFLATED, BadZipFile, ZipFile, ZipInfo

import peewee
from playhouse.mysql_ext import JSONField
from pydantic import AwareDatetime, Field

from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import seal
from orange_crank.store.database import UtcDateTimeField, now, transaction
from orange_crank.store.errors import NotFound
from orange_crank.store.models import (
    ArchiveImport,
    AuditRow,
    CallImport,
    CaptureRow,
    ChangeMade,
    CoolingClock,
    DecisionRow,
    ImportBatch,
    ImportLine,
    MakeSafeRecord,
    Origin,
    OwnPart,
    PartPrice,
    Person,
    Photo,
    PlannedVisit,
    PlateCompressor,
    PlateMotor,
    PlateVersion,
    Reading,
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

FORMAT, VERSION = "orange-crank-archive", 1
MOST_BYTES = 1_500_000_000  # unpacked; a larger one is refused before it is read
MOST_MEMBERS = 200_000
MOST_ROWS_BYTES = 400_000_000  # of one table's file, which is read whole
MOST_MANIFEST_BYTES = 40_000_000
_PIECE = 1 << 20
SHOP_UID = "shop_uid"
READ_BACK = ("record/", "files/")  # the rest is for people and other programs
# In the order they are written and read: what refers comes after what it refers to.
OF_A_UNIT: tuple[type[peewee.Model], ...] = (
    Person, Site, Unit, ServiceCall, PlateVersion, PlateCompressor, PlateMotor, MakeSafeRecord,
    SafetyEventRow, Reading, ChangeMade, TestTaken, DecisionRow, CoolingClock, CaptureRow, Photo,
    SoundRow, Task, TaskStep, PlannedVisit,
)  # fmt: skip
OF_THE_SHOP: tuple[type[peewee.Model], ...] = (
    ShopDetail, ShopStandardRow, OwnPart, PartPrice, StockMove, StockWant, AuditRow, ImportBatch,
    ImportLine,
)  # fmt: skip
# A call remembers up to which row it was judged when it was closed.
WATERMARKS: dict[str, type[peewee.Model]] = {
    "closed_standard": ShopStandardRow,
    "closed_reading": Reading,
    "closed_change": ChangeMade,
}
_FIXED = (1980, 1, 1, 0, 0, 0)
Keys = dict[type[peewee.Model], dict[int, str]]


class Manifest(seal.SealedManifest):
    """What an archive describes itself by."""

    format: str
    version: int
    shop: str
    shop_uid: str
    scope: str = Field(description="shop, or unit with its key")
    exported_at: AwareDatetime
    person: str
    conditions: str = "Times are UTC; figures in the units their columns name."
    counts: dict[str, int]


class ImportReport(Frozen):
    """What an import did, or would do."""

    shop: str
    scope: str
    new: dict[str, int]
    known: int = Field(description="Rows that are on record already")
    done: bool = Field(description="Whether it was kept; a preview is not")
    ours: bool = Field(default=False, description="Whether this shop's program wrote the archive")
    left_out: dict[str, int] = Field(default={}, description="Rows that were not taken in, by table")
    text: str = Field(default="", description="Where it comes from, and what was left out")


def name_of(model: type[peewee.Model]) -> str:
    """Return a table's name."""
    return str(model._meta.table_name)


def shop_uid() -> str:
    """Return this shop's own identity, made on first use."""
    row = ShopFact.get_or_none(ShopFact.name == SHOP_UID)
    if row is not None:
        return str(row.value)
    made = str(uuid.uuid4())
    ShopFact.create(name=SHOP_UID, value=made)
    return made


# Out ---------------------------------------------------------------------------------------------


def write_archive(
    out: BinaryIO,
    person: str,
    unit_id: int | None = None,
    shop: str = "",
    beside: Iterable[tuple[str, bytes]] = (),
) -> Manifest:
    """Write the whole shop, or one unit, as an archive.

    Parameters
    ----------
    out : where it is written; bytes
    person : the person who exports it
    unit_id : only this unit with its calls
    shop : how the shop is named
    beside : files for people and other programs, by name; they are never read back

    Raises
    ------
    NotFound : no such unit

    """
    mine = shop_uid()
    chosen = _of_unit(unit_id) if unit_id is not None else None
    tables = OF_A_UNIT if unit_id is not None else OF_A_UNIT + OF_THE_SHOP
    counts: dict[str, int] = {}
    digests: dict[str, str] = {}
    origins: Keys = {m: _keys(m) for m in OF_A_UNIT + OF_THE_SHOP}
    # One unit goes out under the keys it came with; a whole shop under its own, with those beside them.
    keys: Keys = origins if unit_id is not None else {m: {} for m in origins}
    with ZipFile(out, "w", ZIP_DEFLATED, compresslevel=6) as archive:

        def member(name: str, data: bytes) -> None:
            info = ZipInfo(name, _FIXED)
            info.compress_type = ZIP_DEFLATED
            archive.writestr(info, data)
            digests[name] = hashlib.sha256(data).hexdigest()

        for model in tables:
            ids = sorted(chosen[model]) if chosen is not None else None
            rows = []
            for row in _rows(model, ids):
                packed, blobs = _packed(model, row, keys, mine)
                if unit_id is None and row.id in origins[model]:
                    packed["origin"] = origins[model][row.id]
                rows.append(packed)
                for field, data in blobs.items():
                    member(f"files/{name_of(model)}-{_safe(packed['key'])}-{field}.bin", data)
            rows.sort(key=lambda r: _order(r["key"]))
            counts[name_of(model)] = len(rows)
            text = json.dumps(rows, ensure_ascii=False, indent=1, sort_keys=True)
            member(f"record/{name_of(model)}.json", text.encode())
        for name, data in beside:
            member(name, data)
        member("schema.json", json.dumps(archive_schema(), indent=1, sort_keys=True).encode())
        unit_key = _key(mine, unit_id, keys[Unit]) if unit_id is not None else ""
        manifest = Manifest(
            format=FORMAT,
            version=VERSION,
            shop=shop,
            shop_uid=mine,
            scope=f"unit {unit_key}" if unit_id is not None else "shop",
            exported_at=now(),
            person=person,
            counts=counts,
            digests=digests,
        )
        manifest = manifest.model_copy(update={"mac": seal.mac_of(manifest.sealed_bytes)})
        info = ZipInfo("manifest.json", _FIXED)
        info.compress_type = ZIP_DEFLATED
        archive.writestr(info, manifest.model_dump_json(indent=1))
    return manifest


def _of_unit(unit_id: int) -> dict[type[peewee.Model], set[int]]:
    """Return which rows belong to one unit, people included."""
    unit = Unit.get_or_none(Unit.id == unit_id)
    if unit is None:
        raise NotFound(
            msg("Unit {unit_id} is not on record.", unit_id=unit_id),
            next_step=msg("Go to Units and pick one."),
        )
    calls = _ids(ServiceCall, ServiceCall.unit == unit_id)
    found: dict[type[peewee.Model], set[int]] = {
        Site: {unit.site_id},
        Unit: {unit_id},
        ServiceCall: calls,
        PlateVersion: _ids(PlateVersion, PlateVersion.unit == unit_id),
        Task: _ids(Task, Task.unit == unit_id),
        PlannedVisit: _ids(PlannedVisit, PlannedVisit.unit == unit_id),
    }
    plates = found[PlateVersion] or {0}
    found[PlateCompressor] = _ids(PlateCompressor, PlateCompressor.plate.in_(plates))
    found[PlateMotor] = _ids(PlateMotor, PlateMotor.plate.in_(plates))
    found[TaskStep] = _ids(TaskStep, TaskStep.task.in_(found[Task] or {0}))
    for model in OF_A_UNIT:
        if model not in found and model is not Person:
            found[model] = _ids(model, model.call.in_(calls or {0}))  # type: ignore[attr-defined]
    people: set[int] = set()
    for model, ids in found.items():
        for field in _refs(model, Person):
            rows: Any = model.select(field).where(model.id.in_(ids or {0})).tuples()  # type: ignore[attr-defined]
            people |= {p for (p,) in rows if p is not None}
    found[Person] = people
    return found


def _ids(model: Any, where: Any) -> set[int]:
    return {i for (i,) in model.select(model.id).where(where).tuples()}


def _refs(model: Any, to: Any) -> list[Any]:
    return [
        f for f in model._meta.sorted_fields if isinstance(f, peewee.ForeignKeyField) and f.rel_model is to
    ]


def _rows(model: Any, ids: list[int] | None) -> Iterator[Any]:
    """Yield rows in order of their numbers, few at a time: pictures are large."""
    step = 20 if any(isinstance(f, peewee.BlobField) for f in model._meta.sorted_fields) else 1_000
    wanted = ids if ids is not None else sorted(i for (i,) in model.select(model.id).tuples())
    for start in range(0, len(wanted), step):
        yield from model.select().where(model.id.in_(wanted[start : start + step])).order_by(model.id)


def _keys(model: Any) -> dict[int, str]:
    """Return the keys of rows that came from elsewhere; all others are this shop's own."""
    rows = Origin.select().where((Origin.table_name == name_of(model)) & Origin.created)
    return {r.local_id: f"{r.shop_uid}:{r.origin_id}" for r in rows}


def _key(mine: str, number: int | None, keys: dict[int, str]) -> str | None:
    return None if number is None else keys.get(number, f"{mine}:{number}")


def _order(key: str) -> tuple[str, int]:
    shop, _, number = key.rpartition(":")
    return shop, int(number)


def _safe(key: str) -> str:
    return key.replace(":", "_")


def _packed(model: Any, row: Any, keys: Keys, mine: str) -> tuple[dict[str, Any], dict[str, bytes]]:
    packed: dict[str, Any] = {"key": _key(mine, row.id, keys[model])}
    blobs: dict[str, bytes] = {}
    for f in model._meta.sorted_fields:
        if f.name == "id":
            continue
        value = row.__data__.get(f.name)
        if isinstance(f, peewee.ForeignKeyField):
            packed[f.name] = _key(mine, value, keys[f.rel_model])
        elif f.name in WATERMARKS and model is ServiceCall:
            packed[f.name] = _key(mine, value, keys[WATERMARKS[f.name]]) if value else value
        elif isinstance(f, peewee.BlobField):
            blobs[f.name] = bytes(value)
            packed[f.name] = {"bytes": len(value), "sha256": hashlib.sha256(bytes(value)).hexdigest()}
        else:
            packed[f.name] = _plain(f, value)
    return packed, blobs


def _plain(field: Any, value: Any) -> Any:
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat()
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, bytes):
        return base64.b64encode(value).decode()
    return bool(value) if isinstance(field, peewee.BooleanField) and value is not None else value


# In ----------------------------------------------------------------------------------------------


def check_archive(path: Path) -> None:
    """Read an archive through: every member matches its manifest, each piece by piece.

    For a process of its own, before the records are touched.

    Raises
    ------
    InputProblem : not an archive of this program, damaged or too large

    """
    try:
        with ZipFile(path) as archive:
            manifest = _opened(archive)
            for name, wanted in manifest.digests.items():
                digest, size = hashlib.sha256(), 0
                with archive.open(name) as member:
                    while piece := member.read(_PIECE):
                        digest.update(piece)
                        size += len(piece)
                        if size > (MOST_ROWS_BYTES if name.startswith("record/") else MOST_BYTES):
                            raise _refuse(f"{name[:60]} of at most {MOST_ROWS_BYTES // 10**6} MB")
                if digest.hexdigest() != wanted:
                    raise _refuse(f"{name[:60]} as its manifest knows it: it was changed or damaged")
    except (BadZipFile, EOFError, OSError, NotImplementedError, RuntimeError, zlib.error) as error:
        raise _refuse(f"a whole zip file; this one is damaged or cut off ({str(error)[:80]})") from None


def read_archive(source: BinaryIO, keep: bool, by: PersonOut | None = None) -> ImportReport:
    """Read an archive into the records, or say what it would bring.

    Into its own shop it brings nothing new into calls that are there. Calls that come in are marked with who
    imported them and are never proved dead; standards, audit lines and active people come only with a whole
    shop of one's own, into empty records.

    Parameters
    ----------
    source : the archive; seekable bytes
    keep : False for a preview
    by : who imports it; None at the shop's own computer

    Raises
    ------
    InputProblem : not an archive of this program, damaged, too large, or from a newer program
    GateClosed : a whole shop, and these records hold another

    """
    try:
        with ZipFile(source) as archive:
            manifest = _opened(archive)
            with transaction() as held:
                report = _take_in(archive, manifest, by)
                if not keep:
                    held.rollback()
            return report.model_copy(update={"done": keep})
    except (BadZipFile, zlib.error) as error:
        raise _refuse(f"a whole zip file; this one is damaged or cut off ({error})") from None


def _opened(archive: ZipFile) -> Manifest:
    names = archive.namelist()
    if len(names) > MOST_MEMBERS or sum(i.file_size for i in archive.infolist()) > MOST_BYTES:
        raise _refuse("an archive of at most 1.5 GB unpacked")
    if len(set(names)) != len(names):
        raise _refuse("each member once; some are there twice")
    climbing = [
        n for n in names if n.startswith(("/", "\\")) or ".." in n.split("/") or ":" in n or "\\" in n
    ]
    if climbing:
        raise _refuse(f"members within the archive; {climbing[0][:60]} points out of it")
    if "manifest.json" not in names:
        raise _refuse("an archive this program wrote: it has no manifest.json")
    try:
        if archive.getinfo("manifest.json").file_size > MOST_MANIFEST_BYTES:
            raise _refuse("a manifest of at most 40 MB")
        said = json.loads(archive.read("manifest.json"))
        if said.get("format") != FORMAT:
            raise _refuse("an archive this program wrote")
        if int(said.get("version", 0)) > VERSION:
            raise _refuse(
                f"version {VERSION} or older; this is version {said['version']}: update the program"
            )
        manifest = Manifest.model_validate_json(json.dumps(said))
    except (ValueError, AttributeError, TypeError, EOFError, RecursionError):
        raise _refuse("a manifest this program wrote") from None
    if set(names) - {"manifest.json"} != set(manifest.digests):
        raise _refuse("just the members its manifest names")
    return manifest


def _member(archive: ZipFile, manifest: Manifest, name: str) -> bytes:
    try:
        data = archive.read(name)
    except (KeyError, EOFError, OSError):
        raise _refuse(f"{name}, which cannot be read: the archive is damaged") from None
    if hashlib.sha256(data).hexdigest() != manifest.digests.get(name):
        raise _refuse(f"{name} as its manifest knows it: it was changed or damaged")
    return data


# Rows that say what a person of the shop did or set: they come with a whole shop of one's own alone.
IN_SOMEBODYS_NAME: tuple[type[peewee.Model], ...] = (ShopStandardRow, AuditRow)


def _take_in(archive: ZipFile, manifest: Manifest, by: PersonOut | None) -> ImportReport:
    whole = manifest.scope == "shop"
    empty = not Person.select().exists() and not Unit.select().exists()
    there = ShopFact.get_or_none(ShopFact.name == SHOP_UID)
    if whole and not empty and (there is None or there.value != manifest.shop_uid):
        raise GateClosed(
            msg(
                "These records hold another shop: a whole shop goes only into empty records, or into its own."
            ),
            next_step=msg("Start with an empty data folder, or import one unit's archive."),
        )
    if whole and empty:
        ShopFact.insert(name=SHOP_UID, value=manifest.shop_uid).on_conflict_replace().execute()
        ShopFact.insert(name="begun", value="yes").on_conflict_replace().execute()
    mine, ours = shop_uid(), manifest.ours
    local: dict[tuple[str, str], int] = {}
    new: dict[str, int] = {}
    left_out: dict[str, int] = {}
    calls: set[int] = set()
    known = 0
    for model in OF_A_UNIT + (OF_THE_SHOP if whole else ()):
        table = name_of(model)
        for row in _referred_first(model, _rows_of(archive, manifest, table)):
            key = str(row.get("key", "")) if isinstance(row, dict) else ""
            number = _there(model, key, mine)
            if number is not None:
                known += 1
            elif model in IN_SOMEBODYS_NAME and not (empty and ours):
                left_out[table] = left_out.get(table, 0) + 1
                continue
            else:
                if not empty:
                    _refuse_of_ones_own(model, key, mine, row)
                number = _create(model, row, key, mine, local, archive, manifest, active=empty)
                new[table] = new.get(table, 0) + 1
                if model is ServiceCall:
                    calls.add(number)
                elif model in (MakeSafeRecord, SafetyEventRow):
                    calls.add(local[(name_of(ServiceCall), str(row["call"]))])
            local[(table, key)] = number
    for name in manifest.digests:
        if not name.startswith(READ_BACK):
            # Not read back, yet a damaged archive is damaged wherever it is.
            _sum_of(archive, manifest, name)
    if calls:
        _mark(calls, manifest, by)
    return ImportReport(
        shop=manifest.shop,
        scope=manifest.scope,
        new=new,
        known=known,
        done=False,
        ours=ours,
        left_out=left_out,
        text=_report_words(ours, left_out),
    )


def _rows_of(archive: ZipFile, manifest: Manifest, table: str) -> list[Any]:
    try:
        if archive.getinfo(f"record/{table}.json").file_size > MOST_ROWS_BYTES:
            raise _refuse(f"record/{table}.json of at most {MOST_ROWS_BYTES // 10**6} MB")
        rows = json.loads(_member(archive, manifest, f"record/{table}.json"))
        if not isinstance(rows, list):
            raise ValueError("no list")
    except (ValueError, KeyError, RecursionError):
        raise _refuse(f"record/{table}.json as a list of rows") from None
    return rows


def _refuse_of_ones_own(model: type[peewee.Model], key: str, mine: str, row: dict[str, Any]) -> None:
    """Refuse a row marked as written here, for a call of this shop, or by a person of this shop.

    Raises
    ------
    InputProblem : this shop has no such row

    """
    where = f"{key} of record/{name_of(model)}.json"
    if _split(key)[0] == mine:
        raise _refuse(f"only rows of this shop that it has; {where} is not on its record")
    for field in (*_refs(model, Person), *_refs(model, ServiceCall)):
        named = row.get(field.name)
        if named is not None and _split(str(named))[0] == mine:
            what = "by a person" if field.rel_model is Person else "for a call"
            raise _refuse(f"nothing new {what} of this shop; {where} is")


def _mark(calls: set[int], manifest: Manifest, by: PersonOut | None) -> None:
    """Say of imported calls who imported them; what they prove of a unit's state has lapsed."""
    name = by.name if by is not None else "the shop's own computer"
    made = ArchiveImport.create(
        shop=manifest.shop[:200],
        shop_uid=manifest.shop_uid[:36],
        known=manifest.ours,
        imported_at=now(),
        imported_by=name,
    )
    for call in sorted(calls):
        if CallImport.get_or_none(CallImport.call == call) is None:
            CallImport.create(call=call, source=made)
        row = ServiceCall.get_by_id(call)
        if row.status != "open":
            continue
        number = row.entries + 1
        ServiceCall.update(entries=number).where(ServiceCall.id == call).execute()
        SafetyEventRow.create(
            call=call,
            kind="lapsed",
            detail=msg("imported by {name}", name=name),
            happened_at=now(),
            entry_no=number,
            person=by.id if by is not None else row.opened_by_id,
        )


def _report_words(ours: bool, left_out: dict[str, int]) -> str:
    whose = (
        "Written by this shop's program: its seal is right."
        if ours
        else f"Checksums are right, but the archive is {seal.NOT_OURS}."
    )
    if not left_out:
        return whose
    words = ", ".join(f"{n} of {table}" for table, n in left_out.items())
    return f"{whose} Left out, because they carry a person's name: {words}."


def _sum_of(archive: ZipFile, manifest: Manifest, name: str) -> None:
    """Compare a member with its digest, piece by piece."""
    digest = hashlib.sha256()
    try:
        with archive.open(name) as member:
            while piece := member.read(_PIECE):
                digest.update(piece)
    except (KeyError, EOFError, OSError):
        raise _refuse(f"{name}, which cannot be read: the archive is damaged") from None
    if digest.hexdigest() != manifest.digests.get(name):
        raise _refuse(f"{name} as its manifest knows it: it was changed or damaged")


def _referred_first(model: Any, rows: list[Any]) -> list[Any]:
    """Return rows so that one that refers to another of its own table comes after it."""
    selves = [f.name for f in _refs(model, model)]
    if not selves or not all(isinstance(row, dict) for row in rows):
        return rows
    coming = {str(row.get("key")) for row in rows}
    ordered: list[Any] = []
    left = rows
    while left:
        ready = [row for row in left if not any(str(row.get(name)) in coming for name in selves)]
        if not ready:
            # Rows that refer to one another in a ring: refused by their first where it is made.
            return ordered + left
        ordered += ready
        coming -= {str(row.get("key")) for row in ready}
        left = [row for row in left if str(row.get("key")) in coming]
    return ordered


def _split(key: str) -> tuple[str, int]:
    shop, _, number = key.rpartition(":")
    if len(shop) != 36 or not (number.isascii() and number.isdigit() and len(number) <= 10):
        raise _refuse(f"a key of shop and number; got {key[:60]}")
    if int(number) > 2**31 - 1:
        raise _refuse(f"a key of shop and number; got {key[:60]}")
    return shop, int(number)


def _there(model: Any, key: str, mine: str) -> int | None:
    shop, number = _split(key)
    if shop == mine:
        return number if model.select().where(model.id == number).exists() else None
    row = Origin.get_or_none(
        (Origin.shop_uid == shop) & (Origin.table_name == name_of(model)) & (Origin.origin_id == number)
    )
    return int(row.local_id) if row is not None else None


def _create(
    model: Any,
    row: dict[str, Any],
    key: str,
    mine: str,
    local: dict[tuple[str, str], int],
    archive: ZipFile,
    manifest: Manifest,
    *,
    active: bool,
) -> int:
    table, (shop, number) = name_of(model), _split(key)
    fields: dict[str, Any] = {}
    for f in model._meta.sorted_fields:
        if f.name == "id":
            continue
        if f.name not in row:
            raise _refuse(f"{f.name} in {key} of record/{table}.json")
        value = row[f.name]
        if isinstance(f, peewee.ForeignKeyField):
            fields[f.name] = None if value is None else local.get((name_of(f.rel_model), str(value)))
            if value is not None and fields[f.name] is None:
                raise _refuse(f"{f.name} of {key} in record/{table}.json among the archive's own rows")
        elif f.name in WATERMARKS and model is ServiceCall:
            # What a call was judged by: counted by rows that come later; set once they are here.
            fields[f.name] = _watermark(value, shop, mine)
        elif isinstance(f, peewee.BlobField):
            fields[f.name] = _member(archive, manifest, f"files/{table}-{_safe(key)}-{f.name}.bin")
        else:
            fields[f.name] = _back(f, value, f"{f.name} of {key} in record/{table}.json")
    own = shop == mine
    if model is Person and not active:
        # A person of another shop is a name on the record here, no colleague, and never one of the same name.
        fields["active"] = False
        fields["name"] = f"{str(fields['name'])[:50]} ({manifest.shop[:20] or 'another shop'})"[:80]
    if not own and model in (Site, Unit):
        fields["name"] = _free_name(model, fields)
    try:
        with transaction():
            made = model.create(**({"id": number} if own else {}), **fields)
    except (peewee.IntegrityError, peewee.DataError, ValueError, TypeError) as error:
        raise _refuse(f"{key} of record/{table}.json as a row that fits ({str(error)[:80]})") from None
    if not own:
        _remember(shop, table, number, made.id, created=True)
    elif row.get("origin"):
        _remember(*_origin(str(row["origin"]), table), made.id, created=True)
    return int(made.id)


def _origin(key: str, table: str) -> tuple[str, str, int]:
    shop, number = _split(key)
    return shop, table, number


def _watermark(value: Any, shop: str, mine: str) -> int | None:
    if value in (None, 0):
        return value if value is None else 0
    # In its own shop numbers are kept; elsewhere everything that comes with the unit was there by then.
    return _split(str(value))[1] if shop == mine else 2**31 - 1


def _free_name(model: Any, fields: dict[str, Any]) -> str:
    """Return a name no one else has: another shop's place may be called as one here is."""
    name, number = str(fields["name"]), 2
    while True:
        where = model.name == name
        if model is Unit:
            where &= Unit.site == fields["site"]
        if not model.select().where(where).exists():
            return name
        name = f"{str(fields['name'])[:74]} ({number})"
        number += 1


def _remember(shop: str, table: str, number: int, local_id: int, created: bool) -> None:
    Origin.create(shop_uid=shop, table_name=table, origin_id=number, local_id=local_id, created=created)


def _back(field: Any, value: Any, where: str) -> Any:
    try:
        if value is None:
            return None
        if isinstance(field, UtcDateTimeField):
            moment = datetime.fromisoformat(value)
            return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
        if isinstance(field, peewee.DateField):
            return date.fromisoformat(value)
        wanted: Any = (
            bool
            if isinstance(field, peewee.BooleanField)
            else int
            if isinstance(field, peewee.IntegerField)
            else (int, float)
            if isinstance(field, peewee.DoubleField)
            else (dict, list)
            if isinstance(field, JSONField)
            else str
        )
        if not isinstance(value, wanted) or (wanted is int and isinstance(value, bool)):
            raise ValueError("another kind")
    except (ValueError, TypeError):
        raise _refuse(where) from None
    return value


def _refuse(wanted: str) -> InputProblem:
    return InputProblem(
        [FieldProblem(field="archive", wanted=wanted, got="this file")],
        next_step=msg("Export it again from where it came. Nothing was imported."),
    )


# Its published shape -------------------------------------------------------------------------------


def archive_schema() -> dict[str, Any]:
    """Return the JSON Schema of every table's file within an archive."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Orange Crank archive: record/<table>.json",
        "description": "Each file is a list of rows. A key: the shop's identity, the row's number in it.",
        "$defs": {name_of(m): _table_schema(m) for m in OF_A_UNIT + OF_THE_SHOP},
    }


def _table_schema(model: Any) -> dict[str, Any]:
    key = {"type": "string", "pattern": "^[0-9a-f-]{36}:[0-9]+$"}
    properties: dict[str, Any] = {"key": key, "origin": key}
    for f in model._meta.sorted_fields:
        if f.name == "id":
            continue
        if isinstance(f, peewee.ForeignKeyField):
            shape: dict[str, Any] = dict(key, description=f"key of a row of {name_of(f.rel_model)}")
        elif f.name in WATERMARKS and model is ServiceCall:
            shape = {
                "type": ["string", "integer"],
                "description": f"last row of {name_of(WATERMARKS[f.name])}",
            }
        elif isinstance(f, peewee.BlobField):
            shape = {
                "type": "object",
                "properties": {"bytes": {"type": "integer"}, "sha256": {"type": "string"}},
            }
        elif isinstance(f, UtcDateTimeField):
            shape = {"type": "string", "format": "date-time"}
        elif isinstance(f, peewee.DateField):
            shape = {"type": "string", "format": "date"}
        elif isinstance(f, peewee.BooleanField):
            shape = {"type": "boolean"}
        elif isinstance(f, peewee.IntegerField):
            shape = {"type": "integer"}
        elif isinstance(f, peewee.DoubleField):
            shape = {"type": "number"}
        elif isinstance(f, JSONField):
            shape = {"type": ["object", "array"]}
        else:
            shape = {"type": "string", "maxLength": getattr(f, "max_length", None) or 4_000_000}
        properties[f.name] = {"anyOf": [shape, {"type": "null"}]} if f.null else shape
    return {
        "type": "array",
        "items": {
            "type": "object",
            "properties": properties,
            "required": [n for n in properties if n != "origin"],
            "additionalProperties": False,
        },
    }
