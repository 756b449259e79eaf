"""A call's journal: one lock, one number for each entry in the order of recording."""

from dataclasses import dataclass
from datetime import datetime

from orange_crank.core.call.gates import CLOSED_CALL, require
from orange_crank.core.messages import msg
from orange_crank.store.database import now
from orange_crank.store.errors import NotFound
from orange_crank.store.models import Person, ServiceCall, Site, Unit
from orange_crank.store.prepared import Prepared
from orange_crank.store.waited import made_at


@dataclass(frozen=True)
class Entry:
    """The next entry of a call's journal, held until the transaction ends.

    Attributes
    ----------
    moment : when it was made
    late : it waited on a device, and others recorded something meanwhile

    """

    call: ServiceCall
    number: int
    moment: datetime
    late: bool = False


_LOCKED = Prepared(lambda number: ServiceCall.select().where(ServiceCall.id == number).for_update())
_NEXT = Prepared(lambda entries, number: ServiceCall.update(entries=entries).where(ServiceCall.id == number))


def call_row(call_id: int) -> ServiceCall:
    """Return a call's row with its unit, site and opener.

    Raises
    ------
    NotFound : no call has that number

    """
    row = (
        ServiceCall.select(ServiceCall, Unit, Site, Person)
        .join(Unit)
        .join(Site)
        .switch(ServiceCall)
        .join(Person)
        .where(ServiceCall.id == call_id)
        .get_or_none()
    )
    if row is None:
        raise no_such_call(call_id)
    return row


def no_such_call(call_id: int) -> NotFound:
    """Refuse a call that is not on record."""
    return NotFound(
        msg("Call {call_id} is not on record.", call_id=call_id), next_step=msg("Go to Calls and pick one.")
    )


def write_on(call_id: int, at: datetime | None = None, even_closed: bool = False) -> Entry:
    """Lock a call and take the next number of its journal; called inside a transaction.

    The lock holds until the transaction ends: what a gate saw is still so when the entry lands, and nothing
    lands on a call while it is being closed.

    Raises
    ------
    NotFound : no call has that number
    GateClosed : the call is closed

    """
    row = _LOCKED.first(call_id)
    if row is None:
        raise no_such_call(call_id)
    if row.status != "open" and not even_closed:
        require(CLOSED_CALL)
    number = row.entries + 1
    _NEXT.execute(number, call_id)
    made = made_at() if at is None else None
    if made is not None:
        # A device that counted wrong makes nothing older than its call.
        return Entry(call=row, number=number, moment=max(made, row.opened_at), late=True)
    return Entry(call=row, number=number, moment=at or now())
