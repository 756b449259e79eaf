"""What a person may not be made to read: names of code in a sentence."""

import re
from collections.abc import Iterator
from typing import Any

# Fields of the API whose text a person reads.
READ = {
    "text", "next_step", "why", "words", "summary", "load", "plain", "detail", "lifted_by", "title",
    "label", "rule", "first", "sentence", "arithmetic", "reasons", "not_judged", "technical", "does",
    "will_not", "how",
}  # fmt: skip
# Of these some are sentences and some a kind, which no screen shows as it is.
KINDS_TOO = {"how"}
SNAKE = re.compile(r"\b[a-z]+_[a-z_]+\b")
CAMEL = re.compile(r"\b[A-Z][a-z]+[A-Z][A-Za-z]*\b|\b[a-z]+[A-Z][a-z]+\w*\b")
SHOUT = re.compile(r"\b[A-Z]{2,}_[A-Z_]+\b")
# The trade's and the makers' own words that look like code.
FINE = {"TwinsHz", "MHz", "kVA", "kWh", "psiG"}
# A refusal at the HTTP door lists the words that door takes.
WORDS_TAKEN = re.compile(r"enter one of .*")
NOTHING = re.compile(r"\b(None|nan|NaN|inf|True|False|undefined|null)\b")


def read_by_people(found: Any, field: str = "") -> Iterator[tuple[str, str]]:
    """Yield every sentence of an answer that a person reads, with its field."""
    if isinstance(found, dict):
        for name, value in found.items():
            yield from read_by_people(value, name)
    elif isinstance(found, list):
        for one in found:
            yield from read_by_people(one, field)
    elif isinstance(found, str) and field in READ and not (field in KINDS_TOO and " " not in found):
        yield field, found


def code_names(sentence: str) -> list[str]:
    """Return what in a sentence is a name of the code, or a value nobody put into words."""
    sentence = WORDS_TAKEN.sub("", sentence)
    found = [m.group() for p in (SNAKE, CAMEL, SHOUT) for m in p.finditer(sentence)]
    return [f for f in found if f not in FINE] + [m.group() for m in NOTHING.finditer(sentence)]
