"""A machine sharpened by a measured start: pressure, capacitor, run-up and volts by least squares."""

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.measure.waveform import StartFound, Waveform, rolling_rms
from orange_crank.core.messages import msg
from orange_crank.core.motor.assemble import assemble
from orange_crank.core.motor.entry import Source, StartIn
from orange_crank.core.motor.fit import fit_machine
from orange_crank.core.motor.start import StartResult, compute_start, cycle_rms, simulate
from orange_crank.core.nomenclature import Finding, Frozen, say

Samples = NDArray[np.float64]
POINTS = 160
LONGEST_S = 2.5
LEAST_S = 0.15
GOOD_PCT, POOR_PCT = 8.0, 20.0


class FittedValue(Frozen):
    """One thing the measured start tells."""

    name: Literal["start_torque_pct", "run_cap_uf", "volts", "inertia_factor"]
    value: float
    plus_minus: float | None = Field(description="About 95 %; null where the start says nothing of it")
    unit: str


class MeasuredFit(Frozen):
    """The start that comes nearest to the one measured."""

    start: StartIn
    result: StartResult
    fitted: list[FittedValue]
    residual_pct: float = Field(description="RMS of the miss, of the largest cycle measured [%]")
    measured_start_s: float | None
    findings: list[Finding]


@dataclass(frozen=True, eq=False)
class _Target:
    time_s: Samples
    rms_a: Samples
    onset_angle_deg: float
    duration_s: float


def measured_source(entry: StartIn, start: StartFound) -> Source:
    """Return the source a recording shows: its volts before, and the impedance its dip tells of."""
    if start.volts_before_v is None or start.dip_v is None:
        return entry.source
    drop = max(0.0, start.volts_before_v - start.dip_v)
    # The dip belongs to the largest current; resistance and reactance of wire and supply about alike.
    z = drop / max(start.max_cycle_rms_a, 1.0)
    return Source(
        kind="utility",
        volts=start.volts_before_v,
        resistance_ohm=round(0.8 * z, 5),
        inductance_mh=round(1000 * 0.6 * z / (2 * math.pi * 60), 5),
    )


def fit_measured(entry: StartIn, wave: Waveform, start: StartFound) -> MeasuredFit:
    """Fit effective pressure, run capacitor and run-up (and volts, where none were recorded).

    Parameters
    ----------
    entry : the start as it is known so far, from a plate
    wave : the recording
    start : the start found on it

    Raises
    ------
    InputProblem : no plate, or a recording too short to tell anything

    Notes
    -----
    Least squares on the one-cycle RMS of line current, each point over the largest cycle. A coarse walk
    over pressure and capacitor comes first: between stall and start the error has a cliff.

    """
    from scipy.optimize import least_squares  # slow to import: only when a start is fitted

    if entry.plate is None:
        raise InputProblem(
            [FieldProblem(field="start.plate", wanted=msg("a nameplate to begin from"), got=None)]
        )
    target = _target(wave, start)
    _, fit = fit_machine(entry.plate)
    nominal_uf = entry.plate.run_cap_uf or fit.run_cap_uf
    base = entry.model_copy(
        update={
            "source": measured_source(entry, start),
            "closing_angle_deg": target.onset_angle_deg,
            "duration_s": target.duration_s,
            "series": False,
            "trace": False,
            "breaker": None,
            "overload": None,
            "step_us": None,
        }
    )
    volts = base.source.volts or entry.plate.volts
    free_volts = start.volts_before_v is None
    peak = float(np.max(target.rms_a))

    def made(x: Samples) -> StartIn:
        torque, uf, inertia = float(x[0]), float(x[1]), float(math.exp(x[2]))
        source = base.source
        if free_volts:
            source = source.model_copy(update={"volts": volts * float(x[3])})
        load = base.load.model_copy(update={"start_torque_pct": torque, "start_torque_nm": None})
        run_cap = "open" if nominal_uf is None else uf * nominal_uf
        return base.model_copy(
            update={"load": load, "run_cap_uf": run_cap, "inertia_factor": inertia, "source": source}
        )

    low = np.array([1.0, 0.3, math.log(0.2)] + ([0.85] if free_volts else []))
    high = np.array([250.0, 1.15, math.log(6.0)] + ([1.06] if free_volts else []))

    def miss(x: Samples) -> Samples:
        ran = simulate(assemble(made(np.clip(x, low, high))))
        rms = cycle_rms(ran.out[0], ran.cycle)
        offset = ran.out.shape[1] - len(rms)
        at = np.interp(target.time_s, (np.arange(len(rms)) + offset) * ran.made.step_s, rms)
        gap: Samples = (at - target.rms_a) / peak
        return gap

    # What is known of the capacitor already is kept: a measured one is not argued with.
    known_uf = float(entry.run_cap_uf) if isinstance(entry.run_cap_uf, float | int) else None
    known = known_uf is not None or nominal_uf is None
    shares = [1.0, 0.85, 0.65]
    if known:
        shares = [1.0 if known_uf is None or nominal_uf is None else known_uf / nominal_uf]
    walked = [
        np.array([torque, share, math.log(inertia)] + ([1.0] if free_volts else []))
        for share in shares
        for torque in (5.0, 20.0, 35.0, 50.0, 65.0, 80.0, 110.0)
        for inertia in (1.0, 2.5)
    ]
    walked.sort(key=lambda x: float(np.sum(miss(x) ** 2)))
    held = [1] if known else []
    free = [i for i in range(len(low)) if i not in held]

    def whole(y: Samples, x0: Samples) -> Samples:
        x = x0.copy()
        x[free] = y
        return x

    best, cost, jacobian = walked[0], math.inf, None
    scale = np.array([5.0, 0.05, 0.2] + ([0.02] if free_volts else []))[free]
    for x0 in walked[:2]:
        tried = least_squares(
            lambda y, x0=x0: miss(whole(y, x0)),
            np.clip(x0[free], low[free] + 1e-6, high[free] - 1e-6),
            bounds=(low[free], high[free]),
            x_scale=scale,
            diff_step=3e-3,
            max_nfev=25,
            xtol=1e-4,
            ftol=1e-4,
        )
        if tried.cost < cost:
            best, cost, jacobian = whole(tried.x, x0), float(tried.cost), tried.jac
    fitted_start = made(best)
    result = compute_start(fitted_start.model_copy(update={"trace": True}))
    residual = 100 * math.sqrt(2 * cost / len(target.time_s))
    return MeasuredFit(
        start=fitted_start,
        result=result,
        fitted=_values(best, free, jacobian, cost, nominal_uf, volts, free_volts),
        residual_pct=residual,
        measured_start_s=start.start_time_s,
        findings=_findings(residual, fitted_start, nominal_uf, result.time_to_speed_s is None),
    )


def _target(wave: Waveform, start: StartFound) -> _Target:
    onset = round(start.onset_s * wave.sample_hz)
    current = wave.line_a[onset : onset + round(LONGEST_S * wave.sample_hz)]
    length = len(current) / wave.sample_hz
    if length < LEAST_S:
        raise InputProblem(
            [
                FieldProblem(
                    field="capture",
                    wanted=msg("at least {least_s:g} s after the first current", least_s=LEAST_S),
                    got=f"{length:.3f} s",
                )
            ],
            next_step=msg("Record from before the start until it runs steadily."),
        )
    rms = rolling_rms(current, wave.cycle)
    # Half the points on the start itself, half on what follows: neither may drown the other.
    told = start.start_time_s or length
    edge = min(max(told * 1.3, 0.1), length)
    first = np.linspace(1 / wave.hertz, edge, POINTS // 2)
    rest = np.linspace(edge, length, POINTS // 2 + 1)[1:] if edge < 0.97 * length else np.empty(0)
    time_s = np.concatenate((first, rest))
    at = np.interp(time_s, (np.arange(len(rms)) + 1) / wave.sample_hz, rms)
    return _Target(time_s, at, start.closing_angle_deg or 0.0, max(LEAST_S, length))


_UNITS = {"start_torque_pct": "%", "run_cap_uf": "µF", "inertia_factor": "×", "volts": "V"}


def _values(
    best: Samples,
    free: list[int],
    jacobian: Samples | None,
    cost: float,
    nominal_uf: float | None,
    volts: float,
    free_volts: bool,
) -> list[FittedValue]:
    names = ["start_torque_pct", "run_cap_uf", "inertia_factor"] + (["volts"] if free_volts else [])
    uf = nominal_uf or 0.0
    factor = [1.0, uf, math.exp(best[2]), volts]
    value = [best[0], best[1] * uf, math.exp(best[2]), (best[3] if free_volts else 1.0) * volts]
    spread: dict[int, float] = {}
    if jacobian is not None:
        freedom = max(1, jacobian.shape[0] - len(free))
        # Neighbouring points share their cycle: about one in three says something of its own.
        variance = 3 * 2 * cost / freedom
        try:
            covariance = np.linalg.inv(jacobian.T @ jacobian) * variance
            spread = {i: 2 * math.sqrt(max(0.0, covariance[j, j])) for j, i in enumerate(free)}
        except np.linalg.LinAlgError:
            spread = {}
    out = []
    for i, name in enumerate(names):
        if name == "run_cap_uf" and nominal_uf is None:
            continue
        wide = spread.get(i)
        own = wide * factor[i] if wide is not None and math.isfinite(wide) and i in free else None
        if own is not None and own > 2 * abs(value[i]) + 1:
            own = None
        out.append(
            FittedValue.model_validate(
                {"name": name, "value": float(value[i]), "plus_minus": own, "unit": _UNITS[name]}
            )
        )
    return out


def _findings(residual: float, start: StartIn, nominal_uf: float | None, stalled: bool) -> list[Finding]:
    verdict: Literal["pass", "watch", "fail"] = (
        "pass" if residual <= GOOD_PCT else "watch" if residual <= POOR_PCT else "fail"
    )
    texts = {
        "pass": msg("The computed start lies on the measured one."),
        "watch": msg("The computed start is like the measured one, not on it."),
        "fail": msg("No start of this machine looks like the measured one."),
    }
    found = [
        Finding(
            code="MEASURED_FIT",
            verdict=verdict,
            text=texts[verdict],
            rule="least squares on one-cycle RMS",
            inputs={"residual_pct": residual, "good_pct": GOOD_PCT, "poor_pct": POOR_PCT},
            arithmetic=msg("RMS miss {residual:.1f} % of the largest cycle", residual=residual),
            next_step=None
            if verdict == "pass"
            else msg("Is it this unit's nameplate, was the clamp on common alone, was an aid fitted?"),
        )
    ]
    torque = start.load.start_torque_pct or 0.0
    held = f"{'at least' if stalled else 'about'} {torque:.0f} %"
    uf = float(start.run_cap_uf) if isinstance(start.run_cap_uf, float | int) else nominal_uf
    if verdict != "fail":
        found.append(
            Finding(
                code="WHAT_THE_START_TELLS",
                verdict="note",
                text=msg("It behaves as if held by {held} of rated torque", held=held)
                + (msg(", on {uf}.", uf=say(uf, "µF", 3)) if uf is not None else "."),
                rule="start model",
                inputs={"start_torque_pct": torque, "run_cap_uf": uf, "plate_uf": nominal_uf},
            )
        )
    return found
