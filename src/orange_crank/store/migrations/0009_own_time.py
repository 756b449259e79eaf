"""A capture keeps its file's own time: where its first sample stands, and its date where one is said."""

from typing import Any

STATEMENTS = (
    "ALTER TABLE capture ADD COLUMN start_s DOUBLE NOT NULL DEFAULT 0, ADD COLUMN stamp VARCHAR(40) NULL",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
