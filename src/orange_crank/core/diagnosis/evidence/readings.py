"""What was seen, by quantity, place and state; and the facts made of it."""

from collections.abc import Callable
from dataclasses import dataclass, field

from orange_crank.core.diagnosis.model import Contradiction, DiagnoseIn, Evidence, Measured
from orange_crank.core.messages import msg
from orange_crank.core.tables.standards import Standards


@dataclass(frozen=True)
class Observed:
    """One fact with what was seen of it; more than one outcome means it lies among them."""

    fact: str
    outcomes: tuple[str, ...]
    text: str
    source: tuple[str, ...]
    reading_ids: tuple[int, ...] = ()


@dataclass
class Seen:
    """Everything observed, what contradicts itself, and what could not be read."""

    facts: dict[str, Observed] = field(default_factory=dict)
    contradictions: list[Contradiction] = field(default_factory=list)
    crashed: list[str] = field(default_factory=list)


class Readings:
    """The newest reading of each quantity, with its place and state."""

    def __init__(self, entry: DiagnoseIn, limits: Standards) -> None:
        self.entry, self.limits = entry, limits
        self.all = entry.readings
        self.used: list[Evidence] = []

    def get(self, quantity: Measured, state: str | None = None, where: str | None = None) -> Evidence | None:
        """Return the newest reading of a quantity, noting that it was used."""
        found = [
            r
            for r in self.all
            if r.quantity == quantity
            and (state is None or r.state in (None, state))
            and (where is None or r.where in (None, where))
        ]
        if found and found[-1] not in self.used:
            self.used.append(found[-1])
        return found[-1] if found else None

    def number(self, quantity: Measured, state: str | None = None) -> float | None:
        """Return the newest reading of a quantity as a number."""
        found = self.get(quantity, state)
        return found.number if found is not None else None

    def observed(self, fact: str, outcomes: str | tuple[str, ...], text: str) -> Observed:
        """Return a fact made of the readings used since the last one."""
        used, self.used = self.used, []
        return Observed(
            fact=fact,
            outcomes=(outcomes,) if isinstance(outcomes, str) else outcomes,
            text=text,
            source=tuple(r.quantity for r in used),
            reading_ids=tuple(r.reading_id for r in used if r.reading_id is not None),
        )


def flag(
    fact: str, quantity: Measured, yes: str, no: str, said_yes: str, said_no: str
) -> Callable[[Readings], Observed | None]:
    """Return a rule for a reading that is yes or no."""

    def rule(r: Readings) -> Observed | None:
        found = r.get(quantity)
        if found is None:
            return None
        on = found.value is True
        return r.observed(fact, yes if on else no, said_yes if on else said_no)

    rule.__name__ = fact
    return rule


def over(
    fact: str, quantity: Measured, limit: Callable[[Standards], float], small: str, large: str, text: str
) -> Callable[[Readings], Observed | None]:
    """Return a rule for a reading above or under a shop standard."""

    def rule(r: Readings) -> Observed | None:
        value = r.number(quantity)
        if value is None:
            return None
        return r.observed(fact, large if value > limit(r.limits) else small, msg(text, value=value))

    rule.__name__ = fact
    return rule
