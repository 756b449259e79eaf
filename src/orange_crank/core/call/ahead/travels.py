"""All that travels with an open call to where no server answers."""

from typing import get_args

from pydantic import Field

from orange_crank.core.call.ahead.gates import AheadGates, gates_ahead
from orange_crank.core.call.ahead.limits import GRAVER, FieldLimit, Side, limits_ahead
from orange_crank.core.call.ahead.make_safe import SurePart, going_live, surely_dead
from orange_crank.core.call.ahead.of_tests import AT_LEAST, STOP_TOGETHER, TestLimit, fields_ahead
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.measure.reading import Quantity
from orange_crank.core.nomenclature import Frozen, Minutes
from orange_crank.core.safety.state import CLOCK_SLACK, UNCOUNTED, EventKind

TAKEN_ALONG_RULE = "limits taken along"


class Ahead(Frozen):
    """What the core would say, worked out ahead: looked up without signal, judged on arrival."""

    limits: list[FieldLimit] = Field(description="Per quantity, what passes, is watched, fails and stops")
    tests: list[TestLimit] = Field(description="Per field of a test, what it is at least, alone")
    graver: list[Side] = Field(description="The sides, the gravest last")
    at_least: list[Side] = Field(description="What a test is at least by one field, the gravest last")
    stopping: list[Quantity] = Field(description="Quantities of which a value may stop the work")
    stopping_tests: list[str] = Field(description="Tests that may stop the work whatever each field says")
    gates: AheadGates
    surely_dead: list[SurePart] = Field(description="A make-safe record that fits all of them proves it dead")
    going_live: list[SurePart] = Field(description="What has to be ticked before it is energized")
    lapses_min: Minutes = Field(description="How long a proof made here holds [min]")
    clock_slack_min: Minutes = Field(description="A clock set back by more than this lapses a proof [min]")
    counted: list[EventKind] = Field(description="Safety events that move the state's version on")
    rule: str = Field(description="What a finding made on the device stands on, where its band names none")
    dead_under_v: float = Field(description="Volts that count as dead are below this [V]")


def ahead_of(call: JudgedCall) -> Ahead | None:
    """Return what travels with a call; None where nothing can be entered any more.

    Parameters
    ----------
    call : judged as it is now

    """
    if call.facts.status != "open":
        return None
    limits = limits_ahead(call.facts, call.limits)
    stopping = {
        limit.quantity
        for limit in limits
        if "stop" in (*(b.side for b in limit.bands), *(s.side for s in limit.said))
    }
    return Ahead(
        limits=limits,
        tests=fields_ahead(call.facts.plate, call.limits),
        graver=list(GRAVER),
        at_least=list(AT_LEAST),
        stopping=sorted(stopping),
        stopping_tests=list(STOP_TOGETHER),
        gates=gates_ahead(call.facts, call.stops),
        surely_dead=surely_dead(call.limits, call.facts.plate),
        going_live=going_live(),
        lapses_min=call.limits.make_safe_minutes,
        clock_slack_min=CLOCK_SLACK.total_seconds() / 60,
        counted=[kind for kind in get_args(EventKind) if kind not in UNCOUNTED],
        rule=TAKEN_ALONG_RULE,
        dead_under_v=call.limits.dead_limit_v,
    )
