"""What it was in the end: the causes confirmed on closed calls, counted into the shop's own priors."""

from collections import Counter
from datetime import datetime
from typing import Any

from pydantic import ValidationError

from orange_crank.core.diagnosis.model import Hypothesis
from orange_crank.core.handover.record import Confirmed
from orange_crank.store.calls.decisions import CONFIRMED
from orange_crank.store.models import DecisionRow, ServiceCall

# So many of the newest are counted: a shop changes, and its machines with it.
NEWEST = 2_000


def tally_of_causes(before: datetime) -> dict[Hypothesis, int]:
    """Return how many closed calls turned out to have which cause, as far as was confirmed before a moment.

    Notes
    -----
    Only what a person confirmed counts: a cause that was taken and not confirmed would feed the engine its
    own guesses. Counted as of the opening of the call that asks, so that its diagnosis stays what it was.

    """
    rows: Any = (
        DecisionRow.select(DecisionRow.call, DecisionRow.body)
        .join(ServiceCall)
        .where(
            (DecisionRow.kind == CONFIRMED)
            & (DecisionRow.decided_at < before)
            & (ServiceCall.status == "closed")
            & (ServiceCall.closed_at < before)
        )
        .order_by(DecisionRow.id.desc())
        .limit(NEWEST)
        .tuples()
    )
    last: dict[int, Hypothesis] = {}
    for call_id, body in rows:
        if call_id not in last:
            try:
                last[call_id] = Confirmed.model_validate_json(body).hypothesis
            except ValidationError:
                continue
    return dict(Counter(last.values()))
