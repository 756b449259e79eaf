"""Tasks with their story, visits to come, the shop's own details."""

from typing import Any

STATEMENTS = (
    """CREATE TABLE task (
        id INT AUTO_INCREMENT PRIMARY KEY,
        unit_id INT NOT NULL,
        call_id INT NULL,
        code VARCHAR(40) NOT NULL,
        title VARCHAR(200) NOT NULL,
        why TEXT NOT NULL,
        due_on DATE NOT NULL,
        status VARCHAR(10) NOT NULL DEFAULT 'open',
        assigned_id INT NULL,
        version INT NOT NULL DEFAULT 1,
        made_at DATETIME(6) NOT NULL,
        person_id INT NOT NULL,
        UNIQUE KEY task_once (call_id, code),
        KEY task_due (status, due_on),
        CONSTRAINT task_unit FOREIGN KEY (unit_id) REFERENCES unit (id),
        CONSTRAINT task_call FOREIGN KEY (call_id) REFERENCES service_call (id),
        CONSTRAINT task_assigned FOREIGN KEY (assigned_id) REFERENCES person (id),
        CONSTRAINT task_person FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
    """CREATE TABLE task_step (
        id INT AUTO_INCREMENT PRIMARY KEY,
        task_id INT NOT NULL,
        what VARCHAR(12) NOT NULL,
        reason VARCHAR(400) NOT NULL DEFAULT '',
        due_on DATE NULL,
        assigned_id INT NULL,
        happened_at DATETIME(6) NOT NULL,
        person_id INT NOT NULL,
        CONSTRAINT task_step_task FOREIGN KEY (task_id) REFERENCES task (id),
        CONSTRAINT task_step_assigned FOREIGN KEY (assigned_id) REFERENCES person (id),
        CONSTRAINT task_step_person FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
    """CREATE TABLE planned_visit (
        id INT AUTO_INCREMENT PRIMARY KEY,
        unit_id INT NOT NULL,
        visitor_id INT NOT NULL,
        starts_at DATETIME(6) NOT NULL,
        minutes INT NOT NULL,
        purpose VARCHAR(400) NOT NULL,
        status VARCHAR(10) NOT NULL DEFAULT 'planned',
        call_id INT NULL,
        version INT NOT NULL DEFAULT 1,
        made_at DATETIME(6) NOT NULL,
        person_id INT NOT NULL,
        KEY planned_visit_day (starts_at),
        CONSTRAINT planned_visit_unit FOREIGN KEY (unit_id) REFERENCES unit (id),
        CONSTRAINT planned_visit_visitor FOREIGN KEY (visitor_id) REFERENCES person (id),
        CONSTRAINT planned_visit_call FOREIGN KEY (call_id) REFERENCES service_call (id),
        CONSTRAINT planned_visit_person FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
    """CREATE TABLE unit_forecast (
        unit_id INT PRIMARY KEY,
        newest_reading INT NOT NULL,
        newest_change INT NOT NULL,
        on_day INT NOT NULL,
        body TEXT NOT NULL,
        CONSTRAINT unit_forecast_unit FOREIGN KEY (unit_id) REFERENCES unit (id)
    )""",
    "ALTER TABLE person ADD COLUMN version INT NOT NULL DEFAULT 1",
    """CREATE TABLE origin (
        id INT AUTO_INCREMENT PRIMARY KEY,
        shop_uid CHAR(36) NOT NULL,
        table_name VARCHAR(40) NOT NULL,
        origin_id INT NOT NULL,
        local_id INT NOT NULL,
        created BOOLEAN NOT NULL,
        UNIQUE KEY origin_once (shop_uid, table_name, origin_id),
        KEY origin_of (table_name, local_id)
    )""",
    """CREATE TABLE audit (
        id INT AUTO_INCREMENT PRIMARY KEY,
        what VARCHAR(40) NOT NULL,
        subject VARCHAR(200) NOT NULL,
        detail TEXT NOT NULL,
        happened_at DATETIME(6) NOT NULL,
        person_id INT NULL,
        CONSTRAINT audit_person FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
    """CREATE TABLE shop_detail (
        id INT AUTO_INCREMENT PRIMARY KEY,
        body TEXT NOT NULL,
        set_at DATETIME(6) NOT NULL,
        person_id INT NULL,
        CONSTRAINT shop_detail_person FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
    for table in ("task_step", "audit", "shop_detail"):
        for verb in ("UPDATE", "DELETE"):
            db.execute_sql(
                f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} FOR EACH ROW "
                f"SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{table} is append-only'"
            )
