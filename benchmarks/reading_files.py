"""A two-million-row logger file read, analysed and thinned, against plain polars reading the same file."""

import resource
import tempfile
import time
from pathlib import Path

import numpy as np
import polars as pl

from orange_crank.core.measure.waveform import Waveform, read_waveform, thinned
from orange_crank.formats.logger_csv import preview_csv, read_csv


def _file(folder: Path, rows: int) -> Path:
    rate = 20_000.0
    time_s = np.arange(rows) / rate
    rms = np.where((time_s % 20) < 10, np.where((time_s % 20) < 0.4, 100.0, 17.0), 0.0)
    amps = np.sqrt(2) * rms * np.sin(2 * np.pi * 60 * time_s)
    volts = np.sqrt(2) * (240 - 0.2 * rms) * np.sin(2 * np.pi * 60 * time_s)
    path = folder / f"{rows}.csv"
    pl.DataFrame({"time [s]": time_s, "current [A]": amps, "volts [V]": volts}).write_csv(
        path, float_precision=5
    )
    return path


def main() -> None:
    """Print seconds, the ratio to plain polars, and the memory high-water mark."""
    with tempfile.TemporaryDirectory() as folder:
        for rows, aim in ((2_000_000, 1.5), (10_000_000, 8.0)):
            path = _file(Path(folder), rows)
            begun = time.perf_counter()
            pl.read_csv(path)
            plain = time.perf_counter() - begun
            begun = time.perf_counter()
            read = read_csv(path, preview_csv(path), 0, {"line_a": 1, "line_v": 2})
            wave = Waveform(read.sample_hz, read.channels["line_a"], read.channels["line_v"])
            report = read_waveform(wave)
            thinned(wave.line_a, 2_000)
            whole = time.perf_counter() - begun
            memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
            print(
                f"{rows:,} rows: {whole:.2f} s (aim {aim} s), {whole / plain:.1f} × polars alone "
                f"({plain:.2f} s); {len(report.starts)} starts; high-water {memory:.2f} GB"
            )


if __name__ == "__main__":
    main()
