"""Starts by ear: the sound itself, its start time with an uncertainty; where a capture's clamp was."""

from typing import Any

STATEMENTS = """
CREATE TABLE sound (
    id INT AUTO_INCREMENT PRIMARY KEY,
    call_id INT NOT NULL REFERENCES service_call (id),
    wav LONGBLOB NOT NULL,
    sha256 CHAR(64) NOT NULL,
    recorded_at DATETIME(6) NOT NULL,
    person_id INT NOT NULL REFERENCES person (id),
    KEY sounds_of_call (call_id, id)
) ENGINE=InnoDB;
ALTER TABLE reading ADD COLUMN plus_minus DOUBLE NULL, ADD COLUMN timed_by VARCHAR(10) NULL;
ALTER TABLE capture ADD COLUMN conductor VARCHAR(20) NULL
"""


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS.split(";"):
        db.execute_sql(statement)
    for verb in ("UPDATE", "DELETE"):
        db.execute_sql(
            f"CREATE TRIGGER sound_no_{verb.lower()} BEFORE {verb} ON sound FOR EACH ROW "
            "SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'sound is append-only'"
        )
