"""What is to come back for: tasks with a due date, who has them, and what became of each."""

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any, Literal

import peewee
from pydantic import AwareDatetime, Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.handover.follow_ups import FollowUp
from orange_crank.core.handover.record import HandedOver
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Day, Frozen, Sentence
from orange_crank.store.calls.hand_over import HandOverOut, get_hand_over, hand_to
from orange_crank.store.database import local_day, now, transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import Person, ServiceCall, Site, Task, TaskStep, Unit
from orange_crank.store.units import standing

Status = Literal["open", "done", "dropped"]
MOST = 1_000


class TaskStepOut(Frozen):
    """What became of a task."""

    what: str
    reason: str
    due_on: date | None
    assigned: str | None
    happened_at: AwareDatetime
    person: str


class TaskOut(Frozen):
    """A task as it is now."""

    id: int
    code: str
    title: str
    why: str
    due_on: date
    overdue: bool = Field(description="Past its day, by the shop's own date")
    status: Status
    version: int
    unit_id: int
    unit: str
    site_id: int
    site: str
    call_id: int | None
    assigned_id: int | None
    assigned: str | None
    made_at: AwareDatetime
    steps: list[TaskStepOut]


class NewTask(Frozen):
    """A task written by hand."""

    unit_id: int
    title: str = Field(strict=True, min_length=3, max_length=200)
    why: Sentence = ""
    due_on: Day
    assigned_id: int | None = None


class KeepFollowUps(Frozen):
    """Which of a call's follow-ups become tasks."""

    codes: list[str] = Field(min_length=1, max_length=40)
    assigned_id: int | None = None


class TaskMove(Frozen):
    """What becomes of a task; ``version`` is the one it was seen at."""

    version: int
    what: Literal["done", "postponed", "dropped", "given"]
    reason: str = Field(default="", strict=True, max_length=400)
    due_on: Day | None = None
    assigned_id: int | None = None


def list_tasks(
    status: Status | None = "open",
    person_id: int | None = None,
    site_id: int | None = None,
    unit_id: int | None = None,
) -> list[TaskOut]:
    """Return tasks, soonest due first; of a person, a site or a unit."""
    where: list[Any] = []
    if status is not None:
        where.append(Task.status == status)
    if person_id is not None:
        where.append(Task.assigned == person_id)
    if site_id is not None:
        where.append(Unit.site == site_id)
    if unit_id is not None:
        where.append(Task.unit == unit_id)
    return _out(where)


def _out(where: list[Any]) -> list[TaskOut]:
    holder = Person.alias()
    query: Any = (
        Task.select(Task, Unit, Site, holder)
        .join(Unit)
        .join(Site)
        .switch(Task)
        .join(holder, peewee.JOIN.LEFT_OUTER, on=(Task.assigned == holder.id))
        .order_by(Task.due_on, Task.id)
        .limit(MOST)
    )
    rows = list(query.where(*where) if where else query)
    steps = _steps([r.id for r in rows])
    today = local_day(now())
    return [
        TaskOut(
            id=r.id,
            code=r.code,
            title=r.title,
            why=r.why,
            due_on=r.due_on,
            overdue=r.status == "open" and r.due_on < today,
            status=r.status,
            version=r.version,
            unit_id=r.unit_id,
            unit=r.unit.name,
            site_id=r.unit.site.id,
            site=r.unit.site.name,
            call_id=r.call_id,
            assigned_id=r.assigned_id,
            assigned=r.assigned.name if r.assigned is not None else None,
            made_at=r.made_at,
            steps=steps.get(r.id, []),
        )
        for r in rows
    ]


def _steps(task_ids: list[int]) -> dict[int, list[TaskStepOut]]:
    if not task_ids:
        return {}
    holder = Person.alias()
    rows: Any = (
        TaskStep.select(TaskStep, Person, holder)
        .join(Person, on=(TaskStep.person == Person.id))
        .switch(TaskStep)
        .join(holder, peewee.JOIN.LEFT_OUTER, on=(TaskStep.assigned == holder.id), attr="holder")
        .where(TaskStep.task.in_(task_ids))
        .order_by(TaskStep.id)
    )
    found: dict[int, list[TaskStepOut]] = {}
    for r in rows:
        found.setdefault(r.task_id, []).append(
            TaskStepOut(
                what=r.what,
                reason=r.reason,
                due_on=r.due_on,
                assigned=getattr(r, "holder", None) and r.holder.name,
                happened_at=r.happened_at,
                person=r.person.name,
            )
        )
    return found


def get_task(task_id: int) -> TaskOut:
    """Return one task.

    Raises
    ------
    NotFound : no task has that number

    """
    found = _out([Task.id == task_id])
    if not found:
        raise NotFound(
            msg("Task {task_id} is not on record.", task_id=task_id), next_step=msg("Look at the due list.")
        )
    return found[0]


def add_task(entry: NewTask, person_id: int) -> TaskOut:
    """Write a task down by hand.

    Raises
    ------
    NotFound : no such unit
    InputProblem : no person has that number

    """
    unit_id = standing(entry.unit_id)
    if Unit.get_or_none(Unit.id == unit_id) is None:
        raise NotFound(
            msg("Unit {unit_id} is not on record.", unit_id=entry.unit_id),
            next_step=msg("Pick a unit from the list."),
        )
    _somebody(entry.assigned_id)
    with transaction():
        row = Task.create(
            unit=unit_id,
            code="OWN",
            title=entry.title.strip(),
            why=entry.why,
            due_on=entry.due_on,
            assigned=entry.assigned_id,
            made_at=now(),
            person=person_id,
        )
    return get_task(row.id)


def hand_over(call_id: int, entry: HandedOver, person_id: int, at: datetime | None = None) -> HandOverOut:
    """Write down to whom a call was handed over; every promised visit or telephone call becomes a task.

    Raises
    ------
    NotFound : no such call

    """
    with transaction():
        out = hand_to(call_id, entry, person_id, at)
        promised = [f for f in out.hand_over.come_back if f.kind != "suggestion"]
        _keep(call_id, promised, person_id, person_id)
    return out


def keep_follow_ups(call_id: int, entry: KeepFollowUps, person_id: int) -> list[TaskOut]:
    """Make tasks of a call's follow-ups; one that is kept already stays as it is.

    Raises
    ------
    NotFound : no such call
    InputProblem : a code that is none of this call's follow-ups

    """
    offered = {f.code: f for f in get_hand_over(call_id).hand_over.come_back}
    _somebody(entry.assigned_id)
    with transaction():
        there = _codes_of(call_id)
        for code in entry.codes:
            if code not in there and code not in offered:
                raise InputProblem(
                    [FieldProblem(field="codes", wanted=msg("follow-ups of this call"), got=code)],
                    next_step=msg("Look at what the hand-over offers now."),
                )
        chosen = [offered[code] for code in dict.fromkeys(entry.codes) if code in offered]
        _keep(call_id, chosen, entry.assigned_id or person_id, person_id)
    return tasks_of_call(call_id)


def _codes_of(call_id: int) -> set[str]:
    return {t.code for t in Task.select(Task.code).where(Task.call == call_id)}


def _keep(call_id: int, follow_ups: Sequence[FollowUp], assigned_id: int, person_id: int) -> None:
    """Make a task of each follow-up that the call has not kept yet; called inside a transaction."""
    unit_id = ServiceCall.select(ServiceCall.unit).where(ServiceCall.id == call_id).scalar()
    there = _codes_of(call_id)
    for f in follow_ups:
        if f.code not in there:
            Task.create(
                unit=unit_id,
                call=call_id,
                code=f.code,
                title=f.title[:200],
                why=f.why,
                due_on=f.due_on,
                assigned=assigned_id,
                made_at=now(),
                person=person_id,
            )


def tasks_of_call(call_id: int) -> list[TaskOut]:
    """Return what was kept of a call's follow-ups."""
    return _out([Task.call == call_id])


def move_task(task_id: int, move: TaskMove, person_id: int) -> TaskOut:
    """Write down what became of a task.

    Raises
    ------
    NotFound : no such task
    Conflict : a person moved it since, or it is done
    InputProblem : a new date or a reason is required

    """
    wants: dict[str, tuple[bool, str, str]] = {
        "postponed": (move.due_on is not None, "due_on", "the new day"),
        "given": (move.assigned_id is not None, "assigned_id", "who has it from now on"),
    }
    given, field, wanted = wants.get(move.what, (True, "", ""))
    if not given:
        raise InputProblem([FieldProblem(field=field, wanted=wanted, got=None)])
    if move.what in ("postponed", "dropped") and len(move.reason.strip()) < 3:
        raise InputProblem(
            [FieldProblem(field="reason", wanted=msg("why, in a few words"), got=move.reason)],
            next_step=msg("Say why; it stays on the record."),
        )
    _somebody(move.assigned_id)
    with transaction():
        row = Task.select().where(Task.id == task_id).for_update().get_or_none()
        if row is None:
            raise NotFound(
                msg("Task {task_id} is not on record.", task_id=task_id),
                next_step=msg("Look at the due list."),
            )
        if row.version != move.version or row.status != "open":
            raise Conflict(
                msg("Another person moved this task meanwhile."),
                next_step=msg("Look at what is there now, then say it again if it still holds."),
            )
        fields: dict[str, Any] = {"version": row.version + 1}
        if move.what in ("done", "dropped"):
            fields["status"] = move.what
        if move.what == "postponed":
            fields["due_on"] = move.due_on
        if move.assigned_id is not None:
            fields["assigned"] = move.assigned_id
        Task.update(**fields).where(Task.id == task_id).execute()
        TaskStep.create(
            task=task_id,
            what=move.what,
            reason=move.reason.strip(),
            due_on=move.due_on if move.what == "postponed" else None,
            assigned=move.assigned_id,
            happened_at=now(),
            person=person_id,
        )
    return get_task(task_id)


def _somebody(person_id: int | None) -> None:
    if person_id is not None and Person.get_or_none((Person.id == person_id) & Person.active) is None:
        raise InputProblem(
            [
                FieldProblem(
                    field="assigned_id", wanted=msg("the number of one of the shop's people"), got=person_id
                )
            ]
        )
