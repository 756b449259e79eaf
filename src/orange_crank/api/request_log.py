"""What the server writes down of its work: one JSON line a request that failed or was slow, and every fault.

Neither names nor readings nor any body: method, address without its query, answer, time, and an id that the
answer carries too, by which a line is found again.
"""

import fcntl
import logging
import os
import sys
import time
import uuid
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import Any

import structlog
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send
from structlog.tracebacks import ExceptionDictTransformer

FILE, MOST_BYTES, KEPT = "orange-crank.log", 5 * 2**20, 5
SLOW_S = 2.0
LONGEST_PATH = 200
REQUEST_ID = "X-Request-Id"


_trace = ExceptionDictTransformer(show_locals=False)


def _where_it_was(exc_info: Any) -> list[dict[str, Any]]:
    """Return a fault's places; its message is left out, for it may quote a person's words."""
    return [
        {"kind": e["exc_type"], "at": [f"{f['filename']}:{f['lineno']} {f['name']}" for f in e["frames"]]}
        for e in _trace(exc_info)
    ]


class SharedRotatingFileHandler(RotatingFileHandler):
    """A rotating log of several processes: one rotates, the others follow to the new file."""

    def emit(self, record: logging.LogRecord) -> None:
        """Write a line, into the file that has the name now."""
        if self.stream is not None and self._moved():
            self.stream.close()
            self.stream = self._open()
        super().emit(record)

    def _moved(self) -> bool:
        try:
            there = os.stat(self.baseFilename)
        except FileNotFoundError:
            return True
        own = os.fstat(self.stream.fileno()) if self.stream is not None else there
        return (there.st_dev, there.st_ino) != (own.st_dev, own.st_ino)

    def doRollover(self) -> None:  # noqa: N802, the name is the library's
        """Rotate, unless another process has just done it."""
        folder = os.open(Path(self.baseFilename).parent, os.O_RDONLY)
        try:
            fcntl.flock(folder, fcntl.LOCK_EX)
            if self.stream is not None and self._moved():
                self.stream.close()
                self.stream = self._open()
                return
            super().doRollover()
        finally:
            os.close(folder)


def configure_log(folder: Path | None = None) -> None:
    """Write lines of JSON into a folder, the oldest going as new ones come; to standard error without one."""
    handler: logging.Handler = logging.StreamHandler(sys.stderr)
    if folder is not None:
        try:
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            handler = SharedRotatingFileHandler(
                folder / FILE, maxBytes=MOST_BYTES, backupCount=KEPT, encoding="utf-8", errors="replace"
            )
        except OSError:
            pass  # a folder that takes no log keeps no one from working
    handler.setFormatter(logging.Formatter("%(message)s"))
    own = logging.getLogger("orange_crank")
    for old in own.handlers[:]:
        own.removeHandler(old)
        old.close()
    own.addHandler(handler)
    own.setLevel(logging.INFO)
    own.propagate = False
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            # Where it happened, never with what: locals hold readings and names.
            structlog.processors.ExceptionRenderer(_where_it_was),
            structlog.processors.JSONRenderer(ensure_ascii=True, default=repr),
        ],
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
        logger_factory=structlog.stdlib.LoggerFactory(),
        cache_logger_on_first_use=False,
    )


class RequestLog:
    """Gives each request an id, and writes down those that were refused, failed, broke off or took long."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app
        self.log = structlog.get_logger("orange_crank.requests")

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on; note how it went."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        # The process first: of several, the one whose log of faults a line belongs to.
        number = f"{os.getpid():x}-{uuid.uuid4().hex[:12]}"
        begun, status, gone = time.perf_counter(), 0, False

        async def answering(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                MutableHeaders(scope=message)[REQUEST_ID] = number
            await send(message)

        async def hearing() -> Message:
            nonlocal gone
            message = await receive()
            gone = gone or message["type"] == "http.disconnect"
            return message

        with structlog.contextvars.bound_contextvars(request=number):
            try:
                await self.app(scope, hearing, answering)
            finally:
                took = time.perf_counter() - begun
                streams = scope["path"].endswith(("/stream", "/moves"))
                if status >= 400 or (took > SLOW_S and not streams):
                    self.log.info(
                        "request",
                        method=scope["method"],
                        path=scope["path"][:LONGEST_PATH],
                        status=status,
                        ms=round(1000 * took),
                        **({"gone": True} if gone else {}),
                    )
