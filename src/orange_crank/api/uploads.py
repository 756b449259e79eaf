"""Files on their way in: streamed to disk, looked at, used once, swept after an hour."""

import re
import secrets
import time
from pathlib import Path

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.formats.recording import FileProblem

MOST_BYTES = 700 * 2**20
KEPT_S = 3600.0

_NAME = r"[0-9a-f]{32}\.(csv|cfg|dat|zip)"


class Uploads:
    """A folder of files waiting to be used."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def new(self, kind: str) -> tuple[str, Path]:
        """Return a name nobody can guess, and where its bytes go; old files are swept."""
        self.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        for old in self.folder.iterdir():
            if time.time() - old.stat().st_mtime > KEPT_S:
                old.unlink(missing_ok=True)
        name = f"{secrets.token_hex(16)}.{kind}"
        return name, self.folder / name

    def path(self, upload_id: str) -> Path:
        """Return where an upload lies.

        Raises
        ------
        InputProblem : not a name of ours, or swept already

        """
        path = self.folder / upload_id
        if not re.fullmatch(_NAME, upload_id) or not path.is_file():
            raise InputProblem(
                [FieldProblem(field="upload_id", wanted="a file sent within the hour", got=upload_id)],
                next_step="Send the file again.",
            )
        return path

    def used(self, *upload_ids: str | None) -> None:
        """Forget uploads that have been read in; one already gone is no matter."""
        for upload_id in upload_ids:
            if upload_id is not None and re.fullmatch(_NAME, upload_id):
                (self.folder / upload_id).unlink(missing_ok=True)


def too_large(size: int) -> FileProblem:
    """Refuse a file larger than any logger writes."""
    return FileProblem(
        f"The file is over {MOST_BYTES // 2**20} MB (stopped at {size // 2**20} MB).",
        next_step="Cut the recording down to the minutes around the start.",
    )
