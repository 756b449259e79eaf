"""Opening a call, editing it, closing it with what is left open, and opening it again."""

from datetime import datetime
from typing import Literal

import peewee
from pydantic import Field

from orange_crank.core.call.gates import require
from orange_crank.core.errors import GateClosed
from orange_crank.core.handover.record import Closing, LeftAtClosing
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen, Sentence
from orange_crank.store.calls.billing import bill_to_freeze, closing_points
from orange_crank.store.calls.decisions import CLOSED, append
from orange_crank.store.calls.journal import write_on
from orange_crank.store.calls.record import CallRecord, read_call
from orange_crank.store.calls.view import CallOut, get_call
from orange_crank.store.database import now, transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import (
    ChangeMade,
    PlannedVisit,
    PlateVersion,
    Reading,
    ServiceCall,
    ShopStandardRow,
    Unit,
)
from orange_crank.store.units import standing


class NewCall(Frozen):
    """A call to be opened."""

    unit_id: int
    complaint: str = Field(min_length=1, max_length=400, description="In the customer's words")
    visit_id: int | None = Field(
        default=None, strict=True, ge=1, description="The planned visit it is, where it was planned"
    )


class CallEdit(Frozen):
    """What two people may edit on a call; ``version`` is the one it was edited from."""

    version: int
    complaint: str | None = Field(default=None, min_length=1, max_length=400)
    note: Sentence | None = None
    spoken_to: str | None = Field(
        default=None, max_length=400, description="Who of the customer's side was spoken to, and of what"
    )
    parts_ordered: str | None = Field(default=None, max_length=400, description="What is on order")
    status: Literal["open", "closed"] | None = None
    reason: str | None = Field(
        default=None, max_length=400, description="Why it is closed with points left open"
    )


def open_call(entry: NewCall, person_id: int, opened_at: datetime | None = None) -> CallOut:
    """Open a call on a unit.

    Raises
    ------
    NotFound : no such unit
    Conflict : the unit has an open call already

    """
    with transaction():
        unit_id = standing(entry.unit_id)
        _refuse_second_open_call(unit_id)
        row = ServiceCall.create(
            unit=unit_id,
            complaint=entry.complaint.strip(),
            opened_at=opened_at or now(),
            opened_by=person_id,
        )
        if entry.visit_id is not None:
            _begin_visit(entry.visit_id, row)
        return get_call(row.id)


def _begin_visit(visit_id: int, call: ServiceCall) -> None:
    """Tie a call to the visit it was planned as; one of another unit stays as it is."""
    PlannedVisit.update(call=call.id, status="begun", version=PlannedVisit.version + 1).where(
        (PlannedVisit.id == visit_id)
        & (PlannedVisit.unit == call.unit_id)
        & (PlannedVisit.status == "planned")
    ).execute()


def _refuse_second_open_call(unit_id: int) -> None:
    # Locking the unit's row keeps two people from opening two calls on it at once.
    if Unit.select().where(Unit.id == unit_id).for_update().get_or_none() is None:
        raise NotFound(
            msg("Unit {unit_id} is not on record.", unit_id=unit_id),
            next_step=msg("Pick a unit from the list."),
        )
    there = ServiceCall.get_or_none((ServiceCall.unit == unit_id) & (ServiceCall.status == "open"))
    if there is not None:
        raise Conflict(
            msg("This unit has an open call already, number {id}.", id=there.id),
            next_step=msg("Go on with that call, or close it first."),
        )


def edit_call(call_id: int, edit: CallEdit, person_id: int, at: datetime | None = None) -> CallOut:
    """Change complaint, note or status.

    Raises
    ------
    Conflict : a person saved the call since ``edit.version``
    GateClosed : points are left open and no reason is given

    """
    with transaction():
        unit_id = ServiceCall.select(ServiceCall.unit).where(ServiceCall.id == call_id).scalar()
        if edit.status == "open" and unit_id is not None:
            # The unit's row first, as opening does: two that wait for each other never can.
            Unit.select().where(Unit.id == unit_id).for_update().get_or_none()
        entry = write_on(call_id, at, even_closed=True)
        row = entry.call
        if row.version != edit.version:
            raise Conflict(
                msg("Someone changed this call while you typed. Your text is still here."),
                next_step=msg("Check the new version, then save yours again or discard it."),
            )
        fields: dict[str, object] = {"version": row.version + 1}
        if edit.complaint is not None:
            fields["complaint"] = edit.complaint.strip()
        if edit.note is not None:
            fields["note"] = edit.note
        if edit.spoken_to is not None:
            fields["spoken_to"] = edit.spoken_to.strip()
        if edit.parts_ordered is not None:
            fields["parts_ordered"] = edit.parts_ordered.strip()
        if edit.status == "closed" and row.status == "open":
            before = read_call(call_id, entry.moment)
            fields |= _closing(before, edit.reason, entry.moment)
            kept = Closing(
                bill=bill_to_freeze(before, entry.moment),
                reason=(edit.reason or "").strip(),
                left=[LeftAtClosing(code=p.code, text=p.text[:2_000]) for p in closing_points(before)],
            )
            append(entry, CLOSED, kept, person_id)
        if edit.status == "open" and row.status == "closed":
            _refuse_second_open_call(row.unit_id)
            fields |= {"status": "open", "closed_at": None, "closed_reason": None}
            fields |= dict.fromkeys(("closed_plate", "closed_standard", "closed_reading", "closed_change"))
        ServiceCall.update(**fields).where(ServiceCall.id == call_id).execute()
        return get_call(call_id)


def _closing(record: CallRecord, reason: str | None, moment: datetime) -> dict[str, object]:
    """Return what closing writes: what was left open and why, and what it is judged by from now on."""
    require(record.judged.gates["close"])
    said = (reason or "").strip()
    left = closing_points(record)
    if left and len(said) < 3:
        points = " ".join(f"{i}. {p.text}" for i, p in enumerate(left, 1))
        raise GateClosed(
            msg("Still open: {points}", points=points),
            next_step=msg("Finish each item, or close and enter why they stay open."),
        )
    unit_id = record.row.unit_id
    return {
        "status": "closed",
        "closed_at": moment,
        "closed_reason": said or None,
        "closed_plate": _newest(PlateVersion.number, PlateVersion.unit == unit_id),
        "closed_standard": _newest(ShopStandardRow.id),
        "closed_reading": _newest(Reading.id),
        "closed_change": _newest(ChangeMade.id),
    }


def _newest(column: peewee.Field, where: peewee.Expression | None = None) -> int:
    query = column.model.select(peewee.fn.MAX(column))
    return (query.where(where) if where is not None else query).scalar() or 0
