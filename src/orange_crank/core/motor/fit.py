"""A machine from its nameplate: least squares on the phasor form of the model's own equations."""

import math
import re
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from pydantic import Field, ValidationError

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import Prose, msg
from orange_crank.core.motor.gear import own_ptc_ohm, own_start_uf, starting_of
from orange_crank.core.motor.machine import Machine, Resistance
from orange_crank.core.motor.phasor import SteadyState, branch_impedance, steady_state
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate
from orange_crank.core.plate.model import Starting

SLIP = 0.04
# A small motor that runs on its run winding alone, without a capacitor.
ALONE_SLIP, ALONE_POWER_FACTOR, ALONE_EFFICIENCY, ALONE_STALL_POWER_FACTOR = 0.045, 0.68, 0.62, 0.80
POWER_FACTOR = 0.96
EFFICIENCY = 0.86
STALL_POWER_FACTOR = 0.75
# ½Jω² over V × RLA [s]: a rotor of 85 to 90 mm by 100 mm at 4 tons, with crank and counterweights.
RUN_UP_S = 0.055
# Pistons, rod and a heavy crank turn with a reciprocating one; a rotary's roller is light.
RUN_UP_OF_KIND = (
    (re.compile(r"recip|piston", re.IGNORECASE), 0.07),
    (re.compile(r"rotary|rolling", re.IGNORECASE), 0.05),
)
HOT_FACTOR = 1 + 0.0039 * 50  # copper from 25 °C, as measured, to 75 °C, as it runs
RATIO_LOW, RATIO_HIGH = 2.0, 12.0
REACH = 3.0  # natural logarithm
# A machine is wound to run balanced near three quarters of its rated load, not at RLA.
BALANCE_LOAD = 0.75
# Volts across the run capacitor there over line volts: 340 to 410 V on 230 V, under 440 V on 240 V.
CAP_VOLTS_LOW, CAP_VOLTS_HIGH = 340 / 230, 410 / 230


@dataclass(frozen=True)
class Taken:
    """What a plate does not say and a fit must take."""

    slip: float = SLIP
    stall_power_factor: float = STALL_POWER_FACTOR
    cap_volts_low: float = CAP_VOLTS_LOW
    cap_volts_high: float = CAP_VOLTS_HIGH


TYPICAL = Taken()
# The ends of what a plate leaves open: how it is wound, and how it stalls.
ALSO_POSSIBLE = (
    Taken(cap_volts_high=CAP_VOLTS_LOW + 0.04),
    Taken(cap_volts_low=CAP_VOLTS_HIGH - 0.04),
    Taken(slip=0.03, stall_power_factor=0.85),
    Taken(slip=0.055, stall_power_factor=0.65),
)


class StartPlate(Plate):
    """A nameplate, with what else is known of the motor behind it."""

    winding_cr_ohm: Resistance | None = Field(default=None, description="C–R measured cold [Ω]")
    winding_cs_ohm: Resistance | None = Field(default=None, description="C–S measured cold [Ω]")
    poles: int | None = Field(default=None, ge=2, le=12, multiple_of=2, strict=True)

    @property
    def line_hertz(self) -> float:
        """Line frequency of the plate; 60 where it does not say [Hz]."""
        return self.hertz or 60.0


# Start over run winding of a motor without a run capacitor: resistance and turns.
OWN_WINDING: dict[Starting, tuple[float, float]] = {
    "current_relay": (4.0, 0.8), "ptc": (3.0, 0.9), "current_relay_capacitor": (2.0, 1.2),
}  # fmt: skip


def is_reciprocating(plate: Plate) -> bool:
    """Whether the first compressor of a nameplate is a reciprocating one, by its kind."""
    return bool(RUN_UP_OF_KIND[0][0].search(plate.compressors[0].kind or ""))


def run_up_s(plate: Plate) -> float:
    """Return the kinetic energy at full speed over V × RLA, by the kind of compressor [s]."""
    kind = plate.compressors[0].kind or ""
    return next((value for pattern, value in RUN_UP_OF_KIND if pattern.search(kind)), RUN_UP_S)


class Residual(Frozen):
    """One thing the fit was to meet, and how near it came."""

    name: Prose
    wanted: float
    got: float
    unit: str


class Fit(Frozen):
    """How well a machine meets its plate."""

    residuals: list[Residual]
    worst_pct: float = Field(description="Largest miss of running amps, stall amps or power [%]")
    run_cap_uf: float | None = Field(
        description="The plate's run capacitor, or the one that suits; null where the motor has none [µF]"
    )
    rated_torque_nm: float
    rated_speed_pct: float
    typical: list[Prose] = Field(description="What was assumed as for a typical machine of this size")
    sharpen: list[Prose] = Field(description="What, if known, would sharpen it")


def refuse_unfit(plate: StartPlate) -> None:
    """Refuse plates the single-phase model does not speak of, and plates no machine could have.

    Raises
    ------
    InputProblem : three-phase, inverter, several compressors, or amps that no one machine has

    """

    def refuse(field: str, wanted: str, got: object, step: str) -> InputProblem:
        return InputProblem([FieldProblem(field=field, wanted=wanted, got=str(got))], next_step=step)

    if plate.is_inverter:
        raise refuse(
            "plate.inverter",
            msg("a compressor started straight on the line"),
            True,
            msg("An inverter starts itself gently: it takes no start aid and has no start to compute."),
        )
    if plate.phase != 1:
        raise refuse(
            "plate.phase",
            msg("1: the model is of single-phase machines"),
            plate.phase,
            msg("A three-phase compressor needs no start capacitor; measure its phases for balance."),
        )
    first = plate.compressors[0]
    lra = first.lra_a
    if lra is None:
        raise refuse(
            "plate.compressors[0].lra_a", msg("locked-rotor amps"), None, msg("Read LRA from the nameplate.")
        )
    ratio = lra / first.rla_a
    if not RATIO_LOW <= ratio <= RATIO_HIGH:
        raise refuse(
            "plate.compressors[0].lra_a",
            msg("{ratio_low:g} to {ratio_high:g} times RLA", ratio_low=RATIO_LOW, ratio_high=RATIO_HIGH),
            msg("{lra:g} A is {ratio:.2f} × {rla_a:g} A", lra=lra, ratio=ratio, rla_a=first.rla_a),
            msg("No one machine has both. Are RLA and LRA swapped, or a decimal point lost?"),
        )
    if plate.run_cap_uf is not None:
        # The capacitor alone would carry this much: far beyond the machine's own amps is a slip.
        alone_a = plate.volts * 2 * math.pi * plate.line_hertz * plate.run_cap_uf * 1e-6
        if alone_a > 1.5 * first.rla_a or alone_a < 0.02 * first.rla_a:
            raise refuse(
                "plate.run_cap_uf",
                msg("a run capacitor that suits {rla_a:g} A", rla_a=first.rla_a),
                f"{plate.run_cap_uf:g} µF",
                msg("Read the compressor section of the capacitor, C–HERM, not the fan's."),
            )


def fit_machine(plate: StartPlate) -> tuple[Machine, Fit]:
    """Return the machine that meets a plate best, and how well.

    Raises
    ------
    InputProblem : the plate is none of a single-phase machine, or no machine meets it

    Notes
    -----
    Met: line current and power at rated slip, shaft power, stall current and its power factor, and
    near-balanced running (a·I_d ≈ j·I_q) at 75 % of rated load, with the volts across the run capacitor
    inside its rating there. Leakages are split evenly between stator and rotor. Winding ohms, where measured,
    are pinned at 75 °C.

    """
    refuse_unfit(plate)
    return _fit(*_said(plate), TYPICAL)


def possible_machines(plate: StartPlate) -> list[Machine]:
    """Return the fitted machine and others that meet the same plate, at the ends of what it leaves open.

    Raises
    ------
    InputProblem : the plate is none of a single-phase machine, or no machine meets it

    """
    found = [fit_machine(plate)[0]]
    for taken in ALSO_POSSIBLE:
        try:
            found.append(_fit(*_said(plate), taken)[0])
        except InputProblem:
            continue  # this end is none of a machine with that plate
    return found


def _said(
    plate: StartPlate,
) -> tuple[float, float, float, float | None, float | None, float | None, int, float, float, Starting]:
    first = plate.compressors[0]
    return (
        plate.volts,
        first.rla_a,
        float(first.lra_a or 0.0),
        plate.run_cap_uf,
        plate.winding_cr_ohm,
        plate.winding_cs_ohm,
        plate.poles or 2,
        plate.line_hertz,
        run_up_s(plate),
        starting_of(plate),
    )


@lru_cache(maxsize=512)
def _fit(
    volts: float,
    rla_a: float,
    lra_a: float,
    run_cap_uf: float | None,
    cr_ohm: float | None,
    cs_ohm: float | None,
    poles: int,
    hertz: float,
    run_up: float,
    starting: Starting,
    taken: Taken,
) -> tuple[Machine, Fit]:
    from scipy.optimize import least_squares  # slow to import: only when a machine is fitted

    slip, stall_pf = taken.slip, taken.stall_power_factor
    power_factor, efficiency = POWER_FACTOR, EFFICIENCY
    alone = starting != "run_capacitor"
    omega = 2 * math.pi * hertz
    at_stall: complex | None = None
    own_ratio, own_turns = OWN_WINDING.get(starting, (0.0, 0.0))
    if alone:
        slip += ALONE_SLIP - SLIP
        stall_pf += ALONE_STALL_POWER_FACTOR - STALL_POWER_FACTOR
        power_factor, efficiency = ALONE_POWER_FACTOR, ALONE_EFFICIENCY
        at_stall = {
            "current_relay": complex(1e-6),
            "current_relay_capacitor": -1j * 1e6 / (omega * own_start_uf(volts, lra_a, hertz)),
            "ptc": complex(own_ptc_ohm(volts, rla_a)),
        }[starting]
    power_w = volts * rla_a * power_factor
    shaft_w = power_w * efficiency
    synchronous = omega * 2 / poles
    inertia = 2 * run_up * volts * rla_a / synchronous**2
    z_stall = volts / lra_a
    pinned_q = cr_ohm * HOT_FACTOR if cr_ohm else None
    pinned_d = cs_ohm * HOT_FACTOR if cs_ohm else None

    def machine(y: np.ndarray) -> tuple[Machine, float]:
        # Within a factor of twenty of the typical machine: beyond lies no motor.
        rq, xl, xm, rr, rd, a, uf = np.exp(first + REACH * np.tanh((y - first) / REACH))
        return (
            Machine.model_construct(
                rq_ohm=float(pinned_q or rq),
                xlq_ohm=float(xl),
                xm_ohm=float(xm),
                rr_ohm=float(rr),
                xlr_ohm=float(xl),
                rd_ohm=float(pinned_d or rd),
                xld_ohm=float(a * a * xl),
                turns_ratio=float(min(max(a, 0.31), 3.9)),
                inertia_kgm2=inertia,
                poles=poles,
                hertz=hertz,
            ),
            float(run_cap_uf or uf),
        )

    def states(x: np.ndarray) -> tuple[SteadyState, SteadyState, SteadyState, Machine]:
        m, uf = machine(x)
        z = None if alone else branch_impedance(omega, (uf, 0.0))
        return (
            steady_state(m, volts, 1 - slip, z),
            steady_state(m, volts, 1 - BALANCE_LOAD * slip, z),
            steady_state(m, volts, 0.0, at_stall if alone else z),
            m,
        )

    def residuals(x: np.ndarray) -> np.ndarray:
        run, light, stall, m = states(x)
        near = (m.turns_ratio * light.i_d - 1j * light.i_q) / rla_a
        across = abs(volts - light.start_winding_v) / volts
        balanced = 0.0 if alone else 0.5
        outside = max(0.0, across - taken.cap_volts_high) - max(0.0, taken.cap_volts_low - across)
        outside *= 0.0 if alone else 1.0
        return np.array(
            [
                4 * (abs(run.line_a) / rla_a - 1),
                4 * (run.line_a.real * volts / power_w - 1),
                3 * (run.torque_nm * synchronous * (1 - slip) / shaft_w - 1),
                4 * (abs(stall.line_a) / lra_a - 1),
                2 * (stall.line_a.real / abs(stall.line_a) - stall_pf),
                balanced * near.real,
                balanced * near.imag,
                4 * outside,
                0.3 * math.log(m.rd_ohm / m.rq_ohm / own_ratio) if own_ratio else 0.0,
                0.3 * math.log(m.turns_ratio / own_turns) if own_ratio else 0.0,
                # A faint pull to the typical machine where the plate says nothing.
                *(0.02 * (x - first)),
            ]
        )

    r_total = stall_pf * z_stall
    x_total = z_stall * math.sqrt(1 - stall_pf**2)
    guess_uf = run_cap_uf or 1e6 * 0.35 * rla_a / (omega * volts)
    first = np.log(
        [
            0.45 * r_total,
            0.55 * x_total,
            12 * x_total,
            0.6 * r_total,
            # A winding made to start by its resistance is of fine wire.
            (3.0 if starting == "current_relay" else 1.6) * r_total,
            1.0 if alone else 1.25,
            guess_uf,
        ]
    )
    found = least_squares(residuals, first, method="lm", xtol=1e-9, ftol=1e-9, max_nfev=600)
    run, _, stall, m = states(found.x)
    pairs = (
        (msg("Running amps"), rla_a, abs(run.line_a), "A"),
        (msg("Running watts"), power_w, run.line_a.real * volts, "W"),
        (msg("Shaft watts"), shaft_w, run.torque_nm * synchronous * (1 - slip), "W"),
        (msg("Locked-rotor amps"), lra_a, abs(stall.line_a), "A"),
        (msg("Power factor at stall"), stall_pf, stall.line_a.real / abs(stall.line_a), "1"),
    )
    worst = 100 * max(abs(got / wanted - 1) for _, wanted, got, _ in pairs[:4])
    try:
        m = Machine.model_validate(m.model_dump())
    except ValidationError:
        worst = math.inf
    if not math.isfinite(worst) or worst > 25:
        miss = (
            msg("the nearest machine misses by {worst:.0f} %", worst=worst)
            if math.isfinite(worst)
            else msg("none of any size")
        )
        raise InputProblem(
            [
                FieldProblem(
                    field="plate",
                    wanted=msg("numbers that one machine can have together"),
                    got=miss,
                )
            ],
            next_step=msg("Check RLA, LRA, volts and run capacitor against the nameplate."),
        )
    typical = [
        msg("slip {slip:.3g} %", slip=100 * slip),
        msg("power factor {power_factor:g}", power_factor=power_factor),
        msg("efficiency {efficiency:g}", efficiency=efficiency),
        msg("stall power factor {stall_pf:.2g}", stall_pf=stall_pf),
        "inertia",
    ]
    sharpen = [msg("a recorded start (fits inertia, load and volts)")]
    if cr_ohm is None or cs_ohm is None:
        typical.append(msg("winding ohms"))
        sharpen.insert(0, msg("C–R and C–S measured cold"))
    if run_cap_uf is None and not alone:
        typical.append(msg("run capacitor"))
        sharpen.insert(0, msg("the run capacitor's µF"))
    fit = Fit(
        residuals=[Residual(name=n, wanted=w, got=g, unit=u) for n, w, g, u in pairs],
        worst_pct=worst,
        run_cap_uf=None if alone else machine(found.x)[1],
        rated_torque_nm=run.torque_nm,
        rated_speed_pct=100 * (1 - slip),
        typical=typical,
        sharpen=sharpen,
    )
    return m, fit
