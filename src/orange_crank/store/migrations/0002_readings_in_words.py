"""Readings that are a word or a yes/no beside those that are a figure."""

from typing import Any


def up(migrator: Any, db: Any) -> None:
    db.execute_sql(
        "ALTER TABLE reading "
        "MODIFY value DOUBLE NULL, "
        "ADD COLUMN value_word VARCHAR(40) NULL AFTER value, "
        "ADD COLUMN accuracy_pct DOUBLE NULL AFTER later_a, "
        "ADD CONSTRAINT one_value CHECK ((value IS NULL) <> (value_word IS NULL))"
    )
