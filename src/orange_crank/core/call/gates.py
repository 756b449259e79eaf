"""The gates of a call: what may be done now, why not, and what opens it. Screens only show them."""

from typing import Literal, get_args

from pydantic import Field

from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.work import WorkKind, moves_left
from orange_crank.core.errors import GateClosed
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.safety.state import CallState, Work
from orange_crank.core.safety.stop import StopCode, WorkStop

GateName = Literal[
    "record",
    "make_safe",
    "read_caution",
    "control_live",
    "go_live",
    "take_any",
    "take_dead",
    "take_control",
    "take_live",
    "save_plate",
    "look_at_circuit",
    "tick_move",
    "fit_part",
    "note_change",
    "lift_stop",
    "tell",
    "decide_cause",
    "close",
    "reopen",
]
GATE_NAMES: tuple[GateName, ...] = get_args(GateName)
# Open on every open call: making safe, recording and closing are never shut. Fitting a part has a gate for
# each kind of work: fit_gate.
ALWAYS_OPEN: tuple[GateName, ...] = (
    "record",
    "make_safe",
    "read_caution",
    "take_any",
    "save_plate",
    "fit_part",
    "note_change",
    "tell",
    "close",
)


class Gate(Frozen):
    """Whether something may be done now; if not, why and what opens it."""

    ok: bool
    why: Prose | None = None
    next_step: Prose | None = None
    with_reason: bool = Field(default=False, description="Whether a typed reason opens it all the same")
    stop: StopCode | None = Field(default=None, description="The stop that shuts it, where one does")
    stop_text: Prose | None = Field(default=None, description="What that stop says, without the word STOP")


OPEN = Gate(ok=True)


def shut(why: str, next_step: str, with_reason: bool = False) -> Gate:
    """Return a closed gate."""
    return Gate(ok=False, why=why, next_step=next_step, with_reason=with_reason)


CLOSED_CALL = shut(msg("This call is closed."), msg("Open it again, or open a new call on this unit."))
_NO_PLATE = shut(msg("No nameplate saved for this unit."), msg("Enter the nameplate first (step 2)."))
_GO_LIVE_STEP = msg("Covers on, people clear, meter set, leads back on. Then record going live.")


def gates_of(facts: CallFacts, stops: list[WorkStop]) -> dict[GateName, Gate]:
    """Return every gate of a call.

    Notes
    -----
    A closed call opens nothing but itself. A stop shuts everything live, and where it says so all hands-in
    work; proving dead and writing down what was put right are always open.

    """
    if facts.status == "closed":
        gates: dict[GateName, Gate] = dict.fromkeys(GATE_NAMES, CLOSED_CALL)
        return gates | {"reopen": OPEN}
    state = facts.state
    live_stop = _stopped(stops[0]) if stops else None
    all_stop = next((_stopped(s) for s in stops if s.scope == "all"), None)
    has_plate = OPEN if facts.plate is not None else _NO_PLATE
    return {
        **dict.fromkeys(ALWAYS_OPEN, OPEN),
        "control_live": live_stop or _control_live(state),
        "go_live": live_stop or _go_live(state),
        "take_dead": all_stop or _take_dead(state),
        "take_control": live_stop or _take_control(state),
        "take_live": live_stop or _take_live(state),
        "look_at_circuit": has_plate,
        "tick_move": all_stop or _tick_move(state),
        "lift_stop": OPEN if stops else shut(msg("Nothing stops the work."), msg("Go on with the call.")),
        "decide_cause": has_plate,
        "reopen": shut(msg("This call is open."), msg("Go on with it.")),
    }


def _stopped(stop: WorkStop) -> Gate:
    return Gate(
        ok=False,
        why=msg("STOP. {text}", text=stop.text),
        next_step=stop.next_step,
        stop=stop.code,
        stop_text=stop.text,
    )


def fit_gate(facts: CallFacts, work: WorkKind, part: str | None = None) -> Gate:
    """Return whether a part may be recorded as fitted: its plan is on the record and every move is ticked.

    Parameters
    ----------
    facts : what is on the record
    work : the kind of work; "other" has no wiring plan and needs none
    part : the part's number, where it has one

    """
    if facts.status == "closed":
        return CLOSED_CALL
    if work == "other":
        return OPEN
    plan = facts.plans.get(work)
    if plan is None or plan.dropped or plan.wiring is None or (part and plan.part and plan.part != part):
        return shut(
            msg("No wiring plan of this part is on the call."),
            msg("Plan it, then tick each move as it is done."),
        )
    left = moves_left(plan)
    if left:
        return shut(
            msg("{left} {left_2} not ticked.", left=left, left_2="move is" if left == 1 else "moves are"),
            msg("Tick every move first: each lead pulled, each clamp torqued."),
        )
    return OPEN


def _control_live(state: CallState) -> Gate:
    if state.state == "dead_proved":
        return OPEN
    return shut(msg("Prove the line dead before you bring 24 V back."), msg("Fill in Make safe first."))


def _go_live(state: CallState) -> Gate:
    if not state.caution_read:
        return shut(
            msg("The live-work caution has not been read on this call."),
            msg("Read the caution, then go live."),
        )
    return OPEN


def _take_dead(state: CallState) -> Gate:
    if state.state == "dead_proved":
        return OPEN
    return shut(
        msg(
            "Power must be off for this reading. The unit is {words}. {why}", words=state.words, why=state.why
        ),
        msg("Complete Make safe, or enter why it is safe without it. The reason is saved."),
        with_reason=True,
    )


_CAUTION = shut(
    msg("Read the live-work caution first. It is once per call."),
    msg("Open Power-on tests and read the caution first."),
)


def _take_control(state: CallState) -> Gate:
    if not state.caution_read:
        return _CAUTION
    if state.state == "dead_proved":
        return shut(
            msg("Control voltage is still off."),
            msg('Record "24 V on, line dead" before you measure the coil.'),
        )
    return OPEN


def _take_live(state: CallState) -> Gate:
    if not state.caution_read:
        return _CAUTION
    if state.state in ("dead_proved", "control_live"):
        return shut(
            msg("The unit is {words}, so you cannot take a live reading.", words=state.words), _GO_LIVE_STEP
        )
    if state.state == "lapsed":
        return shut(msg("No one recorded turning the power back on. {why}", why=state.why), _GO_LIVE_STEP)
    return OPEN


def _tick_move(state: CallState) -> Gate:
    if state.state == "dead_proved":
        return OPEN
    return shut(
        msg("Power must be off to wire. The unit is {words}. {why}", words=state.words, why=state.why),
        msg("Fill in Make safe first, rung 1."),
    )


_TAKE: dict[Work, GateName] = {
    "any": "take_any",
    "dead": "take_dead",
    "control": "take_control",
    "live": "take_live",
}


def take_gate(work: Work) -> GateName:
    """Return the gate of a reading by the state it wants."""
    return _TAKE[work]


def require(gate: Gate, reason: str | None = None) -> None:
    """Raise unless a gate is open, or a typed reason opens it.

    Raises
    ------
    GateClosed : with the step that opens it

    """
    if gate.ok or (gate.with_reason and reason and reason.strip()):
        return
    raise GateClosed(gate.why or msg("Not open now."), next_step=gate.next_step)
