"""A nameplate as data."""

import re
from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.messages import msg
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
from orange_crank.core.tables.refrigerants import RefrigerantName


def _not_a_flag(value: object) -> object:
    if isinstance(value, bool):
        raise PydanticCustomError("value_error", "{error}", {"error": msg("the number 1 or 3")})
    return value


Horsepower = Annotated[
    float, Field(strict=True, gt=0, le=500, allow_inf_nan=False, json_schema_extra={"unit": "hp"})
]
LineHertz = Annotated[
    float, Field(strict=True, ge=45, le=65, allow_inf_nan=False, json_schema_extra={"unit": "Hz"})
]
Phase = Annotated[Literal[1, 3], BeforeValidator(_not_a_flag)]
Edition = Literal["2017", "2020", "2023"]
Metering = Literal["piston", "txv", "captube", "eev"]
Starting = Literal["run_capacitor", "current_relay", "current_relay_capacitor", "ptc"]


class OtherLoad(Frozen):
    """Another load on the same plate, and what it is: heat counts for a quarter more."""

    amps: ZeroOrMoreAmps
    kind: Literal["motor", "heat", "other"] = Field(
        description="motor: may be the largest; heat: continuous, 125 %; other: as it stands"
    )


def split_other(other: float | OtherLoad | None) -> tuple[float, float, float]:
    """Return another load as motor, heat and anything else [A].

    >>> split_other(3.0), split_other(OtherLoad(amps=20.0, kind="heat"))
    ((0.0, 0.0, 3.0), (0.0, 20.0, 0.0))
    """
    if other is None:
        return 0.0, 0.0, 0.0
    if not isinstance(other, OtherLoad):
        return 0.0, 0.0, other
    return (
        other.amps if other.kind == "motor" else 0.0,
        other.amps if other.kind == "heat" else 0.0,
        other.amps if other.kind == "other" else 0.0,
    )


class CompressorRead(Frozen):
    """One motor-compressor as far as the plate can be read.

    RLA is *rated load amps*, a figure for sizing, not what the machine should draw.
    """

    rla_a: Amps | None = Field(default=None, description="Rated load amps [A]")
    lra_a: Amps | None = Field(default=None, description="Locked-rotor amps [A]; inverters often have none")
    bcsc_a: Amps | None = Field(default=None, description="Branch-circuit selection current [A]")
    kind: Word | None = Field(
        default=None, description="scroll, reciprocating, rotary, inverter … as the plate or book says"
    )


class Compressor(CompressorRead):
    """One motor-compressor of the plate."""

    rla_a: Amps = Field(description="Rated load amps [A]")

    @property
    def sizing_a(self) -> float:
        """The greater of RLA and branch-circuit selection current [A] (NEC 440.2, 440.6)."""
        return max(self.rla_a, self.bcsc_a or 0.0)


class MotorRead(Frozen):
    """One other motor as far as the plate can be read."""

    fla_a: Amps | None = Field(default=None, description="Full-load amps [A]")
    lra_a: Amps | None = Field(default=None, description="Locked-rotor amps [A]")


class Motor(MotorRead):
    """One other motor of the plate, such as the condenser fan."""

    fla_a: Amps = Field(description="Full-load amps [A]")


# Names a compressor's kind has where a drive feeds it; "digital" and "two-stage" are ordinary motors.
INVERTER_NAMES = re.compile(
    r"inverter|variable[\s-]*(speed|capacity|frequency)|\bv[sr]f\b|\bvfd\b|bldc|brushless|modulating|\bdc\b",
    re.IGNORECASE,
)


class PlateRead(Frozen):
    """What can be read of a nameplate; a worn one leaves any of it out."""

    volts: Volts | None = Field(default=None, description="Rated voltage [V]")
    phase: Phase | None = Field(default=None, description="Number of phases")
    compressors: Sequence[CompressorRead] = Field(default_factory=list, max_length=12)
    motors: Sequence[MotorRead] = Field(default_factory=list, max_length=24)
    other_a: ZeroOrMoreAmps | OtherLoad | None = Field(
        default=None, description="Other load on the same plate [A]; with what it is where that is known"
    )
    mca_a: Amps | None = Field(default=None, description="Minimum circuit ampacity as printed [A]")
    mocp_a: Amps | None = Field(default=None, description="Maximum overcurrent device as printed [A]")
    run_cap_uf: Microfarads | None = Field(default=None, description="Run capacitor, compressor section [µF]")
    fan_cap_uf: Microfarads | None = Field(default=None, description="Run capacitor, fan section [µF]")
    tons: Tons | None = Field(default=None, description="Nominal cooling [ton]")
    hp: Horsepower | None = Field(default=None, description="Compressor, where the plate says it [hp]")
    hertz: LineHertz | None = Field(default=None, description="Line frequency; 60 where not said [Hz]")
    inverter: Flag | None = Field(default=None, description="Variable-speed (inverter) compressor")
    refrigerant: RefrigerantName | None = Field(
        default=None, description="Refrigerant; its many spellings become the one of the list"
    )
    metering: Metering | None = Field(default=None, description="Metering device")
    starting: Starting | None = Field(
        default=None,
        description="What starts a single-phase compressor: run capacitor (PSC), current relay (RSIR), "
        "current relay and start capacitor (CSIR), or a thermistor (PTC) without a run capacitor",
    )
    overcurrent_allowed: Literal["fuse", "fuse_or_breaker"] | None = Field(
        default=None, description="Kind of overcurrent device the plate allows"
    )

    @property
    def is_inverter(self) -> bool:
        """Whether any compressor is driven by an inverter, by the yes or by any of its names."""
        return bool(self.inverter) or any(INVERTER_NAMES.search(c.kind or "") for c in self.compressors)


class Plate(PlateRead):
    """What a nameplate says, for the supply actually there."""

    volts: Volts = Field(description="Rated voltage [V]")
    phase: Phase = Field(description="Number of phases")
    compressors: list[Compressor] = Field(min_length=1, max_length=12)
    motors: list[Motor] = Field(default_factory=list, max_length=24)
    other_a: ZeroOrMoreAmps | None = Field(default=None, description="Other load on the same plate [A]")

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
                        "error": msg(
                            "the locked-rotor amps from the nameplate (only inverter nameplates leave them "
                            "out)"
                        ),
                    },
                )
        return self
