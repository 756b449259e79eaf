"""What a circuit is sized from: the plate's loads, how it is wired, and what is there already."""

from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.nomenclature import Amps, Flag, Frozen, Volts, Word, ZeroOrMoreAmps
from orange_crank.core.plate.model import Compressor, Edition, Metering, Motor, Phase
from orange_crank.core.tables.code import RANK

Material = Literal["copper", "aluminum"]
Insulation = Literal["THHN", "THWN", "THWN-2", "XHHW", "XHHW-2", "NM-B", "UF-B"]
Raceway = Literal["EMT", "PVC-40", "PVC-80", "LFNC-B", "LFMC", "cable"]
RacewayMetal = Literal["pvc", "steel", "aluminum"]
School = Literal["mca", "breaker"]
Size = Literal[
    "14", "12", "10", "8", "6", "4", "3", "2", "1", "1/0", "2/0", "3/0",
    "4/0", "250", "300", "350", "400", "500",
]  # fmt: skip
Termination = Literal[60, 75]
AmbientF = Annotated[float, Field(strict=True, ge=-40, le=185, allow_inf_nan=False)]
Inches = Annotated[float, Field(strict=True, ge=0, le=600, allow_inf_nan=False)]
Feet = Annotated[float, Field(strict=True, gt=0, le=5_000, allow_inf_nan=False)]
DropPct = Annotated[float, Field(strict=True, gt=0, le=20, allow_inf_nan=False)]
PowerFactor = Annotated[float, Field(strict=True, gt=0.2, le=1, allow_inf_nan=False)]
Conductors = Annotated[int, Field(strict=True, ge=1, le=60)]


class Lug(Frozen):
    """One terminal as its label says."""

    at: Word = Field(description="Breaker, disconnect line, contactor …")
    low_awg: Size
    high_awg: Size
    metals: list[Material] = Field(min_length=1, max_length=2)
    wires: Annotated[int, Field(strict=True, ge=1, le=4)] = 1
    wires_on_it: Annotated[int, Field(strict=True, ge=1, le=4)] = 1
    marked_c: Termination | None = None

    @model_validator(mode="after")
    def _in_order(self) -> "Lug":
        if RANK[self.low_awg] > RANK[self.high_awg]:
            raise PydanticCustomError(
                "value_error", "{error}", {"field": "lugs.high_awg", "error": f"{self.low_awg} or larger"}
            )
        return self


class PairedRating(Frozen):
    """The second figures of a plate rated for two voltages."""

    volts: Volts
    compressors: list[Compressor] = Field(default_factory=list, max_length=12)
    motors: list[Motor] = Field(default_factory=list, max_length=24)
    mca_a: Amps | None = None
    mocp_a: Amps | None = None


class CircuitIn(Frozen):
    """A plate's loads and how the circuit is to be wired."""

    volts: Volts = Field(description="Of the supply actually there [V]")
    phase: Phase
    compressors: list[Compressor] = Field(default_factory=list, max_length=12)
    motors: list[Motor] = Field(default_factory=list, max_length=24)
    other_a: ZeroOrMoreAmps | None = None
    mca_a: Amps | None = Field(default=None, description="From the plate; it governs [A]")
    mocp_a: Amps | None = Field(default=None, description="From the plate; it governs [A]")
    run_cap_uf: Annotated[float, Field(strict=True, gt=0, le=5_000, allow_inf_nan=False)] | None = None
    fan_cap_uf: Annotated[float, Field(strict=True, gt=0, le=5_000, allow_inf_nan=False)] | None = None
    tons: Annotated[float, Field(strict=True, gt=0, le=500, allow_inf_nan=False)] | None = None
    inverter: Flag | None = None
    refrigerant: Word | None = None
    metering: Metering | None = None
    paired: PairedRating | None = None
    edition: Edition = "2023"
    material: Material = "copper"
    insulation: Insulation = "THWN-2"
    termination_c: Termination | None = Field(
        default=None, description="60 up to 100 A, else 75, if left out"
    )
    ambient_f: AmbientF = 86.0
    current_carrying_conductors: Conductors | None = None
    rooftop_clearance_in: Inches | None = Field(
        default=None, description="Above the roof; on a roof only [in]"
    )
    wet: Flag = Field(default=False, description="Outdoors or otherwise wet, raceways outdoors included")
    length_ft: Feet | None = None
    raceway: Raceway | None = None
    drop_limit_pct: DropPct | None = None
    power_factor: PowerFactor = 0.85
    raceway_metal: RacewayMetal | None = None
    school: School = "mca"
    smallest_device: Flag = Field(
        default=False,
        description="The smallest standard device that is lawful, instead of the plate's largest",
    )
    overcurrent_allowed: Literal["fuse", "fuse_or_breaker"] | None = None
    provisional: Flag = Field(default=False, description="Sized before the unit arrives")
    lugs: list[Lug] = Field(default_factory=list, max_length=12)
    available_fault_a: Amps | None = None
    short_circuit_rating_a: Amps | None = None
    dwelling: Flag | None = None
    on_date: Annotated[str, Field(strict=True, pattern=r"^\d{4}-\d{2}-\d{2}$")] | None = Field(
        default=None, description="For rules that change on a date, as 2026-11-25"
    )

    @model_validator(mode="after")
    def _enough(self) -> "CircuitIn":
        wrong: tuple[str, str] | None = None
        if not self.compressors and not self.motors and (self.mca_a is None or self.mocp_a is None):
            lacking = "mca_a" if self.mca_a is None else "mocp_a"
            wrong = (lacking, "the plate's figure, or the compressor's rated load amps to compute it from")
        elif not self.compressors and self.mocp_a is None:
            wrong = ("mocp_a", "the plate's figure: it cannot be computed without a compressor")
        elif self.mca_a is not None and self.mocp_a is not None and self.mca_a > self.mocp_a:
            wrong = ("mca_a", f"at most the MOCP, {self.mocp_a:g} A: look at the plate again")
        elif self.phase == 1 and self.volts > 250:
            wrong = ("volts", "at most 250 V single-phase: 277 V single-phase is not supported here")
        elif self.phase == 3 and self.volts < 180:
            wrong = ("volts", "208 V or more for three-phase")
        elif self.volts > 600:
            wrong = ("volts", "at most 600 V")
        elif self.material == "aluminum" and self.insulation in ("NM-B", "UF-B"):
            wrong = ("material", "copper: aluminium cable of this kind is not supported here")
        if wrong:
            raise PydanticCustomError("value_error", "{error}", {"field": wrong[0], "error": wrong[1]})
        return self

    @property
    def poles(self) -> int:
        """Poles of the overcurrent device."""
        return 3 if self.phase == 3 else 1 if self.volts <= 127 else 2


class Installed(Frozen):
    """What is there already."""

    overcurrent_a: Amps
    overcurrent_kind: Literal["breaker", "fuse"]
    conductor_awg: Size
    material: Material | None = None
    egc_awg: Size | None = None
    insulation: Insulation | None = None
    disconnect_a: Amps | None = None
    disconnect_hp: Annotated[float, Field(strict=True, gt=0, le=500, allow_inf_nan=False)] | None = None
    disconnect_fused: Flag | None = None
    poles: Annotated[int, Field(strict=True, ge=1, le=3)] | None = None


class AuditIn(CircuitIn):
    """A circuit that is there, held against a plate."""

    installed: Installed
    load: Literal["motor_compressor", "heat"] = "motor_compressor"
