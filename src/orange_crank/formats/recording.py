"""A recording read from a file: named channels on one uniform time base, with what was odd about it."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from orange_crank.core.errors import CrankError

Column = NDArray[np.float64]


class FileProblem(CrankError):
    """A file cannot be read; says what is wrong and where."""

    title = "The file cannot be read"


@dataclass(frozen=True, eq=False)
class Recording:
    """Channels by name on a uniform time base."""

    sample_hz: float
    channels: dict[str, Column]
    units: dict[str, str]
    notes: list[str] = field(default_factory=list)


def uniform(time_s: Column, columns: dict[str, Column], units: dict[str, str]) -> Recording:
    """Put samples on a uniform time base: sorted, duplicates dropped, gaps bridged and told.

    Parameters
    ----------
    time_s : times [s], shape (n,), any order
    columns : values by name, shape (n,), NaN where missing
    units : unit by name

    Raises
    ------
    FileProblem : no time passes, or more than a tenth of the record is missing

    """
    notes: list[str] = []
    good = np.isfinite(time_s)
    for values in columns.values():
        good &= np.isfinite(values)
    missing = int(len(good) - np.count_nonzero(good))
    if missing > 0.1 * len(good):
        first = int(np.flatnonzero(~good)[0]) + 1
        raise FileProblem(
            f"{missing} of {len(good)} samples are missing or not numbers; the first is data row {first}.",
            next_step="Export it again, or choose other columns.",
        )
    if missing:
        notes.append(f"{missing} samples missing; bridged.")
        time_s, columns = time_s[good], {n: v[good] for n, v in columns.items()}
    if len(time_s) < 16:
        raise FileProblem(f"Only {len(time_s)} samples; a start needs far more.")
    steps = np.diff(time_s)
    if (steps < 0).any():
        order = np.argsort(time_s, kind="stable")
        time_s, columns = time_s[order], {n: v[order] for n, v in columns.items()}
        steps = np.diff(time_s)
        notes.append("Times were not in order; sorted.")
    if (steps == 0).any():
        keep = np.concatenate(([True], steps > 0))
        notes.append(f"{int(np.count_nonzero(~keep))} duplicated times; the first of each is kept.")
        time_s, columns = time_s[keep], {n: v[keep] for n, v in columns.items()}
        steps = np.diff(time_s)
    if not len(steps):
        raise FileProblem("No time passes between the samples.", next_step="Choose another time column.")
    step = float(np.median(steps))
    gaps = steps[steps > 1.9 * step]
    if len(gaps):
        lost = float(np.sum(gaps - step))
        whole = float(time_s[-1] - time_s[0])
        if lost > 0.1 * whole:
            raise FileProblem(
                f"{lost:.3g} s of {whole:.3g} s are missing in {len(gaps)} gaps.",
                next_step="Record it again; a start cannot be read across such gaps.",
            )
        notes.append(f"{len(gaps)} gaps, {lost:.3g} s in all; bridged.")
    even = len(gaps) == 0 and bool(np.all(np.abs(steps - step) <= 0.02 * step))
    if not even:
        grid = time_s[0] + step * np.arange(round((time_s[-1] - time_s[0]) / step) + 1)
        columns = {n: np.interp(grid, time_s, v) for n, v in columns.items()}
        if not len(gaps):
            notes.append("Times were uneven; brought onto an even step.")
    return Recording(sample_hz=1.0 / step, channels=columns, units=units, notes=notes)


def cut(recording: Recording, from_s: float, to_s: float | None) -> Recording:
    """Return a stretch of a recording, and say so.

    Raises
    ------
    FileProblem : the stretch holds less than a cycle, or lies outside

    """
    count = len(next(iter(recording.channels.values())))
    low = round(from_s * recording.sample_hz)
    high = count if to_s is None else min(count, round(to_s * recording.sample_hz))
    if high - low < recording.sample_hz / 40:
        raise FileProblem(
            f"From {from_s:g} s to {'the end' if to_s is None else f'{to_s:g} s'} there is nothing of a "
            f"recording of {count / recording.sample_hz:.3g} s.",
            next_step="Give a stretch inside the recording.",
        )
    note = f"Cut: {low / recording.sample_hz:g} s to {high / recording.sample_hz:g} s kept."
    return Recording(
        sample_hz=recording.sample_hz,
        channels={n: v[low:high] for n, v in recording.channels.items()},
        units=recording.units,
        notes=[*recording.notes, note],
    )
