"""What a record promises: written once, never lost, judged as of its moment, the same through every door."""

import json
import socket
import threading
import time
from collections.abc import Iterator
from typing import Any

import pytest
import uvicorn
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from orange_crank.core.call.changes import OWN_READINGS
from orange_crank.store.database import proxy, session
from tests.api.test_calls import LEGS, fresh_call, problem
from tests.conftest import as_loaded
from tests.doing import CAUTION, GO_LIVE, SignedIn, make_safe_body, shop_app, signed_in_client


def call(client: TestClient, number: int = 4) -> dict[str, Any]:
    body: dict[str, Any] = client.get(f"/api/calls/{number}").json()
    return body


def close(client: TestClient, number: int = 4, reason: str | None = "Owner sent us home") -> Any:
    edit = {"version": call(client, number)["version"], "status": "closed", "reason": reason}
    return client.patch(f"/api/calls/{number}", json=edit)


def dead(client: TestClient, quantity: str, value: Any, number: int = 4, **more: Any) -> None:
    entry = {"quantity": quantity, "value": value, "without_make_safe": "bench", **more}
    client.post(f"/api/calls/{number}/readings", json=entry).raise_for_status()


THERE = {"overcurrent_a": 60, "overcurrent_kind": "breaker", "conductor_awg": "10"}
# Every door that writes: the request, and one that says something else.
WRITES: list[tuple[str, str, dict[str, Any], dict[str, Any]]] = [
    ("POST", "/api/calls/4/readings", {"quantity": "running_a", "value": 17}, {"value": 16}),
    (
        "POST",
        "/api/calls/4/tests",
        {"topic": "legs", "entry": LEGS},
        {"entry": {**LEGS, "leg_a_idle_v": 118}},
    ),
    ("POST", "/api/calls/4/changes", {"what": "Start kit fitted", "part": "start_kit"}, {"part": None}),
    ("POST", "/api/calls/4/why", {"symptoms": ["lights_dim"]}, {"symptoms": ["rattles"]}),
    ("POST", "/api/calls/4/safety-events", CAUTION, {"kind": "lapsed", "detail": "break"}),
    ("POST", "/api/calls/4/clocks", {"minutes": 30}, {"minutes": 45}),
    ("POST", "/api/calls/4/circuit", {"installed": THERE}, {"installed": {**THERE, "overcurrent_a": 40}}),
    ("POST", "/api/calls", {"unit_id": 2, "complaint": "Hums"}, {"complaint": "Trips"}),
    ("POST", "/api/sites", {"name": "Heron lock", "place": "Lock row"}, {"place": "Lock end"}),
    ("POST", "/api/vans/1/moves", {"part": "RC-5-440", "count": 2, "reason": "restocked"}, {"count": 3}),
    ("PUT", "/api/vans/1/wants", {"part": "RC-5-440", "want": 4}, {"want": 5}),
]


@pytest.mark.parametrize(("verb", "path", "body", "other"), WRITES, ids=[w[1] for w in WRITES])
def test_a_key_is_one_request_at_every_door_that_writes(
    client: TestClient, verb: str, path: str, body: dict[str, Any], other: dict[str, Any]
) -> None:
    """Sent again after a lost answer it is done once; with another body it is refused, never dropped."""
    head = {"Idempotency-Key": "lost-answer-1"}
    before = _rows()
    first = client.request(verb, path, json=body, headers=head)
    assert first.status_code in (200, 201), first.text
    once = _rows()
    again = client.request(verb, path, json=body, headers=head)
    assert again.status_code in (200, 201), again.text
    assert once == _rows() != before
    refused = problem(client.request(verb, path, json=body | other, headers=head), 422)
    assert "Idempotency-Key" == refused["errors"][0]["field"]
    assert once == _rows()
    stranger = client.request(verb, path, json=body, headers=head | {"As-Person": "2"})
    assert 422 == stranger.status_code, "the same key from somebody else is another request"


def _rows() -> dict[str, int]:
    with session():
        names = [r[0] for r in proxy.obj.execute_sql("SHOW TABLES") if not r[0].startswith("copy_of")]
        return {n: int(proxy.obj.execute_sql(f"SELECT COUNT(*) FROM `{n}`").fetchone()[0]) for n in names}


LATER = st.lists(
    st.sampled_from(
        [
            ("/changes", {"what": "New compressor", "part": "compressor"}),
            ("/readings", {"quantity": "running_a", "value": 25, "volts": 214}),
            ("/readings", {"quantity": "run_cap_uf", "value": 30.0, "without_make_safe": "bench"}),
            ("/readings", {"quantity": "winding_cr_ohm", "value": 0.2, "without_make_safe": "bench"}),
            ("/tests", {"topic": "legs", "entry": LEGS}),
            ("/why", {"hazards": ["water"]}),
            ("standard", {"value": 0.8, "why": "Ours run warm"}),
            ("plate", {"rla_a": 30.0, "lra_a": 150.0}),
        ]
    ),
    min_size=1,
    max_size=5,
)


@given(later=LATER)
@settings(
    max_examples=12,
    deadline=None,
    suppress_health_check=list(HealthCheck),
    phases=(Phase.explicit, Phase.generate),
)
def test_a_closed_call_is_judged_as_it_was(
    client: TestClient, later: list[tuple[str, dict[str, Any]]]
) -> None:
    """Its readings, plate, standards and last visits are those of its closing, whatever comes later."""
    as_loaded()
    unit = call(client)["unit_id"]
    client.post("/api/calls/4/safety-events", json=CAUTION)
    assert 200 == close(client).status_code
    was = [client.get(f"/api/calls/4{view}").json() for view in ("", "/why", "/work", "/circuit")]
    number = fresh_call(client, unit)
    client.post(f"/api/calls/{number}/safety-events", json=CAUTION)
    for path, body in later:
        if path == "standard":
            client.put(
                "/api/standards/running_watch_ratio", json=body, headers={"As-Person": "3"}
            ).raise_for_status()
        elif path == "plate":
            newest = call(client, number)["plate"]
            newest["plate"]["compressors"][0] |= body
            newest["plate"] |= {"mca_a": None, "mocp_a": None}
            client.post(
                f"/api/calls/{number}/plates",
                json={"plate": newest["plate"], "base_number": newest["number"]},
            ).raise_for_status()
        else:
            client.post(f"/api/calls/{number}{path}", json=body)
    now = [client.get(f"/api/calls/4{view}").json() for view in ("", "/why", "/work", "/circuit")]
    for one in was + now:
        one.get("allowed", {}).pop("reopen", None)
    assert was == now


def test_a_closed_call_takes_nothing_through_any_door(client: TestClient) -> None:
    body = make_safe_body(call(client))
    assert 200 == close(client).status_code
    before = _rows()
    for path, entry in (
        ("/readings", {"quantity": "running_a", "value": 17}),
        ("/reading-sets", {"readings": [{"quantity": "running_a", "value": 17}]}),
        ("/tests", {"topic": "legs", "entry": LEGS}),
        ("/changes", {"what": "Start kit fitted", "part": "start_kit"}),
        ("/why", {"symptoms": ["lights_dim"]}),
        ("/decisions", {"kind": "cause", "decision": {"kind": "cause", "hypothesis": "run_capacitor_weak"}}),
        ("/safety-events", CAUTION),
        ("/safety-events", GO_LIVE),
        ("/make-safe", body),
        ("/stops/lift", {"stop": "x", "how": "mended"}),
        ("/clocks", {"minutes": 30}),
        ("/circuit", {"installed": THERE}),
    ):
        refused = client.post(f"/api/calls/4{path}", json=entry)
        assert refused.status_code in (404, 409), (path, refused.text)
        assert "closed" in refused.json()["detail"] or path == "/stops/lift", (path, refused.text)
    assert {k: v for k, v in before.items() if k != "request_kept"} == {
        k: v for k, v in _rows().items() if k != "request_kept"
    }
    allowed = call(client)["allowed"]
    assert ["reopen"] == [name for name, gate in allowed.items() if gate["ok"]]


def test_closing_says_what_it_leaves_open_and_wants_a_reason(client: TestClient) -> None:
    """Left dead, locked and with the thermostat off; each says what to do, and a reason is wanted."""
    client.post("/api/calls/4/make-safe", json=make_safe_body(call(client))).raise_for_status()
    left = call(client)["left_open"]
    assert {"LEFT_DEAD", "LOCK_ON", "THERMOSTAT_OFF"} <= {point["code"] for point in left}
    assert all(point["next_step"] for point in left)
    assert "enter why" in str(problem(close(client, reason=None), 409)).lower()
    assert "open" == call(client)["status"]
    assert 200 == close(client).status_code
    assert "Owner sent us home" == call(client)["closed_reason"]


def test_a_compressor_shorted_to_metal_reaches_every_part_of_the_call(client: TestClient) -> None:
    """Piece by piece, cold, at its own terminals: a stop, a cause, and proof enough to condemn."""
    look: dict[str, Any] = {"topic": "isolation", "without_make_safe": "bench"}
    whole = client.post("/api/calls/4/tests", json=look | {"entry": {"whole": True, "compressor": True}})
    assert 201 == whole.status_code, whole.text
    assert "GROUNDED" == whole.json()["ladder"]["stops"][0]["code"]
    assert whole.json()["ladder"]["stops"][0]["finding"]["text"]
    why = client.get("/api/calls/4/why").json()
    assert "GROUNDED" == why["result"]["stop"]["code"]
    assert not [t for t in why["result"]["next_tests"] if t["danger"] == "live"]
    assert not why["allowed"]["condemn"]["ok"], "joined leads are not its own terminals"
    pins = {"compressor": True, "terminal_c": True, "terminal_s": True, "terminal_r": True, "fan": False}
    client.post("/api/calls/4/tests", json=look | {"entry": pins}).raise_for_status()
    dead(client, "shell_hot", False)
    why = client.get("/api/calls/4/why").json()
    assert why["result"]["condemn"]["allowed"], why["result"]["condemn"]
    assert why["allowed"]["condemn"]["ok"], why["allowed"]["condemn"]
    done = client.post(
        "/api/calls/4/decisions", json={"kind": "condemned", "decision": {"kind": "condemned"}}
    )
    assert 201 == done.status_code, done.text


def test_a_later_clear_reading_does_not_wipe_a_standing_proof(client: TestClient) -> None:
    look: dict[str, Any] = {"topic": "isolation", "without_make_safe": "bench"}
    pins = {"compressor": True, "terminal_c": True, "terminal_s": True, "terminal_r": True}
    client.post("/api/calls/4/tests", json=look | {"entry": pins}).raise_for_status()
    dead(client, "to_ground", False)
    found = call(client)
    assert found["ladder"]["stops"], "a clear reading of the whole unit does not clear the pins"
    assert found["ladder"]["stops"][0]["lifted_by"]


@pytest.mark.parametrize("part", ["run_capacitor", "compressor", "start_kit", "fan_motor"])
def test_a_change_makes_the_readings_of_that_part_the_old_parts(client: TestClient, part: str) -> None:
    figures = {"winding_cr_ohm": 0.6, "winding_cs_ohm": 2.3, "winding_sr_ohm": 2.9, "run_cap_uf": 38.0,
               "fan_cap_uf": 4.9, "start_cap_uf": 190.0, "to_ground": False}  # fmt: skip
    for quantity, value in figures.items():
        dead(client, quantity, value)
    client.post("/api/calls/4/changes", json={"what": "New one", "part": part}).raise_for_status()
    found = call(client)
    kind = {r["id"]: r["entry"]["quantity"] for r in found["readings"]}
    old = {kind[j["reading_id"]] for j in found["ladder"]["readings"] if j["old_part"]}
    assert set(OWN_READINGS[part]) & set(kind.values()) == old  # type: ignore[index]
    assert len(kind) >= len(figures), "all of them stay on record"
    start = {t["field"]: t for t in client.get("/api/calls/4/start").json()["taken"]}
    if part == "run_capacitor":
        assert "run_cap_uf" not in start or 38.0 != start["run_cap_uf"]["value"]


def test_an_open_overload_stays_until_it_is_said_what_heated_it(client: TestClient) -> None:
    for quantity, value in (("winding_cs_ohm", "open"), ("winding_cr_ohm", "open"), ("winding_sr_ohm", 2.9)):
        dead(client, quantity, value)
    assert call(client)["overload_unexplained"]
    for quantity, value in (("winding_cs_ohm", 2.3), ("winding_cr_ohm", 0.6)):
        dead(client, quantity, value)
    found = call(client)
    assert found["overload_unexplained"], "closing again when cold does not say what heated it"
    assert "OVERLOAD" in " ".join(p["code"] for p in found["left_open"]).upper()
    gate = client.get("/api/calls/4/why").json()["allowed"]["answer_overload"]
    assert gate["ok"]


def test_a_correction_works_for_words_and_for_yes_and_no(client: TestClient) -> None:
    dead(client, "to_ground", True)
    dead(client, "contactor_look", "welded")
    by = {r["entry"]["quantity"]: r for r in call(client)["readings"]}
    assert call(client)["ladder"]["stops"]
    dead(client, "to_ground", False, supersedes_id=by["to_ground"]["id"])
    dead(client, "contactor_look", "pitted", supersedes_id=by["contactor_look"]["id"])
    found = call(client)
    stands = {r["entry"]["quantity"]: r["entry"] for r in found["readings"] if not r["superseded_by_id"]}
    assert (False, "pitted") == (stands["to_ground"]["value"], stands["contactor_look"]["value"])
    assert "bench" == stands["to_ground"]["without_make_safe"]
    assert not found["ladder"]["stops"]


def _copy_row(table: str, where: str, **other: Any) -> int:
    """Put a row beside another with some columns changed, past every rule; return its number."""
    with session():
        names = [r[0] for r in proxy.obj.execute_sql(f"SHOW COLUMNS FROM `{table}`") if r[0] != "id"]
        chosen = ", ".join("%s" if n in other else f"`{n}`" for n in names)
        into = ", ".join(f"`{n}`" for n in names)
        proxy.obj.execute_sql(
            f"INSERT INTO `{table}` ({into}) SELECT {chosen} FROM `{table}` WHERE {where} LIMIT 1",
            tuple(other[n] for n in names if n in other),
        )
        return int(proxy.obj.execute_sql(f"SELECT MAX(id) FROM `{table}`").fetchone()[0])


def test_what_today_no_longer_reads_is_shown_and_can_be_corrected(client: TestClient) -> None:
    """Rows as an older version could have left them: an unknown quantity's word, a plate upside down."""
    _copy_row("reading", "call_id = 4 AND quantity = 'running_a'", value=1e9, entry_no=900)
    here = call(client)
    newest, unit = here["plate"], here["unit_id"]
    plate = _copy_row(
        "plate", f"unit_id = {unit} AND number = {newest['number']}", number=newest["number"] + 1, volts_v=-5
    )
    _copy_row("plate_compressor", "lra_a IS NOT NULL", plate_id=plate)
    found = call(client)
    odd = next(r for r in found["readings"] if r["trouble"])
    judged = next(j for j in found["ladder"]["readings"] if j["reading_id"] == odd["id"])
    assert ("cannot_be_judged", "unknown") == (judged["code"], judged["verdict"])
    assert judged["findings"][0]["next_step"]
    assert found["ladder"]["plate_trouble"]["next_step"]
    for view in ("/start", "/work", "/circuit", "/readings.csv"):
        assert 200 == client.get(f"/api/calls/4{view}").status_code, view
    assert 200 == client.get(f"/api/units/{found['unit_id']}").status_code
    right = {"quantity": "running_a", "value": 17.0, "supersedes_id": odd["id"]}
    assert 201 == client.post("/api/calls/4/readings", json=right).status_code
    again = {"volts": 230, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112}]}
    saved = client.post("/api/calls/4/plates", json={"plate": again, "base_number": found["plate"]["number"]})
    assert 201 == saved.status_code, saved.text
    assert 200 == client.get("/api/calls/4/why").status_code


def test_the_demo_is_thrown_away_only_where_it_is_the_demo(client: TestClient) -> None:
    with signed_in_client(shop_app()) as shop:
        refused = shop.post("/api/demo/reload", json={"confirm": "reload the demo"})
        assert refused.status_code in (404, 409), refused.text
        assert not shop.get("/api/health").json()["demo"]
    with session():
        proxy.obj.execute_sql("DELETE FROM shop_fact")
    owned = client.post("/api/demo/reload", json={"confirm": "reload the demo"})
    assert "never thrown away" in problem(owned, 409)["detail"]
    assert call(client)["readings"]


@pytest.fixture
def address(client: TestClient) -> Iterator[str]:
    """The server on a real socket: events are a stream, which a test client cannot follow."""
    del client
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    server = uvicorn.Server(uvicorn.Config(shop_app(), port=port, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    for _ in range(200):
        if server.started:
            break
        time.sleep(0.02)
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    thread.join(timeout=20)


def test_what_one_phone_writes_the_other_hears_within_two_seconds(client: TestClient, address: str) -> None:
    import httpx2

    heard: list[tuple[float, dict[str, Any]]] = []
    ready = threading.Event()

    def listen() -> None:
        head = {"cookie": SignedIn().cookie("1", int(address.rpartition(":")[2]))}
        with httpx2.stream("GET", f"{address}/api/moves", headers=head, timeout=10) as answer:
            for line in answer.iter_lines():
                if line.startswith("event: ready"):
                    ready.set()
                if line.startswith("data: {"):
                    heard.append((time.monotonic(), json.loads(line[6:])))
                    return

    thread = threading.Thread(target=listen, daemon=True)
    thread.start()
    assert ready.wait(8)
    time.sleep(0.3)
    wrote = time.monotonic()
    client.post("/api/calls/4/safety-events", json=CAUTION).raise_for_status()
    thread.join(timeout=8)
    assert heard, "nothing was told"
    assert 4 == heard[0][1]["call_id"]
    assert heard[0][0] - wrote <= 2.0
