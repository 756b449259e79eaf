"""The computations by name as every door opens them: the core's own, with what only a format can add."""

from collections.abc import Mapping
from dataclasses import replace

from pydantic import BaseModel

from orange_crank.core import topics as core_topics
from orange_crank.core.tables.standards import Standards
from orange_crank.core.topics import Topic, calculate_with
from orange_crank.formats.wiring_svg import plan_with_pictures

TOPICS: Mapping[str, Topic] = core_topics.TOPICS | {
    "wiring": replace(core_topics.TOPICS["wiring"], call=plan_with_pictures)
}


def find_topic(name: str) -> Topic:
    """Return a topic by name, or refuse naming those there are."""
    core_topics.find_topic(name)
    return TOPICS[name]


def calculate(name: str, entry: str | bytes, standards: Standards | None = None) -> BaseModel:
    """Run one topic on one JSON object, by a shop's standards where given.

    Raises
    ------
    InputProblem : the entry is not JSON, or a field cannot be used
    BeyondTable : a standard size above the largest was needed

    """
    return calculate_with(find_topic(name), entry, standards)
