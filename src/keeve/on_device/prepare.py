"""The one-time work of a device with a new version: everything is compiled for its own interpreter, the templates too.

It is run before what is compiled for the machine is there, and so imports nothing of Keeve at its head.
"""

import compileall
import importlib
import zipfile
from pathlib import Path

_AT = Path("/keeve")
_PACKED = "/tmp/prepared.zip"
# What needs nothing that is compiled for the machine: it is part of the memory that is kept.
_PURE = (
    "babel.dates", "dataclasses", "datetime", "decimal", "email.message", "fractions", "hashlib", "inspect", "jinja2",
    "jinja2.ext", "json", "textwrap", "typing_inspection.typing_objects", "urllib.parse", "uuid", "yaml", "zipfile",
    "zoneinfo",
)  # fmt: skip


def compiled() -> None:
    """Compile every module, drop what they were made of, and import what the kept memory may hold."""
    _compile()
    importlib.invalidate_caches()
    for name in _PURE:
        importlib.import_module(name)


def packed() -> str:
    """Compile the templates too, and give the path of all of it as one file."""
    from keeve.web.environment import PREPARED, environment

    environment.compile_templates(PREPARED, zip=None, log_function=lambda words: None)
    for template in _AT.rglob("*.html"):
        template.unlink()
    _compile()
    with zipfile.ZipFile(_PACKED, "w", zipfile.ZIP_STORED) as file:
        for path in sorted(_AT.rglob("*")):
            if path.is_file():
                file.write(path, path.relative_to(_AT))
    return _PACKED


def _compile() -> None:
    # Beside its source, where it is found without it.
    compileall.compile_dir(_AT, quiet=1, legacy=True)
    for source in _AT.rglob("*.py"):
        if source.with_suffix(".pyc").exists():
            source.unlink()
