"""Grid runs of the lab, kept where every process of the server finds them; they are scratch, not record.

One process computes a run and saves its points every so often; any other returns its progress, hands it out
or cancels it. A run whose process ended is marked as failed.
"""

import json
import threading
import uuid
from datetime import timedelta
from typing import Literal, cast

from pydantic import TypeAdapter

from orange_crank.core.errors import CrankError
from orange_crank.core.messages import msg
from orange_crank.core.motor.sweep import SweepIn, SweepRow, run_sweep, sweep_size
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.tables.standards import Standards
from orange_crank.store.database import now, practising, records_of, session, transaction
from orange_crank.store.errors import NotFound
from orange_crank.store.models import SweepPart, SweepRun

Status = Literal["running", "done", "cancelled", "failed"]

MOST_KEPT = 12
WRITTEN_EVERY_S = 0.4
SILENT_S = 20.0
_ROWS: TypeAdapter[list[tuple[int, SweepRow]]] = TypeAdapter(list[tuple[int, SweepRow]])


class SweepState(Frozen):
    """How far a grid run is, and what came of it so far."""

    id: str
    status: Status
    total: int
    done: int
    problem: str | None
    fields: list[str]
    rows: list[SweepRow]


# The runs of this process, for it to give them up when it stops.
_here: set[threading.Event] = set()


def begin_sweep(entry: SweepIn, standards: Standards) -> SweepState:
    """Put a grid run on the list and compute it in the background.

    Raises
    ------
    InputProblem : too many combinations, or the first of them cannot be read

    """
    total, name = sweep_size(entry), uuid.uuid4().hex
    with session(), transaction():
        _make_room()
        row = SweepRun.create(
            name=name,
            fields=json.dumps([v.field for v in entry.vary]),
            total=total,
            status="running",
            begun_at=now(),
            beat_at=now(),
        )
    given_up = threading.Event()
    _here.add(given_up)
    threading.Thread(
        target=_run, args=(row.id, entry, standards, given_up, practising()), daemon=True, name="grid"
    ).start()
    return sweep_state(name)


def _make_room() -> None:
    """Let the oldest ended runs go; where all still run, the oldest is given up."""
    kept = list(SweepRun.select().order_by(SweepRun.id.desc()))
    for old in kept[MOST_KEPT - 1 :]:
        if _status(old) == "running":
            SweepRun.update(status="cancelled").where(SweepRun.id == old.id).execute()
        else:
            SweepPart.delete().where(SweepPart.run == old.id).execute()
            SweepRun.delete().where(SweepRun.id == old.id).execute()


def _status(row: SweepRun) -> Status:
    """Return the state of a run; one without a process has failed."""
    if row.status == "running" and now() - row.beat_at > timedelta(seconds=SILENT_S):
        return "failed"
    return cast(Status, row.status)


def _run(
    number: int, entry: SweepIn, standards: Standards, given_up: threading.Event, practice: bool
) -> None:
    """Compute a run and write what there is every so often, until it ends or a person gives it up."""
    found: dict[int, SweepRow] = {}
    ended = threading.Event()
    problem: list[str] = []

    def compute() -> None:
        try:
            run_sweep(entry, standards, on_row=found.__setitem__, stop=given_up)
        except CrankError as trouble:
            problem.append(trouble.detail)
        finally:
            ended.set()

    threading.Thread(target=compute, daemon=True, name="grid-rows").start()
    written: set[int] = set()
    last = False
    while not last:
        last = ended.wait(WRITTEN_EVERY_S)
        try:
            with records_of(practice), session(), transaction():
                last = _write(number, found, written, last, given_up, problem)
        except CrankError:
            if last:
                # The database is away: the run is computed again on request.
                break
    _here.discard(given_up)


def _write(
    number: int,
    found: dict[int, SweepRow],
    written: set[int],
    last: bool,
    given_up: threading.Event,
    problem: list[str],
) -> bool:
    """Write the rows not written yet; return whether it was the last time."""
    row = SweepRun.select().where(SweepRun.id == number).for_update().get_or_none()
    if row is None or row.status != "running":
        given_up.set()
    fresh = [(n, found[n]) for n in list(found) if n not in written]
    if row is None:
        return last
    if fresh:
        SweepPart.create(run=number, row_count=len(fresh), body=_ROWS.dump_json(fresh).decode())
        written.update(n for n, _ in fresh)
    status: Status = "running"
    if last:
        status = "failed" if problem else "cancelled" if given_up.is_set() else "done"
    elif given_up.is_set():
        status = "cancelled"
    SweepRun.update(status=status, problem=problem[0] if problem else None, beat_at=now()).where(
        SweepRun.id == number
    ).execute()
    return last


def sweep_state(name: str) -> SweepState:
    """Return how far a grid run is, with its rows so far, in the order of its combinations.

    Raises
    ------
    NotFound : it is not kept (any more)

    """
    with session():
        row = _find(name)
        parts = SweepPart.select(SweepPart.body).where(SweepPart.run == row.id).order_by(SweepPart.id)
        numbered = [one for part in parts for one in _ROWS.validate_json(part.body)]
    status = _status(row)
    return SweepState(
        id=name,
        status=status,
        total=row.total,
        done=len(numbered),
        problem=row.problem
        or ("The server was stopped while it ran. Run it again." if status == "failed" else None),
        fields=json.loads(row.fields),
        rows=[found for _, found in sorted(numbered, key=lambda one: one[0])],
    )


def cancel_sweep(name: str) -> SweepState:
    """Give a grid run up; what was computed stays.

    Raises
    ------
    NotFound : it is not kept (any more)

    """
    with session(), transaction():
        row = _find(name)
        SweepRun.update(status="cancelled").where(
            (SweepRun.id == row.id) & (SweepRun.status == "running")
        ).execute()
    return sweep_state(name)


def stop_sweeps() -> None:
    """Give every run of this process up, when it stops."""
    for given_up in list(_here):
        given_up.set()


def _find(name: str) -> SweepRun:
    row: SweepRun | None = SweepRun.get_or_none(SweepRun.name == name)
    if row is None:
        raise NotFound(msg("This grid run is not kept any more."), next_step=msg("Run it again."))
    return row
