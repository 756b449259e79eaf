"""Backup power: does this source start this compressor, with what else is on, and for how long."""

import math
from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.motor.entry import Aid, Conductors, Load, Source, StartIn
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.start import StartResult, compute_start
from orange_crank.core.nomenclature import Amps, Fahrenheit, Finding, Flag, Frozen, Volts, Word, say
from orange_crank.core.tables import conductor_ohms
from orange_crank.core.tables.standards import Standards, shipped_standards

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
CONTINUOUS_SHARE = 0.8
CORD_DROP_PCT = 3.0

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
    path: BackupPath = Field(default_factory=BackupPath)
    electronic: ElectronicCutOut | None = None


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
    verdict: Literal["starts", "marginal", "fails"]
    start_kva: float
    dip_pct: float = Field(description="Deepest one-cycle dip at the motor [%]")
    contactor_holds: bool
    margin_pct: float = Field(description="How much smaller the source could be and still start it [%]")
    other_load_max_w: float = Field(description="The most that may stay on beside it [W]")
    start_s: float | None
    why: str
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
    curve = [
        RunPoint(load_w=round(w, 0), run_h=h)
        for i in range(1, 21)
        if (h := _run_hours(entry.source, kw, w := kw * 50.0 * i)) is not None
    ]
    findings = [
        Finding(
            code="DERATED",
            verdict="note",
            text=f"Here this source gives {say(kw, 'kW', 3)}.",
            rule="field practice: backup power",
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
            rule="field practice: safety",
        ),
    ]
    if entry.source.fuel == "battery":
        findings.pop()
    findings.append(
        Finding(
            code="RESTART_DELAY",
            verdict="watch",
            text="After any transfer of supply wait the minimum off-time: a scroll may start backwards.",
            rule="field practice: backup power",
            next_step="Fit a delay, or hold the thermostat off through the transfer.",
        )
    )
    findings += _path_findings(entry, running_w, others_w)
    return BackupOut(
        derated_kw=round(kw, 3),
        others_w=others_w,
        running_w=round(running_w, 1),
        results=results,
        run_hours=hours,
        run_time=curve,
        findings=findings,
    )


def _start(
    entry: BackupIn, tried: AidTried, kw: float, others_w: float, limits: Standards, trace: bool = False
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
                conductors=entry.path.cord,
            ),
            load=Load(start_torque_pct=entry.start_torque_pct),
            inertia_factor=entry.inertia_factor,
            aid=tried.aid,
            trace=trace,
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
    start = _start(entry, tried, kw, others_w, limits, trace=True)
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
    cut_out = _cuts_out(entry, start)
    good = _good(entry, start) and carries and not cut_out
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
        why=CUT_OUT if cut_out else _why(start, holds, carries, verdict),
        trace=_trace(entry, start, others_w),
    )


CUT_OUT = "The electronic contactor's brown-out cut-out lets go during the start."


def _cuts_out(entry: BackupIn, start: StartResult) -> bool:
    """Tell whether an electronic contactor would let go: its control volts follow the line."""
    if entry.electronic is None or start.trace is None:
        return False
    limit = entry.electronic.brownout_v / entry.electronic.control_v * entry.plate.volts
    times, volts = start.trace.time_s, start.trace.line_rms_v
    below_s = 0.0
    for one, two, v in zip(times, times[1:], volts, strict=False):
        below_s = below_s + (two - one) if v < limit else 0.0
        if below_s > entry.electronic.brownout_s:
            return True
    return False


def _trace(entry: BackupIn, start: StartResult, others_w: float) -> LoadTrace | None:
    if start.trace is None:
        return None
    step = max(1, len(start.trace.time_s) // 200)
    amps, volts = start.trace.line_rms_a[::step], start.trace.line_rms_v[::step]
    # What else is on is taken as resistance: it follows the square of the volts.
    others = [others_w * (v / entry.source.volts) ** 2 for v in volts]
    return LoadTrace(
        time_s=[round(t, 4) for t in start.trace.time_s[::step]],
        load_kva=[round((a * v + w) / 1000, 3) for a, v, w in zip(amps, volts, others, strict=True)],
        motor_v=[round(v, 1) for v in volts],
    )


def _path_findings(entry: BackupIn, running_w: float, others_w: float) -> list[Finding]:
    found = []
    amps = (running_w + others_w) / entry.source.volts
    for name, rated in (("Inlet", entry.path.inlet_a), ("Breaker", entry.path.breaker_a)):
        if rated is None:
            found.append(
                Finding(
                    code=f"{name.upper()}_UNKNOWN",
                    verdict="unknown",
                    text=f"{name} rating not said.",
                    rule="field practice: backup power",
                    next_step=f"Read it on the {name.lower()}.",
                )
            )
            continue
        share = amps / rated
        found.append(
            Finding(
                code=f"{name.upper()}_AMPS",
                verdict="fail" if share > 1 else "watch" if share > CONTINUOUS_SHARE else "pass",
                text=f"{name}: {amps:.1f} A running on {rated:g} A.",
                rule="field practice: backup power",
                inputs={"running_a": round(amps, 2), "rated_a": rated},
                arithmetic=f"({running_w:.0f} + {others_w:.0f}) W ÷ {entry.source.volts:g} V = {amps:.1f} A",
                next_step=None if share <= CONTINUOUS_SHARE else "Turn something off, or a larger one.",
            )
        )
    if entry.path.cord is not None:
        ohms = conductor_ohms(entry.path.cord.size, entry.path.cord.material)
        drop = 2 * entry.path.cord.length_ft / 1000 * ohms.resistance_ohm_per_kft * amps
        pct = 100 * drop / entry.source.volts
        found.append(
            Finding(
                code="CORD_DROP",
                verdict="pass" if pct <= CORD_DROP_PCT else "watch",
                text=f"The cord takes {drop:.1f} V, {pct:.1f} %, running.",
                rule="NEC 2023 210.19(A) note: 3 %",
                inputs={"length_ft": entry.path.cord.length_ft, "size": entry.path.cord.size},
                next_step=None if pct <= CORD_DROP_PCT else "A shorter or heavier cord.",
            )
        )
    return found


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
