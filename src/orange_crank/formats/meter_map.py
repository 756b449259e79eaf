"""What a Modbus/TCP meter holds where, from a small YAML file; registers into values by it."""

import math
import struct
from collections.abc import Mapping, Sequence
from functools import cache
from importlib.resources import files
from typing import Annotated, Any, Literal

import yaml
from pydantic import Field, ValidationError

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen

SHIPPED = ("bench", "analyzer")
MOST_BYTES, MOST_VALUES = 64 * 1024, 200
Function = Literal["holding", "input"]
Type = Literal["uint16", "int16", "uint32", "int32", "float32"]
MeterPlace = Literal[
    "panel", "line", "load", "pole", "coil", "start_winding", "common", "run", "start", "fan", "whole_unit"
]
MeterQuantity = Literal[
    "line_v", "contactor_drop_v", "coil_v", "start_winding_v", "running_a", "run_a", "start_a", "fan_a",
    "unit_a", "inrush_a",
]  # fmt: skip
VOLTS: frozenset[str] = frozenset({"line_v", "contactor_drop_v", "coil_v", "start_winding_v"})
# Beyond it no meter of this trade shows anything: words in the wrong order, or a broken line.
MOST: Mapping[str, float] = {"V": 1_000.0, "A": 5_000.0}
_WORDS: dict[str, int] = {"uint16": 1, "int16": 1, "uint32": 2, "int32": 2, "float32": 2}
_FORMS = {"uint16": ">H", "int16": ">h", "uint32": ">I", "int32": ">i", "float32": ">f"}
Address = Annotated[int, Field(strict=True, ge=0, le=65_535)]


class Register(Frozen):
    """One figure in the registers."""

    function: Function = "holding"
    address: Address
    type: Type = "uint16"
    word_order: Literal["big", "little"] = "big"

    @property
    def words(self) -> int:
        """How many registers it takes."""
        return _WORDS[self.type]


class MapValue(Register):
    """One value a meter gives, with what it is and where it is measured."""

    quantity: MeterQuantity
    place: MeterPlace
    mode: Literal["inrush", "max_hold", "peak"] | None = None
    scale: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] = 1.0

    @property
    def unit(self) -> str:
        """Its unit."""
        return "V" if self.quantity in VOLTS else "A"


class Arm(Frozen):
    """What is written to arm a one-shot."""

    address: Address
    value: Address = 1


class Dial(Frozen):
    """Where a meter's dial and probes are set, for one that can be told."""

    address: Address
    modes: dict[str, int]
    places: dict[str, int]


class Held(Frozen):
    """Where a meter holds the last start it recorded: two int16 a sample, amps and volts."""

    function: Function = "input"
    count: Address = Field(description="How many samples there are")
    rate: Address = Field(description="Samples a second")
    hertz: Address | None = Field(default=None, description="Line frequency")
    first: Address
    amps: Annotated[float, Field(gt=0, le=100)] = Field(description="What one count of current is worth [A]")
    volts: Annotated[float, Field(gt=0, le=100)] = Field(description="What one count of voltage is worth [V]")
    place: MeterPlace


class MeterMap(Frozen):
    """A meter: its device number and its values."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    device: Annotated[int, Field(strict=True, ge=0, le=247)] = 1
    host: Annotated[str, Field(max_length=200)] = "127.0.0.1"
    port: Annotated[int, Field(strict=True, ge=1, le=65_535)] | None = Field(
        default=None, description="The bench's own port where left out"
    )
    poll_ms: Annotated[int, Field(strict=True, ge=50, le=10_000)] = 100
    count: Register | None = Field(default=None, description="Counts up with every look")
    connected: Register | None = Field(default=None, description="How many are connected")
    arm: Arm | None = None
    recording: Held | None = None
    armed: Register | None = Field(default=None, description="Not zero while armed and not spent")
    switches: dict[str, Address] = Field(
        default_factory=dict, max_length=8, description="What of a simulated unit can be switched, by address"
    )
    dial: Dial | None = None
    values: Annotated[list[MapValue], Field(min_length=1, max_length=MOST_VALUES)]


class Shown(Frozen):
    """A value as a meter gives it now."""

    quantity: MeterQuantity
    place: MeterPlace
    mode: str | None
    unit: str
    value: float | None = Field(description="None where the meter is not, or gives nothing that can be")
    odd: str | None = Field(description="Why it cannot be, where it cannot")


def read_map(text: str) -> MeterMap:
    """Read a map.

    Raises
    ------
    InputProblem : no YAML, or a field that cannot be, by its line

    """
    if len(text) > MOST_BYTES:
        raise _refuse("file", "a map of at most 64 kB", f"{len(text) // 1024} kB")
    try:
        node = yaml.compose(text, Loader=yaml.SafeLoader)
        data = yaml.safe_load(text)
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        line = f"line {mark.line + 1}" if mark is not None else "file"
        raise _refuse(line, "YAML", str(getattr(error, "problem", error))[:120]) from None
    except RecursionError:
        raise _refuse("file", "YAML that is not nested so deep", "too deep") from None
    if not isinstance(data, dict):
        raise _refuse("line 1", "name, device and values, each on a line", "something else")
    try:
        return MeterMap.model_validate(data)
    except ValidationError as wrong:
        problems = [
            FieldProblem(
                field=f"line {_line(node, e['loc'])}, {'.'.join(str(p) for p in e['loc'])}",
                wanted=e["msg"],
                got=str(e.get("input"))[:60],
            )
            for e in wrong.errors()[:20]
        ]
        raise InputProblem(problems, next_step=msg("Fix these lines of the map and try again.")) from None


def _line(node: Any, path: Sequence[Any]) -> int:
    """Return the line a field stands on, or that of what it is missing from."""
    line = 1 if node is None else node.start_mark.line + 1
    for step in path:
        inner = None
        if isinstance(node, yaml.MappingNode):
            inner = next((v for k, v in node.value if k.value == str(step)), None)
        elif isinstance(node, yaml.SequenceNode) and isinstance(step, int) and step < len(node.value):
            inner = node.value[step]
        if inner is None:
            break
        node, line = inner, inner.start_mark.line + 1
    return line


@cache
def shipped_map(key: str) -> MeterMap:
    """Return a map that ships with the program."""
    return read_map((files(__package__) / "meters" / f"{key}.yaml").read_text("utf-8"))


def blocks(wanted: Sequence[Register]) -> list[tuple[Function, int, int]]:
    """Return which registers to ask for: function, first, count; near ones in one question.

    >>> blocks([Register(address=40, type="int32"), Register(address=42, type="int32")])
    [('holding', 40, 4)]
    """
    found: list[tuple[Function, int, int]] = []
    for r in sorted(wanted, key=lambda r: (r.function, r.address)):
        if found:
            function, first, count = found[-1]
            end = max(first + count, r.address + r.words)
            if function == r.function and r.address <= first + count + 8 and end - first <= 120:
                found[-1] = (function, first, end - first)
                continue
        found.append((r.function, r.address, r.words))
    return found


def figure_of(register: Register, words: Sequence[int]) -> float:
    """Return the figure in its registers; NaN stays NaN.

    >>> figure_of(Register(address=0, type="int32", word_order="little"), [41392, 3])
    238000.0
    """
    ordered = list(words) if register.word_order == "big" else list(words)[::-1]
    packed = struct.pack(f">{len(ordered)}H", *ordered)
    return float(struct.unpack(_FORMS[register.type], packed)[0])


def samples_of(held: Held, words: Sequence[int]) -> tuple[list[float], list[float]]:
    """Return amps and volts of a recording's registers, two a sample [A, V]."""
    signed = [w - 65_536 if w >= 32_768 else w for w in words]
    return [held.amps * w for w in signed[::2]], [held.volts * w for w in signed[1::2]]


def shown(value: MapValue, words: Sequence[int]) -> Shown:
    """Return a value as it stands in its registers, or why it cannot be."""
    figure = figure_of(value, words) * value.scale
    odd = None
    if math.isnan(figure):
        kept: float | None = None
    elif math.isinf(figure) or abs(figure) > MOST[value.unit] or (figure < 0 and value.unit == "V"):
        kept, odd = None, "No meter shows that. Look at type, word order and scale of its map."
    elif 0 < abs(figure) < 1e-30:
        kept, odd = None, "So small a figure is two words in the wrong order. Look at the map."
    else:
        kept = float(f"{figure:.6g}")  # a float32 holds no more
    return Shown(
        quantity=value.quantity, place=value.place, mode=value.mode, unit=value.unit, value=kept, odd=odd
    )


def _refuse(field: str, wanted: str, got: str) -> InputProblem:
    return InputProblem(
        [FieldProblem(field=field, wanted=wanted, got=got)], next_step=msg("Fix the map and try again.")
    )
