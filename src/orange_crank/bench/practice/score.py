"""What a practice call was worth, dimension by dimension, each point with the moment it was won or lost."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from pydantic import Field

from orange_crank.bench.practice.acts import MODE_WORDS, Act
from orange_crank.bench.practice.scenario import Note, Scenario, Skill, Step
from orange_crank.bench.practice.world import Harm, World
from orange_crank.bench.scenarios import answer
from orange_crank.core.call.changes import PartKind
from orange_crank.core.diagnosis import diagnose
from orange_crank.core.diagnosis.model import Evidence, Hypothesis
from orange_crank.core.diagnosis.table import change_minutes, diagnosis_tests, priors
from orange_crank.core.nomenclature import Frozen, say

SKILL_WORDS: dict[Skill, str] = {
    "safety": "Safety, in order",
    "record": "Plate and readings",
    "tests": "Tests used",
    "minutes": "Minutes",
    "diagnosis": "Diagnosis",
    "fit": "What was fitted",
    "wiring": "Wiring",
    "circuit": "Circuit",
    "hand_over": "Hand-over",
}
WEIGHTS: dict[Skill, float] = {
    "safety": 3, "record": 2, "tests": 1, "minutes": 1, "diagnosis": 3, "fit": 3, "wiring": 2, "circuit": 2,
    "hand_over": 1,
}  # fmt: skip
PASSED, TAUGHT, HURT_AT_MOST, MISSED_AT_MOST = 75.0, 60.0, 30.0, 55.0
UNPROVED_COSTS, MOST_UNPROVED = 20.0, 4
NEAR = 0.06  # a plate figure as it was read
MOST_TESTS = 14
INRUSH_NEAR = 0.25
SAFE_MIN, WORK_MIN = 10.0, 20.0  # making safe, and putting right with its proof


@dataclass
class Noted:
    """What stands on the record of a practice call, as far as it is scored."""

    plate_rla_a: float | None = None
    proved: bool = False
    inrush: list[tuple[float, str, str, int]] = field(default_factory=list)
    cause: Hypothesis | None = None
    condemned: bool = False
    changed: list[PartKind] = field(default_factory=list)
    circuit_seen: bool = False
    handed_over: bool = False
    left_running: bool | None = None


class ScorePoint(Frozen):
    """Something that won or lost points."""

    text: str
    lost: float = Field(description="Points lost; 0 where it was well done")
    act: int | None = Field(default=None, description="The act it belongs to, by its number")


class Dimension(Frozen):
    """One side of a call."""

    skill: Skill
    title: str
    points: float = Field(description="Of 100")
    why: list[ScorePoint]


class TestTold(Frozen):
    """A test that was done, and how far it led."""

    test: str
    title: str
    act: int
    before: float = Field(description="Share the true cause had before it")
    after: float
    best: str | None = Field(description="What would have told most at that moment, where it was another")


class Score(Frozen):
    """The score sheet of a call."""

    total: float
    passed: bool
    hurt: str | None = Field(description="What would have hurt somebody, where something would have")
    skipped: list[str] = Field(description="What had been skipped then")
    cost: float = Field(description="What the mistakes would have cost [dollars]")
    minutes: float
    best_minutes: float
    cause: str = Field(description="What it was")
    dimensions: list[Dimension]
    tests: list[TestTold]
    expert: list[str] = Field(description="What an expert would have done, in order")
    missed: list[Skill] = Field(description="Skills to practise again")


def score_of(world: World, noted: Noted) -> Score:
    """Score a call as it stands."""
    s = world.scenario
    path = expert_path(s)
    dimensions = [d for d in _dimensions(world, noted, path) if d is not None]
    weight = sum(WEIGHTS[d.skill] for d in dimensions)
    total = sum(WEIGHTS[d.skill] * d.points for d in dimensions) / weight
    by_skill = {d.skill: d.points for d in dimensions}
    missed = [d.skill for d in dimensions if d.points < TAUGHT]
    hurt = world.hurt
    if hurt is not None:
        total = min(total, HURT_AT_MOST)
    if any(by_skill.get(skill, 100.0) < TAUGHT for skill in s.teaches):
        total = min(total, MISSED_AT_MOST)
    return Score(
        total=round(total, 1),
        passed=hurt is None and total >= PASSED,
        hurt=hurt.text if hurt is not None else None,
        skipped=list(hurt.skipped) if hurt is not None else [],
        cost=round(world.money, 2),
        minutes=round(world.at_s / 60, 1),
        best_minutes=path.minutes,
        cause=" and ".join(priors()[c].title.lower() for c in s.causes),
        dimensions=dimensions,
        tests=_told(world),
        expert=list(path.steps),
        missed=missed,
    )


@dataclass(frozen=True)
class Path:
    """What an expert does: steps in words, tests, minutes."""

    steps: tuple[str, ...]
    tests: int
    minutes: float


_PATHS: dict[str, Path] = {}


def expert_path(scenario: Scenario) -> Path:
    """Return the way an expert goes: the scripted one, else the tests of greatest expected information."""
    kept = _PATHS.get(scenario.key)
    if kept is None:
        kept = _PATHS[scenario.key] = _scripted(scenario) if scenario.expert else _by_engine(scenario)
        while len(_PATHS) > 200:
            _PATHS.pop(next(iter(_PATHS)))
    return kept


def play(scenario: Scenario, script: Sequence[Step]) -> tuple[World, Noted]:
    """Play a script: acts at the unit, notes on the record."""
    world, noted = World(scenario), Noted()
    for step in script:
        if isinstance(step, Act):
            world.do(step)
            continue
        said = step.model_dump(exclude_none=True, exclude={"changed", "inrush", "take"})
        for name, value in said.items():
            setattr(noted, name, value)
        if step.changed is not None:
            noted.changed.append(step.changed)
        if step.take and world.display.value is not None and world.clamp is not None:
            noted.inrush.append((world.display.value, world.mode, world.clamp, len(world.starts)))
        if step.handed_over:
            noted.left_running = world.runs_well()
    return world, noted


def _scripted(scenario: Scenario) -> Path:
    world, _ = play(scenario, scenario.expert)
    return Path(
        steps=tuple(_words(scenario.expert)),
        tests=max(1, len(world.tests)),
        minutes=round(world.at_s / 60, 1),
    )


def _by_engine(scenario: Scenario) -> Path:
    """Follow the tests of greatest expected information until the cause is clear."""
    import numpy as np

    case = scenario.case
    rng = np.random.default_rng(scenario.seed)
    readings: list[Evidence] = []
    titles = {t.test: t.title for t in diagnosis_tests()}
    work, minutes, steps = "unproved", SAFE_MIN, ["Read the plate.", "Make it safe, proved dead."]
    out = diagnose(case.entry(readings, "unproved"))
    count = 0
    while not out.decided and out.next_tests and count < MOST_TESTS:
        test = out.next_tests[0]
        minutes += test.minutes + change_minutes().get((work, test.danger), 0.0)  # type: ignore[arg-type]
        work = {"none": work, "dead": "dead", "control_live": "control_live", "live": "live"}[test.danger]
        steps.append(f"{titles[test.test]}.")
        readings += answer(case, test.test, rng)
        out = diagnose(case.entry(readings, work))  # type: ignore[arg-type]
        count += 1
    for cause in scenario.causes:
        steps.append(f"{priors()[cause].title}: {priors()[cause].fix}")
    steps.append("Prove it by a start, and hand over.")
    return Path(steps=tuple(steps), tests=max(1, count), minutes=round(minutes + WORK_MIN, 1))


_ACT_WORDS = {
    "ask": "Ask: {topic}", "look": "Look: {sight}", "feel": "Feel the shell", "listen": "Listen",
    "gauges": "Read the pressures", "discharge": "Bleed {section} with the {tool}",
    "lead": "Leads of the {lead} {off}", "wait": "Wait {minutes:g} minutes",
    "replace": "Fit: {part} {number}", "wire": "Wire it by the plan", "arm": "Arm the shot",
    "lock": "Lock and tag", "reset": "Meter off",
}  # fmt: skip


def act_words(act: Act) -> str:
    """Return an act in a few words."""
    if act.verb == "switch":
        return f"{(act.switch or '').capitalize()} {'on' if act.on else 'off'}"
    if act.verb == "lock" and act.on is False:
        return "Take the lock off"
    if act.verb == "measure":
        at = f"on {act.clamp}" if act.clamp else f"{_pin(act.red)} to {_pin(act.black)}"
        return f"{MODE_WORDS[act.mode or 'off']} {at}"
    given = act.model_dump()
    words = {k: str(v).replace("_", " ") for k, v in given.items() if isinstance(v, str)}
    if act.section is not None:
        words["section"] = {"c_herm": "C to HERM", "c_fan": "C to FAN"}[act.section]
    return (
        _ACT_WORDS[act.verb]
        .format(
            **{"sight": "", "topic": "", "section": "", "tool": "", "lead": "", "part": "", "number": ""}
            | words,
            off="off" if act.on is False else "on",
            minutes=act.minutes or 1,
        )
        .strip()
    )


def _pin(terminal: str | None) -> str:
    return (terminal or "").rpartition(".")[2]


_CODE_WORDS = {
    "Volts AC L to N": "Prove the meter on a known live source.",
}


def _words(script: Sequence[Step]) -> list[str]:
    """Return a script in words, what belongs together in one line."""
    found: list[str] = []
    for step in script:
        line = ""
        if isinstance(step, Act):
            line = act_words(step)
            line = _CODE_WORDS.get(line, line + ".")
            if line.startswith("Volts AC ") and found and found[-1].startswith("Volts AC "):
                found[-1] = found[-1][:-1] + "; " + line[9:]
                continue
        elif step.cause is not None:
            line = f"Select the cause: {priors()[step.cause].title.lower()}."
        elif step.handed_over:
            line = "Hand over."
        elif step.proved:
            line = "Proved dead: write it down."
        if line and (not found or found[-1] != line):
            found.append(line)
    return found


# The dimensions -----------------------------------------------------------------------------------------


def _sheet(skill: Skill, why: list[ScorePoint], full: str) -> Dimension:
    lost = sum(p.lost for p in why)
    return Dimension(
        skill=skill,
        title=SKILL_WORDS[skill],
        points=round(max(0.0, 100.0 - lost), 1),
        why=why or [ScorePoint(text=full, lost=0.0)],
    )


def _dimensions(world: World, noted: Noted, path: Path) -> list[Dimension | None]:
    return [
        _safety(world, noted),
        _record(world, noted),
        _tests(world, noted, path),
        _minutes(world, noted, path),
        _diagnosis(world, noted),
        _fit(world, noted),
        _wiring(world),
        _circuit(world, noted),
        _hand_over(world, noted),
    ]


# A record may speak of a section where the hand changed the whole can.
_SAME: dict[PartKind, PartKind] = {"run_capacitor": "dual_capacitor", "fan_capacitor": "dual_capacitor"}


def _harmed(world: World, *codes: str) -> list[Harm]:
    return [h for h in world.harms if h.code in codes]


def _safety(world: World, noted: Noted) -> Dimension:
    why = [ScorePoint(text=h.text, lost=100.0, act=h.act) for h in world.harms if h.hurts]
    why += [ScorePoint(text=h.text, lost=30.0, act=h.act) for h in _harmed(world, "meter")]
    for one in world.unproved[:MOST_UNPROVED]:
        missing = ", ".join(one.skipped[:3]) + (" and more" if len(one.skipped) > 3 else "")
        why.append(
            ScorePoint(text=f"When {one.what}: missing was {missing}.", lost=UNPROVED_COSTS, act=one.act)
            if one.what.startswith("you")
            else ScorePoint(
                text=f"{one.what.capitalize()}: missing was {missing}.", lost=UNPROVED_COSTS, act=one.act
            )
        )
    if not noted.proved and any(a for a in world.changed):
        why.append(ScorePoint(text="The record never said proved dead.", lost=20.0))
    return _sheet("safety", why, "Every hand on it came after the whole proof.")


def _record(world: World, noted: Noted) -> Dimension:
    why = []
    rla = world.case.plate.compressors[0].rla_a
    if noted.plate_rla_a is None:
        why.append(ScorePoint(text="The plate was not entered.", lost=50.0))
    elif abs(noted.plate_rla_a - rla) > NEAR * rla:
        why.append(
            ScorePoint(
                text=f"The plate says {rla:g} A RLA; the record says {noted.plate_rla_a:g}.", lost=60.0
            )
        )
    why += [ScorePoint(text=h.text, lost=25.0, act=h.act) for h in _harmed(world, "shot_spent")]
    modes = {(mode, clamp) for _, mode, clamp, _ in noted.inrush}
    if len(modes) > 1:
        why.append(
            ScorePoint(text="Before and after were taken in two ways: they compare nothing.", lost=30.0)
        )
    lra = world.case.plate.compressors[0].lra_a or 6 * rla
    for value, mode, where, start in noted.inrush:
        moment = next((s.act for s in world.starts if s.number == start), None)
        fan = world.unit.setup.fan_leads_s > 0 and where == "whole_unit" and mode == "inrush"
        if fan and value < INRUSH_NEAR * lra:
            text = f"{say(value, 'A')} is the fan's start: it spent the shot."
            why.append(ScorePoint(text=text, lost=40.0, act=moment))
    why += _still_learning(world, noted)
    return _sheet("record", why, "Plate and readings are as they were.")


def _still_learning(world: World, noted: Noted) -> list[ScorePoint]:
    fitted = next((act for act, part, _ in world.changed if part == "soft_starter"), None)
    if fitted is None or not world.scenario.learning_starts:
        return []
    before = sum(1 for s in world.starts if s.act < fitted)
    since = [start - before for _, _, _, start in noted.inrush if start > before]
    if any(n > world.scenario.learning_starts for n in since):
        return []
    if not since:
        return [ScorePoint(text="No start was measured after it had learned.", lost=30.0)]
    wanted = world.scenario.learning_starts
    return [ScorePoint(text=f"Judged on start {max(since)}; it learns over {wanted}.", lost=45.0)]


def _named(world: World, noted: Noted) -> bool:
    repairs = {priors()[c].repair for c in world.scenario.causes}
    return noted.cause is not None and priors()[noted.cause].repair in repairs


def _tests(world: World, noted: Noted, path: Path) -> Dimension:
    count = len(world.tests)
    why = []
    if not _named(world, noted):
        why.append(ScorePoint(text="The tests did not lead to the cause.", lost=60.0))
    over = max(0, count - path.tests)
    if over:
        why.append(
            ScorePoint(text=f"{count} tests; {path.tests} would have told it.", lost=min(60.0, 12.0 * over))
        )
    return _sheet("tests", why, f"{count} tests; the best way takes {path.tests}.")


def _minutes(world: World, noted: Noted, path: Path) -> Dimension:
    spent = world.at_s / 60
    why = []
    if not world.cured() or not noted.handed_over:
        why.append(ScorePoint(text="The call was not brought to its end.", lost=60.0))
    late = spent / path.minutes - 1.0
    if late > 0.25:
        text = f"{spent:.0f} minutes; {path.minutes:.0f} were enough."
        why.append(ScorePoint(text=text, lost=min(80.0, 60.0 * (late - 0.25))))
    return _sheet("minutes", why, f"{spent:.0f} minutes; an expert took {path.minutes:.0f}.")


def _diagnosis(world: World, noted: Noted) -> Dimension:
    why = []
    truth = " and ".join(priors()[c].title.lower() for c in world.scenario.causes)
    if noted.cause is None:
        why.append(ScorePoint(text=f"No cause was taken. It was: {truth}.", lost=100.0))
    elif not _named(world, noted):
        named = priors()[noted.cause].title.lower()
        why.append(ScorePoint(text=f"You took: {named}. It was: {truth}.", lost=100.0))
    sound = "compressor" not in {p for c in world.scenario.causes for p in priors()[c].mended_by}
    if noted.condemned and sound:
        why.append(ScorePoint(text="A sound compressor was condemned.", lost=100.0))
    return _sheet("diagnosis", why, f"It was: {truth}.")


def _fit(world: World, noted: Noted) -> Dimension:
    why = [
        ScorePoint(text=h.text, lost=60.0, act=h.act)
        for h in _harmed(world, "burst", "condemned_good", "tripped")
    ]
    if not world.runs_well():
        why.append(ScorePoint(text="As it is left, it does not start and keep running.", lost=60.0))
    elif not world.cured():
        why.append(
            ScorePoint(text="It starts, but what was wrong is still there: it will be back.", lost=60.0)
        )
    done = {
        _SAME.get(part, part)
        for _, part, number in world.changed
        if part not in ("start_kit", "soft_starter") or number
    }
    told = {_SAME.get(part, part) for part in noted.changed}
    for part in sorted(done - told):
        why.append(ScorePoint(text=f"Fitted and not on the record: {part.replace('_', ' ')}.", lost=10.0))
    for part in sorted(told - done):
        why.append(ScorePoint(text=f"On the record and not fitted: {part.replace('_', ' ')}.", lost=20.0))
    return _sheet("fit", why, "What was wrong is fixed, and nothing else was changed.")


def _wiring(world: World) -> Dimension | None:
    wired = [t for t in world.told if t.text.startswith("Wired:")]
    if not wired and "wiring" not in world.scenario.teaches:
        return None
    why = []
    if not wired:
        why.append(ScorePoint(text="Nothing was wired and checked.", lost=100.0))
    for h in _harmed(world, "control_fuse", "bang"):
        why.append(ScorePoint(text=h.text, lost=40.0, act=h.act))
    for fault in world.faults[:3]:
        why.append(
            ScorePoint(text=f"{fault.text} {fault.effect}", lost=50.0, act=wired[-1].act if wired else None)
        )
    return _sheet("wiring", why, "Wired as planned, electrically.")


def _circuit(world: World, noted: Noted) -> Dimension | None:
    if not world.scenario.traps.old_breaker and not noted.circuit_seen:
        return None
    why = []
    most = world.case.plate.mocp_a
    if not noted.circuit_seen:
        why.append(ScorePoint(text="The circuit was not looked at.", lost=50.0))
    if most is not None and world.breaker_a > most:
        text = f"A {world.breaker_a:g} A breaker stays on a unit whose largest is {most:g} A."
        why.append(ScorePoint(text=text, lost=60.0))
    return _sheet("circuit", why, "Breaker and wire are lawful for this unit.")


def _hand_over(world: World, noted: Noted) -> Dimension:
    why = []
    if not noted.handed_over:
        why.append(ScorePoint(text="The call was not handed over.", lost=100.0))
    elif noted.left_running is not None and noted.left_running != world.runs_well():
        told = "runs" if noted.left_running else "does not run"
        why.append(ScorePoint(text=f"The customer was told that it {told}; it is otherwise.", lost=70.0))
    return _sheet("hand_over", why, "Handed over as it is.")


def _told(world: World) -> list[TestTold]:
    """Return each test with what it did to the true cause's share, and what would have told most."""
    titles = {t.test: t.title for t in diagnosis_tests()}
    readings: list[Evidence] = []
    found = []
    case, cause = world.scenario.case, world.scenario.cause
    out = diagnose(case.entry([], "dead"))

    def share() -> float:
        return next((r.probability for r in out.ranked if r.hypothesis == cause), 0.0)

    for done in world.tests:
        before, best = share(), out.next_tests[0].test if out.next_tests else None
        readings += done.evidence
        out = diagnose(case.entry(readings, "dead"))
        found.append(
            TestTold(
                test=done.test,
                title=titles[done.test],
                act=done.act,
                before=round(before, 3),
                after=round(share(), 3),
                best=None if best in (None, done.test) else titles[str(best)],
            )
        )
    return found


__all__ = ["Note", "Noted", "Score", "act_words", "expert_path", "play", "score_of"]
