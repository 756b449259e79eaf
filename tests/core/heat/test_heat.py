"""Electric heat: worked cases, subdivision, stages, and the measured check."""

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.errors import InputProblem
from orange_crank.core.heat import HeatIn, HeatOut, size_heat
from orange_crank.core.heat.strips import HeatKit, air_density_ratio, airflow_cfm, kit_amps, kit_watts
from orange_crank.core.topics import calculate


def heat(*kw: float, **more: Any) -> HeatOut:
    entry = {
        "kits": [{"kw": k, "rated_v": 240.0} for k in kw],
        "supply_v": 240.0,
        "phase": 1,
        "blower_fla_a": 0.0,
    }
    return size_heat(HeatIn.model_validate(entry | more))


CASES: list[tuple[str, tuple[float, ...], dict[str, Any], dict[str, Any]]] = [
    (
        "10 kW at 208 V: 10 × (208/240)² = 7.511 kW; ÷ 208 = 36.11 A",
        (10.0,),
        {"supply_v": 208.0},
        {"kw_actual": 7.5111, "heater_a": 36.1111, "mca_a": 45.1389},
    ),
    (
        "5 kW: 20.83 A; + 4 A blower; × 1.25 = 31.04; 35 A; 8 carries 40",
        (5.0,),
        {"blower_fla_a": 4.0},
        {
            "heater_a": 20.8333,
            "load_a": 24.8333,
            "mca_a": 31.0417,
            "overcurrent_a": 35,
            "conductor_awg": "8",
            "egc_awg": "10",
        },
    ),
    (
        "4.8 kW: 20 A × 1.25 = 25: 25 A; 10 carries 30",
        (4.8,),
        {},
        {"overcurrent_a": 25, "conductor_awg": "10"},
    ),
    ("5.76 kW: 24 × 1.25 = 30: 30 A; 10", (5.76,), {}, {"overcurrent_a": 30, "conductor_awg": "10"}),
    (
        "6 kW: 25 × 1.25 = 31.25: 35 A; on 75 °C 10 carries 35 but the small limit is 30: 8",
        (6.0,),
        {"termination_c": 75},
        {"overcurrent_a": 35, "conductor_awg": "8"},
    ),
    (
        "9.6 kW: 40 + 4.3; × 1.25 = 55.375: 60 A; 4 at 60 °C",
        (9.6,),
        {"blower_fla_a": 4.3},
        {"overcurrent_a": 60, "conductor_awg": "4", "egc_awg": "10", "disconnect_min_a": 55.375},
    ),
    (
        "the same on 75 °C: 6 carries 65",
        (9.6,),
        {"blower_fla_a": 4.3, "termination_c": 75},
        {"conductor_awg": "6"},
    ),
    (
        "three-phase 208: 15 kW rated 240 is 11.267 kW; ÷ (√3 × 208) = 31.27 A",
        (15.0,),
        {"supply_v": 208.0, "phase": 3},
        {"kw_actual": 11.2667, "heater_a": 31.2731},
    ),
    (
        "aluminium: 25 A on 10 (25 A at 60 °C), limit 25",
        (4.8,),
        {"material": "aluminum"},
        {"overcurrent_a": 25, "conductor_awg": "10"},
    ),
]


@pytest.mark.parametrize(("working", "kw", "more", "wanted"), CASES, ids=[c[0][:50] for c in CASES])
def test_a_worked_case(
    working: str, kw: tuple[float, ...], more: dict[str, Any], wanted: dict[str, Any]
) -> None:
    out = heat(*kw, **more)
    for field, value in wanted.items():
        got = getattr(out, field) if field in HeatOut.model_fields else getattr(out.circuits[0], field)
        assert got == (pytest.approx(value, abs=6e-4) if isinstance(value, float) else value), (
            f"{field}: {working}"
        )


def test_over_48_amps_it_is_divided_in_order_with_the_blower_on_circuit_1() -> None:
    """Four of 4.8 kW: 20 A each; 40 and 40; blower 4.3 on the first."""
    out = heat(4.8, 4.8, 4.8, 4.8, blower_fla_a=4.3)
    assert 2 == out.subdivisions
    assert [[0, 1], [2, 3]] == [c.kits for c in out.circuits]
    assert [(40.0, 4.3), (40.0, 0.0)] == [(c.heater_a, c.blower_a) for c in out.circuits]
    assert [60, 50] == [c.overcurrent_a for c in out.circuits]


def test_48_amps_exactly_is_one_circuit() -> None:
    assert 1 == heat(11.52).subdivisions
    assert 2 == heat(5.76, 5.77).subdivisions


def test_a_group_too_large_for_60_amps_fails_and_a_single_point_kit_is_one_circuit() -> None:
    out = heat(14.4, 4.8)
    assert "fail" == next(f.verdict for f in out.findings if f.code == "SUBDIVISION_OVER_60")
    one = heat(14.4, 4.8, single_point=True)
    assert 1 == one.subdivisions
    assert "SUBDIVISION_OVER_60" not in {f.code for f in one.findings}
    assert "SINGLE_POINT" in {f.code for f in one.findings}


def test_stages_add_up_in_their_order() -> None:
    kits = [
        {"kw": 4.8, "rated_v": 240.0, "stage": s, "on_after_s": t}
        for s, t in ((1, 20.0), (2, 60.0), (2, 90.0))
    ]
    out = heat(kits=kits, blower_fla_a=4.0)
    assert [(1, 20.0, 4.8, 24.0), (2, 90.0, 14.4, 64.0)] == [
        (s.stage, s.after_s, s.kw, s.total_a) for s in out.stages
    ]


def test_dead_elements_are_counted_at_the_measured_volts() -> None:
    """At 236 V each of three 4.8 kW draws 19.67 A: 63 A less 4.3 of blower is all three, 44 A is two."""
    kits = (4.8, 4.8, 4.8)
    whole = heat(*kits, blower_fla_a=4.3, measured={"volts": 236.0, "amps": 63.0})
    assert 3 == whole.elements_working
    assert whole.expected_a == pytest.approx(63.3, abs=0.01)
    two = heat(*kits, blower_fla_a=4.3, measured={"volts": 236.0, "amps": 44.0})
    assert 2 == two.elements_working
    finding = next(f for f in two.findings if f.code == "ELEMENTS")
    assert "fail" == finding.verdict
    assert "limit" in (finding.next_step or "")
    assert 0 == heat(*kits, blower_fla_a=4.3, measured={"volts": 236.0, "amps": 4.1}).elements_working


def test_airflow_is_corrected_for_height() -> None:
    """9.6 kW at 30 °F: 3.412 × 9600 ÷ (1.08 × 30) = 1011; at 4,300 ft the air is 0.854 as dense."""
    assert airflow_cfm(9600.0, 30.0) == pytest.approx(1011.0, abs=0.1)
    assert air_density_ratio(4300.0) == pytest.approx(0.8542, abs=2e-4)
    out = heat(9.6, measured={"volts": 240.0, "amps": 40.0, "delta_t_f": 30.0, "altitude_ft": 4300.0})
    assert out.airflow_cfm == pytest.approx(1011.0 / 0.8542, abs=1.0)


def test_the_rise_is_held_against_the_plate() -> None:
    rise = {"rise_low_f": 20.0, "rise_high_f": 45.0}
    hot = heat(9.6, **rise, measured={"volts": 240.0, "amps": 40.0, "delta_t_f": 55.0})
    assert "fail" == next(f.verdict for f in hot.findings if f.code == "AIRFLOW")
    good = heat(9.6, **rise, measured={"volts": 240.0, "amps": 40.0, "delta_t_f": 33.0})
    assert "pass" == next(f.verdict for f in good.findings if f.code == "AIRFLOW")


def test_a_kit_is_chosen_from_the_air_handlers_list_alone() -> None:
    """8 kW at 208 V: the 10 gives 7.51, the 15 gives 11.27."""
    out = heat(10.0, supply_v=208.0, needed_kw=8.0, listed_kits_kw=[5.0, 8.0, 10.0, 15.0])
    assert 15.0 == out.kit_choice_kw
    none = heat(10.0, supply_v=208.0, needed_kw=20.0, listed_kits_kw=[5.0, 15.0])
    assert none.kit_choice_kw is None
    assert "fail" == next(f.verdict for f in none.findings if f.code == "KIT_CHOICE")
    unlisted = heat(10.0, needed_kw=8.0)
    assert "unknown" == next(f.verdict for f in unlisted.findings if f.code == "KIT_LIST")


def test_everything_at_once_for_the_panel() -> None:
    assert heat(9.6, blower_fla_a=4.0, heat_pump_mca_a=23.8).all_at_once_a == pytest.approx(55.0 + 23.8)


def test_clauses_follow_the_edition() -> None:
    assert "424.3(B)" in " ".join(f.rule for f in heat(5.0, edition="2017").findings)
    assert "424.4(B)" in " ".join(f.rule for f in heat(5.0, edition="2020").findings)
    assert "edition" in {f.inputs.get("field") for f in heat(5.0).findings if f.code == "DEFAULT"}


@settings(max_examples=120, deadline=None)
@given(
    kw=st.lists(st.floats(1, 11), min_size=1, max_size=6),
    volts=st.floats(200, 250),
    blower=st.floats(0, 8),
    phase=st.sampled_from([1, 3]),
)
def test_every_circuit_carries_its_load_and_nothing_is_lost(
    kw: list[float], volts: float, blower: float, phase: int
) -> None:
    out = heat(*kw, supply_v=volts, phase=phase, blower_fla_a=blower)
    assert sorted(i for c in out.circuits for i in c.kits) == list(range(len(kw)))
    assert sum(c.load_a for c in out.circuits) == pytest.approx(out.load_a, abs=0.01)
    for c in out.circuits:
        assert c.ampacity_a >= c.mca_a - 1e-3
        assert c.overcurrent_a >= c.mca_a - 1e-3
        assert c.heater_a <= 48.001 or len(c.kits) == 1


def test_power_follows_the_square_and_amps_the_volts() -> None:
    kit = HeatKit(kw=10.0, rated_v=240.0)
    assert kit_watts(kit, 120.0) == pytest.approx(2500.0)
    assert kit_amps(kit, 120.0, 1) == pytest.approx(kit_amps(kit, 240.0, 1) / 2)


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"kits": []}, "kits"),
        ({"supply_v": 277}, "supply_v"),
        ({"kits": [{"kw": 5, "rated_v": 208}], "supply_v": 240}, "supply_v"),
        ({"blower_fla_a": None}, "blower_fla_a"),
        ({"measured": {"volts": 240}}, "measured.amps"),
        ({"measured": {"volts": 240, "amps": 20, "delta_t_f": 0}}, "measured.delta_t_f"),
        ({"rise_low_f": 50, "rise_high_f": 30}, "rise_high_f"),
        ({"insulation": "THW"}, "insulation"),
    ],
)
def test_bad_input_is_refused_by_field(more: dict[str, Any], field: str) -> None:
    entry = {"kits": [{"kw": 5, "rated_v": 240}], "supply_v": 240, "phase": 1, "blower_fla_a": 3} | more
    with pytest.raises(InputProblem) as refused:
        calculate("heat", json.dumps(entry))
    assert field in {e.field for e in refused.value.errors}
