"""What several kinds of tests need: one real MariaDB for the whole run, started and stopped by us."""

import os
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings
from pwdlib import PasswordHash
from pwdlib.hashers.argon2 import Argon2Hasher

from orange_crank.store import credentials, database, schema, seal
from orange_crank.store.calls.stamps import REMEMBERED
from orange_crank.store.server import MariaDbServer
from tests import laid_out

# How long a property takes on a busy machine says nothing of the product. A run tries what the last one
# tried, so that what fails was changed; SEARCH=1 tries other cases each time, and five times as many.
settings.register_profile("same", deadline=None, derandomize=True)
settings.register_profile("search", deadline=None, max_examples=500)
# Hashes at their real cost take a third of a second each; tests/running has real ones.
credentials._hash = PasswordHash((Argon2Hasher(time_cost=1, memory_cost=8, parallelism=1),))
settings.load_profile("search" if os.environ.get("SEARCH") else "same")


# Files whose tests share a running product or a costly fixture stay on one worker, longest first.
TOGETHER = (
    "ui/",
    "running/",
    "store/test_forward.py",
    "api/test_rights.py",
    "api/test_meters.py",
    "house/test_house.py",
)


def _rank(nodeid: str) -> int:
    path = nodeid.removeprefix("tests/")
    return next((rank for rank, start in enumerate(TOGETHER) if path.startswith(start)), len(TOGETHER))


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> Any:
    """Keep the files of ``TOGETHER`` each on one worker; deal all other tests out one by one."""
    from xdist.scheduler import LoadScopeScheduling

    class Together(LoadScopeScheduling):  # type: ignore[misc]
        def _split_scope(self, nodeid: str) -> str:
            return nodeid.partition("::")[0] if _rank(nodeid) < len(TOGETHER) else nodeid

    return Together(config, log)


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=lambda item: _rank(item.nodeid))


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    """Print the ten slowest files, so that a slow one is noticed."""
    spent: Counter[str] = Counter()
    for reports in terminalreporter.stats.values():
        for report in reports:
            if isinstance(report, pytest.TestReport):
                spent[report.nodeid.partition("::")[0]] += report.duration  # type: ignore[assignment]
    terminalreporter.section("ten slowest files, seconds")
    for name, seconds in spent.most_common(10):
        terminalreporter.write_line(f"{seconds:8.1f}  {name}")


@pytest.fixture(scope="session", autouse=True)
def _prepared(tmp_path_factory: pytest.TempPathFactory) -> None:
    """All workers of a run share the prepared data folders; each has a shop's key of its own."""
    base = tmp_path_factory.getbasetemp()
    laid_out.keep_in(base.parent if os.environ.get("PYTEST_XDIST_WORKER") else base)
    seal.keep_key_in(tmp_path_factory.mktemp("key"))


@pytest.fixture(scope="session")
def mariadb(tmp_path_factory: pytest.TempPathFactory) -> Iterator[MariaDbServer]:
    server = MariaDbServer(laid_out.copy_to(tmp_path_factory.mktemp("shop") / "data", demo=True) / "mariadb")
    bound = database.connect(server.start(), server.owner())
    schema.lay_out()
    yield server
    bound.close_all()  # type: ignore[attr-defined]
    server.stop()


_reset: list[laid_out.Reset] = []


@pytest.fixture(scope="session")
def demo_copy(mariadb: MariaDbServer) -> Iterator[MariaDbServer]:
    """The demo shop as loaded, with a copy of each table beside it to start each test from."""
    line = laid_out.OwnersLine(mariadb.owner())
    _reset[:] = [laid_out.Reset(line)]
    yield mariadb
    line.close()


def as_loaded() -> None:
    """Put the demo shop back as it was loaded."""
    _reset[0].put_back()
    REMEMBERED.forget()


@pytest.fixture
def records(demo_copy: MariaDbServer) -> MariaDbServer:
    """The demo shop, as new for each test."""
    as_loaded()
    return demo_copy


@pytest.fixture(scope="session")
def root() -> Path:
    return Path(__file__).resolve().parents[1]
