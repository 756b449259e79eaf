"""Several processes over one shop: nothing is known to one that the others do not find."""

import os
import signal
import threading
import time
import urllib.request
import uuid
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.product import Line, Product, live_call, running

OLD = "of the old records"
READING = {"quantity": "running_a", "value": 15.0}


@pytest.fixture(scope="module")
def product(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Product]:
    with running(tmp_path_factory.mktemp("several") / "data", workers="3") as made:
        yield made


def lines_to_each(product: Product, least: int = 2) -> dict[str, Line]:
    """One line to each of several processes; which takes a line is the system's choice."""
    found: dict[str, Line] = {}
    # On a slow machine the others begin later than the first.
    until = time.monotonic() + 240
    while time.monotonic() < until:
        line = Line(product)
        found.setdefault(line.process, line)
        for known in found.values():
            # The server ends a connection that says nothing for 20 s.
            assert known.send("GET", "/api/live").status == 200
        if len(found) >= least:
            return found
        time.sleep(0.05)
    raise AssertionError(f"only {len(found)} process answers")


def test_a_grid_run_is_found_and_given_up_through_any_process(product: Product) -> None:
    here, there = lines_to_each(product).values()
    vary = [{"field": "run_cap_uf", "values": [30 + i / 50 for i in range(500)]}]
    plate = here.send("GET", "/api/units/1").body["plates"][-1]["plate"]
    entry = {"start": {"plate": plate, "duration_s": 0.5}, "vary": vary}
    begun = here.send("POST", "/api/lab/sweeps", entry)
    assert begun.status == 202
    path = f"/api/lab/sweeps/{begun.body['id']}"
    for _ in range(3_000):
        state = there.send("GET", path)
        assert state.status == 200
        if state.body["done"]:
            break
        time.sleep(0.1)
    assert state.body["done"] > 0
    assert there.send("DELETE", path).body["status"] == "cancelled"
    for _ in range(100):
        seen = [line.send("GET", path).body["done"] for line in (here, there)]
        time.sleep(0.5)
        if seen == [line.send("GET", path).body["done"] for line in (here, there)]:
            break
    assert seen[0] == seen[1] < 500
    values = [r["values"][0] for r in there.send("GET", path).body["rows"]]
    assert values == sorted(values)


def test_what_one_process_saves_the_others_show_at_once(product: Product) -> None:
    number = live_call(product, "At once")
    here, there = lines_to_each(product).values()
    for i in range(12):
        saves, shows = (here, there) if i % 2 else (there, here)
        assert shows.send("GET", f"/api/calls/{number}").status == 200
        saved = saves.send("POST", f"/api/calls/{number}/readings", READING | {"value": 15 + i / 10})
        assert saved.status == 201
        call = shows.send("GET", f"/api/calls/{number}").body
        assert call["readings"][-1]["id"] == saved.body["reading"]["id"]
        listed = shows.send("GET", "/api/calls?status=open").body
        assert next(c for c in listed if c["id"] == number)["readings"] == i + 1


def test_a_call_closed_through_one_process_takes_no_reading_through_another(product: Product) -> None:
    number = live_call(product, "Closed")
    here, there = lines_to_each(product).values()
    call = there.send("GET", f"/api/calls/{number}").body
    edit = {"version": call["version"], "status": "closed", "reason": "the customer sent us away"}
    closed = here.send("PATCH", f"/api/calls/{number}", edit)
    refused = there.send("POST", f"/api/calls/{number}/readings", READING)
    assert (closed.status, refused.status) == (200, 409), closed.body
    assert refused.body["next_step"]


def test_one_key_through_all_of_them_at_once_saves_once(product: Product) -> None:
    number = live_call(product, "One key")
    lines = lines_to_each(product, 3)
    key, answers = uuid.uuid4().hex, []

    def send(line: Line) -> None:
        answers.append(line.send("POST", f"/api/calls/{number}/readings", READING, key))

    threads = [threading.Thread(target=send, args=(line,)) for line in lines.values()]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sorted(a.status for a in answers) == [200, 200, 201]
    assert len({a.body["reading"]["id"] for a in answers}) == 1
    assert len(Line(product).send("GET", f"/api/calls/{number}").body["readings"]) == 1


def test_a_phone_hears_of_what_was_written_through_another_process(product: Product) -> None:
    number = live_call(product, "Hears")
    here, there = lines_to_each(product).values()
    heard: list[str] = []
    ready, done = threading.Event(), threading.Event()
    stream = urllib.request.urlopen(product.request("GET", "/api/moves", person=1), timeout=20)

    def listen() -> None:
        for raw in stream:
            line = raw.decode().strip()
            if line == "event: ready":
                ready.set()
            if f'"call_id":{number}' in line:
                heard.append(line)
                done.set()
                return

    threading.Thread(target=listen, daemon=True).start()
    assert ready.wait(5)
    for line in (here, there):
        line.send("POST", f"/api/calls/{number}/readings", READING)
    assert done.wait(5)
    stream.close()


def test_a_process_that_dies_is_replaced_and_takes_nothing_with_it(product: Product) -> None:
    number = live_call(product, "Dies")
    lines = lines_to_each(product, 3)
    saved = [
        line.send("POST", f"/api/calls/{number}/readings", READING).body["reading"]["id"]
        for line in lines.values()
    ]
    victim = next(iter(lines))
    os.kill(int(victim, 16), signal.SIGKILL)
    for _ in range(100):
        try:
            now = set(lines_to_each(product, 3))
        except (OSError, AssertionError):
            now = {victim}
        if victim not in now and len(now) == 3:
            break
        time.sleep(0.3)
    assert victim not in now
    kept = [r["id"] for r in Line(product).send("GET", f"/api/calls/{number}").body["readings"]]
    assert kept == saved


@pytest.mark.parametrize("door", ["screen", "command"])
def test_other_records_in_the_place_of_these_are_shown_by_every_process(product: Product, door: str) -> None:
    """The demo is loaded again with the same numbers: what was remembered of the old is told by nobody."""
    lines = lines_to_each(product, 3)
    old = {}
    for line in lines.values():
        line.send("POST", "/api/calls/4/readings", READING | {"note": OLD})
        old[line.process] = line.send("GET", "/api/calls/4").body["readings"]
        assert line.send("GET", "/api/calls").status == 200
    assert all(OLD in [r["entry"]["note"] for r in readings] for readings in old.values())
    if door == "screen":
        words = {"confirm": "reload the demo"}
        assert Line(product).send("POST", "/api/demo/reload", words).status in (200, 201, 204)
    else:
        done = product.run("demo", "--reload")
        assert done.returncode == 0, done.stderr
    # The command may outlast what the server keeps an idle line open for.
    processes = set(lines)
    lines = lines_to_each(product, 3)
    assert set(lines) == processes
    fresh = [line.send("GET", "/api/calls/4").body for line in lines.values()]
    assert all(OLD not in [r["entry"]["note"] for r in call["readings"]] for call in fresh)
    # The same further entry through each: as many as were told, in each one's list.
    for line in lines.values():
        line.send("POST", "/api/calls/4/readings", READING)
    counts = {len(line.send("GET", "/api/calls/4").body["readings"]) for line in lines.values()}
    assert counts == {len(fresh[0]["readings"]) + len(lines)}


def test_serve_begins_a_shop_of_ones_own_without_demo_data(tmp_path: Path) -> None:
    with running(tmp_path / "data", ("serve", "--workers", "2")) as product:
        line = Line(product)
        assert line.send("GET", "/api/people", heads={}).status == 401
        told = line.send("GET", "/api/session", heads={}).body
        assert (told["begun"], told["person"], told["people"]) == (False, None, [])
        assert line.send("GET", "/api/health").body["demo"] is False
        people = [{"name": "Ada Winterbourne", "role": "lead", "initials": "AW"}]
        shop = {"details": {"name": "Winterbourne Air"}, "people": people, "passphrase": "a wide winter sky"}
        begun = line.send("POST", "/api/shop/begin", shop, heads={})
        assert begun.status == 201, begun.body
        assert begun.body["person"]["name"] == "Ada Winterbourne"
        reload = line.send("POST", "/api/demo/reload", {"confirm": "reload the demo"})
        assert reload.status in (404, 409, 422)
        line.close()
        for _ in range(100):
            if product.address in product.said:
                break
            time.sleep(0.1)
        assert product.address in product.said
        workers = set(lines_to_each(product, 2))
    assert len(workers) == 2
    for one in workers:
        assert not Path(f"/proc/{int(one, 16)}").exists()
