"""The Python interpreter of a device and what it runs, as files under one version that a browser keeps for good."""

import gzip
from collections.abc import Mapping
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import NamedTuple

from keeve.screens.without_signal.bundle import bundle
from keeve.web.static_files import content_of_file

_VENDOR = Path(__file__).parent / "vendor"
_KINDS: Mapping[str, str] = {
    ".mjs": "text/javascript",
    ".wasm": "application/wasm",
    ".json": "application/json",
    ".zip": "application/zip",
    ".whl": "application/zip",
}
# Named by its version, which the address need not say.
_WHEEL = "pydantic_core.whl"


class DeviceFile(NamedTuple):
    """A file of the device: its bytes as they are sent, compressed by gzip, and its kind."""

    sent: bytes
    kind: str


@cache
def device_files() -> Mapping[str, DeviceFile]:
    """Every file by its name."""
    found = {"worker.mjs": _file("worker.mjs", content_of_file("device-worker.mjs"))}
    for path in sorted(_VENDOR.iterdir()):
        if path.suffix == ".gz":
            found[path.stem] = DeviceFile(path.read_bytes(), _KINDS[Path(path.stem).suffix])
        elif path.suffix in _KINDS:
            name = _WHEEL if path.suffix == ".whl" else path.name
            found[name] = _file(name, path.read_bytes())
    return {**found, "keeve.zip": _file("keeve.zip", bundle())}


def _file(name: str, content: bytes) -> DeviceFile:
    # What is packed already is only wrapped: a browser takes all of them in one way.
    return DeviceFile(gzip.compress(content, 1, mtime=0), _KINDS[Path(name).suffix])


@cache
def version() -> str:
    """The version of all of them together: other files have another one."""
    return sha256(b"".join(file.sent for file in device_files().values())).hexdigest()[:16]


def size() -> int:
    """The size of all of them as they are sent, bytes."""
    return sum(len(file.sent) for file in device_files().values())
