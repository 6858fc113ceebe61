"""A mesh file as figures: what a job keeps of it."""

from pathlib import Path
from typing import Any, cast

from keeve.core.errors import InputError
from keeve.core.rules.mesh import KINDS, mesh_of
from keeve.core.rules.mesh_section import Cut, Up, upright
from keeve.core.rules.moulds import METRES, LengthUnit, several_bodies, unlikely_unit

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


def mesh_figures(
    content: bytes,
    kind: str,
    unit: LengthUnit,
    up: Up = "z",
    cut: Cut = "length",
    *,
    close_holes: bool = False,
) -> dict[str, Any]:
    """A mesh file as a job keeps it, as plain values (see ``MeshFigures``), and what looks wrong with its unit.

    Args:
        content: the file.
        kind: stl, obj, ply or 3mf.
        unit: the unit of its lengths.
        up: the axis of the file that points up.
        cut: the side along which its section is cut.
        close_holes: close small holes first.

    Raises:
        InputError: it cannot be read, is too large, or its surface is open.
    """
    mesh = mesh_of(content, kind, close_holes=close_holes)
    scale = METRES[unit]
    found = upright(mesh, up, cut)
    sides_m = [side * scale for side in found.sides]
    figures = {
        "unit": unit,
        "up": up,
        "cut": cut,
        "volume_m3": mesh.volume * scale**3,
        "sides_m": sides_m,
        "below": found.below,
        "outline": [[list(corner) for corner in ring] for ring in found.outline],
    }
    warnings = [*unlikely_unit(max(sides_m), unit), *several_bodies(mesh, scale**3)]
    return {
        "figures": figures,
        "triangles": len(mesh.triangles),
        "warnings": [item.message for item in warnings],
    }
