"""Two people at one thing, a sender who goes, no room left: nobody is overwritten, nothing stays."""

import threading
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from orange_crank.api import uploads
from orange_crank.api.app import create_app
from orange_crank.store.server import MariaDbServer
from tests.conftest import as_loaded
from tests.doing import SignedIn, run_apart, signed_in_client

STANDARD = "follow_up_days"


@pytest.fixture
def client(records: MariaDbServer, tmp_path: Path) -> TestClient:
    del records
    app = create_app(uploads_dir=tmp_path / "uploads")
    return signed_in_client(app, person=3)


def held(client: TestClient, what: str) -> float:
    if what == "standard":
        kept = client.get("/api/standards").json()
        return float(next(s["standard"]["value"] for s in kept if s["standard"]["name"] == STANDARD))
    if what == "price":
        row = next(p for p in client.get("/api/parts").json() if p["part"]["part"] == part(client))
        return float(row["price"] or 0)
    van = client.get("/api/vans/1").json()
    return float(next((r["want"] for r in van["lines"] if r["part"]["part"] == part(client)), 0))


def part(client: TestClient) -> str:
    return str(client.get("/api/vans/1").json()["lines"][0]["part"]["part"])


def put(client: TestClient, what: str, figure: float, was: float | None) -> Any:
    more = {} if was is None else {"was": was}
    if what == "standard":
        return client.put(f"/api/standards/{STANDARD}", json={"value": figure, "why": "tried here"} | more)
    if what == "price":
        return client.put(f"/api/parts/{part(client)}/price", json={"price": figure} | more)
    more = {} if was is None else {"was": int(was)}
    return client.put("/api/vans/1/wants", json={"part": part(client), "want": int(figure)} | more)


@pytest.mark.parametrize("what", ["standard", "price", "want"])
def test_a_figure_set_from_one_that_no_longer_holds_is_refused(client: TestClient, what: str) -> None:
    first = held(client, what)
    assert put(client, what, first + 2, first).status_code == 200
    late = put(client, what, first + 1, first)
    assert late.status_code == 409
    assert "Another person set" in late.json()["detail"]
    assert late.json()["next_step"]
    assert held(client, what) == first + 2
    assert put(client, what, first + 1, first + 2).status_code == 200
    # A program that does not say what it started from is taken as it always was.
    assert put(client, what, first + 3, None).status_code == 200
    assert held(client, what) == first + 3


@pytest.mark.parametrize("what", ["standard", "price", "want"])
def test_of_two_at_once_one_is_refused(client: TestClient, what: str) -> None:
    first, answers = held(client, what), []

    def set_it(figure: float) -> None:
        answers.append(put(client, what, figure, first).status_code)

    threads = [threading.Thread(target=set_it, args=(first + i,)) for i in (1, 2, 3)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert sorted(answers) == [200, 409, 409]


def test_a_part_nobody_wanted_yet_is_wanted_once(client: TestClient) -> None:
    carried = {r["part"]["part"] for r in client.get("/api/vans/2").json()["lines"]}
    fresh = next(
        p["part"]["part"] for p in client.get("/api/parts").json() if p["part"]["part"] not in carried
    )
    answers: list[int] = []

    def want(count: int) -> None:
        answers.append(client.put("/api/vans/2/wants", json={"part": fresh, "want": count}).status_code)

    threads = [threading.Thread(target=want, args=(i,)) for i in (1, 2, 3, 4)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert answers == [200] * 4
    lines = client.get("/api/vans/2").json()["lines"]
    assert [r["part"]["part"] for r in lines].count(fresh) == 1


@pytest.mark.parametrize(
    ("path", "query"),
    [
        ("/api/uploads", b"kind=csv"),
        ("/api/archives", b""),
        ("/api/calls/4/photos", b""),
        ("/api/calls/4/sounds", b""),
        ("/api/parts/import", b""),
        ("/api/customers/import", b"keep=true"),
    ],
)
def test_a_sender_who_goes_in_the_middle_is_no_fault_and_leaves_nothing(
    records: MariaDbServer, tmp_path: Path, capsys: pytest.CaptureFixture[str], path: str, query: bytes
) -> None:
    del records
    app = create_app(uploads_dir=tmp_path / "uploads")
    answered: list[Any] = []
    messages = [
        {"type": "http.request", "body": b"half of it", "more_body": True},
        {"type": "http.disconnect"},
    ]

    async def play() -> None:
        async def receive() -> Any:
            return messages.pop(0) if messages else {"type": "http.disconnect"}

        async def send(message: Any) -> None:
            answered.append(message)

        scope = {
            "type": "http",
            "method": "POST",
            "path": path,
            "raw_path": path.encode(),
            "query_string": query,
            "headers": [(b"host", b"127.0.0.1"), (b"cookie", SignedIn().cookie("3").encode())],
            "http_version": "1.1",
            "scheme": "http",
            "client": ("127.0.0.1", 1),
            "server": ("127.0.0.1", 80),
        }
        await app(scope, receive, send)

    run_apart(play())
    assert [m["status"] for m in answered if m["type"] == "http.response.start"] == [400]
    assert list((tmp_path / "uploads").glob("*")) == []
    said = capsys.readouterr()
    assert "unexpected" not in said.err + said.out


def test_what_waits_to_be_used_has_an_end(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    body = b"time_s,amps [A]\n" + b"".join(b"%d,1\n" % i for i in range(400))
    assert client.post("/api/uploads?kind=csv", content=body).status_code == 201
    monkeypatch.setattr(uploads, "MOST_WAITING", 1_000)
    refused = client.post("/api/uploads?kind=csv", content=body)
    assert refused.status_code == 503
    assert "no more are taken" in refused.json()["detail"]
    assert refused.json()["next_step"]


def test_a_disk_with_no_room_takes_no_file(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(uploads, "LEAST_FREE", 2**62)
    refused = client.post("/api/uploads?kind=csv", content=b"a,b\n1,2\n")
    assert refused.status_code == 503
    assert "full" in refused.json()["detail"]
    as_loaded()
