"""300 aid choices against a search that knows no rule: every capacitor, relay, thermistor and ceiling tried.

The search computes each start by the same model and keeps what starts well, drops its capacitor out, stays
within the winding's and the capacitor's ratings and, on a small source, within its dip. Baseline: one habit
for every unit, a three-wire kit of three times the run capacitor.
"""

import sys
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from typing import Any

import numpy as np

from orange_crank.core.aids import AidIn, choose_aid
from orange_crank.core.aids.entry import Goal
from orange_crank.core.motor.entry import Aid, Load, Source, StartIn
from orange_crank.core.motor.fit import StartPlate, fit_machine, possible_machines
from orange_crank.core.motor.on_source import judge_on_source
from orange_crank.core.motor.start import StartResult, compute_start
from orange_crank.core.motor.start_capacitor import start_winding_share
from orange_crank.core.tables import relay_classes, start_capacitor_ranges
from orange_crank.core.tables.standards import shipped_standards

CASES = 300
# Rated-load amps, locked-rotor amps, run capacitor: one and a half to five tons.
SIZES = ((7.7, 43.0, 30.0), (10.3, 58.0, 35.0), (12.8, 64.0, 35.0), (15.9, 83.0, 40.0), (17.9, 112.0, 45.0),
         (19.9, 109.0, 45.0), (21.8, 124.0, 70.0), (26.4, 134.0, 80.0))  # fmt: skip
GOALS: tuple[Goal, ...] = ("start_at_all", "faster", "flicker", "backup_power")
GENTLE = ("flicker", "backup_power")
NEAR = 1.25  # as good as the best of the search, within a quarter


@dataclass
class Told:
    """What came of one case."""

    goal: str
    found: bool  # the search found something that does it
    offered: bool  # the product offers something that does it
    near: bool  # and it is as good as the search's best, within a quarter
    habit: bool  # the habit does it
    chosen: str
    best: str
    stays_in: bool  # on some machine of this plate the chosen relay never opens


def _case(seed: int) -> tuple[Goal, StartPlate, StartIn]:
    rng = np.random.default_rng(seed)
    rla, lra, uf = SIZES[int(rng.integers(len(SIZES)))]
    scale = float(rng.uniform(0.93, 1.07))
    plate = StartPlate.model_validate(
        {
            "volts": 230.0,
            "phase": 1,
            "compressors": [{"rla_a": round(rla * scale, 1), "lra_a": round(lra * scale, 0)}],
            "run_cap_uf": uf,
            "refrigerant": "R-410A",
        }
    )
    goal = GOALS[int(rng.integers(len(GOALS)))]
    torque = {
        "start_at_all": rng.uniform(25, 75), "faster": rng.uniform(10, 30), "flicker": rng.uniform(8, 18),
        "backup_power": rng.uniform(8, 15),
    }[goal]  # fmt: skip
    z = 230.0 / lra
    source = Source(
        volts=float(rng.uniform(222, 242)), resistance_ohm=0.05 * z, inductance_mh=0.03 * z / 0.377
    )
    if goal == "backup_power":
        kva = float(rng.uniform(0.25, 1.1)) * 240 * lra / 1000
        source = Source(kind="generator", volts=240.0, rated_kva=round(kva, 1))
    start = StartIn(plate=plate, source=source, load=Load(start_torque_pct=round(float(torque), 1)))
    return goal, plate, start


def _does_it(goal: str, plate: StartPlate, aid: Aid, got: StartResult, bare: StartResult) -> bool:
    """Tell whether a start does what is wanted, by its figures alone."""
    limits = shipped_standards()
    if got.verdict not in (("started",) if goal != "start_at_all" else ("started", "late")):
        return False
    if aid.kind == "start_capacitor":
        if got.relay_opened_s is None or (got.start_capacitor_v or 0) > 330:
            return False
        machine, _ = fit_machine(plate)
        uf = float(aid.start_cap_uf or 0)
        if start_winding_share(machine, plate.volts, plate.run_cap_uf, uf) > limits.start_capacitor_overdrive:
            return False
    if goal == "backup_power":
        return judge_on_source(got, plate.volts, limits).verdict == "starts"
    if goal == "flicker":
        return got.max_cycle_rms_a < 0.85 * bare.max_cycle_rms_a
    return True


def _figure(goal: str, got: StartResult) -> float:
    return got.max_cycle_rms_a if goal in GENTLE else float(got.time_to_speed_s or 99.0)


def _everything(plate: StartPlate) -> list[Aid]:
    """Return every aid the search tries."""
    uf = float(plate.run_cap_uf or 40)
    rla, lra = plate.compressors[0].rla_a, float(plate.compressors[0].lra_a or 60)
    kits = [
        Aid(
            kind="start_capacitor",
            start_cap_uf=(c.low_uf + c.high_uf) / 2,
            pickup_v=(r.pickup_low_v + r.pickup_high_v) / 2,
        )
        for c in start_capacitor_ranges()[:9]
        for r in relay_classes()[2:9]
    ]
    thermistors = [Aid(kind="ptc", cold_ohm=round(k * plate.volts / rla, 1)) for k in (1.0, 1.5, 2.0, 3.0)]
    soft = [
        Aid(kind="soft_starter", start_cap_uf=round(k * uf, 0), ceiling_a=round(share * lra, 1))
        for k in (1.5, 2.5, 3.5)
        for share in (1 / 3, 0.5, 0.65)
    ]
    return [Aid(), *kits, *thermistors, *soft]


def run_case(seed: int) -> Told:
    """Choose by the product and by the search, and hold them against each other."""
    goal, plate, start = _case(seed)
    bare = compute_start(start)
    done: list[tuple[float, str]] = []
    for aid in _everything(plate):
        got = compute_start(start.model_copy(update={"aid": aid}))
        if _does_it(goal, plate, aid, got, bare):
            done.append((_figure(goal, got), aid.kind))
    best = min(done, default=(99.0, "nothing"))
    out = choose_aid(
        AidIn(plate=plate, goal=goal, source=start.source, start_torque_pct=start.load.start_torque_pct)
    )
    first = out.ranked[0]
    offered = first.fits and _does_it(goal, plate, first.tried, first.predicted, bare)
    near = offered and _figure(goal, first.predicted) <= NEAR * best[0] + (0.0 if goal in GENTLE else 0.1)
    habit = Aid(kind="start_capacitor", start_cap_uf=3 * float(plate.run_cap_uf or 40))
    by_habit = compute_start(start.model_copy(update={"aid": habit}))
    stays_in = False
    if first.fits and first.aid == "relay_three_wire":
        for machine in possible_machines(plate):
            rated_nm = 0.8 * plate.volts * plate.compressors[0].rla_a / machine.synchronous_rad_s
            got = compute_start(
                StartIn(
                    machine=machine,
                    run_cap_uf=plate.run_cap_uf,
                    source=Source(volts=0.9 * plate.volts),
                    aid=first.tried,
                    load=Load(start_torque_nm=0.15 * rated_nm, run_torque_nm=0.8 * rated_nm),
                )
            )
            stays_in |= got.time_to_speed_s is not None and got.relay_opened_s is None
    return Told(
        goal=goal,
        found=bool(done),
        offered=offered,
        near=near,
        habit=_does_it(goal, plate, habit, by_habit, bare),
        chosen=first.tried.kind if first.fits else "nothing",
        best=best[1],
        stays_in=stays_in,
    )


def main(cases: int = CASES) -> None:
    """Run all cases over all cores and print the figures."""
    begun = time.perf_counter()
    run_case(0)
    with ProcessPoolExecutor(mp_context=get_context("fork")) as pool:
        told = list(pool.map(run_case, range(cases), chunksize=5))
    can = [t for t in told if t.found]
    print(f"aid choices, {cases} seeded cases in {time.perf_counter() - begun:.0f} s")
    print(f"  the search finds something that does it in {len(can)}")

    def share(of: list[Any]) -> float:
        return 100 * float(np.mean(of)) if of else float("nan")

    offered, habit = share([t.offered for t in can]), share([t.habit for t in can])
    print(f"  there the product's first choice does it {offered:.1f} %, one habit for all {habit:.1f} %")
    near = share([t.near for t in can])
    print(f"  ratio {offered / habit:.2f}; as good as the best within a quarter {near:.1f} %")
    false = [t for t in told if t.chosen != "nothing" and not t.offered]
    print(
        f"  offered as fitting though it does not do it: {len(false)} {dict(Counter(t.goal for t in false))}"
    )
    print(f"  relays that stay in on some machine of the plate: {sum(t.stays_in for t in told)}")
    for goal in GOALS:
        of = [t for t in can if t.goal == goal]
        kinds = Counter(t.chosen for t in of).most_common(3)
        does, close = share([t.offered for t in of]), share([t.near for t in of])
        print(f"    {goal} ({len(of)}): {does:.0f} %, near {close:.0f} %; {kinds}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else CASES)
