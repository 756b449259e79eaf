"""What a call costs the hand: taps, typed characters, scrolls and requests, by touch at 390 × 844.

Drives the real interface on the demo shop. A tap is a tap (a choice from a list is two, opening and picking);
a character is one key; a scroll is counted where what is tapped next is not on the screen. Baseline: the same
plain call tried by hand before this was built, 140 taps, 307 characters, 112 requests.
"""

import re
import sys
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field

from playwright.sync_api import Locator, Page, sync_playwright
from scripts.screenshots import CHROMIUM_FLAGS, demo_server

BASELINE = {"taps": 140, "characters": 307, "requests": 112}
AIM = {"taps": 55, "characters": 90, "requests": 45}


@dataclass
class Hand:
    """One thumb and what it does."""

    page: Page
    taps: int = 0
    characters: int = 0
    scrolls: int = 0
    requests: int = 0
    asked: Counter[str] = field(default_factory=Counter)

    def __post_init__(self) -> None:
        """Count what the page asks of the server."""
        self.page.on("request", lambda r: self._count(r.url))

    def _count(self, url: str) -> None:
        if "/api/" in url:
            self.requests += 1
            self.asked[re.sub(r"\d+", "n", url.split("/api/")[1].split("?")[0])] += 1

    def _reach(self, where: Locator) -> None:
        where.wait_for(timeout=30_000)
        box = where.bounding_box()
        if box is None or box["y"] < 60 or box["y"] + box["height"] > 844:
            self.scrolls += 1

    def tap(self, where: Locator) -> None:
        """Tap one thing."""
        self._reach(where)
        where.tap()
        self.taps += 1

    def pick(self, where: Locator, label: str) -> None:
        """Open a list and pick from it."""
        self._reach(where)
        where.select_option(label=label)
        self.taps += 2

    def type(self, where: Locator, text: str, fresh: bool = True) -> None:
        """Tap a field, unless the keyboard's next key came to it, and type."""
        self._reach(where)
        where.fill(text)
        self.taps += fresh
        self.characters += len(text)

    def button(self, name: str, exact: bool = False) -> None:
        """Tap a button by its words."""
        self.tap(self.page.get_by_role("button", name=name if exact else re.compile(name)).first)

    def radio(self, name: str, within: Locator | None = None) -> None:
        """Tap one of several choices."""
        self.tap((within or self.page).get_by_role("radio", name=name, exact=True).first)

    def settle(self) -> None:
        """Wait for what was saved."""
        self.page.wait_for_load_state("networkidle")


def open_call(hand: Hand, address: str, unit: str, complaint: str) -> None:
    """Open a call on a unit."""
    hand.page.goto(address + "/calls")
    hand.button("Open a call")
    hand.pick(hand.page.get_by_label("Which unit?"), unit)
    hand.type(hand.page.get_by_label("What is the complaint?"), complaint)
    hand.button("Open the call")
    hand.settle()


def go(hand: Hand, rung: str) -> None:
    """Lead on to a rung: by the next step where it leads there, else over the ladder."""
    following = hand.page.get_by_role("button", name=re.compile(f"^Next: {re.escape(rung)}"))
    hand.page.wait_for_timeout(250)
    if following.count() and following.first.is_visible():
        hand.tap(following.first)
    else:
        ladder = hand.page.get_by_role("button", name="Ladder", exact=True)
        if ladder.count() and ladder.first.is_visible():
            hand.tap(ladder.first)
        rungs = hand.page.get_by_role("list", name="The call, rung by rung")
        hand.tap(rungs.get_by_role("button", name=re.compile(rf"^\d+ {re.escape(rung)}")))
    hand.settle()


def make_safe(hand: Hand) -> None:
    """Make the unit safe: what was said last is confirmed, the rest is said."""
    page = hand.page
    hand.button("Dry here, and the call is off")
    last = page.get_by_role("button", name=re.compile("Still so"))
    page.wait_for_timeout(300)
    if last.count():
        hand.tap(last.first)
    else:
        hand.type(page.get_by_label("Fed from"), "Pull-out")
        hand.tap(page.get_by_label("Looked: no second source"))
    hand.button("I have the key")
    same = page.get_by_role("button", name=re.compile("Same source"))
    if same.count():
        hand.tap(same.first)
    else:
        hand.type(page.get_by_label("Known live source"), "Receptacle")
        hand.type(page.get_by_label("Known to be"), "120", fresh=False)
        hand.type(page.get_by_label("Meter reads", exact=True), "120", fresh=False)
    hand.type(page.get_by_label("All pairs, both sides: largest"), "0")
    hand.button("Reads 1.* again on")
    hand.type(page.get_by_label(re.compile("^Left in each|^Left after")).first, "0")
    hand.button("Record: proved dead")
    page.get_by_text("Proved dead at").first.wait_for()
    hand.settle()


def go_live(hand: Hand) -> None:
    """Read the caution, tick what has to be so, go live."""
    page = hand.page
    caution = page.get_by_role("button", name=re.compile("I am qualified"))
    caution.or_(page.get_by_label("Covers on")).first.wait_for()
    if caution.count():
        hand.tap(caution.first)
    for words in ("Covers on", "People clear", "Meter set", "Lifted leads back"):
        hand.tap(page.get_by_label(re.compile(f"^{words}")))
    hand.button("Record going live")
    page.get_by_role("heading", name="Going live").wait_for(state="detached")
    hand.settle()


def a_start(hand: Hand, amps: str, volts: str) -> None:
    """Write down one start."""
    page = hand.page
    hand.radio("Inrush")
    hand.type(page.get_by_label("Inrush", exact=True), amps)
    hand.type(page.get_by_label("Volts during the start"), volts, fresh=False)
    hand.radio("Started")
    hand.button("Save the reading")
    page.get_by_text("✓ Saved").first.wait_for()
    hand.settle()


def plain_call(hand: Hand, address: str) -> None:
    """Hums; weak run capacitor; replaced; proved; closed."""
    page = hand.page
    open_call(hand, address, "Quillback valley radio · Transmitter room split", "Hums, starts late")
    go(hand, "Make safe")
    make_safe(hand)
    go(hand, "Dead tests")
    ground = page.get_by_role("form", name="To ground")
    hand.tap(ground.get_by_role("radio", name="No", exact=True).first)
    save = ground.get_by_role("button", name=re.compile("^Save"))
    if save.count():
        hand.tap(save)
    caps = page.get_by_role("form", name="Capacitors")
    hand.type(caps.get_by_label(re.compile("C–HERM")), "28.1")
    save = caps.get_by_role("button", name=re.compile("^Save"))
    if save.count():
        hand.tap(save)
    hand.settle()
    go(hand, "Why")
    hand.button("As in the complaint")
    hand.settle()
    hand.button("Take this as the cause")
    hand.settle()
    go(hand, "Contactor & capacitors")
    caps = page.get_by_role("region", name="Run capacitor", exact=True)
    hand.tap(caps.get_by_role("button", name="Plan the swap").first)
    moves = page.get_by_role("region", name="Moves")
    moves.get_by_role("checkbox").first.wait_for()
    groups = moves.get_by_role("button", name=re.compile("^All of these done"))
    page.wait_for_timeout(300)
    if groups.count():
        for i in range(groups.count()):
            hand.tap(groups.nth(i))
            hand.settle()
    else:
        for i in range(moves.get_by_role("checkbox").count()):
            hand.tap(moves.get_by_role("checkbox").nth(i))
            moves.get_by_text(re.compile(rf"^{i + 1} of")).wait_for()
    hand.button("Write it down as fitted")
    page.get_by_text("Written down as fitted").wait_for()
    hand.settle()
    go(hand, "Live tests")
    go_live(hand)
    a_start(hand, "58", "228")
    hand.radio("Running amps")
    hand.type(page.get_by_label("Running amps", exact=True), "9.6")
    hand.type(page.get_by_label("Volts, running"), "231", fresh=False)
    hand.button("Save the reading")
    page.get_by_text("✓ Saved").first.wait_for()
    hand.settle()
    go(hand, "Prove")
    hand.radio("Keep")
    hand.button("Starts as it should")
    hand.button("Write down the decision")
    hand.settle()
    hand.button("Notes & close")
    reason = page.get_by_label("Why they stay open")
    page.wait_for_timeout(400)
    if reason.count():
        hand.type(reason, "As found")
    hand.button("close the call")
    page.get_by_text("CLOSED", exact=True).wait_for()
    hand.settle()


def second_make_safe(hand: Hand, address: str) -> None:
    """Prove a unit dead again on the same call."""
    open_call(hand, address, "Quillback valley radio · Transmitter room split", "Hums")
    go(hand, "Make safe")
    make_safe(hand)
    hand.button("Prove dead again")
    hand.settle()
    hand.taps = hand.characters = hand.scrolls = hand.requests = 0
    make_safe(hand)


CALLS: dict[str, Callable[[Hand, str], None]] = {
    "plain call": plain_call,
    "second make-safe record": second_make_safe,
}


def measure(names: list[str]) -> dict[str, Hand]:
    """Drive the calls named, each on a page of its own, and return what they cost."""
    found = {}
    with demo_server() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM_FLAGS)
        for name, call in CALLS.items():
            if names and name not in names:
                continue
            context = browser.new_context(
                viewport={"width": 390, "height": 844},
                has_touch=True,
                is_mobile=True,
                reduced_motion="reduce",
            )
            page = context.new_page()
            page.goto(address)
            page.evaluate("localStorage.setItem('orange-crank.person', '1')")
            hand = Hand(page)
            call(hand, address)
            found[name] = hand
            context.close()
        browser.close()
    return found


def main(names: list[str] | None = None) -> None:
    """Print what each call costs."""
    found = measure(names or [])
    print("taps, characters, scrolls, requests")
    for name, hand in found.items():
        print(f"  {name}: {hand.taps}, {hand.characters}, {hand.scrolls}, {hand.requests}")
    plain = found.get("plain call")
    if plain is not None:
        for what, was in BASELINE.items():
            now = getattr(plain, what)
            print(f"  {what} {now} of {was} before, ratio {now / was:.2f} (aim {AIM[what]})")


if __name__ == "__main__":
    main(sys.argv[1:])
