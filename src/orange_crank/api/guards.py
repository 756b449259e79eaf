"""What every request passes on its way in and out, around the application and all it answers by itself."""

import anyio
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from orange_crank.api import problems
from orange_crank.core.catalogs import catalog
from orange_crank.core.errors import CrankError, Problem
from orange_crank.core.messages import LANGUAGES, msg, written_for
from orange_crank.core.plain_entry import refuse_unusable
from orange_crank.store.database import READING, records_of, work_of
from orange_crank.store.once import telling_again

MOST_ENTRY = 2**21
PERMISSIONS = "camera=(self), microphone=(self), geolocation=(), payment=(), usb=(), serial=()"
POLICY = "Content-Security-Policy"


def content_policy(nonce: str | None = None) -> str:
    """Return what a page may load and run: the server's own files, and styles of its own under its nonce."""
    own = f" 'nonce-{nonce}'" if nonce else ""
    return (
        f"default-src 'self'; img-src 'self' data: blob:; style-src 'self'{own}; object-src 'none'; "
        "base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
    )


# A paper is a document with its style in it and nothing that runs.
PAPER_POLICY = (
    "default-src 'none'; img-src data:; font-src data:; style-src 'unsafe-inline'; base-uri 'none'; "
    "frame-ancestors 'none'; form-action 'none'"
)
_NOTHING_INLINE = content_policy()


class ReaderLanguage:
    """Write every answer in the language of ``Accept-Language``; English where there is no other."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on with its reader's catalog."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        first = Headers(scope=scope).get("accept-language", "")[:2].lower()
        with written_for(next((catalog(one) for one in LANGUAGES if one == first), None)):
            await self.app(scope, receive, send)


class GuardHeaders:
    """Put the headers on every answer that keep a browser from doing what it was not asked to."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on, and the answer back with its headers."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        replaced = False

        async def with_headers(message: Message) -> None:
            nonlocal replaced
            if replaced:
                return
            if message["type"] == "http.response.start":
                if message["status"] == 413 and not problems.is_problem(message):
                    replaced = True
                    await problems.too_large()(scope, receive, send)
                    return
                if message["status"] == 400 and not problems.is_problem(message):
                    # The framework's own refusal of a foreign host is plain text.
                    replaced = True
                    await problems.wrong_host()(scope, receive, send)
                    return
                headers = MutableHeaders(scope=message)
                headers.setdefault(POLICY, _NOTHING_INLINE)
                headers["X-Content-Type-Options"] = "nosniff"
                headers["Referrer-Policy"] = "no-referrer"
                headers["Cross-Origin-Opener-Policy"] = "same-origin"
                headers["Cross-Origin-Resource-Policy"] = "same-origin"
                headers["Permissions-Policy"] = PERMISSIONS
                if scope["scheme"] == "https":
                    headers["Strict-Transport-Security"] = "max-age=31536000"
                if scope["path"].startswith(("/api/", "/practice/api/")):
                    headers["Cache-Control"] = "no-store"
                elif scope["path"].startswith("/assets/"):
                    headers["Cache-Control"] = "public, max-age=31536000, immutable"
            await send(message)

        await self.app(scope, receive, with_headers)


class PlainEntries:
    """Refuse, before anything reads it, an entry that no record and no answer could hold."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Read a JSON body through, then hand it on as it came."""
        heads = Headers(scope=scope) if scope["type"] == "http" else None
        if heads is None or not heads.get("content-type", "").startswith("application/json"):
            await self.app(scope, receive, send)
            return
        kept: list[Message] = []
        size = 0
        while True:
            message = await receive()
            kept.append(message)
            size += len(message.get("body", b""))
            if message["type"] != "http.request" or not message.get("more_body") or size > MOST_ENTRY:
                break
        body = b"".join(m.get("body", b"") for m in kept)
        try:
            refuse_unusable(body)
        except CrankError as refused:
            await problems.respond(refused.problem(), problems.status_of(refused))(scope, receive, send)
            return

        async def again() -> Message:
            return kept.pop(0) if kept else await receive()

        await self.app(scope, again, send)


class PracticeScope:
    """Let what comes under ``/practice`` speak to the records of practice, by the same routes."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on, under its own path."""
        path = scope.get("path", "")
        if scope["type"] != "http" or not path.startswith("/practice/api/"):
            await self.app(scope, receive, send)
            return
        bare = path.removeprefix("/practice")
        with records_of(practice=True):
            inner = {**scope, "path": bare, "raw_path": bare.encode()}
            await self.app(inner, receive, send)


class AtWork:
    """Run a request as a person's work, found at the door; a retry gets its first answer."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on as a person's work; one that only reads is no one's."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        if scope["method"] in ("GET", "HEAD"):
            with work_of(READING):
                await self.app(scope, receive, send)
            return
        with work_of(None), telling_again() as again:

            async def saying_so(message: Message) -> None:
                if again and message["type"] == "http.response.start":
                    MutableHeaders(scope=message)["Idempotency-Replayed"] = "true"
                await send(message)

            await self.app(scope, receive, saying_so)


class HeadAsGet:
    """Answer HEAD as GET without its body."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass the request on as GET; the body of the answer goes nowhere."""
        if scope["type"] != "http" or scope["method"] != "HEAD":
            await self.app(scope, receive, send)
            return

        with anyio.CancelScope() as answering:

            async def head_only(message: Message) -> None:
                if message["type"] != "http.response.start":
                    return
                await send(message)
                await send({"type": "http.response.body", "body": b"", "more_body": False})
                # A stream would go on for as long as a person listens.
                answering.cancel()

            await self.app({**scope, "method": "GET"}, receive, head_only)


class SameSite:
    """Refuse what another site's page lets a browser send: it would come with the device's own cookie.

    Browsers say where a request comes from (``Sec-Fetch-Site``, else ``Origin``); programs that say neither
    hold no cookie that they were not given.
    """

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass on what reads, and what comes from a page of this server."""
        if scope["type"] == "http" and scope["method"] not in ("GET", "HEAD", "OPTIONS"):
            heads = Headers(scope=scope)
            site, origin = heads.get("sec-fetch-site"), heads.get("origin")
            own = origin is None or origin == f"{scope['scheme']}://{heads.get('host', '')}"
            if site not in (None, "same-origin", "none") or not own:
                refused = Problem(
                    title=msg("From another site"),
                    detail=msg("This was sent by a page of another site. Nothing was done."),
                    next_step=msg("Open Orange Crank at its own address and do it there."),
                )
                await problems.respond(refused, 403)(scope, receive, send)
                return
        await self.app(scope, receive, send)
