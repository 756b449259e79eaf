"""What it was in the end: the causes taken on closed calls, counted into the shop's own priors."""

from collections import Counter
from datetime import datetime

from orange_crank.core.diagnosis.model import Hypothesis
from orange_crank.store.calls.decisions import decision_body
from orange_crank.store.models import DecisionRow, ServiceCall

# So many of the newest closed calls are counted: a shop changes, and its machines with it.
NEWEST = 2_000


def tally_of_causes(before: datetime) -> dict[Hypothesis, int]:
    """Return how many calls closed before a moment had which cause, the newest cause of each.

    Notes
    -----
    Counted as of the opening of the call that asks, so that its diagnosis stays what it was.

    """
    closed = (
        ServiceCall.select(ServiceCall.id)
        .where((ServiceCall.status == "closed") & (ServiceCall.closed_at < before))
        .order_by(ServiceCall.closed_at.desc())
        .limit(NEWEST)
    )
    calls = [c.id for c in closed]
    if not calls:
        return {}
    rows = (
        DecisionRow.select()
        .where((DecisionRow.kind == "cause") & DecisionRow.call.in_(calls))
        .order_by(DecisionRow.id)
    )
    last: dict[int, Hypothesis] = {}
    for row in rows:
        body = decision_body(row)
        if body is not None and body.hypothesis is not None:
            last[row.call_id] = body.hypothesis
    return dict(Counter(last.values()))
