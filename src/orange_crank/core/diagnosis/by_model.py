"""The start model as evidence: how a start would look under each cause, given what is measured already."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from orange_crank.core.diagnosis.model import DiagnoseIn, Hypothesis
from orange_crank.core.diagnosis.table import engine, engine_table
from orange_crank.core.errors import CrankError
from orange_crank.core.motor.entry import Load, Source, StartIn
from orange_crank.core.motor.fit import StartPlate, fit_machine
from orange_crank.core.tables.standards import Standards

Grid = NDArray[np.float64]

CAP_SHARES = np.array([0.30, 0.50, 0.65, 0.80, 0.90, 1.0, 1.1])
VOLT_SHARES = np.array([0.72, 0.80, 0.87, 0.93, 1.0, 1.08])
TORQUES = np.array([3.0, 12.0, 20.0, 28.0, 36.0, 48.0, 64.0, 100.0])
STALLED_S = 6.0
LONGEST_S = 1.5


@lru_cache(maxsize=64)
def _surface(volts: float, rla_a: float, lra_a: float, run_cap_uf: float) -> Grid:
    """Return log seconds to speed over capacitor share, volts share and torque, (7, 6, 8)."""
    from orange_crank.core.motor.assemble import assemble
    from orange_crank.core.motor.start import UP_TO_SPEED, simulate

    plate = StartPlate.model_validate(
        {
            "volts": volts,
            "phase": 1,
            "compressors": [{"rla_a": rla_a, "lra_a": lra_a}],
            "run_cap_uf": run_cap_uf,
        }
    )
    out = np.full((len(CAP_SHARES), len(VOLT_SHARES), len(TORQUES)), np.log(STALLED_S))
    for i, cap in enumerate(CAP_SHARES):
        for j, share in enumerate(VOLT_SHARES):
            for n, torque in enumerate(TORQUES):
                entry = StartIn(
                    plate=plate,
                    run_cap_uf=float(cap * run_cap_uf),
                    source=Source(volts=float(share * volts)),
                    load=Load(start_torque_pct=float(torque), run_torque_pct=80.0),
                    duration_s=LONGEST_S,
                    step_us=100.0,
                )
                made = assemble(entry)
                ran = simulate(made)
                fast = ran.out[2] >= UP_TO_SPEED * made.machine.synchronous_rad_s
                first = int(fast.argmax())
                if not fast[first]:
                    break  # a higher torque stalls too
                out[i, j, n] = np.log(max(first * made.step_s, 0.01))
    return out


def _corners(low: float, high: float, count: int, phase: float) -> Grid:
    """Return points spread evenly over a range, turned so that several ranges do not march in step."""
    at: Grid = ((np.arange(count) * phase + 0.5 / count) % 1.0).astype(np.float64)
    spread: Grid = low + (high - low) * at
    return spread


@dataclass(frozen=True)
class Bound:
    """What is measured already, and so is no longer free: capacitor [µF], volts during the start [V]."""

    cap_uf: float | None = None
    panel_v: float | None = None
    terminal_v: float | None = None


@dataclass(frozen=True)
class ModelRow:
    """What the model says of one cause."""

    turning: list[float]  # P(accelerates, not turning)
    times: list[float]  # P(prompt, slow, very slow)
    capacitor_known: bool


# Behind the panel these lose volts of their own: only a reading at the terminals binds them.
_BEHIND_THE_PANEL: set[Hypothesis] = {"segment_loss", "contactor_worn", "loose_lug_at_breaker"}


def rows_by_model(entry: DiagnoseIn, bound: Bound, limits: Standards) -> dict[Hypothesis, ModelRow]:
    """Return, for each cause the model can play, how it turns and how long it takes.

    Parameters
    ----------
    entry : the case
    bound : what is measured already
    limits : the shop's standards

    Returns
    -------
    empty where the plate is none the model speaks of

    """
    plate = entry.plate
    first = plate.compressors[0]
    if plate.phase != 1 or plate.is_inverter or first.lra_a is None or plate.run_cap_uf is None:
        return {}
    try:
        fit_machine(StartPlate.model_validate(plate.model_dump()))
    except CrankError:
        return {}
    key = (plate.volts, first.rla_a, first.lra_a, plate.run_cap_uf)
    return _rows(key, bound, limits.start_seconds, limits.very_slow_seconds)


@lru_cache(maxsize=2048)
def _rows(
    key: tuple[float, float, float, float], bound: Bound, limit_s: float, very_s: float
) -> dict[Hypothesis, ModelRow]:
    from scipy.interpolate import RegularGridInterpolator  # slow to import: only when asked

    look_up = RegularGridInterpolator((CAP_SHARES, VOLT_SHARES, TORQUES), _surface(*key))
    rated_v, nominal_uf = key[0], key[3]
    count = 48
    rows: dict[Hypothesis, ModelRow] = {}
    log_limit, log_very = np.log(limit_s), np.log(very_s)
    cap_uf = bound.cap_uf
    given = engine()
    log_stalled = np.log(given.stalled_s)
    for played in engine_table().model_causes:
        cause, cap, share, torque = played.hypothesis, played.capacitor, played.volts, played.torque_pct
        volts_v = bound.terminal_v or (None if cause in _BEHIND_THE_PANEL else bound.panel_v)
        points = np.column_stack(
            (
                np.full(count, cap_uf / nominal_uf) if cap_uf else _corners(*cap, count, 0.618034),
                np.full(count, volts_v / rated_v) if volts_v else _corners(*share, count, 0.754878),
                _corners(*torque, count, 0.569840),
            )
        )
        low = [CAP_SHARES[0], VOLT_SHARES[0], TORQUES[0]]
        high = [CAP_SHARES[-1], VOLT_SHARES[-1], TORQUES[-1]]
        log_s = look_up(np.clip(points, low, high))
        stalled = float(np.mean(log_s > log_stalled))
        away = log_s[log_s <= log_stalled]
        if len(away):
            # A plate does not say inertia: each computed time is smeared.
            under = _normal_below((log_limit - away) / given.model_spread)
            under_very = _normal_below((log_very - away) / given.model_spread)
            times = [
                float(np.mean(under)),
                float(np.mean(under_very - under)),
                float(np.mean(1 - under_very)),
            ]
        else:
            times = [0.1, 0.3, 0.6]
        rows[cause] = ModelRow(_floored([1 - stalled, stalled]), _floored(times), cap_uf is not None)
    return rows


def _normal_below(z: Grid) -> Grid:
    from scipy.special import ndtr

    below: Grid = ndtr(z)
    return below


def _floored(p: list[float], floor: float = 0.02) -> list[float]:
    lifted = [max(floor, x) for x in p]
    total = sum(lifted)
    return [x / total for x in lifted]
