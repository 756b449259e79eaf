"""What is remembered of a call is what is read again, after anything that may be done to it or around it."""

from collections.abc import Iterator
from typing import Any, ClassVar

import hypothesis.strategies as st
import pytest
from hypothesis import HealthCheck, settings
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from orange_crank.core.errors import CrankError
from orange_crank.core.measure.reading import NewReading
from orange_crank.store import clocks, people, standards, units
from orange_crank.store.calls.changes import NewChange, add_change
from orange_crank.store.calls.journal import write_on
from orange_crank.store.calls.listing import list_calls
from orange_crank.store.calls.opening import CallEdit, edit_call
from orange_crank.store.calls.plates import save_plate_on_call
from orange_crank.store.calls.readings import add_reading
from orange_crank.store.calls.safety import NewSafetyEvent, add_safety_event
from orange_crank.store.calls.stamps import REMEMBERED
from orange_crank.store.calls.view import get_call
from orange_crank.store.database import now, session, transaction
from orange_crank.store.models import Person, Reading, ServiceCall, Site, Unit
from orange_crank.store.server import MariaDbServer
from tests.conftest import as_loaded

OPEN, CLOSED = 4, 1
WORDS = st.text("abcdef é“", min_size=3, max_size=12).map(lambda t: f"x{t}")


@pytest.fixture(scope="module", autouse=True)
def shop(demo_copy: MariaDbServer) -> Iterator[None]:
    del demo_copy
    yield
    as_loaded()


def differing(kept: list[dict[str, Any]], read: list[dict[str, Any]]) -> list[str]:
    """Name what differs; the whole of two calls side by side is more than anybody reads."""
    assert [c["id"] for c in kept] == [c["id"] for c in read]
    return [f"{a['id']}.{name}" for a, b in zip(kept, read, strict=True) for name in a if a[name] != b[name]]


class Shop(RuleBasedStateMachine):
    """Whatever people do, in any order; refusals are as good as deeds."""

    watched: ClassVar[tuple[int, ...]] = (OPEN, CLOSED)

    @initialize()
    def load(self) -> None:
        as_loaded()

    def do(self, work: Any) -> None:
        try:
            with session():
                work()
        except CrankError:
            pass

    @rule(value=st.floats(10, 20), quantity=st.sampled_from(["running_a", "line_v_idle"]))
    def reads(self, value: float, quantity: Any) -> None:
        self.do(lambda: add_reading(OPEN, NewReading(quantity=quantity, value=round(value, 2)), 1))

    @rule(value=st.floats(10, 20))
    def corrects(self, value: float) -> None:
        def work() -> None:
            old = (
                Reading.select()
                .where((Reading.call == OPEN) & (Reading.quantity == "running_a"))
                .order_by(Reading.id.desc())
                .get()
            )
            add_reading(
                OPEN, NewReading(quantity="running_a", value=round(value, 2), supersedes_id=old.id), 2
            )

        self.do(work)

    @rule(what=WORDS)
    def changes(self, what: str) -> None:
        self.do(lambda: add_change(OPEN, NewChange(what=what), 1))

    @rule()
    def starts_a_clock(self) -> None:
        self.do(lambda: clocks.start_clock(OPEN, clocks.NewClock(minutes=30.0), 1))

    @rule()
    def ends_a_clock(self) -> None:
        def work() -> None:
            for one in clocks.running_clocks([OPEN]).get(OPEN, []):
                clocks.end_clock(OPEN, one.id, 1)

        self.do(work)

    @rule(kind=st.sampled_from(["caution_read", "control_live", "lapsed"]))
    def tells_of_safety(self, kind: Any) -> None:
        self.do(lambda: add_safety_event(OPEN, NewSafetyEvent.model_construct(kind=kind), 1))

    @rule(note=WORDS, number=st.sampled_from([OPEN, CLOSED]))
    def edits(self, note: str, number: int) -> None:
        self.do(
            lambda: edit_call(number, CallEdit(version=ServiceCall.get_by_id(number).version, note=note), 1)
        )

    @rule(status=st.sampled_from(["open", "closed"]), number=st.sampled_from([OPEN, CLOSED]))
    def closes_or_opens(self, status: Any, number: int) -> None:
        self.do(
            lambda: edit_call(
                number,
                CallEdit(version=ServiceCall.get_by_id(number).version, status=status, reason="as agreed"),
                1,
            )
        )

    @rule(name=WORDS)
    def renames_the_unit(self, name: str) -> None:
        def work() -> None:
            with transaction():
                unit = ServiceCall.get_by_id(OPEN).unit_id
                Unit.update(name=name, version=Unit.version + 1).where(Unit.id == unit).execute()

        self.do(work)

    @rule(words=WORDS)
    def says_how_to_get_in(self, words: str) -> None:
        self.do(lambda: Site.update(access_note=words).where(Site.id == 1).execute())

    @rule(name=WORDS, number=st.sampled_from([1, 2, 3]))
    def renames_a_person(self, name: str, number: int) -> None:
        def work() -> None:
            row = Person.get_by_id(number)
            edit = people.PersonEdit(
                name=name, role=row.role, initials=row.initials, version=row.version, active=True
            )
            people.edit_person(number, edit, people.get_person(3))

        self.do(work)

    @rule(value=st.integers(2, 9))
    def sets_a_standard(self, value: int) -> None:
        def work() -> None:
            entry = standards.NewStandard(value=float(value), why="tried here")
            standards.set_standard("volts_agree_v", entry, people.get_person(3))

        self.do(work)

    @rule(rla=st.floats(12, 30))
    def reads_the_plate_again(self, rla: float) -> None:
        def work() -> None:
            unit = ServiceCall.get_by_id(OPEN).unit_id
            held = units.plate_of_unit(unit)
            assert held is not None
            assert held.plate is not None
            compressor = held.plate.compressors[0].model_copy(update={"rla_a": round(rla, 1)})
            plate = held.plate.model_copy(update={"compressors": [compressor]})
            save_plate_on_call(OPEN, plate, held.number, 1)

        self.do(work)

    @rule(value=st.floats(10, 20), quantity=st.sampled_from(["running_a", "start_time_s", "run_cap_uf"]))
    def another_call_on_the_site_goes_on(self, value: float, quantity: Any) -> None:
        """Of the same unit or of the one beside it; what is read there is an earlier visit, or a sister."""

        def work() -> None:
            site = ServiceCall.get_by_id(OPEN).unit.site_id
            with transaction():
                for call in ServiceCall.select().join(Unit).where(Unit.site == site):
                    if call.id == OPEN:
                        continue
                    entry = write_on(call.id, even_closed=True)
                    like = Reading.select().order_by(Reading.id).get()
                    columns = {k: v for k, v in like.__data__.items() if k != "id"}
                    fresh = {"call": call.id, "entry_no": entry.number, "recorded_at": entry.moment}
                    said = {"quantity": quantity, "value": round(value, 2), "value_word": None}
                    Reading.create(**columns | fresh | said | {"supersedes": None})

        self.do(work)

    @rule()
    def something_is_given_up(self) -> None:
        """What was written and taken back is remembered by nobody."""

        def work() -> None:
            with transaction() as held:
                add_reading(OPEN, NewReading(quantity="running_a", value=12.34), 1)
                get_call(OPEN)
                held.rollback()

        self.do(work)

    @invariant()
    def remembered_is_read(self) -> None:
        moment = now()
        with session():
            kept = [get_call(n, moment).model_dump(mode="json") for n in self.watched]
            listed = [c.model_dump(mode="json") for c in list_calls()]
            REMEMBERED.forget()
            read = [get_call(n, moment).model_dump(mode="json") for n in self.watched]
            REMEMBERED.forget()
            assert differing(kept, read) == []
            assert differing(listed, [c.model_dump(mode="json") for c in list_calls()]) == []
            # Remembered again for the next deed.
            for number in self.watched:
                get_call(number, moment)


Shop.TestCase.settings = settings(
    max_examples=10,
    stateful_step_count=12,
    deadline=None,
    suppress_health_check=list(HealthCheck),
)
TestShop = Shop.TestCase


def test_it_keeps_no_more_than_it_may() -> None:
    from orange_crank.store.calls.stamps import UNKNOWN, Remembered

    kept = Remembered(most=3)
    for number in range(5):
        kept.keep("part", number, "a", number)
    assert [kept.find("part", n, "a") is UNKNOWN for n in range(5)] == [True, True, False, False, False]
    assert kept.find("part", 4, "b") is UNKNOWN
    assert kept.part("part", 4, "b", lambda: 44) == 44
    assert kept.part("part", 4, "b", lambda: 45) == 44
