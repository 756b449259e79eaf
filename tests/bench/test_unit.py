"""The unit that is not there behaves as one that is: starts, stalls, rests, trips; the meter has traps."""

import math
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, precondition, rule

from orange_crank.bench.meter import AMP_PLACES, MODES, VOLT_PLACES, Meter
from orange_crank.bench.registers import (
    CONTROLS,
    INPUTS,
    PLACES,
    SLOTS,
    VALUES_FROM,
    analyzer_registers,
    control_registers,
    float_words,
    input_registers,
    write_controls,
)
from orange_crank.bench.scenarios import PLATES, make_case
from orange_crank.bench.unit import Setup, SimulatedUnit, setup_of
from orange_crank.core.plate import Plate

PLATE = Plate.model_validate(PLATES[0])
LRA, RLA = 112.0, 17.9


def unit(**more: Any) -> SimulatedUnit:
    made: dict[str, Any] = {"plate": PLATE, "run_cap_uf": 45.0} | more
    return SimulatedUnit(Setup(**made))


def phase(u: SimulatedUnit) -> str:
    return u.phase


def started(u: SimulatedUnit, seconds: float = 4.0) -> SimulatedUnit:
    u.switch("thermostat", True)
    u.advance(u.now_s + seconds)
    return u


def test_a_sound_unit_starts_and_settles_below_its_rated_amps() -> None:
    u = started(unit(), 8)
    assert phase(u) == "running"
    assert 0.4 * RLA < u.amps("common") < RLA
    assert u.amps("whole_unit") == pytest.approx(u.amps("common") + u.amps("fan"))
    assert u.volts("line") > u.volts("load") > 200
    assert u.volts("start_winding") > u.volts("line")
    assert not u.breaker_tripped


def test_an_open_run_capacitor_stalls_opens_the_overload_and_comes_back_cooled() -> None:
    u = started(unit(run_cap_uf="open"), 3)
    assert phase(u) == "stalled"
    assert u.amps("common") > 0.85 * LRA
    for _ in range(60):
        if u.overload_open or u.breaker_tripped:
            break
        u.advance(u.now_s + 1)
    assert u.overload_open
    assert phase(u) == "off"
    assert u.amps("common") == 0
    assert u.amps("fan") > 0, "the fan runs on"
    u.advance(u.now_s + 600)
    assert u.starts > 1, "cooled, it tries again by itself"


def test_a_restart_against_pressure_stalls_and_after_a_rest_starts() -> None:
    u = started(unit(made_torque_pct=190.0), 90)
    assert phase(u) == "running"
    u.switch("thermostat", False)
    u.advance(u.now_s + 3)
    started(u, 3)
    assert phase(u) == "stalled"
    u.switch("thermostat", False)
    u.advance(u.now_s + 600)
    started(u, 4)
    assert phase(u) == "running"


def test_dead_is_dead_whatever_the_thermostat_says() -> None:
    u = started(unit(), 5)
    u.switch("disconnect", False)
    u.advance(u.now_s + 1)
    assert [u.volts(p) for p in VOLT_PLACES] == [0] * 5
    assert [u.amps(p) for p in AMP_PLACES] == [0] * 5


def test_a_blown_control_fuse_pulls_nothing_in() -> None:
    u = started(unit(control_fuse_open=True))
    assert (u.coil_v, phase(u)) == (0.0, "off")
    assert u.volts("line") > 200


class Life(RuleBasedStateMachine):
    """Whatever is switched, in whatever order: nothing flows without power, nothing is without a number."""

    def __init__(self) -> None:
        super().__init__()
        self.unit = unit(run_cap_uf=38.9, source_ohm=0.16)
        self.meter = Meter(self.unit)

    @rule(what=st.sampled_from(["disconnect", "thermostat", "breaker"]), on=st.booleans())
    def switch(self, what: Any, on: bool) -> None:
        self.unit.switch(what, on)

    @rule(seconds=st.floats(0.01, 40))
    def wait(self, seconds: float) -> None:
        self.meter.advance(self.unit.now_s + seconds)

    @rule(mode=st.sampled_from(MODES), place=st.sampled_from(PLACES))
    def dial(self, mode: Any, place: Any) -> None:
        self.meter.set(mode, place)

    @rule()
    def arm(self) -> None:
        self.meter.arm()

    @rule(address=st.integers(0, CONTROLS - 1), value=st.integers(0, 65_535))
    def write(self, address: int, value: int) -> None:
        write_controls(self.meter, address, [value])

    @precondition(lambda self: not self.unit.powered)
    @invariant()
    def nothing_flows_without_power(self) -> None:
        self.unit.advance(self.unit.now_s + 0.1)
        assert self.unit.amps("common") == self.unit.amps("run") == self.unit.amps("start") == 0
        assert self.unit.volts("load") == 0

    @invariant()
    def every_figure_is_one(self) -> None:
        for p in VOLT_PLACES:
            assert 0 <= self.unit.volts(p) < 1_000
        for wire in AMP_PLACES:
            assert 0 <= self.unit.amps(wire) < 400
        shown = self.meter.display()
        assert shown is None or math.isfinite(shown)
        assert 0 <= self.unit.pressure <= 1

    @invariant()
    def registers_are_registers(self) -> None:
        words = [*input_registers(self.meter, 1, 7), *analyzer_registers(self.meter)]
        words += control_registers(self.meter)
        assert all(isinstance(w, int) and 0 <= w <= 65_535 for w in words)
        assert len(input_registers(self.meter, 1, 7)) == INPUTS


TestLife = Life.TestCase
TestLife.settings = settings(max_examples=25, stateful_step_count=25, deadline=None)


def test_the_one_inrush_shot_can_be_spent_on_the_fan() -> None:
    u = unit(fan_leads_s=1.5)
    meter = Meter(u)
    meter.set("inrush", "whole_unit")
    meter.arm()
    u.switch("thermostat", True)
    meter.advance(6)
    spent = meter.display()
    assert spent is not None
    assert spent < 0.1 * LRA
    other = unit(fan_leads_s=1.5)
    on_common = Meter(other)
    on_common.set("inrush", "common")
    on_common.arm()
    other.switch("thermostat", True)
    on_common.advance(6)
    first = on_common.display()
    assert first == pytest.approx(other.first_100ms_a(), rel=0.06)


def test_inrush_not_armed_shows_nothing_and_a_second_start_does_not_change_the_shot() -> None:
    u = unit()
    meter = Meter(u)
    meter.set("inrush", "common")
    u.switch("thermostat", True)
    meter.advance(4)
    assert meter.display() is None
    u.switch("thermostat", False)
    meter.advance(304)
    meter.arm()
    u.switch("thermostat", True)
    meter.advance(308)
    shot = meter.display()
    u.switch("thermostat", False)
    meter.advance(700)
    u.switch("thermostat", True)
    meter.advance(705)
    assert meter.display() == shot


def test_ghost_voltage_goes_away_with_a_low_impedance_meter() -> None:
    u = unit()
    u.switch("disconnect", False)
    meter = Meter(u)
    meter.set("volts", "line")
    meter.advance(3)
    ghost = meter.display()
    assert ghost is not None
    assert ghost > 20
    meter.set("volts_low_z", "line")
    meter.advance(6)
    assert meter.display() == pytest.approx(0, abs=0.05)


@pytest.mark.parametrize("trouble", ["battery", "fuse", "mode"])
def test_a_meter_that_cannot_measure_is_blank_and_not_zero(trouble: str) -> None:
    meter = Meter(started(unit()))
    meter.set("amps", "common")
    meter.battery_dead = trouble == "battery"
    meter.fuse_blown = trouble == "fuse"
    if trouble == "mode":
        meter.set("amps", "line")
    meter.advance(meter.unit.now_s + 2)
    assert meter.display() is None
    words = input_registers(meter, 1, 1)
    assert all(
        words[VALUES_FROM + 2 * i : VALUES_FROM + 2 * i + 2] == float_words(math.nan)
        for i in range(len(SLOTS))
    )


def test_the_display_lags_and_is_off_by_its_own_error_and_no_more() -> None:
    meter = Meter(started(unit(), 10))
    meter.set("amps", "common")
    meter.advance(meter.unit.now_s + 0.1)
    early = meter.display()
    meter.advance(meter.unit.now_s + 3)
    late = meter.display()
    assert early is not None
    assert late is not None
    assert early < 0.6 * late
    assert late == pytest.approx(meter.unit.amps("common"), rel=0.03)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 10_000))
def test_any_made_up_case_becomes_a_unit_that_lives_a_minute(seed: int) -> None:
    case = make_case(seed)
    if case.plate.phase != 1:
        return
    u = SimulatedUnit(setup_of(case))
    u.switch("thermostat", True)
    u.advance(60)
    assert phase(u) in ("off", "running", "stalled", "starting")
    assert math.isfinite(u.amps("whole_unit"))


@settings(max_examples=10)
@given(house_a=st.floats(0, 60), ohm=st.floats(0.05, 0.3))
def test_what_else_runs_in_the_house_takes_its_volts_from_the_same_source(house_a: float, ohm: float) -> None:
    u = unit(house_a=house_a, source_ohm=ohm)
    assert u.line_v() == pytest.approx(238.0 - house_a * ohm)
    assert started(u).amps("common") > 0


def test_a_small_generator_dips_deep_and_a_weak_coil_chatters_and_burns_the_poles() -> None:
    strong, small = started(unit(), 3), started(unit(source_kind="generator", source_kva=8.0), 3)
    assert small.deepest_dip_pct() > 2 * strong.deepest_dip_pct()
    weak = unit(source_kind="generator", source_kva=5.0, control_v=18.5)
    before = weak.pole_ohm
    started(weak, 3)
    assert [h.what for h in weak.happened].count("chattered") > 1
    assert weak.pole_ohm > before


def test_each_trip_leaves_the_breaker_weaker_until_it_is_changed() -> None:
    u = unit(grounded=True)
    for n in range(3):
        u.switch("breaker", True)
        started(u, 1)
        assert u.breaker_tripped
        assert u.bears == pytest.approx(0.85 ** (n + 1))
        u.switch("thermostat", False)
    u.refit(replace(u.setup, grounded=False, breaker_a=35.0))
    u.switch("breaker", True)
    assert u.bears == 1.0
    assert phase(started(u)) == "running"


def test_two_faults_are_both_in_the_unit() -> None:
    one = make_case(5, ("run_capacitor_weak",))
    both = make_case(5, ("run_capacitor_weak",), "contactor_worn")
    assert both.fault == "run_capacitor_weak"
    assert both.truth["contactor"] != "clean"
    assert float(both.truth["cap_uf"]) == float(one.truth["cap_uf"])
