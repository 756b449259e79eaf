"""Calls: what happened on a visit, in order, by whom."""

import hashlib
from datetime import datetime, timedelta
from typing import Any, Literal

import peewee
from pydantic import AwareDatetime, Field, JsonValue

from orange_crank.core.call_tests import JudgedTest, find_call_test, judge_call_test
from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.ladder import CallFacts, Change, Ladder, PastStart, build_ladder
from orange_crank.core.measure.dead_tests import TakenReading
from orange_crank.core.measure.reading import QUANTITIES, NewReading, Quantity, no_such_reading, quantity_note
from orange_crank.core.nomenclature import Frozen, Sentence, Word
from orange_crank.core.safety.make_safe import MakeSafe
from orange_crank.core.safety.state import CallState, SafetyEvent, call_state, require
from orange_crank.core.tables import Standards
from orange_crank.store.circuits import circuit_of_call
from orange_crank.store.clocks import Clock, running_clocks
from orange_crank.store.database import now, transaction
from orange_crank.store.decisions import why_words
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import (
    ChangeMade,
    MakeSafeRecord,
    Person,
    Reading,
    SafetyEventRow,
    ServiceCall,
    Site,
    TestTaken,
    Unit,
)
from orange_crank.store.standards import shop_standards
from orange_crank.store.units import PlateOut, SiteOut, current_plate, site_out
from orange_crank.store.work_words import work_words


class NewCall(Frozen):
    """A call to be opened."""

    unit_id: int
    complaint: str = Field(min_length=1, max_length=400, description="In the customer's words")


class CallEdit(Frozen):
    """What two people may edit on a call; ``version`` is the one it was edited from."""

    version: int
    complaint: str | None = Field(default=None, min_length=1, max_length=400)
    note: Sentence | None = None
    status: Literal["open", "closed"] | None = None


class NewChange(Frozen):
    """Something changed on the unit."""

    what: Word
    made_at: AwareDatetime | None = None


class NewSafetyEvent(Frozen):
    """Something that changes what is safe."""

    kind: Literal["caution_read", "control_live", "went_live", "lapsed"]
    detail: Sentence | None = None
    covers_on: bool = Field(default=False, description="Going live: covers on")
    people_clear: bool = Field(default=False, description="Going live: people clear")
    meter_set: bool = Field(default=False, description="Going live: meter set")


class CallSummary(Frozen):
    """A call in a list."""

    id: int
    unit_id: int
    unit: str
    kind: str
    site: SiteOut
    complaint: str
    status: Literal["open", "closed"]
    opened_at: AwareDatetime
    opened_by: str
    closed_at: AwareDatetime | None
    state: CallState
    readings: int
    clocks: list[Clock]


class ReadingOut(Frozen):
    """A reading as it stands on record."""

    id: int
    entry: NewReading
    unit: str
    call_state: str
    taken_at: AwareDatetime
    recorded_at: AwareDatetime
    person: str
    superseded_by_id: int | None


class EventOut(Frozen):
    """A safety event as it stands on record."""

    id: int
    kind: str
    detail: str | None
    happened_at: AwareDatetime
    person: str


class NewTest(Frozen):
    """A test of several readings, entered together."""

    topic: Word
    entry: dict[str, JsonValue] = Field(description="The topic's own entry; see its schema")
    without_make_safe: Sentence | None = None


class TestOut(Frozen):
    """A test on record, judged now."""

    __test__ = False

    id: int
    topic: str
    label: str
    work: str
    entry: dict[str, JsonValue]
    taken_at: AwareDatetime
    person: str
    judged: JudgedTest


class CallOut(Frozen):
    """Everything on a call, judged now."""

    id: int
    version: int
    unit_id: int
    unit: str
    kind: str
    unit_note: str
    site: SiteOut
    complaint: str
    note: str
    status: Literal["open", "closed"]
    opened_at: AwareDatetime
    opened_by: str
    closed_at: AwareDatetime | None
    state: CallState
    plate: PlateOut | None
    make_safe: MakeSafe | None
    readings: list[ReadingOut]
    changes: list[Change]
    events: list[EventOut]
    clocks: list[Clock]
    tests: list[TestOut]
    ladder: Ladder


class SavedReading(Frozen):
    """The reading as saved; ``repeated`` when this request had already been stored."""

    reading: ReadingOut
    repeated: bool


class StartPoint(Frozen):
    """One measured figure of a unit's history, for the trend."""

    call_id: int
    quantity: Quantity
    value: float
    line_v: float | None
    outdoor_f: float | None
    seconds: float | None
    mode: str | None
    aid: str | None
    taken_at: AwareDatetime


def _call_row(call_id: int) -> ServiceCall:
    row = (
        ServiceCall.select(ServiceCall, Unit, Site, Person)
        .join(Unit)
        .join(Site)
        .switch(ServiceCall)
        .join(Person)
        .where(ServiceCall.id == call_id)
        .get_or_none()
    )
    if row is None:
        raise NotFound(f"Call {call_id} is not on record.", next_step="Go to Calls and pick one.")
    return row


def _open_call(call_id: int) -> ServiceCall:
    row = _call_row(call_id)
    if row.status != "open":
        raise GateClosed("This call is closed.", next_step="Reopen it, or open a new call on this unit.")
    return row


def earlier_figures(unit_id: int, before: datetime) -> dict[Quantity, float]:
    """Return the last standing figure of each quantity from a unit's earlier calls."""
    later = Reading.alias()
    rows: Any = (
        Reading.select(Reading.quantity, Reading.value)
        .join(ServiceCall)
        .switch(Reading)
        .join(later, peewee.JOIN.LEFT_OUTER, on=(later.supersedes == Reading.id))
        .where(
            (ServiceCall.unit == unit_id)
            & (Reading.taken_at < before)
            & later.id.is_null()
            & ~Reading.value.is_null()
        )
        .order_by(Reading.taken_at, Reading.id)
        .tuples()
    )
    return dict(list(rows))


def _past_start(where: peewee.Expression) -> PastStart | None:
    """Return the newest standing start time among calls, with the unit it was taken on."""
    later = Reading.alias()
    row: Any = (
        Reading.select(Reading.value, Reading.plus_minus, Unit.name)
        .join(ServiceCall)
        .join(Unit)
        .switch(Reading)
        .join(later, peewee.JOIN.LEFT_OUTER, on=(later.supersedes == Reading.id))
        .where(where & (Reading.quantity == "start_time_s") & later.id.is_null())
        .order_by(Reading.taken_at.desc(), Reading.id.desc())
        .tuples()
        .first()
    )
    return PastStart(seconds=row[0], plus_minus_s=row[1], unit=row[2]) if row else None


def _tests(call_id: int) -> list[TestOut]:
    rows = (
        TestTaken.select(TestTaken, Person)
        .join(Person)
        .where(TestTaken.call == call_id)
        .order_by(TestTaken.id)
    )
    return [_test_out(row) for row in rows]


def _test_out(row: Any) -> TestOut:
    kind = find_call_test(row.topic)
    return TestOut(
        id=row.id,
        topic=row.topic,
        label=kind.label,
        work=kind.work,
        entry=row.entry,
        taken_at=row.taken_at,
        person=row.person.name,
        judged=judge_call_test(row.topic, row.entry),
    )


def add_test(
    call_id: int, test: NewTest, person_id: int, request_key: str | None = None, at: datetime | None = None
) -> CallOut:
    """Save a test once; the same key again changes nothing.

    Raises
    ------
    GateClosed : the state of the call does not allow it
    InputProblem : a field of the entry cannot be used

    """
    kind = find_call_test(test.topic)
    judge_call_test(test.topic, dict(test.entry))
    if request_key is not None and TestTaken.get_or_none(TestTaken.request_key == request_key) is not None:
        return get_call(call_id)
    _open_call(call_id)
    moment = at or now()
    state = _state(_events([call_id])[call_id], moment, shop_standards())
    require(kind.work, state, test.without_make_safe)
    try:
        with transaction():
            TestTaken.create(
                call=call_id,
                topic=test.topic,
                entry=test.entry,
                call_state=state.state,
                without_make_safe=test.without_make_safe,
                taken_at=moment,
                person=person_id,
                request_key=request_key,
            )
    except peewee.IntegrityError:
        # Two requests with one key at once: the other one stored it.
        return get_call(call_id)
    return get_call(call_id)


def require_open(call_id: int) -> None:
    """Raise unless a call is on record and open."""
    _open_call(call_id)


def _events(call_ids: list[int]) -> dict[int, list[SafetyEventRow]]:
    found: dict[int, list[SafetyEventRow]] = {i: [] for i in call_ids}
    if call_ids:
        query = (
            SafetyEventRow.select(SafetyEventRow, MakeSafeRecord, Person)
            .join(MakeSafeRecord, peewee.JOIN.LEFT_OUTER)
            .switch(SafetyEventRow)
            .join(Person)
            .where(SafetyEventRow.call.in_(call_ids))
            .order_by(SafetyEventRow.happened_at, SafetyEventRow.id)
        )
        for row in query:
            found[row.call_id].append(row)
    return found


def _record(row: SafetyEventRow) -> MakeSafe | None:
    joined = row.make_safe_record
    return MakeSafe.model_validate(joined.record) if joined is not None else None


def _state(rows: list[SafetyEventRow], at: datetime, standards: Standards) -> CallState:
    events = [
        SafetyEvent(
            kind=r.kind,
            at=r.happened_at,
            record=_record(r),
            detail=r.detail,
        )
        for r in rows
    ]
    return call_state(events, at, standards)


def list_calls(status: Literal["open", "closed"] | None = None) -> list[CallSummary]:
    """Return calls, newest first."""
    return _summaries((ServiceCall.status == status) if status else None)


def calls_of_unit(unit_id: int) -> list[CallSummary]:
    """Return a unit's calls, newest first."""
    return _summaries(ServiceCall.unit == unit_id)


def _summaries(condition: peewee.Expression | None) -> list[CallSummary]:
    query = (
        ServiceCall.select(ServiceCall, Unit, Site, Person)
        .join(Unit)
        .join(Site)
        .switch(ServiceCall)
        .join(Person)
        .order_by(ServiceCall.opened_at.desc(), ServiceCall.id.desc())
        .limit(500)
    )
    rows = list(query.where(condition) if condition is not None else query)
    ids = [r.id for r in rows]
    events = _events(ids)
    counted: Any = (
        Reading.select(Reading.call, peewee.fn.COUNT(Reading.id))
        .where(Reading.call.in_(ids or [0]))
        .group_by(Reading.call)
        .tuples()
    )
    counts: dict[int, int] = dict(list(counted))
    clocks = running_clocks(ids)
    at, standards = now(), shop_standards()
    return [
        CallSummary(
            id=r.id,
            unit_id=r.unit_id,
            unit=r.unit.name,
            kind=r.unit.kind,
            site=site_out(r.unit.site),
            complaint=r.complaint,
            status=r.status,
            opened_at=r.opened_at,
            opened_by=r.opened_by.name,
            closed_at=r.closed_at,
            state=_state(events[r.id], at, standards),
            readings=counts.get(r.id, 0),
            clocks=clocks.get(r.id, []),
        )
        for r in rows
    ]


def open_call(entry: NewCall, person_id: int, opened_at: datetime | None = None) -> CallOut:
    """Open a call on a unit.

    Raises
    ------
    NotFound : no such unit
    Conflict : the unit has an open call already

    """
    unit = Unit.get_or_none(Unit.id == entry.unit_id)
    if unit is None:
        raise NotFound(f"Unit {entry.unit_id} is not on record.", next_step="Pick a unit from the list.")
    with transaction():
        _refuse_second_open_call(entry.unit_id)
        row = ServiceCall.create(
            unit=entry.unit_id,
            complaint=entry.complaint.strip(),
            opened_at=opened_at or now(),
            opened_by=person_id,
        )
    return get_call(row.id)


def _refuse_second_open_call(unit_id: int) -> None:
    # Locking the unit's row keeps two people from opening two calls on it at once.
    Unit.select().where(Unit.id == unit_id).for_update().get()
    standing = ServiceCall.get_or_none((ServiceCall.unit == unit_id) & (ServiceCall.status == "open"))
    if standing is not None:
        raise Conflict(
            f"This unit has an open call already, number {standing.id}.",
            next_step="Go on with that call, or close it first.",
        )


def edit_call(call_id: int, edit: CallEdit, at: datetime | None = None) -> CallOut:
    """Change complaint, note or status.

    Raises
    ------
    Conflict : somebody saved the call since ``edit.version``

    """
    row = _call_row(call_id)
    fields: dict[str, object] = {"version": ServiceCall.version + 1}
    if edit.complaint is not None:
        fields["complaint"] = edit.complaint.strip()
    if edit.note is not None:
        fields["note"] = edit.note
    if edit.status is not None and edit.status != row.status:
        fields["status"] = edit.status
        fields["closed_at"] = (at or now()) if edit.status == "closed" else None
    with transaction():
        if fields.get("status") == "open":
            _refuse_second_open_call(row.unit_id)
        changed = (
            ServiceCall.update(**fields)
            .where((ServiceCall.id == call_id) & (ServiceCall.version == edit.version))
            .execute()
        )
    if not changed:
        raise Conflict(
            "The call was changed while you typed. Yours is still on this screen.",
            next_step="Look at what is there now, then save yours again or drop it.",
        )
    return get_call(call_id)


def get_call(call_id: int, at: datetime | None = None) -> CallOut:
    """Return everything on a call, with its ladder judged for this moment."""
    row = _call_row(call_id)
    standards = shop_standards()
    events = _events([call_id])[call_id]
    state = _state(events, at or now(), standards)
    records = [record for e in events if (record := _record(e)) is not None]
    make_safe = records[-1] if records else None
    plate = current_plate(row.unit_id)
    readings = _readings(call_id)
    changes = [
        Change(id=c.id, what=c.what, made_at=c.made_at, person=c.person.name)
        for c in ChangeMade.select(ChangeMade, Person)
        .join(Person)
        .where(ChangeMade.call == call_id)
        .order_by(ChangeMade.made_at, ChangeMade.id)
    ]
    standing = [
        TakenReading(id=r.id, entry=r.entry, taken_at=r.taken_at, person=r.person)
        for r in readings
        if r.superseded_by_id is None
    ]
    tests = _tests(call_id)
    earlier = earlier_figures(row.unit_id, row.opened_at)
    newest = {t.topic: t for t in tests}
    why = why_words(call_id)
    facts = CallFacts(
        work=work_words(call_id),
        circuit=circuit_of_call(call_id, plate.plate if plate else None),
        symptoms=why.symptoms,
        cause=why.cause,
        condemned=why.condemned,
        stops=[f.text for t in newest.values() if t.judged.stop for f in t.judged.findings[:1]],
        plate=plate.plate if plate else None,
        state=state,
        make_safe=make_safe,
        readings=standing,
        changes=changes,
        earlier=earlier,
        last_start=_past_start((ServiceCall.unit == row.unit_id) & (ServiceCall.id != call_id))
        if "start_time_s" in earlier
        else None,
        sister_start=_past_start(
            (Unit.site == row.unit.site_id) & (Unit.id != row.unit_id) & (Unit.kind == row.unit.kind)
        )
        if any(r.entry.quantity == "start_time_s" for r in standing)
        else None,
    )
    return CallOut(
        id=row.id,
        version=row.version,
        unit_id=row.unit_id,
        unit=row.unit.name,
        kind=row.unit.kind,
        unit_note=row.unit.note,
        site=site_out(row.unit.site),
        complaint=row.complaint,
        note=row.note,
        status=row.status,
        opened_at=row.opened_at,
        opened_by=row.opened_by.name,
        closed_at=row.closed_at,
        state=state,
        plate=plate,
        make_safe=make_safe,
        readings=readings,
        changes=changes,
        events=[
            EventOut(id=e.id, kind=e.kind, detail=e.detail, happened_at=e.happened_at, person=e.person.name)
            for e in events
        ],
        clocks=running_clocks([call_id]).get(call_id, []),
        tests=tests,
        ladder=build_ladder(facts, standards),
    )


def _value(row: Reading) -> bool | float | str:
    """Return a stored value as its quantity speaks: a figure, yes or no, or a word."""
    word = row.value_word
    if word is None:
        return float(row.value or 0.0)
    return word == "yes" if quantity_note(row.quantity).kind == "flag" else word


def _columns(value: bool | float | str) -> dict[str, object]:
    if isinstance(value, bool):
        return {"value": None, "value_word": "yes" if value else "no"}
    if isinstance(value, str):
        return {"value": None, "value_word": value}
    return {"value": value, "value_word": None}


def _entry(row: Reading) -> NewReading:
    return NewReading.model_validate(
        {
            "quantity": row.quantity,
            "value": _value(row),
            "mode": row.meter_mode,
            "conductor": row.conductor,
            "volts": row.line_v,
            "outdoor_f": row.outdoor_f,
            "rest_min": row.rest_min,
            "learning_starts": row.learning_starts,
            "outcome": row.outcome,
            "seconds": row.start_s,
            "later_a": row.later_a,
            "accuracy_pct": row.accuracy_pct,
            "plus_minus": row.plus_minus,
            "timed_by": row.timed_by,
            "aid": row.aid,
            "note": row.note,
            "taken_at": row.taken_at,
            "supersedes_id": row.supersedes_id,
            "without_make_safe": row.without_make_safe,
        }
    )


def _readings(call_id: int) -> list[ReadingOut]:
    rows = list(
        Reading.select(Reading, Person)
        .join(Person)
        .where(Reading.call == call_id)
        .order_by(Reading.taken_at, Reading.id)
    )
    superseded = {r.supersedes_id: r.id for r in rows if r.supersedes_id}
    return [_reading_out(r, superseded.get(r.id)) for r in rows]


def _reading_out(row: Reading, superseded_by: int | None) -> ReadingOut:
    return ReadingOut(
        id=row.id,
        entry=_entry(row),
        unit=row.unit,
        call_state=row.call_state,
        taken_at=row.taken_at,
        recorded_at=row.recorded_at,
        person=row.person.name,
        superseded_by_id=superseded_by,
    )


def request_digest(call_id: int, entry: NewReading, person_id: int) -> str:
    """Return a digest of a request, so that a key used twice for different things is noticed."""
    text = f"{call_id}|{person_id}|{entry.model_dump_json()}"
    return hashlib.sha256(text.encode()).hexdigest()


def add_reading(
    call_id: int,
    entry: NewReading,
    person_id: int,
    request_key: str | None = None,
    at: datetime | None = None,
) -> SavedReading:
    """Save a reading once.

    Parameters
    ----------
    call_id : on which call
    entry : the reading
    person_id : who took it
    request_key : the same key again returns the reading already saved
    at : the moment of saving; now if left out

    Raises
    ------
    GateClosed : the state of the call does not allow it
    Conflict : the reading it corrects was corrected already
    InputProblem : the key was used for something else, or the moment lies in the future

    """
    digest = request_digest(call_id, entry, person_id)
    moment = at or now()
    if request_key is not None:
        earlier = _earlier(request_key, digest)
        if earlier is not None:
            return earlier
    call = _open_call(call_id)
    _refuse_moment(entry, call.opened_at, moment)
    state = _state(_events([call_id])[call_id], moment, shop_standards())
    if entry.supersedes_id is None:
        require(QUANTITIES[entry.quantity].work, state, entry.without_make_safe)
    try:
        with transaction():
            taken_at = entry.taken_at or moment
            if entry.supersedes_id is not None:
                corrected = _corrected(call_id, entry)
                taken_at = entry.taken_at or corrected.taken_at
            row = Reading.create(
                call=call_id,
                quantity=entry.quantity,
                **_columns(entry.value),
                unit=QUANTITIES[entry.quantity].unit,
                meter_mode=entry.mode,
                conductor=entry.conductor,
                line_v=entry.volts,
                outdoor_f=entry.outdoor_f,
                rest_min=entry.rest_min,
                learning_starts=entry.learning_starts,
                outcome=entry.outcome,
                start_s=entry.seconds,
                later_a=entry.later_a,
                accuracy_pct=entry.accuracy_pct,
                plus_minus=entry.plus_minus,
                timed_by=entry.timed_by,
                aid=entry.aid,
                note=entry.note,
                call_state=state.state,
                without_make_safe=entry.without_make_safe,
                taken_at=taken_at,
                recorded_at=moment,
                person=person_id,
                supersedes=entry.supersedes_id,
                request_key=request_key,
                request_digest=digest if request_key else None,
            )
    except peewee.IntegrityError:
        # Two at once: either the same request again, or a second correction of one reading.
        if request_key is not None:
            earlier = _earlier(request_key, digest)
            if earlier is not None:
                return earlier
        raise Conflict(
            "That reading was corrected by somebody else meanwhile.",
            next_step="Look at the newer value, then correct that one.",
        ) from None
    return SavedReading(reading=_reading_out(row, None), repeated=False)


def add_readings(
    call_id: int,
    entries: list[NewReading],
    person_id: int,
    request_key: str | None = None,
    at: datetime | None = None,
) -> list[SavedReading]:
    """Save the readings of one test together: all of them or none.

    Raises
    ------
    GateClosed, Conflict, InputProblem : as for one reading; then none is saved

    """
    moment = at or now()
    with transaction():
        return [
            add_reading(call_id, entry, person_id, f"{request_key}#{i}" if request_key else None, moment)
            for i, entry in enumerate(entries)
        ]


def _earlier(request_key: str, digest: str) -> SavedReading | None:
    row = Reading.select(Reading, Person).join(Person).where(Reading.request_key == request_key).get_or_none()
    if row is None:
        return None
    if row.request_digest != digest:
        raise InputProblem(
            [
                FieldProblem(
                    field="Idempotency-Key",
                    wanted="a new key for a new reading; this one was used for another",
                    got=request_key,
                )
            ]
        )
    later = Reading.get_or_none(Reading.supersedes == row.id)
    return SavedReading(reading=_reading_out(row, later.id if later else None), repeated=True)


def _refuse_moment(entry: NewReading, opened_at: datetime, moment: datetime) -> None:
    if entry.taken_at is None:
        return
    if entry.taken_at > moment + timedelta(minutes=5):
        raise InputProblem(
            [
                FieldProblem(
                    field="taken_at", wanted="a time not in the future", got=entry.taken_at.isoformat()
                )
            ]
        )
    if entry.taken_at < opened_at - timedelta(days=1):
        raise InputProblem(
            [FieldProblem(field="taken_at", wanted="a time on this call", got=entry.taken_at.isoformat())]
        )


def _corrected(call_id: int, entry: NewReading) -> Reading:
    assert entry.supersedes_id is not None
    old = Reading.get_or_none((Reading.id == entry.supersedes_id) & (Reading.call == call_id))
    if old is None or old.quantity != entry.quantity:
        raise no_such_reading(entry.supersedes_id)
    return old


def add_make_safe(call_id: int, record: MakeSafe, person_id: int, at: datetime | None = None) -> CallOut:
    """Save a make-safe record and the event that goes with it."""
    _open_call(call_id)
    moment = at or now()
    with transaction():
        row = MakeSafeRecord.create(
            call=call_id, record=record.model_dump(mode="json"), recorded_at=moment, person=person_id
        )
        SafetyEventRow.create(
            call=call_id, kind="made_safe", make_safe_record=row, happened_at=moment, person=person_id
        )
    return get_call(call_id)


def add_safety_event(
    call_id: int, event: NewSafetyEvent, person_id: int, at: datetime | None = None
) -> CallOut:
    """Save a safety event.

    Raises
    ------
    GateClosed : the step is not open yet

    """
    _open_call(call_id)
    moment = at or now()
    state = _state(_events([call_id])[call_id], moment, shop_standards())
    if event.kind == "went_live":
        if not state.caution_read:
            raise GateClosed(
                "The live-work caution has not been read on this call.",
                next_step="Read the caution, then go live.",
            )
        lacking = [
            words
            for done, words in (
                (event.covers_on, "covers on"),
                (event.people_clear, "people clear"),
                (event.meter_set, "meter set"),
            )
            if not done
        ]
        if lacking:
            raise GateClosed(
                f"Going live wants: {', '.join(lacking)}.", next_step="Do each, tick it, then energise."
            )
    if event.kind == "control_live" and state.state != "dead_proved":
        raise GateClosed(
            "Control comes back alone only on a line proved dead.", next_step="Fill in Make safe first."
        )
    with transaction():
        SafetyEventRow.create(
            call=call_id, kind=event.kind, detail=event.detail, happened_at=moment, person=person_id
        )
    return get_call(call_id)


def add_change(call_id: int, change: NewChange, person_id: int, at: datetime | None = None) -> CallOut:
    """Write down something changed on the unit."""
    call = _open_call(call_id)
    moment = at or now()
    made_at = change.made_at or moment
    if not call.opened_at - timedelta(days=1) <= made_at <= moment + timedelta(minutes=5):
        raise InputProblem(
            [FieldProblem(field="made_at", wanted="a time on this call", got=made_at.isoformat())]
        )
    with transaction():
        ChangeMade.create(call=call_id, what=change.what.strip(), made_at=made_at, person=person_id)
    return get_call(call_id)


def history_of_unit(unit_id: int) -> list[StartPoint]:
    """Return a unit's standing readings over all its calls, oldest first."""
    later = Reading.alias()
    rows = (
        Reading.select()
        .join(ServiceCall)
        .switch(Reading)
        .join(later, peewee.JOIN.LEFT_OUTER, on=(later.supersedes == Reading.id))
        .where((ServiceCall.unit == unit_id) & later.id.is_null() & ~Reading.value.is_null())
        .order_by(Reading.taken_at, Reading.id)
        .limit(5000)
    )
    return [
        StartPoint(
            call_id=r.call_id,
            quantity=r.quantity,
            value=r.value,
            line_v=r.line_v,
            outdoor_f=r.outdoor_f,
            seconds=r.start_s,
            mode=r.meter_mode,
            aid=r.aid,
            taken_at=r.taken_at,
        )
        for r in rows
    ]
