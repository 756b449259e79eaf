"""A meter read live over Modbus/TCP: by an independent client, on a call, lost and back, on a dead record."""

import asyncio
import contextlib
import json
import socket
import subprocess
import sys
import threading
import time
from collections.abc import AsyncIterator, Callable, Coroutine, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any, TypeVar

import pytest
from fastapi import Request
from fastapi.testclient import TestClient
from pymodbus.client import ModbusTcpClient

from orange_crank.api import door
from orange_crank.api.app import create_app
from orange_crank.api.meters import LiveValues, Lost, MeterBench, contradict, values_of
from orange_crank.bench.meter import Meter
from orange_crank.bench.registers import recording_registers
from orange_crank.bench.replay import Replay
from orange_crank.bench.scenarios import PLATES
from orange_crank.bench.server import Bench
from orange_crank.bench.unit import Setup, SimulatedUnit
from orange_crank.core.measure.waveform import read_waveform
from orange_crank.core.motor.warm import warm
from orange_crank.core.plate import Plate
from orange_crank.demo import player
from orange_crank.formats.meter_map import MeterMap, shipped_map
from orange_crank.store import database
from orange_crank.store.calls.safety import volts_seen
from orange_crank.store.database import session
from orange_crank.store.models import ServiceCall
from orange_crank.store.server import MariaDbServer, free_port
from orange_crank.store.sessions import begin_session, end_by_token
from tests.doing import make_safe_body, ok, signed_in_client

CALL = "/api/calls/4"
T = TypeVar("T")


# A loop that ends closes its lines first; one that is torn off leaves them open.
SETTLE_S = 0.2


@pytest.fixture(scope="module", autouse=True)
def ready() -> None:
    """The start model is compiled before a meter waits for it."""
    warm()


def apart(story: Callable[[], Coroutine[Any, Any, T]]) -> T:
    """Run a coroutine in a thread: another test's browser may hold this one's loop."""
    with ThreadPoolExecutor(1) as hand:
        return hand.submit(lambda: asyncio.run(asyncio.wait_for(story(), 180))).result()


class Running:
    """A bench in a thread of its own, stopped and started over the same unit."""

    def __init__(self) -> None:
        self.port = free_port()
        plate = Plate.model_validate(PLATES[0])
        self.bench = Bench(Meter(SimulatedUnit(Setup(plate=plate, run_cap_uf=45.0))))
        self._loop: asyncio.AbstractEventLoop | None = None
        self._task: asyncio.Task[None] | None = None
        self._thread: threading.Thread | None = None

    def start(self) -> None:
        up = threading.Event()

        async def live() -> None:
            self._loop = asyncio.get_running_loop()
            self._task = asyncio.ensure_future(self.bench.serve("127.0.0.1", self.port))
            up.set()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task
            await asyncio.sleep(SETTLE_S)

        self._thread = threading.Thread(target=lambda: asyncio.run(live()), daemon=True)
        self._thread.start()
        up.wait(5)
        for _ in range(100):
            client = ModbusTcpClient("127.0.0.1", port=self.port, timeout=1)
            if client.connect():  # type: ignore[no-untyped-call]
                client.close()  # type: ignore[no-untyped-call]
                return
            time.sleep(0.05)

    def stop(self) -> None:
        if self._loop is not None and self._task is not None and self._thread is not None:
            self._loop.call_soon_threadsafe(self._task.cancel)
            self._thread.join(10)
            self._thread = None


@pytest.fixture
def bench() -> Iterator[Running]:
    running = Running()
    running.start()
    yield running
    running.stop()


@pytest.fixture
def live(records: MariaDbServer, bench: Running, tmp_path: Path) -> Iterator[TestClient]:
    del records
    meters = MeterBench(bench.port, tmp_path / "meters", frozenset())
    app = create_app(reload_demo=player.reload, meter_bench=meters)
    with signed_in_client(app) as opened:
        yield opened


def looks(m: MeterMap, wanted: int, within_s: float = 8.0) -> list[LiveValues | Lost]:
    """The next looks at a meter."""

    async def take() -> list[LiveValues | Lost]:
        found: list[LiveValues | Lost] = []
        lines = values_of(m)
        async with asyncio.timeout(within_s):
            async for one in lines:
                found.append(one)
                if len(found) >= wanted:
                    break
        await lines.aclose()  # type: ignore[attr-defined]
        await asyncio.sleep(SETTLE_S)
        return found

    return apart(take)


def at(bench: Running, key: str = "bench") -> MeterMap:
    return shipped_map(key).model_copy(update={"port": bench.port})


def test_an_independent_client_reads_both_layouts_and_they_agree(bench: Running) -> None:
    client = ModbusTcpClient("127.0.0.1", port=bench.port, timeout=2)
    assert client.connect()  # type: ignore[no-untyped-call]
    client.write_registers(0, [1, 0], device_id=1)
    time.sleep(1.5)
    own = client.read_input_registers(10, count=2, device_id=1).registers
    panel = client.read_holding_registers(40, count=4, device_id=2).registers
    line_v = client.convert_from_registers(own, client.DATATYPE.FLOAT32)
    panel_v = client.convert_from_registers(panel[:2], client.DATATYPE.INT32, word_order="little")
    assert isinstance(line_v, float)
    assert isinstance(panel_v, int)
    assert line_v == pytest.approx(panel_v / 1000, rel=0.02)
    assert client.write_register(0, 99, device_id=1).isError()
    assert client.write_register(40, 1, device_id=2).isError()
    assert client.read_input_registers(500, count=1, device_id=1).isError()
    client.close()  # type: ignore[no-untyped-call]


def test_a_start_is_armed_taken_and_named_with_wire_and_mode(live: TestClient, bench: Running) -> None:
    assert ["bench", "analyzer"] == [m["key"] for m in ok(live.get("/api/meters"))]
    ok(live.post("/api/meters/bench/dial", json={"mode": "inrush", "place": "common"}))
    ok(live.post("/api/meters/bench/arm"))
    [armed] = looks(at(bench), 1)
    assert isinstance(armed, LiveValues)
    assert armed.waits
    ok(live.post("/api/meters/bench/switch", json={"what": "thermostat", "on": True}))
    time.sleep(1.2)
    [after] = looks(at(bench), 1)
    assert isinstance(after, LiveValues)
    assert not after.waits
    assert after.switches["thermostat"]
    [shot] = [v for v in after.values if v.shown.value is not None]
    assert shot.fill is not None
    assert ("inrush_a", "common", "inrush") == (shot.fill.quantity, shot.fill.conductor, shot.fill.mode)
    assert 60 < shot.shown.value < 125  # type: ignore[operator]


@pytest.mark.parametrize(
    ("path", "body", "field"),
    [
        ("bench/dial", {"mode": "amps", "place": "roof"}, "mode"),
        ("analyzer/dial", {"mode": "amps", "place": "common"}, "mode"),
        ("analyzer/arm", None, "arm"),
        ("analyzer/switch", {"what": "thermostat", "on": True}, "what"),
        ("bench/switch", {"what": "roof", "on": True}, "what"),
    ],
)
def test_what_a_meter_cannot_do_is_said(live: TestClient, path: str, body: Any, field: str) -> None:
    refused = live.post(f"/api/meters/{path}", json=body)
    assert (422, field) == (refused.status_code, refused.json()["errors"][0]["field"])


def test_a_meter_nobody_knows_and_a_map_with_nonsense_are_said(live: TestClient, tmp_path: Path) -> None:
    assert 404 == live.post("/api/meters/nobody/arm").status_code
    (tmp_path / "meters").mkdir()
    good = "name: Own\nport: 502\nvalues:\n  - {quantity: line_v, place: line, address: 1}\n"
    (tmp_path / "meters" / "own.yaml").write_text(good)
    (tmp_path / "meters" / "bad.yaml").write_text("name: Bad\nvalues:\n  - {quantity: x}\n")
    (tmp_path / "meters" / "far.yaml").write_text(good.replace("port", "host: 10.0.0.7\nport"))
    told = {m["key"]: m["trouble"] for m in ok(live.get("/api/meters"))}
    assert told["own"] is None
    assert "line 3" in told["bad"].lower()
    assert "this machine" in told["far"]


def test_a_bench_killed_is_lost_in_words_and_back_by_itself() -> None:
    """The bench as a user starts it, killed while a screen listens, and started again."""
    port = free_port()
    m = shipped_map("bench").model_copy(update={"port": port})

    def begin() -> "subprocess.Popen[bytes]":
        words = [sys.executable, "-m", "orange_crank.cli", "bench", "--port", str(port)]
        return subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def until(kind: type, lines: "AsyncIterator[LiveValues | Lost]", within_s: float) -> Any:
        async def wait() -> Any:
            async with asyncio.timeout(within_s):
                async for one in lines:
                    if isinstance(one, kind):
                        return one
            return None

        return wait()

    async def story() -> Lost:
        lines = values_of(m)
        first = begin()
        try:
            assert await until(LiveValues, lines, 60)
        finally:
            first.kill()
            first.wait(10)
        lost: Lost = await until(Lost, lines, 10)
        again = begin()
        try:
            assert await until(LiveValues, lines, 60)
        finally:
            again.terminate()
            again.wait(20)
        await lines.aclose()  # type: ignore[attr-defined]
        await asyncio.sleep(SETTLE_S)
        return lost

    lost = apart(story)
    assert "does not answer" in lost.detail
    assert lost.next_step


def test_a_display_that_stands_still_is_told_from_a_steady_one(bench: Running) -> None:
    steady = looks(at(bench), 30)
    assert all(isinstance(one, LiveValues) for one in steady)
    frozen = at(bench).model_copy(
        update={"count": shipped_map("bench").connected, "poll_ms": 200}  # a register that does not move
    )
    assert any(isinstance(one, Lost) and "is frozen" in one.detail for one in looks(frozen, 20))


def test_a_second_hand_on_the_meter_is_counted(bench: Running) -> None:
    other = ModbusTcpClient("127.0.0.1", port=bench.port, timeout=2)
    assert other.connect()  # type: ignore[no-untyped-call]
    [told] = looks(at(bench), 1)
    other.close()  # type: ignore[no-untyped-call]
    assert isinstance(told, LiveValues)
    assert told.connected == 2


def test_a_meter_of_another_layout_is_odd_not_believed(bench: Running) -> None:
    """The own meter read with the panel's map, and the other way round."""
    analyzer = at(bench, "analyzer")
    wrong = analyzer.model_copy(
        update={"values": [v.model_copy(update={"word_order": "big"}) for v in analyzer.values]}
    )
    [told] = looks(wrong, 1)
    assert isinstance(told, LiveValues)
    volts = told.values[0].shown
    assert volts.value is None
    assert volts.odd is not None
    [absent] = looks(analyzer.model_copy(update={"device": 9}), 1)
    assert isinstance(absent, Lost)


def make_dead(live: TestClient) -> None:
    call = ok(live.get(CALL))
    ok(live.post(f"{CALL}/make-safe", json=make_safe_body(call)))
    assert "dead_proved" == ok(live.get(CALL))["state"]["state"]


def test_volts_on_a_dead_record_stop_the_call_once_until_it_is_proved_again(live: TestClient) -> None:
    make_dead(live)
    with session():
        assert not volts_seen(4, [("line", 0.4), ("coil", 24.0)], 1), "coil volts prove nothing of the line"
        assert volts_seen(4, [("line", 238.2)], 1)
        assert not volts_seen(4, [("line", 238.0)], 1), "written once"
    call = ok(live.get(CALL))
    assert "lapsed" == call["state"]["state"]
    [stop] = call["ladder"]["stops"]
    assert "STOP_LIVE" == stop["code"]
    assert "238.2 V at the contactor's line side" in stop["text"]
    refused = live.post(f"{CALL}/lifts", json={"stop": stop["key"], "how": "it was nothing, Marlo"})
    assert refused.status_code in (404, 405, 409)
    assert ok(live.get(CALL))["ladder"]["stops"]
    again = ok(live.get(CALL))
    ok(live.post(f"{CALL}/make-safe", json=make_safe_body(again)))
    after = ok(live.get(CALL))
    assert "dead_proved" == after["state"]["state"]
    assert [] == after["ladder"]["stops"]


def test_a_screen_that_listens_writes_the_stop_by_itself(live: TestClient, bench: Running) -> None:
    make_dead(live)
    ok(live.post("/api/meters/bench/dial", json={"mode": "volts", "place": "line"}))

    async def listen() -> None:
        async for one in values_of(at(bench)):
            if isinstance(one, LiveValues):
                await contradict(4, 1, one)
                if any((v.shown.value or 0) > 200 for v in one.values):
                    break
        await asyncio.sleep(SETTLE_S)

    apart(listen)
    assert "STOP_LIVE" in [s["code"] for s in ok(live.get(CALL))["ladder"]["stops"]]


def test_a_closed_call_and_one_that_is_live_are_left_alone(live: TestClient) -> None:
    with session():
        assert not volts_seen(1, [("line", 238.0)], 1)
        assert not volts_seen(4, [("line", 238.0)], 1)
        assert not volts_seen(99_999, [("line", 238.0)], 1)
    assert [] == json.loads(live.get(CALL).text)["ladder"]["stops"]


def test_nobody_unknown_listens_on_a_call(live: TestClient) -> None:
    """What a meter sees is written down under somebody's name."""
    with TestClient(live.app, base_url="http://127.0.0.1") as nobody:
        refused = nobody.get("/api/meters/bench/stream", params={"call": 4})
    assert refused.status_code == 401


@pytest.mark.parametrize("path", ["/api/meters/bench/stream?call=4", "/api/moves"])
def test_a_stream_ends_with_its_listeners_session(
    live: TestClient, monkeypatch: pytest.MonkeyPatch, path: str
) -> None:
    asked, look = threading.Event(), door._signed_out

    def noticed(request: Request) -> bool:
        asked.set()
        return look(request)

    monkeypatch.setattr(door, "STILL_EVERY_S", 0.05)
    monkeypatch.setattr(door, "_signed_out", noticed)
    with session():
        token = begin_session(1, "A phone", "demo")
    heard: list[str] = []

    def listen() -> None:
        # The answer comes whole once the stream has ended.
        with TestClient(live.app, base_url="http://127.0.0.1") as phone:
            heard.append(phone.get(path, headers={"cookie": f"orange_crank_80={token}"}).text)

    listening = threading.Thread(target=listen, daemon=True)
    listening.start()
    # It streams, and has looked whether its listener is still signed in.
    assert asked.wait(60)
    time.sleep(1.5)
    assert listening.is_alive()
    with session():
        end_by_token(token)
    listening.join(60)
    assert not listening.is_alive()
    assert "event:" in heard[0]


def test_looking_ten_times_a_second_writes_nothing_and_locks_nothing(live: TestClient) -> None:
    before = ok(live.get(CALL))["entries"]
    make_dead(live)
    with session(), database.transaction():
        # Somebody holds the call: looking does not wait for them.
        ServiceCall.select().where(ServiceCall.id == 4).for_update().get()
        done = threading.Event()

        def look() -> None:
            with session():
                volts_seen(4, [("line", 0.3)], 1)
            done.set()

        threading.Thread(target=look, daemon=True).start()
        assert done.wait(5)
    assert ok(live.get(CALL))["entries"] == before + 1


def test_the_start_a_meter_recorded_is_kept_on_the_call_once(live: TestClient, bench: Running) -> None:
    none = live.post("/api/meters/bench/recording", params={"call": 4})
    assert (422, "recording") == (none.status_code, none.json()["errors"][0]["field"])
    assert 422 == live.post("/api/meters/analyzer/recording", params={"call": 4}).status_code
    ok(live.post("/api/meters/bench/switch", json={"what": "thermostat", "on": True}))
    time.sleep(0.5)
    key = {"Idempotency-Key": "this-very-start"}
    kept = ok(live.post("/api/meters/bench/recording", params={"call": 4}, headers=key))
    again = ok(live.post("/api/meters/bench/recording", params={"call": 4}, headers=key))
    assert kept["id"] == again["id"]
    assert kept["conductor"] == "common"
    [start] = kept["report"]["starts"]
    truth = bench.bench.meter.unit.wave()
    assert truth is not None
    [made] = read_waveform(truth).starts
    assert start["start_time_s"] == pytest.approx(made.start_time_s, abs=0.02)
    assert start["peak_a"] == pytest.approx(made.peak_a, rel=0.02)
    assert 409 == live.post("/api/meters/bench/recording", params={"call": 1}).status_code


def test_a_recording_plays_as_a_meter_over_and_over() -> None:
    source = SimulatedUnit(Setup(plate=Plate.model_validate(PLATES[0]), run_cap_uf=45.0))
    source.switch("thermostat", True)
    source.advance(3)
    recorded = source.wave()
    assert recorded is not None
    meter = Meter(Replay(recorded))
    meter.set("inrush", "common")
    meter.arm()
    meter.advance(1.0)
    shot = meter.display()
    assert shot == pytest.approx(source.first_100ms_a(), rel=0.1)
    length = len(recorded.line_a) / recorded.sample_hz
    meter.set("amps", "common")
    meter.advance(length - 0.05)
    settled = meter.display()
    meter.advance(2 * length - 0.05)
    assert meter.display() == pytest.approx(settled, rel=0.05)
    head = recording_registers(meter)
    assert head[0] > 1_000
    assert all(0 <= w <= 65_535 for w in head)


def test_the_bench_ends_with_the_process_that_started_it() -> None:
    """A server that is killed leaves no bench behind."""
    port = free_port()
    words = ["-m", "orange_crank.cli", "bench", "--port", str(port), "--with-parent"]
    story = f"import subprocess, sys, time; subprocess.Popen([sys.executable, *{words!r}]); time.sleep(90)"
    parent = subprocess.Popen([sys.executable, "-c", story], stderr=subprocess.DEVNULL)

    def answers() -> bool:
        with contextlib.suppress(OSError):
            socket.create_connection(("127.0.0.1", port), timeout=1).close()
            return True
        return False

    def until(wanted: bool, within_s: float) -> bool:
        deadline = time.monotonic() + within_s
        while time.monotonic() < deadline:
            if answers() is wanted:
                return True
            time.sleep(0.1)
        return False

    try:
        assert until(True, 60)
    finally:
        parent.kill()
        parent.wait(10)
    assert until(False, 10)
