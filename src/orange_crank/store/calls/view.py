"""A call as the API returns it: its record, its verdicts and its gates."""

from datetime import datetime
from functools import cached_property
from typing import Literal

from pydantic import AwareDatetime, Field, JsonValue, PrivateAttr, computed_field

from orange_crank.core.call.ahead.travels import Ahead, ahead_of
from orange_crank.core.call.call_tests import JudgedTest, find_call_test, offered_tests
from orange_crank.core.call.changes import Change
from orange_crank.core.call.expected import ExpectedMakeSafe, expected_make_safe
from orange_crank.core.call.expected_readings import ExpectedReading, expected_readings
from orange_crank.core.call.facts import CallFacts, TakenTest
from orange_crank.core.call.gates import Gate, GateName
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.ladder import Ladder, ladder_of
from orange_crank.core.call.next_step import NextStep, next_step
from orange_crank.core.call.open_fails import OpenFail
from orange_crank.core.call.open_points import OpenPoint
from orange_crank.core.measure.contactor import poles_of
from orange_crank.core.measure.reading import NewReading
from orange_crank.core.messages import Prose
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.safety.make_safe import MakeSafe
from orange_crank.core.safety.state import CallState
from orange_crank.store.calls.billing import closing_points
from orange_crank.store.calls.record import CallRecord, read_call
from orange_crank.store.calls.rows import ReadingRow
from orange_crank.store.calls.stamps import REMEMBERED
from orange_crank.store.clocks import Clock
from orange_crank.store.database import local_time
from orange_crank.store.models import CallImport
from orange_crank.store.seal import NOT_OURS
from orange_crank.store.units import PlateOut, SiteOut, label_words, site_out


class ReadingOut(Frozen):
    """A reading as recorded."""

    id: int
    entry: NewReading
    unit: str
    call_state: str
    taken_at: AwareDatetime
    recorded_at: AwareDatetime
    person: str
    superseded_by_id: int | None
    trouble: str | None = Field(description="Why today's rules cannot read it, where they cannot")


class EventOut(Frozen):
    """A safety event as recorded."""

    id: int
    kind: str
    detail: str | None
    happened_at: AwareDatetime
    person: str


class TestOut(Frozen):
    """A test on record, judged now."""

    __test__ = False

    id: int
    topic: str
    label: Prose
    work: str
    entry: dict[str, JsonValue]
    taken_at: AwareDatetime
    person: str
    judged: JudgedTest
    old_part: str | None = Field(description="The change that made it the old part's test")
    without_make_safe: str | None = Field(default=None, description="Why it was taken past the safety gate")


class SettledStop(Frozen):
    """A stop that is over, and how it was settled."""

    stop: str
    how: str


class CallOut(Frozen):
    """Everything on a call, judged: an open one for this moment, a closed one as of its closing."""

    id: int
    version: int
    entries: int = Field(description="How many entries its journal has; more means something changed")
    unit_id: int
    unit: str
    kind: str
    unit_note: str
    unit_access: str = Field(description="How to get at the unit itself")
    unit_label: str = Field(description="Model and serial in one line, empty where neither is known")
    site: SiteOut
    complaint: str
    note: str
    spoken_to: str
    parts_ordered: str
    status: Literal["open", "closed"]
    opened_at: AwareDatetime
    opened_by: str
    imported: str | None = Field(description="By whom and from where, for a call that came with an archive")
    on_date: str = Field(description="The day of the call in the shop's own time; the rules of that day hold")
    closed_at: AwareDatetime | None
    closed_reason: str | None
    closed_by: str | None = Field(
        description="Who closed it; None while it is open, and where no record says"
    )
    done_by: list[str] = Field(description="Who did the work: changed something, else measured")
    state: CallState
    plate: PlateOut | None
    make_safe: MakeSafe | None
    expected_make_safe: ExpectedMakeSafe
    expected_readings: list[ExpectedReading] = Field(
        description="What each reading is compared with here, and what the last visit read"
    )
    poles: list[str] = Field(description="Poles of its contactor, by the terminals each joins")
    readings: list[ReadingOut]
    changes: list[Change]
    events: list[EventOut]
    clocks: list[Clock]
    tests: list[TestOut]
    tests_offered: list[str] = Field(description="Topics of the tests that belong to this unit")
    allowed: dict[GateName, Gate] = Field(description="What may be done now, and what opens the rest")
    settled_stops: list[SettledStop]
    next: NextStep | None = Field(description="The one thing to do next; none once the call is closed")
    fails: list[OpenFail] = Field(description="Every Fail that is not put right yet")
    left_open: list[OpenPoint] = Field(description="What closing the call now would leave open")
    put_right: bool = Field(description="Whether the cause taken was put right")
    overload_unexplained: bool
    starts_to_learn: int | None = Field(description="Starts the soft starter fitted here needs to learn [1]")
    troubles: list[str] = Field(description="What on record today's rules cannot read")
    ladder: Ladder
    _judged: JudgedCall | None = PrivateAttr(default=None)

    @computed_field(  # type: ignore[prop-decorator]
        description="What would be said of what is entered without signal; None once it is closed"
    )
    @cached_property
    def ahead(self) -> Ahead | None:
        """The verdicts of entries made offline; computed when they are read."""
        return None if self._judged is None else ahead_of(self._judged)


def worked_out(call: CallOut) -> CallOut:
    """Work out what of a call is worked out once it is handed out, here and now."""
    _ = call.ahead
    return call


def get_call(call_id: int, at: datetime | None = None) -> CallOut:
    """Return everything on a call, judged.

    Raises
    ------
    NotFound : no call has that number

    """
    record = read_call(call_id, at)
    return REMEMBERED.part("out", call_id, record.known, lambda: call_out(record))


def _imported(call_id: int) -> str | None:
    """Return who imported a call and from where; None for one that was opened here."""
    row = CallImport.get_or_none(CallImport.call == call_id)
    if row is None:
        return None
    known = "" if row.source.known else f", {NOT_OURS}"
    day = local_time(row.source.imported_at).date().isoformat()
    return f"Imported by {row.source.imported_by} on {day} from {row.source.shop or 'another shop'}{known}."


def call_out(record: CallRecord) -> CallOut:
    """Hand a call's record out."""
    row, facts, judged = record.row, record.facts, record.judged
    closed = facts.status == "closed"
    overload = judged.overload
    out = CallOut.model_construct(
        id=row.id,
        version=row.version,
        entries=record.entries,
        unit_id=row.unit_id,
        unit=row.unit.name,
        kind=row.unit.kind,
        unit_note=row.unit.note,
        unit_access=row.unit.access_note,
        unit_label=label_words(row.unit),
        site=site_out(row.unit.site),
        complaint=row.complaint,
        note=row.note,
        spoken_to=row.spoken_to,
        parts_ordered=row.parts_ordered,
        status=facts.status,
        opened_at=row.opened_at,
        opened_by=row.opened_by.name,
        imported=REMEMBERED.part("imported", row.id, row.opened_at, lambda: _imported(row.id)),
        on_date=facts.on_date.isoformat() if facts.on_date else "",
        closed_at=row.closed_at,
        closed_reason=row.closed_reason,
        state=facts.state,
        plate=record.plate,
        make_safe=facts.make_safe,
        expected_make_safe=expected_make_safe(facts.plate, facts.events, facts.earlier_make_safe),
        expected_readings=expected_readings(
            facts.plate,
            facts.visits,
            record.judged.limits,
            next(
                (r.figure for r in reversed(facts.current) if r.entry.quantity == "can_label_uf"),
                None,
            ),
        ),
        poles=poles_of(facts.plate),
        readings=[reading_out(r) for r in record.readings],
        changes=list(facts.changes),
        events=[
            EventOut(id=e.id, kind=e.kind, detail=e.detail, happened_at=e.happened_at, person=e.person.name)
            for e in record.events
        ],
        clocks=list(record.clocks),
        tests=[_test_out(test, found, record) for test, found in judged.tests],
        tests_offered=offered_tests(facts.plate, f"{row.unit.kind} {row.unit.note}"),
        allowed=dict(judged.gates),
        settled_stops=[SettledStop(stop=k, how=v) for k, v in judged.found_stops.settled.items()],
        next=next_step(judged),
        fails=judged.fails,
        left_open=closing_points(record),
        closed_by=facts.closings[-1].person if closed and facts.closings else None,
        done_by=_done_by(facts),
        put_right=judged.put_right,
        starts_to_learn=judged.starts_to_learn,
        overload_unexplained=overload is not None and overload.answered_by is None,
        troubles=list(record.troubles),
        ladder=ladder_of(judged),
    )
    out._judged = judged
    return out


def _done_by(facts: CallFacts) -> list[str]:
    changed = [c.person for c in facts.changes]
    measured = [r.person for r in facts.readings] + [t.person for t in facts.tests]
    return list(dict.fromkeys(changed or measured))


def reading_out(row: ReadingRow) -> ReadingOut:
    """Hand a reading out."""
    taken = row.taken
    return ReadingOut.model_construct(
        id=taken.id,
        entry=taken.entry,
        unit=row.unit,
        call_state=row.call_state,
        taken_at=taken.taken_at,
        recorded_at=row.recorded_at,
        person=taken.person,
        superseded_by_id=row.superseded_by,
        trouble=taken.trouble,
    )


def _test_out(test: TakenTest, judged: JudgedTest, record: CallRecord) -> TestOut:
    kind = find_call_test(test.topic)
    gone = record.facts.test_retired_by(test.topic, test.place)
    return TestOut(
        id=test.id,
        topic=test.topic,
        label=kind.label,
        work=kind.work,
        entry=test.entry,
        taken_at=test.taken_at,
        person=test.person,
        judged=judged,
        old_part=gone.what if gone else None,
        without_make_safe=test.without_make_safe,
    )
