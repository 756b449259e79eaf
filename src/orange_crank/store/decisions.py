"""What was told and decided on a call: append-only, the newest of a kind counts."""

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

from pydantic import AwareDatetime

from orange_crank.core.diagnosis.from_call import Decision, WhyRecord
from orange_crank.core.diagnosis.model import SYMPTOM_WORDS
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.database import now, transaction
from orange_crank.store.models import DecisionRow, Person

Kind = Literal["told", "cause", "kit_trial", "condemned", "why_it_died"]
DIAGNOSED = ("cause", "kit_trial", "condemned", "why_it_died")


class NewDecision(Frozen):
    """A decision to be written down."""

    kind: Literal["cause", "kit_trial", "condemned", "why_it_died"]
    decision: Decision


class DecisionOut(Frozen):
    """A decision on record."""

    id: int
    kind: Kind
    decision: Decision
    decided_at: AwareDatetime
    person: str


def decision_rows(call_id: int) -> list[Any]:
    """Return a call's rows, oldest first."""
    return list(
        DecisionRow.select(DecisionRow, Person)
        .join(Person)
        .where(DecisionRow.call == call_id)
        .order_by(DecisionRow.id)
    )


def record_of(rows: list[Any]) -> WhyRecord | None:
    """Return what was told, as it stands, or None when nothing was."""
    told = [r for r in rows if r.kind == "told"]
    return WhyRecord.model_validate_json(told[-1].body) if told else None


def decisions_of(rows: list[Any]) -> list[DecisionOut]:
    """Return the decisions, oldest first."""
    return [
        DecisionOut(
            id=r.id,
            kind=r.kind,
            decision=Decision.model_validate(json.loads(r.body)["decision"]),
            decided_at=r.decided_at,
            person=r.person.name,
        )
        for r in rows
        if r.kind in DIAGNOSED
    ]


def save_decision(call_id: int, kind: str, body: str, person_id: int, at: datetime | None = None) -> None:
    """Append one."""
    with transaction():
        DecisionRow.create(call=call_id, kind=kind, body=body, decided_at=at or now(), person=person_id)


@dataclass(frozen=True)
class WhyWords:
    """What the ladder says of the Why rung, without judging it anew."""

    symptoms: list[str]
    cause: str | None
    condemned: bool


def why_words(call_id: int) -> WhyWords:
    """Return symptoms and cause of a call in words."""
    rows = decision_rows(call_id)
    record, decisions = record_of(rows), decisions_of(rows)
    causes = [d.decision.hypothesis for d in decisions if d.kind == "cause" and d.decision.hypothesis]
    return WhyWords(
        symptoms=[SYMPTOM_WORDS[s] for s in record.symptoms] if record else [],
        cause=priors()[causes[-1]].title if causes else None,
        condemned=any(d.kind == "condemned" for d in decisions),
    )
