"""A small picture of every shape, to choose one by: its sketch without sizes, in sides that show what it is."""

from collections.abc import Mapping
from functools import cache
from typing import Any

from keeve.drawing.sketch import sketch

_WALL = {"length_m": 3.0, "height_m": 2.0}
_BRICK = {"unit_length_mm": 215, "unit_height_mm": 65, "joint_mm": 14}
_SIDES: Mapping[str, Mapping[str, Any]] = {
    "slab": {"length_m": 3.0, "width_m": 2.4, "thickness_m": 0.45},
    "floor": {
        "rooms": [{"length_m": 2.2, "width_m": 2.0}, {"length_m": 1.6, "width_m": 2.0}],
        "thickness_m": 0.25,
    },
    "overlay": {"area_m2": 6.0, "depth_mm": 90},
    "strip-footing": {"length_m": 3.2, "width_m": 0.8, "thickness_m": 0.7},
    "pad-footing": {"length_m": 1.2, "width_m": 1.2, "thickness_m": 0.7},
    "post-hole": {
        "hole_diameter_m": 0.5, "hole_depth_m": 0.7, "embedment_m": 0.55,
        "post_width_m": 0.16, "post_thickness_m": 0.16,
    },
    "column": {"diameter_m": 0.6, "height_m": 1.2},
    "pier": {"bottom_diameter_m": 0.9, "top_diameter_m": 0.5, "height_m": 1.1},
    "steps": {"width_m": 1.1, "going_m": 0.5, "rise_m": 0.24, "steps": 3},
    "coat": {**_WALL, "coats_mm": [12.0, 8.0]},
    "masonry": {**_WALL, **_BRICK, "unit_width_mm": 130},
    "pointing": {**_WALL, **_BRICK, "joint_mm": 24, "depth_mm": 60},
    "infill": {
        **_WALL, "thickness_mm": 500, "layer_mm": 200, "studs": [{"width_mm": 60, "depth_mm": 160, "length_m": 2}],
    },
    "mould": {
        "container_m3": 0.0288, "model_m3": 0.0108,
        "container": {"by": "frame", "length_m": 0.3, "width_m": 0.3, "height_m": 0.12, "wall_m": 0.05, "base_m": 0.06},
    },
    "cloth": {"strip_length_m": 0.6, "strip_width_m": 0.18, "layers": 2, "overlap_fraction": 0.25},
    "on-hand": {"on_hand": {"by": "vessels", "vessels": 1.0}},
    "volume": {"volume_m3": 1.0},
    "weight": {"mass_kg": 40.0},
    "bags": {"bags": 7},
}  # fmt: skip


@cache
def shape_picture(shape: str) -> tuple[tuple[str, str], ...]:
    """The faces of a shape back to front as (class, SVG path), in the frame of a sketch."""
    return tuple(sketch(shape, _SIDES[shape]).faces)
