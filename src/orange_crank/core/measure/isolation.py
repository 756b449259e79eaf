"""To ground, piece by piece: which piece downstream of the contactor is shorted."""

from typing import Annotated, Literal

from pydantic import Field

from orange_crank.core.messages import joined, msg
from orange_crank.core.nomenclature import Fahrenheit, Finding, Flag, Frozen, Verdict, Volts, worst
from orange_crank.core.tables.standards import Standards, shipped_standards

Piece = Literal["compressor", "fan", "crankcase_heater", "run_capacitor", "start_kit", "wiring"]

PIECES: tuple[tuple[Piece, str, str], ...] = (
    ("compressor", msg("Compressor, leads off at the pins"), "compressor"),
    ("fan", msg("Condenser fan, leads off"), msg("fan motor")),
    ("crankcase_heater", msg("Crankcase heater, leads off"), msg("crankcase heater")),
    ("run_capacitor", msg("Run capacitor, tab to can"), msg("run capacitor")),
    ("start_kit", msg("Start kit, lifted"), msg("start kit")),
    ("wiring", msg("Wires alone, both ends off"), "wiring"),
)

Megohms = Annotated[
    float, Field(strict=True, ge=0, le=100_000, allow_inf_nan=False, json_schema_extra={"unit": "MΩ"})
]


class Isolation(Frozen):
    """Continuity to bare metal, piece by piece; a piece left out was not tested."""

    whole: Flag | None = Field(default=None, description="Continuity with everything still joined")
    compressor: Flag | None = None
    terminal_c: Flag | None = Field(default=None, description="Pin C to shell")
    terminal_s: Flag | None = Field(default=None, description="Pin S to shell")
    terminal_r: Flag | None = Field(default=None, description="Pin R to shell")
    fan: Flag | None = None
    crankcase_heater: Flag | None = None
    run_capacitor: Flag | None = None
    start_kit: Flag | None = None
    wiring: Flag | None = None
    insulation_megohm: Megohms | None = Field(default=None, description="Compressor to shell [MΩ]")
    test_v: Volts | None = Field(default=None, description="Volts the megohm meter puts out [V]")
    winding_f: Fahrenheit | None = Field(default=None, description="Temperature of the winding [°F]")


class IsolationResult(Frozen):
    """Which pieces are shorted, which are clear, and which to lift next."""

    shorted: list[Piece]
    untested: list[Piece]
    next_piece: Piece | None
    insulation_40c_megohm: float | None = Field(
        description="Megohms brought to 40 °C: halved for every 10 K below, doubled above [MΩ]"
    )
    verdict: Verdict
    findings: list[Finding]


def isolate(test: Isolation, standards: Standards | None = None) -> IsolationResult:
    """Name the shorted piece, or the piece to lift next.

    Notes
    -----
    Insulation resistance halves for every 10 K of temperature (IEEE 43-2013, §6.3 and annex A); a reading
    at another temperature is brought to 40 °C. Refrigerant and oil in the shell lower it: megohms
    alone never condemn a compressor.

    """
    limits = standards or shipped_standards()
    terminals = {"C": test.terminal_c, "S": test.terminal_s, "R": test.terminal_r}
    bad_pins = [name for name, found in terminals.items() if found]
    found: dict[Piece, bool | None] = {piece: getattr(test, piece) for piece, _, _ in PIECES}
    if bad_pins:
        found["compressor"] = True
    elif found["compressor"] is None and all(v is False for v in terminals.values()):
        found["compressor"] = False
    shorted = [piece for piece, value in found.items() if value]
    untested = [piece for piece, value in found.items() if value is None]
    names = {piece: name for piece, _, name in PIECES}
    hows = {piece: how for piece, how, _ in PIECES}
    findings: list[Finding] = []
    for piece in shorted:
        pins = (
            msg(
                " (pin{bad_pins} {join})",
                bad_pins="s" if len(bad_pins) > 1 else "",
                join=joined(bad_pins, ", "),
            )
            if bad_pins
            else ""
        )
        findings.append(
            Finding(
                code=f"SHORTED_{piece.upper()}",
                verdict="fail",
                text=msg(
                    "The {names} is shorted to ground{pins}.",
                    names=names[piece],
                    pins=pins if piece == "compressor" else "",
                ),
                rule="field practice: to ground",
                inputs={piece: True},
                next_step=_COMPRESSOR_STEP
                if piece == "compressor"
                else msg(
                    "Replace the {names}. Test everything to ground again before power.", names=names[piece]
                ),
                stops=True,
            )
        )
    if not shorted and test.whole and untested:
        findings.append(
            Finding(
                code="STILL_LOOKING",
                verdict="fail",
                text=msg("Short to ground not found yet. Keep power off."),
                rule="field practice: to ground",
                inputs={"untested": [*untested]},
                next_step=msg("Do next: {hows}.", hows=hows[untested[0]]),
                stops=True,
            )
        )
    elif not shorted and test.whole:
        findings.append(
            Finding(
                code="NOT_FOUND",
                verdict="unknown",
                text=(
                    msg(
                        "Connected it reads shorted, apart every part is clear: intermittent, or where "
                        "two parts touch."
                    )
                ),
                rule="field practice: to ground",
                next_step=msg(
                    "Power off. Reconnect one part at a time, test after each, and flex the wires."
                ),
                stops=True,
            )
        )
    elif not shorted:
        tested = [piece for piece, value in found.items() if value is False]
        findings.append(
            Finding(
                code="CLEAR",
                verdict="pass" if tested or test.whole is False else "unknown",
                text=msg("No part tested is shorted to ground.")
                if tested or test.whole is False
                else msg("Nothing was tested."),
                rule="field practice: to ground",
                inputs={"clear": [*tested]},
                next_step=None
                if tested or test.whole is False
                else msg("Each contactor load terminal (T1, T2) to bare metal, contactor open."),
            )
        )
    corrected, said = _insulation(test, limits)
    findings += said
    return IsolationResult(
        shorted=shorted,
        untested=untested,
        next_piece=untested[0] if test.whole and not shorted and untested else None,
        insulation_40c_megohm=corrected,
        verdict=worst([f.verdict for f in findings]),
        findings=findings,
    )


_COMPRESSOR_STEP = msg(
    "Clean the pins, leads still off, and test again: dirt and moisture conduct. "
    "Shorted still: the compressor is grounded. Do not reset the breaker."
)


def _insulation(test: Isolation, limits: Standards) -> tuple[float | None, list[Finding]]:
    if test.insulation_megohm is None:
        return None, []
    low, watch = limits.insulation_low_megohm, limits.insulation_watch_megohm
    corrected: float | None = None
    value = test.insulation_megohm
    arithmetic = f"{value:g} MΩ"
    if test.winding_f is not None:
        celsius = (test.winding_f - 32) / 1.8
        corrected = value * 0.5 ** ((40 - celsius) / 10)
        arithmetic = msg(
            "{value:g} MΩ × 0.5^((40 − {celsius:.0f}) ÷ 10) = {corrected:.3g} MΩ at 40 °C",
            value=value,
            celsius=celsius,
            corrected=corrected,
        )
        value = corrected
    verdict: Verdict = "fail" if value < low else "watch" if value < watch else "pass"
    unsure = [] if test.winding_f is not None else [msg("temperature not given, not corrected")]
    unsure += [] if test.test_v is not None else [msg("test volts not given")]
    texts = {
        "pass": msg("Insulation is sound."),
        "watch": msg("Insulation is getting low: moisture, dirt, or contaminated oil."),
        "fail": msg("Insulation is low. Never run it under vacuum."),
    }
    return corrected, [
        Finding(
            code="INSULATION",
            verdict=verdict,
            text=texts[verdict] + (f" ({'; '.join(unsure)})" if unsure else ""),
            rule=limits.rule("insulation_low_megohm" if verdict == "fail" else "insulation_watch_megohm"),
            inputs={
                "insulation_megohm": test.insulation_megohm,
                "test_v": test.test_v,
                "winding_f": test.winding_f,
            },
            arithmetic=arithmetic,
            next_step=None
            if verdict == "pass"
            else msg("Warm the shell, dry and clean the pins, test again. Megohms alone do not condemn."),
        )
    ]
