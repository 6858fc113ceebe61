"""The bodies of a closed mesh, parted where they touch and made one where they overlap."""

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from keeve.core.errors import InputError
from keeve.core.tolerances import UNMEASURABLE

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


@dataclass(frozen=True)
class Mesh:
    """A closed mesh in the unit of its file.

    Args:
        corners: its corners (n × 3).
        triangles: its triangles (m × 3 indices of corners), facing out.
        volume: what it encloses.
        bodies: how many bodies the file has; where they overlap they count once.
        overlap: what would have been counted twice.
        hollow: what bodies turned inside out leave empty within others.
    """

    corners: "NDArray[np.float64]"
    triangles: "NDArray[np.int64]"
    volume: float
    bodies: int = 1
    overlap: float = 0.0
    hollow: float = 0.0

    @property
    def sides(self) -> list[float]:
        """The lengths of its box along x, y and z."""
        return [float(side) for side in self.corners.max(axis=0) - self.corners.min(axis=0)]


def one_body(mesh: Any) -> Mesh:
    """The bodies of a closed mesh as one: what two of them share counts once, a body inside out in another is a hollow.

    Raises:
        InputError: it is no surface of bodies.
    """
    import manifold3d
    import numpy as np
    from trimesh.grouping import group_rows

    def turned(body: Any) -> Any:
        sides = body.to_mesh64()
        return _body(sides.vert_properties, sides.tri_verts[:, ::-1])

    def united(parts: list[Any]) -> Any:
        return manifold3d.Manifold.batch_boolean(parts, manifold3d.OpType.Add)

    # About its middle: far from the origin a sum would lose its last places.
    middle = np.asarray(mesh.vertices, dtype=np.float64).mean(axis=0)
    bodies = []
    for triangles in _joined(mesh):
        used, numbered = np.unique(triangles, return_inverse=True)
        found = _body(mesh.vertices[used] - middle, numbered.reshape(-1, 3))
        if found.status() != manifold3d.Error.NoError:
            same_way = group_rows(mesh.edges, require_count=2)
            raise _crowded(mesh, mesh.edges[same_way[0][0] if len(same_way) else 0])
        bodies += found.decompose()
    if sum(body.volume() for body in bodies) < 0:
        bodies = [turned(body) for body in bodies]
    bodies.sort(key=lambda body: -abs(body.volume()))
    parts: list[Any] = []
    poured, hollow = 0.0, 0.0
    for body in bodies:
        volume = abs(body.volume())
        if body.volume() < 0:
            body, solid = turned(body), united(parts)
            # Inside out in another it is a hollow; by itself, or half in another, it was only wound the wrong way.
            if (body - solid).volume() <= UNMEASURABLE * volume:
                parts, hollow = [solid - body], hollow + volume
                continue
        parts, poured = [*parts, body], poured + volume
    solid = united(parts)
    sides, volume = solid.to_mesh64(), float(solid.volume())
    return Mesh(
        np.asarray(sides.vert_properties, dtype=np.float64)[:, :3] + middle,
        np.asarray(sides.tri_verts, dtype=np.int64),
        volume,
        bodies=len(bodies),
        overlap=poured - hollow - volume,
        hollow=hollow,
    )


def part_bodies(mesh: Any) -> None:
    """Give each body its own corners where bodies touch along an edge, so that no edge has over two triangles.

    Raises:
        InputError: the triangles round an edge bound no bodies.
    """
    import networkx as nx
    import numpy as np
    from trimesh.grouping import group_rows

    paired = np.zeros(len(mesh.edges), dtype=bool)
    paired[group_rows(mesh.edges_sorted, require_count=2)] = True
    at = np.zeros(len(mesh.vertices), dtype=bool)
    at[mesh.edges[~paired]] = True
    round_an_edge: dict[tuple[int, int], list[int]] = {}
    for number in np.flatnonzero(at[mesh.edges].any(axis=1)).tolist():
        low, high = mesh.edges_sorted[number].tolist()
        round_an_edge.setdefault((low, high), []).append(number)
    # A triangle's corner stays one with its neighbour's across every edge that the two share.
    stays = nx.Graph()
    for ends, sides in round_an_edge.items():
        for one, other in _wedges(mesh, ends, sides):
            for end in filter(at.__getitem__, ends):
                stays.add_edge((one // 3, end), (other // 3, end))
    corners, triangles = [mesh.vertices], mesh.faces.copy()
    for count, group in enumerate(nx.connected_components(stays), len(mesh.vertices)):
        corners.append(mesh.vertices[[next(iter(group))[1]]])
        for triangle, corner in group:
            triangles[triangle, mesh.faces[triangle] == corner] = count
    mesh.vertices, mesh.faces = np.concatenate(corners), triangles


def _wedges(mesh: Any, ends: tuple[int, int], sides: list[int]) -> list[tuple[int, int]]:
    """The sides of triangles round an edge in pairs, each the two faces of one solid wedge.

    Raises:
        InputError: one has no other.
    """
    import numpy as np

    if len(sides) == 2:
        return [(sides[0], sides[1])]
    start, end = mesh.vertices[list(ends)]
    along = (end - start) / np.linalg.norm(end - start)
    tips = [int(mesh.faces[side // 3, (side + 2) % 3]) for side in sides]
    out = mesh.vertices[tips] - start
    out -= np.outer(out @ along, along)
    across = np.cross(along, out[0])
    angles = np.arctan2(out @ across / np.linalg.norm(across), out @ out[0] / np.linalg.norm(out[0]))
    # Solid lies behind a side that runs along the edge and before one that runs against it; those that touch end first.
    runs_along = [int(mesh.edges[side][0]) == ends[0] for side in sides]
    turns = np.round(angles, 6) % round(2 * np.pi, 6)
    order = sorted(range(len(sides)), key=lambda one: (turns[one], not runs_along[one]))
    pairs, begun = [], []
    for one in order * 2:
        if not runs_along[one]:
            begun.append(one)
        elif begun:
            pairs.append((sides[begun.pop()], sides[one]))
    found = dict(pairs)
    if len(found) * 2 != len(sides) or len(set(found.values())) != len(found):
        raise _crowded(mesh, ends)
    return list(found.items())


def _joined(mesh: Any) -> "list[NDArray[np.int64]]":
    """The triangles of a mesh in groups (m × 3 each) that share no corner: each is one body or several that touch."""
    import numpy as np

    group = np.arange(len(mesh.vertices))
    while ((roots := group[mesh.faces]) != (least := roots.min(axis=1))[:, None]).any():
        np.minimum.at(group, roots.ravel(), least.repeat(3))
        while (group[group] != group).any():
            group = group[group]
    order = least.argsort(kind="stable")
    return np.split(np.asarray(mesh.faces)[order], np.flatnonzero(np.diff(least[order])) + 1)


def _body(corners: Any, triangles: Any) -> Any:
    """A body of the library that unites them; one of no surface has a status."""
    import manifold3d
    import numpy as np

    return manifold3d.Manifold(
        manifold3d.Mesh64(
            np.array(corners, dtype=np.float64, order="C"), np.array(triangles, dtype=np.uint64, order="C")
        )
    )


def _crowded(mesh: Any, edge: tuple[int, int]) -> InputError:
    """Where a surface meets itself and bounds nothing."""
    return InputError(
        "mesh_crowded",
        f"file isn't a body. Its triangles near {place_of(mesh, edge)} face each other. "
        "Repair it in your drawing program.",
        ["file"],
    )


def place_of(mesh: Any, edge: Any) -> str:
    """The middle of an edge in words."""
    middle = mesh.vertices[list(edge)].mean(axis=0)
    return ", ".join(f"{axis} {value:.4g}" for axis, value in zip("xyz", middle, strict=True))
