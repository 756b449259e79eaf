"""Signing in: by passphrase, passkey or invitation; devices; a tablet that goes from hand to hand."""

from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from pydantic import AwareDatetime, Field

from orange_crank.api.door import (
    Device,
    Who,
    device_hash_of,
    give_token,
    know_device,
    signed_in,
    take_token,
    token_of,
)
from orange_crank.api.rights import may
from orange_crank.api.shop import Number
from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Flag, Frozen
from orange_crank.core.reads import AS_WRITTEN, Reads
from orange_crank.network import Network, code_svg
from orange_crank.store import (
    begin,
    credentials,
    invitations,
    passkeys,
    preferences,
    sessions,
    sign_in_events,
)
from orange_crank.store.audit import note
from orange_crank.store.begin import NewShop
from orange_crank.store.database import records_of, session
from orange_crank.store.models import Person
from orange_crank.store.passkeys import PasskeyAnswer, PasskeyOut, Place
from orange_crank.store.people import PersonOut, get_person, list_people
from orange_crank.store.sessions import CALENDAR, SessionOut, Way, begin_session, device_words
from orange_crank.store.shop_details import get_shop

router = APIRouter(prefix="/api", tags=["sign in"])

Secret = Annotated[str, Field(max_length=400)]
Pin = Annotated[str, Field(max_length=20)]


class SignedInNow(Frozen):
    """Who is signed in on the device that asks, and how one could be."""

    person: PersonOut | None = Field(description="Nobody, where left out")
    may: list[str] = Field(
        default=[], description="look, work, desk, manage, rules, practise: as in docs/roles.md"
    )
    may_in_practice: list[str] = Field(default=[], description="The same on practice records")
    shared: bool = Field(default=False, description="A tablet that goes from hand to hand")
    proved: bool = Field(default=True, description="May manage from here without the passphrase again")
    has_pin: bool = False
    demo: bool = Field(description="The demo: its people sign in by a tap")
    begun: bool = Field(description="Not: the shop has nobody yet, and begins with its first people")
    can_sign_in: bool = Field(description="Somebody has a passphrase; if not, invite at the shop's computer")
    people: list[PersonOut] = Field(description="The shop's, where the device may know them")
    reads: Reads = Field(default=AS_WRITTEN, description="How they read figures, dates and hours")


class SignIn(Frozen):
    """A name and its passphrase."""

    name: Annotated[str, Field(max_length=200)]
    passphrase: Secret
    shared: Flag = Field(default=False, description="A tablet that goes from hand to hand")


class DemoSignIn(Frozen):
    """Who of the demo's people one is."""

    person_id: int


class HandOver(Frozen):
    """Who takes the tablet over, by their PIN."""

    person_id: int
    pin: Pin


class Confirmation(Frozen):
    """One's own passphrase, again."""

    passphrase: Secret


class EndEverySession(Frozen):
    """The words that end every session."""

    confirm: str = Field(description="The words: end every session")


class InvitationWord(Frozen):
    """The word of an invitation."""

    token: Annotated[str, Field(min_length=8, max_length=100)]


class Acceptance(InvitationWord):
    """The passphrase chosen by it."""

    passphrase: Secret
    shared: Flag = False


class Invited(Frozen):
    """An invitation to show or to send."""

    invitation: invitations.InvitationOut
    path: str = Field(description="Behind the shop's address; the word stands where no server logs it")
    code_svg: str = Field(description="The same as a QR code")


class PassphraseChange(Frozen):
    """A new passphrase, with the one that holds now."""

    now: Secret
    passphrase: Secret


class PinChange(Frozen):
    """A PIN for shared tablets, or none, with the passphrase that holds now."""

    now: Secret
    pin: Pin | None


class CalendarKey(Frozen):
    """What a calendar program's address carries."""

    key: str = Field(description="Behind ?key= of a calendar's address")


class NetworkOut(Frozen):
    """How phones reach the server."""

    alone: bool = Field(description="This machine alone reaches it")
    address: str
    install_address: str | None = Field(description="Plain page by which a phone comes to trust the shop")
    install_code_svg: str | None
    fingerprint: str | None = Field(description="Of the shop's own authority, SHA-256")
    ends_at: AwareDatetime | None = Field(description="When the server's certificate ends")
    warning: str | None


def _device(request: Request) -> str:
    return device_words(request.headers.get("user-agent", "")[:400])


def _address(request: Request) -> str:
    return request.client.host if request.client is not None else "nowhere"


def _here(request: Request) -> bool:
    """Return whether a request comes from the server's own machine; a proxy's word for it does not count."""
    near = _address(request) in ("127.0.0.1", "::1", "testclient")
    return near and not request.headers.get("x-forwarded-for")


def _place(request: Request) -> Place:
    url = request.url
    return Place(host=url.hostname or "", origin=f"{url.scheme}://{url.netloc}")


def _demo(request: Request) -> bool:
    return request.app.state.reload_demo is not None


def _now(request: Request, who: PersonOut | None, shared: bool, proved: bool = True) -> SignedInNow:
    """Return the state of a device's session; within a session of the shop's own records."""
    demo = _demo(request)
    return SignedInNow(
        person=who,
        may=[] if who is None else may(who.role, practising=False),
        may_in_practice=[] if who is None else may(who.role, practising=True),
        shared=shared,
        proved=proved,
        has_pin=who is not None and credentials.has_pin(who.id),
        demo=demo,
        begun=Person.select().exists(),
        can_sign_in=who is not None or demo or credentials.anybody_can_sign_in(),
        people=list_people() if demo or who is not None else [],
        reads=AS_WRITTEN if who is None else preferences.reads_of(who.id),
    )


def _tried(request: Request) -> credentials.Tried:
    return credentials.Tried(_address(request), _device(request), device_hash_of(request))


def _sign_in(request: Request, response: Response, who: PersonOut, way: Way, shared: bool) -> SignedInNow:
    """Sign a person in on the device that asks; the person signed in before is signed out."""
    _let_go(request)
    known = know_device(request, response)
    if way != "demo" and not sessions.is_known_device(known, who.id):
        _record(request, "new_device", who, way)
    token = begin_session(who.id, _device(request), way, shared, known)
    give_token(request, response, token, shared)
    return _now(request, who, shared, proved=way != "pin")


def _record(request: Request, kind: sign_in_events.EventKind, who: PersonOut, detail: str = "") -> None:
    sign_in_events.record(
        kind,
        name=who.name,
        person_id=who.id,
        address=_address(request),
        device=_device(request),
        detail=detail,
    )


def _let_go(request: Request) -> None:
    held = token_of(request)
    if held is not None:
        sessions.end_by_token(held)


@router.get("/session")
def who_is_signed_in(request: Request) -> SignedInNow:
    """Return who is signed in on this device."""
    found = signed_in(request)
    with records_of(practice=False), session():
        if found is None:
            return _now(request, None, shared=False)
        return _now(request, found.person, found.shared, found.proved)


@router.post("/session")
def sign_in(entry: SignIn, request: Request, response: Response) -> SignedInNow:
    """Sign in by name and passphrase."""
    with records_of(practice=False), session():
        who = credentials.check_passphrase(entry.name, entry.passphrase, _tried(request))
        return _sign_in(request, response, who, "passphrase", entry.shared)


@router.post("/session/demo")
def sign_in_to_demo(entry: DemoSignIn, request: Request, response: Response) -> SignedInNow:
    """Sign in as one of the demo's people; on no server but the demo's."""
    if not _demo(request):
        raise GateClosed(
            msg("This server runs no demo. Sign in with a passphrase."),
            next_step=msg("Sign in by your name and passphrase."),
        )
    with records_of(practice=False), session():
        return _sign_in(request, response, get_person(entry.person_id), "demo", shared=False)


@router.post("/session/hand-over")
def hand_over_device(entry: HandOver, who: Device, request: Request, response: Response) -> SignedInNow:
    """Hand this device to another person, who takes it by their PIN."""
    with records_of(practice=False), session():
        if not sessions.is_shared_device(device_hash_of(request)):
            raise GateClosed(
                msg("This device is not registered as shared: a PIN does not open it."),
                next_step=msg(
                    "Sign in on it once as lead or office with Shared tablet ticked. Until then "
                    "sign in by passphrase."
                ),
            )
        taker = get_person(entry.person_id)
        credentials.check_pin(taker, entry.pin, who.session_id, _tried(request))
        return _sign_in(request, response, taker, "pin", shared=True)


@router.post("/session/confirm")
def confirm_passphrase(entry: Confirmation, who: Device, request: Request) -> SignedInNow:
    """Enter one's passphrase again, to manage the shop from a shared device for a quarter of an hour."""
    with records_of(practice=False), session():
        credentials.confirm_passphrase(who.person, entry.passphrase, who.session_id, _tried(request))
        sessions.prove_session(who.session_id)
        return _now(request, who.person, who.shared)


@router.delete("/session")
def sign_out(request: Request, response: Response) -> SignedInNow:
    """Sign out on this device; signed out already, it stays so."""
    with records_of(practice=False), session():
        _let_go(request)
        take_token(request, response)
        return _now(request, None, shared=False)


@router.get("/people/{person_id}/devices")
def list_devices(person_id: Number, who: Device) -> list[SessionOut]:
    """Return the devices a person is signed in on: one's own, or anybody's for lead and office."""
    with records_of(practice=False), session():
        return sessions.list_sessions(person_id, who.session_id)


@router.delete("/people/{person_id}/devices/{session_id}")
def sign_device_out(person_id: Number, session_id: Number, who: Device) -> list[SessionOut]:
    """Sign one of a person's devices out, at once."""
    with records_of(practice=False), session():
        sessions.end_session(session_id, person_id)
        return sessions.list_sessions(person_id, who.session_id)


@router.put("/passphrase")
def change_passphrase(entry: PassphraseChange, who: Device, request: Request) -> list[SessionOut]:
    """Change one's own passphrase; every other device is signed out."""
    with records_of(practice=False), session():
        credentials.confirm_passphrase(who.person, entry.now, who.session_id, _tried(request))
        credentials.set_passphrase(who.person, entry.passphrase)
        sessions.end_all(who.person.id, but=who.session_id)
        note("person", who.person.name, "changed their passphrase", who.person.id)
        return sessions.list_sessions(who.person.id, who.session_id)


@router.put("/pin")
def change_pin(entry: PinChange, who: Device, request: Request) -> SignedInNow:
    """Set one's own PIN for tablets that go from hand to hand, or take it away."""
    with records_of(practice=False), session():
        credentials.confirm_passphrase(who.person, entry.now, who.session_id, _tried(request))
        credentials.set_pin(who.person, entry.pin)
        return _now(request, who.person, who.shared, who.proved)


@router.put("/reads")
def set_reads(entry: Reads, who: Device, request: Request) -> SignedInNow:
    """Set how one reads: °F or °C, feet or meters, dates and hours."""
    with records_of(practice=False), session():
        preferences.set_reads(who.person.id, entry)
        return _now(request, who.person, who.shared, who.proved)


@router.post("/people/{person_id}/invitation", status_code=201)
def invite_person(person_id: Number, who: Device, request: Request) -> Invited:
    """Invite a person of the shop to choose a passphrase; an earlier invitation of theirs ends."""
    with records_of(practice=False), session():
        made = invitations.invite(person_id, who.person)
        _record(request, "invited", made.person, f"by {who.person.name}")
    path = f"/join#{made.token}"
    return Invited(invitation=made, path=path, code_svg=code_svg(_place(request).origin + path))


@router.post("/invitations/look")
def look_at_invitation(entry: InvitationWord) -> PersonOut:
    """Return whom an invitation is for."""
    with records_of(practice=False), session():
        return invitations.look(entry.token)


@router.post("/invitations/accept")
def accept_invitation(entry: Acceptance, request: Request, response: Response) -> SignedInNow:
    """Choose a passphrase by an invitation, and be signed in on this device."""
    with records_of(practice=False), session():
        _let_go(request)
        who = invitations.accept(entry.token, entry.passphrase)
        _record(request, "accepted", who)
        return _sign_in(request, response, who, "invitation", entry.shared)


@router.post("/shop/begin", status_code=201)
def begin_shop(entry: NewShop, request: Request, response: Response) -> SignedInNow:
    """Begin a shop: its name, its first people and its lead's passphrase, into records that hold no one."""
    if not request.app.state.alone and not _here(request):
        raise GateClosed(
            msg(
                "Begin the shop at its own computer, not over the network: the first person becomes its lead."
            ),
            next_step=msg("Open it there by https://localhost, or run there: orange-crank begin."),
        )
    with records_of(practice=False), session():
        who = begin.begin_shop(entry)
        return _sign_in(request, response, who, "passphrase", shared=False)


@router.post("/calendar-key", status_code=201)
def subscribe_calendar(who: Device) -> CalendarKey:
    """Give a calendar program a key of its own: it opens calendars alone, and ends like any device."""
    with records_of(practice=False), session():
        return CalendarKey(key=begin_session(who.person.id, "Calendar program", CALENDAR))


@router.get("/security")
def get_security(who: Device) -> sign_in_events.Security:
    """Return who is signed in where, failed tries, locks, new devices, invitations and restores."""
    with records_of(practice=False), session():
        return sign_in_events.security(who.session_id)


@router.post("/security/end-sessions")
def end_every_session(
    entry: EndEverySession, who: Device, request: Request, response: Response
) -> SignedInNow:
    """Sign everybody out everywhere, this device and calendar programs too."""
    if entry.confirm != "end every session":
        raise InputProblem(
            [FieldProblem(field="confirm", wanted=msg("the words: end every session"), got=entry.confirm)]
        )
    with records_of(practice=False), session():
        sign_in_events.end_every_session(who.person.id)
        note("shop", "Sessions", "every session ended", who.person.id)
        take_token(request, response)
        return _now(request, None, shared=False)


@router.get("/network")
def get_network(request: Request) -> NetworkOut:
    """Return how phones reach this server, and the state of its certificate."""
    network: Network = request.app.state.network
    standing = network.standing
    install = network.install_address
    return NetworkOut(
        alone=network.alone,
        address=network.address if not network.alone else _place(request).origin,
        install_address=install,
        install_code_svg=code_svg(install) if install is not None else None,
        fingerprint=standing.authority_print if standing is not None else None,
        ends_at=standing.ends_at if standing is not None else None,
        warning=network.warning(),
    )


@router.get("/passkeys")
def list_passkeys(who: Who) -> list[PasskeyOut]:
    """Return one's own passkeys."""
    with records_of(practice=False), session():
        return passkeys.list_passkeys(who.id)


@router.post("/passkeys/begin")
def begin_passkey(who: Device, request: Request) -> dict[str, Any]:
    """Return what a browser needs to make a passkey."""
    with records_of(practice=False), session():
        return passkeys.begin_passkey(who.person, get_shop().details.name, _place(request))


@router.post("/passkeys", status_code=201)
def keep_passkey(entry: PasskeyAnswer, who: Device, request: Request) -> list[PasskeyOut]:
    """Keep the passkey a browser made."""
    with records_of(practice=False), session():
        return passkeys.keep_passkey(who.person, entry.credential, _device(request), _place(request))


@router.delete("/passkeys/{passkey_id}")
def drop_passkey(passkey_id: Number, who: Device) -> list[PasskeyOut]:
    """Take one of one's own passkeys away."""
    with records_of(practice=False), session():
        return passkeys.drop_passkey(who.person, passkey_id)


@router.post("/session/passkey/begin")
def offer_passkey(request: Request) -> dict[str, Any]:
    """Return what a browser needs to sign in by a passkey."""
    with records_of(practice=False), session():
        return passkeys.offer(_place(request))


@router.post("/session/passkey")
def sign_in_by_passkey(
    entry: PasskeyAnswer,
    request: Request,
    response: Response,
    shared: Annotated[bool, Query(description="A tablet that goes from hand to hand")] = False,
) -> SignedInNow:
    """Sign in by a passkey."""
    with records_of(practice=False), session():
        credentials.admit_try(f"from {_address(request)}")
        try:
            who = passkeys.check_passkey(entry.credential, _place(request))
        except credentials.NotSignedIn:
            sign_in_events.record("failed_passkey", address=_address(request), device=_device(request))
            raise
        credentials.forget_tries(f"from {_address(request)}")
        return _sign_in(request, response, who, "passkey", shared)
