"""A reading: quantity, value, unit, where, how, state, when, who. Never edited away.

The register of quantities says what each is called, in what unit, in which state of the call it may be
taken, and what would be surprising enough to ask about.
"""

from typing import Annotated, Literal

from pydantic import Field, StrictBool, StrictStr, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.measure.meter import Aid, Conductor, MeterMode, Outcome, TimedBy
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import (
    Amps,
    Count,
    Fahrenheit,
    Flag,
    Frozen,
    Minutes,
    Moment,
    Percent,
    Seconds,
    Sentence,
    Volts,
    say,
)
from orange_crank.core.plate import Plate
from orange_crank.core.safety.state import Work

Quantity = Literal[
    "to_ground",
    "shell_hot",
    "winding_cs_ohm",
    "winding_cr_ohm",
    "winding_sr_ohm",
    "run_cap_uf",
    "fan_cap_uf",
    "start_cap_uf",
    "contactor_look",
    "can_look",
    "can_label_uf",
    "pins_found",
    "lug_torque",
    "coil_ohm",
    "fuse_open",
    "coil_v",
    "inrush_a",
    "running_a",
    "fan_a",
    "run_a",
    "start_a",
    "contactor_drop_v",
    "line_v_idle",
    "line_v_run",
    "start_time_s",
    "cycles_count",
    "outdoor_f",
]
ValueKind = Literal["figure", "figure_or_open", "flag", "word"]


class QuantityNote(Frozen):
    """What a quantity is, and how it is entered."""

    quantity: Quantity
    label: Prose
    unit: str
    work: Work = Field(description="State of the call it may be taken in")
    low: float = Field(description="Smallest value a meter of this trade can show")
    high: float = Field(description="Largest value a meter of this trade can show")
    how: Prose = Field(description="Where and how it is taken, in one line")
    kind: ValueKind = "figure"
    words: tuple[str, ...] = Field(default=(), description="The words it may be, where it is a word")


def _note(
    quantity: Quantity,
    label: str,
    unit: str,
    work: Work,
    low: float,
    high: float,
    how: str,
    kind: ValueKind = "figure",
    words: tuple[str, ...] = (),
) -> QuantityNote:
    return QuantityNote(
        quantity=quantity,
        label=label,
        unit=unit,
        work=work,
        low=low,
        high=high,
        how=how,
        kind=kind,
        words=words,
    )


_PAIR = msg("Leads off R, S and C; probes on the two pins.")
_LIFTED = msg("Off circuit, bled and measured; wires lifted.")

QUANTITIES: dict[Quantity, QuantityNote] = {
    note.quantity: note
    for note in (
        _note(
            "to_ground",
            msg("To ground"),
            "",
            "dead",
            0,
            1,
            msg("Each load-side contactor terminal to bare metal, contactor open. Yes means continuity."),
            "flag",
        ),
        _note(
            "shell_hot", msg("Shell hot"), "", "any", 0, 1, msg("Back of the hand near the shell."), "flag"
        ),
        _note("winding_cs_ohm", "C–S", "Ω", "dead", 0, 1e6, _PAIR, "figure_or_open"),
        _note("winding_cr_ohm", "C–R", "Ω", "dead", 0, 1e6, _PAIR, "figure_or_open"),
        _note("winding_sr_ohm", "S–R", "Ω", "dead", 0, 1e6, _PAIR, "figure_or_open"),
        _note("run_cap_uf", msg("Run capacitor, C–HERM"), "µF", "dead", 0, 500, _LIFTED),
        _note("fan_cap_uf", msg("Fan capacitor, C–FAN"), "µF", "dead", 0, 100, _LIFTED),
        _note(
            "start_cap_uf",
            msg("Start capacitor"),
            "µF",
            "dead",
            0,
            2_000,
            msg("Kit lifted, bled and measured."),
        ),
        _note(
            "contactor_look",
            msg("Contacts look"),
            "",
            "dead",
            0,
            1,
            msg("Cover off, contactor open."),
            "word",
            ("clean", "pitted", "burnt", "welded", "insects"),
        ),
        _note(
            "can_look",
            msg("Run capacitor's can"),
            "",
            "dead",
            0,
            1,
            msg("Top, seam and tabs. Bulge, oil or a burnt tab is out whatever it measures."),
            "word",
            ("clean", "bulged", "oily", "burnt_tab", "rusty"),
        ),
        _note(
            "can_label_uf",
            msg("µF on the capacitor label"),
            "µF",
            "dead",
            0.5,
            500,
            msg("As printed on the can that is there."),
        ),
        _note(
            "pins_found",
            msg("Compressor pins by ohms: top, left, right"),
            "",
            "dead",
            0,
            1,
            msg("Highest pair is R and S; what is left is C. C to S reads more than C to R."),
            "word",
            ("C S R", "C R S", "S C R", "S R C", "R C S", "R S C"),
        ),
        _note(
            "lug_torque",
            msg("Lug tightened to"),
            "in·lb",
            "dead",
            1,
            1_000,
            msg("Torque screwdriver, to the lug's own label. Say which lug."),
        ),
        _note(
            "coil_ohm",
            msg("Contactor coil"),
            "Ω",
            "dead",
            0,
            1e6,
            msg("One coil lead off."),
            "figure_or_open",
        ),
        _note(
            "fuse_open",
            msg("Fuse open"),
            "",
            "dead",
            0,
            1,
            msg("Fuse pulled, end to end. Yes means open."),
            "flag",
        ),
        _note("coil_v", msg("Coil volts"), "V", "control", 0, 600, msg("At the coil, pulled in.")),
        _note(
            "inrush_a",
            "Inrush",
            "A",
            "live",
            0,
            3_000,
            msg("Clamp on common (C) alone. Five minutes' rest. Arm it after the fan runs."),
        ),
        _note(
            "running_a",
            msg("Running amps"),
            "A",
            "live",
            0,
            1_000,
            msg("Clamp on common (C), settled a minute."),
        ),
        _note(
            "fan_a", msg("Fan amps"), "A", "live", 0, 100, msg("Clamp on one fan lead, fan at full speed.")
        ),
        _note(
            "run_a",
            msg("Run lead amps"),
            "A",
            "live",
            0,
            1_000,
            msg("On the wire to R alone, not the capacitor's leg."),
        ),
        _note("start_a", msg("Start lead amps"), "A", "live", 0, 300, msg("On the wire to S, settled.")),
        _note(
            "contactor_drop_v",
            msg("Drop across a closed pole"),
            "V",
            "live",
            0,
            20,
            msg("Across one closed pole, compressor running. The worst pole counts."),
        ),
        _note(
            "line_v_idle",
            msg("Line volts, idle"),
            "V",
            "live",
            0,
            1_000,
            msg("Contactor line side, nothing running."),
        ),
        _note(
            "line_v_run",
            msg("Line volts, running"),
            "V",
            "live",
            0,
            1_000,
            msg("Contactor load side, running."),
        ),
        _note(
            "start_time_s",
            msg("Start time"),
            "s",
            "live",
            0.02,
            120,
            (
                msg(
                    "First hum to steady hum: two taps or the microphone. Works even if you missed "
                    "the inrush shot."
                )
            ),
        ),
        _note(
            "cycles_count",
            msg("Starts counted"),
            "starts",
            "any",
            0,
            1e8,
            msg("The count on an electronic contactor's display."),
        ),
        _note(
            "outdoor_f",
            msg("Outdoor temperature"),
            "°F",
            "any",
            -60,
            150,
            msg("In the shade, at the air into the coil."),
        ),
    )
}


def quantity_note(name: str) -> QuantityNote:
    """Return the note on a quantity by its stored name."""
    return next(note for note in QUANTITIES.values() if note.quantity == name)


ShortWord = Annotated[StrictStr, Field(min_length=1, max_length=40)]


LeadOhms = Annotated[
    float, Field(strict=True, ge=0, le=100, allow_inf_nan=False, json_schema_extra={"unit": "Ω"})
]
PlusMinus = Annotated[float, Field(strict=True, ge=0, le=1e6, allow_inf_nan=False)]


class NewReading(Frozen):
    """A reading as it is entered."""

    quantity: Quantity
    value: StrictBool | Annotated[float, Field(strict=True, allow_inf_nan=False)] | ShortWord = Field(
        description="A figure, true or false, or one of the quantity's words"
    )
    mode: MeterMode | None = None
    conductor: Conductor | None = None
    volts: Volts | None = Field(default=None, description="Line voltage beside this reading [V]")
    outdoor_f: Fahrenheit | None = None
    rest_min: Minutes | None = Field(default=None, description="Time since it last ran [min]")
    learning_starts: Count | None = None
    outcome: Outcome | None = None
    seconds: Seconds | None = Field(default=None, description="How long the start took [s]")
    later_a: Amps | None = Field(default=None, description="Same place, one second on [A]")
    lead_ohm: LeadOhms | None = Field(
        default=None, description="The meter's own leads, shorted together, as read with it [Ω]"
    )
    accuracy_pct: Percent | None = Field(default=None, description="Meter accuracy, ± percent of reading")
    plus_minus: PlusMinus | None = Field(
        default=None, description="Uncertainty of the value, in its own unit"
    )
    timed_by: TimedBy | None = Field(default=None, description="How a start time was taken")
    aid: Aid | None = None
    spot: ShortWord | None = Field(
        default=None, description="Which pole, lug or wire, where a part has several"
    )
    note: Sentence | None = None
    taken_at: Moment | None = Field(default=None, description="When; now if left out")
    supersedes_id: Count | None = Field(default=None, description="Reading this one corrects")
    typed_over: Flag = Field(
        default=False,
        description="Typed over the one of supersedes_id in its field: a slip corrects it, a second "
        "measurement is kept beside it; the record decides which",
    )
    without_make_safe: Sentence | None = Field(
        default=None, description="Reason for a dead reading without a make-safe record"
    )

    @model_validator(mode="after")
    def _within_what_a_meter_shows(self) -> "NewReading":
        note = QUANTITIES[self.quantity]
        wanted = _unlike(note, self.value)
        if wanted is not None:
            raise PydanticCustomError("value_error", "{error}", {"field": "value", "error": wanted})
        if self.lead_ohm is not None and isinstance(self.value, float) and self.lead_ohm > self.value:
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {
                    "field": "lead_ohm",
                    "error": msg("at most the {value:g} Ω that were read with them", value=self.value),
                },
            )
        if self.quantity == "inrush_a":
            for name in ("mode", "conductor"):
                if getattr(self, name) is None:
                    words = {
                        "mode": msg("the meter mode: without it the number means nothing"),
                        "conductor": msg("the wire the clamp was on"),
                    }
                    raise PydanticCustomError("value_error", "{error}", {"field": name, "error": words[name]})
        return self


def _unlike(note: QuantityNote, value: bool | float | str) -> str | None:
    """Return what is wanted when a value is not of the quantity's kind, else None."""
    if note.kind == "flag":
        return None if isinstance(value, bool) else msg("true or false")
    if note.kind == "word":
        return None if value in note.words else msg("one of ") + joined(note.words, ", ")
    if note.kind == "figure_or_open" and value == "open":
        return None
    if isinstance(value, bool | str):
        return msg("a number") + (msg(' or "open"') if note.kind == "figure_or_open" else "")
    if not note.low <= value <= note.high:
        return msg(
            "{label} between {low} and {high}",
            label=note.label,
            low=say(note.low),
            high=say(note.high, note.unit),
        )
    return None


class Question(Frozen):
    """A value that is possible but surprising: a question, not a scolding."""

    text: Prose
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
    if quantity == "run_cap_uf" and plate.run_cap_uf:
        return (0.5 * plate.run_cap_uf, 1.3 * plate.run_cap_uf)
    if quantity == "fan_cap_uf" and plate.fan_cap_uf:
        return (0.5 * plate.fan_cap_uf, 1.3 * plate.fan_cap_uf)
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
    words = msg(
        "{value}? Usual here is {usual} to {usual_2}.",
        value=say(entry.value, unit),
        usual=say(usual[0], "", 3),
        usual_2=say(usual[1], unit, 3),
    )
    return QuestionOut(question=Question(text=words))


def no_such_reading(reading_id: int) -> InputProblem:
    """Refuse a correction of a reading that is not on this call."""
    return InputProblem(
        [
            FieldProblem(
                field="supersedes_id",
                wanted=msg("a standing reading of the same quantity on this call"),
                got=reading_id,
            )
        ],
        next_step=msg("Correct the reading from the list on this call."),
    )
