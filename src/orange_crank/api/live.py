"""Push changes at once: a phone hears of another phone's writes, by server-sent events.

An event carries only the call's journal number; the phone that shows the call reads it again. The numbers are
read from the database, so that it holds over several processes.
"""

import asyncio
from collections.abc import AsyncGenerator, AsyncIterator
from contextlib import suppress

from fastapi import APIRouter, Request
from pydantic import Field
from sse_starlette import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool

from orange_crank.api.door import while_signed_in
from orange_crank.core.errors import CrankError
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.calls.listing import journal_numbers
from orange_crank.store.database import practising, session

router = APIRouter(prefix="/api", tags=["live"])

LOOK_EVERY_S = 0.7
PING_EVERY_S = 15


class CallMoved(Frozen):
    """A call whose journal moved on."""

    call_id: int
    entries: int = Field(description="Its journal number now")


class Watch:
    """One look at the journals for everybody who listens, while anybody does."""

    def __init__(self) -> None:
        self._listeners: set[asyncio.Queue[CallMoved]] = set()
        self._task: asyncio.Task[None] | None = None
        self._known: dict[int, int] = {}

    async def listen(self) -> AsyncIterator[CallMoved]:
        """Yield every call that moves on from now."""
        queue: asyncio.Queue[CallMoved] = asyncio.Queue(maxsize=1_000)
        self._listeners.add(queue)
        if self._task is None or self._task.done():
            self._known = await self._numbers()
            self._task = asyncio.create_task(self._look())
        try:
            while True:
                yield await queue.get()
        finally:
            self._listeners.discard(queue)
            if not self._listeners and self._task is not None:
                self._task.cancel()
                self._task = None

    async def _look(self) -> None:
        while True:
            await asyncio.sleep(LOOK_EVERY_S)
            found = await self._numbers()
            moved = [CallMoved(call_id=i, entries=n) for i, n in found.items() if self._known.get(i) != n]
            self._known |= found
            for queue in self._listeners:
                for one in moved:
                    with suppress(asyncio.QueueFull):
                        queue.put_nowait(one)

    async def _numbers(self) -> dict[int, int]:
        def read() -> dict[int, int]:
            with session():
                return journal_numbers()

        try:
            return await run_in_threadpool(read)
        except CrankError:
            # The records are away for a moment; anyone who listens hears the rest when they are back.
            return {}


# One for the shop's own records, one for those of practice.
WATCHES = {False: Watch(), True: Watch()}


@router.get("/moves", response_class=EventSourceResponse)
async def watch_moves(request: Request) -> EventSourceResponse:
    """Stream every call whose journal moves on, as server-sent events named ``call``."""

    async def events() -> AsyncGenerator[ServerSentEvent]:
        yield ServerSentEvent(event="ready", data="")
        async for moved in WATCHES[practising()].listen():
            yield ServerSentEvent(event="call", data=moved.model_dump_json())

    return EventSourceResponse(while_signed_in(request, events()), ping=PING_EVERY_S)
