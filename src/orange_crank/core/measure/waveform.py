"""Waveforms: cycle RMS, starts found and measured, and what each meter mode would have shown.

Plain arrays inside; frozen results outside. One emulation serves recorded and computed waveforms alike.
"""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen

Samples = NDArray[np.float64]

INRUSH_WINDOW_S = 0.100
MAX_HOLD_WINDOW_S = 0.250
ENERGY_WINDOW_S = 1.0
TRIGGER_A = 1.0
LOWEST_RATE_HZ = 600.0


@dataclass(frozen=True, eq=False)
class Waveform:
    """Uniform samples of line current [A] and, where recorded, line voltage [V].

    Parameters
    ----------
    sample_hz : samples a second
    line_a : current, shape (n,)
    line_v : voltage, shape (n,), or None
    hertz : line frequency

    Raises
    ------
    InputProblem : too short, too coarse, or not finite

    """

    sample_hz: float
    line_a: Samples
    line_v: Samples | None = None
    hertz: float = 60.0

    def __post_init__(self) -> None:
        def refuse(field: str, wanted: str, got: Any) -> InputProblem:
            return InputProblem([FieldProblem(field=field, wanted=wanted, got=got)])

        if not math.isfinite(self.sample_hz) or self.sample_hz < LOWEST_RATE_HZ:
            raise refuse(
                "sample_hz",
                msg(
                    "at least {lowest_rate_hz:g} samples a second; 2,000 or more to see everything",
                    lowest_rate_hz=LOWEST_RATE_HZ,
                ),
                self.sample_hz,
            )
        if len(self.line_a) < self.cycle:
            raise refuse("line_a", msg("at least one cycle of samples"), len(self.line_a))
        if not np.isfinite(self.line_a).all():
            raise refuse("line_a", msg("finite numbers"), msg("NaN or infinity among the samples"))
        if self.line_v is not None and len(self.line_v) != len(self.line_a):
            raise refuse(
                "line_v",
                msg("{line_a} samples, as many as of the line current", line_a=len(self.line_a)),
                len(self.line_v),
            )
        if self.line_v is not None and not np.isfinite(self.line_v).all():
            raise refuse("line_v", msg("finite numbers"), msg("NaN or infinity among the samples"))

    @property
    def cycle(self) -> int:
        """Samples in one cycle."""
        return max(2, round(self.sample_hz / self.hertz))

    @property
    def duration_s(self) -> float:
        """Length of the record [s]."""
        return len(self.line_a) / self.sample_hz


class MeterReadings(Frozen):
    """What each meter mode would have shown on a waveform."""

    inrush: float | None = Field(description="RMS over 100 ms from the first trigger [A]")
    inrush_from_s: float | None = Field(description="When that trigger came [s]")
    max_hold: float = Field(description="Largest ordinary quarter-second RMS [A]")
    peak: float = Field(description="Largest instantaneous value [A]")
    energy_monitor_w: float | None = Field(description="Largest one-second mean power [W]; needs voltage")


class StartFound(Frozen):
    """One start measured on a waveform."""

    onset_s: float = Field(description="First current [s]")
    start_time_s: float | None = Field(
        description="First current until cycle RMS stays within 1.5 × settled [s]; null when it never did"
    )
    inrush_100ms_a: float
    max_cycle_rms_a: float
    peak_a: float
    settled_a: float | None = Field(description="Cycle RMS once flat [A]; null when it never was")
    i2t_a2s: float = Field(description="∫i² dt over the start [A²·s]")
    volts_before_v: float | None
    dip_v: float | None = Field(description="Smallest one-cycle RMS during the start [V]")
    sag_pct: float | None
    sag_length_s: float | None = Field(description="Time below nine tenths of the voltage before [s]")
    closing_angle_deg: float | None = Field(description="Phase of the voltage at first current [°]")


class WaveformReport(Frozen):
    """Everything read off a waveform."""

    sample_hz: float
    duration_s: float
    starts: list[StartFound]
    meter: MeterReadings


# A load that starts so many cycles after another, and takes so many times as much, is a start of its own.
FAN_AHEAD_CYCLES, FAR_LARGER = 4, 2.0


def rolling_rms(values: Samples, window: int) -> Samples:
    """Return the RMS over the ``window`` samples ending at each sample, shape (n,).

    Before a whole window has passed the missing samples count as zero.

    >>> [round(float(r) ** 2, 6) for r in rolling_rms(np.array([3.0, 4.0, 0.0]), 2)]
    [4.5, 12.5, 8.0]
    """
    total = np.concatenate(([0.0], np.cumsum(values * values)))
    upper = np.arange(1, len(values) + 1)
    lower = np.maximum(upper - window, 0)
    mean = (total[upper] - total[lower]) / window
    return np.sqrt(np.maximum(mean, 0.0))


def block_rms(values: Samples, window: int) -> Samples:
    """Return the RMS of consecutive whole windows, shape (n // window,)."""
    count = len(values) // window
    blocks = values[: count * window].reshape(count, window)
    result: Samples = np.sqrt(np.einsum("ij,ij->i", blocks, blocks) / window)
    return result


def meter_readings(wave: Waveform, trigger_a: float = TRIGGER_A) -> MeterReadings:
    """Return what each meter mode would have shown.

    Parameters
    ----------
    wave : the waveform
    trigger_a : current that arms-and-fires the inrush mode [A]

    Notes
    -----
    Inrush mode fires once: a fan that starts first uses up the shot. Max hold updates every quarter
    second from the beginning of the record.

    """
    current = wave.line_a
    above = np.abs(current) > trigger_a
    inrush = inrush_from = None
    first = int(above.argmax())
    if above[first]:
        window = current[first : first + round(INRUSH_WINDOW_S * wave.sample_hz)]
        inrush = float(np.sqrt(np.mean(window * window)))
        inrush_from = first / wave.sample_hz
    hold_window = min(round(MAX_HOLD_WINDOW_S * wave.sample_hz), len(current))
    watts = None
    if wave.line_v is not None:
        window_n = min(round(ENERGY_WINDOW_S * wave.sample_hz), len(current))
        starts = range(0, len(current) - window_n + 1, window_n)
        # Not a BLAS product: its threads would wait for one another where several starts are read at once.
        sums = [np.einsum("i,i->", wave.line_v[i : i + window_n], current[i : i + window_n]) for i in starts]
        watts = float(max(sums)) / window_n
    return MeterReadings(
        inrush=inrush,
        inrush_from_s=inrush_from,
        max_hold=float(np.max(block_rms(current, hold_window))),
        peak=max(float(np.max(current)), -float(np.min(current))),
        energy_monitor_w=watts,
    )


def read_waveform(wave: Waveform) -> WaveformReport:
    """Find the starts on a waveform and measure each.

    Notes
    -----
    A start is a cycle whose RMS leaps above the cycles before it (a compressor that starts while its
    fan runs is found too). It lasts until the RMS lies flat again.

    """
    onsets = _onsets(wave)
    ends = [*onsets[1:], len(wave.line_a)] if onsets else []
    return WaveformReport(
        sample_hz=wave.sample_hz,
        duration_s=wave.duration_s,
        starts=[_measure(wave, a, b) for a, b in zip(onsets, ends, strict=True)],
        meter=meter_readings(wave),
    )


def _onsets(wave: Waveform) -> list[int]:
    n = wave.cycle
    blocks = block_rms(wave.line_a, n)
    floor = max(0.3, 0.02 * float(np.max(blocks, initial=0.0)))
    found: list[int] = []
    j = 0
    while j < len(blocks):
        before = float(np.median(blocks[max(0, j - 6) : j])) if j else 0.0
        if blocks[j] > 1.6 * before + floor and _leaps(blocks, j, before):
            found.append(_exact_onset(wave, j, before))
            end = _flat_again(blocks, j)
            # A fan that starts a moment ahead is no part of the compressor's start.
            second = _leap_within(blocks, j, end, floor)
            if second is not None:
                j = second
                found.append(_exact_onset(wave, j, float(blocks[j - 2])))
                end = _flat_again(blocks, j)
            j = end
        else:
            j += 1
    return found


def _leap_within(blocks: Samples, j: int, end: int, floor: float) -> int | None:
    """Return the block at which a second, far larger start begins before the first is flat, or None.

    One start only falls once it is up: whatever doubles it several cycles in is another one.
    """
    for k in range(j + FAN_AHEAD_CYCLES, min(end, len(blocks) - 2)):
        if blocks[k] > FAR_LARGER * float(np.max(blocks[j + 1 : k])) + floor:
            return k
    return None


def _leaps(blocks: Samples, j: int, before: float) -> bool:
    """A start leaps over what it settles to; a load that merely switches on does not."""
    ahead = blocks[j : j + 600]
    top = float(np.max(ahead[:60]))
    tail = ahead[len(ahead) // 2 :]
    settled = float(np.median(tail)) if len(tail) else top
    if j == 0:
        # Nothing is known of before: only what falls off again began here.
        return top > 1.5 * settled
    return top > 1.5 * settled or top > 4 * max(before, 0.3)


def _exact_onset(wave: Waveform, j: int, before: float) -> int:
    n = wave.cycle
    low = max(0, (j - 1) * n)
    piece = np.abs(wave.line_a[low : (j + 1) * n])
    level = max(1.0 if np.max(piece) > 5 else 0.05, 1.3 * math.sqrt(2) * before)
    above = np.flatnonzero(piece > level)
    onset = low + (int(above[0]) if len(above) else 0)
    if before < 0.3:
        # Walk back to where the current left zero.
        noise = 0.02 * float(np.max(piece))
        while onset > low and abs(wave.line_a[onset - 1]) > noise:
            onset -= 1
    return onset


def _flat_again(blocks: Samples, j: int) -> int:
    top = float(np.max(blocks[j : j + 12]))
    for k in range(j + 2, len(blocks) - 8):
        ahead = blocks[k : k + 8]
        if float(np.max(ahead) - np.min(ahead)) <= 0.08 * float(np.max(ahead)) + 0.1 and (
            blocks[k] < 0.75 * top or k > j + 300
        ):
            return k
        if float(np.max(ahead)) < 0.02 * top:
            return k
    return len(blocks)


def _measure(wave: Waveform, onset: int, end: int) -> StartFound:
    n, rate = wave.cycle, wave.sample_hz
    current = wave.line_a[onset:end]
    rms = rolling_rms(current, n)
    blocks = block_rms(current, n)
    running = blocks[: _still_on(blocks)]
    settled = _settled(running)
    start_n = _start_samples(rms, settled, n)
    window = current[: round(INRUSH_WINDOW_S * rate)]
    last = start_n if start_n is not None else len(current)
    volts = _sag(wave, onset, onset + last)
    return StartFound(
        onset_s=onset / rate,
        start_time_s=start_n / rate if start_n is not None else None,
        inrush_100ms_a=float(np.sqrt(np.mean(window * window))),
        max_cycle_rms_a=float(np.max(rms[: max(last, n)])),
        peak_a=float(np.max(np.abs(current[: max(last, n)]))),
        settled_a=settled,
        i2t_a2s=float(np.sum(current[:last] ** 2) / rate),
        volts_before_v=volts[0],
        dip_v=volts[1],
        sag_pct=volts[2],
        sag_length_s=volts[3],
        closing_angle_deg=_closing_angle(wave, onset),
    )


def _still_on(blocks: Samples) -> int:
    """Return how many cycles pass before the load is switched off again."""
    top = float(np.max(blocks, initial=0.0))
    off = np.flatnonzero(blocks[2:] < 0.02 * top)
    return int(off[0]) + 2 if len(off) else len(blocks)


def _settled(blocks: Samples) -> float | None:
    if len(blocks) < 12:
        return None
    tail = blocks[-max(6, len(blocks) // 5) :]
    middle = float(np.median(tail))
    flat = float(np.max(tail) - np.min(tail)) <= 0.2 * middle + 0.1
    return middle if flat else None


def _start_samples(rms: Samples, settled: float | None, cycle: int) -> int | None:
    if settled is None:
        return None
    over = rms > 1.5 * settled
    if not over[: 6 * cycle].any():
        return None
    # The start ends where the RMS comes under the line and stays under for five cycles.
    last_over = np.flatnonzero(over)
    gaps = np.flatnonzero(np.diff(last_over) > 5 * cycle)
    finish = int(last_over[gaps[0]]) if len(gaps) else int(last_over[-1])
    return finish + 1 if finish + 1 < len(rms) else None


def _sag(
    wave: Waveform, onset: int, finish: int
) -> tuple[float | None, float | None, float | None, float | None]:
    if wave.line_v is None:
        return None, None, None, None
    n = wave.cycle
    ahead = wave.line_v[max(0, onset - 10 * n) : onset]
    if len(ahead) < n:
        return None, None, None, None
    before = float(np.median(block_rms(ahead, n)))
    rms = rolling_rms(wave.line_v[onset - n : finish + n], n)[n:]
    if not len(rms) or before <= 0:
        return before, None, None, None
    dip = float(np.min(rms))
    low_s = float(np.count_nonzero(rms < 0.9 * before)) / wave.sample_hz
    return before, dip, 100 * (before - dip) / before, low_s


def _closing_angle(wave: Waveform, onset: int) -> float | None:
    if wave.line_v is None:
        return None
    n = wave.cycle
    low, high = max(0, onset - 2 * n), min(len(wave.line_v), onset + n // 2)
    piece = wave.line_v[low:high]
    if len(piece) < n:
        return None
    phase = 2 * math.pi * wave.hertz * (np.arange(low, high) - onset) / wave.sample_hz
    basis = np.column_stack((np.sin(phase), np.cos(phase)))
    (a, b), *_ = np.linalg.lstsq(basis, piece, rcond=None)
    return math.degrees(math.atan2(b, a)) % 360


def thinned(values: Samples, points: int) -> tuple[NDArray[np.int64], Samples]:
    """Return min/max decimation: sample numbers and values, at most about ``points`` of each.

    Every peak survives: of each stretch the smallest and the largest sample are kept, in order.
    """
    if len(values) <= points:
        return np.arange(len(values)), values
    width = math.ceil(len(values) / max(1, points // 2))
    count = len(values) // width
    body = values[: count * width].reshape(count, width)
    base = np.arange(count) * width
    picks = np.sort(np.column_stack((base + body.argmin(axis=1), base + body.argmax(axis=1))), axis=1).ravel()
    if count * width < len(values):
        tail = values[count * width :]
        ends = sorted({int(tail.argmin()), int(tail.argmax())})
        picks = np.append(picks, np.array(ends) + count * width)
    return picks, values[picks]
