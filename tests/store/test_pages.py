"""Lists in pages: nothing twice, nothing left out, whatever comes in between."""

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from orange_crank.core.errors import InputProblem
from orange_crank.store import database
from orange_crank.store.calls.listing import list_calls
from orange_crank.store.errors import NotFound
from orange_crank.store.models import Site, Unit
from orange_crank.store.server import MariaDbServer
from orange_crank.store.unit_pages import page_of_units
from orange_crank.store.units import NewSite, NewUnit, add_site, add_unit, list_units
from tests.conftest import as_loaded


def walk(find: str = "", most: int = 3) -> list[int]:
    """Every unit of the list, page by page."""
    found: list[int] = []
    after: int | None = None
    while True:
        page = page_of_units(find, after, most)
        found += [u.id for u in page.units]
        if page.more_after is None:
            return found
        assert page.more_after == found[-1]
        after = page.more_after


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(st.tuples(st.sampled_from("ABC"), st.text("abz 9", min_size=1, max_size=5)), max_size=9),
    st.integers(1, 7),
)
def test_pages_laid_together_are_the_list(
    records: MariaDbServer, more: list[tuple[str, str]], most: int
) -> None:
    as_loaded()
    with database.session():
        sites = {}
        for site, unit in more:
            if site not in sites:
                sites[site] = add_site(NewSite(name=f"{site} farm")).id
            if unit.strip() and not Unit.get_or_none(
                (Unit.site == sites[site]) & (Unit.name == unit.strip())
            ):
                add_unit(NewUnit(site_id=sites[site], name=unit.strip()))
        assert walk(most=most) == [u.id for u in list_units()]


def test_a_unit_that_comes_between_two_pages_shifts_nothing(records: MariaDbServer) -> None:
    with database.session():
        first = page_of_units(most=3)
        site = add_site(NewSite(name="0 comes first"))
        add_unit(NewUnit(site_id=site.id, name="Late"))
        second = page_of_units(after=first.more_after, most=3)
        shown = [u.id for u in first.units + second.units]
        assert len(shown) == len(set(shown))
        before = [u.id for u in list_units() if u.site.id != site.id]
        assert shown == before[: len(shown)]


@pytest.mark.parametrize(
    ("find", "wanted"),
    [
        ("ticket", "Ticket office split"),
        ("offi tick", "Ticket office split"),
        ("FERRY", "Ticket office split"),
    ],
)
def test_words_of_the_unit_and_of_its_site_find_it(records: MariaDbServer, find: str, wanted: str) -> None:
    with database.session():
        assert wanted in [u.name for u in page_of_units(find).units]
        assert page_of_units(find + " zzz").units == []


@pytest.mark.parametrize("find", ["%", "_", "'", "\\", "+*-", '"', "@@", "x" * 200, "the", "é", "مزرعة"])
def test_nothing_typed_breaks_the_list(records: MariaDbServer, find: str) -> None:
    with database.session():
        assert len(page_of_units(find).units) <= len(list_units())


def test_the_end_of_a_serial_and_the_year_find_a_unit(records: MariaDbServer) -> None:
    with database.session():
        site = Site.select().first()
        made = add_unit(NewUnit(site_id=site.id, name="New one", serial="2214K77120", built_year=1997))
        assert [u.id for u in page_of_units("77120").units] == [made.id]
        assert [u.id for u in page_of_units("1997").units] == [made.id]


def test_a_page_after_a_unit_that_is_gone_says_so(records: MariaDbServer) -> None:
    with database.session(), pytest.raises(InputProblem):
        page_of_units(after=99_999)


def test_calls_go_on_where_the_list_ended(records: MariaDbServer) -> None:
    with database.session():
        whole = [c.id for c in list_calls()]
        found: list[int] = []
        while True:
            page = list_calls(before=found[-1] if found else None, most=4)
            found += [c.id for c in page]
            if len(page) < 4:
                break
        assert found == whole
        with pytest.raises(NotFound):
            list_calls(before=99_999)
