"""The work of a call on record: plans, what was fitted from which van, its proofs, and what stays."""

from datetime import datetime

from pydantic import AwareDatetime, BaseModel

from orange_crank.core.aids.work import (
    BackupProof,
    Kept,
    WantedProof,
    WorkDone,
    WorkPlan,
    one_change_at_a_time,
    wanted_proofs,
)
from orange_crank.core.errors import GateClosed
from orange_crank.core.measure.dead_tests import TakenReading
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import calls, parts
from orange_crank.store.database import now, transaction
from orange_crank.store.decisions import decision_rows, save_decision
from orange_crank.store.models import ChangeMade, DecisionRow, Person
from orange_crank.store.work_words import BACKUP, FITTED, KEPT, PLAN, Fitting


class FittedOut(Frozen):
    """A part fitted, as it stands on record."""

    id: int
    fitting: Fitting
    fitted_at: AwareDatetime
    person: str


class KeptOut(Frozen):
    """A decision to keep or take off, as it stands on record."""

    kept: Kept
    decided_at: AwareDatetime
    person: str


class PlanOut(Frozen):
    """A plan with what proves it."""

    plan: WorkPlan
    saved_at: AwareDatetime
    person: str
    proofs: list[WantedProof]


class WorkOut(Frozen):
    """The work of a call."""

    plans: list[PlanOut]
    fitted: list[FittedOut]
    kept: list[KeptOut]
    backup: BackupProof | None
    one_change: str | None
    moves: list[parts.MoveOut]


def get_work(call_id: int) -> WorkOut:
    """Return the work of a call, with the proofs its plans ask for."""
    call = calls.get_call(call_id)
    rows = decision_rows(call_id)
    fitted = [
        FittedOut(
            id=r.id, fitting=Fitting.model_validate_json(r.body), fitted_at=r.decided_at, person=r.person.name
        )
        for r in rows
        if r.kind == FITTED
    ]
    done = work_done(rows)
    backups = [BackupProof.model_validate_json(r.body) for r in rows if r.kind == BACKUP]
    backup = backups[-1] if backups else None
    readings = [
        TakenReading(id=r.id, entry=r.entry, taken_at=r.taken_at, person=r.person)
        for r in call.readings
        if r.superseded_by_id is None
    ]
    newest: dict[str, DecisionRow] = {}
    for r in rows:
        if r.kind == PLAN:
            newest[WorkPlan.model_validate_json(r.body).work] = r
    plans = []
    for r in newest.values():
        plan = WorkPlan.model_validate_json(r.body)
        if not plan.dropped:
            plans.append(
                PlanOut(
                    plan=plan,
                    saved_at=r.decided_at,
                    person=r.person.name,
                    proofs=wanted_proofs(plan, done, readings, backup),
                )
            )
    kept = [
        KeptOut(kept=Kept.model_validate_json(r.body), decided_at=r.decided_at, person=r.person.name)
        for r in rows
        if r.kind == KEPT
    ]
    return WorkOut(
        plans=plans,
        fitted=fitted,
        kept=kept,
        backup=backup,
        one_change=one_change_at_a_time(done),
        moves=parts.moves_of_call(call_id),
    )


def work_done(rows: list[DecisionRow]) -> list[WorkDone]:
    """Return what was fitted, oldest first."""
    out = []
    for r in rows:
        if r.kind == FITTED:
            fitting = Fitting.model_validate_json(r.body)
            out.append(WorkDone(work=fitting.work, title=fitting.what, fitted_at=r.decided_at))
    return out


def _append(call_id: int, kind: str, body: BaseModel, person_id: int, at: datetime | None) -> None:
    save_decision(call_id, kind, body.model_dump_json(), person_id, at)


def save_plan(call_id: int, plan: WorkPlan, person_id: int, at: datetime | None = None) -> WorkOut:
    """Write down a plan; the newest of a kind of work counts.

    Raises
    ------
    GateClosed : a move is ticked that was not, and the call is not proved dead

    """
    calls.require_open(call_id)
    before = [p.plan for p in get_work(call_id).plans if p.plan.work == plan.work]
    done = set(before[-1].ticked) if before and before[-1].title == plan.title else set()
    state = calls.get_call(call_id).state
    if set(plan.ticked) - done and state.state != "dead_proved":
        raise GateClosed(
            f"Wiring is dead work and the call is {state.words}. {state.why}",
            next_step="Fill in Make safe first, rung 1.",
        )
    _append(call_id, PLAN, plan, person_id, at)
    return get_work(call_id)


def fit_part(call_id: int, fitting: Fitting, person_id: int, at: datetime | None = None) -> WorkOut:
    """Write down a part as fitted: off the van, onto the unit's list of changes, all or nothing.

    Raises
    ------
    InputProblem : the van does not hold so many
    NotFound : no such part

    """
    calls.require_open(call_id)
    moment = at or now()
    with transaction():
        if fitting.holder_id is not None and fitting.part is not None:
            Person.select().where(Person.id == fitting.holder_id).for_update().get_or_none()
            parts.find_part(fitting.part)
            parts.take_from_van(fitting.part, fitting.count, fitting.holder_id, call_id, person_id, moment)
        ChangeMade.create(call=call_id, what=fitting.what.strip(), made_at=moment, person=person_id)
        _append(call_id, FITTED, fitting, person_id, moment)
    return get_work(call_id)


def decide_kept(call_id: int, kept: Kept, person_id: int, at: datetime | None = None) -> WorkOut:
    """Write down that the work stays or comes off again, with its reason.

    Raises
    ------
    GateClosed : nothing of that kind was fitted on this call

    """
    calls.require_open(call_id)
    rows = decision_rows(call_id)
    fitted = [Fitting.model_validate_json(r.body) for r in rows if r.kind == FITTED]
    mine = [f for f in fitted if f.work == kept.work]
    if not mine:
        raise GateClosed(
            "Nothing of that kind was fitted on this call.", next_step="Write down what was fitted first."
        )
    moment = at or now()
    with transaction():
        _append(call_id, KEPT, kept, person_id, moment)
        last = mine[-1]
        if kept.decision == "take_off":
            ChangeMade.create(
                call=call_id, what=f"Taken off again: {last.what}"[:80], made_at=moment, person=person_id
            )
            if kept.back_to_van and last.part is not None and last.holder_id is not None:
                parts.put_back(last.part, last.count, last.holder_id, call_id, person_id)
    return get_work(call_id)


def prove_backup(call_id: int, proof: BackupProof, person_id: int, at: datetime | None = None) -> WorkOut:
    """Write down a cold start and a hot restart on backup power."""
    calls.require_open(call_id)
    _append(call_id, BACKUP, proof, person_id, at)
    return get_work(call_id)
