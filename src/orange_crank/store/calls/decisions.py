"""Symptoms, plans and decisions of a call: append-only rows, each of a kind."""

import json
from typing import Any

from pydantic import BaseModel, ValidationError

from orange_crank.core.call.why_record import Decision
from orange_crank.store.calls.journal import Entry
from orange_crank.store.models import DecisionRow

TOLD, PLAN, FITTED, KEPT, BACKUP, CIRCUIT, LIFTED = (
    "told",
    "plan",
    "fitted",
    "kept",
    "backup_proof",
    "circuit",
    "lifted",
)
SOURCE, AS_WIRED, CONFIRMED, AGREED, BILLED, HANDED, CLOSED, PAID = (
    "backup_source",
    "as_wired",
    "confirmed",
    "agreed",
    "billed",
    "handed_over",
    "closed",
    "paid",
)
DIAGNOSED = ("cause", "kit_trial", "condemned", "why_it_died", "overload_cause", "go_ahead")


def append(entry: Entry, kind: str, body: BaseModel | dict[str, Any], person_id: int) -> DecisionRow:
    """Append one row under a journal entry."""
    text = (
        body.model_dump_json(exclude_none=kind == CIRCUIT)
        if isinstance(body, BaseModel)
        else json.dumps(body)
    )
    return DecisionRow.create(
        call=entry.call.id,
        kind=kind,
        body=text,
        decided_at=entry.moment,
        entry_no=entry.number,
        person=person_id,
    )


def decision_body(row: DecisionRow) -> Decision | None:
    """Return a decision, or None where it cannot be read."""
    try:
        return Decision.model_validate(json.loads(row.body)["decision"])
    except (ValidationError, ValueError, KeyError):
        return None
