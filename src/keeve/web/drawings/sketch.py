"""The dimensioned sketch of what is to be filled: shapes in oblique view, with their sizes."""

from collections.abc import Mapping
from dataclasses import dataclass, field

_MIDDLE_X, _MIDDLE_Y = 250.0, 150.0
_ROOM_X, _ROOM_Y = 330.0, 170.0
# Depth runs up to the right at half its length, the draughtsman's cabinet projection.
_DEPTH_X, _DEPTH_Y = 0.42, 0.27
# Thinner than this a slab would be a line; drawn thicker, the sketch says that it is not to scale.
_LEAST = 16.0


@dataclass(frozen=True)
class DimensionLine:
    """A dimension: two ends, where its text stands, and the name of the size it shows."""

    x1: float
    y1: float
    x2: float
    y2: float
    text_x: float
    text_y: float
    size: str
    anchor: str = "middle"


@dataclass(frozen=True)
class Sketch:
    """Faces back to front as (class, SVG path), dimension lines, and whether it is to scale."""

    faces: list[tuple[str, str]]
    dimensions: list[DimensionLine] = field(default_factory=list)
    to_scale: bool = True


def sketch(shape: str, sizes: Mapping[str, float]) -> Sketch:
    """The sketch of a shape by the id of its rule, or of a plain volume.

    Args:
        shape: ``slab-volume``, ``cylinder-volume``, ``post-hole-volume`` or ``volume``.
        sizes: its sizes in m by input name; all of them.
    """
    return _SKETCHES[shape](sizes)


def _slab(sizes: Mapping[str, float]) -> Sketch:
    return _box(
        sizes["length_m"], sizes["width_m"], sizes["thickness_m"], ("length_m", "width_m", "thickness_m")
    )


def _cube(sizes: Mapping[str, float]) -> Sketch:
    edge = sizes["volume_m3"] ** (1 / 3)
    return _box(edge, edge, edge, ("edge_m", "", ""))


def _box(length: float, depth: float, height: float, names: tuple[str, str, str]) -> Sketch:
    scale = min(_ROOM_X / (length + depth * _DEPTH_X), _ROOM_Y / (height + depth * _DEPTH_Y))
    w, h = max(length * scale, _LEAST), max(height * scale, _LEAST)
    dx, dy = max(depth * scale, _LEAST) * _DEPTH_X, max(depth * scale, _LEAST) * _DEPTH_Y
    x, y = _MIDDLE_X - (w + dx) / 2, _MIDDLE_Y + (h + dy) / 2
    faces = [
        ("face top", _path((x, y - h), (x + dx, y - h - dy), (x + w + dx, y - h - dy), (x + w, y - h))),
        ("face side", _path((x + w, y), (x + w, y - h), (x + w + dx, y - h - dy), (x + w + dx, y - dy))),
        ("face front", _path((x, y), (x, y - h), (x + w, y - h), (x + w, y))),
    ]
    lines = [
        DimensionLine(x, y + 18, x + w, y + 18, x + w / 2, y + 36, names[0]),
        DimensionLine(
            x + w + 14,
            y + 5,
            x + w + dx + 14,
            y - dy + 5,
            x + w + dx / 2 + 26,
            y - dy / 2 + 16,
            names[1],
            "start",
        ),
        DimensionLine(x - 16, y, x - 16, y - h, x - 26, y - h / 2 + 5, names[2], "end"),
    ]
    thinnest = min(length, depth, height) * scale
    return Sketch(faces, [line for line in lines if line.size], to_scale=thinnest >= _LEAST)


def _cylinder(sizes: Mapping[str, float]) -> Sketch:
    diameter, height = sizes["diameter_m"], sizes["height_m"]
    scale = min(_ROOM_X / diameter, _ROOM_Y / (height + diameter * 0.3))
    w, h = max(diameter * scale, _LEAST), max(height * scale, _LEAST)
    ry = w * 0.15
    x, top, bottom = _MIDDLE_X - w / 2, _MIDDLE_Y - h / 2, _MIDDLE_Y + h / 2
    body = (
        f"M{x:.1f},{top:.1f} L{x:.1f},{bottom:.1f} A{w / 2:.1f},{ry:.1f} 0 0 0 {x + w:.1f},{bottom:.1f} "
        f"L{x + w:.1f},{top:.1f} Z"
    )
    lid = (
        f"M{x:.1f},{top:.1f} A{w / 2:.1f},{ry:.1f} 0 0 0 {x + w:.1f},{top:.1f} "
        f"A{w / 2:.1f},{ry:.1f} 0 0 0 {x:.1f},{top:.1f} Z"
    )
    low = bottom + ry + 16
    return Sketch(
        [("face front", body), ("face top", lid)],
        [
            DimensionLine(x, low, x + w, low, _MIDDLE_X, low + 18, "diameter_m"),
            DimensionLine(x - 16, bottom, x - 16, top, x - 26, _MIDDLE_Y + 5, "height_m", "end"),
        ],
        to_scale=min(diameter, height) * scale >= _LEAST,
    )


def _post_hole(sizes: Mapping[str, float]) -> Sketch:
    """A cut through the ground: the filled hole, the post in it."""
    diameter, depth = sizes["hole_diameter_m"], sizes["hole_depth_m"]
    embedment, post = sizes["embedment_m"], sizes["post_width_m"]
    scale = min(200 / diameter, 165 / depth)
    w, h, p, e = diameter * scale, depth * scale, post * scale, embedment * scale
    ground = 80.0
    x, cx = _MIDDLE_X - w / 2, _MIDDLE_X
    hole = _path((x, ground), (x, ground + h), (x + w, ground + h), (x + w, ground))
    post_face = _path(
        (cx - p / 2, ground - 56),
        (cx + p / 2, ground - 56),
        (cx + p / 2, ground + e),
        (cx - p / 2, ground + e),
    )
    soil = f"M{x - 90:.1f},{ground:.1f} L{x:.1f},{ground:.1f} M{x + w:.1f},{ground:.1f} L{x + w + 90:.1f},{ground:.1f}"
    return Sketch(
        [("face front", hole), ("face post", post_face), ("ground", soil)],
        [
            DimensionLine(x, ground + h + 16, x + w, ground + h + 16, cx, ground + h + 34, "hole_diameter_m"),
            DimensionLine(x - 16, ground, x - 16, ground + h, x - 26, ground + h / 2 + 5, "hole_depth_m", "end"),
            DimensionLine(
                x + w + 16, ground, x + w + 16, ground + e, x + w + 26, ground + e / 2 + 5, "embedment_m", "start"
            ),
            DimensionLine(cx - p / 2, ground - 64, cx + p / 2, ground - 64, cx, ground - 72 + 2, "post_width_m"),
        ],
    )  # fmt: skip


_SKETCHES = {
    "slab-volume": _slab,
    "cylinder-volume": _cylinder,
    "post-hole-volume": _post_hole,
    "volume": _cube,
}


def _path(*points: tuple[float, float]) -> str:
    return "M" + " L".join(f"{x:.1f},{y:.1f}" for x, y in points) + " Z"
