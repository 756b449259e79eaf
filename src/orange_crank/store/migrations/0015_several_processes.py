"""What several processes share: grid runs of the lab, and what was read off files on record."""

from typing import Any

STATEMENTS = (
    """CREATE TABLE IF NOT EXISTS sweep_run (
        id INT AUTO_INCREMENT PRIMARY KEY,
        name CHAR(32) NOT NULL,
        fields TEXT NOT NULL,
        total INT NOT NULL,
        status VARCHAR(10) NOT NULL,
        problem TEXT NULL,
        begun_at DATETIME(6) NOT NULL,
        beat_at DATETIME(6) NOT NULL,
        UNIQUE KEY sweep_name (name)
    )""",
    """CREATE TABLE IF NOT EXISTS sweep_part (
        id INT AUTO_INCREMENT PRIMARY KEY,
        run_id INT NOT NULL,
        row_count INT NOT NULL,
        body LONGTEXT NOT NULL,
        CONSTRAINT sweep_part_run FOREIGN KEY (run_id) REFERENCES sweep_run (id)
    )""",
    """CREATE TABLE IF NOT EXISTS analysis (
        id INT AUTO_INCREMENT PRIMARY KEY,
        kind VARCHAR(12) NOT NULL,
        number INT NOT NULL,
        read_by CHAR(64) NOT NULL,
        body LONGTEXT NOT NULL,
        UNIQUE KEY analysis_of (kind, number)
    )""",
    "ALTER TABLE service_call ADD KEY IF NOT EXISTS call_closed (status, closed_at)",
    "ALTER TABLE decision ADD KEY IF NOT EXISTS decision_kind (kind, id)",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
