"""The open files beside an archive's rows: CSV for a spreadsheet, recordings as COMTRADE."""

from collections.abc import Iterator

from orange_crank.formats.comtrade_files import write_comtrade
from orange_crank.formats.record_csv import record_csv
from orange_crank.formats.recording import Recording
from orange_crank.store import captures
from orange_crank.store.captures import Kept
from orange_crank.store.record_rows import parts_rows, record_rows


def recording_of(kept: Kept) -> Recording:
    """Return a capture as a recording of named channels."""
    wave = kept.wave
    channels = {"line_a": wave.line_a} | ({"line_v": wave.line_v} if wave.line_v is not None else {})
    return Recording(
        wave.sample_hz,
        channels,
        {"line_a": "A", "line_v": "V"},
        start_s=kept.start_s,
        stamp=kept.stamp,
        hertz=wave.hertz,
    )


def open_files(unit_id: int | None, shop: str) -> Iterator[tuple[str, bytes]]:
    """Yield the name and the bytes of each file that goes into an archive beside its rows."""
    yield "csv/record.csv", record_csv(record_rows(unit_id, shop)).encode()
    yield "csv/parts-fitted.csv", record_csv(parts_rows(unit_id, shop)).encode()
    for number in captures.numbers(unit_id):
        kept = captures.load_capture(number)
        cfg, dat = write_comtrade(recording_of(kept), moment=kept.recorded_at)
        yield f"recordings/capture-{number}.cfg", cfg.encode() if isinstance(cfg, str) else cfg
        yield f"recordings/capture-{number}.dat", dat
