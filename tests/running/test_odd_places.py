"""Started where it cannot work: one sentence of what happened, one of what to do, and nothing harmed."""

import contextlib
import os
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import pytest

from orange_crank.store.server import free_port
from tests.product import Line, Product, live_call

CLI = [sys.executable, "-m", "orange_crank.cli"]


def start(folder: Path, inside: Sequence[str] = (), **settings: str) -> subprocess.CompletedProcess[str]:
    """Start the product where it cannot work; return what it said."""
    named = {f"ORANGE_CRANK_{k.upper()}": v for k, v in settings.items()}
    own = {"ORANGE_CRANK_DATA_DIR": str(folder), "ORANGE_CRANK_PORT": str(free_port())}
    return subprocess.run(
        [*inside, *CLI, "start", "--demo"],
        env=os.environ | own | named,
        capture_output=True,
        text=True,
        timeout=120,
        check=False,
    )


def sentences(said: subprocess.CompletedProcess[str]) -> str:
    """What was said of it: what happened, what to do, and no trace of the program's inside."""
    assert said.returncode == 1, (said.stdout, said.stderr)
    assert "Traceback" not in said.stderr
    happened, _, step = said.stderr.strip().partition("\n")
    assert happened.endswith(".")
    assert step.strip()
    return said.stderr


def _works(*command: str) -> bool:
    return subprocess.run(command, capture_output=True, check=False).returncode == 0


def mounted(folder: Path, options: str) -> list[str]:
    """Run what follows in a view of the disk of its own, with a small file system at a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    own = next((o for o in ("-m", "-rm") if _works("unshare", o, "true")), None)
    if own is None:
        pytest.skip("this machine gives nobody a view of the disk of their own")
    return ["unshare", own, "sh", "-c", f'mount -t tmpfs -o {options} tmpfs "{folder}" && exec "$@"', "sh"]


def test_a_port_of_the_systems_own(tmp_path: Path) -> None:
    # In a name space of its own nobody is root over the machine's ports.
    inside = ["setpriv", "--bounding-set=-net_bind_service", "--inh-caps=-net_bind_service"]
    said = sentences(start(tmp_path / "data", [*inside, "--"], port="80"))
    assert "Port 80" in said
    assert "PORT=8420" in said


def test_a_port_that_is_taken(tmp_path: Path) -> None:
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = other.getsockname()[1]
        said = sentences(start(tmp_path / "data", port=str(port)))
    assert f"Port {port} is taken" in said
    assert f"PORT={port + 1}" in said


@pytest.mark.parametrize("port", ["0", "99999", "eight", ""])
def test_a_port_that_is_none(tmp_path: Path, port: str) -> None:
    said = start(tmp_path / "data", port=port)
    assert said.returncode == 1
    assert "Traceback" not in said.stderr
    assert "setting" in said.stderr.lower()


def test_a_folder_of_somebody_elses(tmp_path: Path) -> None:
    theirs = tmp_path / "data" / "thesis.tex"
    theirs.parent.mkdir()
    theirs.write_text("keep")
    said = sentences(start(tmp_path / "data"))
    assert "another program's files" in said
    assert "ORANGE_CRANK_DATA_DIR" in said
    assert [p.name for p in (tmp_path / "data").iterdir()] == ["thesis.tex"]


def test_a_file_where_the_folder_should_be(tmp_path: Path) -> None:
    (tmp_path / "data").write_text("a file")
    said = sentences(start(tmp_path / "data"))
    assert "ORANGE_CRANK_DATA_DIR" in said
    assert (tmp_path / "data").read_text() == "a file"


def test_a_folder_that_takes_no_writes(tmp_path: Path) -> None:
    inside = mounted(tmp_path / "data", "ro,size=8m")
    said = sentences(start(tmp_path / "data", inside))
    assert "cannot be written to" in said
    assert "ORANGE_CRANK_DATA_DIR" in said


def test_a_disk_too_small_to_begin_on(tmp_path: Path) -> None:
    inside = mounted(tmp_path / "data", "size=40m")
    said = sentences(start(tmp_path / "data", inside))
    assert "MB are free" in said


def test_a_half_made_folder_begins_anew_and_keeps_what_was_there(tmp_path: Path) -> None:
    half = tmp_path / "data" / "mariadb" / "data.making"
    half.mkdir(parents=True)
    (half / "begun").write_text("half")
    product = Product(tmp_path / "data")
    try:
        product.start()
        assert Line(product).send("GET", "/api/people").status == 200
        assert [p.read_text() for p in (tmp_path / "data").glob("mariadb/data.unfinished-*/begun")] == [
            "half"
        ]
    finally:
        product.stop()


@pytest.mark.parametrize(
    ("settings", "words"),
    [
        ({"database_host": "db.example"}, "PASSWORD_FILE"),
        ({"database_host": "db.example", "database_password_file": "/nowhere/secret"}, "cannot be read"),
        ({"database_host": "db.example", "database_password_file": "{secret}"}, "TLS_CA"),
        (
            {
                "database_host": "127.0.0.1",
                "database_password_file": "{secret}",
                "database_others": "nonsense",
            },
            "host:port",
        ),
        (
            {"database_host": "127.0.0.1", "database_port": "1", "database_password_file": "{secret}"},
            "cannot be reached",
        ),
    ],
)
def test_a_database_elsewhere_that_cannot_be_used(
    tmp_path: Path, settings: dict[str, str], words: str
) -> None:
    secret = tmp_path / "secret"
    secret.write_text("x")
    told = {k: v.format(secret=secret) for k, v in settings.items()}
    said = sentences(start(tmp_path / "data", **told))
    assert words in said
    assert "x" * 12 not in said


@contextmanager
def on_a_small_disk(folder: Path, size: str) -> Iterator[Product]:
    """Run the product on a file system of its own that can be filled, seen from here through its process."""
    product = Product(folder)
    inside = mounted(folder, f"size={size}")
    log = (folder.parent / "data.out").open("ab")
    product.process = subprocess.Popen(
        [*inside, *CLI, "start", "--demo"], env=product.environment, stdout=log, stderr=log
    )
    log.close()
    try:
        for _ in range(600):
            assert product.process.poll() is None, (folder.parent / "data.out").read_text()
            try:
                urllib.request.urlopen(product.address + "/api/ready", timeout=1).close()
                break
            except OSError:
                time.sleep(0.1)
        yield product
    finally:
        product.stop()


def test_a_disk_that_fills_up_is_named_and_nothing_acknowledged_is_lost(tmp_path: Path) -> None:
    with on_a_small_disk(tmp_path / "data", "620m") as product:
        assert product.process is not None
        # The same file system, through the process that has it.
        disk = Path(f"/proc/{product.process.pid}/root{tmp_path}/data")
        call = live_call(product, "Small disk")
        line = Line(product, timeout=60)
        entry = {"quantity": "running_a", "value": 15.0}
        saved = [line.send("POST", f"/api/calls/{call}/readings", entry).body["reading"]["id"]]
        low = Line(product, person=3).send("GET", "/api/backups").body
        assert low["low"] is True
        # The same at the start, to whoever started it, and over the lead's calls.
        assert "GB are free where the records lie. Make room" in product.said
        keeping = Line(product, person=3).send("GET", "/api/keeping").body
        assert [w["code"] for w in keeping["worries"]] == ["LOW_ROOM"]
        # Nothing is held back to be written at the end: what no longer fits is known at once.
        with (disk / "uploads-filler").open("wb", buffering=0) as filler, contextlib.suppress(OSError):
            while True:
                filler.write(b"\0" * 65_536)
        # Photographs take the room that tables have left over; then no more is taken.
        refused = None
        for _ in range(400):
            said = line.send("POST", f"/api/calls/{call}/readings", entry | {"note": "n" * 390})
            if said.status != 201:
                refused = said
                break
            saved.append(said.body["reading"]["id"])
            said = line.send("POST", f"/api/calls/{call}/changes", {"what": "w" * 70})
            if said.status != 201:
                refused = said
                break
        assert refused is not None, len(saved)
        assert refused.status == 503, refused.body
        assert "full" in refused.body["detail"]
        assert "room" in refused.body["next_step"]
        backup = Line(product, person=3, timeout=60).send("POST", "/api/backups")
        assert backup.status == 503
        assert "No backup" in backup.body["detail"]
        assert backup.body["next_step"]
        (disk / "uploads-filler").unlink()
        for _ in range(100):
            said = line.send("POST", f"/api/calls/{call}/readings", entry)
            if said.status == 201:
                break
            time.sleep(0.2)
        assert said.status == 201
        saved.append(said.body["reading"]["id"])
        kept = [r["id"] for r in line.send("GET", f"/api/calls/{call}").body["readings"]]
        assert set(saved) <= set(kept)
        assert Line(product, person=3, timeout=60).send("POST", "/api/backups").status == 201
