"""The gates of a call where no server answers: a table of states, and what each entry made there leads to.

Every gate of every state is asked of the gates themselves. What others do meanwhile is not known: a proof
from before the signal went is none, and after an entry that may stop the work, the work is stopped.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal, NamedTuple

from pydantic import Field

from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.gates import Gate, GateName, gates_of, shut
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.safety.state import CallState, StateName, call_words
from orange_crank.core.safety.stop import StopCode, StopScope, WorkStop, work_stop

Step = Literal[
    "caution_read",
    "made_safe",
    "made_safe_unsure",
    "control_live",
    "went_live",
    "lapsed",
    "too_old",
    "may_stop",
]
STEPS: tuple[Step, ...] = Step.__args__  # type: ignore[attr-defined]
PROVED: tuple[StateName, ...] = ("dead_proved", "control_live")

NEEDS_SERVER = shut(
    msg("This needs a signal."),
    msg("Do the other steps now. This one unlocks when you have signal."),
)
# The offline queue on a device takes these; every other gate needs the server.
WAITS: tuple[GateName, ...] = (
    "record",
    "make_safe",
    "read_caution",
    "control_live",
    "go_live",
    "take_any",
    "take_dead",
    "take_control",
    "take_live",
    "tick_move",
    "note_change",
)
_UNKNOWN = msg("No signal. This phone can't tell whether the unit is still dead.")
_HERE = msg("Saved as dead on this phone. Not checked by the server yet.")
_WHY: dict[StateName, str] = {
    "dead_proved": _HERE,
    "control_live": msg("Line saved as dead on this phone; 24 V is on."),
    "live": msg("Energized on this call."),
    "lapsed": _UNKNOWN,
    "as_found": msg("Found live. Treat it as live until you prove it dead."),
}


class AheadState(Frozen):
    """What is safe, and what may be done, after what was entered without signal."""

    state: StateName
    words: Prose
    why: Prose
    caution_read: bool
    gates: list[int] = Field(description="The named gates in their order, each by its number in the gates")
    on: dict[Step, int] = Field(description="The state an entry leads to; the same where it is not named")


class AheadGates(Frozen):
    """The table: begun in its first state; each gate written once, ``otherwise`` for those not named."""

    names: list[GateName]
    gates: list[Gate]
    otherwise: Gate
    states: list[AheadState]


_Said = tuple[bool, str | None, str | None, bool, StopCode | None]


@dataclass(frozen=True)
class _At:
    state: StateName
    caution: bool
    unsure: bool = False
    stopped: bool = False
    # As it was when the signal went: proved dead, and no one knows whether it still is.
    unheard: bool = False

    def after(self, step: Step) -> "_At":
        if step == "caution_read":
            return replace(self, caution=True)
        if step == "may_stop":
            return replace(self, stopped=True)
        if step == "made_safe":
            return replace(self, state="dead_proved", unsure=False, unheard=False)
        if step == "made_safe_unsure":
            # It may have found volts: no hands in before it is proved.
            state = "lapsed" if self.state in PROVED else self.state
            return replace(self, state=state, unsure=True, unheard=False)
        if step == "control_live":
            return replace(self, state="control_live") if self.state == "dead_proved" else self
        if step == "went_live":
            return replace(self, state="live", unheard=False)
        if step == "too_old":
            return replace(self, state="lapsed") if self.state in PROVED else self
        return replace(self, state="lapsed", unheard=False)


def gates_ahead(facts: CallFacts, stops: Sequence[WorkStop]) -> AheadGates:
    """Return the table of an open call.

    Parameters
    ----------
    facts : what is on the record
    stops : the stops of the call; without signal none is lifted

    """
    # Each gate of the queue depends on the state and the stops alone: a test holds that.
    return _table(
        facts.state.model_dump_json(exclude={"version", "dead_since", "lapses_at"}),
        tuple(_Stop(s.code, s.text, s.next_step, s.scope) for s in stops),
    )


class _Stop(NamedTuple):
    code: StopCode
    text: str
    next_step: str
    scope: StopScope

    def written(self) -> WorkStop:
        return WorkStop.model_construct(
            code=self.code, text=self.text, next_step=self.next_step, scope=self.scope
        )


@lru_cache(maxsize=512)
def _table(state: str, standing: tuple[_Stop, ...]) -> AheadGates:
    was = CallState.model_validate_json(state)
    stops = [stop.written() for stop in standing]
    facts = CallFacts(plate=None, state=was)
    proved = was.state in PROVED
    begin = _At("lapsed" if proved else was.state, was.caution_read, unheard=proved)
    known: dict[_Said, int] = {}
    reached = {at: number for number, at in enumerate(_reached(begin))}
    states = [_laid(at, facts, stops, known, reached) for at in reached]
    gates = [
        Gate(ok=ok, why=why, next_step=step, with_reason=by_reason, stop=stop)
        for ok, why, step, by_reason, stop in known
    ]
    return AheadGates(names=list(WAITS), gates=gates, otherwise=NEEDS_SERVER, states=states)


def _reached(begin: _At) -> Iterator[_At]:
    seen, wave = {begin}, [begin]
    while wave:
        at = wave.pop()
        yield at
        for step in STEPS:
            following = at.after(step)
            if following not in seen:
                seen.add(following)
                wave.append(following)


def _laid(
    at: _At, facts: CallFacts, stops: Sequence[WorkStop], known: dict[_Said, int], reached: dict[_At, int]
) -> AheadState:
    state = CallState(
        state=at.state, words=call_words(at.state), why=_why(at, facts), caution_read=at.caution
    )
    own = [*_own_stops(at), *stops]
    found = gates_of(replace(facts, state=state), own)
    if at.unheard:
        # It may still be dead, and it may not: open is what either leaves open.
        still = facts.state.model_copy(update={"caution_read": at.caution})
        found |= {k: g for k, g in gates_of(replace(facts, state=still), own).items() if found[k].ok}
    numbers: list[int] = []
    for name in WAITS:
        gate = found[name]
        said = (gate.ok, gate.why, gate.next_step, gate.with_reason, gate.stop)
        numbers.append(known.setdefault(said, len(known)))
    return AheadState(
        state=at.state,
        words=state.words,
        why=state.why,
        caution_read=at.caution,
        gates=numbers,
        on={step: reached[then] for step in STEPS if (then := at.after(step)) != at},
    )


def _why(at: _At, facts: CallFacts) -> str:
    if at.state == facts.state.state and at.state not in PROVED:
        return facts.state.why
    return _WHY[at.state]


def _own_stops(at: _At) -> Iterator[WorkStop]:
    if at.unsure:
        yield work_stop(
            "STOP_LIVE",
            text=msg("Your Make safe entry does not prove it dead."),
            next_step=msg("Hands out. Redo Make safe: every reading must be under the limit."),
        )
    if at.stopped:
        yield work_stop(
            "GROUNDED",
            text=msg("What you entered stops the work, or could."),
            next_step=msg("Don't energize or take live readings until the server has checked it."),
        )
