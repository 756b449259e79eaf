"""What travels with a call agrees with the judge: limits, gates, and what surely proves dead."""

import json
import os
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, get_args

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from jsonschema_rs import validator_for
from pydantic import JsonValue, ValidationError

from orange_crank.core.call.ahead import limits as ahead_limits
from orange_crank.core.call.ahead.gates import STEPS, WAITS, AheadGates, AheadState, Step, gates_ahead
from orange_crank.core.call.ahead.limits import FieldLimit, Side, limits_ahead, side_of
from orange_crank.core.call.ahead.make_safe import going_live, surely_dead
from orange_crank.core.call.ahead.travels import ahead_of
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.gates import gates_of
from orange_crank.core.call.judge import judge_call
from orange_crank.core.measure.contactor import poles_of
from orange_crank.core.measure.meter import Aid, Conductor, MeterMode, TimedBy
from orange_crank.core.measure.reading import QUANTITIES, NewReading, Quantity
from orange_crank.core.measure.start_time import PastStart
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import PAIRS, MakeSafe, judge_make_safe
from orange_crank.core.safety.state import GOING_LIVE, CallState, SafetyEvent, call_state
from orange_crank.core.tables.standards import shipped_standards
from orange_crank.demo.player import make_safe_record
from tests.core.call.ahead_cases import cases
from tests.making import from_schema

LIMITS = shipped_standards()
NOW = datetime(2026, 6, 1, 12, tzinfo=UTC)
AS_FOUND = call_state([], NOW)


def five(value: float) -> float:
    """A figure as it is typed: at most five digits."""
    return float(f"{value:.5g}")


@st.composite
def plates(draw: st.DrawFn) -> Plate | None:
    if draw(st.integers(0, 9)) == 0:
        return None
    phase = draw(st.sampled_from([1, 1, 1, 3]))
    volts = draw(st.sampled_from([115.0, 208.0, 230.0, 240.0, 460.0]))
    rla = five(draw(st.floats(2, 60)))
    lra = st.one_of(st.none(), st.floats(3.0, 7.0).map(lambda k: five(k * rla)))
    entry: dict[str, Any] = {
        "volts": volts,
        "phase": phase,
        "compressors": [{"rla_a": rla, "lra_a": draw(lra)}],
        "motors": draw(st.sampled_from([[], [{"fla_a": 1.2}], [{"fla_a": 0.74}]])),
        "run_cap_uf": draw(st.sampled_from([None, 35.0, 45.0, 80.0])) if phase == 1 else None,
        "fan_cap_uf": draw(st.sampled_from([None, 5.0, 7.5])),
        "inverter": draw(st.sampled_from([None, None, True])),
    }
    try:
        return Plate.model_validate(entry)
    except ValidationError:
        return None


@st.composite
def entries(
    draw: st.DrawFn, limits: list[FieldLimit] | None, plate: Plate | None, quantity: Quantity
) -> NewReading:
    note = QUANTITIES[quantity]
    beside: dict[str, Any] = {}
    if quantity == "inrush_a":
        beside = {
            "mode": draw(st.sampled_from(get_args(MeterMode))),
            "conductor": draw(st.sampled_from(get_args(Conductor))),
            "volts": five(draw(st.floats(80, 500))),
            "aid": draw(st.one_of(st.none(), st.sampled_from(get_args(Aid)))),
        }
        if draw(st.integers(0, 5)) == 0:
            beside["later_a"] = five(draw(st.floats(1, 200)))
    elif quantity == "contactor_drop_v":
        beside["spot"] = draw(st.sampled_from([None, *poles_of(plate)]))
    elif quantity == "start_time_s":
        beside["timed_by"] = draw(st.one_of(st.none(), st.sampled_from(get_args(TimedBy))))
    elif quantity == "running_a":
        beside["volts"] = draw(st.one_of(st.none(), st.floats(90, 500).map(five)))
        beside["outdoor_f"] = draw(st.one_of(st.none(), st.floats(40, 120).map(five)))
    elif quantity in ("run_cap_uf", "winding_cs_ohm") and draw(st.integers(0, 4)) == 0:
        beside["accuracy_pct"] = 2.0
    value: Any
    if note.kind == "flag":
        value = draw(st.booleans())
    elif note.kind == "word":
        value = draw(st.sampled_from(note.words))
    elif note.kind == "figure_or_open" and draw(st.integers(0, 3)) == 0:
        value = "open"
    else:
        ends = [b.high for limit in limits or [] if limit.quantity == quantity for b in limit.bands]
        scale = beside.get("volts", 1.0) / plate.volts if quantity == "inrush_a" and plate else 1.0
        near = st.sampled_from(ends or [note.high]).flatmap(
            lambda end: st.sampled_from([0.9, 0.999, 1.0, 1.001, 1.1]).map(lambda k: k * end * scale)
        )
        drawn = draw(st.one_of(near, st.floats(note.low, min(note.high, 500.0))))
        value = min(max(five(drawn), note.low), note.high)
    return NewReading(quantity=quantity, value=value, **beside)


def on_record(plate: Plate | None, taken: list[NewReading], **more: Any) -> CallFacts:
    readings = [
        TakenReading(id=i + 1, entry=e, taken_at=NOW, person="Ines", place=float(i + 1))
        for i, e in enumerate(taken)
    ]
    return CallFacts(plate=plate, state=AS_FOUND, readings=readings, opened_at=NOW, **more)


def judged(facts: CallFacts, entry: NewReading) -> Side:
    """What the judge says of one more reading, asked the way every screen asks it."""
    taken = TakenReading(id=99, entry=entry, taken_at=NOW, person="Ines", place=99.0)
    call = judge_call(replace(facts, readings=[*facts.readings, taken]), LIMITS)
    if any(s.key == "reading-99" for s in call.stops):
        return "stop"
    return next(j.verdict for j in call.readings if j.reading_id == 99)


# What there is to say of most values: a rule that always says "depends" would agree with anything.
FEW = [
    Plate(volts=230, phase=1, compressors=[{"rla_a": 16.7, "lra_a": 97}], motors=[{"fla_a": 1.2}]),
    Plate(volts=208, phase=3, compressors=[{"rla_a": 11.2, "lra_a": 75}]),
    Plate(volts=230, phase=1, compressors=[{"rla_a": 9.5}], inverter=True),
    None,
]
KEPT = (
    ahead_limits._by_plate_alone,
    ahead_limits._by_earlier_starts,
    ahead_limits._by_readings_together,
)
TELLING = [q for q in QUANTITIES if not q.startswith("winding")]


@pytest.mark.parametrize("quantity", QUANTITIES)
@given(data=st.data())
@settings(max_examples=40, suppress_health_check=list(HealthCheck))
def test_a_limit_says_what_the_judge_says(quantity: Quantity, data: st.DataObject) -> None:
    # A start is computed for each plate an inrush is held against: few of those.
    plate = data.draw(st.sampled_from(FEW) if quantity == "inrush_a" else plates())
    others = data.draw(st.lists(st.sampled_from([q for q in QUANTITIES if q != "inrush_a"]), max_size=5))
    facts = on_record(
        plate,
        [data.draw(entries(None, plate, q)) for q in others],
        sister_start=data.draw(st.sampled_from([None, PastStart(unit="Ice room", seconds=0.31)])),
    )
    limits = limits_ahead(facts, LIMITS)
    entry = data.draw(entries(limits, plate, quantity))
    side = side_of(limits, entry.model_dump(mode="json"))
    truth = judged(facts, entry)
    assert side in (truth, "depends"), (side, truth, entry)
    if quantity in TELLING:
        beside = entry.accuracy_pct is not None or entry.later_a is not None
        assert beside or side != "depends"


@given(data=st.data())
@settings(max_examples=60, suppress_health_check=list(HealthCheck))
def test_what_is_kept_from_other_calls_is_what_this_one_would_be_told(data: st.DataObject) -> None:
    """Several calls of few plates in any order: told with everything kept from before, and with nothing."""
    quantities = st.sampled_from([q for q in QUANTITIES if q != "inrush_a"])
    calls = [
        on_record(
            plate, [data.draw(entries(None, plate, q)) for q in data.draw(st.lists(quantities, max_size=3))]
        )
        for plate in data.draw(st.lists(st.sampled_from(FEW[1:]), min_size=2, max_size=3))
    ]
    kept = [limits_ahead(call, LIMITS) for call in calls]
    for call, told in zip(calls, kept, strict=True):
        for shelf in KEPT:
            shelf.cache_clear()
        assert limits_ahead(call, LIMITS) == told


def test_what_was_entered_since_leaves_what_is_judged_with_it_open() -> None:
    plate = Plate(volts=230, phase=1, compressors=[{"rla_a": 16.7, "lra_a": 97}], run_cap_uf=45)
    limits = limits_ahead(on_record(plate, []), LIMITS)
    entry: dict[str, JsonValue] = {"quantity": "run_cap_uf", "value": 44.0}
    assert side_of(limits, entry) == "pass"
    assert side_of(limits, entry, since=["can_label_uf"]) == "depends"
    assert side_of(limits, entry, since=["running_a"]) == "pass"


def test_shorted_to_ground_stops_and_says_so() -> None:
    limits = limits_ahead(on_record(None, []), LIMITS)
    assert side_of(limits, {"quantity": "to_ground", "value": True}) == "stop"
    assert side_of(limits, {"quantity": "to_ground", "value": False}) == "pass"
    band = next(v for limit in limits if limit.quantity == "to_ground" for v in limit.said if v.value is True)
    assert band.next_step
    assert band.rule


def test_bands_run_over_all_a_meter_can_show() -> None:
    plate = Plate(volts=230, phase=1, compressors=[{"rla_a": 16.7, "lra_a": 97}], run_cap_uf=45)
    for limit in limits_ahead(on_record(plate, []), LIMITS):
        note = QUANTITIES[limit.quantity]
        if note.kind in ("flag", "word"):
            assert not limit.bands
            continue
        assert limit.bands[-1].high == note.high
        assert [b.high for b in limit.bands] == sorted(b.high for b in limit.bands)
        assert all(b.rule for b in limit.bands if b.side in ("watch", "fail", "stop"))


def event(step: Step, at: datetime) -> list[SafetyEvent]:
    """What the server has on record once a step made without signal has arrived."""
    whole = make_safe_record("single_phase_two_leg", ["c_herm"])
    if step == "made_safe":
        return [SafetyEvent(kind="made_safe", at=at, record=whole)]
    if step == "made_safe_unsure":
        live = whole.model_copy(update={"largest_dead_v": 118.0})
        return [SafetyEvent(kind="made_safe", at=at, record=live)]
    if step in ("too_old", "may_stop"):
        return []
    return [SafetyEvent.model_validate({"kind": step, "at": at})]


def walk(table: AheadGates, steps: list[Step]) -> AheadState:
    at = 0
    for step in steps:
        at = table.states[at].on.get(step, at)
    return table.states[at]


@given(
    before=st.lists(st.sampled_from(["made_safe", "went_live", "caution_read", "lapsed"]), max_size=4),
    made=st.lists(st.sampled_from(STEPS), max_size=7),
)
@settings(max_examples=300)
def test_what_is_open_without_signal_is_open_on_arrival(before: list[Step], made: list[Step]) -> None:
    """Walked through in any order: never open here and shut there, while nobody else is on the call."""
    moment, events = NOW, [e for i, s in enumerate(before) for e in event(s, NOW + timedelta(minutes=i))]
    moment += timedelta(minutes=len(before))
    facts = replace(on_record(None, []), state=call_state(events, moment, LIMITS), events=events)
    table = gates_ahead(facts, [])
    for step in made:
        moment += timedelta(minutes=LIMITS.make_safe_minutes + 1 if step == "too_old" else 1)
        events = [*events, *event(step, moment)]
    grounded = NewReading(quantity="to_ground", value=True)
    stopped = [grounded] if "may_stop" in made else []
    after = replace(
        on_record(None, stopped),
        state=call_state(events, moment, LIMITS),
        events=[e.model_copy(update={"place": float(i)}) for i, e in enumerate(events)],
    )
    there = judge_call(after, LIMITS).gates
    state = walk(table, made)
    here = {name: table.gates[n] for name, n in zip(table.names, state.gates, strict=True)}
    for name, gate in here.items():
        if gate.ok:
            assert name in WAITS
            assert there[name].ok, (name, before, made)
        elif gate.with_reason:
            assert there[name].ok or there[name].with_reason, (name, before, made)
        else:
            assert gate.why
            assert gate.next_step
    proved = "made_safe" in made
    assert here["take_dead"].ok <= proved


@given(
    before=st.lists(st.sampled_from(["made_safe", "went_live", "caution_read", "lapsed"]), max_size=4),
    plate=plates(),
    grounded=st.booleans(),
)
@settings(max_examples=60)
def test_a_gate_that_waits_asks_for_the_state_and_the_stops_alone(
    before: list[Step], plate: Plate | None, grounded: bool
) -> None:
    """Tables are kept by these two: what else is on a call must change none of them."""
    events = [e for i, s in enumerate(before) for e in event(s, NOW + timedelta(minutes=i))]
    taken = [NewReading(quantity="to_ground", value=True)] if grounded else []
    whole = replace(on_record(plate, taken), state=call_state(events, NOW, LIMITS), events=events)
    stops = judge_call(whole, LIMITS).stops
    bare = CallFacts(plate=None, state=whole.state)
    there, here = gates_of(whole, stops), gates_of(bare, stops)
    assert {name: there[name] for name in WAITS} == {name: here[name] for name in WAITS}


def fits(record: MakeSafe) -> bool:
    body = record.model_dump(mode="json")
    return all(validator_for(part.fits).is_valid(body) for part in surely_dead(LIMITS))


RECORDS = from_schema(MakeSafe.model_json_schema())


@given(data=st.data())
@settings(max_examples=400, suppress_health_check=list(HealthCheck))
def test_a_record_that_fits_is_proved_by_the_judge(data: st.DataObject) -> None:
    """Whole records with some of their fields put otherwise: what fits all steps is proved, always."""
    sections = data.draw(st.sampled_from([["c_herm", "c_fan"], ["c_herm"], ["dc_bus"], ["start", "dc_bus"]]))
    supply = data.draw(st.sampled_from(list(PAIRS)))
    body = make_safe_record(supply, sections).model_dump(mode="json")
    other = data.draw(RECORDS)
    for field in data.draw(st.sets(st.sampled_from(list(body)), max_size=3)):
        if field in other:
            body[field] = other[field]
    if data.draw(st.booleans()):
        volts = data.draw(st.sampled_from([24.0, 112.0, 120.0, 208.0, 240.0, 277.0, 480.0, 333.0]))
        shown = five(volts * data.draw(st.floats(0.7, 1.3)))
        body["proof_after"] = {"source": "panel", "expected_v": volts, "reading_v": shown}
    try:
        record = MakeSafe.model_validate(body)
    except ValidationError:
        return
    status = judge_make_safe(record, LIMITS).status
    if fits(record):
        assert status == "proved", judge_make_safe(record, LIMITS).missing


@pytest.mark.parametrize("supply", PAIRS)
@pytest.mark.parametrize(
    "sections", [["c_herm", "c_fan"], ["c_herm", "start"], ["dc_bus"], ["c_fan", "dc_bus"]]
)
def test_a_whole_record_fits(supply: Any, sections: list[str]) -> None:
    record = make_safe_record(supply, sections)
    assert fits(record)
    short = record.model_copy(update={"dead_points": [], "largest_dead_v": 0.2})
    assert fits(short)
    assert judge_make_safe(short, LIMITS).status == "proved"


@pytest.mark.parametrize("part", surely_dead(LIMITS), ids=lambda p: p.code)
def test_each_step_left_out_is_named(part: Any) -> None:
    """An empty record lacks every step but those that want nothing of it."""
    empty = MakeSafe().model_dump(mode="json")
    assert not validator_for(part.fits).is_valid(empty)
    assert part.next_step


@given(ticks=st.fixed_dictionaries({field: st.booleans() for field in GOING_LIVE}))
def test_going_live_is_ready_where_every_tick_is_there(ticks: dict[str, bool]) -> None:
    left = [p.code for p in going_live() if not validator_for(p.fits).is_valid({"kind": "went_live"} | ticks)]
    assert left == [field.upper() for field in GOING_LIVE if not ticks[field]]


def test_a_closed_call_takes_nothing_along_to_enter() -> None:
    facts = on_record(None, [])
    assert ahead_of(judge_call(replace(facts, status="closed"), LIMITS)) is None
    open_ = ahead_of(judge_call(facts, LIMITS))
    assert open_ is not None
    assert "to_ground" in open_.stopping


GOLDEN = Path(__file__).resolve().parents[2] / "golden" / "ahead.json"


def test_the_screens_are_tried_with_what_the_core_says_now() -> None:
    """``GOLDEN=write pytest <this file>`` writes the cases again; the screens' own test reads them."""

    def facts_of(plate: Plate | None, state: CallState, events: list[SafetyEvent]) -> CallFacts:
        return replace(on_record(plate, []), state=state, events=events)

    told = json.dumps(cases(facts_of, NOW), ensure_ascii=False, separators=(",", ":")) + "\n"
    if os.environ.get("GOLDEN") == "write":
        GOLDEN.write_text(told, "utf-8")
    assert GOLDEN.read_text("utf-8") == told
