"""A unit's own words, its label, its plate from a photograph, and its strips, through the real interface."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.plates import make_plate
from tests.product import Product
from tests.ui.acts import get, go_live, make_safe, reload_demo, sign_in
from tests.ui.test_call import open_call, rung, sign_on


@pytest.fixture(autouse=True)
def _as_new(product: Product) -> None:
    reload_demo(product)


def test_a_unit_is_edited_found_by_its_serial_and_labeled(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/units/5")
    desk.get_by_role("button", name="Edit").click()
    form = desk.get_by_role("form", name="The unit")
    for label, text in (
        ("Model", "QX24-310"),
        ("Serial", "2214K77120"),
        ("Year built", "2014"),
        ("Access to the unit", "Ladder behind the hut"),
        ("Contact", "Studio, ask for Perrin"),
    ):
        form.get_by_label(label, exact=True).fill(text)
    form.get_by_label("Warranty until").fill("2024-03-31")
    form.get_by_role("button", name="Save").click()
    expect(form).to_have_count(0)
    expect(desk.get_by_text("12 years old")).to_be_visible()
    expect(desk.get_by_text("until Mar 31, 2024, over")).to_be_visible()
    for words in ("77120", "perrin", "qx24", "ladder behind"):
        desk.goto(product.address + "/units")
        desk.get_by_label("Find a unit").fill(words)
        # Two words may stand at a unit and at its site: that finds more than both in a row would.
        expect(desk.get_by_role("main").get_by_role("listitem")).to_have_count(2 if " " in words else 1)
        expect(desk.get_by_role("listitem").filter(has_text="Transmitter room split")).to_be_visible()
    svg = product.fetch("/api/units/5/label.svg").decode()
    assert f"{product.address}/units/5" in svg
    assert "QX24-310 · serial 2214K77120" in svg
    open_call_at = desk
    open_call_at.goto(product.address + "/calls")
    open_call(desk, "Quillback valley radio · Transmitter room split", "Hums")
    main = desk.get_by_role("main")
    expect(main.get_by_text("Ladder behind the hut")).to_be_visible()
    expect(main.get_by_text("Studio, ask for Perrin")).to_be_visible()


def test_two_people_editing_one_unit_the_second_is_told(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/units/5")
    desk.get_by_role("button", name="Edit").click()
    other = desk.context.new_page()
    other.goto(product.address + "/units/5")
    other.get_by_role("button", name="Edit").click()
    other.get_by_role("form", name="The unit").get_by_label("Serial").fill("FIRST-1")
    other.get_by_role("form", name="The unit").get_by_role("button", name="Save").click()
    expect(other.get_by_text("FIRST-1")).to_be_visible()
    form = desk.get_by_role("form", name="The unit")
    form.get_by_label("Serial").fill("SECOND-2")
    form.get_by_role("button", name="Save").click()
    expect(form.get_by_text("The unit was changed while you typed.")).to_be_visible()
    expect(form.get_by_label("Serial")).to_have_value("SECOND-2")
    assert "FIRST-1" == get(product, "/api/units/5")["unit"]["serial"]


def test_a_plate_is_read_from_its_photograph_one_confirmation_at_a_time(
    phone: Page, product: Product, tmp_path: Path
) -> None:
    made = make_plate(1003, "tilt", layout=0)
    picture = tmp_path / "plate.jpg"
    picture.write_bytes(made.jpeg)
    sign_in(phone, product, "Marlo Quist")
    phone.goto(product.address + "/calls/9/plate")
    before = phone.get_by_label("RLA, rated load").input_value()
    region = phone.get_by_role("region", name="Read it from a photo")
    region.locator("input[type=file]").set_input_files(picture)
    rla = region.get_by_role("button", name=f"RLA is {made.truth['rla_a']}", exact=True)
    expect(rla).to_be_visible(timeout=60_000)
    expect(region.get_by_role("img", name="RLA, as seen")).to_be_visible()
    # Nothing is filled in until it is confirmed.
    expect(phone.get_by_label("RLA, rated load")).to_have_value(before)
    rla.tap()
    expect(phone.get_by_label("RLA, rated load")).to_have_value(made.truth["rla_a"])
    expect(region.get_by_text(f"{made.truth['rla_a']}, confirmed")).to_be_visible()
    region.get_by_role("button", name=re.compile("^Serial is ")).first.tap()
    expect(region.get_by_text(re.compile("confirmed"))).to_have_count(2)
    unit = get(product, "/api/calls/9")["unit_id"]
    phone.wait_for_load_state("networkidle")
    assert get(product, f"/api/units/{unit}")["unit"]["serial"]
    region.locator("input[type=file]").set_input_files(
        {"name": "notes.txt", "mimeType": "text/plain", "buffer": b"no picture"}
    )
    expect(region.get_by_text("a photograph: JPEG, PNG or WebP")).to_be_visible()


def test_a_pair_of_volts_asks_which_is_here(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/plate")
    volts = desk.get_by_label("Volts", exact=True)
    volts.fill("208/230")
    expect(desk.get_by_text("Rated 208/230 V. Which is the supply here?")).to_be_visible()
    desk.get_by_role("button", name="208 V").click()
    expect(volts).to_have_value("208")


def test_strips_are_measured_on_the_call_and_a_dead_element_explains_the_rise(
    desk: Page, product: Product
) -> None:
    sign_on(desk, product)
    open_call(desk, "Hollin farmhouse · Heat pump with strips", "Not warm enough")
    number = int(desk.url.rstrip("/").split("/")[-1])
    make_safe(product, number)
    go_live(product, number)
    desk.goto(f"{product.address}/calls/{number}/live_tests")
    desk.get_by_text("▸ Heat strips").click()
    form = desk.get_by_role("form", name="Heat strips")
    for label, text in (
        ("Stage called, up to", "1"),
        ("Elements that should heat", "2"),
        ("Each element", "4.8"),
        ("Volts at the strips", "236"),
        ("Amps, strips and blower", "22.1"),
        ("Blower's share", "2.4"),
        ("Air out less air in", "14"),
        ("Plate: rise from", "20"),
        ("Plate: rise to", "50"),
    ):
        form.get_by_label(label, exact=True).fill(text)
    form.get_by_role("button", name="Save heat strips").click()
    region = desk.get_by_role("region", name="More live tests")
    region.get_by_role("button", name=re.compile("Heat strips.*Fail")).click()
    expect(region.get_by_text("1 of 2 elements heat")).to_be_visible()
    expect(region.get_by_text("With all of them the same air rises 28 °F")).to_be_visible()
    # A unit with no electric heat is not asked of it.
    desk.goto(product.address + "/calls/4/live_tests")
    expect(rung(desk, "Power-on tests")).to_be_visible()
    expect(desk.get_by_text("▸ Supply walk")).to_be_visible()
    expect(desk.get_by_text("▸ Heat strips")).to_have_count(0)


def test_the_back_of_the_phone_closes_what_is_open_and_goes_rung_ladder_list(
    phone: Page, product: Product
) -> None:
    sign_in(phone, product, "Marlo Quist")
    # A tap on a list that is still filling lands where another line comes.
    expect(phone.get_by_role("region", name="Closed calls").get_by_role("link").first).to_be_visible()
    phone.get_by_role("link", name=re.compile("Ticket office split")).first.tap()
    expect(phone).to_have_url(re.compile("/calls/4$"))
    rung(phone, "Power-off tests").tap()
    expect(phone.get_by_role("heading", name="Power-off tests", exact=True).first).to_be_visible()
    expect(phone).to_have_title(re.compile("Power-off tests"))
    phone.get_by_role("button", name=re.compile("^Next: ")).tap()
    expect(phone).not_to_have_title(re.compile("Power-off tests"))
    for key in ("5", "7"):
        phone.keyboard.press(key)
        phone.wait_for_timeout(200)
    phone.get_by_role("button", name="Notes & close").tap()
    note = phone.get_by_role("dialog").get_by_label("Parts ordered")
    note.fill("45/5 µF")
    phone.go_back()
    expect(phone.get_by_role("dialog")).to_have_count(0)
    expect(phone).to_have_url(re.compile("/calls/4/"))
    phone.go_back()
    expect(phone).to_have_url(re.compile("/calls/4$"))
    phone.go_back()
    expect(phone).to_have_url(re.compile("/calls$"))


PLACES = ("calls", "calls/4", "units", "units/1", "lab", "circuits", "van", "shop", "day", "due", "fleet")
RUNGS = (
    "make_safe",
    "plate",
    "dead_tests",
    "live_tests",
    "why",
    "aid",
    "parts",
    "circuit",
    "prove",
    "hand_over",
)
SCREENS = [f"/{place}" for place in (*PLACES, "handbook", "bench")] + [f"/calls/4/{rung}" for rung in RUNGS]


@pytest.mark.parametrize("size", ["100%", "200%"])
def test_nothing_scrolls_sideways_and_bars_stay_small_on_a_phone(
    phone: Page, product: Product, size: str
) -> None:
    sign_in(phone, product, "Marlo Quist")
    wrong = []
    for path in SCREENS:
        phone.goto(product.address + path)
        expect(phone.get_by_role("heading").first).to_be_visible()
        phone.wait_for_load_state("networkidle")
        phone.evaluate(f"document.documentElement.style.fontSize = '{size}'")
        told = phone.evaluate(
            """() => {
              const main = document.querySelector('main')
              const scrolls = getComputedStyle(main).overflowY === 'auto'
              const bars = [...document.querySelectorAll('header, .sticky')].filter(e =>
                getComputedStyle(e).position === 'sticky' || (e.tagName === 'HEADER' && scrolls))
              const tall = bars.reduce((sum, e) => sum + e.getBoundingClientRect().height, 0)
              const wide = [...main.querySelectorAll('*')].filter(e =>
                e.getBoundingClientRect().right > innerWidth + 1
                && e.children.length < 2 && !e.closest('.overflow-x-auto, .sr-only'))
              const roll = scrolls ? main : main.parentElement
              roll.scrollLeft = 100
              const sideways = roll.scrollLeft
              roll.scrollLeft = 0
              return [sideways, tall / innerHeight,
                      wide.slice(0, 3).map(e => e.tagName + ' ' + e.textContent.slice(0, 40))]
            }"""
        )
        if told[0] > 1 or told[1] > 0.34:
            wrong.append((path, *told))
    assert not wrong, wrong


@pytest.mark.parametrize("size", ["100%", "200%"])
def test_of_a_long_list_only_what_is_near_is_drawn_and_its_end_is_reached(
    phone: Page, product: Product, size: str
) -> None:
    sign_on(phone, product, "Bettany Rook")
    lines = "".join(f"Long lane {i // 10:02d},Split {i:03d}\n" for i in range(240))
    sent = phone.request.post(
        product.address + "/api/customers/import?keep=true",
        data="Customer,Unit\n" + lines,
        headers={"Content-Type": "text/csv"},
    )
    assert sent.ok, sent.text()
    phone.goto(product.address + "/units")
    phone.evaluate(f"document.documentElement.style.fontSize = '{size}'")
    phone.get_by_label("Find a unit").fill("lane")
    expect(phone.get_by_role("link", name=re.compile("Split 000"))).to_be_visible()
    last = phone.get_by_role("link", name=re.compile("Split 239"))
    for _ in range(120):
        if last.count():
            break
        phone.evaluate(
            """() => {
              [...document.querySelectorAll('button')].find(b => b.textContent === 'More units')?.click()
              for (let at = document.querySelector('main ul:last-of-type'); at; at = at.parentElement)
                at.scrollTop = at.scrollHeight
            }"""
        )
        phone.wait_for_timeout(100)
    expect(last).to_be_visible()
    assert phone.get_by_role("listitem").count() < 120
    phone.request.post(f"{product.address}/api/imports/{sent.json()['batch_id']}/take-back")
