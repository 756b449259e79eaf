"""Prove that records did not change: a digest chain per table, closed daily with the shop's own key.

Each seal covers the rows of one table after the previous seal: SHA-256 over the previous digest and each row
in the order of its id, then HMAC-SHA256 with the key. The key is a file of the data folder (``seal.key``); it
is never in the database, in a backup or in an archive. Backups and archives carry a MAC of the same key.
"""

import hashlib
import hmac
import json
import os
import re
import secrets
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any, Literal

from pydantic import AwareDatetime, Field

from orange_crank.core.nomenclature import Frozen
from orange_crank.store.database import local_day, now, proxy, transaction
from orange_crank.store.models import DecisionRow, MakeSafeRecord, Reading, RecordSeal, SafetyEventRow

KEY_FILE = "seal.key"
KEY_BYTES = 32
# Append-only tables that prove what was measured, made safe and decided.
SEALED = tuple(
    str(model._meta.table_name) for model in (Reading, SafetyEventRow, MakeSafeRecord, DecisionRow)
)
START = "0" * 64
BATCH = 2_000
NOT_OURS = "not known to be from this shop"

Ask = Callable[[str], Sequence[Sequence[Any]]]
_folder: list[Path] = []


class SealReport(Frozen):
    """How far the records are proved."""

    standing: Literal["ours", "unknown", "changed", "none"] = Field(
        description="ours: proved; unknown: sealed with another key; changed: rows differ; none: no seal"
    )
    rows: int = Field(description="Rows proved unchanged")
    through: AwareDatetime | None = Field(description="When the last seal was closed")
    text: str


def keep_key_in(folder: Path) -> None:
    """Set the data folder that holds the shop's key."""
    _folder[:] = [folder]


def _place() -> Path:
    if not _folder:
        raise RuntimeError("keep_key_in was not called")
    return _folder[0] / KEY_FILE


def shop_key() -> bytes:
    """Return the shop's key; the first call makes it.

    Raises
    ------
    RuntimeError : no data folder was set

    """
    place = _place()
    if not place.exists():
        place.parent.mkdir(parents=True, exist_ok=True)
        making = place.with_suffix(f".making-{os.getpid()}-{threading.get_ident()}")
        with os.fdopen(os.open(making, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, 0o600), "wb") as file:
            file.write(secrets.token_bytes(KEY_BYTES))
            file.flush()
            os.fsync(file.fileno())
        # The first of several processes wins; a link never replaces a key.
        with suppress(FileExistsError):
            os.link(making, place)
        making.unlink()
    return place.read_bytes()


def mac_of(data: bytes) -> str:
    """Return the shop's HMAC-SHA256 of some bytes, hexadecimal."""
    return hmac.new(shop_key(), data, hashlib.sha256).hexdigest()


def is_ours(data: bytes, mac: str) -> bool:
    """Return whether a MAC is the shop's own; a shop without a key knows none."""
    return _place().exists() and hmac.compare_digest(mac_of(data), mac)


class SealedManifest(Frozen):
    """The page of a backup or an archive that lists its members, under the shop's MAC."""

    digests: dict[str, str] = Field(description="SHA-256 of every other member")
    mac: str = Field(default="", description="HMAC-SHA256 of the rest with the shop's own key")

    @property
    def ours(self) -> bool:
        """Return whether this shop's program wrote it."""
        return is_ours(self.sealed_bytes, self.mac)

    @property
    def sealed_bytes(self) -> bytes:
        """Return the bytes the MAC is over, the same in any order of the fields."""
        return json.dumps(self.model_dump(mode="json", exclude={"mac"}), sort_keys=True).encode()


# Closing ---------------------------------------------------------------------------------------------------


class Sealer:
    """Closes the record once a day, up to the rows that were there a look ago.

    An id is given out before its transaction commits, so a row may appear below the newest id; one that was
    the newest a minute ago has nothing uncommitted below it.
    """

    def __init__(self) -> None:
        self._cuts: dict[str, int] | None = None

    def look(self, *, at_once: bool = False) -> int:
        """Close what is due, within an open session; return how many rows were sealed.

        Parameters
        ----------
        at_once : also on a day that is closed already (before a backup)

        """
        settled, self._cuts = self._cuts, _newest_ids()
        if settled is None:
            return 0
        last = RecordSeal.select().order_by(RecordSeal.id.desc()).first()
        if last is not None and not at_once and local_day(last.closed_at) >= local_day(now()):
            return 0
        return close_record(settled)


def _newest_ids() -> dict[str, int]:
    asked = " UNION ALL ".join(f"SELECT '{t}', COALESCE(MAX(id), 0) FROM `{t}`" for t in SEALED)
    return {str(name): int(last) for name, last in proxy.obj.execute_sql(asked).fetchall()}


def close_record(cuts: dict[str, int] | None = None) -> int:
    """Seal the rows after the last seals up to some ids (all, where left out); return how many.

    One process at a time; called within an open session.
    """
    execute = proxy.obj.execute_sql
    [[held]] = execute("SELECT GET_LOCK(CONCAT(DATABASE(), '-seal'), 0)").fetchall()
    if held != 1:
        return 0
    try:
        return sum(_close(table, last) for table, last in (cuts or _newest_ids()).items())
    finally:
        execute("SELECT RELEASE_LOCK(CONCAT(DATABASE(), '-seal'))").fetchall()


def _close(table: str, last: int) -> int:
    execute = proxy.obj.execute_sql
    before = RecordSeal.select().where(RecordSeal.table_name == table).order_by(RecordSeal.id.desc()).first()
    after, chain = (before.last_id, before.chain) if before is not None else (0, START)
    if last <= after:
        return 0
    columns = [str(c) for (c, *_) in execute(f"SHOW COLUMNS FROM `{table}`").fetchall()]
    chain, count = _chain(lambda sql: list(execute(sql).fetchall()), table, columns, after, last, chain)
    if not count:
        return 0
    closed_at = now()
    seal = {
        "table_name": table,
        "columns_json": json.dumps(columns),
        "after_id": after,
        "last_id": last,
        "row_count": count,
        "chain": chain,
        "closed_at": closed_at,
    }
    with transaction():
        RecordSeal.create(mac=mac_of(_sealed(seal)), **seal)
    return count


def _sealed(seal: dict[str, Any]) -> bytes:
    """Return the bytes a seal's MAC is over."""
    fields = {k: seal[k] for k in ("table_name", "columns_json", "after_id", "last_id", "row_count", "chain")}
    return json.dumps([*fields.values(), _plain(seal["closed_at"])]).encode()


def _plain(value: Any) -> Any:
    """Return a value of a row as JSON can hold it, the same for each reader of the database."""
    if isinstance(value, datetime):
        return (value.astimezone(UTC) if value.tzinfo else value).replace(tzinfo=None).isoformat()
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, bytes):
        return value.hex()
    return value if value is None or isinstance(value, int | float | str) else str(value)


def _chain(ask: Ask, table: str, columns: list[str], after: int, last: int, chain: str) -> tuple[str, int]:
    """Return the digest after the rows of a table in (after, last], and their count."""
    names, count = ", ".join(f"`{c}`" for c in columns), 0
    key = columns.index("id")
    while rows := ask(
        f"SELECT {names} FROM `{table}` WHERE id > {after} AND id <= {last} ORDER BY id LIMIT {BATCH}"
    ):
        for row in rows:
            text = json.dumps([_plain(v) for v in row], ensure_ascii=False, separators=(",", ":"))
            chain = hashlib.sha256(f"{chain}{text}".encode()).hexdigest()
            after, count = int(row[key]), count + 1
    return chain, count


# Checking --------------------------------------------------------------------------------------------------


def check_record(ask: Ask) -> SealReport:
    """Compare the sealed rows of a database with their seals.

    Parameters
    ----------
    ask : carries a SELECT out and returns its rows

    """
    if not ask("SHOW TABLES LIKE 'record_seal'"):
        return _report("none", 0, None)
    rows, through = 0, None
    seals = ask(
        "SELECT table_name, columns_json, after_id, last_id, row_count, chain, mac, closed_at "
        "FROM record_seal ORDER BY id"
    )
    chains: dict[str, tuple[int, str]] = {}
    for one in seals:
        seal = dict(zip(_SEAL_COLUMNS, one, strict=True))
        if not is_ours(_sealed(seal), str(seal["mac"])):
            return _report("unknown", rows, through)
        table, closed_at = str(seal["table_name"]), seal["closed_at"].replace(tzinfo=UTC)
        after, chain = chains.get(table, (0, START))
        columns = list(_columns(str(seal["columns_json"])))
        found = _chain(ask, table, columns, after, int(seal["last_id"]), chain)
        if after != seal["after_id"] or found != (seal["chain"], seal["row_count"]):
            return _report("changed", rows, closed_at, f"{table} {after + 1} to {seal['last_id']}")
        chains[table] = (int(seal["last_id"]), found[0])
        rows, through = rows + found[1], closed_at
    return _report("ours" if seals else "none", rows, through)


_SEAL_COLUMNS = (
    "table_name", "columns_json", "after_id", "last_id", "row_count", "chain", "mac", "closed_at",
)  # fmt: skip


def _columns(text: str) -> Iterator[str]:
    for name in json.loads(text):
        if not re.fullmatch(r"\w{1,64}", str(name)):
            raise ValueError(name)
        yield str(name)


def _report(
    standing: Literal["ours", "unknown", "changed", "none"],
    rows: int,
    through: datetime | None,
    where: str = "",
) -> SealReport:
    day = f"{through:%Y-%m-%d}" if through is not None else ""
    text = {
        "ours": f"{rows:,} rows proved unchanged through {day}.",
        "unknown": f"Its daily seals were made with another key: {NOT_OURS}.",
        "changed": f"CHANGED: rows {where} differ from the day they were sealed ({day}).",
        "none": f"It has no daily seal yet: {NOT_OURS}.",
    }[standing]
    return SealReport(standing=standing, rows=rows, through=through, text=text)
