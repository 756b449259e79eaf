"""Retire a person: everything they sign in by ends, and stays ended when they come back."""

from orange_crank.core.messages import msg
from orange_crank.store import credentials, invitations, passkeys, sessions, sign_in_events
from orange_crank.store.people import PersonOut


def leave(person: PersonOut, by: PersonOut) -> None:
    """End sessions, calendar keys, passkeys, passphrase, PIN and open invitations of a person."""
    ended = sessions.end_all(person.id)
    passkeys.end_passkeys(person.id)
    credentials.forget_credentials(person.id)
    invitations.end_invitations(person.id)
    sign_in_events.record(
        "retired",
        name=person.name,
        person_id=person.id,
        detail=msg("by {name}; {ended} sessions ended", name=by.name, ended=ended),
    )
