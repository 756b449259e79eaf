"""Records of every earlier schema come forward: whole, and from wherever it was broken off."""

import random
import subprocess
import tarfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from orange_crank.store import database, migrating, schema
from orange_crank.store.calls.listing import list_calls
from orange_crank.store.calls.stamps import REMEMBERED
from orange_crank.store.calls.view import get_call
from orange_crank.store.calls.work import get_work
from orange_crank.store.database import as_owner, known_migrations, session
from orange_crank.store.models import TABLES
from orange_crank.store.server import DATABASE, MariaDbServer, program

DUMPS = Path(__file__).parent / "schemas.tar.xz"
with tarfile.open(DUMPS) as _archive:
    NAMES = sorted(m.name for m in _archive.getmembers())
# What a migration fills from what was there.
FILLED = {"schema_migration", "request_kept", "change_trail"}


class BrokenOff(Exception):
    """The power went."""


@pytest.fixture(scope="module")
def dumps() -> dict[str, bytes]:
    found = {}
    with tarfile.open(DUMPS) as archive:
        for member in archive.getmembers():
            file = archive.extractfile(member)
            assert file is not None
            found[member.name] = file.read()
    return found


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[MariaDbServer]:
    """A server of its own; what other tests are bound to is put back."""
    bound, owner = database.proxy.obj, database._owner[0]
    made = MariaDbServer(tmp_path_factory.mktemp("forward"))
    own: Any = database.connect(made.start(), made.owner())
    REMEMBERED.forget()
    yield made
    own.close_all()
    made.stop()
    REMEMBERED.forget()
    database.proxy.initialize(bound)
    database._owner[0] = owner


def load(server: MariaDbServer, dump: bytes) -> None:
    with as_owner() as owner:
        owner.execute_sql(f"DROP DATABASE {DATABASE}")
        owner.execute_sql(f"CREATE DATABASE {DATABASE} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci")
    at = server.owner()
    subprocess.run(
        [
            program("mariadb", "mysql"),
            "--no-defaults",
            f"--host={at.host}",
            f"--port={at.port}",
            f"--user={at.user}",
            f"--password={at.password.get_secret_value()}",
            at.name,
        ],
        input=dump,
        check=True,
        capture_output=True,
    )
    REMEMBERED.forget()


def counts() -> dict[str, int]:
    with as_owner() as owner:
        names = [str(n) for (n,) in owner.execute_sql("SHOW TABLES").fetchall()]
        return {n: owner.execute_sql(f"SELECT COUNT(*) FROM `{n}`").fetchone()[0] for n in names}


def shape() -> dict[str, Any]:
    """Every column, key and trigger there is."""
    asked = {
        "columns": "SELECT table_name, column_name, column_type, is_nullable, column_default, extra "
        "FROM information_schema.columns WHERE table_schema = DATABASE()",
        "keys": "SELECT table_name, index_name, seq_in_index, column_name, non_unique, index_type "
        "FROM information_schema.statistics WHERE table_schema = DATABASE()",
        "ties": "SELECT table_name, column_name, referenced_table_name, referenced_column_name "
        "FROM information_schema.key_column_usage WHERE table_schema = DATABASE()",
        "triggers": "SELECT trigger_name, event_object_table, action_timing, event_manipulation, "
        "action_statement, definer FROM information_schema.triggers WHERE trigger_schema = DATABASE()",
    }
    with as_owner() as owner:
        found = {k: sorted(map(repr, owner.execute_sql(sql).fetchall())) for k, sql in asked.items()}
    # The table of steps is there once a migration has run.
    return {k: [row for row in rows if migrating.STEPS not in row] for k, rows in found.items()}


@pytest.fixture(scope="module")
def fresh(server: MariaDbServer) -> dict[str, Any]:
    with as_owner() as owner:
        owner.execute_sql(f"DROP DATABASE {DATABASE}")
        owner.execute_sql(f"CREATE DATABASE {DATABASE} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci")
    assert schema.lay_out() == known_migrations()
    del server
    return shape()


def test_a_dump_of_the_newest_schema_is_kept() -> None:
    newest = f"{known_migrations()[-1]}.sql"
    assert newest in NAMES, "run: python -m scripts.keep_schema"


@pytest.mark.parametrize("name", NAMES)
def test_it_comes_forward_whole(
    server: MariaDbServer, dumps: dict[str, bytes], fresh: dict[str, Any], name: str
) -> None:
    load(server, dumps[name])
    before = counts()
    applied = schema.lay_out()
    assert applied == [m for m in known_migrations() if m > name.removesuffix(".sql")]
    assert schema.lay_out() == []
    after = counts()
    assert {t: n for t, n in before.items() if t not in FILLED} == {
        t: after[t] for t in before if t not in FILLED
    }
    assert {t._meta.table_name for t in TABLES} <= set(after)
    assert shape() == fresh
    with session():
        listed = list_calls()
        assert listed
        for one in listed:
            call = get_call(one.id)
            assert call.troubles == []
            assert [r.trouble for r in call.readings] == [None] * len(call.readings)
            assert get_work(one.id) is not None


def break_off(monkeypatch: pytest.MonkeyPatch, at: int, carried_out: bool) -> None:
    """Let the power go at a statement: before it, or after it and before it is written down."""
    real, seen = migrating.SteppingDatabase._now, 0

    def now(self: Any, sql: str, params: Any = None) -> Any:
        nonlocal seen
        counted = self._migration is not None and not sql.lstrip().upper().startswith(migrating.PASSING)
        if counted and f"INTO {migrating.STEPS}" not in sql:
            seen += 1
            if seen == at:
                if carried_out:
                    real(self, sql, params)
                raise BrokenOff
        return real(self, sql, params)

    monkeypatch.setattr(migrating.SteppingDatabase, "_now", now)


@pytest.mark.parametrize("name", [NAMES[0], NAMES[5]])
@pytest.mark.parametrize("seed", range(4))
def test_it_goes_on_where_it_was_broken_off(
    server: MariaDbServer,
    dumps: dict[str, bytes],
    fresh: dict[str, Any],
    monkeypatch: pytest.MonkeyPatch,
    name: str,
    seed: int,
) -> None:
    load(server, dumps[name])
    before, rng, breaks = counts(), random.Random(f"{name} {seed}"), 0
    while breaks < 40:
        with monkeypatch.context() as patched:
            break_off(patched, rng.randint(1, 14), rng.random() < 0.5)
            try:
                schema.lay_out()
            except BrokenOff:
                breaks += 1
                continue
        break
    assert breaks >= 3
    assert shape() == fresh
    after = counts()
    assert {t: n for t, n in before.items() if t not in FILLED} == {
        t: after[t] for t in before if t not in FILLED
    }
    with session():
        assert all(get_call(one.id).troubles == [] for one in list_calls())


def test_every_other_trouble_of_a_statement_stops_it(
    server: MariaDbServer, dumps: dict[str, bytes], monkeypatch: pytest.MonkeyPatch
) -> None:
    load(server, dumps[NAMES[0]])
    real = migrating.SteppingDatabase._now

    def now(self: Any, sql: str, params: Any = None) -> Any:
        return real(
            self, "ALTER TABLE nowhere ADD COLUMN x INT" if "ALTER TABLE reading" in sql else sql, params
        )

    monkeypatch.setattr(migrating.SteppingDatabase, "_now", now)
    with pytest.raises(Exception, match="nowhere"):
        schema.lay_out()
    monkeypatch.undo()
    assert schema.lay_out()
