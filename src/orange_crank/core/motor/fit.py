"""A machine from its nameplate: least squares on the phasor form of the model's own equations."""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from pydantic import Field, ValidationError

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.motor.machine import Machine, Resistance
from orange_crank.core.motor.phasor import SteadyState, branch_impedance, steady_state
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate

SLIP = 0.04
POWER_FACTOR = 0.96
EFFICIENCY = 0.86
STALL_POWER_FACTOR = 0.75
RUN_UP_S = 0.04
HOT_FACTOR = 1 + 0.0039 * 50  # copper from 25 °C, as measured, to 75 °C, as it runs
RATIO_LOW, RATIO_HIGH = 2.0, 12.0
REACH = 3.0  # natural logarithm
# A machine is wound to run balanced near three quarters of its rated load, not at RLA.
BALANCE_LOAD = 0.75
# Volts across the run capacitor, running, over line volts: 340 to 420 V of a 440 V capacitor on 230 V.
CAP_VOLTS_LOW, CAP_VOLTS_HIGH = 340 / 230, 420 / 230


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


class Residual(Frozen):
    """One thing the fit was to meet, and how near it came."""

    name: str
    wanted: float
    got: float
    unit: str


class Fit(Frozen):
    """How well a machine meets its plate."""

    residuals: list[Residual]
    worst_pct: float = Field(description="Largest miss of running amps, stall amps or power [%]")
    run_cap_uf: float = Field(description="The plate's run capacitor, or the one that suits [µF]")
    rated_torque_nm: float
    rated_speed_pct: float
    typical: list[str] = Field(description="What was assumed as for a typical machine of this size")
    sharpen: list[str] = Field(description="What, if known, would sharpen it")


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
            "a compressor started straight on the line",
            True,
            "An inverter starts itself gently: it takes no start aid and has no start to compute.",
        )
    if plate.phase != 1:
        raise refuse(
            "plate.phase",
            "1: the model is of single-phase machines",
            plate.phase,
            "A three-phase compressor needs no start capacitor; measure its phases for balance.",
        )
    first = plate.compressors[0]
    lra = first.lra_a
    if lra is None:
        raise refuse("plate.compressors[0].lra_a", "locked-rotor amps", None, "Read LRA from the plate.")
    ratio = lra / first.rla_a
    if not RATIO_LOW <= ratio <= RATIO_HIGH:
        raise refuse(
            "plate.compressors[0].lra_a",
            f"{RATIO_LOW:g} to {RATIO_HIGH:g} times RLA",
            f"{lra:g} A is {ratio:.2f} × {first.rla_a:g} A",
            "No one machine has both. Are RLA and LRA swapped, or a decimal point lost?",
        )
    if plate.run_cap_uf is not None:
        # The capacitor alone would carry this much: far beyond the machine's own amps is a slip.
        alone_a = plate.volts * 2 * math.pi * plate.line_hertz * plate.run_cap_uf * 1e-6
        if alone_a > 1.5 * first.rla_a or alone_a < 0.02 * first.rla_a:
            raise refuse(
                "plate.run_cap_uf",
                f"a run capacitor that suits {first.rla_a:g} A",
                f"{plate.run_cap_uf:g} µF",
                "Read the compressor section of the capacitor, C–HERM, not the fan's.",
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
) -> tuple[float, float, float, float | None, float | None, float | None, int, float]:
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
    taken: Taken,
) -> tuple[Machine, Fit]:
    from scipy.optimize import least_squares  # slow to import: only when a machine is fitted

    slip, stall_pf = taken.slip, taken.stall_power_factor
    power_w = volts * rla_a * POWER_FACTOR
    shaft_w = power_w * EFFICIENCY
    omega = 2 * math.pi * hertz
    synchronous = omega * 2 / poles
    inertia = 2 * RUN_UP_S * volts * rla_a / synchronous**2
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
        z = branch_impedance(omega, (uf, 0.0))
        return (
            steady_state(m, volts, 1 - slip, z),
            steady_state(m, volts, 1 - BALANCE_LOAD * slip, z),
            steady_state(m, volts, 0.0, z),
            m,
        )

    def residuals(x: np.ndarray) -> np.ndarray:
        run, light, stall, m = states(x)
        near = (m.turns_ratio * light.i_d - 1j * light.i_q) / rla_a
        across = abs(volts - light.start_winding_v) / volts
        outside = max(0.0, across - taken.cap_volts_high) - max(0.0, taken.cap_volts_low - across)
        return np.array(
            [
                4 * (abs(run.line_a) / rla_a - 1),
                4 * (run.line_a.real * volts / power_w - 1),
                3 * (run.torque_nm * synchronous * (1 - slip) / shaft_w - 1),
                4 * (abs(stall.line_a) / lra_a - 1),
                2 * (stall.line_a.real / abs(stall.line_a) - stall_pf),
                0.5 * near.real,
                0.5 * near.imag,
                4 * outside,
                # A faint pull to the typical machine where the plate says nothing.
                *(0.02 * (x - first)),
            ]
        )

    r_total = stall_pf * z_stall
    x_total = z_stall * math.sqrt(1 - stall_pf**2)
    guess_uf = run_cap_uf or 1e6 * 0.35 * rla_a / (omega * volts)
    first = np.log(
        [0.45 * r_total, 0.55 * x_total, 12 * x_total, 0.6 * r_total, 1.6 * r_total, 1.25, guess_uf]
    )
    found = least_squares(residuals, first, method="lm", xtol=1e-9, ftol=1e-9, max_nfev=600)
    run, _, stall, m = states(found.x)
    pairs = (
        ("Running amps", rla_a, abs(run.line_a), "A"),
        ("Running watts", power_w, run.line_a.real * volts, "W"),
        ("Shaft watts", shaft_w, run.torque_nm * synchronous * (1 - slip), "W"),
        ("Locked-rotor amps", lra_a, abs(stall.line_a), "A"),
        ("Power factor at stall", stall_pf, stall.line_a.real / abs(stall.line_a), "1"),
    )
    worst = 100 * max(abs(got / wanted - 1) for _, wanted, got, _ in pairs[:4])
    try:
        m = Machine.model_validate(m.model_dump())
    except ValidationError:
        worst = math.inf
    if not math.isfinite(worst) or worst > 25:
        miss = f"the nearest machine misses by {worst:.0f} %" if math.isfinite(worst) else "none of any size"
        raise InputProblem(
            [
                FieldProblem(
                    field="plate",
                    wanted="numbers that one machine can have together",
                    got=miss,
                )
            ],
            next_step="Check RLA, LRA, volts and run capacitor against the plate.",
        )
    typical = ["slip 4 %", "power factor 0.96", "efficiency 0.86", "stall power factor 0.75", "inertia"]
    sharpen = ["a recorded start (fits inertia, load and volts)"]
    if cr_ohm is None or cs_ohm is None:
        typical.append("winding ohms")
        sharpen.insert(0, "C–R and C–S measured cold")
    if run_cap_uf is None:
        typical.append("run capacitor")
        sharpen.insert(0, "the run capacitor's µF")
    fit = Fit(
        residuals=[Residual(name=n, wanted=w, got=g, unit=u) for n, w, g, u in pairs],
        worst_pct=worst,
        run_cap_uf=machine(found.x)[1],
        rated_torque_nm=run.torque_nm,
        rated_speed_pct=100 * (1 - slip),
        typical=typical,
        sharpen=sharpen,
    )
    return m, fit
