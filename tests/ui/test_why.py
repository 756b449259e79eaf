"""The Why rung through the real interface, on the ticket office and the farmhouse."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.product import Product
from tests.ui.acts import get, make_safe, post, reload_demo
from tests.ui.test_call import open_call, sign_on


@pytest.fixture(autouse=True, scope="module")
def demo_as_new(product: Product) -> None:
    """Begin from the demo shop as loaded: what other tests wrote down would move the causes."""
    reload_demo(product)


def causes(page: Page) -> list[str]:
    return page.get_by_role("region", name="Causes").get_by_role("listitem").all_inner_texts()


def test_the_ticket_office_from_symptoms_to_a_what_if_and_a_cause(desk: Page, product: Product) -> None:
    """To ground first, since it trips; a supposed capacitor moves the causes; the cause is taken."""
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/why")
    next_ = desk.get_by_role("region", name="Do this next")
    expect(next_).to_contain_text("Short-to-ground test at the contactor load side")
    expect(next_).to_contain_text("Don't reset until it reads clear")
    expect(desk.get_by_role("region", name="Causes").get_by_role("listitem").first).to_contain_text(
        "Weak run capacitor"
    )
    what_if = desk.get_by_role("region", name="What if")
    what_if.get_by_label("Value").fill("30")
    what_if.get_by_role("button", name="Try it").click()
    expect(what_if.get_by_text(re.compile(r"\d+ → (9\d|8\d) %"))).to_be_visible()
    expect(what_if).to_contain_text("Nothing is saved")
    desk.get_by_role("button", name=re.compile("^Weak run capacitor")).click()
    expect(desk.get_by_text("It faded over the visits")).to_be_visible()
    desk.get_by_role("button", name="Select this cause").click()
    expect(desk.get_by_text("selected cause").first).to_be_visible()
    ladder = desk.get_by_role("list", name="The call, rung by rung")
    expect(ladder.get_by_role("button", name=re.compile(r"^5 Diagnosis"))).to_contain_text(
        "Weak run capacitor"
    )


def test_the_farmhouse_that_does_nothing_is_asked_about_its_contactor_then_its_delay(
    desk: Page, product: Product
) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls")
    open_call(desk, "Hollin farmhouse · Heat pump with strips", "Calls for heat, nothing happens")
    desk.get_by_role("button", name=re.compile(r"^5 Diagnosis")).click()
    told = desk.get_by_role("region", name="What is it doing?")
    told.get_by_role("button", name="Thermostat calling, nothing runs", exact=True).click()
    next_ = desk.get_by_role("region", name="Do this next")
    expect(next_).to_contain_text("Did the contactor pull in?")
    next_.get_by_role("radiogroup", name="Contactor pulled in").get_by_role("radio", name="No").click()
    expect(next_).to_contain_text("Read the board: delay, lockout, code")
    form = next_.get_by_role("form").first
    form.get_by_role("radiogroup").get_by_role("radio", name="No").click()
    form.get_by_label("Status code, or none").fill("none")
    form.get_by_role("button", name="Save").click()
    expect(desk.get_by_role("region", name="Causes").get_by_role("listitem").first).to_contain_text(
        "Control fuse or transformer"
    )
    guard = desk.get_by_role("region", name="Condemnation")
    expect(guard).to_contain_text("Not yet: ")
    expect(guard.get_by_role("button", name="Condemn the compressor")).to_be_disabled()
    desk.get_by_text("Something here is not safe").click()
    desk.get_by_role("button", name="A conductor nobody can account for").click()
    stop = desk.get_by_role("alert")
    expect(stop).to_contain_text("STOP")
    expect(stop).to_contain_text("Note it and cap it")
    expect(desk.get_by_role("region", name="For the customer")).to_contain_text("We have stopped the work")
    expect(desk.get_by_role("button", name="A conductor nobody can account for")).to_be_disabled()
    stop.get_by_text("It is fixed").click()
    stop.get_by_label("How it was fixed").fill("Traced to the old heater and capped")
    stop.get_by_role("button", name="Clear the stop").click()
    expect(desk.get_by_role("alert")).to_have_count(0)


def test_on_a_phone_the_next_test_opens_its_rung(phone: Page, product: Product) -> None:
    sign_on(phone, product)
    phone.goto(product.address + "/calls/4/why")
    phone.get_by_role("region", name="Do this next").get_by_role("button", name="Open Power-off tests").tap()
    expect(phone.get_by_role("heading", name="Power-off tests")).to_be_visible()
    phone.goto(product.address + "/calls/4/why")
    expect(phone.get_by_role("region", name="For the customer")).to_be_visible()
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390


def test_on_a_phone_both_rails_of_the_ladder_are_in_view(phone: Page, product: Product) -> None:
    sign_on(phone, product)
    phone.goto(product.address + "/calls/4")
    ladder = phone.get_by_role("list", name="The call, rung by rung")
    expect(ladder).to_be_visible()
    box = ladder.bounding_box()
    assert box is not None
    assert box["x"] >= 0
    assert box["x"] + box["width"] <= 390


def test_an_inverter_is_told_that_its_own_code_leads(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/9/why")
    expect(desk.get_by_text("go by its fault code")).to_be_visible()
    assert not any("start kit" in text.lower() for text in causes(desk))


def test_the_aid_rung_puts_the_cause_first_and_ranks_by_goal(desk: Page, product: Product) -> None:
    """The cause taken stands first, then what the goal asks: the soft starter; an inverter gets none."""
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/aid")
    expect(desk.get_by_text("An aid would only hide it").first).to_be_visible(timeout=15_000)
    desk.get_by_role("radio", name="One of each type").click()
    aids = desk.get_by_role("region", name="Aids, best first").get_by_role("listitem")
    expect(desk.get_by_role("region", name="Not offered")).to_contain_text(
        "Clamp the start lead while it runs"
    )
    desk.get_by_label("Volts S to C, running (if known)").fill("370")
    expect(aids.filter(has_text="Three-wire kit").first).to_contain_text("relay picks up 280–300 V")
    desk.get_by_label("Volts S to C, running (if known)").fill("")
    desk.get_by_role("radio", name="Backup power").click()
    ranked = desk.get_by_role("region", name="Aids, best first").locator("ol > li")
    expect(ranked.nth(1)).to_contain_text("Soft starter")
    expect(ranked.nth(0)).to_contain_text("No aid")
    desk.goto(product.address + "/calls/9/aid")
    expect(desk.get_by_role("region", name="Not offered")).to_contain_text("does not belong there")


def test_a_compressor_proved_locked_is_condemned_by_hand_and_asked_what_killed_it(
    desk: Page, product: Product
) -> None:
    """The readings come over HTTP; the trial, the condemnation and the question after it are clicked."""

    def reading(quantity: str, value: object, **more: object) -> None:
        body = {"quantity": quantity, "value": value, "without_make_safe": "bench", **more}
        post(product, "/api/calls/4/readings", body)

    sign_on(desk, product)
    seen = [
        {"quantity": "start_kit_present", "value": False},
        {"quantity": "pressures_equal", "value": True},
        {"quantity": "line_v_start", "value": 226, "where": "panel"},
        {"quantity": "terminal_v_start", "value": 223, "where": "terminals"},
    ]
    post(product, "/api/calls/4/why", {"symptoms": ["hums_no_start"], "seen": seen})
    for quantity, value in (
        ("to_ground", False),
        ("run_cap_uf", 44.6),
        ("winding_cs_ohm", 2.31),
        ("winding_cr_ohm", 0.62),
        ("winding_sr_ohm", 2.94),
    ):
        reading(quantity, value)
    stall = {"mode": "inrush", "conductor": "common", "volts": 226, "later_a": 108, "outcome": "stalled"}
    reading("inrush_a", 109, **stall)
    # The demo's start by ear never was one: it hummed until its overload opened.
    for taken in get(product, "/api/calls/4")["readings"]:
        if taken["entry"]["quantity"] == "start_time_s":
            reading("start_time_s", 7.5, timed_by="taps", outcome="stalled", supersedes_id=taken["id"])
    desk.goto(product.address + "/calls/4/why")
    guard = desk.get_by_role("region", name="Condemnation")
    expect(guard).to_contain_text("All tests done. It has failed.")
    guard.get_by_label("Agreed in writing with").fill("M. Owner")
    guard.get_by_role("button", name="The trial is agreed").click()
    guard.get_by_role("button", name="It did not start").click()
    expect(guard).to_contain_text("the kit comes off and is not charged")
    guard.get_by_role("button", name="Condemn the compressor").click()
    desk.get_by_role("dialog").get_by_role("button", name="Condemn it").click()
    expect(guard).to_contain_text("Compressor condemned")
    guard.get_by_label(re.compile("Low voltage or repeated locked-rotor starts")).check()
    guard.get_by_role("button", name="Enter what you fixed").click()
    expect(guard.get_by_role("button", name="Enter what you fixed")).to_have_count(0)
    expect(guard).to_contain_text("Low voltage or repeated locked-rotor starts")


def test_a_test_nobody_can_do_is_skipped_and_offered_again(phone: Page, product: Product) -> None:
    reload_demo(product)
    sign_on(phone, product)
    unit = next(u for u in get(product, "/api/units") if u["name"] == "Heat pump with strips")["id"]
    call = post(product, "/api/calls", {"unit_id": unit, "complaint": "Will not run on generator"})["id"]
    make_safe(product, call)
    phone.goto(f"{product.address}/calls/{call}/why")
    phone.get_by_role("button", name=re.compile("As in the complaint")).click()
    next_ = phone.get_by_role("region", name="Do this next")
    now = phone.get_by_role("status").filter(has_text=re.compile("^Now: "))
    expect(now).to_contain_text("Ask whether it starts on the utility")
    phone.get_by_role("button", name="Skip", exact=True).click()
    skipped = phone.get_by_role("list", name="Skipped tests")
    expect(skipped).to_contain_text("Ask whether it starts on the utility")
    expect(next_.get_by_text("Ask whether it starts on the utility", exact=True)).to_have_count(0)
    skipped.get_by_role("button", name="Offer again").click()
    expect(skipped).to_have_count(0)
    expect(now).to_contain_text("Ask whether it starts on the utility")
    # Answered by one tap.
    next_.get_by_role("radiogroup", name="On the utility it starts").get_by_role("radio", name="Yes").click()
    expect(phone.get_by_role("region", name="Causes").get_by_role("listitem").first).to_contain_text(
        "Backup source too small"
    )


def test_what_tripped_is_one_tap_beside_the_symptom(desk: Page, product: Product) -> None:
    reload_demo(product)
    sign_on(desk, product)
    desk.goto(product.address + "/calls")
    open_call(desk, "Hollin farmhouse · Heat pump with strips", "Trips")
    desk.get_by_role("button", name=re.compile(r"^5 Diagnosis")).click()
    told = desk.get_by_role("region", name="What is it doing?")
    told.get_by_role("button", name="Trips after minutes", exact=True).click()
    asked = told.get_by_role("radiogroup", name="What tripped?")
    asked.get_by_role("radio", name="The breaker").click()
    expect(asked.get_by_role("radio", name="The breaker")).to_be_checked()
    desk.reload()
    expect(
        desk.get_by_role("radiogroup", name="What tripped?").get_by_role("radio", name="The breaker")
    ).to_be_checked()
    expect(desk.get_by_role("region", name="Do this next")).to_contain_text("Short-to-ground")
