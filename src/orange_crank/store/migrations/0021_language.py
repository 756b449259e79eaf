"""Language of a person and of a customer, and what a site is like: how high, and how hot its hottest days."""

from typing import Any


def up(migrator: Any, db: Any) -> None:
    db.execute_sql("ALTER TABLE preference ADD COLUMN language CHAR(2) NOT NULL DEFAULT 'en'")
    db.execute_sql(
        "ALTER TABLE site ADD COLUMN language CHAR(2) NOT NULL DEFAULT 'en', "
        "ADD COLUMN elevation_ft DOUBLE NULL, ADD COLUMN design_f DOUBLE NULL"
    )
