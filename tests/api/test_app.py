"""The application as a whole: doors, words of refusal, records away, speed."""

import os
import re
import signal
import time
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from orange_crank.api.app import create_app
from orange_crank.core.topics import TOPICS
from orange_crank.store.server import MariaDbServer
from tests.doing import ok, signed_in_client

PLATE = {"volts": 230, "phase": 1, "compressors": [{"rla_a": 16.7, "lra_a": 97}]}


def test_http_and_the_core_give_one_answer(client: TestClient) -> None:
    from orange_crank.core.topics import calculate

    answer = client.post("/api/calc/plate", json=PLATE)
    import json

    assert json.loads(calculate("plate", json.dumps(PLATE)).model_dump_json()) == answer.json()


@pytest.mark.parametrize("topic", TOPICS)
def test_each_topic_answers_over_http_and_refuses_an_empty_entry(client: TestClient, topic: str) -> None:
    assert "input" in client.get(f"/api/calc/{topic}/schema").json()
    answer = client.post(f"/api/calc/{topic}", json={"no_such_field": 1})
    assert 422 == answer.status_code
    assert any(e["field"] == "no_such_field" for e in answer.json()["errors"])


def test_beyond_the_tables_is_a_422_with_what_to_do(client: TestClient) -> None:
    answer = client.post("/api/calc/plate", json={**PLATE, "compressors": [{"rla_a": 3000, "lra_a": 9000}]})
    assert (422, "Get an engineer: this circuit is too large for these tables.") == (
        answer.status_code,
        answer.json()["next_step"],
    )


def test_another_host_name_is_turned_away(client: TestClient) -> None:
    assert 400 == client.get("/api/health", headers={"host": "evil.example"}).status_code


def test_answers_carry_their_guards(client: TestClient) -> None:
    headers = client.get("/api/people").headers
    assert "default-src 'self'" in headers["content-security-policy"]
    assert "no-store" == headers["cache-control"]


def test_nothing_here_says_so_as_a_problem(client: TestClient) -> None:
    answer = client.get("/api/nowhere")
    assert (404, "Not here") == (answer.status_code, answer.json()["title"])


def test_sites_and_units_are_put_on_record(client: TestClient) -> None:
    site = client.post("/api/sites", json={"name": "Kiln yard", "place": "North road"}).json()
    unit = client.post("/api/units", json={"site_id": site["id"], "name": "Yard split", "kind": "Split"})
    assert (201, "Kiln yard") == (unit.status_code, unit.json()["site"]["name"])
    again = client.post("/api/sites", json={"name": "Kiln yard"})
    assert (422, "name") == (again.status_code, again.json()["errors"][0]["field"])
    twin = client.post("/api/units", json={"site_id": site["id"], "name": "Yard split"})
    assert 422 == twin.status_code
    assert 404 == client.post("/api/units", json={"site_id": 999, "name": "x"}).status_code


def test_a_unit_shows_four_visits_of_history(client: TestClient) -> None:
    page = client.get("/api/units/1").json()
    assert 4 == len(page["calls"])
    inrush = [s["value"] for s in page["starts"] if s["quantity"] == "inrush_a"]
    assert sorted(inrush) == inrush
    assert 4 == len(inrush)


def test_the_demo_is_reloaded_only_on_the_right_words(client: TestClient) -> None:
    assert 422 == client.post("/api/demo/reload", json={"confirm": "yes"}).status_code
    client.post("/api/calls", json={"unit_id": 2, "complaint": "x"}).raise_for_status()
    assert 200 == client.post("/api/demo/reload", json={"confirm": "reload the demo"}).status_code
    assert 16 == len(client.get("/api/calls").json())


def test_records_out_of_reach_is_said_and_nothing_is_half_saved(
    client: TestClient, mariadb: MariaDbServer
) -> None:
    """The database freezes in mid-save; the entry is refused, and saved once when it is back."""
    entry: dict[str, Any] = {"quantity": "running_a", "value": 16.4}
    head = {"Idempotency-Key": "while-frozen"}
    assert mariadb.pid
    ok(client.get("/api/calls/4"))
    os.kill(mariadb.pid, signal.SIGSTOP)
    try:
        begun = time.monotonic()
        answer = client.post("/api/calls/4/readings", json=entry, headers=head)
        assert time.monotonic() - begun < 25
    finally:
        os.kill(mariadb.pid, signal.SIGCONT)
    assert 503 == answer.status_code
    # Whether the frozen database took it in nobody can know yet; the same key settles it.
    assert re.search("not known|Nothing was saved", answer.json()["detail"])
    assert "save again" in answer.json()["next_step"]
    time.sleep(int(answer.headers["Retry-After"]))
    again = client.post("/api/calls/4/readings", json=entry, headers=head)
    assert again.status_code in (200, 201)
    values = [r["entry"]["value"] for r in client.get("/api/calls/4").json()["readings"]]
    assert 1 == values.count(16.4)


def test_health_tells_whether_the_records_answer(client: TestClient) -> None:
    assert "ok" == client.get("/api/health").json()["records"]


NEXT_TO_NOTHING = ("1e-310", "4.9e-324", "-2.2e-308")
HALVES = ('"\\ud800"', '"a\\u0000b"', '"\\udfff\\ud800"')


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("POST", "/api/calls", '{"unit_id":2,"complaint":%s}'),
        ("POST", "/api/sites", '{"name":%s,"place":"a"}'),
        ("PATCH", "/api/calls/4", '{"version":1,"note":%s}'),
        ("POST", "/api/calls/4/changes", '{"what":%s}'),
        ("POST", "/api/calls/4/why", '{"symptoms":["lights_dim"],"note":%s}'),
        ("POST", "/api/calls/4/safety-events", '{"kind":"lapsed","detail":%s}'),
        ("POST", "/api/calc/diagnose", '{"symptoms":[%s]}'),
        ("POST", "/api/practice/runs", '{"scenario":%s}'),
        ("POST", "/practice/api/sites", '{"name":%s}'),
        ("POST", "/api/calc/plate", '{"volts":%s,"phase":1,"compressors":[{"rla_a":1}]}'),
        ("POST", "/api/calls/4/readings", '{"quantity":"running_a","value":%s}'),
        (
            "POST",
            "/api/calc/inrush",
            '{"reading_a":80,"mode":"inrush","conductor":"common","lra_a":97,"volts_start":%s,"plate_volts":230}',
        ),
    ],
)
def test_half_a_character_and_a_figure_next_to_nothing_are_refused_at_every_door(
    client: TestClient, method: str, path: str, body: str
) -> None:
    for bad in (*HALVES, *NEXT_TO_NOTHING):
        refused = client.request(
            method, path, content=body % bad, headers={"content-type": "application/json"}
        )
        assert refused.status_code == 422, (bad, refused.text[:200])
        assert refused.headers["content-type"] == "application/problem+json"
        assert refused.json()["errors"]
        assert refused.headers["content-security-policy"]


@pytest.mark.parametrize(
    "path", ["/%00", "/assets/%00", "/api/calls/%00", "/" + "a" * 6_000, "/" + "a/" * 3_000]
)
def test_a_strange_address_is_no_fault(client: TestClient, path: str) -> None:
    assert client.get(path).status_code in (200, 404, 405, 414, 422)


def test_no_style_runs_that_is_not_the_servers_own(records: MariaDbServer, tmp_path: Path) -> None:
    """The page's policy names the one word its styles go by; no other answer may have any inline."""
    del records
    (tmp_path / "index.html").write_text("<!doctype html><html><head></head><body></body></html>")
    with signed_in_client(create_app(tmp_path)) as client:
        page, again = client.get("/calls"), client.get("/")
        call = client.get("/api/calls/4")
        paper = client.get("/api/calls/7/papers/customer.html")
    word = re.search(r'name="csp-nonce" content="([\w-]{16,})"', page.text)
    assert word is not None
    policies = [a.headers["content-security-policy"] for a in (page, again, call, paper)]
    assert policies[0] == policies[1]
    assert f"style-src 'self' 'nonce-{word[1]}'" in policies[0]
    assert "style-src 'self';" in policies[2]
    assert paper.status_code == 200
    assert "script" not in policies[3]
    assert policies[3].startswith("default-src 'none'")
    assert not any("unsafe-inline" in p for p in policies[:3])
    told = client.get("/calls", headers={"if-none-match": page.headers["etag"]})
    assert (told.status_code, told.headers["content-security-policy"]) == (304, policies[0])
