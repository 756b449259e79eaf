"""Two phones on one call, one without signal: all arrives once, and what was live is never told dead."""

import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any, Literal

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from orange_crank.core.errors import CrankError, GateClosed
from orange_crank.core.measure.reading import NewReading
from orange_crank.demo.player import make_safe_record
from orange_crank.store import database, waited
from orange_crank.store.calls import journal, readings, record
from orange_crank.store.calls.opening import CallEdit, NewCall, edit_call, open_call
from orange_crank.store.calls.readings import add_readings
from orange_crank.store.calls.safety import NewMakeSafe, NewSafetyEvent, add_make_safe, add_safety_event
from orange_crank.store.calls.tests import NewTest, add_test
from orange_crank.store.calls.view import CallOut, get_call
from orange_crank.store.database import session
from orange_crank.store.errors import Conflict
from orange_crank.store.models import ServiceCall
from orange_crank.store.once import Keyed, once
from orange_crank.store.server import MariaDbServer

READY = {"covers_on": True, "people_clear": True, "meter_set": True, "leads_back": True}
PROVED = ("dead_proved", "control_live")
Act = Literal[
    "caution", "make safe", "go live", "lapse", "control", "dead reading", "live reading", "legs", "ground"
]
ACTS: tuple[Act, ...] = Act.__args__  # type: ignore[attr-defined]


@dataclass
class Clock:
    """The server's own time, set by a test."""

    moment: datetime = field(default_factory=lambda: datetime.now(UTC))

    def now(self) -> datetime:
        return self.moment

    def passes(self, minutes: float) -> None:
        self.moment += timedelta(minutes=minutes)


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> Clock:
    told = Clock()
    for module in (database, journal, record, readings, waited):
        monkeypatch.setattr(module, "now", told.now)
    return told


def begin_call(at: datetime) -> CallOut:
    """A call of its own for each try, on a unit nobody is at."""
    with session():
        for row in ServiceCall.select().where((ServiceCall.unit == 2) & (ServiceCall.status == "open")):
            edit_call(row.id, CallEdit(version=row.version, status="closed", reason="to make room"), 1)
        return open_call(NewCall(unit_id=2, complaint="Hums"), 1, at)


@dataclass
class Waiting:
    """An entry made on a phone, sent later or at once, with its key."""

    act: Act
    made: datetime
    run: Callable[[int], object]
    key: str = field(default_factory=lambda: uuid.uuid4().hex)

    def send(self, call: int, at: datetime) -> str:
        seconds = (at - self.made).total_seconds()
        try:
            with session():
                once(Keyed(self.key, self.key, seconds), lambda: self.run(call), lambda _: "again")
        except CrankError as refused:
            return refused.title
        return "kept"


def entry_of(act: Act, made: datetime, version: int, person: int) -> Callable[[int], object]:
    if act == "make safe":
        safe = NewMakeSafe(
            record=make_safe_record("single_phase_two_leg", ["c_herm", "c_fan"]),
            volts_taken_at=made,
            state_version=version,
        )
        return lambda call: add_make_safe(call, safe, person)
    if act == "dead reading":
        taken = [NewReading(quantity="run_cap_uf", value=44.0)]
        return lambda call: add_readings(call, taken, person)
    if act == "ground":
        shorted = [NewReading(quantity="to_ground", value=True, without_make_safe="power is off")]
        return lambda call: add_readings(call, shorted, person)
    if act == "live reading":
        live = [NewReading(quantity="line_v_run", value=117.0), NewReading(quantity="fan_a", value=1.1)]
        return lambda call: add_readings(call, live, person)
    if act == "legs":
        legs: Any = {"leg_a_idle_v": 120, "leg_b_idle_v": 121, "leg_a_start_v": 118, "leg_b_start_v": 118}
        return lambda call: add_test(call, NewTest(topic="legs", entry=legs), person)
    kinds = {"caution": "caution_read", "go live": "went_live", "lapse": "lapsed", "control": "control_live"}
    event = NewSafetyEvent.model_validate({"kind": kinds[act]} | (READY if act == "go live" else {}))
    return lambda call: add_safety_event(call, event, person)


VERSIONED = ("make safe", "go live", "lapse", "control")


@dataclass
class Phone:
    """What a phone without signal knows: the state it took along, moved on by its own entries."""

    version: int = 0
    queue: list[Waiting] = field(default_factory=list)

    def makes(self, act: Act, made: datetime) -> None:
        self.queue.append(Waiting(act, made, entry_of(act, made, self.version, 1)))
        self.version += act in VERSIONED


STEPS = st.lists(
    st.tuples(st.sampled_from(["away", "there"]), st.sampled_from(ACTS), st.sampled_from([1, 4, 25])),
    min_size=1,
    max_size=9,
)


@settings(
    max_examples=40,
    phases=[Phase.explicit, Phase.generate],
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)
@given(steps=STEPS, twice=st.lists(st.booleans(), min_size=9, max_size=9))
def test_what_was_energized_last_is_never_told_dead(
    records: MariaDbServer, clock: Clock, steps: list[tuple[str, Act, int]], twice: list[bool]
) -> None:
    del records
    call = begin_call(clock.moment).id
    phone = Phone()
    power: bool | None = None
    seen = 0
    for where, act, minutes in steps:
        clock.passes(minutes)
        if where == "away":
            phone.makes(act, clock.moment)
            told = "kept"
        else:
            with session():
                version = get_call(call).state.version
            told = Waiting(act, clock.moment, entry_of(act, clock.moment, version, 2)).send(
                call, clock.moment
            )
            seen += told == "kept"
        if act == "make safe" and told == "kept":
            power = False
        elif act == "go live" and (told == "kept" or where == "away"):
            power = True
    clock.passes(3)
    with session():
        before = get_call(call)
    kept = 0
    for waiting, again in zip(phone.queue, twice, strict=False):
        told = waiting.send(call, clock.moment)
        kept += told == "kept"
        if again:
            # The answer was lost: sent again it is not kept again, and what was refused is refused.
            assert waiting.send(call, clock.moment + timedelta(seconds=7)) == told or told != "kept"
        clock.passes(0.1)
    with session():
        after = get_call(call)
    if power:
        assert after.state.state not in PROVED
    assert after.entries - before.entries >= kept
    for reading in after.readings:
        assert reading.taken_at <= reading.recorded_at <= clock.moment
        assert reading.taken_at >= after.opened_at
    # Each entry that was kept stands once: those of the phone that was away and those of the other.
    ours = [r for r in after.readings if r.person == before.opened_by]
    assert len({(r.entry.quantity, r.taken_at) for r in ours}) == len(ours)


def away(clock: Clock, call: CallOut, *acts: Act) -> list[Waiting]:
    phone = Phone(version=call.state.version)
    for act in acts:
        clock.passes(5)
        phone.makes(act, clock.moment)
    return phone.queue


def arrive(clock: Clock, call: int, queue: list[Waiting]) -> list[str]:
    return [w.send(call, clock.moment) for w in queue]


def state(call: int) -> CallOut:
    with session():
        return get_call(call)


def test_a_whole_call_without_signal_arrives_as_it_was_made(records: MariaDbServer, clock: Clock) -> None:
    del records
    call = begin_call(clock.moment)
    opened = clock.moment
    acts: tuple[Act, ...] = ("make safe", "dead reading", "caution", "go live", "live reading", "legs")
    queue = away(clock, call, *acts)
    clock.passes(240)
    assert arrive(clock, call.id, queue) == ["kept"] * 6
    assert arrive(clock, call.id, queue) == ["kept"] * 6
    after = state(call.id)
    assert [e.kind for e in after.events] == ["made_safe", "caution_read", "went_live"]
    assert [r.entry.quantity for r in after.readings] == ["run_cap_uf", "line_v_run", "fan_a"]
    assert after.readings[0].call_state == "dead_proved"
    assert after.readings[0].taken_at - opened == timedelta(minutes=10)
    assert after.readings[0].recorded_at == clock.moment
    assert after.state.state == "live"


def test_a_proof_that_waited_too_long_is_none_any_more(records: MariaDbServer, clock: Clock) -> None:
    del records
    call = begin_call(clock.moment)
    queue = away(clock, call, "make safe", "dead reading")
    clock.passes(600)
    assert arrive(clock, call.id, queue) == ["kept", "kept"]
    assert state(call.id).state.state == "lapsed"


def test_dead_here_and_energized_there_is_not_proved(records: MariaDbServer, clock: Clock) -> None:
    del records
    call = begin_call(clock.moment)
    queue = away(clock, call, "make safe", "dead reading")
    with session():
        add_safety_event(call.id, NewSafetyEvent(kind="caution_read"), 2)
        add_safety_event(call.id, NewSafetyEvent(kind="went_live", **READY), 2)
    clock.passes(2)
    assert arrive(clock, call.id, queue) == [Conflict.title, GateClosed.title]
    assert state(call.id).state.state == "live"


def test_energized_without_signal_under_a_stop_is_on_the_record(records: MariaDbServer, clock: Clock) -> None:
    del records
    call = begin_call(clock.moment)
    with session():
        add_safety_event(call.id, NewSafetyEvent(kind="caution_read"), 1)
    queue = away(clock, state(call.id), "go live")
    with session():
        safe = entry_of("make safe", clock.moment, state(call.id).state.version, 2)
        safe(call.id)
        add_readings(call.id, [NewReading(quantity="to_ground", value=True)], 2)
    assert state(call.id).state.state == "dead_proved"
    assert [s.code for s in state(call.id).ladder.stops] == ["GROUNDED"]
    clock.passes(1)
    assert arrive(clock, call.id, queue) == ["kept"]
    after = state(call.id)
    assert after.state.state == "live"
    assert after.events[-1].detail is not None
    assert "told later" in after.events[-1].detail
    assert [s.code for s in after.ladder.stops] == ["GROUNDED"]


def test_energized_without_signal_and_half_ready_is_on_the_record(
    records: MariaDbServer, clock: Clock
) -> None:
    """With signal it is refused before it is done; without, it has happened."""
    del records
    call = begin_call(clock.moment)
    with session():
        add_safety_event(call.id, NewSafetyEvent(kind="caution_read"), 1)
        entry_of("make safe", clock.moment, 0, 2)(call.id)
        half = NewSafetyEvent(kind="went_live", **READY | {"people_clear": False})
        with pytest.raises(GateClosed, match="people clear"):
            add_safety_event(call.id, half, 1)
    made = Waiting("go live", clock.moment, lambda number: add_safety_event(number, half, 1))
    clock.passes(10)
    assert arrive(clock, call.id, [made]) == ["kept"]
    after = state(call.id)
    assert after.state.state == "live"
    assert "not ticked: people clear" in (after.events[-1].detail or "")


@pytest.mark.parametrize("act", ["live reading", "legs"])
def test_measured_live_elsewhere_after_the_proof_ends_the_proof(
    records: MariaDbServer, clock: Clock, act: Act
) -> None:
    del records
    call = begin_call(clock.moment)
    with session():
        add_safety_event(call.id, NewSafetyEvent(kind="caution_read"), 1)
        entry_of("make safe", clock.moment, 0, 2)(call.id)
    queue = away(clock, state(call.id), act)
    clock.passes(1)
    assert arrive(clock, call.id, queue) == ["kept"]
    after = state(call.id)
    assert after.state.state == "lapsed"
    assert "measured with power on" in after.state.why
    # Written down once, however many readings told of it.
    assert [e.kind for e in after.events].count("lapsed") == 1


def test_the_same_measured_with_signal_is_refused_as_ever(records: MariaDbServer, clock: Clock) -> None:
    del records
    call = begin_call(clock.moment)
    with session():
        add_safety_event(call.id, NewSafetyEvent(kind="caution_read"), 1)
        entry_of("make safe", clock.moment, 0, 2)(call.id)
        with pytest.raises(GateClosed):
            entry_of("live reading", clock.moment, 0, 1)(call.id)
    assert state(call.id).state.state == "dead_proved"


def test_a_server_whose_clock_was_set_back_proves_nothing_by_what_waited(
    records: MariaDbServer, clock: Clock
) -> None:
    del records
    call = begin_call(clock.moment)
    with session():
        entry_of("make safe", clock.moment, 0, 1)(call.id)
    queue = away(clock, state(call.id), "dead reading")
    clock.passes(-60)
    assert arrive(clock, call.id, queue) == [GateClosed.title]


def test_what_others_recorded_meanwhile_sets_no_clock_back(records: MariaDbServer, clock: Clock) -> None:
    del records
    call = begin_call(clock.moment)
    queue = away(clock, call, "make safe", "dead reading")
    clock.passes(20)
    with session():
        add_readings(call.id, [NewReading(quantity="outdoor_f", value=95.0)], 2)
    clock.passes(5)
    assert arrive(clock, call.id, queue) == ["kept", "kept"]
