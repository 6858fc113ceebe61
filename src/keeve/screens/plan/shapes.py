"""The shapes of a job: for each its words, the sizes it asks for, and what it is in the job file."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

from keeve.core.rules.gypsum import KG_PER_POUND
from keeve.core.units import Kind
from keeve.web.fields import Choice, Field, Number, Rows, UploadedMesh


@dataclass(frozen=True)
class ShapeFields:
    """A shape.

    Args:
        label: its label.
        fixed: what the job file has for it whatever its sizes are.
        fields: the sizes it asks for, by their names in the job file.
        rows: what it has several of.
        many: how many of it there are, where it comes in numbers.
        parts: what it has besides, each known in several ways, by its name in the job file.
        is_one: whether there is never more than one of it.
    """

    label: str
    fixed: Mapping[str, str]
    fields: tuple[Number, ...]
    rows: tuple[Rows, ...] = ()
    many: int = 1
    parts: Mapping[str, "ShapePart"] = field(default_factory=dict)
    is_one: bool = False

    def matches(self, need: Mapping[str, Any]) -> bool:
        """Whether an item of a job file is of this shape."""
        if self.parts:
            return set(self.parts) & set(need) != set()
        if not self.fixed:
            return "shape" not in need and self.fields[0].path[0] in need
        return all(
            need.get(name, "slab" if name == "box" else None) == value for name, value in self.fixed.items()
        )


@dataclass(frozen=True)
class Way:
    """A way to know a part: its words, the figures it asks for, and what it has several of."""

    label: str
    fields: tuple[Number | Choice | UploadedMesh, ...] = ()
    rows: tuple[Rows, ...] = ()


@dataclass(frozen=True)
class ShapePart:
    """A part of a shape that is known in one of several ways; the first is the empty form's."""

    label: str
    ways: Mapping[str, Way]

    def way(self, values: Mapping[str, str], here: str) -> Way:
        """The way that is chosen on a form."""
        first = next(iter(self.ways))
        return self.ways.get(values.get(f"{here}.by", first), self.ways[first])


def _size(name: str, label: str, kind: Kind, default: float, us: float | None = None) -> Number:
    return Number(label, (name,), kind, default=default, default_us=us, needed=True)


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
    # In the US the modular brick: 7 5/8 by 2 1/4 by 3 5/8 in, with joints of 3/8 in.
    _size("unit_length_mm", "Brick or block length", "size", 215, us=193.675),
    _size("unit_height_mm", "Brick or block height", "size", 65, us=57.15),
)

_SOLIDS = Rows(
    "Shapes",
    ("solids",),
    "Shape",
    (
        Choice(
            "Shape",
            ("solid",),
            {"box": "Box", "cylinder": "Cylinder", "frustum": "Tapered cylinder", "dome": "Dome"},
            needed=True,
        ),
        _size("length_m", "Length, or diameter at the bottom", "thickness", 0.2),
        _other("width_m", "Width, or diameter at the top", "thickness"),
        _size("height_m", "Height", "thickness", 0.1),
        Number("How many", ("count",), whole=True, default=1),
    ),
)
# A part that a job file leaves out.
NO_PART = "none"
_HOLDS = (_size("water_l", "Water it holds", "mixed_volume", 6.0),)
_PUSHES = (_size("water_l", "Water it pushes out", "mixed_volume", 2.0),)
_CAST = (
    _size("dry_kg", "Dry weight", "mass", 2.0),
    Number("Cast with: water per 100 plaster", ("water_per_100",), default=70.0, needed=True),
)
_MESH = (UploadedMesh("Mesh file", ("mesh",), needed=True),)
_CONTAINER = ShapePart(
    "What are you filling?",
    {
        "frame": Way(
            "A frame round a model",
            (
                _size("length_m", "Model length", "thickness", 0.3),
                _size("width_m", "Model width", "thickness", 0.3),
                _size("height_m", "Model height", "thickness", 0.06),
                _size("wall_m", "Plaster at the sides", "thickness", 0.03),
                _size("base_m", "Plaster on top", "thickness", 0.03),
            ),
        ),
        "solids": Way("A hollow, by its shape", rows=(_SOLIDS,)),
        "displacement": Way("A hollow, by water volume", _HOLDS),
        "cast": Way("A mould, from a dry cast", _CAST),
        "mesh": Way("A mesh file", _MESH),
    },
)
_MODEL = ShapePart(
    "Model inside",
    {
        "displacement": Way("By water pushed out", _PUSHES),
        "solids": Way("By its shape", rows=(_SOLIDS,)),
        "cast": Way("By a dry cast", _CAST),
        "mesh": Way("By a mesh file", _MESH),
        NO_PART: Way("No model"),
    },
)

_MATERIAL = Choice("Material", ("material",), {}, needed=True)
_ON_HAND = ShapePart(
    "How do you measure it?",
    {
        "bags": Way(
            "In bags",
            (
                _MATERIAL,
                Number("Bags", ("bags",), default=1, needed=True),
                _size("bag_kg", "Weight of a bag", "mass", 25.0, us=50 * KG_PER_POUND),
            ),
        ),
        "weight": Way("By weight", (_MATERIAL, _size("mass_kg", "Weight as it is", "mass", 25.0))),
        "volume": Way("By volume", (_MATERIAL, _size("volume_l", "Volume, loose", "mixed_volume", 10.0))),
        "vessels": Way(
            "In full buckets", (_MATERIAL, Number("Buckets", ("vessels",), default=1, needed=True))
        ),
    },
)

SHAPES: Mapping[str, ShapeFields] = {
    "slab": ShapeFields(
        "Slab or bed",
        {"shape": "slab-volume", "box": "slab"},
        (
            _size("length_m", "Length", "length", 3.0),
            _size("width_m", "Width", "length", 2.0),
            _size("thickness_m", "Thickness", "thickness", 0.04),
            _FALL,
        ),
    ),
    "strip-footing": ShapeFields(
        "Strip footing",
        {"shape": "slab-volume", "box": "strip-footing"},
        (
            _size("length_m", "Length", "length", 8.0),
            _size("width_m", "Width", "length", 0.4),
            _size("thickness_m", "Depth", "thickness", 0.2),
        ),
    ),
    "pad-footing": ShapeFields(
        "Pad footing",
        {"shape": "slab-volume", "box": "pad-footing"},
        (
            _size("length_m", "Length", "length", 0.6),
            _size("width_m", "Width", "length", 0.6),
            _size("thickness_m", "Depth", "thickness", 0.3),
        ),
        many=4,
    ),
    "post-hole": ShapeFields(
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
    "column": ShapeFields(
        "Round column",
        {"shape": "cylinder-volume"},
        (
            _size("diameter_m", "Diameter", "thickness", 0.3),
            _size("height_m", "Height", "length", 0.8),
        ),
    ),
    "pier": ShapeFields(
        "Tapered round pier",
        {"shape": "frustum-volume"},
        (
            _size("bottom_diameter_m", "Bottom diameter", "thickness", 0.4),
            _size("top_diameter_m", "Top diameter", "thickness", 0.3),
            _size("height_m", "Height", "length", 0.8),
        ),
    ),
    "steps": ShapeFields(
        "Steps on the ground",
        {"shape": "stairs-volume"},
        (
            _size("width_m", "Width", "length", 1.0),
            _size("going_m", "Tread", "thickness", 0.28),
            _size("rise_m", "Riser", "thickness", 0.17),
            Number("Number of steps", ("steps",), whole=True, default=3, needed=True),
        ),
    ),
    "coat": ShapeFields(
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
    "masonry": ShapeFields(
        "Brick or block wall",
        {"shape": "unit-masonry-mortar"},
        (
            *_face("wall_area_m2"),
            *_BRICK,
            _size("unit_width_mm", "Brick or block width", "size", 102.5, us=92.075),
            _size("joint_mm", "Joint", "size", 10, us=9.525),
        ),
    ),
    "pointing": ShapeFields(
        "Joints to point",
        {"shape": "pointing-volume"},
        (
            *_face("wall_area_m2"),
            *_BRICK,
            _size("joint_mm", "Joint", "size", 10, us=9.525),
            _size("depth_mm", "Raked depth", "size", 20),
        ),
    ),
    "floor": ShapeFields(
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
    "infill": ShapeFields(
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
                    _size("length_m", "Total length", "length", 12.0),
                ),
                least=0,
            ),
        ),
    ),
    "mould": ShapeFields(
        "Mould or cast",
        {},
        (),
        (
            Rows(
                "Pieces, in the order you pour them",
                ("pieces",),
                "Piece",
                (Number("Share of the mould", (), default=1.0, needed=True),),
            ),
        ),
        parts={"container": _CONTAINER, "model": _MODEL},
    ),
    "cloth": ShapeFields(
        "Cloth over an armature",
        {"shape": "cloth-plaster"},
        (
            _size("area_m2", "Area to cover", "area", 0.5),
            Number("Layers of cloth", ("layers",), whole=True, default=3, needed=True),
            _size("strip_length_m", "Strip length", "thickness", 0.6),
            _size("strip_width_m", "Strip width", "thickness", 0.15),
            Number("Plaster it takes up, L per m²", ("take_up_l_m2",), default=1.2, needed=True),
            Number("Overlap", ("overlap_fraction",), percent=True, default=0.25, needed=True),
            _size("coat_mm", "Trowelled on top", "size", 8),
        ),
    ),
    "overlay": ShapeFields(
        "Area × thickness",
        {},
        (_size("area_m2", "Area", "area", 4.0), _size("depth_mm", "Thickness", "size", 10)),
    ),
    "on-hand": ShapeFields("What I have on hand", {}, (), parts={"on_hand": _ON_HAND}, is_one=True),
    "bags": ShapeFields("I have this many bags", {}, (Number("Bags", ("bags",), default=4, needed=True),)),
    "weight": ShapeFields("Weight, mixed", {}, (_size("mass_kg", "Weight with its water", "mass", 10.0),)),
    "volume": ShapeFields("Volume", {}, (_size("volume_m3", "Volume", "volume", 0.25),)),
}


# Where one looks for a shape.
SHAPE_GROUPS: Mapping[str, tuple[str, ...]] = {
    "Slabs and floors": ("slab", "floor", "overlay"),
    "Footings, posts, steps": ("strip-footing", "pad-footing", "post-hole", "column", "pier", "steps"),
    "Walls": ("coat", "masonry", "pointing", "infill"),
    "Moulds and casts": ("mould", "cloth"),
    "By amount": ("volume", "weight", "on-hand", "bags"),
}


def shape_of(need: Mapping[str, Any]) -> str:
    """The shape of an item of a job file, by name."""
    return next(name for name, shape in SHAPES.items() if shape.matches(need))


class Asked(NamedTuple):
    """Fields of an item that belong together, and rows below them."""

    fields: list[Field]
    rows: list[Rows]


# The sizes that are a layer of the mix, by shape, and how many mm are one of them.
_LAYERS: Mapping[str, Mapping[str, float]] = {
    "slab": {"thickness_m": 1000},
    "floor": {"thickness_m": 1000},
    "overlay": {"depth_mm": 1},
    "coat": {"coats_mm": 1},
}
# Thicknesses as they are asked for, mm.
_ROUND_MM = (2, 3, 5, 6, 10, 15, 20, 30, 40, 50, 75, 100, 150, 200, 300)
# A span is worked in nearer to its least than to its greatest: up to so many times that.
_WORKED_IN = 4


def usual_mm(span_mm: tuple[float, float] | None, shown_mm: float) -> float:
    """A thickness for the empty form: the shape's own where the mix allows it, else a round one it is worked in."""
    if span_mm is None or span_mm[0] <= shown_mm <= span_mm[1]:
        return shown_mm
    least, greatest = span_mm
    middle = math.sqrt(least * min(greatest, _WORKED_IN * least))
    inside = [size for size in _ROUND_MM if least <= size <= greatest]
    # Of two as near the thicker one.
    return min(inside, key=lambda size: (round(abs(math.log(size / middle)), 1), -size), default=middle)


def _as_thick(shape: str, item: Number, span_mm: tuple[float, float] | None, name: str = "") -> Number:
    one_mm = _LAYERS.get(shape, {}).get(name or str(item.path[-1]))
    if one_mm is None or item.default is None:
        return item
    return replace(item, default=usual_mm(span_mm, item.default * one_mm) / one_mm)


def asked_of(
    shape: str,
    index: int,
    values: Mapping[str, str],
    span_mm: tuple[float, float] | None = None,
    materials: Sequence[str] = (),
) -> list[Asked]:
    """The questions of an item of a job: each of its parts by the way it is known, then its own sizes and rows.

    Args:
        shape: its shape.
        index: its number.
        values: what the form has.
        span_mm: the thickness its mix is laid in; the empty form shows one inside.
        materials: those of its mix, and water.
    """
    of_the_mix = {name: name.capitalize() for name in materials}
    known, here = SHAPES[shape], ("need", index)
    found = []
    for name, part in known.parts.items():
        ways = {key: way.label for key, way in part.ways.items()}
        chosen = part.way(values, f"need.{index}.{name}")
        found.append(Asked([Choice(part.label, (*here, name, "by"), ways, needed=True, redraws=True)], []))
        found.append(
            Asked(
                [
                    (replace(field, options=of_the_mix) if field is _MATERIAL else field).under((*here, name))
                    for field in chosen.fields
                ],
                [rows.under((*here, name)) for rows in chosen.rows],
            )
        )
    own: list[Field] = [_as_thick(shape, item, span_mm).under(here) for item in known.fields]
    if ("shape" in known.fixed or known.parts) and not known.is_one:
        own.append(Number("How many", ("count",), whole=True, default=known.many).under(here))
    return [*found, Asked(own, [_rows_as_thick(shape, rows, span_mm).under(here) for rows in known.rows])]


def _rows_as_thick(shape: str, rows: Rows, span_mm: tuple[float, float] | None) -> Rows:
    fields = (
        _as_thick(shape, item, span_mm, str(rows.path[-1]))
        if isinstance(item, Number) and not item.path
        else item
        for item in rows.fields
    )
    return replace(rows, fields=tuple(fields))
