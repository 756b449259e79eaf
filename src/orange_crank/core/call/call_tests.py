"""Tests of several readings taken together on a call: which there are, in what state, how judged."""

import re
from typing import Any

from pydantic import ValidationError

from orange_crank.core.errors import FieldProblem, InputProblem, input_problem
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, worst
from orange_crank.core.plate import Plate
from orange_crank.core.safety.state import Work
from orange_crank.core.tables.standards import Standards, shipped_standards
from orange_crank.core.topics import find_topic


class CallTest(Frozen):
    """One kind of test that a call may hold."""

    topic: str
    label: Prose
    work: Work
    how: Prose


CALL_TESTS: tuple[CallTest, ...] = (
    CallTest(
        topic="isolation",
        label=msg("Short-to-ground test, one part at a time"),
        work="dead",
        how=(
            msg(
                "Contactor open. Disconnect one part at a time; test each lead to bare metal. "
                "Yes = continuity."
            )
        ),
    ),
    CallTest(
        topic="start-kit",
        label=msg("Fitted start kit"),
        work="dead",
        how=msg("Kit lifted from circuit, capacitor bled. Small refrigeration: relay and overload likewise."),
    ),
    CallTest(
        topic="capacitor-top",
        label=msg("Unreadable capacitor top"),
        work="dead",
        how=msg("Bled, wires off. Read µF between each pair of tabs."),
    ),
    CallTest(
        topic="legs",
        label=msg("Legs to neutral"),
        work="live",
        how=msg("At the panel, each leg to neutral: idle, then at the lowest during the start."),
    ),
    CallTest(
        topic="supply-walk",
        label=msg("Supply walk"),
        work="live",
        how=msg("Same load, within minutes. Skip points you did not measure."),
    ),
    CallTest(
        topic="capacitor",
        label=msg("Capacitor under load"),
        work="live",
        how=msg("Running: clamp the start wire and read volts across C–HERM. No shutdown needed."),
    ),
    CallTest(
        topic="winding-amps",
        label=msg("Three winding amps"),
        work="live",
        how=msg("Running: C, then the wire to R alone, then the wire to S."),
    ),
    CallTest(
        topic="refrigerant",
        label=msg("Refrigerant side"),
        work="live",
        how=(
            msg("Both pressures before the start, then running. For diagnosing the start, not for charging.")
        ),
    ),
    CallTest(
        topic="imbalance",
        label=msg("Three-phase imbalance"),
        work="live",
        how=msg("Running: three line voltages and three line amps."),
    ),
    CallTest(
        topic="heat-strips",
        label=msg("Heat strips"),
        work="live",
        how=msg(
            "One stage called and settled: volts at the strips, amps of strips and blower, air in and out."
        ),
    ),
)
_SINGLE_PHASE = {"winding-amps", "capacitor", "capacitor-top", "legs", "start-kit"}
_THREE_PHASE = {"imbalance"}


class JudgedTest(Frozen):
    """What a test shows."""

    verdict: Verdict
    findings: list[Finding]
    stop: bool = False


_STRIPS = re.compile(
    r"\bstrips?\b|electric heat|heat pump|heat kit|\bkw\b|air handler|furnace", re.IGNORECASE
)


def offered_tests(plate: Plate | None, kind: str = "") -> list[str]:
    """Return which tests belong to a unit, by topic; without a plate all of them.

    A three-phase unit has no start winding, no run capacitor of its compressor and no single-phase start kit.
    Strips belong to units whose kind tells of electric heat, and to those of which nobody said the kind.
    """
    none = set() if not kind.strip() or _STRIPS.search(kind) else {"heat-strips"}
    if plate is None:
        return [t.topic for t in CALL_TESTS if t.topic not in none]
    gone = none | (_SINGLE_PHASE if plate.phase == 3 else _THREE_PHASE)
    if plate.is_inverter:
        gone = gone | {"winding-amps", "capacitor", "start-kit"}
    return [t.topic for t in CALL_TESTS if t.topic not in gone]


def find_call_test(topic: str) -> CallTest:
    """Return the test of a topic, or refuse naming those there are."""
    for test in CALL_TESTS:
        if test.topic == topic:
            return test
    known = joined((t.topic for t in CALL_TESTS), ", ")
    raise InputProblem([FieldProblem(field="topic", wanted=msg("one of {known}", known=known), got=topic)])


def judge_call_test(
    topic: str, entry: dict[str, Any], standards: Standards | None = None, plate: Plate | None = None
) -> JudgedTest:
    """Judge a test's readings; what it leaves out comes from the nameplate.

    Raises
    ------
    InputProblem : a field cannot be used

    """
    found = find_topic(find_call_test(topic).topic)
    if topic == "refrigerant" and plate is not None:
        known = {"refrigerant": plate.refrigerant, "metering": plate.metering}
        entry = {k: v for k, v in known.items() if v is not None} | entry
    if topic == "winding-amps" and plate is not None and plate.run_cap_uf is not None:
        entry = {"run_cap_uf": plate.run_cap_uf, "plate_volts": plate.volts} | entry
    try:
        given = found.takes.model_validate(entry)
    except ValidationError as error:
        raise input_problem(error) from None
    result: Any = found.run(given, standards or shipped_standards())
    findings: list[Finding] = result.findings
    return JudgedTest(
        verdict=worst([f.verdict for f in findings if f.verdict != "note"]),
        findings=findings,
        stop=any(f.stops for f in findings),
    )
