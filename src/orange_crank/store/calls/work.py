"""The work of a call on record: plans, what was fitted from which van, its proofs, and what stays."""

from collections.abc import Callable
from datetime import datetime

from pydantic import AwareDatetime, Field, ValidationError

from orange_crank.core.backup import BackupSupply
from orange_crank.core.call.changes import TAKEN_OFF
from orange_crank.core.call.gates import Gate, fit_gate, require
from orange_crank.core.call.old_kit import OldKit, bad_old_kit
from orange_crank.core.call.work import (
    WORK_KINDS,
    AsWired,
    BackupProof,
    Fitting,
    Kept,
    WantedProof,
    WorkKind,
    WorkPlan,
    one_change_at_a_time,
    wanted_proofs,
)
from orange_crank.core.errors import GateClosed
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.wiring import plan_wiring
from orange_crank.store import parts
from orange_crank.store.calls.billing import fittings_of
from orange_crank.store.calls.changes import put_change
from orange_crank.store.calls.decisions import AS_WIRED, BACKUP, FITTED, KEPT, PLAN, SOURCE, append
from orange_crank.store.calls.journal import Entry, write_on
from orange_crank.store.calls.record import CallRecord, read_call
from orange_crank.store.database import transaction
from orange_crank.store.models import DecisionRow, Person, ServiceCall, Unit


class FittedOut(Frozen):
    """A part fitted, as recorded."""

    id: int
    fitting: Fitting
    fitted_at: AwareDatetime
    person: str


class KeptOut(Frozen):
    """A decision to keep or take off, as recorded."""

    kept: Kept
    decided_at: AwareDatetime
    person: str


class PlanOut(Frozen):
    """A plan with what proves it."""

    plan: WorkPlan
    saved_at: AwareDatetime
    person: str
    proofs: list[WantedProof]


class CheckedOut(Frozen):
    """A check of the wiring as wired, as recorded."""

    checked: AsWired
    checked_at: AwareDatetime
    person: str


class SourceSaid(Frozen):
    """The backup source of a call or its site, as entered last."""

    supply: BackupSupply
    said_at: AwareDatetime
    person: str
    here: bool = Field(description="Said on this call; else on an earlier one at the site")


class WorkOut(Frozen):
    """The work of a call."""

    source: SourceSaid | None = Field(description="Backup source as said last, here or at the site")
    as_wired: list[CheckedOut] = Field(description="Checks of the wiring as it was wired, oldest first")

    plans: list[PlanOut]
    fitted: list[FittedOut]
    kept: list[KeptOut]
    backup: BackupProof | None
    old_kit: OldKit | None = Field(description="A start kit that tested bad on this call and is still on")
    one_change: str | None
    moves: list[parts.MoveOut]
    may_fit: dict[WorkKind, Gate] = Field(description="Whether a part of each kind may be recorded as fitted")


def get_work(call_id: int) -> WorkOut:
    """Return the work of a call, with the proofs its plans ask for."""
    return work_out(read_call(call_id))


def work_out(record: CallRecord) -> WorkOut:
    """Hand the work of a call's record out."""
    facts = record.facts
    plans: dict[str, PlanOut] = {}
    fitted: list[FittedOut] = []
    kept: list[KeptOut] = []
    for row in record.decisions:
        try:
            if row.kind == PLAN:
                plan = WorkPlan.model_validate_json(row.body)
                plans.pop(plan.work, None)
                if not plan.dropped:
                    plans[plan.work] = PlanOut(
                        plan=plan,
                        saved_at=row.decided_at,
                        person=row.person.name,
                        proofs=wanted_proofs(
                            plan, facts.fitted, facts.readings, facts.backup, facts.told.symptoms
                        ),
                    )
            elif row.kind == FITTED:
                fitted.append(
                    FittedOut(
                        id=row.id,
                        fitting=Fitting.model_validate_json(row.body),
                        fitted_at=row.decided_at,
                        person=row.person.name,
                    )
                )
            elif row.kind == KEPT:
                kept.append(
                    KeptOut(
                        kept=Kept.model_validate_json(row.body),
                        decided_at=row.decided_at,
                        person=row.person.name,
                    )
                )
        except ValidationError:
            # A row today's rules cannot read is among the call's troubles.
            continue
    return WorkOut(
        may_fit={work: fit_gate(facts, work) for work in WORK_KINDS},
        source=_source_said(record),
        as_wired=_checks(record),
        plans=list(plans.values()),
        fitted=fitted,
        kept=kept,
        backup=facts.backup,
        old_kit=bad_old_kit(facts, record.judged.limits),
        one_change=one_change_at_a_time(facts.fitted),
        moves=parts.moves_of_call(record.row.id),
    )


def _checks(record: CallRecord) -> list[CheckedOut]:
    return [CheckedOut(checked=w.checked, checked_at=w.at, person=w.person) for w in record.facts.wired]


def _source_said(record: CallRecord) -> SourceSaid | None:
    """Return the source entered on this call, else the newest of another call at the site."""
    mine = [row for row in record.decisions if row.kind == SOURCE]
    if not mine:
        mine = list(
            DecisionRow.select(DecisionRow, Person)
            .join(Person)
            .switch(DecisionRow)
            .join(ServiceCall)
            .join(Unit)
            .where((DecisionRow.kind == SOURCE) & (Unit.site == record.row.unit.site_id))
            .order_by(DecisionRow.id.desc())
            .limit(1)
        )
    for row in reversed(mine):
        try:
            supply = BackupSupply.model_validate_json(row.body)
        except ValidationError:
            continue
        return SourceSaid(
            supply=supply,
            said_at=row.decided_at,
            person=row.person.name,
            here=row.call_id == record.row.id,
        )
    return None


def say_source(call_id: int, supply: BackupSupply, person_id: int, at: datetime | None = None) -> WorkOut:
    """Write down the backup source, how it is transferred and what else is on; the newest counts."""

    def change(journal: Entry, record: CallRecord) -> None:
        require(record.judged.gates["record"])
        append(journal, SOURCE, supply, person_id)

    return _write(call_id, at, change)


def check_as_wired(call_id: int, checked: AsWired, person_id: int, at: datetime | None = None) -> WorkOut:
    """Write down how a plan was wired and whether that is as planned; judged here, not by who sends it."""

    def change(journal: Entry, record: CallRecord) -> None:
        require(record.judged.gates["record"])
        out = plan_wiring(checked.wiring)
        sure = checked.model_copy(update={"ok": bool(out.ok), "faults": [f.text for f in out.faults or []]})
        append(journal, AS_WIRED, sure, person_id)

    return _write(call_id, at, change)


def _write(call_id: int, at: datetime | None, change: Callable[[Entry, CallRecord], None]) -> WorkOut:
    with transaction():
        journal = write_on(call_id, at)
        change(journal, read_call(call_id, journal.moment))
        return get_work(call_id)


def save_plan(call_id: int, plan: WorkPlan, person_id: int, at: datetime | None = None) -> WorkOut:
    """Write down a plan; the newest of a kind of work counts.

    Raises
    ------
    GateClosed : a move is ticked that was not, and the call is not proved dead

    """

    def change(journal: Entry, record: CallRecord) -> None:
        before = record.facts.plans.get(plan.work)
        done = set(before.ticked) if before is not None and before.title == plan.title else set()
        if set(plan.ticked) - done:
            require(record.judged.gates["tick_move"])
        append(journal, PLAN, plan, person_id)

    return _write(call_id, at, change)


def fit_part(call_id: int, entry: Fitting, person_id: int, at: datetime | None = None) -> WorkOut:
    """Write down a part as fitted: off the van, onto the unit's list of changes, all or nothing.

    Raises
    ------
    InputProblem : the van does not hold so many
    NotFound : no such part

    """

    def change(journal: Entry, record: CallRecord) -> None:
        require(fit_gate(record.facts, entry.work, entry.part))
        plan = record.facts.plans.get(entry.work)
        planned = plan.replaces if plan is not None and entry.replaces is None else None
        fitting = entry.model_copy(update={"replaces": planned}) if planned is not None else entry
        if fitting.holder_id is not None and fitting.part is not None:
            Person.select().where(Person.id == fitting.holder_id).for_update().get_or_none()
            parts.find_part(fitting.part)
            parts.take_from_van(
                fitting.part, fitting.count, fitting.holder_id, call_id, person_id, journal.moment
            )
        put_change(journal, fitting.what, fitting.part_kind, journal.moment, person_id)
        append(journal, FITTED, fitting, person_id)

    return _write(call_id, at, change)


def decide_kept(call_id: int, kept: Kept, person_id: int, at: datetime | None = None) -> WorkOut:
    """Write down that the work stays or comes off again, with its reason.

    Raises
    ------
    GateClosed : nothing of that kind is fitted on this call, or it came off already

    """

    def change(journal: Entry, record: CallRecord) -> None:
        mine = [f for f in fittings_of(record) if f.work == kept.work]
        if not mine:
            raise GateClosed(
                msg("Nothing of that kind was fitted on this call."),
                next_step=msg("Write down what was fitted first."),
            )
        last, fitted_at = mine[-1], max(f.place for f in record.facts.fitted if f.work == kept.work)
        gone = any(
            k.work == kept.work and k.decision == "take_off" and k.place > fitted_at
            for k in record.facts.kept
        )
        if gone:
            raise GateClosed(
                msg("It was taken off already."), next_step=msg("Fit it again first, if it is to stay.")
            )
        append(journal, KEPT, kept, person_id)
        if kept.decision == "take_off":
            put_change(journal, f"{TAKEN_OFF}{last.what}", last.part_kind, journal.moment, person_id)
            if kept.back_to_van and last.part is not None and last.holder_id is not None:
                parts.put_back(last.part, last.count, last.holder_id, call_id, person_id)

    return _write(call_id, at, change)


def prove_backup(call_id: int, proof: BackupProof, person_id: int, at: datetime | None = None) -> WorkOut:
    """Write down a cold start and a hot restart on backup power."""

    def change(journal: Entry, record: CallRecord) -> None:
        require(record.judged.gates["record"])
        append(journal, BACKUP, proof, person_id)

    return _write(call_id, at, change)
