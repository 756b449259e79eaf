"""A start heard: from the first hum to the steady one, read off a recording, with its uncertainty.

The hum of a compressor is twice the line frequency and its multiples. While it starts, five times the
current runs and the hum is loud; once it runs, the hum is steady. Onset and steady are found in those lines
alone, so that wind and a fan running up weigh little.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, worst

Samples = NDArray[np.float64]
FRAME_S = 0.05
HOP_S = 0.005
HUM_LINES = 6
LEAST_S, MOST_S = 1.0, 120.0
LEAST_HZ = 4_000.0
LEAP_DB = 6.0
CALM_S = 0.12
STILL_RUNNING_DB = 4.0
CLIPPED = 0.985
FALL_DB = 3.0


@dataclass(frozen=True, eq=False)
class Sound:
    """One channel of sound: samples between −1 and 1, shape (n,), and how many a second."""

    sample_hz: float
    samples: Samples
    hertz: float = 60.0


class SoundReport(Frozen):
    """What a recording of a start says."""

    seconds: float | None = Field(description="First hum to steady hum [s]")
    plus_minus_s: float | None = Field(description="Its uncertainty, about 95 % [s]")
    onset_s: float | None = Field(description="First hum, from the beginning of the recording [s]")
    steady_s: float | None = Field(description="Steady hum, from the beginning of the recording [s]")
    duration_s: float
    leap_db: float | None = Field(description="Loudest hum over what was there before [dB]")
    level_s: list[float] = Field(description="Times of the hum level, for drawing [s]")
    level_db: list[float] = Field(description="Hum level over its quietest [dB]")
    verdict: Verdict
    findings: list[Finding]


def hum_level(sound: Sound) -> tuple[Samples, Samples, Samples]:
    """Return times [s], shape (m,), the level of each hum line and of what lies between [dB], shape (m, 6).

    Notes
    -----
    Frames of 50 ms every 5 ms under a Hann window; each line is the strongest of the three bins around
    a multiple of twice the line frequency.

    """
    rate = sound.sample_hz
    n, hop = round(FRAME_S * rate), round(HOP_S * rate)
    count = (len(sound.samples) - n) // hop + 1
    frames = np.lib.stride_tricks.sliding_window_view(sound.samples, n)[::hop][:count]
    window = np.hanning(n)
    lines = np.empty((count, HUM_LINES))
    between = np.empty((count, HUM_LINES))
    scale = (np.sum(window) / 2) ** 2

    def power_at(f: float) -> Samples:
        turn = window * np.exp(-2j * math.pi * f * at)
        found: Samples = np.abs(frames @ turn) ** 2
        return found

    at = np.arange(n) / rate
    for k in range(HUM_LINES):
        f = 2 * sound.hertz * (k + 1)
        # Three neighboring bins: the tone may lie a few hertz off.
        power = np.maximum.reduce([power_at(f + shift) for shift in (-10.0, 0.0, 10.0)])
        lines[:, k] = 10 * np.log10(power / scale + 1e-12)
        around = (power_at(f - 50) + power_at(f + 50)) / 2
        between[:, k] = 10 * np.log10(around / scale + 1e-12)
    times: Samples = (np.arange(count) * hop + n / 2).astype(np.float64) / rate
    return times, lines, between


def hear_start(sound: Sound) -> SoundReport:
    """Find the first hum and the steady hum of one start.

    Parameters
    ----------
    sound : a second or more before the start, and two or more after it has settled

    Raises
    ------
    InputProblem : too short, too long, too few samples a second, silence, or not numbers

    Notes
    -----
    Steady is the last moment at which the hum lines differ from those of the final stretch by more than
    they differ from one another there. The uncertainty adds, by squares, half a frame at either end, how
    far the onset moves between a 6 and a 10 dB leap, and how far the end moves when the line it must fall
    under is set a quarter tighter or looser.

    """
    _refuse_unusable(sound)
    times, lines, between = hum_level(sound)
    power = np.sum(10 ** (lines / 10), axis=1)
    level = 10 * np.log10(power)
    shown = np.linspace(0, len(times) - 1, min(len(times), 400)).astype(int)
    base = {
        "duration_s": len(sound.samples) / sound.sample_hz,
        "level_s": np.round(times[shown], 3).tolist(),
        "level_db": np.round(level[shown] - float(np.min(level)), 1).tolist(),
    }
    findings = _spoiled(sound)

    def untimed(verdict: Verdict, onset_s: float | None = None, leap_db: float | None = None) -> SoundReport:
        return SoundReport(
            seconds=None,
            plus_minus_s=None,
            onset_s=onset_s,
            steady_s=None,
            leap_db=leap_db,
            verdict=verdict,
            findings=findings,
            **base,
        )

    onset = _onset(level, LEAP_DB)
    if onset is None:
        findings.append(
            _finding(
                "NO_ONSET",
                "unknown",
                msg("No start heard on the recording."),
                msg("Begin recording two seconds before the start, phone within arm's length."),
            )
        )
        return untimed("unknown")
    later = _onset(level, LEAP_DB + 4) or onset
    quiet = float(np.median(level[:onset])) if onset else float(np.min(level))
    leap = float(np.max(level[onset:]) - quiet)
    # What is heard at the end is hum only where it stands above the beginning and above its neighbors.
    before = np.maximum(
        np.median(lines[: max(1, onset - 10)], axis=0), np.median(between[-len(between) // 4 :], axis=0)
    )
    steady = _steady(lines, onset, 1.0, before)
    if steady is None:
        findings.append(
            _finding(
                "NOT_STEADY",
                "unknown",
                msg("It was still changing when the recording ended, or it stopped again."),
                msg("Record on until three seconds after it runs steady; a stall never becomes steady."),
            )
        )
        return untimed("unknown", float(times[onset]), leap)
    # Loud while it starts, quieter once it runs: a hum that never falls stands and hums.
    loudest = float(np.max(level[onset : steady + round(FRAME_S / HOP_S) + 1]))
    fall = loudest - float(np.median(level[-max(round(0.5 / HOP_S), (len(level) - onset) // 4) :]))
    if fall < FALL_DB:
        findings.append(
            _finding(
                "NEVER_FALLS",
                "watch",
                (
                    msg(
                        "The hum drops only {max:.0f} dB: it did not start. It may be locked and humming.",
                        max=max(fall, 0.0),
                    )
                ),
                (
                    msg(
                        "Power off. On the next try watch and listen for it turning, and read amps one "
                        "second in."
                    )
                ),
            )
        )
        return untimed("watch", float(times[onset]), leap)
    tight = _steady(lines, onset, 0.75, before) or steady
    loose = _steady(lines, onset, 1.25, before) or steady
    spread = max(abs(tight - steady), abs(loose - steady)) * HOP_S
    slack = abs(later - onset) * HOP_S
    plus_minus = math.sqrt(2 * (FRAME_S / 2) ** 2 + spread**2 + slack**2)
    seconds = max(HOP_S, float(times[steady] - times[onset]))
    if leap < 10:
        findings.append(
            _finding(
                "LOUD_AROUND",
                "watch",
                msg("The hum rises only {leap:.0f} dB over its surroundings.", leap=leap),
                msg("Closer, out of the wind, fan off if the test allows."),
            )
        )
    if plus_minus > 0.5 * seconds and plus_minus > 0.15:
        findings.append(
            _finding(
                "UNSURE",
                "watch",
                msg(
                    "{seconds:.2f} s ± {plus_minus:.2f} s: the end is not clear.",
                    seconds=seconds,
                    plus_minus=plus_minus,
                ),
                msg("Record once more; a waveform or two taps tell which it was."),
            )
        )
    findings.insert(
        0,
        Finding(
            code="START_HEARD",
            verdict="note",
            text=msg(
                "First hum to steady hum: {seconds:.2f} ± {plus_minus:.2f} s.",
                seconds=seconds,
                plus_minus=plus_minus,
            ),
            rule="field practice: start by ear, measured",
            inputs={"onset_s": float(times[onset]), "steady_s": float(times[steady])},
            arithmetic=f"{times[steady]:.2f} s − {times[onset]:.2f} s = {seconds:.2f} s",
        ),
    )
    verdicts: list[Verdict] = [f.verdict for f in findings if f.verdict != "note"]
    return SoundReport(
        seconds=seconds,
        plus_minus_s=plus_minus,
        onset_s=float(times[onset]),
        steady_s=float(times[steady]),
        leap_db=leap,
        verdict=worst(verdicts) if verdicts else "pass",
        findings=findings,
        **base,
    )


def _refuse_unusable(sound: Sound) -> None:
    seconds = len(sound.samples) / sound.sample_hz if sound.sample_hz > 0 else 0.0
    problem: tuple[str, str, object] | None = None
    if sound.sample_hz < LEAST_HZ:
        problem = (
            "sample_hz",
            msg("at least {least_hz:g} samples a second", least_hz=LEAST_HZ),
            sound.sample_hz,
        )
    elif not LEAST_S <= seconds <= MOST_S:
        problem = (
            "samples",
            msg("between {least_s:g} and {most_s:g} s of sound", least_s=LEAST_S, most_s=MOST_S),
            round(seconds, 3),
        )
    elif not np.isfinite(sound.samples).all():
        problem = ("samples", msg("numbers only"), msg("not a number among them"))
    elif float(np.max(np.abs(sound.samples))) < 1e-6:
        problem = ("samples", msg("sound, not silence"), "silence")
    if problem is not None:
        field, wanted, got = problem
        raise InputProblem(
            [FieldProblem(field=field, wanted=wanted, got=str(got))],
            next_step=msg("Record again: two seconds before the start until three after it runs steady."),
        )


def _spoiled(sound: Sound) -> list[Finding]:
    peak = float(np.max(np.abs(sound.samples)))
    clipped = float(np.mean(np.abs(sound.samples) >= CLIPPED * max(peak, 1.0)))
    if clipped < 0.005:
        return []
    return [
        _finding(
            "CLIPPED",
            "watch",
            msg("Too loud for the microphone ({clipped:.1f} % clipped).", clipped=100 * clipped),
            msg("Hold the phone farther off and record again."),
        )
    ]


def _finding(code: str, verdict: Verdict, text: str, step: str) -> Finding:
    return Finding(
        code=code,
        verdict=verdict,
        text=text,
        rule="field practice: start by ear, measured",
        next_step=step,
    )


def _onset(level: Samples, leap_db: float) -> int | None:
    """Return the first frame from which the hum stays ``leap_db`` above what went before."""
    hold = round(0.1 / HOP_S)
    ahead = round(0.2 / HOP_S)
    for i in range(ahead, len(level) - hold):
        before = level[max(0, i - 300) : i - 4]
        quiet = float(np.median(before))
        spread = float(np.median(np.abs(before - quiet)))
        line = quiet + leap_db + 3 * spread
        if level[i] > line and bool(np.all(level[i : i + hold] > line)):
            # The window straddles the first hum where it has half the amplitude that follows.
            half = float(np.median(level[i + hold // 2 : i + hold])) - 6.0
            return i + int(np.argmax(level[i : i + hold] >= half))
    return None


def _steady(lines: Samples, onset: int, slack: float, quiet: Samples) -> int | None:
    """Return the frame from which the lines stay like those of the end, or None.

    Like: within 3.5 dB, the half as much again by which a waveform's start is told to be over.
    """
    total = len(lines) - onset
    tail = lines[-max(round(0.5 / HOP_S), total // 4) :]
    if total < len(tail) + round(CALM_S / HOP_S):
        return None
    end = np.median(tail, axis=0)
    if float(np.max(end - quiet)) < STILL_RUNNING_DB:
        return None
    # Lines that stand above the floor speak; weak ones only rustle.
    weight = 10 ** (np.clip(end, np.max(end) - 20, None) / 20) * (end - quiet > STILL_RUNNING_DB)
    weight /= np.sum(weight)
    # Loaded when first used: it takes as long as the rest of the core.
    from scipy.signal import medfilt

    away = medfilt(np.abs(lines[onset:] - end) @ weight, 5)
    rest = away[-len(tail) : -4]
    usual = float(np.median(rest))
    spread = float(np.median(np.abs(rest - usual)))
    if usual > 6.0:
        return None
    line = usual + slack * max(3.5, 6 * spread)
    out = np.flatnonzero(away[:-4] > line)
    if len(out) == 0:
        return onset
    last = int(out[-1])
    return None if last >= total - len(tail) // 2 else onset + last + 1
