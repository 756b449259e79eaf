"""Bleeding a capacitor down through a resistor: how long, how hot, and which resistor."""

import math

from pydantic import Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Frozen, Microfarads, Ohms, Volts, Watts, say
from orange_crank.core.tables.standards import Standards, shipped_standards

RESISTORS_OHM = (1_000, 2_200, 4_700, 10_000, 15_000, 22_000, 47_000, 100_000)
RESISTORS_W = (5, 10, 25, 50)
# A capacitor whose rating cannot be read is bled as the highest usual one.
UNREADABLE_RATED_V = 440.0


class Bleed(Frozen):
    """A capacitor to be bled, and the resistor at hand if one is."""

    capacitance_uf: Microfarads = Field(description="Capacitance of the section [µF]")
    rated_v: Volts = Field(description="Rated voltage, RMS, from the can [V]")
    resistance_ohm: Ohms | None = Field(default=None, description="Resistor at hand [Ω]")
    resistor_w: Watts | None = Field(default=None, description="Its power rating [W]")
    limit_v: Volts | None = Field(default=None, description="Voltage to reach [V]; the shop's when left out")


class BleedResult(Frozen):
    """What the bleed will do."""

    start_v: float = Field(description="Worst stored voltage, √2 × rated [V]")
    resistance_ohm: float
    resistor_w: float
    tau_s: float = Field(description="Time constant R·C [s]")
    time_to_limit_s: float
    energy_j: float
    peak_w: float = Field(description="Power in the resistor at first touch [W]")
    peak_ma: float
    findings: list[Finding]


def tau_s(resistance_ohm: float, capacitance_uf: float) -> float:
    """Return the time constant τ = R·C [s].

    >>> tau_s(1_000_000, 45)
    45.0
    """
    return resistance_ohm * capacitance_uf * 1e-6


def volts_after(start_v: float, elapsed_s: float, tau: float) -> float:
    """Return the voltage left after a time, V₀·e^(−t/τ) [V]."""
    return start_v * math.exp(-elapsed_s / tau)


def time_to_limit_s(start_v: float, limit_v: float, tau: float) -> float:
    """Return the time to fall to a limit, τ·ln(V₀/V_limit) [s]; zero when already below it."""
    return max(0.0, tau * math.log(start_v / limit_v))


def choose_resistor(
    capacitance_uf: float, start_v: float, limit_v: float, standards: Standards
) -> tuple[float, float]:
    """Choose the smallest resistor that is both quick and not overloaded [Ω, W].

    Of each power rating the lowest resistance that keeps V₀²/R within the short-time overload is
    tried; the first rating that reaches the limit in time is taken, else the quickest.
    """
    overload, seconds = standards.bleed_overload, standards.bleed_seconds
    best: tuple[float, float, float] | None = None
    for watts in RESISTORS_W:
        for ohms in RESISTORS_OHM:
            if start_v**2 / ohms > overload * watts:
                continue
            duration = time_to_limit_s(start_v, limit_v, tau_s(ohms, capacitance_uf))
            if duration <= seconds:
                return float(ohms), float(watts)
            if best is None or duration < best[0]:
                best = (duration, float(ohms), float(watts))
            break
    if best is None:
        return float(RESISTORS_OHM[-1]), float(RESISTORS_W[-1])
    return best[1], best[2]


def bleed_down(bleed: Bleed, standards: Standards | None = None) -> BleedResult:
    """Work out a bleed-down.

    Parameters
    ----------
    bleed : capacitance [µF], rated volts [V RMS], resistor if one is at hand [Ω, W]
    standards : the shop's limits (shipped ones when left out)

    Notes
    -----
    Worst case V₀ = √2 × rated RMS voltage. E = ½·C·V₀². A meter is not a drain: measure afterwards, on
    DC volts.

    """
    limits = standards or shipped_standards()
    start = math.sqrt(2) * bleed.rated_v
    limit = bleed.limit_v or limits.dead_limit_v
    chosen = choose_resistor(bleed.capacitance_uf, start, limit, limits)
    ohms = bleed.resistance_ohm or chosen[0]
    watts = bleed.resistor_w or (5.0 if bleed.resistance_ohm else chosen[1])
    tau = tau_s(ohms, bleed.capacitance_uf)
    duration = time_to_limit_s(start, limit, tau)
    energy = 0.5 * bleed.capacitance_uf * 1e-6 * start**2
    peak = start**2 / ohms

    slow = duration > limits.bleed_seconds
    hot = peak > limits.bleed_overload * watts
    findings = [
        Finding(
            code="BLEED_TIME",
            verdict="watch" if slow else "pass",
            text=msg("Hold the probes on for {ceil} s, then measure on DC volts.", ceil=math.ceil(duration)),
            rule=limits.rule("bleed_seconds"),
            inputs={"capacitance_uf": bleed.capacitance_uf, "resistance_ohm": ohms, "limit_v": limit},
            arithmetic=msg(
                "τ = {ohms:g} Ω × {capacitance_uf:g} µF = {tau:.3g} s; t = {tau:.3g} s × "
                "ln({start:.0f} V ÷ {limit:g} V) = {duration:.1f} s",
                ohms=ohms,
                capacitance_uf=bleed.capacitance_uf,
                tau=tau,
                start=start,
                limit=limit,
                duration=duration,
            ),
            next_step=msg(
                "A {chosen:g} Ω {chosen_2:g} W resistor is quicker.", chosen=chosen[0], chosen_2=chosen[1]
            )
            if slow
            else None,
        ),
        Finding(
            code="BLEED_POWER",
            verdict="fail" if hot else "pass",
            text=msg("Too much for that resistor. It can burst.")
            if hot
            else msg("Short enough, and within the resistor's rating."),
            rule=limits.rule("bleed_overload"),
            inputs={"peak_w": round(peak, 2), "resistor_w": watts},
            arithmetic=(
                msg(
                    "P = {start:.0f}² ÷ {ohms:g} = {peak:.1f} W at first touch (limit "
                    "{bleed_overload:g} × {watts:g} W); E = ½ × {capacitance_uf:g} µF × "
                    "{start:.0f}² = {energy:.1f} J",
                    start=start,
                    ohms=ohms,
                    peak=peak,
                    bleed_overload=limits.bleed_overload,
                    watts=watts,
                    capacitance_uf=bleed.capacitance_uf,
                    energy=energy,
                )
            ),
            next_step=msg("Take {chosen} {chosen_2:g} W.", chosen=say(chosen[0], "Ω", 6), chosen_2=chosen[1])
            if hot
            else None,
        ),
    ]
    return BleedResult(
        start_v=start,
        resistance_ohm=ohms,
        resistor_w=watts,
        tau_s=tau,
        time_to_limit_s=duration,
        energy_j=energy,
        peak_w=peak,
        peak_ma=1000 * start / ohms,
        findings=findings,
    )
