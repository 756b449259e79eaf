"""Failed tries, locks, new devices, invitations, restores: recorded for the lead, on one page."""

from datetime import timedelta
from typing import Any, Literal

import peewee
from pydantic import AwareDatetime, Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.database import now, transaction
from orange_crank.store.models import Invitation, Person, SignInEvent, SignInSession
from orange_crank.store.sessions import Way, is_over

EventKind = Literal[
    "failed", "locked", "failed_pin", "failed_passkey", "new_device", "invited", "accepted", "retired",
    "restored", "imported", "ended_all",
]  # fmt: skip
MOST = 200
# Failed tries of one name from one device count as one event for this long.
SAME_WITHIN = timedelta(hours=1)
REPEATED = ("failed", "locked", "failed_pin", "failed_passkey")
KEPT = timedelta(days=400)


class SignInEventOut(Frozen):
    """One event."""

    id: int
    kind: EventKind
    name: str = Field(description="The name tried, the person, or the file")
    address: str
    device: str
    detail: str
    tries: int
    first_at: AwareDatetime
    last_at: AwareDatetime


class DeviceOut(Frozen):
    """A device that a person is signed in on."""

    session_id: int
    person_id: int
    person: str
    device: str
    shared: bool
    way: Way
    began_at: AwareDatetime
    seen_at: AwareDatetime
    this: bool


class OpenInvitation(Frozen):
    """An invitation that can still be used."""

    person: str
    made_by: str
    made_at: AwareDatetime
    ends_at: AwareDatetime


class Security(Frozen):
    """Who is signed in where, and what happened at the door."""

    devices: list[DeviceOut]
    invitations: list[OpenInvitation]
    events: list[SignInEventOut] = Field(description="Newest first")
    locked_today: int = Field(description="Names or devices locked in the last 24 hours")


def record(
    kind: EventKind,
    *,
    name: str = "",
    person_id: int | None = None,
    address: str = "",
    device: str = "",
    detail: str = "",
) -> None:
    """Record an event; repeated failures within an hour count up in one row."""
    moment = now()
    fields = {"kind": kind, "name": name[:80], "address": address[:64], "device": device[:80]}
    with transaction():
        if kind in REPEATED:
            same = SignInEvent.last_at > moment - SAME_WITHIN
            for column, value in fields.items():
                same &= getattr(SignInEvent, column) == value
            row = SignInEvent.select().where(same).order_by(SignInEvent.id.desc()).first()
            if row is not None:
                SignInEvent.update(tries=SignInEvent.tries + 1, last_at=moment).where(
                    SignInEvent.id == row.id
                ).execute()
                return
        SignInEvent.delete().where(SignInEvent.last_at < moment - KEPT).execute()
        SignInEvent.create(
            person=person_id, detail=detail[:200], tries=1, first_at=moment, last_at=moment, **fields
        )


def locked_since(moment: Any) -> int:
    """Return how many names or devices were locked since a moment."""
    count: int = (
        SignInEvent.select().where((SignInEvent.kind == "locked") & (SignInEvent.last_at > moment)).count()
    )
    return count


def security(this: int | None) -> Security:
    """Return who is signed in where and the newest events; the lead's to see."""
    moment = now()
    rows: list[Any] = list(
        SignInSession.select(SignInSession, Person)
        .join(Person)
        .where(SignInSession.ended_at.is_null())
        .order_by(SignInSession.seen_at.desc(), SignInSession.id.desc())
    )
    maker = Person.alias()
    asked: list[Any] = list(
        Invitation.select(Invitation, Person, maker)
        .join(Person, on=(Invitation.person == Person.id))
        .switch(Invitation)
        .join(maker, peewee.JOIN.LEFT_OUTER, on=(Invitation.made_by == maker.id).alias("maker"))
        .where(Invitation.used_at.is_null() & (Invitation.ends_at > moment))
        .order_by(Invitation.id.desc())
    )
    return Security(
        devices=[
            DeviceOut(
                session_id=r.id,
                person_id=r.person_id,
                person=r.person.name,
                device=r.device,
                shared=r.shared,
                way=r.way,
                began_at=r.began_at,
                seen_at=r.seen_at,
                this=r.id == this,
            )
            for r in rows
            if not is_over(r.began_at, r.seen_at, r.shared, moment)
        ],
        invitations=[
            OpenInvitation(
                person=r.person.name,
                made_by=r.maker.name if r.made_by_id is not None else "the shop's own computer",
                made_at=r.made_at,
                ends_at=r.ends_at,
            )
            for r in asked
        ],
        events=[
            SignInEventOut(
                id=e.id,
                kind=e.kind,
                name=e.name,
                address=e.address,
                device=e.device,
                detail=e.detail,
                tries=e.tries,
                first_at=e.first_at,
                last_at=e.last_at,
            )
            for e in SignInEvent.select()
            .order_by(SignInEvent.last_at.desc(), SignInEvent.id.desc())
            .limit(MOST)
        ],
        locked_today=locked_since(moment - timedelta(hours=24)),
    )


def end_every_session(person_id: int) -> int:
    """Sign everybody out everywhere, calendar programs too; return how many sessions ended."""
    with transaction():
        count: int = SignInSession.update(ended_at=now()).where(SignInSession.ended_at.is_null()).execute()
        name = Person.get_by_id(person_id).name
        record("ended_all", name=name, person_id=person_id, detail=msg("{count} sessions ended", count=count))
    return count
