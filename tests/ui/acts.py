"""What several driven flows ask of the server straight, as a second technician's phone would."""

import json
import re
from collections.abc import Sequence
from typing import Any

from playwright.sync_api import Locator, Page, expect

from tests.doing import CAUTION, GO_LIVE, make_safe_body
from tests.product import Product


def get(product: Product, path: str) -> Any:
    return json.loads(product.fetch(path))


def send(product: Product, method: str, path: str, body: Any) -> Any:
    return json.loads(product.fetch(path, body, method))


def sign_in(page: Page, product: Product, name: str = "Marlo Quist", path: str = "") -> None:
    """Be one of the demo's people on this page; waits until the server knows."""
    page.goto(product.address + path)
    page.get_by_role("button", name=re.compile(name)).click()
    expect(page.get_by_role("button", name=f"At work: {name}. Change.")).to_be_visible()


def scrolled_to(page: Page, name: str) -> Locator:
    """Return a region that loads when it comes near the screen, after it has."""
    region = page.get_by_role("region", name=name)
    region.wait_for()
    page.wait_for_load_state("networkidle")  # sections above it push it down while they load
    region.scroll_into_view_if_needed()
    return region


def post(product: Product, path: str, body: Any) -> Any:
    return send(product, "POST", path, body)


def reload_demo(product: Product) -> None:
    product.as_loaded()


def make_safe(
    product: Product, call: int, sections: Sequence[str] = ("c_herm", "c_fan"), **more: Any
) -> None:
    body = make_safe_body(get(product, f"/api/calls/{call}"), sections, **more)
    post(product, f"/api/calls/{call}/make-safe", body)


def go_live(product: Product, call: int) -> None:
    post(product, f"/api/calls/{call}/safety-events", CAUTION)
    post(product, f"/api/calls/{call}/safety-events", GO_LIVE)
