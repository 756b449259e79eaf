"""A capture keeps its file's own time: where its first sample stands, and its date where one is said.

A plate may say horsepower and line frequency.
"""

from typing import Any

STATEMENTS = (
    "ALTER TABLE capture ADD COLUMN start_s DOUBLE NOT NULL DEFAULT 0, ADD COLUMN stamp VARCHAR(40) NULL",
    "ALTER TABLE plate ADD COLUMN compressor_hp DOUBLE NULL, ADD COLUMN line_hz DOUBLE NULL",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
