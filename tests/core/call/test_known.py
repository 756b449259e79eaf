"""What the record of a call already says is not asked: S–C, rest, a bad kit."""

import math
from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.aids import choose_aid
from orange_crank.core.call.aid import AidAsk, aid_entry
from orange_crank.core.call.before_after import rest_before, side_of
from orange_crank.core.call.changes import TAKEN_OFF, Change
from orange_crank.core.call.evidence_of_record import evidence_of_test
from orange_crank.core.call.old_kit import bad_old_kit
from orange_crank.core.motor.relay import start_winding_volts
from orange_crank.core.safety.state import SafetyEvent
from orange_crank.core.tables.standards import shipped_standards
from tests.core.call.test_ladder import NOON, taken
from tests.core.call.test_states_and_stops import call, test

START_KIT = Change(id=9, what="Start kit KT-130", part="start_kit", made_at=NOON, person="Marlo", place=4.0)
INRUSH: dict[str, Any] = {"quantity": "inrush_a", "value": 104.0, "mode": "inrush", "conductor": "common"}


def test_s_c_follows_from_the_start_lead_and_names_its_figures() -> None:
    """No probe near live terminals: 7.4 A through 45 µF on 230 V is 436 V across it, so 370 V S–C."""
    readings = [
        taken(1, 1, {"quantity": "run_cap_uf", "value": 45.0, "without_make_safe": "bench"}),
        taken(2, 2, {"quantity": "start_a", "value": 7.4}),
        taken(3, 3, {"quantity": "line_v_run", "value": 230.0}),
    ]
    entry = aid_entry(call(readings=readings), AidAsk(), None)
    assert entry.running_s_c_v == pytest.approx(math.sqrt((7.4 * 2652.6 / 45) ** 2 - 230**2), rel=1e-3)
    out = choose_aid(entry)
    assert "S_C_FROM_AMPS" in {f.code for f in out.findings}
    relay = next(r for r in out.ranked if r.aid == "relay_three_wire").relay
    assert relay is not None
    assert relay.window.measured
    typed = aid_entry(call(readings=readings), AidAsk(running_s_c_v=341.0), None)
    assert (typed.running_s_c_v, typed.running_s_c_from) == (341.0, "")
    with_kit = call(readings=readings, changes=[START_KIT])
    assert aid_entry(with_kit, AidAsk(), None).running_s_c_v is None


@given(st.floats(0.5, 20.0), st.floats(5.0, 100.0), st.floats(100.0, 260.0))
def test_s_c_from_amps_is_never_imaginary_and_grows_with_amps(amps: float, uf: float, volts: float) -> None:
    one, more = (start_winding_volts(a, uf, volts) for a in (amps, 1.2 * amps))
    assert one is None or (more is not None and more > one > 0)


def test_far_too_many_volts_beside_a_start_stop_the_work() -> None:
    stopped = call(readings=[taken(2, 2, INRUSH | {"value": 85.0, "volts": 290.0})])
    assert [s.code for s in stopped.stops] == ["OVERVOLTAGE"]
    assert not call(readings=[taken(2, 2, INRUSH | {"value": 85.0, "volts": 214.0})]).stops


def test_rest_before_a_start_is_the_time_since_it_was_proved_dead() -> None:
    """Proved dead at minute 3, started at minute 28: 25 minutes. A start in between leaves it unknown."""
    start = replace(taken(5, 5, INRUSH | {"volts": 214.0}), taken_at=NOON + timedelta(minutes=28))
    dead = SafetyEvent(kind="made_safe", at=NOON + timedelta(minutes=3), place=3.0)
    assert rest_before(call(readings=[start], events=[dead]).facts, start) == 25.0
    assert rest_before(call(readings=[start]).facts, start) is None
    ran = taken(4, 4, {"quantity": "running_a", "value": 14.0})
    assert rest_before(call(readings=[ran, start], events=[dead]).facts, start) is None
    ahead = dead.model_copy(update={"at": NOON + timedelta(minutes=60)})
    assert rest_before(call(readings=[start], events=[ahead]).facts, start) is None
    assert side_of(start, rest_min=25.0).rest_min == 25.0


def test_an_imbalance_of_amps_counts_as_the_volts_behind_it() -> None:
    """Ten per cent of amps follows from about two of volts: nine of amps are no phase fault."""
    says = {
        kind: next(
            e.number
            for e in evidence_of_test(test(1, 1, "imbalance", entry), shipped_standards())
            if e.number is not None
        )
        for kind, entry in (
            ("amps", {"amps": [10.0, 10.0, 11.5]}),
            ("volts", {"volts": [208.0, 208.0, 190.0]}),
        )
    }
    assert says["amps"] == pytest.approx(9.5 / 5, abs=0.2)
    assert says["volts"] == pytest.approx(5.9, abs=0.2)


def test_a_kit_that_tested_bad_and_is_still_on_is_what_the_plan_takes_off() -> None:
    bad = test(1, 1, "start-kit", {"kind": "potential_relay", "contact_ohm": 900.0, "coil_ohm": 6000.0})
    ptc = test(1, 1, "start-kit", {"kind": "ptc", "ptc_ohm": 0.4})
    limits = shipped_standards()
    assert bad_old_kit(call(tests=[bad]).facts, limits) == "three_wire"
    assert bad_old_kit(call(tests=[ptc]).facts, limits) == "two_wire"
    off = START_KIT.model_copy(update={"what": f"{TAKEN_OFF}start kit"})
    assert bad_old_kit(call(tests=[bad], changes=[off]).facts, limits) is None
    assert bad_old_kit(call().facts, limits) is None
