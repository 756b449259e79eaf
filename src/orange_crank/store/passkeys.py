"""Passkeys (WebAuthn): a key that stays on a person's device; only its public half is kept here.

A challenge is good once and for a few minutes. A key's counter that goes back means that the key was copied:
it is refused from then on.
"""

import json
from datetime import timedelta
from typing import Any

from pydantic import AwareDatetime, Field, JsonValue
from webauthn import (
    base64url_to_bytes,
    generate_authentication_options,
    generate_registration_options,
    options_to_json,
    verify_authentication_response,
    verify_registration_response,
)
from webauthn.helpers import bytes_to_base64url, parse_client_data_json
from webauthn.helpers.exceptions import WebAuthnException
from webauthn.helpers.structs import (
    AuthenticatorSelectionCriteria,
    PublicKeyCredentialDescriptor,
    ResidentKeyRequirement,
    UserVerificationRequirement,
)

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.credentials import NotSignedIn
from orange_crank.store.database import now, transaction
from orange_crank.store.errors import NotFound
from orange_crank.store.models import Challenge, Passkey
from orange_crank.store.people import PersonOut, get_person
from orange_crank.store.sessions import digest

GOOD_FOR = timedelta(minutes=5)
MOST_KEYS = 20


class Place(Frozen):
    """Where a key is good: the name in the address bar, and the whole origin."""

    host: str
    origin: str


class PasskeyOut(Frozen):
    """A passkey a person keeps on a device."""

    id: int
    device: str
    made_at: AwareDatetime
    used_at: AwareDatetime | None


class PasskeyAnswer(Frozen):
    """What a browser answers, as its own ``toJSON`` writes it."""

    credential: dict[str, JsonValue] = Field(description="PublicKeyCredential.toJSON()")


def _challenge(person_id: int | None, challenge: bytes) -> None:
    Challenge.delete().where(Challenge.made_at < now() - GOOD_FOR).execute()
    Challenge.create(token_hash=digest(bytes_to_base64url(challenge)), person_id=person_id, made_at=now())


def _refused() -> NotSignedIn:
    return NotSignedIn(
        msg("This passkey was not taken: it took too long, is not known here, or is for another address."),
        next_step=msg("Try again, or sign in by your passphrase."),
    )


def _take_challenge(credential: dict[str, Any], person_id: int | None) -> bytes:
    """Return the challenge an answer was made for, and let it be good no more."""
    try:
        client = parse_client_data_json(base64url_to_bytes(credential["response"]["clientDataJSON"]))
    except (WebAuthnException, KeyError, TypeError, ValueError):
        raise _refused() from None
    mine = (Challenge.token_hash == digest(bytes_to_base64url(client.challenge))) & (
        Challenge.made_at > now() - GOOD_FOR
    )
    mine &= Challenge.person_id.is_null() if person_id is None else Challenge.person_id == person_id
    if not Challenge.delete().where(mine).execute():
        raise _refused()
    return client.challenge


def _keys(person_id: int) -> list[Any]:
    return list(
        Passkey.select()
        .where((Passkey.person == person_id) & Passkey.ended_at.is_null())
        .order_by(Passkey.id)
    )


def list_passkeys(person_id: int) -> list[PasskeyOut]:
    """Return a person's passkeys."""
    return [
        PasskeyOut(id=r.id, device=r.device, made_at=r.made_at, used_at=r.used_at) for r in _keys(person_id)
    ]


def begin_passkey(person: PersonOut, shop: str, place: Place) -> dict[str, Any]:
    """Return what a browser needs to make a passkey (PublicKeyCredentialCreationOptions as JSON)."""
    options = generate_registration_options(
        rp_id=place.host,
        rp_name=shop or "Orange Crank",
        user_id=f"person {person.id}".encode(),
        user_name=person.name,
        user_display_name=person.name,
        exclude_credentials=[
            PublicKeyCredentialDescriptor(id=base64url_to_bytes(r.key_name)) for r in _keys(person.id)
        ],
        authenticator_selection=AuthenticatorSelectionCriteria(
            resident_key=ResidentKeyRequirement.REQUIRED,
            user_verification=UserVerificationRequirement.REQUIRED,
        ),
    )
    with transaction():
        _challenge(person.id, options.challenge)
    found: dict[str, Any] = json.loads(options_to_json(options))
    return found


def keep_passkey(
    person: PersonOut, credential: dict[str, Any], device: str, place: Place
) -> list[PasskeyOut]:
    """Keep a passkey a browser made.

    Raises
    ------
    NotSignedIn : what it answered is not what it was asked

    """
    with transaction():
        challenge = _take_challenge(credential, person.id)
    try:
        made = verify_registration_response(
            credential=credential,
            expected_challenge=challenge,
            expected_rp_id=place.host,
            expected_origin=place.origin,
            require_user_verification=True,
        )
    except (WebAuthnException, KeyError, TypeError, ValueError):
        raise _refused() from None
    key_name = bytes_to_base64url(made.credential_id)
    with transaction():
        if (
            Passkey.select().where(Passkey.key_name == key_name).exists()
            or len(_keys(person.id)) >= MOST_KEYS
        ):
            raise _refused()
        Passkey.create(
            person=person.id,
            key_name=key_name,
            public_key=bytes_to_base64url(made.credential_public_key),
            sign_count=made.sign_count,
            device=device[:80],
            made_at=now(),
        )
    return list_passkeys(person.id)


def drop_passkey(person: PersonOut, number: int) -> list[PasskeyOut]:
    """Take a passkey of one's own away.

    Raises
    ------
    NotFound : it is not one of theirs

    """
    mine = (Passkey.id == number) & (Passkey.person == person.id)
    if not Passkey.select().where(mine).exists():
        raise NotFound(
            msg("No passkey of yours has number {number}.", number=number),
            next_step=msg("Look at the list again."),
        )
    Passkey.update(ended_at=now()).where(mine & Passkey.ended_at.is_null()).execute()
    return list_passkeys(person.id)


def offer(place: Place) -> dict[str, Any]:
    """Return what a browser needs to sign in by a passkey (PublicKeyCredentialRequestOptions as JSON)."""
    options = generate_authentication_options(
        rp_id=place.host, user_verification=UserVerificationRequirement.REQUIRED
    )
    with transaction():
        _challenge(None, options.challenge)
    found: dict[str, Any] = json.loads(options_to_json(options))
    return found


def check_passkey(credential: dict[str, Any], place: Place) -> PersonOut:
    """Return who signs in by a passkey.

    Raises
    ------
    NotSignedIn : it is not known here, is for another address, or was copied

    """
    with transaction():
        challenge = _take_challenge(credential, None)
        row = (
            Passkey.select()
            .where((Passkey.key_name == str(credential.get("id", ""))[:700]) & Passkey.ended_at.is_null())
            .for_update()
            .get_or_none()
        )
        if row is None:
            raise _refused()
        try:
            found = verify_authentication_response(
                credential=credential,
                expected_challenge=challenge,
                expected_rp_id=place.host,
                expected_origin=place.origin,
                credential_public_key=base64url_to_bytes(row.public_key),
                credential_current_sign_count=row.sign_count,
                require_user_verification=True,
            )
        except (WebAuthnException, KeyError, TypeError, ValueError):
            raise _refused() from None
        Passkey.update(sign_count=found.new_sign_count, used_at=now()).where(Passkey.id == row.id).execute()
        try:
            return get_person(row.person.id)
        except NotFound:
            raise _refused() from None


def end_passkeys(person_id: int) -> None:
    """End every passkey of a person who was retired."""
    Passkey.update(ended_at=now()).where((Passkey.person == person_id) & Passkey.ended_at.is_null()).execute()
