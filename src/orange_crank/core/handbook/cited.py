"""Where the handbook explains the rule a finding stands on."""

import json
import re
from functools import cache
from importlib.resources import files

from orange_crank.core.handbook.pages import slug
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.tables import rows
from orange_crank.core.tables.practice import PREFIX, practices
from orange_crank.core.tables.standards import shipped_standards

_CLAUSE = re.compile(r"\b\d{2,3}\.\d+(?:\([A-Za-z0-9]+\))*")
_SHOP = msg("Shop rule: ")


class Cited(Frozen):
    """One section of the handbook that explains a rule."""

    page: str
    section: str
    title: Prose


class _Begins(Frozen):
    begins: str
    page: str
    section: str


@cache
def _sections_by_beginning() -> tuple[_Begins, ...]:
    text = (files(__package__) / "cites.json").read_text("utf-8")
    return tuple(_Begins(**row) for row in json.loads(text))


@cache
def _clauses() -> dict[str, str]:
    return {r["clause"]: r["title"] for r in rows("code_clauses")}


def _clause(number: str) -> Cited | None:
    """Return the section of a clause, or of the nearest clause it is a part of."""
    while number not in _clauses():
        if "(" not in number:
            return None
        number = number[: number.rindex("(")]
    return Cited(page="code", section=slug(number), title=f"{number} {_clauses()[number]}")


def cited(rule: str) -> tuple[Cited, ...]:
    """Return the sections that explain a rule as findings write it; empty where none does.

    >>> [c.section for c in cited("NEC 2023 440.22(B)(1), 440.33")]
    ['440.22', '440.33']
    >>> cited("Shop rule: Stop-work voltage, 30 V")[0].page
    'shop-rules'
    """
    found: list[Cited] = []
    for part in (p.strip() for p in rule.split(";")):
        if part.startswith(_SHOP):
            named = part.removeprefix(_SHOP)
            longest = max(
                (s for s in shipped_standards().all() if named.startswith(s.title)),
                key=lambda s: len(s.title),
                default=None,
            )
            if longest:
                at = slug(longest.name.replace("_", "-"))
                found.append(Cited(page="shop-rules", section=at, title=longest.title))
        elif part.startswith(PREFIX):
            named = part.removeprefix(PREFIX).partition("/")[0]
            found += [
                Cited(page="field-practice", section=slug(p.name), title=p.title)
                for p in practices()
                if p.name == named
            ]
        else:
            found += [hit for number in _CLAUSE.findall(part) if (hit := _clause(number))]
            found += [
                Cited(page=c.page, section=c.section, title=c.begins)
                for c in _sections_by_beginning()
                if part.startswith(c.begins)
            ][:1]
            if "Chapter 9" in part:
                found.append(Cited(page="circuit", section="voltage-drop", title=msg("Voltage drop")))
    return tuple(dict.fromkeys(found))
