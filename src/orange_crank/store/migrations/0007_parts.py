"""The shop's own parts, prices, and what lies in each van; moves of stock are append-only."""

from typing import Any

STATEMENTS = (
    """
    CREATE TABLE own_part (
        id INT AUTO_INCREMENT PRIMARY KEY,
        part VARCHAR(40) NOT NULL UNIQUE,
        body LONGTEXT NOT NULL CHECK (JSON_VALID(body)),
        set_at DATETIME(6) NOT NULL,
        person_id INT NOT NULL REFERENCES person (id)
    ) ENGINE=InnoDB
    """,
    """
    CREATE TABLE part_price (
        id INT AUTO_INCREMENT PRIMARY KEY,
        part VARCHAR(40) NOT NULL,
        price DOUBLE NOT NULL CHECK (price > 0),
        set_at DATETIME(6) NOT NULL,
        person_id INT NOT NULL REFERENCES person (id),
        KEY price_of_part (part, id)
    ) ENGINE=InnoDB
    """,
    """
    CREATE TABLE stock_move (
        id INT AUTO_INCREMENT PRIMARY KEY,
        part VARCHAR(40) NOT NULL,
        holder_id INT NOT NULL REFERENCES person (id),
        moved_count INT NOT NULL,
        reason VARCHAR(12) NOT NULL,
        call_id INT NULL REFERENCES service_call (id),
        note VARCHAR(400) NULL,
        moved_at DATETIME(6) NOT NULL,
        person_id INT NOT NULL REFERENCES person (id),
        KEY stock_of_holder (holder_id, part),
        KEY moves_of_call (call_id, id)
    ) ENGINE=InnoDB
    """,
    """
    CREATE TABLE stock_want (
        id INT AUTO_INCREMENT PRIMARY KEY,
        part VARCHAR(40) NOT NULL,
        holder_id INT NOT NULL REFERENCES person (id),
        want_count INT NOT NULL,
        UNIQUE KEY want_of_holder (holder_id, part)
    ) ENGINE=InnoDB
    """,
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
    for table in ("stock_move", "part_price"):
        for verb in ("UPDATE", "DELETE"):
            db.execute_sql(
                f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} FOR EACH ROW "
                f"SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{table} is append-only'"
            )
