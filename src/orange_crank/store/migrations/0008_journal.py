"""A call's journal: each entry has its number, and closing keeps what the call was judged by.

Also: which part a change replaced, the ohms of the meter's leads, when the volts of a make-safe record were
taken, one table of request keys for every kind of write, and a note on what the records are.
"""

from typing import Any

# Table and the moment its rows were recorded at; rows of one moment keep this order.
JOURNALED = (
    ("safety_event", "happened_at"),
    ("test_taken", "taken_at"),
    ("reading", "recorded_at"),
    ("capture", "recorded_at"),
    ("decision", "decided_at"),
    ("change_made", "made_at"),
)
STATEMENTS = (
    """
    ALTER TABLE service_call
        ADD COLUMN entries INT NOT NULL DEFAULT 0,
        ADD COLUMN closed_reason VARCHAR(400) NULL,
        ADD COLUMN closed_plate INT NULL,
        ADD COLUMN closed_standard INT NULL,
        ADD COLUMN closed_reading INT NULL,
        ADD COLUMN closed_change INT NULL
    """,
    "ALTER TABLE change_made ADD COLUMN part VARCHAR(20) NULL",
    "ALTER TABLE reading ADD COLUMN lead_ohm DOUBLE NULL",
    "ALTER TABLE safety_event ADD COLUMN volts_taken_at DATETIME(6) NULL, ADD COLUMN leads_back BOOLEAN NULL",
    """
    CREATE TABLE request_kept (
        id INT AUTO_INCREMENT PRIMARY KEY,
        request_key VARCHAR(80) CHARACTER SET ascii COLLATE ascii_bin NOT NULL UNIQUE,
        digest CHAR(64) NOT NULL,
        result INT NULL,
        kept_at DATETIME(6) NOT NULL
    ) ENGINE=InnoDB
    """,
    """
    INSERT INTO request_kept (request_key, digest, result, kept_at)
        SELECT request_key, '', id, recorded_at FROM reading WHERE request_key IS NOT NULL
    """,
    """
    INSERT IGNORE INTO request_kept (request_key, digest, result, kept_at)
        SELECT request_key, '', id, taken_at FROM test_taken WHERE request_key IS NOT NULL
    """,
    """
    ALTER TABLE reading
        DROP KEY one_reading_per_request, DROP COLUMN request_key, DROP COLUMN request_digest
    """,
    "ALTER TABLE test_taken DROP KEY one_test_per_request, DROP COLUMN request_key",
    """
    CREATE TABLE shop_fact (
        name VARCHAR(40) PRIMARY KEY,
        value VARCHAR(400) NOT NULL
    ) ENGINE=InnoDB
    """,
)


def _order() -> str:
    rows = " UNION ALL ".join(
        f"SELECT '{table}' AS place_of, {rank} AS place_rank, id, call_id, {moment} AS moment FROM {table}"
        for rank, (table, moment) in enumerate(JOURNALED)
    )
    return (
        "CREATE TEMPORARY TABLE journal_order AS SELECT place_of, id, call_id, ROW_NUMBER() OVER "
        f"(PARTITION BY call_id ORDER BY moment, place_rank, id) AS entry_no FROM ({rows}) AS entry"
    )


def _triggers(db: Any, table: str) -> None:
    for verb in ("UPDATE", "DELETE"):
        db.execute_sql(
            f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} FOR EACH ROW "
            f"SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{table} is append-only'"
        )


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
    db.execute_sql(_order())
    for table, _ in JOURNALED:
        db.execute_sql(f"ALTER TABLE {table} ADD COLUMN entry_no INT NOT NULL DEFAULT 0")
        for verb in ("update", "delete"):
            db.execute_sql(f"DROP TRIGGER IF EXISTS {table}_no_{verb}")
        db.execute_sql(
            f"UPDATE {table} JOIN journal_order ON journal_order.place_of = '{table}' "
            f"AND journal_order.id = {table}.id SET {table}.entry_no = journal_order.entry_no"
        )
        _triggers(db, table)
    db.execute_sql(
        "UPDATE service_call JOIN (SELECT call_id, MAX(entry_no) AS last FROM journal_order "
        "GROUP BY call_id) AS ends ON ends.call_id = service_call.id SET service_call.entries = ends.last"
    )
    db.execute_sql("DROP TEMPORARY TABLE journal_order")
    for column, newest, table, moment in (
        ("closed_plate", "number", "plate", "unit_id = service_call.unit_id AND recorded_at"),
        ("closed_standard", "id", "shop_standard", "set_at"),
        ("closed_reading", "id", "reading", "recorded_at"),
        ("closed_change", "id", "change_made", "made_at"),
    ):
        db.execute_sql(
            f"UPDATE service_call SET {column} = (SELECT COALESCE(MAX({newest}), 0) FROM {table} "
            f"WHERE {moment} <= service_call.closed_at) WHERE status = 'closed'"
        )
