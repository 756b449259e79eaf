"""Who signs in: passphrases, PINs, passkeys, sessions, invitations, and who tried in vain how often."""

from typing import Any

STATEMENTS = (
    """CREATE TABLE IF NOT EXISTS credential (
        person_id INT NOT NULL PRIMARY KEY,
        passphrase_hash VARCHAR(255) NULL,
        pin_hash VARCHAR(255) NULL,
        changed_at DATETIME(6) NOT NULL,
        CONSTRAINT credential_person FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
    """CREATE TABLE IF NOT EXISTS sign_in_session (
        id INT AUTO_INCREMENT PRIMARY KEY,
        token_hash CHAR(64) NOT NULL,
        person_id INT NOT NULL,
        device VARCHAR(80) NOT NULL,
        shared BOOL NOT NULL,
        way VARCHAR(12) NOT NULL,
        began_at DATETIME(6) NOT NULL,
        seen_at DATETIME(6) NOT NULL,
        ended_at DATETIME(6) NULL,
        UNIQUE KEY session_token (token_hash),
        KEY session_of (person_id, ended_at),
        CONSTRAINT session_person FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
    """CREATE TABLE IF NOT EXISTS invitation (
        id INT AUTO_INCREMENT PRIMARY KEY,
        token_hash CHAR(64) NOT NULL,
        person_id INT NOT NULL,
        made_by_id INT NULL,
        made_at DATETIME(6) NOT NULL,
        ends_at DATETIME(6) NOT NULL,
        used_at DATETIME(6) NULL,
        UNIQUE KEY invitation_token (token_hash),
        CONSTRAINT invitation_person FOREIGN KEY (person_id) REFERENCES person (id),
        CONSTRAINT invitation_made_by FOREIGN KEY (made_by_id) REFERENCES person (id)
    )""",
    """CREATE TABLE IF NOT EXISTS passkey (
        id INT AUTO_INCREMENT PRIMARY KEY,
        person_id INT NOT NULL,
        key_name VARCHAR(700) NOT NULL,
        public_key TEXT NOT NULL,
        sign_count BIGINT NOT NULL,
        device VARCHAR(80) NOT NULL,
        made_at DATETIME(6) NOT NULL,
        used_at DATETIME(6) NULL,
        ended_at DATETIME(6) NULL,
        UNIQUE KEY passkey_name (key_name),
        CONSTRAINT passkey_person FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
    """CREATE TABLE IF NOT EXISTS challenge (
        token_hash CHAR(64) NOT NULL PRIMARY KEY,
        person_id INT NULL,
        made_at DATETIME(6) NOT NULL
    )""",
    """CREATE TABLE IF NOT EXISTS vain_try (
        whose CHAR(64) NOT NULL PRIMARY KEY,
        tries INT NOT NULL,
        last_at DATETIME(6) NOT NULL
    )""",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
