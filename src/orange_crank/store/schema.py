"""Bring the schema up to date: migrations, then the triggers that protect the record."""

import time

from orange_crank.core.messages import msg
from orange_crank.store.database import as_owner, migrate, practising
from orange_crank.store.errors import RecordsAway
from orange_crank.store.trail import lay_trail, missing_triggers


def lay_out() -> list[str]:
    """Apply what is not applied yet and return the names of the migrations that were.

    Raises
    ------
    NewerRecords : the records were written by a newer program; nothing is changed

    """
    applied = migrate()
    if not practising():
        with as_owner() as database:
            lay_trail(database)
    return applied


# A look costs a connection of the owner's; probes ask often.
LOOK_EVERY_S = 10.0
_looked: dict[str, tuple[float, list[str]]] = {}


def unprotected(schema: str) -> RecordsAway | None:
    """Return why the record could be altered unseen; None where every trigger is there.

    Parameters
    ----------
    schema : its name, for the answer of the last look

    """
    at, missing = _looked.get(schema, (0.0, []))
    if missing or time.monotonic() - at > LOOK_EVERY_S or at == 0.0:
        with as_owner() as database:
            missing = missing_triggers(database)
        _looked[schema] = (time.monotonic(), missing)
    if not missing:
        return None
    return RecordsAway(
        msg(
            "{missing} triggers that protect the record are missing ({missing_2}).",
            missing=len(missing),
            missing_2=missing[0],
        ),
        next_step=msg("Start Orange Crank again: it puts them back."),
    )
