"""What a learner has mastered and what is due again: spaced further each time it goes well."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from pydantic import Field

from orange_crank.bench.practice.scenario import Skill, graded
from orange_crank.bench.practice.score import SKILL_WORDS
from orange_crank.core.nomenclature import Frozen

# Days until a call comes again, after so many times well in a row; missed, it comes tomorrow.
AGAIN_DAYS = (2, 5, 12, 30, 75)
RECENT = 8


@dataclass(frozen=True)
class Result:
    """A practice call that came to its end."""

    key: str
    on: date
    total: float
    passed: bool
    missed: tuple[str, ...]


class SkillState(Frozen):
    """How a skill stands over the last calls."""

    skill: Skill
    title: str
    held: int = Field(description="Of the last calls, those in which it was well done")
    of: int


class PracticeDue(Frozen):
    """A call that is due again, and why."""

    key: str
    due_on: date
    why: str


def due_of(key: str, results: Sequence[Result]) -> date | None:
    """Return when a call is due again; None where it was never done.

    >>> from datetime import date
    >>> due_of("a", [Result("a", date(2026, 1, 1), 90.0, True, ())])
    datetime.date(2026, 1, 3)
    """
    mine = sorted((r for r in results if r.key == key), key=lambda r: r.on)
    if not mine:
        return None
    row = 0
    for r in mine:
        row = row + 1 if r.passed else 0
    last = mine[-1].on
    if row == 0:
        return last + timedelta(days=1)
    return last + timedelta(days=AGAIN_DAYS[min(row, len(AGAIN_DAYS)) - 1])


def due_list(results: Sequence[Result], today: date) -> list[PracticeDue]:
    """Return what is due by a day: calls missed or long ago, and graded ones for skills missed elsewhere."""
    found = []
    for s in graded():
        due = due_of(s.key, results)
        if due is not None and due <= today:
            last = max((r for r in results if r.key == s.key), key=lambda r: r.on)
            why = "Missed last time." if not last.passed else f"Well done on {last.on:%b %-d}; once more."
            found.append(PracticeDue(key=s.key, due_on=due, why=why))
    for r in results:
        if r.key.startswith("graded") or r.passed:
            continue
        for s in graded():
            fits = set(s.teaches) & set(r.missed)
            done_since = any(x.key == s.key and x.passed and x.on >= r.on for x in results)
            if fits and not done_since and all(d.key != s.key for d in found):
                skill = SKILL_WORDS[next(iter(fits))].lower()
                found.append(
                    PracticeDue(key=s.key, due_on=r.on + timedelta(days=1), why=f"For {skill}, missed.")
                )
    return sorted((d for d in found if d.due_on <= today), key=lambda d: d.due_on)


def skills_of(results: Sequence[Result]) -> list[SkillState]:
    """Return each skill with how often it held over the last calls."""
    last = sorted(results, key=lambda r: r.on)[-RECENT:]
    return [
        SkillState(skill=skill, title=title, held=sum(1 for r in last if skill not in r.missed), of=len(last))
        for skill, title in SKILL_WORDS.items()
    ]
