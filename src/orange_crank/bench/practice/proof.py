"""What proves a unit dead, and what of it is missing."""

from collections.abc import Sequence

from orange_crank.bench.practice.acts import Section
from orange_crank.bench.practice.happened import Looked
from orange_crank.bench.practice.probes import Pair, pair

SECTIONS: dict[Pair, Section] = {
    pair("run_cap.C", "run_cap.HERM"): "c_herm",
    pair("run_cap.C", "run_cap.FAN"): "c_fan",
}
_SECTION_WORDS = {"c_herm": "C to HERM", "c_fan": "C to FAN"}
_KNOWN = pair("known.L", "known.N")
_AC = ("volts", "volts_low_z")


def word(terminal: str) -> str:
    """Return what a terminal is called on the part.

    >>> word("contactor.L1")
    'L1'
    """
    part, _, pin = terminal.partition(".")
    return pin or part


def missing_proof(
    looked: Sequence[Looked],
    *,
    opened_act: int,
    now: int,
    powered: bool,
    calls: bool,
    locked: bool,
    bled: bool,
) -> list[str]:
    """Return what of the proof that a unit is dead has not been done since it was opened, in working order.

    Parameters
    ----------
    looked : measurements of volts, in their order
    opened_act, now : the act it was opened by, 0 where it was not; and the present one
    powered, calls, locked : how its switches stand
    bled : whether the capacitors count as well

    """
    since = [k for k in looked if k.act > opened_act]
    found = []
    if powered:
        found.append("the disconnect pulled")
    if calls:
        found.append("the thermostat off")
    if not locked:
        found.append("the disconnect locked and tagged")
    volts = [k for k in looked if k.mode in _AC]
    dead = [k for k in since if k.mode in _AC and any("contactor" in t for t in k.at)]
    first = dead[0].act if dead else now
    if not any(k.at == _KNOWN and k.act < first for k in volts):
        found.append("the meter proved on a known live source before")
    for side in ("L", "T"):
        one, two = f"contactor.{side}1", f"contactor.{side}2"
        for wanted in (pair(one, two), pair(one, "ground"), pair(two, "ground")):
            if not any(k.at == wanted for k in dead):
                found.append(f"{' to '.join(word(t) for t in sorted(wanted))} measured")
    if dead and not any(k.at == _KNOWN and k.act > dead[-1].act for k in volts):
        found.append("the meter proved again after")
    if bled and opened_act:
        for at, section in SECTIONS.items():
            if not any(k.mode == "volts_dc" and k.at == at for k in since):
                found.append(f"{_SECTION_WORDS[section]} measured on DC volts")
    return found
