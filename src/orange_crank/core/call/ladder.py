"""A call as a ladder: rungs in working order, only listed; each judges itself in its own file."""

from collections.abc import Callable

from pydantic import Field

from orange_crank.core.call.before_after import BeforeAfter
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.judge import JudgedCall, judge_call
from orange_crank.core.call.reading import JudgedReading
from orange_crank.core.call.rungs.aid import aid_rung
from orange_crank.core.call.rungs.circuit import circuit_rung
from orange_crank.core.call.rungs.dead_tests import dead_tests_rung
from orange_crank.core.call.rungs.hand_over import hand_over_rung
from orange_crank.core.call.rungs.live_tests import live_tests_rung
from orange_crank.core.call.rungs.make_safe import make_safe_rung
from orange_crank.core.call.rungs.parts import parts_rung
from orange_crank.core.call.rungs.plate import plate_rung
from orange_crank.core.call.rungs.prove import prove_rung
from orange_crank.core.call.rungs.rung import Rung
from orange_crank.core.call.rungs.why import why_rung
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Frozen
from orange_crank.core.plate import PlateResult
from orange_crank.core.safety.make_safe import MakeSafeResult
from orange_crank.core.safety.stop import WorkStop
from orange_crank.core.tables.standards import Standards

RUNGS: tuple[Callable[[JudgedCall], Rung], ...] = (
    make_safe_rung,
    plate_rung,
    dead_tests_rung,
    live_tests_rung,
    why_rung,
    aid_rung,
    parts_rung,
    circuit_rung,
    prove_rung,
    hand_over_rung,
)


class Ladder(Frozen):
    """The whole call, judged."""

    rungs: list[Rung]
    stops: list[WorkStop] = Field(description="What stops the work, gravest first")
    plate: PlateResult | None
    plate_trouble: Finding | None = Field(description="Why the plate on record cannot be judged")
    make_safe: MakeSafeResult | None
    readings: list[JudgedReading]
    before_after: BeforeAfter | None


def build_ladder(facts: CallFacts, standards: Standards | None = None) -> Ladder:
    """Judge a call and lay it out as a ladder.

    Parameters
    ----------
    facts : what is on the record
    standards : the shop's limits (shipped ones when left out)

    """
    return ladder_of(judge_call(facts, standards))


def ladder_of(call: JudgedCall) -> Ladder:
    """Lay a judged call out as a ladder; under a stop nothing live is next."""
    return Ladder(
        rungs=[_under_stop(make(call), call.stops) for make in RUNGS],
        stops=call.stops,
        plate=call.plate,
        plate_trouble=call.plate_trouble,
        make_safe=call.make_safe,
        readings=list(call.readings),
        before_after=call.before_after,
    )


def _under_stop(rung: Rung, stops: list[WorkStop]) -> Rung:
    """Take a rung's live next step away while a stop stands, and put what lifts the stop in its place."""
    if not stops:
        return rung
    first = stops[0]
    shut = {"next_step": first.next_step, "next_is_live": False, "status": "blocked"}
    if rung.danger == "live":
        return rung.model_copy(
            update=shut | {"load": msg("STOP: {text}", text=first.text), "verdict": "fail"}
        )
    dead_work = rung.danger == "dead" and rung.key != "make_safe" and any(s.scope == "all" for s in stops)
    return rung.model_copy(update=shut) if rung.next_is_live or dead_work else rung
