"""Messages: a template and typed arguments, put into words for a reader at the door.

A ``Message`` is a ``str``: inside the core it reads as its English source text. It keeps its template and its
arguments, so that a door (HTTP, command line, paper) can write it in the reader's language: ``render`` looks
the template up in a catalog and fills in the arguments, messages among them first.

Catalogs are gettext PO files; their msgid is the template. What a catalog lacks stays English.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import date
from typing import Annotated, Any, Literal, Protocol, Self, get_args

from babel.dates import format_date, format_skeleton
from pydantic import AfterValidator, PlainSerializer, ValidatorFunctionWrapHandler, WrapValidator

Language = Literal["en", "es"]
LANGUAGES: tuple[Language, ...] = get_args(Language)


class Catalog(Protocol):
    """Translations into one language."""

    @property
    def language(self) -> Language:
        """The language it translates into."""

    def __call__(self, template: str, /) -> str:
        """Return the translation of a template, or the template itself."""


class MonthOf:
    """A month as an argument of a message, written in the reader's language.

    >>> str(MonthOf(date(2031, 5, 6))), MonthOf(date(2031, 5, 6)).written("es")
    ('May 2031', 'mayo de 2031')
    """

    def __init__(self, day: date, with_year: bool = True) -> None:
        self.day, self.with_year = day, with_year

    def written(self, language: Language) -> str:
        """Write it in a language."""
        if not self.with_year:
            return format_date(self.day, "LLLL", locale=language)
        return format_skeleton("yMMMM", self.day, locale=language)

    def __str__(self) -> str:
        """Write it in English."""
        return self.written("en")


class Message(str):
    """English text that keeps its template and arguments.

    >>> low = msg("Reads {uf:g} µF.", uf=38.9)
    >>> low, low.template
    ('Reads 38.9 µF.', 'Reads {uf:g} µF.')
    """

    __slots__ = ("args", "template")
    template: str
    args: Mapping[str, Any]

    def __new__(cls, template: str, args: Mapping[str, Any]) -> Self:
        """Fill a template with its arguments, in English."""
        made = super().__new__(cls, template.format(**args) if args else template)
        made.template, made.args = template, args
        return made

    def __reduce__(self) -> tuple[Any, ...]:
        """Pickle a message by what makes it."""
        return (Message, (self.template, dict(self.args)))

    def __getnewargs__(self) -> tuple[Any, ...]:
        """Copy a message by what makes it."""
        return (self.template, self.args)

    def __add__(self, other: str) -> str:
        """Join with the text after it."""
        return msg("{before}{after}", before=self, after=other)

    def __radd__(self, other: str) -> str:
        """Join with the text before it."""
        return msg("{before}{after}", before=other, after=self)


class Shaped(Message):
    """A message whose words are shaped after they are written: a capital first, a stop last."""

    __slots__ = ("shape",)
    shape: Callable[[str], str]

    def __new__(cls, template: str, args: Mapping[str, Any], shape: Callable[[str], str] = str) -> Self:
        """Fill a template, then shape it."""
        made = str.__new__(cls, shape(template.format(**args)))
        made.template, made.args, made.shape = template, args, shape
        return made

    def __reduce__(self) -> tuple[Any, ...]:
        """Pickle a message by what makes it."""
        return (Shaped, (self.template, dict(self.args), self.shape))

    def __getnewargs__(self) -> tuple[Any, ...]:
        """Copy a message by what makes it."""
        return (self.template, self.args, self.shape)


def shaped(text: str, shape: Callable[[str], str]) -> str:
    """Return a text whose words are shaped in the language it is written in.

    Parameters
    ----------
    shape : a function of a module, so that the message can be pickled

    """
    return Shaped("{text}", {"text": text}, shape) if isinstance(text, Message) else shape(text)


def lower_first(text: str) -> str:
    """Write a title within a sentence; an abbreviation keeps its capitals.

    >>> lower_first("Run capacitor"), lower_first("MCA of the circuit")
    ('run capacitor', 'MCA of the circuit')
    """
    return text if text[1:2].isupper() else text[:1].lower() + text[1:]


def capital(text: str) -> str:
    """Begin a text with a capital."""
    return text[:1].upper() + text[1:]


def no_stop(text: str) -> str:
    """Leave out the stop of a sentence."""
    return text.rstrip(".")


def within(title: str) -> str:
    """Return a title as it is written within a sentence."""
    return shaped(title, lower_first)


class DayOf(MonthOf):
    """A day as an argument of a message, written in the reader's language.

    >>> str(DayOf(date(2031, 5, 6))), DayOf(date(2031, 5, 6)).written("es")
    ('May 6, 2031', '6 de mayo de 2031')
    """

    def written(self, language: Language) -> str:
        """Write it in a language."""
        return format_date(self.day, "long", locale=language)


def msg(template: str, /, **args: Any) -> str:
    """Return a message.

    Parameters
    ----------
    template : English text with ``{name}`` or ``{name:spec}`` for each argument; without arguments as it is
    args : figures, words, other messages

    """
    return Message(template, args)


def joined(parts: Iterable[str], between: str = " ") -> str:
    """Join messages so that each is still translated.

    >>> joined([msg("One."), "Two."])
    'One. Two.'
    """
    listed = list(parts)
    if not any(isinstance(p, Message) for p in listed):
        return between.join(listed)
    names = [f"p{i}" for i in range(len(listed))]
    sep = between.replace("{", "{{").replace("}", "}}")
    return Message(sep.join(f"{{{n}}}" for n in names), dict(zip(names, listed, strict=True)))


def render(text: str, catalog: Catalog) -> str:
    """Write a message by a catalog; other text stays as it is.

    Messages among the arguments are written first, and months in the catalog's language.
    """
    if not isinstance(text, Message):
        return text
    template = catalog(text.template)
    if not text.args:
        return template
    words = template.format(**{name: _written(one, catalog) for name, one in text.args.items()})
    return text.shape(words) if isinstance(text, Shaped) else words


def _written(arg: Any, catalog: Catalog) -> Any:
    if isinstance(arg, MonthOf):
        return arg.written(catalog.language)
    return render(arg, catalog) if isinstance(arg, str) else arg


_READER: ContextVar[Catalog | None] = ContextVar("reader", default=None)


@contextmanager
def written_for(catalog: Catalog | None) -> Iterator[None]:
    """Write messages by a catalog from here on; None writes English."""
    token = _READER.set(catalog)
    try:
        yield
    finally:
        _READER.reset(token)


def for_reader(text: str) -> str:
    """Write a message for the reader of ``written_for``."""
    catalog = _READER.get()
    return str(text) if catalog is None else render(text, catalog)


def _kept(value: Any, handler: ValidatorFunctionWrapHandler) -> Any:
    checked = handler(value)
    return value if isinstance(value, Message) else checked


Prose = Annotated[str, WrapValidator(_kept), PlainSerializer(for_reader, return_type=str, when_used="json")]
"""Text for people: a message keeps its template through validation and is translated in JSON."""

TableProse = Annotated[
    Prose, AfterValidator(lambda text: text if isinstance(text, Message) else Message(text, {}))
]
"""Text of a table entered as data: a template without arguments."""
