"""What two do at the same moment: the last part is taken once, and no reading lands after the closing."""

import threading
from collections.abc import Callable

import peewee
import pytest

from orange_crank.core.call.work import Fitting
from orange_crank.core.errors import CrankError
from orange_crank.core.measure.reading import NewReading
from orange_crank.store import parts
from orange_crank.store.calls.opening import CallEdit, NewCall, edit_call, open_call
from orange_crank.store.calls.readings import add_reading
from orange_crank.store.calls.view import get_call
from orange_crank.store.calls.work import fit_part
from orange_crank.store.database import session
from orange_crank.store.models import Reading, ServiceCall
from orange_crank.store.server import MariaDbServer

PART = "RC-5-440"


def at_once(works: list[Callable[[], object]]) -> list[str]:
    """Do all at the same moment; return how each ended."""
    told: list[str] = []
    gate = threading.Barrier(len(works))

    def run(work: Callable[[], object]) -> None:
        gate.wait()
        try:
            with session():
                work()
            told.append("done")
        except CrankError as refused:
            told.append(refused.title)

    threads = [threading.Thread(target=run, args=(w,)) for w in works]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    return told


def held() -> int:
    with session():
        return parts.counts_of(1).get(PART, 0)


@pytest.mark.parametrize("many", [4, 10])
def test_the_last_ones_are_taken_once_each(records: MariaDbServer, many: int) -> None:
    del records
    there = held()
    assert there == 3
    out = parts.NewMove(part=PART, count=1, reason="moved_out")
    told = at_once([lambda: parts.move_stock(1, out, 1) for _ in range(many)])
    assert told.count("done") == min(there, many)
    assert held() == max(0, there - many)


def test_two_who_count_at_once_leave_what_one_of_them_counted(records: MariaDbServer) -> None:
    del records
    found = [parts.NewMove(part=PART, count=n, reason="counted") for n in (7, 9)]
    assert at_once([lambda m=m: parts.move_stock(1, m, 1) for m in found]) == ["done", "done"]  # type: ignore[misc]
    assert held() in (7, 9)


def test_a_part_fitted_and_taken_out_at_once_is_gone_once(records: MariaDbServer) -> None:
    del records
    with session():
        parts.move_stock(1, parts.NewMove(part=PART, count=1, reason="counted"), 1)
    fitting = Fitting(work="other", what="Fan capacitor 5 µF", part=PART, holder_id=1)
    out = parts.NewMove(part=PART, count=1, reason="moved_out")
    told = at_once([lambda: fit_part(4, fitting, 1), lambda: parts.move_stock(1, out, 1)])
    assert told.count("done") == 1
    assert held() == 0


@pytest.mark.parametrize("turn", range(6))
def test_a_reading_lands_before_the_closing_or_not_at_all(records: MariaDbServer, turn: int) -> None:
    del records
    from orange_crank.core.measure.reading import NewReading
    from orange_crank.store.calls.opening import CallEdit, edit_call
    from orange_crank.store.calls.readings import add_reading
    from orange_crank.store.calls.view import get_call

    with session():
        version = get_call(4).version
    edit = CallEdit(version=version, status="closed", reason="Owner sent us home")
    entry = NewReading(quantity="running_a", value=15.0, volts=230.0)
    works: list[Callable[[], object]] = [lambda: edit_call(4, edit, 1)]
    works += [lambda: add_reading(4, entry, 1) for _ in range(3)]
    told = at_once(works[turn % 4 :] + works[: turn % 4])
    with session():
        call = get_call(4)
    landed = [r for r in call.readings if r.entry.value == 15.0]
    assert call.status == "closed" or told.count("done") == 3
    assert len(landed) == told.count("done") - (call.status == "closed")
    # What a closed call is judged by is all that is on it: nothing came after the closing unseen.
    with session():
        again = get_call(4)
    assert [r.id for r in again.readings] == [r.id for r in call.readings]


def test_a_call_opened_again_and_another_opened_at_once_leave_one_open(records: MariaDbServer) -> None:
    del records
    with session():
        old = ServiceCall.get((ServiceCall.status == "closed") & (ServiceCall.unit != 1))
        unit, version = old.unit_id, old.version
        for one in ServiceCall.select().where((ServiceCall.unit == unit) & (ServiceCall.status == "open")):
            edit_call(one.id, CallEdit(version=one.version, status="closed", reason="to make room"), 1)

    def again() -> object:
        return edit_call(old.id, CallEdit(version=version, status="open"), 1)

    told = at_once([again, *[lambda: open_call(NewCall(unit_id=unit, complaint="Hums"), 1)] * 4])
    assert told.count("done") == 1
    with session():
        there = ServiceCall.select().where((ServiceCall.unit == unit) & (ServiceCall.status == "open"))
        assert there.count() == 1


def test_what_was_closed_holds_every_reading_that_landed(records: MariaDbServer) -> None:
    """A reading that landed while the closing waited is in what the closed call is judged by."""
    del records
    with session():
        version = ServiceCall.get_by_id(4).version
    entry = NewReading(quantity="running_a", value=15.0)
    works: list[Callable[[], object]] = [lambda: add_reading(4, entry, 1) for _ in range(6)]
    works.insert(3, lambda: edit_call(4, CallEdit(version=version, status="closed", reason="sent away"), 1))
    at_once(works)
    with session():
        row = ServiceCall.get_by_id(4)
        last = Reading.select(peewee.fn.MAX(Reading.id)).where(Reading.call == 4).scalar()
        assert row.status == "closed"
        assert last <= row.closed_reading
        assert len(get_call(4).readings) == Reading.select().where(Reading.call == 4).count()
