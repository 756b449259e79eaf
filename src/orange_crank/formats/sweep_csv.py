"""A sweep as CSV: what was varied, then what came of it; units in the header."""

import csv
import io
import json

from orange_crank.core.motor.sweep import SweepOut, SweepRow

_FIGURES = [n for n in SweepRow.model_fields if n != "values"]


def write_sweep(sweep: SweepOut) -> str:
    """Return a sweep as CSV text; a varied object is written as JSON.

    >>> row = SweepRow(values=[45.0], verdict="started", time_to_speed_s=0.15)
    >>> write_sweep(SweepOut(fields=["run_cap_uf"], rows=[row])).splitlines()[1][:18]
    '45.0,started,0.15,'
    """
    text = io.StringIO()
    out = csv.writer(text, lineterminator="\n")
    out.writerow([*sweep.fields, *_FIGURES])
    for row in sweep.rows:
        told = [json.dumps(v, sort_keys=True) if isinstance(v, dict | list) else v for v in row.values]
        figures = [getattr(row, name) for name in _FIGURES]
        out.writerow(
            [*told, *("" if f is None else round(f, 5) if isinstance(f, float) else f for f in figures)]
        )
    return text.getvalue()
