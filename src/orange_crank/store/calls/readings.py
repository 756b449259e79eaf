"""Readings: saved once, corrected never edited, judged before they are kept."""

from dataclasses import replace
from datetime import datetime, timedelta

import peewee

from orange_crank.core.call.gates import require, take_gate
from orange_crank.core.call.reading import judge_reading
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.measure.again import is_second_measurement
from orange_crank.core.measure.reading import QUANTITIES, NewReading, no_such_reading
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.calls.journal import Entry, write_on
from orange_crank.store.calls.record import CallRecord, read_call
from orange_crank.store.calls.rows import entry_columns, reading_row
from orange_crank.store.calls.safety import tells_of_power
from orange_crank.store.calls.view import ReadingOut, reading_out
from orange_crank.store.database import now, transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import Person, Reading
from orange_crank.store.prepared import Prepared


class SavedReading(Frozen):
    """The reading as saved; ``repeated`` when this request had already been stored."""

    reading: ReadingOut
    repeated: bool


_NAMED = Prepared(lambda number: Person.select(Person.name).where(Person.id == number))


def add_reading(call_id: int, entry: NewReading, person_id: int, at: datetime | None = None) -> SavedReading:
    """Save a reading.

    Raises
    ------
    GateClosed : the call, a stop or its state does not allow it; what waited on a device and was taken live
    while the record has the unit dead is kept, and the proof has lapsed
    Conflict : the reading it corrects was corrected already
    InputProblem : it cannot be judged, or the moment is none of this call

    """
    return add_readings(call_id, [entry], person_id, at)[0]


def add_readings(
    call_id: int, entries: list[NewReading], person_id: int, at: datetime | None = None
) -> list[SavedReading]:
    """Save the readings of one test together: all of them or none.

    Raises
    ------
    GateClosed, Conflict, InputProblem : as for one reading; then none is saved

    """
    with transaction():
        journal = write_on(call_id, at)
        record = read_call(call_id, journal.moment)
        told = any(
            tells_of_power(record, journal, QUANTITIES[e.quantity].work, person_id)
            for e in entries
            if e.supersedes_id is None
        )
        if told:
            record = read_call(call_id, journal.moment)
        saved = []
        for i, entry in enumerate(entries):
            place = journal if i == 0 else replace(write_on(call_id, journal.moment), late=journal.late)
            saved.append(_add(record, place, entry, person_id, told))
        return saved


def _add(record: CallRecord, journal: Entry, entry: NewReading, person_id: int, told: bool) -> SavedReading:
    call, moment = record.row, journal.moment
    _refuse_moment(entry, call.opened_at, moment)
    old = _corrected(call.id, entry) if entry.supersedes_id is not None else None
    if old is not None and entry.typed_over and _is_second(record, old, entry, moment):
        entry, old = entry.model_copy(update={"supersedes_id": None}), None
    if old is None:
        work = QUANTITIES[entry.quantity].work
        if not (told and work in ("live", "control")):
            require(record.judged.gates[take_gate(work)], entry.without_make_safe)
    _refuse_unjudgeable(record, entry, moment)
    if old is not None and entry.without_make_safe is None:
        entry = entry.model_copy(update={"without_make_safe": old.without_make_safe})
    try:
        with transaction():
            row = Reading.create(
                call=call.id,
                unit=QUANTITIES[entry.quantity].unit,
                call_state=record.facts.state.state,
                taken_at=entry.taken_at or (old.taken_at if old is not None else moment),
                recorded_at=now() if journal.late else moment,
                person=person_id,
                supersedes=entry.supersedes_id,
                entry_no=journal.number,
                **entry_columns(entry),
            )
    except peewee.IntegrityError:
        raise Conflict(
            msg("Another person corrected that reading meanwhile."),
            next_step=msg("Look at the newer value, then correct that one."),
        ) from None
    return SavedReading(
        reading=reading_out(reading_row(row, _NAMED.first(person_id).name, None, float(journal.number))),
        repeated=False,
    )


def _is_second(record: CallRecord, old: Reading, entry: NewReading, moment: datetime) -> bool:
    before = next((r.taken.entry for r in record.readings if r.taken.id == old.id), None)
    changed = [c.made_at for c in record.facts.changes]
    taken_at = entry.taken_at or moment
    return before is not None and is_second_measurement(
        before, entry, taken_at - old.taken_at, changed, old.taken_at
    )


def saved_reading(reading_id: int | None) -> SavedReading:
    """Return a reading that an earlier request saved."""
    row = (
        Reading.select(Reading, Person).join(Person).where(Reading.id == reading_id).get_or_none()
        if reading_id
        else None
    )
    if row is None:
        raise NotFound(msg("That reading is not on record."), next_step=msg("Look at the call again."))
    later = Reading.get_or_none(Reading.supersedes == row.id)
    out = reading_out(reading_row(row, row.person.name, later.id if later else None, float(row.entry_no)))
    return SavedReading(reading=out, repeated=True)


def _refuse_unjudgeable(record: CallRecord, entry: NewReading, moment: datetime) -> None:
    """Refuse a reading that could be kept but not judged."""
    taken = TakenReading(id=0, entry=entry, taken_at=moment, person="-")
    try:
        judge_reading(taken, record.facts.plate, record.judged.limits)
    except InputProblem as problem:
        raise InputProblem(
            [FieldProblem(field="value", wanted=problem.errors[0].wanted, got=entry.value)],
            next_step=msg("Check the reading and the nameplate. One is wrong."),
        ) from None
    except ArithmeticError:
        raise InputProblem(
            [FieldProblem(field="value", wanted=msg("a value that fits the nameplate"), got=entry.value)]
        ) from None


def _refuse_moment(entry: NewReading, opened_at: datetime, moment: datetime) -> None:
    if entry.taken_at is None:
        return
    if entry.taken_at > moment + timedelta(minutes=5):
        raise InputProblem(
            [
                FieldProblem(
                    field="taken_at", wanted=msg("a time not in the future"), got=entry.taken_at.isoformat()
                )
            ]
        )
    if entry.taken_at < opened_at - timedelta(days=1):
        raise InputProblem(
            [
                FieldProblem(
                    field="taken_at", wanted=msg("a time on this call"), got=entry.taken_at.isoformat()
                )
            ]
        )


def _corrected(call_id: int, entry: NewReading) -> Reading:
    assert entry.supersedes_id is not None
    old = Reading.get_or_none((Reading.id == entry.supersedes_id) & (Reading.call == call_id))
    if old is None or old.quantity != entry.quantity:
        raise no_such_reading(entry.supersedes_id)
    return old
