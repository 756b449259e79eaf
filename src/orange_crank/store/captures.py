"""Recorded waveforms: compressed, checked by sum whenever read, never altered."""

import hashlib
import zlib
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from pydantic import AwareDatetime, Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.measure.captured import CaptureComparison, CapturedStart, compare_captures
from orange_crank.core.measure.meter import Conductor
from orange_crank.core.measure.waveform import Waveform, WaveformReport, read_waveform
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.analyses import analysed
from orange_crank.store.calls.journal import write_on
from orange_crank.store.database import transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import CaptureRow, ChangeMade, Person, ServiceCall
from orange_crank.store.standards import shop_standards

MOST_SAMPLES = 4_000_000


class CaptureOut(Frozen):
    """A capture with what is read off it now."""

    id: int
    call_id: int
    name: str
    line_hz: float
    conductor: Conductor | None
    sample_hz: float
    sample_count: int
    start_s: float = Field(description="First sample by the file's own time [s]")
    channels: list[str]
    notes: list[str]
    recorded_at: AwareDatetime
    person: str
    report: WaveformReport


def save_capture(
    call_id: int,
    name: str,
    wave: Waveform,
    notes: list[str],
    person_id: int,
    conductor: Conductor | None = None,
    at: datetime | None = None,
    start_s: float = 0.0,
    stamp: datetime | None = None,
) -> int:
    """Save a waveform as 32-bit floats, compressed, with its checksum; return its number.

    Raises
    ------
    InputProblem : more samples than a capture may hold

    """
    if len(wave.line_a) > MOST_SAMPLES:
        raise InputProblem(
            [
                FieldProblem(
                    field="line_a",
                    wanted=msg("at most {most_samples:,} samples", most_samples=MOST_SAMPLES),
                    got=len(wave.line_a),
                )
            ],
            next_step=_stretch(wave),
        )
    names = ["line_a"] + (["line_v"] if wave.line_v is not None else [])
    columns = [wave.line_a] + ([wave.line_v] if wave.line_v is not None else [])
    raw = np.stack(columns).astype("<f4").tobytes()
    with transaction():
        journal = write_on(call_id, at)
        row = CaptureRow.create(
            call=call_id,
            entry_no=journal.number,
            name=name[:120],
            sample_hz=wave.sample_hz,
            line_hz=wave.hertz,
            conductor=conductor,
            channels=names,
            notes=notes,
            start_s=start_s,
            stamp=stamp.isoformat() if stamp is not None else None,
            sample_count=len(wave.line_a),
            samples=zlib.compress(raw, 1),
            sha256=hashlib.sha256(raw).hexdigest(),
            recorded_at=journal.moment,
            person=person_id,
        )
    return int(row.id)


def _stretch(wave: Waveform) -> str:
    """Say which stretch of a long recording to keep: around its largest start, where there is one."""
    starts = read_waveform(wave).starts
    if not starts:
        return "Keep the stretch around the start: give the seconds from and to."
    largest = max(starts, key=lambda s: s.max_cycle_rms_a)
    most_s = MOST_SAMPLES / wave.sample_hz
    low = max(0.0, largest.onset_s - min(2.0, most_s / 10))
    high = min(wave.duration_s, low + min(30.0, 0.9 * most_s))
    return f"Keep a stretch of it: from {low:.1f} s to {high:.1f} s holds the largest start."


# Megabytes of samples are loaded only on request.
_BESIDE_SAMPLES = tuple(f for f in CaptureRow._meta.sorted_fields if f is not CaptureRow.samples)


def list_captures(call_id: int) -> list[CaptureOut]:
    """Return a call's captures with what is read off each."""
    rows = (
        CaptureRow.select(*_BESIDE_SAMPLES, Person)
        .join(Person)
        .where(CaptureRow.call == call_id)
        .order_by(CaptureRow.id)
    )
    return [_out(row) for row in rows]


def get_capture(capture_id: int) -> CaptureOut:
    """Return one capture.

    Raises
    ------
    NotFound : no such capture

    """
    row = (
        CaptureRow.select(*_BESIDE_SAMPLES, Person)
        .join(Person)
        .where(CaptureRow.id == capture_id)
        .get_or_none()
    )
    if row is None:
        raise NotFound(
            msg("Capture {capture_id} is not on record.", capture_id=capture_id),
            next_step=msg("Look at the call's list."),
        )
    return _out(row)


def compare_starts(call_id: int, before_id: int, after_id: int) -> CaptureComparison:
    """Compare the largest start of one capture with that of another, with the changes made in between.

    Raises
    ------
    InputProblem : not a capture of this call, or no start on it

    """
    found = {c.id: c for c in list_captures(call_id)}
    sides: list[CapturedStart] = []
    for name, number in (("before_id", before_id), ("after_id", after_id)):
        capture = found.get(number)
        if capture is None or not capture.report.starts:
            wanted = "a capture of this call" if capture is None else "a capture with a start on it"
            raise InputProblem([FieldProblem(field=name, wanted=wanted, got=number)])
        start = max(capture.report.starts, key=lambda s: s.max_cycle_rms_a)
        sides.append(CapturedStart(name=capture.name, start=start, conductor=capture.conductor))
    places = {
        row.id: row.entry_no
        for row in CaptureRow.select(CaptureRow.id, CaptureRow.entry_no).where(
            CaptureRow.id.in_([before_id, after_id])
        )
    }
    first, last = places[before_id], places[after_id]
    changes = [
        row.what
        for row in ChangeMade.select().where(ChangeMade.call == call_id).order_by(ChangeMade.entry_no)
        if first < row.entry_no <= last
    ]
    return compare_captures(sides[0], sides[1], changes, shop_standards())


@dataclass(frozen=True, eq=False)
class Kept:
    """A capture's samples with its own time."""

    name: str
    wave: Waveform
    start_s: float
    stamp: datetime | None
    recorded_at: datetime


def numbers(unit_id: int | None = None) -> list[int]:
    """Return the numbers of all captures, or of one unit's."""
    query = CaptureRow.select(CaptureRow.id).join(ServiceCall).order_by(CaptureRow.id)
    wanted: Any = query if unit_id is None else query.where(ServiceCall.unit == unit_id)
    return [number for (number,) in wanted.tuples()]


def load_waveform(capture_id: int) -> tuple[str, Waveform]:
    """Return a capture's name and samples.

    Raises
    ------
    NotFound : no such capture
    Conflict : the samples no longer match their checksum

    """
    kept = load_capture(capture_id)
    return kept.name, kept.wave


def load_capture(capture_id: int) -> Kept:
    """Return a capture's samples and the time they were taken at, by its file's own clock.

    Raises
    ------
    NotFound : no such capture
    Conflict : the samples no longer match their checksum

    """
    row = CaptureRow.get_or_none(CaptureRow.id == capture_id)
    if row is None:
        raise NotFound(
            msg("Capture {capture_id} is not on record.", capture_id=capture_id),
            next_step=msg("Look at the call's list."),
        )
    return Kept(
        name=row.name,
        wave=_waveform(row),
        start_s=row.start_s,
        stamp=datetime.fromisoformat(row.stamp) if row.stamp else None,
        recorded_at=row.recorded_at,
    )


def _waveform(row: Any) -> Waveform:
    raw = zlib.decompress(bytes(row.samples))
    if hashlib.sha256(raw).hexdigest() != row.sha256:
        raise Conflict(
            msg("Capture {id} does not match its checksum: the record was damaged.", id=row.id),
            next_step=msg("Restore it from a backup; do not use it as evidence."),
        )
    columns = np.frombuffer(raw, dtype="<f4").reshape(len(row.channels), row.sample_count).astype(float)
    named = dict(zip(row.channels, columns, strict=True))
    return Waveform(
        sample_hz=row.sample_hz, line_a=named["line_a"], line_v=named.get("line_v"), hertz=row.line_hz
    )


def _out(row: Any) -> CaptureOut:
    return CaptureOut(
        id=row.id,
        call_id=row.call_id,
        name=row.name,
        line_hz=row.line_hz,
        conductor=row.conductor,
        sample_hz=row.sample_hz,
        sample_count=row.sample_count,
        start_s=row.start_s,
        channels=list(row.channels),
        notes=list(row.notes),
        recorded_at=row.recorded_at,
        person=row.person.name,
        report=analysed(
            "capture", row.id, row.sha256, WaveformReport, lambda: read_waveform(load_capture(row.id).wave)
        ),
    )
