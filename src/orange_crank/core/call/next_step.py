"""The one order of work of a call: make safe, nameplate, test, cause, price, part, measure, prove, close.

``next_step`` names one thing at a time. A step is gone once it is done, and no later step brings an earlier
one back unless hands have to go in again: following it alone always ends in closing the call.
"""

import re
from collections.abc import Callable
from typing import Literal

from pydantic import Field, TypeAdapter

from orange_crank.core.call.changes import PartKind
from orange_crank.core.call.complaint import symptoms_in
from orange_crank.core.call.evidence_of_record import OF_TEST
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.open_points import to_measure_again
from orange_crank.core.call.rungs.dead_tests import missing_dead_tests
from orange_crank.core.call.rungs.live_tests import missing_live_tests
from orange_crank.core.call.rungs.rung import Danger, RungKey
from orange_crank.core.call.why import WhyOfCall
from orange_crank.core.call.why_record import SEEN_HERE
from orange_crank.core.call.work import WorkKind, moves_left
from orange_crank.core.diagnosis.model import DiagnoseOut, Evidence, NextTest
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.errors import CrankError
from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.safety.state import Work
from orange_crank.core.safety.stop import StopCode, WorkStop

StepCode = Literal[
    "CLEAR_STOP",
    "MAKE_SAFE",
    "NAMEPLATE",
    "SYMPTOMS",
    "TEST",
    "CAUSE",
    "PRICE",
    "FIT",
    "MEASURE_NEW",
    "GO_LIVE",
    "LIVE_TESTS",
    "PROVE",
    "EXPLAIN",
    "HAND_OVER",
    "CLOSE",
]
_CLEARED_BY_MAKE_SAFE: frozenset[StopCode] = frozenset({"STOP_LIVE", "STRAY_VOLTAGE"})
_RUNG_OF_WORK: dict[WorkKind, RungKey] = {"aid": "aid"}
_AIDS: frozenset[PartKind] = frozenset({"start_kit", "soft_starter"})
_SWAPPED: frozenset[PartKind] = frozenset({"run_capacitor", "fan_capacitor", "dual_capacitor", "contactor"})
# Control power comes back on the rung itself, with the line dead.
_DANGER_OF: dict[Work, Danger] = {"dead": "dead", "control": "none", "live": "live", "any": "none"}
# After so many different readings Next offers the cause and names no further test; Why still lists them.
MOST_TESTS = 12
# Words of a routine visit.
_ROUTINE = re.compile(
    r"\b(check|maintenance|tune|inspect\w*|annual|yearly|spring|fall|season\w*|routine|start-?up|commission\w*)",
    re.IGNORECASE,
)


_RUNG_NAMES: TypeAdapter[RungKey] = TypeAdapter(RungKey)


class NextStep(Frozen):
    """The one thing to do next on a call."""

    code: StepCode
    rung: RungKey | None = Field(description="Where it is done; None where only closing is left")
    text: Prose = Field(description="What to do, in one short line")
    danger: Danger = Field(default="none", description="Whether hands go in for it, or power is on")
    anchor: str | None = Field(default=None, description="Which part of the rung, where it has several")
    powered: bool = Field(default=False, description="Whether the power has to be on for it")
    skip: str | None = Field(default=None, description="The test of the diagnosis that may be skipped here")


def next_step(call: JudgedCall) -> NextStep | None:
    """Return the one thing to do next; None once the call is closed.

    Parameters
    ----------
    call : the judged call

    """
    if call.facts.status == "closed":
        return None
    first = next(step for find in _ORDER if (step := find(call)) is not None)
    state = call.facts.state.state
    # Power-off tests may go on with control back; hands at the wiring may not.
    dead_enough = ("dead_proved",) if first.code == "FIT" else ("dead_proved", "control_live")
    if first.danger == "dead" and first.rung != "make_safe" and state not in dead_enough:
        return NextStep(
            code="MAKE_SAFE",
            rung="make_safe",
            text=msg("Prove it dead. Then: {text}", text=first.text),
            danger="dead",
            skip=first.skip,
        )
    if (first.danger == "live" or first.powered) and state not in ("as_found", "live"):
        return NextStep(
            code="GO_LIVE",
            rung="live_tests",
            text=msg("Power back on. Then: {text}", text=first.text),
            danger="live",
            skip=first.skip,
        )
    return first


def _stop(call: JudgedCall) -> NextStep | None:
    """Under a stop: what clears it, until its cause is on record and it has to be left."""
    for stop in call.stops:
        if stop.key.startswith("make-safe") or stop.code in _CLEARED_BY_MAKE_SAFE:
            return _clear(stop, "make_safe", "dead")
        if not _left_standing(call, stop):
            # Hands stay out where the stop says so: what clears it is then written down on Why.
            by_hand = stop.scope == "live" and not stop.may_lift
            return _clear(stop, "dead_tests" if by_hand else "why", "dead" if by_hand else "none")
    return None


def _clear(stop: WorkStop, rung: RungKey, danger: Danger) -> NextStep:
    return NextStep(code="CLEAR_STOP", rung=rung, text=stop.next_step, danger=danger, anchor="stops")


def _left_standing(call: JudgedCall, stop: WorkStop) -> bool:
    """Tell whether the cause behind a stop is on record: then the call goes on, and the unit stays off."""
    facts = call.facts
    if facts.condemned or facts.confirmed is not None or facts.handed_over is not None:
        return True
    since = _place_of(call, stop)
    return any(d.kind == "cause" and d.decision.hypothesis and d.place > since for d in facts.decisions)


def _place_of(call: JudgedCall, stop: WorkStop) -> float:
    """Return where in the order of recording a stop was raised; clocks order nothing."""
    facts = call.facts
    places = {f"reading-{r.id}": r.place for r in facts.readings}
    places |= {f"test-{t.id}": t.place for t in facts.tests}
    place = stop.key.rsplit("-", 1)[-1]
    return places.get(stop.key, float(place) if place.replace(".", "", 1).isdigit() else 0.0)


def _first_make_safe(call: JudgedCall) -> NextStep | None:
    """First of all, unless something was measured, decided or changed on this call already."""
    facts = call.facts
    begun = facts.readings or facts.tests or facts.changes or facts.decisions or facts.handed_over
    if begun or any(e.kind in ("made_safe", "went_live") for e in facts.events):
        return None
    return NextStep(
        code="MAKE_SAFE",
        rung="make_safe",
        text=msg("Prove it dead before you put your hands in."),
        danger="dead",
    )


def _nameplate(call: JudgedCall) -> NextStep | None:
    if call.facts.handed_over is not None:
        return None
    if call.plate_trouble is not None:
        text = msg("Read the nameplate again and save what it says.")
    elif call.plate is None:
        text = msg("Read the nameplate.")
    elif call.plate.suspects:
        doubts = len({s.field for s in call.plate.suspects})
        text = msg(
            "{doubts} number{doubts_2} to check on the nameplate.",
            doubts=doubts,
            doubts_2="s" if doubts > 1 else "",
        )
    else:
        return None
    return NextStep(code="NAMEPLATE", rung="plate", text=text)


def is_routine(call: JudgedCall) -> bool:
    """Tell whether nothing is wrong so far: no symptom, no Fail, a routine visit."""
    facts = call.facts
    words = facts.complaint.strip()
    asked = not words or _ROUTINE.search(words) is not None
    symptoms = facts.told.symptoms or symptoms_in(words)
    return asked and not symptoms and not call.fails and not call.stops


def _diagnosis(call: JudgedCall) -> DiagnoseOut | None:
    try:
        return WhyOfCall(call).result
    except CrankError:
        return None


def _cause(call: JudgedCall) -> NextStep | None:
    """The test that decides, then the cause; on a routine visit the usual readings and no cause."""
    facts = call.facts
    settled = facts.cause or facts.condemned or facts.confirmed or facts.changes or facts.handed_over
    if settled or facts.plate is None:
        return None
    if is_routine(call):
        return _routine(call)
    if not facts.told.symptoms:
        said = symptoms_in(facts.complaint)
        if said or not (facts.readings or facts.tests or facts.seen):
            text = msg("Confirm the complaint.") if said else msg("Tick what the unit does.")
            return NextStep(code="SYMPTOMS", rung="why", text=text, anchor="symptoms")
    found = _diagnosis(call)
    if found is None:
        return None
    if not found.decided and found.next_tests and _taken(call) < MOST_TESTS:
        test = found.next_tests[0]
        return NextStep(
            code="TEST",
            rung=_rung_of_test(test),
            text=msg("{title}.", title=test.title),
            danger=_DANGER_OF["control"] if test.danger == "control_live" else test.danger,
            anchor=test.test,
            powered=test.powered,
            skip=test.test if test.may_skip else None,
        )
    text = msg("Select the cause.") if found.decided else msg("Select the likeliest cause, or go on testing.")
    return NextStep(code="CAUSE", rung="why", text=text, anchor="cause")


def _taken(call: JudgedCall) -> int:
    """Return how many different things were measured, tested, looked at or skipped."""
    facts = call.facts
    looked = {one.what.quantity for one in facts.seen if isinstance(one.what, Evidence)}
    return (
        len({r.entry.quantity for r in facts.readings} | looked)
        + len({t.topic for t in facts.tests})
        + len(facts.told.skipped)
    )


def _rung_of_test(test: NextTest) -> RungKey:
    """Return where a test is entered: on Why where neither a reading nor a call test has a field for it."""
    looked_at = set(test.asks) <= {note.quantity for note in SEEN_HERE}
    if looked_at and test.test.replace("_", "-") not in OF_TEST and not set(test.asks) & set(QUANTITIES):
        return "why"
    key: RungKey = _RUNG_NAMES.validate_python(test.rung)
    return key


def _routine(call: JudgedCall) -> NextStep | None:
    dead = missing_dead_tests(call)
    if dead:
        return NextStep(
            code="TEST",
            rung="dead_tests",
            text=msg("Measure: {join}.", join=joined(dead, ", ")),
            danger="dead",
        )
    live = missing_live_tests(call)
    if live:
        return NextStep(
            code="TEST",
            rung="live_tests",
            text=msg("Measure: {join}.", join=joined(live, ", ")),
            danger="live",
        )
    return None


def _mends(call: JudgedCall) -> list[PartKind]:
    cause = call.facts.settled_cause
    if call.facts.condemned:
        return ["compressor"]
    return [] if cause is None else priors()[cause].mended_by  # type: ignore[return-value]


def _price(call: JudgedCall) -> NextStep | None:
    """Options and prices before the work, where the cause is put right by a part or a repair."""
    facts = call.facts
    if not _mends(call) or facts.changes or facts.handed_over is not None:
        return None
    if facts.agreed or facts.go_ahead is not None:
        return None
    return NextStep(code="PRICE", rung="why", text=msg("Show the options and get a yes."), anchor="options")


def _fit(call: JudgedCall) -> NextStep | None:
    """Do the work that was agreed: a plan that was begun first, else the part that mends the cause."""
    facts = call.facts
    if facts.handed_over is not None:
        return None
    fitted = {f.work for f in facts.fitted}
    for plan in facts.plans.values():
        if not plan.dropped and plan.work not in fitted:
            left = moves_left(plan)
            text = (
                msg("{title}: {left} moves to go.", title=plan.title, left=left)
                if left
                else msg("{title}: record it as fitted.", title=plan.title)
            )
            rung = _RUNG_OF_WORK.get(plan.work, "parts")
            return NextStep(code="FIT", rung=rung, text=text, danger="dead", anchor="plan")
    mends = _mends(call)
    later = facts.parts_ordered.strip() or facts.work_declined
    if not mends or facts.changes or later:
        return None
    agreed = facts.agreed[-1].agreement.work_keys if facts.agreed else []
    rung = _rung_of(agreed[0] if agreed else mends[0])
    text = (
        msg("Do the repair, then write down what was changed.")
        if rung == "prove"
        else msg("Plan the work, do it, record it as fitted.")
    )
    return NextStep(code="FIT", rung=rung, text=text, danger="dead")


def _rung_of(part: str) -> RungKey:
    """Return where a part is planned and recorded; a repair without a wiring plan is a change on Prove."""
    if part in _AIDS or part.startswith("aid"):
        return "aid"
    return "parts" if part in _SWAPPED else "prove"


def _measure_new(call: JudgedCall) -> NextStep | None:
    if call.facts.handed_over is not None:
        return None
    for quantity, words in to_measure_again(call.facts):
        work = QUANTITIES[quantity].work
        if work != "dead" and call.stops:
            continue
        return NextStep(
            code="MEASURE_NEW",
            rung="dead_tests" if work == "dead" else "live_tests",
            text=msg("Measure: {words}.", words=words),
            danger=_DANGER_OF[work],
            anchor=quantity,
        )
    return None


_OPEN: dict[str, tuple[StepCode, RungKey, Danger]] = {
    "PROOF_MISSING": ("LIVE_TESTS", "live_tests", "live"),
    "NOT_PROVED": ("LIVE_TESTS", "live_tests", "live"),
    "KEEP_OR_NOT": ("PROVE", "prove", "none"),
    "OVERLOAD_UNEXPLAINED": ("EXPLAIN", "why", "none"),
    "TRIAL_OPEN": ("EXPLAIN", "why", "none"),
    "WHY_IT_DIED": ("EXPLAIN", "why", "none"),
}


def _open_points(call: JudgedCall) -> NextStep | None:
    """Power-on tests, then the decision on the work, then what has still to be explained."""
    if call.facts.handed_over is not None:
        return None
    for code, (step, rung, danger) in _OPEN.items():
        if danger == "live" and call.stops:
            continue
        point = next((p for p in call.left_open if p.code == code), None)
        if point is not None:
            where: RungKey = "prove" if point.rung == "prove" and code == "PROOF_MISSING" else rung
            return NextStep(code=step, rung=where, text=point.next_step, danger=danger, anchor=code)
    return None


def _power_back(call: JudgedCall) -> NextStep | None:
    """Put power back where nothing keeps the unit off."""
    facts = call.facts
    stays_off = call.stops or facts.condemned or (facts.settled_cause is not None and not call.put_right)
    if facts.handed_over is not None or (stays_off and not facts.changes) or call.stops:
        return None
    if not any(p.code == "LEFT_DEAD" for p in call.left_open):
        return None
    return NextStep(
        code="GO_LIVE", rung="live_tests", text=msg("Power back on: record going live."), danger="none"
    )


def _hand_over(call: JudgedCall) -> NextStep | None:
    if call.facts.handed_over is not None:
        return None
    return NextStep(code="HAND_OVER", rung="hand_over", text=msg("Hand over to the customer."))


def _close(call: JudgedCall) -> NextStep | None:
    del call
    return NextStep(code="CLOSE", rung=None, text=msg("Close the call."))


_ORDER: tuple[Callable[[JudgedCall], NextStep | None], ...] = (
    _first_make_safe,
    _stop,
    _nameplate,
    _cause,
    _price,
    _fit,
    _measure_new,
    _open_points,
    _power_back,
    _hand_over,
    _close,
)
