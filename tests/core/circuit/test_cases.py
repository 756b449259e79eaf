"""Worked cases: each with its working, done by hand from the code's tables."""

from typing import Any

import pytest

from orange_crank.core.circuit import CircuitIn, size_circuit

ONE = {"volts": 230.0, "phase": 1}
THREE = {"volts": 208.0, "phase": 3}


def rla(*amps: float, lra: float | None = None) -> dict[str, Any]:
    return {"compressors": [{"rla_a": a, "lra_a": lra if lra is not None else round(6 * a, 1)} for a in amps]}


Case = tuple[str, dict[str, Any], dict[str, Any]]
CASES: list[Case] = [
    # ── from the plate's MCA and MOCP
    (
        "MCA 18.4, MOCP 30: 30 A; 12 at 60 °C carries 20",
        ONE | rla(13.5) | {"mca_a": 18.4, "mocp_a": 30.0},
        {"overcurrent_a": 30, "conductor_awg": "12", "ampacity_a": 20.0, "egc_awg": "12"},
    ),
    (
        "MCA 23.8: 12 carries 20, 10 carries 30",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 40.0},
        {"overcurrent_a": 40, "conductor_awg": "10", "ampacity_a": 30.0, "egc_awg": "10"},
    ),
    (
        "MCA 31: 10 carries 30, 8 carries 40",
        ONE | rla(23.0) | {"mca_a": 31.0, "mocp_a": 50.0},
        {"overcurrent_a": 50, "conductor_awg": "8", "egc_awg": "10"},
    ),
    (
        "MCA 31 on 75 °C terminals: 10 carries 35",
        ONE | rla(23.0) | {"mca_a": 31.0, "mocp_a": 50.0, "termination_c": 75},
        {"conductor_awg": "10", "ampacity_a": 35.0, "egc_awg": "10"},
    ),
    (
        "MCA exactly 30 is carried by 10",
        ONE | rla(22.0) | {"mca_a": 30.0, "mocp_a": 45.0},
        {"conductor_awg": "10"},
    ),
    ("MCA 30.1 is not", ONE | rla(22.0) | {"mca_a": 30.1, "mocp_a": 45.0}, {"conductor_awg": "8"}),
    (
        "MOCP 44: the largest standard size under it is 40",
        ONE | rla(22.0) | {"mca_a": 28.0, "mocp_a": 44.0},
        {"overcurrent_a": 40},
    ),
    (
        "MOCP 22, MCA 21: 20 is the largest size within it, though under MCA",
        ONE | rla(15.0) | {"mca_a": 21.0, "mocp_a": 22.0},
        {"overcurrent_a": 20},
    ),
    (
        "MCA 12, MOCP 15: 14 carries 15",
        ONE | rla(8.0) | {"mca_a": 12.0, "mocp_a": 15.0},
        {"overcurrent_a": 15, "conductor_awg": "14", "egc_awg": "14"},
    ),
    # ── computed: 1.25 × largest + rest; 1.75 × and 2.25 ×
    (
        "RLA 10 alone: 12.5; 17.5 → 15; 22.5 → 20",
        ONE | rla(10.0),
        {"mca_a": 12.5, "overcurrent_a": 15, "mocp_a": 20.0, "conductor_awg": "14"},
    ),
    (
        "RLA 16.7 + fan 1.4: 22.275; 30.625 → 30; 38.975 → 35",
        ONE | rla(16.7) | {"motors": [{"fla_a": 1.4}]},
        {"mca_a": 22.275, "overcurrent_a": 30, "mocp_a": 35.0, "conductor_awg": "10"},
    ),
    (
        "two of 12 + fan 2: 15 + 12 + 2 = 29; 21 + 14 = 35 → 35",
        ONE | rla(12.0, 12.0) | {"motors": [{"fla_a": 2.0}]},
        {"mca_a": 29.0, "overcurrent_a": 35, "mocp_a": 40.0, "conductor_awg": "10"},
    ),
    ("RLA 5: 6.25; 8.75 → never under 15", ONE | rla(5.0), {"mca_a": 6.25, "overcurrent_a": 15}),
    (
        "RLA 28 + 2.2: 37.2; 51.2 → 50; 65.2 → 60",
        ONE | rla(28.0) | {"motors": [{"fla_a": 2.2}]},
        {"mca_a": 37.2, "overcurrent_a": 50, "mocp_a": 60.0, "conductor_awg": "8", "egc_awg": "10"},
    ),
    (
        "selection current 20 over RLA 16: 25; 35 → 35",
        ONE | {"compressors": [{"rla_a": 16.0, "bcsc_a": 20.0, "lra_a": 96.0}]},
        {"mca_a": 25.0, "overcurrent_a": 35},
    ),
    (
        "other load 3 counts at 100 %: 12.5 + 3",
        ONE | rla(10.0) | {"other_a": 3.0},
        {"mca_a": 15.5, "conductor_awg": "12"},
    ),
    # ── three-phase
    (
        "3 ph, RLA 22.4 × 2 + 3.1 × 2: 28 + 22.4 + 6.2 = 56.6; 39.2 + 28.6 = 67.8 → 60",
        THREE | rla(22.4, 22.4) | {"motors": [{"fla_a": 3.1}, {"fla_a": 3.1}]},
        {"mca_a": 56.6, "overcurrent_a": 60, "conductor_awg": "4", "poles": 3, "egc_awg": "10"},
    ),
    (
        "3 ph 460 V, RLA 12: 15; 21 → 20",
        {"volts": 460.0, "phase": 3} | rla(12.0),
        {"mca_a": 15.0, "overcurrent_a": 20, "conductor_awg": "14", "poles": 3},
    ),
    (
        "over 100 A the 75 °C column: MCA 105, MOCP 125: 2 carries 115",
        THREE | rla(70.0) | {"mca_a": 105.0, "mocp_a": 125.0},
        {"overcurrent_a": 125, "conductor_awg": "2", "ampacity_a": 115.0, "egc_awg": "6"},
    ),
    (
        "MCA 105 at 60 °C terminals: 2 carries 95, 1 carries 110",
        THREE | rla(70.0) | {"mca_a": 105.0, "mocp_a": 125.0, "termination_c": 60},
        {"conductor_awg": "1"},
    ),
    # ── 115 V
    (
        "115 V: one pole; RLA 8.4: 10.5; 14.7 → 15",
        {"volts": 115.0, "phase": 1} | rla(8.4),
        {"poles": 1, "mca_a": 10.5, "overcurrent_a": 15, "conductor_awg": "14"},
    ),
    # ── insulation
    (
        "NM-B at 60 °C: MCA 23.8 → 10",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 40.0, "insulation": "NM-B", "termination_c": 75},
        {"conductor_awg": "10", "ampacity_a": 30.0},
    ),
    (
        "NM-B derates from 90: 10 at 104 °F: 40 × 0.91 = 36.4, 60 °C column 30",
        ONE | rla(20.0) | {"mca_a": 29.0, "mocp_a": 40.0, "insulation": "NM-B", "ambient_f": 104.0},
        {"conductor_awg": "10", "ampacity_a": 30.0},
    ),
    (
        "UF-B derates from 60: 10 at 104 °F: 30 × 0.82 = 24.6 < 25 → 8: 32.8",
        ONE | rla(18.0) | {"mca_a": 25.0, "mocp_a": 40.0, "insulation": "UF-B", "ambient_f": 104.0},
        {"conductor_awg": "8", "ampacity_a": 32.8},
    ),
    (
        "THWN at 75: 10 at 113 °F: 35 × 0.82 = 28.7",
        ONE | rla(20.0) | {"mca_a": 28.0, "mocp_a": 40.0, "insulation": "THWN", "ambient_f": 113.0},
        {"conductor_awg": "10", "ampacity_a": 28.7},
    ),
    (
        "XHHW dry is 90: 10 at 122 °F: 40 × 0.82 = 32.8, column 30",
        ONE | rla(20.0) | {"mca_a": 29.0, "mocp_a": 40.0, "insulation": "XHHW", "ambient_f": 122.0},
        {"conductor_awg": "10", "ampacity_a": 30.0},
    ),
    (
        "XHHW wet is 75: 10 at 122 °F: 35 × 0.75 = 26.25 < 29 → 8: 50 × 0.75 = 37.5",
        ONE
        | rla(20.0)
        | {"mca_a": 29.0, "mocp_a": 40.0, "insulation": "XHHW", "ambient_f": 122.0, "wet": True},
        {"conductor_awg": "8", "ampacity_a": 37.5},
    ),
    # ── ambient and bundling
    (
        "THWN-2 at 104 °F: 12: 30 × 0.91 = 27.3, column 20",
        ONE | rla(14.0) | {"mca_a": 20.0, "mocp_a": 30.0, "ambient_f": 104.0},
        {"conductor_awg": "12", "ampacity_a": 20.0},
    ),
    (
        "at 131 °F: 10: 40 × 0.76 = 30.4, column 30",
        ONE | rla(22.0) | {"mca_a": 30.0, "mocp_a": 45.0, "ambient_f": 131.0},
        {"conductor_awg": "10", "ampacity_a": 30.0},
    ),
    (
        "at 140 °F: 10: 40 × 0.71 = 28.4 < 30 → 8: 39.05",
        ONE | rla(22.0) | {"mca_a": 30.0, "mocp_a": 45.0, "ambient_f": 140.0},
        {"conductor_awg": "8", "ampacity_a": 39.05},
    ),
    (
        "cool air helps the insulation, not the terminals",
        ONE | rla(22.0) | {"mca_a": 31.0, "mocp_a": 45.0, "ambient_f": 50.0},
        {"conductor_awg": "8", "ampacity_a": 40.0},
    ),
    (
        "six together: 10: 40 × 0.8 = 32, column 30",
        ONE | rla(22.0) | {"mca_a": 30.0, "mocp_a": 45.0, "current_carrying_conductors": 6},
        {"conductor_awg": "10", "ampacity_a": 30.0},
    ),
    (
        "nine together: 10: 28 < 30 → 8: 38.5",
        ONE | rla(22.0) | {"mca_a": 30.0, "mocp_a": 45.0, "current_carrying_conductors": 9},
        {"conductor_awg": "8", "ampacity_a": 38.5},
    ),
    (
        "both: 8 at 104 °F, six together: 55 × 0.91 × 0.8 = 40.04, column 40",
        ONE
        | rla(29.0)
        | {"mca_a": 40.0, "mocp_a": 60.0, "ambient_f": 104.0, "current_carrying_conductors": 6},
        {"conductor_awg": "8", "ampacity_a": 40.0},
    ),
    # ── roof: 95 + 60 = 155 °F
    (
        "2017, 0.8 in over the roof: 10: 40 × 0.58 = 23.2",
        ONE
        | rla(16.0)
        | {"mca_a": 23.0, "mocp_a": 35.0, "ambient_f": 95.0, "rooftop_clearance_in": 0.8, "edition": "2017"},
        {"conductor_awg": "10", "ampacity_a": 23.2},
    ),
    (
        "2023, 0.8 in: clear of it; 10: column 30",
        ONE
        | rla(16.0)
        | {"mca_a": 23.0, "mocp_a": 35.0, "ambient_f": 95.0, "rooftop_clearance_in": 0.8, "edition": "2023"},
        {"conductor_awg": "10", "ampacity_a": 30.0},
    ),
    (
        "2023, 0.5 in: 23.2 again",
        ONE | rla(16.0) | {"mca_a": 23.0, "mocp_a": 35.0, "ambient_f": 95.0, "rooftop_clearance_in": 0.5},
        {"ampacity_a": 23.2},
    ),
    (
        "XHHW-2 needs no adder",
        ONE
        | rla(16.0)
        | {
            "mca_a": 23.0,
            "mocp_a": 35.0,
            "ambient_f": 95.0,
            "rooftop_clearance_in": 0.5,
            "insulation": "XHHW-2",
        },
        {"ampacity_a": 30.0},
    ),
    # ── aluminium
    (
        "Al: MCA 23.8: 10 carries 25",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 40.0, "material": "aluminum"},
        {"conductor_awg": "10", "ampacity_a": 25.0, "egc_awg": "10"},
    ),
    (
        "Al: MCA 45: 6 carries 40, 4 carries 55; ground 8 behind 60 A",
        ONE | rla(33.0) | {"mca_a": 45.0, "mocp_a": 60.0, "material": "aluminum"},
        {"conductor_awg": "4", "egc_awg": "8"},
    ),
    (
        "Al never under 12",
        ONE | rla(6.0) | {"mca_a": 8.0, "mocp_a": 15.0, "material": "aluminum"},
        {"conductor_awg": "12", "egc_awg": "12"},
    ),
    # ── the other school
    (
        "sized to 40 A: 8 carries 40",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 40.0, "school": "breaker"},
        {"conductor_awg": "8", "minimum_conductor_awg": "8", "egc_awg": "10"},
    ),
    (
        "sized to 60 A: 4 carries 70; ground stays 10",
        ONE | rla(28.0) | {"mca_a": 37.0, "mocp_a": 60.0, "school": "breaker"},
        {"conductor_awg": "4", "egc_awg": "10"},
    ),
    # ── drop: 2 · L · (R·0.85 + X·0.5268) · I
    (
        "100 ft of 10 PVC at 17.9 A: 0.2 × (1.02 + 0.02634) × 17.9 = 3.7459 V",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 40.0, "length_ft": 100.0},
        {"voltage_drop_v": 3.7459, "voltage_drop_pct": 1.6287},
    ),
    (
        "in EMT X is 0.063: 0.2 × (1.02 + 0.03319) × 17.9 = 3.7704 V",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 40.0, "length_ft": 100.0, "raceway": "EMT"},
        {"voltage_drop_v": 3.7704},
    ),
    (
        "start: 0.2 × (1.2·0.75 + 0.05·0.6614) × 112 = 20.901 V = 9.087 %",
        ONE | rla(17.9, lra=112.0) | {"mca_a": 23.8, "mocp_a": 40.0, "length_ft": 100.0},
        {"start_drop_pct": 9.0873},
    ),
    (
        "√3 on three-phase: 0.17321 × (1.02 + 0.02634) × 20 = 3.6246 V",
        THREE | rla(20.0) | {"mca_a": 25.0, "mocp_a": 40.0, "length_ft": 100.0},
        {"voltage_drop_v": 3.6246, "voltage_drop_pct": 1.7426},
    ),
    (
        "unity power factor: 0.2 × 1.2 × 17.9",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 40.0, "length_ft": 100.0, "power_factor": 1.0},
        {"voltage_drop_v": 4.296},
    ),
    (
        "without RLA the drop is at MCA: 0.2 × 1.04634 × 23.8",
        ONE | {"feeds": "compressor", "mca_a": 23.8, "mocp_a": 40.0, "length_ft": 100.0},
        {"voltage_drop_v": 4.9806, "start_drop_pct": None},
    ),
    (
        "300 ft, 3 %: 10 drops 4.89 %, 8: 0.6 × 0.6904 × 17.9 = 7.4149 V = 3.22 %, 6: 0.6 × 0.44337 × 17.9 "
        "= 4.7618 V",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 40.0, "length_ft": 300.0, "drop_limit_pct": 3.0},
        {"minimum_conductor_awg": "10", "conductor_awg": "6", "voltage_drop_v": 4.7618},
    ),
    # ── grounding in proportion
    (
        "6 for 10 behind 40 A: 10.38 × 26.24 ÷ 10.38 = 26.24 → 6",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 40.0, "length_ft": 300.0, "drop_limit_pct": 3.0},
        {"egc_awg": "6"},
    ),
    (
        "4 for 6 behind 60 A: 10,380 × 41,740 ÷ 26,240 = 16,511 cmil; 8 is 16,510 within 0.2 % → 8",
        ONE | rla(38.0) | {"mca_a": 50.0, "mocp_a": 60.0, "length_ft": 145.0, "drop_limit_pct": 2.0},
        {"minimum_conductor_awg": "6", "conductor_awg": "4", "egc_awg": "8"},
    ),
    (
        "what ambient asks for is no enlargement: 8 at 140 °F behind 45 A keeps 10",
        ONE | rla(22.0) | {"mca_a": 30.0, "mocp_a": 45.0, "ambient_f": 140.0},
        {"conductor_awg": "8", "egc_awg": "10"},
    ),
    (
        "never larger than the hots: 12 behind 30 A keeps 12",
        ONE | rla(14.0) | {"mca_a": 20.0, "mocp_a": 30.0},
        {"conductor_awg": "12", "egc_awg": "12"},
    ),
    # ── disconnect
    (
        "1.15 × (17.9 + 1.4) = 22.195 → 30 A; 120.4 A locked → 5 hp",
        ONE | rla(17.9, lra=112.0) | {"motors": [{"fla_a": 1.4}], "mca_a": 23.8, "mocp_a": 40.0},
        {"disconnect_min_a": 22.195, "disconnect_a": 30, "disconnect_hp": 5.0},
    ),
    (
        "1.15 × 28 = 32.2 → 60 A; 28 A is 5 hp, 150 A locked is 5 hp",
        ONE | rla(28.0, lra=150.0),
        {"disconnect_min_a": 32.2, "disconnect_a": 60, "disconnect_hp": 5.0},
    ),
    ("locked rotor decides: 16 A is 3 hp, 110 A is 5 hp", ONE | rla(16.0, lra=110.0), {"disconnect_hp": 5.0}),
    (
        "3 ph 208: 44.8 + 6.2 = 51 A: 20 hp (59.4); locked 2 × 134.4 + 37.2 = 306: 20 hp (321)",
        THREE | rla(22.4, 22.4, lra=134.4) | {"motors": [{"fla_a": 3.1}, {"fla_a": 3.1}]},
        {"disconnect_min_a": 58.65, "disconnect_a": 60, "disconnect_hp": 20.0},
    ),
    (
        "without RLA: MCA",
        ONE | {"mca_a": 33.0, "mocp_a": 50.0},
        {"disconnect_min_a": 33.0, "disconnect_a": 60, "disconnect_hp": None},
    ),
    # ── raceway: 40 % of it for three
    (
        "three 10 THWN-2: 0.0633 in² ≤ 0.4 × 0.285 → PVC-40 1/2",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 40.0, "raceway": "PVC-40"},
        {"raceway_trade_size": "1/2"},
    ),
    (
        "two 8 and a 10: 0.0943 ≤ 0.1216 → EMT 1/2",
        ONE | rla(23.0) | {"mca_a": 31.0, "mocp_a": 50.0, "raceway": "EMT"},
        {"raceway_trade_size": "1/2"},
    ),
    (
        "two 6 and a 10: 0.1225 > 0.1216 → EMT 3/4",
        ONE | rla(35.0) | {"mca_a": 48.0, "mocp_a": 60.0, "raceway": "EMT"},
        {"conductor_awg": "6", "raceway_trade_size": "3/4"},
    ),
    (
        "two 8 and a 10 in PVC-80: 0.0943 > 0.0868 → 3/4",
        ONE | rla(23.0) | {"mca_a": 31.0, "mocp_a": 50.0, "raceway": "PVC-80"},
        {"raceway_trade_size": "3/4"},
    ),
    (
        "three 4 and a 10 in EMT: 0.2683 ≤ 0.4 × 0.864 = 0.3456 → 1",
        THREE | rla(40.0) | {"mca_a": 56.0, "mocp_a": 60.0, "raceway": "EMT"},
        {"conductor_awg": "4", "raceway_trade_size": "1"},
    ),
    (
        "cable has no trade size",
        ONE | rla(17.9) | {"raceway": "cable", "insulation": "NM-B"},
        {"raceway_trade_size": None},
    ),
    # ── two ratings on one plate, and the smallest device
    (
        "208/230 V plate on 208 V: its second figures, 17 A: 21.25",
        {"volts": 208.0, "phase": 1}
        | rla(15.4)
        | {"paired": {"volts": 208.0, "compressors": [{"rla_a": 17.0, "lra_a": 110.0}]}},
        {"mca_a": 21.25},
    ),
    (
        "and on 230 V its first, 15.4 A: 19.25",
        ONE | rla(15.4) | {"paired": {"volts": 208.0, "compressors": [{"rla_a": 17.0, "lra_a": 110.0}]}},
        {"mca_a": 19.25},
    ),
    (
        "smallest lawful device: 1.75 × 17.9 = 31.3 → 35 of 50",
        ONE | rla(17.9) | {"mca_a": 23.8, "mocp_a": 50.0, "smallest_device": True},
        {"overcurrent_a": 35},
    ),
]


@pytest.mark.parametrize(("working", "entry", "wanted"), CASES, ids=[c[0][:60] for c in CASES])
def test_a_worked_case(working: str, entry: dict[str, Any], wanted: dict[str, Any]) -> None:
    out = size_circuit(CircuitIn.model_validate(entry))
    for field, value in wanted.items():
        got = getattr(out, field)
        if isinstance(value, float):
            assert got == pytest.approx(value, abs=6e-4), f"{field}: {working}"
        else:
            assert got == value, f"{field}: {working}"


def test_there_are_enough_cases() -> None:
    assert len(CASES) >= 60
    assert len({c[0] for c in CASES}) == len(CASES)
