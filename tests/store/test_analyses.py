"""What is read off a file is kept beside it: read once by the same code, again by other code."""

import pytest
from fastapi.testclient import TestClient

from orange_crank.store import analyses, captures
from orange_crank.store.database import proxy, session
from orange_crank.store.models import AnalysisRow, CaptureRow
from orange_crank.store.server import MariaDbServer
from tests.doing import shop_app, signed_in_client


@pytest.fixture
def client(records: MariaDbServer) -> TestClient:
    del records
    return signed_in_client(shop_app())


def a_call_with_a_capture() -> tuple[int, int]:
    with session():
        row = CaptureRow.select(CaptureRow.id, CaptureRow.call).get()
        return row.call_id, row.id


def count_reads(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    reads: list[int] = []
    real = captures.load_capture

    def load(number: int) -> captures.Kept:
        reads.append(number)
        return real(number)

    monkeypatch.setattr(captures, "load_capture", load)
    return reads


def test_a_list_reads_no_file_again(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    call, number = a_call_with_a_capture()
    with session():
        AnalysisRow.delete().execute()
    reads = count_reads(monkeypatch)
    first = client.get(f"/api/calls/{call}/captures").json()
    assert reads == [number]
    assert client.get(f"/api/calls/{call}/captures").json() == first
    assert reads == [number]


def test_other_code_reads_it_again(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    call, number = a_call_with_a_capture()
    first = client.get(f"/api/calls/{call}/captures").json()
    reads = count_reads(monkeypatch)
    analyses._read_by.cache_clear()
    monkeypatch.setattr(analyses, "_code", lambda: "another program")
    try:
        assert client.get(f"/api/calls/{call}/captures").json() == first
    finally:
        analyses._read_by.cache_clear()
    assert reads == [number]
    with session():
        assert AnalysisRow.select().where(AnalysisRow.number == number).count() == 1


def test_what_was_kept_and_cannot_be_read_is_read_off_the_file(client: TestClient) -> None:
    call, _ = a_call_with_a_capture()
    first = client.get(f"/api/calls/{call}/captures").json()
    with session():
        AnalysisRow.update(body="{}").execute()
    assert client.get(f"/api/calls/{call}/captures").json() == first


def test_where_it_cannot_be_kept_it_is_read_all_the_same(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    call, _ = a_call_with_a_capture()
    first = client.get(f"/api/calls/{call}/captures").json()
    with session():
        AnalysisRow.delete().execute()
    real = type(proxy.obj).execute_sql

    def full(self: object, sql: str, params: object = None) -> object:
        wrong = sql.replace("`analysis`", "`nowhere`") if sql.startswith(("REPLACE", "INSERT")) else sql
        return real(self, wrong, params)

    monkeypatch.setattr(type(proxy.obj), "execute_sql", full)
    assert client.get(f"/api/calls/{call}/captures").json() == first
    monkeypatch.undo()
    with session():
        assert AnalysisRow.select().count() == 0
