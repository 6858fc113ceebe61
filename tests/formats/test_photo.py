"""A photo is kept upright, small and without what the camera wrote into it; what is none is refused."""

import struct
import zlib
from io import BytesIO
from typing import Any

import numpy as np
import pytest
from PIL import Image, ImageCms

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


# What the three primaries of a space are in XYZ at D50, a row each; from memory of the two standards (IEC 61966-2-1;
# the wide space of many phones), rounded.
SRGB = ((0.4361, 0.2225, 0.0139), (0.3851, 0.7169, 0.0971), (0.1431, 0.0606, 0.7141))
WIDE = ((0.5151, 0.2412, -0.0011), (0.2920, 0.6922, 0.0419), (0.1571, 0.0666, 0.7841))


def profile_of(primaries: tuple[tuple[float, ...], ...]) -> bytes:
    """A profile like that of sRGB, with other primaries."""
    profile = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    for place in range(132, 132 + 12 * int.from_bytes(profile[128:132]), 12):
        name, at = bytes(profile[place : place + 4]), int.from_bytes(profile[place + 4 : place + 8])
        if name in (b"rXYZ", b"gXYZ", b"bXYZ"):
            values = [round(value * 65536) for value in primaries[b"rgb".index(name[:1])]]
            profile[at + 8 : at + 20] = struct.pack(">3i", *values)
    return bytes(profile)


@pytest.mark.parametrize("seed", range(12))
def test_colours_are_what_they_were_in_the_wide_space_of_a_phone(seed: int) -> None:
    taken = np.random.default_rng(seed).integers(60, 200, 3)
    light = ((taken / 255 + 0.055) / 1.055) ** 2.4
    shown = np.linalg.solve(np.array(SRGB).T, np.array(WIDE).T @ light).clip(0, 1)
    wanted = np.where(shown > 0.0031308, 1.055 * shown ** (1 / 2.4) - 0.055, 12.92 * shown) * 255
    picture = Image.new("RGB", (64, 48), tuple(taken.tolist()))
    kept = Image.open(BytesIO(photo_of(file_of(picture, "PNG", icc_profile=profile_of(WIDE))).jpeg))
    assert np.abs(np.array(kept.getpixel((30, 20))) - wanted).max() <= 3


@pytest.mark.parametrize("profile", [b"no profile", profile_of(SRGB)[:300], profile_of(SRGB)])
def test_a_profile_that_says_nothing_changes_nothing(profile: bytes) -> None:
    picture = file_of(Image.new("RGB", (64, 48), (180, 90, 60)), "PNG", icc_profile=profile)
    kept = Image.open(BytesIO(photo_of(picture).jpeg)).getpixel((30, 20))
    assert kept == pytest.approx((180, 90, 60), abs=2)
    assert b"ICC" not in photo_of(picture).jpeg


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
