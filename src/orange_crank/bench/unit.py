"""A unit that is not there: thermostat, contactor, fan, compressor, pressures, overload and breaker in time.

A start is the start model's own; between starts the machine runs on what the start settled to. Everything is
reckoned to a moment that is asked for, so that a clock, a test and a slow machine see the same unit.
"""

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from orange_crank.bench.scenarios import Case
from orange_crank.core.measure.waveform import Waveform
from orange_crank.core.motor.assemble import assemble
from orange_crank.core.motor.entry import Aid, Load, Source, StartIn
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.start import UP_TO_SPEED, cycle_rms, simulate
from orange_crank.core.plate import Plate

Phase = Literal["off", "starting", "running", "stalled"]
VoltsAt = Literal["line", "load", "pole", "coil", "start_winding"]
AmpsAt = Literal["common", "run", "start", "fan", "whole_unit"]
Samples = NDArray[np.float64]

STEP_S = 0.05
START_S = 2.0
RECORDED_HZ, BEFORE_S = 4_000, 0.1
WHOLE_CYCLES = 6  # of the end of a start that settled: what it runs on
PULL_IN, DROP_OUT = 0.75, 0.5  # of the coil's rated volts
CONTROL_V = 24.0
OVERLOAD_LRA_S = 5.0  # so many seconds at locked-rotor amps open the internal overload
OVERLOAD_COOLS_S = 240.0
RESET_BELOW = 0.35
TRIP_S = 40.0  # a breaker at four times its rating


@dataclass(frozen=True)
class Setup:
    """A unit as it truly is, which nobody is told.

    Parameters
    ----------
    plate : what is printed on it
    run_cap_uf : what is really there; "open" where it has gone
    fault : a name for the score sheet
    source_v, source_ohm : no-load volts and impedance of supply and conductors [V, Ω]
    pole_ohm : of one closed pole of the contactor [Ω]
    equal_torque_pct, made_torque_pct : load torque with pressures equal, and made [%]
    equalizes_s : time constant with which pressures fall together after a stop [s]
    ghost_v : what an open conductor beside a live one shows a high-impedance meter [V]

    """

    plate: Plate
    run_cap_uf: float | Literal["open"] | None = None
    fault: str = "healthy"
    source_v: float = 238.0
    source_ohm: float = 0.12
    pole_ohm: float = 0.004
    equal_torque_pct: float = 12.0
    made_torque_pct: float = 70.0
    equalizes_s: float = 90.0
    locked: bool = False
    control_fuse_open: bool = False
    aid: Aid = field(default_factory=Aid)
    fan_leads_s: float = 0.0
    ghost_v: float = 38.0


@dataclass(frozen=True)
class _Course:
    """A start as it runs: RMS over the last cycle on a five-millisecond grid [s, A, V]."""

    at_s: Samples
    line_a: Samples
    run_a: Samples
    start_a: Samples
    start_winding_v: Samples
    line_v: Samples
    started: bool
    wave_a: Samples
    wave_v: Samples
    sample_s: float


class SimulatedUnit:
    """A unit with its controls; told what is switched, asked what a meter would see."""

    def __init__(self, setup: Setup) -> None:
        self.setup = setup
        self.now_s = 0.0
        self.disconnect = True
        self.breaker_tripped = False
        self.call = False
        self.phase: Phase = "off"
        self.pressure = 0.0
        self.overload_open = False
        self.overload_heat = 0.0
        self.breaker_heat = 0.0
        self.starts = 0
        self._since_s = 0.0
        self._course: _Course | None = None
        self._fan_since_s: float | None = None

    @property
    def ghost_v(self) -> float:
        """What an open conductor beside a live one shows a high-impedance meter [V]."""
        return self.setup.ghost_v

    # What is done to it ------------------------------------------------------------------------------

    def switch(self, what: Literal["disconnect", "thermostat", "breaker"], on: bool) -> None:
        """Move a switch; a breaker that tripped is reset by switching it on."""
        if what == "disconnect":
            self.disconnect = on
        elif what == "thermostat":
            self.call = on
        else:
            self.breaker_tripped = not on
        self._settle()

    def advance(self, to_s: float) -> None:
        """Let time pass to a moment; a moment that is past changes nothing."""
        while self.now_s < to_s:
            step = min(STEP_S, to_s - self.now_s)
            self.now_s += step
            self._pass(step)
            self._settle()

    # What it does ------------------------------------------------------------------------------------

    @property
    def powered(self) -> bool:
        """Whether the contactor's line side is live."""
        return self.disconnect and not self.breaker_tripped

    @property
    def coil_v(self) -> float:
        """Volts at the contactor's coil [V]."""
        if not (self.powered and self.call) or self.setup.control_fuse_open:
            return 0.0
        return CONTROL_V * self.line_v() / self.setup.plate.volts

    @property
    def closed(self) -> bool:
        """Whether the contactor is pulled in."""
        return self._fan_since_s is not None

    def _settle(self) -> None:
        """Let contactor, overload and machine follow what was switched."""
        coil = self.coil_v / CONTROL_V
        if not self.closed and coil >= PULL_IN:
            self._fan_since_s = self.now_s
        elif self.closed and coil < DROP_OUT:
            self._fan_since_s = None
        wants = (
            self._fan_since_s is not None
            and not self.overload_open
            and self.now_s - self._fan_since_s >= self.setup.fan_leads_s
        )
        if wants and self.phase == "off":
            self._begin()
        elif not wants and self.phase != "off":
            self.phase, self._since_s, self._course = "off", self.now_s, None

    def _begin(self) -> None:
        s = self.setup
        torque = s.equal_torque_pct + (s.made_torque_pct - s.equal_torque_pct) * self.pressure
        entry = StartIn(
            plate=StartPlate.model_validate(s.plate.model_dump()),
            run_cap_uf=s.run_cap_uf,
            source=Source(volts=s.source_v, resistance_ohm=s.source_ohm + 2 * s.pole_ohm),
            load=Load(start_torque_pct=torque, locked=s.locked),
            aid=s.aid,
            duration_s=START_S,
        )
        ran = simulate(assemble(entry), detail=True)
        step, cycle = ran.made.step_s, ran.cycle
        first = len(ran.out[0]) - len(cycle_rms(ran.out[0], cycle))
        every = max(1, round(0.005 / step))

        def rms(values: Samples) -> Samples:
            # The first cycle is not whole yet: its own mean square so far.
            squares = np.cumsum(values**2)
            early = np.sqrt(squares[:first] / np.arange(1, first + 1))
            return np.concatenate([early, cycle_rms(values, cycle)])[::every]

        self._course = _Course(
            at_s=np.asarray(np.arange(len(ran.out[0]))[::every] * step, dtype=np.float64),
            line_a=rms(ran.out[0]),
            run_a=rms(ran.detail[0]),
            start_a=rms(ran.detail[1]),
            start_winding_v=rms(ran.detail[2]),
            line_v=rms(ran.out[1]),
            started=bool(ran.speed_pu()[-1] >= UP_TO_SPEED),
            wave_a=ran.out[0],
            wave_v=ran.out[1],
            sample_s=step,
        )
        self.phase, self._since_s = "starting", self.now_s
        self.starts += 1

    def _pass(self, step: float) -> None:
        amps = self.amps("common")
        lra = self.setup.plate.compressors[0].lra_a or 6 * self.setup.plate.compressors[0].rla_a
        if self.phase == "starting" and self.now_s - self._since_s >= START_S:
            assert self._course is not None
            self.phase = "running" if self._course.started else "stalled"
        turning = self.phase == "running"
        rate = 1 - np.exp(-step / (20.0 if turning else self.setup.equalizes_s))
        self.pressure += ((1.0 if turning else 0.0) - self.pressure) * float(rate)
        heavy = max(0.0, amps - 1.4 * self.setup.plate.compressors[0].rla_a)
        self.overload_heat += (heavy / lra) ** 2 * step / OVERLOAD_LRA_S
        self.overload_heat *= float(np.exp(-step / OVERLOAD_COOLS_S))
        if self.overload_heat >= 1.0:
            self.overload_open = True
        elif self.overload_open and self.overload_heat < RESET_BELOW:
            self.overload_open = False
        rating = self.setup.plate.mocp_a or 2.25 * self.setup.plate.compressors[0].rla_a
        over = max(0.0, self.amps("whole_unit") / rating - 1.0)
        self.breaker_heat += over**2 / 9.0 * step / TRIP_S
        self.breaker_heat *= float(np.exp(-step / 120.0))
        if self.breaker_heat >= 1.0:
            self.breaker_tripped, self.breaker_heat = True, 0.5

    # What a meter would see --------------------------------------------------------------------------

    def _in_start(self, values: str) -> float:
        assert self._course is not None
        course: Samples = getattr(self._course, values)
        if self.phase == "starting":
            return float(np.interp(self.now_s - self._since_s, self._course.at_s, course))
        return float(np.median(course[-20:]))

    def amps(self, at: AmpsAt) -> float:
        """Return RMS amps in a conductor [A]."""
        fan = 0.0
        if self._fan_since_s is not None and self.setup.plate.motors:
            fla = self.setup.plate.motors[0].fla_a
            # A fan's own start: a few times its rated amps, gone in a second.
            fan = fla * (0.92 + 3.0 * float(np.exp(-(self.now_s - self._fan_since_s) / 0.25)))
        if at == "fan":
            return fan
        if self.phase == "off":
            return fan if at == "whole_unit" else 0.0
        if at == "run":
            return self._in_start("run_a")
        if at == "start":
            return self._in_start("start_a")
        line = self._in_start("line_a")
        return line + fan if at == "whole_unit" else line

    def line_v(self) -> float:
        """Return RMS volts between the hots at the contactor's line side [V]."""
        if not self.powered:
            return 0.0
        if self.phase == "off":
            return self.setup.source_v
        return self._in_start("line_v") + self._in_start("line_a") * 2 * self.setup.pole_ohm

    def volts(self, at: VoltsAt) -> float:
        """Return RMS volts at a place [V]."""
        if at == "line":
            return self.line_v()
        if at == "coil":
            return self.coil_v
        if not self.closed:
            return 0.0
        if at == "pole":
            return self.amps("whole_unit") * self.setup.pole_ohm
        if at == "load":
            return max(0.0, self.line_v() - 2 * self.amps("whole_unit") * self.setup.pole_ohm)
        return self._in_start("start_winding_v") if self.phase != "off" else 0.0

    def first_100ms_a(self) -> float | None:
        """Return the RMS over the first 100 ms of the last start's line current [A]."""
        if self._course is None:
            return None
        n = round(0.1 / self._course.sample_s)
        return float(np.sqrt(np.mean(self._course.wave_a[:n] ** 2)))

    def wave(self) -> Waveform | None:
        """Return the last start as a recorder holds it, a tenth of a second before it included."""
        if self._course is None:
            return None
        every = max(1, round(1.0 / (RECORDED_HZ * self._course.sample_s)))
        rate = 1.0 / (self._course.sample_s * every)
        hertz = self.setup.plate.hertz or 60.0
        before = np.arange(-round(BEFORE_S * rate), 0) / rate
        quiet = self.setup.source_v * np.sqrt(2) * np.sin(2 * np.pi * hertz * before)
        return Waveform(
            sample_hz=rate,
            line_a=np.concatenate([np.zeros(len(before)), self._course.wave_a[::every]]),
            line_v=np.concatenate([quiet, self._course.wave_v[::every]]),
            hertz=hertz,
        )


def setup_of(case: Case) -> Setup:
    """Return the unit of a made-up case, for those faults that show in volts and amps."""
    t, rla = case.truth, case.plate.compressors[0].rla_a
    cap = float(t["cap_uf"])
    gone = case.plate.run_cap_uf is not None and cap < 0.16 * case.plate.run_cap_uf
    load = float(t["load"])
    return Setup(
        plate=case.plate,
        fault=case.fault,
        run_cap_uf="open" if gone else cap or None,
        source_v=float(t["idle_v"]),
        source_ohm=float(t["source_ohm"]) + float(t["path_ohm"]),
        pole_ohm=float(t["drop_v"]) / rla,
        equal_torque_pct=min(load, 300.0),
        made_torque_pct=max(70.0, min(load, 300.0)),
        locked=load >= 300.0,
        control_fuse_open=bool(t["control_fuse_open"]) or float(t["coil_v"]) < 1.0,
    )
