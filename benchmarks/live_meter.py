"""How true the bench keeps time, and how long a value takes from the unit to whoever listens.

The bench runs in a process of its own as a user starts it; the stream is read over HTTP. Beside it the same
value read straight from the meter by a bare Modbus client.
"""

import json
import os
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from pathlib import Path
from statistics import median, quantiles

from pymodbus.client import ModbusTcpClient
from scripts.screenshots import demo_device

from orange_crank.store.server import free_port

CHANGES, WATCHED_S = 40, 20.0
THERMOSTAT, COIL = 3, 16


def cpu_s(pid: int) -> float:
    """Return the processor time a process has used [s]."""
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def listen(address: str, seen: list[tuple[float, float]]) -> None:
    """Note when each value of the coil arrives."""
    with urllib.request.urlopen(
        urllib.request.Request(f"{address}/api/meters/bench/stream", headers=demo_device(address))
    ) as stream:
        for line in stream:
            if line.startswith(b"data: {"):
                body = json.loads(line[6:])
                for v in body.get("values", []):
                    if v["shown"]["place"] == "line" and v["shown"]["value"] is not None:
                        seen.append((time.perf_counter(), v["shown"]["value"]))


def main() -> None:
    """Print drift, load and latency."""
    with tempfile.TemporaryDirectory(prefix="oc-bench-") as folder:
        port, bench_port = free_port(), free_port()
        environment = os.environ | {
            "ORANGE_CRANK_DATA_DIR": folder,
            "ORANGE_CRANK_PORT": str(port),
            "ORANGE_CRANK_BENCH_PORT": str(bench_port),
        }
        server = subprocess.Popen(
            [sys.executable, "-m", "orange_crank.cli", "start", "--demo"],
            env=environment,
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
            client = ModbusTcpClient("127.0.0.1", port=bench_port, timeout=2)
            while not client.connect():  # type: ignore[no-untyped-call]
                time.sleep(0.1)
            children = Path(f"/proc/{server.pid}/task/{server.pid}/children").read_text().split()
            bench = next(int(c) for c in children if b"\0bench\0" in Path(f"/proc/{c}/cmdline").read_bytes())
            seen: list[tuple[float, float]] = []
            threading.Thread(target=listen, args=(address, seen), daemon=True).start()
            time.sleep(2)
            begun, used = time.monotonic(), cpu_s(bench)
            took: list[float] = []
            bare: list[float] = []
            for i in range(CHANGES):
                on = i % 2 == 0
                client.write_register(4, int(not on), device_id=1)
                at = time.perf_counter()
                client.read_input_registers(0, count=40, device_id=1)
                bare.append(1000 * (time.perf_counter() - at))
                # A value that moved by the change: the display follows within its own lag.
                deadline = at + 2
                before = seen[-1][1] if seen else 0.0
                while time.perf_counter() < deadline:
                    after = next((t for t, v in list(seen) if t > at and abs(v - before) > 3), None)
                    if after is not None:
                        took.append(1000 * (after - at))
                        break
                    time.sleep(0.005)
                time.sleep(max(0.0, WATCHED_S / CHANGES - (time.perf_counter() - at)))
            watched = time.monotonic() - begun
            load = (cpu_s(bench) - used) / watched
            print(f"bench: {100 * load:.1f} % of a core over {watched:.0f} s while one screen listens")
            if took:
                worst = quantiles(took, n=20)[-1] if len(took) > 1 else took[0]
                print(
                    f"a change on the screen's line: median {median(took):.0f} ms, 95 % under {worst:.0f} ms"
                )
                times = median(took) / median(bare)
                print(f"a bare look at the meter: median {median(bare):.1f} ms, {times:.0f} ×")
        finally:
            server.terminate()
            server.wait(timeout=40)


if __name__ == "__main__":
    main()
