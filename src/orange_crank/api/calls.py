"""Calls over HTTP: opening, reading, making safe, measuring, changing."""

from typing import Annotated, Literal

from fastapi import APIRouter, Header, Response
from fastapi.responses import PlainTextResponse
from pydantic import Field

from orange_crank.api.shop import Number, Who
from orange_crank.core.measure.reading import NewReading
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import MakeSafe
from orange_crank.formats.readings_csv import readings_csv
from orange_crank.store import calls, units
from orange_crank.store.database import session

router = APIRouter(prefix="/api/calls", tags=["calls"])


class PlateEntry(Frozen):
    """A plate as read, with the version it was edited from."""

    plate: Plate
    base_number: int = Field(ge=0, description="Version edited from; 0 when there was none")


class ReadingSet(Frozen):
    """The readings of one test."""

    readings: list[NewReading] = Field(min_length=1, max_length=20)


@router.get("")
def list_calls(status: Literal["open", "closed"] | None = None) -> list[calls.CallSummary]:
    """Return calls, newest first."""
    with session():
        return calls.list_calls(status)


@router.post("", status_code=201)
def open_call(entry: calls.NewCall, who: Who) -> calls.CallOut:
    """Open a call on a unit."""
    with session():
        return calls.open_call(entry, who.id)


@router.get("/{call_id}")
def get_call(call_id: Number) -> calls.CallOut:
    """Return everything on a call, judged now."""
    with session():
        return calls.get_call(call_id)


@router.patch("/{call_id}")
def edit_call(call_id: Number, edit: calls.CallEdit, _: Who) -> calls.CallOut:
    """Change complaint, note or status, from a known version."""
    with session():
        return calls.edit_call(call_id, edit)


@router.post("/{call_id}/plates", status_code=201)
def save_plate(call_id: Number, entry: PlateEntry, who: Who) -> calls.CallOut:
    """Save the unit's plate as its next version."""
    with session():
        call = calls.get_call(call_id)
        units.save_plate(call.unit_id, entry.plate, entry.base_number, who.id, call_id)
        return calls.get_call(call_id)


@router.post("/{call_id}/make-safe", status_code=201)
def add_make_safe(call_id: Number, record: MakeSafe, who: Who) -> calls.CallOut:
    """Save a make-safe record, complete or not."""
    with session():
        return calls.add_make_safe(call_id, record, who.id)


@router.post("/{call_id}/safety-events", status_code=201)
def add_safety_event(call_id: Number, event: calls.NewSafetyEvent, who: Who) -> calls.CallOut:
    """Record a step that changes what is safe: caution read, control live, going live, lapse."""
    with session():
        return calls.add_safety_event(call_id, event, who.id)


@router.post("/{call_id}/readings", status_code=201)
def add_reading(
    call_id: Number,
    entry: NewReading,
    who: Who,
    response: Response,
    idempotency_key: Annotated[str | None, Header(min_length=8, max_length=80)] = None,
) -> calls.SavedReading:
    """Save a reading once: the same Idempotency-Key again returns the one already saved."""
    with session():
        saved = calls.add_reading(call_id, entry, who.id, idempotency_key)
    if saved.repeated:
        response.status_code = 200
    return saved


@router.post("/{call_id}/reading-sets", status_code=201)
def add_reading_set(
    call_id: Number,
    entry: ReadingSet,
    who: Who,
    idempotency_key: Annotated[str | None, Header(min_length=8, max_length=70)] = None,
) -> calls.CallOut:
    """Save the readings of one test together, all or none."""
    with session():
        calls.add_readings(call_id, entry.readings, who.id, idempotency_key)
        return calls.get_call(call_id)


@router.post("/{call_id}/tests", status_code=201)
def add_test(
    call_id: Number,
    test: calls.NewTest,
    who: Who,
    idempotency_key: Annotated[str | None, Header(min_length=8, max_length=80)] = None,
) -> calls.CallOut:
    """Save a test of several readings once; it is judged whenever the call is read."""
    with session():
        return calls.add_test(call_id, test, who.id, idempotency_key)


@router.post("/{call_id}/changes", status_code=201)
def add_change(call_id: Number, change: calls.NewChange, who: Who) -> calls.CallOut:
    """Write down something changed on the unit."""
    with session():
        return calls.add_change(call_id, change, who.id)


@router.get("/{call_id}/readings.csv", response_class=PlainTextResponse)
def export_readings(call_id: Number) -> Response:
    """Return a call's readings as CSV, units in the header."""
    with session():
        call = calls.get_call(call_id)
    return Response(
        readings_csv(
            [(r.id, r.entry, r.unit, r.taken_at, r.person, r.superseded_by_id) for r in call.readings]
        ),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="call-{call_id}-readings.csv"'},
    )
