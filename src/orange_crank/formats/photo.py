"""Photographs: re-encoded small, turned upright, and stripped of where and with what they were taken."""

import io

from PIL import Image

from orange_crank.formats.picture import opened

LONGEST_PX = 2_000


def clean_photo(data: bytes) -> tuple[bytes, int, int]:
    """Return a photograph as plain JPEG with its width and height.

    Raises
    ------
    FileProblem : not a picture, cut short, too large or too small

    Notes
    -----
    Nothing of the original but its pixels survives: no location, no camera, no thumbnail.

    """
    upright = opened(data, "RGB", LONGEST_PX, LONGEST_PX)
    bare = Image.new("RGB", upright.size)
    bare.paste(upright)
    out = io.BytesIO()
    bare.save(out, "JPEG", quality=82)
    return out.getvalue(), bare.width, bare.height
