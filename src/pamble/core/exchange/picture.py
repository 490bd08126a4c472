"""Reference pictures: checked, measured in pixels, kept as they are."""

from __future__ import annotations

import io
from dataclasses import dataclass

from pamble.core.errors import ExchangeError

_MOST = 64_000_000
"""Largest number of pixels that is taken."""

KINDS = {"PNG": "image/png", "JPEG": "image/jpeg", "WEBP": "image/webp"}


@dataclass(frozen=True)
class Picture:
    """A picture's size in pixels and its media type."""

    width: int
    height: int
    media: str


def read_picture(data: bytes, name: str) -> Picture:
    """Check a picture file. Raises `ExchangeError` if it is none, is damaged, or is too large."""
    from PIL import Image, UnidentifiedImageError

    try:
        with Image.open(io.BytesIO(data)) as image:
            width, height, form = image.width, image.height, image.format or ""
            if width * height > _MOST:
                raise ExchangeError(f"{name} has {width} x {height} pixels, more than can be shown: make it smaller.")
            image.load()
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise ExchangeError(f"{name} is no picture that can be read, or is damaged: PNG, JPEG and WebP are.") from error
    if form not in KINDS:
        raise ExchangeError(f"{name} is a {form} picture: PNG, JPEG and WebP can be shown.")
    return Picture(width, height, KINDS[form])
