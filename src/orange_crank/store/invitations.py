"""Invitations: a word handed to a person of the shop, by which they choose a passphrase, once."""

import secrets
from datetime import timedelta

from pydantic import AwareDatetime, Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import credentials, sessions
from orange_crank.store.audit import note
from orange_crank.store.credentials import NotSignedIn
from orange_crank.store.database import now, transaction
from orange_crank.store.models import Invitation
from orange_crank.store.people import PersonOut, get_person, only_a_lead
from orange_crank.store.sessions import digest

GOOD_FOR = timedelta(hours=48)


class InvitationOut(Frozen):
    """An invitation, returned once: only its digest is kept."""

    person: PersonOut
    token: str = Field(description="The word; whoever holds it chooses the passphrase")
    ends_at: AwareDatetime


def invite(person_id: int, by: PersonOut | None) -> InvitationOut:
    """Invite a person of the shop; earlier invitations of theirs end.

    Parameters
    ----------
    person_id : whom
    by : who invites; None on the shop's own computer

    Raises
    ------
    NotFound : no active person has that number
    GateClosed : a lead, invited by a person who is no lead

    """
    person = get_person(person_id)
    if by is not None:
        only_a_lead(by, person.role)
    token, moment = secrets.token_urlsafe(18), now()
    with transaction():
        Invitation.update(used_at=moment).where(
            (Invitation.person == person_id) & Invitation.used_at.is_null()
        ).execute()
        Invitation.create(
            token_hash=digest(token),
            person=person_id,
            made_by=None if by is None else by.id,
            made_at=moment,
            ends_at=moment + GOOD_FOR,
        )
        note("person", person.name, "invited to sign in", None if by is None else by.id)
    return InvitationOut(person=person, token=token, ends_at=moment + GOOD_FOR)


def _open(token: str) -> Invitation:
    row = Invitation.select().where(Invitation.token_hash == digest(token)).for_update().get_or_none()
    if row is None or row.used_at is not None or row.ends_at < now():
        raise NotSignedIn(
            msg("This invitation is used, replaced or out of date."),
            next_step=msg("Ask the lead or the office for a new one, or sign in by your passphrase."),
        )
    found: Invitation = row
    return found


def look(token: str) -> PersonOut:
    """Return whom an invitation is for.

    Raises
    ------
    NotSignedIn : it is no longer good

    """
    with transaction():
        return get_person(_open(token).person.id)


def accept(token: str, passphrase: str) -> PersonOut:
    """Choose a passphrase by an invitation; every device of theirs is signed out.

    Returns
    -------
    person : who is to be signed in

    Raises
    ------
    NotSignedIn : it is no longer good
    InputProblem : the passphrase would be guessed

    """
    with transaction():
        row = _open(token)
        person = get_person(row.person.id)
        credentials.set_passphrase(person, passphrase)
        Invitation.update(used_at=now()).where(Invitation.id == row.id).execute()
        sessions.end_all(person.id)
        note("person", person.name, "chose a passphrase by invitation", person.id)
        return person


def end_invitations(person_id: int) -> None:
    """End the open invitations of a person who was retired."""
    Invitation.update(used_at=now()).where(
        (Invitation.person == person_id) & Invitation.used_at.is_null()
    ).execute()
