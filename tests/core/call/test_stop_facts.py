"""Facts that stop the work: the same stop through every door, and what each part makes of it."""

from dataclasses import replace
from typing import Any

import pytest

from orange_crank.core.aids import choose_aid
from orange_crank.core.call.aid import AidAsk, aid_entry
from orange_crank.core.call.judge import JudgedCall, judge_call
from orange_crank.core.call.next_step import next_step
from orange_crank.core.call.why import WhyOfCall
from orange_crank.core.call.why_record import SeenAt
from orange_crank.core.call.work import AsWired, WiringChecked
from orange_crank.core.diagnosis import DiagnoseIn, diagnose
from orange_crank.core.diagnosis.model import Evidence
from orange_crank.core.diagnosis.stop_facts import CODES, FACTS
from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.wiring import WiringIn, plan_wiring
from tests.core.call.test_ladder import NOON, PLATE, taken
from tests.core.call.test_states_and_stops import call, change, codes, ground, lift, test

# Fact: the code it raises, and values that show it and that do not.
SHOWN: dict[str, tuple[str, Any, Any]] = {
    "to_ground": ("GROUNDED", True, False),
    "shorted_piece": ("GROUNDED", "fan", "not_compressor"),
    "legs_shorted": ("LEGS_SHORTED", True, False),
    "contactor_look": ("WELDED_POLE", "welded", "burnt"),
    "fuse_open": ("FUSE_BLOWN", True, False),
    "start_kit_wired_right": ("MISWIRED", False, True),
    "phase_lost": ("PHASE_LOST", True, False),
    "suction_psig": ("VACUUM", -5.0, 118.0),
    "line_v_idle": ("OVERVOLTAGE", 290.0, 253.0),
    "line_v_run": ("OVERVOLTAGE", 480.0, 229.0),
    "line_at_unit_v": ("OVERVOLTAGE", 277.0, 240.0),
    "line_v_start": ("OVERVOLTAGE", 290.0, 215.0),
    "terminal_v_start": ("OVERVOLTAGE", 290.0, 210.0),
}


def evidence(quantity: str, value: Any, **more: Any) -> Evidence:
    return Evidence.model_validate({"quantity": quantity, "value": value} | more)


def seen(quantity: str, value: Any, place: float = 1.0, **more: Any) -> SeenAt:
    return SeenAt(evidence(quantity, value, **more), place, NOON, "Marlo")


def reading(number: int, quantity: str, value: Any) -> Any:
    live = QUANTITIES[quantity].work == "live"  # type: ignore[index]
    why = {} if live else {"without_make_safe": "bench"}
    return taken(number, number, {"quantity": quantity, "value": value} | why)


def test_every_fact_of_the_table_is_tried_here() -> None:
    assert set(FACTS) - {"running_a"} == set(SHOWN)
    assert set(CODES) == {code for code, _, _ in SHOWN.values()} | {"OPEN_NEUTRAL"}


@pytest.mark.parametrize("quantity", SHOWN)
def test_a_fact_stops_through_every_door_and_its_opposite_does_not(quantity: str) -> None:
    code, bad, good = SHOWN[quantity]
    assert [code] == codes(call(seen=[seen(quantity, bad)]))
    assert [] == codes(call(seen=[seen(quantity, good)]))
    if quantity in QUANTITIES:
        stopped = call(readings=[reading(1, quantity, bad)])
        assert [code] == codes(stopped)
        assert "reading-1" == stopped.stops[0].key
        assert [] == codes(call(readings=[reading(1, quantity, good)]))
    without_call = diagnose(DiagnoseIn(plate=PLATE, readings=[evidence(quantity, bad)]))
    assert without_call.stop is not None
    assert code == without_call.stop.code
    assert diagnose(DiagnoseIn(plate=PLATE, readings=[evidence(quantity, good)])).stop is None


@pytest.mark.parametrize("quantity", SHOWN)
def test_under_a_stop_nothing_live_is_offered_anywhere(quantity: str) -> None:
    code, bad, _ = SHOWN[quantity]
    stopped = call(seen=[seen(quantity, bad)])
    assert not stopped.gates["go_live"].ok
    assert not stopped.gates["take_live"].ok
    step = next_step(stopped)
    assert step is not None
    assert step.danger != "live"
    begun = next_step(replace_state(stopped))
    assert begun is not None
    assert stopped.stops[0].next_step in begun.text, "Next names what clears it"
    result = WhyOfCall(stopped).result
    assert result.stop is not None
    assert code == result.stop.code
    assert [] == [t.test for t in result.next_tests if t.danger == "live" or t.powered]
    aids = choose_aid(aid_entry(stopped, AidAsk(), None))
    assert [] == [r.aid for r in aids.ranked if r.fits and r.aid != "none"]
    if aids.ranked:
        assert "STOP_FIRST" == aids.findings[0].code


def replace_state(judged: JudgedCall) -> JudgedCall:
    """Return the same call with something measured, so that Next does not begin with Make safe."""
    more = [*judged.facts.readings, reading(90, "coil_ohm", 12.0)]
    return judge_call(replace(judged.facts, readings=more))


def test_two_legs_far_apart_at_rest_stop_without_a_start() -> None:
    legs = [seen("leg_a_n_v", 160.0, 1.0, state="idle"), seen("leg_b_n_v", 80.0, 2.0, state="idle")]
    stopped = call(seen=legs)
    assert ["OPEN_NEUTRAL"] == codes(stopped)
    assert "80 V apart" in stopped.stops[0].text
    assert ["OPEN_NEUTRAL"] == codes(call(seen=legs[::-1]))
    assert [] == codes(call(seen=legs[:1])), "one leg alone says nothing"
    near = [seen("leg_a_n_v", 124.0, 1.0, state="idle"), seen("leg_b_n_v", 116.0, 2.0, state="idle")]
    assert [] == codes(call(seen=near))
    only_idle = test(3, 1, "legs", {"leg_a_idle_v": 160, "leg_b_idle_v": 80})
    assert ["OPEN_NEUTRAL"] == codes(call(tests=[only_idle]))
    hands = [t for t in WhyOfCall(stopped).result.next_tests if t.danger != "none"]
    assert [] == hands, "under an open neutral hands stay out"
    nothing_wrong = DiagnoseIn(
        plate=PLATE,
        symptoms=["upgrade_only"],
        readings=[evidence("leg_a_n_v", 160.0, state="idle"), evidence("leg_b_n_v", 80.0, state="idle")],
    )
    assert "healthy" != diagnose(nothing_wrong).ranked[0].hypothesis


def test_a_new_fuse_is_no_answer_to_why_the_old_one_blew() -> None:
    blown = reading(1, "fuse_open", True)
    fuse = change(2, "New fuse").model_copy(update={"part": "fuse"})
    assert ["FUSE_BLOWN"] == codes(call(readings=[blown], changes=[fuse]))
    assert not call(readings=[blown]).stops[0].may_lift
    cleared = call(readings=[blown, ground(2, 3, False)])
    assert [] == codes(cleared)
    assert "to ground clear, Marlo" == cleared.found_stops.settled["reading-1"]
    assert ["GROUNDED", "FUSE_BLOWN"] == codes(call(readings=[blown, ground(2, 3, True)]))
    assert ["FUSE_BLOWN"] == codes(call(seen=[seen("fuse_open", True)]))


def test_a_new_contactor_ends_the_stop_of_the_welded_one() -> None:
    welded = reading(1, "contactor_look", "welded")
    new = change(2, "New contactor").model_copy(update={"part": "contactor"})
    assert ["WELDED_POLE"] == codes(call(readings=[welded]))
    assert [] == codes(call(readings=[welded], changes=[new]))


def test_what_was_told_is_lifted_with_the_way_it_was_put_right() -> None:
    told = seen("legs_shorted", True)
    stop = call(seen=[told]).stops[0]
    assert ("seen-LEGS_SHORTED-1", True) == (stop.key, stop.may_lift)
    assert [] == codes(call(seen=[told], lifts=[lift(stop.key, 3)]))


def test_volts_beside_running_amps_count_as_line_volts() -> None:
    entry = {"quantity": "running_a", "value": 9.0, "conductor": "common", "volts": 290.0}
    assert ["OVERVOLTAGE"] == codes(call(readings=[taken(1, 1, entry)]))
    assert "290" in call(readings=[taken(1, 1, entry)]).stops[0].text


def checked(place: float, ok: bool, work: str = "aid") -> WiringChecked:
    nets = plan_wiring(WiringIn(kind="three_wire_kit")).after
    made = AsWired.model_validate(
        {
            "work": work,
            "wiring": {"kind": "three_wire_kit", "nets": nets},
            "ok": ok,
            "faults": [] if ok else ["C and FAN are swapped."],
        }
    )
    return WiringChecked(made, place, NOON, "Marlo")


def test_wiring_that_was_checked_wrong_stops_until_it_is_checked_right() -> None:
    wrong = call(wired=[checked(1.0, False)])
    assert ["MISWIRED"] == codes(wrong)
    assert "C and FAN are swapped." in wrong.stops[0].text
    assert not wrong.gates["go_live"].ok
    assert [] == codes(call(wired=[checked(1.0, False), checked(2.0, True)]))
    assert ["wired-2"] == [s.key for s in call(wired=[checked(1.0, False), checked(2.0, False)]).stops]
    other = call(wired=[checked(1.0, False), checked(2.0, True, "capacitor")])
    assert ["MISWIRED"] == codes(other), "another work's check says nothing of it"
    assert [] == codes(call(wired=[checked(1.0, False)], lifts=[lift("wired-1", 3)]))
