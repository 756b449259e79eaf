"""Data folders prepared once per test run and copied: an empty shop, and the demo shop.

Preparing one takes 10-60 s (mariadb-install-db, migrations, playing the demo); a copy takes well under one.
"""

import fcntl
import shutil
from collections.abc import Callable, Collection, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pymysql

from orange_crank.demo.player import load as load_demo
from orange_crank.store import database, schema
from orange_crank.store.calls.stamps import REMEMBERED
from orange_crank.store.database import Connection
from orange_crank.store.models import TABLES
from orange_crank.store.server import MariaDbServer

# Where this run keeps its prepared folders; conftest sets it before the first test.
_root: list[Path] = []


def keep_in(folder: Path) -> None:
    """Set the folder that every worker of this run shares."""
    _root[:] = [folder]


@contextmanager
def _locked(name: str) -> Iterator[Path]:
    """Let one worker at a time prepare a folder."""
    place = _root[0] / f"laid-out-{name}"
    with (_root[0] / f"laid-out-{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield place


def _prepare(place: Path, demo: bool) -> None:
    """Install, migrate and, for the demo, load; then stop the server so that its files are complete."""
    making = place.with_suffix(".making")
    shutil.rmtree(making, ignore_errors=True)
    bound, owner = database.proxy.obj, database._owner[0]
    server = MariaDbServer(making / "mariadb")
    pool = database.connect(server.start(), server.owner())
    try:
        REMEMBERED.forget()
        schema.lay_out()
        if demo:
            load_demo()
    finally:
        pool.close_all()  # type: ignore[attr-defined]
        server.stop()
        REMEMBERED.forget()
        if bound is not None:
            database.proxy.initialize(bound)
            database._owner[0] = owner
    for leftover in ("mariadb.log", "mariadb.pid", "mariadb.sock"):
        (making / "mariadb" / leftover).unlink(missing_ok=True)
    making.rename(place)


def copy_to(folder: Path, *, demo: bool) -> Path:
    """Put a prepared data folder at ``folder`` and return it; a folder with files in it is left alone."""
    if folder.exists() and any(folder.iterdir()):
        return folder
    with _locked("demo" if demo else "empty") as place:
        if not place.exists():
            _prepare(place, demo)
    folder.parent.mkdir(parents=True, exist_ok=True)
    shutil.copytree(place, folder, dirs_exist_ok=True)
    return folder


class Reset:
    """Puts the demo shop back table by table, and only the tables whose rows or counters changed."""

    def __init__(self, ask: Callable[[str], Sequence[Any]], keep: Collection[str] = ()) -> None:
        """Copy each table of a database where the demo was just loaded.

        Parameters
        ----------
        ask : carries out a statement as the owner and returns its rows
        keep : tables that stay as they are

        """
        self.ask = ask
        self.names = [n for table in TABLES if (n := str(table._meta.table_name)) not in keep]
        for name in self.names:
            ask(f"CREATE TABLE `copy_of_{name}` AS SELECT * FROM `{name}`")
        self._refill(self.names)
        self._before = self._state()

    def _state(self) -> dict[str, tuple[int | None, int | None]]:
        """Return checksum and next AUTO_INCREMENT per table."""
        sums = self.ask("CHECKSUM TABLE " + ", ".join(f"`{n}`" for n in self.names))
        following = dict(
            self.ask(
                "SELECT table_name, auto_increment FROM information_schema.tables "
                "WHERE table_schema = DATABASE()"
            )
        )
        return {(name := str(full).rpartition(".")[2]): (total, following[name]) for full, total in sums}

    def put_back(self) -> None:
        """Truncate and refill what changed since the demo was loaded."""
        now = self._state()
        self._refill([name for name in self.names if now[name] != self._before[name]])

    def _refill(self, names: Sequence[str]) -> None:
        self.ask("SET FOREIGN_KEY_CHECKS = 0")
        for name in names:
            self.ask(f"TRUNCATE TABLE `{name}`")
            self.ask(f"INSERT INTO `{name}` SELECT * FROM `copy_of_{name}`")
        self.ask("SET FOREIGN_KEY_CHECKS = 1")


class OwnersLine:
    """A connection of the account that owns a database, opened when first used."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        self._line: Any = None

    def __call__(self, sql: str) -> Sequence[Any]:
        if self._line is None:
            at = self.connection
            self._line = pymysql.connect(
                host=at.host,
                port=at.port,
                user=at.user,
                password=at.password.get_secret_value(),
                database=at.name,
                autocommit=True,
            )
        with self._line.cursor() as cursor:
            cursor.execute(sql)
            return list(cursor.fetchall())

    def close(self) -> None:
        if self._line is not None:
            self._line.close()
