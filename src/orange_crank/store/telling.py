"""Notices to devices while the program is closed on them: subscriptions, due notices, sent notices.

Each notice goes once to each device. Several processes look for due notices; the first to write one down
that it will send one does.
"""

import hashlib
from collections import defaultdict
from collections.abc import Callable, Sequence
from datetime import date, datetime, timedelta
from typing import Annotated, Any, Protocol

import peewee
from pydantic import Field

from orange_crank.core.errors import CrankError, GateClosed
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.database import local_time, now, transaction
from orange_crank.store.models import (
    CoolingClock,
    Person,
    PushMessage,
    PushSubscription,
    ServiceCall,
    SignInSession,
    Site,
    Task,
    Unit,
)
from orange_crank.store.sessions import is_over

# A clock that ran out while no notice could be sent is still worth one for so long.
CLOCK_WORTH = timedelta(hours=2)
TASKS_FROM_H = 7  # the shop's own time: before work begins, not at midnight
TRIES = 7
KEEPERS = ("lead", "office")
FIRST_WAIT = timedelta(seconds=20)
TRY_AGAIN_AFTER = timedelta(seconds=10)
TRIED_BY_HAND = "try"


class NewSubscription(Frozen):
    """A browser's push subscription, as it registers it."""

    endpoint: Annotated[str, Field(min_length=1, max_length=1_000)]
    device_key: Annotated[str, Field(min_length=1, max_length=100, description="p256dh, base64url")]
    device_secret: Annotated[str, Field(min_length=1, max_length=40, description="auth, base64url")]


class Subscription(Frozen):
    """A device's push subscription."""

    id: int
    endpoint: str
    device_key: str
    device_secret: str
    trouble: str | None = Field(description="Why the last message was not taken, where it was not")


class Told(Frozen):
    """One notice for a device."""

    what: str = Field(description="Its name: what has one name is told once on a device")
    title: str
    body: str
    path: str = Field(description="What opens when it is tapped")
    keep_s: int = Field(description="How long it is worth telling [s]")
    urgent: bool


class ToLookAfter(Protocol):
    """Something that has to be looked after, in words."""

    @property
    def text(self) -> str:
        """What it is."""
        ...


class TooSoon(CrankError):
    """A message was sent a moment ago."""

    title = msg("Wait a moment")


def _hash(endpoint: str) -> str:
    return hashlib.sha256(endpoint.encode()).hexdigest()


def subscribe(session_id: int, entry: NewSubscription, *, shared: bool) -> None:
    """Subscribe a session's device; a second call changes nothing.

    Raises
    ------
    GateClosed : the device goes from hand to hand

    """
    if shared:
        raise GateClosed(
            msg("A shared tablet gets no reminders while the program is closed."),
            next_step=msg("Turn reminders on on a phone of your own."),
        )
    with transaction():
        found = (
            PushSubscription.select()
            .where(PushSubscription.endpoint_hash == _hash(entry.endpoint))
            .for_update()
            .get_or_none()
        )
        mine = PushSubscription.session == session_id
        keep = found.id if found is not None else 0
        PushSubscription.delete().where(mine & (PushSubscription.id != keep)).execute()
        where = {
            "session": session_id,
            "endpoint": entry.endpoint,
            "endpoint_hash": _hash(entry.endpoint),
            "device_key": entry.device_key,
            "device_secret": entry.device_secret,
            "ended_at": None,
        }
        if found is None:
            PushSubscription.create(**where, made_at=now())
        else:
            PushSubscription.update(**where).where(PushSubscription.id == keep).execute()


def unsubscribe(session_id: int) -> None:
    """Unsubscribe a session's device; a second call changes nothing."""
    PushSubscription.delete().where(PushSubscription.session == session_id).execute()


def subscription_of(session_id: int) -> Subscription | None:
    """Return the subscription of a session's device; None without one."""
    row = PushSubscription.get_or_none(
        (PushSubscription.session == session_id) & PushSubscription.ended_at.is_null()
    )
    return None if row is None else _out(row)


def _out(row: Any) -> Subscription:
    return Subscription(
        id=row.id,
        endpoint=row.endpoint,
        device_key=row.device_key,
        device_secret=row.device_secret,
        trouble=row.trouble,
    )


def try_one(subscription: Subscription) -> None:
    """Queue one test notice for a device's owner.

    Raises
    ------
    TooSoon : it was sent one a moment ago

    """
    PushMessage.delete().where(
        (PushMessage.subscription == subscription.id)
        & (PushMessage.what == TRIED_BY_HAND)
        & (PushMessage.next_at < now())
    ).execute()
    if not _first(subscription.id, TRIED_BY_HAND, TRY_AGAIN_AFTER):
        raise TooSoon(
            msg("One was sent to this device a moment ago."),
            next_step=msg("Wait ten seconds, then try again."),
        )


def due(worries: Callable[[], Sequence[ToLookAfter]] = list) -> list[tuple[Subscription, Told]]:
    """Return the notices due now and not sent yet, with their subscriptions.

    Parameters
    ----------
    worries : what needs care so that the record is kept; looked up only where a person gets it

    """
    where, keepers = _listening()
    if not where:
        return []
    moment = now()
    wanted: list[tuple[Subscription, Told]] = []
    found = [*_clocks(moment, set(where)), *_tasks(moment, set(where)), *_keeping(moment, keepers, worries)]
    for person_id, told in found:
        wanted += [(subscription, told) for subscription in where[person_id]]
    settled = (
        PushMessage.sent_at.is_null(False) | (PushMessage.next_at > moment) | (PushMessage.tries >= TRIES)
    )
    ids = {s.id for s, _ in wanted}
    rows: Any = PushMessage.select().where(PushMessage.subscription.in_(ids) & settled) if ids else ()
    sent = {(row.subscription_id, row.what) for row in rows}
    return [(s, t) for s, t in wanted if (s.id, t.what) not in sent]


def _listening() -> tuple[dict[int, list[Subscription]], set[int]]:
    """Return the subscriptions of signed-in devices, and which people keep the shop."""
    rows: Any = (
        PushSubscription.select(PushSubscription, SignInSession, Person)
        .join(SignInSession)
        .join(Person)
        .where(PushSubscription.ended_at.is_null() & SignInSession.ended_at.is_null() & Person.active)
    )
    found: dict[int, list[Subscription]] = defaultdict(list)
    keepers: set[int] = set()
    for row in rows:
        s = row.session
        if not is_over(s.began_at, s.seen_at, s.shared, now()):
            found[s.person_id].append(_out(row))
            if s.person.role in KEEPERS:
                keepers.add(s.person_id)
    return found, keepers


def _clocks(moment: datetime, whose: set[int]) -> list[tuple[int, Told]]:
    """Return the clocks that ran out and were not ended, each with who started it."""
    rows: Any = (
        CoolingClock.select(CoolingClock, ServiceCall, Unit, Site)
        .join(ServiceCall)
        .join(Unit)
        .join(Site)
        .where(
            CoolingClock.ended_at.is_null()
            & (ServiceCall.status == "open")
            & CoolingClock.person.in_(whose)
            & (CoolingClock.started_at > moment - CLOCK_WORTH - timedelta(days=1))
        )
    )
    found = []
    for row in rows:
        over = row.started_at + timedelta(minutes=row.minutes_min)
        if over <= moment < over + CLOCK_WORTH:
            told = Told(
                # Records restored from a backup count again: a number alone could have been used before.
                what=f"clock-{row.id}-{int(row.started_at.timestamp())}",
                title="Cool: retest the windings",
                body=f"{row.call.unit.site.name}, {row.call.unit.name}",
                path=f"/calls/{row.call_id}/dead_tests",
                keep_s=int((over + CLOCK_WORTH - moment).total_seconds()),
                urgent=True,
            )
            found.append((row.person_id, told))
    return found


def _tasks(moment: datetime, whose: set[int]) -> list[tuple[int, Told]]:
    """Return for each person what is due today: given to them, or to no one; once a day."""
    here = local_time(moment)
    if here.hour < TASKS_FROM_H:
        return []
    today = here.date()
    rows: Any = (
        Task.select(Task, Unit, Site)
        .join(Unit)
        .join(Site)
        .where(
            (Task.status == "open")
            & (Task.due_on <= today)
            & (Task.assigned.is_null() | Task.assigned.in_(whose))
        )
        .order_by(Task.due_on, Task.id)
        .limit(1_000)
    )
    tasks = list(rows)
    found = []
    for person_id in sorted(whose):
        mine = [t for t in tasks if t.assigned_id in (None, person_id)]
        if mine:
            found.append((person_id, _of_tasks(mine, today, here)))
    return found


def _of_tasks(mine: list[Any], today: date, here: datetime) -> Told:
    first = mine[0]
    return Told(
        what=f"tasks-{today.isoformat()}",
        title="One task is due" if len(mine) == 1 else f"{len(mine)} tasks are due",
        body=f"{first.title}, {first.unit.site.name}",
        path="/due",
        keep_s=(24 - here.hour) * 3600,
        urgent=False,
    )


def _keeping(
    moment: datetime, whose: set[int], worries: Callable[[], Sequence[ToLookAfter]]
) -> list[tuple[int, Told]]:
    """Return for each who looks after the shop what has to be looked after, once a day."""
    here = local_time(moment)
    if here.hour < TASKS_FROM_H or not whose:
        return []
    found = worries()
    if not found:
        return []
    told = Told(
        what=f"keeping-{here.date().isoformat()}",
        title="Backup or disk problem",
        body=" ".join(worry.text for worry in found),
        path="/shop#keeping",
        keep_s=(24 - here.hour) * 3600,
        urgent=False,
    )
    return [(person_id, told) for person_id in sorted(whose)]


def claim(subscription_id: int, what: str) -> bool:
    """Write down that a message is being sent; whether it is this process that sends it."""
    if _first(subscription_id, what, FIRST_WAIT):
        return True
    moment = now()
    mine = (PushMessage.subscription == subscription_id) & (PushMessage.what == what)
    row = PushMessage.get_or_none(mine)
    if row is None or row.sent_at is not None or row.next_at > moment or row.tries >= TRIES:
        return False
    changed: int = (
        PushMessage.update(tries=row.tries + 1, next_at=moment + FIRST_WAIT * 2**row.tries)
        .where((PushMessage.id == row.id) & (PushMessage.tries == row.tries) & PushMessage.sent_at.is_null())
        .execute()
    )
    return changed == 1


def _first(subscription_id: int, what: str, wait: timedelta) -> bool:
    """Save a notice; return whether it is new and its device is still subscribed."""
    try:
        PushMessage.create(subscription=subscription_id, what=what, tries=1, next_at=now() + wait)
    except peewee.IntegrityError:
        return False
    return True


def was_sent(subscription_id: int, what: str) -> None:
    """Write down that a push service took a message."""
    mine = (PushMessage.subscription == subscription_id) & (PushMessage.what == what)
    PushMessage.update(sent_at=now()).where(mine).execute()
    PushSubscription.update(trouble=None).where(PushSubscription.id == subscription_id).execute()


def was_not_sent(
    subscription_id: int, what: str, trouble: str, *, gone: bool, wait_s: float | None = None
) -> None:
    """Write down why a push service did not take a message, and whether it ever will one for this device."""
    ended = {"ended_at": now()} if gone else {}
    PushSubscription.update(trouble=trouble[:300], **ended).where(
        PushSubscription.id == subscription_id
    ).execute()
    if wait_s is not None:
        mine = (PushMessage.subscription == subscription_id) & (PushMessage.what == what)
        until = now() + timedelta(seconds=min(wait_s, 3600.0))
        PushMessage.update(next_at=until).where(mine & (PushMessage.next_at < until)).execute()


def forget_old() -> None:
    """Delete notices sent long ago; their names never come again."""
    PushMessage.delete().where(PushMessage.next_at < now() - timedelta(days=14)).execute()
