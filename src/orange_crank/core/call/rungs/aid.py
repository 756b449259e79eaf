"""Rung 6: the start aid, or none."""

from orange_crank.core.call.changes import TAKEN_OFF
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.call.work import work_words
from orange_crank.core.messages import msg


def aid_rung(call: JudgedCall) -> Rung:
    """Say which aid is planned or fitted, or that none belongs here."""
    facts = call.facts
    plate = facts.plate
    fitted_by, planned_by, kept_by = work_words(facts)
    barred = plate is not None and (plate.is_inverter or plate.phase == 3)
    fitted, planned = fitted_by.get("aid"), planned_by.get("aid")
    done = fitted is not None
    off = kept_by.get("aid") == "take_off"
    return Rung(
        key="aid",
        number=6,
        title=msg("Start aid"),
        status="blocked" if plate is None else "energized" if done or barred else "ready",
        danger="none",
        contacts=[
            Contact(word=msg("Nameplate"), closed=plate is not None, why=msg("Starts are computed from it")),
            Contact(
                word=msg("Cause"),
                closed=facts.cause is not None,
                why=msg("Find the cause first; a start aid can hide it"),
            ),
        ],
        load=msg("No start aid allowed on this unit")
        if barred
        else f"{TAKEN_OFF if off else ''}{fitted}"
        if fitted
        else msg("Planned: {planned}", planned=planned)
        if planned
        else msg("Start aids, ranked by computed start"),
        verdict="note" if done and off else "pass" if done or barred else "unknown",
        next_step=msg("Enter the nameplate first.")
        if plate is None
        else None
        if barred or done
        else msg("Wire it by the plan, check it, write it down as fitted.")
        if planned
        else msg("Compare the aids, then fit one and prove it."),
    )
