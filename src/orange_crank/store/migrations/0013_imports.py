"""Imports that can be taken back, and units merged into one another."""

from typing import Any

STATEMENTS = (
    """CREATE TABLE import_batch (
        id INT AUTO_INCREMENT PRIMARY KEY,
        kind VARCHAR(20) NOT NULL,
        told TEXT NOT NULL,
        made_at DATETIME(6) NOT NULL,
        person_id INT NOT NULL,
        undone_at DATETIME(6) NULL,
        undone_by_id INT NULL,
        CONSTRAINT import_batch_person FOREIGN KEY (person_id) REFERENCES person (id),
        CONSTRAINT import_batch_undone_by FOREIGN KEY (undone_by_id) REFERENCES person (id)
    )""",
    """CREATE TABLE import_line (
        id INT AUTO_INCREMENT PRIMARY KEY,
        batch_id INT NOT NULL,
        table_name VARCHAR(40) NOT NULL,
        row_id INT NOT NULL,
        was LONGTEXT NULL,
        made LONGTEXT NOT NULL,
        KEY import_line_batch (batch_id),
        CONSTRAINT import_line_batch_of FOREIGN KEY (batch_id) REFERENCES import_batch (id)
    )""",
    "ALTER TABLE unit DROP KEY unit_words",
    "ALTER TABLE unit ADD FULLTEXT KEY unit_words (name, kind, note, serial, model, access_note)",
    "ALTER TABLE unit ADD COLUMN merged_into_id INT NULL, "
    "ADD CONSTRAINT unit_merged_into FOREIGN KEY (merged_into_id) REFERENCES unit (id)",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
