"""A rung as data: its contacts, its load, its verdict, its next step."""

from typing import Literal

from pydantic import Field

from orange_crank.core.messages import Prose
from orange_crank.core.nomenclature import Frozen, Verdict

RungKey = Literal[
    "make_safe",
    "plate",
    "dead_tests",
    "live_tests",
    "why",
    "aid",
    "parts",
    "circuit",
    "prove",
    "hand_over",
]
RungStatus = Literal["energized", "ready", "blocked"]
Danger = Literal["dead", "live", "none"]


class Contact(Frozen):
    """What a rung needs first."""

    word: Prose
    closed: bool
    why: Prose = Field(description="What it stands for, or what closes it")


class Rung(Frozen):
    """One step of the call."""

    key: RungKey
    number: int
    title: Prose
    status: RungStatus
    danger: Danger
    contacts: list[Contact]
    load: Prose = Field(description="The result in one short line")
    verdict: Verdict
    next_step: Prose | None = None
    next_is_live: bool = Field(default=False, description="Whether the next step energizes, or is taken live")
