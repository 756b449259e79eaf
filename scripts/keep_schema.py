"""Keep the demo's records as this program writes them, for later programs to be tried on.

Run when a schema is released; ``tests/store/test_forward.py`` brings every dump kept forward.
"""

import io
import lzma
import subprocess
import tarfile
import tempfile
from pathlib import Path

from orange_crank.demo import player
from orange_crank.store import database, schema, server

KEPT = Path(__file__).resolve().parents[1] / "tests" / "store" / "schemas.tar.xz"


def keep(name: str, dump: bytes) -> None:
    """Put a dump beside those kept, or in the place of the one of its name."""
    members: dict[str, bytes] = {}
    if KEPT.exists():
        with tarfile.open(KEPT) as archive:
            for member in archive.getmembers():
                file = archive.extractfile(member)
                assert file is not None
                members[member.name] = file.read()
    members[f"{name}.sql"] = dump
    packed = io.BytesIO()
    with tarfile.open(fileobj=packed, mode="w") as archive:
        for one in sorted(members):
            info = tarfile.TarInfo(one)
            info.size = len(members[one])
            archive.addfile(info, io.BytesIO(members[one]))
    # A dictionary larger than a dump: what two of them share is written once.
    filters = [{"id": lzma.FILTER_LZMA2, "preset": 9 | lzma.PRESET_EXTREME, "dict_size": 64 << 20}]
    KEPT.write_bytes(lzma.compress(packed.getvalue(), filters=filters))


def main() -> None:
    """Write the demo's records under the name of the newest migration."""
    with tempfile.TemporaryDirectory(prefix="oc-schema-") as data:
        made = server.MariaDbServer(Path(data))
        connection = made.start()
        try:
            database.connect(connection, made.owner())
            schema.lay_out()
            connection = made.owner()
            player.load()
            names = sorted(p.stem for p in (Path(database.__file__).parent / "migrations").glob("0*.py"))
            dump = subprocess.run(
                [
                    "mariadb-dump",
                    "--no-defaults",
                    f"--host={connection.host}",
                    f"--port={connection.port}",
                    f"--user={connection.user}",
                    f"--password={connection.password.get_secret_value()}",
                    "--single-transaction",
                    "--triggers",
                    "--hex-blob",
                    "--skip-comments",
                    "--skip-dump-date",
                    "--no-tablespaces",
                    "--default-character-set=utf8mb4",
                    connection.name,
                ],
                check=True,
                capture_output=True,
            ).stdout
            keep(names[-1], dump)
        finally:
            made.stop()


if __name__ == "__main__":
    main()
