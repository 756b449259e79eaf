"""Heat strips measured on a call: dead elements, and the rise they cost."""

import json

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from orange_crank.core.call.call_tests import offered_tests
from orange_crank.core.heat import HeatStrips, judge_strips
from orange_crank.core.plate import Plate
from orange_crank.topics import calculate

FARM = {
    "stage_called": 1,
    "elements": 2,
    "element_kw": 4.8,
    "volts": 236.0,
    "amps": 41.8,
    "blower_fla_a": 2.4,
}


def strips(**change: object) -> HeatStrips:
    return HeatStrips.model_validate(FARM | change)


def codes(result: object) -> dict[str, str]:
    return {f.code: f.verdict for f in result.findings}  # type: ignore[attr-defined]


def test_two_whole_elements_pass_and_their_air_is_told() -> None:
    out = judge_strips(strips(rise_f=28.0, altitude_ft=4300.0, rise_low_f=20.0, rise_high_f=50.0))
    assert (2, 2) == (out.called, out.working)
    assert {"ELEMENTS": "pass", "AIRFLOW": "pass"} == codes(out)
    assert 9.298 == pytest.approx(out.heat_kw, abs=1e-3)


def test_a_low_rise_with_a_dead_element_is_the_element() -> None:
    out = judge_strips(strips(amps=22.1, rise_f=14.0, rise_low_f=20.0, rise_high_f=50.0))
    assert {"ELEMENTS": "fail", "RISE_OF_DEAD_ELEMENT": "note"} == codes(out)
    assert 28.0 == out.rise_with_all_f
    text = next(f for f in out.findings if f.code == "RISE_OF_DEAD_ELEMENT").text
    assert "With all of them the same air rises 28\u202f°F; then it is within the nameplate." in text


def test_with_no_element_heating_no_air_is_computed_from_nothing() -> None:
    out = judge_strips(strips(amps=2.4, rise_f=14.0))
    assert 0 == out.working
    assert {"ELEMENTS": "fail"} == codes(out)


def test_strips_on_backup_are_warned_of() -> None:
    assert "watch" == codes(judge_strips(strips(on_backup=True)))["STRIPS_ON_BACKUP"]
    assert "STRIPS_ON_BACKUP" not in codes(judge_strips(strips()))


@settings(max_examples=150, deadline=None)
@given(st.integers(1, 6), st.data())
def test_so_many_dead_elements_are_so_many_and_the_rise_follows(elements: int, data: st.DataObject) -> None:
    dead = data.draw(st.integers(0, elements))
    kw = data.draw(st.floats(2.0, 6.0))
    volts = data.draw(st.floats(200.0, 250.0))
    rise = data.draw(st.floats(5.0, 60.0))
    each = 1000 * kw * volts / 240.0**2
    out = judge_strips(
        strips(
            elements=elements, element_kw=kw, volts=volts, rise_f=rise, amps=each * (elements - dead) + 2.4
        )
    )
    assert elements - dead == out.working
    assert ("pass" if dead == 0 else "fail") == codes(out)["ELEMENTS"]
    if 0 < dead < elements:
        assert out.rise_with_all_f == pytest.approx(rise * elements / (elements - dead), abs=0.06)
    else:
        assert out.rise_with_all_f is None


@settings(max_examples=60, deadline=None)
@given(st.floats(180.0, 300.0), st.floats(0.0, 120.0))
def test_every_possible_reading_is_judged(volts: float, amps: float) -> None:
    assume(volts <= 264.0)
    out = judge_strips(strips(volts=volts, amps=amps))
    assert 0 <= out.working <= out.called
    assert out.heat_kw >= 0


def test_strips_belong_to_units_with_electric_heat() -> None:
    plate = Plate.model_validate({"volts": 230, "phase": 1, "compressors": [{"rla_a": 21.8, "lra_a": 118}]})
    assert "heat-strips" in offered_tests(plate, "Split heat pump, scroll, 4 ton, 10 kW strips")
    assert "heat-strips" not in offered_tests(plate, "Split, rotary, 2 ton")
    assert "heat-strips" in offered_tests(None)


def test_the_same_through_the_door_of_the_topics() -> None:
    told = calculate("heat-strips", json.dumps(FARM | {"amps": 22.1}))
    assert 1 == told.model_dump()["working"]
