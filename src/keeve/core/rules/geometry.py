"""What is to be filled: shapes and the volume to order."""

import math
from typing import Annotated

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import GEOMETRY, PRACTICE, Amount, Dimension, Example, Result, Strict, rule


class Volume(Result):
    """A volume in m3."""

    volume_m3: float


class OrderVolume(Result):
    """The volume to order in m3, waste included."""

    order_m3: float


@rule(
    "slab-volume",
    formula="V = l · w · t, t the mean of its ends where it falls",
    math=r"V = \text{length} \cdot \text{width} \cdot \text{thickness}",
    sources=[GEOMETRY],
    example=Example(
        given={"length_m": 3, "width_m": 2, "thickness_m": 0.1}, gives={"volume_m3": 0.6}, origin="by hand"
    ),
)
def slab_volume(
    length_m: Dimension,
    width_m: Dimension,
    thickness_m: Dimension,
    other_thickness_m: Dimension | None = None,
) -> Volume:
    """The volume of a rectangular slab, bed or footing.

    Args:
        length_m: length, m.
        width_m: width, m.
        thickness_m: if sloped, the average or one end, m.
        other_thickness_m: the other end of an even slope, m.

    Returns:
        volume_m3, m3.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    return Volume(volume_m3=length_m * width_m * _mean_thickness(thickness_m, other_thickness_m))


def _mean_thickness(one_m: float, other_m: float | None) -> float:
    return one_m if other_m is None else (one_m + other_m) / 2


class Room(Strict):
    """A room by its sides, m."""

    length_m: Dimension
    width_m: Dimension


class FloorVolume(Volume):
    """The area of all rooms (m2) and the volume of their floor (m3)."""

    area_m2: float


@rule(
    "floor-volume",
    formula="V = Σ (l · w) · t, t the mean of its ends where it falls",
    math=r"V = \sum \left( \text{length} \cdot \text{width} \right) \text{thickness}",
    sources=[GEOMETRY],
    example=Example(
        given={
            "rooms": [{"length_m": 4, "width_m": 3}, {"length_m": 2.5, "width_m": 2}],
            "thickness_m": 0.07,
            "other_thickness_m": 0.05,
        },
        gives={"area_m2": 17.0, "volume_m3": 1.02},
        origin="by hand: 17 m2 at 60 mm",
    ),
)
def floor_volume(
    rooms: Annotated[list[Room], Field(min_length=1, max_length=40)],
    thickness_m: Dimension,
    other_thickness_m: Dimension | None = None,
) -> FloorVolume:
    """The volume of a floor laid in several rooms.

    Args:
        rooms: length and width of each, m.
        thickness_m: if sloped, the average or one end, m.
        other_thickness_m: the other end of an even slope, m.

    Returns:
        area_m2 (m2, all rooms) and volume_m3 (m3).

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    area_m2 = math.fsum(room.length_m * room.width_m for room in rooms)
    return FloorVolume(area_m2=area_m2, volume_m3=area_m2 * _mean_thickness(thickness_m, other_thickness_m))


@rule(
    "cylinder-volume",
    formula="V = π d² / 4 · h",
    math=r"V = \frac{\pi d^{2}}{4} \, h",
    sources=[GEOMETRY],
    example=Example(
        given={"diameter_m": 0.3, "height_m": 0.8},
        gives={"volume_m3": 0.0565486677646163},
        origin="by hand: 0.018 π",
    ),
)
def cylinder_volume(diameter_m: Dimension, height_m: Dimension) -> Volume:
    """The volume of an upright cylinder, such as a round column or pier.

    Args:
        diameter_m: diameter, m.
        height_m: height, m.

    Returns:
        volume_m3, m3.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    return Volume(volume_m3=math.pi * diameter_m**2 / 4 * height_m)


@rule(
    "frustum-volume",
    formula="V = π h / 12 · (D² + D d + d²)",
    math=r"V = \frac{\pi h}{12} \left( D^{2} + D d + d^{2} \right)",
    sources=[GEOMETRY],
    example=Example(
        given={"bottom_diameter_m": 0.4, "top_diameter_m": 0.2, "height_m": 0.3},
        gives={"volume_m3": 0.0219911485751285},
        origin="by hand: 0.007 π",
    ),
)
def frustum_volume(bottom_diameter_m: Dimension, top_diameter_m: Dimension, height_m: Dimension) -> Volume:
    """The volume of a round pier or bucket that narrows evenly.

    Args:
        bottom_diameter_m: diameter at the bottom, m.
        top_diameter_m: diameter at the top, m.
        height_m: height, m.

    Returns:
        volume_m3, m3.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    squares = bottom_diameter_m**2 + bottom_diameter_m * top_diameter_m + top_diameter_m**2
    return Volume(volume_m3=math.pi * height_m / 12 * squares)


@rule(
    "post-hole-volume",
    formula="V = π d² / 4 · h − b · t · e",
    math=r"V = \frac{\pi d^{2}}{4} \, h - \text{post width} \cdot \text{post thickness} \cdot \text{embedment}",
    sources=[GEOMETRY],
    example=Example(
        given={
            "hole_diameter_m": 0.3,
            "hole_depth_m": 0.6,
            "post_width_m": 0.1,
            "post_thickness_m": 0.1,
            "embedment_m": 0.5,
        },
        gives={"volume_m3": 0.0374115008234622},
        origin="by hand: 0.0135 π − 0.005",
    ),
)
def post_hole_volume(
    hole_diameter_m: Dimension,
    hole_depth_m: Dimension,
    post_width_m: Dimension,
    post_thickness_m: Dimension,
    embedment_m: Amount,
) -> Volume:
    """Volume around a rectangular post in a round hole.

    Args:
        hole_diameter_m: diameter of the hole, m.
        hole_depth_m: depth of the hole, m.
        post_width_m: width of the post, m.
        post_thickness_m: thickness of the post, m.
        embedment_m: how far the post reaches into the filled hole, m.

    Returns:
        volume_m3, m3.

    Raises:
        InputError: the post does not fit the hole or reaches below it.
    """
    if embedment_m > hole_depth_m:
        raise InputError(
            "post_below_hole",
            "embedment_m is more than hole_depth_m. The post can't go below the hole. Correct one of them.",
            ["embedment_m", "hole_depth_m"],
        )
    if math.hypot(post_width_m, post_thickness_m) > hole_diameter_m:
        raise InputError(
            "post_wider_than_hole",
            "The post's diagonal is more than hole_diameter_m. Widen the hole or correct the post size.",
            ["hole_diameter_m", "post_width_m", "post_thickness_m"],
        )
    hole = math.pi * hole_diameter_m**2 / 4 * hole_depth_m
    return Volume(volume_m3=hole - post_width_m * post_thickness_m * embedment_m)


@rule(
    "order-volume",
    formula="V_order = V_net · (1 + waste)",
    math=r"V_{\text{order}} = V_{\text{net}} \, (1 + \text{waste})",
    sources=[PRACTICE],
    example=Example(
        given={"net_m3": 0.25, "waste_fraction": 0.10}, gives={"order_m3": 0.275}, origin="by hand"
    ),
)
def order_volume(net_m3: Dimension, waste_fraction: Amount = 0.10) -> OrderVolume:
    """How much to make so the job doesn't run short.

    Args:
        net_m3: the volume to fill, m3.
        waste_fraction: lost in the drum, on boards and in uneven ground.

    Returns:
        order_m3, m3.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    return OrderVolume(order_m3=net_m3 * (1 + waste_fraction))
