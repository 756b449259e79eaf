"""A start computed from first principles: one entry in, one frozen result out."""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.measure.waveform import Waveform, meter_readings
from orange_crank.core.messages import Prose, msg
from orange_crank.core.motor import layout as k
from orange_crank.core.motor.assemble import (
    BREAKER_TRIP,
    STEP_US,
    THYRISTOR_STEP_US,
    Assembled,
    assemble,
    coarse,
    pulses,
)
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.fit import Fit
from orange_crank.core.motor.machine import Machine
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, say
from orange_crank.core.tables.standards import Standards, shipped_standards

StartVerdict = Literal["started", "late", "stalled", "tripped"]
Samples = NDArray[np.float64]

UP_TO_SPEED = 0.85
MOST_EVENTS = 400
# Start capacitors are sold for 110 to 330 V AC.
HIGHEST_START_CAP_V = 330.0
# A soft starter takes longer on purpose: so many times the shop's limit is still prompt.
SOFT_TAKES = 2.0
SETTLING_CYCLES, SETTLED_WITHIN = 6, 0.05
WAVE_S, WAVE_STEP_S = 0.3, 0.0004
MOST_STEPS = 2_000_000
ENERGY_LIMIT_PCT = 0.25

EventName = Literal[
    "relay_opened", "relay_closed", "thyristor_fired", "thyristor_blocked", "bypassed", "breaker_tripped",
    "overload_opened", "contactor_opened", "contactor_closed",
]  # fmt: skip
_EVENTS: dict[int, tuple[EventName, str]] = {
    k.E_RELAY_OPEN: ("relay_opened", "V"),
    k.E_RELAY_CLOSE: ("relay_closed", "V"),
    k.E_FIRE: ("thyristor_fired", "°"),
    k.E_BLOCK: ("thyristor_blocked", "A"),
    k.E_BYPASS: ("bypassed", "rad/s"),
    k.E_BREAKER: ("breaker_tripped", "× rating"),
    k.E_OVERLOAD: ("overload_opened", "A"),
    k.E_CONTACTOR_OPEN: ("contactor_opened", "V"),
    k.E_CONTACTOR_CLOSE: ("contactor_closed", "V"),
    k.E_CURRENT_CLOSE: ("relay_closed", "A"),
    k.E_CURRENT_OPEN: ("relay_opened", "A"),
}


class StartEvent(Frozen):
    """Something switched."""

    at_s: float
    what: EventName
    value: float = Field(description="The figure that made it switch")
    unit: str


class Energy(Frozen):
    """Where the energy of a start went [J]."""

    in_j: float
    source_j: float
    copper_j: float
    rotor_j: float
    branch_j: float
    switching_j: float
    stored_j: float
    kinetic_j: float
    load_j: float
    fan_j: float
    residual_pct: float = Field(description="What does not balance, of what came in [%]")


class StartMeter(Frozen):
    """What each meter mode would have shown."""

    inrush: float | None = Field(description="RMS over 100 ms from the first trigger [A]")
    max_hold: float = Field(description="Largest quarter-second RMS [A]")
    peak: float = Field(description="Largest instantaneous value [A]")
    energy_monitor_w: float | None = Field(description="Largest one-second mean power [W]")


class Series(Frozen):
    """Samples over time."""

    time_s: list[float]
    line_a: list[float]
    run_a: list[float]
    start_a: list[float]
    line_v: list[float]
    start_winding_v: list[float]
    speed_rpm: list[float]
    torque_nm: list[float]


class StartTrace(Frozen):
    """One-cycle RMS over time, for drawing."""

    time_s: list[float]
    line_rms_a: list[float]
    line_rms_v: list[float]
    start_winding_rms_v: list[float]
    speed_pct: list[float]
    wave_time_s: list[float] = Field(description="Of the first waves [s]")
    wave_line_a: list[float] = Field(description="The first waves of line current [A]")


class Span(Frozen):
    """From, to."""

    low: float
    high: float


class StartSpread(Frozen):
    """The same start over all that its plate does not say."""

    inrush_a: Span = Field(description="Meter in inrush mode, RMS over 100 ms [A]")
    max_cycle_a: Span = Field(description="Largest one-cycle RMS [A]")
    sag_pct: Span
    time_to_speed_s: Span | None = Field(description="Of those that get away; null where none does [s]")
    starts: int = Field(description="How many of them get away")
    of: int = Field(description="How many were computed")


class StartResult(Frozen):
    """A computed start."""

    verdict: StartVerdict
    sentence: Prose = Field(description="The verdict in words")
    time_to_speed_s: float | None = Field(description="First time at 85 % of synchronous speed [s]")
    inrush_100ms_a: float = Field(description="RMS of line current over 100 ms from closing [A]")
    max_cycle_rms_a: float = Field(description="Largest rolling one-cycle RMS of line current [A]")
    peak_a: float
    settled_a: float = Field(description="Line current over the last cycle [A]")
    final_speed_pct: float = Field(description="Of synchronous, over the last cycle [%]")
    sag_pct: float = Field(description="Deepest one-cycle dip at the motor, of source volts [%]")
    relay_opened_s: float | None
    i2t: float = Field(description="∫i² dt of the run [A²·s]")
    start_kva: float = Field(description="Source volts × largest one-cycle RMS [kVA]")
    overloaded_s: float | None = Field(
        description="How long a generator is asked for more power than its rating; null elsewhere [s]"
    )
    start_capacitor_v: float | None = Field(description="Largest one-cycle RMS across it while in [V]")
    breaker_heat_pct: float | None = Field(description="How near its thermal trip the breaker came [%]")
    volts: float = Field(description="Source, at no load [V]")
    run_cap_uf: float | None = Field(description="Run capacitor computed with; null is open [µF]")
    pickup_v: float | None = Field(description="Relay pick-up computed with [V]")
    start_torque_nm: float
    run_torque_nm: float
    machine: Machine
    fit: Fit | None
    meter: StartMeter
    spread: StartSpread | None = Field(
        default=None, description="Where asked: the range over closing angle, inertia and load"
    )
    events: list[StartEvent]
    energy: Energy | None
    series: Series | None
    trace: StartTrace | None
    findings: list[Finding]


@dataclass(frozen=True, eq=False)
class Simulated:
    """Samples of a start as arrays, before anything is read off them.

    ``out`` is (3, n + 1): line current, line volts, shaft speed [A, V, rad/s]; ``detail`` (4, n + 1): run and
    start current, start winding volts, torque [A, A, V, N·m].
    """

    made: Assembled
    out: Samples
    detail: Samples
    events: Samples
    final: Samples

    @property
    def cycle(self) -> float:
        """Steps in one cycle, not a whole number as a rule."""
        return 1.0 / (self.made.machine.hertz * self.made.step_s)

    def speed_pu(self) -> Samples:
        """Return shaft speed over synchronous, shape (n + 1,)."""
        speed: Samples = self.out[2] / self.made.machine.synchronous_rad_s
        return speed


def simulate(made: Assembled, detail: bool = False, hold_pu: float | None = None) -> Simulated:
    """Integrate an assembled start.

    Parameters
    ----------
    made : the start, ready
    detail : whether winding currents, start winding volts and torque are kept
    hold_pu : hold the shaft at this share of synchronous speed

    Raises
    ------
    InputProblem : too many steps, or the integration ran away

    """
    from orange_crank.core.motor.kernel import integrate  # compiled: only when a start is computed

    if made.steps > MOST_STEPS:
        raise InputProblem(
            [
                FieldProblem(
                    field="duration_s",
                    wanted=msg("at most {most_steps:,} steps", most_steps=MOST_STEPS),
                    got=msg("{steps:,} steps", steps=made.steps),
                )
            ],
            next_step=msg("Shorten the run, or take a coarser step."),
        )
    n = made.steps
    p = made.parameters
    if hold_pu is not None:
        p = p.copy()
        p[k.P_HOLD] = hold_pu * made.machine.synchronous_rad_s
    out = np.empty((3, n + 1))
    kept = np.empty((4, n + 1 if detail else 0))
    events = np.zeros((MOST_EVENTS, 3))
    final = np.zeros(k.F_COUNT)
    count = integrate(p, made.gammas, made.aid, n, made.step_s, made.book, out, kept, events, final)
    if count < 0 or not np.isfinite(out[:, -1]).all():
        raise coarse(made, msg("the integration ran away"), made.step_s * 1e6 / 4)
    return Simulated(made=made, out=out, detail=kept, events=events[:count], final=final)


def cycle_rms(values: Samples, cycle: float) -> Samples:
    """Return the RMS over the cycle that ends at each sample, from the first whole cycle on.

    Parameters
    ----------
    values : samples, shape (n,)
    cycle : samples in a cycle, not necessarily whole

    Returns
    -------
    shape (n − ⌈cycle⌉,); empty when there is less than a cycle

    >>> wave = np.sin(2 * np.pi * np.arange(1000) / 333.333)
    >>> round(float(cycle_rms(wave, 333.333)[-1]), 4)
    0.7071
    """
    from orange_crank.core.motor.rms import rolling_cycle_rms  # compiled

    out = np.empty(max(0, len(values) - math.ceil(cycle)))
    if len(out):
        rolling_cycle_rms(values, cycle, out)
    return out


def compute_start(entry: StartIn, standards: Standards | None = None) -> StartResult:
    """Compute a start and read everything off it.

    Raises
    ------
    InputProblem : a plate no such machine has, or a step too coarse

    Notes
    -----
    Left out: saturation, skin effect, temperature rise during the start, frequency of a generator.

    """
    limits = standards or shipped_standards()
    if entry.spread:
        from orange_crank.core.motor.spread import start_spread  # it computes starts itself

        alone = compute_start(entry.model_copy(update={"spread": False}), limits)
        spread = start_spread(entry, limits)
        return alone.model_copy(
            update={"spread": spread, "findings": [*alone.findings, _spread_told(spread)]}
        )
    made = assemble(entry)
    ran = simulate(made, detail=entry.series or entry.trace or entry.aid.kind == "start_capacitor")
    return read_off(entry, ran, limits)


def _spread_told(spread: StartSpread) -> Finding:
    """Say the range in words: what a meter may show on a machine of this plate."""
    low, high = spread.inrush_a.low, spread.inrush_a.high
    away = (
        ""
        if spread.starts == spread.of
        else msg(" {of} of {of_2} do not start.", of=spread.of - spread.starts, of_2=spread.of)
    )
    return Finding(
        code="SPREAD",
        verdict="note",
        text=(
            msg(
                "Expect {low:.0f} to {high:.0f} A in inrush mode. Only a reading outside that "
                "is unusual.{away}",
                low=low,
                high=high,
                away=away,
            )
        ),
        rule="start model: typical inertia × 0.6 to 1.8, four closing angles, load × 0.5 to 1.5",
        inputs={"inrush_low_a": round(low, 1), "inrush_high_a": round(high, 1), "starts": spread.starts},
    )


def read_off(entry: StartIn, ran: Simulated, limits: Standards) -> StartResult:
    """Read a simulated start: figures, meter modes, events, verdict."""
    from orange_crank.core.motor.rms import cycle_rms_ends  # compiled

    made = ran.made
    h, cycle = made.step_s, ran.cycle
    line_a, line_v = ran.out[0], ran.out[1]
    _, max_cycle, settled = cycle_rms_ends(line_a, cycle)
    lowest_v, _, _ = cycle_rms_ends(line_v, cycle)
    if math.isnan(max_cycle):
        max_cycle = settled = float(np.sqrt(np.mean(line_a**2)))
        lowest_v = made.volts
    synchronous = made.machine.synchronous_rad_s
    fast = ran.out[2] >= UP_TO_SPEED * synchronous
    first = int(fast.argmax())
    time_to_speed = first * h if fast[first] else None
    events = [
        StartEvent(
            at_s=float(at) * h, what=_EVENTS[int(what)][0], value=float(value), unit=_EVENTS[int(what)][1]
        )
        for at, what, value in ran.events
    ]
    energy = _energy(ran) if made.book else None
    if energy is not None and made.step_s > _default_step_s(made) and energy.residual_pct > ENERGY_LIMIT_PCT:
        raise coarse(
            made,
            msg("{residual_pct:.2g} % of the energy goes astray", residual_pct=energy.residual_pct),
            max(1.0, math.floor(made.step_s * 1e6 / 4)),
        )
    tripped = any(e.what in ("breaker_tripped", "overload_opened") for e in events)
    prompt_s = limits.start_seconds * (SOFT_TAKES if entry.aid.kind == "soft_starter" else 1.0)
    verdict = _verdict(tripped, time_to_speed, prompt_s)
    window = line_a[: round(0.1 / h) + 1]
    wave = Waveform(sample_hz=1.0 / h, line_a=line_a, line_v=line_v, hertz=made.machine.hertz)
    meter = meter_readings(wave, entry.trigger_a)
    tail = max(2, round(cycle))
    relay = next((e.at_s for e in events if e.what == "relay_opened"), None)
    heat = 100 * float(ran.final[k.F_BREAKER]) / BREAKER_TRIP if entry.breaker is not None else None
    result = StartResult(
        verdict=verdict,
        sentence=_sentence(verdict, time_to_speed, float(ran.out[2, -1]) / synchronous, events, prompt_s),
        time_to_speed_s=time_to_speed,
        inrush_100ms_a=float(np.sqrt(np.mean(window * window))),
        max_cycle_rms_a=max_cycle,
        peak_a=float(np.max(np.abs(line_a))),
        settled_a=settled,
        final_speed_pct=100 * float(np.mean(ran.out[2, -tail:])) / synchronous,
        sag_pct=100 * (1 - lowest_v / made.volts),
        relay_opened_s=relay,
        i2t=float(np.einsum("i,i->", line_a, line_a) * h),
        start_kva=made.volts * max_cycle / 1000,
        overloaded_s=_overloaded_s(entry, ran),
        start_capacitor_v=_start_capacitor_v(ran, relay),
        breaker_heat_pct=heat,
        volts=made.volts,
        run_cap_uf=made.run_cap_uf,
        pickup_v=made.pickup_v,
        start_torque_nm=made.start_torque_nm,
        run_torque_nm=made.run_torque_nm,
        machine=made.machine,
        fit=made.fit,
        meter=StartMeter(
            inrush=meter.inrush,
            max_hold=meter.max_hold,
            peak=meter.peak,
            energy_monitor_w=meter.energy_monitor_w,
        ),
        events=events,
        energy=energy,
        series=_series(entry, ran) if entry.series else None,
        trace=_trace(ran, time_to_speed) if entry.trace else None,
        findings=[],
    )
    findings = [*_findings(entry, result, limits), *_unsettled(entry, ran), *made.notes]
    return result.model_copy(update={"findings": findings})


def _unsettled(entry: StartIn, ran: Simulated) -> list[Finding]:
    """Say so when the run ends before its current has settled: the settled amps are then none."""
    cycle = round(ran.cycle)
    count = ran.out.shape[1]
    if count < (SETTLING_CYCLES + 2) * cycle or pulses(entry):
        return []
    tail = ran.out[0, count - cycle :]
    ahead = ran.out[0, count - (SETTLING_CYCLES + 1) * cycle : count - SETTLING_CYCLES * cycle]
    last, before = (float(np.sqrt(np.mean(x * x))) for x in (tail, ahead))
    if before <= 0 or abs(last / before - 1) <= SETTLED_WITHIN:
        return []
    return [
        Finding(
            code="NOT_SETTLED",
            verdict="watch",
            text=msg("The run ends while its amps still change: the settled figure is not one yet."),
            rule="start model",
            inputs={"last_cycle_a": last, "earlier_cycle_a": before, "duration_s": entry.duration_s},
            arithmetic=msg(
                "{before:.3g} A → {last:.3g} A over {settling_cycles} cycles",
                before=before,
                last=last,
                settling_cycles=SETTLING_CYCLES,
            ),
            next_step=msg("Follow it for longer."),
        )
    ]


def _default_step_s(made: Assembled) -> float:
    """Return the step that is taken when none is given [s], a hair over."""
    return 1.001e-6 * (THYRISTOR_STEP_US if made.aid == k.SOFT else STEP_US)


def _verdict(tripped: bool, time_to_speed: float | None, prompt_s: float) -> StartVerdict:
    if tripped:
        return "tripped"
    if time_to_speed is None:
        return "stalled"
    return "started" if time_to_speed <= prompt_s else "late"


def _sentence(
    verdict: StartVerdict,
    time_to_speed: float | None,
    final_pu: float,
    events: list[StartEvent],
    prompt_s: float,
) -> str:
    if verdict == "tripped":
        trip = next(e for e in events if e.what in ("breaker_tripped", "overload_opened"))
        what = msg("The breaker") if trip.what == "breaker_tripped" else msg("The overload")
        return msg("{what} opens after {at_s:.2f} s.", what=what, at_s=trip.at_s)
    if time_to_speed is None:
        if final_pu < 0.05:
            return msg("It does not turn: not enough torque for the load.")
        return msg("It sticks at {final_pu:.0f} % speed and does not start.", final_pu=100 * final_pu)
    fell = msg(" It does not hold its speed afterwards.") if final_pu < UP_TO_SPEED else ""
    if verdict == "late":
        return msg(
            "Slow start: up to speed in {time_to_speed:.2f} s, limit {prompt_s:g} s.{fell}",
            time_to_speed=time_to_speed,
            prompt_s=prompt_s,
            fell=fell,
        )
    return msg(
        "It starts: up to speed in {time_to_speed:.2f} s.{fell}", time_to_speed=time_to_speed, fell=fell
    )


def _overloaded_s(entry: StartIn, ran: Simulated) -> float | None:
    """Return how long one-cycle power at the motor passes what the engine has left for it [s]."""
    if entry.source.kind != "generator":
        return None
    watts = np.concatenate(([0.0], np.cumsum(ran.out[0] * ran.out[1])))
    cycle = max(1, round(ran.cycle))
    mean = (watts[cycle:] - watts[:-cycle]) / cycle
    return float(np.count_nonzero(mean > 1000 * entry.source.left_kva) * ran.made.step_s)


def _start_capacitor_v(ran: Simulated, relay_s: float | None) -> float | None:
    """Return the largest one-cycle RMS across the start capacitor while it is in [V]."""
    from orange_crank.core.motor.rms import cycle_rms_ends  # compiled

    p = ran.made.parameters
    if ran.made.aid not in (k.START_CAPACITOR, k.CURRENT_RELAY) or p[k.P_C2] <= 0 or ran.detail.shape[1] == 0:
        return None
    end = ran.out.shape[1] if relay_s is None else max(2, round(relay_s / ran.made.step_s))
    across = ran.out[1, :end] - ran.detail[2, :end]
    _, largest, _ = cycle_rms_ends(across, ran.cycle)
    return None if math.isnan(largest) else largest


def _energy(ran: Simulated) -> Energy:
    f = ran.final
    stored, kinetic = float(f[k.F_STORED]), float(f[k.F_KINETIC])
    spent = (
        f[k.B_SOURCE_LOSS] + f[k.B_COPPER] + f[k.B_ROTOR] + f[k.B_BRANCH] + f[k.B_SWITCH] + f[k.B_MECH]
        + f[k.B_FAN] + stored
    )  # fmt: skip
    came = float(f[k.B_IN])
    return Energy(
        in_j=came,
        source_j=float(f[k.B_SOURCE_LOSS]),
        copper_j=float(f[k.B_COPPER]),
        rotor_j=float(f[k.B_ROTOR]),
        branch_j=float(f[k.B_BRANCH]),
        switching_j=float(f[k.B_SWITCH]),
        stored_j=stored,
        kinetic_j=kinetic,
        load_j=float(f[k.B_LOAD]),
        fan_j=float(f[k.B_FAN]),
        residual_pct=100 * abs(came - float(spent)) / max(abs(came), 1e-9),
    )


def _series(entry: StartIn, ran: Simulated) -> Series:
    count = ran.out.shape[1]
    every = max(1, math.ceil(count / entry.series_points))
    rpm = 30 / math.pi
    pick = slice(None, None, every)
    return Series(
        time_s=np.round(np.arange(count)[pick] * ran.made.step_s, 9).tolist(),
        line_a=ran.out[0][pick].tolist(),
        run_a=ran.detail[0][pick].tolist(),
        start_a=ran.detail[1][pick].tolist(),
        line_v=ran.out[1][pick].tolist(),
        start_winding_v=ran.detail[2][pick].tolist(),
        speed_rpm=(ran.out[2][pick] * rpm).tolist(),
        torque_nm=ran.detail[3][pick].tolist(),
    )


def _trace(ran: Simulated, time_to_speed: float | None) -> StartTrace:
    """Sample one-cycle RMS, densely while it starts; each value is that of the cycle ending there."""
    rms_a, rms_v = cycle_rms(ran.out[0], ran.cycle), cycle_rms(ran.out[1], ran.cycle)
    sw = cycle_rms(ran.detail[2], ran.cycle)
    count, h = len(rms_a), ran.made.step_s
    offset = ran.out.shape[1] - count
    edge = min(count, round(1.6 * max(time_to_speed or count * h, 0.1) / h))
    early = np.linspace(0, max(0, edge - 1), min(edge, 300)).round().astype(np.int64)
    late = np.linspace(edge, count - 1, min(count - edge, 120)).round().astype(np.int64)
    pick = np.unique(np.concatenate((early, late))) if count else np.empty(0, dtype=np.int64)
    first = ran.out[0][: round(WAVE_S / h) + 1 : max(1, round(WAVE_STEP_S / h))]
    return StartTrace(
        time_s=np.round((pick + offset) * h, 6).tolist(),
        line_rms_a=np.round(rms_a[pick], 2).tolist(),
        line_rms_v=np.round(rms_v[pick], 2).tolist(),
        start_winding_rms_v=np.round(sw[pick], 2).tolist(),
        speed_pct=np.round(100 * ran.speed_pu()[offset:][pick], 2).tolist(),
        wave_time_s=np.round(np.arange(len(first)) * max(1, round(WAVE_STEP_S / h)) * h, 6).tolist(),
        wave_line_a=np.round(first, 2).tolist(),
    )


def _findings(entry: StartIn, result: StartResult, limits: Standards) -> list[Finding]:
    verdicts: dict[StartVerdict, Verdict] = {
        "started": "pass", "late": "watch", "stalled": "fail", "tripped": "fail",
    }  # fmt: skip
    steps = {
        "late": msg("Volts at the motor and the run capacitor first; then more starting torque."),
        "stalled": msg("Run capacitor, volts and pressures first; then a start capacitor."),
        "tripped": msg("To ground first; then find why the start is long. Do not keep resetting."),
    }
    limit = limits.start_seconds * (SOFT_TAKES if entry.aid.kind == "soft_starter" else 1.0)
    found = [
        Finding(
            code="START",
            verdict=verdicts[result.verdict],
            text=result.sentence,
            rule=limits.rule("start_seconds"),
            inputs={
                "volts": result.volts,
                "run_cap_uf": result.run_cap_uf,
                "time_to_speed_s": result.time_to_speed_s,
                "limit_s": limit,
            },
            arithmetic=None
            if result.time_to_speed_s is None
            else msg(
                "85 % speed at {time_to_speed_s:.3f} s against {limit:g} s",
                time_to_speed_s=result.time_to_speed_s,
                limit=limit,
            ),
            next_step=steps.get(result.verdict),
        )
    ]
    small = entry.source.kind != "utility"
    dip = limits.source_dip_pct if small else limits.start_dip_pct
    if result.sag_pct > dip:
        found.append(
            Finding(
                code="START_DIP",
                verdict="watch",
                text=msg(
                    "Volts at the motor dip by {sag_pct} during the start.",
                    sag_pct=say(result.sag_pct, "%", 3),
                ),
                rule=limits.rule("source_dip_pct" if small else "start_dip_pct"),
                inputs={"sag_pct": result.sag_pct, "limit_pct": dip},
                arithmetic=msg(
                    "torque falls to {sag_pct:.0f} %: volts squared",
                    sag_pct=100 * (1 - result.sag_pct / 100) ** 2,
                ),
                next_step=msg("A larger source, fewer other loads, or a soft starter.")
                if small
                else msg("Walk the supply: long or thin conductors, a bad joint, a small source."),
            )
        )
    if entry.aid.kind == "start_capacitor" and result.relay_opened_s is None and result.time_to_speed_s:
        found.append(
            Finding(
                code="RELAY_NEVER_OPENED",
                verdict="fail",
                text=msg("The start capacitor never drops out: pick-up lies above what this motor reaches."),
                rule="field practice: potential relay",
                inputs={"pickup_v": result.pickup_v},
                next_step=msg("Fit a relay of a lower class: left in, the start capacitor ruptures."),
            )
        )
    rated_v = entry.aid.start_cap_rated_v
    seen_v = result.start_capacitor_v
    if seen_v is not None and seen_v > (rated_v or HIGHEST_START_CAP_V):
        found.append(
            Finding(
                code="START_CAP_VOLTS",
                verdict="watch" if rated_v is None else "fail",
                text=msg("The start capacitor sees {seen_v:.0f} V; ", seen_v=seen_v)
                + (
                    msg("it is rated {rated_v:g} V.", rated_v=rated_v)
                    if rated_v is not None
                    else msg(
                        "the highest ordinary rating is {highest_start_cap_v:g} V.",
                        highest_start_cap_v=HIGHEST_START_CAP_V,
                    )
                ),
                rule="start model: one-cycle RMS until the relay opens",
                inputs={"start_capacitor_v": round(seen_v, 1), "rated_v": rated_v},
                next_step=msg(
                    "Fit a relay of a lower class, which opens sooner, or a capacitor rated for more volts."
                ),
            )
        )
    if (
        result.verdict != "stalled"
        and result.final_speed_pct < 100 * UP_TO_SPEED
        and result.verdict != "tripped"
    ):
        found.append(
            Finding(
                code="SPEED_LOST",
                verdict="fail",
                text=msg("It reaches speed and loses it again as the load comes on."),
                rule="start model",
                inputs={"final_speed_pct": result.final_speed_pct},
                next_step=msg("Check load and volts: running torque is too small for this load."),
            )
        )
    if result.fit is not None and result.fit.worst_pct > 5:
        found.append(
            Finding(
                code="FIT_LOOSE",
                verdict="watch",
                text=msg(
                    "The nearest machine misses this nameplate by {worst_pct:.0f} %: rough figures.",
                    worst_pct=result.fit.worst_pct,
                ),
                rule="fit from the plate",
                inputs={"worst_pct": result.fit.worst_pct},
                next_step=msg("Check RLA, LRA and the run capacitor; measure C–R and C–S cold."),
            )
        )
    found.append(
        Finding(
            code="NOT_MODELLED",
            verdict="note",
            text=msg(
                "A typical machine of this size, not this one: saturation, heating and a "
                "generator's frequency are left out."
            ),
            rule="start model",
        )
    )
    return found
