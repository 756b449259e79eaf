"""Rounds of killing: writers at work, the power cut, everything acknowledged held against the record."""

import random
import threading
import time
import uuid
from dataclasses import dataclass, field

from tests.product import Line, Product, live_call


@dataclass
class Tally:
    """What was acknowledged, and what became of it."""

    rounds: int = 0
    acknowledged: int = 0
    unknown: int = 0
    lost: list[str] = field(default_factory=list)
    twice: list[str] = field(default_factory=list)
    found_by_key: int = 0


Sent = dict[str, int | None]


def write(product: Product, call: int, seed: int, sent: Sent, stop: threading.Event) -> None:
    """Save readings one after another, writing down what was acknowledged, until the power goes."""
    rng, line = random.Random(seed), Line(product, timeout=10)
    while not stop.is_set():
        key = uuid.uuid4().hex
        sent[key] = None
        entry = {"quantity": "running_a", "value": round(rng.uniform(14, 16), 3), "note": key}
        try:
            said = line.send("POST", f"/api/calls/{call}/readings", entry, key)
        except OSError:
            return
        except Exception:  # an answer cut in half is none
            return
        if said.status == 201:
            sent[key] = said.body["reading"]["id"]
        else:
            del sent[key]
            time.sleep(0.02)


def rounds(
    product: Product, count: int, writers: int = 6, least_s: float = 1.5, most_s: float = 3.5
) -> Tally:
    """Kill a running product over and over under load; return what became of what it had acknowledged.

    Parameters
    ----------
    product : runs, and runs again afterwards
    count : how often it is killed
    writers : how many save at once
    least_s, most_s : how long each round writes

    """
    tally, rng = Tally(), random.Random(count)
    calls = [live_call(product, f"Round {uuid.uuid4().hex[:6]}") for _ in range(writers)]
    every: dict[int, Sent] = {call: {} for call in calls}
    for number in range(count):
        stop = threading.Event()
        threads = [
            threading.Thread(target=write, args=(product, call, 100 * number + i, every[call], stop))
            for i, call in enumerate(calls)
        ]
        for t in threads:
            t.start()
        time.sleep(rng.uniform(least_s, most_s))
        product.kill()
        stop.set()
        for t in threads:
            t.join()
        product.start()
        tally.rounds += 1
    tally.acknowledged = sum(n is not None for sent in every.values() for n in sent.values())
    line = Line(product)
    for call, sent in every.items():
        kept: dict[str, list[int]] = {}
        for reading in line.send("GET", f"/api/calls/{call}").body["readings"]:
            kept.setdefault(reading["entry"]["note"], []).append(reading["id"])
        for key, told in sent.items():
            found = kept.get(key, [])
            if len(found) > 1:
                tally.twice.append(key)
            if told is not None and found != [told]:
                tally.lost.append(key)
            if told is None:
                # Nobody was told: it is saved, or it is not; the same key settles it, once.
                tally.unknown += 1
                tally.found_by_key += len(found)
    return tally
