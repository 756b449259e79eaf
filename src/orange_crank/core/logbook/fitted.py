"""What is fitted on a unit now: of each part the last that was put in, with its date and who."""

from collections.abc import Sequence

from pydantic import AwareDatetime

from orange_crank.core.call.changes import PART_WORDS, TAKEN_OFF_WORDS, Change, PartKind
from orange_crank.core.call.visits import Visit
from orange_crank.core.messages import Prose
from orange_crank.core.nomenclature import Frozen

# Work on a unit that leaves no part behind.
_NO_PART: frozenset[PartKind] = frozenset({"charge", "condenser", "supply", "other", "wiring"})
# A dual can stands for both of its sections, and they for it.
_STANDS_FOR: dict[PartKind, frozenset[PartKind]] = {
    "dual_capacitor": frozenset({"run_capacitor", "fan_capacitor"}),
    "run_capacitor": frozenset({"dual_capacitor"}),
    "fan_capacitor": frozenset({"dual_capacitor"}),
}


class FittedNow(Frozen):
    """One part as it is fitted now."""

    part: PartKind
    title: Prose
    what: str
    call_id: int
    fitted_at: AwareDatetime
    person: str


def fitted_now(visits: Sequence[Visit]) -> list[FittedNow]:
    """Return what is fitted now, as far as the visits tell; what was taken off again is not.

    Parameters
    ----------
    visits : calls on the unit with their changes, in order

    """
    there: dict[PartKind, FittedNow] = {}
    for visit in visits:
        for change in visit.changes:
            part = change.part
            if part is None or part in _NO_PART:
                continue
            if change.what.startswith(TAKEN_OFF_WORDS):
                there.pop(part, None)
                continue
            for other in _STANDS_FOR.get(part, frozenset()):
                there.pop(other, None)
            there[part] = _fitted(part, change, visit.call_id)
    return sorted(there.values(), key=lambda f: f.fitted_at, reverse=True)


def _fitted(part: PartKind, change: Change, call_id: int) -> FittedNow:
    return FittedNow(
        part=part,
        title=PART_WORDS[part],
        what=change.what,
        call_id=call_id,
        fitted_at=change.made_at,
        person=change.person,
    )
