"""Every refusal as problem details (RFC 9457), mapped in this one place."""

from collections.abc import Mapping
from json import JSONDecodeError
from math import ceil

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect
from starlette.responses import Response
from starlette.types import Message

from orange_crank.api.rights import NotAllowed
from orange_crank.core.errors import (
    BeyondTable,
    CrankError,
    GateClosed,
    InputProblem,
    OutOfReach,
    Problem,
    input_problem,
)
from orange_crank.core.messages import msg
from orange_crank.formats.recording import FileProblem
from orange_crank.store.backup import BackupTrouble
from orange_crank.store.credentials import NotSignedIn, TooManyTries
from orange_crank.store.errors import Conflict, NotFound, RecordsAway, WrongPerson

log = structlog.get_logger("orange_crank.faults")

STATUS: dict[type[CrankError], int] = {
    InputProblem: 422,
    BeyondTable: 422,
    GateClosed: 409,
    Conflict: 409,
    WrongPerson: 409,
    NotFound: 404,
    RecordsAway: 503,
    OutOfReach: 503,
    BackupTrouble: 503,
    FileProblem: 422,
    NotSignedIn: 401,
    NotAllowed: 403,
    TooManyTries: 429,
}


def respond(
    problem: Problem,
    status: int,
    retry_after_s: float | None = None,
    more: Mapping[str, str] | None = None,
) -> JSONResponse:
    """Return problem details with their own media type; ``more`` are further headers."""
    body = problem.model_copy(update={"status": status}).model_dump(mode="json")
    headers = dict(more or {}) | ({"Retry-After": "2"} if status == 503 else {})
    if status == 401:
        # What RFC 9110 asks of every 401; browsers know no such scheme and show no box of their own.
        headers["WWW-Authenticate"] = "Session"
    if retry_after_s is not None:
        headers["Retry-After"] = str(ceil(retry_after_s))
    return JSONResponse(body, status, headers, media_type="application/problem+json")


def too_large() -> JSONResponse:
    """Return the refusal of a request larger than an address takes."""
    return respond(
        Problem(
            title="Too large",
            detail=msg("That is too large to send."),
            next_step=msg("Send less at a time."),
        ),
        413,
    )


def wrong_host() -> JSONResponse:
    """Return the refusal of a request for a name this server does not go by."""
    return respond(
        Problem(
            title="Another name",
            detail=msg("This server does not go by the name it was asked for."),
            next_step=msg("Open it by its own address; Shop, Network shows it."),
        ),
        400,
    )


def is_problem(start: Message) -> bool:
    """Return whether a response that begins is problem details already."""
    return any(
        name.lower() == b"content-type" and value.startswith(b"application/problem+json")
        for name, value in start["headers"]
    )


def status_of(error: CrankError) -> int:
    """Return the HTTP status of a refusal."""
    return next((code for kind, code in STATUS.items() if isinstance(error, kind)), 400)


def install(app: FastAPI) -> None:
    """Teach an application to answer every refusal in the same words."""

    @app.exception_handler(CrankError)
    async def refused(_: Request, error: CrankError) -> Response:
        wait_s = error.wait_s if isinstance(error, TooManyTries) else None
        answer = respond(error.problem(), status_of(error), wait_s)
        if isinstance(error, WrongPerson):
            answer.headers["Wrong-Person"] = "true"
        return answer

    @app.exception_handler(RequestValidationError)
    async def malformed(_: Request, error: RequestValidationError) -> Response:
        rows = error.errors()
        return respond(input_problem(rows, skip=1).problem(), 422)

    @app.exception_handler(HTTPException)
    async def http_problem(_: Request, error: HTTPException) -> Response:
        words = {
            404: ("Not here", "Nothing answers at this address."),
            405: ("Not that way", "This address does not take that method."),
        }
        title, detail = words.get(error.status_code, ("Refused", str(error.detail)))
        return respond(Problem(title=title, detail=detail), error.status_code, more=error.headers)

    @app.exception_handler(JSONDecodeError)
    async def not_json(_: Request, error: JSONDecodeError) -> Response:
        return respond(Problem(title="Check the entry", detail=msg("Not JSON: {msg}.", msg=error.msg)), 422)

    @app.exception_handler(ClientDisconnect)
    async def gone(_: Request, __: Exception) -> Response:
        # A sender who went is no fault of the server, and no one hears the answer.
        return respond(
            Problem(title="Connection lost", detail=msg("Connection lost while sending. Not saved.")), 400
        )

    @app.exception_handler(Exception)
    async def unexpected(request: Request, error: Exception) -> Response:
        log.error("unexpected", path=request.url.path[:200], error=type(error).__name__, exc_info=error)
        problem = Problem(
            title="Server error",
            detail=msg("Something went wrong on the server. Nothing was half-saved; the entry stays here."),
            next_step=msg("Try again; if it stays, send the server's log to the developers."),
        )
        return respond(problem, 500)
