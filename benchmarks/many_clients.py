"""Fifty technicians' phones at once: how long an answer takes, beside an empty endpoint in the same run.

The server runs as a user starts it, with one process and then with more. Each phone works on a call of its
own: it looks at the list, opens the call, saves a reading, opens the call again, with half a second of
thought before each. Every tenth request is the empty endpoint (``GET /api/live``, which touches no record).
"""

import random
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from statistics import median, quantiles
from typing import Any

from tests.product import Line, Product, Said, live_call, running

CLIENTS, THOUGHT_S, LASTS_S, WARM_S = 50, 0.5, 20.0, 4.0


@contextmanager
def serving(workers: int) -> Iterator[Product]:
    """Run the product with demo data over some processes, its compiled model loaded."""
    with (
        tempfile.TemporaryDirectory(prefix="oc-load-") as folder,
        running(Path(folder) / "data", workers=str(workers)) as product,
    ):
        time.sleep(WARM_S)
        yield product


@dataclass
class Tally:
    """What a run of clients saw [s]."""

    by_kind: dict[str, list[float]] = field(default_factory=dict)
    wrong: list[str] = field(default_factory=list)

    def ask(self, kind: str, line: Line, method: str, path: str, body: Any = None) -> None:
        """Ask, and count how long the answer took."""
        begun = time.perf_counter()
        said: Said = line.send(method, path, body)
        self.by_kind.setdefault(kind, []).append(time.perf_counter() - begun)
        if said.status not in (200, 201):
            self.wrong.append(f"{kind}: {said.status} {str(said.body)[:200]}")

    @property
    def records(self) -> list[float]:
        """Every answer but the empty one's."""
        return [t for kind, taken in self.by_kind.items() if kind != "empty" for t in taken]


def work(product: Product, number: int, seed: int, until: float, tally: Tally) -> None:
    """One technician, until the run ends."""
    rng, line, step = random.Random(seed), Line(product), seed
    time.sleep(rng.uniform(0, THOUGHT_S))
    while time.perf_counter() < until:
        step += 1
        if step % 10 == 9:
            tally.ask("empty", line, "GET", "/api/live")
        elif step % 4 == 0:
            tally.ask("list", line, "GET", "/api/calls?status=open")
        elif step % 4 == 2:
            entry = {"quantity": "running_a", "value": round(rng.uniform(14, 16), 2)}
            tally.ask("save", line, "POST", f"/api/calls/{number}/readings", entry)
        else:
            tally.ask("open", line, "GET", f"/api/calls/{number}")
        time.sleep(rng.uniform(0.5, 1.5) * THOUGHT_S)


def run(product: Product, lasts_s: float = LASTS_S, clients: int = CLIENTS) -> Tally:
    """Let the clients work at once and return what they saw."""
    numbers = [live_call(product, f"Unit {client}") for client in range(clients)]
    tally = Tally()
    until = time.perf_counter() + lasts_s
    phones = [
        threading.Thread(target=work, args=(product, number, seed, until, tally))
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
        with serving(workers) as product:
            tally = run(product)
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
