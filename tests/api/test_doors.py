"""Odd requests: dates out of reach, letters nobody sees, other methods, other hosts, too many connections."""

import asyncio
from datetime import UTC, date, datetime
from typing import Any

import pytest
from fastapi.testclient import TestClient

from orange_crank.api import limits
from orange_crank.api.limits import MOST_PER_ADDRESS, PatientProtocol
from orange_crank.store.database import session
from orange_crank.store.models import PlannedVisit, Task
from tests.doing import make_safe_body, ok, run_apart, shop_app, signed_in_client

ENDS = (
    "0001-01-01T00:00:00+23:59",
    "9999-12-31T23:59:59-23:59",
    "9999-12-31T23:59:59Z",
    "1900-01-01T00:00:00Z",
)


def refused_at(answer: Any, field: str) -> None:
    assert answer.status_code == 422, answer.text
    [wrong] = answer.json()["errors"]
    assert field in wrong["field"]
    assert "2000" in wrong["wanted"]


@pytest.mark.parametrize("moment", ENDS)
def test_a_moment_out_of_reach_is_refused_by_its_field(client: TestClient, moment: str) -> None:
    visit = {"unit_id": 1, "visitor_id": 1, "starts_at": moment, "purpose": "Check"}
    refused_at(client.post("/api/visits", json=visit), "starts_at")
    made = ok(client.post("/api/visits", json=visit | {"starts_at": "2031-05-01T09:00:00Z"}))
    edit = {"version": made["version"], "starts_at": moment}
    refused_at(client.put(f"/api/visits/{made['id']}", json=edit), "starts_at")
    body = make_safe_body(ok(client.get("/api/calls/4"))) | {"volts_taken_at": moment}
    refused_at(client.post("/api/calls/4/make-safe", json=body), "volts_taken_at")
    reading = {"quantity": "running_a", "value": 12, "taken_at": moment}
    refused_at(client.post("/api/calls/4/readings", json=reading), "taken_at")


@pytest.mark.parametrize("day", ["0001-01-01", "9999-12-31", "1900-01-01"])
def test_a_day_out_of_reach_is_refused_by_its_field(client: TestClient, day: str) -> None:
    refused_at(client.get("/api/people/1/day", params={"day": day}), "day")
    task = {"unit_id": 1, "title": "Come back", "why": "Fade", "due_on": day}
    refused_at(client.post("/api/tasks", json=task), "due_on")


def test_a_visit_at_the_end_of_time_does_not_break_a_feed(client: TestClient) -> None:
    """Taken by an earlier program, it stays on record; the feeds go on."""
    ok(
        client.post(
            "/api/visits",
            json={"unit_id": 1, "visitor_id": 1, "starts_at": "2031-05-01T09:00:00Z", "purpose": "Check"},
        )
    )
    with session():
        last = PlannedVisit.select().order_by(PlannedVisit.id.desc()).get()
        PlannedVisit.update(starts_at=datetime(9999, 12, 31, 23, 59, 59, tzinfo=UTC)).where(
            PlannedVisit.id == last.id
        ).execute()
        Task.update(due_on=date(9999, 12, 31)).execute()
    site = ok(client.get("/api/units/1"))["unit"]["site"]["id"]
    for path in ("/api/people/1/calendar.ics", f"/api/sites/{site}/calendar.ics"):
        answer = client.get(path)
        assert answer.status_code == 200
        assert "BEGIN:VEVENT" in answer.text


@pytest.mark.parametrize("path", ["/api/people/{n}/devices", "/api/people/{n}/day", "/api/vans/{n}"])
@pytest.mark.parametrize("number", ["9" * 5_000, "9" * 12, "²", "-1", "0"])
def test_a_number_that_is_none_of_ours_is_refused(client: TestClient, path: str, number: str) -> None:
    assert client.get(path.format(n=number)).status_code in (403, 404, 422)
    assert client.post(f"/api/vans/{number}/moves", json={}).status_code in (403, 404, 422)


def test_letters_nobody_sees_are_no_part_of_a_name(client: TestClient) -> None:
    as_lead = {"As-Person": "3"}
    new = {"role": "helper", "initials": "WH"}
    made = ok(client.post("/api/people", json=new | {"name": "Wren\u202e Hollo\u200bway"}, headers=as_lead))
    assert made["name"] == "Wren Holloway"
    for name in ("\u202e\u200b", "\u200d \u2060"):
        refused = client.post("/api/people", json=new | {"name": name}, headers=as_lead)
        assert (refused.status_code, "seen" in refused.json()["errors"][0]["wanted"]) == (422, True)
    # One that looks like another name here would sign in their name.
    for name in ("Bettany\u200b Rook", "BETTANY ROOK", "Béttany Rook", "Bettany  Rook"):
        refused = client.post("/api/people", json=new | {"name": name}, headers=as_lead)
        assert "no other person here has" in refused.json()["errors"][0]["wanted"], name
    site = ok(client.post("/api/sites", json={"name": "Heron\u200b lock"}))
    assert site["name"] == "Heron lock"


def test_head_answers_as_get_without_its_body_and_other_methods_as_problems(client: TestClient) -> None:
    for path in ("/api/live", "/api/calls/4", "/api/people"):
        got, head = client.get(path), client.head(path)
        assert (head.status_code, head.content) == (got.status_code, b"")
        assert head.headers["content-type"] == got.headers["content-type"]
    # A stream has no end: asked for its head alone it answers at once.
    assert client.head("/api/moves").status_code == 200
    for way, path in (("OPTIONS", "/api/people"), ("DELETE", "/api/calls/4"), ("PATCH", "/api/live")):
        refused = client.request(way, path)
        assert refused.status_code == 405
        assert refused.headers["content-type"] == "application/problem+json"
        assert "GET" in refused.headers["allow"]
    assert client.get("/api/nowhere").headers["content-type"] == "application/problem+json"


def test_a_name_this_server_does_not_go_by_is_refused_as_a_problem(client: TestClient) -> None:
    refused = client.get("/api/live", headers={"host": "other.example"})
    assert (refused.status_code, refused.headers["content-type"]) == (400, "application/problem+json")
    assert refused.json()["next_step"]


def test_a_plain_page_of_the_same_host_is_another_site() -> None:
    """http and https of one host and port are two origins."""
    door = signed_in_client(shop_app(), person=1)
    entry = {"quantity": "running_a", "value": 12.0}
    for origin, status in (("https://127.0.0.1", 403), ("http://127.0.0.1", None)):
        answer = door.post("/api/calls/4/readings", json=entry, headers={"origin": origin})
        assert (answer.status_code == 403) == (status == 403), origin


class Wire(asyncio.Transport):
    """A connection of a client, as far as a server sees it."""

    def __init__(self, address: str) -> None:
        super().__init__({"peername": (address, 50_000), "sockname": ("127.0.0.1", 8420)})
        self.written = b""
        self.closed = False

    def write(self, data: bytes | bytearray | memoryview) -> None:
        self.written += bytes(data)

    def close(self) -> None:
        self.closed = True

    def is_closing(self) -> bool:
        return self.closed


def test_one_address_does_not_hold_every_connection(monkeypatch: pytest.MonkeyPatch) -> None:
    from uvicorn import Config
    from uvicorn.server import ServerState

    monkeypatch.setattr(limits, "MOST_PER_ADDRESS", 3)
    monkeypatch.setattr(PatientProtocol, "proxies", frozenset({"10.0.0.9"}))

    async def connect() -> None:
        config, state = Config(shop_app(), http=PatientProtocol), ServerState()
        config.load()

        def line(address: str) -> tuple[PatientProtocol, Wire]:
            protocol, wire = PatientProtocol(config, state, {}), Wire(address)
            protocol.connection_made(wire)
            return protocol, wire

        many = [line("10.0.0.5") for _ in range(5)]
        assert [wire.closed for _, wire in many] == [False] * 3 + [True] * 2
        assert b"503" in many[-1][1].written
        assert b"application/problem+json" in many[-1][1].written
        assert not line("10.0.0.6")[1].closed, "another address is another's"
        assert not any(line("10.0.0.9")[1].closed for _ in range(6)), "a proxy holds everybody's"
        for protocol, _ in many:
            protocol.connection_lost(None)
        assert not line("10.0.0.5")[1].closed

    run_apart(connect())
    PatientProtocol.held.clear()
    assert MOST_PER_ADDRESS >= 100, "ten people behind one router hold some sixty"
