"""What was recorded comes back: made while the shop works, read through, restored aside, then switched."""

import hashlib
import json
import os
import re
import shutil
import subprocess
import sys
import threading
import time
import urllib.request
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from zipfile import ZipFile

import peewee
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scripts.screenshots import demo_device

from orange_crank.store import backup, database, schema, seal
from orange_crank.store.backup import (
    DAILY,
    NAME,
    WEEKLY,
    BackupFile,
    BackupManifest,
    BackupTrouble,
    Keeper,
    list_backups,
    make_backup,
    restore_backup,
    superfluous,
    try_restore,
    verify_backup,
)
from orange_crank.store.errors import NewerRecords
from orange_crank.store.models import Photo, Reading, ServiceCall, ShopFact
from orange_crank.store.server import MariaDbServer, free_port


@pytest.fixture(scope="module")
def made(demo_copy: MariaDbServer, tmp_path_factory: pytest.TempPathFactory) -> Path:
    meters = tmp_path_factory.mktemp("meters")
    (meters / "own.yaml").write_text("name: own\n")
    return make_backup(demo_copy.owner(), tmp_path_factory.mktemp("backups"), meters)


def rows(server: MariaDbServer) -> dict[str, list[Any]]:
    """What lies in a database: every row of the tables that matter, and its triggers."""
    where = server.owner()
    found = {}
    for model in (ServiceCall, Reading, Photo):
        name = model._meta.table_name
        found[name] = backup._ask(where, f"SELECT * FROM `{name}` ORDER BY id")
    found["triggers"] = sorted(r[0] for r in backup._ask(where, "SHOW TRIGGERS"))
    return found


def test_a_backup_comes_back_as_it_was_into_an_empty_place(
    demo_copy: MariaDbServer, made: Path, tmp_path: Path
) -> None:
    assert oct(made.stat().st_mode & 0o777) == "0o600"
    done = restore_backup(made, tmp_path / "data")
    assert (done.kept, done.ours) == (None, True)
    server = MariaDbServer(tmp_path / "data" / "mariadb")
    server.start()
    try:
        assert rows(server) == rows(demo_copy)
    finally:
        server.stop()
    assert (tmp_path / "data" / "meters" / "own.yaml").read_text() == "name: own\n"
    assert not list((tmp_path / "data").glob("*restoring*"))


def test_what_was_there_is_kept_and_a_restore_that_breaks_off_changes_nothing(
    made: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    data = tmp_path / "data"
    (data / "mariadb").mkdir(parents=True)
    (data / "mariadb" / "old").write_text("the shop's own")

    def breaks(*_: object) -> None:
        raise BackupTrouble("broken off", next_step="again")

    monkeypatch.setattr(backup, "_feed", breaks)
    with pytest.raises(BackupTrouble, match="broken off"):
        restore_backup(made, data)
    assert (data / "mariadb" / "old").read_text() == "the shop's own"
    assert [p.name for p in data.iterdir()] == ["mariadb"]
    monkeypatch.undo()
    kept = restore_backup(made, data).kept
    assert kept is not None
    assert (kept / "old").read_text() == "the shop's own"
    assert not (data / "mariadb" / "old").exists()


@settings(max_examples=120, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(cut=st.booleans(), where=st.floats(0, 1), bit=st.integers(0, 7))
def test_a_damaged_file_is_refused_or_whole_and_never_anything_else(
    made: Path, tmp_path: Path, cut: bool, where: float, bit: int
) -> None:
    data = bytearray(made.read_bytes())
    at = min(len(data) - 1, int(where * len(data)))
    if cut:
        del data[at:]
    else:
        data[at] ^= 1 << bit
    file = tmp_path / made.name
    file.write_bytes(bytes(data))
    try:
        manifest = verify_backup(file)
    except BackupTrouble as refused:
        said = refused
    else:
        # A byte that says nothing of the records: a time, an attribute. All that counts is what it was.
        with ZipFile(file) as damaged, ZipFile(made) as whole:
            assert manifest == BackupManifest.model_validate_json(whole.read("manifest.json"))
            assert all(damaged.read(n) == whole.read(n) for n in manifest.digests)
        return
    assert said.next_step
    assert "Nothing was touched" in said.detail or "newer" in said.detail


def test_a_backup_of_a_newer_program_and_a_file_that_is_none_are_refused(made: Path, tmp_path: Path) -> None:
    with ZipFile(made) as whole:
        manifest = json.loads(whole.read("manifest.json"))
        dump = whole.read("records.sql")
    newer = tmp_path / "newer.zip"
    with ZipFile(newer, "w") as out:
        manifest["digests"] = {"records.sql": manifest["digests"]["records.sql"]}
        out.writestr("records.sql", dump)
        out.writestr("manifest.json", json.dumps(manifest | {"migrations": ["9999_later"]}))
    with pytest.raises(BackupTrouble, match="newer Orange Crank"):
        verify_backup(newer)
    other = tmp_path / "other.zip"
    with ZipFile(other, "w") as out:
        out.writestr("hello.txt", "hello")
    for file in (other, tmp_path / "missing.zip", tmp_path):
        with pytest.raises(BackupTrouble):
            verify_backup(file)
    text = tmp_path / "text.zip"
    text.write_text("not a zip")
    found = try_restore(text, tmp_path / "aside")
    assert not found.ok


def test_records_of_a_newer_program_are_left_alone(records: MariaDbServer) -> None:
    del records
    with database.session():
        execute = database.proxy.obj.execute_sql
        execute("INSERT INTO schema_migration (name, applied) VALUES ('9999_later', NOW())")
    try:
        with pytest.raises(NewerRecords, match="newer Orange Crank"):
            schema.lay_out()
    finally:
        with database.session():
            execute("DELETE FROM schema_migration WHERE name = '9999_later'")
    assert schema.lay_out() == []


def test_it_is_of_one_moment_while_the_shop_works_on(records: MariaDbServer, tmp_path: Path) -> None:
    stopping = threading.Event()

    def write() -> None:
        n = 0
        while not stopping.is_set():
            n += 1
            with database.session(), database.transaction():
                ShopFact.create(name=f"left {n}", value="1")
                ShopFact.create(name=f"right {n}", value="1")

    writer = threading.Thread(target=write)
    writer.start()
    try:
        time.sleep(0.3)
        made = make_backup(records.owner(), tmp_path / "out")
    finally:
        stopping.set()
        writer.join()
    restore_backup(made, tmp_path / "data")
    server = MariaDbServer(tmp_path / "data" / "mariadb")
    try:
        names = {r[0] for r in backup._ask(server.start(), "SELECT name FROM shop_fact")}
    finally:
        server.stop()
    left = {n.removeprefix("left ") for n in names if n.startswith("left ")}
    right = {n.removeprefix("right ") for n in names if n.startswith("right ")}
    assert left == right
    assert left


moments = st.datetimes(datetime(2026, 1, 1), datetime(2026, 12, 31)).map(lambda t: t.replace(microsecond=0))


@given(st.sets(moments, max_size=80))
def test_what_may_go_is_never_the_newest_and_letting_go_twice_lets_nothing_more_go(
    times: set[datetime],
) -> None:
    kept = [
        BackupFile(name=t.strftime(NAME), made_at=t.replace(tzinfo=UTC), size_bytes=1) for t in sorted(times)
    ]
    gone = {b.name for b in superfluous(kept)}
    left = [b for b in kept if b.name not in gone]
    assert superfluous(left) == []
    if kept:
        assert left[-1] == kept[-1]
    assert len(left) <= DAILY + WEEKLY
    days = sorted({b.made_at.date() for b in kept}, reverse=True)[:DAILY]
    assert set(days) <= {b.made_at.date() for b in left}


def test_the_keeper_makes_one_when_it_is_due_and_says_when_it_cannot(
    demo_copy: MariaDbServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    keeper = Keeper(demo_copy.owner(), tmp_path / "kept", 24.0)
    now = datetime.now(UTC)
    assert keeper.due(now)
    assert keeper.state(now).late
    made = keeper.back_up()
    state = keeper.state(now)
    assert state.last == made
    assert not state.late
    room = shutil.disk_usage(tmp_path)
    for free, low in ((backup.LOW_BYTES // 2, True), (8 * backup.LOW_BYTES, False)):
        monkeypatch.setattr(shutil, "disk_usage", lambda _, free=free: room._replace(free=free))
        assert (keeper.state(now).low, keeper.state(now).free_bytes) == (low, free)
    monkeypatch.undo()
    assert not keeper.due(now + timedelta(hours=23))
    assert keeper.due(now + timedelta(hours=25))
    assert keeper.state(now + timedelta(hours=49)).late
    assert not Keeper(demo_copy.owner(), tmp_path / "none", 0).due(now)
    (tmp_path / "file").write_text("in the way")
    blocked = Keeper(demo_copy.owner(), tmp_path / "file", 24.0)
    with pytest.raises(BackupTrouble, match="No backup could be written"):
        blocked.back_up()
    assert blocked.state(now).trouble
    found = try_restore(tmp_path / "kept" / made.name, tmp_path / "aside")
    assert found.ok, found.said
    assert keeper.state(now).drill == found
    assert not list((tmp_path / "aside").iterdir())


@pytest.fixture
def shop(tmp_path: Path) -> dict[str, str]:
    return os.environ | {
        "ORANGE_CRANK_DATA_DIR": str(tmp_path / "data"),
        "ORANGE_CRANK_PORT": str(free_port()),
        "ORANGE_CRANK_BACKUP_DIR": str(tmp_path / "elsewhere"),
    }


def command(environment: dict[str, str], *words: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "orange_crank.cli", *words],
        env=environment,
        capture_output=True,
        text=True,
        check=False,
        timeout=120,
    )


def test_back_up_lose_everything_restore_by_the_commands(shop: dict[str, str], tmp_path: Path) -> None:
    address = f"http://127.0.0.1:{shop['ORANGE_CRANK_PORT']}"

    def up() -> "subprocess.Popen[bytes]":
        child = subprocess.Popen(
            [sys.executable, "-m", "orange_crank.cli", "start", "--demo"],
            env=shop,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        for _ in range(900):
            try:
                urllib.request.urlopen(address + "/api/health", timeout=1).close()
                return child
            except OSError:
                time.sleep(0.1)
        raise AssertionError("it does not start")

    def ask(path: str) -> Any:
        request = urllib.request.Request(address + path, headers=demo_device(address))
        with urllib.request.urlopen(request) as answer:
            return json.load(answer)

    assert "Nothing runs here" in command(shop, "backup").stderr
    assert "No backup lies" in command(shop, "drill").stderr
    child = up()
    try:
        before = ask("/api/calls")
        assert command(shop, "backup").returncode == 0
        [kept] = list_backups(tmp_path / "elsewhere")
        file = tmp_path / "elsewhere" / kept.name
        refused = command(shop, "restore", str(file))
        assert refused.returncode == 1
        assert "runs here" in refused.stderr
    finally:
        child.terminate()
        child.wait(timeout=40)
    assert command(shop, "verify", str(file)).returncode == 0
    assert "comes back" in command(shop, "drill").stdout
    (tmp_path / "data" / "mariadb").rename(tmp_path / "lost")
    assert "Restored." in command(shop, "restore", str(file)).stdout
    child = up()
    try:
        assert ask("/api/calls") == before
        state = ask("/api/backups")
        assert state["last"]["name"] == kept.name
        assert state["drill"]["ok"]
    finally:
        child.terminate()
        child.wait(timeout=40)


def rewritten(made: Path, target: Path, change: Callable[[bytes], bytes]) -> Path:
    """A backup with its dump changed and every digest corrected, as a stranger with time leaves it."""
    with ZipFile(made) as archive:
        found = {n: archive.read(n) for n in archive.namelist()}
    found["records.sql"] = change(found["records.sql"])
    manifest = json.loads(found["manifest.json"])
    manifest["digests"]["records.sql"] = hashlib.sha256(found["records.sql"]).hexdigest()
    manifest["sizes"]["records.sql"] = len(found["records.sql"])
    found["manifest.json"] = json.dumps(manifest).encode()
    with ZipFile(target, "w") as archive:
        for name, body in found.items():
            archive.writestr(name, body)
    return target


def test_a_backup_somebody_rewrote_is_not_known_to_be_this_shops(made: Path, tmp_path: Path) -> None:
    assert verify_backup(made).ours
    theirs = rewritten(made, tmp_path / "orange-crank-20260801-120000.zip", lambda dump: dump + b"\n")
    assert not verify_backup(theirs).ours
    drill = try_restore(theirs, tmp_path / "aside")
    assert drill.ok
    assert "not known to be from this shop" in drill.said


@pytest.mark.parametrize(
    "command", ["\\! touch {there}", "system touch {there}", "\\o {there}", "tee {there}"]
)
@pytest.mark.parametrize("sandbox", ["taken out", "left in"])
def test_nothing_in_a_backup_runs_a_command(made: Path, tmp_path: Path, command: str, sandbox: str) -> None:
    """The client runs what a line tells it; fed in sandbox mode it refuses, whatever the file says."""
    there = tmp_path / "PWNED"

    def change(dump: bytes) -> bytes:
        line = command.format(there=there).encode() + b"\n"
        if sandbox == "taken out":
            head, _, rest = dump.partition(b"\n")
            assert b"sandbox" in head
            return line + rest
        return line + dump

    theirs = rewritten(made, tmp_path / "orange-crank-20260801-120000.zip", change)
    assert not try_restore(theirs, tmp_path / "aside").ok
    with pytest.raises(BackupTrouble, match="refuses the backup"):
        restore_backup(theirs, tmp_path / "data")
    assert not there.exists()


def test_a_sealed_record_is_proved_after_its_restore_and_a_row_altered_in_the_file_is_named(
    records: MariaDbServer, tmp_path: Path
) -> None:
    """Every figure and moment comes back to the last digit, so that the chain holds; one altered does not."""
    with database.session():
        assert seal.close_record() > 50
    sealed = make_backup(records.owner(), tmp_path / "kept")
    drill = try_restore(sealed, tmp_path / "aside")
    assert drill.ok
    assert "proved unchanged" in drill.said
    other = rewritten(
        sealed,
        tmp_path / "orange-crank-20260801-120000.zip",
        lambda dump: re.sub(rb"(INSERT INTO `safety_event` VALUES\s*\(1,\d+,)'\w+'", rb"\1'lapsed'", dump),
    )
    drill = try_restore(other, tmp_path / "aside")
    assert not drill.ok
    assert "CHANGED: rows safety_event" in drill.said
    done = restore_backup(other, tmp_path / "data")
    assert (done.ours, done.record.standing) == (False, "changed")


def test_triggers_left_out_of_a_backup_are_back_at_the_start(made: Path, tmp_path: Path) -> None:
    """Restored without one CREATE TRIGGER: not ready; once started, as protected as before."""
    bare = rewritten(
        made,
        tmp_path / "orange-crank-20260801-120000.zip",
        lambda dump: re.sub(rb"/\*!50003 CREATE\*/.*?\*/;;", b";;", dump, flags=re.DOTALL),
    )
    restore_backup(bare, tmp_path / "data")
    server = MariaDbServer(tmp_path / "data" / "mariadb")
    bound, owner = database.proxy.obj, database._owner[0]
    own: Any = database.connect(server.start(), server.owner())
    try:
        schema._looked.clear()
        missing = schema.unprotected("restored")
        assert missing is not None
        assert "Start Orange Crank again" in (missing.next_step or "")
        schema.lay_out()
        assert schema.unprotected("restored") is None
        with database.session():
            for statement in ("DELETE FROM safety_event", "UPDATE make_safe_record SET person_id = 1"):
                with pytest.raises(peewee.OperationalError, match="append-only"):
                    database.proxy.obj.execute_sql(statement)
    finally:
        own.close_all()
        server.stop()
        schema._looked.clear()
        database.proxy.initialize(bound)
        database._owner[0] = owner


def test_a_restore_with_fewer_rows_than_promised_is_refused(made: Path, tmp_path: Path) -> None:
    fewer = rewritten(
        made,
        tmp_path / "orange-crank-20260801-120000.zip",
        lambda dump: re.sub(rb"INSERT INTO `reading` VALUES.*?;\n", b"", dump, flags=re.DOTALL),
    )
    with pytest.raises(BackupTrouble, match="hold less"):
        restore_backup(fewer, tmp_path / "data")
    assert not (tmp_path / "data" / "mariadb").exists()


def test_a_member_exchanged_for_another_whole_one_is_refused(made: Path, tmp_path: Path) -> None:
    """Rebuilt with a member whose own checksum is right: the manifest's digest is what counts."""
    with ZipFile(made) as archive:
        found = {n: archive.read(n) for n in archive.namelist()}
    found["records.sql"] += b"-- more\n"
    manifest = json.loads(found["manifest.json"])
    manifest["sizes"]["records.sql"] += 8
    found["manifest.json"] = json.dumps(manifest).encode()
    other = tmp_path / "orange-crank-20260801-120000.zip"
    with ZipFile(other, "w") as archive:
        for name, body in found.items():
            archive.writestr(name, body)
    with pytest.raises(BackupTrouble, match="altered or damaged"):
        verify_backup(other)


def test_weekly_backups_are_kept_for_eight_weeks() -> None:
    """The newest of each of eight weeks stays, also once it is none of the last fourteen days."""
    begin = datetime(2026, 8, 3, 12, tzinfo=UTC)
    daily = [BackupFile(name=f"day-{i}", made_at=begin + timedelta(days=i), size_bytes=1) for i in range(120)]
    gone = {b.name for b in backup.superfluous(daily)}
    left = [b for b in daily if b.name not in gone]
    newest = daily[-1].made_at
    weeks = {b.made_at.isocalendar()[:2] for b in left}
    wanted = {(newest - timedelta(weeks=i)).isocalendar()[:2] for i in range(backup.WEEKLY)}
    assert weeks == wanted
    assert {b.name for b in daily[-backup.DAILY :]} <= {b.name for b in left}
