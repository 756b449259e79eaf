"""Practice calls: their runs and acts with the shop, their records in a schema of their own."""

import json
import threading
from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

import peewee
from pydantic import AwareDatetime

from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.calls.opening import NewCall, open_call
from orange_crank.store.database import now, proxy, records_of, schema_name, session, transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import (
    TABLES,
    CaptureRow,
    Person,
    Photo,
    PracticeAct,
    PracticeRun,
    PracticeSet,
    ServiceCall,
    Site,
    SoundRow,
    Unit,
)
from orange_crank.store.people import PersonOut
from orange_crank.store.schema import lay_out
from orange_crank.store.units import NewSite, NewUnit, add_site, add_unit

# Numbers of what is practised begin here: none of them is ever that of something of the shop's.
PRACTICE_FROM = 1_000_001
MOST_ACTS = 400
MOST_RESULTS = 500
SITE = "Practice yard"
# What a practice call knows of the shop: its people, standards, details, prices and vans.
_BY_NAME = ("person",)
_BESIDE = ("shop_standard", "shop_detail", "own_part", "part_price", "stock_want", "stock_move")
# Path parameters that name something of one call.
_OF_A_CALL: dict[str, Any] = {
    "call_id": ServiceCall,
    "capture_id": CaptureRow,
    "sound_id": SoundRow,
    "photo_id": Photo,
}
_lock = threading.Lock()
_ready: set[str] = set()


class PracticeRunOut(Frozen):
    """A practice call, as far as the shop keeps it."""

    id: int
    scenario: str
    learner_id: int
    learner: str
    call_number: int
    race: str | None
    started_at: AwareDatetime
    ended_at: AwareDatetime | None
    total: float | None
    passed: bool | None
    minutes: float | None
    acts: int
    missed: list[str]


class SetOut(Frozen):
    """A call that the lead set a person."""

    id: int
    scenario: str
    learner_id: int
    learner: str
    due_on: date
    by: str


def ready() -> None:
    """Lay out the records of practice where they are not yet, and bring the shop's people to them.

    Called without an open session.
    """
    own = schema_name()
    with _lock:
        if own not in _ready or not _stands():
            with session():
                taken = proxy.obj.execute_sql(f"SELECT GET_LOCK('{own}-practice', 60)").fetchone()[0]
                if taken != 1:
                    raise GateClosed(
                        msg("Practice is being laid out."), next_step=msg("Try again in a minute.")
                    )
                try:
                    _lay_out()
                finally:
                    proxy.obj.execute_sql(f"SELECT RELEASE_LOCK('{own}-practice')")
            _ready.add(own)
    with records_of(practice=True), session(), transaction():
        _bring(own)


def _stands() -> bool:
    """Return whether the records of practice are there, and number what comes as theirs.

    Other records may have been put in the place of these since, or a database that broke may have forgotten
    how far tables without a row had counted: a number of the shop's must never be given twice.
    """
    with records_of(practice=True):
        name = schema_name()
    with session():
        counted = proxy.obj.execute_sql(
            "SELECT MIN(auto_increment) FROM information_schema.tables WHERE table_schema = %s "
            "AND table_name IN ('service_call', 'unit', 'site', 'reading')",
            (name,),
        ).fetchone()[0]
    return counted is not None and counted >= PRACTICE_FROM


def is_laid_out() -> bool:
    """Return whether anyone ever practised here; called without an open session."""
    with records_of(practice=True):
        name = schema_name()
    with session():
        found = proxy.obj.execute_sql(
            "SELECT COUNT(*) FROM information_schema.schemata WHERE schema_name = %s", (name,)
        ).fetchone()
    return bool(found[0])


def _lay_out() -> None:
    own = schema_name()
    with records_of(practice=True):
        beside = schema_name()
    proxy.obj.execute_sql(
        f"CREATE DATABASE IF NOT EXISTS `{beside}` CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci"
    )
    assert own != beside
    failed: list[BaseException] = []

    def work() -> None:
        # A connection of its own: this thread's is in the shop's schema, and holds the lock.
        try:
            with records_of(practice=True):
                lay_out()
                with session():
                    for table in TABLES:
                        name = table._meta.table_name
                        if name not in ("person", "shop_fact"):
                            proxy.obj.execute_sql(f"ALTER TABLE `{name}` AUTO_INCREMENT = {PRACTICE_FROM}")
        except BaseException as error:
            failed.append(error)

    thread = threading.Thread(target=work, name="practice-layout")
    thread.start()
    thread.join()
    if failed:
        raise failed[0]


def _bring(own: str) -> None:
    """Bring the shop's people, standards, prices and vans over; what was used in practice is put back."""
    execute = proxy.obj.execute_sql
    for name in _BY_NAME:
        execute(
            f"INSERT INTO `{name}` SELECT * FROM `{own}`.`{name}` ON DUPLICATE KEY UPDATE "
            "name = VALUES(name), role = VALUES(role), initials = VALUES(initials), active = VALUES(active)"
        )
    for name in _BESIDE:
        columns = ", ".join(f"`{f.column_name}`" for f in _model(name)._meta.sorted_fields)
        # What refers to one of the shop's calls refers to none here.
        wanted = columns.replace("`call_id`", "NULL")
        execute(f"INSERT IGNORE INTO `{name}` ({columns}) SELECT {wanted} FROM `{own}`.`{name}`")
    execute(
        "INSERT INTO stock_move (part, holder_id, moved_count, reason, moved_at, person_id) "
        "SELECT part, holder_id, -SUM(moved_count), 'counted', UTC_TIMESTAMP(6), holder_id FROM stock_move "
        f"WHERE id >= {PRACTICE_FROM} GROUP BY part, holder_id HAVING SUM(moved_count) <> 0"
    )


def _model(name: str) -> type[peewee.Model]:
    return next(t for t in TABLES if t._meta.table_name == name)


def open_practice_call(title: str, kind: str, complaint: str, person_id: int) -> int:
    """Open a call on a new unit among the records of practice, and return its number."""
    with records_of(practice=True), session(), transaction():
        # A yard of its own: nothing is learned of one practice unit from another beside it. A row that is
        # locked lets two that begin at once find different numbers.
        Person.select(Person.id).order_by(Person.id).limit(1).for_update().execute()
        yard = f"{SITE} {Site.select().count() + 1}"
        site = add_site(NewSite(name=yard, place="Nothing here is a real unit", access_note="Practice."))
        unit = add_unit(NewUnit(site_id=site.id, name=title[:80], kind=kind))
        return open_call(NewCall(unit_id=unit.id, complaint=complaint[:400]), person_id).id


def add_run(scenario: str, learner: PersonOut, call_number: int, race: str | None) -> PracticeRunOut:
    """Write down that a practice call was begun."""
    row = PracticeRun.create(
        scenario=scenario, learner=learner.id, call_number=call_number, race=race, started_at=now()
    )
    return get_run(row.id)


def _runs() -> Any:
    acts = (
        PracticeAct.select(peewee.fn.COUNT(PracticeAct.id))
        .where(PracticeAct.run == PracticeRun.id)
        .alias("acts_count")
    )
    return PracticeRun.select(PracticeRun, Person, acts).join(Person)


def _out(row: Any) -> PracticeRunOut:
    score = json.loads(row.score) if row.score else {}
    return PracticeRunOut(
        id=row.id,
        scenario=row.scenario,
        learner_id=row.learner_id,
        learner=row.learner.name,
        call_number=row.call_number,
        race=row.race,
        started_at=row.started_at,
        ended_at=row.ended_at,
        total=row.total,
        passed=row.passed,
        minutes=row.minutes,
        acts=int(row.acts_count),
        missed=list(score.get("missed", [])),
    )


def get_run(run_id: int) -> PracticeRunOut:
    """Return one practice call.

    Raises
    ------
    NotFound : no such run

    """
    return _one(PracticeRun.id == run_id, f"Practice call {run_id} is not on record.")


def run_of_call(call_number: int) -> PracticeRunOut:
    """Return the practice call whose record a call is.

    Raises
    ------
    NotFound : no such run

    """
    return _one(PracticeRun.call_number == call_number, f"Call {call_number} is no practice call.")


def owner_of(path: Mapping[str, str]) -> int | None:
    """Return whose practice record an address names; None where it names none.

    Parameters
    ----------
    path : path parameters of a route under ``/practice``

    """
    with session():
        for name, model in _OF_A_CALL.items():
            number = path.get(name, "")
            if number.isascii() and number.isdigit() and len(number) < 10:
                row = model.get_or_none(model.id == int(number))
                call = row if model is ServiceCall or row is None else row.call
                return None if call is None else int(call.opened_by_id)
        unit = path.get("unit_id", "")
        if unit.isascii() and unit.isdigit() and len(unit) < 10:
            first = ServiceCall.select().where(ServiceCall.unit == int(unit)).order_by(ServiceCall.id).first()
            return None if first is None else int(first.opened_by_id)
    return None


def learner_of(call_number: int) -> int | None:
    """Return whose practice call it is; None where there is none of that number."""
    row = PracticeRun.get_or_none(PracticeRun.call_number == call_number)
    return None if row is None else int(row.learner_id)


def _one(which: Any, otherwise: str) -> PracticeRunOut:
    row = _runs().where(which).get_or_none()
    if row is None:
        raise NotFound(otherwise, next_step=msg("Begin one: Start lab, then Practice."))
    return _out(row)


def list_runs(learner_id: int | None = None) -> list[PracticeRunOut]:
    """Return practice calls, newest first, of one learner or of everybody."""
    query = _runs().order_by(PracticeRun.id.desc()).limit(MOST_RESULTS)
    if learner_id is not None:
        query = query.where(PracticeRun.learner == learner_id)
    return [_out(row) for row in query]


def list_race(race: str) -> list[PracticeRunOut]:
    """Return the runs of a race, as they were begun."""
    return [_out(row) for row in _runs().where(PracticeRun.race == race).order_by(PracticeRun.id)]


def acts_of(run_id: int) -> list[Any]:
    """Return the acts of a run, in their order."""
    rows = PracticeAct.select(PracticeAct.body).where(PracticeAct.run == run_id).order_by(PracticeAct.number)
    return [json.loads(row.body) for row in rows]


def act_times(run_id: int) -> list[AwareDatetime]:
    """Return when each act of a run was done, in their order."""
    rows = (
        PracticeAct.select(PracticeAct.done_at).where(PracticeAct.run == run_id).order_by(PracticeAct.number)
    )
    return [row.done_at for row in rows]


def add_act(run: PracticeRunOut, number: int, body: dict[str, Any]) -> bool:
    """Write an act down under its number; return whether it is new.

    Raises
    ------
    GateClosed : the call is over
    Conflict : another act has that number, or one before it is missing
    InputProblem : more acts than a call can have

    """
    if run.ended_at is not None:
        raise GateClosed(
            msg("This practice call is over."), next_step=msg("Look at its score, or begin another.")
        )
    if number > MOST_ACTS:
        raise InputProblem(
            [
                FieldProblem(
                    field="number", wanted=msg("at most {most_acts} acts", most_acts=MOST_ACTS), got=number
                )
            ],
            next_step=msg("End the call and look at its score."),
        )
    said = json.dumps(body, sort_keys=True)
    with transaction():
        PracticeRun.select().where(PracticeRun.id == run.id).for_update().get()
        kept = PracticeAct.get_or_none((PracticeAct.run == run.id) & (PracticeAct.number == number))
        if kept is not None:
            if kept.body == said:
                return False
            raise Conflict(
                msg("Another screen did something at this unit meanwhile."),
                next_step=msg("Look at it again."),
            )
        last = PracticeAct.select().where(PracticeAct.run == run.id).count()
        if number != last + 1:
            raise Conflict(
                msg("Another screen acted on this unit. Reload and try again."),
                next_step=msg("Look at it again."),
            )
        PracticeAct.create(run=run.id, number=number, body=said, done_at=now())
    return True


def end_run(run_id: int, total: float, passed: bool, minutes: float, score: str) -> PracticeRunOut:
    """Write a score down; a call that is over keeps the one it has."""
    PracticeRun.update(ended_at=now(), total=total, passed=passed, minutes=minutes, score=score).where(
        (PracticeRun.id == run_id) & PracticeRun.ended_at.is_null()
    ).execute()
    return get_run(run_id)


def score_text(run_id: int) -> str | None:
    """Return the score sheet of a run as it was kept."""
    row = PracticeRun.get_or_none(PracticeRun.id == run_id)
    return None if row is None else row.score


def set_call(scenario: str, learners: Sequence[int], due_on: date, by: PersonOut) -> None:
    """Set a practice call to a person.

    Raises
    ------
    GateClosed : not the lead
    InputProblem : no active person has that number

    """
    if by.role != "lead":
        raise GateClosed(
            msg("The lead sets practice calls."), next_step=msg("Ask the lead, or begin one yourself.")
        )
    known = {p.id for p in Person.select(Person.id).where(Person.active)}
    for learner in learners:
        if learner not in known:
            raise InputProblem(
                [FieldProblem(field="learners", wanted=msg("people of this shop"), got=learner)]
            )
    with transaction():
        for learner in dict.fromkeys(learners):
            PracticeSet.create(scenario=scenario, learner=learner, due_on=due_on, set_at=now(), person=by.id)


def list_sets() -> list[tuple[SetOut, AwareDatetime]]:
    """Return what was set, with when it was, oldest first."""
    setter = Person.alias()
    rows = (
        PracticeSet.select(PracticeSet, Person, setter)
        .join(Person, on=(PracticeSet.learner == Person.id))
        .switch(PracticeSet)
        .join(setter, on=(PracticeSet.person == setter.id))
        .order_by(PracticeSet.id)
    )
    return [
        (
            SetOut(
                id=r.id,
                scenario=r.scenario,
                learner_id=r.learner_id,
                learner=r.learner.name,
                due_on=r.due_on,
                by=r.person.name,
            ),
            r.set_at,
        )
        for r in rows
    ]


def practice_unit_of(call_number: int) -> str:
    """Return the name of the unit of a practice call; called among the records of practice."""
    row = ServiceCall.select(ServiceCall, Unit).join(Unit).where(ServiceCall.id == call_number).get_or_none()
    return "" if row is None else str(row.unit.name)
