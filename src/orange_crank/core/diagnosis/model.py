"""The words of a diagnosis: causes, symptoms, what may be measured, and what comes of it."""

from typing import Annotated, Literal, get_args

from pydantic import ConfigDict, Field, StrictBool, StrictStr, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.measure.meter import Conductor, MeterMode
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import Amps, Finding, Flag, Frozen, Volts, Word
from orange_crank.core.plate import Plate
from orange_crank.core.plate.model import Metering
from orange_crank.core.safety.stop import WorkStop

Hypothesis = Literal[
    "healthy",
    "run_capacitor_weak",
    "run_capacitor_open",
    "start_kit_failed",
    "supply_low",
    "segment_loss",
    "contactor_worn",
    "control_voltage_low",
    "pressure_not_equal",
    "long_lines_or_liquid",
    "overcharge",
    "high_head",
    "overload_open",
    "start_winding_open",
    "run_winding_open",
    "winding_grounded",
    "turn_short",
    "locked_rotor",
    "worn_bearings",
    "breaker_weak_or_small",
    "phase_fault",
    "reverse_rotation",
    "fan_motor",
    "delay_or_lockout",
    "control_fuse_or_transformer",
    "open_neutral",
    "kit_masks_open_capacitor",
    "current_relay_or_external_overload",
    "no_line_at_unit",
    "leg_to_leg_short",
    "source_too_small",
    "kit_miswired",
    "capacitor_wrong_value",
    "low_charge",
    "fan_reversed",
    "overload_failed_open",
    "lead_or_terminal_open",
    "loose_lug_at_breaker",
    "control_switch_open",
    "other_part_grounded",
    "drive_or_board",
]
HYPOTHESES: tuple[Hypothesis, ...] = get_args(Hypothesis)

Symptom = Literal[
    "hums_no_start",
    "slow_start",
    "starts_then_trips",
    "controls_on_nothing_runs",
    "starts_rarely",
    "trips_at_once",
    "trips_after_minutes",
    "lights_dim",
    "no_sound",
    "starts_after_long_rest",
    "rattles",
    "contactor_hums",
    "short_cycles",
    "runs_hot",
    "will_not_run_on_backup",
    "fan_only",
    "upgrade_only",
]

SYMPTOM_WORDS: dict[Symptom, str] = {
    "hums_no_start": msg("Hums, does not start"),
    "slow_start": msg("Starts slowly"),
    "starts_then_trips": msg("Starts, then trips"),
    "trips_at_once": msg("Trips at once"),
    "trips_after_minutes": msg("Trips after minutes"),
    "controls_on_nothing_runs": msg("Thermostat calling, nothing runs"),
    "fan_only": msg("Only the fan runs"),
    "no_sound": msg("No sound at all"),
    "starts_rarely": msg("Starts only sometimes"),
    "starts_after_long_rest": msg("Starts after a long rest"),
    "lights_dim": msg("Lights dim"),
    "rattles": msg("Rattles or chatters"),
    "contactor_hums": msg("Contactor hums or buzzes"),
    "short_cycles": msg("Short cycles"),
    "runs_hot": msg("Runs hot"),
    "will_not_run_on_backup": msg("Won't run on generator or battery"),
    "upgrade_only": msg("Upgrade only"),
}

Measured = Literal[
    "winding_cs_ohm",
    "winding_cr_ohm",
    "winding_sr_ohm",
    "to_ground",
    "shell_hot",
    "run_cap_uf",
    "fan_cap_uf",
    "line_v_idle",
    "line_v_start",
    "terminal_v_start",
    "line_v_run",
    "contactor_drop_v",
    "coil_v",
    "inrush_a",
    "running_a",
    "fan_a",
    "fuse_open",
    "start_kit_present",
    "start_kit_bypassed_starts",
    "minutes_rest",
    "outdoor_f",
    "line_set_ft",
    "rotation_ok",
    "phase_imbalance_pct",
    "condenser_dirty",
    "contactor_look",
    "start_time_s",
    "leg_a_n_v",
    "leg_b_n_v",
    "start_kit_kind",
    "start_kit_contact_ohm",
    "start_kit_verdict",
    "start_relay_verdict",
    "shorted_piece",
    "start_cap_uf",
    "idle_days",
    "status_code",
    "delay_active",
    "control_fuse_open",
    "fan_only_runs",
    "suction_psig",
    "discharge_psig",
    "pressures_equal",
    "superheat_f",
    "subcooling_f",
    "charge",
    "start_winding_v",
    "run_a",
    "start_a",
    "breaker_a",
    "discharge_temp_f",
    "line_at_unit_v",
    "legs_shorted",
    "starts_on_utility",
    "start_kit_wired_right",
    "can_label_uf",
    "fan_rotation_ok",
    "contactor_pulled_in",
    "what_tripped",
    "breaker_lug_tight",
    "windings_at_pins",
    "control_switch_open",
    "can_look",
    "lossy_segment",
    "phase_lost",
]

Where = Literal["panel", "disconnect", "contactor_line", "contactor_load", "terminals"]
State = Literal["dead", "control_live", "idle", "starting", "running", "stalled"]
CallWork = Literal["unproved", "dead", "control_live", "live"]
Danger = Literal["none", "dead", "control_live", "live"]

_FLAGS = {
    "to_ground", "shell_hot", "fuse_open", "start_kit_present", "start_kit_bypassed_starts", "rotation_ok",
    "condenser_dirty", "delay_active", "control_fuse_open", "fan_only_runs", "pressures_equal",
    "legs_shorted", "starts_on_utility", "start_kit_wired_right", "fan_rotation_ok", "breaker_lug_tight",
    "control_switch_open", "phase_lost", "contactor_pulled_in",
}  # fmt: skip
_WORDS: dict[str, tuple[str, ...] | None] = {
    "contactor_look": ("clean", "pitted", "burnt", "welded", "insects"),
    "can_look": ("clean", "bulged", "oily", "burnt_tab", "rusty"),
    "charge": ("low", "right", "over", "unknown"),
    "start_kit_kind": ("ptc", "relay", "potential_relay", "electronic", "three_in_one", "unknown"),
    "status_code": None,
    "windings_at_pins": ("sound", "open"),
    "what_tripped": ("breaker", "overload"),
    "lossy_segment": ("none", "breaker", "joint", "contacts"),
    "start_kit_verdict": ("good", "bad"),
    "start_relay_verdict": ("good", "bad"),
    "shorted_piece": (
        "compressor",
        "not_compressor",
        "fan",
        "crankcase_heater",
        "run_capacitor",
        "start_kit",
        "wiring",
    ),
}
_OPEN_TOO = {"winding_cs_ohm", "winding_cr_ohm", "winding_sr_ohm", "start_kit_contact_ohm", "run_cap_uf"}
_MAY_BE_NEGATIVE = {"outdoor_f", "superheat_f", "subcooling_f", "suction_psig", "discharge_temp_f"}


class Evidence(Frozen):
    """One reading, as the diagnosis takes it."""

    quantity: Measured
    value: (
        StrictBool
        | Annotated[float, Field(strict=True, allow_inf_nan=False, ge=-1e6, le=1e9)]
        | Annotated[StrictStr, Field(min_length=1, max_length=40)]
    )
    mode: MeterMode | None = None
    conductor: Conductor | None = None
    where: Where | None = None
    state: State | None = None
    plus_minus: Annotated[float, Field(strict=True, ge=0, le=1e6, allow_inf_nan=False)] | None = None
    volts: Volts | None = Field(default=None, description="Line voltage beside it [V]")
    later_a: Amps | None = Field(default=None, description="Same place, one second on [A]")
    reading_id: int | None = Field(default=None, description="Its number on the record of the call")

    @model_validator(mode="after")
    def _of_its_kind(self) -> "Evidence":
        wanted = None
        if self.quantity in _FLAGS:
            wanted = None if isinstance(self.value, bool) else msg("true or false")
        elif self.quantity in _WORDS:
            words = _WORDS[self.quantity]
            if words is not None and self.value not in words:
                wanted = msg("one of ") + joined(words, ", ")
            elif words is None and isinstance(self.value, bool):
                wanted = msg("the code as the board shows it")
        elif isinstance(self.value, bool) or (isinstance(self.value, str) and self.value != "open"):
            wanted = msg("a number")
        elif self.value == "open" and self.quantity not in _OPEN_TOO:
            wanted = msg("a number; only resistances and the run capacitor read open")
        elif isinstance(self.value, float) and self.value < 0 and self.quantity not in _MAY_BE_NEGATIVE:
            wanted = msg("a number of at least 0")
        if wanted:
            raise PydanticCustomError(
                "value_error", "{error}", {"field": f"readings.{self.quantity}", "error": wanted}
            )
        return self

    @property
    def number(self) -> float | None:
        """The value as a number, or None when it is none."""
        return (
            float(self.value)
            if isinstance(self.value, float | int) and not isinstance(self.value, bool)
            else None
        )


class Past(Frozen):
    """Something known from an earlier visit."""

    quantity: Measured
    value: Annotated[float, Field(strict=True, allow_inf_nan=False)]
    days_ago: Annotated[float, Field(strict=True, ge=0, le=36_500)] = 365.0


class History(Frozen):
    """What earlier visits left."""

    readings: list[Past] = Field(default_factory=list, max_length=200)
    replaced: list[Word] = Field(
        default_factory=list, max_length=50, description="Parts replaced, newest last"
    )


Hazard = Literal["terminal_damage", "unknown_feed", "water", "repeated_trips"]


class DiagnoseIn(Frozen):
    """Symptoms and readings of a unit that starts hard, or not at all."""

    plate: Plate
    symptoms: list[Symptom] = Field(default_factory=list, max_length=16)
    readings: list[Evidence] = Field(default_factory=list, max_length=200)
    history: History | None = None
    metering: Metering | None = Field(default=None, description="Where the plate does not say")
    work: CallWork = Field(default="unproved", description="What the call's make-safe record allows now")
    hazards: list[Hazard] = Field(default_factory=list)
    stops: list[WorkStop] = Field(
        default_factory=list, max_length=40, description="What stops the work, as the judge of a call says"
    )
    kit_trial: Literal["agreed", "started", "did_not_start"] | None = Field(
        default=None, description="A trial of a start kit on a locked rotor, agreed in writing beforehand"
    )
    skipped: list[Word] = Field(
        default_factory=list, max_length=60, description="Tests that cannot be done or answered, by name"
    )
    supply_restored: Flag = Field(default=False, description="Power was out briefly just before")
    shop_calls: dict[Hypothesis, Annotated[int, Field(strict=True, ge=0, le=1_000_000)]] = Field(
        default_factory=dict, description="Closed calls of this shop by what it was in the end"
    )


class Point(Frozen):
    """One piece of evidence for or against a cause."""

    fact: Prose
    text: Prose
    factor: float = Field(description="How many times likelier (or less) it makes the cause than the rest")
    source: list[str] = Field(description="Readings or symptoms it stands on")
    reading_ids: list[int] = Field(default_factory=list)
    reason: Prose


class Ranked(Frozen):
    """One cause with its probability, and what speaks for and against."""

    model_config = ConfigDict(frozen=True, extra="forbid", serialize_by_alias=True)

    hypothesis: Hypothesis
    title: Prose
    probability: float
    for_: list[Point] = Field(serialization_alias="for", validation_alias="for")
    against: list[Point]
    fix: Prose = Field(description="What is done about it")
    repair: str = Field(description="Causes put right the same way share it")
    shipped_pct: float = Field(description="How common it is before anything is known, as shipped [%]")
    here_pct: float = Field(description="The same with this shop's own closed calls counted in [%]")
    here_calls: int = Field(description="Closed calls of this shop that it was [1]")


class Pair(Frozen):
    """Two faults at once."""

    hypotheses: list[Hypothesis]
    probability: float


class NextTest(Frozen):
    """One test, worth what it tells for what it costs."""

    test: str
    title: Prose
    why: Prose
    minutes: float
    danger: Danger
    gain: float = Field(description="Expected information [bit]")
    rung: str = Field(description="Where on the ladder it is done")
    asks: list[Measured] = Field(description="Readings it gives")
    first: Prose | None = Field(default=None, description="What must be done before it")
    powered: bool = Field(default=False, description="Whether the unit has to be energized for it")
    may_skip: bool = Field(default=True, description="False for the ground test after a trip")


class SkippedTest(Frozen):
    """A test that was skipped on this call; it may be offered again."""

    test: str
    title: Prose


class Missing(Frozen):
    """One proof the record does not hold yet."""

    code: str
    text: Prose
    asks: list[Measured] = Field(default_factory=list)
    live: bool = Field(default=False, description="Whether it is proved on an energized unit")


class Condemn(Frozen):
    """Whether the compressor may be condemned on this record."""

    allowed: bool
    missing: list[Missing]
    proof: list[Prose] = Field(description="What the record proves already")
    trial: Prose | None = Field(default=None, description="When one trial of a kit is legitimate, and how")
    ask_why: list[Prose] = Field(description="What must be asked and put right before a new one goes in")


class Contradiction(Frozen):
    """Two sources of one fact that do not agree."""

    fact: str
    text: Prose
    next_step: Prose


class DiagnoseOut(Frozen):
    """Causes by probability, what to test next, what stops the work."""

    ranked: list[Ranked]
    pairs: list[Pair]
    next_tests: list[NextTest]
    skipped: list[SkippedTest] = Field(description="Tests skipped that would still tell something")
    stop: WorkStop | None
    condemn: Condemn
    contradictions: list[Contradiction]
    sure: Literal["clear", "likely", "open_between_two", "open"] = Field(
        description="How sure the first cause is, in a word that follows its number"
    )
    decided: bool = Field(description="Whether one cause stands clear of the rest and nothing cheap is left")
    plain: Prose = Field(description="For the customer, in plain words")
    not_judged: list[Prose] = Field(description="What this engine does not speak of here, and why")
    findings: list[Finding]
