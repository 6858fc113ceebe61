"""Mesh files that people send: read in a process of its own, within limits of memory and time."""

import json
import os
import resource
import subprocess
import sys
from pathlib import Path
from typing import Any

from keeve.core.errors import InputError
from keeve.core.rules.mesh import KINDS, MOST_BYTES
from keeve.core.rules.moulds import METRES

__all__ = ["MOST_BYTES", "read_mesh_file"]

# The largest take about five seconds and a GiB here.
_MOST_SECONDS = 20
_MOST_MEMORY = 4 * 2**30
_SOURCE = Path(__file__).parents[2]
_UPS = ("z", "-z", "y", "-y", "x", "-x")
_CUTS = ("length", "width")


def read_mesh_file(
    content: bytes, name: str, unit: str, up: str, cut: str, close_holes: bool
) -> dict[str, Any]:
    """The figures of a mesh file, how many triangles it has, and what looks wrong (see ``mesh_figures``).

    Args:
        content: the file.
        name: its name: the ending says what it is.
        unit: the unit of its lengths.
        up: the axis of the file that points up.
        cut: the side along which its section is cut.
        close_holes: close small holes first.

    Raises:
        InputError: it cannot be read, is too large, takes too long, or its surface is open.
    """
    kind = Path(name).suffix.lower().lstrip(".")
    for field, value, known in (
        ("unit", unit, METRES),
        ("up", up, _UPS),
        ("cut", cut, _CUTS),
        ("file", kind, KINDS),
    ):
        if value not in known:
            raise InputError("mesh_kind", f"{field} must be one of {', '.join(known)}.", [field])
    asked = [kind, unit, up, cut, "yes" if close_holes else "no"]
    try:
        done = subprocess.run(
            [sys.executable, "-m", "keeve.formats.mesh_figures", *asked],
            input=content,
            capture_output=True,
            env={**os.environ, "PYTHONPATH": str(_SOURCE), "OPENBLAS_NUM_THREADS": "1"},
            timeout=_MOST_SECONDS,
            check=True,
            preexec_fn=_limited,
        )
    except subprocess.TimeoutExpired:
        raise InputError(
            "mesh_too_slow",
            f"file takes over {_MOST_SECONDS} s to read. Save it with fewer triangles.",
            ["file"],
        ) from None
    except subprocess.CalledProcessError:
        raise InputError("mesh_unreadable", "Keeve can't read that file as a mesh.", ["file"]) from None
    found: dict[str, Any] = json.loads(done.stdout)
    if "error" in found:
        error = found["error"]
        raise InputError(error["code"], error["message"], error["fields"], error.get("meant"))
    return found


def _limited() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (_MOST_MEMORY, _MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (_MOST_SECONDS, _MOST_SECONDS))
