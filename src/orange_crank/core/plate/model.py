"""A nameplate as data."""

from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.nomenclature import (
    Amps,
    Flag,
    Frozen,
    Microfarads,
    Tons,
    Volts,
    Word,
    ZeroOrMoreAmps,
)


def _not_a_flag(value: object) -> object:
    if isinstance(value, bool):
        raise PydanticCustomError("value_error", "{error}", {"error": "the number 1 or 3"})
    return value


Phase = Annotated[Literal[1, 3], BeforeValidator(_not_a_flag)]
Edition = Literal["2017", "2020", "2023"]
Metering = Literal["piston", "txv", "captube", "eev"]


class Compressor(Frozen):
    """One motor-compressor of the plate.

    RLA is *rated load amps*, a figure for sizing, not what the machine should draw.
    """

    rla_a: Amps = Field(description="Rated load amps [A]")
    lra_a: Amps | None = Field(default=None, description="Locked-rotor amps [A]; inverters often have none")
    bcsc_a: Amps | None = Field(default=None, description="Branch-circuit selection current [A]")
    kind: Word | None = Field(
        default=None, description="scroll, reciprocating, rotary, inverter … as the plate or book says"
    )

    @property
    def sizing_a(self) -> float:
        """The greater of RLA and branch-circuit selection current [A] (NEC 440.2, 440.6)."""
        return max(self.rla_a, self.bcsc_a or 0.0)


class Motor(Frozen):
    """One other motor of the plate, such as the condenser fan."""

    fla_a: Amps = Field(description="Full-load amps [A]")
    lra_a: Amps | None = Field(default=None, description="Locked-rotor amps [A]")


class Plate(Frozen):
    """What a nameplate says, for the supply actually there."""

    volts: Volts = Field(description="Rated voltage [V]")
    phase: Phase = Field(description="Number of phases")
    compressors: list[Compressor] = Field(min_length=1, max_length=12)
    motors: list[Motor] = Field(default_factory=list, max_length=24)
    other_a: ZeroOrMoreAmps | None = Field(default=None, description="Other load on the same plate [A]")
    mca_a: Amps | None = Field(default=None, description="Minimum circuit ampacity as printed [A]")
    mocp_a: Amps | None = Field(default=None, description="Maximum overcurrent device as printed [A]")
    run_cap_uf: Microfarads | None = Field(default=None, description="Run capacitor, compressor section [µF]")
    fan_cap_uf: Microfarads | None = Field(default=None, description="Run capacitor, fan section [µF]")
    tons: Tons | None = Field(default=None, description="Nominal cooling [ton]")
    inverter: Flag | None = Field(default=None, description="Variable-speed (inverter) compressor")
    refrigerant: Word | None = Field(default=None, description="Refrigerant as printed")
    metering: Metering | None = Field(default=None, description="Metering device")
    overcurrent_allowed: Literal["fuse", "fuse_or_breaker"] | None = Field(
        default=None, description="Kind of overcurrent device the plate allows"
    )

    @property
    def is_inverter(self) -> bool:
        """Whether any compressor is driven by an inverter."""
        return bool(self.inverter) or any("inverter" in (c.kind or "").lower() for c in self.compressors)

    @model_validator(mode="after")
    def _locked_rotor_amps_where_they_exist(self) -> "Plate":
        if self.is_inverter:
            return self
        for i, compressor in enumerate(self.compressors):
            if compressor.lra_a is None:
                raise PydanticCustomError(
                    "value_error",
                    "{error}",
                    {
                        "field": f"compressors[{i}].lra_a",
                        "error": "the locked-rotor amps from the plate (only inverter plates leave them out)",
                    },
                )
        return self
