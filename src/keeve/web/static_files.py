"""The files of the pages themselves: read and compressed once, answered from memory, so that they wait for nothing."""

import gzip
import mimetypes
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import NamedTuple
from urllib.parse import parse_qs

from starlette.datastructures import Headers
from starlette.exceptions import HTTPException
from starlette.responses import Response
from starlette.types import Receive, Scope, Send

PATH = "/static"
_FOLDER = Path(__file__).parent / "static"
_VERSION = "v"
_WEEK_S = 604_800
# How long a browser keeps what never changes under its address.
FOR_GOOD = "public, max-age=31536000, immutable"
mimetypes.add_type("application/manifest+json", ".webmanifest")
mimetypes.add_type("font/woff2", ".woff2")


class _File(NamedTuple):
    kind: str
    version: str
    plain: bytes
    compressed: bytes


@cache
def _files() -> dict[str, _File]:
    """Every file by its path."""
    found = {}
    for path in sorted(_FOLDER.rglob("*")):
        if path.is_file():
            plain = path.read_bytes()
            kind = mimetypes.guess_type(path.name)[0] or "text/plain"
            compressed = gzip.compress(plain, 9, mtime=0)
            found[f"/{path.relative_to(_FOLDER)}"] = _File(
                kind,
                sha256(plain).hexdigest()[:16],
                plain,
                compressed if len(compressed) < len(plain) else b"",
            )
    return found


def content_of_file(name: str) -> bytes:
    """A file as it is."""
    return _files()[f"/{name}"].plain


def address_of_file(name: str) -> str:
    """The address of a file: under its version, so that a browser keeps it until it changes."""
    return f"{PATH}/{name}?{_VERSION}={_files()[f'/{name}'].version}"


def addresses() -> dict[str, str]:
    """The address of every file by its name."""
    return {name.removeprefix("/"): address_of_file(name.removeprefix("/")) for name in _files()}


def _how_long(file: _File, *, is_named: bool) -> str:
    """How long a browser keeps a file; ``is_named``: it was asked for under its version, which never changes."""
    if is_named:
        return FOR_GOOD
    # A style sheet names its font, and the manifest its icons, without a version.
    return f"public, max-age={_WEEK_S}" if file.kind.startswith(("font/", "image/")) else "no-cache"


async def static_files(scope: Scope, receive: Receive, send: Send) -> None:
    """Answer with a file, compressed where the browser takes that, or with nothing where it has it already."""
    if scope["type"] != "http" or scope["method"] not in ("GET", "HEAD"):
        raise HTTPException(405)
    file = _files().get(scope["path"].removeprefix(scope.get("root_path", "")))
    if file is None:
        raise HTTPException(404)
    asked = Headers(scope=scope)
    is_named = parse_qs(scope["query_string"].decode("latin-1")).get(_VERSION) == [file.version]
    headers = {
        "ETag": f'"{file.version}"',
        "Vary": "Accept-Encoding",
        "Cache-Control": _how_long(file, is_named=is_named),
    }
    if headers["ETag"] in asked.get("if-none-match", ""):
        await Response(status_code=304, headers=headers)(scope, receive, send)
        return
    body = file.plain
    if file.compressed and "gzip" in asked.get("accept-encoding", ""):
        body, headers["Content-Encoding"] = file.compressed, "gzip"
    await Response(body, headers=headers, media_type=file.kind)(scope, receive, send)
