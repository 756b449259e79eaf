"""The built front end, held in memory: it answers whatever the records and the disk do."""

import gzip
import hashlib
import mimetypes
import secrets
from dataclasses import dataclass
from pathlib import Path

from fastapi import Request
from starlette.responses import Response

from orange_crank.api.guards import POLICY, content_policy

# New with each process; a cached page is cached with its policy.
_NONCE = secrets.token_urlsafe(16)
LEAST_PACKED = 1024
PACKED_KINDS = ("text/", "application/javascript", "application/json", "image/svg", "application/manifest")


@dataclass(frozen=True)
class _File:
    body: bytes
    packed: bytes | None
    kind: str
    tag: str


class FrontEnd:
    """Every file of a folder, read once."""

    def __init__(self, folder: Path) -> None:
        self._files = {
            str(path.relative_to(folder)): _read(path) for path in sorted(folder.rglob("*")) if path.is_file()
        }

    def answer(self, path: str, request: Request) -> Response | None:
        """Return a file of the front end; None where there is none of that name."""
        found = self._files.get(path)
        if found is None:
            return None
        headers = {"ETag": found.tag, "Vary": "Accept-Encoding"}
        if found.kind == "text/html":
            headers[POLICY] = content_policy(_NONCE)
        if not path.startswith("assets/"):
            headers["Cache-Control"] = "no-cache"
        if request.headers.get("if-none-match") == found.tag:
            return Response(status_code=304, headers=headers)
        if found.packed is not None and "gzip" in request.headers.get("accept-encoding", ""):
            headers["Content-Encoding"] = "gzip"
            return Response(found.packed, media_type=found.kind, headers=headers)
        return Response(found.body, media_type=found.kind, headers=headers)


def _read(path: Path) -> _File:
    body = path.read_bytes()
    if path.suffix == ".html":
        # What the page lays out by itself, such as a sheet that holds the page still, is known by it.
        meta = f'<meta name="csp-nonce" content="{_NONCE}" />'
        body = body.replace(b"</head>", meta.encode() + b"</head>", 1)
    kind = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
    if path.suffix == ".js":
        kind = "text/javascript"
    packed = None
    if len(body) >= LEAST_PACKED and kind.startswith(PACKED_KINDS):
        packed = gzip.compress(body, 9, mtime=0)
    return _File(body, packed, kind, f'"{hashlib.sha256(body).hexdigest()[:24]}"')
