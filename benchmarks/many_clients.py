"""Fifty technicians' phones at once: how long an answer takes, beside an empty endpoint in the same run.

The server runs as a user starts it, with one process and then with more. Each phone works on a call of its
own: it looks at the list, opens the call, saves a reading, opens the call again, with half a second of
thought before each. Every tenth request is the empty endpoint (``GET /api/live``, which touches no record).
"""

import gzip
import http.client
import json
import os
import random
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from statistics import median, quantiles
from typing import Any
from urllib.parse import urlsplit

from orange_crank.store.server import free_port

CLIENTS, THOUGHT_S, LASTS_S = 50, 0.5, 20.0


@contextmanager
def serving(workers: int) -> Iterator[str]:
    """Run the product with demo data over some processes and yield its address."""
    with tempfile.TemporaryDirectory(prefix="oc-load-") as folder:
        port = free_port()
        server = subprocess.Popen(
            [sys.executable, "-m", "orange_crank.cli", "start", "--demo"],
            env=os.environ
            | {
                "ORANGE_CRANK_DATA_DIR": folder,
                "ORANGE_CRANK_PORT": str(port),
                "ORANGE_CRANK_WORKERS": str(workers),
            },
            stdout=subprocess.DEVNULL,
            start_new_session=True,
        )
        try:
            phone = Phone(f"http://127.0.0.1:{port}")
            for _ in range(1200):
                try:
                    if phone.send("GET", "/api/live").status == 200:
                        break
                except OSError:
                    phone.connection.close()
                time.sleep(0.05)
            time.sleep(4)  # the compiled model loads
            yield phone.address
        finally:
            server.terminate()
            server.wait(timeout=60)


@dataclass
class Answer:
    """What came back, and after how long [s]."""

    status: int
    body: bytes
    taken_s: float


class Phone:
    """One keep-alive connection, as a phone's browser holds it."""

    def __init__(self, address: str) -> None:
        self.address = address
        parts = urlsplit(address)
        self.connection = http.client.HTTPConnection(parts.hostname or "", parts.port, timeout=30)

    def send(self, method: str, path: str, body: Any = None) -> Answer:
        """Send a request and read its answer through."""
        headers = {"orange-crank-person": "1", "accept-encoding": "gzip"}
        if body is not None:
            headers |= {"content-type": "application/json", "idempotency-key": uuid.uuid4().hex}
        begun = time.perf_counter()
        self.connection.request(method, path, None if body is None else json.dumps(body), headers)
        answer = self.connection.getresponse()
        read = answer.read()
        return Answer(answer.status, read, time.perf_counter() - begun)


@dataclass
class Tally:
    """What a run of clients saw [s]."""

    by_kind: dict[str, list[float]] = field(default_factory=dict)
    wrong: list[str] = field(default_factory=list)

    def take(self, kind: str, answer: Answer) -> None:
        """Count an answer."""
        self.by_kind.setdefault(kind, []).append(answer.taken_s)
        if answer.status not in (200, 201):
            self.wrong.append(f"{kind}: {answer.status} {answer.body[:200]!r}")

    @property
    def records(self) -> list[float]:
        """Every answer but the empty one's."""
        return [t for kind, taken in self.by_kind.items() if kind != "empty" for t in taken]


def open_call(address: str, client: int) -> int:
    """Put a unit on record with the plate of the demo's first, open a call on it and go live."""
    phone = Phone(address)

    def ask(method: str, path: str, body: Any = None) -> Any:
        answer = phone.send(method, path, body)
        if answer.status not in (200, 201):
            raise RuntimeError(f"{path}: {answer.status} {answer.body.decode(errors='replace')[:300]}")
        return json.loads(gunzip(answer.body))

    site = ask("POST", "/api/sites", {"name": f"Depot {client}"})
    unit = ask(
        "POST",
        "/api/units",
        {"site_id": site["id"], "name": f"Unit {client}", "kind": "split condensing unit"},
    )
    call = ask("POST", "/api/calls", {"unit_id": unit["id"], "complaint": "Will not start"})["id"]
    plate = ask("GET", "/api/units/1")["plates"][-1]["plate"]
    ask("POST", f"/api/calls/{call}/plates", {"plate": plate, "base_number": 0})
    live = {"kind": "went_live", "covers_on": True, "people_clear": True} | {
        "meter_set": True,
        "leads_back": True,
    }
    for event in ({"kind": "caution_read"}, live):
        ask("POST", f"/api/calls/{call}/safety-events", event)
    return int(call)


def gunzip(body: bytes) -> bytes:
    """Return an answer's body as it was before it was packed for the way."""
    return gzip.decompress(body) if body[:2] == b"\x1f\x8b" else body


def work(address: str, number: int, seed: int, until: float, tally: Tally) -> None:
    """One technician, until the run ends."""
    rng, phone, step = random.Random(seed), Phone(address), seed
    time.sleep(rng.uniform(0, THOUGHT_S))
    while time.perf_counter() < until:
        step += 1
        if step % 10 == 9:
            tally.take("empty", phone.send("GET", "/api/live"))
        elif step % 4 == 0:
            tally.take("list", phone.send("GET", "/api/calls?status=open"))
        elif step % 4 == 2:
            entry = {"quantity": "running_a", "value": round(rng.uniform(14, 16), 2)}
            tally.take("save", phone.send("POST", f"/api/calls/{number}/readings", entry))
        else:
            tally.take("open", phone.send("GET", f"/api/calls/{number}"))
        time.sleep(rng.uniform(0.5, 1.5) * THOUGHT_S)


def run(address: str, lasts_s: float = LASTS_S, clients: int = CLIENTS) -> Tally:
    """Let the clients work at once and return what they saw."""
    numbers = [open_call(address, client) for client in range(clients)]
    tally = Tally()
    until = time.perf_counter() + lasts_s
    phones = [
        threading.Thread(target=work, args=(address, number, seed, until, tally))
        for seed, number in enumerate(numbers)
    ]
    for phone in phones:
        phone.start()
    for phone in phones:
        phone.join()
    return tally


def p95(taken: list[float]) -> float:
    """Return what 95 % stay under [ms]."""
    return 1000 * quantiles(taken, n=20)[18]


def main() -> None:
    """Print p50 and p95 with one, two and four processes."""
    for workers in (1, 2, 4):
        with serving(workers) as address:
            tally = run(address)
        rate = len(tally.records) / LASTS_S
        processes = "1 process" if workers == 1 else f"{workers} processes"
        print(
            f"{CLIENTS} phones, {processes}: {rate:.0f} requests a second, "
            f"median {1000 * median(tally.records):.0f} ms, 95 % under {p95(tally.records):.0f} ms "
            f"(aim 150), {len(tally.wrong)} wrong; an empty answer beside them 95 % under "
            f"{p95(tally.by_kind['empty']):.0f} ms"
        )
        for kind, taken in sorted(tally.by_kind.items()):
            print(f"    {kind:6} {len(taken):5}  median {1000 * median(taken):.0f}, 95 % {p95(taken):.0f} ms")
        for wrong in tally.wrong[:3]:
            print("    " + wrong)


if __name__ == "__main__":
    main()
