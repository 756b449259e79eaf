"""Take the pictures in docs/screenshots from demo data: the real server, the real interface, Chromium."""

import json
import os
import re
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, sync_playwright
from tests.doing import make_safe_body

from orange_crank.bench.practice.acts import Act
from orange_crank.bench.practice.scenario import graded
from orange_crank.store.server import free_port

ROOT = Path(__file__).resolve().parents[1]
FOLDER = ROOT / "docs" / "screenshots"
# Headless Chromium as a program of its own takes a third of the time of the whole browser without a window.
CHROMIUM = "/usr/bin/chromium-headless-shell"
CHROMIUM_FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
]
DESK = {"width": 1280, "height": 800}
PHONE = {"width": 390, "height": 844}


@contextmanager
def demo_server() -> Iterator[str]:
    """Run the product with demo data on a free port and an own data folder; yield its address."""
    with tempfile.TemporaryDirectory(prefix="oc-shots-") as folder:
        port = free_port()
        environment = {**os.environ, "ORANGE_CRANK_DATA_DIR": folder, "ORANGE_CRANK_PORT": str(port)}
        server = subprocess.Popen(
            [sys.executable, "-m", "orange_crank.cli", "start", "--demo"],
            env=environment,
            stdout=subprocess.DEVNULL,
            start_new_session=True,
        )
        address = f"http://127.0.0.1:{port}"
        try:
            for _ in range(4000):
                if server.poll() is not None:
                    raise RuntimeError("the server ended while starting")
                try:
                    urllib.request.urlopen(address + "/api/health", timeout=1).close()
                    break
                except OSError:
                    time.sleep(0.05)
            yield address
        finally:
            server.terminate()
            server.wait(timeout=40)


def demo_device(address: str, person: int = 1) -> dict[str, str]:
    """Sign a device of the demo's in and return the header by which it says so."""
    request = urllib.request.Request(
        f"{address}/api/session/demo",
        json.dumps({"person_id": person}).encode(),
        {"content-type": "application/json"},
    )
    with urllib.request.urlopen(request) as answer:
        return {"cookie": "; ".join(c.partition(";")[0] for c in answer.headers.get_all("set-cookie"))}


def sign_on(page: Page, address: str, look: str = "sheet") -> None:
    """Be the first technician, in one look."""
    page.request.post(f"{address}/api/session/demo", data={"person_id": 1})
    page.goto(address)
    page.evaluate(f"localStorage.setItem('orange-crank.look', '{look}')")


def show(path: str, wait_for: str) -> Callable[[Page, str], None]:
    """Return a step that opens a page and waits for its words."""

    def step(page: Page, address: str) -> None:
        page.goto(address + path)
        page.get_by_text(wait_for).first.wait_for()
        page.wait_for_load_state("networkidle")

    return step


def dead_tests(page: Page, address: str) -> None:
    """Make the ticket office safe, then type three readings and a weak capacitor."""
    call = page.request.get(f"{address}/api/calls/4").json()
    page.request.post(f"{address}/api/calls/4/make-safe", data=make_safe_body(call))
    page.goto(address + "/calls/4/dead_tests")
    for label, value in (("C–R", "0.63"), ("S–R", "2.95"), ("C–S", "2.33"), ("C–HERM, plate 45", "38.9")):
        page.get_by_label(label, exact=True).fill(value)
        page.keyboard.press("Tab")
    page.get_by_role("form", name="Windings").get_by_text("Windings sound").wait_for()
    page.get_by_label("C–S", exact=True).focus()
    page.get_by_role("form", name="Windings").scroll_into_view_if_needed()
    page.wait_for_load_state("networkidle")


def lab(page: Page, address: str) -> None:
    """Hold four starts side by side with the recording laid over."""
    page.goto(address + "/lab?call=4")
    page.get_by_role("checkbox", name="Start kit, PTC").check()
    page.get_by_role("checkbox", name="Soft starter").check()
    page.get_by_role("button", name="Lay over: as found").click()
    page.get_by_role("button", name="Compute with this machine").wait_for()
    page.wait_for_load_state("networkidle")
    page.locator("#main").evaluate("e => e.scrollTo(0, 0)")
    page.wait_for_timeout(500)


def why(page: Page, address: str) -> None:
    """Open the likeliest cause of the ticket office."""
    page.goto(address + "/calls/4/why")
    page.get_by_role("button", name=re.compile("^Weak run capacitor")).click()
    page.wait_for_load_state("networkidle")
    page.get_by_role("region", name="Do this next").get_by_role("heading").evaluate("e => e.scrollIntoView()")
    page.wait_for_timeout(300)


def wiring(page: Page, address: str) -> None:
    """Plan a three-wire kit from the van, in this unit's colours."""
    page.goto(address + "/calls/4/aid")
    aids = page.get_by_role("region", name="Aids, best first").get_by_role("listitem")
    aids.filter(has_text="KT-189").get_by_role("button", name="Plan the wiring").click()
    plan = page.get_by_role("region", name="Wiring plan")
    plan.get_by_text("This unit has").click()
    plan.get_by_role("textbox", name="Compressor R").fill("yellow")
    plan.get_by_role("textbox", name="Compressor C").fill("black")
    page.keyboard.press("Tab")
    plan.get_by_text("This unit has").click()
    page.get_by_role("region", name="Moves").evaluate("e => e.scrollIntoView()")
    page.wait_for_timeout(500)


def hand_over(page: Page, address: str) -> None:
    """Take the cause, confirm it, and put an hour on the bill."""
    for path, body in (
        ("decisions", {"kind": "cause", "decision": {"kind": "cause", "hypothesis": "run_capacitor_weak"}}),
        ("hand-over/confirm", {"hypothesis": "run_capacitor_weak"}),
        ("hand-over/bill", {"minutes": 60.0}),
    ):
        page.request.post(f"{address}/api/calls/4/{path}", data=body)
    page.goto(address + "/calls/4/hand_over")
    page.get_by_role("region", name="When to come back").wait_for()
    page.wait_for_load_state("networkidle")


def circuits(page: Page, address: str) -> None:
    """Size 310 ft to three per cent, from the example."""
    page.goto(address + "/circuits")
    page.get_by_role("button", name="Fill in an example").click()
    page.get_by_label("Length, one way").fill("310")
    page.get_by_label("Voltage drop limit").fill("3")
    line = page.get_by_role("region", name="One line, panel to terminals")
    line.get_by_text("6 AWG copper THWN-2").wait_for()
    page.get_by_role("heading", name="Circuits").evaluate("e => e.scrollIntoView({block: 'end'})")
    page.wait_for_timeout(300)


def _practised(page: Page, address: str, number: int, script: str, most: int = 100) -> int:
    """Play the first steps of a script of a graded call and return the number of its call."""

    def send(path: str, body: Any) -> Any:
        return page.request.post(address + path, data=body).json()

    scenario = graded()[number - 1]
    call: int = send("/api/practice/runs", {"scenario": scenario.key})["call_number"]
    acts = [step for step in getattr(scenario, script) if isinstance(step, Act)][:most]
    for i, act in enumerate(acts, 1):
        body = {"number": i, "act": act.model_dump(mode="json", exclude_none=True)}
        send(f"/api/practice/calls/{call}/acts", body)
    return call


def practice(page: Page, address: str) -> None:
    """Stand at a practice unit with the probes on a leg that stayed live."""
    call = _practised(page, address, 1, "expert", 8)
    page.goto(f"{address}/practice/calls/{call}/make_safe")
    page.get_by_role("button", name="At the unit").click()
    page.get_by_role("status", name="Practice meter").wait_for()
    page.wait_for_timeout(600)


def score(page: Page, address: str) -> None:
    """Score a call in which the relay never opened."""
    call = _practised(page, address, 10, "mistake")
    page.request.post(f"{address}/api/practice/calls/{call}/end")
    page.goto(f"{address}/practice/score/{call}")
    page.get_by_text("What happened").wait_for()
    page.get_by_role("button", name="Show the moment").first.click()
    page.wait_for_timeout(600)


VIEWS: list[tuple[str, dict[str, int], str, Callable[[Page, str], None]]] = [
    ("calls", DESK, "sheet", show("/calls", "Ferry landing")),
    ("call-live-tests", DESK, "sheet", show("/calls/4/live_tests", "Readings")),
    ("call-plate", DESK, "sheet", show("/calls/4/plate", "Nameplate check")),
    ("call-make-safe", DESK, "dark", show("/calls/4/make_safe", "Cautions")),
    ("call-prove", DESK, "sheet", show("/calls/7/prove", "Credit")),
    ("unit", DESK, "sheet", show("/units/8", "What this unit draws")),
    ("shop", DESK, "sheet", show("/shop", "Shop standards")),
    ("call-dead-tests", DESK, "sheet", dead_tests),
    ("call-why", DESK, "sheet", why),
    ("call-aid", DESK, "sheet", show("/calls/4/aid", "on the van")),
    ("lab", DESK, "sheet", lab),
    ("call-wiring", DESK, "sheet", wiring),
    ("van", DESK, "sheet", show("/van", "Kits, three-wire")),
    ("circuits", DESK, "sheet", circuits),
    ("practice", DESK, "sheet", practice),
    ("score", DESK, "sheet", score),
    ("call-hand-over", DESK, "sheet", hand_over),
    ("phone-day", PHONE, "sun", show("/day", "Grange hall")),
    ("fleet", DESK, "dark", show("/fleet", "See to it by")),
]


def main(names: list[str]) -> None:
    """Take all views, or those named; a second folder as SHOTS puts them elsewhere."""
    folder = Path(os.environ.get("SHOTS", FOLDER))
    folder.mkdir(parents=True, exist_ok=True)
    with demo_server() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=CHROMIUM_FLAGS)
        for name, size, look, step in VIEWS:
            if names and name not in names:
                continue
            context = browser.new_context(
                viewport={"width": size["width"], "height": size["height"]}, reduced_motion="reduce"
            )
            page = context.new_page()
            sign_on(page, address, look)
            step(page, address)
            page.screenshot(path=folder / f"{name}.png")
            print(folder / f"{name}.png")
            context.close()
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1:])
