"""The state a call is in, from what was recorded on it, and what each state allows.

Until it is proved dead a unit is live. Proof lapses: after a break, out of sight, after going live, or
after the shop's time limit.
"""

from datetime import datetime, timedelta
from typing import Literal

from pydantic import AwareDatetime, Field

from orange_crank.core.errors import GateClosed
from orange_crank.core.nomenclature import Frozen, Sentence
from orange_crank.core.safety.make_safe import MakeSafe, judge_make_safe
from orange_crank.core.tables import Standards, shipped_standards

StateName = Literal["as_found", "dead_proved", "control_live", "live", "lapsed"]
EventKind = Literal["caution_read", "control_live", "went_live", "lapsed", "made_safe"]
Work = Literal["dead", "control", "live", "any"]

LAPSE_REASONS = ("break", "out of sight", "unlocked", "other")


class SafetyEvent(Frozen):
    """Something recorded on a call that changes what is safe."""

    kind: EventKind
    at: AwareDatetime
    record: MakeSafe | None = None
    detail: Sentence | None = None


class CallState(Frozen):
    """What is safe on a call right now."""

    state: StateName
    words: str = Field(description="DEAD PROVED, LIVE …")
    why: str
    caution_read: bool = Field(description="Whether the live-work caution was read on this call")
    dead_since: AwareDatetime | None = None
    lapses_at: AwareDatetime | None = None


_WORDS: dict[StateName, str] = {
    "as_found": "LIVE",
    "dead_proved": "DEAD",
    "control_live": "CONTROL LIVE",
    "live": "LIVE",
    "lapsed": "NOT PROVED",
}


def call_state(events: list[SafetyEvent], now: datetime, standards: Standards | None = None) -> CallState:
    """Return the state of a call from its events, oldest first.

    Parameters
    ----------
    events : as recorded, in order
    now : the present, with its zone
    standards : the shop's limits (shipped ones when left out)

    """
    limits = standards or shipped_standards()
    window = timedelta(minutes=limits["make_safe_minutes"])
    state: StateName = "as_found"
    why = "As found: treat it as live until it is proved dead."
    dead_since: datetime | None = None
    caution = False
    for event in events:
        if event.kind == "caution_read":
            caution = True
        elif event.kind == "made_safe":
            if event.record is not None and judge_make_safe(event.record, limits).status == "proved":
                state, dead_since = "dead_proved", event.at
                why = "Make-safe record complete."
            elif state in ("dead_proved", "control_live"):
                state, dead_since = "lapsed", None
                why = "The last make-safe record did not prove it dead."
            else:
                why = "The make-safe record is not complete: treat it as live."
        elif event.kind == "control_live" and state == "dead_proved":
            state, why = "control_live", "Line dead; control voltage is back."
        elif event.kind == "went_live":
            state, dead_since, why = "live", None, "Energised on this call."
        elif event.kind == "lapsed":
            state, dead_since = "lapsed", None
            why = f"Proof lapsed: {event.detail or 'break'}. Prove dead again."
    if dead_since is not None and now - dead_since > window:
        state, why = (
            "lapsed",
            f"Proved dead more than {limits['make_safe_minutes']:g} min ago. Prove it again.",
        )
    proved = state in ("dead_proved", "control_live")
    return CallState(
        state=state,
        words=_WORDS[state],
        why=why,
        caution_read=caution,
        dead_since=dead_since if proved else None,
        lapses_at=dead_since + window if proved and dead_since else None,
    )


def require(work: Work, state: CallState, reason: str | None = None) -> None:
    """Raise unless the state of the call allows the work.

    Dead work asks for a make-safe record, or a typed reason that stays on the record. Live work asks
    for the caution to have been read, and never opens on a unit recorded as dead.

    Raises
    ------
    GateClosed : with the step that opens the gate

    """
    if work == "dead" and state.state != "dead_proved" and not (reason and reason.strip()):
        raise GateClosed(
            f"This reading is dead work and the call is {state.words}. {state.why}",
            next_step="Fill in Make safe, or give the reason why not; it stays on the record.",
        )
    if work in ("live", "control") and not state.caution_read:
        raise GateClosed(
            "Live work: the caution has not been read on this call.",
            next_step="Open Live tests and read the caution first.",
        )
    if work == "live" and state.state in ("dead_proved", "control_live"):
        raise GateClosed(
            f"The call is {state.words}; a live reading cannot come from it.",
            next_step="Covers on, people clear, meter set: then record going live.",
        )
    if work == "live" and state.state == "lapsed":
        raise GateClosed(
            f"Nobody recorded putting the power back. {state.why}",
            next_step="Covers on, people clear, meter set: then record going live.",
        )
    if work == "control" and state.state == "dead_proved":
        raise GateClosed(
            "Control voltage is still off.",
            next_step="Record control live before measuring the coil.",
        )


LIVE_CAUTIONS = (
    "Live work is for qualified people, with the protective gear the task calls for.",
    "Local code and the authority having jurisdiction decide; this is arithmetic, not permission.",
    "Covers on, people clear, meter set before it is energised. Fans may start by themselves.",
    "Never energise a compressor with its terminal cover off, or under vacuum.",
    "A tripped breaker is reset once, after the to-ground test.",
    "Flammable refrigerant: check for leaks first.",
)

DEAD_CAUTIONS = (
    "Test instruments and live work are for licensed or qualified people; local code decides.",
    "A handle's position proves nothing; a clamp showing zero amps proves nothing. Measure.",
    "A non-contact tester warns; it does not prove. Live, dead, live.",
    "24 V control starts machines and feeds short circuits: treat it as live.",
    "Run capacitors hold oil and charge. Bleed through a resistor, then measure on DC volts.",
)
