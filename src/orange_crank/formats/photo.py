"""Photographs: re-encoded small, turned upright, and stripped of where and with what they were taken."""

import io
import warnings

from PIL import Image, ImageOps, UnidentifiedImageError

from orange_crank.formats.recording import FileProblem

LONGEST_PX = 2_000
MOST_PIXELS = 80_000_000


def clean_photo(data: bytes) -> tuple[bytes, int, int]:
    """Return a photograph as plain JPEG with its width and height.

    Raises
    ------
    FileProblem : not a picture, cut short, or larger than any phone takes

    Notes
    -----
    Nothing of the original but its pixels survives: no location, no camera, no thumbnail.

    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            picture = Image.open(io.BytesIO(data), formats=("JPEG", "PNG", "WEBP"))
            if picture.width * picture.height > MOST_PIXELS:
                raise FileProblem(
                    f"The picture is {picture.width} × {picture.height}: larger than any phone takes.",
                    next_step="Send a smaller one.",
                )
            upright = ImageOps.exif_transpose(picture).convert("RGB")
    except UnidentifiedImageError:
        raise FileProblem(
            "That is not a JPEG, PNG or WebP picture.", next_step="Take the photograph again."
        ) from None
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombWarning, Image.DecompressionBombError):
        raise FileProblem(
            "The picture is damaged or cut short.", next_step="Take the photograph again."
        ) from None
    upright.thumbnail((LONGEST_PX, LONGEST_PX))
    bare = Image.new("RGB", upright.size)
    bare.paste(upright)
    out = io.BytesIO()
    bare.save(out, "JPEG", quality=82)
    return out.getvalue(), bare.width, bare.height
