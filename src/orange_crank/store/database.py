"""The connection to MariaDB: a pool, UTC with microseconds, migrations."""

import select
import shutil
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from contextvars import ContextVar
from datetime import UTC, date, datetime, timedelta, tzinfo
from importlib.resources import as_file, files
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import peewee
import pymysql
from playhouse.pool import MaxConnectionsExceeded, PoolConnection, PooledMySQLDatabase
from pydantic import BaseModel, ConfigDict, SecretStr
from pymysql.constants import SERVER_STATUS

from orange_crank.core.messages import msg, written_for
from orange_crank.store.errors import NewerRecords, NotFound, RecordsAway
from orange_crank.store.migrating import ResumableRunner, SteppingDatabase

proxy = peewee.DatabaseProxy()

# Whose records a block of work speaks to: the shop's own, or those made for practice, in a schema beside it.
_practising: ContextVar[bool] = ContextVar("practising", default=False)
PRACTICE_SUFFIX = "_practice"
# Who is at work, for the database's own trail of changes: a number, no one, or a request that only reads.
READING = -1
LAYING_OUT_WITHIN_S = 600
CONNECT_WITHIN_S, ANSWER_WITHIN_S = 3, 6
POOL_AT_MOST, POOL_WAIT_S = 32, 3
TRY_AGAIN_S = 1.0
# The client: no connection, gone away, lost while asked.
SILENT = frozenset({0, 2002, 2003, 2006, 2013})
# MariaDB: the disk is full, a table can grow no more, no space for a temporary file.
FULL = frozenset({28, 1021, 1041, 1114})
NOT_LAID_OUT = (1044, 1049)  # MariaDB: no such schema, or none this account may see


class Connection(BaseModel):
    """Where the database listens and how to sign in.

    ``others`` are servers that may replace the first, in order; only one that may be
    written to is taken. With ``tls_ca`` nothing is sent to a server that does not prove its name by that
    authority.
    """

    model_config = ConfigDict(frozen=True)

    host: str = "127.0.0.1"
    port: int
    user: str
    password: SecretStr
    name: str = "orange_crank"
    others: tuple[tuple[str, int], ...] = ()
    tls_ca: Path | None = None

    @property
    def places(self) -> tuple[tuple[str, int], ...]:
        """Every server that may be asked, in order."""
        return ((self.host, self.port), *self.others)

    def arguments(self) -> dict[str, Any]:
        """Return what a line to the database takes, beside its place."""
        found: dict[str, Any] = {
            "user": self.user,
            "password": self.password.get_secret_value(),
            "charset": "utf8mb4",
            "connect_timeout": CONNECT_WITHIN_S,
            "read_timeout": ANSWER_WITHIN_S,
            "write_timeout": ANSWER_WITHIN_S,
            "max_allowed_packet": 256 * 2**20,
            # A transaction that waited for a lock reads the rows of now, not of when it began to wait.
            "init_command": "SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED",
        }
        if self.tls_ca is not None:
            found |= {"ssl_ca": str(self.tls_ca), "ssl_verify_cert": True, "ssl_verify_identity": True}
        return found


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


class Breaker:
    """Lets no one wait for a server that does not answer, but one a moment who tries.

    A server that hangs would hold every thread for as long as its time limit; once it has done so, requests
    are refused at once until a person is answered again.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._shut_until = 0.0
        self._shut = False

    def admit(self) -> None:
        """Refuse while the server does not answer; one in some seconds is let through to try.

        Raises
        ------
        RecordsAway : it did not answer a moment ago

        """
        if not self._shut:
            return
        with self._lock:
            if time.monotonic() < self._shut_until:
                raise away()
            self._shut_until = time.monotonic() + CONNECT_WITHIN_S + ANSWER_WITHIN_S

    def answered(self) -> None:
        """Let everybody in again."""
        self._shut = False

    def silent(self) -> None:
        """Refuse from here on."""
        with self._lock:
            self._shut, self._shut_until = True, time.monotonic() + TRY_AGAIN_S


class Acting:
    """Who is at work in a block: may be set once it is known, also from another thread."""

    def __init__(self, person: int | None) -> None:
        self.person = person


_NOBODY = Acting(None)
_acting: ContextVar[Acting] = ContextVar("acting", default=_NOBODY)


class QuietPool(PooledMySQLDatabase):  # type: ignore[misc]
    """A pool that looks at a kept connection's socket instead of waiting for the server's answer.

    A server that went away has closed its end; one that hangs would hold up a ping for each kept
    connection in turn. Of several servers the first that may be written to is taken.
    """

    places: tuple[tuple[str, int], ...] = ()

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self._fresh = threading.local()
        self.breaker = Breaker()

    def connect(self, reuse_if_open: bool = False) -> Any:
        """Take a kept line, or open one: outside of the pool's lock, for a server may hang."""
        if self.is_closed() and not self._connections and len(self._in_use) < self._max_connections:
            self._fresh.line = self._open()
        try:
            return super().connect(reuse_if_open)
        finally:
            unused, self._fresh.line = getattr(self._fresh, "line", None), None
            if unused is not None:
                unused.close()

    def _open(self) -> Any:
        """Return a new line to the first server that takes writes."""
        trouble: BaseException | None = None
        for host, port in self.places:
            arguments = self.connect_params | {"host": host, "port": port, "read_timeout": CONNECT_WITHIN_S}
            try:
                line: Any = pymysql.connect(database=self.database, autocommit=True, **arguments)
                if len(self.places) > 1:
                    with line.cursor() as cursor:
                        cursor.execute("SELECT @@read_only")
                        if cursor.fetchone()[0]:
                            line.close()
                            continue
            except (pymysql.err.MySQLError, OSError) as error:
                trouble = error
                continue
            line._read_timeout = ANSWER_WITHIN_S
            return line
        raise trouble or pymysql.err.OperationalError(2003, "no server takes writes")

    def _kept_or_fresh(self) -> Any:
        line, self._fresh.line = getattr(self._fresh, "line", None), None
        if line is None:
            return super()._connect()
        with self._pool_lock:
            if len(self._in_use) >= self._max_connections:
                line.close()
                raise MaxConnectionsExceeded("Exceeded maximum connections.")
            present = time.time()
            self._in_use[self.conn_key(line)] = PoolConnection(present, line, present)
        return line

    def _connect(self) -> Any:
        """Return a connection in the schema asked for, with the person at work set."""
        conn: Any = self._kept_or_fresh()
        try:
            self._stand(conn)
            self._say_who(conn)
        except Exception:
            self._close(conn, close_conn=True)
            raise
        return conn

    @staticmethod
    def _say_who(conn: Any) -> None:
        """Set the person at work in the database, for its trail of changes; a reader sets none."""
        who = _acting.get().person
        if who == READING or getattr(conn, "says", None) == who:
            return
        with conn.cursor() as cursor:
            cursor.execute("SET @orange_crank_person = %s", (who,))
        conn.says = who

    def _stand(self, conn: Any) -> None:
        wanted = schema_name()
        if getattr(conn, "stands_in", self.database) != wanted:
            conn.select_db(wanted)
            conn.stands_in = wanted

    def _can_reuse(self, conn: Any) -> bool:
        # The server's last status shows whether anything is left open: a query would cost a round trip.
        if not conn.server_status & SERVER_STATUS.SERVER_STATUS_IN_TRANS:
            return True
        return bool(super()._can_reuse(conn))

    def _is_closed(self, conn: Any) -> bool:
        socket = getattr(conn, "_sock", None)
        if socket is None:
            return True
        readable, _, _ = select.select([socket], [], [], 0)
        return bool(readable)


def practising() -> bool:
    """Return whether this block of work speaks to the records of practice."""
    return _practising.get()


def schema_name() -> str:
    """Return the schema this block of work speaks to."""
    own: str = proxy.obj.database
    return own + PRACTICE_SUFFIX if practising() else own


@contextmanager
def work_of(person: int | None) -> Iterator[None]:
    """Say whose work a block without an open session is; ``READING`` where nothing is changed in it."""
    token = _acting.set(Acting(person))
    try:
        yield
    finally:
        _acting.reset(token)


def at_work(person: int) -> None:
    """Say who is at work in the block around, now that it is known; reading stays reading."""
    now_acting = _acting.get()
    if now_acting is not _NOBODY and now_acting.person != READING:
        now_acting.person = person


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


# How the owner's account signs in: it lays the schema out. None where there is only one account.
_owner: list[Connection | None] = [None]


def connect(connection: Connection, owner: Connection | None = None) -> peewee.Database:
    """Make the pool and bind every model to it; no connection is opened yet.

    Parameters
    ----------
    connection : of the application, which may read and write rows
    owner : of the account that lays the schema out; the application's own where there is only one

    """
    database: Any = QuietPool(
        connection.name,
        host=connection.host,
        port=connection.port,
        mariadb=True,
        max_connections=POOL_AT_MOST,
        timeout=POOL_WAIT_S,
        stale_timeout=300,
        autoconnect=False,
        **connection.arguments(),
    )
    database.places = connection.places
    proxy.initialize(database)
    _owner[0] = owner or connection
    bound: peewee.Database = database
    return bound


@contextmanager
def as_owner() -> Iterator[SteppingDatabase]:
    """Hold a line of the account that may change the schema, in the schema this block speaks to."""
    owner = _owner[0]
    assert owner is not None, "connect first"
    trouble: BaseException | None = None
    for host, port in owner.places:
        arguments = owner.arguments() | {"read_timeout": LAYING_OUT_WITHIN_S}
        line = SteppingDatabase(schema_name(), host=host, port=port, mariadb=True, **arguments)
        try:
            line.connect()
            [[shut]] = line.execute_sql("SELECT @@read_only").fetchall()
        except peewee.PeeweeException as error:
            trouble = error
            continue
        if shut and len(owner.places) > 1:
            line.close()
            continue
        try:
            yield line
        finally:
            line.close()
        return
    raise away() from trouble


def unfit() -> RecordsAway | None:
    """Return why the records take no work, though they answer; None where they do."""
    execute = proxy.obj.execute_sql
    [[shut]] = execute("SELECT @@read_only").fetchall()
    if shut:
        return RecordsAway(
            msg("The database takes no writes: it is a standby."),
            next_step=msg("Wait until it takes over, or look at the other one."),
        )
    applied = {name for (name,) in execute("SELECT name FROM schema_migration").fetchall()}
    if applied != set(known_migrations()):
        return RecordsAway(
            msg("The records do not have this program's layout."),
            next_step=msg("Start Orange Crank again."),
        )
    return None


@contextmanager
def session() -> Iterator[None]:
    """Hold a connection for a block, turning a lost server into ``RecordsAway``."""
    database: Any = proxy.obj
    breaker: Breaker = database.breaker
    breaker.admit()
    held = False
    try:
        with database.connection_context():
            held = True
            yield
        breaker.answered()
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
                msg("Nothing was practised here yet."),
                next_step=msg("Begin a practice call: Start lab, then Practice."),
            ) from error
        if isinstance(error, OSError | TimeoutError) or (error.args and error.args[0] in SILENT):
            breaker.silent()
        if error.args and error.args[0] in FULL:
            raise full() from error
        raise (lost() if held else away()) from error


def lost() -> RecordsAway:
    """Say that the records went away in the middle: what was sent may be on the record or not."""
    why = "The disk the shop's records are on is full." if _no_room() else "The shop's records went away."
    return RecordsAway(
        msg("{why} Whether an entry just sent was saved is not known; it stays on the screen.", why=why),
        next_step=msg("Make room on the server's disk, then save again: it is saved once.")
        if _no_room()
        else msg("Wait a moment and save again: it is saved once."),
    )


def full() -> RecordsAway:
    """Say that the disk is full, and that nothing was saved."""
    return RecordsAway(
        msg("The disk the shop's records lie on is full. Nothing was saved; the entry stays on the screen."),
        next_step=msg("Make room on the server's disk, then save again."),
    )


_data_folder: list[Path] = []
FULL_BELOW_BYTES = 8 * 2**20


def lies_in(folder: Path) -> None:
    """Set the folder the records are in, so that a full disk is named when the database goes away."""
    _data_folder[:] = [folder]


def _no_room() -> bool:
    with suppress(OSError):
        return any(shutil.disk_usage(f).free < FULL_BELOW_BYTES for f in _data_folder)
    return False


def away() -> RecordsAway:
    """Say that the records cannot be reached, and that nothing was saved."""
    if _no_room():
        return full()
    return RecordsAway(
        msg("The shop's records cannot be reached. Nothing was saved; the entry stays on the screen."),
        next_step=msg("Wait a moment and save again."),
    )


@contextmanager
def transaction() -> Iterator[Any]:
    """Open a transaction of the bound database; what is stored is English, anyone who asked."""
    with written_for(None), proxy.obj.atomic() as opened:
        yield opened


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
    with as_file(files("orange_crank.store") / "migrations") as folder, as_owner() as database:
        lock = f"{schema_name()}-schema"
        [[held]] = database.execute_sql("SELECT GET_LOCK(%s, 60)", (lock,)).fetchall()
        if held != 1:
            raise away()
        try:
            runner = ResumableRunner(database, directory=str(folder), table_name="schema_migration")
            strange = [m.name for m in runner.status() if m.name not in known_migrations()]
            if strange:
                raise NewerRecords(
                    msg(
                        "These records were written by a newer Orange Crank (it knows {strange}). "
                        "Nothing was changed.",
                        strange=strange[0],
                    ),
                    next_step=msg("Start that version again, or a newer one."),
                )
            pending = [m.name for m in runner.status() if m.applied is None]
            if pending:
                runner.up()
            return pending
        finally:
            database.execute_sql("SELECT RELEASE_LOCK(%s)", (lock,))


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
