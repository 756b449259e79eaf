"""Maps of meters: what ships is right, what is wrong is named by its line, swapped words are odd."""

import struct

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.bench.meter import MODES
from orange_crank.bench.registers import PLACES, SLOTS, VALUES_FROM
from orange_crank.core.errors import InputProblem
from orange_crank.core.measure.live_meter import fill_of
from orange_crank.formats.meter_map import (
    SHIPPED,
    MapValue,
    Register,
    blocks,
    figure_of,
    read_map,
    shipped_map,
    shown,
)


def test_the_bench_map_says_what_the_bench_serves() -> None:
    found = shipped_map("bench")
    where = {(v.mode or ("amps" if v.unit == "A" else "volts"), v.place): v.address for v in found.values}
    assert where == {slot: VALUES_FROM + 2 * i for i, slot in enumerate(SLOTS)}
    assert found.dial is not None
    assert found.dial.modes == {m: i for i, m in enumerate(MODES)}
    assert found.dial.places == {p: i for i, p in enumerate(PLACES)}


def test_the_two_that_ship_are_unlike() -> None:
    bench, analyzer = (shipped_map(k) for k in SHIPPED)
    for name in ("function", "type", "word_order", "scale"):
        assert {getattr(v, name) for v in bench.values}.isdisjoint(
            {getattr(v, name) for v in analyzer.values}
        )


@given(
    st.sampled_from(["uint16", "int16", "uint32", "int32", "float32"]),
    st.sampled_from(["big", "little"]),
    st.data(),
)
def test_a_figure_comes_out_as_it_went_in(kind: str, order: str, data: st.DataObject) -> None:
    code = {"uint16": ">H", "int16": ">h", "uint32": ">I", "int32": ">i", "float32": ">f"}[kind]
    bits = 8 * struct.calcsize(code)
    low, high = (0, 2**bits - 1) if kind.startswith("u") else (-(2 ** (bits - 1)), 2 ** (bits - 1) - 1)
    real = st.floats(width=32, allow_nan=False, allow_infinity=False)
    value = data.draw(real if kind == "float32" else st.integers(low, high))
    packed = struct.pack(code, value)
    words = list(struct.unpack(f">{len(packed) // 2}H", packed))
    register = Register(address=0, type=kind, word_order=order)
    assert figure_of(register, words if order == "big" else words[::-1]) == value


@given(st.floats(1.0, 600.0, width=32))
def test_words_in_the_wrong_order_are_odd_or_nothing_a_meter_shows(value: float) -> None:
    high, low = struct.unpack(">HH", struct.pack(">f", value))
    wrong = MapValue(quantity="line_v", place="line", address=0, type="float32", word_order="little")
    told = shown(wrong, [high, low])
    assert told.value is None or 0 <= told.value <= 1_000
    if low == 0 and told.value is not None:
        assert told.value == 0 or told.value >= 1e-30


@given(st.lists(st.integers(0, 65_535), min_size=2, max_size=2))
def test_whatever_stands_in_the_registers_is_a_figure_or_none(words: list[int]) -> None:
    for kind in ("float32", "int32", "uint32"):
        told = shown(MapValue(quantity="running_a", place="common", address=0, type=kind), words)
        assert told.value is None or abs(told.value) <= 5_000
        if told.value is not None:
            fill_of(told.quantity, told.place, told.mode, told.value, None)


@given(
    st.lists(st.tuples(st.sampled_from(["input", "holding"]), st.integers(0, 400)), min_size=1, max_size=20)
)
def test_every_register_is_asked_for_once_and_no_question_is_too_long(wanted: list[tuple[str, int]]) -> None:
    registers = [Register(function=f, address=a, type="float32") for f, a in wanted]
    asked = blocks(registers)
    assert all(count <= 125 for _, _, count in asked)
    for r in registers:
        held = [f == r.function and first <= r.address <= first + n - 2 for f, first, n in asked]
        assert any(held)


LINE = "name: x\nvalues:\n  - {quantity: line_v, place: line, "


@pytest.mark.parametrize(
    ("text", "field"),
    [
        (LINE.replace("line_v", "volts") + "address: 1}\n", "line 3, values.0.quantity"),
        ("name: x\nvalues:\n\n  - quantity: line_v\n    place: roof\n", "line 5, values.0.place"),
        (LINE + "address: -1}\n", "line 3, values.0.address"),
        (LINE + "address: 1, type: bcd}\n", "line 3, values.0.type"),
        (LINE + "address: 1, scale: .nan}\n", "line 3, values.0.scale"),
        ("name: x\ndevice: 400\nvalues: []\n", "line 2, device"),
        ("name: x\nspeed: 9\n", "line 2, speed"),
        ("name: [x\n", "line 2"),
        ("- a\n", "line 1"),
        ("", "line 1"),
    ],
)
def test_nonsense_is_named_by_its_line(text: str, field: str) -> None:
    with pytest.raises(InputProblem) as refused:
        read_map(text)
    assert field in [e.field for e in refused.value.errors]


leaf = st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8)
tree = st.recursive(
    leaf,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=4),
    max_leaves=12,
)


@given(st.text(max_size=300) | tree.map(yaml.safe_dump))
def test_any_file_is_a_map_or_refused_in_words(text: str) -> None:
    with pytest.raises(InputProblem) as refused:
        read_map(text)
    assert refused.value.next_step
