"""The bench's registers (Modbus): its own meter as device 1, a panel analyzer of another layout as device 2.

Device 1, input registers (function 4):

====== ======= =====================================================================================
0      uint16  1 battery dead, 2 armed, 4 the inrush shot is spent, 8 fuse of the amps jack blown
1      uint16  how many are connected
2      uint16  counts up with every look: a meter that hangs is one whose count stands still
10 …   float32 one value a place, high word first; NaN where the meter is not: see ``SLOTS``
====== ======= =====================================================================================

Input registers 1000 and on hold the last start as recorded: 1000 how many samples, 1001 samples a second,
1002 line hertz, 1010 … two registers a sample, amps in fiftieths and volts in twentieths, both int16.

Device 1, holding registers (functions 3, 6, 16): 0 mode, 1 place (by their numbers in ``MODES`` and
``PLACES``), 2 arm, 3 thermostat, 4 disconnect, 5 breaker.

Device 2, holding registers (function 3): 40 volts, 42 amps of the whole unit, each int32 in thousandths,
low word first. It hangs in the panel and measures always.
"""

import math
import struct
from collections.abc import Sequence

import numpy as np

from orange_crank.bench.meter import AMP_PLACES, MODES, VOLT_PLACES, Meter, MeterMode, Place
from orange_crank.bench.replay import at_rate

OWN, ANALYZER = 1, 2
VALUES_FROM, CONTROLS, ANALYZER_FROM = 10, 6, 40
PLACES: tuple[Place, ...] = (*VOLT_PLACES, *AMP_PLACES)
SLOTS: tuple[tuple[MeterMode, Place], ...] = (
    *(("volts", p) for p in VOLT_PLACES),
    *(("amps", p) for p in AMP_PLACES),
    ("inrush", "common"),
    ("inrush", "whole_unit"),
    ("max_hold", "common"),
)
INPUTS = VALUES_FROM + 2 * len(SLOTS)
RECORDING, SAMPLES_FROM, MOST_SAMPLES = 1_000, 1_010, 12_000
RECORDED_HZ, AMPS_STEP, VOLTS_STEP = 4_000, 0.02, 0.05
ALL_INPUTS = SAMPLES_FROM + 2 * MOST_SAMPLES


def float_words(value: float) -> list[int]:
    """Return a float32 as two registers, high word first.

    >>> float_words(1.0)
    [16256, 0]
    """
    high, low = struct.unpack(">HH", struct.pack(">f", value))
    return [high, low]


def thousandths(value: float) -> list[int]:
    """Return thousandths as an int32 in two registers, low word first."""
    high, low = struct.unpack(">HH", struct.pack(">i", round(1000 * value)))
    return [low, high]


def input_registers(meter: Meter, connected: int, looks: int) -> list[int]:
    """Return device 1's input registers, shape (INPUTS,)."""
    words = [0] * INPUTS
    words[0] = meter.battery_dead | meter.armed << 1 | meter.triggered << 2 | meter.fuse_blown << 3
    words[1], words[2] = connected, looks % 65_536
    shown = meter.display()
    mode = "volts" if meter.mode == "volts_low_z" else meter.mode
    for i, slot in enumerate(SLOTS):
        at = VALUES_FROM + 2 * i
        here = shown if slot == (mode, meter.place) else None
        words[at : at + 2] = float_words(math.nan if here is None else here)
    return words


def recording_registers(meter: Meter) -> list[int]:
    """Return the recording's registers from ``RECORDING`` on; the first is zero where there was no start."""
    wave = meter.unit.wave()
    head = [0] * (SAMPLES_FROM - RECORDING)
    if wave is None:
        return head
    amps, volts = at_rate(wave, RECORDED_HZ, MOST_SAMPLES)
    head[:3] = [len(amps), RECORDED_HZ, round(wave.hertz)]
    pairs = np.stack([amps / AMPS_STEP, volts / VOLTS_STEP], axis=1)
    whole = np.clip(np.round(pairs), -32_768, 32_767).astype(np.int16).astype(np.uint16)
    return head + [int(w) for w in whole.ravel()]


def analyzer_registers(meter: Meter) -> list[int]:
    """Return device 2's holding registers from ``ANALYZER_FROM`` on."""
    return thousandths(meter.unit.line_v()) + thousandths(meter.unit.amps("whole_unit"))


def control_registers(meter: Meter) -> list[int]:
    """Return device 1's holding registers, shape (CONTROLS,)."""
    unit = meter.unit
    return [
        MODES.index(meter.mode),
        PLACES.index(meter.place),
        int(meter.armed and not meter.triggered),
        int(unit.call),
        int(unit.disconnect),
        int(not unit.breaker_tripped),
    ]


def write_controls(meter: Meter, address: int, values: Sequence[int]) -> bool:
    """Do what is written into device 1's holding registers; tell whether it could be done."""
    now = control_registers(meter)
    wanted = list(now)
    for i, value in enumerate(values, address):
        wanted[i] = int(value)
    if not (0 <= wanted[0] < len(MODES) and 0 <= wanted[1] < len(PLACES)):
        return False
    if wanted[:2] != now[:2]:
        meter.set(MODES[wanted[0]], PLACES[wanted[1]])
    touched = range(address, address + len(values))
    if 2 in touched and wanted[2]:
        meter.arm()
    for i, what in ((3, "thermostat"), (4, "disconnect"), (5, "breaker")):
        if i in touched and wanted[i] != now[i]:
            meter.unit.switch(what, bool(wanted[i]))  # type: ignore[arg-type]
    return True
