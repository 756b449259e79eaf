"""A reading's row, as it goes in and as it comes out; a row that today's rules refuse still comes out."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from pydantic import ValidationError

from orange_crank.core.errors import input_problem
from orange_crank.core.measure.reading import NewReading, quantity_note
from orange_crank.core.measure.taken import TakenReading
from orange_crank.store.models import Person, Reading
from orange_crank.store.prepared import Prepared


@dataclass(frozen=True)
class ReadingRow:
    """A reading as recorded."""

    taken: TakenReading
    unit: str
    call_state: str
    recorded_at: datetime
    superseded_by: int | None


@dataclass(frozen=True)
class KeptReading:
    """A reading's row with its entry as today's rules read it, before its place among the others is known."""

    row: Any
    taken: TakenReading


# Named tuples: building a model of each of hundreds of readings takes most of opening a call.
_SINCE = Prepared(
    lambda call, last: (
        Reading.select(
            *(f.alias(f.column_name) for f in Reading._meta.sorted_fields), Person.name.alias("taken_by")
        )
        .join(Person)
        .where((Reading.call == call) & (Reading.id > last))
        .order_by(Reading.entry_no, Reading.id)
        .namedtuples()
    )
)


def reading_rows(call_id: int, before: Sequence[KeptReading] = ()) -> list[KeptReading]:
    """Return a call's readings in the order of recording; of those read before, only what came since is read.

    Parameters
    ----------
    call_id : whose
    before : what was read before; rows are never altered

    """
    rows = _SINCE.rows(call_id, max((k.row.id for k in before), default=0))
    return [*before, *(KeptReading(r, _taken(r, r.taken_by, float(r.entry_no))) for r in rows)]


def in_places(rows: Sequence[KeptReading]) -> list[ReadingRow]:
    """Return readings in the order of recording; a correction keeps the old one's place."""
    superseded = {k.row.supersedes_id: k.row.id for k in rows if k.row.supersedes_id}
    places: dict[int, float] = {}
    for k in rows:
        places[k.row.id] = places.get(k.row.supersedes_id or 0, float(k.row.entry_no))
    found = [
        _placed(
            k.row,
            k.taken if k.taken.place == places[k.row.id] else replace(k.taken, place=places[k.row.id]),
            superseded.get(k.row.id),
        )
        for k in rows
    ]
    return sorted(found, key=lambda r: r.taken.place)


def reading_row(row: Any, person: str, superseded_by: int | None, place: float) -> ReadingRow:
    """Return one row; what today's rules refuse comes out with the reason."""
    return _placed(row, _taken(row, person, place), superseded_by)


def _taken(row: Any, person: str, place: float) -> TakenReading:
    raw = _raw(row)
    trouble: str | None = None
    try:
        entry = NewReading.model_validate({k: v for k, v in raw.items() if v is not None})
    except ValidationError as error:
        trouble = input_problem(error).detail
        entry = NewReading.model_construct(**raw)
    return TakenReading(
        id=row.id,
        entry=entry,
        taken_at=row.taken_at,
        person=person,
        place=place,
        trouble=trouble,
    )


def _placed(row: Any, taken: TakenReading, superseded_by: int | None) -> ReadingRow:
    return ReadingRow(
        taken=taken,
        unit=row.unit,
        call_state=row.call_state,
        recorded_at=row.recorded_at,
        superseded_by=superseded_by,
    )


def _value(row: Any) -> bool | float | str:
    """Return a stored value as its quantity speaks: a figure, yes or no, or a word."""
    word = row.value_word
    if word is None:
        return float(row.value or 0.0)
    try:
        flag = quantity_note(row.quantity).kind == "flag"
    except StopIteration:
        flag = False
    return word == "yes" if flag else str(word)


def value_columns(value: bool | float | str) -> dict[str, object]:
    """Return the columns a value goes into."""
    if isinstance(value, bool):
        return {"value": None, "value_word": "yes" if value else "no"}
    if isinstance(value, str):
        return {"value": None, "value_word": value}
    return {"value": value, "value_word": None}


def entry_columns(entry: NewReading) -> dict[str, object]:
    """Return the columns an entry goes into, beside who, when and on which call."""
    return {
        "quantity": entry.quantity,
        **value_columns(entry.value),
        "meter_mode": entry.mode,
        "conductor": entry.conductor,
        "line_v": entry.volts,
        "outdoor_f": entry.outdoor_f,
        "rest_min": entry.rest_min,
        "learning_starts": entry.learning_starts,
        "outcome": entry.outcome,
        "start_s": entry.seconds,
        "later_a": entry.later_a,
        "lead_ohm": entry.lead_ohm,
        "accuracy_pct": entry.accuracy_pct,
        "plus_minus": entry.plus_minus,
        "timed_by": entry.timed_by,
        "aid": entry.aid,
        "spot": entry.spot,
        "note": entry.note,
        "without_make_safe": entry.without_make_safe,
    }


def _raw(row: Any) -> dict[str, Any]:
    return {
        "quantity": row.quantity,
        "value": _value(row),
        "mode": row.meter_mode,
        "conductor": row.conductor,
        "volts": row.line_v,
        "outdoor_f": row.outdoor_f,
        "rest_min": row.rest_min,
        "learning_starts": row.learning_starts,
        "outcome": row.outcome,
        "seconds": row.start_s,
        "later_a": row.later_a,
        "lead_ohm": row.lead_ohm,
        "accuracy_pct": row.accuracy_pct,
        "plus_minus": row.plus_minus,
        "timed_by": row.timed_by,
        "aid": row.aid,
        "spot": row.spot,
        "note": row.note,
        "taken_at": row.taken_at,
        "supersedes_id": row.supersedes_id,
        "without_make_safe": row.without_make_safe,
    }
