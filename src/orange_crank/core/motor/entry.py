"""What a start is computed from: source, aid, load, protection and control."""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.messages import msg
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.machine import Machine
from orange_crank.core.nomenclature import (
    Amps,
    Flag,
    Frozen,
    Microfarads,
    Ohms,
    Volts,
    Word,
    ZeroOrMoreAmps,
)


def _number(low: float, high: float, unit: str, above: bool = False) -> Any:
    bound: dict[str, Any] = {"gt": low} if above else {"ge": low}
    return Field(strict=True, le=high, allow_inf_nan=False, json_schema_extra={"unit": unit}, **bound)


Kva = Annotated[float, _number(0, 10_000, "kVA", above=True)]
PerUnit = Annotated[float, _number(0, 3, "1", above=True)]
MilliHenry = Annotated[float, _number(0, 1_000, "mH")]
TorquePct = Annotated[float, _number(0, 1_000, "%")]
TorqueNm = Annotated[float, _number(0, 10_000, "N·m")]
RiseS = Annotated[float, _number(0, 600, "s")]
Degrees = Annotated[float, _number(-360, 720, "°")]
SmallOhms = Annotated[float, _number(0, 1_000, "Ω")]


class Conductors(Frozen):
    """The circuit's own conductors, out and back."""

    size: Word = Field(description="AWG or kcmil, as the table names it: 10, 1/0, 250")
    length_ft: Annotated[float, _number(0, 5_000, "ft")] = Field(description="One way [ft]")
    material: Literal["copper", "aluminum"] = "copper"
    raceway_metal: Literal["pvc", "steel", "aluminum"] = "pvc"


class Source(Frozen):
    """What feeds the motor."""

    kind: Literal["utility", "generator", "inverter"] = "utility"
    volts: Volts | None = Field(
        default=None,
        description="RMS at no load [V]; if left out the plate's, on utility its system's (240 for 230)",
    )
    resistance_ohm: SmallOhms | None = Field(
        default=None, description="Of supply and conductors together [Ω]; a house's on utility if left out"
    )
    inductance_mh: MilliHenry | None = Field(
        default=None, description="Of supply and conductors together [mH]; a house's on utility if left out"
    )
    conductors: Conductors | None = Field(default=None, description="Added to resistance and inductance")
    rated_kva: Kva | None = Field(default=None, description="Of a generator or inverter [kVA]")
    surge_kva: Kva | None = Field(default=None, description="What an inverter gives for a start [kVA]")
    others_w: Annotated[float, _number(0, 1e6, "W")] = Field(
        default=0.0, description="Other running load on a generator or inverter, taken off it [W]"
    )
    transient_reactance_pu: PerUnit | None = Field(
        default=None, description="Of a generator; 0.22 if left out"
    )

    @property
    def left_kva(self) -> float:
        """What other loads leave of a generator's rating, or of what an inverter gives for a start [kVA]."""
        gives = self.surge_kva if self.kind == "inverter" and self.surge_kva is not None else self.rated_kva
        return float(gives or 0.0) - self.others_w / 1000

    @model_validator(mode="after")
    def _rated(self) -> "Source":
        if self.kind != "utility" and self.rated_kva is None:
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {"field": "source.rated_kva", "error": msg("the {kind}'s rated kVA", kind=self.kind)},
            )
        if self.kind != "utility" and self.left_kva <= 0:
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {"field": "source.others_w", "error": msg("less than the {kind} gives", kind=self.kind)},
            )
        return self


class Aid(Frozen):
    """What helps the start."""

    kind: Literal["none", "start_capacitor", "ptc", "soft_starter", "time_delay"] = "none"
    start_cap_uf: Microfarads | None = None
    start_cap_ohm: SmallOhms = Field(default=0.0, description="Its series resistance [Ω]")
    start_cap_rated_v: Volts | None = Field(default=None, description="Its rating on the label [V AC]")
    pickup_v: Volts | None = Field(default=None, description="Relay opens above [V]; fitted if left out")
    dropout_v: Volts | None = Field(default=None, description="Relay closes again under [V]")
    cold_ohm: Ohms | None = Field(default=None, description="PTC, cold [Ω]")
    hot_ohm: Ohms = Field(default=20_000.0, description="PTC, hot [Ω]")
    switch_j: Annotated[float, _number(0, 1e6, "J", above=True)] = Field(
        default=500.0, description="Energy at which a PTC leaps from cold to hot [J]"
    )
    ceiling_a: Amps | None = Field(
        default=None, description="Soft starter's limit on line current [A]; a third of LRA if left out"
    )
    ramp_s: RiseS = Field(default=0.3, description="Soft starter's ramp [s]")
    firing_deg_start: Annotated[float, _number(0, 170, "°")] = Field(
        default=140.0, description="Soft starter's first firing; late is soft [°]"
    )
    minutes_since_last_start: Annotated[float, _number(0, 10_000, "min")] | None = Field(
        default=None, description="PTC: minutes without power since it was last hot; cold if left out"
    )
    off_s: Annotated[float, _number(0, 3_600, "s")] = Field(default=180.0, description="Time delay [s]")

    @model_validator(mode="after")
    def _whole(self) -> "Aid":
        missing = None
        if self.kind == "start_capacitor" and self.start_cap_uf is None:
            missing = ("aid.start_cap_uf", msg("the start capacitor's µF"))
        if self.kind == "ptc" and self.cold_ohm is None:
            missing = ("aid.cold_ohm", msg("the PTC's ohms when cold"))
        if self.pickup_v is not None and self.dropout_v is not None and self.dropout_v >= self.pickup_v:
            missing = ("aid.dropout_v", msg("below the pick-up, {pickup_v:g} V", pickup_v=self.pickup_v))
        if missing:
            raise PydanticCustomError("value_error", "{error}", {"field": missing[0], "error": missing[1]})
        return self


class Load(Frozen):
    """What the compressor asks of its motor."""

    start_torque_pct: TorquePct | None = Field(default=None, description="Of rated torque, at standstill [%]")
    run_torque_pct: TorquePct | None = Field(default=None, description="Of rated torque, pressures made [%]")
    start_torque_nm: TorqueNm | None = None
    run_torque_nm: TorqueNm | None = None
    rise_s: RiseS = Field(default=2.0, description="Time constant with which pressure builds [s]")
    shape: Literal["smooth", "pulsing"] | None = Field(
        default=None, description="By the kind of compressor if left out: a reciprocating one pulses"
    )
    locked: Flag = False


class Breaker(Frozen):
    """The branch breaker: thermal and magnetic."""

    rating_a: Amps
    magnetic_multiple: Annotated[float, _number(2, 50, "1")] = Field(
        default=10.0, description="Trips at once above this many times its rating"
    )


class Overload(Frozen):
    """The internal overload: heats by I², cools slowly."""

    trip_a2s: Annotated[float, _number(0, 1e9, "A²s", above=True)] = Field(
        description="∫I² dt at which it opens [A²·s]"
    )
    cooling_s: Annotated[float, _number(0, 1e5, "s", above=True)] = 120.0


class Control(Frozen):
    """Control voltage from the same line: a contactor that lets go when it sags."""

    dropout_pct: Annotated[float, _number(5, 95, "%")] = Field(
        default=62.0, description="Lets go below this share of rated volts; 62 is the conservative end"
    )
    pull_in_pct: Annotated[float, _number(5, 100, "%")] = 75.0
    delay_s: Annotated[float, _number(0, 600, "s")] = Field(
        default=0.02, description="Before it closes again [s]"
    )


class StartIn(Frozen):
    """A start to compute: a plate or a machine, and all around it."""

    plate: StartPlate | None = None
    machine: Machine | None = None
    run_cap_uf: Microfarads | Literal["open"] | None = Field(
        default=None, description='What is really there [µF], or "open"; the plate\'s if left out'
    )
    run_cap_ohm: SmallOhms = 0.0
    aid: Aid = Field(default_factory=Aid)
    source: Source = Field(default_factory=Source)
    load: Load = Field(default_factory=Load)
    breaker: Breaker | None = None
    overload: Overload | None = None
    control: Control | None = None
    fan_a: ZeroOrMoreAmps | None = Field(default=None, description="Fan that starts with it [A]")
    inertia_factor: Annotated[float, _number(0.05, 20, "1")] = Field(
        default=1.0, description="On the machine's inertia, where a start was measured"
    )
    closing_angle_deg: Degrees = 0.0
    duration_s: Annotated[float, _number(0.05, 30, "s")] = 2.0
    step_us: Annotated[float, _number(1, 500, "µs")] | None = Field(
        default=None, description="50 µs; 20 µs with thyristors"
    )
    trigger_a: Annotated[float, _number(0.01, 1_000, "A")] = Field(
        default=1.0, description="What arms and fires the meter's inrush mode [A]"
    )
    series: Flag = Field(default=False, description="Give the samples back")
    series_points: Annotated[int, Field(strict=True, ge=50, le=400_000)] = Field(
        default=50_000, description="At most about this many; every so-manieth sample is kept"
    )
    trace: Flag = Field(default=False, description="Give one-cycle RMS traces back, for drawing")
    energy: Flag = Field(default=False, description="Add the energies up")
    spread: Flag = Field(
        default=False, description="Give the range over closing angle, inertia and load, which no plate says"
    )

    @model_validator(mode="after")
    def _one_of_them(self) -> "StartIn":
        wrong = None
        if (self.plate is None) == (self.machine is None):
            wrong = ("plate", msg("a nameplate or a machine, one of the two"))
        elif self.machine is not None:
            if self.load.start_torque_pct is not None or self.load.run_torque_pct is not None:
                wrong = ("load.start_torque_nm", msg("newton meters: a bare machine has no rated torque"))
            elif self.source.volts is None:
                wrong = ("source.volts", msg("volts: a bare machine has no rated voltage"))
        if self.control is not None and self.control.pull_in_pct <= self.control.dropout_pct:
            wrong = (
                "control.pull_in_pct",
                msg("above the drop-out, {dropout_pct:g} %", dropout_pct=self.control.dropout_pct),
            )
        if wrong:
            raise PydanticCustomError("value_error", "{error}", {"field": wrong[0], "error": wrong[1]})
        return self


__all__ = [
    "Aid", "Breaker", "Control", "Load", "Overload", "Source", "StartIn",
]  # fmt: skip
