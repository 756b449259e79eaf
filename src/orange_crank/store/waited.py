"""An entry that waited on a device without signal: when it was made, by the seconds the device counted.

A device's clock may be wrong; how long an entry waited is a difference on that one clock, and holds. The
moment it was made is therefore the server's own time less that.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import datetime, timedelta

from orange_crank.store.database import now

# Less than this is the way over the network.
AT_ONCE_S = 30.0
_made: ContextVar[datetime | None] = ContextVar("made", default=None)


@contextmanager
def waited(seconds: float) -> Iterator[None]:
    """Carry out what is within a block as made some seconds ago [s]."""
    token = _made.set(now() - timedelta(seconds=seconds) if seconds > AT_ONCE_S else None)
    try:
        yield
    finally:
        _made.reset(token)


def made_at() -> datetime | None:
    """Return when the entry under way was made, where it waited on a device; else None."""
    return _made.get()
