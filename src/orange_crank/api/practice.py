"""Practice over HTTP: calls against a hidden fault, done act by act, and what they were worth.

Runs and results lie with the shop; the record of a practice call lies in a schema of its own, which the same
screens reach under ``/practice``.
"""

import secrets
import threading
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Path, Response
from pydantic import Field

from orange_crank.api.door import Who
from orange_crank.api.keyed import Key
from orange_crank.api.shop import Number
from orange_crank.bench.practice.acts import Act
from orange_crank.bench.practice.noted import noted_of
from orange_crank.bench.practice.progress import PracticeDue, Result, SkillState, due_list, due_of, skills_of
from orange_crank.bench.practice.scenario import Scenario, find_scenario, graded
from orange_crank.bench.practice.score import Score, score_of
from orange_crank.bench.practice.world import Start, World
from orange_crank.core.aids.parts import shipped_parts
from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.measure.live_meter import Fill
from orange_crank.core.messages import msg, written_for
from orange_crank.core.motor.sound import sound_of_start
from orange_crank.core.nomenclature import Day, Frozen
from orange_crank.formats.wav import write_wav
from orange_crank.store import practice
from orange_crank.store.calls.record import read_call
from orange_crank.store.calls.work import get_work
from orange_crank.store.database import local_day, now, records_of, session
from orange_crank.store.errors import NotFound
from orange_crank.store.once import answered, once

router = APIRouter(prefix="/api/practice", tags=["practice"])

KEPT_WORLDS = 40
AID_KINDS = ("kit_ptc", "kit_two_wire", "kit_three_wire", "soft_starter")
Race = Annotated[str, Path(pattern=r"^[A-Z2-9]{6}$")]


class ScenarioOut(Frozen):
    """A graded call, with a person's best result."""

    key: str
    number: int
    title: str
    level: int
    complaint: str
    best: float | None = Field(description="Best score so far [of 100]")
    passed: bool
    due_on: date | None


class PracticeHome(Frozen):
    """The practice calls there are, with a person's results."""

    scenarios: list[ScenarioOut]
    due: list[PracticeDue]
    sets: list[practice.SetOut] = Field(description="Set by the lead and not done yet")
    skills: list[SkillState]
    runs: list[practice.PracticeRunOut] = Field(description="One's own, newest first")
    everybody: list[practice.PracticeRunOut] = Field(description="The shop's, for the lead; else empty")


class NewRun(Frozen):
    """A practice call to be begun: a graded one, one of a seed, or a race that was opened."""

    scenario: Annotated[str, Field(max_length=60)] | None = None
    level: Annotated[int, Field(ge=1, le=3)] | None = None
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] | None = None
    race: Annotated[str, Field(pattern=r"^[A-Z2-9]{6}$")] | None = Field(
        default=None, description="Code of a race, to join it"
    )
    open_race: bool = Field(default=False, description="Whether others may race on the same seed")


class NewAct(Frozen):
    """An act under its number: the same number again is the same act."""

    number: Annotated[int, Field(ge=1, le=10_000)]
    act: Act


class ToldOut(Frozen):
    """Something a person did, saw or caused."""

    act: int
    at_s: float
    kind: str
    text: str


class HarmOut(Frozen):
    """A mistake that had its consequence."""

    act: int
    code: str
    text: str
    skipped: list[str]
    hurts: bool
    cost: float = Field(description="What it would have cost [dollars]")


class MeterNow(Frozen):
    """What the practice meter shows."""

    text: str
    value: float | None = Field(description="None where it shows no figure")
    unit: str
    low: float | None = Field(description="Lowest volts while a start was watched")
    armed: bool
    mode: str
    red: str | None
    black: str | None
    clamp: str | None
    fill: Fill | None = Field(description="The reading it may be taken as")


class AidPartOut(Frozen):
    """A start aid that can be fitted in practice."""

    part: str
    title: str


class RunState(Frozen):
    """A practice call as it is now at the unit."""

    run: practice.PracticeRunOut
    title: str
    complaint: str
    at_s: float = Field(description="Time since arrival, as it would have passed")
    meter: MeterNow
    switches: dict[str, bool]
    locked: bool
    leads_off: list[str]
    kit: str | None
    told: list[ToldOut]
    harms: list[HarmOut]
    starts: int
    aids: list[AidPartOut]
    relays: list[AidPartOut]


class StartWatched(Frozen):
    """A start as the model ran it."""

    number: int
    act: int = Field(description="The act it was made by")
    started: bool
    time_s: list[float]
    line_a: list[float]
    speed_pct: list[float]
    line_v: list[float]
    start_winding_v: list[float]


class ScoreOut(Frozen):
    """The score sheet of a call with its time line."""

    run: practice.PracticeRunOut
    score: Score
    told: list[ToldOut]
    starts: list[StartWatched]
    race: list[practice.PracticeRunOut]


class NewSet(Frozen):
    """A call the lead sets."""

    scenario: Annotated[str, Field(max_length=60)]
    learners: Annotated[list[int], Field(min_length=1, max_length=60)]
    due_on: Day


class _Worlds:
    """Worlds worked out already, by run and number of acts: a saving, never the truth."""

    def __init__(self) -> None:
        self._kept: OrderedDict[int, tuple[str, int, World]] = OrderedDict()
        self._lock = threading.Lock()

    @contextmanager
    def world(self, run: practice.PracticeRunOut, acts: list[Any]) -> Iterator[World]:
        """Hold the world of a run after its acts; an error within lets it be worked out again."""
        with self._lock:
            kept = self._kept.pop(run.id, None)
        stamp = run.started_at.isoformat()
        if kept is not None and kept[0] == stamp and kept[1] <= len(acts):
            world, done = kept[2], kept[1]
        else:
            world, done = World(scenario_of(run.scenario)), 0
        for body in acts[done:]:
            world.do(Act.model_validate(body))
        yield world
        with self._lock:
            self._kept[run.id] = (stamp, world.count, world)
            while len(self._kept) > KEPT_WORLDS:
                self._kept.popitem(last=False)


WORLDS = _Worlds()


@contextmanager
def _shop() -> Iterator[None]:
    """Speak to the shop's own records, whichever screen asks."""
    with records_of(practice=False), session():
        yield


def scenario_of(key: str) -> Scenario:
    """Return the call of a key.

    Raises
    ------
    InputProblem : there is none

    """
    found = find_scenario(key)
    if found is None:
        raise InputProblem(
            [FieldProblem(field="scenario", wanted=msg("a practice call of the list"), got=key)],
            next_step=msg("Pick one of the list, or a level."),
        )
    return found


def _mine(run: practice.PracticeRunOut, who: Who) -> None:
    if run.learner_id != who.id:
        raise GateClosed(
            msg("This practice call is {learner}'s.", learner=run.learner),
            next_step=msg("Begin your own: Start lab, then Practice."),
        )


@router.get("")
def practice_home(who: Who) -> PracticeHome:
    """Return the practice calls, those due, and one's own results."""
    with _shop():
        runs, sets = practice.list_runs(who.id), practice.list_sets()
        everybody = practice.list_runs() if who.role == "lead" else []
    results = results_of(runs)
    today = local_day(now())
    done = {(r.learner_id, r.scenario): r.ended_at for r in reversed(runs) if r.ended_at is not None}
    left = []
    for one, set_at in sets:
        ended = done.get((one.learner_id, one.scenario))
        if one.learner_id == who.id and (ended is None or ended < set_at):
            left.append(one)
    return PracticeHome(
        scenarios=[_scenario_out(s, results) for s in graded()],
        due=due_list(results, today),
        sets=left,
        skills=skills_of(results),
        runs=runs[:60],
        everybody=everybody,
    )


def results_of(runs: list[practice.PracticeRunOut]) -> list[Result]:
    """Return the runs that came to their end."""
    return [
        Result(r.scenario, local_day(r.ended_at), r.total, bool(r.passed), tuple(r.missed))
        for r in runs
        if r.ended_at is not None and r.total is not None
    ]


def _scenario_out(s: Scenario, results: list[Result]) -> ScenarioOut:
    mine = [r for r in results if r.key == s.key]
    return ScenarioOut(
        key=s.key,
        number=s.number or 0,
        title=s.title,
        level=s.level,
        complaint=s.complaint,
        best=max((r.total for r in mine), default=None),
        passed=any(r.passed for r in mine),
        due_on=due_of(s.key, results),
    )


@router.post("/runs", status_code=201)
def begin_run(entry: NewRun, who: Who, key: Key) -> practice.PracticeRunOut:
    """Begin a practice call: a unit with a hidden fault, and a call on it among the records of practice."""
    with _shop():
        begun = answered(key)
        if begun is not None:
            return practice.get_run(begun)
    code = entry.race
    if code is not None:
        with _shop():
            race = practice.list_race(code)
        if not race:
            raise NotFound(
                msg("No race is called {code}.", code=code), next_step=msg("Ask for its six letters again.")
            )
        if any(r.learner_id == who.id for r in race):
            raise GateClosed(msg("You run in this race already."), next_step=msg("Go on with your call."))
        name = race[0].scenario
    elif entry.scenario is not None:
        name = entry.scenario
    elif entry.level is not None:
        seed = entry.seed if entry.seed is not None else secrets.randbelow(1_000_000)
        name = f"seed-{entry.level}-{seed}"
    else:
        raise InputProblem(
            [FieldProblem(field="scenario", wanted=msg("a call of the list, a level or a race"), got=None)],
            next_step=msg("Pick what to practise."),
        )
    scenario = scenario_of(name)
    if entry.open_race and code is None:
        code = "".join(secrets.choice("ABCDEFGHJKLMNPQRSTUVWXYZ23456789") for _ in range(6))
    with records_of(practice=False):
        practice.ready()
    call = practice.open_practice_call("Practice unit", "Split, single phase", scenario.complaint, who.id)
    with _shop():
        return once(
            key,
            lambda: practice.add_run(name, who, call, code),
            lambda number: practice.get_run(number or 0),
            lambda run: run.id,
        )


@router.get("/calls/{call_id}")
def run_state(call_id: Number) -> RunState:
    """Return a practice call as it is now at the unit."""
    with _shop():
        run = practice.run_of_call(call_id)
        acts = practice.acts_of(run.id)
    with WORLDS.world(run, acts) as world:
        return state_out(run, world)


@router.post("/calls/{call_id}/acts")
def do_act(call_id: Number, entry: NewAct, who: Who) -> RunState:
    """Do something at the unit; the same number again does nothing twice."""
    with _shop():
        run = practice.run_of_call(call_id)
        _mine(run, who)
        acts = practice.acts_of(run.id)
    act = _with_wiring(call_id, entry.act)
    body = act.model_dump(mode="json", exclude_none=True)
    if entry.number > len(acts):
        with WORLDS.world(run, acts) as world:
            world.do(act)
            with _shop():
                practice.add_act(run, entry.number, body)
    else:
        with _shop():
            practice.add_act(run, entry.number, body)
    return run_state(call_id)


def _with_wiring(call_id: int, act: Act) -> Act:
    """Take how it was wired from the call's record, where the act does not say it."""
    if act.verb != "wire" or act.wiring is not None:
        return act
    with records_of(practice=True), session():
        checked = get_work(call_id).as_wired
    if not checked:
        raise GateClosed(
            msg("Nothing was checked as wired on this call yet."),
            next_step=msg(
                "Plan it on Contactor & capacitors or Start aid, land each lead, check it as wired."
            ),
        )
    return act.model_copy(update={"wiring": checked[-1].checked.wiring})


@router.post("/calls/{call_id}/end")
def end_run(call_id: Number, who: Who) -> ScoreOut:
    """End a practice call and score it; the score never changes after that."""
    with _shop():
        run = practice.run_of_call(call_id)
        _mine(run, who)
        acts = practice.acts_of(run.id)
    if run.ended_at is None:
        with WORLDS.world(run, acts) as world:
            score = _score(run, world)
        with _shop(), written_for(None):
            practice.end_run(run.id, score.total, score.passed, score.minutes, score.model_dump_json())
    return run_score(call_id)


def _score(run: practice.PracticeRunOut, world: World) -> Score:
    with _shop():
        times = practice.act_times(run.id)
    with records_of(practice=True), session():
        record = read_call(run.call_number)
    watched: list[int] = []
    for row in record.readings:
        if row.superseded_by is None and row.taken.entry.quantity == "inrush_a":
            acts = sum(1 for t in times if t <= row.recorded_at)
            watched.append(sum(1 for s in world.starts if s.act <= acts))
    return score_of(world, noted_of(record.facts, world, watched))


@router.get("/calls/{call_id}/score")
def run_score(call_id: Number) -> ScoreOut:
    """Return the score sheet of a call that is over, with its time line and its starts."""
    with _shop():
        run = practice.run_of_call(call_id)
        kept = practice.score_text(run.id)
        acts = practice.acts_of(run.id)
        race = practice.list_race(run.race) if run.race else []
    if kept is None:
        raise GateClosed(
            msg("This practice call is not over."), next_step=msg("End it, then look at its score.")
        )
    with WORLDS.world(run, acts) as world:
        told = _told(world)
    return ScoreOut(
        run=run,
        score=Score.model_validate_json(kept),
        told=told,
        starts=starts_of(run, acts),
        race=race,
    )


def starts_of(run: practice.PracticeRunOut, acts: list[Any]) -> list[StartWatched]:
    """Return each start of a run as the model ran it."""
    found = []
    for start, course in _courses(run, acts):
        every = max(1, len(course.at_s) // 200)
        speed = np.interp(course.at_s, np.arange(len(course.speed_pu)) * course.sample_s, course.speed_pu)
        found.append(
            StartWatched(
                number=start.number,
                act=start.act,
                started=start.started,
                time_s=_list(course.at_s[::every], 3),
                line_a=_list(course.line_a[::every], 1),
                speed_pct=_list(100 * speed[::every], 1),
                line_v=_list(course.line_v[::every], 1),
                start_winding_v=_list(course.start_winding_v[::every], 1),
            )
        )
    return found


def _courses(run: practice.PracticeRunOut, acts: list[Any]) -> Iterator[tuple[Start, Any]]:
    world = World(scenario_of(run.scenario))
    known = 0
    for body in acts:
        world.do(Act.model_validate(body))
        for start in world.starts[known:]:
            yield start, world.unit.last
        known = len(world.starts)


def _list(values: Any, digits: int) -> list[float]:
    return [float(v) for v in np.round(values, digits)]


@router.get("/calls/{call_id}/starts/{number}.wav", response_class=Response)
def start_sound(call_id: Number, number: Annotated[int, Path(ge=1, le=1_000)]) -> Response:
    """Return a start as sound, from the model's torque, current and speed (WAV)."""
    with _shop():
        run = practice.run_of_call(call_id)
        acts = practice.acts_of(run.id)
    for start, course in _courses(run, acts):
        if start.number == number:
            sound = sound_of_start(course.wave_a, course.torque_nm, course.speed_pu, course.sample_s)
            return Response(write_wav(sound), media_type="audio/wav")
    raise NotFound(
        msg("Start {number} was not heard on this call.", number=number),
        next_step=msg("Start the unit first."),
    )


@router.post("/sets", status_code=201)
def set_call(entry: NewSet, who: Who, key: Key) -> list[practice.SetOut]:
    """Set a practice call to one or several; the lead does."""
    scenario_of(entry.scenario)

    def known() -> list[practice.SetOut]:
        return [one for one, _ in practice.list_sets()]

    def run() -> list[practice.SetOut]:
        practice.set_call(entry.scenario, entry.learners, entry.due_on, who)
        return known()

    with _shop():
        return once(key, run, lambda _: known())


@router.get("/races/{race}")
def get_race(race: Race) -> list[practice.PracticeRunOut]:
    """Return who races on a seed, and how far they are."""
    with _shop():
        return practice.list_race(race)


def _told(world: World) -> list[ToldOut]:
    return [ToldOut(act=t.act, at_s=t.at_s, kind=t.kind, text=t.text) for t in world.told]


def state_out(run: practice.PracticeRunOut, world: World) -> RunState:
    """Return the state of a call at the unit."""
    unit, shown = world.unit, world.display
    value = shown.value if shown.value is not None and np.isfinite(shown.value) else None
    return RunState(
        run=run,
        title=world.scenario.title,
        complaint=world.scenario.complaint,
        at_s=round(world.at_s, 1),
        meter=MeterNow(
            text=shown.text,
            value=value,
            unit=shown.unit,
            low=shown.low,
            armed=shown.armed,
            mode=world.mode,
            red=world.red,
            black=world.black,
            clamp=world.clamp,
            fill=world.fill(),
        ),
        switches={
            "thermostat": unit.call,
            "disconnect": unit.disconnect,
            "breaker": not unit.breaker_tripped,
        },
        locked=world.locked,
        leads_off=sorted(world.leads_off),
        kit=world.kit_title or None,
        told=_told(world),
        harms=[
            HarmOut(act=h.act, code=h.code, text=h.text, skipped=list(h.skipped), hurts=h.hurts, cost=h.cost)
            for h in world.harms
        ],
        starts=len(world.starts),
        aids=[AidPartOut(part=p.part, title=p.title) for p in shipped_parts() if p.kind in AID_KINDS],
        relays=[AidPartOut(part=p.part, title=p.title) for p in shipped_parts() if p.kind == "relay"],
    )
