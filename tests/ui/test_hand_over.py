"""Handing over, the day, what is due, the unit's logbook, and a shop that begins: the real interface."""

import re
from pathlib import Path

import pypdfium2
import pytest
from playwright.sync_api import Browser, Page, expect
from scripts.screenshots import PHONE

from tests.product import Product
from tests.ui.acts import get, post, reload_demo, sign_in
from tests.ui.test_call import sign_on

CAUSE = {"kind": "cause", "decision": {"kind": "cause", "hypothesis": "run_capacitor_weak"}}


@pytest.fixture(autouse=True, scope="module")
def _fresh(product: Product) -> None:
    reload_demo(product)


def section(page: Page, name: str):  # type: ignore[no-untyped-def]
    return page.get_by_role("region", name=name, exact=True)


def draw(page: Page) -> None:
    """Sign with the mouse, from one end of the field to the other."""
    box = page.get_by_label("Field to sign in").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 20, box["y"] + 70)
    page.mouse.down()
    for i in range(1, 24):
        page.mouse.move(box["x"] + 20 + i * 11, box["y"] + 70 + (25 if i % 2 else -25))
    page.mouse.up()


def test_a_visit_is_agreed_billed_and_handed_over(desk: Page, product: Product) -> None:
    post(product, "/api/calls/4/decisions", CAUSE)
    sign_on(desk, product, "Marlo Quist")
    desk.goto(product.address + "/calls/4/hand_over")
    section(desk, "Agreed").get_by_role("button", name="Options and prices").click()
    desk.get_by_role("checkbox", name=re.compile("New run capacitor")).check()
    desk.get_by_role("textbox", name="Who agrees").fill("Hattie Voss")
    sign = desk.get_by_role("dialog").get_by_role("button", name="Agreed", exact=True)
    expect(sign).to_be_disabled()
    desk.get_by_label("Field to sign in").scroll_into_view_if_needed()
    draw(desk)
    sign.click()
    agreed = section(desk, "Agreed")
    expect(agreed).to_contain_text("Hattie Voss")
    expect(agreed).to_contain_text("signed")
    section(desk, "Final cause").get_by_role("button", name="Weak run capacitor", exact=True).click()
    expect(section(desk, "Final cause")).to_contain_text("confirmed by Marlo Quist")
    words = section(desk, "Handed over")
    expect(words).to_contain_text("had grown weak")
    expect(words).to_contain_text("It is not put right yet.")
    words.get_by_role("radio", name="Technician's").click()
    expect(words).to_contain_text("Weak run capacitor: confirmed by Marlo Quist.")
    cost = section(desk, "What it costs")
    cost.get_by_role("textbox", name="Labor charged").fill("60")
    desk.keyboard.press("Tab")
    expect(cost).to_contain_text("$117.15")
    back = section(desk, "When to come back")
    back.get_by_role("button", name=re.compile("^Keep all")).click()
    expect(back.get_by_text("Task", exact=True)).to_have_count(3)
    to = section(desk, "Handed over to")
    to.get_by_role("textbox", name="To whom").fill("Hattie Voss")
    to.get_by_role("textbox", name="Why what is left is left").fill("Waits for the part")
    to.get_by_role("radio", name="Not running").click()
    to.get_by_role("button", name="Handed over", exact=True).click()
    expect(to).to_contain_text("Handed over to Hattie Voss")
    desk.reload()
    expect(section(desk, "Handed over to")).to_contain_text("Handed over to Hattie Voss")
    expect(words).to_contain_text("Reason: Waits for the part")
    pdf = product.fetch("/api/calls/4/papers/customer.pdf")
    made = pypdfium2.PdfDocument(pdf)
    text = " ".join(made[0].get_textpage().get_text_range().split())
    made.close()
    assert "had grown weak" in text
    due = {t["title"] for t in get(product, "/api/tasks?person_id=1")}
    assert "Fix what was found" in due


def test_a_price_that_moved_is_shown_again_and_the_signature_stays(desk: Page, product: Product) -> None:
    post(product, "/api/calls/4/decisions", CAUSE)
    sign_on(desk, product, "Marlo Quist")
    desk.goto(product.address + "/calls/4/hand_over")
    section(desk, "Agreed").get_by_role("button", name="Options and prices").click()
    desk.get_by_role("checkbox", name=re.compile("New run capacitor")).check()
    desk.get_by_role("textbox", name="Who agrees").fill("Hattie Voss")
    desk.get_by_role("textbox", name=re.compile("Or by word")).fill("Marlo, on the phone")
    part = next(o for o in options(product) if o["key"] == "run_capacitor")["part"]
    put(product, f"/api/parts/{part}/price", {"price": 70.0})
    dialog = desk.get_by_role("dialog")
    dialog.get_by_role("button", name="Agreed", exact=True).click()
    expect(dialog).to_contain_text("The price changed since it was shown")
    expect(dialog).to_contain_text("$94.50")
    expect(desk.get_by_role("textbox", name="Who agrees")).to_have_value("Hattie Voss")
    dialog.get_by_role("button", name="Agreed", exact=True).click()
    expect(section(desk, "Agreed")).to_contain_text("by word, heard by Marlo, on the phone")


def options(product: Product) -> list[dict[str, str]]:
    found: list[dict[str, str]] = get(product, "/api/calls/4/hand-over/options")["options"]
    return found


def put(product: Product, path: str, body: object) -> None:
    product.fetch(path, body, "PUT", person=3)


def test_a_day_on_the_phone_leads_into_its_call(phone: Page, product: Product) -> None:
    sign_on(phone, product, "Marlo Quist")
    phone.get_by_role("link", name="Day", exact=True).tap()
    hall = phone.get_by_role("listitem").filter(has_text="Grange hall").first
    expect(hall).to_contain_text("Run capacitor 35 µF + 5 µF")
    expect(hall).to_contain_text("On the van")
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390
    hall.get_by_role("button", name="Open the call").tap()
    expect(phone.get_by_role("heading", name=re.compile("Meeting hall split"))).to_be_visible()
    number = int(phone.url.rstrip("/").split("/calls/")[1].split("/")[0])
    begun = next(v for v in get(product, "/api/visits") if v["unit_id"] == 8)
    assert ("begun", number) == (begun["status"], begun["call_id"])


def test_what_is_due_is_done_or_put_off_with_a_reason(phone: Page, product: Product) -> None:
    sign_on(phone, product, "Marlo Quist")
    phone.goto(product.address + "/due")
    lugs = phone.get_by_role("listitem").filter(has_text="Torque the rooftop lugs")
    expect(lugs).to_contain_text("Overdue")
    lugs.get_by_role("button", name="Later").tap()
    sheet = phone.get_by_role("dialog")
    expect(sheet.get_by_role("button", name="Postpone")).to_be_disabled()
    sheet.get_by_label("New day").fill("2031-05-05")
    sheet.get_by_label("Reason").fill("Roof is iced")
    sheet.get_by_role("button", name="Postpone").tap()
    expect(lugs).to_contain_text("May 5, 2031")
    expect(lugs).to_contain_text("Roof is iced")
    lugs.get_by_role("button", name="Done").tap()
    expect(lugs).to_have_count(0)
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390


def test_the_lead_names_what_a_closed_call_was(desk: Page, product: Product) -> None:
    sign_on(desk, product, "Bettany Rook")
    desk.goto(product.address + "/due")
    listed = section(desk, "Closed without a cause")
    listed.get_by_role("link").filter(has_text="Walk-in cooler").first.click()
    section(desk, "Final cause").get_by_role("button", name="Nothing wrong").click()
    expect(section(desk, "Final cause")).to_contain_text("confirmed by Bettany Rook")
    expect(section(desk, "What it costs").get_by_role("textbox")).to_have_count(0)


def test_a_unit_shows_its_years_and_the_fleet_what_is_next(desk: Page, product: Product) -> None:
    sign_on(desk, product, "Ines Tarrow")
    desk.goto(product.address + "/units/8")
    expect(section(desk, "Own baseline")).to_contain_text("above what this unit draws at 98 °F")
    expect(desk.get_by_role("figure", name=re.compile("Run capacitor"))).to_contain_text(
        "should reach 32.9 µF between"
    )
    line = section(desk, "Time line")
    line.get_by_role("radio", name="Measured").click()
    expect(line).to_contain_text("Run capacitor, C–HERM 33.3 µF")
    desk.goto(product.address + "/fleet")
    first = desk.get_by_role("listitem").filter(has_text="See to it by").first
    expect(first).to_contain_text("Meeting hall split")
    desk.get_by_role("textbox", name=re.compile("Lot or date code")).fill("24-B7")
    desk.get_by_role("button", name="Find", exact=True).click()
    expect(desk.get_by_text("No part of lot 24-B7 is on record.")).to_be_visible()


def test_a_page_prints_whole(desk: Page, product: Product, tmp_path: Path) -> None:
    sign_on(desk, product, "Ines Tarrow")
    desk.goto(product.address + "/shop")
    expect(desk.get_by_text(re.compile(r"^All \d+ standards"))).to_be_visible()
    last = get(product, "/api/standards")[-1]["standard"]["title"]
    desk.pdf(path=str(tmp_path / "shop.pdf"))
    made = pypdfium2.PdfDocument(tmp_path / "shop.pdf")
    text = " ".join(" ".join(p.get_textpage().get_text_range() for p in made).split())
    pages = len(made)
    made.close()
    assert pages >= 4
    assert last in text


def test_a_shop_begins_without_the_demo(browser: Browser, tmp_path: Path) -> None:
    shop = Product(tmp_path / "data", command=("start",))
    shop.start(from_nothing=True)
    address = shop.address
    context = browser.new_context(viewport=PHONE, has_touch=True)  # type: ignore[arg-type]
    try:
        page = context.new_page()
        page.goto(address)
        page.get_by_role("textbox", name="Name of the shop").fill("Lark Hill Cooling")
        page.get_by_role("textbox", name="Your name").fill("Ada Wren")
        page.get_by_label("Your passphrase", exact=True).fill("too short")
        page.get_by_role("button", name="Add another person").tap()
        page.get_by_role("textbox", name="Person 2").fill("Tam O'Dell")
        page.get_by_role("button", name="Begin", exact=True).tap()
        expect(page.get_by_role("alert")).to_contain_text("12 characters at least")
        page.get_by_label("Your passphrase", exact=True).fill("lark hill in the snow")
        page.get_by_role("button", name="Begin", exact=True).tap()
        expect(page.get_by_text("No call is open. Open one.")).to_be_visible()
        page.goto(address + "/shop")
        page.get_by_role("button", name="Change Tam O'Dell").tap()
        page.get_by_role("button", name=re.compile("^Deactivate")).tap()
        expect(page.get_by_text("Tam O'Dell").first).to_contain_text("Tam O'Dell")
        expect(page.get_by_text("retired").first).to_be_visible()
        page.get_by_role("button", name="Change Ada Wren").tap()
        page.get_by_role("button", name=re.compile("^Deactivate")).tap()
        expect(page.get_by_text("Nobody would be lead any more")).to_be_visible()
        assert page.evaluate("document.documentElement.scrollWidth") <= 390
    finally:
        context.close()
        shop.stop()


def test_a_customer_list_is_put_in_place_brought_in_and_taken_back(desk: Page, product: Product) -> None:
    sign_in(desk, product, "Bettany Rook")
    desk.goto(product.address + "/shop")
    text = "Wer,Unit,Serial,Built\nAlder Farm,Barn split,S-100,94\nAlder Farm,House heat pump,S-101,2016\n"
    desk.get_by_label("Customer list").set_input_files(
        {"name": "list.csv", "mimeType": "text/csv", "buffer": text.encode()}
    )
    shown = desk.get_by_role("region", name="What the list would add")
    expect(shown).to_contain_text("Match each column.")
    shown.get_by_label("Wer").select_option("site")
    wrong = shown.get_by_role("list", name="Wrong in the list")
    expect(wrong).to_contain_text("Line 2, column Built: enter a year of four digits")
    expect(shown.get_by_role("button", name="Import it")).to_be_disabled()
    shown.get_by_label("Built").select_option("out")
    expect(wrong).to_have_count(0)
    shown.get_by_role("button", name="Import it").click()
    expect(desk.get_by_text("✓ Imported: 1 new site, 2 new units.")).to_be_visible()
    desk.goto(product.address + "/units")
    expect(desk.get_by_role("link", name=re.compile("Barn split"))).to_be_visible()
    desk.goto(product.address + "/shop")
    desk.get_by_role("button", name=re.compile("^Take back customers: 1 new site")).click()
    expect(desk.get_by_text("3 taken back.")).to_be_visible()
    desk.goto(product.address + "/units")
    expect(desk.get_by_role("heading", name="Units")).to_be_visible()
    expect(desk.get_by_role("link", name=re.compile("Barn split"))).to_have_count(0)


def test_two_records_of_one_machine_are_merged_on_the_unit(phone: Page, product: Product) -> None:
    sign_in(phone, product, "Bettany Rook")
    made = phone.request.post(
        product.address + "/api/units",
        data={"site_id": 1, "name": "Twice on record"},
    ).json()
    phone.goto(f"{product.address}/units/{made['id']}")
    phone.get_by_role("button", name="Edit").first.tap()
    phone.get_by_text("Duplicate record?").tap()
    other = phone.get_by_label("This unit is the same machine as")
    name = other.locator("option").nth(1).inner_text()
    other.select_option(index=1)
    phone.get_by_role("button", name="Merge the units").tap()
    expect(phone.get_by_role("heading", name=name)).to_be_visible()
    phone.goto(f"{product.address}/units/{made['id']}")
    expect(phone.get_by_role("heading", name=name)).to_be_visible()


def test_the_lead_backs_up_and_everybody_sees_when_it_was(desk: Page, phone: Page, product: Product) -> None:
    sign_on(desk, product, "Bettany Rook")
    desk.goto(product.address + "/shop")
    desk.get_by_role("button", name="Back up now").click()
    expect(desk.get_by_text("Last good backup today")).to_be_visible()
    assert list((product.folder / "backups").glob("orange-crank-*.zip"))
    sign_on(phone, product, "Marlo Quist")
    phone.goto(product.address + "/shop")
    expect(phone.get_by_text("✓ Last good backup today")).to_be_visible()
    expect(phone.get_by_role("button", name="Back up now")).to_have_count(0)


def test_what_costs_records_is_said_where_the_lead_begins_the_day(
    desk: Page, phone: Page, product: Product, root: Path
) -> None:
    trouble = product.folder / "backup-trouble.txt"
    trouble.write_text("No backup could be written there: No space left on device.")
    try:
        sign_on(phone, product, "Bettany Rook")
        phone.goto(product.address + "/due")
        note = phone.get_by_role("region", name="Backup or disk problem")
        expect(note).to_contain_text("The last backup failed. No backup could be written there")
        expect(note).to_contain_text("then back up from Shop")
        phone.evaluate((root / "frontend/node_modules/axe-core/axe.min.js").read_text("utf-8"))
        assert not phone.evaluate("axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']})")[
            "violations"
        ]
        note.get_by_role("link", name="Open Shop").tap()
        expect(phone.get_by_role("heading", name="Backups")).to_be_in_viewport()
        expect(phone.get_by_text("The last try failed: No backup could be written there")).to_be_visible()
        # Opened cold from a message, what comes above it by and by does not push it out of sight.
        for i in range(12):
            person = {"name": f"Helper {i}", "role": "technician", "initials": f"H{i}"}
            assert phone.request.post(product.address + "/api/people", data=person).status == 201
        phone.goto("about:blank")
        phone.goto(product.address + "/shop#keeping")
        expect(phone.get_by_text("Helper 11").first).to_be_attached()
        phone.wait_for_timeout(600)
        expect(phone.get_by_role("heading", name="Backups")).to_be_in_viewport()
        # It is not for who can do nothing about it.
        sign_on(desk, product, "Marlo Quist")
        desk.goto(product.address + "/calls")
        expect(desk.get_by_role("heading", name="Calls", exact=True)).to_be_visible()
        expect(desk.get_by_text("The last backup failed")).to_have_count(0)
    finally:
        trouble.unlink(missing_ok=True)
