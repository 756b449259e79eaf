"""A call with the network cut in the middle: what is entered waits, is seen to wait, and arrives once."""

import re
from pathlib import Path
from typing import Any

from playwright.sync_api import BrowserContext, Page, expect

from tests.doing import CAUTION, GO_LIVE
from tests.product import Product
from tests.ui.acts import get, post, send, sign_in
from tests.ui.test_call import fill_make_safe, rung
from tests.ui.test_no_signal import ON_THE_DEVICE

AXE = "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']})"
WRITTEN = {"temperature": "F", "distance": "ft", "region": "en-US", "hours": 12}
RADIO = "Transmitter room split"


KEPT_DEAD = """async (url) => {
  const open = indexedDB.open('orange-crank')
  const db = await new Promise((r) => (open.onsuccess = () => r(open.result)))
  const one = db.transaction('answers').objectStore('answers').get(url)
  const row = await new Promise((r) => (one.onsuccess = () => r(one.result)))
  db.close()
  return row && JSON.parse(row.body).state.state === 'dead_proved'
}"""


def begin(product: Product, name: str = RADIO) -> int:
    unit = next(u["id"] for u in get(product, "/api/units") if u["name"] == name)
    call: dict[str, Any] = post(product, "/api/calls", {"unit_id": unit, "complaint": "Slow start"})
    return int(call["id"])


def taken_along(page: Page, product: Product, *paths: str) -> None:
    """Wait until the program and what is named lie on the phone."""
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    # Opened for the first time, a page takes its code from the server: the last of it when it idles.
    page.wait_for_function(
        "performance.getEntriesByType('resource').filter((r) => /outbox-.*js/.test(r.name)).length > 1"
    )
    for _ in range(80):
        there = {k.removeprefix(product.address) for k in page.evaluate(ON_THE_DEVICE)}
        if set(paths) <= there:
            return
        page.wait_for_timeout(250)
    raise AssertionError(f"not on the phone: {set(paths) - there}")


def open_rung(page: Page, title: str) -> None:
    page.get_by_role("button", name="Ladder").tap()
    rung(page, title).tap()


def waits(page: Page) -> Any:
    return page.get_by_role("status").filter(has_text=re.compile("entr(y|ies) waits? here|refused"))


def test_a_call_with_the_network_cut_in_the_middle(device: BrowserContext, product: Product) -> None:
    number = begin(product)
    path = f"/api/calls/{number}"
    page = device.new_page()
    sign_in(page, product, path=f"/calls/{number}")
    rung(page, "Make safe").tap()
    expect(page.get_by_role("button", name="Save incomplete")).to_be_visible()
    taken_along(page, product, path, "/api/reference", "/api/session", "/api/people")

    device.set_offline(True)
    fill_make_safe(page)
    page.get_by_role("button", name="Save incomplete").tap()
    expect(page.get_by_text("? Saved as dead here, not proved")).to_be_visible()
    expect(page.get_by_text("No signal.")).to_be_visible()
    expect(waits(page)).to_contain_text("1 entry waits here")
    expect(page.get_by_text("? not proved dead").first).to_be_visible()

    open_rung(page, "Power-off tests")
    capacitor = page.get_by_role("form", name="Capacitors").get_by_label(re.compile("C–HERM"))
    capacitor.fill("20")
    capacitor.press("Enter")
    status = page.get_by_role("form", name="Capacitors").get_by_role("status").first
    expect(status).to_contain_text("fails by its limit; server will check")
    # Said otherwise within the visit it is a correction, of something the server does not know yet.
    capacitor.fill("34.6")
    capacitor.press("Enter")
    expect(status).to_contain_text("passes by its limit; server will check")

    open_rung(page, "Power-on tests")
    page.get_by_role("button", name=re.compile("I am qualified")).tap()
    page.get_by_label("Covers on").tap()
    page.get_by_role("button", name="Record going live").tap()
    expect(page.get_by_text("People clear: do it, then tick it.")).to_be_visible()
    for tick in ("People clear", "Meter set"):
        page.get_by_label(tick).tap()
    page.get_by_label(re.compile("^All leads back")).tap()
    page.get_by_role("button", name="Record going live").tap()
    expect(page.get_by_role("heading", name="Going live")).to_have_count(0)
    start = page.get_by_role("form", name="A start")
    start.get_by_label("Running amps", exact=True).fill("9.1")
    start.get_by_label("Running amps", exact=True).press("Enter")
    page.get_by_role("textbox", name="Fan amps").tap()
    expect(start.get_by_text("✓ Saved: running 9.1 A")).to_be_visible()
    expect(waits(page)).to_contain_text("6 entries wait here")
    page.close()

    # The phone is put away and taken out again, still without signal.
    cold = device.new_page()
    cold.goto(f"{product.address}/calls/{number}/live_tests")
    expect(waits(cold)).to_contain_text("6 entries wait here")
    listed = cold.get_by_label("Readings on this call")
    expect(listed.get_by_text("9.1", exact=True)).to_have_count(1)
    cold.get_by_role("button", name="Show", exact=True).tap()
    sheet = cold.get_by_role("dialog", name="Entered without signal")
    expect(sheet.get_by_role("article").nth(0)).to_contain_text("Make safe")
    expect(sheet.get_by_role("article").nth(1)).to_contain_text("Run capacitor, C–HERM 20 µF")
    cold.keyboard.press("Escape")
    assert get(product, path)["entries"] == 0

    device.set_offline(False)
    expect(waits(cold)).to_have_count(0, timeout=30_000)
    expect(cold.get_by_text("No signal.")).to_have_count(0, timeout=20_000)
    call = get(product, path)
    assert [e["kind"] for e in call["events"]] == ["made_safe", "caution_read", "went_live"]
    assert [r["entry"]["value"] for r in call["readings"]] == [20, 34.6, 9.1]
    first, second, _ = call["readings"]
    assert first["superseded_by_id"] == second["id"]
    assert [r["call_state"] for r in call["readings"]] == ["dead_proved", "dead_proved", "live"]
    assert call["state"]["state"] == "live"
    # The server's verdict stands where the limit stood.
    expect(cold.get_by_text("server will check")).to_have_count(0)


def test_two_phones_in_conflict_both_sides_are_shown_and_nothing_is_dead(
    device: BrowserContext, product: Product, root: Path
) -> None:
    number = begin(product)
    path = f"/api/calls/{number}"
    page = device.new_page()
    sign_in(page, product, path=f"/calls/{number}/make_safe")
    expect(page.get_by_role("button", name="Save incomplete")).to_be_visible()
    taken_along(page, product, path, "/api/reference", "/api/session", "/api/people")
    device.set_offline(True)
    fill_make_safe(page)
    page.get_by_role("button", name="Save incomplete").tap()
    expect(page.get_by_text("? Saved as dead here, not proved")).to_be_visible()
    open_rung(page, "Power-off tests")
    capacitor = page.get_by_role("form", name="Capacitors").get_by_label(re.compile("C–HERM"))
    capacitor.fill("34.6")
    capacitor.press("Enter")
    expect(waits(page)).to_contain_text("2 entries wait here")

    # Meanwhile the other technician energizes it.
    for event in (CAUTION, GO_LIVE):
        product.fetch(f"{path}/safety-events", event, "POST", person=2)

    device.set_offline(False)
    expect(waits(page)).to_contain_text("2 refused", timeout=30_000)
    expect(page.get_by_text("No signal.")).to_have_count(0, timeout=20_000)
    refused = page.get_by_role("region", name="Entered without signal").get_by_role("article")
    expect(refused).to_have_count(2)
    expect(refused.nth(0)).to_contain_text("The server: The unit's state changed by Ines Tarrow")
    expect(refused.nth(0)).to_contain_text("On the call now: LIVE.")
    expect(refused.nth(1)).to_contain_text("34.6 µF")
    assert get(product, path)["state"]["state"] == "live"
    assert get(product, path)["readings"] == []
    expect(page.get_by_text("■ DEAD")).to_have_count(0)
    page.evaluate((root / "frontend/node_modules/axe-core/axe.min.js").read_text("utf-8"))
    found: Any = page.evaluate(AXE)
    assert not [f["id"] for f in found["violations"] if f["impact"] in ("serious", "critical")]
    assert not page.evaluate("document.documentElement.scrollWidth > innerWidth")

    # With signal and something refused lying there, what is entered goes straight to the server as ever.
    page.goto(f"{product.address}/calls/{number}/live_tests")
    page.get_by_role("button", name=re.compile("I am qualified")).or_(
        page.get_by_role("form", name="A start")
    ).first.wait_for()
    start = page.get_by_role("form", name="A start")
    start.get_by_label("Running amps", exact=True).fill("9.2")
    start.get_by_label("Running amps", exact=True).press("Enter")
    page.get_by_role("textbox", name="Fan amps").tap()
    expect(start.get_by_text("✓ Saved: running 9.2 A")).to_be_visible()
    assert [r["entry"]["value"] for r in get(product, path)["readings"]] == [9.2]
    page.goto(f"{product.address}/calls/{number}/dead_tests")
    expect(refused).to_have_count(2)

    # The ways out: the reading goes with its reason, the record is put aside and kept.
    refused.nth(1).get_by_label("Why it was done anyway").fill("Taken while it was locked, before Ines")
    refused.nth(1).get_by_role("button", name="Send with this reason").tap()
    expect(waits(page)).to_have_text("✕ 1 refused")
    call = get(product, path)
    assert [r["entry"]["value"] for r in call["readings"]] == [9.2, 34.6]
    assert call["readings"][1]["entry"]["without_make_safe"] == "Taken while it was locked, before Ines"
    refused.get_by_role("button", name="Set aside").tap()
    expect(refused).to_have_count(0)
    assert get(product, path)["state"]["state"] == "live"


def test_without_signal_what_is_not_surely_allowed_is_not(device: BrowserContext, product: Product) -> None:
    """Proved dead with signal, then none: whether it still is nobody knows, so nothing is built on it."""
    number = begin(product)
    page = device.new_page()
    sign_in(page, product, path=f"/calls/{number}/make_safe")
    expect(page.get_by_role("button", name="Save incomplete")).to_be_visible()
    fill_make_safe(page)
    page.get_by_role("button", name="Record: proved dead").tap()
    expect(page.get_by_text("■ DEAD").first).to_be_visible()
    taken_along(page, product, f"/api/calls/{number}", "/api/reference", "/api/session", "/api/people")
    kept = f"{product.address}/api/calls/{number}"
    page.wait_for_function(KEPT_DEAD, arg=kept)
    page.close()
    device.set_offline(True)
    cold = device.new_page()
    cold.goto(f"{product.address}/calls/{number}/dead_tests")
    dead = cold.get_by_role("region", name="Power-off tests")
    expect(dead.get_by_text("can't tell whether the unit is still dead").first).to_be_visible()
    expect(cold.get_by_role("textbox", name="C–S")).to_be_disabled()
    cold.get_by_label("Or enter why it is safe").fill("My own lock is on it, I never left")
    expect(cold.get_by_role("textbox", name="C–S")).to_be_enabled()
    cold.goto(f"{product.address}/calls/{number}/live_tests")
    cold.get_by_role("button", name=re.compile("I am qualified")).tap()
    expect(cold.get_by_text("No one recorded turning the power back on").first).to_be_visible()
    expect(waits(cold)).to_contain_text("1 entry waits here")
    device.set_offline(False)
    expect(waits(cold)).to_have_count(0, timeout=30_000)


def test_a_photograph_waits_and_is_seen_to(device: BrowserContext, product: Product) -> None:
    number = begin(product)
    path = f"/api/calls/{number}"
    page = device.new_page()
    sign_in(page, product, path=f"/calls/{number}/dead_tests")
    expect(page.get_by_role("form", name="Capacitors")).to_be_visible()
    taken_along(page, product, path, "/api/reference", "/api/session", "/api/people")
    device.set_offline(True)
    page.get_by_label("Photograph", exact=True).set_input_files("docs/screenshots/calls.png")
    expect(page.get_by_role("list", name="Photographs that wait").get_by_role("listitem")).to_have_count(1)
    expect(waits(page)).to_contain_text("1 entry waits here")
    device.set_offline(False)
    expect(waits(page)).to_have_count(0, timeout=30_000)
    assert len(get(product, f"{path}/photos")) == 1
    expect(page.get_by_role("list", name="Photographs that wait")).to_have_count(0)


def test_the_next_person_neither_sends_nor_loses_what_waits(device: BrowserContext, product: Product) -> None:
    number = begin(product)
    path = f"/api/calls/{number}"
    page = device.new_page()
    sign_in(page, product, path=f"/calls/{number}/live_tests")
    page.get_by_role("button", name=re.compile("I am qualified")).tap()
    start = page.get_by_role("form", name="A start")
    expect(start).to_be_visible()
    taken_along(page, product, path, "/api/reference", "/api/session", "/api/people")
    device.set_offline(True)
    start.get_by_label("Running amps", exact=True).fill("9.4")
    start.get_by_label("Running amps", exact=True).press("Enter")
    page.get_by_role("textbox", name="Fan amps").tap()
    expect(waits(page)).to_contain_text("1 entry waits here")
    # The line is back for the sign-in alone: the entry is held up, and another takes the tablet.
    page.route(re.compile(rf"{path}/"), lambda route: route.abort())
    device.set_offline(False)
    expect(page.get_by_text("No signal.")).to_have_count(0, timeout=20_000)
    page.get_by_role("button", name="At work: Marlo Quist. Change.").tap()
    page.get_by_role("button", name=re.compile("Ines Tarrow")).tap()
    expect(page.get_by_role("button", name="At work: Ines Tarrow. Change.")).to_be_visible()
    page.unroute_all()
    page.goto(product.address + "/calls")
    page.get_by_role("button", name="Show", exact=True).tap()
    sheet = page.get_by_role("dialog", name="Entered without signal")
    expect(sheet.get_by_role("button", name="Send it again")).to_have_count(0)
    expect(sheet).to_contain_text("Sent when they sign in on this device again.")
    page.keyboard.press("Escape")
    page.wait_for_timeout(2_000)
    assert get(product, path)["readings"] == []
    page.get_by_role("button", name="At work: Ines Tarrow. Change.").tap()
    page.get_by_role("button", name=re.compile("Marlo Quist")).tap()
    for _ in range(60):
        call = get(product, path)
        if call["readings"]:
            break
        page.wait_for_timeout(500)
    expect(waits(page)).to_have_count(0)
    assert [(r["entry"]["value"], r["person"]) for r in call["readings"]] == [(9.4, "Marlo Quist")]


def at_the_unit(device: BrowserContext, product: Product, number: int) -> Page:
    """Open a call's live tests, caution read, with everything taken along."""
    page = device.new_page()
    sign_in(page, product, path=f"/calls/{number}/live_tests")
    page.get_by_role("button", name=re.compile("I am qualified")).tap()
    expect(page.get_by_role("form", name="A start")).to_be_visible()
    taken_along(page, product, f"/api/calls/{number}", "/api/reference", "/api/session", "/api/people")
    return page


def test_a_call_closed_meanwhile_takes_nothing_more_and_loses_nothing(
    device: BrowserContext, product: Product
) -> None:
    number = begin(product)
    path = f"/api/calls/{number}"
    page = at_the_unit(device, product, number)
    device.set_offline(True)
    start = page.get_by_role("form", name="A start")
    start.get_by_label("Running amps", exact=True).fill("9.4")
    start.get_by_label("Running amps", exact=True).press("Enter")
    page.get_by_role("textbox", name="Fan amps").tap()
    expect(waits(page)).to_contain_text("1 entry waits here")
    edit = {"version": get(product, path)["version"], "status": "closed", "reason": "Owner sent us home"}
    product.fetch(path, edit, "PATCH", person=2)
    device.set_offline(False)
    expect(waits(page)).to_contain_text("1 refused", timeout=30_000)
    expect(page.get_by_text("No signal.")).to_have_count(0, timeout=20_000)
    refused = page.get_by_role("region", name="Entered without signal").get_by_role("article")
    expect(refused).to_contain_text("Running amps 9.4 A")
    expect(refused).to_contain_text("On the call now: closed")
    assert get(product, path)["readings"] == []
    # Opened again it goes in, as it was taken.
    again = {"version": get(product, path)["version"], "status": "open"}
    product.fetch(path, again, "PATCH", person=2)
    refused.get_by_role("button", name="Send it again").tap()
    expect(waits(page)).to_have_count(0, timeout=30_000)
    assert [r["entry"]["value"] for r in get(product, path)["readings"]] == [9.4]


def test_a_test_without_signal_says_what_it_is_at_least_in_what_is_read(
    device: BrowserContext, product: Product
) -> None:
    """Typed in K on a phone that reads °C: judged by the limit taken along, kept in °F on arrival."""
    number = begin(product)
    path = f"/api/calls/{number}"
    send(product, "PUT", "/api/reads", WRITTEN | {"temperature": "C", "distance": "m"})
    try:
        page = at_the_unit(device, product, number)
        device.set_offline(True)
        tests = page.get_by_role("region", name="More live tests")
        tests.get_by_text("Refrigerant side").first.tap()
        form = page.get_by_role("form", name="Refrigerant side")
        form.get_by_label("Superheat").fill("1")
        form.get_by_role("textbox", name="Line set").fill("10")
        form.get_by_role("button", name="Save refrigerant side").tap()
        expect(waits(page)).to_contain_text("1 entry waits here")
        tests.get_by_text("How", exact=True).last.tap()
        waiting = tests.get_by_text(
            re.compile("saved on this phone it is to be watched, whatever the rest of the test shows")
        )
        expect(waiting).to_have_count(1)
        # Nothing said there can stop the work: what is live goes on. Suction under zero does, and shuts it.
        amps = page.get_by_role("form", name="A start").get_by_label("Running amps", exact=True)
        amps.fill("9.4")
        amps.press("Enter")
        page.get_by_role("textbox", name="Fan amps").tap()
        expect(waits(page)).to_contain_text("2 entries wait here")
        if form.count() == 0:
            tests.get_by_role("button", name=re.compile("Refrigerant side")).last.tap()
        form.get_by_label("Suction, running").fill("-3")
        form.get_by_role("button", name="Save refrigerant side").tap()
        expect(waits(page)).to_contain_text("3 entries wait here")
        expect(page.get_by_text("What you entered stops the work, or could.").first).to_be_visible()
        amps.fill("9.9")
        page.get_by_role("textbox", name="Fan amps").tap()
        page.wait_for_timeout(400)
        expect(waits(page)).to_contain_text("3 entries wait here")
        expect(amps).to_have_value("9.9")
        device.set_offline(False)
        expect(waits(page)).to_have_count(0, timeout=30_000)
        test, vacuum = get(product, path)["tests"]
        assert vacuum["judged"]["stop"]
        assert [r["entry"]["value"] for r in get(product, path)["readings"]] == [9.4]
        assert test["entry"]["superheat_f"] == 1.8
        assert test["entry"]["line_set_ft"] == 32.81
        assert test["judged"]["verdict"] == "watch"
        expect(waiting).to_have_count(0)
    finally:
        send(product, "PUT", "/api/reads", WRITTEN)
