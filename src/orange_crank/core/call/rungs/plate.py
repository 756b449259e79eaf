"""Rung 2: the plate."""

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.messages import msg


def plate_rung(call: JudgedCall) -> Rung:
    """Say whether the plate is read, and whether its numbers agree."""
    facts, result = call.facts, call.plate
    if call.plate_trouble is not None:
        return Rung(
            key="plate",
            number=2,
            title=msg("Nameplate"),
            status="ready",
            danger="none",
            contacts=[Contact(word=msg("Nameplate saved"), closed=False, why=call.plate_trouble.text)],
            load=msg("Cannot be judged"),
            verdict="unknown",
            next_step=msg("Reread the nameplate and save it."),
        )
    if facts.plate is None or result is None:
        return Rung(
            key="plate",
            number=2,
            title=msg("Nameplate"),
            status="ready",
            danger="none",
            contacts=[Contact(word=msg("Nameplate saved"), closed=False, why=msg("Enter the nameplate"))],
            load=msg("Not read yet"),
            verdict="unknown",
            next_step=msg("Read the nameplate."),
        )
    plate, first = facts.plate, facts.plate.compressors[0]
    amps = (
        msg("RLA {rla_a:g}", rla_a=first.rla_a)
        + (msg(" · LRA {lra_a:g}", lra_a=first.lra_a) if first.lra_a else "")
        + " A"
    )
    doubts = len({s.field for s in result.suspects})
    settled = doubts == 0
    return Rung(
        key="plate",
        number=2,
        title=msg("Nameplate"),
        status="energized" if settled else "ready",
        danger="none",
        contacts=[
            Contact(word=msg("Nameplate saved"), closed=True, why=msg("The nameplate is on the record")),
            Contact(
                word=msg("No typos"),
                closed=settled,
                why=msg("Numbers agree with each other, or you confirmed them"),
            ),
        ],
        load=msg("{volts:g} V · {phase} ph · {amps}", volts=plate.volts, phase=plate.phase, amps=amps),
        verdict=result.verdict if settled else "watch",
        next_step=None
        if settled
        else msg(
            "Recheck {doubts} nameplate number{doubts_2}.", doubts=doubts, doubts_2="s" if doubts > 1 else ""
        ),
    )
