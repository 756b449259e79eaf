"""What is safe on a call, by the order of recording; what stops it, and what lifts a stop."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from orange_crank.core.call.call_tests import find_call_test
from orange_crank.core.call.changes import Change
from orange_crank.core.call.facts import CallFacts, Lift, TakenTest
from orange_crank.core.call.judge import JudgedCall, judge_call
from orange_crank.core.call.ladder import ladder_of
from orange_crank.core.call.why_record import SeenAt
from orange_crank.core.diagnosis.model import Evidence
from orange_crank.core.safety.state import CLOCK_SLACK, SafetyEvent, call_state
from orange_crank.core.safety.stop import GRAVEST_FIRST, gravest_first, plain_words, work_stop
from orange_crank.core.tables.standards import shipped_standards
from orange_crank.demo.player import make_safe_record
from tests.core.call.test_ladder import NOON, PLATE, taken

WORDS = {
    "as_found": "LIVE",
    "dead_proved": "DEAD",
    "control_live": "CONTROL LIVE",
    "live": "LIVE",
    "lapsed": "NOT PROVED",
}
PROVED = make_safe_record("single_phase_two_leg", ["c_herm", "c_fan"])
HOT = PROVED.model_copy(
    update={"dead_points": [p.model_copy(update={"reading_v": 118.0}) for p in PROVED.dead_points]}
)
HALF = PROVED.model_copy(update={"dead_points": []})
MINUTES = shipped_standards().make_safe_minutes


def event(
    kind: str, minute: float, place: float, record: Any = None, detail: str | None = None
) -> SafetyEvent:
    return SafetyEvent.model_validate(
        {
            "kind": kind,
            "at": NOON + timedelta(minutes=minute),
            "record": record,
            "place": place,
            "detail": detail,
        }
    )


class States(RuleBasedStateMachine):
    """A model of what is safe that knows only what was recorded last, and how old it is."""

    def __init__(self) -> None:
        super().__init__()
        self.events: list[SafetyEvent] = []
        self.minute = 0.0
        self.proved_at: float | None = None
        self.base = "as_found"
        self.caution = False
        self.version = 0

    def record(self, kind: str, record: Any = None) -> None:
        self.events.append(event(kind, self.minute, len(self.events) + 1.0, record, "break"))

    @rule(minutes=st.sampled_from([0.5, 7.0, 31.0, 59.0, 61.0]))
    def time_goes_by(self, minutes: float) -> None:
        self.minute += minutes

    @rule()
    def caution_read(self) -> None:
        self.record("caution_read")
        self.caution = True

    @rule(record=st.sampled_from([PROVED, HOT, HALF]))
    def made_safe(self, record: Any) -> None:
        self.record("made_safe", record)
        self.version += 1
        if record is PROVED:
            self.base, self.proved_at = "dead_proved", self.minute
        elif self.base in ("dead_proved", "control_live"):
            self.base, self.proved_at = "lapsed", None

    @rule()
    def control_live(self) -> None:
        self.record("control_live")
        self.version += 1
        if self.base == "dead_proved":
            self.base = "control_live"

    @rule()
    def went_live(self) -> None:
        self.record("went_live")
        self.version += 1
        self.base, self.proved_at = "live", None

    @rule()
    def lapsed(self) -> None:
        self.record("lapsed")
        self.version += 1
        self.base, self.proved_at = "lapsed", None

    @invariant()
    def it_is_as_the_model_says(self) -> None:
        moment = NOON + timedelta(minutes=self.minute)
        found = call_state(self.events, moment)
        old = self.proved_at is not None and self.minute - self.proved_at > MINUTES
        expected = "lapsed" if old else self.base
        assert (expected, WORDS[expected]) == (found.state, found.words)
        assert (self.caution, self.version) == (found.caution_read, found.version)
        proved = expected in ("dead_proved", "control_live")
        assert proved == (found.dead_since is not None) == (found.lapses_at is not None)
        if proved and self.proved_at is not None:
            assert NOON + timedelta(minutes=self.proved_at) == found.dead_since
            assert NOON + timedelta(minutes=self.proved_at + MINUTES) == found.lapses_at
        assert found.why

    @invariant()
    def a_clock_set_back_never_proves(self) -> None:
        if self.proved_at is None:
            return
        before = NOON + timedelta(minutes=self.proved_at) - CLOCK_SLACK - timedelta(seconds=1)
        found = call_state(self.events, before)
        assert "lapsed" == found.state
        assert "clock" in found.why
        assert found.dead_since is None


TestStates = States.TestCase
TestStates.settings = settings(max_examples=60, stateful_step_count=14, deadline=None)


def test_a_proof_holds_to_its_last_minute_and_within_the_slack_of_two_clocks() -> None:
    events = [event("made_safe", 0, 1, PROVED)]
    for minute, state in (
        (MINUTES, "dead_proved"),
        (MINUTES + 0.1, "lapsed"),
        (-2, "dead_proved"),
        (-2.1, "lapsed"),
    ):
        assert state == call_state(events, NOON + timedelta(minutes=minute)).state
    later = NOON + timedelta(minutes=20)
    assert "lapsed" == call_state(events, NOON + timedelta(minutes=10), last_recorded=later).state
    assert "dead_proved" == call_state(events, NOON + timedelta(minutes=19), last_recorded=later).state


def test_a_shop_may_shorten_how_long_a_proof_holds() -> None:
    short = replace(shipped_standards(), make_safe_minutes=10.0)
    events = [event("made_safe", 0, 1, PROVED)]
    assert "lapsed" == call_state(events, NOON + timedelta(minutes=11), short).state


def test_each_state_says_why_it_is_so() -> None:
    def why(*events: SafetyEvent, minute: float = 5) -> str:
        return call_state(events, NOON + timedelta(minutes=minute)).why

    proved = event("made_safe", 0, 1, PROVED)
    assert "found live" in why().lower()
    assert "not complete" in why(event("made_safe", 0, 1, HALF))
    assert "did not prove" in why(proved, event("made_safe", 1, 2, HOT))
    assert "control voltage" in why(proved, event("control_live", 1, 2))
    assert "Energized" in why(event("went_live", 0, 1))
    assert "break" in why(event("lapsed", 0, 1))
    assert "out of sight" in why(event("lapsed", 0, 1, detail="out of sight"))
    assert f"{MINUTES:g} min" in why(proved, minute=MINUTES + 1)


# Stops -------------------------------------------------------------------------------------------


def test(number: int, minute: int, topic: str, entry: dict[str, Any]) -> TakenTest:
    return TakenTest(
        id=number,
        topic=topic,
        entry=entry,
        taken_at=NOON + timedelta(minutes=minute),
        person="Marlo",
        place=float(minute),
    )


test.__test__ = False  # type: ignore[attr-defined]
LEGS = {"leg_a_idle_v": 120, "leg_b_idle_v": 120, "leg_a_start_v": 104, "leg_b_start_v": 135}
PIN = {"compressor": True, "terminal_c": True}
CLEAR = {"whole": False}


def ground(number: int, minute: int, shorted: bool) -> Any:
    return taken(number, minute, {"quantity": "to_ground", "value": shorted, "without_make_safe": "bench"})


def call(**known: Any) -> JudgedCall:
    events = known.pop("events", [])
    state = call_state(events, NOON + timedelta(minutes=5))
    return judge_call(CallFacts(plate=PLATE, state=state, events=events, **known))


def codes(judged: JudgedCall) -> list[str]:
    return [s.code for s in judged.stops]


def change(minute: int, what: str = "Compressor leads taped off") -> Change:
    return Change(id=minute, what=what, part="wiring", made_at=NOON, person="Marlo", place=float(minute))


def lift(key: str, minute: int) -> Lift:
    return Lift(stop=key, how="Utility remade it", lifted_at=NOON, person="Marlo", place=float(minute))


def test_a_short_stops_until_it_is_changed_and_measured_clear_after() -> None:
    short = ground(1, 1, True)
    assert ["GROUNDED"] == codes(call(readings=[short]))
    stop = call(readings=[short]).stops[0]
    assert not stop.may_lift
    assert ("reading-1", "To ground, Marlo", short.taken_at) == (stop.key, stop.source, stop.since)
    assert "replaced or repaired" in stop.lifted_by
    only_clear = call(readings=[short, ground(2, 3, False)])
    assert ["GROUNDED"] == codes(only_clear), "a clear reading alone does not say which of the two stands"
    assert only_clear.stops[0].may_lift
    assert "Which reading is right?" in only_clear.stops[0].text
    assert ["GROUNDED"] == codes(call(readings=[short, ground(2, 3, False)], changes=[change(4)]))
    mended = call(readings=[short, ground(2, 3, False)], changes=[change(2)])
    assert [] == codes(mended)
    assert "leads taped off, then ground test clear, Marlo" in mended.found_stops.settled["reading-1"]
    assert ["GROUNDED"] == codes(
        call(readings=[ground(1, 1, False), ground(2, 3, True)], changes=[change(2)])
    )


def test_a_short_found_piece_by_piece_is_the_same_stop_in_its_own_words() -> None:
    found = call(tests=[test(7, 2, "isolation", PIN)])
    stop = found.stops[0]
    assert ("GROUNDED", "test-7") == (stop.code, stop.key)
    assert stop.finding is not None
    assert stop.finding.text == stop.text
    assert stop.finding.next_step == stop.next_step
    assert [] == codes(
        call(tests=[test(7, 2, "isolation", PIN), test(8, 6, "isolation", CLEAR)], changes=[change(4)])
    )
    one_piece = {"compressor": False}
    assert ["GROUNDED"] == codes(
        call(tests=[test(7, 2, "isolation", PIN), test(8, 6, "isolation", one_piece)], changes=[change(4)])
    ), "a piece that is clear does not clear the whole"


def test_a_hot_point_stops_hands_too_until_a_later_record_proves() -> None:
    hot = event("made_safe", 1, 1, HOT)
    stop = call(events=[hot]).stops[0]
    assert ("STOP_LIVE", "all", False) == (stop.code, stop.scope, stop.may_lift)
    assert "make-safe-1-STOP_LIVE" == stop.key
    assert [] == codes(call(events=[hot, event("made_safe", 2, 2, PROVED)]))
    assert codes(call(events=[hot, event("made_safe", 2, 2, HALF)]))
    assert codes(call(events=[event("made_safe", 1, 1, PROVED), event("made_safe", 2, 2, HOT)]))


def test_wet_is_lifted_by_a_dry_record_or_by_hand() -> None:
    wet = event("made_safe", 1, 1, PROVED.model_copy(update={"dry": False}))
    stop = call(events=[wet]).stops[0]
    assert ("WATER", True) == (stop.code, stop.may_lift)
    assert [] == codes(call(events=[wet, event("made_safe", 2, 2, HALF.model_copy(update={"dry": True}))]))
    assert [] == codes(call(events=[wet], lifts=[lift(stop.key, 3)]))


def test_an_open_neutral_is_lifted_by_hand_and_by_nothing_else() -> None:
    legs = test(3, 1, "legs", LEGS)
    found = call(tests=[legs])
    assert ["OPEN_NEUTRAL"] == codes(found)
    assert f"{find_call_test('legs').label}, Marlo" == found.stops[0].source
    well = test(4, 2, "legs", LEGS | {"leg_a_start_v": 118, "leg_b_start_v": 118})
    assert ["OPEN_NEUTRAL"] == codes(call(tests=[legs, well]))
    lifted = call(tests=[legs], lifts=[lift("test-3", 3)])
    assert [] == codes(lifted)
    assert {"test-3": "Utility remade it"} == dict(lifted.found_stops.settled)


def test_repeated_trips_stop_until_to_ground_is_measured() -> None:
    trips = SeenAt("repeated_trips", 2.0, NOON, "Marlo")
    found = call(hazards=[trips])
    assert (["REPEATED_TRIPS"], False) == (codes(found), found.stops[0].may_lift)
    assert [] == codes(call(hazards=[trips], readings=[ground(1, 1, False)])), "it was measured clear before"
    assert [] == codes(call(hazards=[trips], readings=[ground(1, 3, False)]))
    assert ["GROUNDED"] == codes(call(hazards=[trips], readings=[ground(1, 3, True)]))
    assert ["GROUNDED", "REPEATED_TRIPS"] == codes(call(hazards=[trips], readings=[ground(1, 1, True)]))


@pytest.mark.parametrize("hazard", ["unknown_feed", "water", "terminal_damage"])
def test_what_was_told_stands_until_it_is_said_how_it_was_put_right(hazard: Any) -> None:
    told = SeenAt(hazard, 2.0, NOON, "Marlo")
    stop = call(hazards=[told]).stops[0]
    assert (f"hazard-{hazard}-2", True, NOON) == (stop.key, stop.may_lift, stop.since)
    assert "Reported by Marlo" == stop.source
    assert [] == codes(call(hazards=[told], lifts=[lift(stop.key, 3)]))
    again = SeenAt(hazard, 5.0, NOON, "Ines")
    assert [f"hazard-{hazard}-5"] == [
        s.key for s in call(hazards=[told, again], lifts=[lift(stop.key, 3)]).stops
    ]


LIVE_GATES = ("go_live", "take_live", "take_control", "control_live")
HANDS = ("take_dead", "tick_move")


@given(
    st.lists(st.sampled_from(["ground", "legs", "hot", "water", "trips", "feed"]), min_size=1, unique=True),
    st.booleans(),
)
@settings(max_examples=60, deadline=None)
def test_under_any_stop_nothing_live_opens_and_no_next_step_is_live(kinds: list[Any], caution: bool) -> None:
    events = [event("caution_read", 0, 0.5)] if caution else []
    events += [event("made_safe", 0.1, 0.6, PROVED)]
    events += [event("made_safe", 1, 1, HOT)] if "hot" in kinds else []
    found = call(
        events=events,
        readings=[ground(1, 2, True)] if "ground" in kinds else [],
        tests=[test(3, 1, "legs", LEGS)] if "legs" in kinds else [],
        hazards=[
            SeenAt(h, 2.0, NOON, "Marlo")  # type: ignore[arg-type]
            for k, h in (("water", "water"), ("trips", "repeated_trips"), ("feed", "unknown_feed"))
            if k in kinds
        ],
    )
    assert found.stops
    order = [GRAVEST_FIRST.index(s.code) for s in found.stops]
    assert sorted(order) == order
    for gate in LIVE_GATES:
        assert not found.gates[gate].ok  # type: ignore[index]
    if any(s.scope == "all" for s in found.stops):
        for gate in HANDS:
            assert not found.gates[gate].ok  # type: ignore[index]
    assert not [r for r in ladder_of(found).rungs if r.next_is_live]
    assert found.gates["lift_stop"].ok
    assert found.gates["take_any"].ok


def test_every_stop_has_its_place_and_its_plain_words() -> None:
    every = [work_stop(code) for code in reversed(GRAVEST_FIRST)]
    assert list(GRAVEST_FIRST) == [s.code for s in gravest_first(every)]
    assert len(GRAVEST_FIRST) == len({plain_words(s) for s in every})
    old = work_stop("GROUNDED", key="old", since=datetime(2026, 1, 1, tzinfo=UTC))
    assert ["old", "new"] == [s.key for s in gravest_first([old, work_stop("GROUNDED", key="new")])]


# Inrush no rotor can draw ---------------------------------------------------------------------------


def inrush(number: int, minute: int, amps: float, **more: Any) -> Any:
    entry = {
        "quantity": "inrush_a", "value": amps, "mode": "inrush", "conductor": "common", "volts": 231.0,
        "outcome": "tripped",
    }  # fmt: skip
    return taken(number, minute, entry | more)


def apart(minute: int, shorted: bool = False) -> SeenAt:
    found = Evidence.model_validate({"quantity": "legs_shorted", "value": shorted})
    return SeenAt(what=found, place=float(minute), at=NOON, person="Dex")


def test_an_inrush_no_rotor_can_draw_stops_until_to_ground_and_leg_to_leg_are_clear_after_it() -> None:
    lra = float(PLATE.compressors[0].lra_a or 0)
    far = inrush(1, 5, 1.7 * lra)
    assert [] == codes(call(readings=[inrush(1, 5, 1.02 * lra)])), "a stall is no short"
    stopped = call(readings=[far])
    assert ["SHORT_CURRENT"] == codes(stopped)
    stop = stopped.stops[0]
    assert "Power off" in stop.next_step
    assert "A, Marlo" in stop.source
    assert not stop.may_lift
    assert not stopped.gates["take_live"].ok
    assert "far more current" in plain_words(stop).lower()
    assert ["SHORT_CURRENT"] == codes(call(readings=[ground(2, 1, False), far])), "clear before tells nothing"
    half = call(readings=[far, ground(2, 9, False)])
    assert ["SHORT_CURRENT"] == codes(half)
    assert half.stops[0].may_lift
    assert ["SHORT_CURRENT"] == codes(call(readings=[far, ground(2, 9, False)], seen=[apart(3)]))
    over = call(readings=[far, ground(2, 9, False)], seen=[apart(10)])
    assert [] == codes(over)
    assert "leg to leg clear, Dex" in over.found_stops.settled["reading-1"]
    assert [] == codes(call(readings=[far, ground(2, 9, False)], lifts=[lift("reading-1", 12)]))


def test_a_plate_read_again_ends_what_was_never_a_short() -> None:
    """LRA misread by a decimal: the reading was ordinary all along."""
    lra = float(PLATE.compressors[0].lra_a or 0)
    state = call_state([], NOON + timedelta(minutes=5))
    slip = PLATE.model_copy(
        update={"compressors": [PLATE.compressors[0].model_copy(update={"lra_a": lra / 1.9})]}
    )
    reading = inrush(1, 5, 0.97 * lra)
    assert ["SHORT_CURRENT"] == codes(judge_call(CallFacts(plate=slip, state=state, readings=[reading])))
    assert [] == codes(judge_call(CallFacts(plate=PLATE, state=state, readings=[reading])))
    assert [] == codes(judge_call(CallFacts(plate=None, state=state, readings=[reading])))


@settings(max_examples=60, deadline=None)
@given(
    order=st.permutations(["far", "ground", "apart", "apart_bad", "change"]),
    share=st.floats(1.3, 4.0),
)
def test_whatever_the_order_a_short_current_stands_until_both_proofs_come_after_it(
    order: list[str], share: float
) -> None:
    lra = float(PLATE.compressors[0].lra_a or 0)
    at = {name: i + 1 for i, name in enumerate(order)}
    judged = call(
        readings=[inrush(1, at["far"], share * lra), ground(2, at["ground"], False)],
        seen=[apart(at["apart"]), apart(at["apart_bad"], shorted=True)],
        changes=[change(at["change"], "Contactor")],
    )
    stands = "SHORT_CURRENT" in codes(judged)
    both_after = at["ground"] > at["far"] and at["apart"] > at["far"]
    assert stands == (not both_after)
    if stands:
        assert not judged.gates["take_live"].ok
