"""A unit that is not there: thermostat, contactor, fan, compressor, pressures, overload and breaker in time.

A start is the start model's own; between starts the machine runs on what the start settled to. Everything is
reckoned to a moment that is asked for, so that a clock, a test and a slow machine see the same unit.
"""

from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from orange_crank.bench.scenarios import Case
from orange_crank.core.measure.waveform import Waveform
from orange_crank.core.motor.assemble import assemble
from orange_crank.core.motor.entry import Aid, Load, Source, StartIn
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.layout import E_RELAY_OPEN
from orange_crank.core.motor.start import UP_TO_SPEED, cycle_rms, simulate
from orange_crank.core.plate import Plate

Phase = Literal["off", "starting", "running", "stalled"]
What = Literal[
    "started", "stalled", "overload_opened", "overload_closed", "breaker_tripped", "capacitor_burst",
    "chattered",
]  # fmt: skip
VoltsAt = Literal["line", "load", "pole", "coil", "start_winding"]
AmpsAt = Literal["common", "run", "start", "fan", "whole_unit"]
Samples = NDArray[np.float64]

STEP_S = 0.05
START_S = 2.0
RECORDED_HZ, BEFORE_S = 4_000, 0.1
WHOLE_CYCLES = 6  # of the end of a start that settled: what it runs on
PULL_IN, DROP_OUT = 0.75, 0.5  # of the coil's rated volts
CONTROL_V = 24.0
NEVER_V = 1_000.0  # a pick-up no start winding reaches
OVERLOAD_LRA_S = 5.0  # so many seconds at locked-rotor amps open the internal overload
OVERLOAD_COOLS_S = 240.0
RESET_BELOW = 0.35
TRIP_S = 40.0  # a breaker at four times its rating
WEAKENED = 0.85  # what each trip leaves of what a breaker bears
BURSTS_S = 4.0  # a start capacitor that stays in circuit
DRAWN_OHM = 0.002  # what one break under a start's current adds to a pole
LEARNS = 4  # starts after which a soft starter has found its ceiling
FIRST_CEILING = 2.2  # of its ceiling, before it has learned anything
DRAWS = 0.71  # what a sound machine draws with its pressures made, of its rated amps
HEAVY = frozenset({"high_head", "fan_motor", "overcharge", "turn_short", "worn_bearings", "fan_reversed"})
QUIET_STEP_S = 0.5  # where nothing starts, time passes in larger steps


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
    control_v : of the transformer, at rated line volts [V]
    no_path : no winding stands between the legs: an open one, an open lead, a lead off
    swapped : start and run winding have changed places
    relay_stays_in : flat, miswired or of a class this motor never reaches
    learns : a soft starter that finds its ceiling over its first starts
    source_kind, source_kva : what feeds the house, and its rating
    house_a : what else of the house runs on the same source [A]
    breaker_a : the breaker that is there; the plate's largest where left out [A]
    run_factor : running amps against what the machine alone would draw: heat, charge, head
    fan_factor : the fan's running amps over its plate's
    overload_cools_s : time constant with which the internal overload cools [s]
    grounded : a winding on the shell: the breaker trips the moment it gets volts

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
    control_v: float = CONTROL_V
    no_path: bool = False
    swapped: bool = False
    relay_stays_in: bool = False
    learns: bool = False
    source_kind: Literal["utility", "generator", "inverter"] = "utility"
    source_kva: float | None = None
    house_a: float = 0.0
    breaker_a: float | None = None
    run_factor: float = 1.0
    fan_factor: float = 0.92
    grounded: bool = False
    overload_cools_s: float = OVERLOAD_COOLS_S

    @property
    def rated_a(self) -> float:
        """The breaker's rating [A]."""
        return self.breaker_a or self.plate.mocp_a or 2.25 * self.plate.compressors[0].rla_a


@dataclass(frozen=True)
class Happened:
    """Something the unit did by itself, and when [s]."""

    at_s: float
    what: What


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
    torque_nm: Samples
    speed_pu: Samples
    sample_s: float
    aid_left_in: bool
    settled: dict[str, float] = field(default_factory=dict)


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
        self.last: _Course | None = None
        self._fan_since_s: float | None = None
        self.happened: list[Happened] = []
        self.pole_ohm = setup.pole_ohm
        self.bears = 1.0
        self._left_in_s = 0.0

    def refit(self, setup: Setup) -> None:
        """Make the unit another, as one that is mended or rewired, at rest; heat and pressures stay."""
        if setup.pole_ohm != self.setup.pole_ohm:
            self.pole_ohm = setup.pole_ohm
        if setup.breaker_a != self.setup.breaker_a:
            self.bears = 1.0
        self.setup = setup
        self._settle()

    def _tell(self, what: What) -> None:
        self.happened.append(Happened(self.now_s, what))

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
            quick = self.phase in ("starting", "stalled") or (self.coil_v > 0) != self.closed
            step = min(STEP_S if quick else QUIET_STEP_S, to_s - self.now_s)
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
        return self.setup.control_v * self.line_v() / self.setup.plate.volts

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
            if self.call and self.powered:
                self._tell("chattered")
            if self.amps("common") > 2 * self.setup.plate.compressors[0].rla_a:
                self.pole_ohm += DRAWN_OHM
            self._fan_since_s = None
        wants = (
            self._fan_since_s is not None
            and not self.overload_open
            and not self.setup.no_path
            and self.now_s - self._fan_since_s >= self.setup.fan_leads_s
        )
        if wants and self.phase == "off":
            self._begin()
        elif not wants and self.phase != "off":
            self.phase, self._since_s, self._course = "off", self.now_s, None

    def _begin(self) -> None:
        s = self.setup
        if s.grounded:
            self.trip()
            self._fan_since_s = None
            return
        torque = s.equal_torque_pct + (s.made_torque_pct - s.equal_torque_pct) * self.pressure
        entry = StartIn(
            plate=StartPlate.model_validate(s.plate.model_dump()),
            run_cap_uf=s.run_cap_uf,
            source=Source(
                kind=s.source_kind,
                rated_kva=s.source_kva,
                volts=self.idle_v,
                resistance_ohm=s.source_ohm + 2 * self.pole_ohm,
            ),
            load=Load(start_torque_pct=torque, locked=s.locked or s.swapped),
            aid=self._aid(),
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
            torque_nm=ran.detail[3],
            speed_pu=ran.speed_pu(),
            sample_s=step,
            aid_left_in=s.aid.kind == "start_capacitor" and not (ran.events[:, 1] == E_RELAY_OPEN).any(),
        )
        self.last = self._course
        self.phase, self._since_s = "starting", self.now_s
        self.starts += 1

    def _aid(self) -> Aid:
        """Return the aid as it acts in this start: learned so far, its relay held where it hangs."""
        s = self.setup
        if s.aid.kind == "start_capacitor" and s.relay_stays_in:
            return s.aid.model_copy(update={"pickup_v": NEVER_V, "dropout_v": None})
        if s.aid.kind == "soft_starter" and s.learns:
            lra = s.plate.compressors[0].lra_a or 6 * s.plate.compressors[0].rla_a
            found = s.aid.ceiling_a or lra / 3
            left = max(0.0, 1 - self.starts / LEARNS)
            return s.aid.model_copy(update={"ceiling_a": found * (1 + (FIRST_CEILING - 1) * left)})
        return s.aid

    @property
    def idle_v(self) -> float:
        """What the source gives with the unit at rest, the house's own loads on it [V]."""
        return self.setup.source_v - self.setup.house_a * self.setup.source_ohm

    def _pass(self, step: float) -> None:
        amps = self.amps("common")
        lra = self.setup.plate.compressors[0].lra_a or 6 * self.setup.plate.compressors[0].rla_a
        if self.phase == "starting" and self.now_s - self._since_s >= START_S:
            assert self._course is not None
            self.phase = "running" if self._course.started else "stalled"
            self._tell("started" if self._course.started else "stalled")
        turning = self.phase == "running"
        rate = 1 - np.exp(-step / (20.0 if turning else self.setup.equalizes_s))
        self.pressure += ((1.0 if turning else 0.0) - self.pressure) * float(rate)
        heavy = max(0.0, amps - 1.4 * self.setup.plate.compressors[0].rla_a)
        self.overload_heat += (heavy / lra) ** 2 * step / OVERLOAD_LRA_S
        self.overload_heat *= float(np.exp(-step / self.setup.overload_cools_s))
        if self.overload_heat >= 1.0 and not self.overload_open:
            self.overload_open = True
            self._tell("overload_opened")
        elif self.overload_open and self.overload_heat < RESET_BELOW:
            self.overload_open = False
            self._tell("overload_closed")
        over = max(0.0, self.amps("whole_unit") / (self.setup.rated_a * self.bears) - 1.0)
        self.breaker_heat += over**2 / 9.0 * step / TRIP_S
        self.breaker_heat *= float(np.exp(-step / 120.0))
        if self.breaker_heat >= 1.0:
            self.trip()
        if self.phase in ("running", "stalled") and self._course is not None and self._course.aid_left_in:
            self._left_in_s += step
            if self._left_in_s > BURSTS_S and self.setup.aid.kind == "start_capacitor":
                self._tell("capacitor_burst")
                self.setup = replace(self.setup, aid=Aid())
                self._left_in_s = 0.0

    def trip(self) -> None:
        """Let the breaker trip; each trip leaves it weaker."""
        self.breaker_tripped, self.breaker_heat = True, 0.5
        self.bears *= WEAKENED
        self._tell("breaker_tripped")

    # What a meter would see --------------------------------------------------------------------------

    def _in_start(self, values: str) -> float:
        assert self._course is not None
        course: Samples = getattr(self._course, values)
        if self.phase == "starting":
            return float(np.interp(self.now_s - self._since_s, self._course.at_s, course))
        settled = self._course.settled.get(values)
        if settled is None:
            settled = self._course.settled[values] = float(np.median(course[-20:]))
        if self.phase == "running" and values in ("line_a", "run_a"):
            return settled * self.setup.run_factor
        return settled

    def amps(self, at: AmpsAt) -> float:
        """Return RMS amps in a conductor [A]."""
        fan = 0.0
        if self._fan_since_s is not None and self.setup.plate.motors:
            fla = self.setup.plate.motors[0].fla_a
            # A fan's own start: a few times its rated amps, gone in a second.
            fan = fla * (
                self.setup.fan_factor + 3.0 * float(np.exp(-(self.now_s - self._fan_since_s) / 0.25))
            )
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
            return self.idle_v
        return self._in_start("line_v") + self._in_start("line_a") * 2 * self.pole_ohm

    def volts(self, at: VoltsAt) -> float:
        """Return RMS volts at a place [V]."""
        if at == "line":
            return self.line_v()
        if at == "coil":
            return self.coil_v
        if not self.closed:
            return 0.0
        if at == "pole":
            return self.amps("whole_unit") * self.pole_ohm
        if at == "load":
            return max(0.0, self.line_v() - 2 * self.amps("whole_unit") * self.pole_ohm)
        return self._in_start("start_winding_v") if self.phase != "off" else 0.0

    def first_100ms_a(self) -> float | None:
        """Return the RMS over the first 100 ms of the last start's line current [A]."""
        if self.last is None:
            return None
        n = round(0.1 / self.last.sample_s)
        return float(np.sqrt(np.mean(self.last.wave_a[:n] ** 2)))

    def deepest_dip_pct(self) -> float:
        """Return how far the last start pulled the volts down, of the plate's [%]."""
        if self.last is None:
            return 0.0
        whole = self.last.line_v[4:]  # from the first whole cycle on
        return 100 * (1 - float(np.min(whole)) / self.setup.plate.volts)

    def wave(self) -> Waveform | None:
        """Return the last start as a recorder holds it, a tenth of a second before it included."""
        if self.last is None:
            return None
        every = max(1, round(1.0 / (RECORDED_HZ * self.last.sample_s)))
        rate = 1.0 / (self.last.sample_s * every)
        hertz = self.setup.plate.hertz or 60.0
        before = np.arange(-round(BEFORE_S * rate), 0) / rate
        quiet = self.setup.source_v * np.sqrt(2) * np.sin(2 * np.pi * hertz * before)
        return Waveform(
            sample_hz=rate,
            line_a=np.concatenate([np.zeros(len(before)), self.last.wave_a[::every]]),
            line_v=np.concatenate([quiet, self.last.wave_v[::every]]),
            hertz=hertz,
        )


def setup_of(case: Case) -> Setup:
    """Return the unit of a made-up case, for those faults that show in volts and amps."""
    t, rla = case.truth, case.plate.compressors[0].rla_a
    cap = float(t["cap_uf"])
    gone = case.plate.run_cap_uf is not None and cap < 0.16 * case.plate.run_cap_uf
    load = float(t["load"])
    windings = str(t["windings"])
    if windings in ("start_open", "run_open"):
        gone = case.plate.run_cap_uf is not None
    waits = case.fault == "pressure_not_equal"
    return Setup(
        plate=case.plate,
        fault=case.fault,
        run_cap_uf="open" if gone else cap or None,
        source_v=float(t["idle_v"]),
        source_ohm=float(t["source_ohm"]) + float(t["path_ohm"]),
        pole_ohm=float(t["drop_v"]) / rla,
        equal_torque_pct=10.0 if waits else min(load, 300.0),
        made_torque_pct=max(120.0 if waits else 70.0, min(load, 300.0)),
        equalizes_s=150.0 if waits else 90.0,
        locked=load >= 300.0 or windings == "run_open",
        run_factor=max(1.0, float(t["run_factor"]) / DRAWS) if case.fault in HEAVY else 1.0,
        fan_factor=float(t["fan_factor"]),
        grounded=bool(t["ground"]),
        control_fuse_open=bool(t["control_fuse_open"]) or float(t["coil_v"]) < 1.0,
        control_v=float(t["coil_v"]) if float(t["coil_v"]) >= 1.0 else CONTROL_V,
        no_path=windings == "common_open",
        breaker_a=float(t["breaker_a"]),
    )
