"""Whatever entry its schema takes, a test of a call, a plate or a reading is judged or refused in words."""

import json
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from orange_crank.core.call.call_tests import CALL_TESTS
from orange_crank.core.errors import CrankError
from orange_crank.topics import TOPICS, calculate, find_topic
from tests.making import from_schema
from tests.sentences import code_names, read_by_people

# The start and what is computed from it are tried with fewer entries: each takes a fair part of a second.
SLOW = {"start", "start-aids", "fit", "aid", "aids", "backup", "sweep", "lab"}
EVERY = sorted({t.topic for t in CALL_TESTS} | {t for t in TOPICS if t not in SLOW})


@pytest.mark.parametrize("topic", EVERY)
@given(data=st.data())
@settings(max_examples=30, deadline=None, suppress_health_check=list(HealthCheck))
def test_a_topic_answers_or_refuses_in_words(topic: str, data: st.DataObject) -> None:
    entry: Any = data.draw(from_schema(find_topic(topic).takes.model_json_schema()))
    try:
        said = calculate(topic, json.dumps(entry)).model_dump(mode="json")
    except CrankError as refusal:
        said = refusal.problem().model_dump(mode="json")
        assert said["errors"] or said["next_step"] or said["detail"]
    json.dumps(said, allow_nan=False)
    for field, sentence in read_by_people(said):
        assert not code_names(sentence), (field, sentence)
