"""A recording read from a file: named channels on one uniform time base, with what was odd about it."""

from dataclasses import dataclass, field
from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from orange_crank.core.errors import CrankError, FieldProblem, InputProblem
from orange_crank.core.messages import msg

Column = NDArray[np.float64]


class FileProblem(CrankError):
    """A file cannot be read; says what is wrong and where."""

    title = msg("The file cannot be read")


_SCALE = {"a": 1.0, "ma": 1e-3, "ka": 1e3, "v": 1.0, "mv": 1e-3, "kv": 1e3}


def factor_of(name: str, unit: str, ratio: float | None) -> float:
    """Return what turns a column's figures into amps or volts.

    Parameters
    ----------
    name : ``line_a`` or ``line_v``; another name is left in its own unit
    unit : as the file gives it, any case, empty when it gives none
    ratio : what was said of the clamp or probe; one where it is not said

    Raises
    ------
    InputProblem : a ratio of zero; a clamp's volts without its ratio; amps where volts belong

    """
    low = unit.strip().lower()
    if ratio == 0:
        raise InputProblem(
            [FieldProblem(field=f"{name}_factor", wanted=msg("a ratio other than 0"), got=ratio)],
            next_step=msg("Enter the figure printed on the clamp or probe, or leave it empty."),
        )
    if name == "line_a" and low in ("v", "mv", "kv"):
        # A clamp's output: how many amps a volt of it is stands on the clamp, never in the file.
        if ratio is None:
            raise InputProblem(
                [
                    FieldProblem(
                        field="line_a_factor",
                        wanted=msg("amps for 1 {strip}", strip=unit.strip()),
                        got=unit.strip(),
                    )
                ],
                next_step=msg(
                    "Enter how many amps 1 {strip} is, from the clamp's range: at 10 mV for 1 A, "
                    "0.1 for each mV. If the column is line volts, choose the other.",
                    strip=unit.strip(),
                ),
            )
        return ratio
    if name == "line_v" and low in ("a", "ma", "ka"):
        raise InputProblem(
            [FieldProblem(field="line_v_index", wanted=msg("a column of volts"), got=unit.strip())],
            next_step=msg("Choose the column with the line's volts, or none. That one is in amps."),
        )
    return _SCALE.get(low, 1.0) * (1.0 if ratio is None else ratio)


@dataclass(frozen=True, eq=False)
class Recording:
    """Channels by name on a uniform time base."""

    sample_hz: float
    channels: dict[str, Column]
    units: dict[str, str]
    notes: list[str] = field(default_factory=list)
    start_s: float = 0.0  # the first sample by the file's own time; of a clock, since midnight
    stamp: datetime | None = None  # the first sample's date and time, where the file says them; no zone
    hertz: float | None = None  # line frequency, where the file says it


LATEST_S, LARGEST = 1e12, 1e9


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
    # What no clock and no meter says is as missing: sums of it would be none.
    good = np.isfinite(time_s) & (np.abs(time_s) < LATEST_S)
    for values in columns.values():
        good &= np.isfinite(values) & (np.abs(values) < LARGEST)
    missing = int(len(good) - np.count_nonzero(good))
    if missing > 0.1 * len(good):
        first = int(np.flatnonzero(~good)[0]) + 1
        raise FileProblem(
            msg(
                "{missing} of {good} samples are missing or not numbers; the first is data row {first}.",
                missing=missing,
                good=len(good),
                first=first,
            ),
            next_step=msg("Export it again, or choose other columns."),
        )
    if missing:
        notes.append(f"{missing} samples missing; bridged.")
        time_s, columns = time_s[good], {n: v[good] for n, v in columns.items()}
    if len(time_s) < 16:
        raise FileProblem(msg("Only {time_s} samples; a start needs far more.", time_s=len(time_s)))
    steps = np.diff(time_s)
    if (steps < 0).any():
        order = np.argsort(time_s, kind="stable")
        time_s, columns = time_s[order], {n: v[order] for n, v in columns.items()}
        steps = np.diff(time_s)
        notes.append("Times were not in order; sorted.")
    rate = _rounded_clock(time_s)
    if rate is not None:
        return Recording(sample_hz=rate, channels=columns, units=units, notes=notes, start_s=float(time_s[0]))
    if (steps == 0).any():
        keep = np.concatenate(([True], steps > 0))
        notes.append(f"{int(np.count_nonzero(~keep))} duplicated times; the first of each is kept.")
        time_s, columns = time_s[keep], {n: v[keep] for n, v in columns.items()}
        steps = np.diff(time_s)
    if not len(steps):
        raise FileProblem(
            msg("No time passes between the samples."), next_step=msg("Choose another time column.")
        )
    usual = float(np.median(steps))
    gaps = steps[steps > 1.9 * usual]
    step = float(np.mean(steps[steps <= 1.9 * usual]))
    if len(gaps):
        lost = float(np.sum(gaps - step))
        whole = float(time_s[-1] - time_s[0])
        if lost > 0.1 * whole:
            raise FileProblem(
                msg(
                    "{lost:.3g} s of {whole:.3g} s are missing in {gaps} gaps.",
                    lost=lost,
                    whole=whole,
                    gaps=len(gaps),
                ),
                next_step=msg("Record it again; a start cannot be read across such gaps."),
            )
        notes.append(f"{len(gaps)} gaps, {lost:.3g} s in all; bridged.")
    even = len(gaps) == 0 and bool(np.all(np.abs(steps - step) <= 0.02 * step))
    if not even:
        grid = time_s[0] + step * np.arange(round((time_s[-1] - time_s[0]) / step) + 1)
        columns = {n: np.interp(grid, time_s, v) for n, v in columns.items()}
        if not len(gaps):
            notes.append("Times were uneven; brought onto an even step.")
    return Recording(
        sample_hz=1.0 / step, channels=columns, units=units, notes=notes, start_s=float(time_s[0])
    )


_MANY_DIGITS = 100.0
_FEW_ODD_STEPS = 0.02


def _rounded_clock(time_s: Column) -> float | None:
    """Return the rate [Hz] of samples evenly taken and stamped by a clock with few digits, else None.

    Such a clock repeats stamps or goes by two steps in turn: neither the median step nor a stamp by itself
    tells the rate; a straight line through all of them does. Shape (n,), sorted. A lone repeated or missing
    sample looks much the same and is left to whoever drops or bridges it.
    """
    steps = np.round(np.diff(time_s), 9)
    distinct, counts = np.unique(steps, return_counts=True)
    digit = float(np.min(np.diff(np.union1d([0.0], distinct)), initial=np.inf))
    index = np.arange(len(time_s)) - (len(time_s) - 1) / 2
    slope = float(np.dot(index, time_s - time_s.mean()) / np.dot(index, index))
    if not np.isfinite(digit) or slope <= 0 or time_s[-1] - time_s[0] < _MANY_DIGITS * digit:
        return None
    odd = 1.0 - counts.max() / len(steps)
    if distinct[counts.argmax()] > 0 and digit > 0.5 * slope and 0.0 < odd < _FEW_ODD_STEPS:
        return None
    off = time_s - time_s.mean() - slope * index
    # Rounding moves a stamp by no more than half a digit; a quarter more for the line's own lean.
    return 1.0 / slope if float(np.max(np.abs(off))) <= 0.75 * digit else None


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
            msg(
                "From {from_s:g} s to {to_s} there is nothing of a recording of {count:.3g} s.",
                from_s=from_s,
                to_s="the end" if to_s is None else f"{to_s:g} s",
                count=count / recording.sample_hz,
            ),
            next_step=msg("Give a stretch inside the recording."),
        )
    note = f"Cut: {low / recording.sample_hz:g} s to {high / recording.sample_hz:g} s kept."
    return Recording(
        sample_hz=recording.sample_hz,
        channels={n: v[low:high] for n, v in recording.channels.items()},
        units=recording.units,
        notes=[*recording.notes, note],
        start_s=recording.start_s + low / recording.sample_hz,
        stamp=None
        if recording.stamp is None
        else recording.stamp + timedelta(seconds=low / recording.sample_hz),
        hertz=recording.hertz,
    )
