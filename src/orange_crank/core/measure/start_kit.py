"""A fitted start kit identified and tested dead; small refrigeration's relay and overload likewise."""

from typing import Literal

from pydantic import Field

from orange_crank.core.measure.capacitor import Capacitor, judge_capacitor
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import (
    Finding,
    Frozen,
    Microfarads,
    Ohms,
    Verdict,
    ZeroOrMoreOhms,
    worst,
)
from orange_crank.core.tables.standards import Standards, shipped_standards

KitKind = Literal[
    "ptc", "potential_relay", "electronic", "current_relay", "three_in_one", "external_overload"
]
OhmsReading = ZeroOrMoreOhms | Literal["open"]


class StartKit(Frozen):
    """What was found on the unit, power off, kit lifted from circuit."""

    kind: KitKind
    leads: Literal[2, 3] | None = Field(default=None, description="How many leads it has")
    ptc_ohm: OhmsReading | None = Field(default=None, description="Thermistor, cold [Ω]")
    contact_ohm: OhmsReading | None = Field(
        default=None, description="Potential relay 1–2, at rest (closed); current relay upright, at rest [Ω]"
    )
    coil_ohm: OhmsReading | None = Field(
        default=None, description="Potential relay 5–2; current relay coil [Ω]"
    )
    overload_ohm: OhmsReading | None = Field(default=None, description="External overload, cold [Ω]")
    start_cap_uf: Microfarads | None = None
    range_low_uf: Microfarads | None = None
    range_high_uf: Microfarads | None = None
    bleeder_ohm: OhmsReading | None = Field(default=None, description="Bleed resistor [Ω]")
    bleeder_rated_ohm: Ohms = Field(default=15_000.0, description="Its marking [Ω]")


class StartKitResult(Frozen):
    """Whether the kit works."""

    verdict: Verdict
    findings: list[Finding]


def judge_start_kit(kit: StartKit, standards: Standards | None = None) -> StartKitResult:
    """Judge a fitted start kit from its dead readings.

    Notes
    -----
    An electronic kit's switch cannot be proved with an ohmmeter: it is bypassed and the start compared.
    A current relay is open at rest; a potential relay is closed at rest.

    """
    limits = standards or shipped_standards()
    findings: list[Finding] = []

    def add(code: str, good: bool, text: str, rule: str, value: OhmsReading, step: str) -> None:
        findings.append(
            Finding(
                code=code,
                verdict="pass" if good else "fail",
                text=text,
                rule=rule,
                inputs={"reading_ohm": value},
                next_step=None if good else step,
            )
        )

    replace = msg("Replace the kit, or bypass it and retry before the compressor is blamed.")
    if kit.ptc_ohm is not None:
        low, high = limits.ptc_low_ohm, limits.ptc_high_ohm
        good = kit.ptc_ohm != "open" and low <= float(kit.ptc_ohm) <= high
        text = msg("Thermistor cold: usual is {low:g} to {high:g} Ω.", low=low, high=high) + (
            "" if good else msg(" Cool it; then it is out.")
        )
        add("PTC_COLD", good, text, limits.rule("ptc_low_ohm"), kit.ptc_ohm, replace)
    if kit.contact_ohm is not None:
        closed = kit.contact_ohm != "open" and float(kit.contact_ohm) <= limits.relay_contact_ohm
        if kit.kind == "current_relay":
            good = kit.contact_ohm == "open"
            text = (
                msg("Open at rest, as a current relay is.")
                if good
                else msg("Closed at rest: welded, or held upside down.")
            )
        else:
            good = closed
            text = (
                msg("Contact 1–2 closed at rest.")
                if good
                else msg("Contact 1–2 is open with power off: the start capacitor never gets in.")
            )
        add("RELAY_CONTACT", good, text, limits.rule("relay_contact_ohm"), kit.contact_ohm, replace)
    if kit.coil_ohm is not None:
        if kit.kind == "current_relay":
            good = kit.coil_ohm != "open" and float(kit.coil_ohm) <= 2
            text = (
                msg("Current-relay coil: near zero ohms, normal.")
                if good
                else msg("Current coil open or burnt.")
            )
        else:
            low, high = limits.relay_coil_low_ohm, limits.relay_coil_high_ohm
            good = kit.coil_ohm != "open" and low <= float(kit.coil_ohm) <= high
            text = (
                msg("Coil 5–2 lies in the kilohms.")
                if good
                else msg("Coil 5–2 is open or shorted: the relay never drops the capacitor out.")
            )
        add("RELAY_COIL", good, text, limits.rule("relay_coil_low_ohm"), kit.coil_ohm, replace)
    if kit.overload_ohm is not None:
        good = kit.overload_ohm != "open" and float(kit.overload_ohm) <= 1
        text = (
            msg("External overload closed.")
            if good
            else msg("External overload open: cool it, then it is out.")
        )
        add(
            "OVERLOAD",
            good,
            text,
            msg("field practice: start kit"),
            kit.overload_ohm,
            msg("Let it cool and measure again."),
        )
    if kit.bleeder_ohm is not None:
        rated, share = kit.bleeder_rated_ohm, limits.bleeder_pct
        good = kit.bleeder_ohm != "open" and abs(float(kit.bleeder_ohm) - rated) <= rated * share / 100
        text = (
            msg("Bleed resistor holds.")
            if good
            else msg("Bleed resistor is out: the capacitor can keep its charge. Treat it as charged.")
        )
        add(
            "BLEEDER",
            good,
            text,
            limits.rule("bleeder_pct"),
            kit.bleeder_ohm,
            msg("Fit a new 15 kΩ 2 W resistor."),
        )
    if kit.start_cap_uf is not None and kit.range_low_uf is not None and kit.range_high_uf is not None:
        findings += judge_capacitor(
            Capacitor(
                range_low_uf=kit.range_low_uf, range_high_uf=kit.range_high_uf, measured_uf=kit.start_cap_uf
            ),
            limits,
        ).findings[:1]
    if kit.kind == "electronic":
        findings.append(
            Finding(
                code="ELECTRONIC_UNPROVED",
                verdict="unknown",
                text=msg("You can't test an electronic kit with an ohmmeter."),
                rule="field practice: start kit",
                next_step=msg("Bypass the kit, retry, and compare the starts."),
            )
        )
    if not findings:
        findings.append(
            Finding(
                code="NOTHING_MEASURED",
                verdict="unknown",
                text=msg("The kit is named but not tested."),
                rule="field practice: start kit",
                next_step=msg("Power off, disconnect the kit, and measure contact, coil and capacitor."),
            )
        )
    return StartKitResult(verdict=worst([f.verdict for f in findings]), findings=findings)
