"""What no entry may hold, through any door: text that is none, and figures too small to be any."""

import json
import re
from collections.abc import Iterator
from typing import Any

from orange_crank.core.errors import FieldProblem, InputProblem, field_path
from orange_crank.core.messages import msg

# Nothing in this trade is smaller and not zero: a million-millionth of an ampere, an ohm, a farad's million.
SMALLEST = 1e-12
MOST_NAMED = 10
# Only where one of these stands in an entry is it read through: a surrogate's or NUL's escape, an exponent.
_SUSPECT = re.compile(rb"\\u[dD][89a-fA-F]|\\u0000|[0-9][eE]-|0\.0000000000|\x00")


def refuse_unusable(entry: str | bytes) -> None:
    """Refuse an entry that holds half a character, a NUL, or a figure next to nothing.

    Parameters
    ----------
    entry : JSON as it came in; what is no JSON is left to whoever reads it

    Raises
    ------
    InputProblem : the fields are named

    Notes
    -----
    Half of a surrogate pair cannot be written down as UTF-8, so that neither the records nor an answer could
    hold it; a denormal number makes infinity of what is divided by it.

    """
    raw = entry.encode("utf-8", "surrogatepass") if isinstance(entry, str) else entry
    if not _SUSPECT.search(raw):
        return
    try:
        value = json.loads(raw)
    except (ValueError, RecursionError):
        return
    found: list[FieldProblem] = []
    for problem in _unusable(value, ()):
        if problem not in found:
            found.append(problem)
        if len(found) == MOST_NAMED:
            break
    if found:
        raise InputProblem(found, next_step=msg("Type it again; nothing was saved."))


def _unusable(value: Any, at: tuple[str | int, ...]) -> Iterator[FieldProblem]:
    if isinstance(value, str):
        if "\0" in value or any("\ud800" <= c <= "\udfff" for c in value):
            yield FieldProblem(
                field=field_path(at) or msg("(whole entry)"), wanted=msg("text of whole characters"), got=None
            )
    elif isinstance(value, float):
        if 0 < abs(value) < SMALLEST:
            yield FieldProblem(
                field=field_path(at) or msg("(whole entry)"),
                wanted=msg("zero, or a figure a meter can show"),
                got=None,
            )
    elif isinstance(value, list):
        for i, one in enumerate(value):
            yield from _unusable(one, (*at, i))
    elif isinstance(value, dict):
        for name, one in value.items():
            yield from _unusable(name, at)
            yield from _unusable(one, (*at, _plain(name)))


def _plain(name: str) -> str:
    return name.encode("utf-8", "replace").decode("utf-8").replace("\0", "?")[:80]
