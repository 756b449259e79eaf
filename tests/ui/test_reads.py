"""°C and meters by person: typed, read back, judged and told the same as in °F and feet."""

import re
from collections.abc import Iterator
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.product import Product
from tests.ui.acts import get, make_safe, post, send, sign_in

CALL = 4
WRITTEN = {"temperature": "F", "distance": "ft", "region": "en-US", "hours": 12}


@pytest.fixture(autouse=True)
def as_written_afterwards(product: Product) -> Iterator[None]:
    """How one reads outlives a reload of the demo; whoever comes next reads as the core writes."""
    yield
    send(product, "PUT", "/api/reads", WRITTEN)


def read_as(page: Page, product: Product, *picks: str) -> None:
    page.goto(f"{product.address}/shop#sign-in")
    page.get_by_role("button", name="Change how you read").click()
    sheet = page.get_by_role("dialog", name="Units and dates")
    for pick in picks:
        sheet.get_by_role("radio", name=pick).click()
    sheet.get_by_role("button", name="Save").click()
    unit = "°C" if any(p.startswith("°C") for p in picks) else "°F"
    expect(sheet).to_have_count(0)
    expect(page.get_by_role("region", name="Units and dates")).to_contain_text(unit)


def plain(text: str) -> str:
    return re.sub(r"\s+", " ", text)


def refrigerant(page: Page) -> Any:
    form = page.get_by_role("form", name="Refrigerant side")
    if not form.is_visible():
        page.get_by_text("▸ Refrigerant side").click()
    return form


def test_the_same_is_typed_in_celsius_and_judged_as_in_fahrenheit(desk: Page, product: Product) -> None:
    sign_in(desk, product)
    read_as(desk, product, "°C, differences in K", "Meters")
    expect(desk.get_by_role("region", name="Units and dates")).to_contain_text("°C, meters")
    post(product, f"/api/calls/{CALL}/safety-events", {"kind": "caution_read"})
    make_safe(product, CALL)
    desk.goto(f"{product.address}/circuits")
    desk.get_by_label("Length, one way").first.fill("100")
    expect(desk.get_by_label("Length, one way").first).to_have_value("100")
    # Beside the field stands what it is typed in.
    field = desk.get_by_label("Length, one way").first.locator("xpath=../..")
    expect(field).to_contain_text("m")


def test_a_page_says_no_fahrenheit_to_who_reads_celsius(desk: Page, product: Product) -> None:
    sign_in(desk, product)
    read_as(desk, product, "°C, differences in K", "Meters", "3:05 pm")
    told = {}
    for path in ("/units/1", "/calls/4/live_tests", "/calls/4/why", "/calls/4/prove", "/handbook/prove"):
        desk.goto(product.address + path)
        desk.wait_for_load_state("networkidle")
        for closed in desk.locator("details:not([open]) > summary").all():
            if closed.is_visible():
                closed.click()
        told[path] = plain(desk.locator("main").inner_text())
        # A sum behind a verdict stays as its rule is written; nothing else does.
        sentences = [line for line in told[path].split(". ") if "°F" in line]
        assert not sentences, (path, sentences)
    assert "°C" in told["/units/1"]
    assert "within 8.3 K" in told["/handbook/prove"]
    assert re.search(r"\d{1,2}:\d\d (am|pm)", told["/calls/4/live_tests"])


def test_what_is_half_typed_is_never_taken_for_the_other_unit(desk: Page, product: Product) -> None:
    sign_in(desk, product)
    desk.goto(f"{product.address}/circuits")
    desk.get_by_label("Highest ambient").first.fill("95")
    desk.wait_for_timeout(600)
    read_as(desk, product, "°C, differences in K")
    desk.goto(f"{product.address}/circuits")
    expect(desk.get_by_label("Highest ambient").first).not_to_have_value("95")
    desk.get_by_label("Highest ambient").first.fill("35")
    desk.wait_for_timeout(600)
    read_as(desk, product, "°F")
    desk.goto(f"{product.address}/circuits")
    expect(desk.get_by_label("Highest ambient").first).to_have_value("95")


def test_each_person_reads_their_own_way_on_one_device(desk: Page, product: Product) -> None:
    sign_in(desk, product)
    read_as(desk, product, "°C, differences in K")
    desk.get_by_role("button", name="At work: Marlo Quist. Change.").click()
    desk.get_by_role("button", name=re.compile("Ines Tarrow")).click()
    expect(desk.get_by_role("region", name="Units and dates")).to_contain_text("°F, feet")
    assert get(product, "/api/session")["reads"]["temperature"] in ("F", "C")


def test_it_is_changed_by_keyboard_alone_on_a_phone_at_twice_the_text(phone: Page, product: Product) -> None:
    sign_in(phone, product)
    phone.goto(f"{product.address}/shop#sign-in")
    phone.evaluate("document.documentElement.style.fontSize = '200%'")
    phone.get_by_role("button", name="Change how you read").focus()
    phone.keyboard.press("Enter")
    sheet = phone.get_by_role("dialog", name="Units and dates")
    sheet.get_by_role("radio", name="°F", exact=True).focus()
    phone.keyboard.press("ArrowRight", delay=80)  # as long as a finger holds it
    expect(sheet.get_by_role("radio", name="°C, differences in K")).to_be_checked()
    assert not phone.evaluate("document.documentElement.scrollWidth > innerWidth")
    for _ in range(8):
        phone.keyboard.press("Tab")
        if phone.evaluate("document.activeElement.innerText") == "Save":
            break
    phone.keyboard.press("Enter")
    expect(phone.get_by_role("region", name="Units and dates")).to_contain_text("°C, feet")
