"""A call's record as lines of a spreadsheet."""

from collections.abc import Iterator
from typing import Any

from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.record_row import RecordRow
from orange_crank.store.calls.view import CallOut
from orange_crank.store.database import local_time
from orange_crank.store.record_rows import leaves


def rows_of_call(call: CallOut, shop: str) -> Iterator[RecordRow]:
    """Return every line of a call: plate, readings, tests and changes."""
    common: dict[str, Any] = {"shop": shop, "site": call.site.name, "unit": call.unit, "call": call.id}
    if call.plate is not None and call.plate.plate is not None:
        at = local_time(call.plate.recorded_at)
        for name, value in leaves(call.plate.plate.model_dump(exclude_none=True)):
            words = name.replace("_", " ").replace(".", " ")
            yield RecordRow(
                **common,
                kind="plate",
                local_time=at,
                what=f"Plate: {words}",
                value=value,
                code=name,
                person=call.plate.person,
                number=call.plate.number,
            )
    for r in call.readings:
        e, note = r.entry, QUANTITIES[r.entry.quantity]
        yield RecordRow(
            **common,
            kind="reading",
            local_time=local_time(r.taken_at),
            what=note.label,
            value=e.value,
            value_unit=r.unit,
            code=e.quantity,
            meter_mode=e.mode,
            conductor=e.conductor,
            place=e.spot,
            line_v=e.volts,
            outdoor_f=e.outdoor_f,
            rest_min=e.rest_min,
            learning_starts=e.learning_starts,
            outcome=e.outcome,
            start_s=e.seconds,
            later_a=e.later_a,
            plus_minus=e.plus_minus,
            timed_by=e.timed_by,
            aid=e.aid,
            past_gate=e.without_make_safe,
            person=r.person,
            number=r.id,
            corrected_by=r.superseded_by_id,
            note=e.note or "",
        )
    for t in call.tests:
        for name, value in leaves(t.entry):
            yield RecordRow(
                **common,
                kind="test",
                local_time=local_time(t.taken_at),
                what=f"{t.label}: {name.replace('_', ' ').replace('.', ' ')}",
                value=value,
                code=f"{t.topic}.{name}",
                past_gate=t.without_make_safe,
                person=t.person,
                number=t.id,
                note=t.judged.verdict,
            )
    for c in call.changes:
        yield RecordRow(
            **common,
            kind="change",
            local_time=local_time(c.made_at),
            what=c.what,
            value="",
            code=c.part or "",
            person=c.person,
            number=c.id,
        )
