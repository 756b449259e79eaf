"""What a circuit is sized from: the plate's loads, how it is wired, and what is there already."""

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Amps, Flag, Frozen, Volts, Word, ZeroOrMoreAmps
from orange_crank.core.plate.model import (
    Compressor,
    Edition,
    Metering,
    Motor,
    OtherLoad,
    Phase,
    split_other,
)
from orange_crank.core.tables.code import RANK
from orange_crank.core.tables.refrigerants import RefrigerantName

Material = Literal["copper", "aluminum"]
Insulation = Literal["THHN", "THWN", "THWN-2", "XHHW", "XHHW-2", "NM-B", "UF-B"]
Raceway = Literal["EMT", "RMC", "PVC-40", "PVC-80", "LFNC-B", "LFMC", "FMC", "cable", "MC", "SER"]
RacewayMetal = Literal["pvc", "steel", "aluminum"]
School = Literal["mca", "breaker"]
Equipment = Literal["hvac", "inverter_hvac", "refrigeration", "other"]
Feeds = Literal["compressor", "heat", "both", "fan_coil", "mini_split", "several"]
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
FaultAmps = Annotated[
    float, Field(strict=True, gt=0, le=1e6, allow_inf_nan=False, json_schema_extra={"unit": "A"})
]
Poles = Annotated[int, Field(strict=True, ge=1, le=3)]
Horsepower = Annotated[float, Field(strict=True, gt=0, le=500, allow_inf_nan=False)]

# Under this a heater on the nameplate heats a crankcase or a pan, not a space [W].
SPACE_HEAT_W = 1_000.0
OLDER_FEEDS: dict[object, Feeds] = {"motor_compressor": "compressor", "heat": "heat"}
VOLTAGE_CLASSES: dict[str, tuple[float, float]] = {
    "115/120 V": (95, 132),
    "208 V": (185, 216.9),
    "230/240 V": (217, 253.9),
    "265/277 V": (254, 290),
    "380 to 415 V": (360, 429),
    "460/480 V": (430, 509),
    "575/600 V": (510, 630),
}


def voltage_class(volts: float) -> str | None:
    """Return the class of supply that some volts belong to; None between classes.

    >>> voltage_class(240.0), voltage_class(208.0)
    ('230/240 V', '208 V')
    """
    return next((name for name, (low, high) in VOLTAGE_CLASSES.items() if low <= volts <= high), None)


class Lug(Frozen):
    """One terminal as its label says."""

    at: Word = Field(description="Breaker, disconnect line, contactor …")
    low_awg: Size | None = Field(default=None, description="Smallest wire it takes")
    high_awg: Size | None = Field(default=None, description="Largest wire it takes")
    metals: list[Material] = Field(
        default_factory=list, max_length=2, description="Marked for; empty where nobody read it"
    )
    wires: Annotated[int, Field(strict=True, ge=1, le=4)] = 1
    wires_on_it: Annotated[int, Field(strict=True, ge=1, le=4)] = 1
    marked_c: Termination | None = None

    @model_validator(mode="after")
    def _in_order(self) -> "Lug":
        if self.low_awg and self.high_awg and RANK[self.low_awg] > RANK[self.high_awg]:
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {"field": "lugs.high_awg", "error": msg("{low_awg} or larger", low_awg=self.low_awg)},
            )
        return self


class PairedRating(Frozen):
    """The figures of a plate rated for two voltages, for its other voltage."""

    volts: Volts
    compressors: list[Compressor] = Field(default_factory=list, max_length=12)
    motors: list[Motor] = Field(default_factory=list, max_length=24)
    mca_a: Amps | None = None
    mocp_a: Amps | None = None


@dataclass(frozen=True)
class Rating:
    """The figures of the plate's column that belongs to the supply."""

    compressors: list[Compressor]
    motors: list[Motor]
    mca_a: float | None
    mocp_a: float | None
    paired: bool = False
    motors_of_other: bool = False


class CircuitIn(Frozen):
    """A plate's loads and how the circuit is to be wired."""

    volts: Volts = Field(description="Of the supply actually there [V]")
    phase: Phase
    compressors: list[Compressor] = Field(default_factory=list, max_length=12)
    motors: list[Motor] = Field(default_factory=list, max_length=24)
    other_a: ZeroOrMoreAmps | OtherLoad | None = Field(
        default=None, description="Other load [A], with what it is: motor, heat (125 %) or other"
    )
    mca_a: Amps | None = Field(default=None, description="From the plate; it governs [A]")
    mocp_a: Amps | None = Field(default=None, description="From the plate; it governs [A]")
    run_cap_uf: Annotated[float, Field(strict=True, gt=0, le=5_000, allow_inf_nan=False)] | None = None
    fan_cap_uf: Annotated[float, Field(strict=True, gt=0, le=5_000, allow_inf_nan=False)] | None = None
    tons: Annotated[float, Field(strict=True, gt=0, le=500, allow_inf_nan=False)] | None = None
    inverter: Flag | None = None
    refrigerant: RefrigerantName | None = None
    metering: Metering | None = None
    rated_v: Volts | None = Field(
        default=None,
        description="The voltage these figures are printed for, where it is not the supply's [V]",
    )
    paired: PairedRating | None = None
    feeds: Feeds | None = Field(
        default=None,
        description="What the circuit feeds; left out, it follows from compressors or heat given",
    )
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
    outdoors: Flag | None = Field(default=None, description="A height above the roof says so too")
    wet: Flag | None = Field(
        default=None,
        description="Wet place, raceways outdoors included; outdoors is wet unless said otherwise",
    )
    length_ft: Feet | None = None
    raceway: Raceway | None = None
    drop_limit_pct: DropPct | None = None
    start_limit_pct: DropPct | None = Field(
        default=None, description="Size the wire so that a start loses no more than this in it [%]"
    )
    power_factor: PowerFactor = 0.85
    raceway_metal: RacewayMetal | None = None
    school: School = "mca"
    smallest_device: Flag = Field(
        default=False,
        description="The smallest standard device code allows, instead of the plate's largest",
    )
    overcurrent_allowed: Literal["fuse", "fuse_or_breaker"] | None = None
    provisional: Flag = Field(default=False, description="Sized before the unit arrives")
    lugs: list[Lug] = Field(default_factory=list, max_length=12)
    ground_by: Literal["wire", "raceway"] | None = Field(
        default=None, description="What the equipment ground is: a wire, or the metal raceway itself"
    )
    egc_material: Material | None = Field(default=None, description="The conductors' metal if left out")
    available_fault_a: FaultAmps | None = Field(default=None, description="Fault current at the unit [A]")
    short_circuit_rating_a: FaultAmps | None = Field(default=None, description="Marked on the unit [A]")
    dwelling: Flag | None = None
    equipment: Equipment | None = Field(
        default=None, description="Listed HVAC, with power conversion or without, or something else"
    )
    on_date: Annotated[str, Field(strict=True, pattern=r"^\d{4}-\d{2}-\d{2}$")] | None = Field(
        default=None, description="For rules that change on a date, as 2026-11-25"
    )

    @model_validator(mode="after")
    def _enough(self) -> "CircuitIn":
        wrong = self._too_little() or self._impossible()
        if wrong:
            raise PydanticCustomError("value_error", "{error}", {"field": wrong[0], "error": wrong[1]})
        return self

    def _too_little(self) -> tuple[str, str] | None:
        r = self.rating
        at = "paired." if r.paired else ""
        here = msg(" for {volts:g} V", volts=self.volts) if r.paired else ""
        if r.compressors:
            return None
        if self.feeding == "heat":
            if r.mca_a is None and not self.heat_a:
                return "other_a", msg("the heater's amps, or the MCA marked on it")
            return None
        if r.mca_a is None and not r.motors:
            return (
                f"{at}mca_a",
                msg(
                    "the nameplate's figure{here}, or the compressor's rated load amps to compute it from",
                    here=here,
                ),
            )
        if r.mocp_a is None and self.feeding != "fan_coil":
            return f"{at}mocp_a", msg(
                "the nameplate's figure{here}: it cannot be computed without a compressor", here=here
            )
        return None

    def _impossible(self) -> tuple[str, str] | None:
        if self.phase == 1 and self.volts > 290 and voltage_class(self.volts) != "460/480 V":
            return "volts", msg("up to 277 V, or 480 V, single-phase")
        if self.phase == 3 and self.volts < 180:
            return "volts", msg("208 V or more for three-phase")
        if self.volts > 600:
            return "volts", msg("at most 600 V")
        if self.material == "aluminum" and self.insulation in ("NM-B", "UF-B"):
            return "material", msg("copper: NM and UF cable in aluminum is not worked out here")
        return None

    @property
    def rating(self) -> Rating:
        """The plate's figures for the supply that is there; never the other voltage's column."""
        pair = self.paired
        if pair is None or not self._is_paired(pair):
            return Rating(self.compressors, self.motors, self.mca_a, self.mocp_a)
        return Rating(
            compressors=pair.compressors,
            motors=pair.motors or (self.motors if pair.compressors else []),
            mca_a=pair.mca_a,
            mocp_a=pair.mocp_a,
            paired=True,
            motors_of_other=bool(pair.compressors and self.motors and not pair.motors),
        )

    def _is_paired(self, pair: PairedRating) -> bool:
        here = voltage_class(self.volts)
        if self.rated_v is not None and voltage_class(self.rated_v) == here:
            return False
        return here is not None and voltage_class(pair.volts) == here

    @property
    def poles(self) -> int:
        """Poles of the overcurrent device: 120 V and 277 V single-phase have one hot."""
        return 3 if self.phase == 3 else 1 if self.volts <= 132 or 254 < self.volts <= 290 else 2

    @property
    def volts_to_ground(self) -> float:
        """Volts to ground of the usual system with these line volts [V]."""
        if self.poles == 1:
            return self.volts
        if self.phase == 1:
            return 120.0 if self.volts <= 254 else self.volts / 3**0.5
        return 120.0 if self.volts <= 216 else self.volts if self.volts <= 254 else self.volts / 3**0.5

    @property
    def feeding(self) -> Feeds | None:
        """What it feeds: as entered, else as the loads show; None where MCA and MOCP stand alone."""
        if self.feeds is not None:
            return self.feeds
        rating = self.rating
        space_heat = self.volts * self.heat_a * (3**0.5 if self.phase == 3 else 1.0) >= SPACE_HEAT_W
        if rating.compressors:
            return "both" if space_heat else "compressor"
        if space_heat:
            return "heat"
        return "fan_coil" if rating.motors and rating.mca_a is None else None

    @property
    def heat_a(self) -> float:
        """Amps of heat [A]; of a heat circuit, other load of no named kind is heat."""
        _, heat, other = split_other(self.other_a)
        return heat + (other if self.feeds == "heat" else 0.0)

    @property
    def is_outdoors(self) -> bool | None:
        """Whether it runs outdoors; a height above the roof says so."""
        return True if self.outdoors is None and self.rooftop_clearance_in is not None else self.outdoors

    @property
    def is_wet(self) -> bool | None:
        """Whether the place is wet; outdoors is, unless said otherwise."""
        return True if self.wet is None and self.is_outdoors else self.wet

    @property
    def kind(self) -> Equipment | None:
        """What it feeds, for the rules that go by it; an inverter says so by itself."""
        if self.equipment is not None:
            return self.equipment
        if self.feeds == "mini_split":
            return "inverter_hvac"
        drives = any("inverter" in (c.kind or "").lower() for c in self.compressors)
        return "inverter_hvac" if self.inverter or drives else None

    def said(self, *names: str) -> bool:
        """Whether any of these fields was said."""
        return any(n in self.model_fields_set and getattr(self, n) is not None for n in names)


class Installed(Frozen):
    """What is there already; what was not looked at is left out."""

    overcurrent_a: Amps | None = Field(default=None, description="Breaker or fuse that protects the run [A]")
    overcurrent_kind: Literal["breaker", "fuse"] | None = None
    conductor_awg: Size | None = None
    material: Material | None = None
    egc_awg: Size | None = None
    egc_material: Material | None = Field(default=None, description="The conductors' metal if left out")
    egc_raceway: Flag | None = Field(default=None, description="The metal raceway is the ground")
    insulation: Insulation | None = None
    disconnect_a: Amps | None = None
    disconnect_hp: Horsepower | None = None
    disconnect_fused: Flag | None = None
    fuse_a: Amps | None = Field(default=None, description="Fuses in the disconnect [A]")
    poles: Poles | None = None
    ground_fault: Flag | None = Field(default=None, description="Ground-fault protection is there")


class AuditIn(CircuitIn):
    """A circuit that is there, held against a plate."""

    installed: Installed
    load: Literal["motor_compressor", "heat"] | None = Field(
        default=None, description="The older word for feeds: motor_compressor is compressor"
    )
    single_point: Flag | None = Field(default=None, description="Heat: a listed single-point kit")

    @model_validator(mode="before")
    @classmethod
    def _load_is_feeds(cls, said: object) -> object:
        if isinstance(said, dict) and said.get("feeds") is None and said.get("load") in OLDER_FEEDS:
            return {**said, "feeds": OLDER_FEEDS[said["load"]]}
        return said
