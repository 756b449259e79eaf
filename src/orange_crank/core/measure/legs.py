"""Three legs at once: the angle between winding currents, imbalance, and legs to neutral."""

import math
from typing import Literal

from pydantic import Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.measure.taken import NOTED, ReadingVerdict, TakenReading
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import (
    Amps,
    Finding,
    Frozen,
    Microfarads,
    Verdict,
    Volts,
    ZeroOrMoreAmps,
    ZeroOrMoreVolts,
    worst,
)
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import StandardName, Standards, shipped_standards


class WindingAmps(Frozen):
    """Amps of the three leads of a running single-phase compressor."""

    common_a: Amps
    run_a: Amps = Field(description="On the wire to terminal R alone [A]")
    start_a: Amps
    run_cap_uf: Microfarads | None = Field(default=None, description="Run capacitor from the nameplate [µF]")
    plate_volts: Volts | None = Field(default=None, description="Rated voltage from the nameplate [V]")


class WindingAmpsResult(Frozen):
    """The angle between run and start currents."""

    angle_deg: float | None = Field(description="None where no start current flows")
    verdict: Verdict
    findings: list[Finding]


def winding_angle(amps: WindingAmps, standards: Standards | None = None) -> WindingAmpsResult:
    """Return the angle between the winding currents [degrees].

    Raises
    ------
    InputProblem : the three currents do not close a triangle

    Notes
    -----
    Common is the phasor sum, so cos θ = (I_C² − I_R² − I_S²)/(2·I_R·I_S). Roughly 85–100° near rated
    load, well above that when lightly loaded. A reading for comparison, not a limit.

    """
    limits = standards or shipped_standards()
    c, r, s = amps.common_a, amps.run_a, amps.start_a
    if s < limits.start_branch_dead_pct / 100 * r:
        dead = Finding(
            code="START_LEAD_DEAD",
            verdict="fail",
            text=msg(
                "{s:g} A in the start lead is no current: that is a lead or a capacitor, not an angle.", s=s
            ),
            rule=limits.rule("start_branch_dead_pct"),
            inputs={"run_a": r, "start_a": s},
            arithmetic=msg(
                "{s:.1f} % of {r:g} A < {start_branch_dead_pct:g} %",
                s=100 * s / r,
                r=r,
                start_branch_dead_pct=limits.start_branch_dead_pct,
            ),
            next_step=msg("Power off. Look at the lead to S and measure the run capacitor."),
        )
        return WindingAmpsResult(angle_deg=None, verdict="fail", findings=[dead])
    cosine = (c**2 - r**2 - s**2) / (2 * r * s)
    if not -1.02 <= cosine <= 1.02:
        raise InputProblem(
            [
                FieldProblem(
                    field="common_a",
                    wanted=msg("between {s:.3g} A and {s_2:.3g} A", s=abs(r - s), s_2=r + s),
                    got=c,
                )
            ],
            next_step=msg("Clamp the wire to R alone, not the capacitor's leg too."),
        )
    angle = math.degrees(math.acos(max(-1.0, min(1.0, cosine))))
    verdict: Verdict = "pass" if 80 <= angle <= 105 else "watch"
    text = (
        msg("Run and start currents stand about square, as near rated load.")
        if verdict == "pass"
        else msg("Well over a right angle: lightly loaded, or the capacitor is not the nameplate's.")
        if angle > 105
        else msg("Far under a right angle: is the capacitor in circuit, and the clamp on R alone?")
    )
    finding = Finding(
        code="WINDING_ANGLE",
        verdict=verdict,
        text=text,
        rule="field practice: running amps",
        inputs={"common_a": c, "run_a": r, "start_a": s},
        arithmetic=msg(
            "cos θ = ({c:g}² − {r:g}² − {s:g}²) ÷ (2 × {r:g} × {s:g}) = {cosine:.3f}; θ = {angle:.0f}°",
            c=c,
            r=r,
            s=s,
            cosine=cosine,
            angle=angle,
        ),
        next_step=None
        if verdict == "pass"
        else msg("Measure the run capacitor, and compare with the last visit."),
    )
    findings = [finding]
    if amps.run_cap_uf is not None and amps.plate_volts is not None:
        left_in = judge_start_lead(s, amps.run_cap_uf, amps.plate_volts, limits=limits)
        findings += [left_in] if left_in is not None else []
    return WindingAmpsResult(angle_deg=angle, verdict=worst([f.verdict for f in findings]), findings=findings)


def across_run_capacitor(start_a: float, run_cap_uf: float, hertz: float = 60.0) -> float:
    """Return the volts across a run capacitor that the start lead's amps make [V].

    Parameters
    ----------
    start_a : start lead, running [A]
    run_cap_uf : run capacitor [µF]

    Notes
    -----
    V = I ÷ (2π f C), at 60 Hz 2653 × I ÷ µF. It holds while nothing else feeds the start winding.

    >>> round(across_run_capacitor(6.4, 40.0))
    424
    """
    return start_a * 1e6 / (2 * math.pi * hertz * run_cap_uf)


def judge_start_lead(
    start_a: float, run_cap_uf: float, volts: float, hertz: float = 60.0, limits: Standards | None = None
) -> Finding | None:
    """Return the fail of a start capacitor that stays in while the motor runs; None where it is out.

    Parameters
    ----------
    start_a : start lead, running [A]
    run_cap_uf : run capacitor, the larger of nameplate and measured [µF]
    volts : nameplate [V]

    """
    limits = limits or shipped_standards()
    across = across_run_capacitor(start_a, run_cap_uf, hertz)
    if across <= limits.start_lead_far_ratio * volts:
        return None
    return Finding(
        code="START_CAP_STAYS_IN",
        verdict="fail",
        text=msg(
            "{start_a:g} A in the start lead is more than {run_cap_uf:g} µF can pass: a "
            "start capacitor is still in circuit.",
            start_a=start_a,
            run_cap_uf=run_cap_uf,
        ),
        rule=limits.rule("start_lead_far_ratio"),
        inputs={"start_a": start_a, "run_cap_uf": run_cap_uf, "volts": volts},
        arithmetic=f"1,000,000 × {start_a:g} A ÷ (2π × {hertz:g} × {run_cap_uf:g} µF) = {across:.0f} V > "
        f"{limits.start_lead_far_ratio:g} × {volts:g} V",
        next_step=msg(
            "Power off now: the start winding burns. Bleed the start capacitor and replace the kit."
        ),
    )


def judge_start_lead_reading(reading: TakenReading, plate: Plate, limits: Standards) -> ReadingVerdict:
    """Judge the start lead's amps of a call against the nameplate's run capacitor."""
    if not reading.figure or not plate.run_cap_uf:
        return NOTED
    found = judge_start_lead(reading.figure, plate.run_cap_uf, plate.volts, plate.hertz or 60.0, limits)
    if found is None:
        return NOTED
    return ReadingVerdict(
        code="start_capacitor_in", verdict="fail", summary=msg("Start capacitor still in"), findings=[found]
    )


class Imbalance(Frozen):
    """Three readings of a three-phase unit."""

    volts: list[ZeroOrMoreVolts] | None = Field(
        default=None, min_length=3, max_length=3, description="L1–L2, L2–L3, L3–L1; 0 is a reading"
    )
    amps: list[ZeroOrMoreAmps] | None = Field(
        default=None, min_length=3, max_length=3, description="L1, L2, L3; 0 is a reading"
    )


class ImbalanceResult(Frozen):
    """Largest deviation from the mean, over the mean."""

    volts_pct: float | None
    amps_pct: float | None
    lost: str | None = Field(default=None, description="The phase that is lost, where one is")
    verdict: Verdict
    findings: list[Finding]


# A leg that carries next to nothing beside the others; and what two pairs read from a leg that only floats.
LOST_AMPS_SHARE = 0.1
FLOATING = (0.3, 0.7)
_LEGS = ("L1", "L2", "L3")
# The leg that two pairs have in common: L1–L2, L2–L3, L3–L1.
_COMMON_LEG = {(0, 2): "L1", (0, 1): "L2", (1, 2): "L3"}


def lost_phase(readings: Imbalance) -> tuple[str, str] | None:
    """Return the phase that is lost and the working, or None.

    Notes
    -----
    A leg near 0 A beside two that carry current is open. Two of three volts near half of the third share the
    open leg: the motor's own windings hold it in the middle. Near 0 V likewise, with nothing connected.

    """
    amps = readings.amps
    if amps is not None and max(amps) > 0:
        low = [i for i, a in enumerate(amps) if a <= LOST_AMPS_SHARE * max(amps)]
        if len(low) == 1:
            return _LEGS[low[0]], msg("{amps:g} A beside {max:g} A", amps=amps[low[0]], max=max(amps))
    volts = readings.volts
    if volts is not None and max(volts) > 0:
        half = tuple(i for i, v in enumerate(volts) if v <= FLOATING[1] * max(volts))
        if half in _COMMON_LEG:
            return _COMMON_LEG[half], " and ".join(f"{volts[i]:g} V" for i in half) + msg(
                " beside {max:g} V", max=max(volts)
            )
    return None


def imbalance_pct(values: list[float]) -> float:
    """Return the largest deviation from the mean over the mean [%].

    >>> round(imbalance_pct([230, 232, 225]), 2)
    1.75
    """
    mean = sum(values) / len(values)
    return 100 * max(abs(v - mean) for v in values) / mean


def judge_imbalance(readings: Imbalance, standards: Standards | None = None) -> ImbalanceResult:
    """Judge voltage and current imbalance of a three-phase unit."""
    limits = standards or shipped_standards()
    if readings.volts is None and readings.amps is None:
        raise InputProblem(
            [FieldProblem(field="volts", wanted=msg("three line voltages, or three amps"), got=None)]
        )
    for field, given in (("volts", readings.volts), ("amps", readings.amps)):
        if given is not None and max(given) <= 0:
            raise InputProblem(
                [FieldProblem(field=field, wanted=msg("one reading above 0"), got=0)],
                next_step=msg("Read line volts with the power on: all three at 0 means nothing runs."),
            )
    gone = lost_phase(readings)
    findings: list[Finding] = [] if gone is None else [_phase_lost(*gone, limits.rule("amp_imbalance_pct"))]
    results: dict[str, float | None] = {"volts": None, "amps": None}
    both: tuple[tuple[str, list[float] | None, StandardName, float], ...] = (
        ("volts", readings.volts, "volt_imbalance_pct", limits.volt_imbalance_pct),
        ("amps", readings.amps, "amp_imbalance_pct", limits.amp_imbalance_pct),
    )
    for name, values, standard, most in both:
        if values is None:
            continue
        off = imbalance_pct(values)
        results[name] = off
        over = off > most
        mean = sum(values) / 3
        findings.append(
            Finding(
                code=f"{name.upper()}_IMBALANCE",
                verdict="watch" if over else "pass",
                text=msg(
                    "{capitalize} are {off:.1f} % out of balance.", capitalize=name.capitalize(), off=off
                ),
                rule=limits.rule(standard),
                inputs={name: list(values)},
                arithmetic=msg(
                    "mean {mean:.4g}; worst {off:.2f} % off (watch above {most:g} %)",
                    mean=mean,
                    off=off,
                    most=most,
                ),
                next_step=msg(
                    "Rotate the three leads one place. Amps that move with the line are the "
                    "supply's; amps that stay are the motor's."
                )
                if over and gone is None
                else None,
            )
        )
    return ImbalanceResult(
        lost=gone[0] if gone is not None else None,
        volts_pct=results["volts"],
        amps_pct=results["amps"],
        verdict=worst([f.verdict for f in findings]),
        findings=findings,
    )


def _phase_lost(leg: str, working: str, rule: str) -> Finding:
    return Finding(
        code="PHASE_LOST",
        verdict="fail",
        text=msg("Phase lost: {leg} carries nothing to the motor.", leg=leg),
        rule=rule,
        inputs={"leg": leg},
        arithmetic=working,
        next_step=msg(
            "Power off, no further start. Look at {leg}: fuse, lug, contactor pole, utility.", leg=leg
        ),
        stops=True,
    )


class LegsToNeutral(Frozen):
    """Each leg to neutral at the panel, at rest and during the start; the start may be left out."""

    leg_a_idle_v: ZeroOrMoreVolts
    leg_b_idle_v: ZeroOrMoreVolts
    leg_a_start_v: ZeroOrMoreVolts | None = None
    leg_b_start_v: ZeroOrMoreVolts | None = None


class LegsResult(Frozen):
    """Whether the neutral holds."""

    code: Literal["steady", "sag", "open_neutral", "one_leg", "at_rest"]
    verdict: Verdict
    findings: list[Finding]


# Legs this far apart at rest share no sound neutral [V]; ordinary loads on one leg stay well below it.
APART_AT_REST_V = 10.0


def judge_legs(legs: LegsToNeutral, standards: Standards | None = None) -> LegsResult:
    """Tell a floating neutral from an ordinary sag.

    Notes
    -----
    A 240 V start draws nothing through the neutral, so both legs fall alike. One leg that falls while
    the other rises means the neutral is open or loose: stop. So do legs that are far apart at rest.

    Raises
    ------
    InputProblem : one leg was read during the start and the other was not

    """
    limits = standards or shipped_standards()
    shift = limits.neutral_shift_v
    apart_idle = abs(legs.leg_a_idle_v - legs.leg_b_idle_v)
    a = b = 0.0
    started = legs.leg_a_start_v is not None and legs.leg_b_start_v is not None
    if legs.leg_a_start_v is not None and legs.leg_b_start_v is not None:
        a, b = legs.leg_a_start_v - legs.leg_a_idle_v, legs.leg_b_start_v - legs.leg_b_idle_v
    elif legs.leg_a_start_v is not None or legs.leg_b_start_v is not None:
        missing = "leg_b_start_v" if legs.leg_b_start_v is None else "leg_a_start_v"
        raise InputProblem(
            [FieldProblem(field=missing, wanted=msg("both legs during the start, or neither"))]
        )
    seen = {
        "leg_a_change_v": round(a, 3),
        "leg_b_change_v": round(b, 3),
        "apart_idle_v": round(apart_idle, 3),
    }
    during = msg("A {a:+.3g} V, B {b:+.3g} V during the start; ", a=a, b=b) if started else ""
    working = msg("{during}{apart_idle:.3g} V apart at rest", during=during, apart_idle=apart_idle)

    def made(
        code: Literal["steady", "sag", "open_neutral", "one_leg", "at_rest"],
        verdict: Verdict,
        text: str,
        step: str | None,
    ) -> LegsResult:
        finding = Finding(
            code=code.upper(),
            verdict=verdict,
            text=text,
            rule=limits.rule("neutral_shift_v"),
            inputs=dict(seen),
            arithmetic=working,
            next_step=step,
            stops=code == "open_neutral",
        )
        return LegsResult(code=code, verdict=verdict, findings=[finding])

    if (a > shift and b < -shift) or (b > shift and a < -shift) or apart_idle > APART_AT_REST_V:
        return made(
            "open_neutral",
            "fail",
            msg(
                "The legs are {apart_idle:.3g} V apart at rest: open or loose neutral.", apart_idle=apart_idle
            )
            if apart_idle > APART_AT_REST_V
            else msg("One leg falls while the other rises: open or loose neutral."),
            msg("Call the utility or an electrician; appliances on the high leg are at risk."),
        )
    if not started:
        return made(
            "at_rest",
            "unknown",
            msg("Both legs read alike at rest; whether the neutral holds shows during a start."),
            msg("Read both legs during one start."),
        )
    if min(a, b) < -shift and abs(a - b) > max(2 * shift, 0.5 * abs(min(a, b))):
        return made(
            "one_leg",
            "watch",
            msg("Only one leg drops: check that leg's connections and other loads."),
            msg("Walk that leg from the panel bus to the contactor."),
        )
    if min(a, b) < -shift:
        return made(
            "sag",
            "pass",
            msg("Both legs drop alike: normal voltage dip, neutral good."),
            msg("Walk the supply to see where it is lost.") if min(a, b) < -2 * shift else None,
        )
    return made("steady", "pass", msg("Both legs stand steady."), None)
