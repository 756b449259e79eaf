"""Who changed what: written by the database itself, out of reach of the application's own account."""

import re

import pymysql
import pytest
from fastapi.testclient import TestClient

from orange_crank.store.database import as_owner, proxy, session, transaction, work_of
from orange_crank.store.models import TABLES, ChangeTrail, Person, ServiceCall, Site, Unit
from orange_crank.store.server import MariaDbServer
from orange_crank.store.trail import AUDITED, lay_trail
from tests.doing import shop_app, signed_in_client

# Tables whose rows change and that are no record: keys of requests, what can be worked out again, scratch,
# which import a row came by, and what was practised.
NO_RECORD = {
    "request_kept",
    "unit_forecast",
    "analysis",
    "sweep_run",
    "sweep_part",
    "origin",
    "import_line",
    "practice_run",
    "practice_set",
    # Who is signed in and by what: hashes, which no trail shall copy; the audit says that one changed.
    "vain_try",
    "challenge",
    "passkey",
    "invitation",
    "sign_in_session",
    "sign_in_event",
    "credential",
    # Where a device is told, and how somebody reads figures.
    "push_subscription",
    "push_message",
    "preference",
}
PROTECTED = (
    "DROP TRIGGER reading_no_update",
    "CREATE OR REPLACE TRIGGER reading_no_update BEFORE UPDATE ON reading FOR EACH ROW SET @x = 1",
    "DROP TRIGGER unit_trail_update",
    "DROP TABLE change_trail",
    "TRUNCATE TABLE change_trail",
    "ALTER TABLE reading ADD COLUMN x INT",
    "DELETE FROM change_trail",
    "UPDATE change_trail SET person_id = 2",
    "DELETE FROM reading",
    "CREATE TABLE aside (id INT)",
    "GRANT ALL ON orange_crank.* TO 'orange_crank'@'127.0.0.1'",
    "SET GLOBAL general_log = 0",
)


def newest() -> ChangeTrail:
    return ChangeTrail.select().order_by(ChangeTrail.id.desc()).get()


@pytest.fixture
def client(records: MariaDbServer) -> TestClient:
    del records
    return signed_in_client(shop_app(), person=3)


@pytest.mark.parametrize("statement", PROTECTED)
def test_the_applications_own_account_cannot_undo_the_record(records: MariaDbServer, statement: str) -> None:
    at = records.connection()
    with session():
        loaded = ChangeTrail.select().count()
    line = pymysql.connect(
        host=at.host,
        port=at.port,
        user=at.user,
        password=at.password.get_secret_value(),
        database=at.name,
    )
    try:
        # Something to be changed or deleted: a trigger asks about rows, not about statements.
        with line.cursor() as cursor:
            cursor.execute("UPDATE site SET contact = 'changed' WHERE id = 1")
        line.commit()
        with line.cursor() as cursor, pytest.raises(pymysql.err.MySQLError):
            cursor.execute(statement)
    finally:
        line.close()
    with session():
        assert ChangeTrail.select().count() == loaded + 1


def test_every_table_is_append_only_or_audited_or_no_record(records: MariaDbServer) -> None:
    del records
    with as_owner() as owner:
        kept = {
            str(name) for (name,) in owner.execute_sql("SELECT trigger_name FROM information_schema.triggers")
        }
    for model in TABLES:
        name = str(model._meta.table_name)
        append_only = {f"{name}_no_update", f"{name}_no_delete"} <= kept
        assert append_only + (model in AUDITED) + (name in NO_RECORD) == 1, name
        if model in AUDITED:
            assert {f"{name}_trail_update", f"{name}_trail_delete"} <= kept


def test_a_change_tells_who_from_what_to_what_and_when(client: TestClient) -> None:
    site = client.get("/api/sites").json()[0]
    body = {k: site[k] for k in ("name", "place", "access_note", "contact", "version")}
    assert (
        client.put(f"/api/sites/{site['id']}", json=body | {"contact": "Ask at the desk"}).status_code == 200
    )
    [line] = client.get("/api/audit/trail?table=site").json()
    assert (line["row"], line["verb"], line["person"]) == (str(site["id"]), "update", "Bettany Rook")
    assert line["was"] == {"contact": site["contact"], "version": site["version"]}
    assert line["becomes"] == {"contact": "Ask at the desk", "version": site["version"] + 1}


def test_who_asks_next_is_not_taken_for_who_asked_before(client: TestClient) -> None:
    for person, note in (("3", "one"), ("4", "two"), ("1", "three")):
        call = client.get("/api/calls/4").json()
        edit = {"version": call["version"], "note": note}
        answer = client.patch("/api/calls/4", json=edit, headers={"As-Person": person})
        assert answer.status_code == 200, answer.text
        client.get("/api/calls/4")
    with session(), transaction():
        Unit.update(note="by itself").where(Unit.id == 1).execute()
    told = client.get("/api/audit/trail").json()
    assert [(t["table"], t["person"]) for t in told[:4]] == [
        ("unit", ""),
        ("service_call", "Marlo Quist"),
        ("service_call", "Osk Fennimore"),
        ("service_call", "Bettany Rook"),
    ]


def test_a_reading_is_no_change_of_the_call_and_a_rollback_leaves_no_trace(client: TestClient) -> None:
    loaded = client.get("/api/audit/trail").json()
    entry = {"quantity": "running_a", "value": 15.0}
    assert client.post("/api/calls/4/readings", json=entry).status_code == 201
    with work_of(3), session(), transaction() as held:
        Person.update(role="office").where(Person.id == 1).execute()
        held.rollback()
    assert client.get("/api/audit/trail").json() == loaded


def test_what_is_deleted_is_kept_whole(records: MariaDbServer) -> None:
    del records
    with work_of(3), session():
        made = Site.create(name="Nowhere", place="", contact="Nobody")
        Site.delete().where(Site.id == made.id).execute()
        line = newest()
    assert (line.verb, line.person_id, line.becomes) == ("delete", 3, {})
    assert line.was["name"] == "Nowhere"
    assert line.was["contact"] == "Nobody"


def test_only_the_lead_and_the_office_see_it(client: TestClient) -> None:
    refused = client.get("/api/audit/trail", headers={"As-Person": "1"})
    assert refused.status_code == 403
    assert refused.json()["next_step"] == "Ask Bettany Rook or Osk Fennimore."


def test_it_goes_on_where_a_page_ended_and_over_all_kinds_of_value(client: TestClient) -> None:
    with work_of(4), session():
        for i in range(5):
            ServiceCall.update(note=f"note {i} “x” \\ \n é").where(ServiceCall.id == 4).execute()
    told = client.get("/api/audit/trail").json()
    rest = client.get(f"/api/audit/trail?before={told[1]['id']}").json()
    assert [t["id"] for t in told] == [*(t["id"] for t in told[:2]), *(t["id"] for t in rest)]
    assert told[0]["becomes"] == {"note": "note 4 “x” \\ \n é"}


def test_a_trigger_that_was_taken_away_is_laid_again(records: MariaDbServer) -> None:
    del records
    with as_owner() as owner:
        owner.execute_sql("DROP TRIGGER site_trail_update")
        assert lay_trail(owner) == ["site_trail_update"]
        assert lay_trail(owner) == []
    with session():
        Site.update(contact="again").where(Site.id == 1).execute()
        assert newest().becomes == {"contact": "again"}
        assert proxy.obj.execute_sql("SELECT @orange_crank_person").fetchone() == (None,)


def test_asking_changes_no_row(client: TestClient) -> None:
    """Who only reads is told to the database as nobody: it may not change what tells of somebody."""
    loaded = client.get("/api/audit/trail").json()
    asked = 0
    for path, way in shop_app().openapi()["paths"].items():
        if "get" not in way or path.endswith(("/stream", "/api/moves", "/archive.zip")):
            continue
        for number in ("1", "4"):
            answer = client.get(re.sub(r"\{\w+\}", number, path))
            assert answer.status_code < 500, (path, answer.text)
            asked += answer.status_code == 200
    assert asked > 60
    assert client.get("/api/audit/trail").json() == loaded
