"""Photos that people send: read defensively, turned upright, made smaller, stripped of everything but the picture."""

from io import BytesIO
from typing import TYPE_CHECKING, NamedTuple

from keeve.core.errors import InputError

if TYPE_CHECKING:
    from PIL import Image

# As a phone takes them, and as a browser sends what is taken: nothing else is opened.
_KINDS = ("JPEG", "PNG", "WEBP")
# No phone takes more; a small file can unfold into far more than that. A JPEG is read smaller than it is, others whole.
_MOST_PIXELS, _MOST_WHOLE = 120_000_000, 40_000_000
# The longer side of the kept picture and of the small one, pixels.
_SIDE, _SMALL_SIDE = 1600, 400
_QUALITY = 80


class Photo(NamedTuple):
    """A picture as it is kept: as JPEG, small as JPEG, and its width and height, pixels."""

    jpeg: bytes
    small: bytes
    width: int
    height: int


def photo_of(content: bytes) -> Photo:
    """A picture of a file, fit to be kept.

    Its place, its time and whatever else the camera wrote into it stay behind. Colours are what they were, in the
    space that everything shows without being told: a stain is judged by them.

    Raises:
        InputError: the file is no picture that can be read.
    """
    from PIL import Image, ImageOps, UnidentifiedImageError

    Image.MAX_IMAGE_PIXELS = _MOST_PIXELS // 2  # twice that is refused
    try:
        with Image.open(BytesIO(content), formats=_KINDS) as opened:
            opened.draft("RGB", (_SIDE, _SIDE))
            if opened.width * opened.height > _MOST_WHOLE:
                raise Image.DecompressionBombError
            # Made smaller first: a copy of the whole would take as much again.
            opened.thumbnail((_SIDE, _SIDE))
            upright = ImageOps.exif_transpose(opened)
            flat = _in_common_colours(_on_white(upright), opened.info.get("icc_profile"))
    except (UnidentifiedImageError, Image.DecompressionBombError, OSError, SyntaxError, ValueError):
        raise InputError(
            "no_photo", "Keeve can't read that photo. Use a JPEG, PNG or WebP picture.", ["photo"]
        ) from None
    small = flat.copy()
    small.thumbnail((_SMALL_SIDE, _SMALL_SIDE))
    return Photo(_jpeg(flat), _jpeg(small), *flat.size)


def _on_white(picture: "Image.Image") -> "Image.Image":
    """The picture without what shines through it: JPEG has no such thing."""
    from PIL import Image

    if picture.mode not in ("RGBA", "LA", "PA") and "transparency" not in picture.info:
        return picture.convert("RGB")
    clear = picture.convert("RGBA")
    sheet = Image.new("RGB", clear.size, "white")
    sheet.paste(clear, mask=clear.getchannel("A"))
    return sheet


def _in_common_colours(picture: "Image.Image", profile: bytes | None) -> "Image.Image":
    """The picture in sRGB; many a phone takes it in a wider space, and says so in a profile that is not kept."""
    from PIL import ImageCms

    if not profile:
        return picture
    try:
        taken_in = ImageCms.ImageCmsProfile(BytesIO(profile))
        if taken_in.profile.xcolor_space.strip() != "RGB":  # of a picture that was turned into RGB above
            return picture
        changed = ImageCms.profileToProfile(picture, taken_in, ImageCms.createProfile("sRGB"))
    except (ImageCms.PyCMSError, OSError):
        return picture
    return changed or picture


def _jpeg(picture: "Image.Image") -> bytes:
    out = BytesIO()
    # Only the pixels: what else it came with would be written too.
    picture.info = {}
    picture.save(out, "JPEG", quality=_QUALITY, optimize=True)
    return out.getvalue()
