"""A device that is told while the program is closed on it: turned on by a tap, seen to come, turned off."""

import json
import re
from collections.abc import Iterator
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, BrowserType, Page, expect
from scripts.screenshots import CHROMIUM_FLAGS

from orange_crank.bench.push_service import Device, PushService
from tests.product import Product
from tests.ui.acts import get, post, sign_in

# What a browser does that reaches its push service: it hands out an address and two keys, and remembers them.
SUBSCRIBES = """(held) => {
  const made = { ...held, options: {}, unsubscribe: async () => (localStorage.removeItem('held'), true) }
  const keys = { p256dh: held.device_key, auth: held.device_secret }
  made.toJSON = () => ({ endpoint: held.endpoint, keys })
  PushManager.prototype.subscribe = async function (options) {
    if (!options.userVisibleOnly || options.applicationServerKey.length !== 65) throw new Error('no key')
    localStorage.setItem('held', '1')
    return made
  }
  PushManager.prototype.getSubscription = async () => (localStorage.getItem('held') ? made : null)
}"""
SHOWN = (
    """self.registration.getNotifications().then((all) => all.map((n) => [n.title, n.body, n.data.path]))"""
)


@pytest.fixture(scope="module")
def browser(browser_type: BrowserType) -> Iterator[Browser]:
    """The whole browser: the headless shell takes no push and shows no notification."""
    launched = browser_type.launch(executable_path="/usr/bin/chromium", args=CHROMIUM_FLAGS)
    yield launched
    launched.close()


def open_reminders(page: Page, product: Product) -> Any:
    page.goto(f"{product.address}/shop#sign-in")
    section = page.get_by_role("region", name="Reminders")
    section.scroll_into_view_if_needed()
    return section


def named(phone: Device, kind: str) -> list[dict[str, Any]]:
    """What came of one kind; what of the demo's tasks is due today comes as well, by the hour."""
    return [m for m in phone.messages if m["tag"].startswith(kind)]


def hand_to(page: Page, now: str, then: str) -> None:
    page.get_by_role("button", name=f"At work: {now}. Change.").tap()
    page.get_by_role("button", name=re.compile(then)).tap()
    expect(page.get_by_role("button", name=f"At work: {then}. Change.")).to_be_visible()


def can_subscribe(device: BrowserContext, product: Product, push: PushService) -> Device:
    device.grant_permissions(["notifications"], origin=product.address)
    phone = push.device()
    device.add_init_script(f"({SUBSCRIBES})({json.dumps(phone.subscription(push.origin))})")
    return phone


def deliver(page: Page, product: Product, message: dict[str, Any]) -> None:
    """Hand the browser a message as its push service would."""
    line = page.context.new_cdp_session(page)
    found: list[str] = []
    line.on(
        "ServiceWorker.workerRegistrationUpdated",
        lambda told: found.extend(r["registrationId"] for r in told["registrations"] if not r["isDeleted"]),
    )
    line.send("ServiceWorker.enable")
    for _ in range(50):
        if found:
            break
        page.wait_for_timeout(100)
    line.send(
        "ServiceWorker.deliverPushMessage",
        {"origin": product.address, "registrationId": found[-1], "data": json.dumps(message)},
    )
    line.detach()


def shown(device: BrowserContext, page: Page, title: str) -> list[str]:
    """Return title, body and path of what is shown under a title."""
    for _ in range(50):
        there: list[list[str]] = device.service_workers[0].evaluate(SHOWN)
        for one in there:
            if one[0] == title:
                return one
        page.wait_for_timeout(100)
    raise AssertionError(f"{there} is shown")


def test_a_cooling_clock_is_told_with_the_program_closed(
    device: BrowserContext, product: Product, push: PushService
) -> None:
    phone = can_subscribe(device, product, push)
    page = device.new_page()
    sign_in(page, product)
    section = open_reminders(page, product)
    expect(section).to_contain_text("Notices come only while the program is open")
    section.get_by_role("button", name="Notify me with it closed too").tap()
    expect(section).to_contain_text("Also with the program closed")
    # One came at once, and nothing between the shop and the phone could read it.
    assert [m["title"] for m in named(phone, "try")] == ["Reminders reach this device"]
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    deliver(page, product, named(phone, "try")[0])
    assert shown(device, page, "Reminders reach this device")[2] == "/shop#sign-in"

    call = next(c for c in get(product, "/api/calls") if c["status"] == "open")
    page.close()
    elsewhere = device.new_page()
    post(product, f"/api/calls/{call['id']}/clocks", {"minutes": 30})
    # Half an hour goes by in the records, not here.
    with product.owner() as line:
        line("UPDATE cooling_clock SET started_at = started_at - INTERVAL 30 MINUTE WHERE ended_at IS NULL")
    for _ in range(300):
        if named(phone, "clock"):
            break
        elsewhere.wait_for_timeout(200)
    [told] = named(phone, "clock")
    assert told["title"] == "Cool: retest the windings"
    assert told["body"] == f"{call['site']['name']}, {call['unit']}"
    deliver(elsewhere, product, told)
    said = shown(device, elsewhere, told["title"])
    assert said[1:] == [told["body"], f"/calls/{call['id']}/dead_tests"]


def test_what_cannot_be_read_is_still_shown_and_leads_nowhere_else(
    device: BrowserContext, product: Product, push: PushService
) -> None:
    can_subscribe(device, product, push)
    page = device.new_page()
    sign_in(page, product)
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    deliver(page, product, {"title": "Somewhere else", "path": "https://elsewhere.example/", "tag": "a"})
    said = shown(device, page, "Somewhere else")
    assert said[1:] == ["Something is due. Open the program to see what.", "/calls"]


def test_turned_off_and_the_next_person_is_asked_again(
    device: BrowserContext, product: Product, push: PushService
) -> None:
    phone = can_subscribe(device, product, push)
    page = device.new_page()
    sign_in(page, product)
    section = open_reminders(page, product)
    section.get_by_role("button", name="Notify me with it closed too").tap()
    expect(section).to_contain_text("Also with the program closed")
    section.get_by_role("button", name="Send one now").tap()
    expect(section).to_contain_text("sent to this device a moment ago")
    hand_to(page, "Marlo Quist", "Ines Tarrow")
    section = open_reminders(page, product)
    expect(section).to_contain_text("Notices come only while the program is open")
    hand_to(page, "Ines Tarrow", "Marlo Quist")
    section = open_reminders(page, product)
    # Signed in again it is told again without being asked: it never said that it should not be.
    expect(section).to_contain_text("Also with the program closed")
    section.get_by_role("button", name="Not with it closed").tap()
    expect(section).to_contain_text("Notices come only while the program is open")
    page.reload()
    expect(section).to_contain_text("Notices come only while the program is open")
    assert len(named(phone, "try")) == 1


def test_a_push_service_that_cannot_be_reached_is_said(device: BrowserContext, product: Product) -> None:
    device.grant_permissions(["notifications"], origin=product.address)
    device.add_init_script("PushManager.prototype.subscribe = async () => { throw new Error('AbortError') }")
    page = device.new_page()
    sign_in(page, product)
    section = open_reminders(page, product)
    section.get_by_role("button", name="Notify me with it closed too").tap()
    expect(section.get_by_role("alert")).to_contain_text("cannot reach its browser's push service")
    expect(section.get_by_role("alert")).to_contain_text("You still get notices here")


def test_a_service_the_shop_cannot_reach_is_said_too(
    device: BrowserContext, product: Product, push: PushService
) -> None:
    can_subscribe(device, product, push)
    push.answers = lambda _: (503, {})
    try:
        page = device.new_page()
        sign_in(page, product)
        section = open_reminders(page, product)
        section.get_by_role("button", name="Notify me with it closed too").tap()
        expect(section).to_contain_text("the last message did not go out: The push service answered 503")
    finally:
        push.answers = lambda _: (201, {})
