"""Reminders on a device while the program is closed on it: turned on, tried, turned off."""

from fastapi import APIRouter, Request
from pydantic import Field

from orange_crank.api.door import Device
from orange_crank.core.errors import GateClosed
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Flag, Frozen
from orange_crank.store import telling
from orange_crank.store.database import records_of, session
from orange_crank.store.errors import NotFound
from orange_crank.store.shop_details import get_shop
from orange_crank.store.telling import NewSubscription
from orange_crank.teller import Teller

router = APIRouter(prefix="/api", tags=["reminders"])


class Reminders(Frozen):
    """Whether a device gets reminders while the program is closed on it."""

    key: str | None = Field(
        description="The shop's key, as a browser wants it; none: this server tells nobody"
    )
    on: Flag = Field(description="This device is told")
    trouble: str | None = Field(description="Why the last message to it was not taken")


def _teller(request: Request) -> Teller:
    teller: Teller | None = request.app.state.teller
    if teller is None or teller.public_key is None:
        raise GateClosed(
            msg("This server cannot tell devices anything: its key can be neither read nor made."),
            next_step=msg("Make its data folder writable, then start it again."),
        )
    return teller


def _now(request: Request, session_id: int) -> Reminders:
    teller: Teller | None = request.app.state.teller
    where = telling.subscription_of(session_id)
    return Reminders(
        key=None if teller is None else teller.public_key,
        on=where is not None,
        trouble=None if where is None else where.trouble,
    )


@router.get("/reminders")
def get_reminders(who: Device, request: Request) -> Reminders:
    """Return whether this device gets reminders, and its subscription key."""
    with records_of(practice=False), session():
        return _now(request, who.session_id)


@router.put("/reminders")
def turn_reminders_on(entry: NewSubscription, who: Device, request: Request) -> Reminders:
    """Subscribe this device to reminders; a second call changes nothing."""
    _teller(request).check(entry)
    with records_of(practice=False), session():
        telling.subscribe(who.session_id, entry, shared=who.shared)
        return _now(request, who.session_id)


@router.delete("/reminders")
def turn_reminders_off(who: Device, request: Request) -> Reminders:
    """Unsubscribe this device from reminders; a second call changes nothing."""
    with records_of(practice=False), session():
        telling.unsubscribe(who.session_id)
        return _now(request, who.session_id)


@router.post("/reminders/try")
def try_reminders(who: Device, request: Request) -> Reminders:
    """Send this device one message at once."""
    teller = _teller(request)
    with records_of(practice=False):
        with session():
            where = telling.subscription_of(who.session_id)
            if where is None:
                raise NotFound(
                    msg("This device gets no notices."), next_step=msg("Turn reminders on, then try.")
                )
            telling.try_one(where)
            shop = get_shop().details.name
        teller.try_now(where, shop)
        with session():
            return _now(request, who.session_id)
