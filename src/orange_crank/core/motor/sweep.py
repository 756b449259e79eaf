"""Many starts: every combination of what is varied, over all cores."""

import os
import threading
from collections.abc import Callable
from concurrent.futures import (
    FIRST_COMPLETED,
    Executor,
    Future,
    ProcessPoolExecutor,
    ThreadPoolExecutor,
    wait,
)
from itertools import islice, product
from multiprocessing import get_context
from typing import Annotated, Any

from pydantic import Field, JsonValue, ValidationError

from orange_crank.core.errors import CrankError, FieldProblem, InputProblem, input_problem
from orange_crank.core.messages import msg
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.start import StartResult, compute_start
from orange_crank.core.motor.warm import warm
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.tables.standards import Standards

MOST_POINTS = 50_000


class Varied(Frozen):
    """One thing that is varied: where it stands in a start, and the values it takes."""

    field: Annotated[str, Field(min_length=1, max_length=80)] = Field(
        description="Path in the start, such as run_cap_uf, load.start_torque_pct, source.volts or aid"
    )
    values: list[JsonValue] = Field(min_length=1, max_length=500)


class SweepIn(Frozen):
    """A start, and what is varied about it; every combination is computed."""

    start: dict[str, JsonValue] = Field(description="A start as the start topic takes it")
    vary: list[Varied] = Field(min_length=1, max_length=6)


class SweepRow(Frozen):
    """One start of a sweep: the values varied, then what came of them."""

    values: list[JsonValue]
    verdict: str = Field(description="started, late, stalled or tripped; refused when it cannot be computed")
    time_to_speed_s: float | None = None
    inrush_100ms_a: float | None = None
    max_cycle_rms_a: float | None = None
    settled_a: float | None = None
    sag_pct: float | None = None
    start_kva: float | None = None
    relay_opened_s: float | None = None
    i2t: float | None = None
    problem: str | None = Field(default=None, description="Why it cannot be computed")


class SweepOut(Frozen):
    """All rows of a sweep, in the order of their combinations, the last varied changing fastest."""

    fields: list[str]
    rows: list[SweepRow]


def sweep_size(entry: SweepIn) -> int:
    """Return how many starts a sweep holds.

    Raises
    ------
    InputProblem : too many, or the base start cannot be read

    """
    count = 1
    for one in entry.vary:
        count *= len(one.values)
    if count > MOST_POINTS:
        raise InputProblem(
            [
                FieldProblem(
                    field="vary",
                    wanted=msg("at most {most_points:,} combinations", most_points=MOST_POINTS),
                    got=count,
                )
            ],
            next_step=msg("Vary fewer values, or one thing less."),
        )
    for i, one in enumerate(entry.vary):
        if one.field in [v.field for v in entry.vary[:i]]:
            raise InputProblem(
                [
                    FieldProblem(
                        field=f"vary[{i}].field", wanted=msg("a field not varied already"), got=one.field
                    )
                ]
            )
        head = one.field.split(".")[0]
        if head not in StartIn.model_fields:
            known = ", ".join(StartIn.model_fields)
            raise InputProblem(
                [
                    FieldProblem(
                        field=f"vary[{i}].field",
                        wanted=msg("a path beginning with one of {known}", known=known),
                        got=one.field,
                    )
                ]
            )
    _point(entry, tuple(one.values[0] for one in entry.vary))
    return count


def _point(entry: SweepIn, values: tuple[JsonValue, ...]) -> StartIn:
    raw: dict[str, Any] = dict(entry.start)
    for one, value in zip(entry.vary, values, strict=True):
        steps = one.field.split(".")
        at = raw
        for step in steps[:-1]:
            inner = at.get(step)
            at[step] = dict(inner) if isinstance(inner, dict) else {}
            at = at[step]
        at[steps[-1]] = value
    try:
        return StartIn.model_validate(raw)
    except ValidationError as error:
        raise input_problem(error) from None


def _row(entry: SweepIn, values: tuple[JsonValue, ...], standards: Standards | None) -> SweepRow:
    try:
        found: StartResult = compute_start(_point(entry, values), standards)
    except CrankError as problem:
        return SweepRow(values=list(values), verdict="refused", problem=problem.detail)
    return SweepRow(
        values=list(values),
        verdict=found.verdict,
        time_to_speed_s=found.time_to_speed_s,
        inrush_100ms_a=found.inrush_100ms_a,
        max_cycle_rms_a=found.max_cycle_rms_a,
        settled_a=found.settled_a,
        sag_pct=found.sag_pct,
        start_kva=found.start_kva,
        relay_opened_s=found.relay_opened_s,
        i2t=found.i2t,
    )


Numbered = list[tuple[int, tuple[JsonValue, ...]]]


def _rows(entry: SweepIn, points: Numbered, standards: Standards | None) -> list[tuple[int, SweepRow]]:
    return [(number, _row(entry, values, standards)) for number, values in points]


def run_sweep(
    entry: SweepIn,
    standards: Standards | None = None,
    on_row: Callable[[int, SweepRow], None] | None = None,
    stop: threading.Event | None = None,
    processes: bool = False,
) -> SweepOut:
    """Compute every combination over all cores.

    Parameters
    ----------
    entry : the sweep
    standards : the shop's limits (shipped ones when left out)
    on_row : called with number and row as each comes in, not in order
    stop : set it to give up; what was computed so far is returned
    processes : over processes and not threads: faster, for a program that has no threads of its own

    Raises
    ------
    InputProblem : too many combinations, or the first of them cannot be read

    """
    sweep_size(entry)
    rows: dict[int, SweepRow] = {}
    points = enumerate(product(*(v.values for v in entry.vary)))
    cores = os.cpu_count() or 1
    pool: Executor
    if processes:
        # Forked when the model is compiled and loaded already: nothing is loaded twice.
        warm()
        pool, at_once = ProcessPoolExecutor(cores, mp_context=get_context("fork")), 8
    else:
        pool, at_once = ThreadPoolExecutor(cores), 2
    with pool:
        under_way: set[Future[list[tuple[int, SweepRow]]]] = set()

        def feed(more: int) -> None:
            for _ in range(more):
                if batch := list(islice(points, at_once)):
                    under_way.add(pool.submit(_rows, entry, batch, standards))

        feed(3 * cores)
        while under_way:
            done, _ = wait(under_way, return_when=FIRST_COMPLETED)
            under_way -= done
            for future in done:
                for number, row in future.result():
                    rows[number] = row
                    if on_row is not None:
                        on_row(number, row)
            if stop is None or not stop.is_set():
                feed(len(done))
    return SweepOut(fields=[v.field for v in entry.vary], rows=[rows[n] for n in sorted(rows)])
