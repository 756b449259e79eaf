"""Why it starts hard: the symptoms of a call, the diagnosis of its record, and the decisions."""

import json
from dataclasses import replace
from datetime import datetime

from pydantic import AwareDatetime, Field

from orange_crank.core.call.complaint import symptoms_in
from orange_crank.core.call.gates import Gate, require
from orange_crank.core.call.judge import judge_call
from orange_crank.core.call.why import (
    WhyGate,
    WhyOfCall,
    refuse_decision,
    standing_hazards,
    why_of_call,
)
from orange_crank.core.call.why_record import Decision, DecisionKind, Trial, WhyRecord, with_test_skipped
from orange_crank.core.diagnosis import DiagnoseIn, DiagnoseOut
from orange_crank.core.diagnosis.model import Symptom
from orange_crank.core.errors import GateClosed
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.calls.decisions import DIAGNOSED, TOLD, append, decision_body
from orange_crank.store.calls.journal import write_on
from orange_crank.store.calls.record import CallRecord, read_call
from orange_crank.store.database import transaction


class NewDecision(Frozen):
    """A decision to be written down."""

    kind: DecisionKind
    decision: Decision


class DecisionOut(Frozen):
    """A decision on record."""

    id: int
    kind: DecisionKind
    decision: Decision
    decided_at: AwareDatetime
    person: str


class WhyOut(Frozen):
    """The Why rung of a call."""

    record: WhyRecord
    entry: DiagnoseIn = Field(description="The call as the diagnosis takes it; change it for a what-if")
    result: DiagnoseOut
    decisions: list[DecisionOut]
    trial: Trial | None = Field(description="The trial of a start kit: agreed with whom, what came of it")
    in_complaint: list[Symptom] = Field(description="Symptoms the complaint already tells of")
    allowed: dict[WhyGate, Gate]


def get_why(call_id: int, at: datetime | None = None) -> WhyOut:
    """Return the diagnosis of a call's record.

    Raises
    ------
    NotFound : no such call
    GateClosed : its unit has no plate yet

    """
    record = read_call(call_id, at)
    return _why_out(record, why_of_call(record.judged))


def _why_out(record: CallRecord, why: WhyOfCall) -> WhyOut:
    return WhyOut(
        record=record.facts.told.model_copy(update={"hazards": standing_hazards(record.judged)}),
        entry=why.entry,
        result=why.result,
        in_complaint=symptoms_in(record.row.complaint),
        decisions=[
            DecisionOut(id=r.id, kind=r.kind, decision=body, decided_at=r.decided_at, person=r.person.name)
            for r in record.decisions
            if r.kind in DIAGNOSED and (body := decision_body(r)) is not None
        ],
        trial=record.facts.trials[-1] if record.facts.trials else None,
        allowed=dict(why.gates),
    )


def tell(call_id: int, told: WhyRecord, person_id: int, at: datetime | None = None) -> WhyOut:
    """Save symptoms and sightings; the newest record counts, the others stay.

    Raises
    ------
    GateClosed : a symptom left out still stops the work; a stop is lifted with its reason

    """
    with transaction():
        journal = write_on(call_id, at)
        record = read_call(call_id, journal.moment)
        require(record.judged.gates["tell"])
        standing = {s.key.split("-")[1] for s in record.judged.stops if s.key.startswith("hazard-")}
        dropped = sorted(standing - set(told.hazards) - {"repeated_trips"})
        if dropped:
            stop = next(s for s in record.judged.stops if s.key.startswith(f"hazard-{dropped[0]}"))
            raise GateClosed(
                msg("This still stops the work: {text}", text=stop.text),
                next_step=msg("{lifted_by}; then it is lifted.", lifted_by=stop.lifted_by),
            )
        # Leaving a stop's symptom out does not lift it: its fix is recorded.
        kept = [one for one in record.facts.seen if one.what in told.seen]
        left = judge_call(replace(record.facts, seen=kept), record.judged.limits).stops
        keys_left = {stop.key for stop in left}
        for stop in record.judged.stops:
            if stop.key.startswith("seen-") and stop.key not in keys_left:
                raise GateClosed(
                    msg("This still stops the work: {text}", text=stop.text),
                    next_step=msg("{lifted_by}; then it is lifted.", lifted_by=stop.lifted_by),
                )
        append(journal, TOLD, told, person_id)
        return get_why(call_id, at)


def skip_test(call_id: int, test: str, skipped: bool, person_id: int, at: datetime | None = None) -> WhyOut:
    """Skip a test of the diagnosis on this call, or offer it again.

    Raises
    ------
    InputProblem : no test has this name
    GateClosed : the call is closed, its unit has no nameplate, or the test may not be skipped

    """
    with transaction():
        journal = write_on(call_id, at)
        record = read_call(call_id, journal.moment)
        require(record.judged.gates["tell"])
        upcoming = why_of_call(record.judged).result.next_tests
        told = with_test_skipped(record.facts.told, test, skipped, upcoming)
        append(journal, TOLD, told, person_id)
        return get_why(call_id, at)


def decide(call_id: int, entry: NewDecision, person_id: int, at: datetime | None = None) -> WhyOut:
    """Save a decision with its evidence.

    Raises
    ------
    GateClosed : the record does not allow it; the message names what is missing
    InputProblem : the decision lacks what its kind needs

    """
    with transaction():
        journal = write_on(call_id, at)
        record = read_call(call_id, journal.moment)
        why = why_of_call(record.judged)
        refuse_decision(why, entry.kind, entry.decision)
        body = {
            "decision": entry.decision.model_dump(mode="json"),
            "evidence": why.entry.model_dump(mode="json"),
            "ranked": [
                {"hypothesis": r.hypothesis, "probability": r.probability} for r in why.result.ranked[:3]
            ],
            "proof": why.result.condemn.proof,
        }
        append(journal, entry.kind, json.loads(json.dumps(body)), person_id)
        return get_why(call_id, at)
