"""What was told, looked at and decided on a call: append-only, the newest of each kind counts."""

from typing import Any

STATEMENT = """
CREATE TABLE decision (
    id INT AUTO_INCREMENT PRIMARY KEY,
    call_id INT NOT NULL REFERENCES service_call (id),
    kind VARCHAR(20) NOT NULL,
    body LONGTEXT NOT NULL CHECK (JSON_VALID(body)),
    decided_at DATETIME(6) NOT NULL,
    person_id INT NOT NULL REFERENCES person (id),
    KEY decisions_of_call (call_id, kind, id)
) ENGINE=InnoDB
"""


def up(migrator: Any, db: Any) -> None:
    db.execute_sql(STATEMENT)
    for verb in ("UPDATE", "DELETE"):
        db.execute_sql(
            f"CREATE TRIGGER decision_no_{verb.lower()} BEFORE {verb} ON decision FOR EACH ROW "
            "SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'decision is append-only'"
        )
