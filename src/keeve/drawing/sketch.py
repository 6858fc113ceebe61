"""The dimensioned sketch of what is built: flat faces in space, seen obliquely, with the sizes that were typed.

Every kind is a few faces in metres, back to front, and the sizes on them; one projection draws them all.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from keeve.drawing.faces import BACK_X, BACK_Y, Drawing, DrawnSolid, Face, Place, Size, SizedItem
from keeve.drawing.mould_section import mould_section

WIDTH, HEIGHT = 500.0, 300.0
# Room for the sizes round the figure.
_LEFT, _RIGHT, _TOP, _BOTTOM = 98.0, 104.0, 34.0, 48.0
# Thinner than that share of the largest a side would be a line; drawn thicker, the sketch says so.
_LEAST = 0.05
_GAP = 17.0


@dataclass(frozen=True)
class DimensionLine:
    """A dimension: two ends, where its text is, and the name of the size it shows."""

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
    """Faces back to front as (class, SVG path), dimension lines, the sizes by name, and whether it is to scale."""

    faces: list[tuple[str, str]]
    dimensions: list[DimensionLine]
    sizes: Mapping[str, float] = field(default_factory=dict)
    to_scale: bool = True


def sketch(shape: str, need: Mapping[str, Any]) -> Sketch:
    """The sketch of an item of a job.

    Args:
        shape: its shape, as ``keeve.screens.plan.shapes`` names it.
        need: its sizes, by their names in the job file.
    """
    sizes = {name: float(value) for name, value in need.items() if isinstance(value, int | float)}
    solid, shown, to_scale = _SOLIDS[shape](SizedItem(need, sizes))
    return _drawn(solid, shown, to_scale)


def _seen(*sides: float) -> tuple[tuple[float, ...], bool]:
    """Sides as they are drawn: none is thinner than can be seen; and whether that changed any."""
    least = max(sides) * _LEAST
    return tuple(max(side, least) for side in sides), min(sides) >= least


def _block(
    x: float, y: float, z: float, w: float, d: float, h: float, other_h: float | None = None
) -> list[Face]:
    """A box from its near lower left corner; its right end may have another height."""
    r = h if other_h is None else other_h
    return [
        Face("face top", [(x, y, z + h), (x, y + d, z + h), (x + w, y + d, z + r), (x + w, y, z + r)]),
        Face("face side", [(x + w, y, z), (x + w, y, z + r), (x + w, y + d, z + r), (x + w, y + d, z)]),
        Face("face front", [(x, y, z), (x, y, z + h), (x + w, y, z + r), (x + w, y, z)]),
    ]


def _box_sizes(w: float, d: float, h: float, names: tuple[str, str, str]) -> list[Size]:
    return [
        Size((0, 0, 0), (w, 0, 0), names[0], "below"),
        Size((w, 0, 0), (w, d, 0), names[1], "right"),
        Size((0, 0, 0), (0, 0, h), names[2], "left"),
    ]


def _slab(given: SizedItem) -> Drawing:
    one, other = given["thickness_m"], given.get("other_thickness_m", given["thickness_m"])
    (w, d, h, r), to_scale = _seen(given["length_m"], given["width_m"], one, other)
    sizes = _box_sizes(w, d, h, ("length_m", "width_m", "thickness_m"))
    if "other_thickness_m" in given.sizes:
        sizes.append(Size((w, d, 0), (w, d, r), "other_thickness_m", "right"))
    return DrawnSolid(_block(0, 0, 0, w, d, h, r), sizes), given.sizes, to_scale


def _cylinder(given: SizedItem) -> Drawing:
    return _round(given, "diameter_m", "diameter_m")


def _pier(given: SizedItem) -> Drawing:
    return _round(given, "bottom_diameter_m", "top_diameter_m")


def _round(given: SizedItem, bottom: str, top: str) -> Drawing:
    (low, high, h), to_scale = _seen(given[bottom], given[top], given["height_m"])

    def ring(diameter: float, z: float) -> list[Place]:
        angles = (2 * math.pi * index / 48 for index in range(48))
        return [(diameter / 2 * math.cos(a), diameter / 2 * math.sin(a) * 0.6, z) for a in angles]

    # The body is what the two rings span; near side only, as it is seen.
    base, lid = ring(low, 0), ring(high, h)
    body = [*base[24:], base[0], lid[0], *reversed(lid[24:])]
    sizes = [Size((-low / 2, -low * 0.3, 0), (low / 2, -low * 0.3, 0), bottom, "below")]
    if top != bottom:
        sizes.append(Size((-high / 2, high * 0.3, h), (high / 2, high * 0.3, h), top, "above"))
    sizes.append(Size((-max(low, high) / 2, 0, 0), (-max(low, high) / 2, 0, h), "height_m", "left"))
    return DrawnSolid([Face("face front", body), Face("face top", lid)], sizes), given.sizes, to_scale


def _post_hole(given: SizedItem) -> Drawing:
    """A cut through the ground: the filled hole, the post in it."""
    d, depth, post, e = (
        given[name] for name in ("hole_diameter_m", "hole_depth_m", "post_width_m", "embedment_m")
    )
    out = 0.35 * depth
    hole = [(-d / 2, 0, 0), (-d / 2, 0, -depth), (d / 2, 0, -depth), (d / 2, 0, 0)]
    upright = [(-post / 2, 0, out), (post / 2, 0, out), (post / 2, 0, -e), (-post / 2, 0, -e)]
    faces = [Face("face front", hole), Face("face post", upright)]
    for side in (-1, 1):
        faces.append(Face("ground", [(side * d / 2, 0, 0), (side * d * 1.2, 0, 0)], is_closed=False))
    sizes = [
        Size(hole[1], hole[2], "hole_diameter_m", "below"),
        Size(hole[1], hole[0], "hole_depth_m", "left"),
        Size((d / 2, 0, -e), (d / 2, 0, 0), "embedment_m", "right"),
        Size(upright[0], upright[1], "post_width_m", "above"),
    ]
    return DrawnSolid(faces, sizes), given.sizes, True


def _steps(given: SizedItem) -> Drawing:
    w, going, rise = given["width_m"], given["going_m"], given["rise_m"]
    count = round(given["steps"])
    faces = []
    for step in reversed(range(count)):
        faces += _block(0, step * going, 0, w, going, (step + 1) * rise)
    return DrawnSolid(faces, _box_sizes(w, going, rise, ("width_m", "going_m", "rise_m"))), given.sizes, True


def _wall_sides(given: SizedItem, area: str) -> tuple[float, float]:
    """Length and height of a wall; by its area it is drawn twice as long as high."""
    if "length_m" in given.sizes and "height_m" in given.sizes:
        return given["length_m"], given["height_m"]
    height = given.get("height_m", math.sqrt(given.get(area, 1.0) / 2))
    return given.get(area, 1.0) / height, height


def _wall_sizes(given: SizedItem, w: float, h: float, area: str) -> list[Size]:
    if area in given.sizes:
        return [Size((0, 0, 0), (w, 0, 0), area, "below")]
    return [Size((0, 0, 0), (w, 0, 0), "length_m", "below"), Size((0, 0, 0), (0, 0, h), "height_m", "left")]


def _opening(given: SizedItem, w: float, h: float) -> list[Face]:
    """Doors and windows as one opening of their size, in the wall's own shape."""
    area = given.get("openings_m2", 0.0)
    if area <= 0 or area >= w * h:
        return []
    share = math.sqrt(area / (w * h))
    x, z = w * (1 - share) / 2, h * (1 - share) / 2
    return [Face("opening", [(x, 0, z), (x, 0, h - z), (w - x, 0, h - z), (w - x, 0, z)])]


def _coats(given: SizedItem) -> Drawing:
    """The wall behind, and its coats where they are cut at the right, thicker than they are."""
    w, h = _wall_sides(given, "area_m2")
    coats = [float(coat) for coat in given.need["coats_mm"]]
    thick = 0.16 * max(w, h)
    depths = [thick * max(coat / math.fsum(coats), 0.2) for coat in coats]
    near = math.fsum(depths)
    faces = [face._replace(style="backing") for face in _block(0, near, 0, w, thick, h)]
    for depth in depths:
        near -= depth
        faces += _block(0, near, 0, w, depth, h)
    last = f"coats_mm.{len(coats) - 1}"
    sizes = [*_wall_sizes(given, w, h, "area_m2"), Size((w, 0, 0), (w, depths[-1], 0), last, "right")]
    return DrawnSolid(faces + _opening(given, w, h), sizes), {**given.sizes, last: coats[-1]}, False


def _masonry(given: SizedItem) -> Drawing:
    """Three courses of it, to scale: units with their joints."""
    length, height, joint = given["unit_length_mm"], given["unit_height_mm"], given["joint_mm"]
    deep = given.get("unit_width_mm", given.get("depth_mm", joint))
    w, h = 2.5 * length + 2 * joint, 3 * height + 4 * joint
    faces = _block(0, 0, 0, w, deep, h)
    for course in range(3):
        z = joint + course * (height + joint)
        x = -(length + joint) / 2 if course % 2 else 0.0
        while x < w:
            left, right = max(x, 0.0), min(x + length, w)
            if right > left:
                faces.append(
                    Face("unit", [(left, 0, z), (left, 0, z + height), (right, 0, z + height), (right, 0, z)])
                )
            x += length + joint
    top = 3 * joint + 3 * height
    sizes = [
        Size((0, 0, joint), (length, 0, joint), "unit_length_mm", "below"),
        Size((0, 0, joint), (0, 0, joint + height), "unit_height_mm", "left"),
        Size(
            (w, 0, 0),
            (w, deep, 0),
            "unit_width_mm" if "unit_width_mm" in given.sizes else "depth_mm",
            "right",
        ),
        Size((0, 0, top), (0, 0, top + joint), "joint_mm", "left"),
    ]
    return DrawnSolid(faces, sizes), given.sizes, True


def _floor(given: SizedItem) -> Drawing:
    """The rooms side by side."""
    rooms = [(float(room["length_m"]), float(room["width_m"])) for room in given.need["rooms"]]
    longest = max(max(room) for room in rooms)
    high = max(given["thickness_m"], longest * _LEAST)
    faces, sizes, shown, x = [], [], dict(given.sizes), 0.0
    for index, (length, width) in enumerate(rooms):
        faces += _block(x, 0, 0, length, width, high)
        sizes.append(Size((x, 0, 0), (x + length, 0, 0), f"{index}.length_m", "below"))
        shown |= {f"{index}.length_m": length, f"{index}.width_m": width}
        x += length + longest * 0.12 + width * BACK_X
    last = len(rooms) - 1
    end = x - longest * 0.12 - rooms[last][1] * BACK_X
    sizes.append(Size((end, 0, 0), (end, rooms[last][1], 0), f"{last}.width_m", "right"))
    sizes.append(Size((0, 0, 0), (0, 0, high), "thickness_m", "left"))
    return DrawnSolid(faces, sizes), shown, high == given["thickness_m"]


def _infill(given: SizedItem) -> Drawing:
    """The wall with its layers, its studs cut at the right end."""
    w, h = _wall_sides(given, "wall_area_m2")
    (_, thick), to_scale = _seen(max(w, h), given["thickness_mm"] / 1000)
    faces = _block(0, 0, 0, w, thick, h)
    layer = given.get("layer_mm", 50.0) / 1000
    # Drawn no closer than the eye can separate.
    every = max(layer, h / 14)
    for index in range(1, int(h / every) + 1):
        faces.append(Face("layer", [(0, 0, index * every), (w, 0, index * every)], is_closed=False))
    for index, stud in enumerate(given.need.get("studs", [])[:3]):
        deep = min(float(stud["depth_mm"]) / 1000, thick)
        near = thick * (index + 0.5) / 3 - deep / 2 if len(given.need["studs"]) > 1 else (thick - deep) / 2
        near = min(max(near, 0.0), thick - deep)
        faces.append(
            Face("face post", [(w, near, 0), (w, near, h), (w, near + deep, h), (w, near + deep, 0)])
        )
    sizes = [
        *_wall_sizes(given, w, h, "wall_area_m2"),
        Size((w, 0, 0), (w, thick, 0), "thickness_mm", "right"),
    ]
    return DrawnSolid(faces + _opening(given, w, h), sizes), given.sizes, to_scale


def _overlay(given: SizedItem) -> Drawing:
    side = math.sqrt(given["area_m2"])
    (w, d, h), to_scale = _seen(side * 1.3, side / 1.3, given["depth_mm"] / 1000)
    sizes = [Size((0, 0, 0), (w, 0, 0), "area_m2", "below"), Size((0, 0, 0), (0, 0, h), "depth_mm", "left")]
    return DrawnSolid(_block(0, 0, 0, w, d, h), sizes), given.sizes, to_scale


def _cloth(given: SizedItem) -> Drawing:
    """Strips side by side over a form, each on its neighbour, layer on layer; the plaster over the last."""
    length, width, layers = given["strip_length_m"], given["strip_width_m"], int(given["layers"])
    step = width * (1 - given.get("overlap_fraction", 0.25))
    thick = max(length, 4 * width) * 0.03
    faces: list[Face] = []
    for layer in range(min(layers, 6)):
        for strip in reversed(range(4)):
            x = strip * step
            near, low, top = layer * length * 0.06, layer * thick, (layer + 0.4) * thick
            corners = [(x, near, low), (x, length, low), (x + width, length, top), (x + width, near, top)]
            faces.append(Face("face cloth", corners))
    wide = 3 * step + width
    sizes = [
        Size((0, 0, 0), (width, 0, 0), "strip_width_m", "below"),
        Size((wide, 0, 0), (wide, length, 0), "strip_length_m", "right"),
    ]
    return DrawnSolid(faces, sizes), given.sizes, False


def _bags(given: SizedItem) -> Drawing:
    """Bags stacked five high, no more than the eye can count."""
    count = min(math.ceil(given["bags"]), 20)
    faces: list[Face] = []
    for pile in reversed(range((count + 4) // 5)):
        for level in range(min(5, count - pile * 5)):
            faces += _block(pile * 0.75, 0, level * 0.14, 0.65, 0.45, 0.12)
    return DrawnSolid(faces, [Size((0, 0, 0), (0.65, 0, 0), "bags", "below")]), given.sizes, True


def _cube(given: SizedItem) -> Drawing:
    edge = given["volume_m3"] ** (1 / 3)
    shown = {**given.sizes, "edge_m": edge}
    return (
        DrawnSolid(_block(0, 0, 0, edge, edge, edge), [Size((0, 0, 0), (edge, 0, 0), "edge_m")]),
        shown,
        True,
    )


# About what a mix weighs, kg/m3, to draw a weight by.
_DRAWN_KG_M3 = 2000.0


def _weight(given: SizedItem) -> Drawing:
    edge = (given["mass_kg"] / _DRAWN_KG_M3) ** (1 / 3)
    return (
        DrawnSolid(_block(0, 0, 0, edge, edge, edge), [Size((0, 0, 0), (edge, 0, 0), "mass_kg")]),
        given.sizes,
        True,
    )


def _on_hand(given: SizedItem) -> Drawing:
    """The bags of a material that are there, or a bucket of it with how much it is."""
    on_hand = given.need["on_hand"]
    if on_hand["by"] == "bags":
        return _bags(SizedItem(on_hand, {"bags": on_hand["bags"]}))
    bucket = {"bottom_diameter_m": 0.75, "top_diameter_m": 1.0, "height_m": 0.9}
    solid, _, _ = _round(SizedItem({}, bucket), "bottom_diameter_m", "top_diameter_m")
    name = {"weight": "mass_kg", "volume": "volume_l", "vessels": "vessels"}[on_hand["by"]]
    size = Size((-0.375, -0.225, 0), (0.375, -0.225, 0), name, "below")
    return DrawnSolid(solid.faces, [size]), {name: on_hand[name]}, True


_SOLIDS: Mapping[str, Callable[[SizedItem], Drawing]] = {
    "slab": _slab,
    "strip-footing": _slab,
    "pad-footing": _slab,
    "post-hole": _post_hole,
    "column": _cylinder,
    "pier": _pier,
    "steps": _steps,
    "coat": _coats,
    "masonry": _masonry,
    "pointing": _masonry,
    "floor": _floor,
    "infill": _infill,
    "mould": mould_section,
    "cloth": _cloth,
    "overlay": _overlay,
    "bags": _bags,
    "on-hand": _on_hand,
    "volume": _cube,
    "weight": _weight,
}


def _drawn(solid: DrawnSolid, shown: Mapping[str, float], to_scale: bool) -> Sketch:
    """The solid projected and fitted into the frame, its sizes beside it."""
    flat = [_flat(corner) for face in solid.faces for corner in face.corners]
    left, right = min(x for x, _ in flat), max(x for x, _ in flat)
    low, high = min(y for _, y in flat), max(y for _, y in flat)
    scale = min((WIDTH - _LEFT - _RIGHT) / (right - left), (HEIGHT - _TOP - _BOTTOM) / max(high - low, 1e-9))
    x0 = _LEFT + (WIDTH - _LEFT - _RIGHT - (right - left) * scale) / 2 - left * scale
    y0 = HEIGHT - _BOTTOM - (HEIGHT - _TOP - _BOTTOM - (high - low) * scale) / 2 + low * scale

    def at(place: Place) -> tuple[float, float]:
        x, y = _flat(place)
        return x0 + x * scale, y0 - y * scale

    faces = [
        (face.style, _path([at(corner) for corner in face.corners], face.is_closed)) for face in solid.faces
    ]
    return Sketch(faces, [_line(size, at(size.one), at(size.other)) for size in solid.sizes], shown, to_scale)


def _flat(place: Place) -> tuple[float, float]:
    x, y, z = place
    return x + y * BACK_X, z + y * BACK_Y


# For each side: how far the line stands off, and the text from its middle.
_SIDES = {
    "below": (0.0, _GAP, 0.0, 18.0, "middle"),
    "above": (0.0, -_GAP / 2, 0.0, -8.0, "middle"),
    "left": (-_GAP, 0.0, -9.0, 5.0, "end"),
    "right": (14.0, 5.0, 12.0, 12.0, "start"),
}


def _line(size: Size, one: tuple[float, float], other: tuple[float, float]) -> DimensionLine:
    off_x, off_y, text_x, text_y, anchor = _SIDES[size.side]
    (x1, y1), (x2, y2) = one, other
    middle_x, middle_y = (x1 + x2) / 2 + off_x, (y1 + y2) / 2 + off_y
    return DimensionLine(
        x1 + off_x,
        y1 + off_y,
        x2 + off_x,
        y2 + off_y,
        middle_x + text_x,
        middle_y + text_y,
        size.name,
        anchor,
    )


def _path(points: Sequence[tuple[float, float]], is_closed: bool) -> str:
    return "M" + " L".join(f"{x:.1f},{y:.1f}" for x, y in points) + (" Z" if is_closed else "")
