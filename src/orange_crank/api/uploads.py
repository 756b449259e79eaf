"""Files on their way in: streamed to disk, looked at, used once, swept after an hour."""

import errno
import re
import secrets
import shutil
import time
from pathlib import Path
from typing import Annotated

from fastapi import Depends, Request

from orange_crank.core.errors import FieldProblem, InputProblem, OutOfReach
from orange_crank.core.messages import msg
from orange_crank.formats.recording import FileProblem
from orange_crank.store.database import full

MOST_BYTES = 700 * 2**20
KEPT_S = 3600.0
MOST_WAITING = 4 * 2**30
LEAST_FREE = 256 * 2**20

_NAME = r"[0-9a-f]{32}\.(csv|cfg|dat|zip)"


class Uploads:
    """A folder of files waiting to be used."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def new(self, kind: str) -> tuple[str, Path]:
        """Return a name no one can guess, and where its bytes go; old files are swept."""
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        for old in self.folder.iterdir():
            if time.time() - old.stat().st_mtime > KEPT_S:
                old.unlink(missing_ok=True)
        self._refuse_without_room()
        name = f"{secrets.token_hex(16)}.{kind}"
        return name, self.folder / name

    def _refuse_without_room(self) -> None:
        waiting = sum(p.stat().st_size for p in self.folder.iterdir() if p.is_file())
        if waiting > MOST_WAITING:
            raise OutOfReach(
                msg(
                    "{waiting:,} MB of files that were sent wait to be used; no more are taken now.",
                    waiting=waiting // 2**20,
                ),
                next_step=msg("Use or leave those that wait; within the hour they go by themselves."),
            )
        if shutil.disk_usage(self.folder).free < LEAST_FREE:
            raise full()

    async def receive(self, request: Request, kind: str) -> tuple[str, Path]:
        """Take a file in from a request's body; of one that was broken off nothing stays.

        Raises
        ------
        FileProblem : larger than any logger writes
        OutOfReach, RecordsAway : no room for it
        ClientDisconnect : the sender went in the middle

        """
        name, path = self.new(kind)
        size = 0
        try:
            with path.open("wb") as file:
                async for chunk in request.stream():
                    size += len(chunk)
                    if size > MOST_BYTES:
                        raise too_large(size)
                    file.write(chunk)
        except OSError as error:
            path.unlink(missing_ok=True)
            if error.errno == errno.ENOSPC:
                raise full() from error
            raise
        except BaseException:
            path.unlink(missing_ok=True)
            raise
        return name, path

    def path(self, upload_id: str) -> Path:
        """Return where an upload lies.

        Raises
        ------
        InputProblem : not a name of ours, or swept already

        """
        path = self.folder / upload_id
        if not re.fullmatch(_NAME, upload_id) or not path.is_file():
            raise InputProblem(
                [FieldProblem(field="upload_id", wanted=msg("a file sent within the hour"), got=upload_id)],
                next_step=msg("Send the file again."),
            )
        return path

    def used(self, *upload_ids: str | None) -> None:
        """Forget uploads that have been read in; one already gone is no matter."""
        for upload_id in upload_ids:
            if upload_id is not None and re.fullmatch(_NAME, upload_id):
                (self.folder / upload_id).unlink(missing_ok=True)


async def _whole_body(request: Request) -> bytes:
    return await request.body()


# A body read whole, for a route that then works in a thread of its own: no other request waits for it.
WholeBody = Annotated[bytes, Depends(_whole_body)]


def too_large(size: int) -> FileProblem:
    """Refuse a file larger than any logger writes."""
    return FileProblem(
        msg(
            "The file is over {most_bytes} MB (stopped at {size} MB).",
            most_bytes=MOST_BYTES // 2**20,
            size=size // 2**20,
        ),
        next_step=msg("Cut the recording down to the minutes around the start."),
    )
