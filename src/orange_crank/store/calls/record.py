"""The record of a call, read into facts: nothing is judged here, and reading never fails."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, TypeVar

import peewee
from pydantic import BaseModel, ValidationError

from orange_crank.core.call.changes import Change
from orange_crank.core.call.circuit import CircuitLook
from orange_crank.core.call.facts import CallFacts, Lift, TakenTest
from orange_crank.core.call.judge import JudgedCall, judge_call
from orange_crank.core.call.visits import EarlierReading, SiteStart, Visit, sister_start
from orange_crank.core.call.why_record import (
    Decided,
    ToldRow,
    WhyRecord,
    hazards_in_order,
    seen_in_order,
)
from orange_crank.core.call.work import (
    AsWired,
    BackupProof,
    FittedPart,
    Fitting,
    Kept,
    KeptPart,
    WiringChecked,
    WorkPlan,
)
from orange_crank.core.errors import input_problem
from orange_crank.core.handover.agreement import Agreement
from orange_crank.core.handover.money import Billed, PaidAt, Payment
from orange_crank.core.handover.record import (
    Agreed,
    ClosedAt,
    Closing,
    Confirmed,
    ConfirmedAt,
    HandedOver,
    HandedOverAt,
)
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import MakeSafe
from orange_crank.core.safety.state import CLOCK_SLACK, CallState, SafetyEvent, call_state
from orange_crank.core.tables.standards import Standards
from orange_crank.store.calls.causes import tally_of_causes
from orange_crank.store.calls.decisions import (
    AGREED,
    AS_WIRED,
    BACKUP,
    BILLED,
    CIRCUIT,
    CLOSED,
    CONFIRMED,
    DIAGNOSED,
    FITTED,
    HANDED,
    KEPT,
    LIFTED,
    PAID,
    PLAN,
    TOLD,
    decision_body,
)
from orange_crank.store.calls.journal import call_row, no_such_call
from orange_crank.store.calls.rows import ReadingRow, in_places, reading_rows
from orange_crank.store.calls.stamps import REMEMBERED, UNKNOWN, Listed, Stamps, look
from orange_crank.store.clocks import Clock, running_clocks
from orange_crank.store.database import local_day, now
from orange_crank.store.models import (
    ChangeMade,
    DecisionRow,
    MakeSafeRecord,
    Person,
    Reading,
    SafetyEventRow,
    ServiceCall,
    TestTaken,
    Unit,
)
from orange_crank.store.standards import shop_standards
from orange_crank.store.units import PlateOut, plate_of_unit
from orange_crank.store.waited import made_at

M = TypeVar("M", bound=BaseModel)
T = TypeVar("T")


@dataclass(frozen=True)
class CallRecord:
    """A call's rows beside their facts and verdicts; ``known`` is the stamp it was read by."""

    row: ServiceCall
    plate: PlateOut | None
    readings: Sequence[ReadingRow]
    events: Sequence[SafetyEventRow]
    decisions: Sequence[DecisionRow]
    clocks: Sequence[Clock]
    judged: JudgedCall
    entries: int = 0
    troubles: Sequence[str] = field(default_factory=tuple)
    known: Any = None

    @property
    def facts(self) -> CallFacts:
        """What is on the record."""
        return self.judged.facts


def read_call(call_id: int, at: datetime | None = None) -> CallRecord:
    """Read a call and judge it: an open one for this moment, a closed one as of its closing.

    Raises
    ------
    NotFound : no call has that number

    """
    known = look(call_id)
    if known is None:
        raise no_such_call(call_id)

    def part(name: str, stamp: Any, read: Callable[[], T]) -> T:
        return REMEMBERED.part(name, call_id, (stamp, known.people), read)

    row = part("call", known.call, lambda: call_row(call_id))
    closed = row.status == "closed"
    limits = part("standards", (known.standards, row.closed_standard), lambda: _limits(row))
    events, safety, event_troubles = part("events", known.events, lambda: _read_events(call_id))
    readings = part("readings", known.readings, lambda: _readings(call_id, known, row.opened_at))
    decisions, decided, decision_troubles = part("decisions", known.decisions, lambda: _read_decided(call_id))
    moment = (row.closed_at if closed else at) or now()
    last = _last_recorded(events, readings, decisions)
    if at is not None and made_at() is not None:
        last = _unless_set_back(last)
    here = (row.unit_id, row.unit.site_id, row.closed_plate, row.closed_reading, row.closed_change)
    plate = part(
        "plate",
        (known.plate, *here),
        lambda: plate_of_unit(row.unit_id, row.closed_plate if closed else None),
    )
    state = call_state(safety, moment, limits, last, plate.plate if plate else None)

    def read() -> CallRecord:
        clocks = [] if closed else part("clocks", known.clocks, lambda: _clocks(call_id))
        timed = any(r.taken.entry.quantity == "start_time_s" for r in readings)
        elsewhere = (known.elsewhere, row.status, *here)
        records = [e.record for e in safety if e.record is not None]
        facts = CallFacts(
            status="closed" if closed else "open",
            complaint=row.complaint,
            plate=plate.plate if plate else None,
            plate_trouble=plate.trouble if plate else None,
            state=state,
            make_safe=records[-1] if records else None,
            events=safety,
            readings=[r.taken for r in readings if r.superseded_by is None],
            changes=part("changes", known.changes, lambda: _changes(call_id)),
            tests=part("tests", known.tests, lambda: _tests(call_id)),
            clocks_running=len(clocks),
            unit=row.unit.name,
            opened_at=row.opened_at,
            on_date=local_day(row.opened_at),
            visits=part("visits", elsewhere, lambda: _visits(row)),
            sister_start=(
                sister_start(part("sisters", elsewhere, lambda: _site_starts(row)), row.unit.kind)
                if timed
                else None
            ),
            earlier_make_safe=(
                None if closed else part("earlier", elsewhere, lambda: _earlier_make_safe(row))
            ),
            shop_calls=part("causes", (known.causes, row.opened_at), lambda: tally_of_causes(row.opened_at)),
            parts_ordered=row.parts_ordered,
            closed_at=row.closed_at,
            closed_reason=row.closed_reason or "",
            **decided,
        )
        return CallRecord(
            row=row,
            plate=plate,
            readings=readings,
            events=events,
            decisions=decisions,
            clocks=clocks,
            judged=judge_call(facts, limits),
            entries=known.entries,
            troubles=(*event_troubles, *decision_troubles),
            known=(known, state),
        )

    return part("record", (known, state), read)


def _readings(call_id: int, known: Stamps, opened_at: datetime) -> list[ReadingRow]:
    """Return a call's readings; of those read before only what came since is read."""
    of, count = (opened_at, known.people), int(known.readings.split("/")[0])
    before = REMEMBERED.find("reading rows", call_id, of)
    rows = reading_rows(call_id, () if before is UNKNOWN else before)
    if len(rows) != count:
        rows = reading_rows(call_id)
    return in_places(REMEMBERED.keep("reading rows", call_id, of, rows))


def _limits(row: ServiceCall) -> Standards:
    return shop_standards(row.closed_standard if row.status == "closed" else None)


def _clocks(call_id: int) -> list[Clock]:
    return running_clocks([call_id]).get(call_id, [])


ReadEvents = tuple[list[SafetyEventRow], list[SafetyEvent], list[str]]


def _read_events(call_id: int) -> ReadEvents:
    return read_events(events_of([call_id])[call_id])


def read_events(rows: list[SafetyEventRow]) -> ReadEvents:
    """Return safety events' rows, what they say, and what of them cannot be read."""
    troubles: list[str] = []
    return rows, [safety_event(e, troubles) for e in rows], troubles


def _read_decided(call_id: int) -> tuple[list[DecisionRow], dict[str, Any], list[str]]:
    troubles: list[str] = []
    rows = decisions_of_call(call_id)
    return rows, _decided(rows, troubles), troubles


def _last_recorded(
    events: Sequence[SafetyEventRow], readings: Sequence[ReadingRow], decisions: Sequence[DecisionRow]
) -> datetime | None:
    moments = [e.happened_at for e in events[-1:]]
    moments += [max((r.recorded_at for r in readings), default=None)]
    moments += [d.decided_at for d in decisions[-1:]]
    return max((m for m in moments if m is not None), default=None)


def _unless_set_back(last: datetime | None) -> datetime | None:
    """Return nothing, unless the server's own clock was set back since something was recorded.

    An entry that waited is older than others recorded meanwhile: that is no sign of a wrong clock.
    """
    return last if last is not None and last > now() + CLOCK_SLACK else None


def events_of(call_ids: list[int]) -> dict[int, list[SafetyEventRow]]:
    """Return the safety events of calls, in the order they were recorded."""
    found: dict[int, list[SafetyEventRow]] = {i: [] for i in call_ids}
    if call_ids:
        query = (
            SafetyEventRow.select(SafetyEventRow, MakeSafeRecord, Person)
            .join(MakeSafeRecord, peewee.JOIN.LEFT_OUTER)
            .switch(SafetyEventRow)
            .join(Person)
            .where(SafetyEventRow.call.in_(call_ids))
            .order_by(SafetyEventRow.entry_no, SafetyEventRow.id)
        )
        for row in query:
            found[row.call_id].append(row)
    return found


def _earlier_make_safe(row: ServiceCall) -> SafetyEvent | None:
    """Return the last make-safe record of an earlier call on the same unit."""
    found = (
        SafetyEventRow.select(SafetyEventRow, MakeSafeRecord)
        .join(MakeSafeRecord)
        .switch(SafetyEventRow)
        .join(ServiceCall)
        .where((ServiceCall.unit == row.unit_id) & (ServiceCall.id < row.id))
        .order_by(SafetyEventRow.id.desc())
        .first()
    )
    return None if found is None else safety_event(found, [])


def safety_event(row: SafetyEventRow, troubles: list[str]) -> SafetyEvent:
    """Return a safety event; a make-safe record that today's rules cannot read proves nothing."""
    joined = row.make_safe_record
    record = (
        read_body(MakeSafe, joined.record, "A make-safe record", troubles) if joined is not None else None
    )
    return SafetyEvent(
        kind=row.kind,
        at=row.volts_taken_at or row.happened_at,
        record=record,
        detail=row.detail,
        place=float(row.entry_no),
    )


def read_body(model: type[M], body: Any, what: str, troubles: list[str]) -> M | None:
    """Return something stored as JSON; where today's rules refuse it, None and a trouble."""
    try:
        return (
            model.model_validate_json(body) if isinstance(body, str | bytes) else model.model_validate(body)
        )
    except ValidationError as error:
        troubles.append(f"{what} cannot be read: {input_problem(error).detail}.")
        return None


def states_of(
    calls: Sequence[Listed], moments: Mapping[int, datetime], limits: Standards, people: str
) -> dict[int, CallState]:
    """Return the states of calls at a moment each, from their safety events alone, for a list.

    Parameters
    ----------
    calls : what the calls are known by
    moments : for which moment, by call
    limits : the shop's standards
    people : what the shop's people are known by

    """
    known = {one.id: (one.events, people) for one in calls}
    found: dict[int, ReadEvents] = {n: REMEMBERED.find("events", n, stamp) for n, stamp in known.items()}
    fresh = [number for number, read in found.items() if read is UNKNOWN]
    for number, rows in events_of(fresh).items():
        found[number] = REMEMBERED.keep("events", number, known[number], read_events(rows))
    states = {
        number: call_state(safety, moments[number], limits, rows[-1].happened_at if rows else None)
        for number, (rows, safety, _) in found.items()
    }
    # Only a proof can fall to the nameplate: few calls of a list have one.
    proved = [n for n, state in states.items() if state.dead_since is not None]
    for number, plate in _plates_of(proved).items():
        rows, safety, _ = found[number]
        last = rows[-1].happened_at if rows else None
        states[number] = call_state(safety, moments[number], limits, last, plate)
    return states


def _plates_of(calls: Sequence[int]) -> dict[int, Plate | None]:
    """Return the nameplates that some calls are judged by."""
    if not calls:
        return {}
    rows = ServiceCall.select(
        ServiceCall.id, ServiceCall.unit, ServiceCall.status, ServiceCall.closed_plate
    ).where(ServiceCall.id.in_(calls))
    found = {
        row.id: plate_of_unit(row.unit_id, row.closed_plate if row.status == "closed" else None)
        for row in rows
    }
    return {number: plate.plate if plate else None for number, plate in found.items()}


def _changes(call_id: int) -> list[Change]:
    rows = (
        ChangeMade.select(ChangeMade, Person)
        .join(Person)
        .where(ChangeMade.call == call_id)
        .order_by(ChangeMade.entry_no, ChangeMade.id)
    )
    return [change_of(c) for c in rows]


def change_of(row: ChangeMade) -> Change:
    """Return a change's row as the judge takes it."""
    return Change(
        id=row.id,
        what=row.what,
        part=row.part,
        made_at=row.made_at,
        person=row.person.name,
        place=float(row.entry_no),
    )


def _tests(call_id: int) -> list[TakenTest]:
    rows = (
        TestTaken.select(TestTaken, Person)
        .join(Person)
        .where(TestTaken.call == call_id)
        .order_by(TestTaken.entry_no, TestTaken.id)
    )
    return [
        TakenTest(
            id=row.id,
            topic=row.topic,
            entry=row.entry,
            taken_at=row.taken_at,
            person=row.person.name,
            place=float(row.entry_no),
            without_make_safe=row.without_make_safe,
        )
        for row in rows
    ]


def decisions_of_call(call_id: int) -> list[DecisionRow]:
    """Return symptoms, plans and decisions, in the order of recording."""
    return list(
        DecisionRow.select(DecisionRow, Person)
        .join(Person)
        .where(DecisionRow.call == call_id)
        .order_by(DecisionRow.entry_no, DecisionRow.id)
    )


def _decided(rows: Sequence[DecisionRow], troubles: list[str]) -> dict[str, Any]:
    told: list[ToldRow] = []
    found: dict[str, Any] = {
        "decisions": [],
        "lifts": [],
        "plans": {},
        "fitted": [],
        "kept": [],
        "agreed": [],
        "closings": [],
        "payments": [],
        "wired": [],
    }

    def one(row: DecisionRow) -> None:
        place = float(row.entry_no)

        def body(model: type[M], what: str) -> M | None:
            return read_body(model, row.body, what, troubles)

        readers: dict[str, Callable[[], None]] = {
            TOLD: lambda: _add(
                told,
                body(WhyRecord, "What was told"),
                lambda r: ToldRow(r, place, row.decided_at, row.person.name),
            ),
            PLAN: lambda: _keep_plan(found["plans"], body(WorkPlan, "A plan")),
            FITTED: lambda: _add(
                found["fitted"],
                body(Fitting, "A part fitted"),
                lambda f: FittedPart(work=f.work, title=f.what, place=place),
            ),
            KEPT: lambda: _add(
                found["kept"],
                body(Kept, "A decision to keep"),
                lambda k: KeptPart(work=k.work, decision=k.decision, place=place),
            ),
            AS_WIRED: lambda: _add(
                found["wired"],
                body(AsWired, "A check of the wiring"),
                lambda w: WiringChecked(w, place, row.decided_at, row.person.name),
            ),
            BACKUP: lambda: found.update(backup=body(BackupProof, "A proof on backup power")),
            CIRCUIT: lambda: found.update(circuit=body(CircuitLook, "The circuit looked at")),
            BILLED: lambda: found.update(billed=body(Billed, "What is charged")),
            CONFIRMED: lambda: _put(
                found,
                "confirmed",
                body(Confirmed, "Final cause"),
                lambda c: ConfirmedAt(confirmed=c, at=row.decided_at, person=row.person.name),
            ),
            HANDED: lambda: _put(
                found,
                "handed_over",
                body(HandedOver, "The hand-over"),
                lambda h: HandedOverAt(handed=h, at=row.decided_at, person=row.person.name),
            ),
            CLOSED: lambda: _add(
                found["closings"],
                body(Closing, "A closing"),
                lambda c: ClosedAt(closing=c, at=row.decided_at, person=row.person.name),
            ),
            PAID: lambda: _add(
                found["payments"],
                body(Payment, "A payment"),
                lambda p: PaidAt(payment=p, at=row.decided_at, person=row.person.name),
            ),
            AGREED: lambda: _add(
                found["agreed"],
                body(Agreement, "An agreement"),
                lambda a: Agreed(agreement=a, at=row.decided_at, person=row.person.name, place=place),
            ),
        }
        if row.kind in readers:
            readers[row.kind]()
        elif row.kind in DIAGNOSED:
            decision = decision_body(row)
            if decision is None:
                troubles.append("A decision cannot be read.")
            else:
                found["decisions"].append(
                    Decided(
                        kind=row.kind,
                        decision=decision,
                        decided_at=row.decided_at,
                        person=row.person.name,
                        place=place,
                    )
                )
        elif row.kind == LIFTED:
            lift = read_body(_LiftBody, row.body, "A lifted stop", troubles)
            if lift is not None:
                found["lifts"].append(
                    Lift(
                        stop=lift.stop,
                        how=lift.how,
                        lifted_at=row.decided_at,
                        person=row.person.name,
                        place=place,
                    )
                )

    for row in rows:
        one(row)
    if told:
        found |= {
            "told": told[-1].record,
            "seen": seen_in_order(told),
            "hazards": hazards_in_order(told),
        }
    return found


class _LiftBody(BaseModel):
    stop: str
    how: str


def _add(into: list[Any], body: M | None, make: Callable[[M], Any]) -> None:
    if body is not None:
        into.append(make(body))


def _put(into: dict[str, Any], name: str, body: M | None, make: Callable[[M], Any]) -> None:
    if body is not None:
        into[name] = make(body)


def _keep_plan(plans: dict[Any, WorkPlan], plan: WorkPlan | None) -> None:
    if plan is not None:
        plans.pop(plan.work, None)
        plans[plan.work] = plan


MOST_EARLIER = 5_000


def _visits(row: ServiceCall) -> list[Visit]:
    """Return the earlier calls on a unit, as far as they were on record when this one was closed."""
    closed = row.status == "closed"
    return visits_of_unit(
        row.unit_id,
        before=row.id,
        last_reading=row.closed_reading if closed else None,
        last_change=row.closed_change if closed else None,
    )


def visits_of_unit(
    unit_id: int, before: int | None = None, last_reading: int | None = None, last_change: int | None = None
) -> list[Visit]:
    """Return the calls on a unit with what was read and changed on each, in order.

    Parameters
    ----------
    unit_id : whose calls
    before : only calls ahead of this one
    last_reading, last_change : only what was on record by then

    """
    later = Reading.alias()
    calls = ServiceCall.unit == unit_id
    if before is not None:
        calls &= ServiceCall.id < before
    where = calls & ~Reading.value.is_null()
    superseded = later.id.is_null()
    if last_reading is not None:
        where &= Reading.id <= last_reading
        superseded |= later.id > last_reading
    readings: Any = (
        Reading.select(
            Reading.call,
            Reading.quantity,
            Reading.value,
            Reading.taken_at,
            Reading.entry_no,
            Reading.plus_minus,
            Reading.outdoor_f,
            Reading.line_v,
            Person.name,
            Reading.start_s,
        )
        .join(Person)
        .switch(Reading)
        .join(ServiceCall)
        .switch(Reading)
        .join(later, peewee.JOIN.LEFT_OUTER, on=(later.supersedes == Reading.id))
        .where(where & superseded)
        .order_by(Reading.call.desc(), Reading.entry_no.desc())
        .limit(MOST_EARLIER)
        .tuples()
    )
    changed = (
        ChangeMade.select(ChangeMade, Person)
        .join(Person)
        .switch(ChangeMade)
        .join(ServiceCall)
        .where(calls & ((ChangeMade.id <= last_change) if last_change is not None else (ChangeMade.id > 0)))
        .order_by(ChangeMade.call, ChangeMade.entry_no)
    )
    by_call: dict[int, tuple[list[EarlierReading], list[Change]]] = {}
    for call, quantity, value, taken_at, place, *rest in readings:
        by_call.setdefault(call, ([], []))[0].insert(
            0, EarlierReading(quantity, value, taken_at, float(place), *rest)
        )
    for change in changed:
        by_call.setdefault(change.call_id, ([], []))[1].append(change_of(change))
    return [Visit(call_id, *by_call[call_id]) for call_id in sorted(by_call)]


def _site_starts(row: ServiceCall) -> list[SiteStart]:
    """Return the standing start times of the other units of a site."""
    later = Reading.alias()
    where = (Unit.site == row.unit.site_id) & (Unit.id != row.unit_id) & (Reading.quantity == "start_time_s")
    if row.status == "closed":
        where &= Reading.id <= row.closed_reading
    rows: Any = (
        Reading.select(Unit.name, Unit.kind, Reading.value, Reading.plus_minus, Reading.taken_at)
        .join(ServiceCall)
        .join(Unit)
        .switch(Reading)
        .join(later, peewee.JOIN.LEFT_OUTER, on=(later.supersedes == Reading.id))
        .where(where & later.id.is_null())
        .order_by(Reading.id.desc())
        .limit(200)
        .tuples()
    )
    return [SiteStart(*r) for r in rows]
