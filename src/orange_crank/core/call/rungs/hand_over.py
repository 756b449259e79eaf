"""Rung 10: hand over."""

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Verdict


def hand_over_rung(call: JudgedCall) -> Rung:
    """Say whether the visit is handed over: cause confirmed, what is left named, the customer told."""
    facts = call.facts
    measured = bool(facts.readings or facts.tests or facts.seen)
    confirmed, handed = facts.confirmed, facts.handed_over
    title = priors()[confirmed.confirmed.hypothesis].title if confirmed is not None else ""
    contacts = [
        Contact(
            word=msg("Something recorded"),
            closed=measured,
            why=msg("At least one reading, test or inspection is saved"),
        ),
        Contact(word=msg("Final cause"), closed=confirmed is not None, why=msg("Final cause confirmed")),
        Contact(word=msg("Handed over"), closed=handed is not None, why=msg("Who got it, and how")),
    ]
    step = (
        msg("Confirm the final cause.")
        if confirmed is None
        else msg("Hand over to the customer.")
        if handed is None
        else None
    )
    verdict: Verdict = "unknown"
    if handed is not None:
        verdict = "fail" if call.stops else "watch" if call.left_open or confirmed is None else "pass"
    load = (
        msg("To {to}", to=handed.handed.to) + (f" · {title}" if title else msg(" · cause not confirmed"))
        if handed is not None
        else title
        or (msg("Nothing measured yet") if not measured else msg("Not turned over to the customer"))
    )
    return Rung(
        key="hand_over",
        number=10,
        title=msg("Hand over"),
        status="energized" if handed is not None else "ready" if measured else "blocked",
        danger="none",
        contacts=contacts,
        load=load,
        verdict=verdict,
        next_step=step if handed is None else None,
    )
