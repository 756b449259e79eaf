"""The real product in processes of its own, as a user starts it."""

import http.client
import json
import os
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.request
import uuid
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import SecretStr

from orange_crank.store.database import PRACTICE_SUFFIX, Connection
from orange_crank.store.models import SIGN_IN, TABLES
from orange_crank.store.practice import PRACTICE_FROM
from orange_crank.store.server import DATABASE, OWNER, free_port
from tests import laid_out
from tests.doing import CAUTION, GO_LIVE


class Product:
    """The server as a user starts it; may be stopped, killed and started again over the same data."""

    def __init__(self, folder: Path, command: Sequence[str] = ("start", "--demo"), **settings: str) -> None:
        self.folder = folder
        self.command = command
        self.settings = settings
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[bytes] | None = None
        self._reset: laid_out.Reset | None = None
        # What devices hold that are signed in, by person: the same after a start over the same data.
        self.cookies: dict[int, str] = {}

    @property
    def environment(self) -> dict[str, str]:
        named = {f"ORANGE_CRANK_{name.upper()}": value for name, value in self.settings.items()}
        own = {"ORANGE_CRANK_DATA_DIR": str(self.folder), "ORANGE_CRANK_PORT": str(self.port)}
        return os.environ | own | named

    @property
    def said(self) -> str:
        """What it printed."""
        return (self.folder.parent / f"{self.folder.name}.out").read_text()

    def start(self, *, from_nothing: bool = False) -> float:
        """Start it, wait until it answers; a new folder gets a prepared database unless ``from_nothing``."""
        if not from_nothing and "database_host" not in self.settings:
            laid_out.copy_to(self.folder, demo="--demo" in self.command)
        begun = time.monotonic()
        self.folder.mkdir(parents=True, exist_ok=True)
        with (self.folder.parent / f"{self.folder.name}.out").open("ab") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "orange_crank.cli", *self.command],
                env=self.environment,
                stdout=log,
                stderr=log,
            )
        for _ in range(4000):
            if self.process.poll() is not None:
                raise RuntimeError(self.said)
            try:
                urllib.request.urlopen(self.address + "/api/ready", timeout=2).close()
                return time.monotonic() - begun
            except OSError:
                time.sleep(0.05)
        raise RuntimeError("the server does not answer")

    @contextmanager
    def owner(self) -> Iterator[laid_out.OwnersLine]:
        """Hold a line of the account that owns the records."""
        secrets = json.loads((self.folder / "mariadb" / "password.json").read_text())
        running = json.loads((self.folder / "running.json").read_text())
        line = laid_out.OwnersLine(
            Connection(
                port=running["database_port"],
                user=OWNER,
                password=SecretStr(secrets["owner_password"]),
                name=DATABASE,
            )
        )
        try:
            yield line
        finally:
            line.close()

    def as_loaded(self) -> None:
        """Put the demo back as it was when this was first asked; who is signed in stays so."""
        with self.owner() as line:
            if self._reset is None:
                self._reset = laid_out.Reset(line, keep={str(t._meta.table_name) for t in SIGN_IN})
            else:
                self._reset.ask = line
                self._reset.put_back()
            self._forget_practice(line)

    @staticmethod
    def _forget_practice(line: laid_out.OwnersLine) -> None:
        """Empty the practice records, where there are any; their numbers begin again where they began."""
        beside = f"{DATABASE}{PRACTICE_SUFFIX}"
        [[there]] = line(f"SELECT COUNT(*) FROM information_schema.schemata WHERE schema_name = '{beside}'")
        if not there:
            return
        line("SET FOREIGN_KEY_CHECKS = 0")
        for name in (str(t._meta.table_name) for t in TABLES):
            if name not in ("person", "shop_fact") and line(f"SELECT 1 FROM `{beside}`.`{name}` LIMIT 1"):
                line(f"TRUNCATE TABLE `{beside}`.`{name}`")
                line(f"ALTER TABLE `{beside}`.`{name}` AUTO_INCREMENT = {PRACTICE_FROM}")

    def stop(self) -> None:
        if self.process is not None:
            self.process.terminate()
            self.process.wait(timeout=40)
            self.process = None

    def kill(self) -> None:
        """End it as a power cut does, its database with it."""
        assert self.process is not None
        database = self.database_pid
        self.process.send_signal(signal.SIGKILL)
        self.process.wait(timeout=40)
        self.process = None
        with_it = Path(f"/proc/{database}")
        if with_it.exists():
            os.kill(database, signal.SIGKILL)
        for _ in range(400):
            if not with_it.exists() and self._port_free():
                return
            time.sleep(0.05)
        raise RuntimeError("something outlives it")

    def _port_free(self) -> bool:
        with socket.socket() as probe:
            return probe.connect_ex(("127.0.0.1", self.port)) != 0

    @property
    def database_pid(self) -> int:
        return int((self.folder / "mariadb" / "mariadb.pid").read_text())

    def cookie(self, person: int) -> str:
        """Return what a device holds that somebody is signed in on; signs them in at first."""
        if person not in self.cookies:
            self.cookies[person] = self._sign_in(person)
        return self.cookies[person]

    def _sign_in(self, person: int) -> str:
        """As one of the demo's people by a tap; in a shop by an invitation made at its computer."""
        if "--demo" in self.command:
            return self._cookie_of("/api/session/demo", {"person_id": person})
        invited = self.run("invite", "--person", str(person))
        token = re.search(r"/join#(\S+)", invited.stdout)
        assert token is not None, invited.stderr
        words = {"token": token[1], "passphrase": "four plain words do well"}
        return self._cookie_of("/api/invitations/accept", words)

    def _cookie_of(self, path: str, body: Any) -> str:
        with urllib.request.urlopen(self.request("POST", path, body), timeout=30) as answer:
            return "; ".join(c.partition(";")[0] for c in answer.headers.get_all("set-cookie"))

    def request(
        self, method: str, path: str, body: Any = None, person: int | None = None
    ) -> urllib.request.Request:
        """A request as a browser that somebody is signed in on sends it."""
        headers = {"content-type": "application/json"} if body is not None else {}
        if person is not None:
            headers["cookie"] = self.cookie(person)
        data = None if body is None else json.dumps(body).encode()
        return urllib.request.Request(self.address + path, data, headers, method=method)

    def fetch(self, path: str, body: Any = None, method: str | None = None, person: int = 1) -> bytes:
        """Ask as one of the shop's people, and return what is answered."""
        way = method or ("GET" if body is None else "POST")
        with urllib.request.urlopen(self.request(way, path, body, person)) as answer:
            found: bytes = answer.read()
            return found

    def run(self, *command: str, **more: Any) -> subprocess.CompletedProcess[str]:
        """Run another command over the same data."""
        return subprocess.run(
            [sys.executable, "-m", "orange_crank.cli", *command],
            env=self.environment,
            capture_output=True,
            text=True,
            check=False,
            **more,
        )


@contextmanager
def running(folder: Path, command: Sequence[str] = ("start", "--demo"), **settings: str) -> Iterator[Product]:
    """Run the product for a block; nothing of it outlives the block."""
    product = Product(folder, command, **settings)
    try:
        product.start()
        yield product
    finally:
        if product.process is not None:
            product.process.send_signal(signal.SIGCONT)
        product.stop()


OPEN = {"/api/live", "/api/ready", "/api/health"}


@dataclass
class Said:
    """An answer read through."""

    status: int
    body: Any
    headers: dict[str, str]


class Line:
    """One connection that stays open, as a phone's browser holds it; one process answers on it."""

    def __init__(self, product: Product, person: int = 1, timeout: float = 30.0) -> None:
        self.http = http.client.HTTPConnection("127.0.0.1", product.port, timeout=timeout)
        self.person = person
        self.product = product

    def send(
        self,
        method: str,
        path: str,
        body: Any = None,
        key: str | None = None,
        heads: dict[str, str] | None = None,
    ) -> Said:
        """Ask and read the answer through; told heads of its own, nobody is signed in."""
        signed_in = path.startswith("/api/") and path not in OPEN and heads is None
        headers = {"cookie": self.product.cookie(self.person)} if signed_in else {**(heads or {})}
        if body is not None:
            headers["content-type"] = "application/json"
        if method != "GET":
            headers["idempotency-key"] = key or uuid.uuid4().hex
        self.http.request(method, path, None if body is None else json.dumps(body), headers)
        answer = self.http.getresponse()
        raw = answer.read()
        kind = answer.getheader("content-type") or ""
        found = json.loads(raw) if "json" in kind else raw
        if answer.status == 401 and signed_in and self.product.cookies.pop(self.person, ""):
            # The records were put back to where nobody had signed in yet.
            return self.send(method, path, body, key)
        return Said(answer.status, found, {k.lower(): v for k, v in answer.getheaders()})

    @property
    def process(self) -> str:
        """Which process answers here."""
        return self.send("GET", "/api/live").headers["x-request-id"].split("-")[0]

    def close(self) -> None:
        self.http.close()

    def __del__(self) -> None:
        # A test that drops a line ends it, as a browser does with a page.
        self.http.close()


def live_call(product: Product, name: str) -> int:
    """Put a unit on record with the plate of the demo's first, open a call on it and go live."""
    line = Line(product)

    def ask(method: str, path: str, body: Any = None) -> Any:
        said = line.send(method, path, body)
        assert said.status in (200, 201), said.body
        return said.body

    site = ask("POST", "/api/sites", {"name": f"Depot {name}"})
    unit = ask("POST", "/api/units", {"site_id": site["id"], "name": name, "kind": "split condensing unit"})
    call = ask("POST", "/api/calls", {"unit_id": unit["id"], "complaint": "Will not start"})["id"]
    plate = ask("GET", "/api/units/1")["plates"][-1]["plate"]
    ask("POST", f"/api/calls/{call}/plates", {"plate": plate, "base_number": 0})
    for event in (CAUTION, GO_LIVE):
        ask("POST", f"/api/calls/{call}/safety-events", event)
    line.close()
    return int(call)
