"""A call laid out as a ladder from what is on its record."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from orange_crank.core.call.changes import Change
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.ladder import build_ladder
from orange_crank.core.call.rungs.rung import Rung
from orange_crank.core.call.visits import EarlierReading, Visit
from orange_crank.core.measure.reading import NewReading
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.plate import Compressor, Motor, Plate
from orange_crank.core.safety.state import SafetyEvent, call_state

NOON = datetime(2026, 7, 1, 12, tzinfo=UTC)
PLATE = Plate(volts=230, phase=1, compressors=[Compressor(rla_a=16.7, lra_a=97)], motors=[Motor(fla_a=1.4)])


def start(number: int, minute: int, amps: float, **more: Any) -> TakenReading:
    entry = {
        "quantity": "inrush_a",
        "value": amps,
        "mode": "inrush",
        "conductor": "common",
        "volts": 228,
        "rest_min": 10,
        **more,
    }
    return taken(number, minute, entry)


def taken(number: int, minute: int, entry: dict[str, Any]) -> TakenReading:
    return TakenReading(
        id=number,
        entry=NewReading.model_validate(entry),
        taken_at=NOON + timedelta(minutes=minute),
        person="Marlo",
        place=float(minute),
    )


def change(number: int, minute: int, what: str) -> Change:
    return Change(
        id=number, what=what, made_at=NOON + timedelta(minutes=minute), person="Marlo", place=float(minute)
    )


def facts(
    readings: list[TakenReading] | None = None,
    changes: list[Change] | None = None,
    plate: Plate | None = PLATE,
    caution: bool = True,
) -> CallFacts:
    events = [SafetyEvent(kind="caution_read", at=NOON)] if caution else []
    return CallFacts(
        plate=plate,
        state=call_state(events, NOON),
        make_safe=None,
        readings=readings or [],
        changes=changes or [],
    )


def rung(of: CallFacts, key: str) -> Rung:
    return next(r for r in build_ladder(of).rungs if r.key == key)


def test_ten_rungs_stand_in_working_order() -> None:
    rungs = build_ladder(facts()).rungs
    assert [r.number for r in rungs] == list(range(1, 11))
    assert ["make_safe", "plate", "dead_tests", "live_tests"] == [r.key for r in rungs[:4]]


def test_without_a_plate_a_reading_is_kept_and_its_verdict_waits() -> None:
    ladder = build_ladder(facts([start(1, 0, 80)], plate=None))
    assert "no_plate" == ladder.readings[0].code
    assert next(r for r in ladder.rungs if r.key == "plate").status == "ready"


def test_live_tests_are_blocked_until_the_caution_is_read() -> None:
    blocked = rung(facts(caution=False), "live_tests")
    assert "blocked" == blocked.status
    assert "Read the live-work caution." == blocked.next_step


def test_live_tests_are_energized_by_running_amps_and_inrush() -> None:
    running = taken(2, 5, {"quantity": "running_a", "value": 15.2, "volts": 235})
    assert "ready" == rung(facts([start(1, 0, 70)]), "live_tests").status
    done = rung(facts([start(1, 0, 70), running]), "live_tests")
    assert ("energized", "pass") == (done.status, done.verdict)


def test_before_is_the_last_start_ahead_of_the_first_change_and_after_the_last_behind_the_last() -> None:
    of = facts(
        [start(1, 0, 95), start(2, 5, 90), start(3, 15, 80), start(4, 25, 70), start(5, 30, 63)],
        [change(1, 10, "start kit"), change(2, 20, "run capacitor")],
    )
    pair = build_ladder(of).before_after
    assert pair is not None
    assert (2, 5) == (pair.before_id, pair.after_id)
    assert ["start kit", "run capacitor"] == pair.changes
    assert pair.result.credit is None


@pytest.mark.parametrize(
    ("readings", "changes", "status", "step"),
    [
        ([], [], "blocked", "Measure a start before"),
        ([start(1, 0, 90)], [], "ready", "Write down what was changed."),
        ([start(1, 0, 90)], [change(1, 5, "kit")], "ready", "Measure the start again"),
        ([start(1, 0, 90), start(2, 10, 66)], [change(1, 5, "kit")], "energized", None),
        (
            [start(1, 0, 90), start(2, 10, 66, mode="peak")],
            [change(1, 5, "kit")],
            "ready",
            "Meter modes differ",
        ),
    ],
)
def test_prove_says_what_it_still_needs(
    readings: list[TakenReading], changes: list[Change], status: str, step: str | None
) -> None:
    found = rung(facts(readings, changes), "prove")
    assert status == found.status
    assert (step or "") in (found.next_step or "")


def test_an_after_that_stalls_does_not_pass() -> None:
    of = facts([start(1, 0, 90), start(2, 10, 66, outcome="stalled")], [change(1, 5, "kit")])
    assert "fail" == rung(of, "prove").verdict


def test_an_inverter_needs_no_inrush() -> None:
    plate = Plate(volts=230, phase=1, compressors=[Compressor(rla_a=12.6)], inverter=True)
    running = taken(1, 0, {"quantity": "running_a", "value": 8})
    assert rung(facts([running], plate=plate), "live_tests").status == "energized"


def dead(readings: dict[str, Any], plate: Plate | None = PLATE, **more: Any) -> Rung:
    listed = [taken(i + 1, i, {"quantity": q, "value": v}) for i, (q, v) in enumerate(readings.items())]
    of = replace(facts(listed, plate=plate), **more)
    return rung(of, "dead_tests")


CAPACITOR_PLATE = PLATE.model_copy(update={"run_cap_uf": 45.0})
SOUND = {"winding_cs_ohm": 3.1, "winding_cr_ohm": 0.9, "winding_sr_ohm": 4.0}


@pytest.mark.parametrize(
    ("readings", "status", "verdict", "words"),
    [
        ({}, "blocked", "unknown", "Nothing measured yet"),
        ({"to_ground": False, **SOUND, "run_cap_uf": 44.2}, "energized", "pass", "Windings sound"),
        ({"to_ground": False, **SOUND, "run_cap_uf": 38.9}, "energized", "fail", "45 µF → 38.9, out"),
        ({"to_ground": True, **SOUND}, "blocked", "fail", "shorted to ground"),
        ({**SOUND, "winding_cs_ohm": "open", "winding_sr_ohm": "open"}, "blocked", "fail", "start open"),
        ({"winding_cs_ohm": 3.1}, "blocked", "unknown", "a pair is missing"),
        ({"contactor_look": "welded"}, "blocked", "fail", "Contactor out"),
        ({"fuse_open": True}, "blocked", "fail", "Fuse open"),
    ],
)
def test_dead_tests_are_gathered_from_single_readings(
    readings: dict[str, Any], status: str, verdict: str, words: str
) -> None:
    found = dead(readings, CAPACITOR_PLATE)
    assert (status, verdict) == (found.status, found.verdict)
    assert words in found.load


COMPRESSOR = {"part": "compressor"}


def last_visit(cs_ohm: float) -> Visit:
    reading = EarlierReading("winding_cs_ohm", cs_ohm, NOON - timedelta(days=300), place=3.0)
    return Visit(1, readings=[reading])


def test_windings_are_held_against_the_last_visit() -> None:
    assert "turns shorted" in dead(SOUND, visits=[last_visit(3.9)]).load
    assert "Windings sound" in dead(SOUND, visits=[last_visit(3.2)]).load


def test_a_new_compressor_is_not_held_against_the_old_ones_windings() -> None:
    replaced = replace(last_visit(3.9), changes=[change(1, 9, "Compressor").model_copy(update=COMPRESSOR)])
    assert "Windings sound" in dead(SOUND, visits=[replaced]).load
