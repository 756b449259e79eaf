"""One judgement of a call on every rung: stops, gates, two phones, figures as typed, a closed call."""

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect
from scripts.screenshots import PHONE

from tests.doing import CAUTION
from tests.product import Product
from tests.ui.acts import get, go_live, make_safe, post, reload_demo, send
from tests.ui.test_call import rung, sign_on

PIN = {"topic": "isolation", "entry": {"compressor": True, "terminal_c": True}, "without_make_safe": "bench"}
EVERY_RUNG = ("make_safe", "plate", "dead_tests", "live_tests", "why", "aid", "parts", "circuit", "prove")


@pytest.fixture(autouse=True)
def demo_as_new(product: Product) -> None:
    reload_demo(product)


@pytest.fixture
def second(browser: Browser, product: Product) -> Iterator[Page]:
    """A second phone, on the same call."""
    context = browser.new_context(viewport={"width": PHONE["width"], "height": PHONE["height"]})
    context.set_default_timeout(12_000)
    page = context.new_page()
    sign_on(page, product, "Marlo Quist")
    yield page
    context.close()


def test_a_stop_stands_on_every_rung_and_nothing_live_is_offered_under_it(
    desk: Page, product: Product
) -> None:
    sign_on(desk, product)
    post(product, "/api/calls/4/safety-events", CAUTION)
    make_safe(product, 4)
    post(product, "/api/calls/4/tests", PIN)
    for key in EVERY_RUNG:
        desk.goto(f"{product.address}/calls/4/{key}")
        stop = desk.get_by_role("alert", name="Stop")
        expect(stop).to_contain_text("The compressor is shorted to ground (pin C).")
        expect(stop).to_contain_text("To clear it:")
    desk.goto(product.address + "/calls/4/live_tests")
    expect(desk.get_by_role("button", name="Record going live")).to_have_count(0)
    expect(desk.get_by_role("checkbox", name="Covers on")).to_have_count(0)
    start = desk.get_by_role("form", name="A start")
    expect(start).to_contain_text("STOP.")
    start.get_by_label("Running amps", exact=True).fill("16.1")
    desk.get_by_role("textbox", name="Fan amps").focus()
    expect(start.get_by_text("✓ Saved")).to_have_count(0)
    desk.goto(product.address + "/calls/4/why")
    next_ = desk.get_by_role("region", name="Do this next")
    expect(next_.get_by_text("LIVE", exact=True)).to_have_count(0)
    expect(rung(desk, "Power-on tests")).to_contain_text("STOP")
    expect(rung(desk, "Prove")).to_contain_text("STOP")
    expect(rung(desk, "Diagnosis")).to_contain_text("STOP")


def test_what_one_phone_does_the_other_shows_at_once(desk: Page, second: Page, product: Product) -> None:
    """Made safe on one; the other says DEAD within two seconds, and LIVE again when it goes live."""
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/live_tests")
    second.goto(product.address + "/calls/4")
    expect(second.get_by_text("LIVE", exact=True).first).to_be_visible()
    second.wait_for_timeout(1_000)
    make_safe(product, 4)
    expect(second.get_by_text("■ DEAD").first).to_be_visible(timeout=2_500)
    expect(desk.get_by_text("■ DEAD").first).to_be_visible(timeout=2_500)
    go_live(product, 4)
    expect(second.get_by_text("■ DEAD")).to_have_count(0, timeout=2_500)


@pytest.mark.usefixtures("ahead")
def test_a_record_from_an_old_tab_does_not_make_a_live_call_dead(desk: Page, product: Product) -> None:
    """Begun before the other phone went live; saved after: refused with who, and the call stays LIVE."""
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/make_safe")
    expect(desk.get_by_role("button", name="Save incomplete")).to_be_visible()
    desk.get_by_role("radio", name="Dry").click()
    desk.context.set_offline(True)
    make_safe(product, 4)
    go_live(product, 4)
    desk.context.set_offline(False)
    desk.get_by_role("button", name="Save incomplete").click()
    expect(desk.get_by_text("The unit's state changed")).to_be_visible()
    assert "live" == get(product, "/api/calls/4")["state"]["state"]


def test_a_closed_call_is_read_on_every_rung_and_entered_on_none(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    for key in EVERY_RUNG:
        desk.goto(f"{product.address}/calls/1/{key}")
        expect(desk.get_by_text("This call is closed. You can read it")).to_be_visible()
        desk.wait_for_load_state("networkidle")
        expect(
            desk.get_by_role("button", name=re.compile("^(Save|Record|Condemn|Select this)"))
        ).to_have_count(0)
    expect(desk.get_by_text("CLOSED", exact=True)).to_be_visible()
    expect(desk.get_by_text("■ DEAD")).to_have_count(0)


def test_closing_with_locks_on_wants_a_reason(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    make_safe(product, 4)
    desk.goto(product.address + "/calls/4")
    desk.get_by_role("button", name="Notes & close").click()
    sheet = desk.get_by_role("dialog")
    expect(sheet).to_contain_text("A lock is on")
    expect(sheet).to_contain_text("The thermostat or control call is still off.")
    expect(sheet.get_by_role("button", name="Save and close the call")).to_be_disabled()
    sheet.get_by_label("Why leave them open?").fill("Part comes tomorrow; lock is ours")
    sheet.get_by_role("button", name="Save and close the call").click()
    expect(desk.get_by_text("CLOSED", exact=True)).to_be_visible()
    assert "Part comes tomorrow; lock is ours" == get(product, "/api/calls/4")["closed_reason"]


@pytest.mark.parametrize(
    ("typed", "shown"),
    [("4,300", None), ("310 ft", None), ("35.4 A", "Enter a number in ft"), ("12x", "Enter a number in ft"),
     ("208/230", "Two numbers"), ("1.2.3", "Enter one number")],
)  # fmt: skip
def test_a_length_is_read_whole_or_refused_at_its_field(
    desk: Page, product: Product, typed: str, shown: str | None
) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/circuits")
    line = desk.get_by_role("region", name="One line, panel to terminals")
    desk.get_by_role("button", name="Fill in an example").click()
    expect(line.get_by_role("button", name=re.compile("^Conductors"))).to_contain_text("AWG")
    desk.get_by_text("To bring, and to write down").click()
    desk.get_by_label("Length, one way").fill(typed)
    desk.keyboard.press("Tab")
    if shown is None:
        expect(desk.get_by_text("Not computed")).to_have_count(0)
        expect(desk.get_by_role("region", name="Materials")).to_contain_text("ft")
        if typed == "4,300":
            expect(desk.get_by_role("region", name="Materials")).to_contain_text(re.compile("4,?[3-9]\\d\\d"))
    else:
        expect(desk.get_by_text(re.compile(f"^✕ {shown}")).first).to_be_visible()
        expect(desk.get_by_text(re.compile("^△ Not computed. Fix: Length, one way")).first).to_be_visible()


def test_after_a_save_the_plate_form_shows_what_the_server_holds(desk: Page, product: Product) -> None:
    """The old plate never comes back by a second save."""
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/plate")
    desk.get_by_label("Refrigerant").select_option("R-454B")
    desk.get_by_role("button", name="Save the nameplate").click()
    expect(desk.get_by_text("Version 2 by Ines Tarrow")).to_be_visible()
    expect(desk.get_by_label("Refrigerant")).to_have_value("R-454B")
    desk.get_by_label("Cooling").fill("3.5")
    desk.get_by_role("button", name="Save the nameplate").click()
    expect(desk.get_by_text("Version 3 by Ines Tarrow")).to_be_visible()
    assert "R-454B" == get(product, "/api/calls/4")["plate"]["plate"]["refrigerant"]


def test_single_letters_as_shortcuts_can_be_switched_off(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    # The keys listen once what the page loads has come.
    desk.wait_for_load_state("networkidle")
    desk.keyboard.press("?")
    sheet = desk.get_by_role("dialog", name="Keys")
    expect(sheet).to_be_visible()
    sheet.get_by_label("Single letters are shortcuts").click()
    desk.keyboard.press("Escape")
    expect(sheet).to_have_count(0)
    desk.keyboard.press("n")
    desk.wait_for_timeout(400)
    expect(desk.get_by_role("dialog")).to_have_count(0)
    desk.reload()
    expect(desk.get_by_role("heading", name="Calls", exact=True)).to_be_visible()
    desk.keyboard.press("n")
    desk.wait_for_timeout(400)
    expect(desk.get_by_role("dialog")).to_have_count(0)


def test_a_stop_leads_to_its_reading_and_correcting_it_there_ends_the_stop(
    phone: Page, product: Product
) -> None:
    sign_on(phone, product)
    make_safe(product, 4)
    post(product, "/api/calls/4/readings", {"quantity": "to_ground", "value": True})
    phone.goto(product.address + "/calls/4/dead_tests")
    phone.get_by_role("alert", name="Stop").get_by_role("link", name="Correct the reading").tap()
    form = phone.get_by_role("form", name="Correction")
    expect(form).to_be_in_viewport()
    form.get_by_role("radio", name="No", exact=True).tap()
    form.get_by_role("button", name="Save the correction").tap()
    expect(phone.get_by_role("alert", name="Stop")).to_have_count(0)
    expect(phone).to_have_url(re.compile("/calls/4/dead_tests"))


def test_an_empty_field_shows_what_is_on_record_until_the_part_is_new(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    make_safe(product, 4)
    post(product, "/api/calls/4/readings", {"quantity": "run_cap_uf", "value": 31.2})
    desk.goto(product.address + "/calls/4/dead_tests")
    field = desk.get_by_role("form", name="Capacitors").get_by_label(re.compile("C–HERM"))
    expect(field).to_have_attribute("placeholder", "31.2")
    expect(field).to_have_value("")
    post(product, "/api/calls/4/changes", {"what": "Dual capacitor", "part": "dual_capacitor"})
    expect(field).not_to_have_attribute("placeholder", "31.2")


def test_a_start_without_dip_volts_is_saved_and_a_doubt_is_asked_beside_it(
    desk: Page, product: Product
) -> None:
    sign_on(desk, product)
    go_live(product, 4)
    desk.goto(product.address + "/calls/4/live_tests")
    start = desk.get_by_role("form", name="A start")
    start.get_by_label("Inrush", exact=True).fill("9")
    start.get_by_role("radio", name="Started", exact=True).click()
    expect(start.get_by_role("status").filter(has_text="✓ Saved: inrush 9 A")).to_be_visible()
    expect(start.get_by_text("No volts at the dip")).to_be_visible()
    doubt = start.get_by_role("alert")
    expect(doubt).to_contain_text("✓ Saved. 90 A?")
    doubt.get_by_role("button", name="Yes, 90").click()
    expect(start.get_by_role("status").filter(has_text="✓ Saved: inrush 90 A")).to_be_visible()
    start.get_by_label("Lowest volts during start").fill("221")
    desk.get_by_role("textbox", name="Fan amps").focus()
    expect(start.get_by_text("No volts at the dip")).to_have_count(0)
    taken = [r for r in get(product, "/api/calls/4")["readings"] if r["entry"]["quantity"] == "inrush_a"]
    assert [(r["entry"]["value"], r["entry"]["volts"]) for r in taken if r["superseded_by_id"] is None][
        -1:
    ] == [(90.0, 221.0)]


def test_a_payment_is_written_down_on_a_closed_call(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    post(product, "/api/calls/4/hand-over/bill", {"minutes": 60.0})
    desk.goto(product.address + "/calls/4/hand_over")
    paid = desk.get_by_role("region", name="Paid")
    paid.get_by_role("button", name="Add a payment").click()
    expect(paid.get_by_label("Amount")).to_be_focused()
    expect(paid.get_by_label("Amount")).to_have_value("117.15")
    paid.get_by_label("Amount").fill("50")
    paid.get_by_role("radio", name="Cash").click()
    paid.get_by_role("button", name="Save the payment").click()
    expect(paid).to_contain_text("Paid in part · $67.15 due")
    call = get(product, "/api/calls/4")
    close = {"version": call["version"], "status": "closed", "reason": "Rest by check"}
    send(product, "PATCH", "/api/calls/4", close)
    desk.goto(product.address + "/calls/4/hand_over")
    paid.get_by_role("button", name="Add a payment").click()
    paid.get_by_role("radio", name="Check").click()
    paid.get_by_role("button", name="Save the payment").click()
    expect(paid.get_by_role("heading")).to_have_text("Paid")
