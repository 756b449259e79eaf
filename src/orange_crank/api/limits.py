"""No request costs more than itself: heads and bodies come in time, or their line is closed.

A connection that sends nothing, a head without an end and a body that trickles each hold a little of
the server; here each has a clock.
"""

import asyncio
from collections import Counter
from typing import Any, ClassVar

from starlette.types import ASGIApp, Message, Receive, Scope, Send
from uvicorn.protocols.http import httptools_impl
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

from orange_crank.api import problems
from orange_crank.core.errors import Problem
from orange_crank.core.messages import msg

HEAD_WITHIN_S = 15.0
PIECE_WITHIN_S = 20.0
BODY_WITHIN_S = 60.0
LEAST_BYTES_S = 16 * 1024  # a body longer than a minute goes on as long as it comes at least so fast
MOST_HEAD_BYTES = 64 * 1024
MOST_AT_ONCE = 800  # lines and requests of one process; each phone holds one or two
# Of one address: ten people behind one router hold some sixty; a proxy that is named holds everybody's.
MOST_PER_ADDRESS = 200
BUSY = Problem(
    title=msg("Too many connections"),
    detail=msg("This server, or this address, has as many connections as it takes. Nothing was saved."),
    next_step=msg("Wait a moment and try again."),
)
TOO_SLOW = Problem(
    title=msg("Too slow"),
    detail=msg("The rest of the entry did not come in time. Nothing was saved."),
    next_step=msg("Send it again where the signal is better; the entry stays on the screen."),
)


async def _busy(scope: Scope, receive: Receive, send: Send) -> None:
    await problems.respond(BUSY, 503)(scope, receive, send)


# What uvicorn answers beyond its limit is plain text.
vars(httptools_impl)["service_unavailable"] = _busy


def _raw_busy() -> bytes:
    """Return the refusal as it goes over the line, where no request was read yet."""
    answer = problems.respond(BUSY, 503)
    heads = b"".join(name + b": " + value + b"\r\n" for name, value in answer.raw_headers)
    return b"HTTP/1.1 503 Service Unavailable\r\n" + heads + b"Connection: close\r\n\r\n" + bytes(answer.body)


class PatientProtocol(HttpToolsProtocol):
    """HTTP whose request heads must be whole within some seconds, and not without end."""

    _clock: asyncio.TimerHandle | None = None
    _head_bytes = 0
    _in_head = False

    # Connections of this process by address; and proxies, which hold everybody's.
    held: ClassVar[Counter[str]] = Counter()
    proxies: ClassVar[frozenset[str]] = frozenset()
    _from: str | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Begin to wait for the first head; one address too many is answered and closed."""
        super().connection_made(transport)
        address = str((transport.get_extra_info("peername") or ("",))[0])
        if address and address not in self.proxies:
            self._from = address
            self.held[address] += 1
            if self.held[address] > MOST_PER_ADDRESS:
                transport.write(_raw_busy())
                transport.close()
                return
        self._wait()

    def connection_lost(self, exc: Exception | None) -> None:
        """Wait no more."""
        if self._from is not None:
            self.held[self._from] -= 1
            if self.held[self._from] <= 0:
                del self.held[self._from]
            self._from = None
        self._stop()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        """Take a piece; one that makes a head too long ends the line."""
        if self._in_head:
            self._head_bytes += len(data)
            if self._head_bytes > MOST_HEAD_BYTES + 1_048_576:
                self.transport.close()
                return
        super().data_received(data)
        if self._in_head and self._head_bytes > MOST_HEAD_BYTES:
            self.send_400_response("Request header too long.")

    def on_message_begin(self) -> None:
        """Begin to wait for the end of the next head."""
        super().on_message_begin()
        self._wait()

    def on_headers_complete(self) -> None:
        """The head is whole: the request has its own clocks."""
        self._stop()
        super().on_headers_complete()

    def _wait(self) -> None:
        self._stop()
        self._in_head, self._head_bytes = True, 0
        self._clock = self.loop.call_later(HEAD_WITHIN_S, self._too_slow)

    def _stop(self) -> None:
        self._in_head = False
        if self._clock is not None:
            self._clock.cancel()
            self._clock = None

    def _too_slow(self) -> None:
        if self.transport is not None and not self.transport.is_closing():
            self.transport.close()


class BodyClock:
    """Refuses a body whose pieces do not come: 408, and the work behind it is not begun."""

    def __init__(self, app: ASGIApp, piece_s: float = PIECE_WITHIN_S, body_s: float = BODY_WITHIN_S) -> None:
        self.app = app
        self.piece_s = piece_s
        self.body_s = body_s

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on with its body under a clock."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        loop = asyncio.get_running_loop()
        begun, size = loop.time(), 0
        whole, late, answered = False, False, False

        async def hearing() -> Message:
            nonlocal whole, late, size
            if whole:
                return await receive()
            allowed_s = self.body_s + size / LEAST_BYTES_S
            left = min(self.piece_s, allowed_s - (loop.time() - begun))
            try:
                message = await asyncio.wait_for(receive(), max(left, 0.01))
            except TimeoutError:
                late = whole = True
                # As if the sender had gone: anyone who reads the body gives up.
                return {"type": "http.disconnect"}
            size += len(message.get("body", b""))
            whole = message["type"] != "http.request" or not message.get("more_body", False)
            return message

        async def answering(message: Message) -> None:
            nonlocal answered
            if late and not answered:
                return
            answered = True
            await send(message)

        trouble: BaseException | None = None
        try:
            await self.app(scope, hearing, answering)
        except Exception as error:
            if not late:
                raise
            trouble = error
        if late and not answered:
            del trouble
            await _refuse(scope, send)


async def _refuse(scope: Scope, send: Send) -> None:
    async def nothing() -> Any:
        return {"type": "http.disconnect"}

    answer = problems.respond(TOO_SLOW, 408)
    answer.headers["Connection"] = "close"
    await answer(scope, nothing, send)
