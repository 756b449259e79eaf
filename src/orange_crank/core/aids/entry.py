"""What an aid is chosen from, and what comes of it: models alone."""

from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.backup.entry import BackupOut, BackupSupply
from orange_crank.core.diagnosis.model import Hypothesis
from orange_crank.core.messages import Prose, msg
from orange_crank.core.motor.entry import Aid, Source
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.on_source import OnSource
from orange_crank.core.motor.relay import RelayChoice
from orange_crank.core.motor.start import StartResult
from orange_crank.core.nomenclature import Amps, Fahrenheit, Finding, Flag, Frozen, Microfarads, Volts, Word
from orange_crank.core.plate.model import Horsepower, Metering
from orange_crank.core.tables import StartCapacitorRange

Goal = Literal["start_at_all", "faster", "backup_power", "flicker", "long_lines"]


AidName = Literal[
    "none", "ptc_two_wire", "relay_two_wire", "relay_three_wire", "soft_starter", "three_in_one", "time_delay"
]


School = Literal["two_wire", "three_wire"]


AnswerKind = Literal["stop", "fix", "ask", "delay", "trial", "buys_time"]


TITLES: dict[AidName, str] = {
    "none": msg("No aid"),
    "ptc_two_wire": msg("Two-wire kit, thermistor"),
    "relay_two_wire": msg("Two-wire kit, built-in relay"),
    "relay_three_wire": msg("Three-wire kit, potential relay"),
    "soft_starter": msg("Soft starter"),
    "three_in_one": "Three-in-one",
    "time_delay": msg("Time delay"),
}


class AidPart(Frozen):
    """A part that may be fitted: class and ratings only."""

    part: Word
    aid: AidName
    start_cap_uf: Microfarads | None = None
    sections_uf: Annotated[list[Microfarads], Field(min_length=2, max_length=3)] | None = None
    volts_ac: Volts | None = Field(default=None, description="Rating of its start capacitor [V AC]")
    cold_ohm: Annotated[float, Field(strict=True, gt=0, le=10_000, allow_inf_nan=False)] | None = None
    pickup_low_v: Volts | None = None
    pickup_high_v: Volts | None = None
    dropout_high_v: Volts | None = None
    continuous_v: Volts | None = None
    ceiling_ratio: Annotated[float, Field(strict=True, gt=0.2, lt=1, allow_inf_nan=False)] | None = None
    rla_low_a: Amps | None = None
    rla_high_a: Amps | None = None
    lra_high_a: Amps | None = None
    volts_line: Volts | None = None
    hp_low: Horsepower | None = None
    hp_high: Horsepower | None = None
    min_off_s: Annotated[float, Field(strict=True, ge=0, le=7_200, allow_inf_nan=False)] | None = None
    learning_starts: Annotated[int, Field(strict=True, ge=1, le=100)] | None = None
    mounting: Word | None = None
    lead_ft: Annotated[float, Field(strict=True, gt=0, le=100, allow_inf_nan=False)] | None = None
    leads: Annotated[int, Field(strict=True, ge=1, le=12)] | None = None
    price: Annotated[float, Field(strict=True, gt=0, le=1e6, allow_inf_nan=False)] | None = None
    count: Annotated[int, Field(strict=True, ge=0, le=10_000)] | None = Field(
        default=None, description="How many are on the van"
    )
    listed_for: list[Word] = Field(
        default_factory=list, description="Flammable refrigerants it is listed for"
    )


class AidIn(Frozen):
    """A motor, and what an aid is wanted for."""

    plate: StartPlate
    run_cap_uf: Microfarads | Literal["open"] | None = None
    goal: Goal = "start_at_all"
    diagnosis: Hypothesis | None = Field(default=None, description="The likeliest cause")
    put_right: Flag = Field(default=False, description="Whether that cause is fixed already")
    source: Source | None = None
    backup: BackupSupply | None = Field(
        default=None, description="Where the goal is backup power: the source, and what else is on"
    )
    outdoor_design_f: Fahrenheit | None = None
    cycles_per_hour: Annotated[float, Field(strict=True, ge=0, le=60, allow_inf_nan=False)] | None = None
    metering: Metering | None = None
    school: School | None = None
    stock: list[AidPart] | None = Field(default=None, max_length=200, description="What is on the van")
    start_torque_pct: Annotated[float, Field(strict=True, ge=0, le=400, allow_inf_nan=False)] | None = None
    inertia_factor: Annotated[float, Field(strict=True, ge=0.05, le=20, allow_inf_nan=False)] = Field(
        default=1.0, description="On the typical inertia, where a start was measured"
    )
    running_s_c_v: Volts | None = Field(
        default=None, description="S–C while running, measured or from the start lead's amps [V]"
    )
    running_s_c_from: Annotated[str, Field(strict=True, max_length=200)] = Field(
        default="", description="On a call: the figures it was computed from"
    )
    warranty_forbids: Flag = False
    run_cap_measured: Flag | None = Field(
        default=None, description="On a call: whether its run capacitor was measured there"
    )
    stop: Annotated[str, Field(strict=True, max_length=600)] = Field(
        default="", description="On a call: what stops the work, and what clears it"
    )

    @model_validator(mode="after")
    def _source_for_the_goal(self) -> "AidIn":
        if self.goal == "backup_power" and self.source is not None and self.source.kind == "utility":
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {
                    "field": "source.kind",
                    "error": msg("generator or inverter where the goal is backup power"),
                },
            )
        if self.backup is not None and (self.goal != "backup_power" or self.source is not None):
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {
                    "field": "backup",
                    "error": msg("left out unless the goal is backup power and no source is given"),
                },
            )
        return self


class AidRange(Frozen):
    """What a soft starter must be able to govern."""

    rla_a: float
    lra_a: float
    ceiling_a: float
    half_ceiling_a: float = Field(description="Half of LRA, to compare with [A]")
    half_time_to_speed_s: float | None = Field(description="Start under that ceiling; null is a stall [s]")


class AidRanked(Frozen):
    """One candidate with its computed start, and what speaks for and against it."""

    aid: AidName
    title: Prose
    part: str | None
    fits: bool
    why: list[str]
    against: list[str]
    start_cap_uf: float | None
    start_cap_range: StartCapacitorRange | None
    relay: RelayChoice | None
    range: AidRange | None
    range_note: Prose | None = Field(description="Where it stands near the edge of a part's range")
    taps_uf: list[float] = Field(description="Sections joined, of a multi-value capacitor")
    sections_uf: list[float] | None
    tried: Aid = Field(description="The aid as it was computed; for the Start lab and backup power")
    jumpers: Prose | None = Field(description="The jumpers in words")
    mounting: Prose | None
    min_off_s: float | None
    learning_starts: int | None
    wiring_plan: str | None
    count: int | None
    predicted: StartResult
    on_source: OnSource | None = Field(description="On a generator or inverter: whether it is good enough")
    price: float | None
    cost: float | None = Field(description="Part and minutes, where the part has a price")


class AidRefused(Frozen):
    """One candidate that is not offered."""

    aid: AidName
    title: Prose
    part: str | None
    why: Prose


class AidAnswer(Frozen):
    """What the cause itself asks for, before any kit."""

    kind: AnswerKind
    text: Prose


class AidOut(Frozen):
    """Candidates, best first."""

    answer: AidAnswer | None = Field(description="Where the cause, or what was measured, decides first")

    ranked: list[AidRanked]
    refused: list[AidRefused]
    root_cause_first: Prose | None
    school: School
    backup: BackupOut | None = Field(default=None, description="Each kind of aid on the source given")
    findings: list[Finding]
