"""Rung 4: live tests."""

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.reading import JudgedReading
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.messages import joined, msg
from orange_crank.core.nomenclature import say, worst

_AMPS = {"running_a": msg("running amps on C"), "inrush_a": msg("inrush on C")}


def wanted_live_tests(call: JudgedCall) -> tuple[str, ...]:
    """Return the readings every running unit of this kind gets; a drive has no inrush of its own."""
    plate = call.facts.plate
    return ("running_a",) if plate is not None and plate.is_inverter else ("running_a", "inrush_a")


def missing_live_tests(call: JudgedCall) -> list[str]:
    """Return which of them were not measured on this call, in words."""
    have = {r.entry.quantity for r in call.facts.current}
    return [_AMPS[q] for q in wanted_live_tests(call) if q not in have]


def live_tests_rung(call: JudgedCall) -> Rung:
    """Say what was measured live; under a stop nothing is."""
    facts = call.facts
    judged = [j for j in call.readings if j.old_part is None]
    quantities = {r.id: r for r in facts.readings}
    by_kind: dict[str, JudgedReading] = {quantities[j.reading_id].entry.quantity: j for j in judged}
    state = facts.state
    energized = state.state in ("as_found", "live")
    wanted = wanted_live_tests(call)
    contacts = [
        Contact(
            word=msg("Caution"), closed=state.caution_read, why=msg("Live-work caution read on this call")
        ),
        Contact(word=msg("Live"), closed=energized, why=msg('Energized: found live, or "Go live" recorded')),
        Contact(
            word=msg("Nameplate"),
            closed=facts.plate is not None,
            why=msg("Nameplate to compare the amps with"),
        ),
    ]
    parts: list[str] = []
    for quantity in ("running_a", "inrush_a"):
        if quantity in by_kind:
            value = quantities[by_kind[quantity].reading_id].figure
            word = "Run" if quantity == "running_a" else "inrush"
            parts.append(f"{word} {say(value, 'A')}" if value is not None else word)
    have = all(q in by_kind for q in wanted)
    verdicts = [by_kind[q].verdict for q in wanted if q in by_kind]
    missing = [q for q in wanted if q not in by_kind]
    steps = {"running_a": msg("Take running amps on C."), "inrush_a": msg("Take the inrush on C.")}
    open_contact = next((c for c in contacts if not c.closed), None)
    blocked = open_contact is not None and not have
    if open_contact is not None and not have:
        step: str | None = {
            "Caution": msg("Read the live-work caution."),
            "Live": msg("Record going live."),
            "Nameplate": msg("Enter the nameplate first."),
        }[open_contact.word]
    else:
        step = steps[missing[0]] if missing else None
    return Rung(
        key="live_tests",
        number=4,
        title=msg("Power-on tests"),
        status="energized" if have else "blocked" if blocked else "ready",
        danger="live",
        contacts=contacts,
        load=joined(parts, " · ") if parts else msg("No live reading yet"),
        verdict=worst(verdicts) if have else "unknown",
        next_step=step,
        next_is_live=step is not None and step in steps.values(),
    )
