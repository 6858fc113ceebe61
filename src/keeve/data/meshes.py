"""Mesh files that people send."""

from pathlib import Path
from typing import Any, cast

from keeve.core.errors import InputError
from keeve.core.rules.mesh import KINDS, MOST_BYTES
from keeve.core.rules.mesh_section import Cut, Up
from keeve.core.rules.moulds import METRES, LengthUnit
from keeve.formats.mesh_figures import mesh_figures

__all__ = ["MOST_BYTES", "read_mesh_file"]

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
        InputError: it cannot be read, is too large, or its surface is open.
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
    return mesh_figures(
        content, kind, cast(LengthUnit, unit), cast(Up, up), cast(Cut, cut), close_holes=close_holes
    )
