"""A hand-over, its paper with twelve photographs, and a unit page with forty visits, in one run.

Each against the cheapest answer the server gives, over HTTP as a browser asks.
"""

import io
import statistics
import tempfile
import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

import numpy as np
from fastapi.testclient import TestClient
from PIL import Image

from orange_crank.api.app import create_app
from orange_crank.core.measure.reading import NewReading
from orange_crank.demo import player
from orange_crank.formats.documents.paper import warm_papers
from orange_crank.store import database, schema
from orange_crank.store.calls.opening import CallEdit, NewCall, edit_call, open_call
from orange_crank.store.calls.readings import add_readings
from orange_crank.store.calls.safety import NewSafetyEvent, add_safety_event
from orange_crank.store.photos import add_photo
from orange_crank.store.server import MariaDbServer

UNIT, VISITS, PHOTOS = 8, 40, 12


def fill() -> None:
    """Give one unit forty visits of ten readings, and the open call twelve photographs."""
    rng = np.random.default_rng(7)
    with database.session():
        for i in range(VISITS - 7):
            at = database.now() - timedelta(days=340 - 8 * i)
            call = open_call(NewCall(unit_id=UNIT, complaint="Service"), 1, at)
            readings = [
                NewReading(
                    quantity="running_a",
                    value=float(round(10 + rng.normal(0, 0.3), 1)),
                    outdoor_f=float(rng.integers(70, 105)),
                    taken_at=at + timedelta(minutes=k),
                )
                for k in range(10)
            ]
            add_safety_event(call.id, NewSafetyEvent(kind="caution_read"), 1, at)
            add_readings(call.id, readings, 1, at + timedelta(minutes=10))
            closing = CallEdit(version=call.version, status="closed", reason="service")
            edit_call(call.id, closing, 1, at + timedelta(minutes=40))
        for i in range(PHOTOS):
            # Blotches with edges, as a photograph has them; pure noise packs like no picture.
            picture = Image.fromarray(rng.integers(0, 255, (60, 80, 3), dtype=np.uint8))
            out = io.BytesIO()
            picture.resize((1600, 1200)).save(out, "JPEG", quality=80)
            add_photo(4, "other", f"picture {i}", out.getvalue(), (1600, 1200), 1)


def timed(ask: Callable[[], object], times: int = 9) -> float:
    """Return the median time of an answer [ms]."""
    took = []
    for _ in range(times):
        begun = time.perf_counter()
        ask()
        took.append(1000 * (time.perf_counter() - begun))
    return statistics.median(took)


def main() -> None:
    """Print how long each takes."""
    with tempfile.TemporaryDirectory(prefix="oc-hand-over-") as folder:
        server = MariaDbServer(Path(folder))
        bound = database.connect(server.start(), server.owner())
        schema.lay_out()
        try:
            player.load()
            fill()
            warm_papers()
            with TestClient(create_app(), base_url="http://127.0.0.1") as client:
                least = timed(lambda: client.get("/api/people"))
                for words, path in (
                    ("hand-over", "/api/calls/4/hand-over"),
                    (f"unit page, {VISITS} visits", f"/api/units/{UNIT}"),
                    ("its time line", f"/api/units/{UNIT}/time-line"),
                    (f"service record as PDF, {PHOTOS} photographs", "/api/calls/4/papers/technical.pdf"),
                    ("the customer's paper as PDF", "/api/calls/4/papers/customer.pdf"),
                ):
                    took = timed(lambda path=path: client.get(path).raise_for_status())  # type: ignore[misc]
                    print(f"  {words}: {took:.0f} ms, {took / least:.0f} × the list of people")
        finally:
            bound.close_all()  # type: ignore[attr-defined]
            server.stop()


if __name__ == "__main__":
    main()
