"""The real product in a process of its own, and headless Chromium in front of it."""

import os
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect
from scripts.screenshots import CHROMIUM_FLAGS, DESK, PHONE

from orange_crank.store.server import free_port

expect.set_options(timeout=8_000)


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, object]:
    return {"executable_path": "/usr/bin/chromium", "args": CHROMIUM_FLAGS}


class Product:
    """The server as a user starts it; may be stopped and started again over the same data."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> float:
        begun = time.monotonic()
        environment = {
            **os.environ,
            "ORANGE_CRANK_DATA_DIR": str(self.folder),
            "ORANGE_CRANK_PORT": str(self.port),
        }
        with (self.folder / "out.log").open("ab") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "orange_crank.cli", "start", "--demo"],
                env=environment,
                stdout=log,
                stderr=log,
            )
        for _ in range(1200):
            if self.process.poll() is not None:
                raise RuntimeError((self.folder / "out.log").read_text())
            try:
                urllib.request.urlopen(self.address + "/api/health", timeout=1).close()
                return time.monotonic() - begun
            except OSError:
                time.sleep(0.05)
        raise RuntimeError("the server does not answer")

    def stop(self) -> None:
        if self.process is not None:
            self.process.terminate()
            self.process.wait(timeout=40)
            self.process = None


@pytest.fixture(scope="session")
def product(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Product]:
    started = Product(tmp_path_factory.mktemp("product"))
    started.start()
    yield started
    started.stop()


def _page(browser: Browser, size: dict[str, int], touch: bool) -> Iterator[Page]:
    context = browser.new_context(
        viewport={"width": size["width"], "height": size["height"]}, has_touch=touch, reduced_motion="reduce"
    )
    context.set_default_timeout(12_000)
    page = context.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    yield page
    context.close()
    assert not errors, errors


@pytest.fixture
def desk(browser: Browser, product: Product) -> Iterator[Page]:
    del product
    yield from _page(browser, DESK, touch=False)


@pytest.fixture
def phone(browser: Browser, product: Product) -> Iterator[Page]:
    del product
    yield from _page(browser, PHONE, touch=True)
