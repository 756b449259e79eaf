"""The answer first: what to put in, or what is wrong, in at most six lines."""

from pydantic import Field

from orange_crank.core.circuit.entry import CircuitIn
from orange_crank.core.circuit.one_line import STATION_OF, TITLES, Station, colors
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, worst

MOST_LINES = 6
# The drop has its own line; what is wrong with the plate is wrong with every part sized from it.
_DROP = ("VOLTAGE_DROP", "START_DROP", "ENLARGED_FOR_DROP")
_PLATE = ("PLATE_SUSPECT", "MCA_DIFFERS", "MOCP_BELOW_MCA", "MOCP_ABOVE_RULE", "RATING_OTHER_VOLTS")
_SIZED = ("device", "conductor", "ground", "disconnect")


class AnswerLine(Frozen):
    """One line of the answer."""

    part: Prose = Field(description="device, conductor, ground, raceway, disconnect, drop …")
    label: Prose
    text: Prose
    verdict: Verdict = Field(description="The gravest of what is said of that part")


def answer_lines(sizes: dict[Station, str], entry: CircuitIn, findings: list[Finding]) -> list[AnswerLine]:
    """Return device, conductor by color, ground, raceway, disconnect and drop."""
    by: dict[str, list[Verdict]] = {}
    for f in findings:
        if f.code in _PLATE and f.verdict == "fail":
            for part in _SIZED:
                by.setdefault(part, []).append("fail")
        elif f.verdict != "note" and f.code not in _DROP:
            by.setdefault(STATION_OF.get(f.code, "unit"), []).append(f.verdict)
    hots = joined(colors(entry), ", ")
    lines = []
    for part in ("device", "conductor", "ground", "raceway", "disconnect"):
        if part in sizes:
            text = sizes[part] + (f": {hots}" if part == "conductor" else "")
            if part == "ground" and entry.ground_by != "raceway":
                text += msg(", green or bare")
            lines.append(
                AnswerLine(part=part, label=TITLES[part], text=text, verdict=worst(by.get(part, ["pass"])))
            )
    drops = [f for code in ("VOLTAGE_DROP", "START_DROP") for f in findings if f.code == code]
    if drops:
        said: list[Verdict] = [f.verdict for f in drops if f.verdict != "note"]
        text = joined((f.text for f in drops), " ")
        lines.append(AnswerLine(part="drop", label=msg("Voltage drop"), text=text, verdict=worst(said)))
    return lines[:MOST_LINES]
