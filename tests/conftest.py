"""What several kinds of tests need: one real MariaDB for the whole run, started and stopped by us."""

import os
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from orange_crank.demo import player as demo_shop
from orange_crank.store import database, schema
from orange_crank.store.models import TABLES
from orange_crank.store.server import MariaDbServer

# How long a property takes on a busy machine says nothing of the product. A run tries what the last one
# tried, so that what fails was changed; SEARCH=1 tries other cases each time, and five times as many.
settings.register_profile("same", deadline=None, derandomize=True)
settings.register_profile("search", deadline=None, max_examples=500)
settings.load_profile("search" if os.environ.get("SEARCH") else "same")


@pytest.fixture(scope="session")
def mariadb(tmp_path_factory: pytest.TempPathFactory) -> Iterator[MariaDbServer]:
    server = MariaDbServer(tmp_path_factory.mktemp("mariadb"))
    bound = database.connect(server.start(), server.owner())
    schema.lay_out()
    yield server
    bound.close_all()  # type: ignore[attr-defined]
    server.stop()


@pytest.fixture(scope="session")
def demo_copy(mariadb: MariaDbServer) -> MariaDbServer:
    """The demo shop loaded once, with a copy of each table beside it to start each test from."""
    demo_shop.clear()
    demo_shop.load()
    with database.as_owner() as owner:
        for table in TABLES:
            name = table._meta.table_name
            owner.execute_sql(f"CREATE TABLE copy_of_{name} AS SELECT * FROM {name}")
    return mariadb


def as_loaded() -> None:
    """Put the demo shop back as it was loaded."""
    demo_shop.clear()
    with database.session():
        for table in reversed(TABLES):
            name = table._meta.table_name
            database.proxy.obj.execute_sql(f"INSERT INTO {name} SELECT * FROM copy_of_{name}")


@pytest.fixture
def records(demo_copy: MariaDbServer) -> MariaDbServer:
    """The demo shop, as new for each test."""
    as_loaded()
    return demo_copy


@pytest.fixture(scope="session")
def root() -> Path:
    return Path(__file__).resolve().parents[1]
