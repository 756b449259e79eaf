"""Back up, verify, restore: one file that holds every record, consistent while the shop goes on working.

A backup is a zip: the dump of the records as MariaDB writes it, the shop's own meter maps, and a manifest
with checksums, counts and the migrations it was made under. It is restored into a new place, looked over
there, and only then put where the records were; what was there is kept beside it.
"""

import fcntl
import hashlib
import json
import os
import shutil
import subprocess
import threading
import time
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import IO, Any
from zipfile import ZIP_DEFLATED, BadZipFile, ZipFile, ZipInfo

import pymysql
from pydantic import AwareDatetime, Field, ValidationError

from orange_crank import __version__
from orange_crank.core.errors import CrankError
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import database, seal
from orange_crank.store.database import Connection
from orange_crank.store.models import TABLES
from orange_crank.store.server import MariaDbServer, program

FORMAT = "orange-crank backup"
DUMP, MANIFEST, METERS = "records.sql", "manifest.json", "meters/"
NAME = "orange-crank-%Y%m%d-%H%M%S.zip"
PIECE = 1 << 20
SANDBOX = b"/*M!999999\\- enable the sandbox mode */\n"
ROOM_FOR = 3  # times the file, for a restore laid out beside the records
DAILY, WEEKLY = 14, 8
# A busy day of photographs and recordings is some hundred megabytes: warn days before it hurts.
LOW_BYTES = 2 * 2**30
DRILL = "drill.json"
TROUBLE = "backup-trouble.txt"
# Files kept in the records, with the checksum each row carries.
BLOBS: Mapping[str, str] = {"photo": "jpeg", "sound": "wav"}


class BackupTrouble(CrankError):
    """A backup cannot be made, read or restored; nothing was touched."""

    title = msg("The backup cannot be used")


class BackupManifest(seal.SealedManifest):
    """What a backup describes itself by."""

    format: str
    program: str
    migrations: list[str] = Field(description="Applied to the records when it was made, oldest first")
    made_at: AwareDatetime
    counts: dict[str, int] = Field(description="Rows by table, at least")
    sizes: dict[str, int] = Field(description="Bytes of every other member, unpacked")


class BackupFile(Frozen):
    """A backup on disk."""

    name: str
    made_at: AwareDatetime
    size_bytes: int


class Drill(Frozen):
    """What a restore that was only tried found."""

    name: str = Field(description="The backup it was tried with")
    tried_at: AwareDatetime
    ok: bool
    said: str


class BackupState(Frozen):
    """How safe the records are."""

    folder: str
    last: BackupFile | None
    kept: int
    every_h: float = Field(description="Hours between backups by itself; 0 where it makes none")
    late: bool = Field(description="Whether the last good one is older than it should be")
    drill: Drill | None
    trouble: str | None = Field(description="Why the last try made none, where it did not")
    free_bytes: int = Field(description="Room left where records and backups lie, the smaller of the two")
    low: bool = Field(description="Whether that is so little that work may soon stop for want of it")


def file_time(path: Path) -> datetime | None:
    """Return when a file of a backup's name was made; None where it has no such name.

    >>> file_time(Path("orange-crank-20260801-120000.zip"))
    datetime.datetime(2026, 8, 1, 12, 0, tzinfo=datetime.timezone.utc)
    """
    try:
        return datetime.strptime(path.name, NAME).replace(tzinfo=UTC)
    except ValueError:
        return None


def list_backups(folder: Path) -> list[BackupFile]:
    """Return the backups in a folder, newest first."""
    if not folder.is_dir():
        return []
    found = [(file_time(p), p) for p in folder.glob("orange-crank-*.zip")]
    whole = [
        BackupFile(name=p.name, made_at=t, size_bytes=p.stat().st_size) for t, p in found if t is not None
    ]
    return sorted(whole, key=lambda b: b.made_at, reverse=True)


# Making ---------------------------------------------------------------------------------------------------


def make_backup(connection: Connection, folder: Path, meters: Path | None = None) -> Path:
    """Write a backup of the running records into a folder and return its path.

    Parameters
    ----------
    connection : to the records
    folder : where it goes; made if need be
    meters : the shop's own meter maps

    Raises
    ------
    BackupTrouble : the folder or the disk does not take it, or the records do not give it

    """
    made_at = datetime.now(UTC).replace(microsecond=0)
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        target = folder / made_at.strftime(NAME)
        while target.exists():
            made_at += timedelta(seconds=1)
            target = folder / made_at.strftime(NAME)
        making = target.with_suffix(".making")
        with os.fdopen(os.open(making, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, 0o600), "wb") as file:
            try:
                _write(file, connection, made_at, meters)
                file.flush()
                os.fsync(file.fileno())
            except BaseException:
                making.unlink(missing_ok=True)
                raise
        making.rename(target)
    except OSError as error:
        raise BackupTrouble(
            msg(
                "No backup could be written to {folder}: {strerror}.", folder=folder, strerror=error.strerror
            ),
            next_step=msg("Make room or give write permission there, or choose another folder."),
        ) from error
    return target


def _write(file: IO[bytes], connection: Connection, made_at: datetime, meters: Path | None) -> None:
    digests: dict[str, str] = {}
    sizes: dict[str, int] = {}
    counts = _counts(connection)
    with ZipFile(file, "w", ZIP_DEFLATED, compresslevel=6, allowZip64=True) as archive:

        def member(name: str, pieces: Iterable[bytes]) -> None:
            digest, size = hashlib.sha256(), 0
            info = ZipInfo(name, made_at.timetuple()[:6])
            info.compress_type = ZIP_DEFLATED
            with archive.open(info, "w", force_zip64=True) as out:
                for piece in pieces:
                    digest.update(piece)
                    size += len(piece)
                    out.write(piece)
            digests[name], sizes[name] = digest.hexdigest(), size

        member(DUMP, _dump(connection))
        if meters is not None and meters.is_dir():
            for path in sorted(meters.glob("*.yaml")):
                member(METERS + path.name, [path.read_bytes()])
        manifest = BackupManifest(
            format=FORMAT,
            program=__version__,
            migrations=_migrations(connection),
            made_at=made_at,
            counts=counts,
            digests=digests,
            sizes=sizes,
        )
        manifest = manifest.model_copy(update={"mac": seal.mac_of(manifest.sealed_bytes)})
        archive.writestr(ZipInfo(MANIFEST, made_at.timetuple()[:6]), manifest.model_dump_json(indent=1))


def _secret_environment(connection: Connection) -> dict[str, str]:
    # Not on the command line, where every process of this machine could read it.
    return os.environ | {"MYSQL_PWD": connection.password.get_secret_value()}


def _where(connection: Connection) -> list[str]:
    found = [f"--host={connection.host}", f"--port={connection.port}", f"--user={connection.user}"]
    if connection.tls_ca is not None:
        found += [f"--ssl-ca={connection.tls_ca}", "--ssl-verify-server-cert"]
    return found


def _dump(connection: Connection) -> Iterator[bytes]:
    """Yield the records as SQL, all as of one moment."""
    command = [
        program("mariadb-dump", "mysqldump"),
        "--no-defaults",
        *_where(connection),
        "--single-transaction",
        "--quick",
        "--triggers",
        "--hex-blob",
        "--no-tablespaces",
        "--default-character-set=utf8mb4",
        "--max-allowed-packet=256M",
        connection.name,
    ]
    child = subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, env=_secret_environment(connection)
    )
    assert child.stdout is not None
    assert child.stderr is not None
    try:
        while piece := child.stdout.read(PIECE):
            yield piece
        said = child.stderr.read().decode(errors="replace").strip()
        if child.wait():
            raise BackupTrouble(
                msg("The records could not be exported: {said}", said=said[-300:]),
                next_step=msg("Look whether Orange Crank runs, then back up again."),
            )
    finally:
        child.stdout.close()
        child.stderr.close()
        if child.poll() is None:
            child.kill()
            child.wait()


def _ask(connection: Connection, sql: str) -> list[tuple[Any, ...]]:
    line = pymysql.connect(
        host=connection.host,
        port=connection.port,
        database=connection.name,
        **connection.arguments() | {"read_timeout": 600},
    )
    try:
        with line.cursor() as cursor:
            cursor.execute(sql)
            return list(cursor.fetchall())
    except pymysql.err.MySQLError as error:
        raise BackupTrouble(
            msg("The records could not be read: {error}.", error=error),
            next_step=msg("Look whether Orange Crank runs."),
        ) from error
    finally:
        line.close()


def _counts(connection: Connection) -> dict[str, int]:
    """Return the rows of each table; what is written while the dump runs comes on top."""
    names = [str(t._meta.table_name) for t in TABLES]
    asked = " UNION ALL ".join(f"SELECT '{n}', COUNT(*) FROM `{n}`" for n in names)
    return {str(name): int(count) for name, count in _ask(connection, asked)}


def _migrations(connection: Connection) -> list[str]:
    return sorted(str(row[0]) for row in _ask(connection, "SELECT name FROM schema_migration"))


# Verifying ------------------------------------------------------------------------------------------------


def verify_backup(path: Path) -> BackupManifest:
    """Read a backup through to its last byte and return its manifest; nothing is touched.

    Raises
    ------
    BackupTrouble : no backup, cut short, altered, or of a newer program

    """
    try:
        with ZipFile(path) as archive:
            try:
                manifest = BackupManifest.model_validate_json(archive.read(MANIFEST))
            except (KeyError, ValidationError):
                raise _no_backup(path, "it has no manifest that can be read") from None
            if manifest.format != FORMAT:
                raise _no_backup(path, f"it is another thing: {manifest.format[:60]}")
            names = {n for n in archive.namelist() if n != MANIFEST}
            if names != set(manifest.digests) or DUMP not in names:
                raise _no_backup(path, "its members are not those its manifest names")
            for name, wanted in manifest.digests.items():
                digest, size = hashlib.sha256(), 0
                with archive.open(name) as member:
                    while piece := member.read(PIECE):
                        digest.update(piece)
                        size += len(piece)
                        if size > manifest.sizes.get(name, 0):
                            raise _no_backup(path, f"{name} is larger than its manifest says")
                if digest.hexdigest() != wanted:
                    raise _no_backup(path, f"{name} was altered or damaged")
    except (BadZipFile, EOFError, zlib.error, NotImplementedError, RuntimeError) as error:
        raise _no_backup(path, f"it is cut short or damaged ({str(error)[:80] or 'unreadable'})") from None
    except OSError as error:
        raise BackupTrouble(
            msg("{path} cannot be read: {strerror}.", path=path, strerror=error.strerror or error),
            next_step=msg("Look at its name and its disk."),
        ) from None
    newer = [m for m in manifest.migrations if m not in database.known_migrations()]
    if newer:
        raise BackupTrouble(
            msg(
                "This backup was made by a newer Orange Crank ({program}; it knows {newer}).",
                program=manifest.program,
                newer=newer[0],
            ),
            next_step=msg("Restore it with that version, or a newer one."),
        )
    return manifest


def _no_backup(path: Path, why: str) -> BackupTrouble:
    return BackupTrouble(
        msg("{name} is no whole backup: {why}. Nothing was touched.", name=path.name, why=why),
        next_step=msg("Take another backup; verify tells of each whether it is whole."),
    )


# Restoring ------------------------------------------------------------------------------------------------


class Restored(Frozen):
    """What a restore did."""

    kept: Path | None = Field(description="Where the records are now that were there before")
    ours: bool = Field(description="Whether this shop's program wrote the backup")
    record: seal.SealReport


def restore_backup(path: Path, data: Path, say: Callable[[str], None] = lambda _: None) -> Restored:
    """Put a backup in the place of the records of a data folder.

    Parameters
    ----------
    path : the backup
    data : the data folder, whose server does not run

    Raises
    ------
    BackupTrouble : the backup is incomplete, or the restored records do not match it
    ServerTrouble : no database can be laid out there

    Notes
    -----
    The backup is read through first, laid out and loaded beside the records, compared with its manifest, and
    moved into place last. Broken off at any moment, the records are those from before.

    """
    manifest = verify_backup(path)
    _room(path, data)
    beside = data / f"mariadb.restoring-{time.time_ns()}"
    try:
        say("Restoring beside the records.")
        _, record = _load(path, beside, manifest)
    except BaseException:
        shutil.rmtree(beside, ignore_errors=True)
        raise
    place, kept = data / "mariadb", None
    if place.exists():
        kept = data / f"mariadb.before-{datetime.now(UTC):%Y%m%d-%H%M%S}"
        place.rename(kept)
    beside.rename(place)
    with ZipFile(path) as archive:
        for name in manifest.digests:
            if name.startswith(METERS) and "/" not in name.removeprefix(METERS):
                (data / METERS).mkdir(exist_ok=True)
                (data / name).write_bytes(archive.read(name))
    return Restored(kept=kept, ours=manifest.ours, record=record)


def try_restore(path: Path, data: Path) -> Drill:
    """Restore a backup aside, hold it against its manifest, throw it away, and write down how it went."""
    beside = data / f"drill-{time.time_ns()}"
    try:
        manifest = verify_backup(path)
        _room(path, data)
        found, record = _load(path, beside, manifest)
        rows = sum(found.values())
        whose = "" if manifest.ours else f" The file is {seal.NOT_OURS}."
        said = f"{rows:,} rows, every checksum right.{whose} {record.text}"
        ok = record.standing != "changed"
    except CrankError as trouble:
        said, ok = trouble.detail, False
    finally:
        shutil.rmtree(beside, ignore_errors=True)
    drill = Drill(name=path.name, tried_at=datetime.now(UTC), ok=ok, said=said)
    note = path.parent / DRILL
    making = note.with_suffix(".making")
    making.write_text(drill.model_dump_json(), "utf-8")
    making.rename(note)
    return drill


def _room(path: Path, data: Path) -> None:
    data.mkdir(parents=True, exist_ok=True, mode=0o700)
    with ZipFile(path) as archive:
        wanted = ROOM_FOR * sum(i.file_size for i in archive.infolist()) + 400 * PIECE
    free = shutil.disk_usage(data).free
    if free < wanted:
        raise BackupTrouble(
            msg(
                "{free:,} MB are free in {data}; the restore needs {wanted:,} MB.",
                free=free // PIECE,
                data=data,
                wanted=wanted // PIECE,
            ),
            next_step=msg("Make room there first; the records are untouched."),
        )


def _load(path: Path, folder: Path, manifest: BackupManifest) -> tuple[dict[str, int], seal.SealReport]:
    """Load a backup into a new database in a folder; return its rows by table and what its seals prove."""
    server = MariaDbServer(folder)
    try:
        server.start()
        connection = server.owner()
        _feed(path, connection)
        found = _counts_there(connection, manifest.counts)
        less = [f"{t}: {found.get(t, 0)} of {n}" for t, n in manifest.counts.items() if found.get(t, 0) < n]
        if less:
            raise BackupTrouble(
                msg(
                    "The restored records hold less than the backup lists ({join}).", join=", ".join(less[:3])
                ),
                next_step=msg("Take another backup; the records are untouched."),
            )
        for table, column in BLOBS.items():
            if table not in found:
                continue
            bad = _ask(connection, f"SELECT id FROM `{table}` WHERE SHA2(`{column}`, 256) <> sha256 LIMIT 3")
            if bad:
                raise BackupTrouble(
                    msg(
                        "{capitalize} {bad} does not match its checksum.",
                        capitalize=table.capitalize(),
                        bad=bad[0][0],
                    ),
                    next_step=msg("Take another backup; the records are untouched."),
                )
        _captures_whole(connection)
        return found, seal.check_record(lambda sql: _ask(connection, sql))
    finally:
        server.stop()


def _captures_whole(connection: Connection) -> None:
    """Hold each recording against its checksum, which is that of its samples before they were packed."""
    last = 0
    while rows := _ask(connection, f"SELECT id, samples, sha256 FROM capture WHERE id > {last} LIMIT 20"):
        for number, samples, wanted in rows:
            last = int(number)
            try:
                whole = hashlib.sha256(zlib.decompress(samples)).hexdigest() == wanted
            except zlib.error:
                whole = False
            if not whole:
                raise BackupTrouble(
                    msg("Recording {number} does not match its checksum.", number=number),
                    next_step=msg("Take another backup; the records are untouched."),
                )


def _counts_there(connection: Connection, wanted: Mapping[str, int]) -> dict[str, int]:
    there = {str(r[0]) for r in _ask(connection, "SHOW TABLES")}
    names = sorted(set(wanted) & there)
    if not names:
        return {}
    asked = " UNION ALL ".join(f"SELECT '{n}', COUNT(*) FROM `{n}`" for n in names)
    return {str(name): int(count) for name, count in _ask(connection, asked)}


def _feed(path: Path, connection: Connection) -> None:
    child = subprocess.Popen(
        [
            program("mariadb", "mysql"),
            "--no-defaults",
            *_where(connection),
            "--max-allowed-packet=256M",
            "--default-character-set=utf8mb4",
            connection.name,
        ],
        stdin=subprocess.PIPE,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
        env=_secret_environment(connection),
    )
    assert child.stdin is not None
    assert child.stderr is not None
    broken = False
    try:
        # The client runs commands in a line of the file (\\!, system, source) unless it is in sandbox mode.
        child.stdin.write(SANDBOX)
        with ZipFile(path) as archive, archive.open(DUMP) as member:
            while piece := member.read(PIECE):
                child.stdin.write(piece)
    except BrokenPipeError:
        broken = True
    finally:
        try:
            child.stdin.close()
        except BrokenPipeError:
            broken = True
    said = child.stderr.read().decode(errors="replace").strip()
    child.stderr.close()
    if child.wait() or broken:
        raise BackupTrouble(
            msg("MariaDB refuses the backup: {said}", said=said[-300:]),
            next_step=msg("Take another backup; the records are untouched."),
        )


# By itself ------------------------------------------------------------------------------------------------


def superfluous(backups: list[BackupFile], daily: int = DAILY, weekly: int = WEEKLY) -> list[BackupFile]:
    """Return what may go: beyond the newest of each of so many days, and of so many weeks before."""
    days: dict[Any, BackupFile] = {}
    weeks: dict[Any, BackupFile] = {}
    for one in sorted(backups, key=lambda b: b.made_at, reverse=True):
        days.setdefault(one.made_at.date(), one)
        weeks.setdefault(one.made_at.isocalendar()[:2], one)
    keep = {b.name for b in list(days.values())[:daily]} | {b.name for b in list(weeks.values())[:weekly]}
    return [b for b in backups if b.name not in keep]


class Keeper:
    """Makes a backup every so often while the product runs, and lets old ones go."""

    def __init__(
        self,
        connection: Connection,
        folder: Path,
        every_h: float,
        meters: Path | None = None,
        data: Path | None = None,
    ) -> None:
        self.connection = connection
        self.folder = folder
        self.every_h = every_h
        self.meters = meters
        self.data = data
        self._trouble: str | None = None
        self._stopping = threading.Event()
        self._sealer = seal.Sealer()

    def due(self, now: datetime) -> bool:
        """Return whether a backup is due."""
        if self.every_h <= 0:
            return False
        last = next(iter(list_backups(self.folder)), None)
        return last is None or now - last.made_at >= timedelta(hours=self.every_h)

    def back_up(self) -> BackupFile:
        """Make a backup now, read it through, and let old ones go.

        Raises
        ------
        BackupTrouble : it could not be made; what was there stays

        """
        with self._alone():
            try:
                made = make_backup(self.connection, self.folder, self.meters)
                verify_backup(made)
            except CrankError as trouble:
                self._note(trouble.detail)
                raise
            self._note(None)
            for old in superfluous(list_backups(self.folder)):
                (self.folder / old.name).unlink(missing_ok=True)
            return next(b for b in list_backups(self.folder) if b.name == made.name)

    @contextmanager
    def _alone(self) -> Iterator[None]:
        """Hold the folder for one backup at a time, over every process that may make one."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            lock = (self.folder / ".lock").open("a")
        except OSError as error:
            trouble = BackupTrouble(
                msg(
                    "No backup could be written to {folder}: {strerror}.",
                    folder=self.folder,
                    strerror=error.strerror,
                ),
                next_step=msg("Make room or give write permission there, or choose another folder."),
            )
            self._note(trouble.detail)
            raise trouble from error
        with lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            yield

    def _note(self, trouble: str | None) -> None:
        """Write down where the other processes read it why the last try made none."""
        self._trouble = trouble
        with suppress(OSError):
            if trouble is None:
                self._note_at.unlink(missing_ok=True)
            else:
                self._note_at.write_text(trouble, "utf-8")

    @property
    def _note_at(self) -> Path:
        # Beside the records: the folder of backups may be what cannot be written to.
        return (self.data or self.folder) / TROUBLE

    @property
    def trouble(self) -> str | None:
        """Why the last try made none, where it did not."""
        try:
            return self._note_at.read_text("utf-8")
        except OSError:
            return self._trouble

    def watch(self) -> None:
        """Close the record each day and make backups when they are due, from a background thread."""

        def loop() -> None:
            while not self._stopping.wait(60.0):
                with suppress(CrankError), database.session():
                    self._sealer.look()
                if self.due(datetime.now(UTC)):
                    try:
                        self.back_up()
                    except CrankError:
                        self._stopping.wait(600.0)

        threading.Thread(target=loop, name="backups", daemon=True).start()

    def stop(self) -> None:
        """Make no more."""
        self._stopping.set()

    def state(self, now: datetime) -> BackupState:
        """Return how safe the records are."""
        kept = list_backups(self.folder)
        free = min(_free(self.folder), _free(self.data or self.folder))
        last = kept[0] if kept else None
        late = self.every_h > 0 and (
            last is None or now - last.made_at > timedelta(hours=2 * self.every_h) or self.trouble is not None
        )
        return BackupState(
            folder=str(self.folder),
            last=last,
            kept=len(kept),
            every_h=self.every_h,
            late=late,
            drill=last_drill(self.folder),
            trouble=self.trouble,
            free_bytes=free,
            low=free < LOW_BYTES + 2 * (last.size_bytes if last is not None else 0),
        )


def _free(folder: Path) -> int:
    """Return the bytes free where a folder lies, or will lie."""
    there = next(p for p in (folder, *folder.resolve().parents) if p.exists())
    return shutil.disk_usage(there).free


def last_drill(folder: Path) -> Drill | None:
    """Return what the last drill found; None where none was made."""
    try:
        return Drill.model_validate(json.loads((folder / DRILL).read_text("utf-8")))
    except (OSError, ValueError):
        return None
