"""Photos of the cook: made smaller, turned the right way up, and rid of everything but the picture."""

from __future__ import annotations

import io

from PIL import Image, ImageOps, UnidentifiedImageError

LONGEST_PX = 1600
MOST_BYTES = 25_000_000
MOST_PIXELS = 80_000_000


class BadPhoto(ValueError):
    """A file that cannot be kept as a photo; the text says why."""


def made_small(content: bytes) -> bytes:
    """A JPEG of at most 1600 pixels on its longer side, without EXIF: no place, no device, no time.

    Raises
    ------
    BadPhoto
        When it is no picture that can be read, or far too large.
    """
    if len(content) > MOST_BYTES:
        raise BadPhoto(f"A photo may have {MOST_BYTES // 1_000_000} MB at most.")
    try:
        with Image.open(io.BytesIO(content), formats=("JPEG", "PNG", "WEBP")) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise BadPhoto("That picture has too many pixels; take a smaller one.")
            upright = ImageOps.exif_transpose(picture).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError):
        raise BadPhoto("That is no picture that can be read; send a JPEG, PNG or WebP.") from None
    upright.thumbnail((LONGEST_PX, LONGEST_PX))
    # Pixels alone go into a new picture, so that nothing else can come along.
    clean = Image.new("RGB", upright.size)
    clean.paste(upright)
    out = io.BytesIO()
    clean.save(out, "JPEG", quality=82, optimize=True)
    return out.getvalue()


def check_kept(content: bytes) -> None:
    """See that a photo that comes from elsewhere is one as we keep them.

    Raises
    ------
    BadPhoto
    """
    try:
        with Image.open(io.BytesIO(content), formats=("JPEG",)) as picture:
            fits = max(picture.size) <= LONGEST_PX
            picture.verify()
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise BadPhoto("a photo is no JPEG that can be read") from None
    if not fits:
        raise BadPhoto(f"a photo is larger than {LONGEST_PX} pixels")
