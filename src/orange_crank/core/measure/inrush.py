"""The inrush number, judged for what it is: how soon the rotor gets going."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from orange_crank.core.measure.meter import Aid, Conductor, MeterMode, mode_note
from orange_crank.core.measure.taken import ReadingVerdict, TakenReading
from orange_crank.core.measure.waveform import StartFound, Waveform, read_waveform
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import (
    Amps,
    Finding,
    Flag,
    Frozen,
    Verdict,
    Volts,
    ZeroOrMoreAmps,
    inputs,
    say,
    worst,
)
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import Standards, shipped_standards

InrushVerdict = Literal["accelerating", "no_evidence", "not_turning", "too_low", "not_comparable"]

_HUNDRED_MS_MODES = ("inrush", "waveform")
_LINE_CONDUCTORS = ("common", "whole_unit")


Sample = Annotated[float, Field(strict=True, ge=-1e5, le=1e5, allow_inf_nan=False)]


class InrushWaveform(Frozen):
    """Samples of the same start, where the meter kept them."""

    sample_hz: Annotated[float, Field(strict=True, gt=0, le=1e6, allow_inf_nan=False)]
    line_a: list[Sample] = Field(min_length=16, max_length=400_000, description="Current [A]")


class Inrush(Frozen):
    """One inrush reading with what is needed to judge it."""

    reading_a: Amps = Field(description="What the meter showed [A]")
    mode: MeterMode
    conductor: Conductor
    lra_a: Amps = Field(description="Locked-rotor amps from the plate [A]")
    volts_start: Volts = Field(description="Line voltage while it was starting [V]")
    plate_volts: Volts = Field(description="Rated voltage from the plate [V]")
    fan_fla_a: Amps | None = Field(default=None, description="Fan full-load amps, if it is in the clamp [A]")
    aid: Aid | Flag | None = Field(default=None, description="Start aid in circuit, if any")
    later_a: ZeroOrMoreAmps | None = Field(default=None, description="Same place, one second on [A]")
    waveform: InrushWaveform | None = None


class InrushResult(Frozen):
    """What the reading shows."""

    lra_corrected_a: float = Field(description="Locked-rotor amps at the voltage that was there [A]")
    ratio: float = Field(description="Reading divided by corrected locked-rotor amps")
    later_ratio: float | None = Field(default=None, description="The same, one second on")
    start_time_s: float | None = Field(default=None, description="From the waveform, where there is one [s]")
    verdict: InrushVerdict
    findings: list[Finding]

    @property
    def worst_verdict(self) -> Verdict:
        """The gravest verdict among the findings, for a one-word summary."""
        return worst([f.verdict for f in self.findings if f.verdict != "note"])


def corrected_lra_a(lra_a: float, volts_start: float, plate_volts: float) -> float:
    """Return locked-rotor amps at the voltage that was there [A].

    Notes
    -----
    A stalled motor is an impedance: its current follows the voltage. Saturation is left out, so
    well below rated voltage the true figure is a little lower.

    >>> corrected_lra_a(97, 218.5, 230)
    92.15
    """
    return lra_a * volts_start / plate_volts


def judge_inrush(reading: Inrush, standards: Standards | None = None) -> InrushResult:
    """Judge one inrush reading against voltage-corrected locked-rotor amps.

    Parameters
    ----------
    reading : the reading with mode, clamp place and volts
    standards : the shop's limits (shipped ones when left out)

    Returns
    -------
    InrushResult : ``accelerating`` (rotor away within the window), ``no_evidence`` (cannot tell from
        this number), ``not_turning`` (still at stall current a second on), ``too_low`` (cannot be a
        compressor start), ``not_comparable`` (mode or clamp place does not measure this)

    Notes
    -----
    The bands hold for an RMS over about 100 ms in the common or supply conductor.

    """
    limits = standards or shipped_standards()
    start = _start_on(reading)
    if start is not None:
        reading = _with_waveform(reading, start)
    corrected = corrected_lra_a(reading.lra_a, reading.volts_start, reading.plate_volts)
    ratio = reading.reading_a / corrected
    later = reading.later_a / corrected if reading.later_a is not None else None
    findings = [
        Finding(
            code="LRA_AT_THESE_VOLTS",
            verdict="note",
            text=(
                msg(
                    "At {volts_start}, locked-rotor amps would be {corrected}.",
                    volts_start=say(reading.volts_start, "V"),
                    corrected=say(corrected, "A", 3),
                )
            ),
            rule="LRA × V(start) ÷ V(plate)",
            inputs={
                "lra_a": reading.lra_a,
                "volts_start": reading.volts_start,
                "plate_volts": reading.plate_volts,
            },
            arithmetic=f"{reading.lra_a:g} A × {reading.volts_start:g} V ÷ {reading.plate_volts:g} V "
            f"= {corrected:.4g} A; {reading.reading_a:g} A ÷ {corrected:.4g} A = {ratio:.2f}",
        )
    ]
    verdict, judged = _judge(reading, ratio, later, limits)
    findings += judged
    if verdict != "not_comparable" and reading.conductor == "whole_unit":
        findings.append(_fan_in_the_clamp(reading, corrected))
    return InrushResult(
        lra_corrected_a=round(corrected, 6),
        ratio=round(ratio, 6),
        later_ratio=round(later, 6) if later is not None else None,
        start_time_s=start.start_time_s if start is not None else None,
        verdict=verdict,
        findings=findings,
    )


def _start_on(reading: Inrush) -> StartFound | None:
    """Return the largest start on the waveform, or None without one."""
    if reading.waveform is None:
        return None
    wave = Waveform(sample_hz=reading.waveform.sample_hz, line_a=np.array(reading.waveform.line_a))
    return max(read_waveform(wave).starts, key=lambda s: s.max_cycle_rms_a, default=None)


def _with_waveform(reading: Inrush, start: StartFound) -> Inrush:
    """Let the samples answer: the first 100 ms, and what it settled to as the value a second on."""
    return reading.model_copy(
        update={
            "mode": "waveform",
            "reading_a": start.inrush_100ms_a,
            "later_a": reading.later_a if reading.later_a is not None else start.settled_a,
        }
    )


def _judge(
    reading: Inrush, ratio: float, later: float | None, limits: Standards
) -> tuple[InrushVerdict, list[Finding]]:
    unfit = _unfit(reading)
    if unfit is not None:
        return "not_comparable", [unfit]

    stall_low, stall_high = limits.not_turning_low_ratio, limits.not_turning_high_ratio
    if later is not None and stall_low <= later <= stall_high:
        return "not_turning", [
            Finding(
                code="STILL_AT_STALL_CURRENT",
                verdict="fail",
                text=msg("After one second it still draws locked-rotor amps: it is not turning."),
                rule=limits.rule("not_turning_low_ratio"),
                inputs={"later_a": reading.later_a, "later_ratio": round(later, 3)},
                arithmetic=f"{stall_low:g} ≤ {later:.2f} ≤ {stall_high:g}",
                next_step=(
                    msg(
                        "Shut it off now. Check capacitor, start kit and volts at the compressor "
                        "before you call it locked."
                    )
                ),
            )
        ]
    if later is not None and later < limits.later_trip_ratio:
        return "no_evidence", [
            Finding(
                code="TRIPPED_OR_OPENED",
                verdict="fail",
                text=msg("After one second it draws almost nothing: something opened."),
                rule=limits.rule("later_trip_ratio"),
                inputs={"later_a": reading.later_a, "later_ratio": round(later, 3)},
                arithmetic=f"{later:.2f} < {limits.later_trip_ratio:g}",
                next_step=(
                    msg(
                        "Power off. Test to ground first. Then find what opened: breaker, fuse, "
                        "overload, contactor."
                    )
                ),
            )
        ]
    # With a start capacitor more than locked-rotor amps flow, and no short.
    most = max(stall_high, limits.kit_stall_ratio) if _has_aid(reading) else stall_high
    if ratio > most or (later is not None and later > stall_high):
        return "no_evidence", [
            Finding(
                code="ABOVE_LOCKED_ROTOR",
                verdict="fail",
                text=msg("Well above locked-rotor amps: a short, or the wrong LRA."),
                rule=limits.rule("kit_stall_ratio" if most > stall_high else "not_turning_high_ratio"),
                inputs={"ratio": round(ratio, 3), "limit": most},
                arithmetic=f"{max(ratio, later or 0):.2f} > {most if ratio > most else stall_high:g}",
                next_step=msg("Power off. Test to ground, then read the nameplate again."),
            )
        ]
    if later is not None and later >= limits.later_heavy_ratio:
        return "no_evidence", [
            Finding(
                code="STILL_HEAVY",
                verdict="watch",
                text=(
                    msg(
                        "After one second it still draws {later:.0f} % of locked-rotor amps: it is "
                        "struggling to start.",
                        later=100 * later,
                    )
                ),
                rule=limits.rule("later_heavy_ratio"),
                inputs={"later_a": reading.later_a, "later_ratio": round(later, 3)},
                arithmetic=f"{later:.2f} ≥ {limits.later_heavy_ratio:g}",
                next_step=msg(
                    "Listen to one start and time it; measure volts at the terminals while it starts."
                ),
            )
        ]
    if ratio >= limits.inrush_no_evidence_ratio:
        if later is not None:
            return "accelerating", [
                Finding(
                    code="AWAY_AFTER_THE_WINDOW",
                    verdict="watch",
                    text=msg(
                        "Near locked-rotor amps for 100 ms, then lower a second later: it started slowly."
                    ),
                    rule=limits.rule("inrush_no_evidence_ratio"),
                    inputs={"ratio": round(ratio, 3), "later_ratio": round(later, 3)},
                    arithmetic=msg("{ratio:.2f} at first, {later:.2f} a second on", ratio=ratio, later=later),
                    next_step=msg("Time the start by ear or waveform; compare with the last visit."),
                )
            ]
        return "no_evidence", [
            Finding(
                code="NO_EVIDENCE_BY_ITSELF",
                verdict="unknown",
                text=(
                    msg(
                        "Proves nothing alone: a compressor that starts in 0.13 s and one that never "
                        "turns read the same over 100 ms."
                    )
                ),
                rule=limits.rule("inrush_no_evidence_ratio"),
                inputs={"ratio": round(ratio, 3), "limit": limits.inrush_no_evidence_ratio},
                arithmetic=f"{ratio:.2f} ≥ {limits.inrush_no_evidence_ratio:g}",
                next_step=(
                    msg(
                        "Read amps again one second later, record a waveform, or watch and listen for "
                        "it turning."
                    )
                ),
            )
        ]
    if ratio >= limits.inrush_low_ratio or _has_aid(reading):
        aided = ratio < limits.inrush_low_ratio
        return "accelerating", [
            Finding(
                code="AWAY_WITHIN_THE_WINDOW",
                verdict="pass",
                text=msg("It started turning within 100 ms")
                + (msg(", or the aid held the current down.") if aided else "."),
                rule=limits.rule("inrush_no_evidence_ratio"),
                inputs=dict(inputs(ratio=round(ratio, 3), aid=_aid_name(reading))),
                arithmetic=f"{ratio:.2f} < {limits.inrush_no_evidence_ratio:g}",
            )
        ]
    return "too_low", [_too_low(reading, ratio, limits)]


def _unfit(reading: Inrush) -> Finding | None:
    note = mode_note(reading.mode)
    if reading.mode not in _HUNDRED_MS_MODES:
        return Finding(
            code="MODE_DOES_NOT_SHOW_INRUSH",
            verdict="unknown",
            text=(
                msg(
                    "{label} shows {returns} and misses {blind_to}. Don't compare it with LRA.",
                    label=note.label,
                    returns=note.returns,
                    blind_to=note.blind_to,
                )
            ),
            rule="field practice: meter modes",
            inputs={"mode": reading.mode},
            next_step=msg("Retake in inrush mode on the common wire, after five minutes' rest."),
        )
    if reading.conductor not in _LINE_CONDUCTORS:
        where = {
            "run": msg("The run wire carries only part of the line current."),
            "start": msg("The start wire carries only the auxiliary current."),
            "panel": msg("At the panel the clamp sees the rest of the house as well."),
        }[reading.conductor]
        return Finding(
            code="WRONG_CONDUCTOR_FOR_LRA",
            verdict="unknown",
            text=msg("{where} Locked-rotor amps are the common wire's.", where=where),
            rule="field practice: inrush",
            inputs={"conductor": reading.conductor},
            next_step=msg("Clamp the common wire (C) alone and retake."),
        )
    return None


def _too_low(reading: Inrush, ratio: float, limits: Standards) -> Finding:
    causes = msg("another wire in the clamp, a fan that started first and used up the shot, or the sampling")
    fan = reading.fan_fla_a
    fan_first = fan is not None and reading.reading_a <= 8 * fan
    if fan_first:
        causes = msg(
            "most likely the fan: {reading_a} is within a {fan} fan's own start. It "
            "started first and used up the shot",
            reading_a=say(reading.reading_a, "A"),
            fan=say(fan or 0, "A"),
        )
    return Finding(
        code="TOO_LOW_FOR_A_START",
        verdict="unknown",
        text=msg("Too low for this compressor starting without a start aid: {causes}.", causes=causes),
        rule=limits.rule("inrush_low_ratio"),
        inputs=dict(inputs(ratio=round(ratio, 3), limit=limits.inrush_low_ratio, fan_fla_a=fan)),
        arithmetic=f"{ratio:.2f} < {limits.inrush_low_ratio:g}",
        next_step=msg("Clamp C alone, clear of the fan's wire; arm the meter after the fan runs; retake."),
    )


def _fan_in_the_clamp(reading: Inrush, corrected: float) -> Finding:
    share = (
        msg(" by up to {fan_fla_a:.2f}", fan_fla_a=reading.fan_fla_a / corrected) if reading.fan_fla_a else ""
    )
    return Finding(
        code="FAN_IN_THE_CLAMP",
        verdict="note",
        text=msg("The whole unit's wire carries the fan too, which raises the ratio{share}.", share=share),
        rule="field practice: inrush",
        inputs=dict(inputs(conductor="whole_unit", fan_fla_a=reading.fan_fla_a)),
    )


def _aid_name(reading: Inrush) -> str | None:
    if isinstance(reading.aid, bool):
        return "fitted" if reading.aid else None
    return None if reading.aid in (None, "none") else reading.aid


def _has_aid(reading: Inrush) -> bool:
    return _aid_name(reading) is not None


_WORDS: dict[InrushVerdict, str] = {
    "accelerating": "accelerating",
    "no_evidence": msg("no evidence by itself"),
    "not_turning": msg("not turning"),
    "too_low": msg("too low for a start"),
    "not_comparable": msg("cannot be compared with LRA"),
}


def far_above_locked_rotor(result: InrushResult) -> bool:
    """Tell whether an inrush was more than a stalled rotor can draw: the power goes off."""
    return any(f.code == "ABOVE_LOCKED_ROTOR" for f in result.findings)


# These hold without the volts at the dip: the ratio is taken at the highest volts of a sound supply, so that
# the real one is higher still.
_WITHOUT_VOLTS = frozenset(
    {"ABOVE_LOCKED_ROTOR", "STILL_AT_STALL_CURRENT", "MODE_DOES_NOT_SHOW_INRUSH", "WRONG_CONDUCTOR_FOR_LRA"}
)


def _without_volts(amps: float) -> ReadingVerdict:
    """Keep an inrush without volts beside it, and say that it compares with nothing."""
    finding = Finding(
        code="NO_VOLTS_AT_THE_DIP",
        verdict="unknown",
        text=msg(
            "{amps} saved. Without the volts at the dip it can't be compared with LRA or with another start.",
            amps=say(amps, "A"),
        ),
        rule="LRA × V(start) ÷ V(plate)",
        inputs={"reading_a": amps},
        next_step=msg("Read the line volts while it starts, and add them."),
    )
    return ReadingVerdict(
        code="not_comparable", verdict="unknown", summary=msg("No volts at the dip"), findings=[finding]
    )


def judge_inrush_reading(reading: TakenReading, plate: Plate, limits: Standards) -> ReadingVerdict:
    """Judge an inrush reading of a call against the plate's first compressor."""
    entry, first, amps = reading.entry, plate.compressors[0], reading.figure
    if first.lra_a is None or entry.mode is None or entry.conductor is None or not amps:
        finding = Finding(
            code="NO_LOCKED_ROTOR_AMPS",
            verdict="note",
            text=msg("This nameplate shows no locked-rotor amps: an inverter has no locked-rotor test."),
            rule="field practice: plate checks",
        )
        return ReadingVerdict(code="not_comparable", verdict="note", summary=msg("Noted"), findings=[finding])
    result = judge_inrush(
        Inrush(
            reading_a=amps,
            mode=entry.mode,
            conductor=entry.conductor,
            lra_a=first.lra_a,
            volts_start=entry.volts or plate.volts * (1 + limits.supply_tolerance_pct / 100),
            plate_volts=plate.volts,
            fan_fla_a=plate.motors[0].fla_a if plate.motors else None,
            aid=entry.aid,
            later_a=entry.later_a,
        ),
        limits,
    )
    if entry.volts is None and not any(f.code in _WITHOUT_VOLTS for f in result.findings):
        return _without_volts(amps)
    return ReadingVerdict(
        code=result.verdict,
        verdict=result.worst_verdict,
        summary=msg("{ratio:.2f} × LRA: {words}", ratio=result.ratio, words=_WORDS[result.verdict]),
        findings=result.findings,
    )
