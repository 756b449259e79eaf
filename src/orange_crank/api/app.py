"""The application, assembled; nothing else happens here."""

import gc
import threading
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from os import getuid
from pathlib import Path
from tempfile import gettempdir
from typing import Any

import structlog
from anyio import CapacityLimiter, fail_after
from anyio.to_thread import current_default_thread_limiter, run_sync
from fastapi import Depends, FastAPI, Request
from pydantic import Field
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.responses import Response
from starlette.types import ASGIApp

from orange_crank import __version__
from orange_crank.apart import run_apart
from orange_crank.api import (
    archives,
    calc,
    calls,
    circuits,
    hand_over,
    handbook,
    imports,
    lab,
    live,
    measuring,
    meters,
    pack,
    parts,
    practice,
    problems,
    reference,
    reminders,
    shop,
    sign_in,
    why,
)
from orange_crank.api.described import describe
from orange_crank.api.door import admit, shop_only
from orange_crank.api.front_end import FrontEnd
from orange_crank.api.guards import (
    AtWork,
    GuardHeaders,
    HeadAsGet,
    PlainEntries,
    PracticeScope,
    ReaderLanguage,
    SameSite,
)
from orange_crank.api.limits import BodyClock
from orange_crank.api.meters import MeterBench
from orange_crank.api.request_log import RequestLog, configure_log
from orange_crank.api.uploads import Uploads
from orange_crank.bench.practice.scenario import graded
from orange_crank.core.errors import CrankError, Problem
from orange_crank.core.messages import msg
from orange_crank.core.motor.warm import warm
from orange_crank.core.nomenclature import Frozen
from orange_crank.network import Network
from orange_crank.store.backup import Keeper
from orange_crank.store.database import away, schema_name, session, unfit
from orange_crank.store.schema import unprotected
from orange_crank.store.sweeps import stop_sweeps
from orange_crank.teller import Teller

WARM_AFTER_S = 1.5
READERS_AFTER_S = 20.0
THREADS = 12
READY_WITHIN_S = 1.5


class Application(FastAPI):
    """FastAPI with the guards outermost, so that even its own refusals pass through them."""

    def openapi(self) -> dict[str, Any]:
        """Describe the server; files and refusals under their own media types."""
        if self.openapi_schema is None:
            describe(super().openapi())
        found: dict[str, Any] = self.openapi_schema or {}
        return found

    def build_middleware_stack(self) -> ASGIApp:
        """Put the guards around everything else."""
        inner = SameSite(PlainEntries(AtWork(PracticeScope(super().build_middleware_stack()))))
        return RequestLog(ReaderLanguage(GuardHeaders(BodyClock(HeadAsGet(inner)))))


async def _not_ready(looking: CapacityLimiter) -> CrankError | None:
    """Return why the records take no work now; None where they do."""

    def look() -> CrankError | None:
        try:
            with session():
                return unfit() or unprotected(schema_name())
        except CrankError as trouble:
            return trouble

    try:
        with fail_after(READY_WITHIN_S):
            return await run_sync(look, limiter=looking, abandon_on_cancel=True)
    except TimeoutError:
        return away()


class Health(Frozen):
    """Whether the product and its records answer."""

    version: str
    records: str
    demo: bool = Field(description="Whether this server runs the demo, whose records may be thrown away")


class Live(Frozen):
    """That a process answers at all, whatever its records do."""

    version: str


@asynccontextmanager
async def _warm_while_up(_: FastAPI) -> AsyncIterator[None]:
    """Load the compiled start model once the first page has had its turn; give grid runs up at the end."""

    def both() -> None:
        warm()
        graded()
        # What is loaded by now stays for good: the collector need not go through it again and again.
        gc.collect()
        gc.freeze()
        gc.set_threshold(50_000, 20, 20)

    current_default_thread_limiter().total_tokens = THREADS
    timers = [
        threading.Timer(WARM_AFTER_S, both),
        # Starts the fork server, which loads the readers: a process of its own, and not while pages open.
        threading.Timer(READERS_AFTER_S, run_apart, ("paper", str)),
    ]
    for timer in timers:
        timer.daemon = True
        timer.start()
    yield
    for timer in timers:
        timer.cancel()
    stop_sweeps()


def create_app(
    web_dir: Path | None = None,
    uploads_dir: Path | None = None,
    reload_demo: Callable[[], None] | None = None,
    meter_bench: MeterBench | None = None,
    keeper: Keeper | None = None,
    network: Network | None = None,
    teller: Teller | None = None,
) -> FastAPI:
    """Return the application; with ``web_dir`` it serves the built front end as well.

    Files on their way in wait in ``uploads_dir`` (a temporary folder when left out). Only a server that runs
    the demo is given ``reload_demo``: without it records are never deleted. ``network`` shows how others
    reach it; without it, it listens to this machine only. Without a ``teller`` no device is notified.
    """
    if not structlog.is_configured():
        configure_log()
    answers: dict[int | str, dict[str, Any]] = {
        "default": {
            "model": Problem,
            "description": (
                "Refused (RFC 9457). 400 unreadable; 401 not signed in; 403 not for this role, or sent "
                "by another site; 404 not on record; 405 another method; 408 too slow; 409 a gate is closed, "
                "or another person saved first; 413 too large; 422 a field cannot be used; 429 wait; "
                "503 the records cannot be reached"
            ),
        }
    }
    app = Application(
        title="Orange Crank",
        version=__version__,
        description="The arithmetic, the record and the judgement of an HVAC service call.",
        openapi_url="/api/openapi.json",
        docs_url=None,
        max_body_size=1_048_576,
        redoc_url=None,
        responses=answers,
        generate_unique_id_function=lambda route: route.name,
        lifespan=_warm_while_up,
    )
    app.state.uploads = Uploads(uploads_dir or Path(gettempdir()) / f"orange-crank-uploads-{getuid()}")
    app.state.reload_demo = reload_demo
    app.state.meters = meter_bench or MeterBench()
    app.state.keeper = keeper
    app.state.network = network or Network()
    app.state.teller = teller
    app.state.alone = app.state.network.alone
    problems.install(app)
    for module in (
        calc,
        reference,
        sign_in,
        shop,
        calls,
        measuring,
        pack,
        lab,
        why,
        parts,
        circuits,
        hand_over,
        archives,
        handbook,
        imports,
        live,
        meters,
        practice,
        reminders,
    ):
        app.include_router(module.router, dependencies=[Depends(admit)])

    # Of its own: health answers also while every other thread waits for the records.
    looking = CapacityLimiter(2)

    @app.get("/api/health", tags=["reference"], dependencies=[Depends(shop_only)])
    async def get_health() -> Health:
        """Return whether the product and its records answer."""
        trouble = await _not_ready(looking)
        return Health(version=__version__, records="away" if trouble else "ok", demo=reload_demo is not None)

    @app.get("/api/ready", tags=["reference"], dependencies=[Depends(shop_only)])
    async def get_ready() -> Live:
        """Return that this process takes work: its records answer, take writes, and are laid out."""
        trouble = await _not_ready(looking)
        if trouble is not None:
            raise trouble
        return Live(version=__version__)

    @app.get("/api/live", tags=["reference"], dependencies=[Depends(shop_only)])
    async def get_live() -> Live:
        """Return that this process answers; touches no record."""
        return Live(version=__version__)

    if web_dir is not None:
        _serve_front_end(app, web_dir)
    app.add_middleware(GZipMiddleware, minimum_size=1024)
    app.add_middleware(TrustedHostMiddleware, allowed_hosts=app.state.network.hosts)
    return app


def _serve_front_end(app: FastAPI, web_dir: Path) -> None:
    files = FrontEnd(web_dir)

    @app.get("/{path:path}", include_in_schema=False)
    async def front_end(path: str, request: Request) -> Response:
        found = files.answer(path, request)
        if found is None and not path.startswith(("api/", "assets/")):
            found = files.answer("index.html", request)
        if found is not None:
            return found
        return problems.respond(
            Problem(title=msg("Not here"), detail=msg("Nothing answers at this address.")), 404
        )
