"""A private MariaDB on loopback: laid out once, started and stopped with the product.

Its data folder belongs to this installation; the application's password is generated and kept in a
file only its owner reads.
"""

import ctypes
import json
import os
import pwd
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable, Sequence
from pathlib import Path

from pydantic import SecretStr

from orange_crank.core.errors import CrankError
from orange_crank.core.messages import msg
from orange_crank.store.database import PRACTICE_SUFFIX, Connection

_SBIN = ("/usr/sbin", "/usr/local/sbin", "/sbin")
DATABASE = "orange_crank"
USER = "orange_crank"
# Lays the schema out and owns its triggers; the application's own account may neither drop nor alter them.
OWNER = "orange_crank_owner"


class ServerTrouble(CrankError):
    """The database server cannot be laid out or started."""

    title = msg("The database does not start")


def program(*names: str) -> str:
    """Return the path of the first of several programs found here.

    Raises
    ------
    ServerTrouble : none is installed

    """
    path = os.pathsep.join([os.environ.get("PATH", ""), *_SBIN])
    for name in names:
        found = shutil.which(name, path=path)
        if found:
            return found
    raise ServerTrouble(
        msg("{names} is not installed here.", names=names[0]),
        next_step=msg("Run make demo, which installs it, or install the Debian package mariadb-server."),
    )


def free_port() -> int:
    """Return a loopback port no one listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


def _die_with_parent() -> None:
    """Ask the kernel to end the database should the product be killed outright."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


class MariaDbServer:
    """One MariaDB process over one data folder."""

    def __init__(
        self, folder: Path, say: Callable[[str], None] = lambda text: None, more: Sequence[str] = ()
    ) -> None:
        self.folder = folder.resolve()
        self.more = tuple(more)
        self.say = say
        self.data = self.folder / "data"
        self.log = self.folder / "mariadb.log"
        self.pid_file = self.folder / "mariadb.pid"
        self.secret = self.folder / "password.json"
        self.port = 0
        self._child: subprocess.Popen[bytes] | None = None
        self._stopping = threading.Event()
        self._socket_folder: str | None = None

    @property
    def socket(self) -> Path:
        """The server's socket; in a short temporary folder when the data folder's path is too long."""
        place = self.folder / "mariadb.sock"
        if len(str(place)) < 100:
            return place
        if self._socket_folder is None:
            self._socket_folder = tempfile.mkdtemp(prefix="orange-crank-")
        return Path(self._socket_folder) / "mariadb.sock"

    def connection(self) -> Connection:
        """Return how the application signs in."""
        return Connection(
            port=self.port, user=USER, password=SecretStr(self._secrets()["password"]), name=DATABASE
        )

    def owner(self) -> Connection:
        """Return how the account signs in that lays the schema out."""
        return Connection(
            port=self.port, user=OWNER, password=SecretStr(self._secrets()["owner_password"]), name=DATABASE
        )

    def _secrets(self) -> dict[str, str]:
        stored: dict[str, str] = json.loads(self.secret.read_text("utf-8"))
        return stored

    def start(self) -> Connection:
        """Lay out the data folder if new, start the server, and return how to sign in."""
        self._lay_out()
        stored = self._secrets()
        if "owner_password" not in stored:
            self._keep_secrets(stored | {"owner_password": secrets.token_urlsafe(32)})
        self._end_leftover()
        self._launch()
        self._make_account()
        return self.connection()

    def watch(self) -> None:
        """Start the server again, from a background thread, whenever it ends unasked."""

        def loop() -> None:
            while not self._stopping.wait(1.0):
                child = self._child
                if child is not None and child.poll() is not None and not self._stopping.is_set():
                    self.say("The database ended by itself; starting it again.")
                    try:
                        self._launch()
                    except CrankError as trouble:
                        self.say(trouble.detail)

        threading.Thread(target=loop, name="database-watch", daemon=True).start()

    def stop(self) -> None:
        """Stop the server and wait until it has written everything."""
        self._stopping.set()
        child, self._child = self._child, None
        if child is not None and child.poll() is None:
            child.send_signal(signal.SIGCONT)
            child.terminate()
            try:
                child.wait(timeout=30)
            except subprocess.TimeoutExpired:
                child.kill()
                child.wait()
        if self._socket_folder:
            shutil.rmtree(self._socket_folder, ignore_errors=True)

    @property
    def pid(self) -> int | None:
        """The server's process, while it runs."""
        return self._child.pid if self._child is not None and self._child.poll() is None else None

    def _lay_out(self) -> None:
        whole = (self.data / "mysql").is_dir()
        if whole and self.secret.exists():
            self._refuse_unreadable_secret()
            return
        self._refuse_to_lose(whole)
        try:
            self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        except OSError as error:
            raise ServerTrouble(
                msg(
                    "The data folder {folder} cannot be made: {strerror}.",
                    folder=self.folder,
                    strerror=error.strerror,
                ),
                next_step=msg("Make room or give write permission, or set ORANGE_CRANK_DATA_DIR elsewhere."),
            ) from error
        room = shutil.disk_usage(self.folder).free
        if room < 400 * 2**20:
            raise ServerTrouble(
                msg("Only {room} MB are free where the data goes; 400 MB are wanted.", room=room // 2**20),
                next_step=msg("Free some disk, or set ORANGE_CRANK_DATA_DIR to a larger one."),
            )
        self.say("Laying out a new database.")
        self.folder.chmod(0o700)
        # Laid out beside its place and moved there whole: a database in place was always finished.
        making = self.folder / "data.making"
        if making.exists():
            making.rename(self.folder / f"data.unfinished-{time.time_ns()}")
            self.say("An earlier start was broken off while laying out; what it left was put aside.")
        # A folder of its own for what is temporary: two that are laid out at once must not meet in it.
        temporary = self.folder / "tmp"
        temporary.mkdir(exist_ok=True)
        command = [
            program("mariadb-install-db"),
            "--no-defaults",
            *self._as_root(),
            f"--datadir={making}",
            f"--tmpdir={temporary}",
            "--auth-root-authentication-method=socket",
            "--skip-test-db",
        ]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        if done.returncode:
            raise ServerTrouble(
                msg(
                    "MariaDB could not lay out its data folder: {strip}",
                    strip=(done.stderr or done.stdout).strip()[-400:],
                ),
                next_step=msg("Look into {folder}, then start again.", folder=self.folder),
            )
        self.write_secret()
        making.rename(self.data)

    def write_secret(self) -> None:
        """Make a new password for the application's account and keep it where only the owner reads."""
        self._keep_secrets(
            {
                "user": USER,
                "password": secrets.token_urlsafe(32),
                "owner_password": secrets.token_urlsafe(32),
            }
        )

    def _keep_secrets(self, kept: dict[str, str]) -> None:
        """Write the passwords whole or not at all."""
        making = self.secret.with_suffix(".making")
        with os.fdopen(os.open(making, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, 0o600), "w") as file:
            json.dump(kept, file)
            file.flush()
            os.fsync(file.fileno())
        making.rename(self.secret)

    def _refuse_to_lose(self, whole: bool) -> None:
        """Stop where something lies at the database's place: it may be a person's records."""
        if whole:
            raise ServerTrouble(
                msg(
                    "The records are there, in {data}, but their password file {name} is gone. "
                    "Nothing was changed.",
                    data=self.data,
                    name=self.secret.name,
                ),
                next_step=msg(
                    "Put the file back from a copy, or run: orange-crank new-password  (it makes a "
                    "new one and keeps the records)."
                ),
            )
        if self.data.exists() and any(self.data.iterdir()):
            raise ServerTrouble(
                msg(
                    "{data} holds something that is no whole database: a broken copy, or another "
                    "program's files. Nothing was changed.",
                    data=self.data,
                ),
                next_step=msg("Restore it whole from a backup, or move that folder away to begin again."),
            )

    def _refuse_unreadable_secret(self) -> None:
        try:
            stored = json.loads(self.secret.read_text("utf-8"))
            whole = bool(stored["password"])
        except (OSError, ValueError, KeyError, TypeError):
            whole = False
        if not whole:
            raise ServerTrouble(
                msg(
                    "The password file {secret} cannot be read. The records beside it are untouched.",
                    secret=self.secret,
                ),
                next_step=msg(
                    "Put the file back from a copy, or run: orange-crank new-password  (it makes a "
                    "new one and keeps the records)."
                ),
            )

    @staticmethod
    def _as_root() -> list[str]:
        return ["--user=root"] if os.geteuid() == 0 else []

    def _end_leftover(self) -> None:
        """End a server left over from a crash; it holds our data folder."""
        try:
            pid = int(self.pid_file.read_text().strip())
            command = Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace")
        except (OSError, ValueError):
            return
        if str(self.data) not in command:
            return
        self.say("Ending a database left over from before.")
        os.kill(pid, signal.SIGTERM)
        for _ in range(300):
            if not Path(f"/proc/{pid}").exists():
                return
            time.sleep(0.1)
        raise ServerTrouble(
            msg("An old database server (process {pid}) holds the data folder and does not end.", pid=pid),
            next_step=msg("End process {pid}, then start again.", pid=pid),
        )

    def _launch(self) -> None:
        self.port = self.port or free_port()
        temporary = self.folder / "tmp"
        temporary.mkdir(exist_ok=True)
        command = [
            program("mariadbd", "mysqld"),
            "--no-defaults",
            *self._as_root(),
            f"--datadir={self.data}",
            f"--socket={self.socket}",
            f"--pid-file={self.pid_file}",
            "--bind-address=127.0.0.1",
            f"--port={self.port}",
            f"--tmpdir={temporary}",
            f"--log-error={self.log}",
            "--character-set-server=utf8mb4",
            "--collation-server=utf8mb4_unicode_ci",
            "--skip-name-resolve",
            "--sql-mode=STRICT_ALL_TABLES,NO_ZERO_DATE,NO_ZERO_IN_DATE,ERROR_FOR_DIVISION_BY_ZERO",
            "--default-time-zone=+00:00",
            "--innodb-buffer-pool-size=64M",
            "--innodb-lock-wait-timeout=5",
            "--max-connections=80",
            "--max-allowed-packet=256M",
            *self.more,
        ]
        self._child = subprocess.Popen(
            command,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            preexec_fn=_die_with_parent,
            start_new_session=True,
        )
        deadline = time.monotonic() + 60
        while time.monotonic() < deadline:
            if self._child.poll() is not None:
                raise ServerTrouble(
                    msg("MariaDB ended while starting: {last_words}", last_words=self._last_words()),
                    next_step=msg("Read {log}.", log=self.log),
                )
            if self._admin("ping").returncode == 0:
                return
            time.sleep(0.05)
        raise ServerTrouble(
            msg("MariaDB did not answer within a minute."), next_step=msg("Read {log}.", log=self.log)
        )

    def _last_words(self) -> str:
        try:
            lines = self.log.read_text(errors="replace").splitlines()
        except OSError:
            return "no log was written"
        errors = [line for line in lines if "[ERROR]" in line]
        return (errors or lines or ["no log was written"])[-1][-300:]

    def _admin(self, verb: str) -> subprocess.CompletedProcess[bytes]:
        return subprocess.run(
            [
                program("mariadb-admin", "mysqladmin"),
                "--no-defaults",
                f"--socket={self.socket}",
                f"--user={_owner()}",
                verb,
            ],
            capture_output=True,
            check=False,
        )

    def _make_account(self) -> None:
        stored, practice = self._secrets(), f"{DATABASE}{PRACTICE_SUFFIX}"
        here = "'127.0.0.1'"
        accounts = ((USER, stored["password"]), (OWNER, stored["owner_password"]))
        made = "".join(
            f"CREATE USER IF NOT EXISTS '{user}'@{here} IDENTIFIED BY '{password}';"
            f"ALTER USER '{user}'@{here} IDENTIFIED BY '{password}';"
            # What an earlier program gave is taken back first.
            f"REVOKE ALL PRIVILEGES, GRANT OPTION FROM '{user}'@{here};"
            for user, password in accounts
        )
        statements = (
            f"CREATE DATABASE IF NOT EXISTS {DATABASE} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;"
            f"{made}"
            f"GRANT SELECT, INSERT, UPDATE, DELETE ON {DATABASE}.* TO '{USER}'@{here};"
            f"GRANT ALL ON {practice}.* TO '{USER}'@{here};"
            f"GRANT ALL ON {DATABASE}.* TO '{OWNER}'@{here};"
            f"GRANT ALL ON {practice}.* TO '{OWNER}'@{here};"
            # A backup of an earlier program names the account its triggers were laid out by.
            f"GRANT SET USER ON *.* TO '{OWNER}'@{here};"
        )
        self.administer(statements, "The application's account could not be made")

    def administer(self, statements: str, trouble: str = "That could not be done") -> str:
        """Carry statements out as the server's owner, over its socket; return what they answer.

        Raises
        ------
        ServerTrouble : the server refuses one of them

        """
        done = subprocess.run(
            [
                program("mariadb", "mysql"),
                "--no-defaults",
                "--batch",
                f"--socket={self.socket}",
                f"--user={_owner()}",
            ],
            input=statements,
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode:
            raise ServerTrouble(
                f"{trouble}: {done.stderr.strip()[-300:]}", next_step=msg("Read {log}.", log=self.log)
            )
        return done.stdout


def _owner() -> str:
    """Return the account that signs in by socket: root, or the user who laid the folder out."""
    return pwd.getpwuid(os.geteuid()).pw_name
