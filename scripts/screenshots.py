"""Take the pictures in docs/screenshots from demo data: the real server, the real interface, Chromium."""

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

from playwright.sync_api import Page, sync_playwright

from orange_crank.formats.wav import write_wav
from orange_crank.store.demo_shop import make_safe_record
from orange_crank.store.server import free_port

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from tests.golden.sounds import start_sound

ROOT = Path(__file__).resolve().parents[1]
FOLDER = ROOT / "docs" / "screenshots"
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
            for _ in range(600):
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


def sign_on(page: Page, address: str, look: str = "sheet") -> None:
    """Be the first technician, in one look."""
    page.goto(address)
    page.evaluate(f"localStorage.setItem('orange-crank.look', '{look}')")
    page.evaluate("localStorage.setItem('orange-crank.person', '1')")


def show(path: str, wait_for: str) -> Callable[[Page, str], None]:
    """Return a step that opens a page and waits for its words."""

    def step(page: Page, address: str) -> None:
        page.goto(address + path)
        page.get_by_text(wait_for).first.wait_for()
        page.wait_for_load_state("networkidle")

    return step


def dead_tests(page: Page, address: str) -> None:
    """Make the ticket office safe, then type three readings and a weak capacitor."""
    record = make_safe_record("single_phase_two_leg", ("c_herm", "c_fan"))
    urllib.request.urlopen(
        urllib.request.Request(
            f"{address}/api/calls/4/make-safe",
            record.model_dump_json().encode(),
            {"content-type": "application/json", "orange-crank-person": "1"},
        )
    ).close()
    page.goto(address + "/calls/4/dead_tests")
    for label, value in (("C–R", "0.63"), ("S–R", "2.95"), ("C–S", "2.33"), ("C–HERM, label 45", "38.9")):
        page.get_by_label(label, exact=True).fill(value)
    page.get_by_text("the windings are whole").wait_for()
    page.get_by_label("C–S", exact=True).focus()
    page.get_by_role("form", name="Windings").scroll_into_view_if_needed()
    page.wait_for_load_state("networkidle")


def waveforms(page: Page, address: str) -> None:
    """Lay the start with the kit over the one before it."""
    page.goto(address + "/calls/8/live_tests")
    region = page.get_by_role("region", name="Waveforms")
    region.get_by_label("Lay over").select_option(label="before the kit")
    region.get_by_role("button", name="Start 1").click()
    page.wait_for_load_state("networkidle")
    region.scroll_into_view_if_needed()
    region.get_by_role("heading", name="Waveforms").evaluate("e => e.scrollIntoView()")
    page.wait_for_timeout(400)


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
    page.get_by_role("button", name=re.compile("^Run capacitor weak")).click()
    page.wait_for_load_state("networkidle")
    page.get_by_role("region", name="Do this next").get_by_role("heading").evaluate("e => e.scrollIntoView()")
    page.wait_for_timeout(300)


def lab_grid(page: Page, address: str) -> None:
    """Ask what it would take, and compute a grid."""
    page.goto(address + "/lab?call=4")
    takes = page.get_by_role("region", name="What would it take")
    for name in ("Smallest generator", "Lowest volts"):
        takes.get_by_role("button", name=name).click()
        page.wait_for_timeout(900)
    page.get_by_role("button", name="Compute the grid").click()
    page.get_by_text("all computed").wait_for()
    takes.get_by_role("heading").evaluate("e => e.scrollIntoView()")
    page.wait_for_timeout(400)


def start_by_ear(page: Page, address: str) -> None:
    """Hear a start of 0.84 s from a sound file."""
    sound = write_wav(start_sound(0.84, sample_hz=16_000.0))
    page.goto(address + "/calls/4/live_tests")
    region = page.get_by_role("region", name="Start by ear")
    region.get_by_label("Sound file").set_input_files(
        {"name": "start.wav", "mimeType": "audio/wav", "buffer": sound}
    )
    region.get_by_role("link", name="WAV").wait_for()
    region.get_by_role("heading").evaluate("e => e.scrollIntoView()")
    page.wait_for_timeout(300)


VIEWS: list[tuple[str, dict[str, int], str, Callable[[Page, str], None]]] = [
    ("calls", DESK, "sheet", show("/calls", "Ferry landing")),
    ("call-live-tests", DESK, "sheet", show("/calls/4/live_tests", "Readings")),
    ("call-plate", DESK, "sheet", show("/calls/4/plate", "What its numbers say")),
    ("call-make-safe", DESK, "dark", show("/calls/4/make_safe", "Cautions")),
    ("call-prove", DESK, "sheet", show("/calls/7/prove", "Credit")),
    ("unit", DESK, "sheet", show("/units/1", "Running amps")),
    ("shop", DESK, "sheet", show("/shop", "Shop standards")),
    ("phone-call", PHONE, "sheet", show("/calls/4", "Hand over")),
    ("call-waveforms", DESK, "sheet", waveforms),
    ("phone-dead-tests", PHONE, "sheet", dead_tests),
    ("call-dead-tests", DESK, "sheet", dead_tests),
    ("call-why", DESK, "sheet", why),
    ("call-aid", DESK, "sheet", show("/calls/4/aid", "relay picks up")),
    ("phone-why", PHONE, "sun", show("/calls/4/why", "Causes, likeliest first")),
    ("lab", DESK, "sheet", lab),
    ("lab-grid", DESK, "dark", lab_grid),
    ("phone-start-by-ear", PHONE, "dark", start_by_ear),
    ("phone-live-tests", PHONE, "sun", show("/calls/4/live_tests", "Readings")),
]


def main(names: list[str]) -> None:
    """Take all views, or those named; a second folder as SHOTS puts them elsewhere."""
    folder = Path(os.environ.get("SHOTS", FOLDER))
    folder.mkdir(parents=True, exist_ok=True)
    with demo_server() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM_FLAGS)
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
