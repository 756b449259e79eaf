"""Data folders prepared once per test run and copied: an empty shop, and the demo shop.

Preparing one takes 10-60 s (mariadb-install-db, migrations, playing the demo); a copy takes well under one.
"""

import fcntl
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from orange_crank.demo.player import load as load_demo
from orange_crank.store import database, schema
from orange_crank.store.calls.stamps import REMEMBERED
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
    """Put a prepared data folder at ``folder`` and return it; a folder that exists is left alone."""
    if folder.exists():
        return folder
    with _locked("demo" if demo else "empty") as place:
        if not place.exists():
            _prepare(place, demo)
    folder.parent.mkdir(parents=True, exist_ok=True)
    shutil.copytree(place, folder)
    return folder


class Reset:
    """Puts the demo shop back table by table, and only the tables whose rows or counters changed."""

    def __init__(self) -> None:
        self.names = [str(table._meta.table_name) for table in TABLES]
        with database.as_owner() as owner:
            for name in self.names:
                owner.execute_sql(f"CREATE TABLE `copy_of_{name}` AS SELECT * FROM `{name}`")
        self._refill(self.names)
        self._before = self._state()

    def _state(self) -> dict[str, tuple[int | None, int | None]]:
        """Return checksum and next AUTO_INCREMENT per table."""
        with database.as_owner() as owner:
            sums = owner.execute_sql("CHECKSUM TABLE " + ", ".join(f"`{n}`" for n in self.names)).fetchall()
            counters = owner.execute_sql(
                "SELECT table_name, auto_increment FROM information_schema.tables "
                "WHERE table_schema = DATABASE()"
            ).fetchall()
        following = dict(counters)
        return {name.rpartition(".")[2]: (total, following[name.rpartition(".")[2]]) for name, total in sums}

    def put_back(self) -> None:
        """Truncate and refill what changed since the demo was loaded."""
        now = self._state()
        self._refill([name for name in self.names if now[name] != self._before[name]])

    def _refill(self, names: list[str]) -> None:
        with database.as_owner() as owner:
            owner.execute_sql("SET FOREIGN_KEY_CHECKS = 0")
            for name in names:
                owner.execute_sql(f"TRUNCATE TABLE `{name}`")
                owner.execute_sql(f"INSERT INTO `{name}` SELECT * FROM `copy_of_{name}`")
        REMEMBERED.forget()
