"""Meter modes and clamp places: what each one returns and what it cannot see."""

from typing import Literal

from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen

MeterMode = Literal["inrush", "max_hold", "peak", "energy_monitor", "waveform"]
Conductor = Literal["common", "run", "start", "whole_unit", "panel"]
Aid = Literal[
    "none",
    "hard_start",
    "start_capacitor",
    "ptc",
    "potential_relay",
    "soft_starter",
    "time_delay",
    "three_in_one",
]
Outcome = Literal["started", "stalled", "tripped"]
TimedBy = Literal["taps", "sound", "waveform"]


class MeterModeNote(Frozen):
    """What a meter mode returns, and to what it is blind."""

    mode: MeterMode
    label: Prose
    returns: Prose
    blind_to: Prose


METER_MODES: tuple[MeterModeNote, ...] = (
    MeterModeNote(
        mode="inrush",
        label=msg("Inrush (about 100 ms)"),
        returns=msg("RMS over about 100 ms from a trigger; one shot"),
        blind_to=msg(
            "the first half-cycle peak, and anything after the first trigger: a fan that "
            "starts first uses up the shot"
        ),
    ),
    MeterModeNote(
        mode="max_hold",
        label=msg("Max hold"),
        returns=msg("the largest ordinary RMS update, windows of about a quarter second"),
        blind_to=msg("short starts: they average away"),
    ),
    MeterModeNote(
        mode="peak",
        label=msg("Peak"),
        returns=msg("the largest instantaneous value"),
        blind_to=msg("how long it lasts"),
    ),
    MeterModeNote(
        mode="energy_monitor",
        label=msg("Energy monitor (1 s)"),
        returns=msg("mean power over a second"),
        blind_to=msg("any inrush at all, and watts are not amps"),
    ),
    MeterModeNote(
        mode="waveform",
        label=msg("Waveform"),
        returns=msg("samples; the figure is the RMS of the first 100 ms"),
        blind_to=msg("nothing, at 2,000 samples a second or more"),
    ),
)

CONDUCTORS: dict[Conductor, str] = {
    "common": msg("Common (C)"),
    "run": msg("Run (R)"),
    "start": msg("Start (S)"),
    "whole_unit": msg("Whole unit, one leg"),
    "panel": msg("Panel, whole house"),
}


def mode_note(mode: MeterMode) -> MeterModeNote:
    """Return the note on one meter mode."""
    return next(note for note in METER_MODES if note.mode == mode)
