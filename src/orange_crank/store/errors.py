"""What the records can refuse, below the core's tree."""

from orange_crank.core.errors import CrankError
from orange_crank.core.messages import msg


class NotFound(CrankError):
    """Nothing on record has that number."""

    title = msg("Not on record")


class Conflict(CrankError):
    """Another person saved first; both versions are kept for the person to settle."""

    title = msg("Someone else saved first")


class WrongPerson(CrankError):
    """A save was meant for another person than the one signed in; nothing was saved."""

    title = msg("Another person is signed in")


class RecordsAway(CrankError):
    """The database cannot be reached; nothing was saved."""

    title = msg("Can't reach the records")


class NewerRecords(CrankError):
    """The records hold what this program does not know yet."""

    title = msg("The records are newer than this program")


def refuse_changed(was: float, held: float) -> None:
    """Refuse a change made from a figure that no longer holds.

    Raises
    ------
    Conflict : another person set another meanwhile

    """
    if was != held:
        raise Conflict(
            msg("Another person set {held:g} meanwhile. Yours is still on this screen.", held=held),
            next_step=msg("Look at what is there now, then set yours again or leave it."),
        )
