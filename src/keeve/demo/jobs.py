"""The jobs of the demo. All of it is invented, the label on the bag too."""

from typing import Any

_SAND = {"bulking_fraction": 0.2}
_BUCKET = {"name": "bucket", "volume_l": 12, "tare_kg": 0.7}
_JUG = {"name": "jug", "volume_l": 1, "material": "water"}


def _job(title: str, mix: str, need: dict[str, Any], **rest: Any) -> dict[str, Any]:
    return {"format": "keeve-job", "version": 1, "title": title, "mix": mix, "need": [need], **rest}


# What lies in the stockpile that both beds are drawn from.
BEDDING_SAND = "building-sand"

LOCK_WALL_BED = _job(
    "Lock wall bed",
    "mortar-bricklaying",
    {"volume_m3": 0.375},
    mixer={"kind": "tilting-drum", "working_l": 70},
    materials={"sand": _SAND, "cement": {"bag_kg": 25}},
    vessels=[_BUCKET],
    conditions={"air_c": 17, "water_c": 12},
)

COPING_BED = _job(
    "Coping bed",
    "mortar-bricklaying",
    {"shape": "slab-volume", "length_m": 12.5, "width_m": 0.5, "thickness_m": 0.04},
    mixer={"kind": "tilting-drum", "working_l": 90},
    materials={"sand": _SAND, "cement": {"bag_kg": 25}},
    vessels=[_BUCKET, _JUG],
    admixtures=[
        {"name": "plasticiser", "dose": 150, "basis": "ml_per_100kg", "density_kg_l": 1.02, "solids_fraction": 0.2}
    ],
    conditions={"air_c": 18, "water_c": 12},
)  # fmt: skip

MOORING_BLOCKS = _job(
    "Mooring blocks",
    "concrete-nominal",
    {"shape": "slab-volume", "length_m": 0.6, "width_m": 0.6, "thickness_m": 0.4, "count": 2},
    proportion="1 : 1½ : 3",
    mixer={"kind": "tilting-drum", "working_l": 90},
    materials={"sand": _SAND, "stone": {"moisture_fraction": 0.01}, "cement": {"bag_kg": 25}},
    vessels=[_BUCKET],
    gauge="volume",
)

BOATHOUSE_SCREED = _job(
    "Boathouse screed",
    "screed-1-4-fibre",
    {"shape": "slab-volume", "length_m": 5.2, "width_m": 3.4, "thickness_m": 0.065},
    mixer={"kind": "forced-action", "working_l": 150},
    materials={"sand": _SAND, "cement": {"bag_kg": 25}},
)

RAIL_POSTS = _job(
    "Landing rail posts",
    "concrete-bagged",
    {
        "shape": "post-hole-volume",
        "hole_diameter_m": 0.3,
        "hole_depth_m": 0.6,
        "post_width_m": 0.1,
        "post_thickness_m": 0.1,
        "embedment_m": 0.55,
        "count": 5,
    },
    mixer={"kind": "barrow", "working_l": 40},
    materials={
        "bag": {
            "bag_kg": 25,
            "yield_l": 11.5,
            "water_start_l": 1.5,
            "water_min_l": 1.75,
            "water_max_l": 2.6,
        }
    },
)

LOFT_INFILL = _job(
    "Loft infill",
    "hemp-lime",
    {
        "shape": "layered-wall-volume",
        "length_m": 3.6,
        "height_m": 1.4,
        "thickness_mm": 250,
        "openings_m2": 0.6,
        "layer_mm": 50,
        "studs": [{"width_mm": 50, "depth_mm": 100, "length_m": 9.8}],
    },
    mixer={"kind": "forced-action", "working_l": 100},
)

LOCK_SIDE_POINTING = _job(
    "Lock-side pointing",
    "lime-hydraulic-3.5",
    {
        "shape": "pointing-volume",
        "length_m": 9,
        "height_m": 2.2,
        "unit_length_mm": 230,
        "unit_height_mm": 75,
        "joint_mm": 12,
        "depth_mm": 20,
    },
    mixer={"kind": "tilting-drum", "working_l": 70},
    materials={"sand": _SAND},
    vessels=[_BUCKET],
)

COTTAGE_BASE_COAT = _job(
    "Cottage base coat",
    "basecoat-polymer-bagged",
    {"shape": "coat-volume", "length_m": 6.5, "height_m": 2.6, "openings_m2": 2.9, "coats_mm": [3]},
    mixer={"kind": "paddle", "working_l": 40},
    materials={
        "bag": {"bag_kg": 25, "yield_l": 16.5, "water_start_l": 5.0, "water_min_l": 5.5, "water_max_l": 6.5}
    },
)

DRAIN_APRON = _job(
    "Drain apron",
    "concrete-pervious",
    {"shape": "slab-volume", "length_m": 7.5, "width_m": 0.6, "thickness_m": 0.1},
    mixer={"kind": "tray", "working_l": 60},
    materials={"stone": {"moisture_fraction": 0.01}, "cement": {"bag_kg": 25}},
    vessels=[_BUCKET],
)

COPING_COPIES = _job(
    "Coping copies",
    "concrete-fine-high-strength",
    {"volume_m3": 0.036, "name": "Six copies"},
    mixer={"kind": "forced-action", "working_l": 20},
)

THRESHOLD = _job(
    "Threshold overlay",
    "overlay-stampable",
    {"area_m2": 3.2, "depth_mm": 10},
    mixer={"kind": "paddle", "working_l": 40},
    materials={
        "bag": {"bag_kg": 25, "yield_l": 13.5, "water_start_l": 3.2, "water_min_l": 3.4, "water_max_l": 4.0}
    },
)

_MIXING_BUCKET = {"kind": "bucket", "working_l": 10, "drum_l": 14}
_TUB = {"name": "tub", "volume_l": 14, "tare_kg": 0.6}
_PLATFORM = {"capacity_kg": 60, "division_g": 20}
# The rose over the boathouse stair, and the mould that is made of it in two pieces.
_ROSE = {"length_m": 0.42, "width_m": 0.42, "height_m": 0.07}


def ceiling_rose_mould(mesh: dict[str, Any]) -> dict[str, Any]:
    """The mould of the rose, by what its mesh came to."""
    return _job(
        "Ceiling rose mould",
        "plaster-casting",
        {
            "name": "Ceiling rose",
            "container": {"by": "frame", **_ROSE, "wall_m": 0.03, "base_m": 0.025},
            "model": {"by": "mesh", "mesh": {"name": "ceiling-rose.stl", **mesh}},
            "pieces": [1, 1],
        },
        mixer=_MIXING_BUCKET,
        vessels=[_TUB],
        scales=[_PLATFORM],
        gauge="scale",
        conditions={"air_c": 17, "water_c": 14},
    )


ROSE_COPIES = _job(
    "Rose copies",
    "plaster-casting",
    {"name": "Copies", "container": {"by": "cast", "dry_kg": 5.9}, "pieces": [1], "count": 1},
    mixer=_MIXING_BUCKET,
    vessels=[_TUB],
    scales=[_PLATFORM],
    gauge="scale",
    conditions={"air_c": 17, "water_c": 16},
)

STERN_HEAD = _job(
    "Stern head on an armature",
    "plaster-coat",
    {"name": "Head", "shape": "cloth-plaster", "area_m2": 0.55, "layers": 4, "coat_mm": 12},
    mixer={"kind": "bucket", "working_l": 2.2, "drum_l": 5},
    vessels=[_TUB],
    scales=[_PLATFORM],
    conditions={"air_c": 17, "water_c": 14},
)

SLIPWAY_SLAB = _job(
    "Slipway slab",
    "concrete-nominal",
    {"shape": "slab-volume", "length_m": 7.2, "width_m": 4.0, "thickness_m": 0.125},
    mixer={"kind": "tilting-drum", "working_l": 90},
    materials={"sand": _SAND, "stone": {"moisture_fraction": 0.01}, "cement": {"bag_kg": 25}},
    vessels=[_BUCKET],
    gauge="volume",
    conditions={"air_c": 14, "water_c": 11},
)

BOUNDARY_WALL = _job(
    "Boundary wall",
    "mortar-bricklaying",
    {"volume_m3": 2.25},
    mixer={"kind": "tilting-drum", "working_l": 70},
    materials={"sand": _SAND, "cement": {"bag_kg": 25}},
    vessels=[_BUCKET],
    conditions={"air_c": 15, "water_c": 12},
)

# To be mixed yet, the last to be planned first in the list.
TO_MIX = (
    LOFT_INFILL,
    LOCK_SIDE_POINTING,
    COTTAGE_BASE_COAT,
    DRAIN_APRON,
    COPING_COPIES,
    THRESHOLD,
    MOORING_BLOCKS,
    BOATHOUSE_SCREED,
    STERN_HEAD,
    RAIL_POSTS,
)

QUAY_PATCH = _job(
    "Quay wall patching",
    "mortar-general",
    {"volume_m3": 0.03},
    mixer={"kind": "paddle", "working_l": 40},
    materials={"sand": _SAND, "cement": {"bag_kg": 25}},
    vessels=[_BUCKET],
)

# What the boathouse crew owns.
YARD: list[dict[str, Any]] = [
    {
        "kind": "mixer",
        "name": "the old drum",
        "mixer_kind": "tilting-drum",
        "working_l": 90,
        "drum_l": 134,
        "cycle_min": 12,
    },
    {"kind": "mixer", "name": "the pan", "mixer_kind": "forced-action", "working_l": 60, "cycle_min": 10},
    {"kind": "vessel", "name": "bucket", "volume_l": 12, "tare_kg": 0.7, "mark_mm": 25},
    {"kind": "vessel", "name": "tin", "full_of_water_kg": 5.4, "tare_kg": 0.4, "material": "cement"},
    {"kind": "vessel", "name": "jug", "volume_l": 1, "material": "water"},
    {"kind": "vessel", "name": "shovel", "is_a": "shovel", "volume_l": 4.5},
    {"kind": "scale", "name": "platform scale", "capacity_kg": 60, "division_g": 20},
    {"kind": "scale", "name": "kitchen scale", "capacity_kg": 5, "division_g": 1},
    {"kind": "material", "material": "cement", "bag_kg": 25, "price_per_bag": 9.5},
    {
        "kind": "bag",
        "name": "Slipway post concrete",
        "mix": "concrete-bagged",
        "bag_kg": 20,
        "yield_l": 9.6,
        "water_start_l": 1.6,
        "water_min_l": 1.5,
        "water_max_l": 2.1,
    },
    {
        "kind": "bag",
        "name": "Sheltered-wall base coat",
        "mix": "basecoat-polymer-bagged",
        "bag_kg": 25,
        "coverage_m2": 5.5,
        "coverage_mm": 3,
        "water_start_l": 4.5,
        "water_min_l": 4.5,
        "water_max_l": 5.5,
    },
    {"kind": "material", "material": "building-sand", "weighed_kg": 18.6, "weighed_l": 12, "price_per_t": 42},
]
