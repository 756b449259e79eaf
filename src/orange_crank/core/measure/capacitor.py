"""Capacitors: off circuit, under load, by range, and an unreadable top named from three readings."""

import math
from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.messages import joined, msg
from orange_crank.core.nomenclature import (
    Amps,
    Finding,
    Frozen,
    Microfarads,
    Percent,
    Verdict,
    Volts,
    inputs,
    say,
    worst,
)
from orange_crank.core.tables.standards import Standards, shipped_standards

Hertz = Annotated[
    float, Field(strict=True, ge=40, le=70, allow_inf_nan=False, json_schema_extra={"unit": "Hz"})
]
CapacitorLook = Literal["clean", "bulged", "oily", "burnt_tab", "rusty"]
# Out whatever it measures.
OUT_BY_LOOK: tuple[CapacitorLook, ...] = ("bulged", "oily", "burnt_tab")


class Capacitor(Frozen):
    """One capacitor section with how it was measured."""

    label_uf: Microfarads | None = Field(default=None, description="Value on the label [µF]")
    tolerance_pct: Percent | None = Field(default=None, description="Label tolerance, ± percent")
    low_pct: Percent | None = Field(default=None, description="Label tolerance below, percent")
    high_pct: Percent | None = Field(default=None, description="Label tolerance above, percent")
    range_low_uf: Microfarads | None = Field(default=None, description="Start capacitor: low end [µF]")
    range_high_uf: Microfarads | None = Field(default=None, description="Start capacitor: high end [µF]")
    measured_uf: Microfarads | None = Field(default=None, description="Off circuit [µF]")
    winding_a: Amps | None = Field(default=None, description="Under load: start-winding amps [A]")
    capacitor_v: Volts | None = Field(default=None, description="Under load: volts across it [V]")
    hertz: Hertz = Field(default=60.0, description="Line frequency [Hz]")
    accuracy_pct: Percent | None = Field(default=None, description="Meter accuracy, ± percent of reading")
    volts_accuracy_pct: Percent | None = Field(
        default=None, description="Under load: the voltmeter's accuracy, ± percent"
    )
    look: CapacitorLook | None = Field(default=None, description="What the can looks like")

    @model_validator(mode="after")
    def _enough_to_judge(self) -> "Capacitor":
        def refuse(field: str, wanted: str) -> PydanticCustomError:
            return PydanticCustomError("value_error", "{error}", {"field": field, "error": wanted})

        by_range = self.range_low_uf is not None and self.range_high_uf is not None
        if self.label_uf is None and not by_range:
            raise refuse("label_uf", msg("the value on the label, or both ends of a range"))
        if by_range and self.range_low_uf >= self.range_high_uf:  # type: ignore[operator]
            raise refuse("range_high_uf", msg("more than the low end of the range"))
        if self.measured_uf is None and (self.winding_a is None or self.capacitor_v is None):
            raise refuse(
                "measured_uf",
                msg("microfarads off circuit, or winding amps and capacitor volts under load"),
            )
        if (self.low_pct is None) != (self.high_pct is None):
            missing = "low_pct" if self.low_pct is None else "high_pct"
            raise refuse(missing, msg("both ends of the tolerance, or one figure for both"))
        return self


class CapacitorResult(Frozen):
    """What the reading shows."""

    measured_uf: float
    low_uf: float = Field(description="Lowest value the label allows [µF]")
    high_uf: float = Field(description="Highest value the label allows [µF]")
    plus_minus_uf: float | None = Field(description="Uncertainty from the meter's accuracy [µF]")
    verdict: Verdict
    findings: list[Finding]


def capacitance_uf(winding_a: float, capacitor_v: float, hertz: float = 60.0) -> float:
    """Return capacitance from current and voltage under load, 10⁶·I/(2π·f·V) [µF].

    >>> round(capacitance_uf(1.0, 1.0), 0), round(capacitance_uf(1.0, 1.0, 50.0), 0)
    (2653.0, 3183.0)
    """
    return 1e6 * winding_a / (2 * math.pi * hertz * capacitor_v)


def judge_capacitor(reading: Capacitor, standards: Standards | None = None) -> CapacitorResult:
    """Judge a capacitor against its label.

    Parameters
    ----------
    reading : label and measurement
    standards : the shop's limits (shipped ones when left out)

    Returns
    -------
    CapacitorResult : ``pass`` inside the label's limits, ``fail`` outside, ``watch`` when the meter's
        interval straddles one; a bulged, oily or burnt can fails whatever it measures

    Notes
    -----
    Under load the clamp's and the voltmeter's accuracies add in quadrature.

    """
    limits = standards or shipped_standards()
    low, high, label_working = _label_limits(reading, limits)
    measured, working, relative = _measured(reading)
    spread = measured * relative if relative is not None else None
    margin = spread or 0.0
    lowest, highest = measured - margin, measured + margin
    verdict: Verdict
    if low - 1e-9 <= lowest and highest <= high + 1e-9:
        verdict, text, step = "pass", msg("Within its label."), None
    elif highest < low - 1e-9:
        verdict, text = "fail", msg("Low: out of range.")
        step = msg("Replace it with the same microfarads and at least the same volts.")
    elif lowest > high + 1e-9:
        verdict, text = "fail", msg("Too high is also out of range.")
        step = msg("Replace it with the same microfarads and at least the same volts.")
    else:
        verdict, text = "watch", msg("Too close to call with this meter.")
        step = msg("Measure with a better meter, or off circuit.")
    plus_minus = f" ± {spread:.2g}" if spread is not None else ""
    findings = [
        Finding(
            code="CAPACITANCE",
            verdict=verdict,
            text=msg(
                "{measured}{plus_minus} µF against {low} to {high}. {text}",
                measured=say(measured, "", 3),
                plus_minus=plus_minus,
                low=say(low, "", 4),
                high=say(high, "µF", 4),
                text=text,
            ),
            rule=label_working[1],
            inputs=dict(
                inputs(
                    label_uf=reading.label_uf,
                    measured_uf=reading.measured_uf,
                    winding_a=reading.winding_a,
                    capacitor_v=reading.capacitor_v,
                    accuracy_pct=reading.accuracy_pct,
                )
            ),
            arithmetic=joined((w for w in (working, label_working[0]) if w), "; "),
            next_step=step,
        )
    ]
    if reading.look in OUT_BY_LOOK:
        findings.append(
            Finding(
                code="CAN_LOOKS_BAD",
                verdict="fail",
                text=msg("Bulged, leaking or burnt: replace it, whatever it reads."),
                rule="field practice: capacitor",
                inputs={"look": reading.look},
                next_step=msg("Replace it."),
            )
        )
    if relative is None:
        findings.append(
            Finding(
                code="ACCURACY_UNKNOWN",
                verdict="note",
                text=msg("Without the meter's accuracy the figure is taken as exact."),
                rule="field practice: capacitor",
            )
        )
    return CapacitorResult(
        measured_uf=measured,
        low_uf=low,
        high_uf=high,
        plus_minus_uf=spread,
        verdict=worst([f.verdict for f in findings if f.verdict != "note"]),
        findings=findings,
    )


def _label_limits(reading: Capacitor, limits: Standards) -> tuple[float, float, tuple[str, str]]:
    if reading.range_low_uf is not None and reading.range_high_uf is not None:
        return reading.range_low_uf, reading.range_high_uf, ("", msg("label range"))
    label = reading.label_uf
    assert label is not None
    rule = "label tolerance"
    if reading.low_pct is not None and reading.high_pct is not None:
        below, above = reading.low_pct, reading.high_pct
    elif reading.tolerance_pct is not None:
        below = above = reading.tolerance_pct
    else:
        below = above = limits.run_capacitor_pct
        rule = limits.rule("run_capacitor_pct")
    low, high = label * (1 - below / 100), label * (1 + above / 100)
    return (
        low,
        high,
        (
            msg(
                "{label:g} µF −{below:g}/+{above:g} % = {low:.4g} to {high:.4g} µF",
                label=label,
                below=below,
                above=above,
                low=low,
                high=high,
            ),
            rule,
        ),
    )


def _measured(reading: Capacitor) -> tuple[float, str, float | None]:
    if reading.measured_uf is not None:
        relative = reading.accuracy_pct / 100 if reading.accuracy_pct is not None else None
        return reading.measured_uf, "", relative
    assert reading.winding_a is not None
    assert reading.capacitor_v is not None
    value = capacitance_uf(reading.winding_a, reading.capacitor_v, reading.hertz)
    factor = 1e6 / (2 * math.pi * reading.hertz)
    working = f"{factor:.0f} × {reading.winding_a:g} A ÷ {reading.capacitor_v:g} V = {value:.4g} µF"
    shares = [a for a in (reading.accuracy_pct, reading.volts_accuracy_pct) if a is not None]
    relative = math.hypot(*shares) / 100 if shares else None
    return value, working, relative


class CapacitorTop(Frozen):
    """Three pairwise readings on a dual capacitor whose top cannot be read."""

    ab_uf: Microfarads
    bc_uf: Microfarads
    ca_uf: Microfarads


class CapacitorTopResult(Frozen):
    """Which tab is which."""

    terminals: dict[str, Literal["C", "HERM", "FAN"]]
    herm_uf: float
    fan_uf: float
    verdict: Verdict
    findings: list[Finding]


def name_capacitor_top(reading: CapacitorTop, standards: Standards | None = None) -> CapacitorTopResult:
    """Name the tabs of a dual capacitor from three pairwise readings.

    Notes
    -----
    The largest pair shares C and HERM; the smallest is HERM–FAN in series, h·f/(h + f).

    >>> name_capacitor_top(CapacitorTop(ab_uf=4.5, bc_uf=5, ca_uf=45)).terminals
    {'a': 'HERM', 'b': 'FAN', 'c': 'C'}

    """
    limits = standards or shipped_standards()
    pairs = {"ab": reading.ab_uf, "bc": reading.bc_uf, "ca": reading.ca_uf}
    smallest, middle, largest = sorted(pairs, key=pairs.__getitem__)
    common = ({"a", "b", "c"} - set(smallest)).pop()
    herm_tab = (set(largest) - {common}).pop()
    fan_tab = ({"a", "b", "c"} - {common, herm_tab}).pop()
    herm, fan = pairs[largest], pairs[middle]
    series = herm * fan / (herm + fan)
    off_pct = 100 * abs(pairs[smallest] - series) / series
    good = off_pct <= limits.capacitor_series_pct
    finding = Finding(
        code="SERIES_FITS" if good else "SERIES_DOES_NOT_FIT",
        verdict="pass" if good else "unknown",
        text=msg(
            "{upper} is C, {upper_2} is HERM ({herm}), {upper_3} is FAN ({fan}).",
            upper=common.upper(),
            upper_2=herm_tab.upper(),
            herm=say(herm, "µF", 3),
            upper_3=fan_tab.upper(),
            fan=say(fan, "µF", 3),
        )
        if good
        else msg("The smallest pair is not the other two in series: a section is bad or a tab reads poorly."),
        rule=limits.rule("capacitor_series_pct"),
        inputs=dict(pairs),
        arithmetic=msg(
            "{herm:g} × {fan:g} ÷ ({herm:g} + {fan:g}) = {series:.3g} µF against {pairs:g} "
            "µF ({off_pct:.0f} % off, allowed {capacitor_series_pct:g} %)",
            herm=herm,
            fan=fan,
            series=series,
            pairs=pairs[smallest],
            off_pct=off_pct,
            capacitor_series_pct=limits.capacitor_series_pct,
        ),
        next_step=None
        if good
        else msg("Clean the tabs and read all three again; then trust only the diagram."),
    )
    names: dict[str, Literal["C", "HERM", "FAN"]] = {common: "C", herm_tab: "HERM", fan_tab: "FAN"}
    return CapacitorTopResult(
        terminals=dict(sorted(names.items())),
        herm_uf=herm,
        fan_uf=fan,
        verdict=finding.verdict,
        findings=[finding],
    )
