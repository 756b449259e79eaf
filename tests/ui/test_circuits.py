"""Circuits alone and inside a call, heat strips and quick sums, through the real interface."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.ui.acts import reload_demo
from tests.ui.conftest import Product
from tests.ui.test_call import rung, sign_on


@pytest.fixture(autouse=True, scope="module")
def demo_as_new(product: Product) -> None:
    reload_demo(product)


def test_a_circuit_is_sized_on_one_line_and_answers_every_change(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.keyboard.press("g")
    desk.keyboard.press("r")
    line = desk.get_by_role("region", name="One line, panel to terminals")
    expect(line.get_by_role("button", name=re.compile("^Conductors"))).to_contain_text("10 Cu THWN-2")
    expect(line.get_by_role("button", name=re.compile("^Breaker"))).to_contain_text("40 A, 2 poles")
    line.get_by_role("button", name=re.compile("^Disconnect")).click()
    expect(line).to_contain_text("1.15 × 19.3 A = 22.195 A")
    expect(line).to_contain_text("440.12(A)")
    desk.get_by_label("Length, one way").fill("310")
    desk.get_by_label("Drop at most").fill("3")
    expect(line.get_by_role("button", name=re.compile("^Conductors"))).to_contain_text("6 Cu THWN-2")
    expect(line.get_by_role("button", name=re.compile("^Grounding"))).to_contain_text("6")
    what_if = desk.get_by_role("region", name="What if")
    expect(what_if.get_by_role("row", name=re.compile("^Aluminum"))).to_contain_text("4")
    expect(what_if.get_by_role("row", name=re.compile("^Twice the length"))).to_contain_text("%")
    expect(desk.get_by_role("img", name=re.compile("^Drop against length"))).to_be_visible()
    expect(desk.get_by_role("region", name="Materials")).to_contain_text("341 ft")
    desk.get_by_label("Code edition").select_option("2017")
    desk.get_by_text("Every rule, with its clause, and every default").click()
    expect(desk.get_by_text("Table 310.15(B)(16)").first).to_be_visible()
    desk.get_by_label("MCA").fill("55")
    expect(desk.get_by_text("at most the MOCP, 40 A").first).to_be_visible()


def test_what_is_there_is_audited_without_a_call(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/circuits")
    desk.get_by_role("radio", name="Audit what is there").click()
    expect(desk.get_by_text("Say which device is there")).to_be_visible()
    desk.get_by_label("Device there").fill("60")
    checks = desk.get_by_role("list", name="Clause by clause, cheapest fix first").get_by_role("listitem")
    expect(checks.first).to_contain_text("60 A breaker; the plate allows 40 A.")
    expect(checks.first).to_contain_text("Put in a 40 A breaker")
    desk.get_by_label("Device there").fill("40")
    desk.get_by_label("Ground there").select_option("10")
    expect(desk.get_by_text("Nothing fails")).to_be_visible()


def test_the_circuit_rung_holds_it_against_this_units_plate(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/circuit")
    desk.get_by_label("Device there").fill("60")
    desk.get_by_label("Ground there").select_option("10")
    desk.get_by_label("Length, one way").fill("310")
    desk.get_by_role("button", name="Check against the nameplate").click()
    audit = desk.get_by_role("region", name="Audit")
    expect(audit).to_contain_text("Does not meet code")
    expect(audit).to_contain_text("over 310 ft; 3 % recommended limit")
    expect(rung(desk, "Circuit")).to_contain_text("1 to correct")
    desk.get_by_label("Device there").fill("40")
    desk.get_by_role("button", name="Check against the nameplate").click()
    expect(audit).to_contain_text("Nothing fails")
    expect(rung(desk, "Circuit")).to_contain_text("Nothing fails")
    desk.reload()
    expect(desk.get_by_role("region", name="Audit")).to_contain_text("Nothing fails")
    desk.get_by_role("radio", name="A new circuit").click()
    expect(desk.get_by_role("region", name="One line, panel to terminals")).to_contain_text("MCA 23.8 A")


def test_heat_strips_by_stage_and_measured(phone: Page, product: Product) -> None:
    sign_on(phone, product)
    phone.goto(product.address + "/circuits")
    phone.get_by_role("radio", name="Heat strips").tap()
    circuits = phone.get_by_role("list", name="Heat circuits").get_by_role("listitem")
    expect(circuits).to_have_count(2)
    expect(circuits.first).to_contain_text("with the blower")
    expect(circuits.first).to_contain_text("60 A")
    expect(phone.get_by_role("img", name=re.compile(r"stage 2: 14\.4 kW"))).to_be_visible()
    phone.get_by_text("Measured while it heats").tap()
    phone.get_by_label("Volts measured").fill("236")
    phone.get_by_label("Amps measured").fill("44")
    phone.get_by_label("Temperature rise").fill("30")
    expect(phone.get_by_text("2 of 3 heat")).to_be_visible()
    expect(phone.get_by_text(re.compile(r"\d+ CFM")).first).to_be_visible()
    phone.get_by_label("Supply").fill("277")
    expect(phone.get_by_text("277 V single-phase is not supported here").first).to_be_visible()
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390


@pytest.mark.parametrize(
    ("title", "told"),
    [
        ("Voltage drop", "4.04 V, 1.68 %"),
        ("Kilowatts to amps", "40 A"),
        ("Amps to kilowatts", "9.6 kW"),
        ("Airflow from electric heat", "CFM"),
        ("Capacitors together", "45 µF"),
        ("Capacitor under load", "44.59 µF"),
        ("Bleed a capacitor down", " s"),
    ],
)
def test_a_quick_sum_needs_no_call(desk: Page, product: Product, title: str, told: str) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/circuits")
    desk.get_by_role("radio", name="Quick sums").click()
    sum_ = desk.get_by_role("region", name=title, exact=True)
    expect(sum_.get_by_role("status")).to_contain_text(told)
