"""What somebody has to look after so that the record is kept: room on the disk, backups, the certificate."""

from datetime import datetime

from pydantic import Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen, say
from orange_crank.network import Network
from orange_crank.store.backup import BackupState, Keeper

GIGA = 1e9
HOUR_S = 3600.0
DAY_H = 24.0


class Worry(Frozen):
    """One thing that will cost records if nobody looks after it."""

    code: str
    text: str
    next_step: str


class Keeping(Frozen):
    """What has to be looked after now."""

    worries: list[Worry] = Field(description="The most pressing first")


def worries(keeper: Keeper | None, network: Network, moment: datetime) -> list[Worry]:
    """Return what has to be looked after, the most pressing first.

    Parameters
    ----------
    keeper : makes the backups; None where this server makes none
    network : how others reach the server
    moment : now

    """
    found = []
    if keeper is not None:
        try:
            found = _of_backups(keeper.state(moment), moment)
        except OSError as error:
            found = [
                Worry(
                    code="BACKUPS_AWAY",
                    text=f"The folder of backups cannot be looked at: {error.strerror or error}.",
                    next_step=msg("Look at that disk and at who may read it."),
                )
            ]
    ending = network.warning()
    if ending is not None:
        text, _, step = ending.partition(". ")
        found.append(Worry(code="CERTIFICATE", text=f"{text}.", next_step=step))
    return found


def _of_backups(state: BackupState, moment: datetime) -> list[Worry]:
    found = []
    if state.low:
        found.append(
            Worry(
                code="LOW_ROOM",
                text=f"Only {say(state.free_bytes / GIGA, 'GB', 2)} are free where the records lie.",
                next_step=msg("Make room on that disk before it is full: nothing is saved then."),
            )
        )
    if state.trouble is not None:
        found.append(
            Worry(
                code="BACKUP_FAILED",
                text=f"The last backup failed. {state.trouble}",
                next_step=msg("Fix that, then back up from Shop."),
            )
        )
    elif state.late and state.last is not None:
        found.append(
            Worry(
                code="BACKUP_LATE",
                text=f"The last good backup is {_long(moment, state.last.made_at)} old.",
                next_step=msg("Back up by hand on Shop, and look why none was made by itself."),
            )
        )
    if state.drill is not None and not state.drill.ok:
        found.append(
            Worry(
                code="DRILL_FAILED",
                text="The newest backup did not come back when that was tried.",
                next_step=msg("Back up by hand on Shop, then run orange-crank drill again."),
            )
        )
    return found


def _long(moment: datetime, since: datetime) -> str:
    hours = (moment - since).total_seconds() / HOUR_S
    if hours < 2 * DAY_H:
        return f"{hours:.0f} hours"
    return f"{hours / DAY_H:.0f} days"
