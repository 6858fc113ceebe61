"""The Python of a device without signal: Keeve's own and what it needs, out of the environment the server runs in.

Both run the same versions, so that both say the same. The tables go as JSON; the clock of one zone comes with the pack.
"""

import io
import json
import zipfile
from collections.abc import Iterator, Mapping
from functools import cache
from importlib.util import find_spec
from pathlib import Path

from keeve.core.rules.yaml_tables import read_table
from keeve.web.static_files import addresses

_KEEVE = Path(__file__).parents[2]
# What is drawn and worked out on a device, and nothing that reads a database or answers a request.
_OF_KEEVE = (
    "__init__.py",
    "core",
    "drawing",
    "figures",
    "formats/job_file.py",
    "formats/pack.py",
    "formats/packed_job.py",
    "formats/__init__.py",
    "on_device",
    "screens",
    "web",
)
_LEFT_OUT = frozenset({"__pycache__", "static", "v1", "screen.py", "vendor"})
# Of each package what it needs there: the languages that Keeve writes, nothing compiled for this machine.
_PACKAGES = (
    "annotated_types",
    "babel",
    "jinja2",
    "markupsafe",
    "pydantic",
    "typing_extensions",
    "typing_inspection",
    "yaml",
)
_LANGUAGES = frozenset({"root.dat", "en.dat", "en_001.dat", "en_GB.dat", "en_US.dat"})
_KINDS = frozenset({".py", ".html", ".dat", ".yaml"})
# As old as a zip file can be: the same content is the same file, whenever it is made.
_ALWAYS = (1980, 1, 1, 0, 0, 0)


@cache
def bundle() -> bytes:
    """The packages as a zip file, to be unpacked where the device's Python looks for them."""
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as file:
        for name, content in sorted(_files().items()):
            file.writestr(zipfile.ZipInfo(name, _ALWAYS), content, zipfile.ZIP_DEFLATED, 9)
    return made.getvalue()


def _files() -> Mapping[str, bytes]:
    """Every file of the bundle by its place in it."""
    found: dict[str, bytes] = {}
    for name in _OF_KEEVE:
        found |= {f"keeve/{path.relative_to(_KEEVE)}": _content(path) for path in _below(_KEEVE / name)}
    for name in _PACKAGES:
        at = _home(name)
        found |= {str(path.relative_to(at.parent)): _content(path) for path in _below(at)}
    found["keeve/on_device/addresses.json"] = json.dumps(addresses()).encode()
    return found


def _home(name: str) -> Path:
    spec = find_spec(name)
    if spec is None or spec.origin is None:
        raise LookupError(f"the package {name} is not installed")
    return Path(spec.origin).parent if spec.submodule_search_locations else Path(spec.origin)


def _below(path: Path) -> Iterator[Path]:
    if path.is_file():
        yield path
        return
    for inner in path.iterdir():
        if inner.name in _LEFT_OUT or (inner.parent.name == "locale-data" and inner.name not in _LANGUAGES):
            continue
        if inner.is_dir() or inner.suffix in _KINDS:
            yield from _below(inner)


def _content(path: Path) -> bytes:
    return json.dumps(read_table(path)).encode() if path.suffix == ".yaml" else path.read_bytes()
