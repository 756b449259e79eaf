"""Sign-in secrets: a passphrase, and a PIN for a tablet that goes from hand to hand.

Only hashes are kept (argon2id with the parameters `pwdlib` recommends). A wrong try delays the next, longer
each time; by name and by address, so that neither one name nor many can be tried through.
"""

import hashlib
import threading
import unicodedata
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from pwdlib import PasswordHash

from orange_crank.core.errors import CrankError, FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.store import sign_in_events
from orange_crank.store.database import now, proxy, transaction
from orange_crank.store.models import Credential, Person, VainTry
from orange_crank.store.people import PersonOut
from orange_crank.store.sessions import is_known_device
from orange_crank.store.shop_details import get_shop
from orange_crank.store.weak_words import is_common_pin, is_guessable

SHORTEST, LONGEST = 12, 200
FEWEST_DIFFERENT = 5
FREE_TRIES, FREE_FROM_ADDRESS = 5, 30
FIRST_WAIT_S, LONGEST_WAIT_S = 60.0, 900.0
FORGOTTEN_AFTER = timedelta(hours=1)

_hash = PasswordHash.recommended()
# Each hash takes 64 MB and a core for a moment: two at a time, however many try.
_hashing = threading.BoundedSemaphore(2)
_nobodys: list[str] = []


class NotSignedIn(CrankError):
    """No one is signed in on this device, or not any more."""

    title = msg("Sign in first")


class TooManyTries(CrankError):
    """Too many wrong tries; ``wait_s`` is the pause before the next."""

    title = msg("A moment, please")

    def __init__(self, wait_s: float) -> None:
        minutes = max(1, round(wait_s / 60))
        super().__init__(
            f"That did not match several times. Wait {minutes} min before the next try.",
            next_step=msg("Ask the lead or the office to invite you again from the Shop page."),
        )
        self.wait_s = wait_s

    def __reduce__(self) -> tuple[type["TooManyTries"], tuple[float]]:
        """Let it cross from one process to another whole."""
        return TooManyTries, (self.wait_s,)


def plain(words: str) -> str:
    """Return a name or a passphrase in the one form it is compared in (NFKC, no space around it)."""
    return unicodedata.normalize("NFKC", words).strip()


def refuse_weak(passphrase: str, name: str, *shop_names: str) -> str:
    """Return a passphrase as it is kept.

    Parameters
    ----------
    passphrase : as typed
    name : of the person
    shop_names : of the shop

    Raises
    ------
    InputProblem : too short or long, too few different characters, one's own name, or guessed first

    """
    said = plain(passphrase)
    wanted = None
    if len(said) < SHORTEST:
        wanted = f"{SHORTEST} characters at least: four plain words do well"
    elif len(said) > LONGEST:
        wanted = f"{LONGEST} characters at most"
    elif len(set(said.casefold())) < FEWEST_DIFFERENT:
        wanted = "more different characters: four plain words do well"
    elif said.casefold().replace(" ", "") in plain(name).casefold().replace(" ", "") * 3:
        wanted = "something other than your name"
    elif is_guessable(said, [name, *shop_names]):
        wanted = "words that are not guessed first: four plain words, not a common one or the shop's name"
    if wanted is not None:
        # What came is not repeated: an answer may be read over a shoulder.
        raise InputProblem([FieldProblem(field="passphrase", wanted=wanted, got=None)])
    return said


def refuse_weak_pin(pin: str) -> str:
    """Return a PIN as it is kept.

    Raises
    ------
    InputProblem : not four to eight digits, or one that is tried first

    """
    said = plain(pin)
    if not (said.isascii() and said.isdigit() and 4 <= len(said) <= 8):
        raise InputProblem([FieldProblem(field="pin", wanted=msg("four to eight digits"), got=None)])
    if is_common_pin(said):
        raise InputProblem(
            [
                FieldProblem(
                    field="pin",
                    wanted=msg("digits that are no year, pairs, row or line of the keypad"),
                    got=None,
                )
            ]
        )
    return said


def hashed(secret: str) -> str:
    """Return the hash of a secret, with its salt and parameters."""
    with _hashing:
        return _hash.hash(secret)


def matches(secret: str, kept: str | None) -> bool:
    """Return whether a secret is the one kept; takes as long where nothing is kept."""
    if kept is None:
        if not _nobodys:
            _nobodys.append(hashed("nobody signs in by this"))
        kept_or_nobodys = _nobodys[0]
    else:
        kept_or_nobodys = kept
    with _hashing:
        return _hash.verify(secret, kept_or_nobodys) and kept is not None


def _digest(whose: str) -> str:
    return hashlib.sha256(plain(whose).casefold().encode()).hexdigest()


def wait_of(tries: int, free: int) -> float:
    """Return how long to wait after so many vain tries [s].

    >>> [wait_of(n, 5) for n in (4, 5, 6, 20)]
    [0.0, 60.0, 120.0, 900.0]
    """
    return 0.0 if tries < free else min(LONGEST_WAIT_S, FIRST_WAIT_S * 2.0 ** min(tries - free, 10))


def _free(whose: str) -> int:
    return FREE_FROM_ADDRESS if whose.startswith("from ") else FREE_TRIES


def admit_try(*whose: str) -> None:
    """Refuse a try that comes too soon after vain ones, of a name, an address or a device.

    Each try counts as wrong until ``forget_tries`` clears it: two at once cannot both slip through.

    Raises
    ------
    TooManyTries : wait first

    """
    moment = now()
    # Tries of a clock that was fast count from now: no wait grows longer than it is.
    VainTry.update(last_at=moment).where(
        VainTry.whose.in_([_digest(one) for one in whose]) & (VainTry.last_at > moment)
    ).execute()
    with transaction():
        for one in sorted(whose):
            digest = _digest(one)
            row = VainTry.select().where(VainTry.whose == digest).for_update().get_or_none()
            if row is not None and moment - row.last_at < FORGOTTEN_AFTER:
                left = wait_of(row.tries, _free(one)) - (moment - row.last_at).total_seconds()
                if left > 0:
                    raise TooManyTries(left)
                tries = row.tries + 1
            else:
                tries = 1
            proxy.obj.execute_sql(
                "INSERT INTO vain_try (whose, tries, last_at) VALUES (%s, %s, %s) "
                "ON DUPLICATE KEY UPDATE tries = VALUES(tries), last_at = VALUES(last_at)",
                (digest, tries, VainTry.last_at.db_value(moment)),
            )


def forget_tries(*whose: str) -> None:
    """Take back what was counted: this time it matched.

    Of an address only this one try: anyone who has a passphrase cannot clear the way for guessing others'.
    """
    for one in whose:
        mine = VainTry.whose == _digest(one)
        if one.startswith("from "):
            VainTry.update(tries=VainTry.tries - 1).where(mine & (VainTry.tries > 0)).execute()
        else:
            VainTry.delete().where(mine).execute()


@dataclass(frozen=True)
class Tried:
    """Where a try came from.

    Attributes
    ----------
    address : of the device, as the server sees it
    device : its kind, in a few words
    device_hash : digest of the token a known device holds; None on a new one

    """

    address: str
    device: str = ""
    device_hash: str | None = None


def check_passphrase(name: str, passphrase: str, at: Tried) -> PersonOut:
    """Return who signs in by this name and passphrase.

    A device this person was signed in on before has tries of its own: others cannot lock the owner out.

    Raises
    ------
    NotSignedIn : name and passphrase do not match; the answer is the same for an unknown name
    TooManyTries : wait first

    """
    row = (
        Person.select(Person, Credential.passphrase_hash)
        .left_outer_join(Credential)
        .where(Person.active & (Person.name == plain(name)))
        .objects()
        .first()
    )
    # The database takes é for e; the tries are counted by what was typed, so only that is taken.
    if row is not None and plain(row.name).casefold() != plain(name).casefold():
        row = None
    known = row is not None and at.device_hash is not None and is_known_device(at.device_hash, row.id)
    tried = (f"name {name} on {at.device_hash}",) if known else (f"name {name}", f"from {at.address}")
    whose: dict[str, Any] = {"name": plain(name), "person_id": row.id if row is not None else None}
    _admit_recorded(tried, at, **whose)
    kept = row.passphrase_hash if row is not None else None
    if not matches(plain(passphrase), kept):
        sign_in_events.record("failed", address=at.address, device=at.device, **whose)
        raise NotSignedIn(
            msg("Name and passphrase do not match."),
            next_step=msg(
                "Look at the keyboard's capitals and try again; forgotten, ask for a new invitation."
            ),
        )
    forget_tries(*tried)
    return PersonOut(id=row.id, name=row.name, role=row.role, initials=row.initials, version=row.version)


def confirm_passphrase(person: PersonOut, passphrase: str, session_id: int, at: Tried) -> None:
    """Check the passphrase of a person who is signed in; failures count for this session alone.

    Raises
    ------
    NotSignedIn : it is not theirs
    TooManyTries : wait first

    """
    tried = (f"own {session_id}",)
    whose: dict[str, Any] = {"name": person.name, "person_id": person.id}
    _admit_recorded(tried, at, **whose)
    row = Credential.get_or_none(Credential.person == person.id)
    if not matches(plain(passphrase), row.passphrase_hash if row is not None else None):
        sign_in_events.record("failed", address=at.address, device=at.device, **whose)
        raise NotSignedIn(
            msg("Name and passphrase do not match."),
            next_step=msg(
                "Look at the keyboard's capitals and try again; forgotten, ask for a new invitation."
            ),
        )
    forget_tries(*tried)


def _admit_recorded(tried: tuple[str, ...], at: Tried, *, name: str, person_id: int | None) -> None:
    """Admit a try, and record a lock for the lead."""
    try:
        admit_try(*tried)
    except TooManyTries:
        sign_in_events.record("locked", name=name, person_id=person_id, address=at.address, device=at.device)
        raise


def check_pin(person: PersonOut, pin: str, session_id: int, at: Tried) -> None:
    """Let a person take over a shared device by their PIN.

    Raises
    ------
    NotSignedIn : not their PIN, or they have none
    TooManyTries : wait first

    """
    tried = (f"pin of {person.id}", f"pin on session {session_id}")
    whose: dict[str, Any] = {"name": person.name, "person_id": person.id}
    _admit_recorded(tried, at, **whose)
    row = Credential.get_or_none(Credential.person == person.id)
    if not matches(plain(pin), row.pin_hash if row is not None else None):
        sign_in_events.record("failed_pin", address=at.address, device=at.device, **whose)
        raise NotSignedIn(
            msg("That is not the PIN of {name}, or none is set.", name=person.name),
            next_step=msg("Try again, or sign out and sign in by passphrase; there a PIN can be set."),
        )
    forget_tries(*tried)


def set_passphrase(person: PersonOut, passphrase: str) -> None:
    """Keep what a person signs in by from now on.

    Raises
    ------
    InputProblem : it would be guessed

    """
    _keep(person.id, passphrase_hash=hashed(refuse_weak(passphrase, person.name, get_shop().details.name)))
    forget_tries(f"name {person.name}")


def set_pin(person: PersonOut, pin: str | None) -> None:
    """Keep a person's PIN for shared tablets; None takes it away.

    Raises
    ------
    InputProblem : it would be guessed

    """
    _keep(person.id, pin_hash=None if pin is None else hashed(refuse_weak_pin(pin)))


def has_pin(person_id: int) -> bool:
    """Return whether a person has a PIN."""
    return (
        Credential.select()
        .where((Credential.person == person_id) & Credential.pin_hash.is_null(False))
        .exists()
    )


def anybody_can_sign_in() -> bool:
    """Return whether anyone active has a passphrase yet."""
    return (
        Credential.select()
        .join(Person)
        .where(Person.active & Credential.passphrase_hash.is_null(False))
        .exists()
    )


def _keep(person_id: int, **hashes: str | None) -> None:
    changed = {"changed_at": now()} | hashes
    with transaction():
        if not Credential.update(**changed).where(Credential.person == person_id).execute():
            Credential.create(person=person_id, **changed)


def forget_credentials(person_id: int) -> None:
    """Take passphrase and PIN away from a person who was retired; taken back, they need an invitation."""
    Credential.delete().where(Credential.person == person_id).execute()
