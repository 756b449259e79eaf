"""The record proves itself: a row altered, taken out or put in is found, and so is a stranger's seal."""

from pathlib import Path
from typing import Any

import pytest

from orange_crank.store import seal
from orange_crank.store.database import as_owner, proxy, session
from orange_crank.store.models import RecordSeal
from orange_crank.store.seal import SEALED, Sealer, check_record, close_record
from orange_crank.store.server import MariaDbServer


def ask(sql: str) -> list[Any]:
    return list(proxy.obj.execute_sql(sql).fetchall())


def checked() -> seal.SealReport:
    with session():
        return check_record(ask)


@pytest.fixture
def closed(records: MariaDbServer) -> None:
    del records
    with session():
        assert close_record() > 50


def alter(table: str, sql: str) -> None:
    """Change a row as somebody who owns the database can: its trigger is taken off for it."""
    with as_owner() as owner:
        verb = sql.split()[0]
        name = f"{table}_no_{verb.lower()}"
        owner.execute_sql(f"DROP TRIGGER {name}")
        owner.execute_sql("SET FOREIGN_KEY_CHECKS = 0")
        owner.execute_sql(sql)
        owner.execute_sql(
            f"CREATE TRIGGER {name} BEFORE {verb} ON {table} FOR EACH ROW "
            f"SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{table} is append-only'"
        )


def test_an_untouched_record_is_proved_and_goes_on(closed: None) -> None:
    del closed
    report = checked()
    assert (report.standing, report.rows > 50) == ("ours", True)
    with session():
        assert close_record() == 0
        before = RecordSeal.select().count()
        execute = proxy.obj.execute_sql
        [[last]] = execute("SELECT MAX(id) FROM safety_event").fetchall()
        execute(
            "INSERT INTO safety_event (call_id, kind, happened_at, entry_no, person_id) "
            "SELECT call_id, kind, happened_at, entry_no, person_id FROM safety_event WHERE id = %s",
            (last,),
        )
        assert close_record() == 1
        assert RecordSeal.select().count() == before + 1
    assert checked().standing == "ours"


@pytest.mark.parametrize(
    ("table", "sql"),
    [
        ("reading", "UPDATE reading SET value = value + 1 WHERE value IS NOT NULL ORDER BY id LIMIT 1"),
        ("reading", "DELETE FROM reading ORDER BY id LIMIT 1"),
        ("reading", "DELETE FROM reading ORDER BY id DESC LIMIT 1"),
        ("safety_event", "UPDATE safety_event SET kind = 'made_safe' WHERE kind = 'went_live' LIMIT 1"),
        ("make_safe_record", "UPDATE make_safe_record SET record = REPLACE(record, '0.0', '0.4') LIMIT 1"),
        ("decision", "UPDATE decision SET person_id = 3 WHERE person_id <> 3 LIMIT 1"),
    ],
)
def test_a_sealed_row_that_was_touched_is_named(closed: None, table: str, sql: str) -> None:
    del closed
    alter(table, sql)
    report = checked()
    assert (report.standing, "CHANGED" in report.text, table in report.text) == ("changed", True, True)


def test_seals_made_again_with_another_key_are_a_strangers(closed: None, tmp_path: Path) -> None:
    """Who alters a record and seals it again has not the shop's key."""
    del closed
    mine = seal._folder[0]
    alter("reading", "UPDATE reading SET value = value + 1 WHERE value IS NOT NULL LIMIT 1")
    with as_owner() as owner:
        owner.execute_sql("TRUNCATE TABLE record_seal")
    seal.keep_key_in(tmp_path / "stranger")
    try:
        with session():
            close_record()
        assert checked().standing == "ours"
    finally:
        seal.keep_key_in(mine)
    report = checked()
    assert (report.standing, seal.NOT_OURS in report.text) == ("unknown", True)


def test_seals_taken_out_leave_it_unproved(closed: None) -> None:
    del closed
    with as_owner() as owner:
        owner.execute_sql("TRUNCATE TABLE record_seal")
    assert (checked().standing, seal.NOT_OURS in checked().text) == ("none", True)
    with as_owner() as owner:
        owner.execute_sql("INSERT INTO record_seal SELECT * FROM copy_of_record_seal")


def test_the_key_is_the_shops_alone(tmp_path: Path) -> None:
    mine = seal._folder[0]
    try:
        seal.keep_key_in(tmp_path)
        assert not seal.is_ours(b"x", "0" * 64)
        assert not (tmp_path / seal.KEY_FILE).exists(), "asking makes no key"
        mac = seal.mac_of(b"x")
        assert seal.is_ours(b"x", mac)
        assert oct((tmp_path / seal.KEY_FILE).stat().st_mode & 0o777) == "0o600"
        seal.keep_key_in(tmp_path / "other")
        assert not seal.is_ours(b"x", mac)
    finally:
        seal.keep_key_in(mine)


def test_a_row_younger_than_a_look_waits_for_the_next(records: MariaDbServer) -> None:
    """A lower id may be committed later: only what was there a look ago is sealed."""
    del records
    sealer = Sealer()
    with session():
        assert sealer.look() == 0
        assert sealer.look() > 50
        assert sealer.look(at_once=True) == 0
        assert {r.table_name for r in RecordSeal.select()} <= set(SEALED)
