"""Rung 2: the plate."""

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung


def plate_rung(call: JudgedCall) -> Rung:
    """Say whether the plate is read, and whether its numbers agree."""
    facts, result = call.facts, call.plate
    if call.plate_trouble is not None:
        return Rung(
            key="plate",
            number=2,
            title="Nameplate",
            status="ready",
            danger="none",
            contacts=[Contact(word="Nameplate saved", closed=False, why=call.plate_trouble.text)],
            load="Cannot be judged",
            verdict="unknown",
            next_step="Reread the nameplate and save it.",
        )
    if facts.plate is None or result is None:
        return Rung(
            key="plate",
            number=2,
            title="Nameplate",
            status="ready",
            danger="none",
            contacts=[Contact(word="Nameplate saved", closed=False, why="Enter the nameplate")],
            load="Not read yet",
            verdict="unknown",
            next_step="Read the plate.",
        )
    plate, first = facts.plate, facts.plate.compressors[0]
    amps = f"RLA {first.rla_a:g}" + (f" · LRA {first.lra_a:g}" if first.lra_a else "") + " A"
    doubts = len({s.field for s in result.suspects})
    settled = doubts == 0
    return Rung(
        key="plate",
        number=2,
        title="Nameplate",
        status="energized" if settled else "ready",
        danger="none",
        contacts=[
            Contact(word="Nameplate saved", closed=True, why="The plate is on the record"),
            Contact(
                word="No typos", closed=settled, why="Numbers agree with each other, or you confirmed them"
            ),
        ],
        load=f"{plate.volts:g} V · {plate.phase} ph · {amps}",
        verdict=result.verdict if settled else "watch",
        next_step=None if settled else f"Recheck {doubts} nameplate number{('s' if doubts > 1 else '')}.",
    )
