"""A request is carried out once: its key finds the first answer again, and never serves another request."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import TypeVar

import peewee

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.store.database import now, transaction
from orange_crank.store.models import RequestKept
from orange_crank.store.prepared import Prepared
from orange_crank.store.waited import waited

T = TypeVar("T")


# The keys of requests that were found carried out already, for their answers to say so.
_found_again: ContextVar[list[str]] = ContextVar("found again")


@contextmanager
def telling_again() -> Iterator[list[str]]:
    """Gather the keys that were found carried out already within a block, whatever threads work in it."""
    keys: list[str] = []
    token = _found_again.set(keys)
    try:
        yield keys
    finally:
        _found_again.reset(token)


@dataclass(frozen=True)
class Keyed:
    """An idempotency key, a digest of the request and its sender, and its wait in the offline queue [s]."""

    key: str
    digest: str
    waited_s: float = 0.0


_KEEP = Prepared(lambda result, number: RequestKept.update(result=result).where(RequestKept.id == number))


def once(
    request: Keyed | None,
    run: Callable[[], T],
    again: Callable[[int | None], T],
    result_of: Callable[[T], int | None] = lambda _: None,
) -> T:
    """Carry a request out once, whole or not at all.

    Parameters
    ----------
    request : its key and digest; None carries it out without remembering it
    run : what to do; its answer is worked out before anything is kept, so that what cannot be answered is
    not kept
    again : the answer to the same request sent again, from the number kept with it
    result_of : the number to keep, of what ``run`` gave

    Raises
    ------
    InputProblem : the key was used for another request

    """
    if request is None:
        with transaction():
            return run()
    try:
        with waited(request.waited_s), transaction():
            row = RequestKept.create(
                request_key=request.key, digest=request.digest, result=None, kept_at=now()
            )
            answer = run()
            number = result_of(answer)
            if number is not None:
                _KEEP.execute(number, row.id)
            return answer
    except peewee.IntegrityError:
        # The same request came before, or comes twice at once and the other one was first.
        kept = _kept(request)
        if kept is None:
            raise
        found = again(kept.result)
        _found_again.get([]).append(request.key)
        return found


def answered(request: Keyed | None) -> int | None:
    """Return the number kept with a request that was carried out already; None where it was not.

    Raises
    ------
    InputProblem : the key was used for another request

    """
    row = None if request is None else _kept(request)
    return None if row is None else row.result


def _kept(request: Keyed) -> RequestKept | None:
    row: RequestKept | None = RequestKept.get_or_none(RequestKept.request_key == request.key)
    if row is not None and row.digest and row.digest != request.digest:
        raise InputProblem(
            [
                FieldProblem(
                    field="Idempotency-Key",
                    wanted=msg("a new key for a new entry; this one was used for another"),
                    got=request.key,
                )
            ],
            next_step=msg("Save it once more; a new key is made for it."),
        )
    return row
