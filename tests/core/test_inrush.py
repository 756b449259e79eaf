"""The inrush number judged by mode, clamp place and voltage."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.measure.inrush import Inrush, judge_inrush, judge_inrush_reading
from orange_crank.core.measure.reading import NewReading, QuestionIn, question_value
from orange_crank.core.measure.running import Running, judge_running, judge_supply
from orange_crank.core.measure.taken import ReadingVerdict, TakenReading
from orange_crank.core.plate import Compressor, Motor, Plate
from orange_crank.core.tables.standards import shipped_standards, with_standard
from tests.core.call.test_ladder import NOON


def reading(amps: float, **more: Any) -> Inrush:
    # LRA 100 A at 230 V; at 207 V the corrected figure is 90 A.
    return Inrush.model_validate(
        {
            "reading_a": amps,
            "mode": "inrush",
            "conductor": "common",
            "lra_a": 100,
            "volts_start": 207,
            "plate_volts": 230,
            **more,
        }
    )


def test_locked_rotor_amps_follow_the_voltage_that_was_there() -> None:
    result = judge_inrush(reading(81))
    assert pytest.approx(90) == result.lra_corrected_a
    assert pytest.approx(0.9) == result.ratio
    assert "100 A × 207 V ÷ 230 V = 90 A" in str(result.findings[0].arithmetic)


@pytest.mark.parametrize(
    ("entry", "verdict", "code"),
    [
        (reading(80.9), "accelerating", "AWAY_WITHIN_THE_WINDOW"),
        (reading(45), "accelerating", "AWAY_WITHIN_THE_WINDOW"),
        (reading(81), "no_evidence", "NO_EVIDENCE_BY_ITSELF"),
        (reading(103), "no_evidence", "NO_EVIDENCE_BY_ITSELF"),
        (reading(104), "no_evidence", "ABOVE_LOCKED_ROTOR"),
        (reading(88, later_a=88), "not_turning", "STILL_AT_STALL_CURRENT"),
        (reading(70, later_a=77), "not_turning", "STILL_AT_STALL_CURRENT"),
        (reading(88, later_a=18), "accelerating", "AWAY_AFTER_THE_WINDOW"),
        (reading(88, later_a=150), "no_evidence", "ABOVE_LOCKED_ROTOR"),
        (reading(44), "too_low", "TOO_LOW_FOR_A_START"),
        (reading(44, aid="soft_starter"), "accelerating", "AWAY_WITHIN_THE_WINDOW"),
        (reading(44, aid=True), "accelerating", "AWAY_WITHIN_THE_WINDOW"),
        (reading(44, aid="none"), "too_low", "TOO_LOW_FOR_A_START"),
        (reading(44, aid=False), "too_low", "TOO_LOW_FOR_A_START"),
        (reading(80, mode="waveform"), "accelerating", "AWAY_WITHIN_THE_WINDOW"),
        (reading(80, mode="max_hold"), "not_comparable", "MODE_DOES_NOT_SHOW_INRUSH"),
        (reading(140, mode="peak"), "not_comparable", "MODE_DOES_NOT_SHOW_INRUSH"),
        (reading(20, mode="energy_monitor"), "not_comparable", "MODE_DOES_NOT_SHOW_INRUSH"),
        (reading(80, conductor="run"), "not_comparable", "WRONG_CONDUCTOR_FOR_LRA"),
        (reading(80, conductor="start"), "not_comparable", "WRONG_CONDUCTOR_FOR_LRA"),
        (reading(80, conductor="panel"), "not_comparable", "WRONG_CONDUCTOR_FOR_LRA"),
        (reading(80, conductor="whole_unit"), "accelerating", "FAN_IN_THE_CLAMP"),
    ],
)
def test_each_band_gives_its_verdict_and_its_reason(entry: Inrush, verdict: str, code: str) -> None:
    result = judge_inrush(entry)
    assert verdict == result.verdict
    assert code in {f.code for f in result.findings}


def test_a_reading_the_size_of_a_fan_start_names_the_fan() -> None:
    finding = judge_inrush(reading(8.5, fan_fla_a=1.4)).findings[-1]
    assert "It started first and used up the shot" in finding.text


def test_the_shop_may_move_a_limit_and_the_verdict_follows() -> None:
    strict = with_standard(shipped_standards(), "inrush_no_evidence_ratio", 0.8)
    assert "accelerating" == judge_inrush(reading(76)).verdict
    assert "no_evidence" == judge_inrush(reading(76), strict).verdict


@given(amps=st.floats(min_value=0.5, max_value=400), volts=st.floats(min_value=150, max_value=260))
def test_every_reading_gets_one_verdict_and_a_next_step_unless_it_passes(amps: float, volts: float) -> None:
    result = judge_inrush(reading(amps, volts_start=volts))
    judged = [f for f in result.findings if f.verdict != "note"]
    assert 1 == len(judged)
    assert judged[0].verdict == "pass" or judged[0].next_step


@pytest.mark.parametrize(
    ("amps", "outdoor", "verdict", "words"),
    [
        (16, None, "pass", "At or below RLA"),
        (16.7, None, "pass", "At or below RLA"),
        (17.5, None, "watch", "look at volts"),
        (17.5, 112, "watch", "ordinary on so hot a day"),
        (19, 112, "fail", "Well above"),
        (5, None, "watch", "not pumping"),
    ],
)
def test_running_amps_are_weighed_against_rated_amps(
    amps: float, outdoor: float | None, verdict: str, words: str
) -> None:
    result = judge_running(Running(running_a=amps, rla_a=16.7, outdoor_f=outdoor))
    assert verdict == result.verdict
    assert words in result.findings[0].text


@pytest.mark.parametrize(
    ("volts", "plate_volts", "verdict"),
    [
        (230, 230, "pass"),
        (253, 230, "pass"),
        (254, 230, "fail"),
        (207, 230, "pass"),
        (200, 230, "watch"),
        (186, 230, "fail"),
        (240, 208, "watch"),
        (113, 115, "pass"),
        (100, 115, "fail"),
        (414, 460, "pass"),
        (410, 460, "fail"),
    ],
)
def test_supply_is_held_against_the_window_the_equipment_is_built_for(
    volts: float, plate_volts: float, verdict: str
) -> None:
    assert verdict == judge_supply(volts, plate_volts).verdict


PLATE = Plate(volts=230, phase=1, compressors=[Compressor(rla_a=16.7, lra_a=97)], motors=[Motor(fla_a=1.4)])


@pytest.mark.parametrize(
    ("quantity", "value", "text"),
    [
        ("running_a", 15.2, None),
        ("running_a", 152, "15.2 A?"),
        ("running_a", 1.52, "15.2 A?"),
        ("inrush_a", 81, None),
        ("inrush_a", 810, "81 A?"),
        ("line_v_idle", 24, "240 V?"),
        ("line_v_idle", 400, "400 V? Usual here is 172 to 276 V."),
        ("fan_a", 13, "1.3 A?"),
        ("outdoor_f", 950, "95\u00a0°F?"),
    ],
)
def test_a_surprising_value_gets_a_question(quantity: str, value: float, text: str | None) -> None:
    asked = question_value(
        QuestionIn.model_validate({"quantity": quantity, "value": value, "plate": PLATE})
    ).question
    assert (asked.text if asked else None) == text


def test_without_a_plate_only_the_weather_is_questioned() -> None:
    assert question_value(QuestionIn(quantity="running_a", value=152)).question is None


@pytest.mark.parametrize(
    ("entry", "field"),
    [
        ({"quantity": "inrush_a", "value": 80}, "mode"),
        ({"quantity": "inrush_a", "value": 80, "mode": "inrush"}, "conductor"),
        ({"quantity": "running_a", "value": -3}, "value"),
        ({"quantity": "fan_a", "value": 400}, "value"),
    ],
)
def test_a_reading_says_what_it_lacks(entry: dict[str, Any], field: str) -> None:
    from pydantic import ValidationError

    from orange_crank.core.errors import input_problem

    with pytest.raises(ValidationError) as caught:
        NewReading.model_validate(entry)
    assert [e.field for e in input_problem(caught.value).errors] == [field]


EDGES: list[tuple[str, dict[str, Any], str, str, str]] = [
    ("nothing a second on is a trip", {"later_a": 0.0}, "no_evidence", "TRIPPED_OR_OPENED", "fail"),
    ("3 A of 112 too", {"later_a": 3.0}, "no_evidence", "TRIPPED_OR_OPENED", "fail"),
    ("half of LRA a second on is no pass", {"later_a": 57.0}, "no_evidence", "STILL_HEAVY", "watch"),
    ("a fifth is running", {"reading_a": 80.0, "later_a": 22.0}, "accelerating", "AWAY_WITHIN_THE_WINDOW",
     "pass"),
    ("135 % bare is a short", {"reading_a": 151.0}, "no_evidence", "ABOVE_LOCKED_ROTOR", "fail"),
    ("135 % with a start capacitor is none", {"reading_a": 151.0, "aid": "start_capacitor"}, "no_evidence",
     "NO_EVIDENCE_BY_ITSELF", "unknown"),
    ("160 % with one is", {"reading_a": 180.0, "aid": "start_capacitor"}, "no_evidence", "ABOVE_LOCKED_ROTOR",
     "fail"),
    ("stall current a second on is one, kit or no kit", {"reading_a": 112.0, "later_a": 110.0,
     "aid": "start_capacitor"}, "not_turning", "STILL_AT_STALL_CURRENT", "fail"),
]  # fmt: skip


@pytest.mark.parametrize(("working", "more", "verdict", "code", "found"), EDGES, ids=[e[0] for e in EDGES])
def test_what_a_second_reading_and_a_kit_change(
    working: str, more: dict[str, Any], verdict: str, code: str, found: str
) -> None:
    shot = {"reading_a": 105.0, "mode": "inrush", "conductor": "common", "lra_a": 112.0, "volts_start": 230.0,
            "plate_volts": 230.0}  # fmt: skip
    out = judge_inrush(Inrush.model_validate(shot | more))
    assert verdict == out.verdict, working
    told = next(f for f in out.findings if f.code == code)
    assert found == told.verdict, working
    assert found == "pass" or told.next_step


START_PLATE = Plate(volts=230, phase=1, compressors=[Compressor(rla_a=16.7, lra_a=100)])


@given(
    amps=st.floats(5, 400),
    later=st.none() | st.floats(0, 400),
    dip=st.floats(120, 253),
    aid=st.sampled_from([None, "hard_start"]),
)
def test_without_volts_at_the_dip_only_what_any_dip_would_show_is_said(
    amps: float, later: float | None, dip: float, aid: Any
) -> None:
    def judged(**volts: float) -> ReadingVerdict:
        entry = {"quantity": "inrush_a", "value": amps, "mode": "inrush", "conductor": "common", "aid": aid}
        made = NewReading.model_validate(entry | {"later_a": later} | volts)
        taken = TakenReading(id=1, entry=made, taken_at=NOON, person="Marlo", place=1.0)
        return judge_inrush_reading(taken, START_PLATE, shipped_standards())

    bare, known = judged(), judged(volts=dip)
    if bare.code == "not_comparable":
        assert bare.verdict == "unknown"
        assert bare.findings[0].code == "NO_VOLTS_AT_THE_DIP"
    else:
        # A stall or a short is certain: with the volts beside it the reading fails as well.
        assert bare.verdict == known.verdict == "fail"
