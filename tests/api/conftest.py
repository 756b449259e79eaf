"""The server over a real MariaDB, without a network in between."""

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient

from orange_crank.api.app import create_app
from orange_crank.demo import player
from orange_crank.store.server import MariaDbServer
from tests.doing import signed_in_client


@pytest.fixture
def client(records: MariaDbServer) -> Iterator[TestClient]:
    del records
    with signed_in_client(create_app(reload_demo=player.reload)) as opened:
        yield opened
