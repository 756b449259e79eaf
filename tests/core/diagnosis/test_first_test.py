"""What a master checks first: stages worked from the trade's order, not from the likelihood table."""

from typing import Any

import pytest

from tests.core.diagnosis.test_patterns import CLEAR, COOLER, GOOD_CAP, ROOFTOP, SOUND, SPLIT, case, r

INVERTER = SPLIT | {"inverter": True}
TRIP = ("starts_then_trips", "trips_after_minutes", "trips_at_once")
# Symptoms, readings so far, nameplate, tests a master would do next.
STAGES: list[tuple[list[str], list[Any], dict[str, Any], set[str]]] = [
    *[([trip], [], plate, {"to_ground"}) for trip in TRIP for plate in (SPLIT, ROOFTOP, INVERTER)],
    (
        ["trips_at_once"],
        [CLEAR],
        SPLIT,
        {"leg_to_leg", "ask_what_tripped", "look_breaker", "contactor", "windings"},
    ),
    (
        ["trips_at_once"],
        [CLEAR, r("legs_shorted", False)],
        SPLIT,
        {"ask_what_tripped", "windings", "run_capacitor"},
    ),
    (["trips_at_once"], [r("to_ground", True)], SPLIT, {"isolation", "find_piece", "ground_piece"}),
    (["trips_after_minutes"], [CLEAR], SPLIT, {"ask_what_tripped"}),
    (
        ["trips_after_minutes"],
        [CLEAR, r("what_tripped", "breaker")],
        SPLIT,
        {"look_breaker", "breaker_lug", "look_condenser", "run_capacitor"},
    ),
    (
        ["trips_after_minutes"],
        [CLEAR, r("what_tripped", "overload")],
        SPLIT,
        {"look_condenser", "run_capacitor", "fan_capacitor", "fan_turns"},
    ),
    (
        ["trips_after_minutes"],
        [CLEAR, r("what_tripped", "overload"), GOOD_CAP],
        SPLIT,
        {"look_condenser", "fan_capacitor", "fan_turns", "watch_rotation"},
    ),
    (
        ["trips_after_minutes"],
        [CLEAR, r("what_tripped", "overload"), GOOD_CAP, r("condenser_dirty", False)],
        SPLIT,
        {"fan_capacitor", "fan_turns", "fan", "running", "kit", "charge_history", "head", "watch_rotation"},
    ),
    (
        ["trips_after_minutes"],
        [CLEAR, r("what_tripped", "overload"), r("condenser_dirty", True)],
        SPLIT,
        {"run_capacitor", "fan_capacitor", "head", "fan_turns"},
    ),
    (["starts_then_trips"], [CLEAR, r("what_tripped", "overload")], SPLIT, {"run_capacitor", "kit"}),
    (
        ["starts_then_trips"],
        [CLEAR, r("what_tripped", "breaker")],
        SPLIT,
        {"run_capacitor", "look_breaker", "kit"},
    ),
    (
        ["starts_then_trips"],
        [CLEAR, r("what_tripped", "overload"), r("start_kit_present", True)],
        SPLIT,
        {"run_capacitor", "kit"},
    ),
    (
        ["starts_then_trips"],
        [CLEAR, r("what_tripped", "overload"), GOOD_CAP],
        SPLIT,
        {"kit", "look_condenser", "windings", "running", "fan_capacitor"},
    ),
    (["hums_no_start"], [], SPLIT, {"run_capacitor"}),
    (["hums_no_start"], [GOOD_CAP], SPLIT, {"windings", "kit"}),
    (
        ["hums_no_start"],
        [GOOD_CAP, *SOUND],
        SPLIT,
        {"kit", "start_volts", "supply_walk", "contactor", "pressures", "to_ground"},
    ),
    (
        ["hums_no_start"],
        [GOOD_CAP, *SOUND, r("start_kit_present", False), r("pressures_equal", True)],
        SPLIT,
        {"start_volts", "supply_walk", "line_at_unit", "to_ground", "contactor"},
    ),
    (
        ["hums_no_start"],
        [GOOD_CAP, *SOUND, r("start_kit_present", True), r("start_kit_contact_ohm", 0.1)],
        SPLIT,
        {"kit_wiring", "kit_bypass", "pressures", "start_volts"},
    ),
    (
        ["hums_no_start"],
        [],
        ROOFTOP,
        {"line_at_unit", "fuses", "leg_to_leg", "imbalance", "windings", "contactor"},
    ),
    (["hums_no_start"], [], COOLER, {"windings", "start_relay", "run_capacitor"}),
    (["hums_no_start", "starts_after_long_rest"], [GOOD_CAP], SPLIT, {"pressures", "ask_rest"}),
    (["slow_start"], [], SPLIT, {"run_capacitor"}),
    (
        ["slow_start"],
        [GOOD_CAP],
        SPLIT,
        {"supply_walk", "pressures", "kit", "idle_volts", "start_volts", "contactor"},
    ),
    (["slow_start", "lights_dim"], [GOOD_CAP], SPLIT, {"supply_walk", "legs", "idle_volts", "start_volts"}),
    (
        ["slow_start"],
        [GOOD_CAP, r("line_v_start", 205.0, where="panel"), r("line_v_idle", 238.0)],
        SPLIT,
        {"supply_walk", "legs", "breaker_lug"},
    ),
    (
        ["slow_start"],
        [GOOD_CAP, r("pressures_equal", False)],
        SPLIT,
        {"ask_rest", "supply_walk", "kit", "time_start"},
    ),
    (["fan_only"], [], SPLIT, {"windings"}),
    (
        ["fan_only"],
        [
            r("winding_cs_ohm", "open"),
            r("winding_cr_ohm", "open"),
            r("winding_sr_ohm", 2.9),
            r("shell_hot", True),
        ],
        SPLIT,
        {"ask_rest", "run_capacitor", "pins", "look_condenser", "to_ground"},
    ),
    (
        ["fan_only"],
        [
            r("winding_cs_ohm", "open"),
            r("winding_cr_ohm", "open"),
            r("winding_sr_ohm", 2.9),
            r("shell_hot", False),
        ],
        SPLIT,
        {"pins"},
    ),
    (["controls_on_nothing_runs"], [], SPLIT, {"ask_pull_in"}),
    (["no_sound"], [], SPLIT, {"ask_pull_in"}),
    (["controls_on_nothing_runs"], [r("contactor_pulled_in", False)], SPLIT, {"look_delay"}),
    (
        ["controls_on_nothing_runs"],
        [r("contactor_pulled_in", False), r("delay_active", False), r("status_code", "none")],
        SPLIT,
        {"coil", "control_fuse", "control_switch", "look_switches"},
    ),
    (
        ["controls_on_nothing_runs"],
        [r("contactor_pulled_in", True)],
        SPLIT,
        {"line_at_unit", "fuses", "contactor"},
    ),
    (["controls_on_nothing_runs"], [], INVERTER, {"look_delay"}),
    (["hums_no_start"], [], INVERTER, {"look_delay"}),
    (["rattles", "contactor_hums"], [], SPLIT, {"coil", "contactor"}),
    (
        ["short_cycles"],
        [],
        SPLIT,
        {
            "charge_history",
            "look_condenser",
            "look_delay",
            "control_switch",
            "pressures",
            "ask_rest",
            "ask_pull_in",
        },
    ),
    (["rattles"], [], SPLIT, {"watch_rotation", "ask_rest", "head", "running", "coil"}),
    (["runs_hot"], [], SPLIT, {"look_condenser", "run_capacitor", "fan_turns"}),
]


def test_the_first_test_is_one_a_master_would_do() -> None:
    first, three = [], []
    for symptoms, readings, plate, right in STAGES:
        offered = [t.test for t in case(symptoms, *readings, plate=plate).next_tests]
        first.append(offered[:1] != [] and offered[0] in right)
        three.append(bool(set(offered[:3]) & right))
    missed = [(s[0], s[1]) for s, ok in zip(STAGES, first, strict=True) if not ok]
    assert sum(first) >= 0.85 * len(STAGES), missed
    assert sum(three) >= 0.95 * len(STAGES)


@pytest.mark.parametrize("amps", [16.0, 40.0])
def test_a_start_lead_that_carries_far_too_much_means_the_kit_stays_in(amps: float) -> None:
    kit = [r("start_kit_present", True), r("start_kit_contact_ohm", 0.1)]
    before = case(["runs_hot"], GOOD_CAP, *kit)
    after = case(["runs_hot"], GOOD_CAP, *kit, r("start_a", amps))
    assert after.ranked[0].hypothesis == "start_kit_failed"
    assert after.ranked[0].probability > 4 * sum(
        x.probability for x in before.ranked if x.hypothesis == "start_kit_failed"
    )


def test_amps_a_run_capacitor_passes_are_no_sign_of_a_kit() -> None:
    plain = case(["runs_hot"], GOOD_CAP, r("start_a", 7.0))
    assert plain.ranked[0].hypothesis != "start_kit_failed"
