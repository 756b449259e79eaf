"""Waveforms, photographs, cooling clocks and the shop's standards over HTTP."""

import io
import zipfile
from pathlib import Path
from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Query, Request, Response
from pydantic import AwareDatetime, Field
from starlette.concurrency import run_in_threadpool

from orange_crank.apart import run_apart
from orange_crank.api.beside import BesideTheLoop
from orange_crank.api.door import Who
from orange_crank.api.keyed import Key
from orange_crank.api.open_files import recording_of
from orange_crank.api.shop import Number
from orange_crank.api.uploads import MOST_BYTES, Uploads, WholeBody
from orange_crank.core.measure.captured import CaptureComparison
from orange_crank.core.measure.meter import Conductor
from orange_crank.core.measure.start_sound import SoundReport, hear_start
from orange_crank.core.measure.waveform import Waveform, rolling_rms, thinned
from orange_crank.core.nomenclature import Frozen, Word
from orange_crank.formats.comtrade_files import comtrade_channels, read_comtrade, write_comtrade
from orange_crank.formats.logger_csv import CsvPreview, preview_csv, read_csv, write_csv
from orange_crank.formats.photo import clean_photo
from orange_crank.formats.plate_photo import PlatePhotoOut, read_plate_photo
from orange_crank.formats.recording import FileProblem, Recording, cut
from orange_crank.formats.wav import MOST_BYTES as MOST_SOUND_BYTES
from orange_crank.formats.wav import read_wav
from orange_crank.store import captures, clocks, photos, sounds, standards
from orange_crank.store.analyses import analysed
from orange_crank.store.calls import view
from orange_crank.store.database import session
from orange_crank.store.once import once

router = APIRouter(prefix="/api", tags=["measuring"], route_class=BesideTheLoop)

Index = Annotated[int, Field(strict=True, ge=0, le=500)]
Factor = Annotated[float, Field(strict=True, ge=-1e6, le=1e6, allow_inf_nan=False)]


class UploadOut(Frozen):
    """A file that arrived, and what it looks like."""

    upload_id: str
    kind: Literal["csv", "cfg", "dat"]
    preview: CsvPreview | None = None


class ChannelName(Frozen):
    """One analog channel of a COMTRADE record."""

    index: int
    name: str
    unit: str


class ComtradePair(Frozen):
    """The two files of a COMTRADE record."""

    cfg_upload_id: str
    dat_upload_id: str


class NewCapture(Frozen):
    """How to read what was sent."""

    name: Word
    upload_id: str = Field(description="The CSV file, or the .cfg of a COMTRADE record")
    dat_upload_id: str | None = Field(default=None, description="The .dat of a COMTRADE record")
    time_index: Index = 0
    line_a_index: Index
    line_v_index: Index | None = None
    line_a_factor: Factor | None = Field(
        default=None,
        description="Clamp ratio: amps a unit of the column; wanted where the column is in volts",
    )
    line_v_factor: Factor | None = Field(default=None, description="Probe ratio: volts a unit of the column")
    conductor: Conductor | None = Field(default=None, description="Where the clamp was")
    from_s: Annotated[float, Field(strict=True, ge=0, le=1e6)] | None = Field(
        default=None, description="Keep only from here on [s]"
    )
    to_s: Annotated[float, Field(strict=True, gt=0, le=1e6)] | None = Field(
        default=None, description="Keep only up to here [s]"
    )
    hertz: Annotated[float, Field(strict=True, ge=40, le=70)] = 60.0


class Trace(Frozen):
    """A stretch of a capture, thinned so that every peak survives."""

    from_s: float
    to_s: float
    time_s: list[float]
    line_a: list[float]
    rms_a: list[float]
    line_v: list[float] | None


def _uploads(request: Request) -> Uploads:
    uploads: Uploads = request.app.state.uploads
    return uploads


@router.post("/uploads", status_code=201, max_body_size=MOST_BYTES + 1024)
async def upload(request: Request, who: Who, kind: Literal["csv", "cfg", "dat"] = "csv") -> UploadOut:
    """Take a file in; a CSV is looked at and its shape returned."""
    del who
    name, path = await _uploads(request).receive(request, kind)
    try:
        preview = await run_in_threadpool(run_apart, "file", preview_csv, path) if kind == "csv" else None
    except FileProblem:
        path.unlink(missing_ok=True)
        raise
    return UploadOut(upload_id=name, kind=kind, preview=preview)


@router.post("/uploads/comtrade")
def look_at_comtrade(pair: ComtradePair, request: Request, _: Who) -> list[ChannelName]:
    """Return the analog channels of a COMTRADE record."""
    uploads = _uploads(request)
    found = run_apart(
        "file", comtrade_channels, uploads.path(pair.cfg_upload_id), uploads.path(pair.dat_upload_id)
    )
    return [ChannelName(index=i, name=name, unit=unit) for i, (name, unit) in enumerate(found)]


@router.post("/calls/{call_id}/captures", status_code=201)
def add_capture(
    call_id: Number, entry: NewCapture, request: Request, who: Who, key: Key
) -> captures.CaptureOut:
    """Read a file that was sent and keep it as a capture of this call."""
    uploads = _uploads(request)

    def keep() -> captures.CaptureOut:
        # Read here and not before: the same request sent again finds its file gone and its capture kept.
        recording = _read(entry, uploads)
        wave = Waveform(
            sample_hz=recording.sample_hz,
            line_a=recording.channels["line_a"],
            line_v=recording.channels.get("line_v"),
            hertz=entry.hertz,
        )
        number = captures.save_capture(
            call_id,
            entry.name,
            wave,
            recording.notes,
            who.id,
            entry.conductor,
            start_s=recording.start_s,
            stamp=recording.stamp,
        )
        return captures.get_capture(number)

    with session():
        saved = once(key, keep, lambda number: captures.get_capture(number or 0), lambda made: made.id)
    uploads.used(entry.upload_id, entry.dat_upload_id)
    return saved


def _read(entry: NewCapture, uploads: Uploads) -> Recording:
    """Return the stretch of a sent file that is to be kept."""
    channels = {"line_a": entry.line_a_index}
    if entry.line_v_index is not None:
        channels["line_v"] = entry.line_v_index
    path = uploads.path(entry.upload_id)
    ratios = {"line_a": entry.line_a_factor, "line_v": entry.line_v_factor}
    beside = uploads.path(entry.dat_upload_id) if entry.dat_upload_id is not None else None
    return run_apart("file", _stretch, path, beside, entry, channels, ratios)


def _stretch(
    path: Path,
    beside: Path | None,
    entry: NewCapture,
    channels: dict[str, int],
    ratios: dict[str, float | None],
) -> Recording:
    """Read a file and cut it; in a process of its own."""
    if beside is not None:
        recording = read_comtrade(path, beside, channels, ratios)
    else:
        recording = read_csv(path, preview_csv(path), entry.time_index, channels, ratios)
    if entry.from_s is None and entry.to_s is None:
        return recording
    return cut(recording, entry.from_s or 0.0, entry.to_s)


@router.get("/calls/{call_id}/captures")
def list_captures(call_id: Number) -> list[captures.CaptureOut]:
    """Return a call's captures with what is read off each."""
    with session():
        return captures.list_captures(call_id)


@router.get("/calls/{call_id}/captures/compare")
def compare_captures(
    call_id: Number, before: Annotated[int, Query(ge=1)], after: Annotated[int, Query(ge=1)]
) -> CaptureComparison:
    """Compare the largest starts of two captures of a call."""
    with session():
        return captures.compare_starts(call_id, before, after)


class SoundOut(Frozen):
    """A recording and what is heard on it."""

    id: int
    call_id: int
    recorded_at: AwareDatetime
    person: str
    report: SoundReport


def _sound_out(kept: sounds.SoundKept) -> SoundOut:
    """Hand a recording out with what is heard on it; called within a session."""
    return SoundOut(
        id=kept.id,
        call_id=kept.call_id,
        recorded_at=kept.recorded_at,
        person=kept.person,
        report=analysed(
            "sound",
            kept.id,
            kept.sha256,
            SoundReport,
            lambda: hear_start(read_wav(sounds.sound_bytes(kept.id))),
        ),
    )


def _heard(data: bytes) -> SoundReport:
    """Read a sound and hear the start on it; in a process of its own."""
    return hear_start(read_wav(data))


@router.post("/calls/{call_id}/sounds", status_code=201, max_body_size=MOST_SOUND_BYTES + 1024)
def add_sound(call_id: Number, data: WholeBody, who: Who, key: Key) -> SoundOut:
    """Keep a start as recorded by ear (WAV); refused unless it can be read."""
    run_apart("file", _heard, data)
    with session():
        return _sound_out(
            once(
                key,
                lambda: sounds.get_sound(sounds.save_sound(call_id, data, who.id)),
                lambda number: sounds.get_sound(number or 0),
                lambda made: made.id,
            )
        )


@router.get("/calls/{call_id}/sounds")
def list_sounds(call_id: Number) -> list[SoundOut]:
    """Return a call's recordings with what is heard on each."""
    with session():
        return [_sound_out(sound) for sound in sounds.list_sounds(call_id)]


@router.get("/sounds/{sound_id}/file")
def get_sound(sound_id: Number) -> Response:
    """Return a recording as WAV."""
    with session():
        data = sounds.sound_bytes(sound_id)
    return Response(data, media_type="audio/wav", headers=_saved_as(f"start-{sound_id}.wav"))


@router.get("/captures/{capture_id}/trace")
def get_trace(
    capture_id: Number,
    from_s: Annotated[float, Query(ge=0, le=1e6)] = 0.0,
    to_s: Annotated[float | None, Query(gt=0, le=1e6)] = None,
    points: Annotated[int, Query(ge=50, le=20_000)] = 2_000,
) -> Trace:
    """Return a stretch of a capture for drawing."""
    with session():
        _, wave = captures.load_waveform(capture_id)
    rate = wave.sample_hz
    low = min(int(from_s * rate), len(wave.line_a) - 2)
    high = max(low + 2, min(len(wave.line_a), int((to_s or wave.duration_s) * rate)))
    picks, amps = thinned(wave.line_a[low:high], points)
    rms = rolling_rms(wave.line_a, wave.cycle)[low:high]
    return Trace(
        from_s=low / rate,
        to_s=high / rate,
        time_s=np.round((picks + low) / rate, 6).tolist(),
        line_a=np.round(amps, 3).tolist(),
        rms_a=np.round(rms[picks], 3).tolist(),
        line_v=np.round(wave.line_v[low:high][picks], 2).tolist() if wave.line_v is not None else None,
    )


@router.get("/captures/{capture_id}/file")
def get_capture_file(capture_id: Number, form: Literal["csv", "comtrade"] = "csv") -> Response:
    """Return a capture as CSV, or as a packed COMTRADE record (.cfg and .dat)."""
    with session():
        kept = captures.load_capture(capture_id)
    recording = recording_of(kept)
    stem = f"capture-{capture_id}"
    if form == "csv":
        return Response(
            write_csv(recording), media_type="text/csv; charset=utf-8", headers=_saved_as(f"{stem}.csv")
        )
    cfg, dat = write_comtrade(recording, moment=kept.recorded_at)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr(f"{stem}.cfg", cfg)
        file.writestr(f"{stem}.dat", dat)
    return Response(packed.getvalue(), media_type="application/zip", headers=_saved_as(f"{stem}.zip"))


def _saved_as(name: str) -> dict[str, str]:
    return {"Content-Disposition": f'attachment; filename="{name}"'}


@router.post("/calls/{call_id}/photos", status_code=201, max_body_size=30 * 2**20)
def add_photo(
    call_id: Number,
    data: WholeBody,
    who: Who,
    key: Key,
    subject: photos.Subject = "other",
    caption: Annotated[str, Query(max_length=400)] = "",
) -> photos.PhotoOut:
    """Keep a photograph: re-encoded, turned upright, its location removed."""
    jpeg, width, height = run_apart("picture", clean_photo, data)
    with session():
        return once(
            key,
            lambda: photos.add_photo(call_id, subject, caption, jpeg, (width, height), who.id),
            lambda number: photos.get_photo(number or 0),
            lambda made: made.id,
        )


@router.post("/plate-photo", max_body_size=30 * 2**20)
def read_plate(data: WholeBody) -> PlatePhotoOut:
    """Read a nameplate from a photograph: each field proposed with its piece, none taken over."""
    return run_apart("picture", read_plate_photo, data)


@router.get("/calls/{call_id}/photos")
def list_photos(call_id: Number) -> list[photos.PhotoOut]:
    """Return a call's photographs."""
    with session():
        return photos.photos_of_call(call_id)


@router.get("/units/{unit_id}/photos")
def list_unit_photos(unit_id: Number) -> list[photos.PhotoOut]:
    """Return a unit's photographs over all its calls."""
    with session():
        return photos.photos_of_unit(unit_id)


@router.get("/photos/{photo_id}")
def get_photo(photo_id: Number) -> Response:
    """Return a photograph."""
    with session():
        data = photos.photo_bytes(photo_id)
    return Response(data, media_type="image/jpeg")


@router.post("/calls/{call_id}/clocks", status_code=201)
def start_clock(call_id: Number, entry: clocks.NewClock, who: Who, key: Key) -> view.CallOut:
    """Start a cooling clock on a call."""

    def run() -> view.CallOut:
        clocks.start_clock(call_id, entry, who.id)
        return view.get_call(call_id)

    with session():
        return once(key, run, lambda _: view.get_call(call_id))


@router.post("/calls/{call_id}/clocks/{clock_id}/end")
def end_clock(call_id: Number, clock_id: Number, who: Who, key: Key) -> view.CallOut:
    """End a cooling clock."""

    def run() -> view.CallOut:
        clocks.end_clock(call_id, clock_id, who.id)
        return view.get_call(call_id)

    with session():
        return once(key, run, lambda _: view.get_call(call_id))


@router.get("/standards")
def get_standards() -> list[standards.StandardOut]:
    """Return the shop's rules of thumb with their reasons and history."""
    with session():
        return standards.list_standards()


@router.put("/standards/{name}")
def set_standard(name: str, entry: standards.NewStandard, who: Who, key: Key) -> list[standards.StandardOut]:
    """Set a shop standard; the lead's to do."""
    with session():
        return once(
            key, lambda: standards.set_standard(name, entry, who), lambda _: standards.list_standards()
        )
