"""The start model's speed, and the same equations by scipy's adaptive solvers at equal accuracy.

Baseline: the fastest of ``solve_ivp`` RK45, DOP853 and LSODA on a compiled right-hand side, each at the
loosest tolerance with which its line current is no further from the reference than ours.
"""

import math
import time
from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from numba import njit
from scipy.integrate import solve_ivp

from orange_crank.core.motor import StartIn, compute_start
from orange_crank.core.motor.assemble import Assembled, assemble
from orange_crank.core.motor.fit import TYPICAL, _fit
from orange_crank.core.motor.start import simulate
from orange_crank.core.motor.sweep import SweepIn, run_sweep

PLATE: dict[str, Any] = {
    "volts": 230.0,
    "phase": 1,
    "compressors": [{"rla_a": 17.9, "lra_a": 112.0}],
    "run_cap_uf": 45.0,
}
LOAD = {"start_torque_pct": 20.0, "run_torque_pct": 100.0}


def _best(call: Callable[[], Any], times: int = 12) -> tuple[float, Any]:
    taken, found = [], None
    for _ in range(times):
        begun = time.perf_counter()
        found = call()
        taken.append(time.perf_counter() - begun)
    return min(taken), found


@njit
def _rates(t: float, y: Any, g: Any, c: Any) -> Any:
    """Return the derivatives: four flux linkages, the run capacitor's volts, the shaft's speed."""
    rq, rd, rr, a, pp, j, w, vpk, uf, ts, tr, rise, at = c
    iq = g[0, 0] * y[0] + g[0, 2] * y[2]
    i_d = g[1, 1] * y[1] + g[1, 3] * y[3]
    iqr = g[2, 0] * y[0] + g[2, 2] * y[2]
    idr = g[3, 1] * y[1] + g[3, 3] * y[3]
    v = vpk * math.sin(w * t)
    wr = pp * y[5]
    torque = pp * (a * y[2] * idr - y[3] * iqr / a)
    load = ts if t < at else ts + (tr - ts) * (1 - math.exp(-(t - at) / rise))
    out = np.empty(6)
    out[0] = v - rq * iq
    out[1] = v - rd * i_d - y[4]
    out[2] = -rr * iqr + wr * y[3] / a
    out[3] = -a * a * rr * idr - a * wr * y[2]
    out[4] = i_d / uf
    out[5] = (torque - load * math.tanh(y[5])) / j
    return out


def _constants(made: Assembled, at_s: float) -> Any:
    m = made.machine
    return np.array(
        [
            m.rq_ohm, m.rd_ohm, m.rr_ohm, m.turns_ratio, m.poles / 2, m.inertia_kgm2, m.omega,
            math.sqrt(2) * made.volts, 1e-6 * float(made.run_cap_uf or 0.0), made.start_torque_nm,
            made.run_torque_nm, 2.0, at_s,
        ]
    )  # fmt: skip


def _against_scipy() -> None:
    entry = StartIn.model_validate({"plate": PLATE, "load": LOAD})
    made = assemble(entry)
    ours_s, ran = _best(lambda: simulate(made))
    # The load's clock begins as speed passes five per cent; given to the solvers, which have no memory.
    at = float(np.argmax(ran.out[2] > 0.05 * made.machine.synchronous_rad_s)) * made.step_s
    c, g = _constants(made, at), np.ascontiguousarray(made.gammas[0])
    times = np.arange(made.steps + 1) * made.step_s
    _rates(0.0, np.zeros(6), g, c)

    def current(y: Any) -> Any:
        return g[0, 0] * y[0] + g[0, 2] * y[2] + g[1, 1] * y[1] + g[1, 3] * y[3]

    def solve(method: str, tolerance: float) -> Any:
        return solve_ivp(
            _rates, (0, times[-1]), np.zeros(6), method=method, rtol=tolerance, atol=tolerance * 1e-2,
            t_eval=times, args=(g, c),
        )  # fmt: skip

    exact = current(solve("DOP853", 1e-11).y)
    peak = float(np.max(np.abs(exact)))

    def miss(samples: Any) -> float:
        return float(np.max(np.abs(samples - exact))) / peak

    ours = miss(ran.out[0])
    print(f"a start of 2 s at 50 µs: {1e3 * ours_s:.2f} ms, line current within {ours:.1e} of its peak")
    best = math.inf
    for method in ("RK45", "DOP853", "LSODA"):
        for power in range(3, 11):
            tolerance = 10.0**-power
            found = solve(method, tolerance)
            if miss(current(found.y)) <= ours:
                taken, _ = _best(partial(solve, method, tolerance), 3)
                best = min(best, taken)
                print(
                    f"  solve_ivp {method} at {tolerance:.0e}: {1e3 * taken:.0f} ms, {taken / ours_s:.0f} ×"
                )
                break
    print(f"  ratio to the fastest: {best / ours_s:.0f} (aim 30)")


def main() -> None:
    """Print every figure."""
    cases: dict[str, dict[str, Any]] = {
        "bare": {},
        "relay kit": {"aid": {"kind": "start_capacitor", "start_cap_uf": 136.0}},
        "soft starter, 20 µs": {"aid": {"kind": "soft_starter", "start_cap_uf": 68.0, "ceiling_a": 67.0}},
        "stalled": {"load": {"start_torque_pct": 100.0}},
    }
    for name, more in cases.items():
        entry = StartIn.model_validate({"plate": PLATE, "load": LOAD} | more)
        made = assemble(entry)
        kernel, _ = _best(partial(simulate, made))
        whole, _ = _best(partial(compute_start, entry))
        print(f"{name}: {1e3 * kernel:.1f} ms integrated, {1e3 * whole:.1f} ms with all that is read off")
    shifts = iter(range(10_000))
    fit, _ = _best(
        lambda: _fit(230.0, 17.0 + 0.001 * next(shifts), 112.0, 45.0, None, None, 2, 60.0, TYPICAL), 8
    )
    print(f"a fit from the plate: {1e3 * fit:.0f} ms (aim 50)")
    sweep = SweepIn.model_validate(
        {
            "start": {"plate": PLATE, "aid": {"kind": "start_capacitor", "start_cap_uf": 136.0}},
            "vary": [
                {"field": "load.start_torque_pct", "values": [float(v) for v in range(0, 100, 4)]},
                {"field": "source.volts", "values": [200.0 + v for v in range(40)]},
            ],
        }
    )
    begun = time.perf_counter()
    rows = run_sweep(sweep, processes=True).rows
    print(f"{len(rows):,} relay-aid starts: {time.perf_counter() - begun:.1f} s over all cores (aim 5)")
    _against_scipy()
