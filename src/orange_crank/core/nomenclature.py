"""Quantities and their units: a number's name ends in its unit, stated once, here.

A new quantity starts on this page and in ``docs/nomenclature.md``. The types are strict: a
number is a number, never text, never NaN, and never beyond what equipment of this trade can show.
"""

import unicodedata
from collections.abc import Mapping
from datetime import date
from typing import Annotated, Literal

from pydantic import (
    AfterValidator,
    AwareDatetime,
    BaseModel,
    ConfigDict,
    Field,
    JsonValue,
    StrictBool,
    StrictStr,
)
from pydantic_core import PydanticCustomError

from orange_crank.core.messages import Prose

Verdict = Literal["pass", "watch", "fail", "unknown", "note"]

Amps = Annotated[
    float, Field(strict=True, gt=0, le=10_000, allow_inf_nan=False, json_schema_extra={"unit": "A"})
]
ZeroOrMoreAmps = Annotated[
    float, Field(strict=True, ge=0, le=10_000, allow_inf_nan=False, json_schema_extra={"unit": "A"})
]
Volts = Annotated[
    float, Field(strict=True, gt=0, le=1_000, allow_inf_nan=False, json_schema_extra={"unit": "V"})
]
ZeroOrMoreVolts = Annotated[
    float, Field(strict=True, ge=0, le=2_000, allow_inf_nan=False, json_schema_extra={"unit": "V"})
]
Microfarads = Annotated[
    float, Field(strict=True, gt=0, le=5_000, allow_inf_nan=False, json_schema_extra={"unit": "µF"})
]
Ohms = Annotated[
    float, Field(strict=True, gt=0, le=1e9, allow_inf_nan=False, json_schema_extra={"unit": "Ω"})
]
ZeroOrMoreOhms = Annotated[
    float, Field(strict=True, ge=0, le=1e9, allow_inf_nan=False, json_schema_extra={"unit": "Ω"})
]
Percent = Annotated[
    float, Field(strict=True, ge=0, le=100, allow_inf_nan=False, json_schema_extra={"unit": "%"})
]
Watts = Annotated[
    float, Field(strict=True, gt=0, le=1e7, allow_inf_nan=False, json_schema_extra={"unit": "W"})
]
Tons = Annotated[
    float, Field(strict=True, gt=0, le=500, allow_inf_nan=False, json_schema_extra={"unit": "ton"})
]
Fahrenheit = Annotated[
    float, Field(strict=True, ge=-80, le=200, allow_inf_nan=False, json_schema_extra={"unit": "°F"})
]
AltitudeFt = Annotated[float, Field(strict=True, ge=-1_500, le=20_000, allow_inf_nan=False)]
Minutes = Annotated[
    float, Field(strict=True, ge=0, le=100_000, allow_inf_nan=False, json_schema_extra={"unit": "min"})
]
Seconds = Annotated[
    float, Field(strict=True, ge=0, le=3_600, allow_inf_nan=False, json_schema_extra={"unit": "s"})
]
Count = Annotated[int, Field(strict=True, ge=0, le=1_000_000)]
Flag = StrictBool
Word = Annotated[StrictStr, Field(min_length=1, max_length=80)]
Sentence = Annotated[StrictStr, Field(max_length=2_000)]
FIRST_YEAR, LAST_YEAR = 2000, 2100


def _of_this_century(day: date) -> date:
    if not FIRST_YEAR <= day.year < LAST_YEAR:
        raise PydanticCustomError(
            "value_error", "{error}", {"error": f"a date from {FIRST_YEAR} to {LAST_YEAR - 1}"}
        )
    return day


def visible(text: str) -> str:
    """Return a name without letters that nobody sees: controls, direction marks, blanks of no width.

    Raises
    ------
    PydanticCustomError : nothing is left

    >>> visible("Bettany\u202e Rook\u200b ")
    'Bettany Rook'
    """
    kept = "".join(c for c in text if unicodedata.category(c) not in ("Cf", "Cc", "Co", "Cn"))
    kept = " ".join(kept.split())
    if not kept:
        raise PydanticCustomError("value_error", "{error}", {"error": "a name of letters that can be seen"})
    return kept


def name_skeleton(name: str) -> str:
    """Return what two names that look alike have in common.

    >>> name_skeleton("Béttany  ROOK") == name_skeleton("Bettany Rook")
    True
    """
    parts = unicodedata.normalize("NFKD", visible(name)).casefold()
    return "".join(c for c in parts if c.isalnum())


Moment = Annotated[AwareDatetime, AfterValidator(_of_this_century)]
Day = Annotated[date, AfterValidator(_of_this_century)]
Name = Annotated[Word, AfterValidator(visible)]


class Frozen(BaseModel):
    """A value object: unknown fields refused, nothing changed after it is made."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Finding(Frozen):
    """One judgement with the evidence it stands on."""

    code: str = Field(description="Stable name of the judgement, e.g. LRA_RLA_RATIO")
    verdict: Verdict
    text: Prose = Field(description="The judgement in plain words")
    rule: str = Field(description="Clause with its edition, or the shop standard's name")
    inputs: dict[str, JsonValue] = Field(default_factory=dict, description="Readings and limits used")
    arithmetic: Prose | None = Field(default=None, description="The sum with its numbers put in")
    next_step: Prose | None = Field(default=None, description="What to do about it")
    stops: bool = Field(default=False, description="Whether work stops here until it is fixed")


_WORST = {"fail": 4, "unknown": 3, "watch": 2, "pass": 1, "note": 0}


def worst(verdicts: list[Verdict]) -> Verdict:
    """Return the gravest of several verdicts; an empty list is ``unknown``.

    >>> worst(["pass", "watch", "note"])
    'watch'
    """
    return max(verdicts, key=_WORST.__getitem__, default="unknown")


# A temperature, a difference of two and a distance are written so that whoever reads in °C and meters is told
# them so: each by the blank before its unit. What is written with an ordinary blank stands as it is.
_TEMPERATURE, _DIFFERENCE, _DISTANCE = "\u00a0°F", "\u202f°F", "\u00a0ft"
_DIFFERENCES = (
    "superheat",
    "subcooling",
    "condensing_over",
    "rise_",
    "delta_t",
    "plus_minus",
    "compare_outdoor",
    "over_f",
    "apart_f",
)


def is_difference(name: str) -> bool:
    """Tell whether a quantity in °F is the difference of two temperatures.

    >>> is_difference("superheat_low_f"), is_difference("outdoor_f"), is_difference("rise_ft")
    (True, False, False)
    """
    return name.endswith("_f") and name.startswith(_DIFFERENCES)


def temperature(value_f: float, digits: int | None = None) -> str:
    """Write a temperature for a sentence; ``digits`` after the point, or as many as it has.

    >>> temperature(95.0), temperature(61.54, 0)
    ('95\\xa0°F', '62\\xa0°F')
    """
    return _written(value_f, digits) + _TEMPERATURE


def apart(value_f: float, digits: int | None = None) -> str:
    """Write the difference of two temperatures for a sentence.

    >>> apart(12.0)
    '12\\u202f°F'
    """
    return _written(value_f, digits) + _DIFFERENCE


def feet(value_ft: float) -> str:
    """Write a distance for a sentence.

    >>> feet(25.0)
    '25\\xa0ft'
    """
    return _written(value_ft, None) + _DISTANCE


def _written(value: float, digits: int | None) -> str:
    return f"{value:g}" if digits is None else f"{value:.{digits}f}"


def say(value: float, unit: str = "", digits: int = 4) -> str:
    """Write a figure the way it is spoken at the unit: short, with its unit.

    A temperature or a distance is written as ``temperature`` and ``feet`` do; a difference is not known here.

    >>> say(24.8750, "A")
    '24.88 A'
    >>> say(240.0, "V")
    '240 V'
    """
    text = f"{value:.{digits}g}"
    if "e" in text:
        text = f"{value:.0f}"
    blank = "\u00a0" if unit in ("°F", "ft") else " "
    return f"{text}{blank}{unit}".strip()


def inputs(**values: JsonValue) -> Mapping[str, JsonValue]:
    """Drop the inputs that were not given, so that evidence lists only what was used."""
    return {name: value for name, value in values.items() if value is not None}
