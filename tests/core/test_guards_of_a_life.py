"""Rules that guard a life, each by what a slip in it would do; no snapshot stands in for them."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
import pytest
from jsonschema_rs import validator_for

from orange_crank.core.call.ahead.gates import AheadGates, Step, gates_ahead
from orange_crank.core.call.ahead.make_safe import surely_dead
from orange_crank.core.call.before_after import before_and_after
from orange_crank.core.call.changes import Change
from orange_crank.core.call.evidence_of_record import OF_TEST
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.gates import fit_gate, require
from orange_crank.core.call.judge import judge_call
from orange_crank.core.call.rungs.prove import prove_rung
from orange_crank.core.call.work import WorkPlan, moves_left
from orange_crank.core.diagnosis.engine import weigh
from orange_crank.core.diagnosis.guard import judge_condemnation
from orange_crank.core.diagnosis.model import DiagnoseIn
from orange_crank.core.errors import GateClosed
from orange_crank.core.measure.isolation import Isolation, isolate
from orange_crank.core.measure.reading import NewReading
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.motor.fit import StartPlate, fit_machine
from orange_crank.core.motor.relay import MEASURED_CEILING, relay_window
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import PAIRS, MakeSafe, SupplyKind, judge_make_safe
from orange_crank.core.safety.state import SafetyEvent, call_state
from orange_crank.core.tables.standards import shipped_standards
from orange_crank.demo.player import make_safe_record
from tests.core.diagnosis.test_patterns import GOOD_CAP, LOCKED, SOUND, SPLIT, case, r

NOON = datetime(2026, 6, 1, 12, tzinfo=UTC)
LIMITS = shipped_standards()
DUAL = Plate(volts=230, phase=1, compressors=[{"rla_a": 17.9, "lra_a": 112}], run_cap_uf=45, fan_cap_uf=5)
INVERTER = Plate(volts=230, phase=1, compressors=[{"rla_a": 9.5}], inverter=True)
THREE = Plate(volts=460, phase=3, compressors=[{"rla_a": 11.2, "lra_a": 75}])
SMALL = Plate(volts=115, phase=1, compressors=[{"rla_a": 5.2, "lra_a": 26}])


def record(supply: SupplyKind, sections: list[str], **more: Any) -> MakeSafe:
    return make_safe_record(supply, sections).model_copy(update=more)


NO_CAPS = {"has_capacitors": False, "sections_present": [], "capacitors": []}
LESS: list[tuple[str, Plate, MakeSafe, str]] = [
    ("no DC bus on an inverter", INVERTER, record("single_phase_two_leg", ["c_herm"], **NO_CAPS), "DC bus"),
    ("no capacitor, plate shows two", DUAL, record("single_phase_two_leg", ["c_herm"], **NO_CAPS), "C–FAN"),
    ("one section of two", DUAL, record("single_phase_two_leg", ["c_herm"]), "C–FAN"),
    ("one leg of three phases", THREE, record("single_phase_one_leg", ["c_herm"]), "six three-phase"),
    ("two legs of three phases", THREE, record("single_phase_two_leg", ["c_herm"]), "six three-phase"),
    ("one leg of two", DUAL, record("single_phase_one_leg", ["c_herm", "c_fan"]), "both legs"),
]


@pytest.mark.parametrize(("words", "plate", "taken", "named"), LESS, ids=[c[0] for c in LESS])
def test_less_than_the_nameplate_shows_proves_nothing_until_a_reason_is_typed(
    words: str, plate: Plate, taken: MakeSafe, named: str
) -> None:
    """By the judge, the state of the call and the phone alike."""
    del words
    assert "proved" == judge_make_safe(taken, LIMITS).status, "the record alone looks whole"
    judged = judge_make_safe(taken, LIMITS, plate)
    assert ("incomplete", "unknown") == (judged.status, judged.verdict)
    assert any(named in step for step in judged.missing)
    event = SafetyEvent(kind="made_safe", at=NOON, record=taken)
    assert "as_found" == call_state([event], NOON, LIMITS, plate=plate).state
    assert not sure(taken, plate)
    reasoned = taken.model_copy(update={"less_reason": "nameplate of another unit"})
    found = judge_make_safe(reasoned, LIMITS, plate)
    assert ("proved", "watch") == (found.status, found.verdict)
    assert "nameplate of another unit" in found.findings[-1].text
    assert sure(reasoned, plate)
    state = call_state([event.model_copy(update={"record": reasoned})], NOON, LIMITS, plate=plate)
    assert "dead_proved" == state.state


@pytest.mark.parametrize(
    ("plate", "supply", "sections"),
    [
        (DUAL, "single_phase_two_leg", ["c_herm", "c_fan", "start"]),
        (DUAL, "three_phase", ["c_herm", "c_fan"]),
        (SMALL, "single_phase_two_leg", ["start"]),
        (INVERTER, "single_phase_two_leg", ["c_herm", "dc_bus"]),
        (THREE, "three_phase", ["c_herm"]),
    ],
)
def test_as_much_as_the_nameplate_shows_or_more_is_never_wrong(
    plate: Plate, supply: SupplyKind, sections: list[str]
) -> None:
    taken = record(supply, sections)
    assert "proved" == judge_make_safe(taken, LIMITS, plate).status
    assert sure(taken, plate)


def test_a_nameplate_read_after_the_proof_takes_it_back() -> None:
    event = SafetyEvent(kind="made_safe", at=NOON, record=record("single_phase_two_leg", ["c_herm"]))
    assert "dead_proved" == call_state([event], NOON, LIMITS).state
    assert "as_found" == call_state([event], NOON, LIMITS, plate=DUAL).state


def sure(taken: MakeSafe, plate: Plate | None = None) -> bool:
    body = taken.model_dump(mode="json")
    return all(validator_for(part.fits).is_valid(body) for part in surely_dead(LIMITS, plate))


@pytest.mark.parametrize("supply", PAIRS)
@pytest.mark.parametrize("others", [[], ["crankcase heater"], ["backup source", "second disconnect"]])
def test_without_signal_each_source_needs_its_lock(supply: SupplyKind, others: list[str]) -> None:
    """A unit with one source and no lock at all is never surely dead."""
    lock = {"device": "Disconnect", "locked": True, "tagged": True, "key_holder": "Marlo"}
    body = make_safe_record(supply, ["c_herm"]).model_dump(mode="json") | {"other_sources": others}
    for count in range(len(others) + 3):
        taken = MakeSafe.model_validate(body | {"opened": [lock] * count})
        proved = judge_make_safe(taken, LIMITS).status == "proved"
        assert sure(taken) == proved == (count > len(others)), count
    loose = MakeSafe.model_validate(body | {"opened": [lock | {"locked": False}] * 4})
    assert not sure(loose)


def walk(table: AheadGates, *steps: Step) -> dict[str, bool]:
    at = 0
    for step in steps:
        at = table.states[at].on.get(step, at)
    state = table.states[at]
    return {name: table.gates[n].ok for name, n in zip(table.names, state.gates, strict=True)}


def test_without_signal_a_proof_grows_old_and_control_live_stays_shut_to_live_work() -> None:
    table = gates_ahead(CallFacts(plate=None, state=call_state([], NOON)), [])
    assert walk(table, "made_safe")["take_dead"]
    assert not walk(table, "made_safe", "too_old")["take_dead"]
    assert not walk(table, "made_safe", "went_live")["take_dead"]
    assert not walk(table, "caution_read", "made_safe", "control_live")["take_live"]
    assert walk(table, "caution_read", "made_safe", "control_live")["take_control"]
    assert not walk(table, "caution_read", "made_safe", "too_old")["take_live"]
    assert walk(table, "caution_read")["take_live"]
    assert not walk(table, "caution_read", "may_stop")["take_live"]


def reading(number: int, quantity: str, value: Any, **more: Any) -> TakenReading:
    entry = NewReading.model_validate({"quantity": quantity, "value": value} | more)
    return TakenReading(id=number, entry=entry, taken_at=NOON, person="Ines", place=float(number))


def facts(*readings: TakenReading, **more: Any) -> CallFacts:
    plate = more.pop("plate", DUAL)
    return CallFacts(plate=plate, state=call_state([], NOON), readings=list(readings), **more)


def test_a_clear_reading_from_before_the_short_lets_no_words_lift_it() -> None:
    short = judge_call(facts(reading(1, "to_ground", False), reading(2, "to_ground", True)))
    assert [("GROUNDED", False)] == [(s.code, s.may_lift) for s in short.stops]
    after = judge_call(facts(reading(1, "to_ground", True), reading(2, "to_ground", False)))
    assert [("GROUNDED", True)] == [(s.code, s.may_lift) for s in after.stops]


def test_volts_a_meter_sees_stop_the_work_and_end_the_proof() -> None:
    safe = SafetyEvent(kind="made_safe", at=NOON, record=record("single_phase_two_leg", ["c_herm", "c_fan"]))
    seen = SafetyEvent(kind="volts_seen", at=NOON, detail="118 V at the line side", place=2.0)
    assert "lapsed" == call_state([safe, seen], NOON).state
    standing = CallFacts(plate=DUAL, state=call_state([safe, seen], NOON), events=[safe, seen])
    assert ["STOP_LIVE"] == [s.code for s in judge_call(standing).stops]
    again = safe.model_copy(update={"place": 3.0})
    proved = CallFacts(plate=DUAL, state=call_state([safe, seen, again], NOON), events=[safe, seen, again])
    assert [] == judge_call(proved).stops
    early = CallFacts(plate=DUAL, state=call_state([seen], NOON), events=[safe, seen])
    assert ["STOP_LIVE"] == [s.code for s in judge_call(early).stops], "a proof from before lifts nothing"


def test_a_turn_short_condemns_only_against_an_earlier_value() -> None:
    """With everything else proved: without a reference its ohms prove nothing."""
    proofs = [x for x in LOCKED if not x["quantity"].startswith("winding_")]
    low = [r("winding_cs_ohm", 1.6), r("winding_cr_ohm", 0.44), r("winding_sr_ohm", 2.04)]
    past = [{"quantity": x["quantity"], "value": x["value"], "days_ago": 400.0} for x in SOUND]
    for history in ({"readings": past}, None):
        entry = DiagnoseIn.model_validate(
            {"plate": SPLIT, "symptoms": ["hums_no_start"], "readings": [*proofs, *low], "history": history}
        )
        weighed = weigh(entry, LIMITS)
        only = np.array([float(state == ("turn_short",)) for state in weighed.states])
        found = judge_condemnation(entry, replace(weighed, p=only), LIMITS)
        assert found.allowed == (history is not None)
        assert ("REFERENCE" in [m.code for m in found.missing]) == (history is None)


@pytest.mark.parametrize(("shell", "allowed"), [(False, True), (True, False), (None, False)])
def test_a_grounded_compressor_is_condemned_cold_alone(shell: bool | None, allowed: bool) -> None:
    hot = [] if shell is None else [r("shell_hot", shell)]
    out = case(
        ["trips_at_once"],
        GOOD_CAP,
        r("to_ground", True, where="terminals"),
        r("shorted_piece", "compressor"),
        *hot,
    )
    assert "winding_grounded" == out.ranked[0].hypothesis
    assert allowed == out.condemn.allowed
    assert ("COLD" in [m.code for m in out.condemn.missing]) == (not allowed)


@pytest.mark.parametrize(
    ("pins", "clear"),
    [
        ({"terminal_c": False}, False),
        ({"terminal_c": False, "terminal_s": False}, False),
        ({"terminal_c": False, "terminal_s": False, "terminal_r": False}, True),
    ],
)
def test_one_clear_pin_clears_no_compressor(pins: dict[str, bool], clear: bool) -> None:
    result = isolate(Isolation.model_validate({"whole": True} | pins))
    assert clear == ("compressor" not in result.untested)
    assert any(f.stops for f in result.findings)


def start(number: int, amps: float, **more: Any) -> TakenReading:
    own = {"mode": "inrush", "conductor": "common", "volts": 230.0, "rest_min": 10.0, "outdoor_f": 90.0}
    return reading(number, "inrush_a", amps, **(own | more))


@pytest.mark.parametrize(
    ("after", "verdict"), [(60.0, "pass"), (90.0, "pass"), (91.0, "watch"), (140.0, "watch")]
)
def test_a_start_that_got_worse_proves_nothing(after: float, verdict: str) -> None:
    change = Change(id=1, what="Hard-start kit", part="start_kit", made_at=NOON, person="Ines", place=2.0)
    call = judge_call(facts(start(1, 90.0), start(3, after), changes=[change]))
    assert before_and_after(call.facts, LIMITS) is not None
    assert verdict == prove_rung(call).verdict


def test_leg_volts_keep_idle_and_start_apart_on_their_way_to_the_diagnosis() -> None:
    raw = {"leg_a_idle_v": 121.0, "leg_b_idle_v": 119.0, "leg_a_start_v": 96.0, "leg_b_start_v": 142.0}
    found = {(e.quantity, e.state): e.value for e in OF_TEST["legs"](raw, LIMITS)}
    assert {
        ("leg_a_n_v", "idle"): 121.0,
        ("leg_b_n_v", "idle"): 119.0,
        ("leg_a_n_v", "starting"): 96.0,
        ("leg_b_n_v", "starting"): 142.0,
    } == found


def test_a_measured_voltage_caps_the_pickup_of_a_relay() -> None:
    """A relay that never opens burns the start capacitor: the meter's ceiling outranks the model."""
    machine, fit = fit_machine(StartPlate.model_validate(SPLIT))
    free = relay_window(machine, 230.0, fit.run_cap_uf, 136.5)
    for measured in (200.0, 250.0, 300.0):
        assert MEASURED_CEILING * measured < free.reached_v
        capped = relay_window(machine, 230.0, fit.run_cap_uf, 136.5, measured_v=measured)
        assert MEASURED_CEILING * measured == pytest.approx(capped.reached_v)


def test_a_part_is_recorded_as_fitted_once_every_move_of_its_plan_is_ticked() -> None:
    plan = WorkPlan.model_validate(
        {
            "work": "contactor",
            "title": "Contactor swap",
            "part": "C-30",
            "wiring": {"kind": "contactor_two_pole"},
        }
    )
    count = moves_left(plan)
    assert count > 2
    none = facts()
    with pytest.raises(GateClosed) as refused:
        require(fit_gate(none, "contactor"))
    assert "tick each move" in (refused.value.next_step or "")
    for ticked in ([], list(range(count - 1))):
        gate = fit_gate(facts(plans={"contactor": plan.model_copy(update={"ticked": ticked})}), "contactor")
        assert not gate.ok
        assert str(count - len(ticked)) in (gate.why or "")
    done = facts(plans={"contactor": plan.model_copy(update={"ticked": list(range(count))})})
    assert fit_gate(done, "contactor", "C-30").ok
    assert not fit_gate(done, "contactor", "another part").ok
    assert not fit_gate(done, "aid").ok
    dropped = plan.model_copy(update={"ticked": list(range(count)), "dropped": True})
    assert not fit_gate(facts(plans={"contactor": dropped}), "contactor").ok
    assert not fit_gate(facts(plans=done.plans, status="closed"), "contactor").ok


def test_a_call_goes_live_only_after_its_caution_and_never_past_a_stop() -> None:
    safe = SafetyEvent(kind="made_safe", at=NOON, record=record("single_phase_two_leg", ["c_herm", "c_fan"]))
    read = SafetyEvent(kind="caution_read", at=NOON)
    for events, opens in (([safe], False), ([safe, read], True)):
        state = call_state(events, NOON + timedelta(minutes=1), plate=DUAL)
        call = judge_call(CallFacts(plate=DUAL, state=state, events=events))
        assert opens == call.gates["go_live"].ok
    stopped = judge_call(
        CallFacts(
            plate=DUAL,
            state=call_state([safe, read], NOON, plate=DUAL),
            events=[safe, read],
            readings=[reading(1, "to_ground", True)],
        )
    )
    gate = stopped.gates["go_live"]
    assert (False, "GROUNDED") == (gate.ok, gate.stop)
