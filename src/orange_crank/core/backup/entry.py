"""What a start on backup power is checked from, and what comes of it: models alone."""

from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.messages import Prose, msg
from orange_crank.core.motor.entry import Aid, Conductors
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.on_source import SourceVerdict
from orange_crank.core.nomenclature import Amps, Fahrenheit, Finding, Flag, Frozen, Microfarads, Volts, Word

LIGHT_LOAD_PCT = 12.0

SourceKind = Literal["portable_synchronous", "portable_inverter", "standby", "battery_inverter"]
Fuel = Literal["gasoline", "diesel", "propane", "natural_gas", "battery"]
Kilowatts = Annotated[float, Field(strict=True, gt=0, le=2_000, allow_inf_nan=False)]


class BurnPoint(Frozen):
    """Fuel used at one load."""

    load_pct: Annotated[float, Field(strict=True, ge=0, le=120, allow_inf_nan=False)]
    per_hour: Annotated[float, Field(strict=True, gt=0, le=1_000, allow_inf_nan=False)]


class BackupSource(Frozen):
    """What stands in for the utility."""

    kind: SourceKind
    continuous_kw: Kilowatts
    surge_kw: Kilowatts | None = Field(default=None, description="For a few seconds [kW]")
    volts: Volts = 240.0
    fuel: Fuel = "gasoline"
    altitude_ft: Annotated[float, Field(strict=True, ge=-1_500, le=20_000, allow_inf_nan=False)] = 0.0
    ambient_f: Fahrenheit = 85.0
    derated_by_maker: Flag = Field(
        default=False, description="The rating holds for this place and fuel already"
    )
    transient_reactance_pu: Annotated[float, Field(strict=True, gt=0, le=3, allow_inf_nan=False)] | None = (
        None
    )
    tank: Annotated[float, Field(strict=True, gt=0, le=10_000, allow_inf_nan=False)] | None = Field(
        default=None, description="Gallons; kilowatt-hours of a battery"
    )
    burn: list[BurnPoint] | None = Field(default=None, max_length=20, description="Gallons an hour by load")

    @model_validator(mode="after")
    def _whole(self) -> "BackupSource":
        wrong = None
        if self.surge_kw is not None and self.surge_kw < self.continuous_kw:
            wrong = (
                "source.surge_kw",
                msg("at least the continuous {continuous_kw:g} kW", continuous_kw=self.continuous_kw),
            )
        if (self.kind == "battery_inverter") != (self.fuel == "battery"):
            wrong = ("source.fuel", msg("battery for a battery inverter, and only for one"))
        if wrong:
            raise PydanticCustomError("value_error", "{error}", {"field": wrong[0], "error": wrong[1]})
        return self


class OtherLoad(Frozen):
    """Something else on the same source."""

    name: Word
    watts: Annotated[float, Field(strict=True, ge=0, le=1e6, allow_inf_nan=False)]
    on: Flag = True


class AidTried(Frozen):
    """One aid to check on this source."""

    label: Prose
    aid: Aid = Field(default_factory=Aid)


class BackupPath(Frozen):
    """What lies between the source and the unit."""

    cord: Conductors | None = None
    inlet_a: Amps | None = Field(default=None, description="Inlet and plug, rated [A]")
    breaker_a: Amps | None = Field(default=None, description="Breaker of the source or the inlet [A]")


class ElectronicCutOut(Frozen):
    """An electronic contactor's own brown-out cut-out."""

    brownout_v: Volts = Field(description="Lets go below [V] of its control supply")
    brownout_s: Annotated[float, Field(strict=True, ge=0, le=60, allow_inf_nan=False)] = Field(
        description="When it has lasted so long [s]"
    )
    control_v: Volts = 24.0


class BackupSupply(Frozen):
    """A source, what else is on it, and what lies between it and the unit."""

    source: BackupSource
    others: list[OtherLoad] = Field(default_factory=list, max_length=100)
    transfer: Literal["interlock", "transfer_switch", "none"]
    coil_dropout_v: Annotated[float, Field(strict=True, gt=0, le=24, allow_inf_nan=False)] | None = Field(
        default=None, description="Measured on this unit's 24 V coil [V]"
    )
    path: BackupPath = Field(default_factory=BackupPath)
    electronic: ElectronicCutOut | None = None

    @property
    def others_w(self) -> float:
        """What else is on [W]."""
        return sum(o.watts for o in self.others if o.on)


class BackupIn(BackupSupply):
    """A compressor, a source, and what else is on."""

    plate: StartPlate
    aids: list[AidTried] = Field(min_length=1, max_length=10)
    run_cap_uf: Microfarads | Literal["open"] | None = Field(
        default=None, description='What is really there [µF], or "open"; the plate\'s if left out'
    )
    start_torque_pct: Annotated[float, Field(strict=True, ge=0, le=400, allow_inf_nan=False)] = LIGHT_LOAD_PCT
    inertia_factor: Annotated[float, Field(strict=True, ge=0.05, le=20, allow_inf_nan=False)] = 1.0


class LoadTrace(Frozen):
    """What the source carries over the first two seconds, other loads included."""

    time_s: list[float]
    load_kva: list[float]
    motor_v: list[float] = Field(description="One-cycle RMS at the motor [V]")


class RunPoint(Frozen):
    """How long the fuel lasts at one load."""

    load_w: float
    run_h: float


class BackupVerdict(Frozen):
    """One aid on this source."""

    label: str
    verdict: SourceVerdict
    start_kva: float
    dip_pct: float = Field(description="Deepest one-cycle dip at the motor [%]")
    contactor_holds: bool
    margin_pct: float = Field(description="How much smaller the source could be and still start it [%]")
    other_load_max_w: float = Field(description="The most that may stay on beside it [W]")
    start_s: float | None
    why: Prose
    trace: LoadTrace | None = None


class BackupOut(Frozen):
    """Each aid on this source, and how long the fuel lasts."""

    derated_kw: float
    others_w: float
    running_w: float
    results: list[BackupVerdict]
    run_hours: float | None
    run_time: list[RunPoint] = Field(description="Run time against load, within what the source carries")
    findings: list[Finding]
