"""From an entry to the numbers the integrator takes: machine, branches, source, load, protection, control."""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.motor import layout as k
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.fit import Fit, StartPlate, fit_machine, is_reciprocating, possible_machines
from orange_crank.core.motor.gear import own_ptc_ohm, own_start_uf, starting_of
from orange_crank.core.motor.house import house_supply, system_volts
from orange_crank.core.motor.machine import Machine, current_matrices
from orange_crank.core.motor.phasor import branch_impedance, steady_state
from orange_crank.core.motor.relay import RelayChoice, choose_relay, relay_window
from orange_crank.core.nomenclature import Finding, say
from orange_crank.core.tables import conductor_ohms

STEP_US, THYRISTOR_STEP_US = 50.0, 20.0
BLEED_OHM = 15_000.0
TRANSIENT_REACTANCE_PU = 0.22
GENERATOR_R_OVER_X = 0.1
REGULATOR_S, REGULATOR_CEILING = 2.0, 1.3
EQUAL_START_PCT, RUN_PCT = 20.0, 100.0
EQUALISING_S, EQUALISED_PCT = 60.0, 10.0
PULSE = 0.6
PICKUP_SPEED, DROPOUT_RATIO = 0.80, 0.35
BYPASS_SPEED = 0.90
# A thermistor is useless for two minutes and whole again after five.
PTC_COOLING_S, PTC_HOT_HEAT = 120.0, 1.3
# A motor's own thermistor: hot over cold ohms, and how long at stall until it leaps.
OWN_PTC_HOT, OWN_PTC_LEAPS_S = 500.0, 0.5
# A current relay: pull-in of stall current and over drop-out; drop-out over what flows near speed.
RELAY_IN_SHARE, RELAY_OUT_SPEEDS, RELAY_OVER_NEAR = 0.80, (0.78, 0.85, 0.92), 1.05
RELAY_MOST_OUT, RELAY_IN_OVER_OUT = 0.8, 1.1
# A soft starter's ceiling as sold, of locked-rotor amps.
CEILING_SHARE = 1 / 3
FAN_POWER_FACTOR, FAN_EXTRA, FAN_RUN_UP_S = 0.7, 1.5, 0.4
BREAKER_TRIP, BREAKER_TAU_S = 1.45, 150.0


@dataclass(frozen=True, eq=False)
class Assembled:
    """A start made ready to integrate, with what was assumed on the way."""

    machine: Machine
    fit: Fit | None
    volts: float
    parameters: NDArray[np.float64]
    gammas: NDArray[np.float64]
    aid: int
    step_s: float
    steps: int
    book: bool
    run_cap_uf: float | None
    start_torque_nm: float
    run_torque_nm: float
    rated_torque_nm: float | None
    pickup_v: float | None
    notes: list[Finding]

    @property
    def source_ohm(self) -> complex:
        """Impedance of the source at line frequency [Ω]."""
        return complex(self.parameters[k.P_RS], self.machine.omega * self.parameters[k.P_LS])


def _note(code: str, text: str, rule: str, **used: Any) -> Finding:
    return Finding(code=code, verdict="note", text=text, rule=rule, inputs=used)


def assemble(entry: StartIn) -> Assembled:
    """Make a start ready to integrate.

    Raises
    ------
    InputProblem : the plate is none of a single-phase machine, or the given step is too coarse

    Notes
    -----
    Without a given step the default is used, or a finer one where the circuit moves faster (a cold PTC beside
    no run capacitor).

    """
    notes: list[Finding] = []
    fit: Fit | None = None
    if entry.plate is not None:
        machine, fit = fit_machine(entry.plate)
        if len(entry.plate.compressors) > 1:
            notes.append(
                _note(
                    "FIRST_COMPRESSOR",
                    msg("The nameplate names several compressors: the first is started, alone."),
                    msg("fit from the nameplate"),
                    compressors=len(entry.plate.compressors),
                )
            )
        rated_volts = entry.plate.volts
    else:
        assert entry.machine is not None
        machine = entry.machine
        rated_volts = float(entry.source.volts or 0.0)
    on_house = entry.plate is not None and entry.source.kind == "utility"
    volts = entry.source.volts or (system_volts(rated_volts) if on_house else rated_volts)
    w = machine.omega
    p = np.zeros(k.P_COUNT)
    lq, ld, lr, lm, a = machine.inductances()
    p[k.P_RQ], p[k.P_RD], p[k.P_RR], p[k.P_A] = machine.rq_ohm, machine.rd_ohm, machine.rr_ohm, a
    p[k.P_LQ], p[k.P_LD], p[k.P_LR], p[k.P_LM] = lq, ld, lr, lm
    p[k.P_POLES], p[k.P_OMEGA] = machine.poles, w
    p[k.P_J] = machine.inertia_kgm2 * entry.inertia_factor
    p[k.P_EMF] = 1.0
    p[k.P_VPEAK], p[k.P_ANGLE] = math.sqrt(2) * volts, math.radians(entry.closing_angle_deg)
    _source(entry, volts, w, p, notes)
    run_cap = _branches(entry, machine, fit, volts, p, notes)
    ts, tr, rated = _load(entry, fit, p, notes)
    _around(entry, volts, rated_volts, p)
    _first_cycle(entry, machine, volts, run_cap, p)
    aid = {"start_capacitor": k.START_CAPACITOR, "ptc": k.PTC, "soft_starter": k.SOFT}.get(
        entry.aid.kind, k.NO_AID
    )
    if aid == k.NO_AID and run_cap is None and entry.plate is not None:
        aid = _own_gear(entry.plate, machine, volts, p, notes)
    default_us = THYRISTOR_STEP_US if aid == k.SOFT else STEP_US
    step_s = (entry.step_us or default_us) * 1e-6
    gammas = current_matrices(machine, float(p[k.P_LS]))
    if aid == k.PTC and run_cap is None:
        # Alone in the winding's path a hot PTC is stiff: held to what the step can follow.
        p[k.P_PTC_HOT] = max(p[k.P_R2], min(p[k.P_PTC_HOT], 1.0 / (gammas[0, 1, 1] * step_s)))
    made = Assembled(
        machine=machine,
        fit=fit,
        volts=volts,
        parameters=p,
        gammas=gammas,
        aid=aid,
        step_s=step_s,
        steps=max(1, round(entry.duration_s / step_s)),
        book=entry.energy or step_s > default_us * 1e-6,
        run_cap_uf=run_cap,
        start_torque_nm=ts,
        run_torque_nm=tr,
        rated_torque_nm=rated,
        pickup_v=float(p[k.P_PICKUP]) or None,
        notes=notes,
    )
    fits_us = _finer_step_us(made)
    if fits_us is None:
        return made
    if entry.step_us is None:
        return assemble(entry.model_copy(update={"step_us": fits_us}))
    raise coarse(made, msg("the circuit moves within {fits_us:.0f} µs", fits_us=2 * fits_us), fits_us)


def _source(entry: StartIn, volts: float, w: float, p: NDArray[np.float64], notes: list[Finding]) -> None:
    source = entry.source
    unknown = source.resistance_ohm is None and source.inductance_mh is None
    if unknown and source.kind == "utility" and entry.plate is not None:
        house = house_supply(entry.plate)
        source = source.model_copy(
            update={"resistance_ohm": house.resistance_ohm, "inductance_mh": house.inductance_mh}
        )
        size = math.hypot(house.resistance_ohm or 0.0, w * (house.inductance_mh or 0.0) * 1e-3)
        notes.append(
            _note(
                "SUPPLY_ASSUMED",
                msg(
                    "Supply not entered: a house's, {volts} and {size}.",
                    volts=say(volts, "V", 3),
                    size=say(size, "Ω", 1),
                ),
                msg("assumed: 25 kVA transformer, the usual service drop"),
                volts=volts,
                supply_ohm=round(size, 3),
            )
        )
    r, x = source.resistance_ohm or 0.0, w * (source.inductance_mh or 0.0) * 1e-3
    if source.conductors is not None:
        wire = source.conductors
        ohms = conductor_ohms(wire.size, wire.material, wire.raceway_metal)
        # Out and back.
        r += 2 * wire.length_ft / 1000 * ohms.resistance_ohm_per_kft
        x += 2 * wire.length_ft / 1000 * ohms.reactance_ohm_per_kft * w / (2 * math.pi * 60)
    if source.kind == "generator":
        pu = source.transient_reactance_pu
        if pu is None:
            pu = TRANSIENT_REACTANCE_PU
            notes.append(
                _note(
                    "TRANSIENT_REACTANCE",
                    msg("Transient reactance taken as {pu:g} per unit; its maker's figure is better.", pu=pu),
                    msg("assumed: typical of small generators"),
                    transient_reactance_pu=pu,
                )
            )
        own = pu * volts**2 / (source.left_kva * 1000)
        r, x = r + GENERATOR_R_OVER_X * own, x + own
        p[k.P_AVR_S], p[k.P_AVR_MAX] = REGULATOR_S, REGULATOR_CEILING
    elif source.kind == "inverter":
        if source.surge_kva is None:
            notes.append(
                _note(
                    "NO_SURGE_GIVEN",
                    msg(
                        "No surge rating was given: the inverter is taken to give its rated kVA and no more."
                    ),
                    msg("the conservative reading"),
                    surge_kva=source.rated_kva,
                )
            )
        p[k.P_LIMIT_A] = 1000 * source.left_kva / volts
    p[k.P_RS], p[k.P_LS] = r, x / w


def _first_cycle(
    entry: StartIn, machine: Machine, volts: float, run_cap: float | None, p: NDArray[np.float64]
) -> None:
    """Begin at the volts with which the stalled motor takes an inverter's limit.

    Its own current loop is far quicker than a cycle; the limit on one-cycle values is what stands after it.
    """
    if p[k.P_LIMIT_A] <= 0.0 or entry.aid.kind == "soft_starter":
        return
    parts = [(run_cap, entry.run_cap_ohm)] if run_cap is not None else []
    if p[k.P_C2] > 0.0:
        parts.append((float(p[k.P_C2]) * 1e6, float(p[k.P_R2])))
    branch = branch_impedance(machine.omega, *parts)
    source = complex(p[k.P_RS], machine.omega * p[k.P_LS])
    stalled_a = abs(steady_state(machine, volts, 0.0, branch, source).line_a) + p[k.P_FAN_PEAK] / math.sqrt(2)
    p[k.P_EMF] = min(1.0, float(p[k.P_LIMIT_A]) / stalled_a)


def _branches(
    entry: StartIn,
    machine: Machine,
    fit: Fit | None,
    volts: float,
    p: NDArray[np.float64],
    notes: list[Finding],
) -> float | None:
    """Set run capacitor, start branch and relay; return the run capacitor [µF]."""
    run_cap: float | None
    if entry.run_cap_uf == "open":
        run_cap = None
    elif entry.run_cap_uf is not None:
        run_cap = float(entry.run_cap_uf)
    elif entry.plate is not None:
        run_cap = entry.plate.run_cap_uf if starting_of(entry.plate) == "run_capacitor" else None
        if run_cap is None and fit is not None and fit.run_cap_uf is not None:
            run_cap = fit.run_cap_uf
            notes.append(
                _note(
                    "RUN_CAP_ASSUMED",
                    msg(
                        "The nameplate names no run capacitor: {run_cap} suits and is taken. A motor "
                        "that runs without one behaves otherwise.",
                        run_cap=say(run_cap, "µF", 3),
                    ),
                    msg("fit from the nameplate"),
                    run_cap_uf=run_cap,
                )
            )
    else:
        run_cap = None
    if run_cap is not None:
        p[k.P_C1], p[k.P_R1] = run_cap * 1e-6, entry.run_cap_ohm
    aid = entry.aid
    p[k.P_BLEED] = BLEED_OHM
    if aid.kind in ("start_capacitor", "soft_starter", "ptc") and aid.start_cap_uf is not None:
        p[k.P_C2], p[k.P_R2] = aid.start_cap_uf * 1e-6, aid.start_cap_ohm
    if aid.kind == "ptc":
        p[k.P_R2] = float(aid.cold_ohm or 0.0) + aid.start_cap_ohm
        p[k.P_PTC_HOT], p[k.P_PTC_J], p[k.P_PTC_TAU] = aid.hot_ohm, aid.switch_j, PTC_COOLING_S
        rest_min = aid.minutes_since_last_start
        if rest_min is not None:
            left = PTC_HOT_HEAT * math.exp(-60 * rest_min / PTC_COOLING_S)
            p[k.P_PTC_J0] = left * aid.switch_j
            notes.append(
                _note(
                    "PTC_HEAT",
                    msg(
                        "{rest_min} after it was last hot the thermistor still holds {left:.0f} % of "
                        "the heat at which it opens.",
                        rest_min=say(rest_min, "min", 3),
                        left=100 * left,
                    ),
                    msg("assumed: a thermistor cools by e in two minutes"),
                    minutes_since_last_start=rest_min,
                )
            )
    if aid.kind == "start_capacitor" or (aid.kind == "soft_starter" and aid.start_cap_uf is not None):
        pickup = aid.pickup_v
        if pickup is None:
            source = complex(p[k.P_RS], machine.omega * p[k.P_LS])
            branch = branch_impedance(
                machine.omega,
                *([(run_cap, entry.run_cap_ohm)] if run_cap is not None else []),
                (float(aid.start_cap_uf or 0.0), aid.start_cap_ohm),
            )
            relay = _standard_relay(entry, machine, run_cap) if aid.kind == "start_capacitor" else None
            if relay is not None:
                pickup = (relay.pickup_low_v + relay.pickup_high_v) / 2
                text = msg(
                    "Relay not entered: pickup {pickup_low_v:g} to {pickup_high_v:g} V suits.",
                    pickup_low_v=relay.pickup_low_v,
                    pickup_high_v=relay.pickup_high_v,
                )
            else:
                pickup = abs(steady_state(machine, volts, PICKUP_SPEED, branch, source).start_winding_v)
                text = (
                    msg(
                        "Relay not entered, and no standard class suits: {pickup} is S–C at "
                        "{pickup_speed:.0f} % speed.",
                        pickup=say(pickup, "V", 3),
                        pickup_speed=100 * PICKUP_SPEED,
                    )
                    if aid.kind == "start_capacitor"
                    else msg(
                        "Its own relay opens at {pickup}, at {pickup_speed:.0f} % speed.",
                        pickup=say(pickup, "V", 3),
                        pickup_speed=100 * PICKUP_SPEED,
                    )
                )
            notes.append(_note("RELAY_ASSUMED", text, msg("computed: a relay that suits"), pickup_v=pickup))
        p[k.P_PICKUP] = pickup
        p[k.P_DROPOUT] = aid.dropout_v if aid.dropout_v is not None else DROPOUT_RATIO * pickup
    if aid.kind == "soft_starter":
        p[k.P_FIRE], p[k.P_RAMP] = math.radians(aid.firing_deg_start), aid.ramp_s
        ceiling = aid.ceiling_a
        if ceiling is None and entry.plate is not None:
            ceiling = round(CEILING_SHARE * float(entry.plate.compressors[0].lra_a or 0.0), 1)
            notes.append(
                _note(
                    "CEILING_ASSUMED",
                    msg(
                        "No ceiling was given: {ceiling} is taken, a third of LRA.",
                        ceiling=say(ceiling, "A", 3),
                    ),
                    msg("assumed: a soft starter as sold"),
                    ceiling_a=ceiling,
                )
            )
        p[k.P_CEILING], p[k.P_BYPASS] = ceiling or 0.0, BYPASS_SPEED
    return run_cap


def pulses(entry: StartIn) -> bool:
    """Whether the load pulses once a turn: as entered, else by the kind of compressor."""
    if entry.load.shape is not None:
        return entry.load.shape == "pulsing"
    return entry.plate is not None and is_reciprocating(entry.plate)


def _own_gear(
    plate: StartPlate, machine: Machine, volts: float, p: NDArray[np.float64], notes: list[Finding]
) -> int:
    """Set the motor's own current relay or thermistor; return which of the integrator's kinds it is.

    Notes
    -----
    The relay pulls in at 0.8 of the run winding's stall current or above. It drops out a little above the
    current of that winding from 78 % speed on with the start winding in.

    """
    starting, first = starting_of(plate), plate.compressors[0]
    if starting == "run_capacitor":
        return k.NO_AID
    if starting == "ptc":
        ohm = own_ptc_ohm(plate.volts, first.rla_a)
        p[k.P_R2], p[k.P_PTC_HOT], p[k.P_PTC_TAU] = ohm, OWN_PTC_HOT * ohm, PTC_COOLING_S
        # It leaps in about half a second of stall.
        stalled = steady_state(machine, plate.volts, 0.0, complex(ohm))
        p[k.P_PTC_J] = OWN_PTC_LEAPS_S * ohm * abs(stalled.i_d) ** 2
        notes.append(
            _note(
                "OWN_GEAR",
                msg("It starts by its own thermistor: {ohm} cold.", ohm=say(ohm, "Ω", 2)),
                msg("assumed: by size"),
            )
        )
        return k.PTC
    branch = complex(1e-6)
    words = msg("its own current relay")
    if starting == "current_relay_capacitor":
        uf = own_start_uf(plate.volts, float(first.lra_a or 0.0), plate.line_hertz)
        p[k.P_C2] = uf * 1e-6
        branch = -1j / (machine.omega * uf * 1e-6)
        words += msg(" and a start capacitor of about {uf}", uf=say(uf, "µF", 2))
    source = complex(p[k.P_RS], machine.omega * p[k.P_LS])
    stall = abs(steady_state(machine, plate.volts, 0.0, branch, source).i_q)
    near = max(abs(steady_state(machine, plate.volts, s, branch, source).i_q) for s in RELAY_OUT_SPEEDS)
    out = min(RELAY_OVER_NEAR * near, RELAY_MOST_OUT * stall)
    p[k.P_RELAY_IN_A], p[k.P_RELAY_OUT_A] = max(RELAY_IN_SHARE * stall, RELAY_IN_OVER_OUT * out), out
    notes.append(
        _note(
            "OWN_GEAR",
            msg(
                "It starts by {words}: in at {float}, out at {float_2} of run winding current.",
                words=words,
                float=say(float(p[k.P_RELAY_IN_A]), "A", 2),
                float_2=say(float(p[k.P_RELAY_OUT_A]), "A", 2),
            ),
            msg("computed: a relay that suits"),
        )
    )
    return k.CURRENT_RELAY


def _standard_relay(entry: StartIn, machine: Machine, run_cap_uf: float | None) -> RelayChoice | None:
    """Return the standard relay class that suits every machine of the nameplate, or this machine."""
    if entry.plate is None:
        machines, volts = [machine], float(entry.source.volts or 0.0)
    else:
        machines, volts = possible_machines(entry.plate), entry.plate.volts
    return choose_relay(relay_window(machines, volts, run_cap_uf, float(entry.aid.start_cap_uf or 0.0)))


def _load(
    entry: StartIn, fit: Fit | None, p: NDArray[np.float64], notes: list[Finding]
) -> tuple[float, float, float | None]:
    load = entry.load
    rated = fit.rated_torque_nm if fit is not None else None

    def torque(pct: float | None, nm: float | None, default_pct: float, word: str) -> float:
        if nm is not None:
            return nm
        if rated is None:
            return 0.0
        if pct is None:
            notes.append(
                _note(
                    f"{word.upper()}_TORQUE_ASSUMED",
                    msg(
                        "{word}: {default_pct:g} % of rated taken.",
                        word="Torque at standstill" if word == "start" else "Torque once pressures are made",
                        default_pct=default_pct,
                    ),
                    msg("assumed: pressures equal") if word == "start" else msg("assumed: rated load"),
                    torque_pct=default_pct,
                )
            )
            pct = default_pct
        return rated * pct / 100

    ts = torque(load.start_torque_pct, load.start_torque_nm, EQUAL_START_PCT, "start")
    tr = torque(load.run_torque_pct, load.run_torque_nm, RUN_PCT, "run")
    if entry.aid.kind == "time_delay":
        # While it waits, pressures meet: what is left of the difference falls by e each minute.
        rest = min(ts, tr * EQUALISED_PCT / 100)
        ts = rest + (ts - rest) * math.exp(-entry.aid.off_s / EQUALISING_S)
        notes.append(
            _note(
                "EQUALISED",
                msg(
                    "After {off_s:g} s the torque at standstill is {ts}.",
                    off_s=entry.aid.off_s,
                    ts=say(ts, "N·m", 3),
                ),
                msg(
                    "assumed: pressures meet with a time constant of a minute; a hard-shutting "
                    "valve holds them"
                ),
                off_s=entry.aid.off_s,
            )
        )
    p[k.P_TS], p[k.P_TR], p[k.P_RISE] = ts, tr, load.rise_s
    p[k.P_PULSE] = PULSE if pulses(entry) else 0.0
    p[k.P_SMOOTH] = min(ts, (rated or 0.0) * EQUAL_START_PCT / 100)
    p[k.P_LOCKED] = 1.0 if load.locked else 0.0
    p[k.P_HOLD] = -1.0
    return ts, tr, rated


def _around(entry: StartIn, volts: float, rated_volts: float, p: NDArray[np.float64]) -> None:
    """Set fan, breaker, overload and control."""
    if entry.fan_a:
        p[k.P_FAN_PEAK] = math.sqrt(2) * entry.fan_a * volts / rated_volts
        p[k.P_FAN_PHASE] = math.acos(FAN_POWER_FACTOR)
        p[k.P_FAN_EXTRA], p[k.P_FAN_TAU] = FAN_EXTRA, FAN_RUN_UP_S
    if entry.breaker is not None:
        p[k.P_BREAKER_A], p[k.P_BREAKER_MAG] = entry.breaker.rating_a, entry.breaker.magnetic_multiple
        p[k.P_BREAKER_TAU], p[k.P_BREAKER_TRIP] = BREAKER_TAU_S, BREAKER_TRIP
    if entry.overload is not None:
        p[k.P_OVERLOAD_J], p[k.P_OVERLOAD_TAU] = entry.overload.trip_a2s, entry.overload.cooling_s
    if entry.control is not None:
        p[k.P_COIL_OUT] = entry.control.dropout_pct / 100 * rated_volts
        p[k.P_COIL_IN] = entry.control.pull_in_pct / 100 * rated_volts
        p[k.P_COIL_S] = entry.control.delay_s


def fastest_rate(made: Assembled) -> float:
    """Return the largest eigenvalue of the circuit at standstill and at synchronous speed [1/s]."""
    from orange_crank.core.motor.branch import branch_coefficients  # compiled: only when a start is computed

    p, machine = made.parameters, made.machine
    a, rr = machine.turns_ratio, machine.rr_ohm
    coefficients = np.zeros(9)
    worst = 0.0
    modes = {
        (1 if p[k.P_C1] > 0 else 0) + (2 if made.aid in (k.START_CAPACITOR, k.PTC, k.CURRENT_RELAY) else 0)
    }
    for mode in modes:
        branch_coefficients(p, mode, float(p[k.P_R2]), made.step_s, coefficients)
        c = coefficients
        g = made.gammas[0 if mode else 2]
        for speed in (0.0, machine.omega):
            m = np.zeros((6, 6))
            m[0, :4] = -p[k.P_RS] * (g[0] + g[1]) - machine.rq_ohm * g[0]
            m[1, :4] = -p[k.P_RS] * (g[0] + g[1]) - (machine.rd_ohm + c[2]) * g[1]
            m[1, 4:] = -c[0], -c[1]
            m[2, :4], m[3, :4] = -rr * g[2], -a * a * rr * g[3]
            m[2, 3] += speed / a
            m[3, 2] -= a * speed
            m[4, :4], m[4, 4:] = c[5] * g[1], (c[3], c[4])
            m[5, :4], m[5, 4:] = c[8] * g[1], (c[6], c[7])
            if mode == 0:
                m[1] = 0.0
            worst = max(worst, float(np.max(np.abs(np.linalg.eigvals(m)))))
    return worst


def _finer_step_us(made: Assembled) -> float | None:
    """Return a step that follows the circuit where this one is too coarse [µs], else None."""
    rate = fastest_rate(made)
    return max(1.0, math.floor(0.5e6 / rate)) if rate * made.step_s > 1.0 else None


def coarse(made: Assembled, why: str, fits_us: float) -> InputProblem:
    """Return the refusal of a step too coarse for its circuit."""
    return InputProblem(
        [
            FieldProblem(
                field="step_us",
                wanted=msg("a step of at most {fits_us:g} µs here: {why}", fits_us=fits_us, why=why),
                got=round(made.step_s * 1e6, 3),
            )
        ],
        next_step=msg("Leave the step empty or enter a smaller one; then check the small resistances."),
    )
