"""A mesh file as figures: what a job keeps of it. Run as a process of its own, it reads a file that may be hostile.

``python -m keeve.formats.mesh_figures KIND UNIT UP CUT CLOSE`` reads the file from standard input and prints JSON.
"""

import json
import sys
from typing import Any

from keeve.core.errors import InputError
from keeve.core.rules.mesh import mesh_of
from keeve.core.rules.mesh_section import Cut, Up, upright
from keeve.core.rules.moulds import METRES, LengthUnit, several_bodies, unlikely_unit


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


def main() -> int:
    """Read the file and print its figures, or the refusal."""
    asked: Any = sys.argv[1:]
    kind, unit, up, cut, close = asked
    try:
        content = sys.stdin.buffer.read()
        found = mesh_figures(content, kind, unit, up, cut, close_holes=close == "yes")
    except InputError as fault:
        found = fault.as_json()
    print(json.dumps(found))
    return 0


if __name__ == "__main__":
    sys.exit(main())
