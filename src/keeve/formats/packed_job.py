"""A job packed into an address: how a plan that nobody keeps is carried from page to page."""

import json
import zlib
from base64 import urlsafe_b64decode, urlsafe_b64encode
from urllib.parse import urlencode

from keeve.core.errors import InputError
from keeve.core.planning.job import Job
from keeve.formats.job_file import parse_job, write_job

# Servers and browsers pass on addresses of several times this length.
MOST_CHARACTERS = 12_000
_MOST_UNPACKED = 200_000


def pack_job(job: Job) -> str:
    """A job as letters for an address.

    Raises:
        InputError: it is too long for one.
    """
    text = json.dumps(write_job(job), ensure_ascii=False, separators=(",", ":"))
    packed = urlsafe_b64encode(zlib.compress(text.encode(), 9)).rstrip(b"=").decode()
    if len(packed) > MOST_CHARACTERS:
        raise InputError("too_long", "The job is too long to show unsaved. Sign in, then open it.", ["job"])
    return packed


def quick_address(job: Job) -> str:
    """The address of the first card of a job that is not kept.

    Raises:
        InputError: the job is too long for one.
    """
    return f"/plan/quick?{urlencode({'job': pack_job(job)})}"


def unpack_job(packed: str) -> Job:
    """The job of such letters.

    Raises:
        InputError: it is none, or one that cannot be read.
    """
    broken = InputError("broken_address", "The link to this card is cut short. Plan the job again.", ["job"])
    if len(packed) > MOST_CHARACTERS:
        raise broken
    try:
        unpacker = zlib.decompressobj()
        raw = urlsafe_b64decode(packed + "=" * (-len(packed) % 4))
        text = unpacker.decompress(raw, _MOST_UNPACKED)
        if not unpacker.eof:
            raise broken
        return parse_job(text.decode())
    except (ValueError, zlib.error):
        raise broken from None
