"""Routes whose answer is worked out in the thread that was asked, and never in the loop that answers all."""

from collections.abc import Callable
from functools import wraps
from inspect import iscoroutinefunction
from typing import Any

from fastapi.routing import APIRoute

from orange_crank.store.calls.view import CallOut, worked_out


class BesideTheLoop(APIRoute):
    """A route whose answer, where it is a call, is worked out whole before the loop writes it."""

    def __init__(self, path: str, endpoint: Callable[..., Any], **more: Any) -> None:
        """As of any route."""
        super().__init__(path, endpoint if iscoroutinefunction(endpoint) else _whole(endpoint), **more)


def _whole(endpoint: Callable[..., Any]) -> Callable[..., Any]:
    @wraps(endpoint)
    def answered(*args: Any, **more: Any) -> Any:
        found = endpoint(*args, **more)
        return worked_out(found) if isinstance(found, CallOut) else found

    return answered
