"""Capacitors, contactor, start kit, legs and the supply walk: sums by hand."""

import json
import math
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from orange_crank.core.errors import InputProblem, input_problem
from orange_crank.core.measure.capacitor import (
    Capacitor,
    CapacitorTop,
    capacitance_uf,
    judge_capacitor,
    name_capacitor_top,
)
from orange_crank.core.measure.contactor import Contactor, judge_contactor
from orange_crank.core.measure.legs import (
    Imbalance,
    LegsToNeutral,
    WindingAmps,
    judge_imbalance,
    judge_legs,
    winding_angle,
)
from orange_crank.core.measure.start_kit import StartKit, judge_start_kit
from orange_crank.core.measure.supply_walk import Run, SupplyWalk, run_ohm, walk_supply
from orange_crank.core.tables import conductor_ohms, conductor_sizes, rows
from orange_crank.core.topics import calculate


@pytest.mark.parametrize(
    ("entry", "low", "high", "verdict"),
    [
        ({"label_uf": 45, "measured_uf": 43}, 42.3, 47.7, "pass"),
        ({"label_uf": 45, "measured_uf": 38.9}, 42.3, 47.7, "fail"),
        ({"label_uf": 45, "measured_uf": 48}, 42.3, 47.7, "fail"),
        ({"label_uf": 45, "measured_uf": 42.3}, 42.3, 47.7, "pass"),
        ({"label_uf": 45, "tolerance_pct": 10, "measured_uf": 41}, 40.5, 49.5, "pass"),
        ({"label_uf": 100, "low_pct": 0, "high_pct": 20, "measured_uf": 99}, 100, 120, "fail"),
        ({"label_uf": 100, "low_pct": 0, "high_pct": 20, "measured_uf": 119}, 100, 120, "pass"),
        ({"range_low_uf": 189, "range_high_uf": 227, "measured_uf": 200}, 189, 227, "pass"),
        ({"range_low_uf": 189, "range_high_uf": 227, "measured_uf": 170}, 189, 227, "fail"),
        ({"label_uf": 45, "measured_uf": 42.5, "accuracy_pct": 2}, 42.3, 47.7, "watch"),
        ({"label_uf": 45, "measured_uf": 44, "accuracy_pct": 2}, 42.3, 47.7, "pass"),
        ({"label_uf": 45, "measured_uf": 41, "accuracy_pct": 2}, 42.3, 47.7, "fail"),
        ({"label_uf": 45, "measured_uf": 45, "look": "bulged"}, 42.3, 47.7, "fail"),
        ({"label_uf": 45, "measured_uf": 45, "look": "rusty"}, 42.3, 47.7, "pass"),
    ],
)
def test_a_capacitor_is_held_against_its_own_label(
    entry: dict[str, Any], low: float, high: float, verdict: str
) -> None:
    result = judge_capacitor(Capacitor.model_validate(entry))
    assert pytest.approx(low) == result.low_uf
    assert pytest.approx(high) == result.high_uf
    assert verdict == result.verdict


def test_under_load_microfarads_follow_from_amps_and_volts() -> None:
    # 2653 · 5.9 / 348 = 44.97; accuracies 2 % and 1 % make 2.24 %
    result = judge_capacitor(
        Capacitor(label_uf=45, winding_a=5.9, capacitor_v=348, accuracy_pct=2, volts_accuracy_pct=1)
    )
    assert pytest.approx(44.97, abs=0.01) == result.measured_uf
    assert pytest.approx(44.97 * math.hypot(0.02, 0.01), rel=1e-3) == result.plus_minus_uf
    assert pytest.approx(3183.1, abs=0.1) == capacitance_uf(1, 1, 50)


@pytest.mark.parametrize(
    ("entry", "field"),
    [
        ({"measured_uf": 40}, "label_uf"),
        ({"label_uf": 45}, "measured_uf"),
        ({"label_uf": 45, "winding_a": 5}, "measured_uf"),
        ({"label_uf": 45, "measured_uf": 0}, "measured_uf"),
        ({"label_uf": 45, "measured_uf": 44, "low_pct": 0}, "high_pct"),
        ({"range_low_uf": 200, "range_high_uf": 100, "measured_uf": 150}, "range_high_uf"),
    ],
)
def test_a_capacitor_entry_says_what_it_lacks(entry: dict[str, Any], field: str) -> None:
    with pytest.raises(ValidationError) as caught:
        Capacitor.model_validate(entry)
    assert [field] == [e.field for e in input_problem(caught.value).errors]


@given(herm=st.floats(min_value=15, max_value=90), share=st.floats(min_value=0.05, max_value=0.6))
def test_an_unreadable_top_is_named_from_three_pairs(herm: float, share: float) -> None:
    fan = herm * share
    series = herm * fan / (herm + fan)
    result = name_capacitor_top(CapacitorTop(ab_uf=fan, bc_uf=series, ca_uf=herm))
    assert {"a": "C", "b": "FAN", "c": "HERM"} == result.terminals
    assert "pass" == result.verdict


def test_a_top_whose_series_does_not_fit_is_not_trusted() -> None:
    assert "unknown" == name_capacitor_top(CapacitorTop(ab_uf=5, bc_uf=2, ca_uf=45)).verdict


@pytest.mark.parametrize(
    ("entry", "verdict"),
    [
        ({"look": "clean"}, "pass"),
        ({"look": "pitted"}, "watch"),
        ({"look": "pitted", "pole_drop_v": [0.05, 0.06], "load_a": 18}, "watch"),
        ({"look": "welded"}, "fail"),
        ({"pole_drop_v": [0.19], "load_a": 18}, "pass"),
        ({"pole_drop_v": [0.2], "load_a": 18}, "watch"),
        ({"pole_drop_v": [0.1, 0.5], "load_a": 18}, "fail"),
        ({"coil_v": 18}, "pass"),
        ({"coil_v": 17.9}, "fail"),
        ({"coil_v": 90, "coil_rated_v": 120}, "pass"),
        ({"coil_ohm": "open"}, "fail"),
        ({"coil_ohm": 0.3}, "fail"),
        ({"coil_ohm": 14}, "pass"),
        ({}, "unknown"),
    ],
)
def test_a_contactor_is_judged_by_drop_weld_and_coil(entry: dict[str, Any], verdict: str) -> None:
    assert verdict == judge_contactor(Contactor.model_validate(entry)).verdict


def test_watts_lost_are_volts_times_amps() -> None:
    assert [pytest.approx(9.0)] == judge_contactor(Contactor(pole_drop_v=[0.5], load_a=18)).watts_lost


def test_square_currents_stand_at_ninety_degrees() -> None:
    result = winding_angle(WindingAmps(common_a=math.hypot(12, 5), run_a=12, start_a=5))
    assert pytest.approx(90) == result.angle_deg
    assert "pass" == result.verdict


def test_currents_that_close_no_triangle_are_refused_with_the_clamp_place() -> None:
    with pytest.raises(InputProblem, match="between 7 A and 17 A") as caught:
        winding_angle(WindingAmps(common_a=30, run_a=12, start_a=5))
    assert "wire to R alone" in str(caught.value.next_step)


@pytest.mark.parametrize(
    ("volts", "amps", "verdict"),
    [
        ([208, 208, 208], [12, 12, 12], "pass"),
        ([208, 208, 200], None, "watch"),
        (None, [12, 12, 15], "watch"),
        ([207, 206, 209], [12, 12.5, 11.8], "pass"),
    ],
)
def test_imbalance_is_the_worst_deviation_over_the_mean(
    volts: list[float] | None, amps: list[float] | None, verdict: str
) -> None:
    assert verdict == judge_imbalance(Imbalance(volts=volts, amps=amps)).verdict


@pytest.mark.parametrize(
    ("legs", "code"),
    [
        ((120, 120, 119, 119), "steady"),
        ((120, 120, 112, 113), "sag"),
        ((120, 120, 105, 134), "open_neutral"),
        ((120, 120, 131, 108), "open_neutral"),
        ((105, 134, 105, 134), "open_neutral"),
        ((120, 120, 108, 119), "one_leg"),
    ],
)
def test_an_open_neutral_is_told_from_a_sag(legs: tuple[float, float, float, float], code: str) -> None:
    a, b, c, d = legs
    result = judge_legs(LegsToNeutral(leg_a_idle_v=a, leg_b_idle_v=b, leg_a_start_v=c, leg_b_start_v=d))
    assert code == result.code
    assert (code == "open_neutral") == (result.verdict == "fail")


@pytest.mark.parametrize(
    ("entry", "verdict"),
    [
        ({"kind": "potential_relay", "contact_ohm": 0.3, "coil_ohm": 9000, "bleeder_ohm": 15_200}, "pass"),
        ({"kind": "potential_relay", "contact_ohm": "open"}, "fail"),
        ({"kind": "potential_relay", "coil_ohm": "open"}, "fail"),
        ({"kind": "potential_relay", "bleeder_ohm": "open"}, "fail"),
        ({"kind": "current_relay", "contact_ohm": "open", "coil_ohm": 0.5}, "pass"),
        ({"kind": "current_relay", "contact_ohm": 0.2}, "fail"),
        ({"kind": "ptc", "ptc_ohm": 25}, "pass"),
        ({"kind": "ptc", "ptc_ohm": 900}, "fail"),
        ({"kind": "external_overload", "overload_ohm": 0.2}, "pass"),
        ({"kind": "electronic"}, "unknown"),
        ({"kind": "potential_relay"}, "unknown"),
        (
            {
                "kind": "potential_relay",
                "contact_ohm": 0.2,
                "start_cap_uf": 130,
                "range_low_uf": 189,
                "range_high_uf": 227,
            },
            "fail",
        ),
    ],
)
def test_a_start_kit_is_tested_dead_by_its_kind(entry: dict[str, Any], verdict: str) -> None:
    assert verdict == judge_start_kit(StartKit.model_validate(entry)).verdict


def test_table_9_is_monotonic_and_obeys_the_resistance_of_its_metal() -> None:
    """R × area is the metal's constant (copper near 12.9, aluminium near 21.2 Ω·kcmil/kft at 75 °C)."""
    areas = [float(r["area_kcmil"]) for r in rows("conductor_ohms")]
    assert sorted(areas) == areas
    for metal, constant in (("copper", 12.9), ("aluminum", 21.2)):
        column = [
            conductor_ohms(size, metal) for size in conductor_sizes() if metal == "copper" or size != "14"
        ]
        ohms = [c.resistance_ohm_per_kft for c in column]
        assert sorted(ohms, reverse=True) == ohms
        for c in column:
            assert pytest.approx(constant, rel=0.09) == c.resistance_ohm_per_kft * c.area_kcmil


def test_aluminium_starts_at_12() -> None:
    with pytest.raises(InputProblem, match="12 AWG or larger"):
        conductor_ohms("14", "aluminum")


FEEDER = {"start": "panel_bus", "end": "disconnect_line", "conductor_awg": "10", "length_ft": 310}


def test_310_ft_of_10_awg_at_17_6_a_drops_what_the_sum_says() -> None:
    # 2 · 0.310 · √(1.2² + 0.050²) = 0.7446 Ω; at 17.6 A 13.1 V
    loop = run_ohm(Run.model_validate(FEEDER), 1)
    assert pytest.approx(0.7446, abs=1e-4) == loop
    assert pytest.approx(13.1, abs=0.01) == loop * 17.6


def stops(*volts: tuple[str, float | None, float | None, float | None]) -> list[dict[str, Any]]:
    return [{"point": p, "idle_v": i, "running_v": r, "dip_v": d} for p, i, r, d in volts]


def test_the_guilty_segment_is_named_with_what_to_look_at() -> None:
    walk = SupplyWalk.model_validate(
        {
            "stops": stops(
                ("panel_bus", 240, 238, 230),
                ("disconnect_line", 240, 237.4, 228),
                ("disconnect_load", 240, 232.4, 205),
                ("contactor_line", 240, 232.2, 204),
            ),
            "running_a": 17.6,
            "start_a": 100,
        }
    )
    result = walk_supply(walk)
    assert "fuse clip" in str(result.guilty)
    assert ["pass", "fail", "pass"] == [s.verdict for s in result.segments]
    assert pytest.approx(0.36) == result.source_ohm


def test_what_the_wire_explains_is_not_blamed_on_a_connection() -> None:
    walk = SupplyWalk.model_validate(
        {
            "stops": stops(("panel_bus", 240, 238, 232), ("disconnect_line", 240, 225, 158)),
            "running_a": 17.6,
            "start_a": 100,
            "runs": [FEEDER],
        }
    )
    result = walk_supply(walk)
    assert result.guilty is None
    assert "pass" == result.segments[0].verdict
    assert result.other_ohm is not None
    assert result.wire_ohm is not None
    assert pytest.approx(result.source_ohm) == result.wire_ohm + result.other_ohm
    assert "START_DIP" in {f.code for f in result.findings if f.verdict == "watch"}


def test_a_point_named_twice_is_refused() -> None:
    with pytest.raises(InputProblem, match="each point once"):
        walk_supply(
            SupplyWalk.model_validate({"stops": stops(("panel_bus", 240, 1, 1), ("panel_bus", 240, 1, 1))})
        )


def test_a_tenth_of_an_amp_in_the_start_lead_is_no_angle() -> None:
    out = winding_angle(WindingAmps(common_a=14.0, run_a=13.9, start_a=0.1))
    assert out.angle_deg is None
    assert "fail" == out.verdict
    assert "START_LEAD_DEAD" == out.findings[0].code


@pytest.mark.parametrize("volts", [{}, {"running_v": -228.0}])
def test_a_stop_of_the_walk_without_sound_volts_is_refused_by_its_field(volts: dict[str, float]) -> None:
    entry = {"stops": [{"point": "panel_bus", "running_v": 240.0}, {"point": "terminals"} | volts]}
    with pytest.raises(InputProblem) as refused:
        calculate("supply-walk", json.dumps(entry))
    assert "stops[1].running_v" == refused.value.errors[0].field
    assert refused.value.next_step


@pytest.mark.parametrize(("lost", "verdict"), [(0.3, "pass"), (0.6, "watch"), (1.2, "fail")])
def test_a_contactor_has_one_limit_on_the_walk_and_by_itself(lost: float, verdict: str) -> None:
    """Two closed poles in a 240 V walk: 2 × 0.2 V to watch, 2 × 0.5 V to replace; one pole alone is half."""
    stops = [
        {"point": "contactor_line", "running_v": 238.0},
        {"point": "contactor_load", "running_v": 238.0 - lost},
    ]
    walk = walk_supply(SupplyWalk.model_validate({"stops": stops, "running_a": 18.0}))
    assert verdict == walk.segments[0].verdict
    assert verdict == judge_contactor(Contactor(pole_drop_v=[lost / 2])).verdict
    assert "Contactor voltage drop" in walk.findings[0].rule
