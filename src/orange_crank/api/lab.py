"""The Start lab over HTTP: a call's own start, a recording laid over a computed one, and grid runs."""

from typing import Annotated

import numpy as np
from fastapi import APIRouter, Path, Response

from orange_crank.api.calc import held_standards
from orange_crank.api.shop import Number
from orange_crank.core.aids import AidOut, choose_aid
from orange_crank.core.call.aid import AidAsk, aid_entry
from orange_crank.core.call.start import StartOnCall, start_or_why_not
from orange_crank.core.measure.waveform import read_waveform, rolling_rms
from orange_crank.core.messages import msg
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.measured import MeasuredFit, fit_measured
from orange_crank.core.motor.sweep import SweepIn, SweepOut
from orange_crank.core.nomenclature import Frozen
from orange_crank.formats.sweep_csv import write_sweep
from orange_crank.store import captures, parts, sweeps
from orange_crank.store.calls.record import read_call
from orange_crank.store.database import session
from orange_crank.store.errors import NotFound

router = APIRouter(prefix="/api", tags=["lab"])


@router.get("/calls/{call_id}/start")
def start_of_this_call(call_id: Number) -> StartOnCall:
    """Return the start a call's readings describe, ready for the lab; or why there is none."""
    with session():
        return start_or_why_not(read_call(call_id).judged)


@router.post("/calls/{call_id}/aid")
def choose_aid_on_call(call_id: Number, ask: AidAsk) -> AidOut:
    """Rank start aids for a call: by its readings, its cause, what was put right, and the van."""
    with session():
        judged = read_call(call_id).judged
        stock = None if ask.from_van is None else parts.aids_of_van(ask.from_van)
    return choose_aid(aid_entry(judged, ask, stock), judged.limits)


class MeasuredTrace(Frozen):
    """One-cycle RMS of a recorded start, its first current at zero."""

    time_s: list[float]
    line_rms_a: list[float]
    line_rms_v: list[float] | None


class CaptureFit(Frozen):
    """A recording, and the computed start that comes nearest to it."""

    name: str
    measured: MeasuredTrace
    fit: MeasuredFit


@router.post("/captures/{capture_id}/fit")
def fit_capture(capture_id: Number, start: StartIn) -> CaptureFit:
    """Fit the start model to the largest start on a recording."""
    with session():
        name, wave = captures.load_waveform(capture_id)
    found = read_waveform(wave).starts
    if not found:
        raise NotFound(
            msg("No start is found on this recording."), next_step=msg("Record from before the start.")
        )
    largest = max(found, key=lambda s: s.max_cycle_rms_a)
    first = round(largest.onset_s * wave.sample_hz)
    last = min(len(wave.line_a), first + round(2.5 * wave.sample_hz))
    every = max(1, (last - first) // 400)
    rms = rolling_rms(wave.line_a, wave.cycle)[first:last:every]
    volts = rolling_rms(wave.line_v, wave.cycle)[first:last:every] if wave.line_v is not None else None
    return CaptureFit(
        name=name,
        measured=MeasuredTrace(
            time_s=np.round(np.arange(len(rms)) * every / wave.sample_hz, 5).tolist(),
            line_rms_a=np.round(rms, 2).tolist(),
            line_rms_v=np.round(volts, 2).tolist() if volts is not None else None,
        ),
        fit=fit_measured(start, wave, largest),
    )


SweepName = Annotated[str, Path(pattern="^[0-9a-f]{32}$")]


@router.post("/lab/sweeps", status_code=202)
def begin_sweep(entry: SweepIn) -> sweeps.SweepState:
    """Start a grid run; it goes on in the background."""
    return sweeps.begin_sweep(entry, held_standards())


@router.get("/lab/sweeps/{name}")
def get_sweep(name: SweepName) -> sweeps.SweepState:
    """Return how far a grid run is, with its rows so far."""
    return sweeps.sweep_state(name)


@router.delete("/lab/sweeps/{name}")
def cancel_sweep(name: SweepName) -> sweeps.SweepState:
    """Give a grid run up; what was computed stays."""
    return sweeps.cancel_sweep(name)


@router.get("/lab/sweeps/{name}/file")
def get_sweep_file(name: SweepName) -> Response:
    """Return a grid run as CSV."""
    state = sweeps.sweep_state(name)
    return Response(
        write_sweep(SweepOut(fields=state.fields, rows=state.rows)),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="start-grid.csv"'},
    )
