"""What a make-safe record has to say so that it surely proves dead, as JSON Schemas, step by step.

A record that fits them all is proved by the judge, whatever else is in it; a test holds that. One that does
not fit may be proved all the same (a stray voltage explained, a source of unusual volts): the server decides.
"""

from typing import Any

from pydantic import Field, JsonValue

from orange_crank.core.messages import Prose, joined, msg, shaped
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import (
    PAIRS,
    SECTION_WORDS,
    SUPPLY_WORDS,
    Section,
    implied_sections,
    implied_supply,
    supply_rank,
)
from orange_crank.core.safety.state import GOING_LIVE
from orange_crank.core.tables.standards import Standards

# Known live sources, by the words that name them: from, to [V].
SOURCES_V = (
    (11.5, 12.5),
    (23.0, 25.0),
    (109.0, 116.0),
    (116.0, 124.0),
    (200.0, 212.0),
    (212.0, 226.0),
    (226.0, 242.0),
    (265.0, 285.0),
    (440.0, 470.0),
    (470.0, 500.0),
)
_MOST_SOURCES = 6
_SIDES = ("contactor_line", "contactor_load")


class SurePart(Frozen):
    """One step of the record: what is still to do while it does not fit, and its JSON Schema."""

    code: str
    next_step: Prose
    fits: dict[str, JsonValue] = Field(description="JSON Schema of a record in which this step is done")


def surely_dead(limits: Standards, plate: Plate | None = None) -> list[SurePart]:
    """Return the steps a record has to fit to be surely proved.

    Parameters
    ----------
    limits : the shop's: volts that count as dead [V], how far a proved meter may be off [%]
    plate : the unit's nameplate; all it implies has to be measured, or a reason given

    """
    return [
        *_all_of_plate(plate),
        _part("DRY", msg("Look for rain or standing water at the panel."), _has(dry={"const": True})),
        _part(
            "CONTROL_OFF",
            msg("Turn the thermostat off or pull the Y wire."),
            _has(control_off={"const": True}),
        ),
        _part(
            "SOURCES_IDENTIFIED",
            msg("Name the feeding disconnect and look for a second source."),
            _has(source_identified={"type": "string", "minLength": 1}, other_sources={"type": "array"}),
        ),
        _part("LOCKED_AND_TAGGED", msg("Open, lock and tag each source; name who holds the key."), _locked()),
        _part(
            "METER_PROVED_BEFORE",
            msg("Prove the meter before the dead test."),
            _proof("proof_before", limits),
        ),
        _part(
            msg("DEAD"),
            msg("Every pair of both sides under {dead_limit_v:g} V.", dead_limit_v=limits.dead_limit_v),
            _dead(limits),
        ),
        _part(
            "METER_PROVED_AFTER", msg("Prove the meter after the dead test."), _proof("proof_after", limits)
        ),
        _part(
            "CAPACITORS_DISCHARGED",
            msg(
                "Bleed every section, then measure each on DC volts: under {dead_limit_v:g} V.",
                dead_limit_v=limits.dead_limit_v,
            ),
            _drained(limits),
        ),
    ]


def _all_of_plate(plate: Plate | None) -> list[SurePart]:
    """Return the step that the nameplate adds; none without one."""
    if plate is None:
        return []
    implied = implied_supply(plate)
    enough = [kind for kind in PAIRS if supply_rank(kind) >= supply_rank(implied)]
    sections = implied_sections(plate)
    whole = [
        _has(supply={"enum": enough}),
        *(_measured(section) for section in sections),
    ]
    reason = _has(less_reason={"type": "string", "minLength": 3})
    words = joined((SUPPLY_WORDS[implied], *(SECTION_WORDS[s] for s in sections)), ", ")
    return [
        _part(
            "LESS_THAN_PLATE",
            msg(
                "Measure all the nameplate shows ({words}), or enter why it does not apply here.", words=words
            ),
            {"anyOf": [{"allOf": whole}, reason]},
        )
    ]


def _measured(section: Section) -> dict[str, Any]:
    return _has(capacitors={"contains": _has(section={"const": section})})


def going_live() -> list[SurePart]:
    """Return the ticks the server requires before going live is recorded."""
    return [
        _part(
            field.upper(),
            msg("{precaution}: do it, then tick it.", precaution=shaped(words, str.capitalize)),
            _has(**{field: {"const": True}}),
        )
        for field, words in GOING_LIVE.items()
    ]


def _part(code: str, next_step: str, fits: dict[str, Any]) -> SurePart:
    return SurePart(code=code, next_step=next_step, fits=fits)


def _has(**fields: Any) -> dict[str, Any]:
    return {"type": "object", "required": list(fields), "properties": fields}


def _one(**values: str) -> dict[str, Any]:
    return {"required": list(values), "properties": {k: {"const": v} for k, v in values.items()}}


def _locked() -> dict[str, Any]:
    one = _has(locked={"const": True}, tagged={"const": True}, key_holder={"type": "string", "minLength": 1})
    enough = [
        {"properties": {"other_sources": {"maxItems": k}, "opened": {"minItems": k + 1}}}
        for k in range(_MOST_SOURCES + 1)
    ]
    whole = _has(other_sources={"type": "array"}, opened={"type": "array", "items": one})
    return {"allOf": [whole, {"anyOf": enough}]}


def _proof(field: str, limits: Standards) -> dict[str, Any]:
    share = limits.meter_proof_pct / 100
    # For a source of a range of volts, the readings it may give.
    near = [
        _has(
            expected_v={"minimum": low, "maximum": high},
            reading_v={"minimum": high * (1 - share), "maximum": low * (1 + share)},
        )
        for low, high in SOURCES_V
        if high * (1 - share) <= low * (1 + share)
    ]
    return _has(**{field: {"anyOf": near} if near else False})


def _dead(limits: Standards) -> dict[str, Any]:
    under = {"exclusiveMaximum": limits.dead_limit_v}
    points = {"type": "array", "items": _has(reading_v=under)}
    measured = [
        [{"contains": _one(place=side, pair=pair)} for side in _SIDES for pair in pairs]
        for pairs in PAIRS.values()
    ]
    each = [
        _has(supply={"const": supply}, dead_points={"allOf": all_of})
        for supply, all_of in zip(PAIRS, measured, strict=True)
    ]
    largest = _has(largest_dead_v={"type": "number"} | under)
    return {
        "allOf": [
            _has(dead_points=points),
            {"properties": {"largest_dead_v": {"anyOf": [{"type": "null"}, under]}}},
            {"anyOf": [largest, *each]},
        ]
    }


def _drained(limits: Standards) -> dict[str, Any]:
    one = _has(meter_on={"const": "dc"}, after_v={"exclusiveMaximum": limits.dead_limit_v})

    known = [
        {"if": _has(sections_present={"contains": {"const": section}}), "then": _measured(section)}
        for section in SECTION_WORDS
    ]
    ordinary = _has(capacitors={"contains": _has(section={"enum": ["c_herm", "c_fan", "start"]})})
    return {
        "allOf": [
            _has(capacitors={"type": "array", "items": one}, has_capacitors={"type": "boolean"}),
            {"if": _has(has_capacitors={"const": True}), "then": ordinary},
            {"if": _has(inverter={"const": True}), "then": _measured("dc_bus")},
            *known,
        ]
    }
