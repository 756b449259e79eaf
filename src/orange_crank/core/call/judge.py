"""A call judged once, whole; ladder, Why, gates and lists all read from this."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from orange_crank.core.call.before_after import BeforeAfter, aid_in_circuit, before_and_after
from orange_crank.core.call.call_tests import JudgedTest, judge_call_test
from orange_crank.core.call.circuit import audit_entry
from orange_crank.core.call.facts import CallFacts, TakenTest
from orange_crank.core.call.gates import Gate, GateName, gates_of
from orange_crank.core.call.judging import cannot_be_judged, judged_or_said
from orange_crank.core.call.open_fails import Judgement, OpenFail, open_fails
from orange_crank.core.call.open_points import OpenPoint, OverloadOpen, left_open, overload_of
from orange_crank.core.call.reading import JudgedReading, judge_dead, judge_readings
from orange_crank.core.call.stops import StopsFound, find_stops
from orange_crank.core.circuit import AuditOut, audit_circuit
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.measure.dead_tests import DeadTest
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding
from orange_crank.core.plate import PlateResult, check_plate
from orange_crank.core.safety.make_safe import MakeSafeResult, judge_make_safe
from orange_crank.core.safety.stop import WorkStop
from orange_crank.core.tables.standards import Standards, shipped_standards


@dataclass(frozen=True)
class JudgedCall:
    """Everything that is said of a call, each part worked out once when it is first asked for."""

    facts: CallFacts
    limits: Standards

    @cached_property
    def _plate(self) -> tuple[PlateResult | None, str | None]:
        plate = self.facts.plate
        if plate is None:
            return None, self.facts.plate_trouble

        def checked() -> tuple[PlateResult | None, str | None]:
            return check_plate(plate, self.limits), None

        return judged_or_said(checked, lambda reason: (None, reason))

    @property
    def plate(self) -> PlateResult | None:
        """The plate held against itself; None without one, or where it cannot be judged."""
        return self._plate[0]

    @property
    def plate_trouble(self) -> Finding | None:
        """Why the plate on record cannot be judged, where it cannot."""
        reason = self._plate[1]
        return cannot_be_judged(msg("The nameplate on record"), reason) if reason else None

    @cached_property
    def make_safe(self) -> MakeSafeResult | None:
        """The newest make-safe record, judged."""
        record = self.facts.make_safe
        return judge_make_safe(record, self.limits, self.facts.plate) if record is not None else None

    @cached_property
    def dead(self) -> Sequence[DeadTest]:
        """The dead tests of the parts that are there now."""
        return judged_or_said(lambda: judge_dead(self.facts, self.limits), lambda _: [])

    @cached_property
    def readings(self) -> Sequence[JudgedReading]:
        """Every standing reading, judged."""
        return judge_readings(self.facts, list(self.dead), self.limits)

    @cached_property
    def tests(self) -> Sequence[tuple[TakenTest, JudgedTest]]:
        """Every test, judged; one that cannot be says why."""
        return [(t, self._test(t)) for t in self.facts.tests]

    def _test(self, test: TakenTest) -> JudgedTest:
        def cannot(reason: str) -> JudgedTest:
            return JudgedTest(verdict="unknown", findings=[cannot_be_judged(msg("This test"), reason)])

        return judged_or_said(
            lambda: judge_call_test(test.topic, test.entry, self.limits, self.facts.plate), cannot
        )

    @cached_property
    def found_stops(self) -> StopsFound:
        """What stops the work, and what no longer does."""
        return find_stops(self.facts, self.tests, self.limits)

    @property
    def stops(self) -> list[WorkStop]:
        """What stops the work now, gravest first."""
        return list(self.found_stops.standing)

    @cached_property
    def gates(self) -> Mapping[GateName, Gate]:
        """What may be done now, and what opens the rest."""
        return gates_of(self.facts, self.stops)

    @cached_property
    def before_after(self) -> BeforeAfter | None:
        """The start before against the start after."""
        return before_and_after(self.facts, self.limits)

    @cached_property
    def circuit(self) -> AuditOut | None:
        """The circuit that is there against the plate as it is now."""
        plate, look = self.facts.plate, self.facts.circuit
        if plate is None or look is None:
            return None
        day = self.facts.on_date
        return judged_or_said(
            lambda: audit_circuit(audit_entry(plate, look, day), self.limits), lambda _: None
        )

    @cached_property
    def overload(self) -> OverloadOpen | None:
        """The overload that was found open, and whether what heated it was answered."""
        return overload_of(self.facts)

    @cached_property
    def _judgement(self) -> Judgement:
        return Judgement(self.facts, self.readings, self.tests, self.circuit)

    @cached_property
    def fails(self) -> list[OpenFail]:
        """Every Fail that is not put right yet, oldest first."""
        return open_fails(self._judgement)

    @cached_property
    def starts_to_learn(self) -> int | None:
        """Starts the soft starter fitted on this call needs before it is judged; None without one."""
        if aid_in_circuit(self.facts, float("inf")) != "soft_starter":
            return None
        plan = self.facts.plans.get("aid")
        return plan.learning_starts if plan is not None else None

    @cached_property
    def watched_tests(self) -> list[OpenFail]:
        """Every test that ends in Watch and was not measured again better, oldest first."""
        found = open_fails(self._judgement, "watch")
        return [f for f in found if f.verdict == "watch" and f.key.startswith("test-")]

    @cached_property
    def left_open(self) -> list[OpenPoint]:
        """What closing the call now would leave open."""
        return left_open(self.facts, self.stops, self.before_after, self.fails)

    @property
    def put_right(self) -> bool:
        """Whether what it was, confirmed or taken, was put right: a change to a part that mends it."""
        cause = self.facts.settled_cause
        if cause is None:
            return False
        mends = priors()[cause].mended_by
        return any(c.part in mends for c in self.facts.changes)


def judge_call(facts: CallFacts, standards: Standards | None = None) -> JudgedCall:
    """Judge a call by what is on its record.

    Parameters
    ----------
    facts : what is on the record
    standards : the shop's limits (shipped ones when left out)

    """
    return JudgedCall(facts=facts, limits=standards or shipped_standards())
