"""A hand-over in the customer's words: no abbreviation, no code name, nothing that frightens for nothing."""

import json
from functools import cache
from importlib.resources import files

from pydantic import Field

from orange_crank.core.call.changes import PartKind
from orange_crank.core.diagnosis.model import Hypothesis
from orange_crank.core.measure.reading import Quantity
from orange_crank.core.messages import TableProse, joined, msg, shaped
from orange_crank.core.nomenclature import Frozen, say


class CauseWords(Frozen):
    """What a cause means to the customer."""

    found: TableProse = Field(description="What was the matter, as it was found")
    wait: TableProse = Field(description="What waiting costs where it is not put right; empty where nothing")
    watch: TableProse = Field(description="What to watch for, and what to do then")


class PlainWords(Frozen):
    """Everything a hand-over says in the customer's words."""

    about: str
    quantities: dict[Quantity, TableProse]
    units: dict[str, TableProse]
    parts: dict[PartKind, TableProse]
    kept_off: TableProse
    aids: TableProse
    causes: dict[Hypothesis, CauseWords]
    tests: dict[str, TableProse] = Field(description="A test that failed, by its topic")
    failed: dict[Quantity, TableProse] = Field(
        description="A reading that failed, where its figure says nothing to a customer"
    )
    open_points: dict[str, TableProse]
    stop: TableProse
    circuit: TableProse
    nothing_measured: TableProse
    not_settled: TableProse
    routine: TableProse = Field(description="A routine visit that found nothing wrong")
    requested: TableProse = Field(description="Work the customer requested on a unit that runs")
    wears: dict[str, TableProse] = Field(
        description="How a figure ages, where its own title says nothing to a customer"
    )
    not_put_right: TableProse
    always: TableProse


# What a person picks from a list, as it is written to the customer.
PICKED: dict[str, str] = {
    "clean": msg("clean"), "pitted": msg("pitted"), "burnt": msg("burnt"), "welded": msg("stuck shut"),
    "insects": msg("full of insects"), "rusty": msg("rusty"), "bulged": msg("bulged"), "open": msg("open"),
    "leaking": msg("leaking"), "burnt_tab": msg("burnt at a terminal"), "none": msg("none"),
}  # fmt: skip


@cache
def plain() -> PlainWords:
    """Return the customer's words, read once."""
    text = (files("orange_crank.core.tables") / "plain_words.json").read_text("utf-8")
    return PlainWords.model_validate(json.loads(text))


def plain_figure(value: float | str | bool, unit: str, beside: str = "") -> str:
    """Write a reading for the customer: 38.9 microfarads.

    >>> plain_figure(38.9, "µF")
    '38.9 microfarads'
    >>> plain_figure("pitted", "")
    'pitted'
    """
    if isinstance(value, bool):
        return msg("yes") if value else msg("no")
    if isinstance(value, str):
        return PICKED.get(value) or value.replace("_", " ")
    words = plain().units.get(unit, unit)
    figure = joined([say(value), beside], "")
    return msg("{figure} {unit}", figure=figure, unit=words) if words else figure


def sentence(text: str) -> str:
    """Return a text as one sentence: a capital first, a stop last.

    >>> sentence("the fan's current")
    "The fan's current."
    """
    return shaped(text, _as_sentence)


def _as_sentence(text: str) -> str:
    text = text.strip()
    return text[:1].upper() + text[1:] + ("" if text.endswith((".", "!", "?", "”")) else ".")
