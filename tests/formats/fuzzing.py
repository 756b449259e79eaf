"""Files as they are never sold: whole ones with bits flipped, pieces cut, doubled, filled, figures blown up.

Used by the tests in small numbers and by ``benchmarks/fuzzing.py`` in large ones.
"""

import io
import random
import re
import resource
import tempfile
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image

from orange_crank.core.aids.parts import Counted, shipped_parts
from orange_crank.core.errors import CrankError
from orange_crank.core.measure.start_sound import Sound
from orange_crank.formats.comtrade_files import comtrade_channels, read_comtrade, write_comtrade
from orange_crank.formats.customer_list import guess, read_customers
from orange_crank.formats.logger_csv import preview_csv, read_csv, write_csv
from orange_crank.formats.meter_map import SHIPPED, read_map
from orange_crank.formats.parts_csv import parts_csv, read_parts_csv, read_prices_csv
from orange_crank.formats.photo import clean_photo
from orange_crank.formats.recording import Recording
from orange_crank.formats.spreadsheet import read_table
from orange_crank.formats.wav import read_wav, write_wav
from tests.golden.waveforms import quick_start

Reader = Callable[[bytes, Path], object]


def _recording() -> Recording:
    wave = quick_start()
    assert wave.line_v is not None
    return Recording(
        sample_hz=1_000.0,
        channels={"line_a": wave.line_a[:600:6], "line_v": wave.line_v[:600:6]},
        units={"line_a": "A", "line_v": "V"},
        hertz=60.0,
    )


def _csv(data: bytes, folder: Path) -> object:
    path = folder / "log.csv"
    path.write_bytes(data)
    seen = preview_csv(path)
    return read_csv(path, seen, 0, {"line_a": 1})


def _comtrade(data: bytes, folder: Path) -> object:
    cfg, _, dat = data.partition(b"\x1f\x1fDAT\x1f\x1f")
    one, two = folder / "record.cfg", folder / "record.dat"
    one.write_bytes(cfg)
    two.write_bytes(dat)
    comtrade_channels(one, two)
    return read_comtrade(one, two, {"line_a": 0})


def _customers(data: bytes, _: Path) -> object:
    table = read_table(data, "customers")
    return read_customers(table, guess(table))


def _picture(kind: str) -> bytes:
    out = io.BytesIO()
    shades = np.arange(48 * 40 * 3, dtype=np.uint32) % 251
    Image.fromarray(shades.astype(np.uint8).reshape(40, 48, 3)).save(out, kind)
    return out.getvalue()


def _comtrade_pair() -> bytes:
    cfg, dat = write_comtrade(_recording(), "BINARY")
    return cfg.encode() + b"\x1f\x1fDAT\x1f\x1f" + dat


def _sound() -> bytes:
    tone = np.sin(np.arange(4_000) / 10) * 0.5
    return write_wav(Sound(sample_hz=8_000, samples=tone))


def _parts() -> bytes:
    return parts_csv([Counted(part=p, count=1, price=None) for p in shipped_parts()[:6]]).encode()


READERS: Mapping[str, tuple[Callable[[], bytes], Reader]] = {
    "csv": (lambda: write_csv(_recording()).encode(), _csv),
    "comtrade": (_comtrade_pair, _comtrade),
    "wav": (_sound, lambda data, _: read_wav(data)),
    "png": (lambda: _picture("PNG"), lambda data, _: clean_photo(data)),
    "jpeg": (lambda: _picture("JPEG"), lambda data, _: clean_photo(data)),
    "parts": (_parts, lambda data, _: read_parts_csv(data)),
    "prices": (lambda: b"part,price\nRC-5-440,12.50\nKT-88,80\n", lambda data, _: read_prices_csv(data)),
    "customers": (
        lambda: "Customer,Unit,Serial,Year\nFerry landing,Split,AB12,2016\nSägewerk,Dach,,\n".encode(),
        _customers,
    ),
    "meter": (
        lambda: (
            (Path(__file__).resolve().parents[2] / "src/orange_crank/formats/meters" / f"{SHIPPED[0]}.yaml")
            .read_bytes()
        ),
        lambda data, _: read_map(data.decode("utf-8", "replace")),
    ),
}  # fmt: skip


def spoilt(whole: bytes, rng: random.Random) -> bytes:
    """Return a file with one to six things done to it."""
    data = bytearray(whole)
    for _ in range(rng.randint(1, 6)):
        if not data:
            break
        at, n = rng.randrange(len(data)), rng.choice((1, 2, 4, 16, 64, 256))
        match rng.randrange(9):
            case 0:
                data[at] ^= 1 << rng.randrange(8)
            case 1:
                data[at : at + n] = rng.randbytes(n)
            case 2:
                del data[at:]
            case 3:
                del data[at : at + n]
            case 4:
                data[at:at] = data[at : at + n] * rng.randint(1, 30)
            case 5:
                data[at : at + 4] = rng.choice(
                    (b"\xff\xff\xff\xff", b"\x00\x00\x00\x00", b"\x7f\xff\xff\xff")
                )
            case 6:
                data[at:at] = rng.choice(
                    (b"\n", b",", b'"', b"\x00", b"\xef\xbb\xbf", b"-", b"1e308", b"nan")
                )
            case 7:
                figures = list(re.finditer(rb"\d+", data))
                if figures:
                    hit = rng.choice(figures)
                    data[hit.start() : hit.end()] = rng.choice(
                        (b"0", b"-1", b"99999999999999999999", b"1e309", b"4294967295", b"2147483648")
                    )
            case _:
                rows = bytes(data).split(b"\n")
                rng.shuffle(rows)
                data = bytearray(b"\n".join(rows))
    return bytes(data)


@dataclass
class Found:
    """What came of many files of one kind."""

    files: int = 0
    read: int = 0
    refused: int = 0
    slowest_s: float = 0.0
    grown_mb: float = 0.0


class Crash(AssertionError):
    """A file that was neither read nor refused; it is kept beside the message."""


@contextmanager
def _high_water(found: Found) -> Iterator[None]:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    yield
    found.grown_mb = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024


def fuzz(kind: str, files: int, seed: int) -> Found:
    """Read so many spoilt files of a kind; anything but a reading or a plain refusal is a crash."""
    make, read = READERS[kind]
    whole, found = make(), Found()
    with tempfile.TemporaryDirectory(prefix="oc-fuzz-") as name, _high_water(found):
        folder = Path(name)
        for n in range(files):
            data = spoilt(whole, random.Random(f"{kind} {seed} {n}"))
            begun = time.process_time()
            try:
                read(data, folder)
                found.read += 1
            except CrankError as refused:
                found.refused += 1
                said = refused.problem().model_dump_json()
                if not refused.detail or len(said) > 20_000:
                    raise Crash(f"{kind} {seed} {n}: refused without plain words: {said[:200]}") from refused
            except Exception as fault:
                raise Crash(f"{kind}, seed {seed}, file {n}: {type(fault).__name__}: {fault}") from fault
            found.files += 1
            found.slowest_s = max(found.slowest_s, time.process_time() - begun)
    return found
