"""A reading flows from the meter into the record: armed, started, taken at its field with wire and mode."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.doing import make_safe_body
from tests.product import Product
from tests.ui.acts import get, post, reload_demo, sign_in


@pytest.fixture(scope="module", autouse=True)
def as_new(product: Product) -> None:
    reload_demo(product)


def _live(page: Page, product: Product) -> None:
    sign_in(page, product, "Marlo Quist")
    page.goto(product.address + "/calls/4/live_tests")
    caution = page.get_by_role("button", name="Read. I am qualified for live work")
    page.get_by_label("Meter, read live").wait_for()
    if caution.count():
        caution.click()
        expect(caution).to_have_count(0)
    page.get_by_label("Meter, read live").select_option("bench")
    expect(page.get_by_role("group", name="The simulated unit")).to_be_visible()


def test_a_start_is_armed_run_and_taken_into_the_record(phone: Page, product: Product) -> None:
    _live(phone, product)
    bar = phone.get_by_role("region", name="Live meter")
    bar.get_by_label("Dial").select_option("volts")
    bar.get_by_label("Probes or clamp at").select_option("line")
    start = phone.get_by_role("form", name="A start")
    start.get_by_role("button", name=re.compile(r"^Take 23\d(\.\d)? V from the meter$")).tap()
    expect(start.get_by_label("Volts before start")).to_have_value(re.compile(r"^23\d"))
    bar.get_by_label("Dial").select_option("inrush")
    bar.get_by_label("Probes or clamp at").select_option("common")
    bar.get_by_role("button", name="Arm inrush").tap()
    expect(bar.get_by_text("Armed: waits for the start.")).to_be_visible()
    bar.get_by_role("button", name="Thermostat off").tap()
    expect(bar.get_by_role("button", name="Thermostat calls")).to_have_attribute("aria-pressed", "true")
    start.get_by_role("button", name=re.compile(r"^Take \d+(\.\d)? A from the meter$")).first.tap()
    bar.get_by_role("button", name="Keep the last start's recording").tap()
    expect(bar.get_by_text("✓ Kept under Waveforms.")).to_be_visible()
    start.get_by_label("Lowest volts during start").fill("221")
    start.get_by_role("radio", name="Started").tap()
    # Kept with the wire the clamp was on, the mode and the volts; the record says it, not the screen alone.
    kept = phone.request.get(product.address + "/api/calls/4").json()["readings"]
    expect(start.get_by_text("Not saved yet")).to_have_count(0)
    for _ in range(50):
        inrush = [r["entry"] for r in kept if r["entry"]["quantity"] == "inrush_a"]
        if inrush and inrush[-1]["volts"] == 221:
            break
        phone.wait_for_timeout(100)
        kept = phone.request.get(product.address + "/api/calls/4").json()["readings"]
    last = [r["entry"] for r in kept if r["entry"]["quantity"] == "inrush_a"][-1]
    assert (last["mode"], last["conductor"], last["volts"]) == ("inrush", "common", 221)
    assert 60 < last["value"] < 125


def test_a_voltage_on_a_dead_record_is_a_stop_on_every_screen(
    desk: Page, phone: Page, product: Product
) -> None:
    _live(desk, product)
    bar = desk.get_by_role("region", name="Live meter")
    bar.get_by_label("Dial").select_option("off")
    sign_in(phone, product, "Ines Tarrow")
    phone.goto(product.address + "/calls/4/dead_tests")
    made_dead(product)
    expect(phone.get_by_role("main")).to_contain_text("DEAD", timeout=30_000)
    bar.get_by_label("Dial").select_option("volts")
    bar.get_by_label("Probes or clamp at").select_option("line")
    for page in (desk, phone):
        told = page.get_by_role("alert", name="Stop")
        expect(told).to_contain_text(re.compile(r"Meter reads [\d.]+ V"), timeout=30_000)


def made_dead(product: Product) -> None:
    call = get(product, "/api/calls/4")
    post(product, "/api/calls/4/make-safe", make_safe_body(call))


def test_the_panels_own_meter_has_no_dial_and_is_read_all_the_same(desk: Page, product: Product) -> None:
    _live(desk, product)
    desk.get_by_label("Meter, read live").select_option("analyzer")
    bar = desk.get_by_role("region", name="Live meter")
    expect(bar.get_by_role("list", name="Shown now")).to_contain_text("V")
    expect(bar.get_by_label("Dial")).to_have_count(0)
    desk.get_by_label("Meter, read live").select_option("")
    expect(bar.get_by_role("list", name="Shown now")).to_have_count(0)
