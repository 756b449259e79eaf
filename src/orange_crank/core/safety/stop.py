"""A stop: something that forbids work until it is put right, and what lifts it."""

from collections.abc import Iterable
from typing import Any, Literal

from pydantic import AwareDatetime, Field

from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Finding, Frozen

StopScope = Literal["live", "all"]
StopCode = Literal[
    "STOP_LIVE",
    "STRAY_VOLTAGE",
    "UNKNOWN_FEED",
    "WATER",
    "OPEN_NEUTRAL",
    "TERMINAL_DAMAGE",
    "GROUNDED",
    "VACUUM",
    "SHORT_CURRENT",
    "REPEATED_TRIPS",
    "PHASE_LOST",
    "LEGS_SHORTED",
    "WELDED_POLE",
    "FUSE_BLOWN",
    "MISWIRED",
    "OVERVOLTAGE",
]


class WorkStop(Frozen):
    """Something that stops the work; it outranks every cause, every rung and every next step."""

    code: StopCode
    text: Prose
    next_step: Prose
    scope: StopScope = Field(
        default="live", description="live: nothing is energized or taken live; all: no hands in either"
    )
    key: str = Field(default="", description="Which record it comes from; what lifts it names it")
    source: Prose = Field(default="", description="The record it stands on, in words")
    since: AwareDatetime | None = None
    may_lift: bool = Field(default=False, description="Whether a written reason lifts it now")
    lifted_by: Prose = Field(default="", description="What lifts it")
    finding: Finding | None = Field(default=None, description="The finding that stops")


# Gravest first: text, what to do, and whether hands stay out altogether.
_STOPS: dict[StopCode, tuple[str, str, StopScope]] = {
    "STOP_LIVE": (
        msg("A point that should be dead is live."),
        msg("Hands out. Find the second source, open and lock it, then prove dead again."),
        "all",
    ),
    "STRAY_VOLTAGE": (
        msg("A point that should be dead shows stray voltage."),
        msg("Retest in low-Z mode. Stop until you know where it comes from."),
        "all",
    ),
    "UNKNOWN_FEED": (
        msg("Unidentified wire."),
        msg("Note it and cap it. Find its source before you touch anything else."),
        "all",
    ),
    "WATER": (
        msg("Rain or standing water at the panel stops the work."),
        msg("Get it dry and covered first."),
        "all",
    ),
    "OPEN_NEUTRAL": (
        msg("One leg drops while the other rises: open or loose neutral."),
        msg("Hands out. Call the utility or an electrician now. 120 V equipment in the house is at risk."),
        "all",
    ),
    "TERMINAL_DAMAGE": (
        msg("A compressor terminal is damaged: it can vent violently under pressure."),
        msg("Cover on, stand clear, do not energize. Recover the charge before it is touched."),
        "all",
    ),
    "GROUNDED": (
        msg("Something on the load side is shorted to ground. Don't reset. Don't start it."),
        (msg("Power off. Isolate one part at a time: fan, compressor leads, heater, capacitor, wiring.")),
        "live",
    ),
    "VACUUM": (
        msg("Suction is below 0 psig: the compressor is in a vacuum."),
        (msg("Shut it off. Don't start it and don't meg it in a vacuum. Find the restriction or leak.")),
        "live",
    ),
    "SHORT_CURRENT": (
        msg("It drew far more than locked-rotor amps: a short, or the LRA entered is wrong."),
        (
            msg(
                "Power off. Test to ground, then leg to leg with the compressor leads off, "
                "before you energize it."
            )
        ),
        "live",
    ),
    "REPEATED_TRIPS": (
        msg("It keeps tripping and no ground test is entered."),
        msg("No more resets. Power off, test to ground first."),
        "live",
    ),
    "PHASE_LOST": (
        msg("One of the three phases is lost: no further start."),
        msg("Power off. Find the open fuse, lug, contactor pole or utility phase."),
        "live",
    ),
    "LEGS_SHORTED": (
        msg("The legs are shorted to each other. No reset, no start."),
        msg("Power off. Find it one part at a time: contactor, capacitor leads, whip, compressor leads."),
        "live",
    ),
    "OVERVOLTAGE": (
        msg("Line volts are far above the nameplate: the wrong supply, or an open neutral."),
        msg("Power off. Check supply, transformer taps and neutral before it is energized again."),
        "live",
    ),
    "WELDED_POLE": (
        msg("A contactor pole is welded: the unit does not switch off."),
        msg("Power off at the disconnect. Replace the contactor before anything is energized."),
        "live",
    ),
    "FUSE_BLOWN": (
        msg("A line fuse is blown: something drew far too much. No new fuse yet."),
        msg("Power off. Ground test first, then leg to leg."),
        "live",
    ),
    "MISWIRED": (
        msg("It is wired wrong. No start until the wiring is right."),
        msg("Power off. Rewire it by the drawing, then check it again."),
        "live",
    ),
}
# For the customer: what it means and what happens now, in plain words.
_PLAIN = {
    "STOP_LIVE": msg(
        "A second electrical feed was found. It is switched off and locked before anyone goes on."
    ),
    "STRAY_VOLTAGE": msg(
        "Electricity was found where there should be none. It is explained before work goes on."
    ),
    "UNKNOWN_FEED": msg(
        "There is a wire here whose other end nobody knows. It is traced before work goes on."
    ),
    "WATER": msg("It is too wet to work safely on electrical parts. We go on when it is dry."),
    "OPEN_NEUTRAL": msg(
        "A connection of the house's own supply is loose. That is urgent: the utility "
        "or an electrician has to see to it first."
    ),
    "TERMINAL_DAMAGE": msg("A terminal of the compressor is damaged. It stays off until it is made safe."),
    "GROUNDED": msg("Part of the machine's wiring touches metal. It stays off until that part is replaced."),
    "VACUUM": msg("The machine has lost refrigerant or is blocked. It stays off until that is found."),
    "SHORT_CURRENT": msg("Far more current flowed than this motor can take. It stays off until we know why."),
    "REPEATED_TRIPS": msg("The breaker has tripped again and again. It stays off until we know why."),
    "PHASE_LOST": msg("One of the three supply lines is missing. The motor stays off until it is back."),
    "LEGS_SHORTED": msg(
        "There is a short circuit in the machine's wiring. It stays off until it is repaired."
    ),
    "OVERVOLTAGE": msg(
        "The supply voltage is far too high for this machine. It stays off until that is fixed."
    ),
    "WELDED_POLE": msg("A switch in the machine is stuck on. It stays off until the switch is replaced."),
    "FUSE_BLOWN": msg("A fuse has blown. The machine stays off until we know why."),
    "MISWIRED": msg("The machine is wired wrong. It stays off until the wiring is right."),
}
HAZARD_STOPS: dict[str, StopCode] = {
    "unknown_feed": "UNKNOWN_FEED",
    "water": "WATER",
    "terminal_damage": "TERMINAL_DAMAGE",
    "repeated_trips": "REPEATED_TRIPS",
}
# What a finding's code is a stop of, where the codes differ.
_OF_FINDING = {
    "STOP_WET": "WATER",
    "TO_GROUND": "GROUNDED",
    "STILL_LOOKING": "GROUNDED",
    "NOT_FOUND": "GROUNDED",
}
GRAVEST_FIRST: tuple[StopCode, ...] = tuple(_STOPS)


def work_stop(code: StopCode, **more: Any) -> WorkStop:
    """Return a stop by its code, in its words."""
    text, step, scope = _STOPS[code]
    return WorkStop.model_validate({"code": code, "text": text, "next_step": step, "scope": scope} | more)


def stop_of_finding(finding: Finding, **more: Any) -> WorkStop:
    """Return the stop that a finding is, in the finding's own words."""
    code = "GROUNDED" if finding.code.startswith("SHORTED_") else _OF_FINDING.get(finding.code, finding.code)
    known = {"text": finding.text, "finding": finding}
    if finding.next_step:
        known["next_step"] = finding.next_step
    return work_stop(code, **(known | more))  # type: ignore[arg-type]


def plain_words(stop: WorkStop) -> str:
    """Return a stop as a customer is told of it."""
    return _PLAIN[stop.code]


def gravest_first(stops: Iterable[WorkStop]) -> list[WorkStop]:
    """Order stops by how grave they are; of one kind the oldest leads."""
    return sorted(stops, key=lambda s: GRAVEST_FIRST.index(s.code))
