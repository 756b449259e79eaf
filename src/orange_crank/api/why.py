"""Why it starts hard, over HTTP."""

from fastapi import APIRouter

from orange_crank.api.door import Who
from orange_crank.api.keyed import Key
from orange_crank.api.shop import Number
from orange_crank.core.call.why_record import WhyRecord
from orange_crank.core.nomenclature import Flag, Frozen, Word
from orange_crank.store.calls import why
from orange_crank.store.database import session
from orange_crank.store.once import once

router = APIRouter(prefix="/api/calls", tags=["why"])


@router.get("/{call_id}/why")
def get_why(call_id: Number) -> why.WhyOut:
    """Return a call's causes by probability, the next test, and what was decided."""
    with session():
        return why.get_why(call_id)


@router.post("/{call_id}/why", status_code=201)
def tell_why(call_id: Number, record: WhyRecord, who: Who, key: Key) -> why.WhyOut:
    """Write down symptoms and what was looked at, and judge again."""
    with session():
        return once(key, lambda: why.tell(call_id, record, who.id), lambda _: why.get_why(call_id))


class SkipTest(Frozen):
    """A test of the diagnosis to skip on this call, or to offer again."""

    test: Word
    skipped: Flag = True


@router.post("/{call_id}/skipped-tests", status_code=201)
def skip_test(call_id: Number, entry: SkipTest, who: Who, key: Key) -> why.WhyOut:
    """Skip a test, so that Next goes on without it; it stays open in the diagnosis."""
    with session():
        return once(
            key,
            lambda: why.skip_test(call_id, entry.test, entry.skipped, who.id),
            lambda _: why.get_why(call_id),
        )


@router.post("/{call_id}/decisions", status_code=201)
def decide(call_id: Number, entry: why.NewDecision, who: Who, key: Key) -> why.WhyOut:
    """Write down a decision with its evidence; a condemnation only where the record proves it."""
    with session():
        return once(key, lambda: why.decide(call_id, entry, who.id), lambda _: why.get_why(call_id))
