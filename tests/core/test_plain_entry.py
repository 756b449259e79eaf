"""Half a character, a NUL, a figure next to nothing: refused by name at every door; nothing else is."""

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.errors import CrankError, InputProblem
from orange_crank.core.plain_entry import SMALLEST, refuse_unusable
from orange_crank.topics import TOPICS, calculate

halves = st.characters(min_codepoint=0xD800, max_codepoint=0xDFFF, categories=["Cs"])
texts = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=8)
figures = st.floats(allow_nan=False, allow_infinity=False).filter(lambda v: v == 0 or abs(v) >= SMALLEST)
plain = st.recursive(
    st.none() | st.booleans() | st.integers() | figures | texts,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(texts, inner, max_size=4),
    max_leaves=12,
)
unusable = (
    st.tuples(texts, halves, texts).map("".join)
    | st.tuples(texts, texts).map("\0".join)
    | st.floats(5e-324, 9e-13)
    | st.floats(-9e-13, -5e-324)
)


@given(plain)
def test_what_can_be_written_down_is_let_through(value: Any) -> None:
    for ascii_only in (True, False):
        refuse_unusable(json.dumps(value, ensure_ascii=ascii_only))
        refuse_unusable(json.dumps(value, ensure_ascii=ascii_only).encode())


@given(beside=plain, bad=unusable, name=texts)
def test_what_cannot_is_refused_by_its_field(beside: Any, bad: Any, name: str) -> None:
    for entry, field in (
        ({"beside": beside, "here": bad}, "here"),
        ({"list": [beside, {"deep": bad}]}, "list[1].deep"),
        ([beside, bad], "[1]"),
    ):
        with pytest.raises(InputProblem) as refused:
            refuse_unusable(json.dumps(entry))
        assert field in {p.field for p in refused.value.problem().errors}
        assert refused.value.next_step
        refused.value.problem().model_dump_json().encode("utf-8")
    if isinstance(bad, str):
        with pytest.raises(InputProblem):
            refuse_unusable(json.dumps({bad: name}))


@given(bad=unusable, topic=st.sampled_from(sorted(TOPICS)))
def test_no_computation_ends_otherwise_than_by_a_refusal(bad: Any, topic: str) -> None:
    for entry in ({"volts": bad}, {"kind": bad}, bad, [bad]):
        with pytest.raises(CrankError) as refused:
            calculate(topic, json.dumps(entry))
        refused.value.problem().model_dump_json().encode("utf-8")


@pytest.mark.parametrize("entry", ["", "{", "[1e-", b"\xff\xfe\x00", "\0", "[" * 100_000 + "1e-3"])
def test_what_is_no_json_is_left_to_whoever_reads_it(entry: Any) -> None:
    refuse_unusable(entry)
