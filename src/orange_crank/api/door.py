"""The door of every route: who is signed in, from the device's own cookie, and whether they may."""

import asyncio
import secrets
import time
from collections.abc import AsyncGenerator
from contextlib import suppress
from datetime import timedelta
from http.cookies import CookieError, SimpleCookie
from typing import Annotated, TypeVar

from fastapi import Depends, Request
from starlette.concurrency import run_in_threadpool
from starlette.responses import Response

from orange_crank.api.rights import (
    CALENDARS,
    DEVICES,
    IN_PRACTICE,
    INVITE,
    MANAGE,
    RIGHTS,
    RULES,
    NotAllowed,
    is_own,
    refuse,
    refuse_others_practice,
)
from orange_crank.core.errors import CrankError
from orange_crank.core.messages import msg
from orange_crank.store import people
from orange_crank.store.credentials import NotSignedIn
from orange_crank.store.database import READING, at_work, practising, records_of, session, work_of
from orange_crank.store.errors import NotFound, WrongPerson
from orange_crank.store.sessions import LONGEST, LONGEST_SHARED, SignedIn, digest, find_session

LONGEST_TOKEN = 100
KNOWN_FOR = timedelta(days=400)
# Who a save is meant for: a page that was opened by one person must not write in another's name.
MEANT_FOR = "for-person"
STILL_EVERY_S = 2.0  # how often a stream looks whether its listener is still signed in
T = TypeVar("T")


def cookie_name(request: Request) -> str:
    """Return the name of a device's cookie: of its own for each port, since browsers share them over ports.

    Over TLS its name binds it to this host and to TLS (``__Host-``).
    """
    secure = request.url.scheme == "https"
    try:
        port = request.url.port
    except ValueError:  # a host no browser sends
        port = None
    return f"{'__Host-' if secure else ''}orange_crank_{port or (443 if secure else 80)}"


def token_of(request: Request) -> str | None:
    """Return the token a device holds; None where it holds none."""
    jar: SimpleCookie = SimpleCookie()
    try:
        jar.load(request.headers.get("cookie", "")[:8_192])
    except CookieError:
        return None
    held = jar.get(cookie_name(request))
    return held.value if held is not None and 0 < len(held.value) <= LONGEST_TOKEN else None


def give_token(request: Request, response: Response, token: str, shared: bool) -> None:
    """Let a device hold a token: out of reach of scripts, sent to this site only."""
    response.set_cookie(
        cookie_name(request),
        token,
        max_age=int((LONGEST_SHARED if shared else LONGEST).total_seconds()),
        path="/",
        secure=request.url.scheme == "https",
        httponly=True,
        samesite="strict",
    )


def take_token(request: Request, response: Response) -> None:
    """Let a device forget its token."""
    response.delete_cookie(
        cookie_name(request),
        path="/",
        secure=request.url.scheme == "https",
        httponly=True,
        samesite="strict",
    )


def device_hash_of(request: Request) -> str | None:
    """Return the digest of the token a device keeps also after signing out; None on a new one."""
    jar: SimpleCookie = SimpleCookie()
    try:
        jar.load(request.headers.get("cookie", "")[:8_192])
    except CookieError:
        return None
    held = jar.get(f"{cookie_name(request)}_device")
    return digest(held.value) if held is not None and 0 < len(held.value) <= LONGEST_TOKEN else None


def know_device(request: Request, response: Response) -> str:
    """Let a device keep a token by which it is known again; return its digest."""
    known = device_hash_of(request)
    if known is not None:
        return known
    token = secrets.token_urlsafe(32)
    response.set_cookie(
        f"{cookie_name(request)}_device",
        token,
        max_age=int(KNOWN_FOR.total_seconds()),
        path="/",
        secure=request.url.scheme == "https",
        httponly=True,
        samesite="strict",
    )
    return digest(token)


def signed_in(request: Request) -> SignedIn | None:
    """Return who is signed in on the device that asks; None where no one is."""
    token = token_of(request)
    if token is None:
        return None
    # Sessions are the shop's, also while one practises; no one is at work yet, and nothing is audited here.
    with work_of(READING), records_of(practice=False), session():
        return find_session(token)


async def shop_only(request: Request) -> None:
    """Answer 404 under ``/practice``; for routes that need no sign-in."""
    not_in_practice(request)


def not_in_practice(request: Request) -> None:
    """Refuse a route that has no practice records.

    Raises
    ------
    NotFound : the request came under ``/practice`` and the route is not one of ``IN_PRACTICE``

    """
    if practising() and request.scope["route"].name not in IN_PRACTICE:
        raise NotFound(
            msg("Nothing answers at this address in practice."),
            next_step=msg("Leave practice, then do it in the shop."),
        )


def admit(request: Request) -> SignedIn | None:
    """Let a request in where its route is for who is signed in; None where no one need be.

    Raises
    ------
    NotFound : under ``/practice``, a route without practice records
    NotSignedIn : no one is signed in on this device
    NotAllowed : it is not for them

    """
    route = request.scope["route"].name
    right = RIGHTS[route]
    not_in_practice(request)
    if right.open == "yes" or (right.open == "alone" and request.app.state.alone):
        return None
    found = signed_in(request)
    if found is None and right is CALENDARS:
        found = _calendar_program(request)
    if found is None:
        raise NotSignedIn(
            msg("Nobody is signed in on this device, or not any more."),
            next_step=msg("Sign in; what was typed stays on this screen."),
        )
    _refuse_meant_for_another(request, found)
    own = True
    if right.owner is not None:
        with work_of(READING), records_of(practice=False), session():
            own = is_own(right, request.path_params, found.person)
    refuse(right, found.person.role, own, practising=practising(), names=_names)
    if not found.proved and (right in (MANAGE, RULES, INVITE) or (right is DEVICES and not own)):
        raise NotAllowed(
            msg("On a shared device managing the shop takes your passphrase again."),
            next_step=msg("Tap your name, enter your passphrase under Manage from here, then do it again."),
        )
    if practising():
        refuse_others_practice(request.path_params, request.method, found.person)
    at_work(found.person.id)
    return found


def _refuse_meant_for_another(request: Request, found: SignedIn) -> None:
    """Refuse a save that names another person than the one who is signed in.

    Raises
    ------
    WrongPerson : another person signed in on this device meanwhile

    """
    meant = request.headers.get(MEANT_FOR)
    if meant is None or request.method in ("GET", "HEAD") or meant == str(found.person.id):
        return
    raise WrongPerson(
        msg("{name} is signed in on this device now. Nothing was saved.", name=found.person.name),
        next_step=msg("Sign in again to save it under your name; it is still on this screen."),
    )


def _calendar_program(request: Request) -> SignedIn | None:
    """Return whose calendar program asks: it holds no cookie, its address carries a token of its own."""
    key = request.query_params.get("key", "")
    if not 0 < len(key) <= LONGEST_TOKEN:
        return None
    with work_of(READING), records_of(practice=False), session():
        return find_session(key, calendar=True)


def _names(roles: frozenset[str]) -> list[str]:
    """Return who has one of some roles, the lead first."""
    with work_of(READING), records_of(practice=False), session():
        there = [p for p in people.list_people() if p.role in roles]
    return [p.name for p in sorted(there, key=lambda p: p.role != "lead")]


async def while_signed_in(request: Request, told: AsyncGenerator[T]) -> AsyncGenerator[T]:
    """Pass a stream's events on, until the listening device is signed out."""
    coming: asyncio.Future[T] = asyncio.ensure_future(anext(told))
    looked = time.monotonic()
    try:
        while True:
            await asyncio.wait({coming}, timeout=STILL_EVERY_S)
            if time.monotonic() - looked >= STILL_EVERY_S:
                looked = time.monotonic()
                if await run_in_threadpool(_signed_out, request):
                    return
            if coming.done():
                yield coming.result()
                coming = asyncio.ensure_future(anext(told))
    except StopAsyncIteration:
        return
    finally:
        coming.cancel()
        with suppress(asyncio.CancelledError, StopAsyncIteration):
            await coming
        await told.aclose()


def _signed_out(request: Request) -> bool:
    try:
        return signed_in(request) is None
    except CrankError:
        # The records are away for a moment; that ends no one's session.
        return False


Admitted = Annotated[SignedIn | None, Depends(admit)]


async def current_person(admitted: Admitted) -> people.PersonOut:
    """Return who is at work; every record keeps it."""
    assert admitted is not None, "a route that asks who is at work is open to nobody signed out"
    # Only in practice is there anything to ask: a thread of its own for nothing costs every save.
    return await run_in_threadpool(_who_practises, admitted.person) if practising() else admitted.person


def _who_practises(person: people.PersonOut) -> people.PersonOut:
    try:
        with session():
            return people.get_person(person.id)
    except NotFound:
        # Came to the shop since one practised last: the records of practice know them with the next run.
        return person


Who = Annotated[people.PersonOut, Depends(current_person)]
Device = Annotated[SignedIn, Depends(admit)]
