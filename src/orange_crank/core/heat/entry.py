"""What electric heat is sized from, and what was measured while it heats."""

from typing import Annotated

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.circuit.entry import (
    AmbientF,
    Conductors,
    DropPct,
    Feet,
    Insulation,
    Material,
    Raceway,
    Termination,
)
from orange_crank.core.heat.elements import HeatKit, Kilowatts, Stage
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import AltitudeFt, Amps, Flag, Frozen, Volts, ZeroOrMoreAmps, apart
from orange_crank.core.plate.model import Edition, Phase

DeltaF = Annotated[float, Field(strict=True, gt=0, le=200, allow_inf_nan=False)]
MOST_SINGLE_PHASE_V = 290


class HeatMeasured(Frozen):
    """What was measured while it heats."""

    volts: Volts
    amps: ZeroOrMoreAmps
    stages_called: Stage | list[Stage] | None = Field(
        default=None, description="Up to which stage, or which stages, the thermostat calls"
    )
    delta_t_f: DeltaF | None = None
    altitude_ft: AltitudeFt | None = None


class HeatIn(Frozen):
    """Heat strips on a supply."""

    kits: list[HeatKit] = Field(min_length=1, max_length=24)
    supply_v: Volts
    phase: Phase
    blower_fla_a: ZeroOrMoreAmps
    edition: Edition = "2023"
    termination_c: Termination | None = None
    insulation: Insulation = "THWN-2"
    material: Material = "copper"
    ambient_f: AmbientF = Field(default=86.0, description="Attics are hotter [°F]")
    current_carrying_conductors: Conductors | None = None
    length_ft: Feet | None = None
    raceway: Raceway | None = None
    drop_limit_pct: DropPct | None = None
    wet: Flag = False
    single_point: Flag | None = Field(default=None, description="A listed single-point kit")
    mca_a: Amps | None = Field(default=None, description="Marked on the single-point kit; it governs [A]")
    mocp_a: Amps | None = Field(default=None, description="Marked on the single-point kit; it governs [A]")
    rise_low_f: DeltaF | None = Field(default=None, description="Temperature rise from, on the plate [°F]")
    rise_high_f: DeltaF | None = Field(default=None, description="Temperature rise to, on the plate [°F]")
    heat_pump_mca_a: ZeroOrMoreAmps | None = Field(
        default=None, description="Outdoor unit at the same time [A]"
    )
    needed_kw: Kilowatts | None = Field(default=None, description="Heat loss less heat pump, at design [kW]")
    listed_kits_kw: list[Kilowatts] | None = Field(
        default=None, max_length=30, description="The air handler's own list, at rated volts [kW]"
    )
    listed_rated_v: Volts = 240.0
    measured: HeatMeasured | None = None

    @model_validator(mode="after")
    def _supported(self) -> "HeatIn":
        wrong = self._impossible()
        if wrong:
            raise PydanticCustomError("value_error", "{error}", {"field": wrong[0], "error": wrong[1]})
        return self

    def _impossible(self) -> tuple[str, str] | None:
        if self.phase == 1 and self.supply_v > MOST_SINGLE_PHASE_V:
            return "supply_v", msg("at most 277 V single-phase")
        for kit in self.kits:
            if self.supply_v > 1.1 * kit.rated_v:
                return "supply_v", msg(
                    "at most the element's {rated_v:g} V and 10 %: it would burn", rated_v=kit.rated_v
                )
        if self.rise_low_f and self.rise_high_f and self.rise_low_f > self.rise_high_f:
            return "rise_high_f", msg("at least {apart}", apart=apart(self.rise_low_f))
        if not self.single_point and (self.mca_a is not None or self.mocp_a is not None):
            return "single_point", msg("yes, where the kit has an MCA and MOCP of its own")
        if self.mca_a is not None and self.mocp_a is not None and self.mca_a > self.mocp_a:
            return "mca_a", msg("at most the MOCP, {mocp_a:g} A: they may be swapped", mocp_a=self.mocp_a)
        if self.material == "aluminum" and self.insulation in ("NM-B", "UF-B"):
            return "material", msg("copper: NM and UF cable in aluminum is not worked out here")
        return None
