"""Signing out without signal, and another tab that signs another person in: each name is the right one."""

import pytest
from playwright.sync_api import Page, expect

from tests.product import Product
from tests.ui.acts import sign_in

WHO = "fetch('/api/session').then(r => r.json()).then(s => s.person && s.person.name)"


@pytest.mark.usefixtures("ahead")
def test_signed_out_without_signal_is_covered_at_once_and_carried_out_first(
    desk: Page, product: Product
) -> None:
    sign_in(desk, product)
    desk.wait_for_load_state("networkidle")
    name = desk.evaluate(WHO)
    desk.get_by_role("button", name=f"At work: {name}. Change.").click()
    expect(desk.get_by_role("dialog", name="Who's working?")).to_be_visible()
    desk.context.set_offline(True)
    desk.get_by_role("button", name="Sign out").click()
    expect(desk.get_by_role("navigation", name="Places")).to_have_count(0)
    expect(
        desk.get_by_role("heading", name="Sign in").or_(desk.get_by_text("Who's working?"))
    ).to_be_visible()
    desk.context.set_offline(False)
    desk.wait_for_function(f"() => {WHO}.then(n => n === null)")


def test_another_tab_that_takes_over_is_said_and_the_first_tab_goes_on_as_them(
    desk: Page, product: Product
) -> None:
    sign_in(desk, product)
    other = desk.context.new_page()
    other.goto(product.address + "/calls")
    name = other.evaluate(WHO)
    other.get_by_role("button", name=f"At work: {name}. Change.").click()
    taker = "Ines Tarrow" if name != "Ines Tarrow" else "Marlo Quist"
    other.get_by_role("dialog").get_by_role("button", name=taker).click()
    expect(other.get_by_role("button", name=f"At work: {taker}. Change.")).to_be_visible()
    expect(desk.get_by_role("status").filter(has_text=f"{taker} took over on this device")).to_be_visible()
    expect(desk.get_by_role("button", name=f"At work: {taker}. Change.")).to_be_visible()
