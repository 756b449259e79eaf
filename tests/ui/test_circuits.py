"""Circuits alone and inside a call, heat strips and quick sums, through the real interface."""

import re

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.product import Product
from tests.ui.acts import get, post, reload_demo, send
from tests.ui.test_call import rung, sign_on


@pytest.fixture(autouse=True, scope="module")
def demo_as_new(product: Product) -> None:
    reload_demo(product)


def part(page: Page, name: str) -> Locator:
    """Return a part of the picture from panel to terminals."""
    line = page.get_by_role("region", name="One line, panel to terminals")
    return line.get_by_role("button", name=re.compile(f"^{name}"))


def answer(page: Page) -> Locator:
    return page.get_by_role("region", name="Answer")


def choose(page: Page, label: str, option: str) -> None:
    page.get_by_role("radiogroup", name=label, exact=True).get_by_role(
        "radio", name=option, exact=True
    ).click()


def test_nothing_is_filled_in_that_nobody_said(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.keyboard.press("g")
    desk.keyboard.press("r")
    for view in ("Size a circuit", "Audit what is there", "Heat strips"):
        desk.get_by_role("radio", name=view).click()
        filled = desk.eval_on_selector_all("main input:not([type=radio])", "all => all.map(e => e.value)")
        assert filled
        assert set(filled) == {""}, view
        chosen = desk.eval_on_selector_all("main select", "all => all.map(e => e.value)")
        assert set(chosen) == {""}, view
        expect(desk.get_by_text(re.compile("^Enter .*volts"))).to_be_visible()
        expect(desk.get_by_role("region", name="Answer")).to_have_count(0)
        desk.get_by_role("button", name="Fill in an example").click()
        told = "Audit" if view.startswith("Audit") else "Answer"
        expect(desk.get_by_role("region", name=told)).to_be_visible()
        desk.get_by_role("button", name="Clear all").click()
        expect(desk.get_by_text(re.compile("^Enter .*volts"))).to_be_visible()


def test_a_circuit_is_sized_from_the_keyboard_and_answers_every_change(desk: Page, product: Product) -> None:
    """The long form at 1280: every change, then the plate misread, two compressors, and a list refused."""
    sign_on(desk, product)
    desk.goto(product.address + "/circuits")
    choose(desk, "What does it feed?", "Air conditioner or heat pump")
    desk.get_by_label("Volts", exact=True).fill("230")
    desk.get_by_label("MCA", exact=True).fill("23.8")
    desk.get_by_label("MOCP", exact=True).fill("40")
    choose(desk, "Phase", "Single")
    desk.get_by_label("Compressor RLA", exact=True).fill("17.9")
    desk.get_by_label("Compressor LRA", exact=True).fill("112")
    desk.get_by_label("Motor FLA", exact=True).fill("1.4")
    expect(part(desk, "Breaker")).to_contain_text("40 A breaker (HACR), 2 poles")
    expect(part(desk, "Conductors")).to_contain_text("10 AWG copper THWN-2")
    expect(answer(desk)).to_contain_text("black, red")
    answer(desk).get_by_text(re.compile("^Assumed: ")).click()
    expect(answer(desk)).to_contain_text("Highest ambient: 86 °F")
    answer(desk).get_by_text(re.compile("^Always")).click()
    expect(answer(desk)).to_contain_text("36 in deep (120 V to ground)")
    part(desk, "Disconnect").click()
    line = desk.get_by_role("region", name="One line, panel to terminals")
    expect(line).to_contain_text("1.15 × 19.3 A = 22.195 A")
    expect(line).to_contain_text("440.12(A)")
    desk.get_by_label("Length, one way").fill("310")
    desk.get_by_label("Voltage drop limit").fill("3")
    expect(part(desk, "Conductors")).to_contain_text("6 AWG copper THWN-2")
    expect(part(desk, "Ground")).to_contain_text("6 AWG")
    desk.get_by_text("What if: metal, terminals, length").click()
    what_if = desk.get_by_role("region", name="What if")
    expect(what_if.get_by_role("row", name=re.compile("^Aluminum"))).to_contain_text("4 AWG")
    expect(desk.get_by_role("img", name=re.compile("^Drop against length"))).to_be_visible()
    desk.get_by_text("To bring, and to write down").click()
    expect(desk.get_by_role("region", name="Materials")).to_contain_text("341 ft")
    desk.get_by_label("Code edition").select_option("2017")
    answer(desk).get_by_text(re.compile("reasons, with clause")).click()
    expect(answer(desk).get_by_text("Table 310.15(B)(16)").first).to_be_visible()
    # A misread plate is a question on top, never a smaller wire passed in silence.
    desk.get_by_label("MCA", exact=True).fill("2.38")
    expect(answer(desk).get_by_role("listitem").first).to_contain_text("MCA: 2.38? Perhaps 23.8")
    desk.get_by_label("MCA", exact=True).fill("")
    desk.get_by_role("button", name="+ Compressor").click()
    desk.get_by_label("Compressor 2 RLA", exact=True).fill("17.9")
    desk.get_by_label("Compressor 2 LRA", exact=True).fill("112")
    desk.get_by_label("MOCP", exact=True).fill("")
    expect(part(desk, "Unit")).to_contain_text("MCA 41.675 A")
    desk.get_by_label("Compressor 2 RLA", exact=True).fill("17.9 × 2")
    desk.get_by_label("Compressor 2 LRA", exact=True).focus()
    expect(desk.get_by_text("One figure here; add a row for each.")).to_be_visible()
    expect(desk.get_by_text(re.compile("^△ Not computed"))).to_be_visible()
    expect(answer(desk)).to_have_count(0)


@pytest.mark.parametrize("large", [False, True], ids=["plain", "200 % text"])
def test_the_picture_is_the_form_on_a_phone(phone: Page, product: Product, large: bool) -> None:
    """Tap by tap at 390: the unit, the breaker, the wire; a part says its verdict as soon as it can."""
    sign_on(phone, product)
    phone.goto(product.address + "/circuits")
    if large:
        phone.evaluate("document.documentElement.style.fontSize = '200%'")
    phone.get_by_role("radio", name="Audit what is there").tap()
    phone.get_by_role("radio", name="Air conditioner or heat pump").tap()
    part(phone, "Unit").tap()
    phone.get_by_label("Volts", exact=True).fill("230")
    phone.get_by_label("MCA", exact=True).fill("23.8")
    phone.get_by_label("MOCP", exact=True).fill("40")
    phone.get_by_role("radiogroup", name="Phase").get_by_role("radio", name="Single").tap()
    audit = phone.get_by_role("region", name="Audit")
    expect(audit).to_contain_text("No failures, but not everything checked")
    expect(part(phone, "Conductors")).to_contain_text("not entered")
    part(phone, "Breaker").tap()
    phone.get_by_label("Existing breaker or fuse").fill("60")
    phone.get_by_role("radiogroup", name="Type").get_by_role("radio", name="Breaker").tap()
    expect(part(phone, "Breaker")).to_contain_text("Fail")
    expect(audit).to_contain_text("Does not meet code")
    expect(audit).to_contain_text("Put in a 40 A breaker")
    phone.get_by_label("Existing breaker or fuse").fill("40")
    expect(audit).to_contain_text("No failures, but not everything checked")
    part(phone, "Conductors").tap()
    phone.get_by_label("Existing wire").select_option("10")
    expect(part(phone, "Conductors")).to_contain_text("Need more info")
    phone.get_by_label("Insulation").select_option("THHN")
    part(phone, "Raceway").tap()
    phone.get_by_role("radiogroup", name="Outdoors").get_by_role("radio", name="Yes").tap()
    expect(part(phone, "Conductors")).to_contain_text("Fail")
    expect(audit).to_contain_text("THHN in a wet place")
    # What was said of the place stands when a new circuit is sized; what is there is not asked.
    phone.get_by_role("radio", name="Size a circuit").tap()
    expect(answer(phone).get_by_role("listitem").first).to_contain_text("THHN in a wet place")
    part(phone, "Conductors").tap()
    phone.get_by_label("Insulation").select_option("THWN-2")
    expect(part(phone, "Conductors")).to_contain_text("10 AWG copper THWN-2")
    expect(phone.get_by_label("Existing wire")).to_have_count(0)
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390


def test_what_it_feeds_is_asked_first_and_decides_the_wire(desk: Page, product: Product) -> None:
    """MCA 31 and MOCP 40: 8 AWG for heat, 10 AWG at 75 °C for a compressor; nothing is preset."""
    sign_on(desk, product)
    desk.goto(product.address + "/circuits")
    expect(
        desk.get_by_role("radiogroup", name="What does it feed?").locator("[aria-checked=true]")
    ).to_have_count(0)
    for label, value in (("Volts", "240"), ("MCA", "31"), ("MOCP", "40")):
        desk.get_by_label(label, exact=True).fill(value)
    choose(desk, "Phase", "Single")
    choose(desk, "Lugs marked (both ends)", "75 °C")
    expect(desk.get_by_text("Enter what it feeds.")).to_be_visible()
    choose(desk, "What does it feed?", "Air conditioner or heat pump")
    expect(part(desk, "Conductors")).to_contain_text("10 AWG copper")
    choose(desk, "What does it feed?", "Both on one circuit")
    expect(part(desk, "Conductors")).to_contain_text("8 AWG copper")
    choose(desk, "What does it feed?", "Electric heat")
    expect(part(desk, "Breaker")).to_contain_text("35 A breaker")
    expect(part(desk, "Conductors")).to_contain_text("8 AWG copper")


def test_what_is_there_is_audited_until_nothing_is_open(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/circuits")
    desk.get_by_role("radio", name="Audit what is there").click()
    desk.get_by_role("button", name="Fill in an example").click()
    checks = desk.get_by_role("list", name="Clause by clause, cheapest fix first").get_by_role("listitem")
    expect(checks.first).to_contain_text("60 A breaker; the nameplate allows 40 A.")
    expect(checks.first).to_contain_text("Put in a 40 A breaker")
    desk.get_by_label("Existing breaker or fuse").fill("40")
    choose(desk, "GFCI (Class A)", "Yes")
    expect(desk.get_by_text("Meets code")).to_be_visible()
    desk.get_by_label("Existing ground (EGC)").select_option("")
    expect(desk.get_by_text("No failures, but not everything checked")).to_be_visible()
    expect(checks.first).to_contain_text("Need more info")
    desk.get_by_label("Existing ground (EGC)").select_option("10")
    desk.get_by_label("MCA", exact=True).fill("2.38")
    expect(checks.first).to_contain_text("MCA: 2.38? Perhaps 23.8")
    expect(desk.get_by_text("Does not meet code")).to_be_visible()


def test_heat_is_audited_without_a_plate_maximum(desk: Page, product: Product) -> None:
    """40 A of heat and 4 A of blower: 55 A; 50 A is under it, 60 A on 8 AWG above the wire."""
    sign_on(desk, product)
    desk.goto(product.address + "/circuits")
    desk.get_by_role("radio", name="Audit what is there").click()
    choose(desk, "What does it feed?", "Electric heat")
    desk.get_by_label("Volts", exact=True).fill("240")
    choose(desk, "Phase", "Single")
    desk.get_by_label("Heater amps").fill("40")
    desk.get_by_label("Blower FLA").fill("4")
    desk.get_by_label("Existing breaker or fuse").fill("50")
    audit = desk.get_by_role("region", name="Audit")
    expect(audit).to_contain_text("50 A for a continuous load of 55 A")
    desk.get_by_label("Existing breaker or fuse").fill("60")
    desk.get_by_label("Existing wire").select_option("8")
    expect(audit).to_contain_text("60 A on wire good for 40 A: max 40 A.")
    expect(audit).to_contain_text("Pull 6 AWG copper THWN-2 conductors.")


def test_the_circuit_rung_holds_it_against_this_units_plate(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/circuit")
    save = desk.get_by_role("button", name="Check against the nameplate")
    expect(save).to_be_disabled()
    part(desk, "Breaker").click()
    desk.get_by_label("Existing breaker or fuse").fill("60")
    choose(desk, "Type", "Breaker")
    part(desk, "Ground").click()
    desk.get_by_label("Existing ground (EGC)").select_option("10")
    part(desk, "Conductors").click()
    desk.get_by_label("Existing wire").select_option("10")
    desk.get_by_label("Length, one way").fill("310")
    save.click()
    audit = desk.get_by_role("region", name="Audit")
    expect(audit).to_contain_text("Does not meet code")
    expect(audit).to_contain_text("over 310 ft at 19.3 A; 3 % recommended limit")
    expect(rung(desk, "Circuit")).to_contain_text("1 to correct")
    expect(part(desk, "Conductors")).to_contain_text("Need more info")
    part(desk, "Breaker").click()
    expect(desk.get_by_label("Existing breaker or fuse")).to_have_value("60")
    desk.get_by_label("Existing breaker or fuse").fill("40")
    save.click()
    expect(audit).to_contain_text("No failures")
    expect(rung(desk, "Circuit")).to_contain_text("need more information")
    desk.reload()
    expect(desk.get_by_role("region", name="Audit")).to_contain_text(
        "No failures, but not everything checked"
    )
    part(desk, "Breaker").click()
    expect(desk.get_by_label("Existing breaker or fuse")).to_have_value("40")
    desk.get_by_role("radio", name="A new circuit").click()
    expect(part(desk, "Unit")).to_contain_text("MCA 23.8 A")
    expect(desk.get_by_label("Length, one way")).to_have_value("310")


def test_a_closed_call_shows_the_picture_and_asks_nothing(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    post(product, "/api/calls/4/circuit", {"installed": {"overcurrent_a": 60, "conductor_awg": "10"}})
    version = get(product, "/api/calls/4")["version"]
    edit = {"version": version, "status": "closed", "reason": "Owner sent us home"}
    send(product, "PATCH", "/api/calls/4", edit)
    desk.goto(product.address + "/calls/4/circuit")
    expect(desk.get_by_role("region", name="Audit")).to_contain_text("Does not meet code")
    part(desk, "Breaker").click()
    line = desk.get_by_role("region", name="One line, panel to terminals")
    expect(line).to_contain_text("60 A device; the nameplate allows 40 A.")
    expect(desk.get_by_role("region", name="All fields")).to_have_count(0)
    expect(desk.get_by_label("Existing breaker or fuse")).to_have_count(0)
    expect(desk.get_by_role("button", name="Check against the nameplate")).to_have_count(0)
    reload_demo(product)


def test_a_field_practice_leads_to_where_the_program_says_it(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/shop#practice-windings")
    said = desk.locator("#practice-windings")
    expect(said).to_contain_text("start to run equals common to start and common to run")
    expect(said).to_be_in_viewport()


def test_heat_strips_by_stage_and_measured(phone: Page, product: Product) -> None:
    """A kit as it is sold: 15 kW, three elements offered; the stage that is called; 277 V."""
    sign_on(phone, product)
    phone.goto(product.address + "/circuits")
    phone.get_by_role("radio", name="Heat strips").tap()
    phone.get_by_label("Kit kW").fill("15")
    phone.get_by_label("Kit rated").fill("240")
    phone.get_by_label("Supply").fill("240")
    phone.get_by_label("Blower").fill("4")
    phone.get_by_role("radiogroup", name="Phase").get_by_role("radio", name="Single").tap()
    expect(answer(phone)).to_contain_text("15 kW in how many elements? 3 × 5 kW is usual")
    phone.get_by_role("button", name="3 × 5 kW?").tap()
    expect(phone.get_by_label("Kit elements")).to_have_value("3")
    expect(answer(phone)).to_contain_text("Circuit 2")
    expect(phone.get_by_text("3 × 5 kW, 20.83 A each; cold 10.9 Ω each")).to_be_visible()
    phone.get_by_label("Kit elements").fill("2.5")
    phone.get_by_label("Kit rated").focus()
    expect(phone.get_by_text("A whole number here, like 2.")).to_be_visible()
    expect(answer(phone)).to_have_count(0)
    phone.get_by_role("button", name="Clear all").tap()
    expect(phone.get_by_label("Kit kW")).to_have_value("")
    phone.get_by_role("button", name="Undo clear").tap()
    expect(phone.get_by_label("Kit kW")).to_have_value("15")
    phone.get_by_role("button", name="Clear all").tap()
    phone.get_by_role("button", name="Fill in an example").tap()
    expect(phone.get_by_role("img", name=re.compile(r"stage 2: 14\.4 kW"))).to_be_visible()
    phone.get_by_text("Measured while it heats").tap()
    phone.get_by_label("Volts measured").fill("236")
    phone.get_by_label("Amps measured").fill("44")
    expect(answer(phone)).to_contain_text("with every stage called. Was it?")
    phone.get_by_label("Stages called, up to").fill("1")
    expect(answer(phone)).to_contain_text("2 of 2 elements heat")
    phone.get_by_label("Temperature rise").fill("30")
    expect(answer(phone)).to_contain_text("Elevation: not entered")
    phone.get_by_label("Elevation").fill("4,300")
    # Once nothing is missing it stands among the reasons, which open on a tap.
    expect(answer(phone)).not_to_contain_text("Elevation: not entered")
    expect(answer(phone)).to_contain_text(re.compile(r"\d+ CFM"))
    phone.get_by_label("Supply").fill("480")
    expect(phone.get_by_text("at most 277 V single-phase").first).to_be_visible()
    phone.get_by_label("Supply").fill("277")
    expect(phone.get_by_text(re.compile("240 V and 10 %: it would burn")).first).to_be_visible()
    phone.get_by_label("Kit 1 rated").fill("277")
    phone.get_by_label("Kit 2 rated").fill("277")
    expect(answer(phone)).to_contain_text("brown, gray neutral")
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
