"""Service load, fault current, cover and torque, each worked by hand; the sum is in the name."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.circuit.book import (
    CoverIn,
    FaultIn,
    ServiceIn,
    TorqueIn,
    cover,
    fault_current,
    service_load,
    torque,
)
from orange_crank.core.errors import BeyondTable
from orange_crank.core.tables import rows

HOUSE: dict[str, Any] = {"area_ft2": 2_000.0, "appliances_w": 22_000.0}
SERVICES: list[tuple[str, dict[str, Any], float]] = [
    ("general 32 500; 10 000 + 0.4 × 22 500 = 19 000", HOUSE, 19_000),
    ("cooling 22 A: 5 280 beside it", HOUSE | {"cooling_a": 22.0}, 24_280),
    (
        "heat pump and 10 kW: 5 280 + 6 500",
        HOUSE | {"cooling_a": 22.0, "heat_pump": True, "strips_kw": 10.0},
        30_780,
    ),
    (
        "kept apart: 6 500 is larger than 5 280",
        HOUSE | {"cooling_a": 22.0, "heat_pump": True, "strips_kw": 10.0, "together": False},
        25_500,
    ),
    ("furnace 15 kW, cooling 5 280: 65 % = 9 750", HOUSE | {"cooling_a": 22.0, "strips_kw": 15.0}, 28_750),
    ("four separate units: 40 % of 15 = 6 000", HOUSE | {"strips_kw": 15.0, "separate_units": 4}, 25_000),
    ("existing: 8 000 + 0.4 × 24 500, and 5 280 + 10 000 in full",
     HOUSE | {"existing": True, "cooling_a": 22.0, "heat_pump": True, "strips_kw": 10.0}, 33_080),
    ("existing, small: 3 × 900 + 4 500 = 7 200 in full", {"area_ft2": 900.0, "existing": True}, 7_200),
    ("by the bills: 1.25 × 62 × 240 + 5 280 + 10 000",
     {"peak_a": 62.0, "cooling_a": 22.0, "heat_pump": True, "strips_kw": 10.0}, 33_880),
]  # fmt: skip


@pytest.mark.parametrize(("entry", "va"), [c[1:] for c in SERVICES], ids=[c[0] for c in SERVICES])
def test_service_load_as_worked(entry: dict[str, Any], va: float) -> None:
    out = service_load(ServiceIn.model_validate(entry))
    assert out.load_va == pytest.approx(va)
    assert out.amps == pytest.approx(va / 240, abs=1e-3)
    assert out.service_a >= max(out.amps, 100)


def test_a_service_that_is_too_small_fails_with_a_way_out() -> None:
    entry = HOUSE | {"cooling_a": 22.0, "heat_pump": True, "strips_kw": 10.0}
    small = service_load(ServiceIn.model_validate(entry | {"service_a": 100.0}))
    assert (small.fits, small.findings[0].verdict) == (False, "fail")
    assert small.findings[0].next_step
    enough = service_load(ServiceIn.model_validate(entry | {"service_a": 150.0}))
    assert (enough.fits, enough.findings[0].verdict) == (True, "pass")


@given(strips=st.floats(0, 40), more=st.floats(0, 20), amps=st.floats(0, 60), pump=st.booleans())
def test_more_heat_never_asks_for_less_service(strips: float, more: float, amps: float, pump: bool) -> None:
    base = HOUSE | {"cooling_a": amps, "heat_pump": pump}
    less = service_load(ServiceIn.model_validate(base | {"strips_kw": strips}))
    large = service_load(ServiceIn.model_validate(base | {"strips_kw": strips + more}))
    assert large.load_va >= less.load_va - 1e-6


POLE: dict[str, Any] = {
    "transformer_kva": 25.0,
    "impedance_pct": 2.0,
    "volts": 240.0,
    "phase": 1,
    "conductor_awg": "2/0",
}


def test_fault_current_as_worked() -> None:
    """104.17 ÷ 2 % = 5 208 A; 0.04608 Ω; 100 ft of 2/0: 0.02 + j0.0086; √(0.02² + 0.0547²) = 0.0582 Ω."""
    out = fault_current(FaultIn.model_validate(POLE | {"length_ft": 100.0}))
    assert out.at_transformer_a == pytest.approx(5_208.3, abs=1)
    assert out.at_unit_a == pytest.approx(4_122, abs=5)


def test_three_phase_fault_current_as_worked() -> None:
    """75 kVA, 208 V: 208.2 ÷ 3 % = 6 939 A; 0.01731 Ω; 50 ft of 1: 0.0075 + j0.0023; 0.0210 Ω."""
    entry = {"transformer_kva": 75.0, "impedance_pct": 3.0, "volts": 208.0, "phase": 3, "conductor_awg": "1"}
    out = fault_current(FaultIn.model_validate(entry | {"length_ft": 50.0}))
    assert out.at_transformer_a == pytest.approx(6_939, abs=2)
    assert out.at_unit_a == pytest.approx(5_719, rel=0.002)


def at_ten(rating_a: float) -> FaultIn:
    return FaultIn.model_validate(POLE | {"length_ft": 10.0, "short_circuit_rating_a": rating_a})


def test_a_unit_under_the_fault_current_fails() -> None:
    under = fault_current(at_ten(2_000.0))
    assert under.findings[0].verdict == "fail"
    within = fault_current(at_ten(10_000.0))
    assert within.findings[0].verdict == "pass"


@given(near=st.floats(1, 500), more=st.floats(1, 500))
def test_fault_current_only_falls_along_the_wire(near: float, more: float) -> None:
    a = fault_current(FaultIn.model_validate(POLE | {"length_ft": near}))
    b = fault_current(FaultIn.model_validate(POLE | {"length_ft": near + more}))
    assert b.at_unit_a <= a.at_unit_a <= a.at_transformer_a


@pytest.mark.parametrize(
    ("location", "method", "inches"),
    [
        ("ground", "cable", 24),
        ("ground", "metal_raceway", 6),
        ("ground", "plastic_raceway", 18),
        ("ground", "low_gfci", 12),
        ("concrete_2in", "cable", 18),
        ("driveway_dwelling", "plastic_raceway", 18),
        ("driveway_dwelling", "low_gfci", 12),
        ("street_or_parking", "metal_raceway", 24),
    ],
)  # fmt: skip
def test_cover_as_the_table_has_it(location: str, method: str, inches: int) -> None:
    assert cover(CoverIn.model_validate({"location": location, "method": method})).cover_in == inches


@pytest.mark.parametrize(
    ("size", "screw", "pounds"),
    [
        ("10", "slot_large", 35),
        ("8", "slot_small", 25),
        ("6", "hex", 110),
        ("2/0", "hex", 180),
        ("500", "hex", 375),
    ],
)
def test_torque_as_the_annex_has_it(size: str, screw: str, pounds: float) -> None:
    out = torque(TorqueIn.model_validate({"conductor_awg": size, "screw": screw}))
    assert out.torque_lbin == pounds
    assert out.findings[0].verdict == "watch", "a fallback is never a pass"


def test_torque_refuses_to_guess_and_only_grows_with_the_wire() -> None:
    with pytest.raises(BeyondTable, match="No torque in the table for 4/0 AWG"):
        torque(TorqueIn.model_validate({"conductor_awg": "4/0", "screw": "slot_small"}))
    for column in ("slot_small_lbin", "slot_large_lbin", "hex_lbin"):
        printed = [float(r[column]) for r in rows("lug_torques") if r[column]]
        assert printed == sorted(printed)
