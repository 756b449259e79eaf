"""Frames a second while a recording of 400,000 samples is moved under the finger.

Baseline: the same page's frames a second while nothing happens, in the same run. Headless Chromium without
a graphics card: a phone or desk machine has more.
"""

import tempfile
from pathlib import Path

import numpy as np
import polars as pl
from playwright.sync_api import sync_playwright
from scripts.screenshots import CHROMIUM, CHROMIUM_FLAGS, DESK, demo_server, sign_on

COUNT_FRAMES = """(ms) => new Promise((done) => {
  const stamps = []
  const tick = (t) => { stamps.push(t); t - stamps[0] < ms ? requestAnimationFrame(tick) : done(stamps) }
  requestAnimationFrame(tick)
})"""
MOVE = """(box) => {
  const over = document.querySelector('.wave-chart .u-over')
  const at = (type, x) => over.dispatchEvent(new PointerEvent(type, {
    clientX: x, clientY: box.y + 80, pointerId: 1, bubbles: true, isPrimary: true }))
  over.setPointerCapture = () => {}
  const middle = box.x + box.width / 2
  at('pointerdown', middle)
  let step = 0
  const go = () => {
    step += 1
    at('pointermove', middle + 160 * Math.sin(step / 20))
    if (step < 260) requestAnimationFrame(go); else at('pointerup', middle + 1)
  }
  requestAnimationFrame(go)
}"""


def _recording(folder: Path) -> Path:
    rate = 20_000.0
    time_s = np.arange(400_000) / rate
    rms = np.where(time_s < 2, 0.0, np.where(time_s < 2.6, 100.0, 17.0))
    path = folder / "long.csv"
    pl.DataFrame(
        {"time [s]": time_s, "current [A]": np.sqrt(2) * rms * np.sin(2 * np.pi * 60 * time_s)}
    ).write_csv(path, float_precision=5)
    return path


def main() -> None:
    """Print the frames a second, moved and at rest, and the longest frame."""
    with tempfile.TemporaryDirectory() as folder, demo_server() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=CHROMIUM_FLAGS)
        page = browser.new_page(viewport={"width": DESK["width"], "height": DESK["height"]})
        sign_on(page, address)
        page.goto(f"{address}/calls/4/live_tests")
        region = page.get_by_role("region", name="Waveforms")
        region.get_by_label("Waveform file").set_input_files(_recording(Path(folder)))
        region.get_by_role("button", name="Read it").click()
        region.get_by_text("20000 samples/s").wait_for()
        region.get_by_role("button", name="Start 1").click()
        region.get_by_role("radio", name="Drag: move").click()
        chart = page.locator(".wave-chart .u-over").first
        chart.scroll_into_view_if_needed()
        page.wait_for_timeout(800)
        box = chart.bounding_box()
        rest = page.evaluate(COUNT_FRAMES, 2_000)
        page.evaluate(MOVE, box)
        moved = page.evaluate(COUNT_FRAMES, 3_500)
        browser.close()

    def rate(stamps: list[float]) -> float:
        return 1000 * (len(stamps) - 1) / (stamps[-1] - stamps[0])

    print(
        f"moving 400,000 samples: {rate(moved):.0f} frames a second (aim 60), longest frame "
        f"{max(np.diff(moved)):.0f} ms; at rest {rate(rest):.0f}; ratio {rate(moved) / rate(rest):.2f}"
    )
