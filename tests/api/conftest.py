"""The server over a real MariaDB, without a network in between."""

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient
from httpx2 import Headers

from orange_crank.store.server import MariaDbServer
from tests.doing import SignedIn, shop_app, signed_in_client


@pytest.fixture(scope="session")
def _opened() -> Iterator[tuple[TestClient, Headers]]:
    with signed_in_client(shop_app(demo=True)) as opened:
        yield opened, Headers(opened.headers)


@pytest.fixture
def client(records: MariaDbServer, _opened: tuple[TestClient, Headers]) -> TestClient:
    """A client that nobody used, signed in as a technician, over the demo as it was loaded."""
    del records
    client, headers = _opened
    client.headers = Headers(headers)
    client.cookies.clear()
    client.auth = SignedIn()
    return client
