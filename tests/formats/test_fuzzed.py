"""No file harms more than its own request: it is read or refused, at once, in little room."""

import random
from pathlib import Path

import numpy as np
import pytest

from orange_crank.formats.comtrade_files import comtrade_channels
from orange_crank.formats.recording import FileProblem, uniform
from tests.formats.fuzzing import READERS, fuzz, spoilt

FILES, LONGEST_S, MOST_MB = 120, 2.0, 200


@pytest.mark.parametrize("kind", sorted(READERS))
def test_every_spoilt_file_is_read_or_refused(kind: str, tmp_path: Path) -> None:
    make, read = READERS[kind]
    read(make(), tmp_path)
    found = fuzz(kind, FILES, seed=20_261_126)
    assert found.files == FILES
    assert found.refused > 0
    assert found.slowest_s < LONGEST_S
    assert found.grown_mb < MOST_MB


def test_the_same_seed_spoils_alike() -> None:
    whole = READERS["csv"][0]()
    one, two = (spoilt(whole, random.Random("csv 1 5")) for _ in range(2))
    assert one == two != whole


@pytest.mark.parametrize(
    ("samples", "channels", "kind", "said"),
    [
        ("4294967295", "2,2A,0D", "BINARY", "breaks off after"),
        ("99999999999999999999", "2,2A,0D", "ASCII", "breaks off after"),
        ("100", "999999999,999999999A,0D", "BINARY", "speaks of"),
        ("100", "many", "BINARY", "how many channels"),
    ],
)
def test_room_is_made_for_what_is_there_and_not_for_what_is_promised(
    tmp_path: Path, samples: str, channels: str, kind: str, said: str
) -> None:
    lines = ["yard,recorder,1999", channels]
    lines += [f"{n},line_{u},,,{u.upper()},1,0,0,-32767,32767,1,1,P" for n, u in ((1, "a"), (2, "v"))]
    lines += ["60", "1", f"6000,{samples}", "01/01/2026,00:00:00.000000", "01/01/2026,00:00:00.000000"]
    cfg, dat = tmp_path / "r.cfg", tmp_path / "r.dat"
    cfg.write_text("\n".join([*lines, kind, "1"]))
    dat.write_bytes(b"\0" * 1_200)
    with pytest.raises(FileProblem, match=said):
        comtrade_channels(cfg, dat)


@pytest.mark.parametrize("wrong", [1e308, -1e300, 1e15])
@pytest.mark.parametrize("column", ["time", "amps"])
def test_a_figure_no_clock_and_no_meter_says_is_missing_and_not_summed(wrong: float, column: str) -> None:
    times, amps = np.arange(400) / 1_000.0, np.sin(np.arange(400) / 2)
    (times if column == "time" else amps)[7] = wrong
    with np.errstate(all="raise"):
        found = uniform(times, {"line_a": amps}, {"line_a": "A"})
    assert found.sample_hz == pytest.approx(1_000, rel=0.01)
    assert float(np.max(np.abs(found.channels["line_a"]))) <= 1.01
    assert any("bridged" in note for note in found.notes)
    most = np.where(np.arange(400) % 2, wrong, times)
    with np.errstate(all="raise"), pytest.raises(FileProblem, match="missing or not numbers"):
        uniform(most, {"line_a": amps * 0}, {"line_a": "A"})
