"""Rung 10: hand over."""

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung

_WHAT = "What was found, done and left, on one page"


def hand_over_rung(call: JudgedCall) -> Rung:
    """Say that this rung is not built yet, and what would be left open now."""
    del call
    return Rung(
        key="hand_over",
        number=10,
        title="Hand over",
        status="planned",
        danger="none",
        contacts=[Contact(word="Not built yet", closed=False, why=_WHAT)],
        load=_WHAT,
        verdict="unknown",
    )
