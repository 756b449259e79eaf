"""Captured waveforms, photographs, cooling clocks, and the shop's own standards with their history."""

from typing import Any

TABLES = """
CREATE TABLE capture (
    id INT AUTO_INCREMENT PRIMARY KEY,
    call_id INT NOT NULL REFERENCES service_call (id),
    name VARCHAR(120) NOT NULL,
    sample_hz DOUBLE NOT NULL,
    line_hz DOUBLE NOT NULL,
    channels JSON NOT NULL,
    notes JSON NOT NULL,
    sample_count INT NOT NULL,
    samples LONGBLOB NOT NULL,
    sha256 CHAR(64) NOT NULL,
    recorded_at DATETIME(6) NOT NULL,
    person_id INT NOT NULL REFERENCES person (id),
    KEY captures_of_call (call_id, id)
);
CREATE TABLE photo (
    id INT AUTO_INCREMENT PRIMARY KEY,
    call_id INT NOT NULL REFERENCES service_call (id),
    subject VARCHAR(20) NOT NULL,
    caption VARCHAR(400) NOT NULL,
    width_px INT NOT NULL,
    height_px INT NOT NULL,
    jpeg LONGBLOB NOT NULL,
    sha256 CHAR(64) NOT NULL,
    recorded_at DATETIME(6) NOT NULL,
    person_id INT NOT NULL REFERENCES person (id),
    KEY photos_of_call (call_id, id)
);
CREATE TABLE shop_standard (
    id INT AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(60) NOT NULL,
    value DOUBLE NOT NULL,
    why VARCHAR(400) NOT NULL,
    set_at DATETIME(6) NOT NULL,
    person_id INT NOT NULL REFERENCES person (id),
    KEY standard_history (name, id)
);
CREATE TABLE cooling_clock (
    id INT AUTO_INCREMENT PRIMARY KEY,
    call_id INT NOT NULL REFERENCES service_call (id),
    minutes_min DOUBLE NOT NULL,
    shell_f DOUBLE NULL,
    started_at DATETIME(6) NOT NULL,
    person_id INT NOT NULL REFERENCES person (id),
    ended_at DATETIME(6) NULL,
    ended_by_id INT NULL REFERENCES person (id),
    KEY clocks_running (ended_at, call_id)
)
"""

APPEND_ONLY = ("capture", "photo", "shop_standard")


def up(migrator: Any, db: Any) -> None:
    for statement in TABLES.split(";"):
        db.execute_sql(statement + " ENGINE=InnoDB")
    for table in APPEND_ONLY:
        for verb in ("UPDATE", "DELETE"):
            db.execute_sql(
                f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} FOR EACH ROW "
                f"SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{table} is append-only'"
            )
