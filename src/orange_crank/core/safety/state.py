"""The state a call is in, from what was recorded on it, and what each state allows.

Until it is proved dead a unit is live. Proof lapses: after a break, out of sight, after going live, or
after the shop's time limit.
"""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Literal

from pydantic import AwareDatetime, Field

from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen, Sentence
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import MakeSafe, judge_make_safe
from orange_crank.core.tables.standards import Standards, shipped_standards

StateName = Literal["as_found", "dead_proved", "control_live", "live", "lapsed"]
EventKind = Literal["caution_read", "control_live", "went_live", "lapsed", "made_safe", "volts_seen"]
Work = Literal["dead", "control", "live", "any"]

LAPSE_REASONS = ("break", msg("out of sight"), "unlocked", "other")


class SafetyEvent(Frozen):
    """Something recorded on a call that changes what is safe."""

    kind: EventKind
    at: AwareDatetime = Field(description="When; of a make-safe record, when its volts were taken")
    record: MakeSafe | None = None
    detail: Sentence | None = None
    place: float = Field(default=0.0, description="Its place in the order of recording of the call")


class CallState(Frozen):
    """What is safe on a call right now."""

    state: StateName
    words: Prose = Field(description="DEAD PROVED, LIVE …")
    why: Prose
    caution_read: bool = Field(description="Whether the live-work caution was read on this call")
    version: int = Field(
        default=0, description="How often what is safe changed; a make-safe record is taken on one"
    )
    dead_since: AwareDatetime | None = None
    lapses_at: AwareDatetime | None = None


_WORDS: dict[StateName, str] = {
    "as_found": msg("LIVE"),
    "dead_proved": msg("DEAD"),
    "control_live": msg("CONTROL LIVE"),
    "live": msg("LIVE"),
    "lapsed": msg("NOT PROVED"),
}


def call_words(state: StateName) -> str:
    """Return a state as it is written large."""
    return _WORDS[state]


# What is done before it is energized: each is ticked by whoever does it.
GOING_LIVE: dict[str, str] = {
    "covers_on": msg("covers on"),
    "people_clear": msg("people clear"),
    "meter_set": msg("meter set"),
    "leads_back": msg("leads back on"),
}
CLOCK_SLACK = timedelta(minutes=2)
# Events that change nothing of what is safe: they do not move the version on.
UNCOUNTED: tuple[EventKind, ...] = ("caution_read",)


def call_state(
    events: Sequence[SafetyEvent],
    now: datetime,
    standards: Standards | None = None,
    last_recorded: datetime | None = None,
    plate: Plate | None = None,
) -> CallState:
    """Return the state of a call from its events, in the order they were recorded.

    Parameters
    ----------
    events : as recorded, in that order; their clocks order nothing
    now : the present, with its zone
    standards : the shop's limits (shipped ones when left out)
    last_recorded : the latest moment anything was recorded on the call
    plate : the unit's nameplate; a record that measured less than it implies proves nothing

    Notes
    -----
    A proof counts from when its volts were taken. A clock that now stands before the proof, or before
    something recorded since, was set back: how old the proof is cannot be known, so it has lapsed.

    """
    limits = standards or shipped_standards()
    window = timedelta(minutes=limits.make_safe_minutes)
    state: StateName = "as_found"
    why = msg("Found live. Treat it as live until you prove it dead.")
    dead_since: datetime | None = None
    caution = False
    version = 0
    for event in events:
        if event.kind in UNCOUNTED:
            caution = True
            continue
        version += 1
        if event.kind == "made_safe":
            if event.record is not None and judge_make_safe(event.record, limits, plate).status == "proved":
                state, dead_since = "dead_proved", event.at
                why = msg("Make-safe record complete.")
            elif state in ("dead_proved", "control_live"):
                state, dead_since = "lapsed", None
                why = msg("The last Make safe entry did not prove it dead.")
            else:
                why = msg("Make safe is not complete. Treat it as live.")
        elif event.kind == "control_live" and state == "dead_proved":
            state, why = "control_live", msg("Line dead; control voltage is back.")
        elif event.kind == "went_live":
            state, dead_since, why = "live", None, msg("Energized on this call.")
        elif event.kind == "lapsed":
            state, dead_since = "lapsed", None
            why = msg("Proof lapsed: {detail}. Prove dead again.", detail=event.detail or "break")
        elif event.kind == "volts_seen":
            state, dead_since = "lapsed", None
            why = msg(
                "Meter reads {detail} at a point recorded as dead. Hands out.", detail=event.detail or "volts"
            )
    if dead_since is not None:
        latest = max(m for m in (dead_since, last_recorded) if m is not None)
        if now < latest - CLOCK_SLACK:
            state = "lapsed"
            why = msg("The clock was set back, so the dead check's age is unknown. Prove it dead again.")
        elif now - dead_since > window:
            state = "lapsed"
            why = msg(
                "Proved dead more than {make_safe_minutes:g} min ago. Prove it dead again.",
                make_safe_minutes=limits.make_safe_minutes,
            )
    proved = state in ("dead_proved", "control_live")
    return CallState(
        state=state,
        words=_WORDS[state],
        why=why,
        caution_read=caution,
        version=version,
        dead_since=dead_since if proved else None,
        lapses_at=dead_since + window if proved and dead_since else None,
    )


LIVE_CAUTIONS = (
    msg("Live work: qualified people only, with PPE for the task."),
    msg("Local code and the AHJ decide. This is math, not permission."),
    msg("Covers on, people clear, meter set before it is energized. Fans may start by themselves."),
    msg("Never energize a compressor with its terminal cover off, or under vacuum."),
    msg("A tripped breaker is reset once, after the to-ground test."),
    msg("Flammable refrigerant: check for leaks first."),
)

DEAD_CAUTIONS = (
    msg("Test instruments and live work are for licensed or qualified people; local code decides."),
    msg("A handle in OFF proves nothing. Zero amps proves nothing. Measure volts."),
    msg("A non-contact tester warns; it does not prove. Live, dead, live."),
    msg("24 V can start the unit and arc. Treat it as live."),
    msg("Run capacitors hold a charge. Bleed through a resistor, then check on DC volts."),
)
