"""A job: what is to be made, of which mix, in which mixer, with which materials and vessels."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Annotated, Any, Literal, Self, Union

from pydantic import BeforeValidator, Discriminator, Field, Tag, create_model, model_validator

from keeve.core.admixtures import Basis
from keeve.core.concrete_design import Exposure
from keeve.core.geometry import (
    cylinder_volume,
    floor_volume,
    frustum_volume,
    post_hole_volume,
    slab_volume,
)
from keeve.core.mixes.model import Gauge, Mix, MixerKind, Order
from keeve.core.rules import Amount, Dimension, Fraction, Rule, Strict
from keeve.core.shapes import (
    coat_volume,
    layered_wall_volume,
    pointing_volume,
    stairs_volume,
    unit_masonry_mortar,
)

# The rules a need may name as its shape.
SHAPES: Mapping[str, Rule[Any, Any]] = {
    rule.id: rule
    for rule in (
        slab_volume,
        cylinder_volume,
        frustum_volume,
        post_hole_volume,
        floor_volume,
        stairs_volume,
        coat_volume,
        unit_masonry_mortar,
        pointing_volume,
        layered_wall_volume,
    )
}


ItemName = Annotated[str, Field(max_length=60)]
# What a box is, for the words and the sketch.
Box = Literal["slab", "strip-footing", "pad-footing"]


class Item(Strict):
    """One thing to be made; ``name`` is what the crew calls it."""

    name: ItemName = ""


class VolumeNeed(Item):
    """A plain volume, m3."""

    volume_m3: Dimension


class AreaNeed(Item):
    """An area (m2) at a depth (mm)."""

    area_m2: Dimension
    depth_mm: Dimension


class BagsNeed(Item):
    """What these bags of binder make, waste and all."""

    bags: Dimension


class ShapeNeed(Item):
    """A shape by the id of its rule, ``count`` times; its sizes are the inputs of that rule."""

    shape: str
    count: Annotated[int, Field(ge=1, le=1000)] = 1

    def sizes(self) -> dict[str, Any]:
        """The inputs of the shape's rule, as far as they were given."""
        return self.model_dump(exclude={"shape", "count", "name", "box"}, exclude_unset=True)


class _BoxNeed(ShapeNeed):
    box: Box = "slab"


if TYPE_CHECKING:
    Need = VolumeNeed | AreaNeed | BagsNeed | ShapeNeed
else:

    def _kind_of_need(value: Any) -> str:
        if not isinstance(value, Mapping):
            value = vars(value) if isinstance(value, Strict) else {}
        if "shape" in value:
            known = isinstance(value["shape"], str) and value["shape"] in SHAPES
            return value["shape"] if known else "shape"
        return next((name for name in ("bags", "area_m2") if name in value), "volume_m3")

    def _known_shape(value: str) -> str:
        raise ValueError(f"must be one of {', '.join(SHAPES)}")

    class _UnknownShape(ShapeNeed):
        shape: Annotated[str, BeforeValidator(_known_shape)]

    _shape_needs = {
        rule_id: create_model(
            f"{rule_id} need",
            __base__=(rule.inputs, _BoxNeed if rule is slab_volume else ShapeNeed),
            shape=(Literal[rule_id], ...),
        )
        for rule_id, rule in SHAPES.items()
    }
    Need = Annotated[
        Union[
            Annotated[VolumeNeed, Tag("volume_m3")],
            Annotated[AreaNeed, Tag("area_m2")],
            Annotated[BagsNeed, Tag("bags")],
            Annotated[_UnknownShape, Tag("shape")],
            *(Annotated[model, Tag(rule_id)] for rule_id, model in _shape_needs.items()),
        ],
        Discriminator(_kind_of_need),
    ]


def _kind_of_mix(value: Any) -> str:
    return "id" if isinstance(value, str) else "inline"


def _as_list(value: Any) -> Any:
    return value if isinstance(value, list) else [value]


class Mixer(Strict):
    """The mixer: its kind, mixed working volume (L) and full volume (L, 1.5 of it unless known)."""

    kind: MixerKind
    working_l: Dimension
    drum_l: Dimension | None = None

    @property
    def full_l(self) -> float:
        """The volume to the rim, L; half as much again as the working volume unless known (estimate)."""
        return 1.5 * self.working_l if self.drum_l is None else self.drum_l


class MaterialOnSite(Strict):
    """What is known of a material on site; what is left out takes the default of its kind.

    A mix that goes by the bag needs its label: bag_kg, yield_l and the water of one bag in L. What else the
    label says (life_min, rest_min, thickness in mm) rules over the mix's own figures. ``says`` is what it is by the
    words on the bag, ``age_months`` how old the bag is. Prices are in any one currency.
    """

    moisture_fraction: Fraction | None = None
    bulking_fraction: Amount | None = None
    absorption_fraction: Fraction | None = None
    bulk_density_kg_m3: Dimension | None = None
    particle_density_kg_m3: Dimension | None = None
    bag_kg: Dimension | None = None
    yield_l: Dimension | None = None
    water_start_l: Amount | None = None
    water_min_l: Amount | None = None
    water_max_l: Dimension | None = None
    price_per_bag: Amount | None = None
    price_per_t: Amount | None = None
    says: Annotated[str | None, Field(max_length=80)] = None
    age_months: Amount | None = None
    life_min: Dimension | None = None
    rest_min: Dimension | None = None
    thickness_min_mm: Dimension | None = None
    thickness_max_mm: Dimension | None = None


class Vessel(Strict):
    """What a material is measured in: a vessel filled level to its mark, a heaped shovel, or a whole bag.

    Its volume in L (a bag's comes from its weight), its empty mass in kg, the material it is for (else any).
    ``spread_fraction``: the standard deviation of one shovel to the next over their mean (common practice, no source).
    """

    name: Annotated[str, Field(min_length=1, max_length=40)]
    kind: Literal["level", "shovel", "bag"] = "level"
    volume_l: Dimension | None = None
    tare_kg: Amount = 0.0
    material: str | None = None
    spread_fraction: Fraction = 0.15

    @model_validator(mode="after")
    def _is_whole(self) -> Self:
        if self.kind == "bag" and self.material is None:
            raise ValueError("of kind bag needs material: say what is in it")
        if self.kind != "bag" and self.volume_l is None:
            raise ValueError("needs volume_l: give what it holds, in L")
        return self


class Scale(Strict):
    """A scale: the most it weighs, kg, and its smallest division, g."""

    capacity_kg: Dimension
    division_g: Dimension


class AdmixtureLabel(Strict):
    """What the label of the user's own admixture says; see the rule ``admixture-dose``.

    ``with_chlorides``: it is not said to be free of them. ``life_min``: the working life that a retarder or an
    accelerator leaves the mix at 20 °C, min.
    """

    name: str
    dose: Amount
    basis: Basis
    form: Literal["liquid", "powder"] = "liquid"
    density_kg_l: Dimension | None = None
    solids_fraction: Fraction | None = None
    with_chlorides: bool = False
    life_min: Dimension | None = None


class Design(Strict):
    """What a designed concrete is designed to; see the rule ``concrete-design-aci``."""

    strength_mpa: Dimension
    slump_mm: Annotated[list[Amount], Field(min_length=2, max_length=2)] = [75.0, 100.0]
    stone_max_mm: Dimension = 19.0
    fineness_modulus: Dimension = 2.8
    stone_rodded_density_kg_m3: Dimension = 1600.0
    air_entrained: bool = False
    exposure: Exposure = "mild"
    thin_section: bool = False
    sulfate_or_sea: bool = False


Bags = Literal["sound", "soft-lumps", "damaged"]


class Conditions(Strict):
    """Where it is mixed and placed: temperatures in °C, steel in it or beside it, and what the bags look like."""

    air_c: float | None = None
    heap_c: float | None = None
    water_c: Annotated[float, Field(ge=0, le=100)] | None = None
    near_steel: bool = False
    bags: Bags = "sound"


class Pace(Strict):
    """How fast it goes: what the crew places in an hour (m3), how long a load takes the mixer (min), and whether loads
    are kept so small that none waits.
    """

    placing_m3_h: Dimension | None = None
    cycle_min: Dimension | None = None
    keep_pace: bool = False


class Job(Strict):
    """A job file, as it is read and written."""

    format: Literal["keeve-job"]
    version: Literal[1]
    title: Annotated[str, Field(min_length=1, max_length=120)]
    mix: Annotated[Annotated[str, Tag("id")] | Annotated[Mix, Tag("inline")], Discriminator(_kind_of_mix)]
    proportion: str | None = None
    parts: dict[str, Dimension] = {}
    design: Design | None = None
    need: Annotated[list[Need], BeforeValidator(_as_list), Field(min_length=1)]
    waste_fraction: Annotated[float, Field(ge=0, le=1)] = 0.10
    mixer: Mixer
    materials: dict[str, MaterialOnSite] = {}
    vessels: list[Vessel] = []
    scales: Annotated[list[Scale], Field(max_length=6)] = []
    admixtures: list[AdmixtureLabel] = []
    order: Order | None = None
    gauge: Gauge = "weight"
    whole_bags: bool = False
    trial_l: Dimension | None = None
    pace: Pace = Pace()
    conditions: Conditions = Conditions()
