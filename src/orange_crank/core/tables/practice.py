"""Field practice: what careful technicians do where no published rule decides, as the program shows it."""

import json
from functools import cache
from importlib.resources import files

from pydantic import Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen

PREFIX = msg("field practice: ")


class Practice(Frozen):
    """One practice that findings stand on."""

    name: str = Field(description="As findings cite it, after 'field practice: '")
    title: str
    text: str


@cache
def practices() -> tuple[Practice, ...]:
    """Return every practice, by name."""
    text = (files(__package__) / "field_practice.json").read_text("utf-8")
    return tuple(Practice(**row) for row in json.loads(text))
