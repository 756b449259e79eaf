"""The running server put together: its records, its application, one process of it or several.

What a run is (its database's port, whether it runs the demo) is told to the other processes by the
environment; passwords never are, they are read where they lie.
"""

import ctypes
import os
import signal
import socket
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from pydantic import BaseModel, ConfigDict

from orange_crank.keeping import worries
from orange_crank.network import Network
from orange_crank.push import Sender, ShopKey
from orange_crank.settings import Settings
from orange_crank.store import database, seal
from orange_crank.store.backup import Keeper
from orange_crank.store.database import Connection
from orange_crank.store.server import MariaDbServer
from orange_crank.teller import Teller

RUN = "ORANGE_CRANK_RUN"


class Run(BaseModel):
    """What the processes of one run have in common."""

    model_config = ConfigDict(frozen=True)

    database_port: int = 0
    demo: bool = False
    bench_port: int | None = None


def own_server(settings: Settings, say: Callable[[str], None] = lambda _: None) -> MariaDbServer | None:
    """Return the database that belongs to this data folder; None where the records are elsewhere."""
    return None if settings.database_host else MariaDbServer(settings.data_dir / "mariadb", say)


def connections(settings: Settings, database_port: int) -> tuple[Connection, Connection]:
    """Return how the application signs in, and how the account that lays the schema out does."""
    server = own_server(settings)
    if server is None:
        return settings.remote_connection(), settings.remote_connection(owner=True)
    server.port = database_port
    return server.connection(), server.owner()


def make_teller(settings: Settings, network: Network, keeper: Keeper) -> Teller:
    """Return what tells devices of what is due while the program is closed on them."""
    near = frozenset(h.strip() for h in settings.push_hosts.split(",") if h.strip())
    contact = settings.push_contact or f"https://{urlsplit(network.address).hostname}"
    sender = Sender(ShopKey(settings.data_dir / "push" / "shop.pem"), contact, near)
    return Teller(sender, lambda: worries(keeper, network, datetime.now(UTC)))


def make_keeper(settings: Settings, owner: Connection) -> Keeper:
    """Return what makes the backups."""
    return Keeper(
        owner, settings.backups, settings.backup_hours, settings.data_dir / "meters", settings.data_dir
    )


def make_application(settings: Settings, run: Run) -> Any:
    """Return the application of one process, over records that are connected."""
    from orange_crank.api.app import create_app
    from orange_crank.api.meters import MeterBench
    from orange_crank.demo import player

    _, owner = connections(settings, run.database_port)
    if own_server(settings) is not None:
        database.lies_in(settings.data_dir)
    hosts = frozenset(h.strip() for h in settings.meter_hosts.split(",") if h.strip())
    network, keeper = Network.of(settings), make_keeper(settings, owner)
    return create_app(
        settings.web_dir if (settings.web_dir / "index.html").exists() else None,
        settings.data_dir / "uploads",
        player.reload if run.demo else None,
        MeterBench(run.bench_port, settings.data_dir / "meters", hosts),
        keeper,
        network,
        make_teller(settings, network, keeper),
    )


def worker() -> Any:
    """Make the application of one of several processes; it ends with the process that started it."""
    from orange_crank.api.request_log import configure_log

    ctypes.CDLL(None).prctl(1, signal.SIGTERM)
    settings, run = Settings(), Run.model_validate_json(os.environ[RUN])
    configure_log(settings.data_dir / "logs")
    seal.keep_key_in(settings.data_dir)
    database.connect(*connections(settings, run.database_port))
    database.set_zone(settings.zone)
    return make_application(settings, run)


def serve(settings: Settings, run: Run) -> None:
    """Answer until told to stop."""
    import uvicorn
    from uvicorn.supervisors.multiprocess import Multiprocess

    from orange_crank.api.limits import MOST_AT_ONCE, PatientProtocol

    PatientProtocol.proxies = frozenset(settings.proxy_addresses)
    several = settings.workers > 1
    certificate, key = settings.tls or (None, None)
    config = uvicorn.Config(
        "orange_crank.serving:worker" if several else make_application(settings, run),
        factory=several,
        host=settings.host,
        port=settings.port,
        workers=settings.workers,
        log_level="warning",
        http=PatientProtocol,
        limit_concurrency=MOST_AT_ONCE,
        timeout_graceful_shutdown=5,
        timeout_keep_alive=20,
        timeout_worker_healthcheck=60,
        server_header=False,
        ssl_certfile=certificate,
        ssl_keyfile=key,
        # What a sender says of who sent it to him is believed of a named proxy only.
        proxy_headers=bool(settings.proxy_addresses),
        forwarded_allow_ips=settings.proxy_addresses,
    )
    if not several:
        uvicorn.Server(config).run()
        return
    os.environ[RUN] = run.model_dump_json()
    Multiprocess(config, sockets=[config.bind_socket()]).run()


def hand_out_authority(network: Network, settings: Settings) -> None:
    """Serve the plain page by which a phone comes to trust the shop, beside the server, until it ends.

    Raises
    ------
    OSError : its port is taken

    """
    import uvicorn

    from orange_crank.api.install_page import install_app

    config = uvicorn.Config(
        install_app(network),
        host=settings.host,
        port=settings.install_page_port,
        log_level="critical",
        limit_concurrency=40,
        timeout_keep_alive=5,
        server_header=False,
        proxy_headers=False,
    )
    # Bound here, so that a taken port is told to whoever starts it.
    listener = socket.socket(socket.AF_INET6 if ":" in settings.host else socket.AF_INET)
    listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listener.bind((settings.host, settings.install_page_port))
    except OSError:
        listener.close()
        raise
    server = uvicorn.Server(config)
    threading.Thread(target=server.run, args=([listener],), daemon=True).start()


def is_ours(folder: Path) -> bool:
    """Tell whether a data folder is empty, or one this program made."""
    names = {p.name for p in folder.iterdir() if not p.name.startswith(".")} if folder.exists() else set()
    return not names - {"lost+found"} or bool(names & {"mariadb", "lock", "running.json", "backups", "tls"})
