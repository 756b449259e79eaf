"""Twenty learners at practice calls at once: how long an act takes, beside an empty endpoint in the same run.

The server runs as a user starts it; each learner plays an expert's script of a graded call over HTTP, with a
thought between the acts.
"""

import json
import os
import random
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from functools import cache
from statistics import median, quantiles
from typing import Any

from scripts.screenshots import demo_device

from orange_crank.bench.practice.acts import Act
from orange_crank.bench.practice.scenario import graded
from orange_crank.store.server import free_port

LEARNERS, THOUGHT_S = 20, (0.5, 1.5)


@cache
def _device(address: str) -> dict[str, str]:
    return demo_device(address)


def _send(address: str, path: str, body: Any = None) -> tuple[float, Any]:
    """Return how long an answer took [s], and what it says."""
    request = urllib.request.Request(
        address + path,
        None if body is None else json.dumps(body).encode(),
        {"content-type": "application/json"} | _device(address),
        method="GET" if body is None else "POST",
    )
    begun = time.perf_counter()
    with urllib.request.urlopen(request) as answer:
        said = json.load(answer)
    return time.perf_counter() - begun, said


def _learn(address: str, number: int, taken: list[float], empty: list[float], ended: list[bool]) -> None:
    rng = random.Random(number)
    scenario = graded()[number % 12]
    _, run = _send(address, "/api/practice/runs", {"scenario": scenario.key})
    call = run["call_number"]
    acts = [s for s in scenario.expert if isinstance(s, Act)]
    for i, act in enumerate(acts, 1):
        time.sleep(rng.uniform(*THOUGHT_S))
        body = {"number": i, "act": act.model_dump(mode="json", exclude_none=True)}
        taken.append(_send(address, f"/api/practice/calls/{call}/acts", body)[0])
        if i % 3 == 0:
            empty.append(_send(address, "/api/openapi.json")[0])
    _, sheet = _send(address, f"/api/practice/calls/{call}/end", {})
    ended.append(sheet["score"]["hurt"] is None)


def main() -> None:
    """Print the latency of acts beside that of an answer that touches no record."""
    with tempfile.TemporaryDirectory(prefix="oc-practice-") as folder:
        port = free_port()
        server = subprocess.Popen(
            [sys.executable, "-m", "orange_crank.cli", "start", "--demo"],
            env=os.environ | {"ORANGE_CRANK_DATA_DIR": folder, "ORANGE_CRANK_PORT": str(port)},
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        address = f"http://127.0.0.1:{port}"
        try:
            for _ in range(1200):
                try:
                    urllib.request.urlopen(address + "/api/health", timeout=1).close()
                    break
                except OSError:
                    time.sleep(0.05)
            first, _ = _send(address, "/api/practice/runs", {"scenario": "graded-1"})
            time.sleep(3)
            taken: list[float] = []
            empty: list[float] = []
            ended: list[bool] = []
            learners = [
                threading.Thread(target=_learn, args=(address, n, taken, empty, ended))
                for n in range(LEARNERS)
            ]
            begun = time.perf_counter()
            for one in learners:
                one.start()
            for one in learners:
                one.join()
            spent = time.perf_counter() - begun
            act, idle = quantiles(taken, n=20)[18], quantiles(empty, n=20)[18]
            print(
                f"{LEARNERS} practice calls at once, {len(taken)} acts in {spent:.0f} s; {sum(ended)} unhurt"
            )
            print(f"  the first call of all, practice laid out:  {first:.1f} s")
            print(
                f"  an act:            median {1000 * median(taken):.0f} ms, 95 % under {1000 * act:.0f} ms"
            )
            print(
                f"  an empty answer:   median {1000 * median(empty):.0f} ms, 95 % under {1000 * idle:.0f} ms"
            )
            print(f"  ratio at 95 %:     {act / idle:.1f}")
        finally:
            server.terminate()
            server.wait(timeout=40)


if __name__ == "__main__":
    main()
