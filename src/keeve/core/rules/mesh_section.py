"""A mesh set upright: its sides, the share of it below each level, and its outline as cut through the middle."""

from typing import TYPE_CHECKING, Literal, NamedTuple

from keeve.core.rules.mesh_bodies import Mesh

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

Up = Literal["z", "-z", "y", "-y", "x", "-x"]
Cut = Literal["length", "width"]

# So many levels tell how it fills; so many corners draw a ring of its outline, and so many rings.
_LEVELS = 20
_CORNERS = 160
# A corner that bends the line by less, of its largest side, is not seen.
_LEAST_BEND = 0.001
_RINGS = 12


class Upright(NamedTuple):
    """A mesh set upright.

    Args:
        sides: its length, width and height in the unit of its file.
        below: the share of its volume below each level, from 0 at the bottom to 1 at the top, evenly spaced.
        outline: the rings of its outline in the cut, as shares of the side that is cut along and of its height.
    """

    sides: tuple[float, float, float]
    below: list[float]
    outline: list[list[tuple[float, float]]]


def upright(mesh: Mesh, up: Up = "z", cut: Cut = "length") -> Upright:
    """A mesh with one of its axes up, cut along its length or its width.

    Args:
        mesh: a closed mesh.
        up: the axis of its file that points up.
        cut: the side along which it is cut.
    """
    import numpy as np

    corners = _turned(mesh.corners, up)
    corners = corners - corners.min(axis=0)
    sides = corners.max(axis=0)
    levels = [(index + 0.5) / _LEVELS for index in range(_LEVELS)]
    areas = [abs(_area(corners, mesh.triangles, float(level * sides[2]))) for level in levels]
    filled = np.concatenate([[0.0], np.cumsum(areas)])
    along = 0 if cut == "length" else 1
    # The cut goes through the plane of the two axes that are not cut across.
    swapped = corners[:, [along, 2, 1 - along]]
    rings = _rings(swapped, mesh.triangles, float(sides[1 - along] * 0.5))
    outline = [
        [(_share(x, sides[along]), _share(z, sides[2])) for x, z in _thinned(ring)]
        for ring in sorted(rings, key=len, reverse=True)[:_RINGS]
    ]
    return Upright(
        sides=(float(sides[0]), float(sides[1]), float(sides[2])),
        below=[round(float(value), 5) for value in filled / filled[-1]],
        outline=outline,
    )


def _share(value: float, side: float) -> float:
    return round(min(max(value / float(side), 0.0), 1.0), 4)


def _turned(corners: "NDArray[np.float64]", up: Up) -> "NDArray[np.float64]":
    """The corners with that axis up; a turn, never a mirror image."""
    axis = "xyz".index(up[-1])
    turned = corners[:, [(axis + 1) % 3, (axis + 2) % 3, axis]]
    if up.startswith("-"):
        turned = turned * [1.0, -1.0, -1.0]
    return turned


def _crossing(
    corners: "NDArray[np.float64]", triangles: "NDArray[np.int64]", height: float
) -> tuple["NDArray[np.int64]", "NDArray[np.float64]"]:
    """Where a level plane cuts the triangles: for each that it cuts, its two cut edges as corners, and the two places.

    No corner lies in the plane: it is moved by less than anybody measures.
    """
    import numpy as np

    offset = height + 1e-9 * max(float(corners[:, 2].max()), 1e-12)
    above = corners[:, 2] > offset
    of_triangles = above[triangles]
    cut = triangles[of_triangles.any(axis=1) & ~of_triangles.all(axis=1)]
    up = above[cut]
    # The corner that is alone on its side comes first, the others in their order round the triangle.
    alone = np.where(up.sum(axis=1) == 1, up.argmax(axis=1), (~up).argmax(axis=1))
    rows = np.arange(len(cut))
    first, second, third = (cut[rows, (alone + step) % 3] for step in range(3))
    is_up = up[rows, alone][:, None]
    edges = np.stack([np.stack([first, second], 1), np.stack([first, third], 1)], 1)
    # One way round: the inside is always on the same hand.
    edges = np.where(is_up[:, :, None], edges, edges[:, ::-1])
    start, end = corners[edges[:, :, 0]], corners[edges[:, :, 1]]
    part = (offset - start[:, :, 2]) / (end[:, :, 2] - start[:, :, 2])
    return edges, (start + part[:, :, None] * (end - start))[:, :, :2]


def _area(corners: "NDArray[np.float64]", triangles: "NDArray[np.int64]", height: float) -> float:
    """The area that a level plane cuts out of a closed mesh, with its sign."""
    _, places = _crossing(corners, triangles, height)
    one, other = places[:, 0], places[:, 1]
    return float((one[:, 0] * other[:, 1] - other[:, 0] * one[:, 1]).sum() / 2)


def _rings(
    corners: "NDArray[np.float64]", triangles: "NDArray[np.int64]", height: float
) -> list[list[tuple[float, float]]]:
    """The closed rings in which a level plane cuts a mesh."""
    edges, places = _crossing(corners, triangles, height)
    names = [[tuple(sorted(edge)) for edge in pair] for pair in edges.tolist()]
    after = {
        pair[0]: (pair[1], tuple(place)) for pair, place in zip(names, places[:, 0].tolist(), strict=True)
    }
    rings = []
    while after:
        _, (following, place) = after.popitem()
        ring = [place]
        while following in after:
            following, place = after.pop(following)
            ring.append(place)
        rings.append(ring)
    return rings


def _thinned(ring: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """A ring with no more corners than can be drawn: those that its line bends least at are left out."""
    import numpy as np

    places = np.array([*ring, ring[0]])
    least = float(np.ptp(places, axis=0).max()) * _LEAST_BEND
    while True:
        kept = _bends(places, least)
        if len(kept) <= _CORNERS:
            return [(float(x), float(z)) for x, z in places[kept[:-1]]]
        least *= 2


def _bends(places: "NDArray[np.float64]", least: float) -> list[int]:
    """The numbers of the corners of a line that bend it by that much (Ramer, Douglas and Peucker)."""
    import numpy as np

    kept, spans = {0, len(places) - 1}, [(0, len(places) - 1)]
    while spans:
        first, last = spans.pop()
        if last - first < 2:
            continue
        between, chord = places[first + 1 : last] - places[first], places[last] - places[first]
        length = float(np.hypot(*chord))
        off = (
            np.abs(between[:, 0] * chord[1] - between[:, 1] * chord[0]) / length
            if length
            else np.hypot(between[:, 0], between[:, 1])
        )
        if off.max() > least:
            farthest = first + 1 + int(off.argmax())
            kept.add(farthest)
            spans += [(first, farthest), (farthest, last)]
    return sorted(kept)
