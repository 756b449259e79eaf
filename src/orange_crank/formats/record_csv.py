"""A record as CSV for a spreadsheet: readings, tests, plate and changes, codes beside words."""

import csv
import io
from collections.abc import Iterable
from dataclasses import fields
from typing import Any

from orange_crank.core.record_row import RecordRow

HEADER = tuple(
    n for f in fields(RecordRow) for n in (("date", "time", "zone") if f.name == "local_time" else (f.name,))
)


def record_csv(rows: Iterable[RecordRow]) -> str:
    """Return a record as CSV text (RFC 4180) with a byte-order mark, so that a spreadsheet reads its letters.

    Notes
    -----
    Times are the shop's own, with the zone beside them. Text that a spreadsheet would take for a formula is
    kept as text by a leading apostrophe.

    """
    out = io.StringIO()
    out.write("\ufeff")
    writer = csv.writer(out)
    writer.writerow(HEADER)
    for row in rows:
        cells: list[object] = []
        for f in fields(RecordRow):
            value = getattr(row, f.name)
            if f.name == "local_time":
                cells += [f"{value:%Y-%m-%d}", f"{value:%H:%M:%S}", f"{value:%z}" or "+0000"]
            else:
                cells.append(cell(value))
        writer.writerow(cells)
    return out.getvalue()


def cell(value: Any) -> object:
    """Return a value as a cell: words for yes and no, no formula whatever somebody wrote."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.10g}"
    if isinstance(value, int):
        return value
    text = str(value)
    return "'" + text if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text
