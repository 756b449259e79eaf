"""Full-text indexes for the search, and the ordered ones beside them."""

from typing import Any

STATEMENTS = (
    "ALTER TABLE unit ADD FULLTEXT KEY unit_words (name, kind, note, serial, model)",
    "ALTER TABLE site ADD FULLTEXT KEY site_words (name, place, access_note, contact)",
    "ALTER TABLE service_call ADD FULLTEXT KEY call_words (complaint, note, spoken_to, parts_ordered)",
    "ALTER TABLE reading ADD FULLTEXT KEY reading_words (note)",
    "ALTER TABLE change_made ADD FULLTEXT KEY change_words (what)",
    "ALTER TABLE person ADD KEY person_name (name)",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
