"""Photographs on a call: nameplate, wiring before anything is moved, contacts."""

import hashlib
from typing import Any, Literal

from pydantic import AwareDatetime

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.calls.journal import write_on
from orange_crank.store.database import now, transaction
from orange_crank.store.errors import NotFound
from orange_crank.store.models import Person, Photo, ServiceCall

Subject = Literal["nameplate", "wiring", "contacts", "other"]


class PhotoOut(Frozen):
    """A photograph in a list."""

    id: int
    call_id: int
    subject: str
    caption: str
    width_px: int
    height_px: int
    recorded_at: AwareDatetime
    person: str


def add_photo(
    call_id: int, subject: Subject, caption: str, jpeg: bytes, size: tuple[int, int], person_id: int
) -> PhotoOut:
    """Save a photograph that was cleaned before."""
    with transaction():
        write_on(call_id)
        row = Photo.create(
            call=call_id,
            subject=subject,
            caption=caption,
            width_px=size[0],
            height_px=size[1],
            jpeg=jpeg,
            sha256=hashlib.sha256(jpeg).hexdigest(),
            recorded_at=now(),
            person=person_id,
        )
    return get_photo(row.id)


def get_photo(photo_id: int) -> PhotoOut:
    """Return one photograph's entry.

    Raises
    ------
    NotFound : no such photograph

    """
    found = _listed(Photo.id == photo_id)
    if not found:
        raise NotFound(
            msg("Photograph {photo_id} is not on record.", photo_id=photo_id),
            next_step=msg("Look at the call's list."),
        )
    return found[0]


def photos_of_call(call_id: int) -> list[PhotoOut]:
    """Return a call's photographs, oldest first."""
    return _listed(Photo.call == call_id)


def photos_of_unit(unit_id: int) -> list[PhotoOut]:
    """Return a unit's photographs over all its calls, oldest first."""
    return _listed(ServiceCall.unit == unit_id)


def _listed(condition: object) -> list[PhotoOut]:
    columns = (Photo.id, Photo.call, Photo.subject, Photo.caption, Photo.width_px, Photo.height_px)
    rows: Any = (
        Photo.select(*columns, Photo.recorded_at, Person.name.alias("taken_by"))
        .join(ServiceCall)
        .switch(Photo)
        .join(Person)
        .where(condition)
        .order_by(Photo.id)
        .dicts()
    )
    return [
        PhotoOut(
            id=r["id"],
            call_id=r["call"],
            subject=r["subject"],
            caption=r["caption"],
            width_px=r["width_px"],
            height_px=r["height_px"],
            recorded_at=r["recorded_at"],
            person=r["taken_by"],
        )
        for r in rows
    ]


def photo_bytes(photo_id: int) -> bytes:
    """Return a photograph's JPEG.

    Raises
    ------
    NotFound : no such photograph

    """
    row = Photo.get_or_none(Photo.id == photo_id)
    if row is None:
        raise NotFound(msg("Photograph {photo_id} is not on record.", photo_id=photo_id))
    return bytes(row.jpeg)
