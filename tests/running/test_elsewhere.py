"""A MariaDB elsewhere: asked over TLS only, and two of them, the second taking over when the first dies."""

import os
import signal
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pymysql
import pytest
import trustme
from pydantic import SecretStr

from orange_crank.store.backup import verify_backup
from orange_crank.store.database import Connection
from orange_crank.store.server import MariaDbServer
from tests.product import Line, live_call, running
from tests.running.killing import Sent, write


@contextmanager
def database(folder: Path, *more: str) -> Iterator[MariaDbServer]:
    made = MariaDbServer(folder, more=more)
    made.start()
    try:
        yield made
    finally:
        made.stop()


def settings_for(server: MariaDbServer, folder: Path, **more: str) -> dict[str, str]:
    """Settings by which the product finds a server elsewhere, as docs/running-reference.md gives them."""
    folder.mkdir(exist_ok=True)
    app, owner = folder / "app.secret", folder / "owner.secret"
    app.write_text(server.connection().password.get_secret_value() + "\n")
    owner.write_text(server.owner().password.get_secret_value() + "\n")
    return {
        "database_host": "127.0.0.1",
        "database_port": str(server.port),
        "database_password_file": str(app),
        "database_owner": "orange_crank_owner",
        "database_owner_password_file": str(owner),
        **more,
    }


@pytest.fixture(scope="module")
def authority() -> trustme.CA:
    return trustme.CA()


@pytest.fixture
def tls_server(tmp_path: Path, authority: trustme.CA) -> Iterator[tuple[MariaDbServer, Path]]:
    certificate = authority.issue_cert("127.0.0.1", "localhost")
    chain, key, ca = tmp_path / "chain.pem", tmp_path / "key.pem", tmp_path / "ca.pem"
    certificate.cert_chain_pems[0].write_to_path(chain)
    certificate.private_key_pem.write_to_path(key)
    authority.cert_pem.write_to_path(ca)
    secured = (f"--ssl-cert={chain}", f"--ssl-key={key}", f"--ssl-ca={ca}", "--require-secure-transport=ON")
    with database(tmp_path / "elsewhere", *secured) as server:
        yield server, ca


def test_records_elsewhere_are_spoken_to_over_tls(
    tmp_path: Path, tls_server: tuple[MariaDbServer, Path]
) -> None:
    server, ca = tls_server
    told = settings_for(server, tmp_path / "secrets", database_tls_ca=str(ca))
    with running(tmp_path / "data", **told) as product:
        line = Line(product, person=3, timeout=60)
        assert line.send("GET", "/api/calls/4").status == 200
        assert not (tmp_path / "data" / "mariadb").exists()
        ciphers = server.administer(
            "SELECT variable_value FROM performance_schema.status_by_thread LIMIT 0; SHOW PROCESSLIST"
        )
        assert "orange_crank" in ciphers
        backup = line.send("POST", "/api/backups")
        assert backup.status == 201, backup.body
        made = tmp_path / "data" / "backups" / backup.body["last"]["name"]
        assert verify_backup(made).counts["service_call"] > 3


def test_a_server_that_does_not_prove_its_name_is_told_nothing(
    tmp_path: Path, tls_server: tuple[MariaDbServer, Path]
) -> None:
    server, ca = tls_server
    stranger = tmp_path / "stranger.pem"
    trustme.CA().cert_pem.write_to_path(stranger)
    at = server.owner()

    def connects(**more: object) -> bool:
        found = Connection(**(at.model_dump() | more))
        try:
            line = pymysql.connect(host=found.host, port=found.port, database=found.name, **found.arguments())
        except (pymysql.err.MySQLError, OSError):
            return False
        with line.cursor() as cursor:
            cursor.execute("SHOW STATUS LIKE 'Ssl_cipher'")
            assert cursor.fetchone()[1]
        line.close()
        return True

    assert connects(tls_ca=ca)
    assert not connects(tls_ca=stranger)
    assert not connects(tls_ca=ca, password=SecretStr("wrong"))


SEMI_SYNC = (
    "--log-bin=bin",
    "--binlog-format=ROW",
    "--log-slave-updates=ON",
    "--sync-binlog=1",
    "--log-bin-trust-function-creators=ON",
)
PRIMARY = (
    *SEMI_SYNC,
    "--server-id=1",
    "--rpl-semi-sync-master-enabled=ON",
    "--rpl-semi-sync-master-wait-point=AFTER_SYNC",
    "--rpl-semi-sync-master-timeout=30000",
)
REPLICA = (*SEMI_SYNC, "--server-id=2", "--rpl-semi-sync-slave-enabled=ON", "--read-only=ON")


def follow(replica: MariaDbServer, primary: MariaDbServer) -> None:
    primary.administer(
        "CREATE USER replica@'127.0.0.1' IDENTIFIED BY 'follows';"
        "GRANT REPLICATION SLAVE ON *.* TO replica@'127.0.0.1';"
    )
    replica.administer(
        f"CHANGE MASTER TO master_host='127.0.0.1', master_port={primary.port}, master_user='replica', "
        "master_password='follows', master_use_gtid=slave_pos; START SLAVE;"
    )
    for _ in range(100):
        told = primary.administer("SHOW STATUS LIKE 'Rpl_semi_sync_master_clients'")
        if told.strip().endswith("1"):
            return
        time.sleep(0.1)
    raise AssertionError(replica.administer("SHOW SLAVE STATUS\\G"))


def promote(replica: MariaDbServer) -> None:
    """Let the replica take over, as docs/running-reference.md says it."""
    for _ in range(300):
        told = replica.administer("SHOW SLAVE STATUS\\G")
        if "Slave has read all relay log" in told:
            break
        time.sleep(0.1)
    replica.administer("STOP SLAVE; RESET SLAVE ALL; SET GLOBAL read_only = OFF;")


def test_when_the_first_of_two_dies_nothing_acknowledged_is_lost(tmp_path: Path) -> None:
    with (
        database(tmp_path / "one", *PRIMARY) as primary,
        database(tmp_path / "two", *REPLICA) as replica,
    ):
        follow(replica, primary)
        told = settings_for(
            primary, tmp_path / "secrets", database_others=f"127.0.0.1:{replica.port}", workers="2"
        )
        with running(tmp_path / "data", **told) as product:
            calls = [live_call(product, f"Follows {i}") for i in range(4)]
            every: dict[int, Sent] = {call: {} for call in calls}
            stop = threading.Event()
            threads = [
                threading.Thread(target=write, args=(product, call, i, every[call], stop))
                for i, call in enumerate(calls)
            ]
            for t in threads:
                t.start()
            time.sleep(3)
            assert primary.pid is not None
            os.kill(primary.pid, signal.SIGKILL)
            time.sleep(0.5)
            refused = Line(product).send("GET", "/api/ready")
            assert refused.status == 503
            promote(replica)
            before = sum(n is not None for sent in every.values() for n in sent.values())
            for _ in range(200):
                if Line(product).send("GET", "/api/ready").status == 200:
                    break
                time.sleep(0.1)
            time.sleep(2)
            stop.set()
            for t in threads:
                t.join()
            after = sum(n is not None for sent in every.values() for n in sent.values())
            assert before > 20
            assert after > before
            line = Line(product)
            for call, sent in every.items():
                kept = {
                    r["entry"]["note"]: r["id"]
                    for r in line.send("GET", f"/api/calls/{call}").body["readings"]
                }
                assert {k: n for k, n in sent.items() if n is not None and kept.get(k) != n} == {}
