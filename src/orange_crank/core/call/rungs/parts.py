"""Rung 7: contactor and capacitors."""

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.call.work import SWAPS, work_words
from orange_crank.core.messages import joined, msg


def parts_rung(call: JudgedCall) -> Rung:
    """Say what the tests tell of contactor and capacitors, and what was swapped."""
    facts, tests = call.facts, call.dead
    fitted_by, planned_by, _ = work_words(facts)
    plate = facts.plate
    looked = any(t.name.startswith("contactor") for t in tests) or any(
        r.entry.quantity in ("contactor_look", "contactor_drop_v") for r in facts.current
    )
    measured = any(t.name.startswith("capacitor") for t in tests)
    has_caps = plate is None or bool(plate.run_cap_uf or plate.fan_cap_uf)
    bad = [t for t in tests if t.name.startswith(("capacitor", "contactor", "can")) and t.verdict == "fail"]
    swapped = [fitted_by[k] for k in SWAPS if k in fitted_by]
    planned = [planned_by[k] for k in SWAPS if k in planned_by]
    settled = bool(swapped) or (not bad and looked and (measured or not has_caps))
    contacts = [
        Contact(word=msg("Nameplate"), closed=plate is not None, why=msg("Gives amps, volts and µF")),
        Contact(word=msg("Contactor"), closed=looked, why=msg("Inspected on this call")),
    ]
    if has_caps:
        contacts.append(Contact(word=msg("Capacitor"), closed=measured, why=msg("Measured on this call")))
    load = (
        joined(swapped, " · ")
        if swapped
        else msg("Planned: {planned}", planned=planned[-1])
        if planned
        else bad[0].summary
        if bad
        else msg("Nothing to change")
        if settled
        else msg("Parts on the van that fit, and how to swap them")
    )
    step = (
        msg("Enter the nameplate first.")
        if plate is None
        else None
        if settled
        else msg("Pick the replacement part.")
        if bad
        else msg("Look at the contactor.")
        if not looked
        else msg("Measure the capacitor.")
    )
    return Rung(
        key="parts",
        number=7,
        title=msg("Contactor & capacitors"),
        status="blocked" if plate is None else "energized" if settled else "ready",
        danger="dead",
        contacts=contacts,
        load=load,
        verdict="pass" if settled else "fail" if bad else "unknown",
        next_step=step,
    )
