"""Known devices, sign-in events, the seals that prove the record, and where imported calls came from."""

from typing import Any

STATEMENTS = (
    "ALTER TABLE sign_in_session ADD COLUMN device_hash CHAR(64) NULL, ADD COLUMN proved_at DATETIME(6) NULL",
    "ALTER TABLE sign_in_session ADD KEY session_device (device_hash, person_id)",
    """CREATE TABLE IF NOT EXISTS sign_in_event (
        id INT AUTO_INCREMENT PRIMARY KEY,
        kind VARCHAR(20) NOT NULL,
        person_id INT NULL,
        name VARCHAR(80) NOT NULL,
        address VARCHAR(64) NOT NULL,
        device VARCHAR(80) NOT NULL,
        detail VARCHAR(200) NOT NULL,
        tries INT NOT NULL,
        first_at DATETIME(6) NOT NULL,
        last_at DATETIME(6) NOT NULL,
        KEY event_at (last_at),
        CONSTRAINT event_person FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
    """CREATE TABLE IF NOT EXISTS record_seal (
        id INT AUTO_INCREMENT PRIMARY KEY,
        table_name VARCHAR(40) NOT NULL,
        columns_json TEXT NOT NULL,
        after_id INT NOT NULL,
        last_id INT NOT NULL,
        row_count INT NOT NULL,
        chain CHAR(64) NOT NULL,
        mac CHAR(64) NOT NULL,
        closed_at DATETIME(6) NOT NULL,
        UNIQUE KEY seal_once (table_name, after_id)
    )""",
    """CREATE TABLE IF NOT EXISTS archive_import (
        id INT AUTO_INCREMENT PRIMARY KEY,
        shop VARCHAR(200) NOT NULL,
        shop_uid CHAR(36) NOT NULL,
        known BOOL NOT NULL,
        imported_at DATETIME(6) NOT NULL,
        imported_by VARCHAR(80) NOT NULL
    )""",
    """CREATE TABLE IF NOT EXISTS call_import (
        call_id INT NOT NULL PRIMARY KEY,
        import_id INT NOT NULL,
        CONSTRAINT imported_call FOREIGN KEY (call_id) REFERENCES service_call (id),
        CONSTRAINT imported_by FOREIGN KEY (import_id) REFERENCES archive_import (id)
    )""",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
    for table in ("record_seal", "archive_import", "call_import"):
        for verb in ("UPDATE", "DELETE"):
            db.execute_sql(
                f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} FOR EACH ROW "
                f"SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{table} is append-only'"
            )
