"""A call's record as the diagnosis takes it: every reading and every test, in the order it was recorded."""

from collections.abc import Mapping, Sequence

from orange_crank.core.call.evidence_of_record import MEASURED, evidence_of_reading, evidence_of_test
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.stops import StopsFound, seen_settled
from orange_crank.core.call.visits import same_part
from orange_crank.core.diagnosis.model import (
    CallWork,
    DiagnoseIn,
    Evidence,
    Hazard,
    History,
    Past,
)
from orange_crank.core.measure.dead_tests import drops_by_pole
from orange_crank.core.tables.standards import Standards

_WORK: Mapping[str, CallWork] = {
    "as_found": "live",
    "live": "live",
    "dead_proved": "dead",
    "control_live": "control_live",
    "lapsed": "unproved",
}


def entry_of_call(
    facts: CallFacts, limits: Standards, stops: StopsFound, hazards: Sequence[Hazard]
) -> DiagnoseIn:
    """Gather a call into one entry, in the order it was recorded.

    Readings of a part that is gone are left out, and so is a proof that was settled: what stands is what
    came after.

    Parameters
    ----------
    facts : what is on the record; it has a plate
    limits : the shop's standards
    stops : what stops the work on this call, and what no longer does
    hazards : the hazards told of that nobody has settled

    """
    assert facts.plate is not None
    found: list[tuple[float, Evidence]] = []
    for test in facts.current_tests:
        if f"test-{test.id}" not in stops.settled:
            found += [(test.place, e) for e in evidence_of_test(test, limits)]
    drops = drops_by_pole(facts.current)
    worst = max(drops.values(), key=lambda d: d.figure or 0.0, default=None)
    for reading in facts.current:
        if reading.entry.quantity == "contactor_drop_v" and reading is not worst:
            # The worst pole counts.
            continue
        if f"reading-{reading.id}" not in stops.settled:
            found += [(reading.place, e) for e in evidence_of_reading(reading)]
    for one in facts.seen:
        if not isinstance(one.what, Evidence) or seen_settled(one, stops.settled):
            continue
        if not facts.seen_retired_by(one.what.quantity, one.place):
            found.append((one.place, one.what))
    found.sort(key=lambda f: f[0])
    trials = facts.trials
    return DiagnoseIn(
        plate=facts.plate,
        symptoms=facts.told.symptoms,
        readings=[e for _, e in found][-200:],
        history=history_of_call(facts),
        work=_WORK[facts.state.state],
        hazards=list(hazards),
        stops=list(stops.standing)[:40],
        skipped=facts.told.skipped,
        supply_restored=facts.told.supply_restored,
        shop_calls=dict(facts.shop_calls),
        kit_trial=None if not trials else (trials[-1].result or "agreed"),
    )


def history_of_call(facts: CallFacts) -> History:
    """Return earlier figures of the parts that are still there, and what was changed then."""
    opened = facts.opened_at
    past = []
    for reading in same_part(facts.visits):
        if reading.quantity not in MEASURED:
            continue
        days = (opened - reading.taken_at).total_seconds() / 86_400 if opened else 365.0
        past.append(
            Past.model_validate(
                {
                    "quantity": reading.quantity,
                    "value": reading.value,
                    "days_ago": min(36_500.0, max(0.0, days)),
                }
            )
        )
    replaced = [c.what for visit in facts.visits for c in visit.changes]
    return History(readings=past[-200:], replaced=replaced[-50:])
