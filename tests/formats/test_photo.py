"""A photo is kept upright, small and without what the camera wrote into it; what is none is refused."""

import struct
import zlib
from io import BytesIO
from typing import Any

import pytest
from PIL import Image

from keeve.core.errors import InputError
from keeve.formats.photo import photo_of

_ORIENTATION, _MAKER, _GPS = 0x0112, 0x010F, 0x8825
_LYING_ON_ITS_SIDE = 6


def file_of(image: Image.Image, kind: str, **options: Any) -> bytes:
    out = BytesIO()
    image.save(out, kind, **options)
    return out.getvalue()


def test_only_the_picture_is_kept_and_it_stands_upright() -> None:
    wide = Image.new("RGB", (3000, 2000), "white")
    wide.paste("black", (0, 0, 300, 2000))  # at the left as stored, which is at the top as it was taken
    exif = wide.getexif()
    exif[_ORIENTATION], exif[_MAKER] = _LYING_ON_ITS_SIDE, "Secret maker"
    exif.get_ifd(_GPS)[1] = "N"
    photo = photo_of(file_of(wide, "JPEG", exif=exif, comment=b"Secret remark"))
    assert (photo.width, photo.height) == (1067, 1600)
    for jpeg, side in ((photo.jpeg, 1600), (photo.small, 400)):
        kept = Image.open(BytesIO(jpeg))
        assert max(kept.size) == side
        assert dict(kept.getexif()) == {}
        assert b"Secret" not in jpeg
        assert kept.getpixel((kept.width // 2, 5))[0] < 30
        assert kept.getpixel((kept.width // 2, kept.height - 5))[0] > 225


@pytest.mark.parametrize(("kind", "mode"), [("PNG", "RGBA"), ("PNG", "P"), ("PNG", "L"), ("WEBP", "RGBA")])
def test_what_shines_through_is_white(kind: str, mode: str) -> None:
    clear = Image.new("RGBA", (60, 40), (0, 0, 0, 0)).convert(mode)
    options = {"transparency": 0} if mode == "P" else {}
    photo = photo_of(file_of(clear, kind, **options))
    assert (photo.width, photo.height) == (60, 40)
    if mode != "L":
        assert Image.open(BytesIO(photo.jpeg)).getpixel((30, 20)) == (255, 255, 255)


def bomb() -> bytes:
    """A PNG of a few bytes that says it is 30 000 pixels square."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", 30_000, 30_000, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", zlib.compress(b"\0" * 90_001)) + chunk(b"IEND", b"")


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"a photo",
        b"%PDF-1.4",
        b"<svg xmlns='http://www.w3.org/2000/svg'/>",
        bomb(),
        file_of(Image.new("RGB", (900, 900)), "JPEG")[:2000],
        file_of(Image.new("RGB", (9, 9)), "GIF"),
        file_of(Image.new("RGB", (9, 9)), "TIFF"),
    ],
    ids=["nothing", "words", "pdf", "svg", "bomb", "cut-off", "gif", "tiff"],
)
def test_what_is_no_photo_is_refused(content: bytes) -> None:
    with pytest.raises(InputError) as refused:
        photo_of(content)
    assert refused.value.code == "no_photo"
