"""The shapes of a job: for each its words, the sizes it asks for, and what it is in the job file."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from keeve.core.units import Kind
from keeve.web.forms.fields import Field, Number, Rows


@dataclass(frozen=True)
class Shape:
    """A shape.

    Args:
        label: its label.
        fixed: what the job file has for it whatever its sizes are.
        fields: the sizes it asks for, by their names in the job file.
        rows: what it has several of.
        many: how many of it there are, where it comes in numbers.
    """

    label: str
    fixed: Mapping[str, str]
    fields: tuple[Number, ...]
    rows: tuple[Rows, ...] = ()
    many: int = 1

    def matches(self, need: Mapping[str, Any]) -> bool:
        """Whether an item of a job file is of this shape."""
        if not self.fixed:
            return "shape" not in need and self.fields[0].path[0] in need
        return all(
            need.get(name, "slab" if name == "box" else None) == value for name, value in self.fixed.items()
        )


def _size(name: str, label: str, kind: Kind, default: float) -> Number:
    return Number(label, (name,), kind, default=default, needed=True)


def _other(name: str, label: str, kind: Kind) -> Number:
    return Number(label, (name,), kind)


def _face(area: str) -> tuple[Number, ...]:
    """A wall by its two sides; or by its area instead."""
    return (
        Number("Wall length", ("length_m",), "length", default=5.0),
        Number("Wall height", ("height_m",), "length", default=2.4),
        _other(area, "Or wall area", "area"),
    )


_FALL = _other("other_thickness_m", "Thickness at the far end (if sloped)", "thickness")
_BRICK = (
    _size("unit_length_mm", "Brick or block length", "size", 215),
    _size("unit_height_mm", "Brick or block height", "size", 65),
)

SHAPES: Mapping[str, Shape] = {
    "slab": Shape(
        "Slab or bed",
        {"shape": "slab-volume", "box": "slab"},
        (
            _size("length_m", "Length", "length", 3.0),
            _size("width_m", "Width", "length", 2.0),
            _size("thickness_m", "Thickness", "thickness", 0.04),
            _FALL,
        ),
    ),
    "strip-footing": Shape(
        "Strip footing",
        {"shape": "slab-volume", "box": "strip-footing"},
        (
            _size("length_m", "Length", "length", 8.0),
            _size("width_m", "Width", "length", 0.4),
            _size("thickness_m", "Depth", "thickness", 0.2),
        ),
    ),
    "pad-footing": Shape(
        "Pad footing",
        {"shape": "slab-volume", "box": "pad-footing"},
        (
            _size("length_m", "Length", "length", 0.6),
            _size("width_m", "Width", "length", 0.6),
            _size("thickness_m", "Depth", "thickness", 0.3),
        ),
        many=4,
    ),
    "post-hole": Shape(
        "Post holes",
        {"shape": "post-hole-volume"},
        (
            _size("hole_diameter_m", "Hole diameter", "thickness", 0.3),
            _size("hole_depth_m", "Hole depth", "length", 0.6),
            _size("post_width_m", "Post width", "thickness", 0.1),
            _size("post_thickness_m", "Post thickness", "thickness", 0.1),
            _size("embedment_m", "Depth of post in the hole", "length", 0.5),
        ),
    ),
    "column": Shape(
        "Round column",
        {"shape": "cylinder-volume"},
        (
            _size("diameter_m", "Diameter", "thickness", 0.3),
            _size("height_m", "Height", "length", 0.8),
        ),
    ),
    "pier": Shape(
        "Tapered round pier",
        {"shape": "frustum-volume"},
        (
            _size("bottom_diameter_m", "Bottom diameter", "thickness", 0.4),
            _size("top_diameter_m", "Top diameter", "thickness", 0.3),
            _size("height_m", "Height", "length", 0.8),
        ),
    ),
    "steps": Shape(
        "Steps on the ground",
        {"shape": "stairs-volume"},
        (
            _size("width_m", "Width", "length", 1.0),
            _size("going_m", "Tread", "thickness", 0.28),
            _size("rise_m", "Riser", "thickness", 0.17),
            Number("Number of steps", ("steps",), whole=True, default=3, needed=True),
        ),
    ),
    "coat": Shape(
        "Wall to coat",
        {"shape": "coat-volume"},
        (
            *_face("area_m2"),
            _other("openings_m2", "Doors and windows", "area"),
            _other("uneven_mm", "Unevenness of the wall", "size"),
        ),
        (
            Rows(
                "Coats",
                ("coats_mm",),
                "Coat",
                (Number("Thickness", (), "size", default=10.0, needed=True),),
                most=6,
            ),
        ),
    ),
    "masonry": Shape(
        "Brick or block wall",
        {"shape": "unit-masonry-mortar"},
        (
            *_face("wall_area_m2"),
            *_BRICK,
            _size("unit_width_mm", "Brick or block width", "size", 102.5),
            _size("joint_mm", "Joint", "size", 10),
        ),
    ),
    "pointing": Shape(
        "Joints to point",
        {"shape": "pointing-volume"},
        (
            *_face("wall_area_m2"),
            *_BRICK,
            _size("joint_mm", "Joint", "size", 10),
            _size("depth_mm", "Raked depth", "size", 20),
        ),
    ),
    "floor": Shape(
        "Floor by rooms",
        {"shape": "floor-volume"},
        (_size("thickness_m", "Thickness", "thickness", 0.075), _FALL),
        (
            Rows(
                "Rooms",
                ("rooms",),
                "Room",
                (_size("length_m", "Length", "length", 4.0), _size("width_m", "Width", "length", 3.0)),
            ),
        ),
    ),
    "infill": Shape(
        "Stud wall infill",
        {"shape": "layered-wall-volume"},
        (
            *_face("wall_area_m2"),
            _size("thickness_mm", "Thickness", "size", 300),
            _other("openings_m2", "Doors and windows", "area"),
            _size("layer_mm", "Layer height", "size", 50),
        ),
        (
            Rows(
                "Studs",
                ("studs",),
                "Studs",
                (
                    _size("width_mm", "Width", "size", 50),
                    _size("depth_mm", "Depth", "size", 100),
                    _size("length_m", "Length of all of them", "length", 12.0),
                ),
                least=0,
            ),
        ),
    ),
    "overlay": Shape(
        "Area × thickness",
        {},
        (_size("area_m2", "Area", "area", 4.0), _size("depth_mm", "Thickness", "size", 10)),
    ),
    "bags": Shape("I have this many bags", {}, (Number("Bags", ("bags",), default=4, needed=True),)),
    "volume": Shape("Volume", {}, (_size("volume_m3", "Volume", "volume", 0.25),)),
}


def shape_of(need: Mapping[str, Any]) -> str:
    """The shape of an item of a job file, by name."""
    return next(name for name, shape in SHAPES.items() if shape.matches(need))


def sizes_of(shape: str, index: int) -> list[Field]:
    """The sizes of an item of a job, without its rows."""
    known, here = SHAPES[shape], ("need", index)
    found: list[Field] = [field.under(here) for field in known.fields]
    if "shape" in known.fixed:
        found.append(Number("How many", ("count",), whole=True, default=known.many).under(here))
    return found


def rows_of(shape: str, index: int) -> list[Rows]:
    """The rows of an item of a job."""
    return [rows.under(("need", index)) for rows in SHAPES[shape].rows]
