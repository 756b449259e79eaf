"""A recording that plays as a unit: what was measured once is measured again, over and over."""

import numpy as np

from orange_crank.bench.unit import AmpsAt, VoltsAt
from orange_crank.core.measure.waveform import Waveform, rolling_rms

NOBODYS_V = 0.0  # a recording has no open conductor beside a live one


class Replay:
    """A recording as a unit: it has no switches, and knows only what its channels hold."""

    def __init__(self, recording: Waveform) -> None:
        self.recording = recording
        self.now_s = 0.0
        window = max(1, round(recording.sample_hz / recording.hertz))
        self._amps = rolling_rms(recording.line_a, window)
        self._volts = None if recording.line_v is None else rolling_rms(recording.line_v, window)
        self.disconnect, self.call, self.closed = True, True, True
        self.breaker_tripped = False

    @property
    def ghost_v(self) -> float:
        """What an open conductor would show [V]."""
        return NOBODYS_V

    def switch(self, what: str, on: bool) -> None:
        """Do nothing: what happened has happened."""

    def advance(self, to_s: float) -> None:
        """Play on; at its end it begins again."""
        self.now_s = max(self.now_s, to_s)

    def _at(self) -> int:
        return int(self.now_s * self.recording.sample_hz) % len(self.recording.line_a)

    def amps(self, at: AmpsAt) -> float:
        """Return RMS amps over the last cycle [A]; of the wire the clamp was on, whichever that was."""
        return float(self._amps[self._at()]) if at in ("common", "whole_unit") else 0.0

    def line_v(self) -> float:
        """Return RMS volts over the last cycle, 0 where none were recorded [V]."""
        return 0.0 if self._volts is None else float(self._volts[self._at()])

    def volts(self, at: VoltsAt) -> float:
        """Return RMS volts at a place [V]."""
        return self.line_v() if at in ("line", "load") else 0.0

    def wave(self) -> Waveform | None:
        """Return the recording."""
        return self.recording


def at_rate(wave: Waveform, rate: float, most: int) -> tuple[np.ndarray, np.ndarray]:
    """Return amps and volts at another rate, at most so many samples; volts zero where none were recorded."""
    count = min(most, int(len(wave.line_a) * rate / wave.sample_hz))
    times = np.arange(count) / rate
    own = np.arange(len(wave.line_a)) / wave.sample_hz
    amps = np.interp(times, own, wave.line_a)
    volts = np.zeros(count) if wave.line_v is None else np.interp(times, own, wave.line_v)
    return amps, volts
