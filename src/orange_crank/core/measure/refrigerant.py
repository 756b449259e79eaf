"""The refrigerant side, as evidence only: judged coarsely, never a charging tool."""

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field

from orange_crank.core.measure.saturation import atmosphere_psi, is_vacuum, saturation_f
from orange_crank.core.messages import joined, msg
from orange_crank.core.nomenclature import (
    AltitudeFt,
    Fahrenheit,
    Finding,
    Flag,
    Frozen,
    Minutes,
    Verdict,
    apart,
    say,
    temperature,
    worst,
)
from orange_crank.core.tables.refrigerants import RefrigerantName
from orange_crank.core.tables.standards import Standards, shipped_standards

Psig = Annotated[
    float, Field(strict=True, ge=-15, le=800, allow_inf_nan=False, json_schema_extra={"unit": "psig"})
]
Kelvins = Annotated[
    float, Field(strict=True, ge=-60, le=150, allow_inf_nan=False, json_schema_extra={"unit": "°F"})
]
Feet = Annotated[
    float, Field(strict=True, ge=0, le=1_000, allow_inf_nan=False, json_schema_extra={"unit": "ft"})
]
Metering = Literal["piston", "txv", "captube", "eev"]
Charge = Literal["low", "right", "over", "unknown"]
FREEZING_F = 32.0


class Refrigerant(Frozen):
    """What the gauges and the line set say, before the start and running."""

    idle_suction_psig: Psig | None = Field(default=None, description="Before the start [psig]")
    idle_discharge_psig: Psig | None = Field(default=None, description="Before the start [psig]")
    rest_min: Minutes | None = Field(default=None, description="Time since it last ran [min]")
    suction_psig: Psig | None = Field(default=None, description="Running [psig]")
    discharge_psig: Psig | None = Field(default=None, description="Running [psig]")
    superheat_f: Kelvins | None = Field(default=None, description="At the compressor, running [°F]")
    subcooling_f: Kelvins | None = Field(default=None, description="Liquid line, running [°F]")
    refrigerant: RefrigerantName | None = Field(default=None, description="From the plate")
    altitude_ft: AltitudeFt | None = Field(default=None, description="Height of the place [ft]")
    outdoor_f: Fahrenheit | None = Field(default=None, description="Air into the condenser [°F]")
    suction_line_f: Fahrenheit | None = Field(
        default=None, description="Suction line near the compressor [°F]"
    )
    liquid_line_f: Fahrenheit | None = Field(default=None, description="Liquid line at the condenser [°F]")
    metering: Metering | None = None
    charge: Charge | None = Field(default=None, description="What is known of the charge")
    line_set_ft: Feet | None = Field(default=None, description="Length of the line set, one way [ft]")
    rise_ft: Feet | None = Field(default=None, description="Height between the two units [ft]")
    buried_dip: Flag | None = Field(default=None, description="Lines buried or dipping below the unit")
    kinked: Flag | None = None


class RefrigerantResult(Frozen):
    """Coarse evidence for the diagnosis."""

    pressures_equal: bool | None
    pressure_ratio: float | None = Field(description="Absolute discharge over absolute suction, running")
    suction_saturation_f: float | None = Field(description="Dew point at suction, running [°F]")
    condensing_f: float | None = Field(description="Middle of bubble and dew at discharge, running [°F]")
    condensing_over_f: float | None = Field(description="Condensing over the outdoor air [°F]")
    superheat_f: float | None = Field(description="As read, or from line and gauge [°F]")
    subcooling_f: float | None = Field(description="As read, or from line and gauge [°F]")
    plus_minus_f: float | None = Field(description="What the gauge leaves open in these, at suction [°F]")
    verdict: Verdict
    findings: list[Finding]
    stop: bool = Field(description="Whether the compressor must not run on")


def judge_refrigerant(side: Refrigerant, standards: Standards | None = None) -> RefrigerantResult:
    """Judge the refrigerant side coarsely, as evidence for how the compressor starts.

    Notes
    -----
    With the refrigerant known the gauges are read in degrees (saturation at the place's height): dew for
    superheat, bubble for subcooling, their middle for condensing. Without it the ratio is judged.

    """
    limits = standards or shipped_standards()
    findings: list[Finding] = []
    equal = _equal(side, limits, findings)
    _vacuum(side, limits, findings)
    degrees = _degrees(side, limits)
    side = side.model_copy(update={"superheat_f": degrees.superheat_f, "subcooling_f": degrees.subcooling_f})
    ratio = _ratio(side)
    if degrees.condensing_f is not None or degrees.suction_f is not None:
        findings += _saturated(side, degrees, limits)
    else:
        _running(side, ratio, limits, findings)
    _heats(side, limits, findings)
    _lines(side, limits, findings)
    if not findings:
        findings.append(
            Finding(
                code="NOTHING_MEASURED",
                verdict="unknown",
                text=msg("No pressure, temperature or length was given."),
                rule="field practice: refrigerant side",
                next_step=msg("Read both pressures before the start: they tell most about a hard start."),
            )
        )
    return RefrigerantResult(
        pressures_equal=equal,
        pressure_ratio=ratio,
        suction_saturation_f=_tenth(degrees.suction_f),
        condensing_f=_tenth(degrees.condensing_f),
        condensing_over_f=_tenth(degrees.over_f),
        superheat_f=_tenth(degrees.superheat_f),
        subcooling_f=_tenth(degrees.subcooling_f),
        plus_minus_f=_tenth(degrees.plus_minus_f),
        verdict=worst([f.verdict for f in findings]),
        findings=findings,
        stop=any(f.stops for f in findings),
    )


@dataclass(frozen=True)
class _Degrees:
    """What the gauges say in degrees [°F]."""

    suction_f: float | None = None
    condensing_f: float | None = None
    over_f: float | None = None
    superheat_f: float | None = None
    subcooling_f: float | None = None
    plus_minus_f: float | None = None


def _tenth(value: float | None) -> float | None:
    return None if value is None else round(value, 1)


def _degrees(side: Refrigerant, limits: Standards) -> _Degrees:
    height = side.altitude_ft or 0.0
    low = None if side.suction_psig is None else saturation_f(side.refrigerant, side.suction_psig, height)
    high = (
        None if side.discharge_psig is None else saturation_f(side.refrigerant, side.discharge_psig, height)
    )
    condensing = None if high is None else sum(high) / 2
    spread = None
    if low is not None and side.suction_psig is not None:
        near = saturation_f(side.refrigerant, side.suction_psig + limits.gauge_psi, height)
        spread = None if near is None else near[1] - low[1]
    superheat, subcooling = side.superheat_f, side.subcooling_f
    if superheat is None and low is not None and side.suction_line_f is not None:
        superheat = side.suction_line_f - low[1]
    if subcooling is None and high is not None and side.liquid_line_f is not None:
        subcooling = high[0] - side.liquid_line_f
    return _Degrees(
        suction_f=None if low is None else low[1],
        condensing_f=condensing,
        over_f=None if condensing is None or side.outdoor_f is None else condensing - side.outdoor_f,
        superheat_f=superheat,
        subcooling_f=subcooling,
        plus_minus_f=spread,
    )


def _saturated(side: Refrigerant, d: _Degrees, limits: Standards) -> list[Finding]:
    found: list[Finding] = []
    if d.condensing_f is not None and d.over_f is None:
        found.append(
            Finding(
                code="CONDENSING_OVER_AMBIENT",
                verdict="unknown",
                text=msg(
                    "Condensing at {condensing_f}. Outdoor air: not entered.",
                    condensing_f=temperature(d.condensing_f, 0),
                ),
                rule=limits.rule("condensing_over_high_f"),
                inputs={"discharge_psig": side.discharge_psig, "refrigerant": side.refrigerant},
                next_step=msg("Measure the air that goes into the condenser."),
            )
        )
    elif d.condensing_f is not None and d.over_f is not None:
        high, low = d.over_f > limits.condensing_over_high_f, d.over_f < limits.condensing_over_low_f
        found.append(
            Finding(
                code="CONDENSING_OVER_AMBIENT",
                verdict="watch" if high or low else "pass",
                text=msg(
                    "Condensing at {condensing_f}, {apart} over the outdoor air: ",
                    condensing_f=temperature(d.condensing_f, 0),
                    apart=apart(d.over_f, 0),
                )
                + (
                    msg("high head; dirt, a weak or reversed fan, overcharge, or air inside.")
                    if high
                    else msg("low; little charge, or a compressor that hardly pumps.")
                    if low
                    else msg("as a condenser does.")
                ),
                rule=limits.rule("condensing_over_low_f" if low else "condensing_over_high_f"),
                inputs={
                    "discharge_psig": side.discharge_psig,
                    "refrigerant": side.refrigerant,
                    "outdoor_f": side.outdoor_f,
                },
                arithmetic=msg(
                    "{condensing_f:.1f} − {outdoor_f:g} = {over_f:.1f} °F; air at {atmosphere_psi:.1f} psi",
                    condensing_f=d.condensing_f,
                    outdoor_f=side.outdoor_f,
                    over_f=d.over_f,
                    atmosphere_psi=atmosphere_psi(side.altitude_ft or 0.0),
                ),
                next_step=msg(
                    "Condenser clean, fan turning the right way at full speed, nothing leaning on it?"
                )
                if high
                else msg("Superheat and subcooling tell charge from pumping.")
                if low
                else None,
            )
        )
    if d.suction_f is not None:
        cold = d.suction_f < FREEZING_F
        found.append(
            Finding(
                code="SUCTION_SATURATION",
                verdict="watch" if cold else "pass",
                text=msg("Suction boils at {suction_f}", suction_f=temperature(d.suction_f, 0))
                + (
                    msg(", give or take {apart}", apart=apart(d.plus_minus_f, 0))
                    if d.plus_minus_f is not None
                    else ""
                )
                + (
                    msg(
                        ": below freezing. Low charge, a restriction, little air or ice, unless it is "
                        "a cooler."
                    )
                    if cold
                    else "."
                ),
                rule=f"saturation by the refrigerant; water freezes at {temperature(FREEZING_F)}",
                inputs={"suction_psig": side.suction_psig, "refrigerant": side.refrigerant},
                next_step=msg("Look at filter, coil and blower, then superheat.") if cold else None,
            )
        )
    return found


def _equal(side: Refrigerant, limits: Standards, findings: list[Finding]) -> bool | None:
    low, high = side.idle_suction_psig, side.idle_discharge_psig
    if low is None or high is None:
        return None
    apart = high - low
    equal = abs(apart) <= limits.equal_pressure_psi
    step = msg("Wait until pressures equalize, then start it again before you choose anything.")
    if side.metering == "txv" and not equal:
        step += msg(" A hard-shutting valve may hold them apart for good: a time delay, then an aid.")
    findings.append(
        Finding(
            code="PRESSURES_BEFORE_START",
            verdict="pass" if equal else "watch",
            text=msg("Pressures are equalized.")
            if equal
            else msg("Pressures have not equalized. It is starting against pressure."),
            rule=limits.rule("equal_pressure_psi"),
            inputs={"idle_suction_psig": low, "idle_discharge_psig": high, "rest_min": side.rest_min},
            arithmetic=f"{high:g} − {low:g} = {say(apart, 'psi')}",
            next_step=None if equal else step,
        )
    )
    return equal


def _vacuum(side: Refrigerant, limits: Standards, findings: list[Finding]) -> None:
    """Add the stop of a vacuum, running or standing: it must not be started either."""
    for low, text in (
        (side.suction_psig, msg("Suction is below 0 psig: it is pulling a vacuum. Shut it off.")),
        (side.idle_suction_psig, msg("Suction is below zero gauge at rest: do not start it.")),
    ):
        if low is not None and is_vacuum(low, side.refrigerant, limits, side.altitude_ft or 0.0):
            findings.append(
                Finding(
                    code="VACUUM",
                    verdict="fail",
                    text=text,
                    rule="field practice: stop conditions",
                    inputs={"suction_psig": low},
                    next_step=msg(
                        "Stop it. Under vacuum its terminals can arc and its oil leaves. Find the "
                        "blockage or the lost charge first."
                    ),
                    stops=True,
                )
            )
            return


def _ratio(side: Refrigerant) -> float | None:
    """Return absolute discharge over absolute suction, running."""
    low, high = side.suction_psig, side.discharge_psig
    if low is None or high is None:
        return None
    air = atmosphere_psi(side.altitude_ft or 0.0)
    return (high + air) / max(low + air, 0.1)


def _running(side: Refrigerant, ratio: float | None, limits: Standards, findings: list[Finding]) -> None:
    low, high = side.suction_psig, side.discharge_psig
    if ratio is None or low is None or high is None:
        return
    top, bottom = limits.pressure_ratio_high, limits.pressure_ratio_low
    high_head = ratio > top
    idle = ratio < bottom
    findings.append(
        Finding(
            code="PRESSURE_RATIO",
            verdict="watch" if high_head or idle else "pass",
            text=msg("High head or low suction: every start and every turn is heavier.")
            if high_head
            else msg("Almost no pressure difference: bad valves, internal leak, or running backward.")
            if idle
            else msg("An ordinary pressure ratio."),
            rule=limits.rule("pressure_ratio_high" if high_head or not idle else "pressure_ratio_low"),
            inputs={"suction_psig": low, "discharge_psig": high},
            arithmetic=msg(
                "({high:g} + air) ÷ ({low:g} + air) = {ratio:.2f}", high=high, low=low, ratio=ratio
            ),
            next_step=msg("Condenser clean, fan turning the right way at full speed, nothing leaning on it?")
            if high_head
            else msg("Rotation first (three-phase or scroll), then valves.")
            if idle
            else msg("Enter the refrigerant and outdoor temperature for a better check."),
        )
    )


def _heats(side: Refrigerant, limits: Standards, findings: list[Finding]) -> None:
    if side.superheat_f is not None:
        low, high = limits.superheat_low_f, limits.superheat_high_f
        wet, dry = side.superheat_f < low, side.superheat_f > high
        findings.append(
            Finding(
                code="SUPERHEAT",
                verdict="watch" if wet or dry else "pass",
                text=msg("Liquid reaches the compressor: it starts against liquid.")
                if wet
                else msg("Evaporator is starved; the compressor runs hot.")
                if dry
                else msg("No liquid comes back."),
                rule=limits.rule("superheat_low_f" if wet or not dry else "superheat_high_f"),
                inputs={"superheat_f": side.superheat_f, "metering": side.metering},
                arithmetic=msg(
                    "{superheat_f:g} °F against {low:g} to {high:g} °F",
                    superheat_f=side.superheat_f,
                    low=low,
                    high=high,
                ),
                next_step=msg("Charge, metering and airflow: its own work, by the maker's chart.")
                if wet or dry
                else None,
            )
        )
    if side.subcooling_f is not None:
        low, high = limits.subcooling_low_f, limits.subcooling_high_f
        under, over = side.subcooling_f < low, side.subcooling_f > high
        findings.append(
            Finding(
                code="SUBCOOLING",
                verdict="watch" if under or over else "pass",
                text=msg("Liquid backs up in the condenser: overcharge or a restriction.")
                if over
                else msg("Little liquid in the condenser: short of charge.")
                if under
                else msg("Ordinary subcooling."),
                rule=limits.rule("subcooling_low_f" if under else "subcooling_high_f"),
                inputs={"subcooling_f": side.subcooling_f},
                arithmetic=msg(
                    "{subcooling_f:g} °F against {low:g} to {high:g} °F",
                    subcooling_f=side.subcooling_f,
                    low=low,
                    high=high,
                ),
                next_step=msg("Not corrected here: the maker's chart and recovery rules apply.")
                if under or over
                else None,
            )
        )
    if side.charge in ("low", "over"):
        findings.append(
            Finding(
                code="CHARGE_KNOWN",
                verdict="watch",
                text=msg("Known overcharge: liquid at the start.")
                if side.charge == "over"
                else msg("Known short of charge: the motor runs hot."),
                rule="field practice: refrigerant side",
                inputs={"charge": side.charge},
                next_step=msg("Correct the charge before you consider a start aid."),
            )
        )


def _lines(side: Refrigerant, limits: Standards, findings: list[Finding]) -> None:
    long_ft, tall_ft = limits.long_line_ft, limits.line_rise_ft
    reasons = []
    if side.line_set_ft is not None and side.line_set_ft > long_ft:
        reasons.append(
            msg("{line_set_ft:g} ft is over {long_ft:g} ft", line_set_ft=side.line_set_ft, long_ft=long_ft)
        )
    if side.rise_ft is not None and side.rise_ft > tall_ft:
        reasons.append(
            msg("{rise_ft:g} ft of height is over {tall_ft:g} ft", rise_ft=side.rise_ft, tall_ft=tall_ft)
        )
    if side.buried_dip:
        reasons.append(msg("a buried dip holds liquid"))
    if reasons:
        findings.append(
            Finding(
                code="LONG_LINES",
                verdict="watch",
                text=msg("Liquid can settle in the compressor while it rests."),
                rule=limits.rule("long_line_ft"),
                inputs={
                    "line_set_ft": side.line_set_ft,
                    "rise_ft": side.rise_ft,
                    "buried_dip": side.buried_dip,
                },
                arithmetic=joined(reasons, "; "),
                next_step=msg("Check the crankcase heater, and the maker's long-line kit."),
            )
        )
    elif side.line_set_ft is not None:
        findings.append(
            Finding(
                code="LONG_LINES",
                verdict="pass",
                text=msg("An ordinary line set."),
                rule=limits.rule("long_line_ft"),
                inputs={"line_set_ft": side.line_set_ft},
                arithmetic=msg(
                    "{line_set_ft:g} ft up to {long_ft:g} ft", line_set_ft=side.line_set_ft, long_ft=long_ft
                ),
            )
        )
    if side.kinked:
        findings.append(
            Finding(
                code="KINKED",
                verdict="fail",
                text=msg("A kinked line is a restriction."),
                rule="field practice: refrigerant side",
                inputs={"kinked": True},
                next_step=msg("Repair the line before you judge the start."),
            )
        )
