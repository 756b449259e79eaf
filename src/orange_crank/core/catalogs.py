"""Catalogs of translations: gettext PO files, one a language, read once."""

from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import TypeVar

from babel.messages.pofile import read_po
from pydantic import BaseModel

from orange_crank.core.messages import Catalog, Language, written_for

Kept = TypeVar("Kept", bound=BaseModel)


@cache
def translations(language: Language) -> dict[str, str]:
    """Return the translated templates of a language; English has none."""
    if language == "en":
        return {}
    with files("orange_crank.core").joinpath(f"words/{language}.po").open("rb") as file:
        read = read_po(file, locale=language)
    return {str(m.id): str(m.string) for m in read if m.id and m.string and not m.fuzzy}


@dataclass(frozen=True)
class Translations:
    """A catalog; what it lacks stays English.

    >>> from orange_crank.core.messages import msg, render
    >>> spanish = Translations("es", {"one": "uno", "{a} and {b:g}": "{a} y {b:g}"})
    >>> render(msg("{a} and {b:g}", a=msg("one"), b=2.0), spanish)
    'uno y 2'
    """

    language: Language
    known: dict[str, str]

    def __call__(self, template: str, /) -> str:
        """Return the translation of a template, or the template itself."""
        return self.known.get(template, template)


def catalog(language: Language) -> Catalog | None:
    """Return the catalog of a language; None for English."""
    return None if language == "en" else Translations(language, translations(language))


def frozen_in(language: Language, model: Kept) -> Kept:
    """Return a value object with its messages written in a language for good, as a bill that is kept."""
    with written_for(catalog(language)):
        return type(model).model_validate_json(model.model_dump_json())
