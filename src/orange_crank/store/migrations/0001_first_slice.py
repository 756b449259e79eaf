"""Sites, units, plates, calls, the make-safe record, readings and changes.

Written as SQL so that what the database holds is read here, not guessed from models.
"""

from typing import Any

TABLES = """
CREATE TABLE person (
    id INT AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(80) NOT NULL UNIQUE,
    role VARCHAR(20) NOT NULL,
    initials VARCHAR(4) NOT NULL,
    active BOOLEAN NOT NULL DEFAULT TRUE
);
CREATE TABLE site (
    id INT AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(80) NOT NULL UNIQUE,
    place VARCHAR(120) NOT NULL DEFAULT '',
    access_note TEXT NOT NULL DEFAULT '',
    version INT NOT NULL DEFAULT 1
);
CREATE TABLE unit (
    id INT AUTO_INCREMENT PRIMARY KEY,
    site_id INT NOT NULL REFERENCES site (id),
    name VARCHAR(80) NOT NULL,
    kind VARCHAR(80) NOT NULL DEFAULT '',
    note TEXT NOT NULL DEFAULT '',
    version INT NOT NULL DEFAULT 1,
    UNIQUE KEY unit_of_site (site_id, name)
);
CREATE TABLE service_call (
    id INT AUTO_INCREMENT PRIMARY KEY,
    unit_id INT NOT NULL REFERENCES unit (id),
    complaint VARCHAR(400) NOT NULL,
    note TEXT NOT NULL DEFAULT '',
    status VARCHAR(10) NOT NULL DEFAULT 'open',
    opened_at DATETIME(6) NOT NULL,
    opened_by_id INT NOT NULL REFERENCES person (id),
    closed_at DATETIME(6) NULL,
    version INT NOT NULL DEFAULT 1,
    KEY call_status (status, opened_at)
);
CREATE TABLE plate (
    id INT AUTO_INCREMENT PRIMARY KEY,
    unit_id INT NOT NULL REFERENCES unit (id),
    call_id INT NULL REFERENCES service_call (id),
    number INT NOT NULL,
    volts_v DOUBLE NOT NULL,
    phase TINYINT NOT NULL,
    other_a DOUBLE NULL,
    mca_a DOUBLE NULL,
    mocp_a DOUBLE NULL,
    run_cap_uf DOUBLE NULL,
    fan_cap_uf DOUBLE NULL,
    cooling_ton DOUBLE NULL,
    inverter BOOLEAN NULL,
    refrigerant VARCHAR(80) NULL,
    metering VARCHAR(10) NULL,
    overcurrent_allowed VARCHAR(20) NULL,
    recorded_at DATETIME(6) NOT NULL,
    recorded_by_id INT NOT NULL REFERENCES person (id),
    UNIQUE KEY plate_number (unit_id, number)
);
CREATE TABLE plate_compressor (
    id INT AUTO_INCREMENT PRIMARY KEY,
    plate_id INT NOT NULL REFERENCES plate (id),
    position INT NOT NULL,
    rla_a DOUBLE NOT NULL,
    lra_a DOUBLE NULL,
    bcsc_a DOUBLE NULL,
    kind VARCHAR(80) NULL,
    UNIQUE KEY compressor_position (plate_id, position)
);
CREATE TABLE plate_motor (
    id INT AUTO_INCREMENT PRIMARY KEY,
    plate_id INT NOT NULL REFERENCES plate (id),
    position INT NOT NULL,
    fla_a DOUBLE NOT NULL,
    lra_a DOUBLE NULL,
    UNIQUE KEY motor_position (plate_id, position)
);
CREATE TABLE make_safe_record (
    id INT AUTO_INCREMENT PRIMARY KEY,
    call_id INT NOT NULL REFERENCES service_call (id),
    record JSON NOT NULL,
    recorded_at DATETIME(6) NOT NULL,
    person_id INT NOT NULL REFERENCES person (id)
);
CREATE TABLE safety_event (
    id INT AUTO_INCREMENT PRIMARY KEY,
    call_id INT NOT NULL REFERENCES service_call (id),
    kind VARCHAR(20) NOT NULL,
    make_safe_record_id INT NULL REFERENCES make_safe_record (id),
    detail VARCHAR(2000) NULL,
    happened_at DATETIME(6) NOT NULL,
    person_id INT NOT NULL REFERENCES person (id),
    KEY event_order (call_id, happened_at, id)
);
CREATE TABLE reading (
    id INT AUTO_INCREMENT PRIMARY KEY,
    call_id INT NOT NULL REFERENCES service_call (id),
    quantity VARCHAR(40) NOT NULL,
    value DOUBLE NOT NULL,
    unit VARCHAR(10) NOT NULL,
    meter_mode VARCHAR(20) NULL,
    conductor VARCHAR(20) NULL,
    line_v DOUBLE NULL,
    outdoor_f DOUBLE NULL,
    rest_min DOUBLE NULL,
    learning_starts INT NULL,
    outcome VARCHAR(10) NULL,
    start_s DOUBLE NULL,
    later_a DOUBLE NULL,
    aid VARCHAR(20) NULL,
    note TEXT NULL,
    call_state VARCHAR(20) NOT NULL,
    without_make_safe TEXT NULL,
    taken_at DATETIME(6) NOT NULL,
    recorded_at DATETIME(6) NOT NULL,
    person_id INT NOT NULL REFERENCES person (id),
    supersedes_id INT NULL REFERENCES reading (id),
    request_key VARCHAR(80) NULL,
    request_digest CHAR(64) NULL,
    UNIQUE KEY one_reading_per_request (request_key),
    UNIQUE KEY one_correction_per_reading (supersedes_id),
    KEY readings_of_call (call_id, taken_at, id)
);
CREATE TABLE change_made (
    id INT AUTO_INCREMENT PRIMARY KEY,
    call_id INT NOT NULL REFERENCES service_call (id),
    what VARCHAR(80) NOT NULL,
    made_at DATETIME(6) NOT NULL,
    person_id INT NOT NULL REFERENCES person (id),
    KEY changes_of_call (call_id, made_at, id)
)
"""

APPEND_ONLY = ("reading", "make_safe_record", "safety_event", "plate", "plate_compressor", "plate_motor")


def up(migrator: Any, db: Any) -> None:
    for statement in TABLES.split(";"):
        db.execute_sql(statement + " ENGINE=InnoDB")
    for table in APPEND_ONLY:
        for verb in ("UPDATE", "DELETE"):
            db.execute_sql(
                f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} FOR EACH ROW "
                f"SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{table} is append-only'"
            )
