"""The next best test: expected information for its cost in minutes and danger."""

from itertools import product

from orange_crank.core.diagnosis.engine import Vector, Weighed, entropy, matrix
from orange_crank.core.diagnosis.model import CallWork, DiagnoseIn, NextTest
from orange_crank.core.diagnosis.table import DiagnosisTest, diagnosis_tests, facts, priors
from orange_crank.core.safety.stop import WorkStop
from orange_crank.core.tables.standards import Standards

# Minutes it takes to be allowed to, from how the call stands now.
_CHANGE_MIN: dict[tuple[CallWork, str], float] = {
    ("unproved", "dead"): 8.0, ("unproved", "control_live"): 10.0, ("unproved", "live"): 2.0,
    ("dead", "control_live"): 2.0, ("dead", "live"): 4.0,
    ("control_live", "dead"): 2.0, ("control_live", "live"): 4.0,
    ("live", "dead"): 8.0, ("live", "control_live"): 10.0,
}  # fmt: skip
# What a minute's worth of danger weighs, in minutes.
_DANGER_MIN = {"none": 0.0, "dead": 0.0, "control_live": 2.0, "live": 6.0}
_FIRST = {
    "dead": "Make safe first, rung 1.",
    "control_live": "Make safe, then control back with the line dead.",
    "live": "Cautions read, covers on, people clear; then live.",
}
LEAST_GAIN = 0.02
OVERHEAD_MIN = 1.5  # to turn to another test at all
# Conditions of tests that want it running, or started.
_WHILE_ENERGIZED = {"may_energize", "runs", "fan_runs", "starts", "turns_backwards"}
TRIPS = {"trips_at_once", "starts_then_trips", "trips_after_minutes"}


def next_tests(
    entry: DiagnoseIn, weighed: Weighed, stop: WorkStop | None, limits: Standards
) -> list[NextTest]:
    """Rank the tests that may be done now.

    Notes
    -----
    Never live work while a dead test would settle it; never a breaker closed before the to-ground test.

    """
    seen = weighed.seen.facts
    trips = bool(TRIPS & set(entry.symptoms)) or "repeated_trips" in entry.hazards
    ground_first = trips and "to_ground" not in seen
    scored: list[tuple[float, NextTest, bool]] = []
    for note in diagnosis_tests():
        fresh = [f for f in note.facts if f not in seen]
        if not fresh or not _possible(note, entry, weighed):
            continue
        energises = note.danger in ("live", "control_live") or bool(_WHILE_ENERGIZED & set(note.only))
        hands = note.danger != "none" or note.hands_on
        if stop is not None and (energises or (stop.scope == "all" and hands)):
            continue
        if ground_first and (note.danger == "live" or "may_energize" in note.only):
            continue
        gain, settles, why = _worth(fresh, weighed, limits)
        if gain < LEAST_GAIN and not (ground_first and note.test == "to_ground"):
            continue
        needs = note.danger
        change = _CHANGE_MIN.get((entry.work, needs), 0.0)
        cost = OVERHEAD_MIN + note.minutes + change + _DANGER_MIN[needs]
        made = NextTest(
            test=note.test,
            title=note.title,
            why=why,
            minutes=note.minutes,
            danger=needs,
            gain=round(gain, 3),
            rung=note.rung,
            asks=note.asks,
            first=_FIRST.get(needs) if change else None,
        )
        scored.append((gain / cost, made, settles))
    scored.sort(key=lambda s: -s[0])
    settled_dead = any(settles and made.danger in ("none", "dead") for _, made, settles in scored)
    if settled_dead:
        scored = [s for s in scored if s[1].danger in ("none", "dead")]
    ordered = [made for _, made, _ in scored]
    if ground_first:
        ordered.sort(key=lambda made: made.test != "to_ground")
        if ordered and ordered[0].test == "to_ground":
            text = (
                "It trips: to ground before anything else, and no reset until it is clear. " + ordered[0].why
            )
            ordered[0] = ordered[0].model_copy(update={"why": text})
    return ordered[:8]


def _possible(note: DiagnosisTest, entry: DiagnoseIn, weighed: Weighed) -> bool:
    plate, seen, symptoms = entry.plate, weighed.seen.facts, set(entry.symptoms)
    turning = seen.get("turning")
    behaviour = seen.get("start_behaviour")
    dead_silent = bool(behaviour and behaviour.outcomes[0] == "nothing")
    stands = bool(behaviour and behaviour.outcomes[0] in ("hums", "fan_only", "nothing", "trips_at_once"))
    if turning is not None:
        stands = turning.outcomes[0] == "not_turning"
    kit = seen.get("kit")
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
        "trips": bool(TRIPS & symptoms) and "to_ground" in seen,
    }
    return all(conditions[c] for c in note.only)


def _grounded(weighed: Weighed) -> bool:
    ground = weighed.seen.facts.get("to_ground")
    return bool(ground and ground.outcomes == ("grounded",))


def _worth(fresh: list[str], weighed: Weighed, limits: Standards) -> tuple[float, bool, str]:
    """Return expected information [bit], whether it would likely settle it, and why in a sentence."""
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
        expected += chance * entropy(after)
        if after.max() >= limits.decided_probability:
            settled += chance
        said = [
            w.replace("_", " ")
            for f, w in zip(fresh, words, strict=True)
            if not (stands and f == "start_time")
        ]
        told.append((chance, ", ".join(said), after))
    told.sort(key=lambda t: -t[0])
    return entropy(p) - expected, settled >= 0.5, _sentence(fresh, told, weighed)


def _sentence(fresh: list[str], told: list[tuple[float, str, Vector]], weighed: Weighed) -> str:
    parts = []
    for _, said, after in told[:2]:
        best = weighed.states[int(after.argmax())]
        title = " with ".join(priors()[h].title.lower() for h in best)
        means = "the work stops" if "grounded" in said else f"{title} at {100 * float(after.max()):.0f} %"
        parts.append(f"if {said}: {means}")
    what = " and ".join(facts()[f].title.lower() for f in fresh[:2])
    return f"Measures {what}. {'. '.join(p[:1].upper() + p[1:] for p in parts)}."
