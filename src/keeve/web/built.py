"""What can be built: for each its words, the sizes it asks for, and how it stands in the job file."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from keeve.core.units import Kind
from keeve.web.entries import Entry, Field, Rows


@dataclass(frozen=True)
class Built:
    """One kind of thing that is built.

    Args:
        label: its words.
        stands: what the job file says of it whatever its sizes are.
        entries: the sizes that it asks for, by their names in the job file.
        rows: what it has several of.
        many: how many of it there are where it comes in numbers.
    """

    label: str
    stands: Mapping[str, str]
    entries: tuple[Entry, ...]
    rows: tuple[Rows, ...] = ()
    many: int = 1

    def tells(self, need: Mapping[str, Any]) -> bool:
        """Whether an item of a job file is of this kind."""
        if not self.stands:
            return "shape" not in need and self.entries[0].path[0] in need
        return all(
            need.get(name, "slab" if name == "box" else None) == value for name, value in self.stands.items()
        )


def _size(name: str, label: str, kind: Kind, default: float) -> Entry:
    return Entry(label, (name,), kind, default=default, needed=True)


def _other(name: str, label: str, kind: Kind) -> Entry:
    return Entry(label, (name,), kind)


def _face(area: str) -> tuple[Entry, ...]:
    """A wall by its two sides; a job file may give its area instead."""
    return (
        Entry("Length of the wall", ("length_m",), "length", default=5.0),
        Entry("Height of the wall", ("height_m",), "length", default=2.4),
        _other(area, "Or its area instead", "area"),
    )


_FALL = _other("other_thickness_m", "At the other end, where it falls", "thickness")
_BRICK = (
    _size("unit_length_mm", "A brick or block: length", "size", 215),
    _size("unit_height_mm", "Its height", "size", 65),
)

BUILT: Mapping[str, Built] = {
    "slab": Built(
        "Slab or bed",
        {"shape": "slab-volume", "box": "slab"},
        (
            _size("length_m", "Length", "length", 3.0),
            _size("width_m", "Width", "length", 2.0),
            _size("thickness_m", "Thickness", "thickness", 0.04),
            _FALL,
        ),
    ),
    "strip-footing": Built(
        "Strip footing",
        {"shape": "slab-volume", "box": "strip-footing"},
        (
            _size("length_m", "Length", "length", 8.0),
            _size("width_m", "Width", "length", 0.4),
            _size("thickness_m", "Depth", "thickness", 0.2),
        ),
    ),
    "pad-footing": Built(
        "Pad footing",
        {"shape": "slab-volume", "box": "pad-footing"},
        (
            _size("length_m", "Length", "length", 0.6),
            _size("width_m", "Width", "length", 0.6),
            _size("thickness_m", "Depth", "thickness", 0.3),
        ),
        many=4,
    ),
    "post-hole": Built(
        "Post holes",
        {"shape": "post-hole-volume"},
        (
            _size("hole_diameter_m", "Hole diameter", "thickness", 0.3),
            _size("hole_depth_m", "Hole depth", "length", 0.6),
            _size("post_width_m", "Post width", "thickness", 0.1),
            _size("post_thickness_m", "Post thickness", "thickness", 0.1),
            _size("embedment_m", "Post in the hole", "length", 0.5),
        ),
    ),
    "column": Built(
        "Round column",
        {"shape": "cylinder-volume"},
        (
            _size("diameter_m", "Diameter", "thickness", 0.3),
            _size("height_m", "Height", "length", 0.8),
        ),
    ),
    "pier": Built(
        "Round pier, narrowing",
        {"shape": "frustum-volume"},
        (
            _size("bottom_diameter_m", "Diameter at the bottom", "thickness", 0.4),
            _size("top_diameter_m", "Diameter at the top", "thickness", 0.3),
            _size("height_m", "Height", "length", 0.8),
        ),
    ),
    "steps": Built(
        "Steps on the ground",
        {"shape": "stairs-volume"},
        (
            _size("width_m", "Width", "length", 1.0),
            _size("going_m", "Depth of a step", "thickness", 0.28),
            _size("rise_m", "Height of a step", "thickness", 0.17),
            Entry("Steps", ("steps",), whole=True, default=3, needed=True),
        ),
    ),
    "coat": Built(
        "Wall to coat",
        {"shape": "coat-volume"},
        (
            *_face("area_m2"),
            _other("openings_m2", "Doors and windows", "area"),
            _other("uneven_mm", "The ground is uneven by", "size"),
        ),
        (
            Rows(
                "Coats",
                ("coats_mm",),
                "Coat",
                (Entry("Thickness", (), "size", default=10.0, needed=True),),
                most=6,
            ),
        ),
    ),
    "masonry": Built(
        "Brick or block wall",
        {"shape": "unit-masonry-mortar"},
        (
            *_face("wall_area_m2"),
            *_BRICK,
            _size("unit_width_mm", "Its width", "size", 102.5),
            _size("joint_mm", "Joint", "size", 10),
        ),
    ),
    "pointing": Built(
        "Joints to point",
        {"shape": "pointing-volume"},
        (
            *_face("wall_area_m2"),
            *_BRICK,
            _size("joint_mm", "Joint", "size", 10),
            _size("depth_mm", "Raked to a depth of", "size", 20),
        ),
    ),
    "floor": Built(
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
    "infill": Built(
        "Framed wall to fill",
        {"shape": "layered-wall-volume"},
        (
            *_face("wall_area_m2"),
            _size("thickness_mm", "Thickness", "size", 300),
            _other("openings_m2", "Doors and windows", "area"),
            _size("layer_mm", "Height of a layer", "size", 50),
        ),
        (
            Rows(
                "Studs inside it",
                ("studs",),
                "Studs",
                (
                    _size("width_mm", "Width", "size", 50),
                    _size("depth_mm", "Depth", "size", 100),
                    _size("length_m", "Length of all", "length", 12.0),
                ),
                least=0,
            ),
        ),
    ),
    "overlay": Built(
        "Area at a depth",
        {},
        (_size("area_m2", "Area", "area", 4.0), _size("depth_mm", "Depth", "size", 10)),
    ),
    "bags": Built("What these bags make", {}, (Entry("Bags", ("bags",), default=4, needed=True),)),
    "volume": Built("Plain volume", {}, (_size("volume_m3", "Volume", "order", 0.25),)),
}


def built_of(need: Mapping[str, Any]) -> str:
    """The kind that an item of a job file is."""
    return next(name for name, built in BUILT.items() if built.tells(need))


def sizes_of(built: str, index: int) -> list[Field]:
    """The sizes of an item of a job, besides what it has several of, as they stand on the form."""
    kind, here = BUILT[built], ("need", index)
    found: list[Field] = [entry.under(here) for entry in kind.entries]
    if "shape" in kind.stands:
        found.append(Entry("How many", ("count",), whole=True, default=kind.many).under(here))
    return found


def fields_of(built: str, index: int, values: Mapping[str, str]) -> list[Field]:
    """Every field of an item of a job, rows and all."""
    found = sizes_of(built, index)
    for rows in BUILT[built].rows:
        standing = rows.under(("need", index))
        found += [entry for number in range(standing.count(values)) for entry in standing.row(number)]
    return found
