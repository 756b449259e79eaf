"""Refrigerants by the name on the plate, with their safety class: what may be fitted near them."""

import re
from functools import cache
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen, Word
from orange_crank.core.tables import rows

SafetyClass = Literal["A1", "A2L", "A3"]
CLASS_WORDS: dict[SafetyClass, str] = {
    "A1": msg("not flammable"),
    "A2L": msg("mildly flammable"),
    "A3": "burns",
}


class Refrigerant(Frozen):
    """One refrigerant."""

    name: str
    safety: SafetyClass = Field(description="ASHRAE 34: A1 does not burn, A2L burns mildly, A3 burns")
    fluid: str | None = Field(description="As the property library names it")


@cache
def refrigerants() -> tuple[Refrigerant, ...]:
    """Return every refrigerant of the list."""
    return tuple(
        Refrigerant.model_validate({"name": r["name"], "safety": r["safety"], "fluid": r["fluid"] or None})
        for r in rows("refrigerants")
    )


def _key(text: str) -> str:
    """Return a name without what people write in many ways: case, spaces, dashes, a leading R."""
    plain = re.sub(r"[^a-z0-9]", "", text.lower())
    return re.sub(r"^(?:hcfc|hfc|hfo|hc|r)(?=\d)", "", plain)


@cache
def _names() -> dict[str, Refrigerant]:
    known = {r.name: r for r in refrigerants()}
    found: dict[str, Refrigerant] = {}
    for row in rows("refrigerants"):
        for written in (row["name"], *(a for a in row["aliases"].split(";") if a)):
            found[_key(written)] = known[row["name"]]
    return found


def find_refrigerant(text: str | None) -> Refrigerant | None:
    """Return the refrigerant that is meant, or None where the list has none, or more than one, of that name.

    >>> [r and r.name for r in map(find_refrigerant, ("R410A", "410", "r 454b", "propane", "422", "X-9"))]
    ['R-410A', 'R-410A', 'R-454B', 'R-290', None, None]
    """
    if text is None:
        return None
    key = _key(text)
    if key in _names():
        return _names()[key]
    begun = {r.name: r for k, r in _names().items() if key.isdigit() and re.fullmatch(key + "[a-z]+", k)}
    return next(iter(begun.values())) if len(begun) == 1 else None


def refrigerant_name(text: str) -> str:
    """Return a refrigerant's name as the list has it; what the list has not stays as it was read."""
    found = find_refrigerant(text)
    return found.name if found is not None else text


RefrigerantName = Annotated[Word, AfterValidator(refrigerant_name)]


def burns(text: str | None) -> bool:
    """Tell whether a refrigerant burns; one that is named but not on the list is taken to."""
    if text is None:
        return False
    found = find_refrigerant(text)
    return found is None or found.safety != "A1"


def why_not_beside(text: str | None, listed_for: list[str] | None) -> str | None:
    """Return why a part that sparks or heats may not go in beside a refrigerant; None where it may.

    References
    ----------
    ASHRAE 34 safety classes; UL 60335-2-40, parts listed for the refrigerant.

    """
    if text is None or not burns(text):
        return None
    found = find_refrigerant(text)
    if refrigerant_name(text) in {refrigerant_name(name) for name in listed_for or []}:
        return None
    if found is None:
        return msg("{text} is not on the list and may be flammable: use only parts listed for it.", text=text)
    kind = CLASS_WORDS[found.safety]
    return msg(
        "{name} is {kind} ({safety}): use only parts listed for it.",
        name=found.name,
        kind=kind,
        safety=found.safety,
    )
