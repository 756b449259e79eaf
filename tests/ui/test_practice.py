"""A practice call from complaint to score by touch: probes on a drawing, the record on the same screens."""

import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pytest
from benchmarks.taps import Hand, a_start, go, go_live, make_safe, tick_moves
from playwright.sync_api import Locator, Page, expect

from tests.product import Product
from tests.ui.acts import get, post, reload_demo, sign_in


@pytest.fixture(scope="module", autouse=True)
def as_new(product: Product) -> None:
    reload_demo(product)


def enter(page: Page, product: Product, who: str = "Marlo Quist") -> None:
    sign_in(page, product, who, "/bench")
    expect(page.get_by_role("heading", name="Practice", exact=True)).to_be_visible()


def begin(page: Page, number: int) -> int:
    calls = page.get_by_role("region", name="Graded calls").get_by_role("listitem")
    calls.nth(number - 1).get_by_role("button", name="Begin").click()
    page.wait_for_url(re.compile("/practice/calls/"))
    expect(page.get_by_role("button", name="At the unit")).to_be_visible()
    return int(page.url.rsplit("/", 1)[1])


class AtTheUnit:
    """The sheet of the unit, opened, used and closed again."""

    def __init__(self, page: Page) -> None:
        self.page = page

    def __enter__(self) -> "AtTheUnit":
        self.page.get_by_role("button", name="At the unit").tap()
        self.sheet.wait_for()
        return self

    def __exit__(self, *_: object) -> None:
        self.sheet.get_by_role("button", name="Close").tap()
        self.sheet.wait_for(state="detached")

    @property
    def sheet(self) -> Locator:
        return self.page.get_by_role("dialog", name="At the unit")

    @contextmanager
    def act(self) -> Iterator[None]:
        """Wait for the server's answer to an act, and for the screen to show it."""
        with self.page.expect_response(re.compile("/acts$")):
            yield
        expect(self.sheet.locator("[aria-busy=true]")).to_have_count(0)

    def tap(self, name: str, room: str = "") -> None:
        if room:
            self.sheet.get_by_role("radio", name=room).tap()
        with self.act():
            self.sheet.get_by_role("button", name=name, exact=True).first.tap()

    def probe(self, dial: str, red: str, black: str) -> str:
        self.sheet.get_by_role("radio", name="Meter").tap()
        self.sheet.get_by_label("Dial").select_option(label=dial)
        self.sheet.get_by_role("button", name=f"Probe at {red}", exact=True).tap()
        with self.act():
            self.sheet.get_by_role("button", name=f"Probe at {black}", exact=True).tap()
        return self.sheet.locator("p .figure").first.inner_text()


DEAD = [
    ("contactor, line side L1", "contactor, line side L2"),
    ("contactor, line side L1", "cabinet ground G"),
    ("contactor, line side L2", "cabinet ground G"),
    ("contactor, load side T1", "contactor, load side T2"),
    ("contactor, load side T1", "cabinet ground G"),
    ("contactor, load side T2", "cabinet ground G"),
]
KNOWN = ("known live receptacle L", "known live receptacle N")


def prove_dead(unit: AtTheUnit) -> None:
    unit.tap("Disconnect in")
    unit.tap("No lock")
    assert unit.probe("Volts AC", *KNOWN).startswith("120")
    for red, black in DEAD:
        assert unit.probe("Volts AC", red, black) == "0.00 V"
    assert unit.probe("Volts AC", *KNOWN).startswith("120")
    for section in ("HERM", "FAN"):
        unit.tap(f"Bleed C to {section}", "Hands")
        assert float(unit.probe("Volts DC", "run capacitor C", f"run capacitor {section}").split()[0]) < 1


def test_a_whole_practice_call_from_complaint_to_score_by_touch(phone: Page, product: Product) -> None:
    page, hand = phone, Hand(phone)
    before = get(product, "/api/calls")
    enter(page, product)
    call = begin(page, 6)
    expect(page.get_by_text("PRACTICE", exact=True)).to_be_visible()
    expect(page.get_by_role("region", name="At the unit")).to_contain_text("It hums and does not start.")
    with AtTheUnit(page) as unit:
        unit.tap("Nameplate", "Look & ask")
        expect(unit.sheet.get_by_text("compressor RLA 17.9, LRA 112")).to_be_visible()
        unit.tap("Thermostat off")
        expect(unit.sheet.get_by_text("It hums and does not turn.").first).to_be_visible()
        unit.tap("Thermostat calls")
        prove_dead(unit)
    go(hand, "Nameplate")
    plate = {
        "Volts": "230", "RLA, rated load": "17.9", "LRA, locked rotor": "112", "FLA, full load": "1.4",
        "MCA": "23.8", "MOCP (max fuse)": "40", "Run capacitor": "45", "Fan capacitor": "5",
    }  # fmt: skip
    for label, text in plate.items():
        page.get_by_label(label, exact=True).fill(text)
    page.get_by_role("button", name=re.compile("Save")).first.tap()
    hand.settle()
    go(hand, "Make safe")
    make_safe(hand)
    expect(page.get_by_text("PRACTICE", exact=True)).to_be_visible()
    with AtTheUnit(page) as unit:
        unit.tap("Run capacitor leads: on", "Hands")
        assert float(unit.probe("Microfarads", "run capacitor C", "run capacitor HERM").split()[0]) < 3
    go(hand, "Power-off tests")
    ground = page.get_by_role("form", name="To ground")
    hand.tap(ground.get_by_role("radio", name="No", exact=True).first)
    # What the practice meter shows is taken at its field, as from any live meter.
    page.get_by_role("button", name=re.compile(r"^Take .* µF from the meter$")).first.tap()
    hand.settle()
    go(hand, "Diagnosis")
    hand.button("As in the complaint")
    hand.settle()
    hand.button("Select this cause")
    hand.settle()
    go(hand, "Contactor & capacitors")
    caps = page.get_by_role("region", name="Run capacitor", exact=True)
    hand.tap(caps.get_by_role("button", name="Plan the swap").first)
    tick_moves(hand)
    with AtTheUnit(page) as unit:
        unit.sheet.get_by_role("radio", name="Parts").tap()
        unit.sheet.get_by_label("Change or mend").select_option("dual_capacitor")
        unit.tap("Do it at the unit")
        unit.tap("Run capacitor leads: off", "Hands")
        unit.tap("Your lock is on")
        unit.tap("Disconnect pulled")
        unit.sheet.get_by_role("radio", name="Meter").tap()
        unit.sheet.get_by_label("Dial").select_option("inrush")
        with unit.act():
            unit.sheet.get_by_role("button", name="Clamp round common (C)").tap()
        unit.tap("Arm")
        unit.tap("Thermostat off")
        expect(unit.sheet.get_by_text("The compressor starts and settles.").first).to_be_visible()
        assert float(unit.sheet.locator("p .figure").first.inner_text().split()[0]) > 40
        unit.tap("Wait 5 min", "Look & ask")
    go(hand, "Power-on tests")
    go_live(hand)
    start = page.get_by_role("form", name="A start")
    taken = start.get_by_role("button", name=re.compile(r"^Take .* A from the meter$")).first
    taken.tap()
    amps = start.get_by_label("Inrush", exact=True).input_value()
    a_start(hand, amps, "221")
    go(hand, "Hand over")
    page.get_by_role("button", name="Run capacitor open", exact=True).first.tap()
    hand.settle()
    to = page.get_by_role("region", name="Handed over to")
    to.get_by_role("textbox", name="To whom").fill("Hattie Voss")
    to.get_by_role("radio", name="Running", exact=True).tap()
    to.get_by_role("button", name="Handed over", exact=True).tap()
    expect(to).to_contain_text("Handed over to Hattie Voss")
    page.get_by_role("button", name="End & score").tap()
    page.get_by_role("button", name="End it and show the score").tap()
    expect(page.get_by_role("heading", name=re.compile("Passed: "))).to_be_visible()
    expect(page.get_by_text("run capacitor open").first).to_be_visible()
    expect(page.get_by_text("PRACTICE", exact=True)).to_be_visible()
    sheet: Any = get(product, f"/api/practice/calls/{call}/score")
    assert sheet["score"]["passed"], sheet["score"]
    assert {d["skill"] for d in sheet["score"]["dimensions"] if d["points"] == 100} >= {
        "safety", "diagnosis", "fit", "hand_over",
    }  # fmt: skip
    # The shop knows nothing of it; the learner does.
    assert get(product, "/api/calls") == before
    page.get_by_role("link", name="Leave").tap()
    row = page.get_by_role("region", name="Graded calls").get_by_role("listitem").nth(5)
    expect(row).to_contain_text("✓ Passed")


def test_what_would_have_hurt_stops_the_work_and_says_what_was_skipped(phone: Page, product: Product) -> None:
    enter(phone, product, "Ines Tarrow")
    begin(phone, 1)
    with AtTheUnit(phone) as unit:
        unit.tap("Disconnect in")
        unit.sheet.get_by_role("radio", name="Hands").tap()
        unit.sheet.get_by_role("button", name="Run capacitor leads: on", exact=True).tap()
        stop = phone.get_by_role("alertdialog", name=re.compile("You would have been hurt"))
        expect(stop).to_contain_text("L2 was at")
        expect(stop).to_contain_text("L2 to ground measured")
        stop.get_by_role("button", name="I step back. Make it safe first").tap()
        expect(stop).to_have_count(0)
        expect(unit.sheet.get_by_role("button", name="Run capacitor leads: on", exact=True)).to_be_visible()
    phone.get_by_role("button", name="End & score").tap()
    phone.get_by_role("button", name="End it and show the score").tap()
    expect(phone.get_by_role("heading", name=re.compile("Not passed"))).to_be_visible()
    phone.get_by_role("button", name="Show the moment").first.tap()
    expect(phone.get_by_role("listitem").filter(has_text="L2 was at").last).to_be_in_viewport()


def test_beside_the_rung_by_keyboard_and_a_second_tab_is_told(desk: Page, product: Product) -> None:
    enter(desk, product)
    call = begin(desk, 5)
    desk.get_by_role("button", name="At the unit").click()
    expect(desk.get_by_role("button", name="Back to the ladder")).to_be_visible()
    for terminal in ("panel", "line"):
        name = {"panel": "Probe at breaker, load side A", "line": "Probe at breaker, load side B"}[terminal]
        desk.get_by_role("button", name=name, exact=True).focus()
        desk.keyboard.press("Enter")
    expect(desk.get_by_role("status", name="Practice meter")).to_have_text(re.compile(r"^2[2-4]\d\.\d V$"))
    # Another tab did something meanwhile: this one is told, and shows how it stands.
    state = get(product, f"/api/practice/calls/{call}")
    number = state["run"]["acts"] + 1
    post(product, f"/api/practice/calls/{call}/acts", {"number": number, "act": {"verb": "feel"}})
    desk.get_by_role("radio", name="Look & ask").click()
    desk.get_by_role("button", name="Listen").click()
    expect(desk.get_by_text("Look at it again").first).to_be_visible()
    desk.get_by_role("button", name="Listen").click()
    expect(desk.get_by_text("Nothing runs.").first).to_be_visible()


def test_the_lead_sets_a_call_and_it_stands_on_the_learners_page(
    desk: Page, phone: Page, product: Product
) -> None:
    enter(desk, product, "Bettany Rook")
    lead = desk.get_by_role("region", name="For the lead")
    lead.get_by_label("For").select_option(label="Ines Tarrow")
    lead.get_by_label("Call", exact=True).select_option("graded-2")
    lead.get_by_label("By").fill("2099-01-31")
    lead.get_by_role("button", name="Set it").click()
    expect(lead.get_by_text("✓ Set.")).to_be_visible()
    enter(phone, product, "Ines Tarrow")
    now = phone.get_by_role("region", name="Now")
    expect(now).to_contain_text('2. "It\'s already bled"')
    expect(now).to_contain_text("Set by Bettany Rook")


AXE = "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']})"


def access(page: Page, root: Path) -> list[str]:
    page.evaluate((root / "frontend/node_modules/axe-core/axe.min.js").read_text("utf-8"))
    found: Any = page.evaluate(AXE)
    return [
        f"{v['id']}: {v['nodes'][0]['html'][:120]}"
        for v in found["violations"]
        if v["impact"] in ("serious", "critical")
    ]


@pytest.mark.parametrize(("look", "size"), [("sheet", "100%"), ("dark", "100%"), ("sun", "200%")])
def test_practice_fits_a_phone_in_every_look_and_keeps_out_nobody(
    phone: Page, product: Product, root: Path, look: str, size: str
) -> None:
    enter(phone, product)
    phone.evaluate(f"localStorage.setItem('orange-crank.look', '{look}')")
    call = begin(phone, 2)
    wide = "() => [document.querySelector('[role=dialog]'), document.querySelector('main')].filter(Boolean)"
    wide += ".map(e => e.scrollWidth - e.clientWidth)"
    phone.evaluate(f"document.documentElement.style.fontSize = '{size}'")
    with AtTheUnit(phone) as unit:
        for room in ("Meter", "Look & ask", "Hands", "Parts"):
            unit.sheet.get_by_role("radio", name=room).tap()
            assert max(phone.evaluate(wide)) <= 1, (room, look)
            assert access(phone, root) == [], (room, look)
    post(product, f"/api/practice/calls/{call}/end", {})
    phone.goto(f"{product.address}/practice/score/{call}")
    phone.get_by_text("What happened").wait_for()
    phone.evaluate(f"document.documentElement.style.fontSize = '{size}'")
    assert max(phone.evaluate(wide)) <= 1
    assert access(phone, root) == []
