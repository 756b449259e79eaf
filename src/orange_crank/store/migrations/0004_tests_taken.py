"""Tests of several readings taken together, as entered; judged whenever read."""

from typing import Any


def up(migrator: Any, db: Any) -> None:
    db.execute_sql(
        "CREATE TABLE test_taken ("
        "id INT AUTO_INCREMENT PRIMARY KEY, "
        "call_id INT NOT NULL REFERENCES service_call (id), "
        "topic VARCHAR(40) NOT NULL, "
        "entry JSON NOT NULL, "
        "call_state VARCHAR(20) NOT NULL, "
        "without_make_safe TEXT NULL, "
        "taken_at DATETIME(6) NOT NULL, "
        "person_id INT NOT NULL REFERENCES person (id), "
        "request_key VARCHAR(80) NULL, "
        "UNIQUE KEY one_test_per_request (request_key), "
        "KEY tests_of_call (call_id, id)) ENGINE=InnoDB"
    )
    for verb in ("UPDATE", "DELETE"):
        db.execute_sql(
            f"CREATE TRIGGER test_taken_no_{verb.lower()} BEFORE {verb} ON test_taken FOR EACH ROW "
            "SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'test_taken is append-only'"
        )
