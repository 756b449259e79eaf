"""The patterns of the trade that must come out right, each by name."""

from typing import Any

import pytest

from orange_crank.core.diagnosis import DiagnoseIn, DiagnoseOut, diagnose
from orange_crank.core.diagnosis.table import diagnosis_tests

SPLIT: dict[str, Any] = {
    "volts": 230.0,
    "phase": 1,
    "compressors": [{"rla_a": 17.9, "lra_a": 112.0, "kind": "scroll"}],
    "motors": [{"fla_a": 1.4}],
    "run_cap_uf": 45.0,
    "fan_cap_uf": 5.0,
    "mca_a": 23.8,
    "mocp_a": 40.0,
}
ROOFTOP: dict[str, Any] = {
    "volts": 208.0,
    "phase": 3,
    "compressors": [{"rla_a": 13.1, "lra_a": 83.0, "kind": "scroll"}],
    "motors": [{"fla_a": 1.7}],
}
COOLER: dict[str, Any] = {
    "volts": 115.0,
    "phase": 1,
    "compressors": [{"rla_a": 8.4, "lra_a": 46.0, "kind": "reciprocating"}],
    "metering": "captube",
}


def r(quantity: str, value: Any, **more: Any) -> dict[str, Any]:
    return {"quantity": quantity, "value": value, **more}


SOUND = [r("winding_cs_ohm", 2.3), r("winding_cr_ohm", 0.62), r("winding_sr_ohm", 2.93)]
CLEAR = r("to_ground", False)
GOOD_CAP = r("run_cap_uf", 44.6)
LOCKED = [
    CLEAR,
    GOOD_CAP,
    *SOUND,
    r("start_kit_present", False),
    r("line_v_start", 226.0, where="panel"),
    r("terminal_v_start", 223.0, where="terminals"),
    r("pressures_equal", True),
    r("inrush_a", 109.0, mode="inrush", conductor="common", volts=226.0, later_a=108.0),
]


def case(symptoms: list[str], *readings: Any, plate: dict[str, Any] = SPLIT, **more: Any) -> DiagnoseOut:
    return diagnose(
        DiagnoseIn.model_validate({"plate": plate, "symptoms": symptoms, "readings": list(readings)} | more)
    )


def top(out: DiagnoseOut) -> str:
    return out.ranked[0].hypothesis


def chance(out: DiagnoseOut, hypothesis: str) -> float:
    return next((x.probability for x in out.ranked if x.hypothesis == hypothesis), 0.0)


def test_trips_at_once_on_reset_asks_for_to_ground_before_anything_else() -> None:
    out = case(["trips_at_once"])
    assert "to_ground" == out.next_tests[0].test
    assert "Don't reset" in out.next_tests[0].why
    notes = {n.test: n for n in diagnosis_tests()}
    assert not [t for t in out.next_tests if t.danger == "live" or "may_energise" in notes[t.test].only]


def test_trips_after_minutes_looks_to_current_breaker_and_head() -> None:
    out = case(["trips_after_minutes"], CLEAR)
    assert {"high_head", "breaker_weak_or_small", "fan_motor", "overcharge"} >= {
        x.hypothesis for x in out.ranked[:3]
    }


def test_hums_a_while_then_starts_all_else_good_is_torque_margin() -> None:
    out = case(
        ["slow_start"],
        CLEAR,
        GOOD_CAP,
        r("line_v_idle", 238.0),
        r("line_v_start", 231.0),
        r("terminal_v_start", 229.0),
        r("contactor_drop_v", 0.05),
        r("start_kit_present", False),
        r("start_time_s", 1.2, plus_minus=0.1),
    )
    margin = {"pressure_not_equal", "long_lines_or_liquid", "worn_bearings"}
    assert sum(chance(out, h) for h in margin) > 0.6


@pytest.mark.parametrize(("uf", "cause"), [(30.0, "run_capacitor_weak"), (5.0, "run_capacitor_open")])
def test_hums_never_starts_with_a_low_capacitor_is_the_capacitor_first(uf: float, cause: str) -> None:
    out = case(["hums_no_start"], r("run_cap_uf", uf))
    assert cause == top(out)
    assert sum(x.probability for x in out.ranked if x.repair == "run_capacitor") > 0.85
    assert "Replace the run capacitor" in out.ranked[0].fix


def test_volts_that_sag_past_the_limit_call_for_a_walk_of_the_supply() -> None:
    out = case(
        ["slow_start", "lights_dim"], CLEAR, GOOD_CAP, r("line_v_idle", 229.0), r("line_v_start", 198.0)
    )
    assert "supply_low" == top(out)
    behind = case(
        ["slow_start"],
        CLEAR,
        GOOD_CAP,
        r("line_v_idle", 238.0),
        r("line_v_start", 232.0, where="panel"),
        r("terminal_v_start", 205.0, where="terminals"),
        r("contactor_drop_v", 0.05),
    )
    assert "segment_loss" == top(behind)


def test_starts_with_the_kit_then_the_overload_trips_is_a_masked_open_capacitor() -> None:
    out = case(["starts_then_trips", "runs_hot"], CLEAR, r("start_kit_present", True), r("running_a", 26.0))
    assert "kit_masks_open_capacitor" == top(out)
    assert "run_capacitor" in [t.test for t in out.next_tests[:3]]
    assert (
        chance(
            case(["starts_then_trips"], CLEAR, r("start_kit_present", True), r("run_cap_uf", 2.0)),
            "kit_masks_open_capacitor",
        )
        > 0.6
    )


def test_nothing_happens_with_controls_on_is_a_delay_first_then_fuse_and_transformer() -> None:
    out = case(["controls_on_nothing_runs"])
    assert ["delay_or_lockout", "control_fuse_or_transformer"] == [x.hypothesis for x in out.ranked[:2]]
    assert ["ask_pull_in", "look_delay"] == [t.test for t in out.next_tests[:2]]
    stays_out = case(["controls_on_nothing_runs"], r("contactor_pulled_in", False))
    pulls_in = case(["controls_on_nothing_runs"], r("contactor_pulled_in", True))
    assert "look_delay" == stays_out.next_tests[0].test
    assert chance(pulls_in, "no_line_at_unit") > 4 * chance(stays_out, "no_line_at_unit")
    assert chance(stays_out, "delay_or_lockout") > 4 * chance(pulls_in, "delay_or_lockout")
    no_delay = case(["controls_on_nothing_runs"], r("delay_active", False), r("status_code", "none"))
    assert "control_fuse_or_transformer" == top(no_delay)


def test_what_tripped_splits_shorts_from_load() -> None:
    out = case(["trips_after_minutes"], CLEAR)
    assert "ask_what_tripped" == out.next_tests[0].test
    breaker = case(["trips_after_minutes"], CLEAR, r("what_tripped", "breaker"))
    overload = case(["trips_after_minutes"], CLEAR, r("what_tripped", "overload"))
    assert chance(breaker, "breaker_weak_or_small") > 4 * chance(overload, "breaker_weak_or_small")
    assert chance(overload, "high_head") > 2 * chance(breaker, "high_head")
    assert "ask_what_tripped" not in {t.test for t in case(["hums_no_start"]).next_tests}


def test_leads_off_and_fan_only_separates_the_compressor_when_a_breaker_trips() -> None:
    trips = case(["trips_after_minutes"], CLEAR, r("fan_only_runs", False))
    holds = case(["trips_after_minutes"], CLEAR, r("fan_only_runs", True))
    assert chance(trips, "breaker_weak_or_small") > 2 * chance(holds, "breaker_weak_or_small")


def test_common_open_to_both_is_an_overload_that_must_cool_and_is_not_condemned() -> None:
    out = case(
        ["fan_only"],
        CLEAR,
        r("winding_cs_ohm", "open"),
        r("winding_cr_ohm", "open"),
        r("winding_sr_ohm", 2.93),
        r("shell_hot", True),
    )
    assert "overload_open" == top(out)
    assert "cool" in out.ranked[0].fix
    assert not out.condemn.allowed


def test_an_existing_kit_is_bypassed_before_anything_is_condemned() -> None:
    readings = [x for x in LOCKED if x["quantity"] != "start_kit_present"]
    out = case(["hums_no_start"], *readings, r("start_kit_present", True))
    assert not out.condemn.allowed
    assert "START_KIT" in [m.code for m in out.condemn.missing]
    assert "kit_bypass" in [t.test for t in out.next_tests]


def test_starts_after_a_long_rest_and_not_soon_after_a_stop_is_pressure() -> None:
    out = case(["hums_no_start", "starts_after_long_rest"], r("minutes_rest", 1.5), GOOD_CAP)
    assert "pressure_not_equal" == top(out)
    assert "delay" in out.ranked[0].fix


def test_amps_that_do_not_fall_with_everything_proved_is_locked_and_one_trial_is_legitimate() -> None:
    out = case(["hums_no_start"], *LOCKED)
    assert "locked_rotor" == top(out)
    assert out.condemn.allowed
    assert [] == out.condemn.missing
    assert out.condemn.trial is not None
    assert "approved in writing" in out.condemn.trial
    assert "no charge" in out.condemn.trial
    started = case(["hums_no_start"], *LOCKED, kit_trial="started")
    assert not started.condemn.allowed
    assert "plan the replacement" in (started.condemn.trial or "")
    assert case(["hums_no_start"], *LOCKED, kit_trial="did_not_start").condemn.allowed


def test_rattle_and_high_amps_on_a_scroll_is_bearings() -> None:
    out = case(
        ["rattles", "slow_start"],
        CLEAR,
        GOOD_CAP,
        r("running_a", 21.5),
        r("rotation_ok", True),
        r("line_v_start", 231.0),
    )
    assert "worn_bearings" == top(out)
    assert "valve" not in out.ranked[0].title.lower() + out.ranked[0].fix.lower()


def test_a_relay_that_never_drops_out_shows_in_amps_and_its_contact() -> None:
    out = case(
        ["starts_then_trips"],
        CLEAR,
        GOOD_CAP,
        r("start_kit_present", True),
        r("start_kit_contact_ohm", "open"),
        r("start_kit_kind", "potential_relay"),
        r("running_a", 26.0),
    )
    assert "start_kit_failed" == top(out)


def test_a_scroll_after_a_brief_outage_may_run_backwards() -> None:
    out = case(["rattles"], CLEAR, r("rotation_ok", False), r("running_a", 6.0), supply_restored=True)
    assert "reverse_rotation" == top(out)


def test_three_phase_and_inverter_and_small_refrigeration_have_their_own_causes() -> None:
    rooftop = case(["hums_no_start"], plate=ROOFTOP)
    assert "phase_fault" == top(rooftop)
    assert 0 == chance(rooftop, "run_capacitor_weak")
    assert any("Three-phase" in t for t in rooftop.not_judged)
    inverter = case(["hums_no_start"], plate=SPLIT | {"inverter": True, "run_cap_uf": None})
    assert not {"start_kit_failed", "locked_rotor", "run_capacitor_open"} & {
        x.hypothesis for x in inverter.ranked
    }
    assert any("go by its fault code" in t for t in inverter.not_judged)
    cooler = case(["hums_no_start"], plate=COOLER)
    assert "current_relay_or_external_overload" == top(cooler)


STOPS: dict[str, tuple[dict[str, Any], str]] = {
    "grounded": ({"readings": [r("to_ground", True)]}, "GROUNDED"),
    "vacuum": ({"readings": [r("suction_psig", -4.0, state="running")]}, "VACUUM"),
    "unknown feed": ({"hazards": ["unknown_feed"]}, "UNKNOWN_FEED"),
    "terminal damage": ({"hazards": ["terminal_damage"]}, "TERMINAL_DAMAGE"),
    "repeated trips": ({"hazards": ["repeated_trips"]}, "REPEATED_TRIPS"),
    "open neutral": (
        {
            "readings": [
                r("leg_a_n_v", 120.0, state="idle"),
                r("leg_b_n_v", 120.0, state="idle"),
                r("leg_a_n_v", 98.0, state="starting"),
                r("leg_b_n_v", 139.0, state="starting"),
            ]
        },
        "OPEN_NEUTRAL",
    ),
}


@pytest.mark.parametrize(("more", "code"), STOPS.values(), ids=STOPS)
def test_stop_conditions_outrank_everything_and_no_live_test_is_proposed(
    more: dict[str, Any], code: str
) -> None:
    out = diagnose(DiagnoseIn.model_validate({"plate": SPLIT, "symptoms": ["slow_start"]} | more))
    assert out.stop is not None
    assert code == out.stop.code
    assert out.stop.next_step
    assert not [t for t in out.next_tests if t.danger == "live"]
    assert out.plain.startswith("We have stopped")


def test_open_or_grounded_windings_confirmed_cold_are_enough_by_themselves() -> None:
    open_start = [r("winding_cs_ohm", "open"), r("winding_cr_ohm", 0.62), r("winding_sr_ohm", "open")]
    hot = case(["hums_no_start"], *open_start, r("windings_at_pins", "open"))
    assert ["COLD"] == [m.code for m in hot.condemn.missing]
    at_pins = [x | {"where": "terminals"} for x in open_start]
    assert case(["hums_no_start"], *at_pins, r("shell_hot", False)).condemn.allowed
    grounded = case(["trips_at_once"], r("to_ground", True), r("shell_hot", False))
    assert ["ISOLATED"] == [m.code for m in grounded.condemn.missing]
    proved = case(["trips_at_once"], r("to_ground", True, where="terminals"), r("shell_hot", False))
    assert proved.condemn.allowed
    assert proved.condemn.ask_why


@pytest.mark.parametrize(
    "left_out", ["to_ground", "run_cap_uf", "terminal_v_start", "winding_cr_ohm", "start_kit_present"]
)
def test_each_missing_proof_keeps_the_compressor_from_being_condemned(left_out: str) -> None:
    out = case(["hums_no_start"], *[x for x in LOCKED if x["quantity"] != left_out])
    assert not out.condemn.allowed
    assert left_out in {q for m in out.condemn.missing for q in m.asks}


PLAIN: dict[str, Any] = {
    "volts": 230, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112}], "run_cap_uf": 45, "mca_a": 23.8,
}  # fmt: skip
STOPPED: list[dict[str, Any]] = [
    {"hazards": ["unknown_feed"]},
    {"hazards": ["water"]},
    {"hazards": ["terminal_damage"]},
    {"hazards": ["repeated_trips"]},
    {"readings": [{"quantity": "to_ground", "value": True}]},
    {"readings": [{"quantity": "suction_psig", "value": -3, "state": "running"}]},
]


@pytest.mark.parametrize("said", STOPPED, ids=[str(s)[:40] for s in STOPPED])
@pytest.mark.parametrize("symptom", ["hums_no_start", "slow_start", "starts_then_trips", "trips_at_once"])
def test_a_stop_offers_nothing_it_forbids_and_says_a_sentence(said: dict[str, Any], symptom: str) -> None:
    out = diagnose(DiagnoseIn.model_validate({"plate": PLAIN, "symptoms": [symptom]} | said))
    assert out.stop is not None
    notes = {t.test: t for t in diagnosis_tests()}
    for offered in out.next_tests:
        note = notes[offered.test]
        assert note.danger not in ("live", "control_live")
        assert not {"may_energize", "runs", "starts", "fan_runs", "turns_backwards"} & set(note.only)
        if out.stop.scope == "all":
            assert note.danger == "none"
            assert not note.hands_on, "a gauge goes on by hand"
    assert out.plain.startswith("We have stopped the work. ")
    assert out.plain.endswith(".")
    assert "_" not in out.plain


RUNNING = [r("suction_psig", 125.0, state="running"), r("discharge_psig", 148.0, state="running")]


def test_gauges_that_do_not_move_apart_at_few_amps_are_a_compressor_turning_backward() -> None:
    """A scroll that runs backward: 125 and 148 psig, 0.44 × RLA, rattling. Nobody looked at its rotation."""
    out = case(["rattles"], *RUNNING, r("running_a", 5.8), plate=ROOFTOP)
    assert top(out) == "reverse_rotation"
    told = case(["rattles"], r("rotation_ok", False), plate=ROOFTOP)
    assert top(told) == "reverse_rotation"


def test_gauges_that_moved_apart_or_full_amps_are_not() -> None:
    apart = [r("suction_psig", 118.0, state="running"), r("discharge_psig", 340.0, state="running")]
    for readings in ([*apart, r("running_a", 5.8)], [*RUNNING, r("running_a", 13.0)], RUNNING):
        out = case(["rattles"], *readings, plate=ROOFTOP)
        assert top(out) != "reverse_rotation"
    seen_right = case(["rattles"], *RUNNING, r("running_a", 5.8), r("rotation_ok", True), plate=ROOFTOP)
    assert top(seen_right) != "reverse_rotation"
