"""Parts as class and ratings only: what a list must say of each kind, and the neutral list that ships."""

from collections.abc import Mapping
from functools import cache
from typing import Annotated, Any, Literal, get_args

from pydantic import Field, ValidationError

from orange_crank.core.errors import FieldProblem, InputProblem, input_problem
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import Amps, Flag, Frozen, Microfarads, Ohms, Volts, Word
from orange_crank.core.plate.model import Horsepower
from orange_crank.core.tables import rows

PartKind = Literal[
    "start_capacitor", "kit_ptc", "kit_two_wire", "kit_three_wire", "three_in_one", "kit_multi_value",
    "relay",
    "soft_starter", "contactor", "contactor_electronic", "run_capacitor", "run_capacitor_dual",
    "run_capacitor_multi", "disconnect", "fuse", "breaker", "consumable",
]  # fmt: skip
KIND_WORDS: dict[PartKind, str] = {
    "start_capacitor": msg("Start capacitors"), "kit_ptc": msg("Kits, two-wire, thermistor"),
    "kit_two_wire": msg("Kits, two-wire, relay"), "kit_three_wire": msg("Kits, three-wire"),
    "three_in_one": "Three-in-one",
    "kit_multi_value": msg("Kits, multi-value"), "relay": msg("Potential relays"),
        "soft_starter": msg("Soft starters"),
    "contactor": "Contactors", "contactor_electronic": msg("Contactors, electronic"),
    "run_capacitor": msg("Run capacitors"), "run_capacitor_dual": msg("Run capacitors, dual"),
    "run_capacitor_multi": msg("Run capacitors, multi-tap"), "disconnect": "Disconnects", "fuse": "Fuses",
    "breaker": "Breakers", "consumable": "Consumables",
}  # fmt: skip
RELAY_COLUMNS = ("pickup_low_v", "pickup_high_v", "dropout_high_v", "continuous_v")
# What a part of each kind must say; without it nothing is chosen by guess.
REQUIRED: dict[PartKind, tuple[str, ...]] = {
    "start_capacitor": ("uf_low", "uf_high", "volts_ac"),
    "kit_ptc": ("cold_ohm", "volts_ac"),
    "kit_two_wire": ("uf_low", "uf_high", "volts_ac"),
    "kit_three_wire": ("uf_low", "uf_high", "volts_ac", *RELAY_COLUMNS),
    "three_in_one": ("hp_low", "hp_high", "volts_line", "uf_low", "uf_high"),
    "kit_multi_value": ("sections_uf", "volts_ac", *RELAY_COLUMNS),
    "relay": RELAY_COLUMNS,
    "soft_starter": ("rla_low_a", "rla_high_a", "lra_high_a", "volts_line", "leads", "min_off_s"),
    "contactor": ("poles", "fla_a", "lra_240_a", "coil_v", "coil_va"),
    "contactor_electronic": (
        "poles", "fla_a", "lra_240_a", "coil_v", "coil_va", "min_off_s", "brownout_v", "brownout_s",
    ),
    "run_capacitor": ("uf", "volts_ac"),
    "run_capacitor_dual": ("uf", "fan_uf", "volts_ac"),
    "run_capacitor_multi": ("sections_uf", "volts_ac"),
    "disconnect": ("amps_a", "poles", "fused"),
    "fuse": ("amps_a", "volts_line"),
    "breaker": ("amps_a", "poles", "volts_line"),
    "consumable": (),
}  # fmt: skip

Price = Annotated[
    float, Field(strict=True, gt=0, le=1e6, allow_inf_nan=False, json_schema_extra={"unit": "1"})
]
SecondsOff = Annotated[
    float, Field(strict=True, ge=0, le=7_200, allow_inf_nan=False, json_schema_extra={"unit": "s"})
]
Celsius = Annotated[
    float, Field(strict=True, ge=-60, le=200, allow_inf_nan=False, json_schema_extra={"unit": "°C"})
]
VoltAmperes = Annotated[
    float, Field(strict=True, gt=0, le=10_000, allow_inf_nan=False, json_schema_extra={"unit": "VA"})
]
Sections = Annotated[list[Microfarads], Field(min_length=2, max_length=8, json_schema_extra={"unit": "µF"})]
Whole = Annotated[int, Field(strict=True, ge=1, le=100_000_000)]
PartNumber = Annotated[str, Field(strict=True, pattern=r"^[A-Za-z0-9][A-Za-z0-9 ._/+-]{0,39}$")]


class Part(Frozen):
    """One part: what it is and what it is rated for; no maker, no brand."""

    part: PartNumber = Field(description="Part number as the shop keeps it")
    kind: PartKind
    title: Word = Field(description="What it is, in a few words")
    uf: Microfarads | None = Field(default=None, description="Run capacitor, compressor section [µF]")
    fan_uf: Microfarads | None = Field(default=None, description="Run capacitor, fan section [µF]")
    uf_low: Microfarads | None = Field(default=None, description="Start capacitor, from [µF]")
    uf_high: Microfarads | None = Field(default=None, description="Start capacitor, to [µF]")
    sections_uf: Sections | None = Field(default=None, description="Sections of a multi-value part [µF]")
    volts_ac: Volts | None = Field(default=None, description="Capacitor or kit, rated [V AC]")
    dielectric: Literal["film", "electrolytic"] | None = None
    shape: Literal["round", "oval"] | None = None
    temperature_high_c: Celsius | None = Field(default=None, description="Hottest place allowed [°C]")
    cold_ohm: Ohms | None = Field(default=None, description="Thermistor, cold [Ω]")
    pickup_low_v: Volts | None = Field(default=None, description="Relay picks up from [V]")
    pickup_high_v: Volts | None = Field(default=None, description="Relay has picked up by [V]")
    dropout_high_v: Volts | None = Field(default=None, description="Relay has let go below [V]")
    continuous_v: Volts | None = Field(default=None, description="Relay coil bears for good [V]")
    start_cap_uf: Microfarads | None = Field(default=None, description="Soft starter's own capacitor [µF]")
    ceiling_ratio: Annotated[float, Field(strict=True, gt=0.2, lt=1, allow_inf_nan=False)] | None = Field(
        default=None, description="Soft starter's ceiling as a share of LRA"
    )
    rla_low_a: Amps | None = Field(default=None, description="For compressors from [A RLA]")
    rla_high_a: Amps | None = Field(default=None, description="For compressors to [A RLA]")
    lra_high_a: Amps | None = Field(default=None, description="For compressors to [A LRA]")
    hp_low: Horsepower | None = Field(default=None, description="For motors from [hp]")
    hp_high: Horsepower | None = Field(default=None, description="For motors to [hp]")
    rated_hp: Horsepower | None = Field(default=None, description="Disconnect, rated [hp]")
    leads: Annotated[int, Field(strict=True, ge=1, le=12)] | None = None
    lead_ft: Annotated[float, Field(strict=True, gt=0, le=100, allow_inf_nan=False)] | None = Field(
        default=None, description="Length of its leads [ft]"
    )
    min_off_s: SecondsOff | None = Field(default=None, description="Shortest time off between starts [s]")
    learning_starts: Whole | None = Field(default=None, description="Starts until it has learned")
    mounting: Word | None = Field(default=None, description="Positions its maker allows")
    weather: Literal["indoors", "rain"] | None = Field(
        default=None, description="Rain-tight only; do not hose down"
    )
    poles: Annotated[int, Field(strict=True, ge=1, le=4)] | None = None
    fla_a: Amps | None = Field(default=None, description="Contactor, full load [A]")
    lra_240_a: Amps | None = Field(default=None, description="Contactor, locked rotor to 240 V [A]")
    lra_480_a: Amps | None = Field(default=None, description="Contactor, locked rotor to 480 V [A]")
    lra_600_a: Amps | None = Field(default=None, description="Contactor, locked rotor to 600 V [A]")
    resistive_a: Amps | None = Field(default=None, description="Contactor, resistive [A]")
    coil_v: Volts | None = Field(default=None, description="Coil [V]")
    coil_va: VoltAmperes | None = Field(default=None, description="Coil, held in [VA]")
    brownout_v: Volts | None = Field(default=None, description="Electronic: lets go below [V]")
    brownout_s: SecondsOff | None = Field(default=None, description="Electronic: after [s]")
    cycles_life: Whole | None = Field(default=None, description="Switchings in its life")
    amps_a: Amps | None = Field(default=None, description="Disconnect, fuse or breaker [A]")
    fused: Flag | None = None
    volts_line: Volts | None = Field(default=None, description="For lines to [V]")
    listed_for: list[Word] | None = Field(default=None, description="Flammable refrigerants it is listed for")


_COLUMN_UNITS = {"v": "V", "va": "VA", "a": "A", "uf": "µF", "ohm": "Ω", "c": "°C", "hp": "hp", "ac": "AC"}
_CAPITALS = {"lra": "LRA", "fla": "FLA", "rla": "RLA"}


def column_words(column: str) -> str:
    """Return a column of the parts list as a person says it.

    >>> column_words("lra_240_a"), column_words("coil_va"), column_words("uf")
    ('LRA 240 A', 'coil VA', 'µF')
    """
    steps = column.split("_")
    words = [_CAPITALS.get(w, w) for w in steps[:-1]]
    return joined([*words, _COLUMN_UNITS.get(steps[-1], steps[-1])], " ")


def missing_ratings(part: Part) -> list[str]:
    """Return what a part of its kind must say and does not."""
    return [name for name in REQUIRED[part.kind] if getattr(part, name) is None]


class Column(Frozen):
    """One column of a parts list."""

    name: str
    meaning: Prose
    wanted: Prose = Field(description="What a cell holds")
    required_for: list[PartKind]


_LISTS = {"sections_uf", "listed_for"}
_FLAGS = {"fused"}
_WHOLE = {"leads", "poles", "learning_starts", "cycles_life"}
_WORDS = {"part", "kind", "title", "dielectric", "shape", "mounting", "weather"}


def columns() -> list[Column]:
    """Return the columns of a parts list, in order: the published schema of its CSV."""
    out = []
    for name, field in Part.model_fields.items():
        wanted = (
            msg("numbers with | between")
            if name == "sections_uf"
            else msg("words with | between")
            if name in _LISTS
            else msg("yes or no")
            if name in _FLAGS
            else msg("a whole number")
            if name in _WHOLE
            else (msg("one of ") + joined(get_args(PartKind), ", ") if name == "kind" else "words")
            if name in _WORDS
            else msg("a number")
        )
        kinds = [k for k, needed in REQUIRED.items() if name in needed]
        out.append(
            Column(
                name=name,
                meaning=field.description or name.replace("_", " "),
                wanted=wanted,
                required_for=list(REQUIRED) if name in ("part", "kind", "title") else kinds,
            )
        )
    out.append(
        Column(
            name="price",
            meaning=msg("What the shop pays for it; the markup of Shop comes on top"),
            wanted=msg("a number above zero, or blank"),
            required_for=[],
        )
    )
    return out


def cell_value(name: str, text: str) -> Any:
    """Return what a cell of a parts list says; text is left as it is where it cannot be read."""
    text = text.strip()
    if not text:
        return None
    if name == "sections_uf":
        return [_number(t) for t in text.split("|")]
    if name in _LISTS:
        return [t.strip() for t in text.split("|")]
    if name in _FLAGS:
        return {"yes": True, "no": False}.get(text.lower(), text)
    if name in _WORDS:
        return text
    return _number(text, whole=name in _WHOLE)


def _number(text: str, whole: bool = False) -> float | int | str:
    try:
        value = float(text)
    except ValueError:
        return text
    return int(value) if whole and value.is_integer() else value


def read_part(cells: Mapping[str, str]) -> Part:
    """Return the part that a row of cells describes.

    Raises
    ------
    InputProblem : a cell that cannot be used, or a rating its kind must have and that is missing

    """
    given = {name: v for name, text in cells.items() if (v := cell_value(name, text)) is not None}
    try:
        part = Part.model_validate(given)
    except ValidationError as error:
        raise input_problem(error) from None
    missing = missing_ratings(part)
    if missing:
        raise InputProblem(
            [
                FieldProblem(field=m, wanted=msg("a rating; {kind} must have it", kind=part.kind), got=None)
                for m in missing
            ]
        )
    pairs = (
        ("uf_low", "uf_high"),
        ("pickup_low_v", "pickup_high_v"),
        ("rla_low_a", "rla_high_a"),
        ("hp_low", "hp_high"),
    )
    for low, high in pairs:
        one, two = getattr(part, low), getattr(part, high)
        if one is not None and two is not None and one > two:
            raise InputProblem(
                [
                    FieldProblem(
                        field=high, wanted=msg("at least {one:g}, the other end of it", one=one), got=two
                    )
                ]
            )
    return part


@cache
def shipped_parts() -> tuple[Part, ...]:
    """Return the neutral parts list that ships."""
    return tuple(read_part(row) for row in rows("parts"))


class Counted(Frozen):
    """A part that is there, and how many."""

    part: Part
    count: Annotated[int, Field(strict=True, ge=0, le=10_000)] = 1
    price: Price | None = None
