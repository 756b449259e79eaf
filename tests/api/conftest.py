"""The server over a real MariaDB, without a network in between."""

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient

from orange_crank.api.app import create_app
from orange_crank.demo import player
from orange_crank.store.server import MariaDbServer


@pytest.fixture
def client(records: MariaDbServer) -> Iterator[TestClient]:
    del records
    with TestClient(
        create_app(reload_demo=player.reload), base_url="http://127.0.0.1", raise_server_exceptions=False
    ) as opened:
        opened.headers["Orange-Crank-Person"] = "1"
        yield opened
