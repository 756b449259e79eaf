"""The shop's rules of thumb as typed attributes: a typo fails the type check.

Values, units, reasons and what others do stand in ``shop_standards.json``; a test holds the two together.
A standard that guards a life has hard bounds there, which no setting passes.
"""

import json
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from functools import cache
from importlib.resources import files
from typing import Literal

from pydantic import Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.nomenclature import Frozen, apart, is_difference, say

StandardName = Literal[
    "lra_rla_ratio_low",
    "lra_rla_ratio_high",
    "mca_agreement_a",
    "mca_agreement_pct",
    "va_per_ton_low",
    "va_per_ton_high",
    "supply_tolerance_pct",
    "running_watch_ratio",
    "running_fail_ratio",
    "running_low_ratio",
    "hot_day_f",
    "inrush_no_evidence_ratio",
    "inrush_low_ratio",
    "not_turning_low_ratio",
    "not_turning_high_ratio",
    "compare_volts_pct",
    "compare_outdoor_f",
    "compare_rest_min",
    "learning_starts",
    "dead_limit_v",
    "dead_stop_v",
    "make_safe_minutes",
    "bleed_seconds",
    "bleed_overload",
    "meter_proof_pct",
    "winding_sum_ohm",
    "winding_sum_pct",
    "winding_tell_pct",
    "winding_phase_pct",
    "turn_short_pct",
    "turn_short_cold_pct",
    "run_capacitor_pct",
    "capacitor_series_pct",
    "contactor_drop_watch_v",
    "contactor_drop_replace_v",
    "coil_pull_in_v",
    "volt_imbalance_pct",
    "amp_imbalance_pct",
    "neutral_shift_v",
    "segment_excess_pct",
    "no_line_pct",
    "overload_rest_min",
    "start_dip_pct",
    "source_dip_pct",
    "relay_contact_ohm",
    "relay_coil_low_ohm",
    "relay_coil_high_ohm",
    "ptc_low_ohm",
    "ptc_high_ohm",
    "bleeder_pct",
    "tap_seconds",
    "start_seconds",
    "equal_pressure_psi",
    "pressure_ratio_high",
    "pressure_ratio_low",
    "superheat_low_f",
    "superheat_high_f",
    "subcooling_low_f",
    "subcooling_high_f",
    "long_line_ft",
    "line_rise_ft",
    "insulation_low_megohm",
    "insulation_watch_megohm",
    "panel_dip_pct",
    "path_loss_pct",
    "very_slow_seconds",
    "capacitor_open_pct",
    "idle_days_many",
    "decided_probability",
    "start_branch_dead_pct",
    "start_lead_far_ratio",
    "capacitor_poor_pct",
    "told_weight",
    "hot_climate_f",
    "ptc_cycles_per_hour",
    "start_capacitor_current",
    "start_capacitor_overdrive",
    "start_uf_per_ton_low",
    "start_uf_per_ton_high",
    "transformer_share_pct",
    "labor_rate_per_hour",
    "voltage_drop_pct",
    "mca_gap_pct",
    "mocp_over_pct",
    "ground_tolerance_pct",
    "fan_locked_ratio",
    "start_power_factor",
    "element_amps_pct",
    "cold_ohms_pct",
    "volts_agree_v",
    "reading_spread_pct",
    "winding_zero_ohm",
    "later_trip_ratio",
    "later_heavy_ratio",
    "kit_stall_ratio",
    "closing_angle_pct",
    "vacuum_saturation_f",
    "condensing_over_high_f",
    "condensing_over_low_f",
    "gauge_psi",
    "breakdown_hours",
    "summer_cost_factor",
    "follow_up_days",
    "circuit_days",
    "order_days",
    "contactor_life_count",
]


class ShopStandard(Frozen):
    """A rule of thumb with its reason, which a shop may change."""

    name: StandardName
    title: str = Field(description="What it is called, for people")
    value: float
    unit: str
    reason: str
    other_practice: str = Field(description="What others do")
    hard_low: float | None = Field(default=None, description="No setting goes below this")
    hard_high: float | None = Field(default=None, description="No setting goes above this")
    hard_reason: str | None = None


@cache
def _notes() -> Mapping[str, ShopStandard]:
    text = (files(__package__) / "shop_standards.json").read_text("utf-8")
    return {row["name"]: ShopStandard(**row) for row in json.loads(text)}


# Each pair is one limit from two sides: the first is never above the second.
ORDERED: tuple[tuple[StandardName, StandardName], ...] = (
    ("lra_rla_ratio_low", "lra_rla_ratio_high"),
    ("va_per_ton_low", "va_per_ton_high"),
    ("running_low_ratio", "running_watch_ratio"),
    ("running_watch_ratio", "running_fail_ratio"),
    ("inrush_low_ratio", "inrush_no_evidence_ratio"),
    ("not_turning_low_ratio", "not_turning_high_ratio"),
    ("dead_limit_v", "dead_stop_v"),
    ("contactor_drop_watch_v", "contactor_drop_replace_v"),
    ("relay_coil_low_ohm", "relay_coil_high_ohm"),
    ("ptc_low_ohm", "ptc_high_ohm"),
    ("superheat_low_f", "superheat_high_f"),
    ("subcooling_low_f", "subcooling_high_f"),
    ("pressure_ratio_low", "pressure_ratio_high"),
    ("insulation_low_megohm", "insulation_watch_megohm"),
    ("start_seconds", "very_slow_seconds"),
    ("start_uf_per_ton_low", "start_uf_per_ton_high"),
    ("condensing_over_low_f", "condensing_over_high_f"),
    ("capacitor_open_pct", "capacitor_poor_pct"),
)


@dataclass(frozen=True, kw_only=True)
class Standards:
    """The shop's rules of thumb, one attribute each, in the unit its name ends in."""

    lra_rla_ratio_low: float
    lra_rla_ratio_high: float
    mca_agreement_a: float
    mca_agreement_pct: float
    va_per_ton_low: float
    va_per_ton_high: float
    supply_tolerance_pct: float
    running_watch_ratio: float
    running_fail_ratio: float
    running_low_ratio: float
    hot_day_f: float
    inrush_no_evidence_ratio: float
    inrush_low_ratio: float
    not_turning_low_ratio: float
    not_turning_high_ratio: float
    compare_volts_pct: float
    compare_outdoor_f: float
    compare_rest_min: float
    learning_starts: float
    dead_limit_v: float
    dead_stop_v: float
    make_safe_minutes: float
    bleed_seconds: float
    bleed_overload: float
    meter_proof_pct: float
    winding_sum_ohm: float
    winding_sum_pct: float
    winding_tell_pct: float
    winding_phase_pct: float
    turn_short_pct: float
    turn_short_cold_pct: float
    run_capacitor_pct: float
    capacitor_series_pct: float
    contactor_drop_watch_v: float
    contactor_drop_replace_v: float
    coil_pull_in_v: float
    volt_imbalance_pct: float
    amp_imbalance_pct: float
    neutral_shift_v: float
    segment_excess_pct: float
    no_line_pct: float
    overload_rest_min: float
    start_dip_pct: float
    source_dip_pct: float
    relay_contact_ohm: float
    relay_coil_low_ohm: float
    relay_coil_high_ohm: float
    ptc_low_ohm: float
    ptc_high_ohm: float
    bleeder_pct: float
    tap_seconds: float
    start_seconds: float
    equal_pressure_psi: float
    pressure_ratio_high: float
    pressure_ratio_low: float
    superheat_low_f: float
    superheat_high_f: float
    subcooling_low_f: float
    subcooling_high_f: float
    long_line_ft: float
    line_rise_ft: float
    insulation_low_megohm: float
    insulation_watch_megohm: float
    panel_dip_pct: float
    path_loss_pct: float
    very_slow_seconds: float
    capacitor_open_pct: float
    idle_days_many: float
    decided_probability: float
    start_branch_dead_pct: float
    start_lead_far_ratio: float
    capacitor_poor_pct: float
    told_weight: float
    hot_climate_f: float
    ptc_cycles_per_hour: float
    start_capacitor_current: float
    start_capacitor_overdrive: float
    start_uf_per_ton_low: float
    start_uf_per_ton_high: float
    transformer_share_pct: float
    labor_rate_per_hour: float
    voltage_drop_pct: float
    mca_gap_pct: float
    mocp_over_pct: float
    ground_tolerance_pct: float
    fan_locked_ratio: float
    start_power_factor: float
    element_amps_pct: float
    cold_ohms_pct: float
    volts_agree_v: float
    reading_spread_pct: float
    winding_zero_ohm: float
    later_trip_ratio: float
    later_heavy_ratio: float
    kit_stall_ratio: float
    closing_angle_pct: float
    vacuum_saturation_f: float
    condensing_over_high_f: float
    condensing_over_low_f: float
    gauge_psi: float
    breakdown_hours: float
    summer_cost_factor: float
    follow_up_days: float
    circuit_days: float
    order_days: float
    contactor_life_count: float

    def rule(self, name: StandardName) -> str:
        """Name a standard as the rule a verdict stands on, with its value.

        >>> shipped_standards().rule("dead_stop_v")
        'Shop rule: Stop-work voltage, 30 V'
        """
        note = _notes()[name]
        unit = "" if note.unit == "1" else note.unit
        value = getattr(self, name)
        said = apart(value) if is_difference(name) else say(value, unit)
        return f"Shop rule: {note.title}, {said}"

    def values(self) -> dict[str, float]:
        """Return every value by name, in the order of the file."""
        return asdict(self)

    def all(self) -> list[ShopStandard]:
        """Return every standard with its notes, in the order of the file."""
        return [n.model_copy(update={"value": getattr(self, n.name)}) for n in _notes().values()]


@cache
def shipped_standards() -> Standards:
    """Return the standards as shipped."""
    return Standards(**{n: s.value for n, s in _notes().items()})


def shop_standards_of(own: Iterable[tuple[str, float]]) -> Standards:
    """Lay a shop's own values over the shipped ones; the later of a name holds.

    A value that today's bounds or order refuse, or a name no longer known, is passed over: reading what a
    shop once set never fails, and a standard that guards a life never leaves its bounds.
    """
    values = shipped_standards().values()
    for name, value in own:
        if name in values and not _refusal(name, value, values):
            values[name] = value
    return Standards(**values)


def with_standard(current: Standards, name: str, value: float) -> Standards:
    """Return the standards with one value set.

    Raises
    ------
    InputProblem : no such standard, beyond its hard bounds, or past the other end of the same limit

    """
    values = current.values()
    if name not in values:
        raise InputProblem(
            [FieldProblem(field="name", wanted="the name of a shop standard", got=name)],
            next_step="The Shop page lists them all.",
        )
    refused = _refusal(name, value, values)
    if refused:
        raise InputProblem(
            [FieldProblem(field="value", wanted=refused, got=value)],
            next_step=_notes()[name].hard_reason
            or "Change the other end of it first, or choose a value between.",
        )
    return Standards(**{**values, name: value})


def _refusal(name: str, value: float, values: Mapping[str, float]) -> str | None:
    """Return what is wanted instead of a value that cannot hold, or None."""
    note = _notes()[name]
    if note.hard_low is not None and value < note.hard_low:
        return f"at least {say(note.hard_low, note.unit)}"
    if note.hard_high is not None and value > note.hard_high:
        return f"at most {say(note.hard_high, note.unit)}"
    for low, high in ORDERED:
        if name == low and value > values[high]:
            return f"at most {values[high]:g}, the other end of it"
        if name == high and value < values[low]:
            return f"at least {values[low]:g}, the other end of it"
    return None
