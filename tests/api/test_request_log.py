"""What the server writes down: how requests went, by their id, and nothing of what was said in them."""

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import structlog
from fastapi.testclient import TestClient

from orange_crank.api import request_log
from orange_crank.api.request_log import FILE, REQUEST_ID, configure_log
from orange_crank.store.calls import view
from orange_crank.store.server import MariaDbServer
from tests.doing import shop_app, signed_in_client

PRIVATE = "Hattie Voss, 12 Ferry Street"


@pytest.fixture
def log(tmp_path: Path) -> Iterator[Path]:
    configure_log(tmp_path / "logs")
    yield tmp_path / "logs" / FILE
    structlog.reset_defaults()


def lines(log: Path) -> list[dict[str, Any]]:
    return [json.loads(line) for line in log.read_text().splitlines()] if log.exists() else []


@pytest.fixture
def shop(records: MariaDbServer, log: Path) -> Iterator[TestClient]:
    del records, log
    with signed_in_client(shop_app()) as opened:
        yield opened


def test_a_refusal_is_counted_with_its_id_and_says_nothing_of_what_was_sent(
    shop: TestClient, log: Path
) -> None:
    assert shop.get("/api/people").headers[REQUEST_ID]
    assert lines(log) == [], "what goes well leaves no line"
    body = {"unit_id": 2, "complaint": PRIVATE, "more": PRIVATE}
    refused = shop.post("/api/calls", json=body, params={"asked": PRIVATE})
    assert refused.status_code == 422
    [line] = lines(log)
    assert line["request"] == refused.headers[REQUEST_ID]
    assert (line["method"], line["path"], line["status"]) == ("POST", "/api/calls", 422)
    assert "Hattie" not in log.read_text()
    assert "Ferry" not in log.read_text()


def test_a_fault_says_where_and_neither_what_was_said_nor_what_was_held(
    shop: TestClient, log: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fails(_: int) -> None:
        held = PRIVATE
        raise RuntimeError(held)

    monkeypatch.setattr(view, "get_call", fails)
    broken = shop.get("/api/calls/4")
    assert broken.status_code == 500
    text = log.read_text()
    assert "Hattie" not in text
    found = [line for line in lines(log) if line["event"] == "unexpected"]
    assert found[0]["error"] == "RuntimeError"
    assert found[0]["exception"][0]["at"][-1].endswith("fails")
    assert {line["request"] for line in lines(log)} == {broken.headers[REQUEST_ID]}


def test_the_log_turns_over_and_a_folder_that_takes_none_keeps_nobody_from_working(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(request_log, "MOST_BYTES", 2_000)
    configure_log(tmp_path / "logs")
    write = structlog.get_logger("orange_crank.requests")
    for n in range(400):
        write.info("request", path="/api/calls", status=404, n=n)
    kept = sorted((tmp_path / "logs").iterdir())
    assert len(kept) == request_log.KEPT + 1
    assert all(p.stat().st_size <= 2_200 for p in kept)
    (tmp_path / "file").write_text("in the way")
    configure_log(tmp_path / "file")
    structlog.get_logger("orange_crank.requests").info("still here", half="\ud800", odd=object())
    structlog.reset_defaults()
