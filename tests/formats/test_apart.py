"""Files from strangers: bounded before they are unpacked, read in a process that can be ended."""

import io
import time
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageFile

from orange_crank.apart import Limits, run_apart
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.formats.documents.paper import to_pdf, warm_papers
from orange_crank.formats.logger_csv import preview_csv
from orange_crank.formats.photo import clean_photo
from orange_crank.formats.picture import opened
from orange_crank.formats.plate_photo import read_plate_photo
from orange_crank.formats.recording import FileProblem


def picture(width: int, height: int, kind: str = "JPEG", mode: str = "RGB") -> bytes:
    out = io.BytesIO()
    Image.new(mode, (width, height), 128 if mode == "L" else (90, 120, 150)).save(out, kind)
    return out.getvalue()


def noisy(width: int, height: int, kind: str) -> bytes:
    out = io.BytesIO()
    shades = np.random.default_rng(7).integers(0, 255, (height, width, 3), dtype=np.uint8)
    Image.fromarray(shades).save(out, kind)
    return out.getvalue()


def sleeps(seconds: float) -> None:
    time.sleep(seconds)


def takes(megabytes: int) -> int:
    return len(bytearray(megabytes * 2**20))


def refuses() -> None:
    raise InputProblem([FieldProblem(field="photo", wanted="a picture", got=None)])


def breaks() -> None:
    raise RuntimeError("something private")


def dies() -> None:
    import os

    os.abort()


def test_a_reader_that_takes_too_long_too_much_or_dies_is_ended_and_named() -> None:
    small = Limits(seconds=2.0, memory_mb=100, output_mb=1)
    begun = time.monotonic()
    with pytest.raises(FileProblem, match="longer than 2 s"):
        run_apart("file", sleeps, 60.0, limits=small)
    assert time.monotonic() - begun < 30.0, "it does not wait for it"
    with pytest.raises(FileProblem, match="100 MB of memory"):
        run_apart("file", takes, 2_000, limits=small)
    assert run_apart("file", takes, 10, limits=small) == 10 * 2**20
    with pytest.raises(FileProblem, match="brings its reader down"):
        run_apart("file", bytes, 3 * 2**20, limits=small)
    with pytest.raises(InputProblem) as refused:
        run_apart("file", refuses)
    assert refused.value.errors[0].field == "photo"
    for bad in (breaks, dies):
        with pytest.raises(FileProblem, match="brings its reader down") as down:
            run_apart("file", bad, limits=small)
        assert "private" not in str(down.value)


@pytest.mark.parametrize("blanks", [600, 6_000, 60_000])
def test_a_header_of_blanks_is_read_in_no_time(tmp_path: Path, blanks: int) -> None:
    """Six kilobytes of blanks in a column's name held the server for good."""
    path = tmp_path / "log.csv"
    rows = "".join(f"{i / 100:.2f},{i}\n" for i in range(20))
    path.write_text(f"t,x[{' ' * blanks}y\n{rows}")
    begun = time.process_time()
    assert len(preview_csv(path).columns) == 2
    assert time.process_time() - begun < 5.0


@pytest.mark.parametrize(
    ("width", "height"), [(1, 6), (1, 400), (39, 4_000), (4_000, 39), (12_001, 100), (6_000, 4_001)]
)
@pytest.mark.parametrize("read", [clean_photo, read_plate_photo])
def test_a_picture_of_another_shape_is_refused_before_it_is_unpacked(
    read: object, width: int, height: int
) -> None:
    data = picture(width, height, "PNG", "L")
    begun = time.process_time()
    with pytest.raises((FileProblem, InputProblem), match=f"{width} × {height}"):
        read(data)  # type: ignore[operator]
    assert time.process_time() - begun < 5.0


def test_a_picture_is_only_ever_shrunk() -> None:
    assert opened(picture(300, 200), "RGB", 1_600, 4_000).size == (300, 200)
    assert opened(picture(3_200, 200), "RGB", 1_600, 4_000).size == (1_600, 100)
    tall = opened(picture(1_000, 10_000), "L", 1_600, 4_000)
    assert max(tall.size) <= 4_000


@pytest.mark.parametrize("kind", ["JPEG", "PNG"])
@pytest.mark.parametrize("share", [0.9, 0.5, 0.1])
def test_a_picture_cut_short_is_refused_also_with_the_papers_loaded(kind: str, share: float) -> None:
    """The paper engine tells Pillow to take truncated pictures; a nameplate of which a tenth came is lost."""
    warm_papers()
    whole = noisy(800, 600, kind)
    before = ImageFile.LOAD_TRUNCATED_IMAGES
    assert clean_photo(whole)[1:] == (800, 600)
    with pytest.raises(FileProblem, match=r"damaged|not a JPEG"):
        clean_photo(whole[: int(len(whole) * share)])
    with pytest.raises(FileProblem, match=r"damaged|not a JPEG"):
        run_apart("picture", clean_photo, whole[: int(len(whole) * share)])
    assert before == ImageFile.LOAD_TRUNCATED_IMAGES, "papers go on as they did"


def test_a_paper_is_made_apart() -> None:
    assert run_apart("paper", to_pdf, "<p>Statement</p>").startswith(b"%PDF")
