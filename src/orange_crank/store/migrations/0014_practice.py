"""Practice calls: a run is its acts in their order; and what the lead set somebody."""

from typing import Any

STATEMENTS = (
    """CREATE TABLE practice_set (
        id INT AUTO_INCREMENT PRIMARY KEY,
        scenario VARCHAR(60) NOT NULL,
        learner_id INT NOT NULL,
        due_on DATE NOT NULL,
        set_at DATETIME(6) NOT NULL,
        person_id INT NOT NULL,
        CONSTRAINT practice_set_learner FOREIGN KEY (learner_id) REFERENCES person (id),
        CONSTRAINT practice_set_person FOREIGN KEY (person_id) REFERENCES person (id)
    )""",
    """CREATE TABLE practice_run (
        id INT AUTO_INCREMENT PRIMARY KEY,
        scenario VARCHAR(60) NOT NULL,
        learner_id INT NOT NULL,
        call_number INT NOT NULL,
        race VARCHAR(12) NULL,
        started_at DATETIME(6) NOT NULL,
        ended_at DATETIME(6) NULL,
        total DOUBLE NULL,
        passed BOOLEAN NULL,
        minutes DOUBLE NULL,
        score LONGTEXT NULL,
        UNIQUE KEY practice_run_call (call_number),
        KEY practice_run_learner (learner_id, ended_at),
        CONSTRAINT practice_run_learner_of FOREIGN KEY (learner_id) REFERENCES person (id)
    )""",
    """CREATE TABLE practice_act (
        id INT AUTO_INCREMENT PRIMARY KEY,
        run_id INT NOT NULL,
        number INT NOT NULL,
        body LONGTEXT NOT NULL,
        done_at DATETIME(6) NOT NULL,
        UNIQUE KEY practice_act_once (run_id, number),
        CONSTRAINT practice_act_run FOREIGN KEY (run_id) REFERENCES practice_run (id)
    )""",
)


def up(migrator: Any, db: Any) -> None:
    for statement in STATEMENTS:
        db.execute_sql(statement)
    for verb in ("UPDATE", "DELETE"):
        db.execute_sql(
            f"CREATE TRIGGER practice_act_no_{verb.lower()} BEFORE {verb} ON practice_act FOR EACH ROW "
            "SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'acts are kept as they were done'"
        )
