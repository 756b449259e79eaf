import pytest

from orange_crank.core.measure.isolation import Isolation, isolate
from orange_crank.core.measure.refrigerant import Refrigerant, judge_refrigerant


def test_the_next_piece_is_lifted_until_the_short_is_found() -> None:
    assert "compressor" == isolate(Isolation(whole=True)).next_piece
    assert "fan" == isolate(Isolation(whole=True, compressor=False)).next_piece
    found = isolate(Isolation(whole=True, compressor=False, fan=False, crankcase_heater=True))
    assert ["crankcase_heater"] == found.shorted
    assert "fail" == found.verdict
    assert found.next_piece is None


def test_a_grounded_pin_grounds_the_compressor_and_is_named() -> None:
    found = isolate(Isolation(terminal_c=False, terminal_s=True, terminal_r=False))
    assert ["compressor"] == found.shorted
    assert "pin S" in found.findings[0].text
    assert "Do not reset" in (found.findings[0].next_step or "")


def test_three_clear_pins_clear_the_compressor() -> None:
    found = isolate(Isolation(terminal_c=False, terminal_s=False, terminal_r=False))
    assert "compressor" not in found.untested
    assert "pass" == found.verdict


def test_shorted_together_and_clear_apart_is_not_called_good() -> None:
    pieces = dict.fromkeys(
        ("compressor", "fan", "crankcase_heater", "run_capacitor", "start_kit", "wiring"), False
    )
    assert "unknown" == isolate(Isolation(whole=True, **pieces)).verdict


def test_nothing_tested_is_not_clear() -> None:
    assert "unknown" == isolate(Isolation()).verdict


def test_insulation_is_brought_to_forty_degrees() -> None:
    # 20 °C is 20 K below 40 °C: two halvings. 60 MΩ → 15 MΩ, under the 20 MΩ watch line.
    found = isolate(Isolation(whole=False, insulation_megohm=60.0, winding_f=68.0, test_v=500.0))
    assert found.insulation_40c_megohm == pytest.approx(15.0)
    assert "watch" == found.verdict
    assert "pass" == isolate(Isolation(whole=False, insulation_megohm=60.0)).verdict
    assert "fail" == isolate(Isolation(whole=False, insulation_megohm=1.0)).verdict


@pytest.mark.parametrize(("apart", "equal"), [(4.0, True), (10.0, True), (11.0, False), (150.0, False)])
def test_pressures_met_or_not(apart: float, equal: bool) -> None:
    found = judge_refrigerant(Refrigerant(idle_suction_psig=120.0, idle_discharge_psig=120.0 + apart))
    assert equal is found.pressures_equal
    assert ("pass" if equal else "watch") == found.verdict


def test_a_vacuum_stops_the_work() -> None:
    found = judge_refrigerant(Refrigerant(suction_psig=-5.0, discharge_psig=150.0))
    assert found.stop
    assert "fail" == found.verdict


def test_high_head_is_a_ratio_of_absolute_pressures() -> None:
    # (450 + 14.7) / (70 + 14.7) = 5.49
    found = judge_refrigerant(Refrigerant(suction_psig=70.0, discharge_psig=450.0))
    assert found.pressure_ratio == pytest.approx(5.486, abs=0.001)
    assert "watch" == found.verdict
    # (280 + 14.7) / (118 + 14.7) = 2.22
    assert "pass" == judge_refrigerant(Refrigerant(suction_psig=118.0, discharge_psig=280.0)).verdict


@pytest.mark.parametrize(
    ("entry", "code"),
    [
        ({"superheat_f": 1.0}, "SUPERHEAT"),
        ({"subcooling_f": 30.0}, "SUBCOOLING"),
        ({"charge": "over"}, "CHARGE_KNOWN"),
        ({"line_set_ft": 80.0}, "LONG_LINES"),
        ({"rise_ft": 25.0}, "LONG_LINES"),
        ({"buried_dip": True}, "LONG_LINES"),
        ({"kinked": True}, "KINKED"),
        ({}, "NOTHING_MEASURED"),
    ],
)
def test_each_sign_is_named_and_says_what_to_do(entry: dict[str, object], code: str) -> None:
    finding = judge_refrigerant(Refrigerant.model_validate(entry)).findings[0]
    assert code == finding.code
    assert finding.verdict in ("watch", "fail", "unknown")
    assert finding.next_step
