"""The next best test: expected information for its cost in minutes and danger."""

from itertools import product

import numpy as np

from orange_crank.core.diagnosis.engine import Vector, Weighed, calibrated, entropy, matrix
from orange_crank.core.diagnosis.model import DiagnoseIn, NextTest, SkippedTest
from orange_crank.core.diagnosis.table import (
    DiagnosisTest,
    change_minutes,
    diagnosis_tests,
    engine,
    facts,
    priors,
)
from orange_crank.core.messages import capital, joined, msg, shaped, within
from orange_crank.core.safety.stop import WorkStop
from orange_crank.core.tables.standards import Standards

_FIRST = {
    "dead": msg("Make safe first, rung 1."),
    "control_live": msg("Make safe, then control back with the line dead."),
    "live": msg("Cautions read, covers on, people clear; then live."),
}
# Conditions of tests that want it running, or started.
_WHILE_ENERGIZED = {"may_energize", "runs", "fan_runs", "starts", "turns_backwards"}
# What windings read where no pair is open.
WHOLE = {"sound", "turn_short", "not_additive"}
TRIPS = {"trips_at_once", "starts_then_trips", "trips_after_minutes"}


Scored = tuple[int, float, NextTest, bool]


def _in_turn(scored: list[Scored]) -> list[Scored]:
    """Order tests: what tells little, or far less than the best, last; without power before with power."""
    given = engine()
    most = max((made.gain for _, _, made, _ in scored), default=0.0)

    def turn(one: Scored) -> tuple[int, float]:
        powered, worth, made, _ = one
        share = given.far_less if powered else given.far_less_unpowered
        if made.gain < max(given.telling_bit, share * most):
            return 2, -worth
        return powered, -worth

    return sorted(scored, key=turn)


def next_tests(
    entry: DiagnoseIn, weighed: Weighed, stop: WorkStop | None, limits: Standards
) -> list[NextTest]:
    """Rank the tests that may be done now.

    Notes
    -----
    Never live work while a dead test would settle it; never a breaker closed before the to-ground test. What
    tells at least a tenth of a bit goes before what is only cheap; and of those, what needs no power goes
    first. What tells far less than the best comes last. A question counts for as much as customers can
    answer it. A skipped test is left out, but the ground test after a trip is not: nothing goes live before
    it.

    """
    seen = weighed.seen.facts
    trips = bool(TRIPS & set(entry.symptoms)) or "repeated_trips" in entry.hazards
    ground_first = trips and "to_ground" not in seen
    scored: list[Scored] = []
    given = engine()
    danger_min = {
        "none": 0.0,
        "dead": given.danger_dead_min,
        "control_live": given.danger_control_live_min,
        "live": given.danger_live_min,
    }
    classes = repair_classes(weighed)
    for note in diagnosis_tests():
        fresh = [f for f in note.facts if f not in seen and not _cannot_be_seen(f, weighed)]
        if not fresh or not _possible(note, entry, weighed):
            continue
        may_skip = not (ground_first and note.test == "to_ground")
        if note.test in entry.skipped and may_skip:
            continue
        energizes = note.danger in ("live", "control_live") or bool(_WHILE_ENERGIZED & set(note.only))
        hands = note.danger != "none" or note.hands_on
        if stop is not None and (energizes or (stop.scope == "all" and hands)):
            continue
        if ground_first and (note.danger == "live" or "may_energize" in note.only):
            continue
        gain, settles, why = _worth(fresh, weighed, classes, limits)
        gain *= 1 - note.dont_know
        if gain < given.least_gain_bit and may_skip:
            continue
        # Watched from outside it is no live work, but the power has to come back on for it.
        change_to = "live" if energizes and note.danger == "none" else note.danger
        change = change_minutes().get((entry.work, change_to), 0.0)
        cost = given.overhead_min + note.minutes + change + danger_min[note.danger]
        made = NextTest(
            test=note.test,
            title=note.title,
            why=why,
            minutes=note.minutes,
            danger=note.danger,
            gain=round(gain, 3),
            rung=note.rung,
            asks=note.asks,
            first=_FIRST.get(change_to) if change else None,
            powered=energizes and note.danger != "control_live",
            may_skip=may_skip,
        )
        scored.append((1 if energizes else 0, gain / cost, made, settles))
    scored = _in_turn(scored)
    settled_dead = any(settles and made.danger in ("none", "dead") for _, _, made, settles in scored)
    if settled_dead:
        scored = [s for s in scored if s[2].danger in ("none", "dead")]
    ordered = [made for _, _, made, _ in scored]
    # One look or one question that splits everything else comes before any meter.
    ordered.sort(key=lambda made: made.test not in ("ask_pull_in", "ask_what_tripped"))
    if entry.plate.is_inverter:
        # A drive names its own fault: the code comes before any meter.
        ordered.sort(key=lambda made: made.test != "look_delay")
    if ground_first:
        ordered.sort(key=lambda made: made.test != "to_ground")
        if ordered and ordered[0].test == "to_ground":
            text = (
                msg("It trips. Test for a short to ground first. Don't reset until it reads clear. ")
                + ordered[0].why
            )
            ordered[0] = ordered[0].model_copy(update={"why": text})
    return ordered[:8]


def skipped_tests(entry: DiagnoseIn, weighed: Weighed) -> list[SkippedTest]:
    """Return the tests that were skipped and have not been done since."""
    seen = weighed.seen.facts
    return [
        SkippedTest(test=t.test, title=t.title)
        for t in diagnosis_tests()
        if t.test in entry.skipped and any(f not in seen for f in t.facts)
    ]


def _cannot_be_seen(fact: str, weighed: Weighed) -> bool:
    """Tell whether what is known leaves a fact no way to show: a rotor that stands has no start time."""
    seen = weighed.seen.facts
    turning, carries = seen.get("turning"), seen.get("carries")
    no_amps = carries is not None and carries.outcomes == ("none",)
    stands = turning is not None and turning.outcomes == ("not_turning",)
    return (fact == "start_time" and (stands or no_amps)) or (fact == "turning" and no_amps)


def _possible(note: DiagnosisTest, entry: DiagnoseIn, weighed: Weighed) -> bool:
    plate, seen, symptoms = entry.plate, weighed.seen.facts, set(entry.symptoms)
    turning = seen.get("turning")
    behaviour = seen.get("start_behaviour")
    dead_silent = bool(behaviour and behaviour.outcomes[0] == "nothing")
    stands = bool(behaviour and behaviour.outcomes[0] in ("hums", "fan_only", "nothing", "trips_at_once"))
    if turning is not None:
        stands = turning.outcomes[0] == "not_turning"
    kit = seen.get("kit")
    windings = seen.get("windings")
    conditions = {
        "mca": plate.mca_a is not None,
        "run_cap": plate.run_cap_uf is not None,
        "fan_cap": plate.fan_cap_uf is not None,
        "single_phase": plate.phase == 1 and not plate.is_inverter,
        "three_phase": plate.phase == 3,
        "grounded": _grounded(weighed),
        "small": plate.run_cap_uf is None and plate.phase == 1 and not plate.is_inverter,
        "two_legs": plate.volts >= 150,
        "split": True,
        "turns_backwards": any("reverse_rotation" in s for s in weighed.states),
        "runs": not stands,
        "fan_runs": not dead_silent,
        "starts": not stands,
        "may_energize": not dead_silent and not _grounded(weighed),
        "kit": bool(kit and kit.outcomes != ("none",)),
        "tripped": bool(TRIPS & symptoms),
        "backup": "will_not_run_on_backup" in symptoms,
        "dead_silent": dead_silent,
        "winding_open": bool(
            windings and not set(windings.outcomes) <= {"sound", "turn_short", "not_additive"}
        ),
        "trips": bool(TRIPS & symptoms) and "to_ground" in seen,
    }
    return all(conditions[c] for c in note.only)


def _grounded(weighed: Weighed) -> bool:
    ground = weighed.seen.facts.get("to_ground")
    return bool(ground and ground.outcomes == ("grounded",))


def repair_classes(weighed: Weighed) -> Vector:
    """Return which causes are put right the same way: (classes, states), ones and zeros."""
    repairs = [tuple(sorted(priors()[h].repair for h in s)) for s in weighed.states]
    names = sorted(set(repairs))
    return np.array([[1.0 if r == n else 0.0 for r in repairs] for n in names])


def _worth(fresh: list[str], weighed: Weighed, classes: Vector, limits: Standards) -> tuple[float, bool, str]:
    """Return expected information on what to repair [bit], whether it likely settles it, and why.

    Two causes with the same repair are one here: a test that tells only those apart changes nothing.
    """
    p = weighed.p
    tables = [matrix(f, weighed.states, weighed.by_model) for f in fresh]
    names = [facts()[f].outcomes for f in fresh]
    expected, settled = 0.0, 0.0
    told: list[tuple[float, str, Vector]] = []
    for outcome in product(*(range(t.shape[1]) for t in tables)):
        words = [n[o] for n, o in zip(names, outcome, strict=True)]
        stands = "not_turning" in words
        joint = p.copy()
        for fact, table, o in zip(fresh, tables, outcome, strict=True):
            if fact == "start_time" and stands:
                # A rotor that stands has no start time: that side of the tree ends here.
                joint = joint * (1.0 if o == 0 else 0.0)
            else:
                joint = joint * table[:, o]
        chance = float(joint.sum())
        if chance < 1e-9:
            continue
        after = joint / chance
        repairs = classes @ after
        expected += chance * entropy(repairs)
        if repairs.max() >= limits.decided_probability:
            settled += chance
        said = [
            w.replace("_", " ")
            for f, w in zip(fresh, words, strict=True)
            if not (stands and f == "start_time")
        ]
        told.append((chance, joined(said, ", "), after))
    told.sort(key=lambda t: -t[0])
    return entropy(classes @ p) - expected, settled >= 0.5, _sentence(fresh, told, weighed)


def _sentence(fresh: list[str], told: list[tuple[float, str, Vector]], weighed: Weighed) -> str:
    parts = []
    for _, said, joint in told[:2]:
        after = calibrated(joint)
        best = weighed.states[int(after.argmax())]
        title = joined((within(priors()[h].title) for h in best), msg(" with "))
        means = (
            msg("the work stops")
            if "grounded" in said
            else msg("{title} at {float:.0f} %", title=title, float=100 * float(after.max()))
        )
        parts.append(msg("if {said}: {means}", said=said, means=means))
    what = joined((within(facts()[f].title) for f in fresh[:2]), msg(" and "))
    return msg("Reading: {what}. {join}.", what=what, join=joined((shaped(p, capital) for p in parts), ". "))
