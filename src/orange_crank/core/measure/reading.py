"""A reading: quantity, value, unit, where, how, state, when, who. Never edited away.

The register of quantities says what each is called, in what unit, in which state of the call it may be
taken, and what would be surprising enough to ask about.
"""

from typing import Annotated, Literal

from pydantic import AwareDatetime, Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.measure.meter import Aid, Conductor, MeterMode, Outcome
from orange_crank.core.nomenclature import (
    Amps,
    Count,
    Fahrenheit,
    Frozen,
    Minutes,
    Seconds,
    Sentence,
    Volts,
    say,
)
from orange_crank.core.plate import Plate
from orange_crank.core.safety.state import Work

Quantity = Literal["inrush_a", "running_a", "fan_a", "line_v_idle", "line_v_run", "outdoor_f"]
Rung = Literal["live", "prove"]


class QuantityNote(Frozen):
    """What a quantity is, and how it is entered."""

    quantity: Quantity
    label: str
    unit: str
    work: Work = Field(description="State of the call it may be taken in")
    low: float = Field(description="Smallest value a meter of this trade can show")
    high: float = Field(description="Largest value a meter of this trade can show")
    how: str = Field(description="Where and how it is taken, in one line")


QUANTITIES: dict[Quantity, QuantityNote] = {
    note.quantity: note
    for note in (
        QuantityNote(
            quantity="inrush_a",
            label="Inrush",
            unit="A",
            work="live",
            low=0.1,
            high=3_000,
            how="Clamp on common (C) alone. Five minutes' rest. Arm it after the fan runs.",
        ),
        QuantityNote(
            quantity="running_a",
            label="Running amps",
            unit="A",
            work="live",
            low=0.05,
            high=1_000,
            how="Clamp on common (C), settled at least a minute.",
        ),
        QuantityNote(
            quantity="fan_a",
            label="Fan amps",
            unit="A",
            work="live",
            low=0.02,
            high=100,
            how="Clamp on one fan lead, fan at full speed.",
        ),
        QuantityNote(
            quantity="line_v_idle",
            label="Line volts, idle",
            unit="V",
            work="live",
            low=0,
            high=1_000,
            how="Contactor line side, nothing running.",
        ),
        QuantityNote(
            quantity="line_v_run",
            label="Line volts, running",
            unit="V",
            work="live",
            low=0,
            high=1_000,
            how="Contactor load side, compressor running.",
        ),
        QuantityNote(
            quantity="outdoor_f",
            label="Outdoor temperature",
            unit="°F",
            work="any",
            low=-60,
            high=150,
            how="In the shade, at the air going into the coil.",
        ),
    )
}


class NewReading(Frozen):
    """A reading as it is entered."""

    quantity: Quantity
    value: Annotated[float, Field(strict=True, ge=-1e6, le=1e6, allow_inf_nan=False)]
    mode: MeterMode | None = None
    conductor: Conductor | None = None
    volts: Volts | None = Field(default=None, description="Line voltage beside this reading [V]")
    outdoor_f: Fahrenheit | None = None
    rest_min: Minutes | None = Field(default=None, description="Time since it last ran [min]")
    learning_starts: Count | None = None
    outcome: Outcome | None = None
    seconds: Seconds | None = Field(default=None, description="How long the start took [s]")
    later_a: Amps | None = Field(default=None, description="Same place, one second on [A]")
    aid: Aid | None = None
    note: Sentence | None = None
    taken_at: AwareDatetime | None = Field(default=None, description="When; now if left out")
    supersedes_id: Count | None = Field(default=None, description="Reading this one corrects")
    without_make_safe: Sentence | None = Field(
        default=None, description="Reason for a dead reading without a make-safe record"
    )

    @model_validator(mode="after")
    def _within_what_a_meter_shows(self) -> "NewReading":
        note = QUANTITIES[self.quantity]
        if not note.low <= self.value <= note.high:
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {
                    "field": "value",
                    "error": f"{note.label.lower()} between {say(note.low)} and {say(note.high, note.unit)}",
                },
            )
        if self.quantity == "inrush_a":
            for name in ("mode", "conductor", "volts"):
                if getattr(self, name) is None:
                    words = {
                        "mode": "the meter mode: without it the number means nothing",
                        "conductor": "the wire the clamp was on",
                        "volts": "the line voltage during the start",
                    }
                    raise PydanticCustomError("value_error", "{error}", {"field": name, "error": words[name]})
        return self


class Question(Frozen):
    """A value that is possible but surprising: a question, not a scolding."""

    text: str
    maybe: float | None = Field(default=None, description="What was perhaps meant")


class QuestionIn(Frozen):
    """A value about to be saved, with the plate it belongs to."""

    quantity: Quantity
    value: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=-1e9, le=1e9)]
    plate: Plate | None = None


class QuestionOut(Frozen):
    """The question to ask, if there is one."""

    question: Question | None


def expected_range(quantity: Quantity, plate: Plate | None) -> tuple[float, float] | None:
    """Return the range in which a value surprises nobody, or None when the plate does not tell."""
    if quantity == "outdoor_f":
        return (0.0, 125.0)
    if plate is None:
        return None
    first = plate.compressors[0]
    if quantity in ("line_v_idle", "line_v_run"):
        return (0.75 * plate.volts, 1.2 * plate.volts)
    if quantity == "running_a":
        return (0.25 * first.rla_a, 1.6 * first.rla_a)
    if quantity == "inrush_a" and first.lra_a is not None:
        return (0.15 * first.lra_a, 1.7 * first.lra_a)
    if quantity == "fan_a" and plate.motors:
        return (0.2 * plate.motors[0].fla_a, 2.5 * plate.motors[0].fla_a)
    return None


def question_value(entry: QuestionIn) -> QuestionOut:
    """Ask about a surprising value, with what was perhaps meant.

    >>> plate = Plate(volts=230, phase=1, compressors=[{"rla_a": 16.7, "lra_a": 97}])
    >>> question_value(QuestionIn(quantity="running_a", value=152, plate=plate)).question.text
    '15.2 A?'
    """
    usual = expected_range(entry.quantity, entry.plate)
    unit = QUANTITIES[entry.quantity].unit
    if usual is None or usual[0] <= entry.value <= usual[1]:
        return QuestionOut(question=None)
    for factor in (0.1, 10.0, 0.01):
        maybe = round(entry.value * factor, 4)
        if usual[0] <= maybe <= usual[1]:
            return QuestionOut(question=Question(text=f"{say(maybe, unit)}?", maybe=maybe))
    words = f"{say(entry.value, unit)}? Usual here is {say(usual[0], '', 3)} to {say(usual[1], unit, 3)}."
    return QuestionOut(question=Question(text=words))


def no_such_reading(reading_id: int) -> InputProblem:
    """Refuse a correction of a reading that is not on this call."""
    return InputProblem(
        [
            FieldProblem(
                field="supersedes_id",
                wanted="a standing reading of the same quantity on this call",
                got=reading_id,
            )
        ],
        next_step="Correct the reading from the list on this call.",
    )
