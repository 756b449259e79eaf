"""A reading as it stands on the record, and what one reading shows."""

from dataclasses import dataclass
from datetime import datetime

from pydantic import Field

from orange_crank.core.measure.reading import NewReading
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Finding, Frozen, Verdict


@dataclass(frozen=True, slots=True)
class TakenReading:
    """A reading on the record.

    ``place`` is its place in the call's order of recording; ``trouble`` says why today's rules cannot
    read it, where they cannot.
    """

    id: int
    entry: NewReading
    taken_at: datetime
    person: str
    place: float = 0.0
    trouble: str | None = None

    @property
    def figure(self) -> float | None:
        """The value as a number, or None where it is a word, a yes or a no."""
        value = self.entry.value
        return float(value) if isinstance(value, float | int) and not isinstance(value, bool) else None


class ReadingVerdict(Frozen):
    """What one reading shows, in the words of its subject."""

    code: str = Field(description="Verdict code of the computation, e.g. accelerating")
    verdict: Verdict
    summary: Prose
    findings: list[Finding]


NOTED = ReadingVerdict(code="noted", verdict="note", summary=msg("Noted"), findings=[])
