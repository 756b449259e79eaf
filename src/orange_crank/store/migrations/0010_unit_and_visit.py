"""A unit beside its plate, who was spoken to on a call, and which pole or lug a reading is of."""

from typing import Any

STATEMENTS = (
    "ALTER TABLE reading ADD COLUMN spot VARCHAR(40) NULL",
    "ALTER TABLE service_call ADD COLUMN spoken_to VARCHAR(400) NOT NULL DEFAULT '', "
    "ADD COLUMN parts_ordered VARCHAR(400) NOT NULL DEFAULT ''",
    "ALTER TABLE unit ADD COLUMN serial VARCHAR(80) NOT NULL DEFAULT '', "
    "ADD COLUMN model VARCHAR(80) NOT NULL DEFAULT '', ADD COLUMN built_year INT NULL, "
    "ADD COLUMN warranty_until DATE NULL, ADD COLUMN access_note TEXT NOT NULL DEFAULT '', "
    "ADD KEY unit_serial (serial)",
    "ALTER TABLE site ADD COLUMN contact VARCHAR(400) NOT NULL DEFAULT ''",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
