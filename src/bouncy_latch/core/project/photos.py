"""Photos of prints: scaled down on the way into a project, so that a project stays small enough to open anywhere."""

from __future__ import annotations

import io
import warnings
from pathlib import Path

from bouncy_latch.core import files
from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.frozen import frozen

LONGEST = 1600
"""Longer edge of a photo in a project, pixels."""
SMALL = 2**20
"""A photo no larger than this, in bytes and in pixels, is taken as it is."""
MOST_BYTES = 60 * 2**20
MOST_PIXELS = 100_000_000
_SUFFIXES = {"PNG": ".png", "JPEG": ".jpg", "WEBP": ".webp"}
_QUALITY = 85


@frozen
class Photo:
    """A photo as it goes into a project.

    Attributes:
        data: the file's bytes. suffix: its file suffix. told: what was done to it, a sentence; empty when nothing was.
    """

    data: bytes
    suffix: str
    told: str


def taken(path: Path) -> Photo:
    """Return a picture file as it goes into a project, turned upright and at most :data:`LONGEST` pixels long.

    Raises:
        ReadError: in one sentence, for anything that is no sound PNG, JPEG or WebP picture.
    """
    from PIL import Image, ImageOps

    data = files.read(path, MOST_BYTES)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # we have a limit of our own, and say so
            picture = Image.open(io.BytesIO(data), formats=list(_SUFFIXES))
            kind, (width, height) = str(picture.format), picture.size
            if width * height > MOST_PIXELS:
                raise ReadError(f"{path.name} has {width * height / 1e6:.0f} million pixels; at most "
                                f"{MOST_PIXELS / 1e6:.0f} are taken", field="photo")
            if max(width, height) <= LONGEST and len(data) <= SMALL:
                picture.load()
                return Photo(data, _SUFFIXES[kind], "")
            picture.draft("RGB", (LONGEST, LONGEST))  # a JPEG is read at the size it is needed
            upright = ImageOps.exif_transpose(picture)
            upright.thumbnail((LONGEST, LONGEST))
            out = io.BytesIO()
            upright.convert("RGB").save(out, "JPEG", quality=_QUALITY)
    except ReadError:
        raise
    except Exception:  # picture readers raise anything at all on broken files
        raise ReadError(f"{path.name} is no sound PNG, JPEG or WebP picture", field="photo") from None
    made = out.getvalue()
    return Photo(made, ".jpg", f"{path.name} scaled from {width} × {height}, {files.in_words(len(data))}, to "
                               f"{upright.width} × {upright.height}, {files.in_words(len(made))}")
