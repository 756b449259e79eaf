"""Passphrases and PINs that are guessed first: common words, keyboard runs, years, names."""

import re
from functools import cache
from importlib.resources import files
from itertools import pairwise

# What is left once every guessable piece is taken out must be at least this long.
LEFT_AT_LEAST = 6
SHORTEST_RUN = 4
_ROWS = (
    "qwertyuiop",
    "asdfghjkl",
    "zxcvbnm",
    "1234567890",
    "abcdefghijklmnopqrstuvwxyz",
    "qwertzuiop",
    "azertyuiop",
)
_ALIKE = str.maketrans(
    {"0": "o", "1": "i", "3": "e", "4": "a", "5": "s", "7": "t", "@": "a", "$": "s", "!": "i"}
)
# Straight lines and corners of a keypad, and pairs.
_KEYPAD = frozenset(
    {
        "2580", "0852", "1470", "0741", "3690", "0963", "1590", "0951", "3570",
        "0753", "1397", "1379", "7913", "7931", "1793", "9731", "2468", "8642",
        "1357", "7531", "5683", "4321", "1234", "0007", "0911", "9111", "6969",
        "4200", "0420", "1004", "2000", "2001",
    }
)  # fmt: skip


@cache
def common_words() -> tuple[str, ...]:
    """Return the shipped list, longest first."""
    text = (files(__package__) / "weak_words.txt").read_text("utf-8")
    return tuple(sorted(set(text.split()), key=lambda w: (-len(w), w)))


@cache
def _runs() -> tuple[str, ...]:
    """Return every keyboard run of four keys or more, forward and back, longest first."""
    found = set()
    for row in _ROWS:
        for line in (row, row[::-1]):
            for start in range(len(line)):
                for end in range(start + SHORTEST_RUN, len(line) + 1):
                    found.add(line[start:end])
    return tuple(sorted(found, key=lambda w: (-len(w), w)))


def is_guessable(passphrase: str, names: list[str]) -> bool:
    """Return whether a passphrase is made of pieces that are tried first.

    Parameters
    ----------
    passphrase : as it is kept
    names : of the person and of the shop

    >>> [is_guessable(w, []) for w in ("password1234", "qwertyuiopas", "four plain words do well")]
    [True, True, False]
    """
    own = [
        w
        for name in names
        for w in (re.sub(r"\W", "", name.casefold()), *re.findall(r"\w{3,}", name.casefold()))
    ]
    text = passphrase.casefold()
    forms = {re.sub(r"[\W_]", "", form) for form in (text, text.translate(_ALIKE))}
    return any(len(_left(form, own)) < LEFT_AT_LEAST for form in forms)


def _left(text: str, own: list[str]) -> str:
    """Return a text without its guessable pieces."""
    for piece in (*sorted(filter(None, own), key=len, reverse=True), *_runs(), *common_words()):
        text = text.replace(piece, " ")
    text = re.sub(r"(?:19|20)\d\d|\d{1,4}(?= |$)", " ", text)
    # The same piece again, and one letter over and over, add nothing.
    text = re.sub(r"(.{1,8}?)\1+", r"\1", text)
    return text.replace(" ", "")


def is_common_pin(pin: str) -> bool:
    """Return whether a PIN is tried first: alike, in a row, pairs, a year, a line of the keypad.

    >>> [is_common_pin(p) for p in ("2580", "1122", "1990", "7777", "4821")]
    [True, True, True, True, False]
    """
    steps = {ord(b) - ord(a) for a, b in pairwise(pin)}
    return (
        (len(steps) == 1 and steps <= {-1, 0, 1})
        or pin in _KEYPAD
        or bool(re.fullmatch(r"(?:19|20)\d\d", pin))
        or bool(re.fullmatch(r"(\d)\1(\d)\2(?:(\d)\3)*", pin))
        or bool(re.fullmatch(r"(\d{2,4})\1+", pin))
        or len(set(pin)) < 3
        or pin == pin[::-1]
    )
