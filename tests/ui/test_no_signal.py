"""At a unit with no signal: opened cold from the device, read as of then, nothing passed off as now."""

import re

from playwright.sync_api import BrowserContext, expect

from tests.product import Line, Product
from tests.ui.acts import make_safe, sign_in

ON_THE_DEVICE = """async () => {
  const open = indexedDB.open('orange-crank')
  const db = await new Promise((r) => (open.onsuccess = () => r(open.result)))
  const all = db.transaction('answers').objectStore('answers').getAllKeys()
  const keys = await new Promise((r) => (all.onsuccess = () => r(all.result)))
  db.close()
  return keys
}"""


def test_it_can_be_installed(device: BrowserContext, product: Product) -> None:
    page = device.new_page()
    sign_in(page, product)
    devtools = device.new_cdp_session(page)
    errors = [e["errorId"] for e in devtools.send("Page.getInstallabilityErrors")["installabilityErrors"]]
    # A browser that keeps nothing on disk installs nothing; all else would let it.
    assert [e for e in errors if e != "in-incognito"] == []
    manifest = devtools.send("Page.getAppManifest")
    assert not manifest["errors"]
    assert "Orange Crank" in manifest["data"]


def test_a_phone_opens_cold_without_signal_and_reads_what_it_took_along(
    device: BrowserContext, product: Product
) -> None:
    page = device.new_page()
    sign_in(page, product)
    make_safe(product, 4)
    # The program and the pack are on the device once the worker stands and the calls are in.
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    wanted = {"/api/calls", "/api/calls/4", "/api/calls/7", "/api/units/1", "/api/reference", "/api/session"}
    for _ in range(80):
        there = {k.removeprefix(product.address) for k in page.evaluate(ON_THE_DEVICE)}
        if wanted <= there:
            break
        page.wait_for_timeout(500)
    assert wanted <= there
    page.close()

    device.set_offline(True)
    cold = device.new_page()
    cold.goto(product.address + "/calls")
    expect(cold.get_by_role("status").filter(has_text="No signal.")).to_contain_text(
        "Prove every unit dead yourself"
    )
    ferry = cold.get_by_role("link", name=re.compile("Ferry landing")).first
    expect(ferry).to_contain_text("not proved dead")
    ferry.tap()
    # A call never opened on this phone, and its unit.
    expect(cold.get_by_role("list", name="The call, rung by rung")).to_be_visible()
    cold.goto(product.address + "/calls/7")
    expect(cold.get_by_role("list", name="The call, rung by rung")).to_be_visible()
    cold.goto(product.address + "/units/1")
    expect(cold.get_by_role("heading", name=re.compile("Ticket office split"))).to_be_visible()
    # What cannot be saved is not passed off as saved, and stays.
    cold.goto(product.address + "/calls/7/live_tests")
    expect(cold.get_by_text("No signal.")).to_be_visible()

    device.set_offline(False)
    Line(product).send("PATCH", "/api/calls/4", {"version": 1, "note": "Back in signal"})
    cold.goto(product.address + "/calls")
    expect(cold.get_by_role("status").filter(has_text="No signal.")).to_have_count(0, timeout=20_000)


def test_what_one_person_read_is_not_the_next_ones_to_find(device: BrowserContext, product: Product) -> None:
    page = device.new_page()
    sign_in(page, product)
    page.goto(product.address + "/calls/4")
    expect(page.get_by_role("list", name="The call, rung by rung")).to_be_visible()
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    page.get_by_role("button", name="At work: Marlo Quist. Change.").tap()
    page.get_by_role("button", name="Sign out").tap()
    # The sheet one signs out on has the same heading: the page under it is what has to go.
    expect(page.get_by_role("list", name="The call, rung by rung")).to_have_count(0)
    expect(page.get_by_role("heading", name="Who's working?")).to_be_visible()
    page.close()
    device.set_offline(True)
    cold = device.new_page()
    cold.goto(product.address + "/calls/4")
    expect(cold.get_by_text("No connection")).to_be_visible()
    expect(cold.get_by_text("Ferry landing")).to_have_count(0)
