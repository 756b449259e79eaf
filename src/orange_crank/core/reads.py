"""How somebody reads: °F or °C, feet or meters, dates and hours of a region.

The core reckons and speaks in °F and feet. What it says carries each temperature, difference and distance so
that it can be told otherwise (see ``nomenclature``); here it is. The screens do the same by the same cases.
"""

import re
from datetime import date, datetime
from typing import Literal

from pydantic import Field

from orange_crank.core.messages import DayOf, Language
from orange_crank.core.nomenclature import Frozen

Region = Literal["en-US", "en-CA", "en-GB", "en-IE", "en-AU", "en-NZ"]

METERS_PER_FOOT = 0.3048
_FIGURE = r"[-−]?\d+(?:\.\d+)?"
_SPAN = re.compile(rf"({_FIGURE})( to | or | and |–)?({_FIGURE})?(\u00a0|\u202f)(°F|ft)\b")


class Reads(Frozen):
    """How somebody reads figures, dates and hours."""

    temperature: Literal["F", "C"] = Field(default="F", description="Differences of two in °F or K")
    distance: Literal["ft", "m"] = "ft"
    region: Region = Field(default="en-US", description="Order of a date")
    hours: Literal[12, 24] = 12
    language: Language = "en"


AS_WRITTEN = Reads()


def celsius(value_f: float) -> float:
    """Return a temperature in °C.

    >>> celsius(95.0)
    35.0
    """
    return (value_f - 32.0) / 1.8


def _short(value: float) -> str:
    """Write a converted figure: one digit after the point where that tells something.

    >>> _short(35.0), _short(22.222), _short(-0.01), _short(1310.64)
    ('35', '22.2', '0', '1311')
    """
    text = f"{value:.0f}" if abs(value) >= 100 else f"{value:.1f}".removesuffix(".0")
    return "0" if text in ("-0", "0") else text.replace("-", "−")


def _otherwise(figure: str, blank: str, unit: str) -> str:
    value = float(figure.replace("−", "-"))
    if unit == "ft":
        return _short(value * METERS_PER_FOOT)
    return _short(celsius(value) if blank == "\u00a0" else value / 1.8)


def told(text: str, reads: Reads) -> str:
    """Return a sentence of the core as somebody reads it.

    >>> told("Near 95\\u00a0°F, 9\\u202f°F apart, 25\\u00a0ft off.", Reads(temperature="C", distance="m"))
    'Near 35\\xa0°C, 5\\u202fK apart, 7.6\\xa0m off.'
    >>> told("86 °F as the table writes it", Reads(temperature="C"))
    '86 °F as the table writes it'
    """

    def turned(found: re.Match[str]) -> str:
        first, between, second, blank, unit = found.groups()
        if reads.distance == "ft" if unit == "ft" else reads.temperature == "F":
            return found.group(0)
        word = "m" if unit == "ft" else "°C" if blank == "\u00a0" else "K"
        if (between and not second) or (second and not between):
            return found.group(0)
        figures = _otherwise(first, blank, unit)
        if second:
            figures += between + _otherwise(second, blank, unit)
        return figures + blank + word

    return _SPAN.sub(turned, text)


def day_words(at: date, reads: Reads) -> str:
    """Write a day in the order of a region.

    >>> day_words(date(2031, 5, 6), Reads()), day_words(date(2031, 5, 6), Reads(region="en-GB"))
    ('May 6, 2031', '6 May 2031')
    >>> day_words(date(2031, 5, 6), Reads(language="es"))
    '6 de mayo de 2031'
    """
    if reads.language != "en":
        return DayOf(at).written(reads.language)
    return (
        f"{at:%B} {at.day}, {at.year}"
        if reads.region in ("en-US", "en-CA")
        else f"{at.day} {at:%B} {at.year}"
    )


def hour_words(at: datetime, reads: Reads) -> str:
    """Write a time of day by twelve hours or by twenty-four.

    >>> hour_words(datetime(2031, 5, 6, 0, 5), Reads()), hour_words(datetime(2031, 5, 6, 15), Reads(hours=24))
    ('12:05 am', '15:00')
    """
    if reads.hours == 24:
        return f"{at:%H:%M}"
    return f"{at.hour % 12 or 12}:{at:%M} {'am' if at.hour < 12 else 'pm'}"
