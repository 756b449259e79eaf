"""A browser as people have it, back/forward cache on: event streams never use up its connections."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, BrowserType, Page, expect
from scripts.screenshots import CHROMIUM_FLAGS, PHONE

from tests.product import Line, Product


@pytest.fixture(scope="module")
def with_cache(browser_type: BrowserType) -> Iterator[Browser]:
    """Chromium with the back/forward cache, which Playwright switches off."""
    launched = browser_type.launch(
        executable_path="/usr/bin/chromium",
        args=CHROMIUM_FLAGS,
        ignore_default_args=["--disable-back-forward-cache"],
    )
    yield launched
    launched.close()


@pytest.fixture
def context(with_cache: Browser) -> Iterator[BrowserContext]:
    found = with_cache.new_context(
        viewport={"width": PHONE["width"], "height": PHONE["height"]}, service_workers="block"
    )
    found.set_default_timeout(60_000)
    yield found
    found.close()


def tab_of(context: BrowserContext, product: Product, person: int, path: str) -> Page:
    context.request.post(f"{product.address}/api/session/demo", data={"person_id": person})
    page = context.new_page()
    page.goto(product.address + path)
    return page


def answers(page: Page, path: str) -> None:
    """The server answers this tab: a request of its own comes back."""
    status = page.evaluate("path => fetch(path).then(r => r.status)", path)
    assert status == 200


@pytest.mark.parametrize("person", [1, 3], ids=["technician", "lead"])
def test_twenty_visits_in_one_tab_all_open(context: BrowserContext, product: Product, person: int) -> None:
    page = tab_of(context, product, person, "/calls/4")
    for visit in range(20):
        page.goto(f"{product.address}/calls/4" + ("/nameplate" if visit % 2 else ""))
        expect(page.get_by_role("heading").first).to_be_visible()
        answers(page, "/api/calls/4")
    # Out of the cache no page loads; that it answers shows that its stream was opened again or let go.
    page.go_back(wait_until="commit")
    expect(page.get_by_role("heading").first).to_be_visible()
    answers(page, "/api/calls/4")


def test_four_tabs_of_shop_and_practice_share_a_line_each(context: BrowserContext, product: Product) -> None:
    run = Line(product, person=1).send("POST", "/api/practice/runs", {"scenario": "graded-1"}).body
    practice = f"/practice/calls/{run['call_number']}"
    tabs = [tab_of(context, product, 1, path) for path in ("/calls/4", "/calls/4", practice, practice)]
    for _ in range(5):
        for tab in tabs:
            tab.reload()
            expect(tab.get_by_role("heading").first).to_be_visible()
    for tab in tabs[:2]:
        answers(tab, "/api/calls/4")
    for tab in tabs[2:]:
        answers(tab, f"/practice/api/calls/{run['call_number']}")


def test_a_tab_that_follows_hears_what_another_phone_wrote_also_after_the_leader_is_gone(
    context: BrowserContext, product: Product
) -> None:
    first = tab_of(context, product, 1, "/calls/4")
    second = tab_of(context, product, 1, "/calls/4")
    other = Line(product, person=3)
    expect(second.get_by_role("heading").first).to_be_visible()

    def another_phone_writes(note: str) -> None:
        version = other.send("GET", "/api/calls/4").body["version"]
        with second.expect_request(lambda r: r.url.endswith("/api/calls/4"), timeout=60_000):
            assert other.send("PATCH", "/api/calls/4", {"version": version, "note": note}).status == 200

    another_phone_writes("Gate code 4417")
    first.close()
    second.wait_for_timeout(500)
    another_phone_writes("Gate code 4418")
