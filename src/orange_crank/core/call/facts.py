"""What is on the record of a call: everything it is judged by, and nothing judged."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any, Literal

from pydantic import AwareDatetime, Field

from orange_crank.core.call.changes import OWN_READINGS, OWN_SEEN, OWN_TESTS, Change
from orange_crank.core.call.circuit import CircuitLook
from orange_crank.core.call.visits import Visit
from orange_crank.core.call.why_record import Decided, SeenAt, Trial, WhyRecord
from orange_crank.core.call.work import BackupProof, FittedPart, KeptPart, WiringChecked, WorkKind, WorkPlan
from orange_crank.core.diagnosis.model import Hypothesis, Measured
from orange_crank.core.handover.money import Billed, ClosedBill, PaidAt
from orange_crank.core.handover.record import Agreed, ClosedAt, ConfirmedAt, HandedOverAt
from orange_crank.core.measure.reading import QUANTITIES, Quantity
from orange_crank.core.measure.start_time import PastStart
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen, Word
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import MakeSafe
from orange_crank.core.safety.state import CallState, SafetyEvent


class TakenTest(Frozen):
    """Several readings taken together, as they were entered."""

    id: int
    topic: str
    entry: dict[str, Any]
    taken_at: AwareDatetime
    person: Word
    place: float = Field(default=0.0, description="Its place in the order of recording of the call")
    without_make_safe: str | None = Field(default=None, description="Why it was taken past the safety gate")


class Lift(Frozen):
    """What was written down when a stop was lifted."""

    stop: str = Field(description="Which stop, by its key")
    how: Word = Field(description="What was put right, or why it did not stand")
    lifted_at: AwareDatetime
    person: Word
    place: float = 0.0


@dataclass(frozen=True, kw_only=True)
class CallFacts:
    """What is on the record of a call: standing readings only, everything in the order it was recorded."""

    plate: Plate | None
    state: CallState
    make_safe: MakeSafe | None = None
    readings: Sequence[TakenReading] = ()
    changes: Sequence[Change] = ()
    status: Literal["open", "closed"] = "open"
    plate_trouble: str | None = None
    events: Sequence[SafetyEvent] = ()
    tests: Sequence[TakenTest] = ()
    told: WhyRecord = field(default_factory=WhyRecord)
    seen: Sequence[SeenAt] = ()
    hazards: Sequence[SeenAt] = ()
    decisions: Sequence[Decided] = ()
    lifts: Sequence[Lift] = ()
    plans: dict[WorkKind, WorkPlan] = field(default_factory=dict)
    fitted: Sequence[FittedPart] = ()
    kept: Sequence[KeptPart] = ()
    wired: Sequence[WiringChecked] = ()
    backup: BackupProof | None = None
    circuit: CircuitLook | None = None
    clocks_running: int = 0
    unit: str = msg("this unit")
    complaint: str = ""
    opened_at: AwareDatetime | None = None
    on_date: date | None = None
    visits: Sequence[Visit] = ()
    sister_start: PastStart | None = None
    earlier_make_safe: SafetyEvent | None = None
    shop_calls: Mapping[Hypothesis, int] = field(default_factory=dict)
    confirmed: ConfirmedAt | None = None
    agreed: Sequence[Agreed] = ()
    billed: Billed | None = None
    handed_over: HandedOverAt | None = None
    parts_ordered: str = ""
    closed_at: AwareDatetime | None = None
    closed_reason: str = ""
    closings: Sequence[ClosedAt] = ()
    payments: Sequence[PaidAt] = ()

    def retired_by(self, quantity: Quantity, place: float) -> Change | None:
        """Return the change that made a reading the old part's, or None while its part is there."""
        return next(
            (
                c
                for c in self.changes
                if c.place > place and c.part and quantity in OWN_READINGS.get(c.part, ())
            ),
            None,
        )

    def test_retired_by(self, topic: str, place: float) -> Change | None:
        """Return the change that made a test the old part's, or None while its part is there."""
        return next(
            (c for c in self.changes if c.place > place and c.part and topic in OWN_TESTS.get(c.part, ())),
            None,
        )

    def seen_retired_by(self, quantity: Measured, place: float) -> Change | None:
        """Return the change that made something looked at the old part's, or None."""
        return next(
            (c for c in self.changes if c.place > place and c.part and quantity in OWN_SEEN.get(c.part, ())),
            None,
        )

    @property
    def current(self) -> list[TakenReading]:
        """The standing readings of the parts that are there now."""
        return [
            r for r in self.readings if r.trouble is None and not self.retired_by(r.entry.quantity, r.place)
        ]

    @property
    def current_tests(self) -> list[TakenTest]:
        """The tests of the parts that are there now."""
        return [t for t in self.tests if not self.test_retired_by(t.topic, t.place)]

    @property
    def cause(self) -> Decided | None:
        """The cause taken last, if one was."""
        return next(
            (d for d in reversed(self.decisions) if d.kind == "cause" and d.decision.hypothesis), None
        )

    @property
    def past_gate(self) -> list[str]:
        """What was taken past the safety gate, each with its reason and who."""
        read = [
            msg(
                "{label}: {without_make_safe} ({person})",
                label=QUANTITIES[r.entry.quantity].label,
                without_make_safe=r.entry.without_make_safe,
                person=r.person,
            )
            for r in self.readings
            if r.entry.without_make_safe
        ]
        tested = [f"{t.topic}: {t.without_make_safe} ({t.person})" for t in self.tests if t.without_make_safe]
        return list(dict.fromkeys([*read, *tested]))

    @property
    def last_bill(self) -> ClosedBill | None:
        """The bill of the newest closing that has one."""
        return next((c.closing.bill for c in reversed(self.closings) if c.closing.bill is not None), None)

    @property
    def go_ahead(self) -> Decided | None:
        """The last answer to the price other than a signed yes, where there is one."""
        return next((d for d in reversed(self.decisions) if d.kind == "go_ahead"), None)

    @property
    def work_declined(self) -> bool:
        """Whether the work is not to be done on this visit: declined, put off, or left for a replacement."""
        answer = self.go_ahead
        signed = self.agreed[-1] if self.agreed else None
        if answer is not None and (signed is None or answer.place > signed.place):
            return answer.decision.go == "not_today"
        return signed is not None and bool(signed.agreement.keys) and not signed.agreement.work_keys

    @property
    def settled_cause(self) -> Hypothesis | None:
        """What it was: confirmed in the end, else the cause taken; None where nothing is settled."""
        if self.confirmed is not None:
            return self.confirmed.confirmed.hypothesis
        return self.cause.decision.hypothesis if self.cause is not None else None

    @property
    def trials(self) -> list[Trial]:
        """The trial of a start kit as it was agreed, then what came of it; a signed yes agrees to it too."""
        told = [d.decision.trial for d in self.decisions if d.kind == "kit_trial" and d.decision.trial]
        if told:
            return told
        signed = [a.agreement.name for a in self.agreed if a.agreement.trial]
        return [Trial(agreed_with=signed[-1])] if signed else []

    @property
    def condemned(self) -> bool:
        """Whether the compressor was condemned on this call."""
        return any(d.kind == "condemned" for d in self.decisions)
