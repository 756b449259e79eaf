"""Winding resistance: labelled or not, hot or cold, single-phase or three-phase."""

from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import joined, msg
from orange_crank.core.nomenclature import (
    Fahrenheit,
    Finding,
    Flag,
    Frozen,
    Percent,
    Verdict,
    ZeroOrMoreOhms,
    inputs,
    say,
)
from orange_crank.core.tables.standards import Standards, shipped_standards

WindingVerdict = Literal[
    "sound",
    "start_open",
    "run_open",
    "overload_open",
    "all_open",
    "grounded",
    "turn_short",
    "not_additive",
    "unequal",
    "unidentified",
]
Terminal = Literal["common", "start", "run"]


def _open_or_number(value: object) -> object:
    if isinstance(value, str) and value != "open":
        raise PydanticCustomError("value_error", "{error}", {"error": msg('a number of ohms, or "open"')})
    return value


OhmsOrOpen = Annotated[ZeroOrMoreOhms | Literal["open"], BeforeValidator(_open_or_number)]

COPPER_PER_KELVIN = 0.0039


class Pairs(Frozen):
    """Three readings between terminals nobody has named yet."""

    ab: OhmsOrOpen
    bc: OhmsOrOpen
    ca: OhmsOrOpen


class GroundByTerminal(Frozen):
    """Continuity to bare metal, terminal by terminal."""

    c: Flag = False
    s: Flag = False
    r: Flag = False


class WindingReference(Frozen):
    """What the windings read before, or what the maker says."""

    cs_ohm: ZeroOrMoreOhms | None = None
    cr_ohm: ZeroOrMoreOhms | None = None
    sr_ohm: ZeroOrMoreOhms | None = None
    winding_f: Fahrenheit | None = Field(default=None, description="Winding temperature then [°F]")


class Windings(Frozen):
    """Three winding readings, leads off."""

    cs_ohm: OhmsOrOpen | None = Field(default=None, description='Common to start [Ω], or "open"')
    cr_ohm: OhmsOrOpen | None = Field(default=None, description='Common to run [Ω], or "open"')
    sr_ohm: OhmsOrOpen | None = Field(default=None, description='Start to run [Ω], or "open"')
    pairs: Pairs | None = Field(default=None, description="Instead: unlabelled terminals a, b, c")
    lead_ohm: ZeroOrMoreOhms = Field(default=0.0, description="Test leads, shorted together [Ω]")
    hot: Flag | None = Field(default=None, description="Whether the shell is hot")
    winding_f: Fahrenheit | None = Field(default=None, description="Winding temperature, if known [°F]")
    to_ground: Flag | GroundByTerminal | None = Field(default=None, description="Continuity to bare metal")
    reference: WindingReference | None = None
    phase: Literal[1, 3] = Field(default=1, description="Number of phases")
    accuracy_pct: Percent | None = Field(default=None, description="Meter accuracy, ± percent of reading")

    @model_validator(mode="after")
    def _three_readings(self) -> "Windings":
        if self.pairs is not None:
            return self
        for name in ("cs_ohm", "cr_ohm", "sr_ohm"):
            if getattr(self, name) is None:
                raise PydanticCustomError(
                    "value_error",
                    "{error}",
                    {
                        "field": name,
                        "error": msg('ohms or "open" for all three pairs, or pairs: {ab, bc, ca}'),
                    },
                )
        return self


class WindingsResult(Frozen):
    """What the three readings show."""

    verdict: WindingVerdict
    terminals: dict[str, Terminal] | None = Field(default=None, description="Names of a, b and c")
    sum_ohm: float | None = Field(default=None, description="Common–start plus common–run [Ω]")
    plus_minus_ohm: float | None = Field(default=None, description="Meter's share in the sum's error [Ω]")
    findings: list[Finding]


Value = float | None  # None is an open circuit


def judge_windings(reading: Windings, standards: Standards | None = None) -> WindingsResult:
    """Judge winding resistances.

    Parameters
    ----------
    reading : three pairs [Ω or "open"], leads off R, S and C
    standards : the shop's limits (shipped ones when left out)

    Raises
    ------
    InputProblem : the leads alone read more than a pair

    Notes
    -----
    A turn-to-turn short keeps the sum true; it shows only against a reference, corrected for copper
    at 0.39 %/K. Grounded outranks everything.

    """
    limits = standards or shipped_standards()
    terminals: dict[str, Terminal] | None = None
    notes: list[Finding] = []
    if reading.pairs is not None and reading.phase == 1:
        terminals, ordered, notes = _name_terminals(reading, limits)
        if ordered is None:
            return _grounded(reading, terminals, None, notes) or WindingsResult(
                verdict=_all_open_or(reading, "unidentified"), terminals=None, findings=notes
            )
        cs, cr, sr = ordered
    elif reading.pairs is not None:
        p = reading.pairs
        cs, cr, sr = (_net(v, reading, n) for n, v in (("ab", p.ab), ("bc", p.bc), ("ca", p.ca)))
    else:
        cs, cr, sr = (_net(getattr(reading, name), reading, name) for name in ("cs_ohm", "cr_ohm", "sr_ohm"))
    total = cs + cr if cs is not None and cr is not None else None
    grounded = _grounded(reading, terminals, total, notes)
    if grounded is not None:
        return grounded
    zero = [
        name
        for name, v in (("C–S", cs), ("C–R", cr), ("S–R", sr))
        if v is not None and v <= limits.winding_zero_ohm
    ]
    verdict, findings = (
        ("not_additive", [_zero(zero, limits)])
        if zero
        else _three_phase(cs, cr, sr, reading, limits)
        if reading.phase == 3
        else _single_phase(cs, cr, sr, reading, limits)
    )
    spread = None
    if reading.accuracy_pct is not None and total is not None and sr is not None:
        spread = round((cs**2 + cr**2 + sr**2) ** 0.5 * reading.accuracy_pct / 100, 6)  # type: ignore[operator]
    return WindingsResult(
        verdict=verdict,
        terminals=terminals,
        sum_ohm=round(total, 6) if total is not None else None,
        plus_minus_ohm=spread,
        findings=[*findings, *notes],
    )


def _zero(pairs: list[str], limits: Standards) -> Finding:
    """Return that a winding of no ohms is no winding: the meter, its leads or a joined terminal is read."""
    return Finding(
        code="ZERO_OHMS",
        verdict="unknown",
        text=(
            msg(
                "{join} reads zero ohms. No winding does. Check meter, leads and touching terminals.",
                join=joined(pairs, " and "),
            )
        ),
        rule=limits.rule("winding_zero_ohm"),
        inputs={"pairs": list(pairs)},
        next_step=msg("Prove the meter on a known resistor, lift all leads off the pins, and read again."),
    )


def _net(value: float | str | None, reading: Windings, name: str) -> Value:
    if value is None or isinstance(value, str):
        return None
    net = value - reading.lead_ohm
    if net < 0:
        raise InputProblem(
            [
                FieldProblem(
                    field="lead_ohm",
                    wanted=msg(
                        "less than each reading; {upper} reads {value:g} Ω",
                        upper=name.removesuffix("_ohm").upper(),
                        value=value,
                    ),
                    got=reading.lead_ohm,
                )
            ],
            next_step=msg("Short the probes together and read the leads again."),
        )
    return net


def _grounded(
    reading: Windings, terminals: dict[str, Terminal] | None, total: float | None, notes: list[Finding]
) -> WindingsResult | None:
    ground = reading.to_ground
    if isinstance(ground, GroundByTerminal):
        where = [name.upper() for name in ("c", "s", "r") if getattr(ground, name)]
    else:
        where = [msg("a terminal")] if ground else []
    if not where:
        return None
    finding = Finding(
        code="GROUNDED",
        verdict="fail",
        text=msg("Continuity from {join} to bare metal: the winding is grounded.", join=joined(where, ", ")),
        rule="field practice: to ground",
        inputs={"to_ground": list(where)},
        next_step=msg("Do not reset or energize it. Leads off, measure again cold."),
    )
    return WindingsResult(verdict="grounded", terminals=terminals, sum_ohm=total, findings=[finding, *notes])


def _all_open_or(reading: Windings, otherwise: WindingVerdict) -> WindingVerdict:
    p = reading.pairs
    return "all_open" if p is not None and {p.ab, p.bc, p.ca} == {"open"} else otherwise


def _name_terminals(
    reading: Windings, limits: Standards
) -> tuple[dict[str, Terminal] | None, tuple[Value, Value, Value] | None, list[Finding]]:
    pairs = reading.pairs
    assert pairs is not None
    net = {name: _net(getattr(pairs, name), reading, name) for name in ("ab", "bc", "ca")}
    closed = {name: value for name, value in net.items() if value is not None}
    if len(closed) < 3:
        opened = 3 - len(closed)
        text = (
            msg("All three pairs are open: leads off, or windings or overload open.")
            if opened == 3
            else msg("With a pair open, ohms can't identify the terminals.")
        )
        return (
            None,
            None,
            [
                Finding(
                    code="TERMINALS_UNKNOWN",
                    verdict="unknown",
                    text=text,
                    rule="field practice: windings",
                    inputs={name: (value if value is not None else "open") for name, value in net.items()},
                    next_step=msg(
                        "Read the terminal cover or the unit's diagram; a hot shell is cooled first."
                    ),
                )
            ],
        )
    highest = max(closed, key=closed.__getitem__)
    common = ({"a", "b", "c"} - set(highest)).pop()
    others = sorted((n for n in closed if n != highest), key=closed.__getitem__)
    low, high = others
    start = (set(high) - {common}).pop()
    run = (set(low) - {common}).pop()
    findings: list[Finding] = []
    gap = limits.winding_tell_pct / 100
    close = (
        closed[high] - closed[low] <= gap * closed[high]
        or closed[highest] - closed[high] <= gap * closed[highest]
    )
    if close:
        findings.append(
            Finding(
                code="TERMINALS_TOO_CLOSE",
                verdict="watch",
                text=msg("Two of the three pairs read nearly alike; the names are a guess."),
                rule=limits.rule("winding_tell_pct"),
                inputs=dict(closed),
                next_step=msg("Confirm with the terminal cover or the unit's diagram."),
            )
        )
    names: dict[str, Terminal] = {common: "common", start: "start", run: "run"}
    findings.append(
        Finding(
            code="TERMINALS_NAMED",
            verdict="note",
            text=msg(
                "The highest pair, {upper}, leaves out common: {upper_2} is C, {upper_3} is S, "
                "{upper_4} is R.",
                upper=highest.upper(),
                upper_2=common.upper(),
                upper_3=start.upper(),
                upper_4=run.upper(),
            ),
            rule="field practice: windings",
            inputs=dict(closed),
            arithmetic=joined((f"{name} {closed[name]:g} Ω" for name in (highest, high, low)), " > "),
        )
    )
    return dict(sorted(names.items())), (closed[high], closed[low], closed[highest]), findings


_OPEN: dict[tuple[bool, bool, bool], tuple[WindingVerdict, str, str]] = {
    (True, False, True): (
        "start_open",
        msg("Common–start and start–run are open, common–run reads: the start winding is open."),
        msg("Measure again cold, at the terminals' own pins, before it is condemned."),
    ),
    (False, True, True): (
        "run_open",
        msg("Common–run and start–run are open, common–start reads: the run winding is open."),
        msg("Measure again cold, at the terminals' own pins, before it is condemned."),
    ),
    (True, True, True): (
        "all_open",
        msg("All three are open: leads off, or both windings or the overload open."),
        msg("Measure at the other end of the leads, then again cold."),
    ),
}


def _single_phase(
    cs: Value, cr: Value, sr: Value, reading: Windings, limits: Standards
) -> tuple[WindingVerdict, list[Finding]]:
    seen = {
        name: (round(v, 4) if v is not None else "open")
        for name, v in (("cs_ohm", cs), ("cr_ohm", cr), ("sr_ohm", sr))
    }
    pattern = (cs is None, cr is None, sr is None)

    def made(code: str, verdict: Verdict, text: str, step: str | None, **more: str) -> Finding:
        return Finding(
            code=code,
            verdict=verdict,
            text=text,
            rule=more.get("rule", msg("field practice: open-pattern table")),
            inputs=dict(seen),
            arithmetic=more.get("arithmetic"),
            next_step=step,
        )

    if pattern == (True, True, False):
        if reading.hot:
            text = msg(
                "Open from C to R and S, R–S reads, shell hot: internal overload open. Hot, not failed."
            )
            step = msg("Power off, let it cool, measure again. Never condemn a hot compressor.")
        elif reading.hot is None:
            text = msg("Common is open to both while start–run reads: an open overload if it is hot.")
            step = msg("Feel the shell. Hot: cool it and retest. Cold: look at the common lead and terminal.")
        else:
            text = msg(
                "Common is open to both and the shell is cold: common's lead or terminal is burnt off."
            )
            step = msg("Look at the common lead and its terminal first, power off.")
        return "overload_open", [made("OVERLOAD_OPEN", "watch", text, step)]
    if pattern in _OPEN:
        code, text, step = _OPEN[pattern]
        return code, [made(code.upper(), "unknown" if code == "all_open" else "fail", text, step)]
    if cs is None or cr is None or sr is None:
        return "not_additive", [
            made(
                "CONTRADICTION",
                "unknown",
                msg("One pair is open while the two that share its ends read: that cannot be."),
                msg("Clean the pins, press the probes on, and measure all three again."),
            )
        ]
    total = cs + cr
    tolerance = max(limits.winding_sum_ohm, limits.winding_sum_pct / 100 * total)
    working = msg(
        "{cs:.4g} + {cr:.4g} = {total:.4g} Ω against {sr:.4g} Ω (allowed ±{tolerance:.2g} Ω)",
        cs=cs,
        cr=cr,
        total=total,
        sr=sr,
        tolerance=tolerance,
    )
    if abs(sr - total) > tolerance + 1e-9:
        return "not_additive", [
            made(
                "NOT_ADDITIVE",
                "unknown",
                msg(
                    "Start–run is not the sum of the other two: poor contact, a parallel path, or "
                    "S touching R."
                ),
                msg("Lift every lead, clean the pins, remake the contacts and measure again."),
                rule=limits.rule("winding_sum_ohm"),
                arithmetic=working,
            )
        ]
    short = _against_reference({"cs_ohm": cs, "cr_ohm": cr, "sr_ohm": sr}, reading, limits)
    if short is not None:
        return "turn_short", [short]
    findings = [
        made(
            "SOUND",
            "pass",
            msg("R–S equals the sum of the other two: windings good."),
            None,
            rule=limits.rule("winding_sum_ohm"),
            arithmetic=working,
        )
    ]
    if cs < cr:
        findings.append(
            made(
                "START_BELOW_RUN",
                "watch",
                msg("Start reads less than run; it is usually the higher one. Are S and R swapped?"),
                msg("Check the names of the terminals."),
                rule="field practice: windings",
            )
        )
    if reading.reference is None:
        findings.append(
            made(
                "NO_REFERENCE",
                "note",
                msg(
                    "A turn-to-turn short keeps this sum true; it shows only against the maker's "
                    "figure or an earlier visit."
                ),
                None,
                rule="field practice: windings",
            )
        )
    return "sound", findings


def _against_reference(now: dict[str, float], reading: Windings, limits: Standards) -> Finding | None:
    if reading.reference is None:
        return None
    then_f, now_f = reading.reference.winding_f, reading.winding_f
    known = then_f is not None and now_f is not None
    factor = 1 + COPPER_PER_KELVIN * ((now_f or 0) - (then_f or 0)) / 1.8 if known else 1.0
    allowed = limits.turn_short_pct if known else limits.turn_short_cold_pct
    for name, value in now.items():
        reference = getattr(reading.reference, name)
        if reference is None or reference == 0:
            continue
        expected = reference * factor
        low_pct = 100 * (expected - value) / expected
        if low_pct > allowed:
            return Finding(
                code="TURN_SHORT",
                verdict="fail",
                text=msg(
                    "{upper} reads {low_pct:.0f} % below its reference",
                    upper=name.removesuffix("_ohm").upper(),
                    low_pct=low_pct,
                )
                + (msg(" at this temperature") if known else msg("; temperatures were not both noted"))
                + msg(": turns are shorted."),
                rule=limits.rule("turn_short_pct" if known else "turn_short_cold_pct"),
                inputs=dict(
                    inputs(reading_ohm=round(value, 4), reference_ohm=reference, then_f=then_f, now_f=now_f)
                ),
                arithmetic=f"{reference:g} Ω × {factor:.3f} = {expected:.4g} Ω; "
                f"({expected:.4g} − {value:.4g}) ÷ {expected:.4g} = {low_pct:.1f} % > {allowed:g} %",
                next_step=msg("Clean the terminals and remeasure with another meter before you trust it."),
            )
    return None


def _three_phase(
    ab: Value, bc: Value, ca: Value, reading: Windings, limits: Standards
) -> tuple[WindingVerdict, list[Finding]]:
    values = {"ab": ab, "bc": bc, "ca": ca}
    closed = [v for v in values.values() if v is not None]
    seen = {n: (round(v, 4) if v is not None else "open") for n, v in values.items()}
    if not closed:
        hot = reading.hot
        return ("overload_open" if hot else "all_open"), [
            Finding(
                code="OVERLOAD_OPEN" if hot else "ALL_OPEN",
                verdict="watch" if hot else "unknown",
                text=msg("All three open and hot: the star-point protector is open. Hot, not dead.")
                if hot
                else msg("All three open: leads off, or the star-point protector open."),
                rule="field practice: windings",
                inputs=dict(seen),
                next_step=msg("Let it cool, then measure again.")
                if hot
                else msg("Measure at the other end of the leads; feel the shell."),
            )
        ]
    if len(closed) < 3:
        return "run_open", [
            Finding(
                code="PHASE_OPEN",
                verdict="fail",
                text=msg("One phase is open."),
                rule="field practice: windings",
                inputs=dict(seen),
                next_step=msg("Measure again cold, at the pins themselves."),
            )
        ]
    mean = sum(closed) / 3
    worst_pct = max(abs(v - mean) for v in closed) / mean * 100 if mean else 0.0
    allowed = limits.winding_phase_pct
    short = _against_reference(
        dict(zip(("cs_ohm", "cr_ohm", "sr_ohm"), closed, strict=True)), reading, limits
    )
    if short is not None:
        return "turn_short", [short]
    good = worst_pct <= allowed
    return ("sound" if good else "unequal"), [
        Finding(
            code="PHASES_EQUAL" if good else "PHASES_UNEQUAL",
            verdict="pass" if good else "fail",
            text=msg("The three phases read alike.") if good else msg("The three phases do not read alike."),
            rule=limits.rule("winding_phase_pct"),
            inputs=dict(seen),
            arithmetic=msg(
                "mean {mean}; worst {worst_pct:.1f} % off (allowed {allowed:g} %)",
                mean=say(mean, "Ω"),
                worst_pct=worst_pct,
                allowed=allowed,
            ),
            next_step=None if good else msg("Clean the pins and measure again; then compare with the maker."),
        )
    ]
