"""The schema, brought to where this program wants it: migrations, then the triggers of the trail."""

from orange_crank.store.database import as_owner, migrate, practising
from orange_crank.store.trail import lay_trail


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
