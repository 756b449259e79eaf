"""A photograph of a nameplate read on the spot, without network: Debian's Tesseract and the core's sense."""

import base64
import os
import shutil
from concurrent.futures import ThreadPoolExecutor
from io import BytesIO

import numpy as np
import pytesseract
from numpy.typing import NDArray
from PIL import Image
from scipy.ndimage import gaussian_filter

from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate.photograph import PlatePhoto, Proposed, SeenWord, propose
from orange_crank.formats.picture import opened
from orange_crank.formats.recording import FileProblem

# Two readings side by side, each in one thread, are faster than each in all of them.
os.environ.setdefault("OMP_THREAD_LIMIT", "1")

Grey = NDArray[np.float32]
# Tesseract wants letters of some 30 px; a plate fills the picture with about twenty lines.
WIDTH_PX = 1_600
HEIGHT_PX = 4_000
READ_S = 20
MARGIN_PX = 14
# Below this a word is a scratch or a shadow.
LEAST_SURE_PCT = 15.0


class SeenField(Frozen):
    """A proposed field with its piece of the picture."""

    proposed: Proposed
    piece: str | None


class PlatePhotoOut(Frozen):
    """What a photograph shows, with the pieces to compare."""

    fields: list[SeenField]
    unread: list[str]
    next_step: str | None


def read_plate_photo(data: bytes) -> PlatePhotoOut:
    """Read a photograph of a plate.

    Raises
    ------
    InputProblem : no picture, cut short, too large or too small
    GateClosed : the reader is not installed here

    """
    grey = _opened(data)
    first = prepared(grey)
    told, picture = read_grey(first)
    return PlatePhotoOut(
        fields=[SeenField(proposed=p, piece=_piece(picture, p)) for p in told.proposed],
        unread=told.unread,
        next_step=told.next_step,
    )


def read_grey(first: Grey) -> tuple[PlatePhoto, Grey]:
    """Read a prepared picture twice, each in its own way."""
    if shutil.which("tesseract") is None:
        raise GateClosed(
            msg("Reading nameplates from photographs needs Tesseract, which is not installed on the server."),
            next_step=msg("Type the nameplate; or have tesseract-ocr installed there."),
        )
    # A camera's grain takes decimal points away and puts others there: both readings are smoothed.
    with ThreadPoolExecutor(2) as readers:
        one = readers.submit(_words, gaussian_filter(first, 1.2).astype(np.float32), 11)
        two = readers.submit(_words, gaussian_filter(first, 1.9).astype(np.float32), 6)
        words, again = one.result(), two.result()
    return propose(words, again), first


def _opened(data: bytes) -> Grey:
    try:
        return np.asarray(opened(data, "L", WIDTH_PX, HEIGHT_PX), dtype=np.float32)
    except FileProblem as problem:
        wanted = f"a photograph: JPEG, PNG or WebP. {problem.detail}"
        raise InputProblem(
            [FieldProblem(field="photo", wanted=wanted, got=None)],
            next_step=msg("Take the picture again, or type the nameplate."),
        ) from None


def prepared(grey: Grey) -> Grey:
    """Return a picture lit evenly and upright: shade divided out, its lines level."""
    lit = grey / np.maximum(gaussian_filter(grey, 45), 8.0)
    low, high = np.percentile(lit, (1, 99))
    even = np.clip((lit - low) / max(high - low, 1e-6), 0, 1) * 255
    # Light letters on a dark plate are turned over.
    if float(np.median(even)) < 110:
        even = 255 - even
    return _level(even.astype(np.float32))


def _level(grey: Grey) -> Grey:
    """Turn a picture until its lines of letters are level: where the rows differ most."""
    small = Image.fromarray(grey.astype(np.uint8)).resize(
        (grey.shape[1] // 4, grey.shape[0] // 4), Image.Resampling.BOX
    )

    def sharp(angle: float) -> float:
        turned = np.asarray(small.rotate(angle, Image.Resampling.BILINEAR, fillcolor=255), dtype=np.float32)
        rows = turned.mean(axis=1)
        return float(np.square(np.diff(rows)).sum())

    coarse = max(np.arange(-9, 9.1, 1.0), key=sharp)
    best = float(max(np.arange(coarse - 0.8, coarse + 0.81, 0.2), key=sharp))
    if abs(best) < 0.15:
        return grey
    turned = Image.fromarray(grey.astype(np.uint8)).rotate(best, Image.Resampling.BICUBIC, fillcolor=255)
    return np.asarray(turned, dtype=np.float32)


def _words(grey: Grey, layout: int) -> list[SeenWord]:
    try:
        told = pytesseract.image_to_data(
            Image.fromarray(grey.astype(np.uint8)),
            config=f"--psm {layout} --oem 1",
            output_type=pytesseract.Output.DICT,
            timeout=READ_S,
        )
    except (RuntimeError, pytesseract.TesseractError):
        return []
    found = []
    for i, text in enumerate(told["text"]):
        clean = text.strip().strip("|_[]{}:;")
        if clean and float(told["conf"][i]) >= LEAST_SURE_PCT:
            found.append(
                SeenWord(
                    text=clean,
                    left_px=told["left"][i],
                    top_px=told["top"][i],
                    width_px=told["width"][i],
                    height_px=told["height"][i],
                    sure_pct=float(told["conf"][i]),
                )
            )
    return found


def _piece(grey: Grey, proposed: Proposed) -> str | None:
    if proposed.box_px is None:
        return None
    left, top, width, height = proposed.box_px
    rows = slice(max(0, top - MARGIN_PX), top + height + MARGIN_PX)
    columns = slice(max(0, left - 4 * MARGIN_PX), left + width + 4 * MARGIN_PX)
    out = BytesIO()
    Image.fromarray(grey[rows, columns].astype(np.uint8)).save(out, "PNG", optimize=True)
    return "data:image/png;base64," + base64.b64encode(out.getvalue()).decode()
