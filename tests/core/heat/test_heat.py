"""Electric heat: worked cases, subdivision, stages, and the measured check."""

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.circuit import AuditIn, audit_circuit
from orange_crank.core.errors import InputProblem
from orange_crank.core.heat import HeatIn, HeatOut, size_heat
from orange_crank.core.heat.elements import HeatKit, elements_of, kit_amps, kit_watts, usual_elements
from orange_crank.core.heat.measured import air_density_ratio, airflow_cfm
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
    one = heat(14.4, 4.8, single_point=True, mca_a=100.0, mocp_a=110.0)
    assert (1, 110, 100.0) == (one.subdivisions, one.circuits[0].overcurrent_a, one.mca_a)
    unread = heat(14.4, 4.8, single_point=True)
    assert "unknown" == next(f.verdict for f in unread.findings if f.code == "SINGLE_POINT")
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
    assert "edition" in {a.field for a in heat(5.0).assumed}
    assert "edition" not in {a.field for a in heat(5.0, edition="2020").assumed}


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


def kit(kw: float, count: int | None = None, **more: Any) -> dict[str, Any]:
    return {"kw": kw, "rated_v": 240.0} | ({} if count is None else {"elements": count}) | more


KITS: list[tuple[str, list[dict[str, Any]], list[list[tuple[int, int]]]]] = [
    ("15 kW of three: 41.67 A of two, 20.83 of one", [kit(15.0, 3)], [[(0, 2)], [(0, 1)]]),
    ("20 kW of four: two and two", [kit(20.0, 4)], [[(0, 2)], [(0, 2)]]),
    ("10 kW of two and 5: kept together by kit", [kit(10.0, 2), kit(5.0, 1)], [[(0, 2)], [(1, 1)]]),
    ("5 and 10: the 10 does not fit beside the 5", [kit(5.0, 1), kit(10.0, 2)], [[(0, 1)], [(1, 2)]]),
    ("9.6 of two alone: one circuit of 40 A", [kit(9.6, 2)], [[(0, 2)]]),
    ("5 and 15 of three: the 15 is parted, one of it beside the 5", [kit(5.0, 1), kit(15.0, 3)],
     [[(0, 1), (1, 1)], [(1, 2)]]),
]  # fmt: skip


@pytest.mark.parametrize(("working", "kits", "wanted"), KITS, ids=[k[0][:40] for k in KITS])
def test_elements_are_divided_by_their_count_and_kept_by_kit(
    working: str, kits: list[dict[str, Any]], wanted: list[list[tuple[int, int]]]
) -> None:
    out = heat(kits=kits, blower_fla_a=3.0)
    got = [[(e.kit, e.count) for e in c.elements] for c in out.circuits]
    assert wanted == got, working
    assert all(c.heater_a <= 48.001 for c in out.circuits)
    assert out.ok


def test_a_large_kit_without_its_elements_is_asked_about() -> None:
    """15 kW in one piece is 62.5 A: 80 A and more, which 424.22(B) forbids; 3 × 5 kW is offered."""
    out = heat(15.0)
    asked = next(f for f in out.findings if f.code == "ELEMENTS_UNSAID")
    assert ("unknown", 3) == (asked.verdict, asked.inputs["usual"])
    assert not out.ok
    assert heat(kits=[kit(15.0, 3)]).ok
    assert [1, 2, 2, 3, 4, 5] == [usual_elements(k) for k in (5.0, 7.5, 10.0, 14.4, 19.2, 25.0)]


def test_a_listed_single_point_kit_goes_by_its_own_label() -> None:
    out = heat(kits=[kit(15.0, 3)], blower_fla_a=4.0, single_point=True, mca_a=84.0, mocp_a=90.0)
    (one,) = out.circuits
    assert (84.0, 90, "3") == (one.mca_a, one.overcurrent_a, one.conductor_awg)
    assert out.ok
    low = heat(kits=[kit(15.0, 3)], blower_fla_a=4.0, single_point=True, mca_a=54.0, mocp_a=60.0)
    assert "fail" == next(f.verdict for f in low.findings if f.code == "MCA_DIFFERS")


@pytest.mark.parametrize("connection", ["delta", "wye", None])
def test_cold_ohms_are_as_a_person_measures_them(connection: Any) -> None:
    """9 kW at 240 V: V²/P = 6.4; wye 6.4 each, delta 19.2; between leads 12.8 either way; 5 % less cold."""
    three = elements_of(0, HeatKit(kw=9.0, rated_v=240.0, connection=connection), 240.0, 3, 5.0)
    assert three.between_leads_ohm == pytest.approx(12.8 * 0.95, abs=1e-3)
    assert {"wye": 6.4, "delta": 19.2, None: None}[connection] == three.hot_ohm
    if connection == "wye":
        assert three.between_leads_ohm == pytest.approx(2 * float(three.cold_ohm or 0))
    if connection == "delta":
        assert three.between_leads_ohm == pytest.approx(2 / 3 * float(three.cold_ohm or 0), abs=2e-3)
    one = elements_of(0, HeatKit(kw=9.6, rated_v=240.0, elements=2), 208.0, 1, 5.0)
    assert (2, 4.8, 12.0, 11.4, None) == (
        one.count, one.each_kw, one.hot_ohm, one.cold_ohm, one.between_leads_ohm,
    )  # fmt: skip


STAGED = [kit(10.0, 2, stage=1), kit(5.0, 1, stage=2)]


@pytest.mark.parametrize(
    ("called", "amps", "working", "verdict"),
    [
        (None, 45.0, 2, "unknown"),
        (1, 45.0, 2, "pass"),
        (2, 45.0, 2, "fail"),
        ([2], 24.5, 1, "pass"),
        ([1, 2], 65.5, 3, "pass"),
        (None, 65.5, 3, "pass"),
    ],
)
def test_the_stages_that_are_called_are_those_that_are_counted(
    called: Any, amps: float, working: int, verdict: str
) -> None:
    """At 236 V a 5 kW element draws 20.49 A; 4 A of blower."""
    measured: dict[str, Any] = {"volts": 236.0, "amps": amps} | (
        {} if called is None else {"stages_called": called}
    )
    out = heat(kits=STAGED, blower_fla_a=4.0, measured=measured)
    assert working == out.elements_working
    assert verdict == next(f.verdict for f in out.findings if f.code == "ELEMENTS")


def test_elevation_is_asked_and_not_taken() -> None:
    out = heat(9.6, measured={"volts": 240.0, "amps": 40.0, "delta_t_f": 30.0})
    air = next(f for f in out.findings if f.code == "AIRFLOW")
    assert "unknown" == air.verdict
    assert "Elevation: not entered" in air.text
    assert "measured.altitude_ft" in {a.field for a in out.assumed}
    said = heat(9.6, measured={"volts": 240.0, "amps": 40.0, "delta_t_f": 30.0, "altitude_ft": 0.0})
    assert "note" == next(f.verdict for f in said.findings if f.code == "AIRFLOW")
    assert "measured.altitude_ft" not in {a.field for a in said.assumed}


def test_attic_and_bundle_and_length_bear_on_the_conductor() -> None:
    """5.76 kW: 30 A; 10 at 131 °F: 40 × 0.76 = 30.4, column 30; six together × 0.8 = 24.3 < 30 → 8: 33.4."""
    assert "10" == heat(5.76, ambient_f=131.0).circuits[0].conductor_awg
    assert "8" == heat(5.76, ambient_f=131.0, current_carrying_conductors=6).circuits[0].conductor_awg
    far = heat(5.76, length_ft=120.0, drop_limit_pct=2.0)
    assert "8" == far.circuits[0].conductor_awg
    assert far.circuits[0].voltage_drop_pct == pytest.approx(100 * 0.24 * 0.78 * 24 / 240, abs=1e-3)


def test_277_and_480_volts() -> None:
    ptac = heat(kits=[{"kw": 5.0, "rated_v": 277.0}], supply_v=277.0)
    assert 1 == ptac.circuits[0].poles
    assert any("brown, gray neutral" in a.text for a in ptac.answer)
    unit = heat(kits=[{"kw": 15.0, "rated_v": 480.0, "elements": 3}], supply_v=480.0, phase=3)
    assert any("brown, orange, yellow" in a.text for a in unit.answer)
    assert "48 in facing live parts" in next(f.text for f in unit.always if f.code == "WORKING_SPACE")


@settings(max_examples=120, deadline=None)
@given(
    kits=st.lists(
        st.tuples(st.floats(3, 20), st.integers(1, 4)).filter(lambda k: k[0] / k[1] <= 11),
        min_size=1,
        max_size=4,
    ),
    order=st.randoms(use_true_random=False),
)
def test_no_element_is_lost_and_every_heat_circuit_passes_its_own_audit(
    kits: list[tuple[float, int]], order: Any
) -> None:
    out = heat(kits=[kit(kw, n) for kw, n in kits], blower_fla_a=3.0)
    for i, (_, n) in enumerate(kits):
        assert n == sum(e.count for c in out.circuits for e in c.elements if e.kit == i)
    for c in out.circuits:
        assert c.heater_a <= 48.001
        there = {
            "overcurrent_a": float(c.overcurrent_a), "overcurrent_kind": "breaker", "poles": c.poles,
            "conductor_awg": c.conductor_awg, "egc_awg": c.egc_awg, "disconnect_a": float(c.disconnect_a),
            "insulation": "THWN-2", "material": "copper",
        }  # fmt: skip
        entry = {
            "volts": 240.0,
            "phase": 1,
            "load": "heat",
            "other_a": c.heater_a,
            "ambient_f": 86.0,
            "wet": False,
        }
        motors = [{"fla_a": c.blower_a}] if c.blower_a else []
        audit = audit_circuit(AuditIn.model_validate(entry | {"motors": motors, "installed": there}))
        assert audit.ok, (c, [k for k in audit.checks if k.verdict == "fail"])
    shuffled = order.sample(kits, len(kits))
    again = heat(kits=[kit(kw, n) for kw, n in shuffled], blower_fla_a=3.0)
    assert again.mca_a == pytest.approx(out.mca_a)


def test_power_follows_the_square_and_amps_the_volts() -> None:
    kit = HeatKit(kw=10.0, rated_v=240.0)
    assert kit_watts(kit, 120.0) == pytest.approx(2500.0)
    assert kit_amps(kit, 120.0, 1) == pytest.approx(kit_amps(kit, 240.0, 1) / 2)


@pytest.mark.parametrize(
    ("more", "field"),
    [
        ({"kits": []}, "kits"),
        ({"supply_v": 277}, "supply_v"),
        ({"supply_v": 480, "kits": [{"kw": 5, "rated_v": 480}]}, "supply_v"),
        ({"mca_a": 50}, "single_point"),
        ({"single_point": True, "mca_a": 50, "mocp_a": 40}, "mca_a"),
        ({"kits": [{"kw": 15, "rated_v": 240, "elements": 0}]}, "kits[0].elements"),
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
