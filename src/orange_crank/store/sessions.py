"""Devices people are signed in on: a token only the device holds, listed, and ended from anywhere.

A token's digest is all that is kept. Nothing about a session is remembered outside the database, so that
one that was ended is ended at once, in every process.
"""

import hashlib
import re
import secrets
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from typing import Any, Literal

import peewee
from pydantic import AwareDatetime, Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.database import now, proxy
from orange_crank.store.errors import NotFound
from orange_crank.store.models import Person, SignInSession
from orange_crank.store.people import PersonOut

Way = Literal["passphrase", "passkey", "invitation", "pin", "demo", "calendar"]
# What a calendar program holds opens calendars, and nothing else.
CALENDAR: Way = "calendar"

IDLE = timedelta(days=30)
LONGEST = timedelta(days=180)
# A tablet that goes from hand to hand: the length of a shift, and not over a long lunch.
IDLE_SHARED = timedelta(hours=1)
LONGEST_SHARED = timedelta(hours=12)
# On a shared device managing takes the passphrase again after this long.
PROVED_FOR = timedelta(minutes=15)
# How often it is written down that a device is in use.
SEEN_EVERY = timedelta(minutes=5)

_BY_TOKEN = (
    "SELECT s.id, s.began_at, s.seen_at, s.shared, s.way, s.proved_at, "
    "p.id, p.name, p.role, p.initials, p.version "
    "FROM sign_in_session s JOIN person p ON p.id = s.person_id "
    "WHERE s.token_hash = %s AND s.ended_at IS NULL AND p.active"
)


class SignedIn(Frozen):
    """Who is signed in on a device."""

    session_id: int
    shared: bool
    way: Way
    proved: bool = Field(description="Not shared, or the passphrase was entered lately: may manage")
    person: PersonOut


class SessionOut(Frozen):
    """A device that a person is signed in on."""

    id: int
    device: str
    shared: bool = Field(description="A tablet that goes from hand to hand: it signs out by itself sooner")
    way: Way
    began_at: AwareDatetime
    seen_at: AwareDatetime = Field(description="Used last, to within five minutes")
    this: bool = Field(description="The device that asks")


def digest(token: str) -> str:
    """Return what is kept of a token."""
    return hashlib.sha256(token.encode()).hexdigest()


def device_words(agent: str) -> str:
    """Return a device in a few words, from what its browser describes itself by.

    >>> device_words("Mozilla/5.0 (Linux; Android 14) AppleWebKit/537.36 Chrome/126.0 Mobile Safari/537.36")
    'Android phone'
    >>> device_words("curl/8.0")
    'Another program'
    """
    kinds = (
        ("iPad", "Tablet"),
        ("iPhone", "Phone"),
        (r"Android.*Mobile", "Android phone"),
        ("Android", "Android tablet"),
        ("Windows", "Windows computer"),
        ("Macintosh", "Desk computer"),
        (r"Linux|X11", "Linux computer"),
    )
    return next((words for found, words in kinds if re.search(found, agent)), "Another program")


def is_over(began: datetime, seen: datetime, shared: bool, moment: datetime) -> bool:
    """Return whether a session ended by itself: not used for long, or begun long ago."""
    idle, longest = (IDLE_SHARED, LONGEST_SHARED) if shared else (IDLE, LONGEST)
    return moment - seen > idle or moment - began > longest


def begin_session(
    person_id: int, device: str, way: Way, shared: bool = False, device_hash: str | None = None
) -> str:
    """Sign a person in on a device and return the token the device keeps.

    Parameters
    ----------
    person_id : who
    device : its kind, in a few words
    way : how they proved who they are
    shared : whether the device goes from hand to hand
    device_hash : digest of the token that the device keeps also after signing out

    """
    token = secrets.token_urlsafe(32)
    moment = now()
    SignInSession.create(
        device_hash=device_hash,
        proved_at=None if way in ("pin", "calendar") else moment,
        token_hash=digest(token),
        person=person_id,
        device=device[:80],
        shared=shared,
        way=way,
        began_at=moment,
        seen_at=moment,
    )
    return token


def find_session(token: str, *, calendar: bool = False) -> SignedIn | None:
    """Return who is signed in by a token; None where no one is, or not any more.

    With ``calendar`` only a calendar program's token is found, without it any but that.
    """
    row = proxy.obj.execute_sql(_BY_TOKEN, (digest(token),)).fetchone()
    if row is None:
        return None
    number, began, seen, shared, way, proved, person_id, name, role, initials, version = row
    moment = now()
    began, seen = began.replace(tzinfo=UTC), seen.replace(tzinfo=UTC)
    if is_over(began, seen, bool(shared), moment) or (way == CALENDAR) != calendar:
        return None
    if moment - seen > SEEN_EVERY:
        # A full disk, or a database that only reads, keeps no one from reading.
        with suppress(peewee.DatabaseError):
            SignInSession.update(seen_at=moment).where(SignInSession.id == number).execute()
    person = PersonOut(id=person_id, name=name, role=role, initials=initials, version=version)
    fresh = proved is not None and abs(moment - proved.replace(tzinfo=UTC)) < PROVED_FOR
    return SignedIn(
        session_id=number, shared=bool(shared), way=way, proved=not shared or fresh, person=person
    )


def prove_session(session_id: int) -> None:
    """Record that the passphrase was entered again."""
    SignInSession.update(proved_at=now()).where(SignInSession.id == session_id).execute()


def is_known_device(device_hash: str, person_id: int) -> bool:
    """Return whether a person was signed in on a device before, by more than a PIN."""
    mine = (SignInSession.device_hash == device_hash) & (SignInSession.person == person_id)
    return bool(SignInSession.select().where(mine & SignInSession.proved_at.is_null(False)).exists())


def is_shared_device(device_hash: str | None) -> bool:
    """Return whether the lead or the office registered a device as shared, by signing in on it so."""
    if device_hash is None:
        return False
    registered = (
        (SignInSession.device_hash == device_hash)
        & SignInSession.shared
        & SignInSession.proved_at.is_null(False)
        & Person.role.in_(("lead", "office"))
        & Person.active
    )
    return bool(SignInSession.select().join(Person).where(registered).exists())


def list_sessions(person_id: int, this: int | None = None) -> list[SessionOut]:
    """Return the devices a person is signed in on, the one used last first."""
    moment = now()
    rows: list[Any] = list(
        SignInSession.select()
        .where((SignInSession.person == person_id) & SignInSession.ended_at.is_null())
        .order_by(SignInSession.seen_at.desc(), SignInSession.id.desc())
    )
    return [
        SessionOut(
            id=r.id,
            device=r.device,
            shared=r.shared,
            way=r.way,
            began_at=r.began_at,
            seen_at=r.seen_at,
            this=r.id == this,
        )
        for r in rows
        if not is_over(r.began_at, r.seen_at, r.shared, moment)
    ]


def end_session(session_id: int, person_id: int) -> None:
    """Sign a device of a person's out; one signed out already stays so.

    Raises
    ------
    NotFound : it is no device of theirs

    """
    mine = (SignInSession.id == session_id) & (SignInSession.person == person_id)
    if not SignInSession.select().where(mine).exists():
        raise NotFound(
            msg("No device here has number {session_id}.", session_id=session_id),
            next_step=msg("Look at the list again."),
        )
    SignInSession.update(ended_at=now()).where(mine & SignInSession.ended_at.is_null()).execute()


def end_by_token(token: str) -> None:
    """Sign out the device that holds a token; one signed out already stays so."""
    held = (SignInSession.token_hash == digest(token)) & SignInSession.ended_at.is_null()
    SignInSession.update(ended_at=now()).where(held).execute()


def end_all(person_id: int, but: int | None = None) -> int:
    """Sign a person out everywhere, but on one device; return how many that were."""
    query = (SignInSession.person == person_id) & SignInSession.ended_at.is_null()
    if but is not None:
        query &= SignInSession.id != but
    count: int = SignInSession.update(ended_at=now()).where(query).execute()
    return count
