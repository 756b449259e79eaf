"""The private MariaDB: laid out once, its password private, its rows append-only, its times exact."""

import stat
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta, timezone
from pathlib import Path
from typing import Any

import peewee
import pymysql
import pytest

from orange_crank.store import schema, units
from orange_crank.store.calls import opening, readings, view
from orange_crank.store.database import proxy, session, transaction
from orange_crank.store.models import PlateMotor, Reading, ServiceCall, Site
from orange_crank.store.server import MariaDbServer, ServerTrouble


def test_the_password_file_is_read_by_its_owner_only(records: MariaDbServer) -> None:
    mode = stat.S_IMODE(records.secret.stat().st_mode)
    assert 0o600 == mode
    assert len(records.connection().password.get_secret_value()) >= 32


def test_it_listens_on_loopback_only(records: MariaDbServer) -> None:
    listening = Path("/proc/net/tcp").read_text().splitlines()[1:]
    port = f":{records.port:04X}"
    addresses = {line.split()[1] for line in listening if line.split()[1].endswith(port)}
    assert {f"0100007F{port}"} == addresses


def test_migrations_are_numbered_and_applied_once(records: MariaDbServer) -> None:
    del records
    assert [] == schema.lay_out()
    with session():
        names = [row[0] for row in proxy.obj.execute_sql("SELECT name FROM schema_migration ORDER BY name")]
    assert "0001_first_slice" == names[0]


@pytest.mark.parametrize("table", ["reading", "plate", "make_safe_record", "safety_event"])
@pytest.mark.parametrize("statement", ["UPDATE {} SET id = id + 1000", "DELETE FROM {}"])
def test_the_database_itself_refuses_to_change_what_was_recorded(
    records: MariaDbServer, table: str, statement: str
) -> None:
    del records
    with session(), pytest.raises((peewee.PeeweeException, pymysql.MySQLError), match="append-only"):
        proxy.obj.execute_sql(statement.format(table))


def test_times_keep_their_microseconds_and_come_back_in_utc(records: MariaDbServer) -> None:
    del records
    here = timezone(timedelta(hours=-7))
    moment = datetime(2026, 11, 1, 1, 30, 0, 123456, tzinfo=here)
    with session():
        opened = opening.open_call(opening.NewCall(unit_id=2, complaint="x"), 1, opened_at=moment)
        stored = ServiceCall.get_by_id(opened.id).opened_at
    assert moment == stored
    assert (UTC, 123456) == (stored.tzinfo, stored.microsecond)


def test_a_moment_without_a_zone_is_not_stored(records: MariaDbServer) -> None:
    del records
    with session(), pytest.raises(ValueError, match="without a zone"):
        opening.open_call(opening.NewCall(unit_id=2, complaint="x"), 1, opened_at=datetime(2026, 1, 1))


def test_a_failed_plate_leaves_no_half_of_itself(
    records: MariaDbServer, monkeypatch: pytest.MonkeyPatch
) -> None:
    del records
    from orange_crank.core.plate import Compressor, Motor, Plate

    def broken(**_: object) -> None:
        raise peewee.DataError("motor table gone")

    monkeypatch.setattr(PlateMotor, "create", broken)
    plate = Plate(volts=230, phase=1, compressors=[Compressor(rla_a=10, lra_a=55)], motors=[Motor(fla_a=1)])
    with session():
        with pytest.raises(peewee.DataError):
            units.save_plate(1, plate, base_number=1, person_id=1)
        standing = units.plate_of_unit(1)
    assert standing is not None
    assert 1 == standing.number


def test_a_call_with_200_readings_is_judged_whole(records: MariaDbServer) -> None:
    del records
    from orange_crank.core.measure.reading import NewReading

    with session():
        for i in range(200):
            readings.add_reading(4, NewReading(quantity="running_a", value=15 + i / 100), 1)
        call = view.get_call(4)
        assert 205 == len(call.readings)
        assert 205 == len(call.ladder.readings)
        assert 205 == Reading.select().where(Reading.call == 4).count()


@pytest.fixture
def second(tmp_path: Path) -> Iterator[MariaDbServer]:
    server = MariaDbServer(tmp_path / "deep" / "mariadb")
    yield server
    server.stop()


def test_what_was_saved_is_there_after_a_restart_and_a_crash(second: MariaDbServer) -> None:
    def ask(statement: str) -> object:
        at = second.owner()
        link = pymysql.connect(
            host=at.host,
            port=at.port,
            user=at.user,
            password=at.password.get_secret_value(),
            database=at.name,
            autocommit=True,
        )
        with link, link.cursor() as cursor:
            cursor.execute(statement)
            return cursor.fetchall()

    second.start()
    ask("CREATE TABLE kept (id INT PRIMARY KEY)")
    ask("INSERT INTO kept VALUES (7)")
    second.stop()
    again = MariaDbServer(second.folder)
    again.start()
    try:
        assert again._child is not None
        second.port = again.port
        assert ((7,),) == ask("SELECT id FROM kept")
        again._child.kill()
        again._child.wait()
        again.start()
        assert ((7,),) == ask("SELECT id FROM kept")
    finally:
        again.stop()


def test_a_folder_that_cannot_be_made_is_said_plainly(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("in the way")
    with pytest.raises(ServerTrouble, match="cannot be made"):
        MariaDbServer(tmp_path / "file" / "mariadb").start()


def test_a_full_disk_is_said_plainly(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    import shutil
    from types import SimpleNamespace

    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=10 * 2**20))
    with pytest.raises(ServerTrouble, match="Only 10 MB are free"):
        MariaDbServer(tmp_path / "mariadb").start()


def test_a_missing_server_program_names_the_package(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    import shutil

    monkeypatch.setattr(shutil, "which", lambda *_, **__: None)
    with pytest.raises(ServerTrouble, match="not installed here") as caught:
        MariaDbServer(tmp_path / "mariadb").start()
    assert "mariadb-server" in str(caught.value.next_step)


def _asked(line: Any, name: str) -> int:
    with line.cursor() as cursor:
        cursor.execute(f"SHOW SESSION STATUS LIKE '{name}'")
        return int(cursor.fetchone()[1])


def test_a_line_given_back_leaves_nothing_open_and_is_asked_nothing_where_nothing_is(
    records: MariaDbServer,
) -> None:
    del records
    pool: Any = proxy.obj
    with session():
        before = Site.get_by_id(1).name
        line = pool.connection()
        rolled_back = _asked(line, "Com_rollback")
    with session():
        assert pool.connection() is line
        assert _asked(line, "Com_rollback") == rolled_back
        with transaction():
            Site.update(name="Kept").where(Site.id == 1).execute()
    with session():
        assert pool.connection() is line
        assert Site.get_by_id(1).name == "Kept"
        assert _asked(line, "Com_rollback") == rolled_back
        # Left open, as by a thread that was torn off: what was half done is nobody's to find.
        line.begin()
        Site.update(name="Half done").where(Site.id == 1).execute()
    with session():
        assert pool.connection() is line
        assert _asked(line, "Com_rollback") == rolled_back + 1
        assert Site.get_by_id(1).name == "Kept"
        # An error in the middle leaves it open as well.
        line.begin()
        Site.update(name="Half done").where(Site.id == 1).execute()
        with pytest.raises(peewee.DatabaseError):
            pool.execute_sql("SELECT no_such_column FROM site")
    with session():
        assert Site.get_by_id(1).name == "Kept"
        Site.update(name=before).where(Site.id == 1).execute()
