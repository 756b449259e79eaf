"""Migrations that may be broken off at any statement and go on where they stood.

MariaDB ends a transaction at every change of a schema, so that a migration is not all or nothing: what it has
done is written down statement by statement beside the records, and skipped when it is run again. The one
statement that was done and not yet recorded is run twice; where it reports that its object is there
already, it is.
"""

from types import ModuleType
from typing import Any

import peewee
from playhouse.migrations import Runner

STEPS = "schema_step"
# Carried out every time: they keep nothing, or only for this connection.
PASSING = ("SELECT", "SHOW", "SET", "CREATE TEMPORARY", "DROP TEMPORARY")
# MariaDB: a table, column, key, constraint or trigger is there already; one to be dropped is gone.
ALREADY = frozenset({1050, 1051, 1060, 1061, 1062, 1068, 1091, 1359, 1360, 1826})
# Cannot be renamed, or has no such column: it was renamed already.
MOVED = frozenset({1054, 1146})


class SteppingDatabase(peewee.MySQLDatabase):
    """A connection that knows which statement of which migration it is at."""

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self._migration: str | None = None
        self._again = False
        self._done = self._at = 0

    def begin_migration(self, name: str) -> None:
        """Count the statements of a migration from here, skipping those done before."""
        self._migration = None
        self._now(f"CREATE TABLE IF NOT EXISTS {STEPS} (name VARCHAR(120) PRIMARY KEY, done INT NOT NULL)")
        row = self._now(f"SELECT done FROM {STEPS} WHERE name = %s", (name,)).fetchone()
        if row is None:
            self._now(f"INSERT INTO {STEPS} (name, done) VALUES (%s, 0)", (name,))
        self._again, self._done = row is not None, (row[0] if row else 0)
        self._at, self._migration = 0, name

    def end_migration(self) -> None:
        """Forget the steps of the migration that is through."""
        name, self._migration = self._migration, None
        self._now(f"DELETE FROM {STEPS} WHERE name = %s", (name,))

    def _now(self, sql: str, params: Any = None) -> Any:
        carried_out: Any = super()
        return carried_out.execute_sql(sql, params)

    def execute_sql(self, sql: str, params: Any = None, commit: Any = None) -> Any:
        """Carry a statement out, once over all tries of a migration."""
        del commit
        if self._migration is None or sql.lstrip().upper().startswith(PASSING):
            return self._now(sql, params)
        self._at += 1
        if self._at <= self._done:
            return None
        again = self._again and self._at == self._done + 1
        try:
            found = self._now(sql, params)
        except peewee.DatabaseError as error:
            code = error.args[0] if error.args else None
            if not again or code not in ALREADY | MOVED:
                raise
            found = None
        self._now(
            f"INSERT INTO {STEPS} (name, done) VALUES (%s, %s) ON DUPLICATE KEY UPDATE done = VALUES(done)",
            (self._migration, self._at),
        )
        return found


class ResumableRunner(Runner):  # type: ignore[misc]
    """Runs migrations one after another, each from the statement it was broken off at."""

    database: SteppingDatabase

    def _run(self, name: str, module: ModuleType, direction: str, fake: bool = False) -> None:
        if fake or direction != "up":
            super()._run(name, module, direction, fake=fake)
            return
        self.database.begin_migration(name)
        # Not in a transaction: every statement takes effect at once, and is recorded.
        module.up(self.migrator, self.database)
        self.database.end_migration()
        self.History.create(name=name)
