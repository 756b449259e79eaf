"""Words of the trade and of the program, each explained in a line."""

import json
from functools import cache
from importlib.resources import files

from pydantic import Field

from orange_crank.core.nomenclature import Frozen


class Term(Frozen):
    """One word and what it means."""

    term: str
    also: tuple[str, ...] = Field(default=(), description="Other names for the same thing")
    meaning: str
    page: str = Field(description="The page of the handbook that says more")


@cache
def terms() -> tuple[Term, ...]:
    """Return every term, by name."""
    text = (files(__package__) / "terms.json").read_text("utf-8")
    return tuple(Term(**row) for row in json.loads(text))
