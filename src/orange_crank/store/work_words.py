"""What the ladder says of the work, read off the rows without judging it anew."""

from typing import Literal

from pydantic import Field

from orange_crank.core.aids.work import Kept, WorkKind, WorkPlan
from orange_crank.core.ladder import WorkFacts
from orange_crank.core.nomenclature import Frozen, Word
from orange_crank.store.decisions import decision_rows

PLAN, FITTED, KEPT, BACKUP = "plan", "fitted", "kept", "backup_proof"


class Fitting(Frozen):
    """A part fitted on a call."""

    work: WorkKind
    what: Word = Field(description="As it shall read among the changes")
    part: Word | None = Field(default=None, description="Part number; none for something not of the list")
    count: int = Field(default=1, strict=True, ge=1, le=20)
    holder_id: int | None = Field(
        default=None, strict=True, ge=1, description="Whose van it came from; left out when from elsewhere"
    )


def work_words(call_id: int) -> WorkFacts:
    """Return what was planned, fitted and decided on a call, in words."""
    planned: dict[WorkKind, str] = {}
    fitted: dict[WorkKind, str] = {}
    kept: dict[WorkKind, Literal["keep", "take_off"]] = {}
    for row in decision_rows(call_id):
        if row.kind == PLAN:
            plan = WorkPlan.model_validate_json(row.body)
            planned.pop(plan.work, None)
            if not plan.dropped:
                planned[plan.work] = plan.title
        elif row.kind == FITTED:
            fitting = Fitting.model_validate_json(row.body)
            fitted[fitting.work] = fitting.what
            kept.pop(fitting.work, None)
        elif row.kind == KEPT:
            decision = Kept.model_validate_json(row.body)
            kept[decision.work] = decision.decision
    return WorkFacts(planned=planned, fitted=fitted, kept=kept)
