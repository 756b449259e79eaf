"""Every Fail on the record that is not put right yet: one function for readings, tests and the circuit."""

from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import AwareDatetime, Field

from orange_crank.core.call.call_tests import JudgedTest, find_call_test
from orange_crank.core.call.facts import CallFacts, TakenTest
from orange_crank.core.call.reading import JudgedReading
from orange_crank.core.circuit import AuditOut
from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Finding, Frozen, Verdict


class OpenFail(Frozen):
    """Something measured on this call that fails, on a part that is still there."""

    key: str = Field(description="Which record it comes from: reading-12, test-3, circuit")
    topic: str = Field(description="The quantity, the test's topic, or circuit")
    title: Prose
    text: Prose = Field(description="What fails, in one sentence")
    next_step: Prose | None = Field(description="What to do about it")
    verdict: Verdict
    rung: str = Field(description="Where it was measured, and is measured again")
    at: AwareDatetime | None = None


@dataclass(frozen=True)
class Judgement:
    """A call's readings, tests and circuit as judged."""

    facts: CallFacts
    readings: Sequence[JudgedReading]
    tests: Sequence[tuple[TakenTest, JudgedTest]]
    circuit: AuditOut | None


def open_fails(judged: Judgement, least: Verdict = "fail") -> list[OpenFail]:
    """Return what fails now, oldest first.

    Parameters
    ----------
    judged : the call's readings, tests and circuit as judged
    least : "fail" alone, or "watch" for both

    Notes
    -----
    The newest measurement of the same thing counts: a Fail is put right by measuring it again, or by changing
    the part it speaks of. A declined one stays.

    """
    counted: tuple[Verdict, ...] = ("fail",) if least == "fail" else ("fail", "watch")
    newest: dict[tuple[object, ...], tuple[TakenReading, JudgedReading]] = {}
    by_id = {j.reading_id: j for j in judged.readings}
    for taken in judged.facts.current:
        found = by_id.get(taken.id)
        if found is not None:
            newest[taken.entry.quantity, taken.entry.spot] = taken, found
    fails = [_of_reading(r, j) for r, j in newest.values() if j.verdict in counted and j.old_part is None]
    tests = {t.topic: (t, j) for t, j in judged.tests if not judged.facts.test_retired_by(t.topic, t.place)}
    fails += [_of_test(t, j) for t, j in tests.values() if j.verdict in counted]
    if judged.circuit is not None:
        bad = [c for c in judged.circuit.checks if c.verdict in counted]
        fails += [
            OpenFail(
                key=f"circuit-{c.code}",
                topic="circuit",
                title=msg("Circuit"),
                text=c.text,
                next_step=c.fix,
                verdict=c.verdict,
                rung="circuit",
            )
            for c in bad
        ]
    return _once(sorted(fails, key=lambda f: f.at.timestamp() if f.at is not None else float("inf")))


def _grave(findings: Sequence[Finding], verdict: Verdict) -> Finding | None:
    return next((f for f in findings if f.verdict == verdict), None)


def _of_reading(reading: TakenReading, judged: JudgedReading) -> OpenFail:
    note = QUANTITIES[reading.entry.quantity]
    found = _grave(judged.findings, judged.verdict)
    return OpenFail(
        key=f"reading-{reading.id}",
        topic=reading.entry.quantity,
        title=note.label,
        text=found.text if found is not None else judged.summary,
        next_step=found.next_step if found is not None else None,
        verdict=judged.verdict,
        rung="dead_tests" if note.work in ("dead", "control") else "live_tests",
        at=reading.taken_at,
    )


def _of_test(test: TakenTest, judged: JudgedTest) -> OpenFail:
    kind = find_call_test(test.topic)
    found = _grave(judged.findings, judged.verdict)
    return OpenFail(
        key=f"test-{test.id}",
        topic=test.topic,
        title=kind.label,
        text=found.text if found is not None else msg("{label} fails.", label=kind.label),
        next_step=found.next_step if found is not None else None,
        verdict=judged.verdict,
        rung="dead_tests" if kind.work == "dead" else "live_tests",
        at=test.taken_at,
    )


def _once(fails: Sequence[OpenFail]) -> list[OpenFail]:
    """One verdict may speak of several readings, as of three windings: it is listed once."""
    seen: dict[tuple[str, str], OpenFail] = {}
    for fail in fails:
        seen.setdefault((fail.rung, fail.text), fail)
    return list(seen.values())
