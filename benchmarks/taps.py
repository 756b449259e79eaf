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

from playwright.sync_api import Browser, Locator, Page, sync_playwright
from scripts.screenshots import CHROMIUM, CHROMIUM_FLAGS, demo_server

BASELINE = {"taps": 140, "characters": 307, "requests": 112}
AIM = {"taps": 55, "characters": 90, "requests": 45}


class NothingKnown(RuntimeError):
    """A handler has no answer for the step that is shown."""


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
    dry = page.get_by_role("button", name=re.compile("Dry, and the thermostat call is off"))
    again = page.get_by_role("button", name=re.compile("Prove dead again"))
    dry.or_(again).first.wait_for()
    if again.count():
        # With control back the record is still there: it is proved again.
        hand.tap(again.first)
    hand.tap(dry.first)
    last = page.get_by_role("button", name=re.compile("Still so"))
    page.wait_for_timeout(300)
    if last.count():
        hand.tap(last.first)
    else:
        hand.type(page.get_by_label("Fed from"), "Pull-out")
        hand.tap(page.get_by_label("Checked: no second source"))
    hand.button("I have the key")
    same = page.get_by_role("button", name=re.compile("Same source"))
    if same.count():
        hand.tap(same.first)
    else:
        hand.type(page.get_by_label("Known live source"), "Receptacle")
        hand.type(page.get_by_label("Known voltage"), "120", fresh=False)
        hand.type(page.get_by_label("Meter reads", exact=True), "120", fresh=False)
    hand.type(page.get_by_label("Highest of all pairs, line and load side"), "0")
    hand.button("Reads 1.* again on")
    left = page.get_by_label(re.compile("^Highest left on any capacitor|^Volts left"))
    if not left.count():
        # No plate names it: what hangs there is said.
        hand.tap(page.get_by_label(re.compile("Start capacitor", re.IGNORECASE)).first)
    hand.type(left.first, "0")
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
    for words in ("Covers on", "People clear", "Meter set", "All leads back"):
        hand.tap(page.get_by_label(re.compile(f"^{words}")))
    hand.button("Record going live")
    page.get_by_role("heading", name="Going live").wait_for(state="detached")
    hand.settle()


def a_start(
    hand: Hand, amps: str, volts: str, running: tuple[str, str] | None = None, seconds: str = ""
) -> None:
    """Write down one start, how long it took, and what it runs on where that was read."""
    page = hand.page
    start = page.get_by_role("form", name="A start")
    hand.type(start.get_by_label("Inrush", exact=True), amps)
    hand.type(start.get_by_label("Lowest volts during start"), volts, fresh=False)
    if seconds:
        hand.type(start.get_by_label("Start time"), seconds, fresh=False)
    if running:
        hand.type(start.get_by_label("Running amps", exact=True), running[0], fresh=False)
        hand.type(start.get_by_label("Volts, running"), running[1], fresh=False)
    hand.tap(start.get_by_role("radio", name="Started", exact=True))
    start.get_by_text("✓ Saved").first.wait_for()
    hand.settle()


def next_of(hand: Hand, before: str) -> tuple[str, Locator | None]:
    """Return where Next leads and its button; with no button it is work still to do on this rung.

    ``before`` is what it said when the work was begun: what was saved takes a moment to move it on.
    """
    page = hand.page
    hand.settle()
    button = page.get_by_role("button", name=re.compile("^Next: "))
    now = page.get_by_role("status").filter(has_text=re.compile("^Now: "))
    for _ in range(60):
        found, said = button.all_inner_texts(), now.all_inner_texts()
        if found:
            return found[0].removeprefix("Next: "), button.first
        if said and said[0] != before:
            # Several readings are saved one after another: the step may still move.
            page.wait_for_timeout(800)
            hand.settle()
            if not button.count() and said == now.all_inner_texts():
                return said[0], None
        page.wait_for_timeout(250)
    raise RuntimeError(f"Next stays where it was: {before}")


def now_of(hand: Hand) -> str:
    """Return the step that is shown on this rung."""
    shown = hand.page.get_by_role("status").filter(has_text=re.compile("^Now: ")).first
    return shown.inner_text().removeprefix("Now: ")


def by_now(**answers: Callable[[Hand], None]) -> Callable[[Hand], None]:
    """Return a handler that does what the step shown on a rung names; a word of it picks the answer."""

    def handle(hand: Hand) -> None:
        said = now_of(hand).lower()
        for word, answer in answers.items():
            if word.replace("_", " ") in said:
                return answer(hand)
        raise NothingKnown(f"Nothing is known to do at: {said}")

    return handle


def or_skip(handle: Callable[[Hand], None]) -> Callable[[Hand], None]:
    """Return a handler that skips a test where the other knows nothing to do."""

    def handle_or_skip(hand: Hand) -> None:
        try:
            handle(hand)
        except NothingKnown:
            skip(hand)

    return handle_or_skip


def follow(
    hand: Hand, handlers: dict[str, Callable[[Hand], None]], most: int = 24, left: str = ""
) -> list[str]:
    """Follow Next alone until the call is closed: on each rung do what a handler does there.

    Parameters
    ----------
    hand : the thumb
    handlers : what is done on each rung, by its title
    most : at most so many steps
    left : the reason for what stays open at closing; empty where nothing may stay open

    Raises
    ------
    RuntimeError : Next loops, or leads where nothing is known to do

    """
    page, way = hand.page, list[str]()
    title, said = "Make safe", ""
    hand.tap(page.get_by_role("button", name=re.compile("^Next · Make safe")))
    for _ in range(most):
        way.append(title)
        handlers[title](hand)
        then, button = next_of(hand, said)
        if button is None:
            said = then
            continue
        hand.tap(button)
        if then == "close the call":
            page.get_by_role("button", name="Save and close the call").wait_for()
            reason = page.get_by_label("Why leave them open?")
            if reason.count():
                if not left:
                    raise RuntimeError(page.get_by_role("region", name="Left open").inner_text())
                hand.type(reason, left)
            hand.button("close the call")
            page.get_by_text("CLOSED", exact=True).wait_for()
            return [*way, then]
        title = then
        page.get_by_role("status").filter(has_text=re.compile("^Now: ")).first.wait_for()
        said = page.get_by_role("status").filter(has_text=re.compile("^Now: ")).first.inner_text()
    raise RuntimeError(f"Next does not end: {way}")


def heated(hand: Hand, by: str) -> None:
    """Say what heated an overload that was open."""
    form = hand.page.get_by_role("form", name="What heated the overload")
    hand.type(form.get_by_label("In a few words"), by)
    hand.tap(form.get_by_role("button", name="Save"))


def _tap_button(words: str) -> Callable[[Hand], None]:
    return lambda hand: hand.button(words)


why = by_now(
    complaint=_tap_button("As in the complaint"),
    heated=lambda hand: heated(hand, "Dirty coil"),
    cause=_tap_button("Select this cause"),
    yes=_tap_button("Covered by agreement"),
)


def hand_over(hand: Hand) -> None:
    """Bill the minutes and hand the call over to the one who was spoken to."""
    page = hand.page
    cost = page.get_by_role("region", name="What it costs")
    hand.type(cost.get_by_label(re.compile("Labor|Minutes", re.IGNORECASE)).first, "45")
    page.keyboard.press("Enter")
    hand.settle()
    region = page.get_by_role("region", name="Handed over to")
    hand.type(region.get_by_role("textbox").first, "Owner")
    hand.tap(region.get_by_role("button", name="Handed over"))


def plain_call(hand: Hand, address: str) -> None:
    """Hums; weak run capacitor; replaced; measured; proved; handed over; closed, all by Next alone."""
    page = hand.page
    open_call(hand, address, RADIO, "Hums, starts late")
    fitted = False

    def dead(hand: Hand) -> None:
        caps = page.get_by_role("form", name="Capacitors")
        if not fitted:
            ground = page.get_by_role("form", name="To ground")
            hand.tap(ground.get_by_role("radio", name="No", exact=True).first)
        hand.type(caps.get_by_label(re.compile("C–HERM")), "35.2" if fitted else "28.1")
        # The keyboard's own key for done: the field is left, and what it holds is kept.
        page.keyboard.press("Enter")

    def parts(hand: Hand) -> None:
        nonlocal fitted
        caps = page.get_by_role("region", name="Run capacitor", exact=True)
        hand.tap(caps.get_by_role("button", name="Plan the swap").first)
        tick_moves(hand)
        fitted = True

    def live(hand: Hand) -> None:
        go_live(hand)
        a_start(hand, "58", "228", ("9.6", "231"))
        beside = page.get_by_role("form", name="Other readings")
        hand.type(beside.get_by_label("Fan amps"), "0.8")
        page.keyboard.press("Tab")
        beside.get_by_role("status").first.wait_for()

    def prove(hand: Hand) -> None:
        hand.radio("Keep")
        hand.button("Starts as it should")
        hand.button("Write down the decision")

    follow(
        hand,
        {
            "Make safe": make_safe,
            "Diagnosis": why,
            "Power-off tests": dead,
            "Contactor & capacitors": parts,
            "Power-on tests": live,
            "Prove": prove,
            "Hand over": hand_over,
        },
    )


RADIO = "Quillback valley radio · Transmitter room split"


def running_amps(hand: Hand, amps: str, volts: str, fan: str) -> None:
    """Write down what compressor and fan draw, running."""
    page = hand.page
    start = page.get_by_role("form", name="A start")
    hand.type(start.get_by_label("Running amps", exact=True), amps)
    hand.type(start.get_by_label("Volts, running"), volts, fresh=False)
    beside = page.get_by_role("form", name="Other readings")
    hand.type(beside.get_by_label("Fan amps"), fan)
    page.keyboard.press("Tab")
    beside.get_by_role("status").first.wait_for()
    hand.settle()


def tick_moves(hand: Hand) -> None:
    """Tick the moves: by groups where a swap allows it, else one by one; then write the work down."""
    page = hand.page
    moves = page.get_by_role("region", name="Moves")
    boxes = moves.get_by_role("checkbox")
    boxes.first.wait_for()
    groups = moves.get_by_role("button", name=re.compile("^✓ All of these done"))
    page.wait_for_timeout(300)
    while groups.count():
        before = groups.count()
        hand.tap(groups.first)
        page.wait_for_function(f"() => [...document.querySelectorAll('button')].filter(b => b.textContent"
                               f".startsWith('✓ All of these done')).length < {before}")  # fmt: skip
        hand.settle()
    for i in range(boxes.count()):
        if not boxes.nth(i).is_checked():
            hand.tap(boxes.nth(i))
            hand.settle()
    hand.button("Save as installed")
    page.get_by_text("Saved as installed").wait_for()
    hand.settle()


def keep_and_close(hand: Hand, words: str = "Starts as it should") -> None:
    """Decide that it stays, and close the call."""
    go(hand, "Prove")
    hand.radio("Keep")
    hand.button(words)
    hand.button("Write down the decision")
    hand.settle()
    close(hand)


def close(hand: Hand) -> None:
    """Close the call, saying why what stays open does."""
    page = hand.page
    hand.button("Notes & close")
    page.get_by_role("button", name=re.compile("close the call")).wait_for()
    reason = page.get_by_label("Why leave them open?")
    if reason.count():
        hand.type(reason, "As found")
    hand.button("close the call")
    page.get_by_text("CLOSED", exact=True).wait_for()
    hand.settle()


def field_of(form: str, label: str, value: str) -> Callable[[Hand], None]:
    """Return the answer that types one figure in a form and leaves the field."""

    def answer(hand: Hand) -> None:
        where = hand.page.get_by_role("form", name=form).get_by_label(re.compile(label))
        hand.type(where.first, value)
        hand.page.keyboard.press("Tab")
        hand.settle()

    return answer


def contactor_swap(hand: Hand, address: str) -> None:
    """Buzzes; contactor burnt; swapped for its like; proved by amps; by Next alone."""
    page = hand.page
    open_call(hand, address, RADIO, "Contactor buzzes")
    swapped: list[bool] = []

    def look(hand: Hand) -> None:
        form = page.get_by_role("form", name="Contactor")
        hand.tap(form.get_by_role("radio", name="Burnt"))

    def parts(hand: Hand) -> None:
        contactor = page.get_by_role("region", name="Contactor", exact=True)
        hand.tap(contactor.get_by_role("radio", name="Two poles").first)
        hand.tap(contactor.get_by_role("button", name="Plan the swap").first)
        tick_moves(hand)
        swapped.append(True)

    def coil(hand: Hand) -> None:
        caution = page.get_by_role("button", name=re.compile("I am qualified"))
        caution.or_(page.get_by_label("Covers on")).first.wait_for()
        if caution.count():
            hand.tap(caution.first)
        hand.button("Record: 24 V on, line dead")
        page.get_by_text("CONTROL LIVE", exact=True).first.wait_for()
        hand.settle()
        field_of("Other readings", "^Coil volts", "25.2")(hand)

    def drop(hand: Hand) -> None:
        if page.get_by_label("Covers on").count():
            go_live(hand)
        beside = page.get_by_role("form", name="Other readings")
        hand.tap(beside.get_by_role("radio", name="L1–T1"))
        field_of("Other readings", "^Drop, L1", "0.06" if swapped else "0.9")(hand)

    def running(hand: Hand) -> None:
        running_amps(hand, "9.6", "231", "0.8")

    follow(
        hand,
        {
            "Make safe": make_safe,
            "Diagnosis": why,
            "Power-off tests": by_now(
                contactor=look, capacitor=field_of("Capacitors", "C–HERM", "35.1"), ground=ground_clear
            ),
            "Contactor & capacitors": parts,
            "Power-on tests": by_now(power=go_live, coil=coil, drop=drop, running=running, amps=running),
            "Prove": keep,
            "Hand over": hand_over,
        },
    )


def ground_clear(hand: Hand) -> None:
    """Measure to ground: clear."""
    ground = hand.page.get_by_role("form", name="To ground")
    hand.tap(ground.get_by_role("radio", name="No", exact=True).first)


def keep(hand: Hand) -> None:
    """Decide that the work stays."""
    hand.radio("Keep")
    hand.button("Starts as it should|Amps as before")
    hand.button("Write down the decision")


def overload_call(hand: Hand, address: str) -> None:
    """Only the fan runs; overload open on a hot shell; left to cool, cause written down; by Next alone."""
    page = hand.page
    open_call(hand, address, RADIO, "Only the fan runs")

    def windings(hand: Hand) -> None:
        form = page.get_by_role("form", name="Windings")
        for i in range(2):
            hand.tap(form.get_by_role("button", name="Open", exact=True).nth(i))
        hand.type(form.get_by_label("S–R", exact=True), "4.2")
        ground = page.get_by_role("form", name="To ground")
        shell = ground.get_by_role("radiogroup", name="Compressor shell hot?")
        hand.tap(shell.get_by_role("radio", name="Yes"))

    follow(
        hand,
        {
            "Make safe": make_safe,
            "Diagnosis": why,
            "Power-off tests": by_now(windings=windings, ground=ground_clear),
            "Hand over": hand_over,
        },
        left="Cooling, back tomorrow",
    )


def skip(hand: Hand) -> None:
    """Skip a test that nobody can do or answer here."""
    hand.tap(hand.page.get_by_role("button", name="Skip", exact=True).first)


def starter_on_generator(hand: Hand, address: str) -> None:
    """Will not run on the generator; soft starter chosen on that source, fitted, proved; by Next alone."""
    page = hand.page
    open_call(hand, address, RADIO, "Will not run on generator")

    def aid(hand: Hand) -> None:
        hand.radio("Backup power")
        backup = page.get_by_role("region", name="Backup power")
        hand.tap(backup.get_by_role("radio", name="Portable generator"))
        hand.type(backup.get_by_label("Continuous"), "9")
        hand.tap(backup.get_by_role("radio", name="Interlock"))
        aids = page.get_by_role("region", name="Aids, best first").get_by_role("listitem")
        soft = aids.filter(has_text="Soft starter").first
        soft.wait_for(timeout=30_000)
        hand.settle()
        hand.tap(soft.get_by_role("button", name="Plan the wiring"))
        tick_moves(hand)

    def start(hand: Hand) -> None:
        learning = page.get_by_label("Starts so far (soft starter)")
        if learning.count():
            hand.type(learning.first, "8")
            a_start(hand, "24", "236", seconds="1.4")
        else:
            a_start(hand, "58", "228", ("9.6", "231"), seconds="0.3")

    def on_backup(hand: Hand) -> None:
        proofs = page.get_by_role("region", name="Readings that prove it")
        hand.tap(proofs.get_by_text("Cold start and hot restart", exact=True))
        first = True
        for label, value in (("Cold, lowest", "221"), ("Cold, settled", "59.6"), ("Hot, lowest", "219"),
                             ("Hot, settled", "59.4"), ("Time off between", "4")):  # fmt: skip
            hand.type(proofs.get_by_label(label), value, fresh=first)
            first = False
        hand.type(proofs.get_by_label("Loads on, with commas"), "Lights", fresh=False)
        hand.tap(proofs.get_by_role("radio", name="Started").nth(0))
        hand.tap(proofs.get_by_role("radio", name="Started").nth(1))
        hand.tap(proofs.get_by_role("button", name="Save"))

    def utility(hand: Hand) -> None:
        form = page.get_by_role("form", name="Ask whether it starts on the utility")
        hand.tap(form.get_by_role("radio", name="Yes"))

    follow(
        hand,
        {
            "Make safe": make_safe,
            "Diagnosis": or_skip(
                by_now(
                    complaint=_tap_button("As in the complaint"),
                    utility=utility,
                    cause=_tap_button("Select this cause"),
                    yes=_tap_button("Covered by agreement"),
                )
            ),
            "Power-off tests": by_now(
                capacitor=field_of("Capacitors", "C–HERM", "35.1"), ground=ground_clear
            ),
            "Power-on tests": or_skip(
                by_now(power=go_live, time_one_start=start, inrush=start, learning=start)
            ),
            "Start aid": aid,
            "Prove": by_now(cold_start=on_backup, decide=keep),
            "Hand over": hand_over,
        },
    )


def walk_in_cooler(hand: Hand, address: str) -> None:
    """Hums and clicks; a three-in-one in place of relay, overload and capacitor; by Next alone."""
    page = hand.page
    open_call(hand, address, "Threefold cider house · Walk-in cooler", "Hums and clicks")

    def aid(hand: Hand) -> None:
        aids = page.get_by_role("region", name="Aids, best first").get_by_role("listitem")
        three = aids.filter(has_text="Three-in-one").first
        three.wait_for(timeout=30_000)
        hand.tap(three.get_by_role("button", name="Plan the wiring"))
        tick_moves(hand)

    def windings(hand: Hand) -> None:
        form = page.get_by_role("form", name="Windings")
        for i, (label, value) in enumerate((("C–S", "4.1"), ("C–R", "1.2"), ("S–R", "5.3"))):
            hand.type(form.get_by_label(label, exact=True), value, fresh=i == 0)
        page.keyboard.press("Tab")

    def start(hand: Hand) -> None:
        a_start(hand, "22", "117")

    follow(
        hand,
        {
            "Make safe": make_safe,
            "Diagnosis": or_skip(why),
            "Power-off tests": or_skip(by_now(windings=windings, ground=ground_clear)),
            "Power-on tests": or_skip(by_now(power=go_live, inrush=start, proved=start)),
            "Start aid": aid,
            "Prove": keep,
            "Hand over": hand_over,
        },
    )


def circuit_audit(hand: Hand, address: str) -> None:
    """An old 60 A breaker over 10 AWG, held against the nameplate, without a call."""
    page = hand.page
    page.goto(address + "/circuits")
    hand.radio("Audit what is there")
    hand.radio("Air conditioner or heat pump")
    hand.type(page.get_by_label("Volts", exact=True), "230")
    for label, value in (("MCA", "23.8"), ("MOCP", "40")):
        hand.type(page.get_by_label(label, exact=True), value, fresh=False)
    hand.radio("Single")
    hand.button("^Breaker or fuses")
    hand.type(page.get_by_label("Existing breaker or fuse"), "60")
    hand.radio("Breaker")
    hand.button("^Conductors")
    page.get_by_label("Existing wire").select_option("10")
    hand.taps += 2
    check = page.get_by_role("button", name="Check against the nameplate")
    page.wait_for_timeout(500)
    if check.count():
        hand.tap(check)
    page.get_by_role("region", name="Audit").get_by_text("Does not meet code").first.wait_for()
    hand.settle()


def new_customer(hand: Hand, address: str) -> None:
    """A customer not known yet: site, unit, nameplate; weak capacitor, signed, replaced, proved, closed."""
    page = hand.page
    page.goto(address + "/calls")
    hand.button("Open a call")
    hand.button("It is not in the list")
    hand.radio("A new site")
    for i, (label, value) in enumerate((("Site", "Holt"), ("Street|Where|Place", "9 Elm"), ("Unit", "AC"))):
        hand.type(page.get_by_role("textbox", name=re.compile(label)).first, value, fresh=i == 0)
    hand.button("Add|Save|Put it")
    hand.type(page.get_by_label("What is the complaint?"), "Hums")
    hand.button("Open the call")
    hand.settle()
    fitted: list[bool] = []

    def plate(hand: Hand) -> None:
        form = page.get_by_role("form", name="Plate")
        values = (("^Volts", "230"), ("^RLA", "16.7"), ("^LRA, locked", "97"), ("^Run capacitor", "45"),
                  ("^Fan capacitor", "5"))  # fmt: skip
        for i, (label, value) in enumerate(values):
            hand.type(form.get_by_label(re.compile(label)).first, value, fresh=i != 1)
        hand.button("Save the nameplate|Save")

    def yes(hand: Hand) -> None:
        hand.button("Options and prices")
        sheet = page.get_by_role("dialog")
        hand.tap(sheet.get_by_role("checkbox").first)
        hand.type(sheet.get_by_label("Who agrees"), "Holt")
        pad = sheet.get_by_label("Field to sign in")
        pad.scroll_into_view_if_needed()
        box = pad.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 30, box["y"] + 30)
        page.mouse.down()
        for dx, dy in ((60, 60), (110, 20), (170, 70)):
            page.mouse.move(box["x"] + dx, box["y"] + dy, steps=4)
        page.mouse.up()
        hand.taps += 1
        hand.tap(sheet.get_by_role("button", name="Agreed", exact=True))
        sheet.wait_for(state="detached")

    def capacitor(hand: Hand) -> None:
        caps = page.get_by_role("form", name="Capacitors")
        hand.type(caps.get_by_label(re.compile("C–HERM")), "45.3" if fitted else "28.1")
        page.keyboard.press("Enter")

    def windings(hand: Hand) -> None:
        form = page.get_by_role("form", name="Windings")
        for i, (label, value) in enumerate((("C–S", "2.6"), ("C–R", "0.9"), ("S–R", "3.5"))):
            hand.type(form.get_by_label(label, exact=True), value, fresh=i == 0)
        page.keyboard.press("Tab")

    def parts(hand: Hand) -> None:
        caps = page.get_by_role("region", name=re.compile("^(Run|Dual|Capacitor)")).first
        hand.tap(caps.get_by_role("button", name="Plan the swap").first)
        tick_moves(hand)
        fitted.append(True)

    def live(hand: Hand) -> None:
        go_live(hand)
        running_amps(hand, "14.1", "231", "0.8")

    follow(
        hand,
        {
            "Make safe": make_safe,
            "Nameplate": plate,
            "Diagnosis": by_now(
                complaint=_tap_button("As in the complaint"),
                cause=_tap_button("Select this cause"),
                yes=yes,
            ),
            "Power-off tests": by_now(capacitor=capacitor, ground=ground_clear, windings=windings),
            "Contactor & capacitors": parts,
            "Power-on tests": live,
            "Prove": keep,
            "Hand over": hand_over,
        },
        left="Owner said yes to the larger can",
    )


def second_make_safe(hand: Hand, address: str) -> None:
    """Prove a unit dead again on the same call."""
    open_call(hand, address, RADIO, "Hums")
    go(hand, "Make safe")
    make_safe(hand)
    hand.button("Prove dead again")
    hand.settle()
    hand.taps = hand.characters = hand.scrolls = hand.requests = 0
    make_safe(hand)


CALLS: dict[str, Callable[[Hand, str], None]] = {
    "plain call": plain_call,
    "contactor swap": contactor_swap,
    "overload call": overload_call,
    "soft starter on a generator": starter_on_generator,
    "walk-in cooler": walk_in_cooler,
    "new customer, signed": new_customer,
    "circuit audit": circuit_audit,
    "second make-safe record": second_make_safe,
}


def measure(names: list[str]) -> dict[str, Hand]:
    """Drive the calls named, each on a page of its own, and return what they cost."""
    found = {}
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=CHROMIUM_FLAGS)
        for name, call in CALLS.items():
            if not names or name in names:
                # Each on the demo shop as loaded.
                with demo_server() as address:
                    found[name] = _one(browser, call, address)
        browser.close()
    return found


def _one(browser: Browser, call: Callable[[Hand, str], None], address: str) -> Hand:
    context = browser.new_context(
        viewport={"width": 390, "height": 844},
        has_touch=True,
        is_mobile=True,
        reduced_motion="reduce",
        service_workers="block",
    )
    page = context.new_page()
    page.request.post(f"{address}/api/session/demo", data={"person_id": 1})
    page.goto(address)
    hand = Hand(page)
    call(hand, address)
    context.close()
    return hand


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
