"""Rung 8: the circuit."""

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.messages import msg


def circuit_rung(call: JudgedCall) -> Rung:
    """Say how the circuit that is there stands, clause by clause."""
    facts, audit = call.facts, call.circuit
    fails = [c for c in audit.checks if c.verdict == "fail"] if audit else []
    open_ = [c for c in audit.checks if c.verdict == "unknown"] if audit else []
    lawful = audit is not None and audit.lawful
    load = (
        msg("Panel to unit, checked against code")
        if audit is None
        else msg("{fails} to correct: {text}", fails=len(fails), text=fails[0].text)
        if fails
        else msg("No failures; {open} need more information", open=len(open_))
        if open_
        else msg("All code items pass")
    )
    step = fails[0] if fails else open_[0] if open_ else None
    return Rung(
        key="circuit",
        number=8,
        title=msg("Circuit"),
        status="blocked" if facts.plate is None else "energized" if lawful else "ready",
        danger="dead",
        contacts=[
            Contact(word=msg("Nameplate"), closed=facts.plate is not None, why=msg("Gives MCA and MOCP")),
            Contact(
                word=msg("Inspected"), closed=audit is not None, why=msg("Breaker, wire, ground, disconnect")
            ),
            Contact(word=msg("Meets code"), closed=lawful, why=msg("No code item fails and none is missing")),
        ],
        load=load,
        verdict="unknown"
        if audit is None
        else "fail"
        if fails
        else "unknown"
        if open_
        else "watch"
        if any(c.verdict == "watch" for c in audit.checks)
        else "pass",
        next_step=msg("Enter the nameplate first.")
        if facts.plate is None
        else msg("Look at breaker, conductors, ground and disconnect.")
        if audit is None
        else step.fix
        if step
        else None,
    )
