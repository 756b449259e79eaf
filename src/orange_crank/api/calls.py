"""Calls over HTTP: opening, reading, making safe, measuring, changing."""

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from fastapi.responses import PlainTextResponse
from pydantic import Field

from orange_crank.api.beside import BesideTheLoop
from orange_crank.api.door import Who
from orange_crank.api.keyed import Key
from orange_crank.api.records import rows_of_call
from orange_crank.api.shop import Number
from orange_crank.core.measure.reading import NewReading
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate
from orange_crank.formats.record_csv import record_csv
from orange_crank.store.calls import changes, listing, opening, plates, readings, safety, tests, view
from orange_crank.store.database import practising, session
from orange_crank.store.once import once
from orange_crank.store.shop_details import get_shop

router = APIRouter(prefix="/api/calls", tags=["calls"], route_class=BesideTheLoop)


class PlateEntry(Frozen):
    """A plate as read, with the version it was edited from."""

    plate: Plate
    base_number: int = Field(ge=0, description="Version edited from; 0 when there was none")


class ReadingSet(Frozen):
    """The readings of one test."""

    readings: Annotated[list[NewReading], Field(min_length=1, max_length=20)]


@router.get("")
def list_calls(
    who: Who,
    status: Literal["open", "closed"] | None = None,
    before: Annotated[int | None, Query(ge=1, le=2**31 - 1, description="Only older than this call")] = None,
    most: Annotated[int, Query(ge=1, le=listing.MOST_CALLS)] = listing.MOST_CALLS,
) -> list[listing.CallSummary]:
    """Return calls, newest first; in practice one's own, for the lead everybody's."""
    opened_by = who.id if practising() and who.role != "lead" else None
    with session():
        return listing.list_calls(status, before, most, opened_by)


@router.post("", status_code=201)
def open_call(entry: opening.NewCall, who: Who, key: Key) -> view.CallOut:
    """Open a call on a unit."""
    with session():
        return once(
            key,
            lambda: opening.open_call(entry, who.id),
            lambda number: view.get_call(number or 0),
            lambda call: call.id,
        )


@router.get("/{call_id}")
def get_call(call_id: Number) -> view.CallOut:
    """Return everything on a call, judged now."""
    with session():
        return view.get_call(call_id)


@router.patch("/{call_id}")
def edit_call(call_id: Number, edit: opening.CallEdit, who: Who, key: Key) -> view.CallOut:
    """Change complaint, note or status, from a known version; closing lists the open items."""
    with session():
        return once(key, lambda: opening.edit_call(call_id, edit, who.id), lambda _: view.get_call(call_id))


@router.post("/{call_id}/plates", status_code=201)
def save_plate(call_id: Number, entry: PlateEntry, who: Who, key: Key) -> view.CallOut:
    """Save the unit's plate as its next version."""
    with session():
        return once(
            key,
            lambda: plates.save_plate_on_call(call_id, entry.plate, entry.base_number, who.id),
            lambda _: view.get_call(call_id),
        )


@router.post("/{call_id}/make-safe", status_code=201)
def add_make_safe(call_id: Number, entry: safety.NewMakeSafe, who: Who, key: Key) -> view.CallOut:
    """Save a make-safe record, complete or not, on the state of the call it was taken on."""
    with session():
        return once(
            key,
            lambda: safety.add_make_safe(call_id, entry, who.id),
            lambda _: view.get_call(call_id),
        )


@router.post("/{call_id}/safety-events", status_code=201)
def add_safety_event(call_id: Number, event: safety.NewSafetyEvent, who: Who, key: Key) -> view.CallOut:
    """Record a step that changes what is safe: caution read, control live, going live, lapse."""
    with session():
        return once(
            key,
            lambda: safety.add_safety_event(call_id, event, who.id),
            lambda _: view.get_call(call_id),
        )


@router.post("/{call_id}/stops/lift", status_code=201)
def lift_stop(call_id: Number, lift: safety.NewLift, who: Who, key: Key) -> view.CallOut:
    """Write down how a stop was put right."""
    with session():
        return once(key, lambda: safety.lift_stop(call_id, lift, who.id), lambda _: view.get_call(call_id))


@router.post("/{call_id}/readings", status_code=201)
def add_reading(
    call_id: Number, entry: NewReading, who: Who, response: Response, key: Key
) -> readings.SavedReading:
    """Save a reading once: the same Idempotency-Key again returns the one already saved."""
    with session():
        saved = once(
            key,
            lambda: readings.add_reading(call_id, entry, who.id),
            readings.saved_reading,
            lambda made: made.reading.id,
        )
    if saved.repeated:
        response.status_code = 200
    return saved


@router.post("/{call_id}/reading-sets", status_code=201)
def add_reading_set(call_id: Number, entry: ReadingSet, who: Who, key: Key) -> view.CallOut:
    """Save the readings of one test together, all or none."""

    def run() -> view.CallOut:
        readings.add_readings(call_id, entry.readings, who.id)
        return view.get_call(call_id)

    with session():
        return once(key, run, lambda _: view.get_call(call_id))


@router.post("/{call_id}/tests", status_code=201)
def add_test(call_id: Number, test: tests.NewTest, who: Who, key: Key) -> view.CallOut:
    """Save a test of several readings once; it is judged whenever the call is read."""
    with session():
        return once(key, lambda: tests.add_test(call_id, test, who.id), lambda _: view.get_call(call_id))


@router.post("/{call_id}/changes", status_code=201)
def add_change(call_id: Number, change: changes.NewChange, who: Who, key: Key) -> view.CallOut:
    """Write down something changed on the unit."""
    with session():
        return once(
            key, lambda: changes.add_change(call_id, change, who.id), lambda _: view.get_call(call_id)
        )


@router.get("/{call_id}/readings.csv", response_class=PlainTextResponse)
def export_readings(call_id: Number) -> Response:
    """Return a call's record as CSV: plate, readings, tests and changes, units and words beside codes."""
    with session():
        call, shop = view.get_call(call_id), get_shop().details.name
    return Response(
        record_csv(rows_of_call(call, shop)),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="call-{call_id}-record.csv"'},
    )
