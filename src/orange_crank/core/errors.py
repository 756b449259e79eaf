"""Everything the core can refuse, as one small tree.

::

    CrankError
    ├── InputProblem     a value is missing, impossible or of the wrong kind (names the fields)
    ├── BeyondTable      nothing in a table is large enough; says who decides instead
    └── GateClosed       the work asked for is not safe yet; says what opens the gate

Messages follow one pattern: what was wanted, what came, where the good values are.
"""

import math
import re
from collections.abc import Iterable, Mapping
from functools import cache
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, JsonValue, ValidationError, computed_field

from orange_crank.core.messages import Prose, joined, msg

_CAPITALS = frozenset(
    ("rla", "lra", "fla", "mca", "mocp", "va", "id", "hp", "ptc", "emf", "cfm", "kw", "cs", "cr", "sr")
)
_WORDS = {
    "bcsc": msg("branch-circuit selection current"),
    "mcc": msg("maximum continuous current"),
    "pct": "percent",
    "cap": "capacitor",
}
# Where the words of a field's name are not what the trade calls it.
_NAMED = {
    "ambient_f": msg("highest ambient"),
    "termination_c": msg("lug marks"),
    "current_carrying_conductors": msg("current-carrying conductors"),
    "rooftop_clearance_in": msg("conduit above roof"),
    "altitude_ft": "elevation",
    "conductor_awg": msg("conductor size"),
    "egc_awg": msg("ground size"),
    "egc_material": msg("ground metal"),
    "drop_limit_pct": msg("voltage drop limit"),
    "school": msg("wire sized to"),
    "length_ft": msg("length, one way"),
    "available_fault_a": msg("fault current"),
    "blower_fla_a": "blower",
    "delta_t_f": msg("temperature rise"),
    "supply_v": "supply",
    "line_a_index": msg("current column"),
    "line_v_index": msg("voltage column"),
    "line_a_factor": msg("clamp ratio"),
    "line_v_factor": msg("voltage probe ratio"),
}
_UNIT = re.compile(r"_(a|v|uf|ohm|w|f|min|s|j|ma|hz|ft|in|psig|megohm|kw|va|c|px|db)$")
_STEP = re.compile(r"(.*?)\[(\d+)\]$")


@cache
def field_words(path: str) -> str:
    """Return a field's path as a person says it.

    >>> field_words("compressors[0].lra_a")
    'Compressor 1, LRA'
    >>> field_words("Idempotency-Key")
    'Idempotency-Key'
    """
    found = []
    for step in path.split("."):
        numbered = _STEP.match(step)
        plain = numbered[1] if numbered else step
        if plain in _NAMED:
            found.append(_NAMED[plain])
            continue
        name = _UNIT.sub("", plain)
        words = joined((w.upper() if w in _CAPITALS else _WORDS.get(w, w) for w in name.split("_") if w), " ")
        found.append(f"{words.removesuffix('s')} {int(numbered[2]) + 1}" if numbered else words)
    said = joined((f for f in found if f), ", ")
    return said[:1].upper() + said[1:]


class FieldProblem(BaseModel):
    """One field that cannot be used, in words a person can act on."""

    model_config = ConfigDict(frozen=True)

    field: str = Field(description="Path of the field, e.g. compressors[0].lra_a")
    wanted: Prose = Field(description="What would be accepted")
    got: JsonValue = Field(default=None, description="What came")

    @computed_field(description="The field as a person says it")  # type: ignore[prop-decorator]
    @property
    def label(self) -> str:
        """The field as a person says it."""
        return field_words(self.field)


class Problem(BaseModel):
    """A refusal as problem details (RFC 9457 members plus ``errors``)."""

    model_config = ConfigDict(frozen=True)

    title: Prose
    detail: Prose
    code: str = Field(default="refused", description="Which refusal it is, for programs")
    status: int | None = None
    errors: list[FieldProblem] = Field(default_factory=list)
    next_step: Prose | None = Field(default=None, description="What to do now")


class CrankError(Exception):
    """Root of every refusal the product makes on purpose."""

    title = msg("Refused")
    code = "refused"

    def __init_subclass__(cls) -> None:
        """Name the refusal for programs by its class: ``BeyondTable`` is ``beyond_table``."""
        cls.code = re.sub(r"(?<=[a-z])(?=[A-Z])", "_", cls.__name__).lower()

    def __init__(self, detail: str, *, next_step: str | None = None) -> None:
        super().__init__(detail)
        self.detail = detail
        self.next_step = next_step

    def problem(self) -> Problem:
        """Return the refusal as problem details."""
        return Problem(title=self.title, detail=self.detail, code=self.code, next_step=self.next_step)


class InputProblem(CrankError):
    """A value is missing, impossible or of the wrong kind."""

    title = msg("Check the entry")

    def __init__(self, errors: Iterable[FieldProblem], *, next_step: str | None = None) -> None:
        self.errors = list(errors)
        super().__init__(
            joined(
                (msg("{label}: enter {wanted}", label=e.label, wanted=e.wanted) for e in self.errors), "; "
            ),
            next_step=next_step,
        )

    def __reduce__(self) -> tuple[Any, ...]:
        """Let a refusal cross from one process to another whole."""
        return _input_problem_again, (self.errors, self.next_step)

    def problem(self) -> Problem:
        """Return the refusal with one entry per field."""
        return Problem(
            title=self.title,
            detail=self.detail,
            code=self.code,
            errors=self.errors,
            next_step=self.next_step,
        )


def _input_problem_again(errors: list[FieldProblem], next_step: str | None) -> InputProblem:
    return InputProblem(errors, next_step=next_step)


class BeyondTable(CrankError):
    """No entry of a table is large enough; sizes are chosen, never extrapolated."""

    title = msg("Beyond the table")


class OutOfReach(CrankError):
    """A device beside the program does not answer."""

    title = msg("Out of reach")


class GateClosed(CrankError):
    """The work asked for is not safe yet."""

    title = msg("Not yet")


_KIND_WORDS = {
    "float_type": msg("a number"),
    "float_parsing": msg("a number"),
    "finite_number": msg("a finite number"),
    "int_type": msg("a whole number"),
    "int_parsing": msg("a whole number"),
    "int_from_float": msg("a whole number"),
    "bool_type": msg("true or false"),
    "bool_parsing": msg("true or false"),
    "string_type": "text",
    "list_type": msg("a list"),
    "dict_type": msg("an object"),
    "model_type": msg("an object"),
    "model_attributes_type": msg("an object"),
    "missing": msg("a value; it is required here"),
    "extra_forbidden": msg("nothing: this field is not known here"),
    "json_invalid": msg("valid JSON"),
    "datetime_from_date_parsing": msg("a date and time with its zone"),
    "timezone_aware": msg("a date and time with its zone"),
}
_BOUND_WORDS = {
    "greater_than": ("gt", "a number above {bound}"),
    "greater_than_equal": ("ge", "a number of at least {bound}"),
    "less_than": ("lt", "a number below {bound}"),
    "less_than_equal": ("le", "a number of at most {bound}"),
    "string_too_short": ("min_length", "text of at least {bound} characters"),
    "string_too_long": ("max_length", "text of at most {bound} characters"),
    "too_short": ("min_length", "at least {bound} entries"),
    "too_long": ("max_length", "at most {bound} entries"),
}


def _wanted(error: Mapping[str, Any]) -> str:
    kind = error["type"]
    context = error.get("ctx", {})
    if kind in _BOUND_WORDS:
        key, words = _BOUND_WORDS[kind]
        bound = context[key]
        return msg(words, bound=f"{bound:g}" if isinstance(bound, int | float) else bound)
    if kind in _KIND_WORDS:
        return _KIND_WORDS[kind]
    if kind in {"literal_error", "enum"}:
        return msg("one of ") + str(context["expected"]).replace("'", "").replace(" or ", ", ")
    if kind == "value_error":
        return str(context.get("error", error["msg"])).removeprefix("Value error, ")
    return str(error["msg"])


def field_path(location: Iterable[int | str]) -> str:
    """Join a location into ``compressors[0].lra_a`` form.

    >>> field_path(("compressors", 0, "lra_a"))
    'compressors[0].lra_a'
    """
    path = ""
    for step in location:
        path += f"[{step}]" if isinstance(step, int) else (f".{step}" if path else str(step))
    return path


def printable(value: object, *, depth: int = 3) -> JsonValue:
    """Return ``value`` in a form JSON can carry: no NaN, nothing unbounded."""
    if value is None or (isinstance(value, bool | int) and abs(int(value)) < 10**15):
        return value
    if isinstance(value, float):
        return value if math.isfinite(value) else str(value)
    if isinstance(value, bytes):
        value = value.decode("utf-8", "replace")
    if isinstance(value, str):
        # Half a character cannot be written down: what stands for it can.
        value = value.encode("utf-8", "replace").decode("utf-8")
        return value if len(value) <= 120 else value[:117] + "..."
    if depth and isinstance(value, Mapping):
        return {str(k)[:60]: printable(v, depth=depth - 1) for k, v in list(value.items())[:12]}
    if depth and isinstance(value, list | tuple):
        return [printable(v, depth=depth - 1) for v in value[:12]]
    text = type(value).__name__ if isinstance(value, Mapping | list | tuple) else repr(value)
    return text if len(text) <= 120 else text[:117] + "..."


MOST_NAMED = 3
_UNION_BRANCH = {"float", "bool", "int", "str", "constrained-float", "constrained-str"}


def input_problem(error: ValidationError | Iterable[Mapping[str, Any]], skip: int = 0) -> InputProblem:
    """Translate validation errors into the core's own refusal.

    Parameters
    ----------
    error : the validation error, or its list of error mappings
    skip : how many leading steps of each location to drop (``body`` over HTTP)

    """
    rows = error.errors(include_url=False) if isinstance(error, ValidationError) else error
    problems: list[FieldProblem] = []
    for row in rows:
        where = [s for s in tuple(row["loc"])[skip:] if s not in _UNION_BRANCH and "[" not in str(s)]
        declared = row.get("ctx", {}).get("field")
        if row["type"] == "json_invalid":
            where = []
        name = declared or field_path(where) or msg("(whole entry)")
        found = FieldProblem(
            field=name,
            wanted=_wanted(row),
            got=None if row["type"] == "missing" or declared else printable(row.get("input")),
        )
        if found not in problems:
            problems.append(found)
    return InputProblem(problems, next_step=_next_step(problems))


def _next_step(problems: list[FieldProblem]) -> str:
    """Return what to do about fields that cannot be used."""
    labels = list(dict.fromkeys(p.label for p in problems))
    named = joined(labels[:MOST_NAMED], ", ") + (msg(" and the rest") if len(labels) > MOST_NAMED else "")
    return msg("Correct {named} and try again; nothing was saved.", named=named)
