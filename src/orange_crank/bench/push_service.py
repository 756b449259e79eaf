"""A push service that is none: it takes messages as one does, and opens them as a device would.

For tests, and to see by hand what a device would be told where no push service can be reached::

    python -m orange_crank.bench.push_service --port 8499

prints what a browser would send to ``PUT /api/reminders`` and every message that comes. The server takes
its address where ``ORANGE_CRANK_PUSH_HOSTS`` names it.
"""

import argparse
import base64
import json
import secrets
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

import http_ece
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat
from py_vapid import Vapid02

LONGEST_BODY = 4_096


def _text(raw: bytes) -> str:
    return base64.urlsafe_b64encode(raw).decode().rstrip("=")


def _json(text: str) -> Any:
    return json.loads(base64.urlsafe_b64decode(text + "=" * (-len(text) % 4)))


@dataclass
class Device:
    """A device that is told: its keys, and what came."""

    path: str
    key: ec.EllipticCurvePrivateKey
    secret: bytes
    messages: list[dict[str, Any]] = field(default_factory=list)
    headers: list[dict[str, str]] = field(default_factory=list)

    def subscription(self, origin: str) -> dict[str, str]:
        """Return what its browser would hand out."""
        point = self.key.public_key().public_bytes(Encoding.X962, PublicFormat.UncompressedPoint)
        return {
            "endpoint": f"{origin}{self.path}",
            "device_key": _text(point),
            "device_secret": _text(self.secret),
        }


class PushService:
    """Takes messages at one address for each device, and may be told to answer otherwise.

    Attributes
    ----------
    origin : where it listens
    answers : called with a device before its message is taken; returns a status and further headers

    """

    def __init__(self, port: int = 0) -> None:
        """Listen on loopback, at a free port where none is named."""
        self.devices: dict[str, Device] = {}
        self.answers: Callable[[Device], tuple[int, dict[str, str]]] = lambda _: (201, {})
        self.tell: Callable[[Device, dict[str, Any]], None] = lambda _device, _message: None
        service = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                status, headers = service.take(
                    self.path,
                    {k.lower(): v for k, v in self.headers.items()},
                    self.rfile.read(min(int(self.headers.get("content-length", 0)), LONGEST_BODY + 1)),
                )
                self.send_response(status)
                for name, value in headers.items():
                    self.send_header(name, value)
                self.send_header("Content-Length", "0")
                self.end_headers()

            def log_message(self, *_: object) -> None:
                pass

        self.server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
        self.host = f"127.0.0.1:{self.server.server_address[1]}"
        self.origin = f"http://{self.host}"

    def device(self) -> Device:
        """Make a device that can be told."""
        made = Device(
            f"/send/{secrets.token_urlsafe(12)}",
            ec.generate_private_key(ec.SECP256R1()),
            secrets.token_bytes(16),
        )
        self.devices[made.path] = made
        return made

    def take(self, path: str, headers: dict[str, str], body: bytes) -> tuple[int, dict[str, str]]:
        """Take one message as a push service does; return its status and further headers."""
        device = self.devices.get(path)
        if device is None:
            return 404, {}
        status, more = self.answers(device)
        if status >= 300:
            return status, more
        if (refused := self._refused(headers, body)) is not None:
            return refused, {}
        opened = http_ece.decrypt(
            body, private_key=device.key, auth_secret=device.secret, version="aes128gcm"
        )
        message = json.loads(opened)
        device.headers.append(headers)
        device.messages.append(message)
        self.tell(device, message)
        return status, more

    def _refused(self, headers: dict[str, str], body: bytes) -> int | None:
        """Return the status a push service refuses a message with; None where it takes it."""
        if len(body) > LONGEST_BODY:
            return 413
        if headers.get("content-encoding") != "aes128gcm" or not headers.get("ttl", "").isdigit():
            return 400
        signed = headers.get("authorization", "")
        try:
            if not Vapid02.verify(signed):
                return 403
            claims = _json(signed.split("t=")[1].split(",")[0].split(".")[1])
        except Exception:
            return 401
        good = (
            claims["aud"] == self.origin
            and time.time() < claims["exp"] < time.time() + 24 * 3600
            and str(claims["sub"]).startswith(("mailto:", "https:", "http:"))
        )
        return None if good else 403


@contextmanager
def push_service(port: int = 0) -> Iterator[PushService]:
    """Run a push service for a block."""
    service = PushService(port)
    threading.Thread(target=service.server.serve_forever, args=(0.05,), daemon=True).start()
    try:
        yield service
    finally:
        service.server.shutdown()
        service.server.server_close()


def main() -> None:
    """Run until interrupted, with one device."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--port", type=int, default=8499)
    with push_service(parser.parse_args().port) as service:

        def said(_: Device, message: dict[str, Any]) -> None:
            sys.stdout.write(json.dumps(message, ensure_ascii=False) + "\n")
            sys.stdout.flush()

        service.tell = said
        sys.stdout.write(json.dumps(service.device().subscription(service.origin)) + "\n")
        sys.stdout.flush()
        threading.Event().wait()


if __name__ == "__main__":
    main()
