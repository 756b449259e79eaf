"""How long the server takes to open a call with 200 readings, against its cheapest answer.

Baseline: ``GET /api/reference``, which touches no records, in the same run on the same server.
"""

import json
import statistics
import time
import urllib.request

from scripts.screenshots import demo_device, demo_server


def _time(address: str, device: dict[str, str], times: int) -> float:
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        urllib.request.urlopen(urllib.request.Request(address, headers=device)).read()
        taken.append(time.perf_counter() - begun)
    return statistics.median(taken)


def main() -> None:
    """Fill a call with 200 readings and print the medians."""
    with demo_server() as address:
        device = demo_device(address)
        for i in range(196):
            urllib.request.urlopen(
                urllib.request.Request(
                    f"{address}/api/calls/4/readings",
                    json.dumps({"quantity": "running_a", "value": 15 + i / 100}).encode(),
                    {"content-type": "application/json"} | device,
                )
            ).read()
        cheap = _time(f"{address}/api/reference", device, 40)
        whole = _time(f"{address}/api/calls/4", device, 40)
        print(
            f"opening a call with 200 readings: {whole * 1000:.1f} ms median (aim at most 40), "
            f"{whole / cheap:.1f} × GET /api/reference ({cheap * 1000:.1f} ms)"
        )
