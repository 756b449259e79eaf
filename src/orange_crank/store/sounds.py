"""Starts by ear: the recording kept as WAV, checked by sum."""

import hashlib
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from orange_crank.core.messages import msg
from orange_crank.store.calls.journal import write_on
from orange_crank.store.database import now, transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import Person, SoundRow


@dataclass(frozen=True)
class SoundKept:
    """A recording as it lies on record."""

    id: int
    call_id: int
    recorded_at: datetime
    person: str
    sha256: str


def save_sound(call_id: int, wav: bytes, person_id: int) -> int:
    """Save a recording and return its number; it was read before and is a WAV."""
    with transaction():
        write_on(call_id)
        row = SoundRow.create(
            call=call_id,
            wav=wav,
            sha256=hashlib.sha256(wav).hexdigest(),
            recorded_at=now(),
            person=person_id,
        )
    return int(row.id)


def get_sound(sound_id: int) -> SoundKept:
    """Return one recording.

    Raises
    ------
    NotFound : no such recording

    """
    found = _kept(SoundRow.id == sound_id)
    if not found:
        raise NotFound(
            msg("Sound {sound_id} is not on record.", sound_id=sound_id),
            next_step=msg("Look at the call's list."),
        )
    return found[0]


def list_sounds(call_id: int) -> list[SoundKept]:
    """Return a call's recordings, oldest first."""
    return _kept(SoundRow.call == call_id)


def _kept(where: Any) -> list[SoundKept]:
    columns = [f for f in SoundRow._meta.sorted_fields if f is not SoundRow.wav]
    rows: Any = SoundRow.select(*columns, Person).join(Person).where(where).order_by(SoundRow.id)
    return [
        SoundKept(
            id=row.id,
            call_id=row.call_id,
            recorded_at=row.recorded_at,
            person=row.person.name,
            sha256=row.sha256,
        )
        for row in rows
    ]


def sound_bytes(sound_id: int) -> bytes:
    """Return a recording as WAV.

    Raises
    ------
    NotFound : no such recording
    Conflict : it no longer matches its checksum

    """
    row = SoundRow.get_or_none(SoundRow.id == sound_id)
    if row is None:
        raise NotFound(
            msg("Sound {sound_id} is not on record.", sound_id=sound_id),
            next_step=msg("Look at the call's list."),
        )
    return _checked(row)


def _checked(row: Any) -> bytes:
    wav = bytes(row.wav)
    if hashlib.sha256(wav).hexdigest() != row.sha256:
        raise Conflict(
            msg("Sound {id} does not match its checksum: the record was damaged.", id=row.id),
            next_step=msg("Restore it from a backup; do not use it as evidence."),
        )
    return wav
