"""What a customer agreed to before the work: who, when, what exactly, and how it was given."""

from itertools import pairwise
from typing import Annotated

from pydantic import Field, field_validator, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.handover.money import Currency
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Flag, Frozen, Word

Unit = Annotated[float, Field(strict=True, ge=0, le=1, allow_inf_nan=False)]
Price = Annotated[
    float, Field(strict=True, gt=0, le=1e6, allow_inf_nan=False, json_schema_extra={"unit": "1"})
]
Point = Annotated[list[Unit], Field(min_length=2, max_length=2)]
Stroke = Annotated[list[Point], Field(min_length=1, max_length=2_000)]
# A signature goes somewhere: a dot, or a trembling one, does not.
LEAST_INK = 0.15
# Options after which nothing is done on this visit.
NO_WORK = frozenset({"as_it_is", "replace_compressor", "replace_unit"})
MOST_POINTS = 3_000  # a row keeps 64 kB of text


class Signature(Frozen):
    """A drawn signature: strokes of points, each as a share of the field's width and height."""

    strokes: Annotated[list[Stroke], Field(min_length=1, max_length=200)]

    @field_validator("strokes")
    @classmethod
    def _short(cls, strokes: list[list[Point]]) -> list[list[Point]]:
        """Keep a thousandth of the field: finer than any pen, and small enough to keep."""
        return [[[round(x, 3), round(y, 3)] for x, y in s] for s in strokes]

    @model_validator(mode="after")
    def _goes_somewhere(self) -> "Signature":
        points = sum(len(s) for s in self.strokes)
        ink = sum(
            ((b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2) ** 0.5
            for stroke in self.strokes
            for a, b in pairwise(stroke)
        )
        if points > MOST_POINTS:
            raise _refuse("strokes", msg("a shorter signature; sign again"))
        if ink < LEAST_INK:
            raise _refuse(
                "strokes", msg("a signature; this is a dot. Or enter who heard the customer say yes")
            )
        return self


class NewAgreement(Frozen):
    """A yes as it is given, to what the screen shows."""

    options: Annotated[list[Word], Field(min_length=1, max_length=6)] = Field(
        description="Which of the options shown, by their keys"
    )
    name: Word = Field(description="Who agrees")
    shown_total: float | None = Field(
        default=None, allow_inf_nan=False, description="The total as it was shown; None where none was known"
    )
    prices: dict[Word, Price] = Field(
        default_factory=dict,
        max_length=6,
        description="A price typed for an option that has none, by its key, tax included",
    )
    trial: Flag = Field(default=False, description="The trial of a start kit on a locked rotor is included")
    signature: Signature | None = None
    heard_by: Word | None = Field(default=None, description="Given by word: who heard it, and how")

    @model_validator(mode="after")
    def _given_somehow(self) -> "NewAgreement":
        if (self.signature is None) == (self.heard_by is None):
            raise _refuse("signature", msg("a drawn signature, or who heard the yes: one of the two"))
        return self


class Agreement(Frozen):
    """What was agreed, frozen as it was shown."""

    name: Word
    keys: list[Word] = Field(default_factory=list, description="The options agreed to, by their keys")
    what: list[str] = Field(description="What exactly was agreed, in words")
    total: float | None
    currency: Currency
    trial: Flag
    signature: Signature | None = None
    heard_by: Word | None = None
    planned_min: float | None = Field(default=None, description="Labor it was priced with [min]")

    @property
    def work_keys(self) -> list[str]:
        """The options that are work on this visit: leaving it, or replacing the machine later, is none."""
        return [k for k in self.keys if k not in NO_WORK]


def signature_path(signature: Signature, width: float = 300.0, height: float = 100.0) -> str:
    """Return a signature as an SVG path."""
    parts = []
    for stroke in signature.strokes:
        points = [f"{x * width:.1f} {y * height:.1f}" for x, y in stroke]
        parts.append(f"M{points[0]}" + "".join(f"L{p}" for p in points[1:] or points))
    return "".join(parts)


def _refuse(field: str, wanted: str) -> PydanticCustomError:
    return PydanticCustomError("value_error", "{error}", {"field": field, "error": wanted})
