"""Every shop standard turns some verdict, wherever it is judged."""

import json
from dataclasses import fields
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, seed, settings

from orange_crank.core.errors import CrankError
from orange_crank.core.tables.standards import Standards, shipped_standards, with_standard
from orange_crank.topics import TOPICS, find_topic
from tests.making import from_schema

NAMES = [f.name for f in fields(Standards)]
JUDGING = [t for t in TOPICS if find_topic(t).uses_standards]
ASKED: set[str] = set()
PLATE = {"volts": 230, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112}], "run_cap_uf": 45}


def told(*seen: tuple[str, Any], **more: Any) -> tuple[str, dict[str, Any]]:
    return "diagnose", {"plate": PLATE, "readings": [{"quantity": q, "value": v} for q, v in seen], **more}


def wound(winding_f: float | None) -> tuple[str, dict[str, Any]]:
    now = {"cs_ohm": 2.0, "cr_ohm": 0.5, "sr_ohm": 2.5, "winding_f": winding_f}
    then = {"cs_ohm": 2.3, "cr_ohm": 0.6, "sr_ohm": 2.9, "winding_f": winding_f}
    return "windings", now | {"reference": then}


CIRCUIT = PLATE | {"motors": [{"fla_a": 1.4}]}
HEAT = {"kits": [{"kw": 9.6, "rated_v": 240, "elements": 2}], "supply_v": 240, "phase": 1, "blower_fla_a": 4,
        "measured": {"volts": 240, "amps": 48.0}}  # fmt: skip
SHOT = {"reading_a": 100, "mode": "inrush", "conductor": "common", "lra_a": 112,
        "volts_start": 230, "plate_volts": 230}  # fmt: skip
GAUGES = {"suction_psig": 118.0, "discharge_psig": 318.0, "outdoor_f": 80.0, "refrigerant": "R-410A"}
SIDE = {"value_a": 100.0, "mode": "inrush", "conductor": "common", "volts": 230.0}
BIG_KIT = {"part": "KW", "aid": "relay_two_wire", "start_cap_uf": 180.0, "volts_ac": 330.0}
KIT = [{"part": "KT", "aid": "time_delay", "price": 30.0}]
FAILED_OPEN: list[tuple[str, Any]] = [
    ("winding_cs_ohm", "open"), ("winding_cr_ohm", "open"), ("winding_sr_ohm", 2.9), ("shell_hot", False),
    ("windings_at_pins", "open"),
]  # fmt: skip
SMALL_SOURCE = {"plate": PLATE, "source": {"kind": "generator", "rated_kva": 12.0, "volts": 240}}
# What a search finds seldom: several figures have to meet. Judged on a call as the screens send it.
MEET: dict[str, tuple[str, dict[str, Any]]] = {
    "capacitor_open_pct": told(("run_cap_uf", 3.0)),
    "capacitor_poor_pct": told(("run_cap_uf", 33.0)),
    "run_capacitor_pct": told(("run_cap_uf", 41.0)),
    "idle_days_many": told(("idle_days", 40)),
    "start_branch_dead_pct": told(("start_a", 0.9)),
    "start_lead_far_ratio": told(("start_a", 16.0)),
    "very_slow_seconds": told(("start_time_s", 1.6)),
    "panel_dip_pct": told(("line_v_idle", 240), ("line_v_start", 230)),
    "path_loss_pct": told(("line_v_idle", 240), ("line_v_start", 230), ("terminal_v_start", 224)),
    "no_line_pct": told(("line_at_unit_v", 90)),
    "overload_rest_min": told(*FAILED_OPEN, ("minutes_rest", 200.0)),
    "source_dip_pct": ("start", SMALL_SOURCE),
    "later_trip_ratio": ("inrush", SHOT | {"later_a": 4.0}),
    "later_heavy_ratio": ("inrush", SHOT | {"later_a": 50.0}),
    "kit_stall_ratio": ("inrush", SHOT | {"reading_a": 150, "aid": "start_capacitor"}),
    "vacuum_saturation_f": ("refrigerant", {"suction_psig": -2.0, "refrigerant": "R-134a"}),
    "condensing_over_high_f": ("refrigerant", GAUGES),
    "condensing_over_low_f": ("refrigerant", GAUGES | {"outdoor_f": 96.0}),
    "gauge_psi": ("refrigerant", GAUGES),
    "closing_angle_pct": ("compare", {"before": SIDE, "after": SIDE | {"value_a": 90.0}, "changes": []}),
    "winding_zero_ohm": ("windings", {"cs_ohm": 2.0, "cr_ohm": 0.03, "sr_ohm": 2.03}),
    "volts_agree_v": told(("line_v_idle", 230), ("line_v_start", 233)),
    "reading_spread_pct": told(("running_a", 15.0), ("running_a", 18.0)),
    "told_weight": told(("start_time_s", 1.2), symptoms=["slow_start"]),
    "hot_day_f": ("running", {"running_a": 18.4, "rla_a": 17.9, "volts": 230, "plate_volts": 230,
                              "outdoor_f": 104}),
    "not_turning_low_ratio": ("inrush", {"reading_a": 108, "later_a": 96, "mode": "inrush",
                                         "conductor": "common", "lra_a": 112, "volts_start": 230,
                                         "plate_volts": 230, "fan_fla_a": 1.3}),
    "relay_coil_high_ohm": ("start-kit", {"kind": "potential_relay", "contact_ohm": 0.1, "coil_ohm": 9000}),
    "turn_short_pct": wound(75.0),
    "turn_short_cold_pct": wound(None),
    "winding_phase_pct": ("windings", {"phase": 3, "cs_ohm": 1.0, "cr_ohm": 1.04, "sr_ohm": 1.0}),
    "hot_climate_f": ("aid", {"plate": PLATE, "outdoor_design_f": 108.0}),
    "ptc_cycles_per_hour": ("aid", {"plate": PLATE, "cycles_per_hour": 5.0}),
    "labor_rate_per_hour": ("aid", {"plate": PLATE, "stock": KIT}),
    "start_capacitor_current": ("aid", {"plate": PLATE}),
    "start_capacitor_overdrive": ("aid", {"plate": PLATE, "stock": [BIG_KIT]}),
    "start_uf_per_ton_low": ("aid", {"plate": PLATE | {"tons": 3.0}}),
    "start_uf_per_ton_high": ("aid", {"plate": PLATE | {"tons": 3.0}}),
    "va_per_ton_low": ("plate", PLATE | {"tons": 3.0}),
    "va_per_ton_high": ("plate", PLATE | {"tons": 3.0}),
    "voltage_drop_pct": ("circuit", CIRCUIT | {"length_ft": 150.0}),
    "start_power_factor": ("circuit", CIRCUIT | {"length_ft": 150.0}),
    "fan_locked_ratio": ("circuit", CIRCUIT),
    "mca_gap_pct": ("circuit", CIRCUIT | {"mca_a": 29.0, "mocp_a": 40.0}),
    "mocp_over_pct": ("circuit", CIRCUIT | {"mca_a": 23.8, "mocp_a": 50.0}),
    "ground_tolerance_pct": ("circuit", {"volts": 230, "phase": 1, "mca_a": 80.0, "mocp_a": 90.0,
                                         "compressors": [{"rla_a": 60.0, "lra_a": 330.0}],
                                         "length_ft": 200.0, "drop_limit_pct": 1.7}),
    "element_amps_pct": ("heat", HEAT),
    "cold_ohms_pct": ("heat", HEAT),
}  # fmt: skip
# No topics: a call asks how long a proof holds (see test_safety), a hand-over and the fleet when to come
# back and what a breakdown costs (see handover/test_follow_ups and logbook/test_fleet).
OF_A_CALL = {
    "make_safe_minutes",
    "breakdown_hours",
    "summer_cost_factor",
    "follow_up_days",
    "circuit_days",
    "order_days",
    "contactor_life_count",
}


class Asked(Standards):
    """Standards that notice which of them is asked for."""

    def __getattribute__(self, name: str) -> Any:
        if name in NAMES:
            ASKED.add(name)
        return super().__getattribute__(name)


def turns(topic: str, entry: Any, name: str) -> bool:
    """Tell whether some value of a standard changes what a topic says of an entry."""
    found = find_topic(topic)
    plain = found.run(entry, shipped_standards()).model_dump_json()
    shipped = float(getattr(shipped_standards(), name))
    for factor in (0.5, 2.0, 0.1, 10.0, 0.8, 1.25):
        try:
            other = with_standard(shipped_standards(), name, shipped * factor)
            if found.run(entry, other).model_dump_json() != plain:
                return True
        except CrankError:
            continue
    return False


def test_every_standard_turns_some_verdict() -> None:
    left = set(NAMES) - set(MEET) - OF_A_CALL

    def search(topic: str) -> None:
        found = find_topic(topic)

        @seed(11)
        @given(from_schema(found.takes.model_json_schema()))
        @settings(
            max_examples=150,
            deadline=None,
            database=None,
            phases=(Phase.generate,),
            suppress_health_check=list(HealthCheck),
        )
        def look(raw: Any) -> None:
            try:
                entry = found.takes.model_validate_json(json.dumps(raw))
                ASKED.clear()
                found.run(entry, Asked(**shipped_standards().values()))
            except (CrankError, ValueError):
                return
            for name in sorted(ASKED & left):
                if turns(topic, entry, name):
                    left.discard(name)

        look()

    for topic in JUDGING:
        search(topic)
    assert [] == sorted(left), " ".join(sorted(left))


@pytest.mark.parametrize("name", MEET)
def test_a_standard_turns_where_figures_meet(name: str) -> None:
    topic, raw = MEET[name]
    entry = find_topic(topic).takes.model_validate_json(json.dumps(raw))
    assert turns(topic, entry, name)


def test_how_long_a_proof_holds_is_the_shops_within_its_bounds() -> None:
    with pytest.raises(CrankError):
        with_standard(shipped_standards(), "make_safe_minutes", 600)
    assert 30 == with_standard(shipped_standards(), "make_safe_minutes", 30).make_safe_minutes
