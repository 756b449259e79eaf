"""The verdict one field of a test gives by itself, whatever else is entered: at least watch, fail or a stop.

A test is judged by all its readings together, on arrival. Some of its fields decide alone: a piece
shorted to metal stops the work whatever the others read. The judge is asked about each field as if it were
the only one; what it finds to watch, to fail or to stop it finds with others beside it as well, and a test
of these holds that. A field that decides nothing alone has no piece.
"""

from collections.abc import Callable, Iterator, Mapping
from functools import lru_cache
from typing import Any

from pydantic import Field, JsonValue

from orange_crank.core.call.ahead.limits import Band, SaidValue, Side, bands_over
from orange_crank.core.call.call_tests import CALL_TESTS, JudgedTest, judge_call_test
from orange_crank.core.errors import InputProblem
from orange_crank.core.measure.refrigerant import FREEZING_F
from orange_crank.core.measure.saturation import saturation_f
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import Standards
from orange_crank.core.topics import find_topic

Key = tuple[str, str]


class TestLimit(Frozen):
    """What the values of one field of a test are at least, alone.

    Notes
    -----
    It holds beside anything but the fields of ``heeded``. ``depends`` where the field alone decides nothing.

    """

    __test__ = False

    topic: str
    field: str
    heeded: list[str] = Field(description="Fields which, said beside it, leave open what it would be")
    bands: list[Band] = Field(default_factory=list, description="Over all that may be entered, upwards")
    said: list[SaidValue] = Field(default_factory=list)


# Tests that may stop the work by several readings together, none of which decides alone.
STOP_TOGETHER = ("legs", "imbalance")
_PRESSURE = ("altitude_ft", "refrigerant")
# Fields that change how another is read, so that it decides nothing alone.
_HEEDED: Mapping[Key, tuple[str, ...]] = {
    ("isolation", "insulation_megohm"): ("winding_f",),
    ("refrigerant", "suction_psig"): _PRESSURE,
    ("refrigerant", "idle_suction_psig"): _PRESSURE,
}


def _suction_cuts(plate: Plate | None, limits: Standards) -> list[float]:
    """Return zero gauge, and where the refrigerant boils at freezing and at a vacuum's limit [psig]."""
    found = [0.0]
    name = plate.refrigerant if plate is not None else None
    for wanted_f in (FREEZING_F, limits.vacuum_saturation_f):
        low, high = -15.0, 800.0
        for _ in range(60):
            middle = (low + high) / 2
            at = saturation_f(name, middle, 0.0)
            if at is None:
                low = high = 0.0
                break
            low, high = (middle, high) if at[1] < wanted_f else (low, middle)
        found.append(high)
    return found


_CUTS: Mapping[Key, Callable[[Plate | None, Standards], list[float]]] = {
    ("isolation", "insulation_megohm"): lambda _, s: [s.insulation_low_megohm, s.insulation_watch_megohm],
    ("refrigerant", "superheat_f"): lambda _, s: [s.superheat_low_f, s.superheat_high_f],
    ("refrigerant", "subcooling_f"): lambda _, s: [s.subcooling_low_f, s.subcooling_high_f],
    ("refrigerant", "line_set_ft"): lambda _, s: [s.long_line_ft],
    ("refrigerant", "rise_ft"): lambda _, s: [s.line_rise_ft],
    ("refrigerant", "suction_psig"): _suction_cuts,
    ("refrigerant", "idle_suction_psig"): _suction_cuts,
}


def fields_ahead(plate: Plate | None, limits: Standards) -> list[TestLimit]:
    """Return each field's verdict alone, test by test, for a unit with a plate and a shop's standards."""
    return _kept("" if plate is None else plate.model_dump_json(), limits)


@lru_cache(maxsize=128)
def _kept(plate_json: str, limits: Standards) -> list[TestLimit]:
    plate = Plate.model_validate_json(plate_json) if plate_json else None
    return [limit for test in CALL_TESTS for limit in _of_test(test.topic, plate, limits)]


def _of_test(topic: str, plate: Plate | None, limits: Standards) -> Iterator[TestLimit]:
    schema = find_topic(topic).takes.model_json_schema()
    for name, field in schema["properties"].items():
        kinds = field.get("anyOf", [field])
        values = [
            v for k in kinds for v in ((True, False) if k.get("type") == "boolean" else k.get("enum", ()))
        ]
        ranges = [k for k in kinds if k.get("type") == "number" and "maximum" in k]
        common: dict[str, Any] = {
            "topic": topic,
            "field": name,
            "heeded": list(_HEEDED.get((topic, name), ())),
        }
        try:
            said = [_said(topic, name, v, plate, limits) for v in values]
            bands = [] if not ranges else _bands(topic, name, ranges[0], plate, limits)
        except InputProblem:
            continue  # alone it is no test
        telling: list[Band] | list[SaidValue] = bands or said
        if any(one.side != "depends" for one in telling):
            yield TestLimit(**common, bands=bands, said=said)


def _words(kind: Mapping[str, Any]) -> tuple[bool | str, ...]:
    return (True, False) if kind.get("type") == "boolean" else tuple(kind.get("enum", ()))


def _bands(
    topic: str, name: str, allowed: Mapping[str, Any], plate: Plate | None, limits: Standards
) -> list[Band]:
    rule = _CUTS.get((topic, name))
    if rule is None:
        return []
    low = float(allowed.get("minimum", allowed.get("exclusiveMinimum", 0.0)))
    high = float(allowed["maximum"])
    cuts = sorted({c for c in rule(plate, limits) if low < c < high})
    return bands_over(
        [low, *cuts, high],
        lambda value: _said(topic, name, value, plate, limits),
        from_first="exclusiveMinimum" not in allowed,
    )


def _said(
    topic: str, name: str, value: bool | str | float, plate: Plate | None, limits: Standards
) -> SaidValue:
    """Return what a value alone is at least."""
    judged = judge_call_test(topic, {name: value}, limits, plate)
    side = at_least(judged)
    telling = [f for f in judged.findings if f.stops] if side == "stop" else []
    telling = telling or [f for f in judged.findings if f.verdict == side]
    finding = telling[0] if telling and side != "depends" else None
    return SaidValue.model_construct(
        value=value,  # type: ignore[arg-type]
        side=side,
        code=finding.code if finding else "",
        rule=finding.rule if finding else "",
        next_step=finding.next_step if finding else None,
    )


# What a test is at least, by one of its fields; the gravest last.
AT_LEAST: tuple[Side, ...] = ("depends", "watch", "fail", "stop")


def at_least(judged: JudgedTest) -> Side:
    """Return what a test is at least, however more is entered: what is well may still turn out not to be."""
    if judged.stop:
        return "stop"
    verdicts = {f.verdict for f in judged.findings}
    return "fail" if "fail" in verdicts else "watch" if "watch" in verdicts else "depends"


def may_stop(limits: list[TestLimit], topic: str, entry: Mapping[str, JsonValue]) -> bool:
    """Return whether a test may stop the work, by what travelled with its call; so a device shuts its gates.

    Where a field that can stop it was entered with a reading still open, it may.
    """
    if topic in STOP_TOGETHER:
        return True
    for limit in limits:
        sides = {*(b.side for b in limit.bands), *(s.side for s in limit.said)}
        value = entry.get(limit.field)
        if limit.topic != topic or value is None or "stop" not in sides:
            continue
        alone = side_of_test([limit], topic, {limit.field: value})
        if alone == "stop" or any(entry.get(f) is not None for f in limit.heeded):
            return True
    return False


def side_of_test(limits: list[TestLimit], topic: str, entry: Mapping[str, JsonValue]) -> Side:
    """Return what a test is at least by what travelled with its call; what a device without signal does."""
    found: Side = "depends"
    for limit in limits:
        value = entry.get(limit.field)
        if limit.topic != topic or value is None or any(entry.get(f) is not None for f in limit.heeded):
            continue
        side: Side = "depends"
        if isinstance(value, bool | str):
            side = next(
                (s.side for s in limit.said if s.value == value and type(s.value) is type(value)), side
            )
        elif isinstance(value, int | float):
            side = next(
                (b.side for b in limit.bands if value < b.high or (b.high_in and value == b.high)), side
            )
        found = max(found, side, key=AT_LEAST.index)
    return found
