"""Waveforms, clocks, photographs and standards through the real interface."""

import io
import re
from pathlib import Path

from PIL import Image
from playwright.sync_api import Page, expect

from orange_crank.formats.comtrade_files import write_comtrade
from orange_crank.formats.logger_csv import write_csv
from orange_crank.formats.recording import Recording
from tests.golden import waveforms as golden
from tests.ui.conftest import Product
from tests.ui.test_call import sign_on


def recording() -> Recording:
    wave = golden.fan_first()
    assert wave.line_v is not None
    return Recording(
        wave.sample_hz, {"line_a": wave.line_a, "line_v": wave.line_v}, {"line_a": "A", "line_v": "V"}
    )


def test_a_logger_file_is_read_and_the_fan_first_trap_is_said(
    desk: Page, product: Product, tmp_path: Path
) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/live_tests")
    region = desk.get_by_role("region", name="Waveforms")
    bad = tmp_path / "bad.csv"
    bad.write_bytes(b"PK\x03\x04 not a log")
    region.get_by_label("Waveform file").set_input_files(bad)
    expect(region.get_by_text("The file is packed.")).to_be_visible()

    good = tmp_path / "evening start.csv"
    good.write_text(write_csv(recording()))
    region.get_by_label("Waveform file").set_input_files(good)
    expect(region.get_by_role("combobox", name="Current")).to_have_value("1")
    expect(region.get_by_label("Name")).to_have_value("evening start")
    region.get_by_role("button", name="Read it").click()
    expect(region.get_by_text("used up the inrush shot")).to_be_visible()
    expect(region.locator("canvas")).to_be_visible()
    expect(region.get_by_role("table", name="Starts found").get_by_role("row")).to_have_count(3)
    region.get_by_role("button", name="Start 2").click()
    region.get_by_label("Lay over").select_option(label="as found")
    expect(region.locator("canvas")).to_be_visible()
    with desk.expect_download() as saved:
        region.get_by_role("link", name="COMTRADE").click()
    assert saved.value.suggested_filename.endswith(".zip")


def test_a_comtrade_record_wants_both_its_files(desk: Page, product: Product, tmp_path: Path) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/9/live_tests")
    region = desk.get_by_role("region", name="Waveforms")
    cfg, dat = tmp_path / "pq.cfg", tmp_path / "pq.dat"
    text, data = write_comtrade(recording())
    cfg.write_text(text, newline="")
    dat.write_bytes(data)
    region.get_by_label("Waveform file").set_input_files(cfg)
    expect(region.get_by_text("choose the .cfg and the .dat together")).to_be_visible()
    region.get_by_label("Waveform file").set_input_files([cfg, dat])
    expect(region.get_by_label("Voltage")).to_have_value("1")
    region.get_by_role("button", name="Read it").click()
    expect(region.get_by_text("What each meter mode would have shown")).to_be_visible()


def test_a_cooling_clock_survives_a_restart_and_shows_on_the_list(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/9/dead_tests")
    clock = desk.get_by_role("region", name="Cooling clock")
    clock.get_by_label("Minutes").fill("45")
    clock.get_by_label("Shell, if known").fill("212")
    clock.get_by_role("button", name="Start the clock").click()
    expect(clock.get_by_text(re.compile(r"cooling 4[45]:\d\d"))).to_be_visible()
    product.stop()
    product.start()
    desk.goto(product.address + "/calls")
    expect(
        desk.get_by_role("region", name="Open calls").get_by_text(re.compile(r"cooling 4\d"))
    ).to_be_visible()
    desk.goto(product.address + "/calls/9/dead_tests")
    clock.get_by_role("button", name="End").click()
    expect(clock.get_by_text("cooling 4")).to_have_count(0)


def test_a_photograph_is_taken_and_stands_in_the_units_history(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/9/dead_tests")
    region = desk.get_by_role("region", name="Photographs")
    region.get_by_label("Caption").fill("Brown on C, as found")
    out = io.BytesIO()
    Image.new("RGB", (800, 600), (30, 90, 100)).save(out, "JPEG")
    region.get_by_label("Photograph").set_input_files(
        {"name": "a.jpg", "mimeType": "image/jpeg", "buffer": out.getvalue()}
    )
    expect(region.get_by_role("img", name="Brown on C, as found")).to_be_visible()
    region.get_by_label("Photograph").set_input_files(
        {"name": "b.jpg", "mimeType": "image/jpeg", "buffer": b"no picture"}
    )
    expect(region.get_by_text("not a JPEG, PNG or WebP")).to_be_visible()
    desk.goto(product.address + "/units/7")
    expect(desk.get_by_role("img", name="Brown on C, as found")).to_be_visible()


def test_the_lead_sets_a_standard_and_others_cannot(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/shop")
    expect(desk.get_by_text("running watch ratio")).to_be_visible()
    expect(desk.get_by_role("button", name="Set running_watch_ratio")).to_have_count(0)
    desk.get_by_role("button", name=re.compile("At work: Ines")).click()
    desk.get_by_role("button", name=re.compile("Bettany Rook")).click()
    desk.get_by_role("button", name="Set running_watch_ratio").click()
    desk.get_by_label("This shop's value").fill("9")
    desk.get_by_label("Why").fill("Ours run warm")
    desk.get_by_role("button", name="Set it; every verdict follows").click()
    expect(desk.get_by_text("the other end of it").first).to_be_visible()
    desk.get_by_label("This shop's value").fill("0.95")
    desk.get_by_role("button", name="Set it; every verdict follows").click()
    expect(desk.get_by_text("0.95 by Bettany Rook, today: “Ours run warm”")).to_be_visible()


def test_a_start_is_timed_by_two_taps(phone: Page, product: Product) -> None:
    phone.goto(product.address)
    phone.get_by_role("button", name=re.compile("Marlo Quist")).tap()
    phone.goto(product.address + "/calls/4/live_tests")
    phone.get_by_role("radio", name="Inrush").tap()
    phone.get_by_role("button", name="Tap at the first hum").tap()
    phone.wait_for_timeout(600)
    phone.get_by_role("button", name="Tap when steady").tap()
    value = float(phone.get_by_label("Start took").input_value())
    assert 0.4 < value < 3


def test_the_supply_walk_names_the_guilty_segment(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/live_tests")
    region = desk.get_by_role("region", name="More live tests")
    region.get_by_text("▸ Supply walk").click()
    form = region.get_by_role("form", name="Supply walk")
    for point, running, dip in (
        ("disconnect, line side", "237", "228"),
        ("disconnect, load side", "232", "205"),
    ):
        form.get_by_label(f"{point}, idle").fill("240")
        form.get_by_label(f"{point}, running").fill(running)
        form.get_by_label(f"{point}, dip").fill(dip)
    form.get_by_label("Running", exact=True).fill("abc")
    form.get_by_role("button", name="Save supply walk").click()
    expect(form.get_by_text("Wanted a number.")).to_be_visible()
    form.get_by_label("Running", exact=True).fill("17,6")
    form.get_by_role("button", name="Save supply walk").click()
    region.get_by_role("button", name=re.compile("Supply walk.*Fail")).click()
    expect(region.get_by_text("look at a fuse clip")).to_be_visible()


def test_an_open_neutral_cannot_be_missed(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/9/live_tests")
    region = desk.get_by_role("region", name="More live tests")
    region.get_by_text("▸ Legs to neutral").click()
    form = region.get_by_role("form", name="Legs to neutral")
    for label, value in (
        ("Leg A, idle", "120"),
        ("Leg B, idle", "120"),
        ("Leg A, lowest at start", "104"),
        ("Leg B, meanwhile", "135"),
    ):
        form.get_by_label(label).fill(value)
    form.get_by_role("button", name="Save legs to neutral").click()
    expect(region.get_by_text("Call the utility or an electrician")).to_be_visible()
    expect(
        desk.get_by_role("button", name=re.compile("4 Live tests LIVE STOP|4 Live tests STOP"))
    ).to_be_visible()


def test_a_start_kit_is_tested_dead_with_a_reason(desk: Page, product: Product) -> None:
    sign_on(desk, product)
    desk.goto(product.address + "/calls/4/dead_tests")
    region = desk.get_by_role("region", name="More dead tests")
    region.get_by_text("▸ Fitted start kit").click()
    form = region.get_by_role("form", name="Fitted start kit")
    form.get_by_label("Contact 1–2").fill("open")
    form.get_by_role("button", name="Save fitted start kit").click()
    expect(form.get_by_text("Not safe yet")).to_be_visible()
    form.get_by_label("Why it is safe").fill("Kit is in my hand")
    form.get_by_role("button", name="Save fitted start kit").click()
    region.get_by_role("button", name=re.compile("Fitted start kit.*Fail")).click()
    expect(region.get_by_text("no start capacitor")).to_be_visible()
