"""Backup power: does this source start this compressor, with what else is on, and for how long."""

import math
from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.motor.entry import Aid, Load, Source, StartIn
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.start import StartResult, compute_start
from orange_crank.core.nomenclature import Fahrenheit, Finding, Flag, Frozen, Volts, Word, say
from orange_crank.core.tables import Standards, shipped_standards

SourceKind = Literal["portable_synchronous", "portable_inverter", "standby", "battery_inverter"]
Fuel = Literal["gasoline", "diesel", "propane", "natural_gas", "battery"]
# What a fuel leaves of a gasoline rating; the conservative end of ten to twenty per cent for gas.
FUEL_SHARE: dict[Fuel, float] = {
    "gasoline": 1.0, "diesel": 1.0, "propane": 0.90, "natural_gas": 0.80, "battery": 1.0,
}  # fmt: skip
PCT_PER_1000_FT, FREE_FT = 3.5, 500.0
PCT_PER_10_F, FREE_F = 1.0, 85.0
DROPOUT_PCT = 62.0
RUN_POWER_FACTOR = 0.96
TIGHT_PCT = 10.0
LIGHT_LOAD_PCT = 12.0

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
            wrong = ("source.surge_kw", f"at least the continuous {self.continuous_kw:g} kW")
        if (self.kind == "battery_inverter") != (self.fuel == "battery"):
            wrong = ("source.fuel", "battery for a battery inverter, and only for one")
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

    label: Word
    aid: Aid = Field(default_factory=Aid)


class BackupIn(Frozen):
    """A compressor, a source, and what else is on."""

    plate: StartPlate
    source: BackupSource
    others: list[OtherLoad] = Field(default_factory=list, max_length=100)
    aids: list[AidTried] = Field(min_length=1, max_length=10)
    transfer: Literal["interlock", "transfer_switch", "none"]
    start_torque_pct: Annotated[float, Field(strict=True, ge=0, le=400, allow_inf_nan=False)] = LIGHT_LOAD_PCT
    inertia_factor: Annotated[float, Field(strict=True, ge=0.05, le=20, allow_inf_nan=False)] = 1.0
    coil_dropout_v: Annotated[float, Field(strict=True, gt=0, le=24, allow_inf_nan=False)] | None = Field(
        default=None, description="Measured on this unit's 24 V coil [V]"
    )


class BackupVerdict(Frozen):
    """One aid on this source."""

    label: str
    verdict: Literal["starts", "marginal", "fails"]
    start_kva: float
    dip_pct: float = Field(description="Deepest one-cycle dip at the motor [%]")
    contactor_holds: bool
    margin_pct: float = Field(description="How much smaller the source could be and still start it [%]")
    other_load_max_w: float = Field(description="The most that may stay on beside it [W]")
    start_s: float | None
    why: str


class BackupOut(Frozen):
    """Each aid on this source, and how long the fuel lasts."""

    derated_kw: float
    others_w: float
    running_w: float
    results: list[BackupVerdict]
    run_hours: float | None
    findings: list[Finding]


def derated_kw(source: BackupSource) -> tuple[float, str]:
    """Return what a source gives here, and the sum in words.

    Notes
    -----
    Fuel, then 3.5 % a thousand feet above 500 ft, then 1 % a ten degrees above 85 °F; a battery inverter only
    feels the heat.

    """
    if source.derated_by_maker:
        return source.continuous_kw, f"{source.continuous_kw:g} kW, as its maker rates it here"
    fuel = FUEL_SHARE[source.fuel]
    feet = 0.0 if source.fuel == "battery" else max(0.0, source.altitude_ft - FREE_FT) / 1000
    height = 1 - PCT_PER_1000_FT / 100 * feet
    heat = 1 - PCT_PER_10_F / 100 * max(0.0, source.ambient_f - FREE_F) / 10
    left = source.continuous_kw * fuel * max(0.0, height) * max(0.0, heat)
    told = f"{source.continuous_kw:g} kW × {fuel:g} fuel × {height:.3f} height × {heat:.3f} heat"
    return left, f"{told} = {left:.2f} kW"


def check_backup(entry: BackupIn, standards: Standards | None = None) -> BackupOut:
    """Check each aid on a source.

    Raises
    ------
    InputProblem : no transfer device is named, or the plate is none of a single-phase machine

    Notes
    -----
    Other loads are taken off the source before the start is computed on what is left: the conservative
    reading. A source's frequency is not modelled.

    """
    if entry.transfer == "none":
        raise InputProblem(
            [FieldProblem(field="transfer", wanted="an interlock or a transfer switch", got="none")],
            next_step="Without a listed interlock or transfer switch it would feed the utility's line.",
        )
    limits = standards or shipped_standards()
    kw, told = derated_kw(entry.source)
    others_w = sum(o.watts for o in entry.others if o.on)
    running_w = entry.plate.volts * entry.plate.compressors[0].rla_a * RUN_POWER_FACTOR
    results = [_check(entry, tried, kw, others_w, running_w, limits) for tried in entry.aids]
    hours = _run_hours(entry.source, kw, running_w + others_w)
    findings = [
        Finding(
            code="DERATED",
            verdict="note",
            text=f"Here this source gives {say(kw, 'kW', 3)}.",
            rule="handbook: backup power",
            inputs={"continuous_kw": entry.source.continuous_kw, "altitude_ft": entry.source.altitude_ft},
            arithmetic=told,
        ),
        Finding(
            code="NOT_MODELLED",
            verdict="note",
            text="Frequency sag is not modelled: a cold start and a hot restart are the proof.",
            rule="start model",
        ),
        Finding(
            code="OUTDOORS",
            verdict="watch",
            text="An engine stands outdoors, away from openings: carbon monoxide.",
            rule="handbook: safety",
        ),
    ]
    if entry.source.fuel == "battery":
        findings.pop()
    return BackupOut(
        derated_kw=round(kw, 3),
        others_w=others_w,
        running_w=round(running_w, 1),
        results=results,
        run_hours=hours,
        findings=findings,
    )


def _start(
    entry: BackupIn, tried: AidTried, kw: float, others_w: float, limits: Standards
) -> StartResult | None:
    left_kva = kw - others_w / 1000
    if left_kva <= 0.05:
        return None
    made = entry.source
    inverter = made.kind in ("battery_inverter", "portable_inverter")
    surge = None
    if inverter:
        share = kw / made.continuous_kw
        surge = (made.surge_kw or made.continuous_kw) * share - others_w / 1000
        if surge <= 0.05:
            return None
    return compute_start(
        StartIn(
            plate=entry.plate,
            source=Source(
                kind="inverter" if inverter else "generator",
                volts=made.volts,
                rated_kva=left_kva,
                surge_kva=surge,
                transient_reactance_pu=made.transient_reactance_pu,
            ),
            load=Load(start_torque_pct=entry.start_torque_pct),
            inertia_factor=entry.inertia_factor,
            aid=tried.aid,
        ),
        limits,
    )


def _holds(entry: BackupIn, start: StartResult) -> tuple[bool, float]:
    """Tell whether the contactor stays in, and by how many per cent of rated volts."""
    dropout = 100 * entry.coil_dropout_v / 24 if entry.coil_dropout_v is not None else DROPOUT_PCT
    lowest = 100 * start.volts * (1 - start.sag_pct / 100) / entry.plate.volts
    return lowest > dropout, lowest - dropout


def _good(entry: BackupIn, start: StartResult | None) -> bool:
    return start is not None and start.verdict in ("started", "late") and _holds(entry, start)[0]


def _check(
    entry: BackupIn, tried: AidTried, kw: float, others_w: float, running_w: float, limits: Standards
) -> BackupVerdict:
    start = _start(entry, tried, kw, others_w, limits)
    carries = kw * 1000 >= running_w + others_w
    if start is None:
        return BackupVerdict(
            label=tried.label,
            verdict="fails",
            start_kva=0.0,
            dip_pct=100.0,
            contactor_holds=False,
            margin_pct=0.0,
            other_load_max_w=0.0,
            start_s=None,
            why="What else is on takes all this source gives.",
        )
    holds, spare = _holds(entry, start)
    good = _good(entry, start) and carries
    margin = 100 * (1 - _least(entry, tried, kw, others_w, running_w, limits) / kw) if good else 0.0
    verdict: Literal["starts", "marginal", "fails"] = (
        "fails"
        if not good
        else "marginal"
        if start.verdict == "late" or margin < TIGHT_PCT or spare < 3
        else "starts"
    )
    return BackupVerdict(
        label=tried.label,
        verdict=verdict,
        start_kva=round(start.start_kva, 2),
        dip_pct=round(start.sag_pct, 1),
        contactor_holds=holds,
        margin_pct=round(max(0.0, margin), 1),
        other_load_max_w=_most_beside(entry, tried, kw, running_w, limits) if good else 0.0,
        start_s=start.time_to_speed_s,
        why=_why(start, holds, carries, verdict),
    )


def _why(start: StartResult, holds: bool, carries: bool, verdict: str) -> str:
    if not carries:
        return "It cannot carry the compressor and what else is on once it runs."
    if start.time_to_speed_s is None:
        return start.sentence
    if not holds:
        return f"Volts dip by {start.sag_pct:.0f} %: the contactor lets go during the start."
    return start.sentence if verdict == "starts" else f"{start.sentence} Little is left over."


def _least(
    entry: BackupIn, tried: AidTried, kw: float, others_w: float, running_w: float, limits: Standards
) -> float:
    """Return the smallest source, of this kind, that still does it [kW], by halving."""
    low, high = max(0.2 * kw, (running_w + others_w) / 1000), kw
    if _good(entry, _start(entry, tried, low, others_w, limits)):
        return low
    for _ in range(6):
        middle = (low + high) / 2
        low, high = (
            (low, middle) if _good(entry, _start(entry, tried, middle, others_w, limits)) else (middle, high)
        )
    return high


def _most_beside(entry: BackupIn, tried: AidTried, kw: float, running_w: float, limits: Standards) -> float:
    """Return the most that may stay on beside it [W], to the next 50 W below."""
    low, high = 0.0, max(0.0, kw * 1000 - running_w)
    if _good(entry, _start(entry, tried, kw, high, limits)):
        return math.floor(high / 50) * 50.0
    for _ in range(7):
        middle = (low + high) / 2
        low, high = (
            (middle, high) if _good(entry, _start(entry, tried, kw, middle, limits)) else (low, middle)
        )
    return math.floor(low / 50) * 50.0


def _run_hours(source: BackupSource, kw: float, load_w: float) -> float | None:
    """Return how long tank or battery lasts at a load [h]; the fuel curve is never followed past its ends."""
    if source.tank is None:
        return None
    if source.fuel == "battery":
        return round(source.tank * 1000 / load_w, 2)
    if not source.burn:
        return None
    points = sorted(source.burn, key=lambda b: b.load_pct)
    load = 100 * load_w / (kw * 1000)
    if load > 100:
        return None
    if load <= points[0].load_pct or len(points) == 1:
        return round(source.tank / points[0].per_hour, 2)
    for one, two in pairwise(points):
        if load <= two.load_pct:
            share = (
                (load - one.load_pct) / (two.load_pct - one.load_pct) if two.load_pct > one.load_pct else 1.0
            )
            return round(source.tank / (one.per_hour + share * (two.per_hour - one.per_hour)), 2)
    return round(source.tank / points[-1].per_hour, 2)
