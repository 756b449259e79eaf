"""A reading as it stands on the record, and what one reading shows."""

from pydantic import AwareDatetime, Field

from orange_crank.core.measure.reading import NewReading
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, Word


class TakenReading(Frozen):
    """A reading on the record."""

    id: int
    entry: NewReading
    taken_at: AwareDatetime
    person: Word
    place: float = Field(default=0.0, description="Its place in the order of recording of the call")
    trouble: str | None = Field(
        default=None, description="Why today's rules cannot read it, where they cannot"
    )

    @property
    def figure(self) -> float | None:
        """The value as a number, or None where it is a word, a yes or a no."""
        value = self.entry.value
        return float(value) if isinstance(value, float | int) and not isinstance(value, bool) else None


class ReadingVerdict(Frozen):
    """What one reading shows, in the words of its subject."""

    code: str = Field(description="Verdict code of the computation, e.g. accelerating")
    verdict: Verdict
    summary: str
    findings: list[Finding]


NOTED = ReadingVerdict(code="noted", verdict="note", summary="Noted", findings=[])
