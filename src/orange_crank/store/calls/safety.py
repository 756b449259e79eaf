"""Make-safe records, going live and the other steps that change what is safe; and lifting a stop."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Literal

from pydantic import Field

from orange_crank.core.call.gates import Gate, GateName, require
from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.measure.live_meter import volts_on_dead
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen, Moment, Sentence, Word, say
from orange_crank.core.safety.make_safe import MakeSafe
from orange_crank.core.safety.state import GOING_LIVE, Work
from orange_crank.store.calls.decisions import LIFTED, append
from orange_crank.store.calls.journal import Entry, write_on
from orange_crank.store.calls.record import CallRecord, read_call, states_of
from orange_crank.store.calls.stamps import look_at_list, look_at_shop
from orange_crank.store.calls.view import CallOut, get_call
from orange_crank.store.database import local_time, now, transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import MakeSafeRecord, SafetyEventRow, ServiceCall
from orange_crank.store.standards import shop_standards

CLOCKS_APART = timedelta(minutes=5)


class NewMakeSafe(Frozen):
    """A make-safe record as it is saved: when its volts were taken, and on which state of the call."""

    record: MakeSafe
    volts_taken_at: Moment = Field(description="When its dead points were measured")
    state_version: int = Field(ge=0, description="The call's state version it was taken on")


class NewSafetyEvent(Frozen):
    """Something that changes what is safe."""

    kind: Literal["caution_read", "control_live", "went_live", "lapsed"]
    detail: Sentence | None = None
    covers_on: bool = Field(default=False, description="Going live: covers on")
    people_clear: bool = Field(default=False, description="Going live: people clear")
    meter_set: bool = Field(default=False, description="Going live: meter set")
    leads_back: bool = Field(
        default=False, description="Going live: every lifted lead is back, or none was lifted"
    )


class NewLift(Frozen):
    """How a stop was put right."""

    stop: Word = Field(description="Which stop, by its key")
    how: str = Field(min_length=3, max_length=80, description="What was put right, and by whom")


def add_make_safe(call_id: int, entry: NewMakeSafe, person_id: int, at: datetime | None = None) -> CallOut:
    """Save a make-safe record, complete or not.

    Raises
    ------
    Conflict : the state of the call changed since the record was begun, or it went live after its volts
    InputProblem : the moment of its volts is none of this call

    """
    with transaction():
        journal = write_on(call_id, at)
        record = read_call(call_id, journal.moment)
        require(record.judged.gates["make_safe"])
        _refuse_stale(entry, record, journal)
        row = MakeSafeRecord.create(
            call=call_id,
            record=entry.record.model_dump(mode="json"),
            recorded_at=journal.moment,
            person=person_id,
        )
        SafetyEventRow.create(
            call=call_id,
            kind="made_safe",
            make_safe_record=row,
            happened_at=journal.moment,
            volts_taken_at=min(entry.volts_taken_at, journal.moment),
            entry_no=journal.number,
            person=person_id,
        )
        return get_call(call_id, at)


def _refuse_stale(entry: NewMakeSafe, record: CallRecord, journal: Entry) -> None:
    taken, state = entry.volts_taken_at, record.facts.state
    if entry.state_version != state.version:
        last = record.events[-1] if record.events else None
        who = f" by {last.person.name}" if last is not None else ""
        raise Conflict(
            msg(
                "The unit's state changed{who} while you were entering this. It is now {words}.",
                who=who,
                words=state.words,
            ),
            next_step=msg("Look at the call as it is, then take the volts again."),
        )
    if taken > journal.moment + CLOCKS_APART:
        raise InputProblem(
            [
                FieldProblem(
                    field="volts_taken_at",
                    wanted=msg("a time not in the future (this phone's clock is ahead)"),
                    got=taken.isoformat(),
                )
            ],
            next_step=msg("Set the device's clock to network time, then save again."),
        )
    after = next(
        (
            e
            for e in reversed(record.events)
            if e.kind in ("went_live", "lapsed", "control_live", "volts_seen")
        ),
        None,
    )
    if after is not None and taken < after.happened_at:
        raise Conflict(
            (
                msg(
                    "These volts are older than the last change on this call, so they don't prove "
                    "it dead now."
                )
            ),
            next_step=msg("Take the volts again and save the record."),
        )


_CHANGES = frozenset({"went_live", "lapsed", "control_live", "volts_seen"})
_GATE_OF: dict[str, GateName] = {
    "caution_read": "read_caution",
    "control_live": "control_live",
    "went_live": "go_live",
    "lapsed": "record",
}


def add_safety_event(
    call_id: int, event: NewSafetyEvent, person_id: int, at: datetime | None = None
) -> CallOut:
    """Save a step that changes what is safe.

    Raises
    ------
    GateClosed : the step is not open yet

    """
    with transaction():
        journal = write_on(call_id, at)
        record = read_call(call_id, journal.moment)
        gate = record.judged.gates[_GATE_OF[event.kind]]
        lacking = _not_ready(event)
        # Without signal it has happened, ready or not: the record must not go on saying dead.
        if lacking and not journal.late:
            raise GateClosed(
                msg("Before going live: {join}.", join=", ".join(lacking)),
                next_step=msg("Do each, tick it, then energize."),
            )
        kind, detail = (
            (event.kind, event.detail) if gate.ok else (_happened(event, gate, journal, record), None)
        )
        SafetyEventRow.create(
            call=call_id,
            kind=kind,
            detail=detail if gate.ok and not lacking else _told_late(event, journal, lacking),
            happened_at=journal.moment,
            leads_back=event.leads_back if event.kind == "went_live" else None,
            entry_no=journal.number,
            person=person_id,
        )
        return get_call(call_id, at)


_PROVED = ("dead_proved", "control_live")


def _happened(event: NewSafetyEvent, gate: Gate, journal: Entry, record: CallRecord) -> str:
    """Return what a step that was not open is on the record, where it was done already; else refuse it.

    A gate is for what is to come. What was done without signal has happened: the record must not go on
    saying dead.
    """
    if journal.late and event.kind == "went_live":
        return "went_live"
    if journal.late and event.kind == "control_live" and record.facts.state.state in _PROVED:
        return "lapsed"
    require(gate)
    return event.kind


def _told_late(event: NewSafetyEvent, journal: Entry, lacking: Sequence[str]) -> str:
    what = "Energized" if event.kind == "went_live" else "Control voltage put back"
    but = f"; not ticked: {', '.join(lacking)}" if lacking else ""
    return f"{what} at {_clock(journal.moment)} without signal, told later{but}"


def _clock(moment: datetime) -> str:
    return f"{local_time(moment):%H:%M}"


def tells_of_power(record: CallRecord, journal: Entry, work: Work, person_id: int) -> bool:
    """Return whether an entry that waited was taken with power on while recorded as dead; then it lapses.

    Two devices say the opposite of one unit: which was right cannot be known, so nothing is proved.
    """
    state = record.facts.state.state
    against = _PROVED if work == "live" else _PROVED[:1] if work == "control" else ()
    if not journal.late or state not in against:
        return False
    place = write_on(journal.call.id, journal.moment)
    SafetyEventRow.create(
        call=journal.call.id,
        kind="lapsed",
        detail=msg(
            "measured with power on at {clock} without signal, sent later", clock=_clock(journal.moment)
        ),
        happened_at=journal.moment,
        entry_no=place.number,
        person=person_id,
    )
    return True


def volts_seen(
    call_id: int, seen: Sequence[tuple[str, float]], person_id: int, at: datetime | None = None
) -> bool:
    """Save volts that a live meter sees on a unit recorded as dead; return whether there were any.

    Seen again, nothing is written twice: after the first the unit is no longer recorded as dead.
    """
    if ServiceCall.get_or_none((ServiceCall.id == call_id) & (ServiceCall.status == "open")) is None:
        return False
    # Asked many times a second: the call is locked only where there is something to write.
    limits = shop_standards()
    known, (_, people) = look_at_list([call_id]), look_at_shop()
    state = states_of(known, {call_id: at or now()}, limits, people)[call_id].state
    if volts_on_dead(state, seen, limits.dead_stop_v) is None:
        return False
    with transaction() as held:
        journal = write_on(call_id, at)
        record = read_call(call_id, journal.moment)
        found = volts_on_dead(record.facts.state.state, seen, record.judged.limits.dead_stop_v)
        if found is None:
            held.rollback()
            return False
        place, volts = found
        SafetyEventRow.create(
            call=call_id,
            kind="volts_seen",
            detail=msg("{volts} at {get}", volts=say(volts, "V"), get=_PLACE_WORDS.get(place, place)),
            happened_at=journal.moment,
            entry_no=journal.number,
            person=person_id,
        )
    return True


_PLACE_WORDS = {
    "line": "the contactor's line side",
    "load": "the contactor's load side",
    "pole": "the contactor",
}


def _not_ready(event: NewSafetyEvent) -> list[str]:
    """Return what is not ticked of going live; nothing for every other step."""
    if event.kind != "went_live":
        return []
    return [words for field, words in GOING_LIVE.items() if not getattr(event, field)]


def lift_stop(call_id: int, lift: NewLift, person_id: int, at: datetime | None = None) -> CallOut:
    """Save how a stop was fixed; it stays on the record with the person's name.

    Raises
    ------
    NotFound : the call has no such stop
    GateClosed : a reason does not lift it; the message names what does

    """
    with transaction():
        journal = write_on(call_id, at)
        record = read_call(call_id, journal.moment)
        stop = next((s for s in record.judged.stops if s.key == lift.stop), None)
        if stop is None:
            raise NotFound(msg("That stop is already cleared."), next_step=msg("Look at the call as it is."))
        if not stop.may_lift:
            raise GateClosed(
                msg("A note can't clear this stop. {text}", text=stop.text), next_step=f"{stop.lifted_by}."
            )
        append(journal, LIFTED, {"stop": lift.stop, "how": lift.how.strip()}, person_id)
        return get_call(call_id, at)
