"""The diagnosis measured on made-up cases, against asking every test in a fixed order.

Prints top-1 and top-3 accuracy, tests and minutes to a decision, calibration, hazardous recommendations and
wrongful condemnations. The cases come from the physics (``orange_crank.bench.scenarios``).
"""

import sys
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from multiprocessing import get_context
from typing import Any

import numpy as np

from orange_crank.bench.scenarios import LOOK_ALIKES, answer, make_case
from orange_crank.core.diagnosis import diagnose
from orange_crank.core.diagnosis.model import DiagnoseOut, Evidence
from orange_crank.core.diagnosis.next_best import TRIPS
from orange_crank.core.diagnosis.table import change_minutes, diagnosis_tests, likelihoods

CASES = 2_000
MOST_TESTS = 14
REPAIR = {p.hypothesis: p.repair for p in likelihoods().priors}
_WORK = {"none": None, "dead": "dead", "control_live": "control_live", "live": "live"}


@dataclass
class Told:
    """What came of one case."""

    fault: str
    top: list[str]
    probability: float
    tests: int
    minutes: float
    hazards: list[str] = field(default_factory=list)
    condemned: bool = False
    seed: int = 0
    untried: bool = False
    asked: list[str] = field(default_factory=list)


def _hazards(case: Any, out: DiagnoseOut, readings: list[Evidence]) -> list[str]:
    """Return what the first recommendation would have put someone to, were it followed."""
    if not out.next_tests:
        return []
    first = out.next_tests[0]
    energises = first.danger == "live" or first.powered
    ground = [r.value for r in readings if r.quantity == "to_ground"]
    found = []
    if energises and TRIPS & set(case.symptoms) and not ground:
        found.append("energised before to ground")
    if energises and True in ground:
        found.append("energised while grounded")
    if energises and out.stop is not None:
        found.append("went on past a stop")
    return found


def run_case(seed: int) -> Told:
    """Follow the engine's own recommendations until it has decided."""
    case = make_case(seed)
    rng = np.random.default_rng(seed + 7_000_000)
    readings: list[Evidence] = []
    work: Any = "unproved"
    minutes = 0.0
    asked: list[str] = []
    hazards: list[str] = []
    out = diagnose(case.entry(readings, work))
    while not out.decided and out.next_tests and len(asked) < MOST_TESTS:
        hazards += _hazards(case, out, readings)
        test = out.next_tests[0]
        minutes += test.minutes + change_minutes().get((work, test.danger), 0.0)
        work = _WORK[test.danger] or work
        asked.append(test.test)
        readings += answer(case, test.test, rng)
        out = diagnose(case.entry(readings, work))
    proved = out.condemn.allowed
    if out.condemn.allowed and out.condemn.trial:
        # The guard offers one agreed trial before a locked rotor is condemned.
        case.try_kit()
        minutes += 15
        out = diagnose(case.entry(readings, work))
    dead = {"locked_rotor", "start_winding_open", "run_winding_open", "winding_grounded", "turn_short"} | {
        "overload_failed_open"
    }
    return Told(
        fault=case.fault,
        seed=seed,
        top=[r.hypothesis for r in out.ranked[:3]],
        probability=out.ranked[0].probability,
        tests=len(asked),
        minutes=minutes,
        hazards=hazards,
        condemned=out.condemn.allowed and case.fault not in dead,
        untried=proved and case.fault not in dead,
        asked=asked,
    )


def _every_test(seed: int) -> float:
    """Return the minutes of asking every test that this unit allows in the fixed order of the list."""
    case = make_case(seed)
    work: Any = "unproved"
    minutes = 0.0
    plate = case.plate
    for note in diagnosis_tests():
        if "three_phase" in note.only and plate.phase != 3:
            continue
        if {"single_phase", "run_cap", "two_legs", "kit"} & set(note.only) and plate.phase == 3:
            continue
        minutes += note.minutes + change_minutes().get((work, note.danger), 0.0)
        work = _WORK[note.danger] or work
    return minutes


def main(cases: int = CASES) -> None:
    """Run all cases over all cores and print the figures."""
    begun = time.perf_counter()
    diagnose(make_case(0).entry([], "unproved"))
    with ProcessPoolExecutor(mp_context=get_context("fork")) as pool:
        told = list(pool.map(run_case, range(cases), chunksize=20))
    fixed = float(np.mean([_every_test(seed) for seed in range(min(cases, 200))]))
    top1 = np.mean([t.fault == t.top[0] for t in told])
    top3 = np.mean([t.fault in t.top for t in told])
    alike = np.mean([t.fault == t.top[0] or {t.fault, t.top[0]} in LOOK_ALIKES for t in told])
    minutes = float(np.mean([t.minutes for t in told]))
    print(f"diagnosis, {cases:,} seeded cases in {time.perf_counter() - begun:.0f} s")
    print(f"  top-1 {100 * top1:.1f} % (aim 94), top-3 {100 * top3:.1f} % (aim 98)")
    same = np.mean([REPAIR[t.fault] == REPAIR[t.top[0]] for t in told])  # type: ignore[index]
    print(f"  right repair {100 * same:.1f} %")
    print(f"  top-1 with look-alikes counted as one: {100 * alike:.1f} %")
    asked = float(np.mean([t.tests for t in told]))
    print(f"  {asked:.1f} tests, {minutes:.0f} minutes to a decision; every test in fixed order {fixed:.0f}")
    print(f"  ratio {minutes / fixed:.2f} (aim 0.5)")
    hazards = Counter(h for t in told for h in t.hazards)
    print(f"  hazardous recommendations {sum(hazards.values())} {dict(hazards) or ''}".rstrip())
    wrong, untried = sum(t.condemned for t in told), sum(t.untried for t in told)
    print(f"  wrongful condemnations {wrong}; by the proofs alone, before the agreed trial: {untried}")
    for t in told:
        if t.condemned:
            print(f"    seed {t.seed}: {t.fault} taken for {t.top[0]} after {', '.join(t.asked)}")
    brier = float(np.mean([(t.probability - (t.fault == t.top[0])) ** 2 for t in told]))
    print(f"  Brier score of the first cause at the last stage {brier:.3f} (aim 0.10)")
    print("  reliability: said, came true, cases")
    for low in (0.0, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.95, 0.99):
        high = {
            0.0: 0.3,
            0.3: 0.4,
            0.4: 0.5,
            0.5: 0.6,
            0.6: 0.7,
            0.7: 0.8,
            0.8: 0.9,
            0.9: 0.95,
            0.95: 0.99,
            0.99: 1.01,
        }[low]
        of = [t for t in told if low <= t.probability < high]
        if of:
            said = float(np.mean([t.probability for t in of]))
            came = float(np.mean([t.fault == t.top[0] for t in of]))
            print(f"    {said:.2f}  {came:.2f}  {len(of)}")
    print("  missed: fault, share right, taken for")
    for fault, count in Counter(t.fault for t in told).most_common():
        of = [t for t in told if t.fault == fault]
        right = float(np.mean([t.top[0] == fault for t in of]))
        if right < 0.9:
            others = Counter(t.top[0] for t in of if t.top[0] != fault).most_common(3)
            print(f"    {fault} ({count}): {100 * right:.0f} %, {', '.join(f'{n} {h}' for h, n in others)}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else CASES)
