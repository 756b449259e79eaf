"""Rung 5: why it starts hard."""

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.diagnosis.model import SYMPTOM_WORDS
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.messages import joined, msg


def why_rung(call: JudgedCall) -> Rung:
    """Say what it does, and which cause was taken."""
    facts = call.facts
    symptoms = [SYMPTOM_WORDS[s] for s in facts.told.symptoms]
    told = bool(symptoms)
    taken = facts.cause
    cause = priors()[taken.decision.hypothesis].title if taken and taken.decision.hypothesis else None
    stop = call.stops[0] if call.stops else None
    contacts = [
        Contact(
            word=msg("Nameplate"),
            closed=facts.plate is not None,
            why=msg("The nameplate rules causes in or out"),
        ),
        Contact(word=msg("Symptoms"), closed=told, why=msg("What you see and hear")),
        Contact(word=msg("Cause"), closed=cause is not None, why=msg("Cause selected")),
    ]
    load = (
        f"{'Condemned: ' if facts.condemned else ''}{cause}"
        if cause
        else joined(symptoms, ", ")
        if told
        else msg("What is it doing?")
    )
    return Rung(
        key="why",
        number=5,
        title=msg("Diagnosis"),
        status="blocked" if facts.plate is None or stop else "energized" if cause else "ready",
        danger="none",
        contacts=contacts,
        load=msg("STOP: {text}", text=stop.text) if stop else load,
        verdict="fail" if stop or facts.condemned else "pass" if cause else "unknown",
        next_step=stop.next_step
        if stop
        else msg("Enter the nameplate first.")
        if facts.plate is None
        else None
        if cause
        else msg("Do the suggested test, or select the cause.")
        if told
        else msg("Check the symptoms; the next test is suggested."),
    )
