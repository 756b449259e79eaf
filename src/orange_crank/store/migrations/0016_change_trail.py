"""Who changed what, from what, when: written by the database itself, and append-only."""

from typing import Any


def up(migrator: Any, db: Any) -> None:
    db.execute_sql(
        """CREATE TABLE change_trail (
            id INT AUTO_INCREMENT PRIMARY KEY,
            table_name VARCHAR(40) NOT NULL,
            row_name VARCHAR(64) NOT NULL,
            verb VARCHAR(6) NOT NULL,
            person_id INT NULL,
            happened_at DATETIME(6) NOT NULL,
            was LONGTEXT NOT NULL,
            becomes LONGTEXT NOT NULL,
            KEY trail_of (table_name, row_name, id)
        )"""
    )
    for verb in ("UPDATE", "DELETE"):
        db.execute_sql(
            f"CREATE TRIGGER change_trail_no_{verb.lower()} BEFORE {verb} ON change_trail FOR EACH ROW "
            "SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'change_trail is append-only'"
        )
