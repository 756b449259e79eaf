"""Read a stranger's file in a disposable process, with limits on time, memory and output.

A fork server that has the readers loaded makes one process per file in some milliseconds; the process is
killed when it takes too long, and ends with its file. Pictures, papers and files each have two at a time.
"""

import multiprocessing
import pickle
import resource
import threading
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from multiprocessing.reduction import ForkingPickler
from pathlib import Path
from typing import Any, Literal, TypeVar

from orange_crank.core.errors import CrankError, OutOfReach
from orange_crank.core.messages import msg
from orange_crank.formats.recording import FileProblem

T = TypeVar("T")
Kind = Literal["picture", "file", "paper"]
MEGA = 2**20
AT_ONCE = 2
WAIT_S = 30.0


@dataclass(frozen=True)
class Limits:
    """How much one file may cost.

    Attributes
    ----------
    seconds : on the wall
    memory_mb : beyond what the readers themselves take
    output_mb : of the result

    """

    seconds: float
    memory_mb: int
    output_mb: int


LIMITS: dict[Kind, Limits] = {
    "picture": Limits(seconds=40.0, memory_mb=900, output_mb=40),
    # The largest logger file of 700 MB, its columns, and the cut that is kept.
    "file": Limits(seconds=120.0, memory_mb=4_000, output_mb=1_000),
    "paper": Limits(seconds=60.0, memory_mb=1_500, output_mb=100),
}
_context = multiprocessing.get_context("forkserver")
_context.set_forkserver_preload(["orange_crank.readers", "orange_crank.cli"])
_turns = {kind: threading.BoundedSemaphore(AT_ONCE) for kind in LIMITS}


def run_apart(kind: Kind, work: Callable[..., T], *args: Any, limits: Limits | None = None) -> T:
    """Run a function of a module in a process of its own and return its result.

    Parameters
    ----------
    kind : which limits and turns it has
    work : a function that a process can import by name
    args : what it is called with; pickled
    limits : other than its kind's

    Raises
    ------
    CrankError : as the function raised it
    FileProblem : it took too long, too much memory, or brought the reader down
    OutOfReach : others are being read and none came to its end

    """
    bounds = limits or LIMITS[kind]
    if not _turns[kind].acquire(timeout=WAIT_S):
        raise OutOfReach(msg("Other files are being read."), next_step=msg("Send it again in a minute."))
    try:
        return _run(bounds, work, args)
    finally:
        _turns[kind].release()


def _run(bounds: Limits, work: Callable[..., T], args: tuple[Any, ...]) -> T:
    here, there = _context.Pipe(duplex=False)
    child = _context.Process(target=_child, args=(there, bounds, work, args), daemon=True)
    child.start()
    there.close()
    try:
        if not here.poll(bounds.seconds):
            raise FileProblem(
                msg("Reading it took longer than {seconds:g} s.", seconds=bounds.seconds),
                next_step=msg("Send a smaller or another file."),
            )
        try:
            said, value = pickle.loads(here.recv_bytes(bounds.output_mb * MEGA))
        except (EOFError, OSError):
            raise _down() from None
    finally:
        here.close()
        child.kill()
        child.join()
        child.close()
    if said == "done":
        done: T = value
        return done
    if said == "refused":
        raise value
    raise _down() if said == "failed" else _too_much(bounds)


def _down() -> FileProblem:
    return FileProblem(
        msg("The file brings its reader down."), next_step=msg("Export or take it again, then send that.")
    )


def _too_much(bounds: Limits) -> FileProblem:
    return FileProblem(
        msg("Reading it takes more than {memory_mb} MB of memory.", memory_mb=bounds.memory_mb),
        next_step=msg("Send a smaller file."),
    )


def _child(out: Connection, bounds: Limits, work: Callable[..., Any], args: tuple[Any, ...]) -> None:
    """Do the work within its limits; nothing else of this process survives."""
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    most = pages * resource.getpagesize() + bounds.memory_mb * MEGA
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    busy = int(bounds.seconds) * 4
    resource.setrlimit(resource.RLIMIT_CPU, (busy, busy))
    told: tuple[str, Any]
    try:
        told = ("done", work(*args))
    except CrankError as refused:
        told = ("refused", refused)
    except MemoryError:
        told = ("memory", None)
    except Exception:
        told = ("failed", None)
    try:
        out.send_bytes(ForkingPickler.dumps(told))
    except (MemoryError, ValueError, OSError):
        out.send_bytes(ForkingPickler.dumps(("memory", None)))
