"""What a device is told while the program is closed on it, and how each person reads figures and dates."""

from typing import Any

STATEMENTS = (
    """CREATE TABLE IF NOT EXISTS push_subscription (
        id INT AUTO_INCREMENT PRIMARY KEY,
        session_id INT NOT NULL,
        endpoint VARCHAR(1000) NOT NULL,
        endpoint_hash CHAR(64) NOT NULL,
        device_key VARCHAR(100) NOT NULL,
        device_secret VARCHAR(40) NOT NULL,
        made_at DATETIME(6) NOT NULL,
        ended_at DATETIME(6) NULL,
        trouble VARCHAR(300) NULL,
        UNIQUE KEY push_endpoint (endpoint_hash),
        UNIQUE KEY push_of_session (session_id),
        CONSTRAINT push_session FOREIGN KEY (session_id) REFERENCES sign_in_session (id)
    )""",
    """CREATE TABLE IF NOT EXISTS push_message (
        id INT AUTO_INCREMENT PRIMARY KEY,
        subscription_id INT NOT NULL,
        what VARCHAR(60) NOT NULL,
        tries INT NOT NULL,
        next_at DATETIME(6) NOT NULL,
        sent_at DATETIME(6) NULL,
        UNIQUE KEY push_once (subscription_id, what),
        CONSTRAINT push_message_of FOREIGN KEY (subscription_id) REFERENCES push_subscription (id)
            ON DELETE CASCADE
    )""",
    """CREATE TABLE IF NOT EXISTS preference (
        person_id INT NOT NULL PRIMARY KEY,
        temperature CHAR(1) NOT NULL,
        distance VARCHAR(2) NOT NULL,
        region VARCHAR(5) NOT NULL,
        hours INT NOT NULL,
        changed_at DATETIME(6) NOT NULL,
        CONSTRAINT preference_of FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
