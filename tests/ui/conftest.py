"""The real product in a process of its own, and headless Chromium in front of it."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect
from scripts.screenshots import CHROMIUM, CHROMIUM_FLAGS, DESK, PHONE

from orange_crank.bench.push_service import PushService, push_service
from tests.product import Product
from tests.ui.acts import reload_demo

# A slow machine takes its time; only what fails waits for so long.
expect.set_options(timeout=40_000)


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, object]:
    return {"executable_path": CHROMIUM, "args": CHROMIUM_FLAGS}


@pytest.fixture(scope="session")
def push() -> Iterator[PushService]:
    """The push service of the browsers here: none of theirs can be reached."""
    with push_service() as service:
        yield service


@pytest.fixture(scope="session")
def product(tmp_path_factory: pytest.TempPathFactory, push: PushService) -> Iterator[Product]:
    started = Product(tmp_path_factory.mktemp("product"), push_hosts=push.host)
    started.start()
    yield started
    started.stop()


@pytest.fixture(scope="module", autouse=True)
def as_loaded(product: Product) -> None:
    """Each file begins with the demo as it is loaded: which files a worker ran before is chance."""
    reload_demo(product)


# What a page fetches ahead for when the signal goes costs seconds of a test that never loses it.
NOTHING_AHEAD = """
window.requestIdleCallback = () => 0;
const sent = window.fetch;
window.fetch = (what, ...more) =>
  String(what).endsWith('/api/pack') ? Promise.reject(new TypeError('not now')) : sent(what, ...more);
"""


@pytest.fixture
def ahead() -> None:
    """Asked for by a test whose page loses the signal: it fetches ahead as it does for people."""


def _page(
    browser: Browser, size: dict[str, int], touch: bool, request: pytest.FixtureRequest
) -> Iterator[Page]:
    context = browser.new_context(
        viewport={"width": size["width"], "height": size["height"]},
        has_touch=touch,
        reduced_motion="reduce",
        service_workers="block",
    )
    context.set_default_timeout(60_000)
    if "ahead" not in request.fixturenames:
        context.add_init_script(NOTHING_AHEAD)
    page = context.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    # What the page's own policy refuses it is told of here alone.
    page.on("console", lambda said: errors.append(said.text) if "Content Security" in said.text else None)
    yield page
    context.close()
    assert not errors, errors


@pytest.fixture
def desk(browser: Browser, product: Product, request: pytest.FixtureRequest) -> Iterator[Page]:
    del product
    yield from _page(browser, DESK, touch=False, request=request)


@pytest.fixture
def phone(browser: Browser, product: Product, request: pytest.FixtureRequest) -> Iterator[Page]:
    del product
    yield from _page(browser, PHONE, touch=True, request=request)


@pytest.fixture
def device(browser: Browser, product: Product) -> Iterator[BrowserContext]:
    """A phone whose browser keeps the program; nothing of it is left for whoever comes next."""
    reload_demo(product)
    found = browser.new_context(
        viewport={"width": PHONE["width"], "height": PHONE["height"]}, has_touch=True, reduced_motion="reduce"
    )
    found.set_default_timeout(60_000)
    yield found
    found.close()
    reload_demo(product)
