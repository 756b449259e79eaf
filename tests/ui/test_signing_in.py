"""The screens before anybody is signed in: by keyboard alone, in every look, at 200 % text, on a phone."""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect
from scripts.screenshots import PHONE

from tests.product import Product, running

PASSPHRASE = "lark hill in the snow"
LOOKS = (("sheet", "100%"), ("dark", "100%"), ("sun", "200%"))
AXE = "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']})"


@pytest.fixture(scope="module")
def shop(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Product]:
    """A shop of one's own that nobody has begun."""
    with running(tmp_path_factory.mktemp("shop") / "data", ("start",)) as made:
        yield made


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    context = browser.new_context(
        viewport={"width": PHONE["width"], "height": PHONE["height"]},
        has_touch=True,
        reduced_motion="reduce",
        service_workers="block",
    )
    context.set_default_timeout(12_000)
    yield context.new_page()
    context.close()


def faults(page: Page, root: Path, path: str, heading: str) -> list[str]:
    """What keeps somebody out of a screen, in each look, and what runs over its edge."""
    found = []
    for look, size in LOOKS:
        page.evaluate(f"localStorage.setItem('orange-crank.look', '{look}')")
        page.goto("about:blank")
        page.goto(path)
        expect(page.get_by_role("heading", name=heading)).to_be_visible()
        page.evaluate(f"document.documentElement.style.fontSize = '{size}'")
        page.evaluate((root / "frontend/node_modules/axe-core/axe.min.js").read_text("utf-8"))
        told: Any = page.evaluate(AXE)
        found += [f"{look} {v['id']}: {v['nodes'][0]['html'][:120]}" for v in told["violations"]]
        if page.evaluate("document.documentElement.scrollWidth") > PHONE["width"]:
            found.append(f"{look} {size}: wider than the phone")
        low = page.evaluate(
            """() => [...document.querySelectorAll('button, input, select')].filter(e => {
              const box = (e.closest('label') ?? e).getBoundingClientRect()
              return box.height > 0 && box.height < 44 && !e.closest('.sr-only')
            }).map(e => e.outerHTML.slice(0, 90))"""
        )
        found += [f"{look}: too low for a thumb: {html}" for html in low]
    return found


def test_from_empty_records_to_signed_out_and_in_by_the_keyboard_alone(
    page: Page, shop: Product, root: Path
) -> None:
    page.goto(shop.address)
    assert faults(page, root, shop.address, "Begin your shop") == []
    page.evaluate("localStorage.setItem('orange-crank.look', 'sheet')")
    page.goto(shop.address)
    page.get_by_role("textbox", name="Name of the shop").focus()
    page.keyboard.type("Lark Hill Cooling")
    page.keyboard.press("Enter")
    # Labor rate, tax and markup: a bill takes no made-up ones.
    for figure in ("95", "7.25", "30"):
        page.keyboard.type(figure)
        page.keyboard.press("Enter")
    page.keyboard.type("Ada Wren")
    page.keyboard.press("Enter")
    page.keyboard.type(PASSPHRASE)
    # Nobody reads it over a shoulder until it is asked for.
    secret = page.get_by_label("Your passphrase", exact=True)
    expect(secret).to_have_attribute("type", "password")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(secret).to_have_attribute("type", "text")
    page.get_by_role("button", name="Begin", exact=True).focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="At work: Ada Wren. Change.")).to_be_visible()
    rates = page.evaluate("fetch('/api/shop').then((r) => r.json())")["details"]
    assert (rates["labor_per_hour"], rates["tax_pct"], rates["parts_markup_pct"]) == (95.0, 7.25, 30.0)

    page.get_by_role("button", name="At work: Ada Wren. Change.").focus()
    page.keyboard.press("Enter")
    sheet = page.get_by_role("dialog", name="Who's working?")
    expect(sheet).to_contain_text("No other person works here yet.")
    sheet.get_by_role("button", name="Sign out").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Sign in", exact=True)).to_be_visible()
    assert "Lark Hill" not in page.locator("body").inner_text()

    assert faults(page, root, f"{shop.address}/calls", "Sign in") == []
    page.evaluate("localStorage.setItem('orange-crank.look', 'sheet')")
    page.goto(shop.address)
    page.get_by_role("textbox", name="Your name").focus()
    page.keyboard.type("ada wren")
    page.keyboard.press("Tab")
    page.keyboard.type("not this one at all")
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("Name and passphrase do not match.")
    # What was typed stays; the keepers of passphrases know which field is which.
    expect(page.get_by_role("textbox", name="Your name")).to_have_value("ada wren")
    expect(page.get_by_label("Passphrase", exact=True)).to_have_attribute("autocomplete", "current-password")
    page.get_by_label("Passphrase", exact=True).fill(PASSPHRASE)
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="At work: Ada Wren. Change.")).to_be_visible()


def test_an_invitation_keeps_nobody_out(page: Page, shop: Product, root: Path) -> None:
    invited = shop.run("invite", "Ada Wren")
    word = re.search(r"/join#\S+", invited.stdout)
    assert word is not None, invited.stderr
    page.goto(shop.address)
    assert faults(page, root, shop.address + word[0], "Welcome, Ada Wren") == []
    page.goto("about:blank")
    page.goto(shop.address + "/join#nothing-that-was-made")
    expect(page.get_by_role("heading", name="This invitation does not open")).to_be_visible()
    page.get_by_role("button", name="Go to the sign-in").tap()
    expect(page.get_by_role("heading", name="Sign in", exact=True)).to_be_visible()
    page.goto("about:blank")
    page.goto(shop.address + "/join")
    expect(page.get_by_text("The address is incomplete.")).to_be_visible()
