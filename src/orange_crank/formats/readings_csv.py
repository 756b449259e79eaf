"""Readings as CSV: one line a reading, units in the header, corrections kept and marked."""

import csv
import io
from collections.abc import Iterable
from datetime import datetime

from orange_crank.core.measure.reading import NewReading

HEADER = (
    "id",
    "quantity",
    "value",
    "unit",
    "meter_mode",
    "conductor",
    "line_v",
    "outdoor_f",
    "rest_min",
    "outcome",
    "start_s",
    "later_a",
    "plus_minus",
    "timed_by",
    "aid",
    "taken_at_utc",
    "person",
    "superseded_by",
    "note",
)

Row = tuple[int, NewReading, str, datetime, str, int | None]


def readings_csv(rows: Iterable[Row]) -> str:
    """Return readings as CSV text (RFC 4180), oldest first.

    Notes
    -----
    Text that a spreadsheet would take for a formula is kept as text by a leading apostrophe.

    """
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(HEADER)
    for number, entry, unit, taken_at, person, superseded_by in rows:
        writer.writerow(
            [
                number,
                entry.quantity,
                entry.value,
                unit,
                entry.mode,
                entry.conductor,
                entry.volts,
                entry.outdoor_f,
                entry.rest_min,
                entry.outcome,
                entry.seconds,
                entry.later_a,
                entry.plus_minus,
                entry.timed_by,
                entry.aid,
                taken_at.isoformat(),
                _plain(person),
                superseded_by,
                _plain(entry.note or ""),
            ]
        )
    return out.getvalue()


def _plain(text: str) -> str:
    return "'" + text if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text
