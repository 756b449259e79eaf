"""What starts a single-phase compressor, as the nameplate form has it."""

from typing import Any


def up(migrator: Any, db: Any) -> None:
    db.execute_sql("ALTER TABLE plate ADD COLUMN starts_with VARCHAR(30) NULL")
