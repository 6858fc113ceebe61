"""Shapes that are built up: flights, coats, masonry, joints, infilled walls."""

from math import fsum
from typing import Annotated

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.geometry import Volume
from keeve.core.rules.registry import GEOMETRY, Amount, Dimension, Example, Strict, rule
from keeve.core.tolerances import whole_up


@rule(
    "stairs-volume",
    formula="V = w · g · r · n · (n + 1) / 2",
    math=r"V = \text{width} \cdot \text{going} \cdot \text{rise} \cdot \frac{n (n + 1)}{2}",
    sources=[GEOMETRY],
    example=Example(
        given={"width_m": 1, "going_m": 0.3, "rise_m": 0.2, "steps": 3},
        gives={"volume_m3": 0.36},
        origin="by hand: columns of 1, 2 and 3 rises, 6 · 0.06",
    ),
)
def stairs_volume(
    width_m: Dimension, going_m: Dimension, rise_m: Dimension, steps: Annotated[int, Field(ge=1, le=200)]
) -> Volume:
    """The volume of a solid flight of steps on the ground.

    Args:
        width_m: width of the flight, m.
        going_m: depth of one step, m.
        rise_m: height of one step, m.
        steps: how many steps.

    Returns:
        volume_m3, m3.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    return Volume(volume_m3=width_m * going_m * rise_m * steps * (steps + 1) / 2)


class CoatVolume(Volume):
    """The area that is coated (m2) and the volume of all coats (m3)."""

    net_area_m2: float


@rule(
    "coat-volume",
    formula="V = (A − O) · (Σ coats + uneven)",
    math=r"V = (A - \text{openings}) \left( \sum \text{coats} + \text{uneven} \right)",
    sources=[GEOMETRY],
    example=Example(
        given={"area_m2": 20, "openings_m2": 4, "coats_mm": [10, 6], "uneven_mm": 4},
        gives={"net_area_m2": 16.0, "volume_m3": 0.32},
        origin="by hand: 16 m2 at 20 mm",
    ),
)
def coat_volume(
    coats_mm: Annotated[list[Dimension], Field(min_length=1, max_length=20)],
    area_m2: Dimension | None = None,
    length_m: Dimension | None = None,
    height_m: Dimension | None = None,
    openings_m2: Amount = 0.0,
    uneven_mm: Amount = 0.0,
) -> CoatVolume:
    """The volume of coats on a wall.

    Args:
        coats_mm: thickness of each coat, mm.
        area_m2: wall area with its openings, m2. Or enter length and height.
        length_m: length of the wall, m.
        height_m: height of the wall, m.
        openings_m2: area of doors and windows, m2.
        uneven_mm: extra thickness for an uneven wall, mm on average.

    Returns:
        net_area_m2 (m2) and volume_m3 (m3).

    Raises:
        InputError: the wall is given in both ways or in none, or the openings are as large as it.
    """
    net_m2 = _net_area(_face_m2("area_m2", area_m2, length_m, height_m), openings_m2, "area_m2")
    return CoatVolume(net_area_m2=net_m2, volume_m3=net_m2 * (fsum(coats_mm) + uneven_mm) / 1000)


def _face_m2(field: str, area_m2: float | None, length_m: float | None, height_m: float | None) -> float:
    """The face of a wall, by its area or by its two sides."""
    if area_m2 is None and length_m and height_m:
        return length_m * height_m
    if area_m2 is None or length_m is not None:
        raise InputError(
            "one_face", f"Enter either {field}, or length_m and height_m.", [field, "length_m", "height_m"]
        )
    return area_m2


def _net_area(area_m2: float, openings_m2: float, field: str) -> float:
    if openings_m2 >= area_m2:
        raise InputError(
            "no_wall_left",
            f"openings_m2 is not less than {field}, so no wall is left. Correct one of them.",
            ["openings_m2", field],
        )
    return area_m2 - openings_m2


class MasonryMortar(Volume):
    """How many units (unrounded) and the volume of mortar round them (m3)."""

    units: float


@rule(
    "unit-masonry-mortar",
    formula="n = A / ((L + j)(H + j));  V = A · W − n · L · H · W",
    math=r"n = \frac{A}{(L + j)(H + j)} \qquad V = A W - n L H W",
    sources=[GEOMETRY],
    example=Example(
        given={
            "wall_area_m2": 10,
            "unit_length_mm": 190,
            "unit_height_mm": 90,
            "unit_width_mm": 100,
            "joint_mm": 10,
        },
        gives={"units": 500.0, "volume_m3": 0.145},
        origin="by hand: 0.2 · 0.1 m a unit, 50 a m2; 1.0 m3 of wall less 500 · 1.71 L",
    ),
)
def unit_masonry_mortar(
    unit_length_mm: Dimension,
    unit_height_mm: Dimension,
    unit_width_mm: Dimension,
    joint_mm: Dimension,
    wall_area_m2: Dimension | None = None,
    length_m: Dimension | None = None,
    height_m: Dimension | None = None,
) -> MasonryMortar:
    """Mortar for a single leaf of bricks or blocks without frogs.

    Args:
        unit_length_mm: length of a unit, mm.
        unit_height_mm: height of a unit, mm.
        unit_width_mm: width of a unit, which is that of the wall, mm.
        joint_mm: thickness of bed and perpend, mm.
        wall_area_m2: face of the wall, m2. Or enter length and height.
        length_m: length of the wall, m.
        height_m: height of the wall, m.

    Returns:
        units (unrounded) and volume_m3 (m3).

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    face_m2 = _face_m2("wall_area_m2", wall_area_m2, length_m, height_m)
    units = face_m2 / ((unit_length_mm + joint_mm) * (unit_height_mm + joint_mm)) * 1e6
    solid_m3 = units * unit_length_mm * unit_height_mm * unit_width_mm / 1e9
    return MasonryMortar(units=units, volume_m3=face_m2 * unit_width_mm / 1000 - solid_m3)


class Pointing(Volume):
    """The length of all joints of the wall (m) and the volume that fills them (m3)."""

    joint_length_m: float


@rule(
    "pointing-volume",
    formula="length = A · (1 / (H + j) + H / ((L + j)(H + j)));  V = length · j · depth",
    math=(
        r"\text{length} = A \left( \frac{1}{H + j} + \frac{H}{(L + j)(H + j)} \right) "
        r"\qquad V = \text{length} \cdot j \cdot \text{depth}"
    ),
    sources=[GEOMETRY],
    example=Example(
        given={
            "wall_area_m2": 10,
            "unit_length_mm": 190,
            "unit_height_mm": 90,
            "joint_mm": 10,
            "depth_mm": 20,
        },
        gives={"joint_length_m": 145.0, "volume_m3": 0.029},
        origin="by hand: 100 m of beds and 45 m of perpends, at 10 by 20 mm",
    ),
)
def pointing_volume(
    unit_length_mm: Dimension,
    unit_height_mm: Dimension,
    joint_mm: Dimension,
    depth_mm: Dimension,
    wall_area_m2: Dimension | None = None,
    length_m: Dimension | None = None,
    height_m: Dimension | None = None,
) -> Pointing:
    """Mortar for the raked joints of a wall.

    Args:
        unit_length_mm: length of a unit, mm.
        unit_height_mm: height of a unit, mm.
        joint_mm: thickness of the joints, mm.
        depth_mm: how deep they are raked, mm.
        wall_area_m2: face of the wall, m2. Or enter length and height.
        length_m: length of the wall, m.
        height_m: height of the wall, m.

    Returns:
        joint_length_m (m, whole wall) and volume_m3 (m3).

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    course_m, unit_m = (unit_height_mm + joint_mm) / 1000, (unit_length_mm + joint_mm) / 1000
    face_m2 = _face_m2("wall_area_m2", wall_area_m2, length_m, height_m)
    joints_m = face_m2 * (1 / course_m + unit_height_mm / 1000 / (unit_m * course_m))
    return Pointing(joint_length_m=joints_m, volume_m3=joints_m * joint_mm * depth_mm / 1e6)


class Stud(Strict):
    """Studs of one section inside an infilled wall: width and depth in mm, length of all of them in m."""

    width_mm: Dimension
    depth_mm: Dimension
    length_m: Dimension


class LayeredWall(Volume):
    """The volume of the infill (m3) and its layers; null without a height."""

    layers: int | None


@rule(
    "layered-wall-volume",
    formula="V = (A − O) · t − Σ w · d · l;  layers = ⌈height / layer⌉",
    math=(
        r"V = (A - \text{openings}) \, t - \sum w \, d \, l "
        r"\qquad \text{layers} = \left\lceil \frac{\text{height}}{\text{layer}} \right\rceil"
    ),
    sources=[GEOMETRY],
    example=Example(
        given={
            "wall_area_m2": 10,
            "openings_m2": 2,
            "thickness_mm": 300,
            "studs": [{"width_mm": 50, "depth_mm": 100, "length_m": 20}],
            "height_m": 2.4,
        },
        gives={"volume_m3": 2.3, "layers": 48},
        origin="by hand: 8 · 0.3 less 0.1; 2400 / 50",
    ),
)
def layered_wall_volume(
    thickness_mm: Dimension,
    studs: Annotated[list[Stud], Field(max_length=50)],
    wall_area_m2: Dimension | None = None,
    length_m: Dimension | None = None,
    openings_m2: Amount = 0.0,
    height_m: Dimension | None = None,
    layer_mm: Dimension = 50.0,
) -> LayeredWall:
    """Infill for a framed wall, placed in layers, such as hemp-lime.

    Args:
        thickness_mm: thickness, mm.
        studs: width and depth, mm, and total length, m.
        wall_area_m2: wall area with its openings, m2; or its length, with height_m.
        length_m: length of the wall, m.
        openings_m2: area of doors and windows, m2.
        height_m: for counting layers, m.
        layer_mm: height of one layer, mm.

    Returns:
        volume_m3 (m3) and layers.

    Raises:
        InputError: a stud is deeper than the infill, or openings and studs leave nothing.
    """
    for index, stud in enumerate(studs):
        if stud.depth_mm > thickness_mm:
            raise InputError(
                "stud_too_deep",
                f"studs.{index}.depth_mm is more than thickness_mm. The stud would be deeper than the wall.",
                [f"studs.{index}.depth_mm", "thickness_mm"],
            )
    face_m2 = _face_m2("wall_area_m2", wall_area_m2, length_m, height_m)
    net_m2 = _net_area(face_m2, openings_m2, "wall_area_m2")
    timber_m3 = fsum(stud.width_mm * stud.depth_mm * stud.length_m / 1e6 for stud in studs)
    volume_m3 = net_m2 * thickness_mm / 1000 - timber_m3
    if volume_m3 <= 0:
        raise InputError("all_timber", "studs fill the whole wall. Check their sizes and lengths.", ["studs"])
    layers = None if height_m is None else whole_up(height_m * 1000 / layer_mm)
    return LayeredWall(volume_m3=volume_m3, layers=layers)
