"""Reading a mesh: within limits, closed or refused with the place where it is open, its bodies made one."""

import struct
import zipfile
from collections.abc import Iterator
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keeve.core.errors import InputError
from keeve.core.rules.mesh_bodies import Mesh, one_body, part_bodies, place_of

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

# More takes longer to read than anybody waits: 600 000 triangles take four seconds here, and are 30 MB of a binary STL.
MOST_BYTES = 40_000_000
MOST_TRIANGLES = 600_000
# What a packed file may unpack to, and of how many members.
_MOST_UNPACKED, _MOST_MEMBERS = 400_000_000, 200
KINDS = ("stl", "obj", "ply", "3mf")
# A hole of more edges is no small gap: a fan of triangles across it would be invented.
_MOST_HOLE_EDGES = 200
_STL_HEADER, _STL_TRIANGLE = 84, 50


def read_mesh(file: Path, *, close_holes: bool = False) -> Mesh:
    """A closed mesh from a file.

    Args:
        file: an STL, OBJ, PLY or 3MF file.
        close_holes: close small holes first.

    Raises:
        InputError: it cannot be read, is too large, or its surface is open.
    """
    try:
        size = file.stat().st_size
    except (OSError, ValueError) as fault:
        raise InputError("mesh_unreadable", f"file cannot be read: {fault}.", ["file"]) from None
    if size > MOST_BYTES:
        raise _too_large()
    return mesh_of(file.read_bytes(), file.suffix.lower().lstrip("."), close_holes=close_holes)


def mesh_of(content: bytes, kind: str, *, close_holes: bool = False) -> Mesh:
    """A closed mesh from the content of a file.

    Args:
        content: the file.
        kind: stl, obj, ply or 3mf.
        close_holes: close small holes first.

    Raises:
        InputError: it cannot be read, is too large, or its surface is open.
    """
    if kind not in KINDS:
        raise InputError("mesh_kind", f"file must be one of {', '.join(KINDS)}.", ["file"])
    if len(content) > MOST_BYTES:
        raise _too_large()
    if kind == "3mf":
        _check_package(content)
    if kind == "stl":
        _check_count(content)
    return _closed(_loaded(content, kind), close_holes=close_holes)


def _too_large() -> InputError:
    return InputError(
        "mesh_too_large",
        f"file is over {MOST_BYTES / 1e6:.0f} MB or {MOST_TRIANGLES:,} triangles. Save it with fewer triangles.",
        ["file"],
    )


def _check_package(content: bytes) -> None:
    """Refuse a package that unpacks to far more than it is, or that defines entities."""
    try:
        with zipfile.ZipFile(BytesIO(content)) as package:
            members = package.infolist()
            if len(members) > _MOST_MEMBERS or sum(item.file_size for item in members) > _MOST_UNPACKED:
                raise _too_large()
            for item in members:
                if item.filename.lower().endswith((".model", ".rels", ".xml")):
                    with package.open(item) as part:
                        if b"<!" in part.read(4096).replace(b"<!--", b""):
                            raise _unreadable("it defines entities")
    except zipfile.BadZipFile:
        raise _unreadable("it is no package") from None


def _check_count(content: bytes) -> None:
    """Refuse a binary STL that has not the triangles it says, before anything is reserved for them."""
    if len(content) < _STL_HEADER or content[:5].lower() == b"solid":
        return
    (count,) = struct.unpack_from("<I", content, _STL_HEADER - 4)
    if count > MOST_TRIANGLES:
        raise _too_large()
    if _STL_HEADER + count * _STL_TRIANGLE > len(content):
        raise _unreadable(f"it says {count:,} triangles and ends before")


def _unreadable(why: str) -> InputError:
    return InputError("mesh_unreadable", f"file cannot be read as a mesh: {why}.", ["file"])


def _loaded(content: bytes, kind: str) -> Any:
    """The mesh as the library reads it: several bodies as one, equal corners joined."""
    import numpy as np
    import trimesh

    try:
        # No resolver: a mesh must not make us open other files.
        found = trimesh.load_mesh(BytesIO(content), file_type=kind, resolver=None, skip_materials=True)
    except MemoryError:
        raise _too_large() from None
    except Exception as fault:  # a reader may fail in any way on a hostile file
        raise _unreadable(f"{type(fault).__name__}") from None
    faces = getattr(found, "faces", None)
    if faces is None or not len(faces):
        raise _unreadable("it holds no triangles")
    if len(faces) > MOST_TRIANGLES:
        raise _too_large()
    if not np.isfinite(found.vertices).all():
        raise _unreadable("a corner has no finite place")
    if not found.is_watertight:
        # Seams of a picture or of shading split corners that are one; and some files name a triangle twice.
        found.merge_vertices(merge_tex=True, merge_norm=True)
        found.update_faces(found.nondegenerate_faces())
        found.update_faces(_named_once(found.faces))
    return found


def _named_once(triangles: "NDArray[np.int64]") -> "NDArray[np.int64]":
    """The first of the triangles with the same corners the same way round; the other way round it is another body's."""
    import numpy as np

    least = triangles.argmin(axis=1)[:, None]
    turned = np.take_along_axis(triangles, (least + np.arange(3)) % 3, axis=1)
    return np.unique(turned, axis=0, return_index=True)[1]


def _closed(mesh: Any, *, close_holes: bool) -> Mesh:
    """The mesh with its triangles all facing out, and its bodies made one.

    Raises:
        InputError: its surface is open; the message says where.
    """
    import trimesh

    if not mesh.is_watertight and close_holes:
        _close_by_fans(mesh)
    if mesh.is_watertight:
        if not mesh.is_winding_consistent:
            trimesh.repair.fix_winding(mesh)
    elif len(_open_edges(mesh)):
        raise _open(mesh)
    else:
        part_bodies(mesh)
    found = one_body(mesh)
    if found.volume <= 0:
        raise InputError("mesh_flat", "file is a flat sheet and holds nothing.", ["file"])
    return found


def _open_edges(mesh: Any) -> "NDArray[np.int64]":
    """The edges that only one triangle has (k × 2 indices of corners), as their triangle runs along them."""
    import numpy as np
    from trimesh.grouping import group_rows

    alone = group_rows(mesh.edges_sorted, require_count=1)
    return np.asarray(mesh.edges[alone], dtype=np.int64)


def _open(mesh: Any) -> InputError:
    """Where the surface is open."""
    edges = _open_edges(mesh)
    return InputError(
        "mesh_open",
        f"file isn't closed. It is open along {len(edges)} edges, the first near {place_of(mesh, edges[0])}. "
        "Close it in your drawing program, or close its holes here.",
        ["file"],
        meant={"close_holes": True},
    )


def _close_by_fans(mesh: Any) -> None:
    """Close every ring of open edges by a fan round its middle."""
    import numpy as np

    after: dict[int, list[int]] = {}
    for start, end in _open_edges(mesh).tolist():
        after.setdefault(start, []).append(end)
    corners, triangles = [mesh.vertices], [mesh.faces]
    for count, ring in enumerate(_rings(after), len(mesh.vertices)):
        corners.append(mesh.vertices[ring].mean(axis=0)[None])
        ends = ring[1:] + ring[:1]
        triangles.append(np.array([[count, end, start] for start, end in zip(ring, ends, strict=True)]))
    mesh.vertices = np.concatenate(corners)
    mesh.faces = np.concatenate(triangles)


def _rings(after: dict[int, list[int]]) -> Iterator[list[int]]:
    """Every ring of open edges that is a small gap, from the corners that follow each corner."""
    while after:
        path = [next(iter(after))]
        while (corner := _taken(after, path[-1])) is not None:
            if corner not in path:
                path.append(corner)
                continue
            # Two gaps may meet at a corner: the ring that closes there is one of them.
            begins = path.index(corner)
            ring, path = path[begins:], path[: begins + 1]
            if len(ring) <= _MOST_HOLE_EDGES:
                yield ring


def _taken(after: dict[int, list[int]], corner: int) -> int | None:
    """The end of an edge from that corner, which is taken out."""
    ends = after.get(corner)
    if not ends:
        return None
    end = ends.pop()
    if not ends:
        del after[corner]
    return end
