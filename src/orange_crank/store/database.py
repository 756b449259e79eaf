"""The connection to MariaDB: a pool, UTC with microseconds, migrations."""

import select
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import UTC, date, datetime, timedelta, tzinfo
from importlib.resources import as_file, files
from typing import Any
from zoneinfo import ZoneInfo

import peewee
import pymysql
from playhouse.migrations import Runner
from playhouse.pool import MaxConnectionsExceeded, PooledMySQLDatabase
from pydantic import BaseModel, ConfigDict, SecretStr

from orange_crank.store.errors import NewerRecords, NotFound, RecordsAway

proxy = peewee.DatabaseProxy()

# Whose records a block of work speaks to: the shop's own, or those made for practice, in a schema beside it.
_practising: ContextVar[bool] = ContextVar("practising", default=False)
PRACTICE_SUFFIX = "_practice"
NOT_LAID_OUT = (1044, 1049)  # MariaDB: no such schema, or none this account may see


class Connection(BaseModel):
    """Where the database listens and how to sign in."""

    model_config = ConfigDict(frozen=True)

    host: str = "127.0.0.1"
    port: int
    user: str
    password: SecretStr
    name: str = "orange_crank"


class UtcDateTimeField(peewee.Field):
    """A moment in UTC with microseconds; only moments with a zone go in."""

    field_type = "DATETIME(6)"

    def db_value(self, value: datetime | None) -> datetime | None:
        """Return the moment in UTC, without its zone, as the column keeps it."""
        if value is None:
            return None
        if value.tzinfo is None:
            raise ValueError(f"{self.name}: a moment without a zone")
        return value.astimezone(UTC).replace(tzinfo=None)

    def python_value(self, value: datetime | None) -> datetime | None:
        """Return the moment with its zone."""
        return value.replace(tzinfo=UTC) if value is not None else None


class QuietPool(PooledMySQLDatabase):  # type: ignore[misc]
    """A pool that looks at a kept connection's socket instead of waiting for the server's answer.

    A server that went away has closed its end; one that hangs would hold up a ping for each kept
    connection in turn.
    """

    def _connect(self) -> Any:
        """Return a connection that stands in the schema wanted: the shop's, or that of practice."""
        conn: Any = super()._connect()
        wanted = schema_name()
        if getattr(conn, "stands_in", self.database) != wanted:
            try:
                conn.select_db(wanted)
            except Exception:
                self._close(conn, close_conn=True)
                raise
            conn.stands_in = wanted
        return conn

    def _is_closed(self, conn: Any) -> bool:
        socket = getattr(conn, "_sock", None)
        if socket is None:
            return True
        readable, _, _ = select.select([socket], [], [], 0)
        return bool(readable)


def practising() -> bool:
    """Tell whether this block of work speaks to the records of practice."""
    return _practising.get()


def schema_name() -> str:
    """Return the schema this block of work speaks to."""
    own: str = proxy.obj.database
    return own + PRACTICE_SUFFIX if practising() else own


@contextmanager
def records_of(practice: bool) -> Iterator[None]:
    """Speak to the records of practice, or to the shop's own, for a block without an open session.

    Nothing of one schema is reachable from the other by a number or a query: what is practised can touch
    neither the shop's records, nor its priors, nor its stock.
    """
    token = _practising.set(practice)
    try:
        yield
    finally:
        _practising.reset(token)


def connect(connection: Connection) -> peewee.Database:
    """Make the pool and bind every model to it; no connection is opened yet."""
    database: peewee.Database = QuietPool(
        connection.name,
        host=connection.host,
        port=connection.port,
        user=connection.user,
        password=connection.password.get_secret_value(),
        charset="utf8mb4",
        mariadb=True,
        max_connections=48,
        timeout=5,
        stale_timeout=300,
        connect_timeout=3,
        read_timeout=6,
        write_timeout=6,
        max_allowed_packet=256 * 2**20,
        autoconnect=False,
    )
    proxy.initialize(database)
    return database


@contextmanager
def session() -> Iterator[None]:
    """Hold a connection for a block, turning a lost server into ``RecordsAway``."""
    database: Any = proxy.obj
    try:
        with database.connection_context():
            yield
    except (
        peewee.OperationalError,
        peewee.InterfaceError,
        pymysql.err.OperationalError,
        pymysql.err.InterfaceError,
        MaxConnectionsExceeded,
        OSError,
    ) as error:
        if practising() and error.args and error.args[0] in NOT_LAID_OUT:
            raise NotFound(
                "Nothing was practised here yet.",
                next_step="Begin a practice call: Start lab, then Practice.",
            ) from error
        raise away() from error


def away() -> RecordsAway:
    """Say that the records cannot be reached, and that nothing was saved."""
    return RecordsAway(
        "The shop's records cannot be reached. Nothing was saved; the entry stays on the screen.",
        next_step="Wait a moment and save again.",
    )


def transaction() -> Any:
    """Return the transaction context of the bound database."""
    return proxy.obj.atomic()


def known_migrations() -> list[str]:
    """Return the names of the migrations this program knows, oldest first."""
    folder = files("orange_crank.store") / "migrations"
    return sorted(p.name.removesuffix(".py") for p in folder.iterdir() if p.name[:4].isdigit())


def migrate() -> list[str]:
    """Apply the migrations not yet applied and return their names.

    Raises
    ------
    NewerRecords : the records were written by a newer program; nothing is changed

    """
    database: Any = proxy.obj
    with (
        as_file(files("orange_crank.store") / "migrations") as folder,
        database.connection_context(),
    ):
        runner = Runner(database, directory=str(folder), table_name="schema_migration")
        strange = [m.name for m in runner.status() if m.name not in known_migrations()]
        if strange:
            raise NewerRecords(
                f"These records were written by a newer Orange Crank (it knows {strange[0]}). "
                "Nothing was changed.",
                next_step="Start that version again, or a newer one.",
            )
        pending = [m.name for m in runner.status() if m.applied is None]
        if pending:
            runner.up()
        return pending


_zone: list[tzinfo | None] = [None]


def set_zone(name: str) -> None:
    """Set the shop's time zone by its name; the machine's own where none is given.

    Raises
    ------
    ZoneInfoNotFoundError : no zone has that name

    """
    _zone[0] = ZoneInfo(name) if name else None


def local_day(moment: datetime) -> date:
    """Return the day of a moment in the shop's own time."""
    return moment.astimezone(_zone[0]).date()


def day_bounds(day: date) -> tuple[datetime, datetime]:
    """Return when a day of the shop's own time begins and when the next does."""
    zone = _zone[0]

    def midnight(on: date) -> datetime:
        naive = datetime(on.year, on.month, on.day)
        return naive.replace(tzinfo=zone) if zone is not None else naive.astimezone()

    return midnight(day), midnight(day + timedelta(days=1))


def local_time(moment: datetime) -> datetime:
    """Return a moment in the shop's own time, with its zone."""
    return moment.astimezone(_zone[0])


def now() -> datetime:
    """Return the present in UTC."""
    return datetime.now(UTC)
