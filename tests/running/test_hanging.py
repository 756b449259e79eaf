"""A database that hangs, a sender that trickles, lines without end: each costs only itself."""

import asyncio
import os
import signal
import socket
import threading
import time
from collections.abc import Iterator
from typing import Any

import pytest
import uvicorn
from starlette.types import Message, Receive, Scope, Send

from orange_crank.api import limits
from orange_crank.api.limits import BodyClock, PatientProtocol
from orange_crank.store.server import free_port
from tests.doing import run_apart
from tests.product import Line, Product, running


@pytest.fixture(scope="module")
def product(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Product]:
    with running(tmp_path_factory.mktemp("hanging") / "data") as made:
        yield made


def timed(product: Product, path: str) -> tuple[float, Any]:
    begun = time.monotonic()
    said = Line(product, timeout=20).send("GET", path)
    return time.monotonic() - begun, said


def pace(product: Product) -> float:
    """How long the machine takes for an answer that needs nothing: what a bound is a multiple of [s]."""
    return max(timed(product, "/api/live")[0] for _ in range(5))


def test_pages_and_health_answer_while_the_database_hangs(product: Product) -> None:
    assert timed(product, "/api/ready")[1].status == 200
    product.cookie(1)
    database = product.database_pid
    os.kill(database, signal.SIGSTOP)
    waiting: list[int] = []
    bound = 2.5 + 40 * pace(product)
    try:
        threads = [
            threading.Thread(target=lambda: waiting.append(timed(product, "/api/calls/4")[1].status))
            for _ in range(60)
        ]
        for t in threads:
            t.start()
        time.sleep(0.5)
        for path, wanted in (("/", 200), ("/api/live", 200), ("/api/health", 200), ("/api/ready", 503)):
            took, said = timed(product, path)
            assert (said.status, took < bound) == (wanted, True), (path, said.status, took)
        assert timed(product, "/api/health")[1].body["records"] == "away"
        for t in threads:
            t.join()
        # Those that came while it hung are refused, and who comes now does not wait for it at all.
        assert set(waiting) == {503}
        took, said = timed(product, "/api/calls/4")
        assert said.status == 503
        assert "Nothing was saved" in said.body["detail"]  # it was not even asked
        assert said.body["next_step"]
        assert said.headers["retry-after"]
    finally:
        os.kill(database, signal.SIGCONT)
    for _ in range(200):
        if timed(product, "/api/ready")[1].status == 200:
            break
        time.sleep(0.1)
    assert timed(product, "/api/calls/4")[1].status == 200


def test_who_comes_while_it_hangs_is_refused_at_once(product: Product) -> None:
    database = product.database_pid
    os.kill(database, signal.SIGSTOP)
    try:
        timed(product, "/api/calls/4")
        took = sorted(timed(product, "/api/calls/4")[0] for _ in range(5))
        assert took[2] < 0.5 + 20 * pace(product)
    finally:
        os.kill(database, signal.SIGCONT)
    for _ in range(200):
        if timed(product, "/api/ready")[1].status == 200:
            return
        time.sleep(0.1)
    raise AssertionError("it does not come back")


@pytest.fixture
def quick(monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    """A server whose clocks are short, over an application that says how much it was sent."""
    monkeypatch.setattr(limits, "HEAD_WITHIN_S", 0.5)

    async def app(scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return
        size, more = 0, True
        while more:
            message = await receive()
            if message["type"] == "http.disconnect":
                raise RuntimeError("the sender went")
            size += len(message.get("body", b""))
            more = message.get("more_body", False)
        body = str(size).encode()
        await send(
            {
                "type": "http.response.start",
                "status": 200,
                "headers": [(b"content-length", str(len(body)).encode())],
            }
        )
        await send({"type": "http.response.body", "body": body})

    port = free_port()
    config = uvicorn.Config(
        BodyClock(app, piece_s=0.5, body_s=2.0),
        host="127.0.0.1",
        port=port,
        http=PatientProtocol,
        log_level="critical",
        lifespan="off",
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=lambda: asyncio.run(server.serve()), daemon=True)
    thread.start()
    for _ in range(100):
        if server.started:
            break
        time.sleep(0.05)
    yield port
    server.should_exit = True
    thread.join(timeout=10)


def talk(port: int, pieces: list[bytes], pause_s: float) -> tuple[bytes, float]:
    """Send pieces with pauses; return what came back, and after how long the line was closed."""
    with socket.create_connection(("127.0.0.1", port), timeout=10) as line:
        begun = time.monotonic()
        answer = b""
        try:
            for piece in pieces:
                line.sendall(piece)
                time.sleep(pause_s)
            while got := line.recv(65_536):
                answer += got
        except (BrokenPipeError, ConnectionResetError):
            pass
        return answer, time.monotonic() - begun


def test_a_line_that_says_nothing_is_closed(quick: int) -> None:
    answer, took = talk(quick, [], 0)
    assert (answer, took < 2) == (b"", True)


def test_a_head_that_trickles_is_closed(quick: int) -> None:
    answer, took = talk(quick, [b"GET / HTTP/1.1\r\n", *[b"x-a: b\r\n"] * 20], 0.2)
    assert answer == b""
    assert took < 5


def test_a_head_without_end_is_refused(quick: int) -> None:
    answer, _ = talk(quick, [b"GET / HTTP/1.1\r\n", *[b"x-filler: " + b"a" * 8_000 + b"\r\n"] * 40], 0)
    assert b"200 OK" not in answer


def test_a_body_that_trickles_is_refused_with_words(quick: int) -> None:
    head = b"POST / HTTP/1.1\r\nhost: x\r\ncontent-length: 100\r\n\r\n"
    answer, took = talk(quick, [head, b"a" * 10], 0)
    assert b" 408 " in answer.split(b"\r\n")[0]
    assert b"Nothing was saved" in answer
    assert took < 3


def test_a_body_that_comes_in_pieces_and_in_time_is_taken(quick: int) -> None:
    head = b"POST / HTTP/1.1\r\nhost: x\r\nconnection: close\r\ncontent-length: 40\r\n\r\n"
    answer, _ = talk(quick, [head, *[b"a" * 10] * 4], 0.2)
    assert answer.endswith(b"40")


def test_a_long_body_goes_on_while_it_comes_fast_enough_and_a_slow_one_does_not(
    quick: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A large recording over a slow line takes minutes; one that comes by single letters does not."""
    monkeypatch.setattr(limits, "LEAST_BYTES_S", 10_000)
    head = b"POST / HTTP/1.1\r\nhost: x\r\nconnection: close\r\ncontent-length: 60000\r\n\r\n"
    answer, took = talk(quick, [head, *[b"a" * 6_000] * 10], 0.3)
    assert (answer.endswith(b"60000"), took > 2.5) == (True, True)
    slow = b"POST / HTTP/1.1\r\nhost: x\r\nconnection: close\r\ncontent-length: 40\r\n\r\n"
    answer, took = talk(quick, [slow, *[b"a"] * 40], 0.3)
    assert b" 408 " in answer.split(b"\r\n")[0] or answer == b""
    assert b" 200 " not in answer


def test_a_second_request_of_one_line_has_clocks_of_its_own(quick: int) -> None:
    one = b"GET / HTTP/1.1\r\nhost: x\r\n\r\n"
    answer, took = talk(quick, [one, one, b"GET / HT"], 0.3)
    assert answer.count(b"200 OK") == 2
    assert took < 3


def test_a_body_clock_lets_a_stream_wait(quick: int) -> None:
    del quick
    seen: list[Message] = []

    async def streams(_: Scope, receive: Receive, send: Send) -> None:
        await receive()
        await asyncio.sleep(0.3)
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b"late"})

    async def play() -> None:
        async def receive() -> Message:
            return {"type": "http.request", "body": b"", "more_body": False}

        async def send(message: Message) -> None:
            seen.append(message)

        await BodyClock(streams, piece_s=0.1, body_s=0.2)({"type": "http"}, receive, send)

    run_apart(play())
    assert [m.get("status") for m in seen] == [200, None]
