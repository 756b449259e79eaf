"""Help where one stands, words on a tap, and rules that open the page they are explained on."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.product import Product
from tests.ui.acts import sign_in

RUNGS = {
    "make_safe": "Make safe",
    "plate": "Nameplate",
    "dead_tests": "Power-off tests",
    "live_tests": "Power-on tests",
    "why": "Diagnosis",
    "aid": "Start aid",
    "parts": "Contactor & capacitors",
    "circuit": "Circuit",
    "prove": "Prove",
    "hand_over": "Hand over",
}


def _enter(page: Page, product: Product) -> None:
    sign_in(page, product, "Marlo Quist")


def test_every_rung_says_what_it_is_for_and_its_words(phone: Page, product: Product) -> None:
    _enter(phone, product)
    for rung, title in RUNGS.items():
        phone.goto(f"{product.address}/calls/4/{rung}")
        phone.get_by_role("button", name="Help with this page").tap()
        help_sheet = phone.get_by_role("dialog", name="Help")
        expect(help_sheet.get_by_role("heading", name=title, exact=True)).to_be_visible()
        expect(help_sheet.locator("p").first).to_be_visible()
        expect(help_sheet.get_by_role("region", name="This screen")).to_have_count(1)
        # The phone's back closes the help and leaves the rung where it was.
        phone.go_back()
        expect(help_sheet).to_have_count(0)
        expect(phone).to_have_url(f"{product.address}/calls/4/{rung}")


def test_a_rule_opens_what_the_handbook_says_and_the_work_stays(phone: Page, product: Product) -> None:
    _enter(phone, product)
    phone.goto(f"{product.address}/calls/1/live_tests")
    phone.get_by_role("button", name="How").first.tap()
    phone.get_by_role("button", name=re.compile("^Shop rule: Winding sum")).tap()
    sheet = phone.get_by_role("dialog", name="The rule")
    expect(sheet.get_by_role("heading", name="Winding sum, allowed ohms off")).to_be_visible()
    sheet.get_by_role("button", name="Whole page: Shop rules").tap()
    expect(sheet.get_by_role("heading", name="Shop rules", exact=True)).to_be_attached()
    sheet.get_by_role("button", name="Close").tap()
    expect(phone.get_by_role("button", name=re.compile("^Shop rule: Winding sum"))).to_be_visible()


def test_a_word_is_explained_by_a_tap_and_leads_on(desk: Page, product: Product) -> None:
    _enter(desk, product)
    desk.goto(f"{product.address}/calls/1/live_tests")
    rung = desk.get_by_role("region", name="Power-on tests")
    rung.get_by_role("button", name="How").first.click()
    desk.get_by_role("button", name="turn short").focus()
    desk.keyboard.press("Enter")
    said = desk.get_by_role("dialog", name="turn short")
    expect(said).to_contain_text("Shorted turns inside one winding")
    said.get_by_role("link", name="More in the handbook").click()
    expect(desk).to_have_url(re.compile("/handbook/dead-tests$"))
    expect(desk.get_by_role("heading", name="Power-off tests")).to_be_visible()


def test_the_handbook_is_searched_and_read_by_keyboard(desk: Page, product: Product) -> None:
    _enter(desk, product)
    desk.keyboard.press("g")
    desk.keyboard.press("h")
    expect(desk.get_by_role("heading", name="Handbook", exact=True)).to_be_visible()
    desk.get_by_label("Find in the handbook").fill("bleed resistor")
    found = desk.get_by_role("list", name="Found in the handbook")
    expect(found.get_by_role("button").first).to_contain_text("bleed resistor")
    desk.get_by_label("Find in the handbook").press("Tab")
    desk.keyboard.press("Enter")
    expect(desk).to_have_url(re.compile("/handbook/make-safe$"))
    desk.get_by_label("Find in the handbook").fill("qqqzzz")
    expect(desk.get_by_text("Nothing in the handbook on")).to_be_visible()


@pytest.mark.usefixtures("ahead")
def test_once_open_the_handbook_needs_no_network(phone: Page, product: Product) -> None:
    _enter(phone, product)
    phone.goto(f"{product.address}/handbook/aid")
    expect(phone.get_by_role("heading", name="Start aid", exact=True)).to_be_visible()
    phone.context.set_offline(True)
    phone.get_by_label("Find in the handbook").fill("condensing")
    found = phone.get_by_role("list", name="Found in the handbook")
    expect(found).to_be_visible()
    found.get_by_role("button").first.tap()
    expect(phone).to_have_url(re.compile("/handbook/refrigerants"))
    expect(phone.get_by_role("heading", name="Refrigerants")).to_be_visible()
    phone.context.set_offline(False)


@pytest.mark.parametrize("page", ["aid", "code", "no-such-page"])
def test_any_address_of_the_handbook_has_a_way_on(desk: Page, product: Product, page: str) -> None:
    _enter(desk, product)
    desk.goto(f"{product.address}/handbook/{page}")
    expect(desk.get_by_role("navigation", name="Pages of the handbook")).to_be_visible()
