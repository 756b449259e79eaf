"""Loggers as they are sold: clocks with AM and PM, a date of its own, clamps in millivolts, coarse clocks."""

from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from orange_crank.core.errors import InputProblem
from orange_crank.formats.logger_csv import preview_csv, read_csv
from orange_crank.formats.recording import uniform

START = datetime(2026, 7, 4, 23, 59, 59, 0)
COUNT = 3000


def stamp(i: int, shape: str) -> str:
    at = START + timedelta(milliseconds=i)
    fraction = f"{at.microsecond // 1000:03d}"
    twelve = f"{at.hour % 12 or 12}:{at:%M:%S}.{fraction} {'AM' if at.hour < 12 else 'PM'}"
    return {
        "us, one column": f"{at.month}/{at.day}/{at.year} {twelve}",
        "us, two columns": f"{at.month}/{at.day}/{at.year},{twelve}",
        "us, two columns, 24 h": f"{at:%m/%d/%Y},{at:%H:%M:%S}.{fraction}",
        "day first": f"{at:%d.%m.%Y} {at:%H:%M:%S}.{fraction}",
        "time first": f"{twelve.lower()},{at:%Y-%m-%d}",
        "no date": twelve.replace(" ", ""),
    }[shape]


@pytest.mark.parametrize("named", [True, False])
@pytest.mark.parametrize(
    ("shape", "time", "first"),
    [
        ("us, one column", 0, 1),
        ("us, two columns", 1, 2),
        ("us, two columns, 24 h", 1, 2),
        ("day first", 0, 1),
        ("time first", 0, 2),
        ("no date", 0, 1),
    ],
)
def test_a_clock_of_any_shape_runs_on_over_midnight(
    tmp_path: Path, shape: str, time: int, first: int, named: bool
) -> None:
    path = tmp_path / "log.csv"
    head = {1: "When", 2: "Date,Time"}[first] if time != 0 or first == 1 else "Time,Date"
    rows = [f"{stamp(i, shape)},{i % 7},{i % 50}" for i in range(COUNT)]
    path.write_text("\n".join([f"{head},Current [A],Voltage [V]", *rows] if named else rows) + "\n")
    preview = preview_csv(path)
    assert [c.index for c in preview.columns if c.guess == "time"] == [time]
    assert preview.clock_time
    if named:
        assert ["amps", "volts"] == [c.guess for c in preview.columns][first:]
    read = read_csv(path, preview, time, {"line_a": first})
    assert pytest.approx(1000, rel=1e-4) == read.sample_hz
    assert [float(i % 7) for i in range(COUNT)] == pytest.approx(read.channels["line_a"])
    assert [] == read.notes


def test_a_twelve_hour_clock_without_its_half_runs_on_over_one_o_clock(tmp_path: Path) -> None:
    rows = [f"{'12:59' if i < 700 else '1:00'}:{(59_300 + i) % 60_000 / 1000:06.3f},{i}" for i in range(2000)]
    path = tmp_path / "log.csv"
    path.write_text("Time,Current [A]\n" + "\n".join(rows))
    read = read_csv(path, preview_csv(path), 0, {"line_a": 1})
    assert pytest.approx(1000, rel=1e-4) == read.sample_hz
    assert list(range(2000)) == pytest.approx(read.channels["line_a"])
    assert [] == read.notes


@pytest.mark.parametrize("name", ["Clamp [mV]", "CT 1 [mV]", "I1 [mV]", "Current probe (mV)", "Iline [mV]"])
def test_a_clamp_in_millivolts_is_asked_about(tmp_path: Path, name: str) -> None:
    path = tmp_path / "log.csv"
    path.write_text(f"time [s],{name},U [V]\n" + "".join(f"{i / 1000},{i % 100},{i}\n" for i in range(500)))
    preview = preview_csv(path)
    assert ["time", "amps", "volts"] == [c.guess for c in preview.columns]
    with pytest.raises(InputProblem) as refused:
        read_csv(path, preview, 0, {"line_a": 1})
    assert ["line_a_factor"] == [e.field for e in refused.value.errors]
    assert "mV" in str(refused.value.errors[0].got)
    assert "amps" in str(refused.value.next_step)
    read = read_csv(path, preview, 0, {"line_a": 1}, {"line_a": 10.0})
    assert pytest.approx(np.arange(500) % 100 * 10.0) == read.channels["line_a"]


@pytest.mark.parametrize("name", ["Voltage", "V L1-L2", "VL1", "Vrms", "VAC", "Uab", "Mains voltage", "U12"])
def test_a_column_named_like_volts_is_taken_for_volts(tmp_path: Path, name: str) -> None:
    path = tmp_path / "log.csv"
    path.write_text(f"time,Amps,{name}\n" + "".join(f"{i / 1000},{i},{i}\n" for i in range(500)))
    assert ["time", "amps", "volts"] == [c.guess for c in preview_csv(path).columns]


@pytest.mark.parametrize(
    ("channels", "scale", "field"),
    [
        ({"line_a": 2, "line_v": 1}, {}, "line_a_factor"),
        ({"line_a": 1, "line_v": 1}, {}, "line_v_index"),
        ({"line_a": 1}, {"line_a": 0.0}, "line_a_factor"),
    ],
)
def test_columns_the_wrong_way_round_are_refused_by_field(
    tmp_path: Path, channels: dict[str, int], scale: dict[str, float], field: str
) -> None:
    path = tmp_path / "log.csv"
    path.write_text("time [s],I [A],U [V]\n" + "".join(f"{i / 1000},{i},{i}\n" for i in range(500)))
    with pytest.raises(InputProblem) as refused:
        read_csv(path, preview_csv(path), 0, channels, scale)
    assert [field] == [e.field for e in refused.value.errors]
    assert refused.value.next_step


@settings(max_examples=40, deadline=None)
@given(
    hertz=st.integers(905, 60_000),
    digits=st.integers(3, 6),
    seconds=st.sampled_from([0.5, 1.1, 3.0]),
    offset=st.integers(0, 90_000),
)
def test_the_rate_is_found_to_a_hundredth_of_a_per_cent_whatever_the_clock_shows(
    hertz: int, digits: int, seconds: float, offset: int
) -> None:
    step = 10.0**-digits
    # A stamp repeated or left out once in fifty might as well be a sample sent twice or lost; so where two
    # steps of the clock nearly are a sample, and one is left out now and then.
    steps = 1 / hertz / step
    assume(not 0 < abs(steps - max(1, round(steps))) < 0.03)
    n = round(hertz * seconds)
    time = np.round(offset + np.arange(n) / hertz, digits)
    wave = np.sin(2 * np.pi * 60 * np.arange(n) / hertz)
    read = uniform(time, {"line_a": wave}, {"line_a": "A"})
    # What rounding lets anybody know: half a digit at each end over the whole of the record.
    know = max(1e-4, step / seconds)
    assert pytest.approx(hertz, rel=know) == read.sample_hz
    assert len(wave) == len(read.channels["line_a"])
    assert np.allclose(wave, read.channels["line_a"], atol=1e-9)


@settings(max_examples=40, deadline=None)
@given(gap=st.integers(20, 60), at=st.integers(100, 1500), hertz=st.floats(1000, 6000))
def test_a_gap_does_not_bend_the_rate(gap: int, at: int, hertz: float) -> None:
    i = np.concatenate((np.arange(at), np.arange(at + gap, 2000)))
    read = uniform(np.round(i / hertz, 6), {"line_a": i.astype(float)}, {"line_a": "A"})
    assert pytest.approx(hertz, rel=1e-4) == read.sample_hz
    assert any("gap" in note for note in read.notes)
    assert np.allclose(np.arange(2000), read.channels["line_a"], atol=0.5)
