"""Rung 1: make safe."""

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Verdict


def make_safe_rung(call: JudgedCall) -> Rung:
    """Say how far the unit is made safe."""
    facts, record = call.facts, call.make_safe
    state = facts.state
    dead = state.state in ("dead_proved", "control_live")
    codes: dict[str, list[Verdict]] = {}
    for finding in record.findings if record and state.state != "as_found" else []:
        codes.setdefault(finding.code, []).append(finding.verdict)

    def closed(*names: str) -> bool:
        present = [v for n in names for v in codes.get(n, [])]
        return state.state != "lapsed" and bool(present) and all(v in ("pass", "watch") for v in present)

    contacts = [
        Contact(
            word=msg("Control off"),
            closed=dead and closed("CONTROL_OFF"),
            why=msg("Thermostat or control call off"),
        ),
        Contact(
            word=msg("Locked"),
            closed=dead and closed("LOCKED_AND_TAGGED"),
            why=msg("Every source opened, locked, tagged"),
        ),
        Contact(
            word=msg("Dead"),
            closed=dead and closed("DEAD_CONTACTOR_LINE"),
            why=msg("Live-dead-live on every pair"),
        ),
        Contact(
            word=msg("Bled"),
            closed=dead and closed("CAPACITORS_DISCHARGED", "NO_CAPACITORS", "DC_BUS_DEAD"),
            why=msg("Every capacitor bled and measured on DC"),
        ),
    ]
    if dead:
        load = msg("Proved dead") if state.state == "dead_proved" else msg("Line dead, control live")
        return Rung(
            key="make_safe",
            number=1,
            title=msg("Make safe"),
            status="energized",
            danger="dead",
            contacts=contacts,
            load=load,
            verdict="pass",
        )
    stop = next((s for s in call.stops if s.key.startswith(("make-safe", "volts-seen"))), None)
    loads = {
        "as_found": msg("Found live"),
        "live": msg("Power back on"),
        "lapsed": msg("Dead check expired"),
    }
    return Rung(
        key="make_safe",
        number=1,
        title=msg("Make safe"),
        status="ready",
        danger="dead",
        contacts=contacts,
        load=msg("STOP: {text}", text=stop.text) if stop else loads.get(state.state, state.words),
        verdict="fail" if stop else "watch" if state.state == "lapsed" else "unknown",
        next_step=stop.next_step if stop else msg("Prove it dead before you put your hands in."),
    )
