"""What a field of a test tells alone it tells beside anything else; the screens run on the same cases."""

import json
import os
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.call.ahead.of_tests import (
    TestLimit,
    at_least,
    fields_ahead,
    may_stop,
    side_of_test,
)
from orange_crank.core.call.call_tests import CALL_TESTS, judge_call_test
from orange_crank.core.errors import InputProblem
from orange_crank.core.tables.standards import shipped_standards
from orange_crank.core.topics import find_topic
from tests.core.call.ahead_cases import SPLIT
from tests.making import from_schema

GOLDEN = Path(__file__).parents[2] / "golden" / "ahead_of_tests.json"
LIMITS = shipped_standards()
GRAVE = ("depends", "watch", "fail", "stop")
PLATES = [None, SPLIT, SPLIT.model_copy(update={"refrigerant": "R-410A"})]


def entries(topic: str) -> st.SearchStrategy[dict[str, Any]]:
    """Entries of a topic: any of its fields, values at and beside the limits among them."""
    edges: dict[str, set[float]] = {}
    for plate in PLATES:
        for limit in fields_ahead(plate, LIMITS):
            if limit.topic == topic:
                edges.setdefault(limit.field, set()).update(b.high for b in limit.bands)
    flag = st.booleans()

    def figure(field: str, low: float, high: float) -> st.SearchStrategy[float]:
        near = [e for e in sorted(edges.get(field, set())) if low <= e <= high]
        own = st.floats(low, high, allow_nan=False)
        beside = [v for e in near for v in (e, e * 1.001 + 1e-4, e * 0.999 - 1e-4) if low <= v <= high]
        return own if not beside else st.one_of(own, st.sampled_from(beside))

    fields: dict[str, st.SearchStrategy[Any]]
    if topic == "isolation":
        pins = ("whole", "compressor", "terminal_c", "terminal_s", "terminal_r", "fan", "wiring", "start_kit")
        fields = dict.fromkeys(pins, flag) | {
            "insulation_megohm": figure("insulation_megohm", 0.01, 2_000.0),
            "winding_f": st.floats(-20, 200),
        }
    else:
        fields = {
            "idle_suction_psig": figure("idle_suction_psig", -14.0, 300.0),
            "idle_discharge_psig": st.floats(0, 400),
            "suction_psig": figure("suction_psig", -14.0, 300.0),
            "discharge_psig": st.floats(20, 600),
            "superheat_f": figure("superheat_f", -20.0, 120.0),
            "subcooling_f": figure("subcooling_f", -20.0, 90.0),
            "line_set_ft": figure("line_set_ft", 0.0, 300.0),
            "rise_ft": figure("rise_ft", 0.0, 200.0),
            "outdoor_f": st.floats(20, 120),
            "altitude_ft": st.floats(0, 9_000),
            "buried_dip": flag,
            "kinked": flag,
            "charge": st.sampled_from(["low", "right", "over", "unknown"]),
            "refrigerant": st.sampled_from(["R-22", "R-410A"]),
        }
    return st.fixed_dictionaries({}, optional=fields)


@pytest.mark.parametrize("topic", ["isolation", "refrigerant"])
@settings(max_examples=400)
@given(data=st.data())
def test_what_a_field_tells_alone_it_tells_beside_anything(topic: str, data: st.DataObject) -> None:
    plate = data.draw(st.sampled_from(PLATES))
    entry = data.draw(entries(topic))
    limits = fields_ahead(plate, LIMITS)
    side = side_of_test(limits, topic, entry)
    try:
        judged = judge_call_test(topic, entry, LIMITS, plate)
    except InputProblem:
        return
    # What stops the work there has shut it here.
    assert may_stop(limits, topic, entry) or not judged.stop, (entry, judged.findings)
    assert may_stop(limits, topic, entry) or side != "stop"
    # Never graver here than the server finds: nobody is kept from work by what is not so.
    assert GRAVE.index(at_least(judged)) >= GRAVE.index(side), (entry, judged.findings)


@pytest.mark.parametrize("topic", ["isolation", "refrigerant"])
@settings(max_examples=200)
@given(data=st.data())
def test_one_field_alone_is_told_as_the_judge_tells_it(topic: str, data: st.DataObject) -> None:
    plate = data.draw(st.sampled_from(PLATES))
    limits = [limit for limit in fields_ahead(plate, LIMITS) if limit.topic == topic]
    limit = data.draw(st.sampled_from(limits))
    whole = data.draw(entries(topic).filter(lambda e: limit.field in e))
    entry = {limit.field: whole[limit.field]}
    assert side_of_test(limits, topic, entry) == at_least(judge_call_test(topic, entry, LIMITS, plate))


def test_what_is_known_of_each_field_by_hand() -> None:
    def side(topic: str, plate: Any = None, **entry: Any) -> str:
        return side_of_test(fields_ahead(plate, LIMITS), topic, entry)

    assert side("isolation", fan=True) == "stop"
    assert side("isolation", fan=False) == "depends"
    assert side("isolation", whole=True, fan=False) == "stop"
    assert side("isolation", insulation_megohm=0.5) in ("fail", "watch")
    assert side("isolation", insulation_megohm=0.5, winding_f=20.0) == "depends"
    assert side("refrigerant", suction_psig=-3.0) == "stop"
    assert side("refrigerant", suction_psig=-3.0, altitude_ft=4_300.0) == "depends"
    assert side("refrigerant", PLATES[2], suction_psig=60.0) == "watch"
    assert side("refrigerant", PLATES[2], suction_psig=130.0) == "depends"
    assert side("refrigerant", superheat_f=2.0) == "watch"
    assert side("refrigerant", superheat_f=12.0) == "depends"
    assert side("refrigerant", kinked=True, superheat_f=2.0) == "fail"
    assert side("refrigerant", line_set_ft=51.0) == "watch"
    assert side("legs", anything=1.0) == "depends"


@pytest.mark.parametrize("topic", [t.topic for t in CALL_TESTS])
@settings(max_examples=60)
@given(data=st.data())
def test_nothing_stops_there_that_did_not_shut_here(topic: str, data: st.DataObject) -> None:
    plate = data.draw(st.sampled_from(PLATES))
    entry = data.draw(from_schema(find_topic(topic).takes.model_json_schema()))
    try:
        judged = judge_call_test(topic, entry, LIMITS, plate)
    except InputProblem:
        return
    assert may_stop(fields_ahead(plate, LIMITS), topic, entry) or not judged.stop


def test_a_test_of_which_nothing_can_stop_shuts_no_work() -> None:
    def shuts(topic: str, plate: Any = None, **entry: Any) -> bool:
        return may_stop(fields_ahead(plate, LIMITS), topic, entry)

    assert shuts("isolation", fan=True)
    assert shuts("isolation", whole=True, fan=False)
    assert not shuts("isolation", fan=False, wiring=False, insulation_megohm=0.5, winding_f=20.0)
    assert not shuts("refrigerant", superheat_f=2.0, kinked=True)
    assert not shuts("refrigerant", suction_psig=118.0, discharge_psig=320.0)
    assert shuts("refrigerant", suction_psig=-3.0)
    assert shuts("refrigerant", idle_suction_psig=-1.0)
    assert shuts("refrigerant", suction_psig=118.0, altitude_ft=4_300.0)
    # Several readings of one leg beside another: what they come to is known to the judge alone.
    assert shuts("legs", anything=1.0)
    assert not shuts("supply-walk", anything=1.0)


def cases() -> list[dict[str, Any]]:
    found = []
    for plate in PLATES:
        limits = fields_ahead(plate, LIMITS)
        for limit in limits:
            values: list[Any] = [s.value for s in limit.said]
            for band in limit.bands:
                values += [band.high, round(band.high * 0.97 - 0.01, 4), round(band.high * 1.03 + 0.01, 4)]
            for value in values:
                for beside in ({}, dict.fromkeys(limit.heeded, 1.0), {"kinked": True}, {"fan": True}):
                    entry = {limit.field: value} | beside
                    found.append({"topic": limit.topic, "entry": entry})
    return found


def test_the_screens_look_up_the_same() -> None:
    limits = fields_ahead(PLATES[2], LIMITS)
    told = {
        "limits": [limit.model_dump(mode="json") for limit in limits],
        "cases": [
            case | {"side": side_of_test(limits, **case), "shuts": may_stop(limits, **case)}
            for case in cases()
        ],
    }
    if os.environ.get("GOLDEN") == "write":
        GOLDEN.write_text(json.dumps(told, ensure_ascii=False) + "\n", "utf-8")
    kept = json.loads(GOLDEN.read_text("utf-8"))
    assert [TestLimit.model_validate(limit) for limit in kept["limits"]] == limits
    assert kept["cases"] == json.loads(json.dumps(told["cases"]))
