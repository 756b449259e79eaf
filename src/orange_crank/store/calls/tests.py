"""Tests of several readings entered together; kept as entered, judged before they are kept."""

from datetime import datetime

from pydantic import Field, JsonValue

from orange_crank.core.call.call_tests import find_call_test, judge_call_test
from orange_crank.core.call.gates import require, take_gate
from orange_crank.core.nomenclature import Frozen, Sentence, Word
from orange_crank.store.calls.journal import write_on
from orange_crank.store.calls.record import read_call
from orange_crank.store.calls.safety import tells_of_power
from orange_crank.store.calls.view import CallOut, get_call
from orange_crank.store.database import transaction
from orange_crank.store.models import TestTaken


class NewTest(Frozen):
    """A test of several readings, entered together."""

    topic: Word
    entry: dict[str, JsonValue] = Field(description="The topic's own entry; see its schema")
    without_make_safe: Sentence | None = None


def add_test(call_id: int, test: NewTest, person_id: int, at: datetime | None = None) -> CallOut:
    """Save a test.

    Raises
    ------
    GateClosed : the call, a stop or its state does not allow it
    InputProblem : a field of the entry cannot be used

    """
    kind = find_call_test(test.topic)
    with transaction():
        journal = write_on(call_id, at)
        record = read_call(call_id, journal.moment)
        judge_call_test(test.topic, dict(test.entry), record.judged.limits, record.facts.plate)
        if not tells_of_power(record, journal, kind.work, person_id):
            require(record.judged.gates[take_gate(kind.work)], test.without_make_safe)
        else:
            record = read_call(call_id, journal.moment)
        TestTaken.create(
            call=call_id,
            topic=test.topic,
            entry=test.entry,
            call_state=record.facts.state.state,
            without_make_safe=test.without_make_safe,
            taken_at=journal.moment,
            entry_no=journal.number,
            person=person_id,
        )
        return get_call(call_id, journal.moment if at else None)
