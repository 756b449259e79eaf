"""Why it starts hard: what was told on a call, the diagnosis of its record, and what was decided."""

import json
from datetime import datetime

from pydantic import Field

from orange_crank.core.diagnosis import DiagnoseIn, DiagnoseOut, diagnose
from orange_crank.core.diagnosis.from_call import (
    Taken,
    Trial,
    WhyRecord,
    entry_of_call,
    history_of,
)
from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.measure.dead_tests import TakenReading
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import calls
from orange_crank.store.decisions import (
    DecisionOut,
    NewDecision,
    decision_rows,
    decisions_of,
    record_of,
    save_decision,
)
from orange_crank.store.errors import NotFound
from orange_crank.store.models import ChangeMade, ServiceCall
from orange_crank.store.standards import shop_standards


class WhyOut(Frozen):
    """The Why rung of a call."""

    record: WhyRecord
    entry: DiagnoseIn = Field(description="The call as the diagnosis takes it; change it for a what-if")
    result: DiagnoseOut
    decisions: list[DecisionOut]


def get_why(call_id: int) -> WhyOut:
    """Return what a call's record says of its cause, judged now.

    Raises
    ------
    NotFound : no such call, or its unit has no plate yet

    """
    call = calls.get_call(call_id)
    if call.plate is None:
        raise NotFound("The plate of this unit is not read yet.", next_step="Read the plate first, rung 2.")
    rows = decision_rows(call_id)
    record, decisions = record_of(rows) or WhyRecord(), decisions_of(rows)
    trials = [d.decision.trial for d in decisions if d.kind == "kit_trial" and d.decision.trial is not None]
    past = [
        (p.quantity, p.value, max(0.0, (call.opened_at - p.taken_at).total_seconds() / 86_400))
        for p in calls.history_of_unit(call.unit_id)
        if p.call_id != call_id and p.taken_at <= call.opened_at
    ]
    replaced = [
        c.what
        for c in ChangeMade.select(ChangeMade)
        .join(ServiceCall)
        .where((ServiceCall.unit == call.unit_id) & (ServiceCall.id != call_id))
        .order_by(ChangeMade.made_at)
    ]
    entry = entry_of_call(
        plate=call.plate.plate,
        readings=[
            TakenReading(id=r.id, entry=r.entry, taken_at=r.taken_at, person=r.person)
            for r in call.readings
            if r.superseded_by_id is None
        ],
        tests=[Taken(topic=t.topic, entry=t.entry, taken_at=t.taken_at) for t in call.tests],
        record=record,
        state=call.state.state,
        history=history_of(past, replaced),
        trial=trials[-1] if trials else None,
    )
    return WhyOut(record=record, entry=entry, result=diagnose(entry, shop_standards()), decisions=decisions)


def tell(call_id: int, record: WhyRecord, person_id: int, at: datetime | None = None) -> None:
    """Write down what was told and looked at; the newest record counts, the others stay."""
    calls.require_open(call_id)
    save_decision(call_id, "told", record.model_dump_json(), person_id, at)


def decide(call_id: int, entry: NewDecision, person_id: int, at: datetime | None = None) -> None:
    """Write down a decision with the evidence it stands on.

    Raises
    ------
    GateClosed : the record does not prove the compressor dead yet; says what is missing
    InputProblem : the decision lacks what its kind needs

    """
    calls.require_open(call_id)
    why = get_why(call_id)
    decision = entry.decision
    if entry.kind == "cause" and decision.hypothesis is None:
        raise _wants("decision.hypothesis", "the cause taken")
    if entry.kind == "kit_trial":
        if decision.trial is None:
            raise _wants("decision.trial", "who agreed to the trial, in writing")
        _refuse_early_trial(why, decision.trial)
    if entry.kind == "condemned" and not why.result.condemn.allowed:
        missing = " ".join(f"{i}. {m.text}" for i, m in enumerate(why.result.condemn.missing, 1))
        raise GateClosed(
            f"The record does not prove the compressor dead. {missing}", next_step=_first_step(why)
        )
    if entry.kind == "why_it_died" and not decision.put_right:
        raise _wants("decision.put_right", "at least one thing that killed it or was put right")
    body = {
        "decision": decision.model_dump(mode="json"),
        "evidence": why.entry.model_dump(mode="json"),
        "ranked": [{"hypothesis": r.hypothesis, "probability": r.probability} for r in why.result.ranked[:3]],
        "proof": why.result.condemn.proof,
    }
    save_decision(call_id, entry.kind, json.dumps(body), person_id, at)


def _refuse_early_trial(why: WhyOut, trial: Trial) -> None:
    agreed = any(d.kind == "kit_trial" for d in why.decisions)
    if trial.result is not None and not agreed:
        raise GateClosed(
            "A trial is agreed in writing before it is made.",
            next_step="Write down who agreed first, then the result.",
        )
    if trial.result is None and why.result.condemn.missing:
        raise GateClosed("A trial comes last: everything else is proved first.", next_step=_first_step(why))


def _first_step(why: WhyOut) -> str:
    missing = why.result.condemn.missing
    return missing[0].text if missing else "Do the next test of the Why rung."


def _wants(field: str, wanted: str) -> InputProblem:
    return InputProblem([FieldProblem(field=field, wanted=wanted, got=None)])
