"""What stands on the record of a practice call, read off the same facts as any call's."""

from orange_crank.bench.practice.score import Noted
from orange_crank.bench.practice.world import World
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.safety.make_safe import judge_make_safe


def noted_of(facts: CallFacts, world: World, starts_at: list[int]) -> Noted:
    """Return what is scored of a record.

    Parameters
    ----------
    facts : the record as any call's is read
    world : the unit it was made at
    starts_at : for each inrush reading on record, in its order, how many starts had been watched then

    """
    noted = Noted()
    if facts.plate is not None and facts.plate.compressors:
        noted.plate_rla_a = facts.plate.compressors[0].rla_a
    records = [e.record for e in facts.events if e.record is not None]
    noted.proved = any(judge_make_safe(r, plate=facts.plate).status == "proved" for r in records)
    inrush = [r.entry for r in facts.readings if r.entry.quantity == "inrush_a"]
    for i, entry in enumerate(inrush):
        if isinstance(entry.value, int | float) and not isinstance(entry.value, bool):
            start = starts_at[i] if i < len(starts_at) else len(world.starts)
            noted.inrush.append((float(entry.value), entry.mode or "", entry.conductor or "", start))
    noted.cause = facts.settled_cause
    noted.condemned = facts.condemned
    noted.changed = [c.part for c in facts.changes if c.part is not None]
    noted.circuit_seen = facts.circuit is not None
    if facts.handed_over is not None:
        noted.handed_over = True
        noted.left_running = facts.handed_over.handed.running
    return noted
