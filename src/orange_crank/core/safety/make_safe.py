"""The make-safe record: a gate, not a notice.

Eight things in order, from control off to every capacitor measured. The record proves the unit dead
only when each is there and every voltage is below the limit.
"""

from typing import Annotated, Literal

from pydantic import Field

from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import (
    Finding,
    Flag,
    Frozen,
    Microfarads,
    Ohms,
    Sentence,
    Verdict,
    Volts,
    Word,
    ZeroOrMoreVolts,
    say,
    worst,
)
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import Standards, shipped_standards

SupplyKind = Literal["single_phase_two_leg", "single_phase_one_leg", "three_phase"]
Section = Literal["c_herm", "c_fan", "start", "dc_bus"]
MakeSafeStatus = Literal["proved", "incomplete", "retest", "stop"]

PAIRS: dict[SupplyKind, tuple[str, ...]] = {
    "single_phase_two_leg": ("L1-L2", "L1-G", "L2-G"),
    "single_phase_one_leg": ("L-N", "L-G", "N-G"),
    "three_phase": ("L1-L2", "L2-L3", "L1-L3", "L1-G", "L2-G", "L3-G"),
}

SECTION_WORDS: dict[Section, str] = {
    "c_herm": "C–HERM",
    "c_fan": "C–FAN",
    "start": msg("start capacitor"),
    "dc_bus": msg("DC bus"),
}
SUPPLY_WORDS: dict[SupplyKind, str] = {
    "single_phase_two_leg": msg("both legs (L1-L2, L1-G, L2-G)"),
    "single_phase_one_leg": msg("leg and neutral (L-N, L-G, N-G)"),
    "three_phase": msg("all six three-phase pairs"),
}
Reason = Annotated[str, Field(strict=True, min_length=3, max_length=400)]

OTHER_SOURCES = (
    msg("separate control circuit"),
    msg("crankcase heater"),
    "economizer",
    msg("second disconnect"),
    msg("backup source"),
)


class MeterProof(Frozen):
    """The meter shown to work on a source known to be live."""

    source: Word = Field(description="Known live source")
    expected_v: Volts = Field(description="What that source is known to be [V]")
    reading_v: ZeroOrMoreVolts = Field(description="What the meter showed [V]")


class OpenedPoint(Frozen):
    """A disconnect or breaker opened for this work."""

    device: Word
    locked: Flag
    tagged: Flag
    key_holder: Word | None = None


class DeadPoint(Frozen):
    """One pair of points measured for absence of voltage."""

    place: Literal["contactor_line", "contactor_load", "other"]
    pair: Word
    reading_v: ZeroOrMoreVolts
    low_impedance_v: ZeroOrMoreVolts | None = Field(
        default=None, description="Retest with a low-impedance meter [V]"
    )
    explained: Word | None = Field(default=None, description="What the stray voltage was")


class CapacitorDischarge(Frozen):
    """One capacitor section bled and measured."""

    section: Section
    capacitance_uf: Microfarads | None = None
    rated_v: Volts | None = None
    resistance_ohm: Ohms | None = Field(default=None, description="Bleed resistor used [Ω]")
    meter_on: Literal["dc", "ac"] = Field(description="Meter function used to measure what is left")
    after_v: ZeroOrMoreVolts = Field(description="Voltage left [V]")


class MakeSafe(Frozen):
    """The record as it is taken, in working order."""

    supply: SupplyKind = "single_phase_two_leg"
    dry: Flag | None = Field(default=None, description="No rain, no standing water at the panel")
    control_off: Flag = Field(default=False, description="Thermostat off or control call removed")
    source_identified: Word | None = Field(default=None, description="Which disconnect feeds this unit")
    other_sources: list[Word] | None = Field(
        default=None, max_length=20, description="Further sources found; an empty list means looked, none"
    )
    opened: list[OpenedPoint] = Field(default_factory=list, max_length=20)
    proof_before: MeterProof | None = None
    dead_points: list[DeadPoint] = Field(default_factory=list, max_length=100)
    largest_dead_v: ZeroOrMoreVolts | None = Field(
        default=None,
        description="Every pair of both sides measured: the largest of those not written down by pair [V]",
    )
    proof_after: MeterProof | None = None
    has_capacitors: Flag = Field(default=True, description="Whether the unit holds any capacitor")
    sections_present: list[Section] = Field(
        default_factory=list, max_length=4, description="Sections known to be there; each must be measured"
    )
    capacitors: list[CapacitorDischarge] = Field(default_factory=list, max_length=40)
    inverter: Flag = False
    less_reason: Reason | None = Field(
        default=None, description="Why less was measured than the nameplate implies"
    )
    note: Sentence | None = None


class MakeSafeOnPlate(MakeSafe):
    """A make-safe record with the nameplate of its unit."""

    plate: Plate | None = None


class MakeSafeResult(Frozen):
    """Whether the record proves the unit dead."""

    status: MakeSafeStatus
    verdict: Verdict
    missing: list[Prose] = Field(description="What is still to do: what stops first, then in working order")
    findings: list[Finding]


# Single-phase equipment up to here is fed by one leg and a neutral.
ONE_LEG_MOST_V = 150.0
# How much is measured of a supply: all three pairs of two wires and ground, or all six of three.
_SUPPLY_RANK: dict[SupplyKind, int] = {
    "single_phase_one_leg": 1,
    "single_phase_two_leg": 2,
    "three_phase": 3,
}


def supply_rank(supply: SupplyKind) -> int:
    """Return how much is measured of a supply; a higher one covers a lower one."""
    return _SUPPLY_RANK[supply]


def implied_supply(plate: Plate) -> SupplyKind:
    """Return the supply a nameplate implies."""
    if plate.phase == 3:
        return "three_phase"
    return "single_phase_one_leg" if plate.volts < ONE_LEG_MOST_V else "single_phase_two_leg"


def implied_sections(plate: Plate) -> list[Section]:
    """Return what a nameplate implies that holds a charge."""
    found: list[Section] = []
    if plate.run_cap_uf:
        found.append("c_herm")
    if plate.fan_cap_uf:
        found.append("c_fan")
    if plate.is_inverter:
        found.append("dc_bus")
    return found


def judge_on_plate(entry: MakeSafeOnPlate, standards: Standards | None = None) -> MakeSafeResult:
    """Judge a make-safe record that carries the nameplate of its unit."""
    return judge_make_safe(entry, standards, entry.plate)


def judge_make_safe(
    record: MakeSafe, standards: Standards | None = None, plate: Plate | None = None
) -> MakeSafeResult:
    """Judge a make-safe record.

    Parameters
    ----------
    record : as taken
    standards : the shop's limits (shipped ones when left out)
    plate : the unit's nameplate; less than it implies proves nothing without a reason, more is never wrong

    Returns
    -------
    MakeSafeResult : ``proved``; ``incomplete`` (something missing); ``retest`` (1–30 V, low-impedance
        meter); ``stop`` (rain, over 30 V, unexplained voltage)

    """
    limits = standards or shipped_standards()
    findings = [
        _weather(record),
        _yes(
            record.control_off,
            "CONTROL_OFF",
            msg("Call for cooling is off."),
            msg("Turn the thermostat off or pull the Y wire."),
        ),
        _sources(record),
        _opened(record),
        _meter(record.proof_before, "METER_PROVED_BEFORE", "before", limits),
        *_dead(record, limits),
        _meter(record.proof_after, "METER_PROVED_AFTER", "after", limits),
        *_discharged(record, limits),
        *_less_than_plate(record, plate),
    ]
    retest = any(f.code == "STRAY_VOLTAGE" for f in findings)
    stop = any(f.stops and f.code != "STRAY_VOLTAGE" for f in findings)
    # Danger outranks whatever else is still to do, through every door.
    open_ = sorted((f for f in findings if f.verdict in ("unknown", "fail")), key=lambda f: not f.stops)
    missing = [f.next_step or f.text for f in open_]
    status: MakeSafeStatus = "stop" if stop else "retest" if retest else "incomplete" if missing else "proved"
    return MakeSafeResult(
        status=status, verdict=worst([f.verdict for f in findings]), missing=missing, findings=findings
    )


_RULE = "make-safe record"


def _yes(done: bool, code: str, done_text: str, step: str) -> Finding:
    return Finding(
        code=code,
        verdict="pass" if done else "unknown",
        text=done_text if done else msg("Not yet done."),
        rule=_RULE,
        next_step=None if done else step,
    )


def _weather(record: MakeSafe) -> Finding:
    if record.dry is None:
        return Finding(
            code="DRY",
            verdict="unknown",
            text=msg("Is the panel area dry?"),
            rule=_RULE,
            next_step=msg("Look for rain or standing water at the panel."),
        )
    if record.dry:
        return Finding(code="DRY", verdict="pass", text=msg("Dry at the panel."), rule=_RULE)
    return Finding(
        code="STOP_WET",
        verdict="fail",
        text=msg("Rain or standing water at the panel stops the work."),
        rule=_RULE,
        next_step=msg("Wait until it is dry, or cover it."),
        stops=True,
    )


def _sources(record: MakeSafe) -> Finding:
    if not record.source_identified or record.other_sources is None:
        return Finding(
            code="SOURCES_IDENTIFIED",
            verdict="unknown",
            text=msg("Which disconnect feeds this unit? Any other source?"),
            rule=_RULE,
            next_step=msg("Name the feeding disconnect and look for a second source: ")
            + joined(OTHER_SOURCES, ", "),
        )
    others = joined(record.other_sources, ", ")
    return Finding(
        code="SOURCES_IDENTIFIED",
        verdict="pass",
        text=msg("Fed from {source_identified}.", source_identified=record.source_identified)
        + (msg(" Also: {others}.", others=others) if others else msg(" Checked for a second source: none.")),
        rule=_RULE,
        inputs={"other_sources": list(record.other_sources)},
    )


def _opened(record: MakeSafe) -> Finding:
    locked = [o for o in record.opened if o.locked and o.tagged and o.key_holder]
    wanted = 1 + len(record.other_sources or [])
    if record.opened and len(locked) == len(record.opened) and len(locked) >= wanted:
        names = joined(
            (msg("{device} (key: {key_holder})", device=o.device, key_holder=o.key_holder) for o in locked),
            ", ",
        )
        return Finding(
            code="LOCKED_AND_TAGGED",
            verdict="pass",
            text=msg("Locked and tagged: {names}.", names=names),
            rule=_RULE,
        )
    step = (
        msg("Open, lock and tag each source; write down who holds the key.")
        if len(locked) == len(record.opened)
        else msg("Lock, tag and name the key holder for every device opened.")
    )
    return Finding(
        code="LOCKED_AND_TAGGED",
        verdict="unknown",
        text=msg(
            "{locked} of {max} sources opened, locked and tagged.",
            locked=len(locked),
            max=max(wanted, len(record.opened)),
        ),
        rule=_RULE,
        inputs={"locked": len(locked), "sources": wanted},
        next_step=step,
    )


def _meter(proof: MeterProof | None, code: str, when: str, limits: Standards) -> Finding:
    if proof is None:
        return Finding(
            code=code,
            verdict="unknown",
            text=msg("Meter not checked on a live source {when} the dead test.", when=when),
            rule=_RULE,
            next_step=msg("Check the meter on a known live source {when} the dead test.", when=when),
        )
    off_pct = 100 * abs(proof.reading_v - proof.expected_v) / proof.expected_v
    good = off_pct <= limits.meter_proof_pct
    return Finding(
        code=code,
        verdict="pass" if good else "fail",
        text=msg(
            "Meter reads {reading_v:g} V on {source} ({expected_v:g} V).",
            reading_v=proof.reading_v,
            source=proof.source,
            expected_v=proof.expected_v,
        )
        if good
        else (
            msg(
                "Meter reads {reading_v:g} V on a {expected_v:g} V source. Don't trust this meter.",
                reading_v=proof.reading_v,
                expected_v=proof.expected_v,
            )
        ),
        rule=limits.rule("meter_proof_pct"),
        inputs={"reading_v": proof.reading_v, "expected_v": proof.expected_v},
        arithmetic=msg(
            "|{reading_v:g} − {expected_v:g}| ÷ {expected_v:g} = {off_pct:.0f} % (allowed "
            "{meter_proof_pct:g} %)",
            reading_v=proof.reading_v,
            expected_v=proof.expected_v,
            off_pct=off_pct,
            meter_proof_pct=limits.meter_proof_pct,
        ),
        next_step=None if good else msg("Use another meter or a known source. Then repeat the dead test."),
    )


def _dead(record: MakeSafe, limits: Standards) -> list[Finding]:
    limit, hard = limits.dead_limit_v, limits.dead_stop_v
    wanted = PAIRS[record.supply]
    found: list[Finding] = []
    for place, words in (("contactor_line", msg("line side")), ("contactor_load", msg("load side"))):
        taken = {_pair(p.pair) for p in record.dead_points if p.place == place}
        lacking = [pair for pair in wanted if _pair(pair) not in taken]
        if lacking and record.largest_dead_v is not None:
            found.append(
                Finding(
                    code=f"DEAD_{place.upper()}",
                    verdict="pass",
                    text=msg(
                        "Contactor {words}: all {wanted} pairs measured, at most {largest_dead_v:g} V.",
                        words=words,
                        wanted=len(wanted),
                        largest_dead_v=record.largest_dead_v,
                    ),
                    rule=_RULE,
                    inputs={"pairs": list(wanted), "largest_v": record.largest_dead_v},
                )
            )
        elif lacking:
            found.append(
                Finding(
                    code=f"DEAD_{place.upper()}",
                    verdict="unknown",
                    text=msg(
                        "Contactor {words}: {join} not measured.", words=words, join=joined(lacking, ", ")
                    ),
                    rule=_RULE,
                    inputs={"missing": list(lacking)},
                    next_step=msg(
                        "Measure {join} at the contactor {words}.", join=joined(lacking, ", "), words=words
                    ),
                )
            )
        else:
            found.append(
                Finding(
                    code=f"DEAD_{place.upper()}",
                    verdict="pass",
                    text=msg(
                        "Contactor {words}: all {wanted} pairs measured.", words=words, wanted=len(wanted)
                    ),
                    rule=_RULE,
                    inputs={"pairs": list(wanted)},
                )
            )
    found += _largest(record, limits)
    for point in record.dead_points:
        seen = {"place": point.place, "pair": point.pair, "reading_v": point.reading_v, "limit_v": limit}
        where = _point_words(point)
        if point.reading_v > hard:
            found.append(
                Finding(
                    code="STOP_LIVE",
                    verdict="fail",
                    text=msg(
                        "{where} reads {reading_v}: still live.",
                        where=where,
                        reading_v=say(point.reading_v, "V"),
                    ),
                    rule=limits.rule("dead_stop_v"),
                    inputs=dict(seen),
                    arithmetic=f"{point.reading_v:g} V > {hard:g} V",
                    next_step=msg(
                        "Hands out. Find the second source, open and lock it, then prove dead again."
                    ),
                    stops=True,
                )
            )
        elif point.reading_v >= limit:
            settled = point.low_impedance_v is not None and point.low_impedance_v < limit and point.explained
            if settled:
                found.append(
                    Finding(
                        code="STRAY_EXPLAINED",
                        verdict="watch",
                        text=msg(
                            "{where}: {reading_v}, {low_impedance_v:g} V in low-Z mode ({explained}).",
                            where=where,
                            reading_v=say(point.reading_v, "V"),
                            low_impedance_v=point.low_impedance_v,
                            explained=point.explained,
                        ),
                        rule=limits.rule("dead_limit_v"),
                        inputs=dict(seen),
                    )
                )
            else:
                found.append(
                    Finding(
                        code="STRAY_VOLTAGE",
                        verdict="fail",
                        text=msg(
                            "{where} reads {reading_v}: not dead.",
                            where=where,
                            reading_v=say(point.reading_v, "V"),
                        ),
                        rule=limits.rule("dead_limit_v"),
                        inputs=dict(seen),
                        arithmetic=f"{point.reading_v:g} V ≥ {limit:g} V",
                        next_step=msg("Retest in low-Z mode. Stop until you know where it comes from."),
                        stops=True,
                    )
                )
    return found


def _largest(record: MakeSafe, limits: Standards) -> list[Finding]:
    """Judge the largest reading over all pairs: one that is not dead has to be named by its pair."""
    largest = record.largest_dead_v
    if largest is None or largest < limits.dead_limit_v:
        return []
    seen = {"largest_v": largest, "limit_v": limits.dead_limit_v}
    if largest > limits.dead_stop_v:
        return [
            Finding(
                code="STOP_LIVE",
                verdict="fail",
                text=msg("One of the pairs reads {largest}: still live.", largest=say(largest, "V")),
                rule=limits.rule("dead_stop_v"),
                inputs=seen,
                arithmetic=f"{largest:g} V > {limits.dead_stop_v:g} V",
                next_step=msg("Hands out. Find the second source, open and lock it, then prove dead again."),
                stops=True,
            )
        ]
    return [
        Finding(
            code="STRAY_VOLTAGE",
            verdict="fail",
            text=msg("One of the pairs reads {largest}: not dead.", largest=say(largest, "V")),
            rule=limits.rule("dead_limit_v"),
            inputs=seen,
            arithmetic=f"{largest:g} V ≥ {limits.dead_limit_v:g} V",
            next_step=msg(
                "Enter it at its pair. Retest in low-Z mode. Stop until you know where it comes from."
            ),
            stops=True,
        )
    ]


_PLACES = {"contactor_line": msg("Line side"), "contactor_load": msg("Load side")}


def _point_words(point: DeadPoint) -> str:
    """Name a point as a technician says it: Load side L2 to ground."""
    one, _, two = point.pair.replace("–", "-").partition("-")
    ends = (
        msg("{one} to {two}", one=one, two="ground" if two.strip().upper() == "G" else two)
        if two
        else point.pair
    )
    place = _PLACES.get(point.place)
    return msg("{place} {ends}", place=place, ends=ends) if place else ends


def _pair(text: str) -> str:
    """Make L2–L1 the same pair as L1-L2."""
    ends = text.upper().replace("–", "-").replace(" ", "").split("-")
    return joined(sorted(ends), "-")


def _discharged(record: MakeSafe, limits: Standards) -> list[Finding]:
    limit = limits.dead_limit_v
    if not record.has_capacitors and not record.inverter:
        return [
            Finding(code="NO_CAPACITORS", verdict="pass", text=msg("No capacitor in this unit."), rule=_RULE)
        ]
    found: list[Finding] = []
    sections = {c.section for c in record.capacitors}
    if record.has_capacitors and not sections - {"dc_bus"}:
        found.append(
            Finding(
                code="CAPACITORS_DISCHARGED",
                verdict="unknown",
                text=msg("No capacitor is recorded as bled and measured."),
                rule=_RULE,
                next_step=msg("Bleed every section through the resistor, then measure each on DC volts."),
            )
        )
    if record.inverter and "dc_bus" not in sections:
        found.append(
            Finding(
                code="DC_BUS_DEAD",
                verdict="unknown",
                text=msg("The inverter's DC bus is not proved dead."),
                rule=_RULE,
                next_step=msg("Wait the marked time, then measure the DC bus."),
            )
        )
    names = SECTION_WORDS
    lacking = [names[s] for s in record.sections_present if s not in sections]
    if lacking and record.capacitors:
        found.append(
            Finding(
                code="CAPACITORS_DISCHARGED",
                verdict="unknown",
                text=msg("Not measured after bleeding: {join}.", join=joined(lacking, ", ")),
                rule=_RULE,
                inputs={"missing": list(lacking)},
                next_step=msg("Bleed and measure {join}.", join=joined(lacking, ", ")),
            )
        )
    for capacitor in record.capacitors:
        name = names[capacitor.section]
        seen = {"section": capacitor.section, "after_v": capacitor.after_v, "limit_v": limit}
        if capacitor.meter_on == "ac":
            verdict: Verdict = "fail"
            text = msg("{name}: measured on AC volts. AC does not show a stored charge.", name=name)
            step: str | None = msg("Measure again on DC volts.")
        elif capacitor.after_v >= limit:
            verdict, text = (
                "fail",
                msg("{name}: still {after_v:g} V on it.", name=name, after_v=capacitor.after_v),
            )
            step = msg(
                "Bleed it again through the resistor, then measure on DC volts. A meter does "
                "not discharge it."
            )
        else:
            verdict, text, step = (
                "pass",
                msg("{name}: {after_v:g} V DC after bleeding.", name=name, after_v=capacitor.after_v),
                None,
            )
        found.append(
            Finding(
                code="CAPACITORS_DISCHARGED",
                verdict=verdict,
                text=text,
                rule=limits.rule("dead_limit_v"),
                inputs=dict(seen),
                next_step=step,
            )
        )
    return found


def _less_than_plate(record: MakeSafe, plate: Plate | None) -> list[Finding]:
    """Compare what was measured with what the nameplate implies."""
    if plate is None:
        return []
    measured = {c.section for c in record.capacitors}
    lacking = [SECTION_WORDS[s] for s in implied_sections(plate) if s not in measured]
    supply = implied_supply(plate)
    if _SUPPLY_RANK[record.supply] < _SUPPLY_RANK[supply]:
        lacking.insert(0, SUPPLY_WORDS[supply])
    if not lacking:
        return []
    what = joined(lacking, ", ")
    if record.less_reason is None:
        return [
            Finding(
                code="LESS_THAN_PLATE",
                verdict="unknown",
                text=msg("The nameplate shows more than was measured: {what}.", what=what),
                rule=_RULE,
                inputs={"missing": list(lacking)},
                next_step=msg("Measure {what}, or enter why the nameplate does not apply here.", what=what),
            )
        ]
    return [
        Finding(
            code="LESS_THAN_PLATE",
            verdict="watch",
            text=msg(
                "Not measured though the nameplate shows it: {what}. Reason: {less_reason}",
                what=what,
                less_reason=record.less_reason,
            ),
            rule=_RULE,
            inputs={"missing": list(lacking), "reason": record.less_reason},
        )
    ]
