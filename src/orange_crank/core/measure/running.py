"""Running amps and supply volts, weighed with what surrounds them."""

from pydantic import Field

from orange_crank.core.measure.taken import NOTED, ReadingVerdict, TakenReading
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import (
    Amps,
    Fahrenheit,
    Finding,
    Frozen,
    Verdict,
    Volts,
    inputs,
    say,
    worst,
)
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import StandardName, Standards, shipped_standards


class Running(Frozen):
    """Amps of a running compressor with the conditions they were read under."""

    running_a: Amps = Field(description="Amps on the common wire, settled [A]")
    rla_a: Amps = Field(description="Rated load amps from the plate [A]")
    volts: Volts | None = Field(default=None, description="Line voltage while running [V]")
    plate_volts: Volts | None = Field(default=None, description="Rated voltage from the plate [V]")
    outdoor_f: Fahrenheit | None = Field(default=None, description="Outdoor temperature [°F]")


class RunningResult(Frozen):
    """What the amps show."""

    ratio: float = Field(description="Running amps divided by rated load amps")
    verdict: Verdict
    findings: list[Finding]


def judge_running(reading: Running, standards: Standards | None = None) -> RunningResult:
    """Judge running amps against rated load amps, voltage and outdoor temperature.

    Parameters
    ----------
    reading : amps [A] and conditions
    standards : the shop's limits (shipped ones when left out)

    Notes
    -----
    RLA is a figure for sizing. Up to it passes; above it asks why; well above it fails.

    """
    limits = standards or shipped_standards()
    ratio = reading.running_a / reading.rla_a
    watch, fail, low = (
        limits.running_watch_ratio,
        limits.running_fail_ratio,
        limits.running_low_ratio,
    )
    hot = reading.outdoor_f is not None and reading.outdoor_f >= limits.hot_day_f
    verdict: Verdict
    rule: StandardName
    step: str | None = None
    if ratio > fail + 1e-9:
        verdict, rule = "fail", "running_fail_ratio"
        text = msg("Well above RLA: heavy load or low voltage.")
        step = msg("Check volts at the unit, the run capacitor, the condenser and its fan.")
    elif ratio > watch + 1e-9:
        verdict, rule = "watch", "running_watch_ratio"
        text = msg("A little above RLA") + (
            msg(", which is ordinary on so hot a day.") if hot else msg(": look at volts, head and charge.")
        )
        step = msg("Compare with this unit's own earlier amps at the same outdoor temperature.")
    elif ratio < low:
        verdict, rule = "watch", "running_low_ratio"
        text = msg("Far below RLA: running but not pumping, or the clamp is on the wrong wire.")
        step = msg("Check the clamp is on C, then look at the pressures.")
    else:
        verdict, rule = "pass", "running_watch_ratio"
        text = msg("At or below RLA.")
    findings = [
        Finding(
            code="RUNNING_AMPS",
            verdict=verdict,
            text=text,
            rule=limits.rule(rule),
            inputs=dict(
                inputs(
                    running_a=reading.running_a,
                    rla_a=reading.rla_a,
                    outdoor_f=reading.outdoor_f,
                    volts=reading.volts,
                )
            ),
            arithmetic=msg(
                "{running_a:g} A ÷ {rla_a:g} A = {ratio:.2f} (watch above {watch:g}, fail above {fail:g})",
                running_a=reading.running_a,
                rla_a=reading.rla_a,
                ratio=ratio,
                watch=watch,
                fail=fail,
            ),
            next_step=step,
        )
    ]
    if reading.volts is not None and reading.plate_volts is not None:
        findings.append(judge_supply(reading.volts, reading.plate_volts, limits))
    else:
        findings.append(
            Finding(
                code="VOLTS_NOT_NOTED",
                verdict="note",
                text=msg("Enter volts with the amps."),
                rule=limits.rule("supply_tolerance_pct"),
                next_step=msg("Note the line volts with the amps."),
            )
        )
    return RunningResult(ratio=round(ratio, 6), verdict=verdict, findings=findings)


def judge_supply(volts: float, plate_volts: float, standards: Standards | None = None) -> Finding:
    """Judge line voltage against the window equipment is built for.

    Notes
    -----
    The window is the nameplate voltage ± the shop's tolerance (10 %). A 208 or 230 V plate may be one
    half of a 208/230 V pair (187 to 253 V), so between the two windows the verdict is ``watch``.

    """
    limits = standards or shipped_standards()
    tolerance = limits.supply_tolerance_pct / 100
    low, high = plate_volts * (1 - tolerance), plate_volts * (1 + tolerance)
    low_dual, high_dual = (
        (208 * (1 - tolerance), 230 * (1 + tolerance)) if plate_volts in (208.0, 230.0) else (low, high)
    )
    where = "below" if volts < low else "above"
    verdict: Verdict = "pass"
    text = msg("{volts} is within {low:.0f} to {high:.0f} V.", volts=say(volts, "V"), low=low, high=high)
    step: str | None = None
    if not low_dual <= volts <= high_dual:
        verdict = "fail"
        text = msg(
            "{volts} is {where} the {low_dual:.0f} to {high_dual:.0f} V it is built for.",
            volts=say(volts, "V"),
            where=where,
            low_dual=low_dual,
            high_dual=high_dual,
        )
        step = msg("Check the supply, point by point, before you blame anything else.")
    elif not low <= volts <= high:
        verdict = "watch"
        text = msg(
            "{volts} is {where} {plate_volts:g} V ± {tolerance:.0%}. Only a nameplate "
            "marked 208/230 V allows it.",
            volts=say(volts, "V"),
            where=where,
            plate_volts=plate_volts,
            tolerance=tolerance,
        )
        step = msg("Read the nameplate: one voltage or a pair?")
    return Finding(
        code="SUPPLY_WINDOW",
        verdict=verdict,
        text=text,
        rule=limits.rule("supply_tolerance_pct"),
        inputs={"volts": volts, "plate_volts": plate_volts},
        arithmetic=msg(
            "{plate_volts:g} V ± {tolerance:.0%} = {low:.0f} to {high:.0f} V",
            plate_volts=plate_volts,
            tolerance=tolerance,
            low=low,
            high=high,
        ),
        next_step=step,
    )


def judge_running_reading(reading: TakenReading, plate: Plate, limits: Standards) -> ReadingVerdict:
    """Judge running amps of a call against the plate's first compressor."""
    amps = reading.figure
    if not amps:
        return NOTED
    result = judge_running(
        Running(
            running_a=amps,
            rla_a=plate.compressors[0].rla_a,
            volts=reading.entry.volts,
            plate_volts=plate.volts,
            outdoor_f=reading.entry.outdoor_f,
        ),
        limits,
    )
    verdict = worst([f.verdict for f in result.findings if f.verdict != "note"])
    return ReadingVerdict(
        code="running",
        verdict=verdict,
        summary=msg("{ratio} × RLA", ratio=say(result.ratio, "", 3)),
        findings=result.findings,
    )


def judge_supply_reading(reading: TakenReading, plate: Plate, limits: Standards) -> ReadingVerdict:
    """Judge line voltage of a call against the plate's."""
    volts = reading.figure
    if volts is None:
        return NOTED
    finding = judge_supply(volts, plate.volts, limits)
    return ReadingVerdict(code="supply", verdict=finding.verdict, summary=finding.text, findings=[finding])
