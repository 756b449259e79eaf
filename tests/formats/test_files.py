"""Files in and out: any separator, junk, gaps, COMTRADE both ways, and refusals that say where."""

import io
import math
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import comtrade
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.io import wavfile

from orange_crank.core.measure.start_sound import hear_start
from orange_crank.core.measure.waveform import Waveform, read_waveform
from orange_crank.formats.comtrade_files import comtrade_channels, read_comtrade, write_comtrade
from orange_crank.formats.logger_csv import preview_csv, read_csv, write_csv
from orange_crank.formats.recording import FileProblem, Recording, cut
from orange_crank.formats.wav import read_wav, write_wav
from tests.golden import waveforms as golden
from tests.golden.sounds import start_sound

CHANNELS = {"line_a": 1, "line_v": 2}


def recording(wave: Waveform | None = None) -> Recording:
    made = wave or golden.slow_start()
    assert made.line_v is not None
    return Recording(
        sample_hz=made.sample_hz,
        channels={"line_a": made.line_a, "line_v": made.line_v},
        units={"line_a": "A", "line_v": "V"},
    )


def written(tmp_path: Path, text: str | bytes) -> Path:
    path = tmp_path / "log.csv"
    path.write_bytes(text.encode() if isinstance(text, str) else text)
    return path


def lines(separator: str = ",", comma: bool = False, head: str = "time [s],current [A],volts [V]") -> str:
    made = recording()
    n = 4000
    rows = []
    for i in range(n):
        cells = [
            f"{i / made.sample_hz:.7f}",
            f"{made.channels['line_a'][2500 + i]:.4f}",
            f"{made.channels['line_v'][2500 + i]:.3f}",
        ]
        row = separator.join(cells)
        rows.append(row.replace(".", ",") if comma else row)
    return "\n".join([head.replace(",", separator), *rows]) + "\n"


@pytest.mark.parametrize(
    ("separator", "comma"),
    [(",", False), (";", False), (";", True), ("\t", False), ("\t", True), ("|", False)],
)
def test_any_separator_and_a_decimal_comma(tmp_path: Path, separator: str, comma: bool) -> None:
    path = written(tmp_path, lines(separator, comma))
    preview = preview_csv(path)
    assert (separator, comma) == (preview.separator, preview.decimal_comma)
    assert ["time", "amps", "volts"] == [c.guess for c in preview.columns]
    read = read_csv(path, preview, 0, CHANNELS)
    assert pytest.approx(6000, rel=1e-3) == read.sample_hz
    assert pytest.approx(recording().channels["line_a"][2600], abs=1e-3) == read.channels["line_a"][100]


@pytest.mark.parametrize(
    "head",
    [
        "Logger 7\nSerial;0042\n\nDate;today\ntime [s],current [A],volts [V]",
        "time,current,volts\ns,A,V",
        "\ufefftime (s),I (A),U (V)",
        "t,I_1 [A],V_1 [V]",
    ],
)
def test_header_junk_and_units_in_their_own_line(tmp_path: Path, head: str) -> None:
    preview = preview_csv(written(tmp_path, lines(head=head)))
    assert ["time", "amps", "volts"] == [c.guess for c in preview.columns]


def test_units_in_the_header_scale_the_values(tmp_path: Path) -> None:
    path = written(tmp_path, lines(head="time [ms],current [mA],volts [kV]"))
    read = read_csv(path, preview_csv(path), 0, CHANNELS, {"line_a": 10})
    assert pytest.approx(6_000_000, rel=1e-3) == read.sample_hz
    assert pytest.approx(recording().channels["line_a"][2600] / 100, abs=1e-4) == read.channels["line_a"][100]
    assert pytest.approx(recording().channels["line_v"][2600] * 1000, abs=2) == read.channels["line_v"][100]


def test_clock_times_are_read_as_seconds(tmp_path: Path) -> None:
    rows = [f"12:00:{i / 1000:06.3f},{i % 7},{i}" for i in range(2000)]
    path = written(tmp_path, "time,current [A],volts [V]\n" + "\n".join(rows))
    assert pytest.approx(1000, rel=1e-3) == read_csv(path, preview_csv(path), 0, CHANNELS).sample_hz
    rows = [f"2026-07-01 12:00:{i / 1000:06.3f},{i % 7},{i}" for i in range(2000)]
    path = written(tmp_path, "time,current [A],volts [V]\n" + "\n".join(rows))
    assert pytest.approx(1000, rel=1e-3) == read_csv(path, preview_csv(path), 0, CHANNELS).sample_hz


def test_unsorted_and_duplicated_times_are_put_right_and_said(tmp_path: Path) -> None:
    head, *rows = lines().splitlines()
    rows[100], rows[200] = rows[200], rows[100]
    path = written(tmp_path, "\n".join([head, *rows[:300], *rows[290:300], *rows[300:]]) + "\n")
    read = read_csv(path, preview_csv(path), 0, CHANNELS)
    assert "sorted" in " ".join(read.notes)
    assert "10 duplicated times" in " ".join(read.notes)
    assert 4000 == len(read.channels["line_a"])


def test_gaps_are_bridged_and_told(tmp_path: Path) -> None:
    head, *rows = lines().splitlines()
    path = written(tmp_path, "\n".join([head, *rows[:1000], *rows[1050:]]) + "\n")
    read = read_csv(path, preview_csv(path), 0, CHANNELS)
    assert "1 gaps" in " ".join(read.notes)
    assert pytest.approx(4000, abs=1) == len(read.channels["line_a"])


def test_empty_cells_and_a_cut_last_line_are_gaps(tmp_path: Path) -> None:
    head, *rows = lines().splitlines()
    rows[50] = rows[50].rsplit(",", 1)[0] + ","
    rows[60] = "0.01,NaN,1"
    path = written(tmp_path, "\n".join([head, *rows]) + "\n0.9,4")
    read = read_csv(path, preview_csv(path), 0, CHANNELS)
    assert "3 samples missing" in " ".join(read.notes)


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "empty"),
        (b"   \n \n", "empty"),
        (b"PK\x03\x04rest of a zip", "packed"),
        (b"\x1f\x8b\x08gzip", "packed"),
        (b"time,amps\n1,2\n\x00\x01\x02", "binary, not text .a zero byte in line 3"),
        ("time,amps\n1,2\n".encode("utf-16"), "UTF-16"),
        (b"<html><body>not a log</body></html>", "No lines with two columns"),
        (b"just words\nand more\n", "No lines with two columns"),
        (b"\x89PNG\r\n\x1a\n" + b"\xff" * 100, "No lines with two columns"),
    ],
)
def test_a_file_that_is_no_log_is_refused_with_what_is_wrong(
    tmp_path: Path, content: bytes, words: str
) -> None:
    with pytest.raises(FileProblem, match=words):
        preview_csv(written(tmp_path, content))


def test_a_word_among_the_numbers_is_named_by_line_and_column(tmp_path: Path) -> None:
    head, *rows = lines().splitlines()
    rows[500] = "0.0833,overload,240"
    path = written(tmp_path, "\n".join([head, *rows]))
    with pytest.raises(FileProblem, match=r"Line 502, column 2 \(current\): “overload” is not a number"):
        read_csv(path, preview_csv(path), 0, CHANNELS)


def test_a_file_full_of_nan_is_refused(tmp_path: Path) -> None:
    head, *rows = lines().splitlines()
    spoilt = [r if i % 2 else "0.1,NaN,NaN" for i, r in enumerate(rows)]
    path = written(tmp_path, "\n".join([head, *spoilt]))
    with pytest.raises(FileProblem, match="missing or not numbers; the first is data row 1"):
        read_csv(path, preview_csv(path), 0, CHANNELS)


def test_a_column_that_is_not_there_is_refused(tmp_path: Path) -> None:
    path = written(tmp_path, lines())
    with pytest.raises(FileProblem, match="no column 8"):
        read_csv(path, preview_csv(path), 0, {"line_a": 7})


def test_csv_round_trips(tmp_path: Path) -> None:
    path = written(tmp_path, write_csv(recording()))
    back = read_csv(path, preview_csv(path), 0, CHANNELS)
    assert pytest.approx(recording().channels["line_a"], abs=1e-6) == back.channels["line_a"]
    report = read_waveform(Waveform(back.sample_hz, back.channels["line_a"], back.channels["line_v"]))
    assert pytest.approx(0.8, abs=0.02) == report.starts[0].start_time_s


@pytest.mark.parametrize("kind", ["ASCII", "BINARY"])
def test_comtrade_is_opened_by_an_independent_reader_and_comes_back(tmp_path: Path, kind: str) -> None:
    text, data = write_comtrade(recording(), "ASCII" if kind == "ASCII" else "BINARY")
    cfg, dat = tmp_path / "r.cfg", tmp_path / "r.dat"
    cfg.write_text(text, newline="")
    dat.write_bytes(data)
    theirs = comtrade.Comtrade()
    theirs.load(str(cfg), str(dat))
    assert ("line_a", 24_000) == (theirs.analog_channel_ids[0], theirs.total_samples)
    assert pytest.approx(recording().channels["line_a"], abs=0.01) == np.asarray(theirs.analog[0])
    assert [("line_a", "A"), ("line_v", "V")] == comtrade_channels(cfg, dat)
    ours = read_comtrade(cfg, dat, {"line_a": 0, "line_v": 1})
    assert pytest.approx(6000, rel=1e-3) == ours.sample_hz
    assert pytest.approx(recording().channels["line_v"][:1000], abs=0.02) == ours.channels["line_v"][:1000]


@pytest.mark.parametrize("spoil", ["empty", "truncated", "swapped", "words"])
def test_a_broken_record_is_refused_plainly(tmp_path: Path, spoil: str) -> None:
    text, data = write_comtrade(recording(), "BINARY")
    cfg, dat = tmp_path / "r.cfg", tmp_path / "r.dat"
    cfg.write_text("" if spoil == "empty" else "what is this" if spoil == "words" else text)
    dat.write_bytes(data[:60] if spoil == "truncated" else data)
    if spoil == "swapped":
        cfg, dat = dat, cfg
    with pytest.raises(FileProblem):
        read_comtrade(cfg, dat, {"line_a": 0})


def test_a_wav_comes_back_as_it_went_out() -> None:
    sound = start_sound(0.5)
    back = read_wav(write_wav(sound))
    assert sound.sample_hz == back.sample_hz
    np.testing.assert_allclose(back.samples, np.clip(sound.samples, -1, 1), atol=1e-4)


@pytest.mark.parametrize(
    ("kind", "scale"), [(np.int16, 32_767), (np.int32, 2_147_483_647), (np.float32, 1), (np.uint8, 127)]
)
def test_every_usual_kind_of_wav_is_heard_alike(kind: type, scale: int) -> None:
    sound = start_sound(0.5, sample_hz=48_000.0)
    samples = np.clip(sound.samples, -1, 1) * scale + (128 if kind is np.uint8 else 0)
    file = io.BytesIO()
    wavfile.write(file, 48_000, np.column_stack((samples, samples)).astype(kind))
    report = hear_start(read_wav(file.getvalue()))
    assert report.seconds == pytest.approx(0.5, abs=0.08)


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "empty"),
        (b"ID3\x04" + b"\x00" * 90, "does not begin as one"),
        (b"RIFF\x10\x00\x00\x00WAVEfmt ", "cannot be read"),
        (write_wav(start_sound(0.5))[:60], "cannot be read|cut short"),
        (b"RIFF" + b"\xff" * 4 + b"WAVE" + b"\x80" * 400, "cannot be read"),
    ],
)
def test_a_damaged_sound_is_refused_with_what_is_wrong(data: bytes, said: str) -> None:
    with pytest.raises(FileProblem, match=said):
        read_wav(data)


# A recording's own time -----------------------------------------------------------------------------


@settings(max_examples=20, deadline=None)
@given(start_s=st.floats(-5.0, 90_000.0), from_s=st.floats(0.0, 0.4))
def test_a_recording_keeps_its_own_time_through_cut_and_csv(
    tmp_path_factory: pytest.TempPathFactory, start_s: float, from_s: float
) -> None:
    folder = tmp_path_factory.mktemp("own")
    whole = replace(recording(), start_s=start_s)
    part = cut(whole, from_s, from_s + 0.3)
    assert part.start_s == pytest.approx(start_s + from_s, abs=1.0 / whole.sample_hz)
    path = folder / "part.csv"
    path.write_text(write_csv(part), "utf-8")
    again = read_csv(path, preview_csv(path), 0, {"line_a": 1, "line_v": 2})
    assert again.start_s == pytest.approx(part.start_s, abs=2e-6)
    assert again.sample_hz == pytest.approx(part.sample_hz, rel=1e-4)
    np.testing.assert_allclose(part.channels["line_a"], again.channels["line_a"], atol=1e-4)


@pytest.mark.parametrize("hertz", [50.0, 60.0])
def test_a_comtrade_record_keeps_its_date_and_its_line_frequency(tmp_path: Path, hertz: float) -> None:
    moment = datetime(2026, 7, 14, 16, 5, 33, 250_000)
    cfg, dat = write_comtrade(replace(recording(), stamp=moment, hertz=hertz))
    (tmp_path / "a.cfg").write_text(cfg, "utf-8")
    (tmp_path / "a.dat").write_bytes(dat)
    again = read_comtrade(tmp_path / "a.cfg", tmp_path / "a.dat", {"line_a": 0, "line_v": 1})
    assert (moment, hertz) == (again.stamp, again.hertz)
    part = cut(again, 0.25, 0.6)
    assert part.stamp is not None
    assert (part.stamp - moment).total_seconds() == pytest.approx(0.25, abs=1e-3)


def test_a_loggers_clock_is_its_own_time_of_day(tmp_path: Path) -> None:
    head = "time,current [A]"
    rows = [f"14:05:{33 + i / 2000:09.6f},{5 * math.sin(0.188 * i):.4f}" for i in range(2000)]
    path = written(tmp_path, "\n".join([head, *rows]))
    got = read_csv(path, preview_csv(path), 0, {"line_a": 1})
    assert got.start_s == pytest.approx(14 * 3600 + 5 * 60 + 33, abs=1e-3)
