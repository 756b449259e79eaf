"""Tests of several readings taken together on a call: which there are, in what state, how judged."""

from typing import Any

from pydantic import Field, ValidationError

from orange_crank.core.errors import FieldProblem, InputProblem, input_problem
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, worst
from orange_crank.core.safety.state import Work
from orange_crank.core.topics import find_topic


class CallTest(Frozen):
    """One kind of test that a call may hold."""

    topic: str
    label: str
    work: Work
    how: str


CALL_TESTS: tuple[CallTest, ...] = (
    CallTest(
        topic="isolation",
        label="To ground, piece by piece",
        work="dead",
        how="Contactor open. One piece at a time off, each of its leads to bare metal. Yes means continuity.",
    ),
    CallTest(
        topic="start-kit",
        label="Fitted start kit",
        work="dead",
        how="Kit lifted from circuit, capacitor bled. Small refrigeration: relay and overload likewise.",
    ),
    CallTest(
        topic="capacitor-top",
        label="Unreadable capacitor top",
        work="dead",
        how="Bled and wires lifted: microfarads between each two of the three tabs.",
    ),
    CallTest(
        topic="legs",
        label="Legs to neutral",
        work="live",
        how="At the panel, each leg to neutral: idle, then at the lowest during the start.",
    ),
    CallTest(
        topic="supply-walk",
        label="Supply walk",
        work="live",
        how="Same load, minutes apart. Leave out points you did not measure.",
    ),
    CallTest(
        topic="capacitor",
        label="Capacitor under load",
        work="live",
        how="Running: clamp on the start lead, volts across C–HERM. No power-down needed.",
    ),
    CallTest(
        topic="winding-amps",
        label="Three winding amps",
        work="live",
        how="Running: C, then the wire to R alone, then the wire to S.",
    ),
    CallTest(
        topic="refrigerant",
        label="Refrigerant side",
        work="live",
        how="Both pressures before the start, then running. Evidence for the start only, not for charging.",
    ),
    CallTest(
        topic="imbalance",
        label="Three-phase imbalance",
        work="live",
        how="Three line voltages, three line amps, running.",
    ),
)


STOPS = ("OPEN_NEUTRAL", "VACUUM", "STILL_LOOKING", "SHORTED_COMPRESSOR")


class JudgedTest(Frozen):
    """What a test shows."""

    verdict: Verdict
    findings: list[Finding]
    stop: bool = Field(default=False, description="Whether work stops here")


def find_call_test(topic: str) -> CallTest:
    """Return the test of a topic, or refuse naming those there are."""
    for test in CALL_TESTS:
        if test.topic == topic:
            return test
    known = ", ".join(t.topic for t in CALL_TESTS)
    raise InputProblem([FieldProblem(field="topic", wanted=f"one of {known}", got=topic)])


def judge_call_test(topic: str, entry: dict[str, Any]) -> JudgedTest:
    """Judge a test's readings.

    Raises
    ------
    InputProblem : a field cannot be used

    """
    found = find_topic(find_call_test(topic).topic)
    try:
        given = found.takes.model_validate(entry)
    except ValidationError as error:
        raise input_problem(error) from None
    result: Any = found.call(given)
    findings: list[Finding] = result.findings
    return JudgedTest(
        verdict=worst([f.verdict for f in findings if f.verdict != "note"]),
        findings=findings,
        stop=any(f.code in STOPS for f in findings),
    )
