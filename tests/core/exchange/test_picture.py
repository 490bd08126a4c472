"""Reference pictures: measured, or refused in words."""

import io

import pytest
from PIL import Image

from pamble.core.errors import ExchangeError
from pamble.core.exchange.picture import read_picture


def picture(form: str, size=(60, 40)) -> bytes:
    buffer = io.BytesIO()
    Image.new("RGB", size, (200, 180, 150)).save(buffer, form)
    return buffer.getvalue()


@pytest.mark.parametrize(("form", "media"), [("PNG", "image/png"), ("JPEG", "image/jpeg"), ("WEBP", "image/webp")])
def test_a_picture_is_measured(form, media):
    made = read_picture(picture(form), "side.png")
    assert (made.width, made.height, made.media) == (60, 40, media)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"no picture", "no picture that can be read"),
        (picture("PNG")[:60], "no picture that can be read"),
        (picture("BMP"), "BMP picture"),
        (picture("PNG", (9000, 9000)), "make it smaller"),
    ],
)
def test_what_is_no_picture_is_refused_in_words(data, words):
    with pytest.raises(ExchangeError, match=words):
        read_picture(data, "side.png")
