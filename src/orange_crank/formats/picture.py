"""Open a stranger's picture: bounded before it is unpacked, never enlarged, refused where it is cut short."""

import io
import threading
import warnings

from PIL import Image, ImageFile, ImageOps, UnidentifiedImageError

from orange_crank.core.messages import msg
from orange_crank.formats.recording import FileProblem

MOST_PIXELS = 24_000_000
SHORTEST_PX, LONGEST_PX = 40, 12_000
_flag = threading.Lock()
_AGAIN = "Take the photograph again."


def opened(data: bytes, mode: str, width_px: int, height_px: int) -> Image.Image:
    """Return a picture upright, in a mode, shrunk to fit; a smaller one keeps its size.

    Parameters
    ----------
    data : JPEG, PNG or WebP
    mode : Pillow's, such as ``RGB`` or ``L``
    width_px, height_px : the most it may measure

    Raises
    ------
    FileProblem : no picture, damaged, cut short, too large or too small

    Notes
    -----
    The paper engine sets Pillow's ``LOAD_TRUNCATED_IMAGES`` for its whole process; here it is off.

    """
    with _flag:
        before, ImageFile.LOAD_TRUNCATED_IMAGES = ImageFile.LOAD_TRUNCATED_IMAGES, False
        try:
            return _opened(data, mode, width_px, height_px)
        finally:
            ImageFile.LOAD_TRUNCATED_IMAGES = before


def _opened(data: bytes, mode: str, width_px: int, height_px: int) -> Image.Image:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            picture = Image.open(io.BytesIO(data), formats=("JPEG", "PNG", "WEBP"))
            _refuse_size(*picture.size)
            # A JPEG is unpacked no larger than it is wanted.
            picture.draft("L" if mode == "L" else "RGB", (width_px, height_px))
            picture.load()
            upright = ImageOps.exif_transpose(picture).convert(mode)
    except UnidentifiedImageError:
        raise FileProblem(msg("That is not a JPEG, PNG or WebP picture."), next_step=_AGAIN) from None
    except (
        OSError,
        ValueError,
        SyntaxError,
        Image.DecompressionBombWarning,
        Image.DecompressionBombError,
    ):
        raise FileProblem(msg("The photo is damaged or incomplete."), next_step=_AGAIN) from None
    upright.thumbnail((width_px, height_px), Image.Resampling.LANCZOS)
    return upright


def _refuse_size(width: int, height: int) -> None:
    if width * height > MOST_PIXELS or max(width, height) > LONGEST_PX:
        raise FileProblem(
            msg(
                "The picture is {width} × {height}: at most {most_pixels} megapixels, {longest_px:,} a side.",
                width=width,
                height=height,
                most_pixels=MOST_PIXELS // 10**6,
                longest_px=LONGEST_PX,
            ),
            next_step=msg("Send a smaller one."),
        )
    if min(width, height) < SHORTEST_PX:
        raise FileProblem(
            msg(
                "The picture is {width} × {height}: at least {shortest_px} a side.",
                width=width,
                height=height,
                shortest_px=SHORTEST_PX,
            ),
            next_step=_AGAIN,
        )
