"""A job: what is to be made, of which mix, in which mixer, with which materials and vessels."""

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Annotated, Any, Literal, Self, Union

from pydantic import BeforeValidator, Discriminator, Field, Tag, create_model, model_validator

from keeve.core.mixes.mixers import MixerKind, Order
from keeve.core.mixes.model import Gauge, IntendedUse, Mix, Support, Surrounding
from keeve.core.planning.moulds import MouldNeed
from keeve.core.rules.admixtures import Basis
from keeve.core.rules.concrete_design import Exposure
from keeve.core.rules.geometry import (
    cylinder_volume,
    floor_volume,
    frustum_volume,
    post_hole_volume,
    slab_volume,
)
from keeve.core.rules.moulds import cloth_plaster
from keeve.core.rules.registry import Amount, Dimension, Fraction, Result, Strict, rule_of
from keeve.core.rules.temperature import LiquidCelsius
from keeve.core.rules.walls_and_stairs import (
    coat_volume,
    layered_wall_volume,
    pointing_volume,
    stairs_volume,
    unit_masonry_mortar,
)
from keeve.core.texts import ByName, Few, Line, Name

# The rules a need may name as its shape.
SHAPES: Mapping[str, Callable[..., Result]] = {
    rule_of(shape).id: shape
    for shape in (
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
        cloth_plaster,
    )
}


# More things than one plan is made for.
MOST_ITEMS = 100
ItemName = Annotated[Line, Field(max_length=60)]
# What a box is, for the words and the sketch.
Box = Literal["slab", "strip-footing", "pad-footing"]


class Item(Strict):
    """One thing to be made; ``name`` is what the crew calls it."""

    name: ItemName = ""


class VolumeNeed(Item):
    """A volume, m3."""

    volume_m3: Dimension


class AreaNeed(Item):
    """An area (m2) with a depth (mm)."""

    area_m2: Dimension
    depth_mm: Dimension


class BagsNeed(Item):
    """The volume that this many bags of binder make, waste included."""

    bags: Dimension


class WeightNeed(Item):
    """A weight of what is mixed, water included, kg; waste included."""

    mass_kg: Dimension


class _OnHand(Strict):
    material: Name


class BagsOnHand(_OnHand):
    """So many bags of it, or a part of one; ``bag_kg``: what one weighs as it lies, where no bag of it is known."""

    by: Literal["bags"]
    bags: Dimension
    bag_kg: Dimension | None = None


class WeightOnHand(_OnHand):
    """A weight of it as it lies, damp, kg."""

    by: Literal["weight"]
    mass_kg: Dimension


class VolumeOnHand(_OnHand):
    """A loose volume of it, L."""

    by: Literal["volume"]
    volume_l: Dimension


class VesselsOnHand(_OnHand):
    """So many of the job's first vessel for it, full to the mark, or a part of one."""

    by: Literal["vessels"]
    vessels: Dimension


OnHand = Annotated[BagsOnHand | WeightOnHand | VolumeOnHand | VesselsOnHand, Field(discriminator="by")]


class OnHandNeed(Item):
    """The batch that what is there of one material makes, waste included."""

    on_hand: OnHand


class ShapeNeed(Item):
    """A shape by the id of its rule, ``count`` times; its sizes are the inputs of that rule."""

    shape: Name
    count: Annotated[int, Field(ge=1, le=1000)] = 1

    def sizes(self) -> dict[str, Any]:
        """The inputs of the shape's rule that were given."""
        return self.model_dump(exclude={"shape", "count", "name", "box"}, exclude_unset=True)


class _BoxNeed(ShapeNeed):
    box: Box = "slab"


if TYPE_CHECKING:
    Need = VolumeNeed | AreaNeed | BagsNeed | WeightNeed | OnHandNeed | MouldNeed | ShapeNeed
else:

    def _kind_of_need(value: Any) -> str:
        if not isinstance(value, Mapping):
            value = vars(value) if isinstance(value, Strict) else {}
        if "shape" in value:
            known = isinstance(value["shape"], str) and value["shape"] in SHAPES
            return value["shape"] if known else "shape"
        return next(
            (name for name in ("bags", "mass_kg", "area_m2", "on_hand", "container") if name in value),
            "volume_m3",
        )

    def _known_shape(value: str) -> str:
        raise ValueError(f"must be one of {', '.join(SHAPES)}")

    class _UnknownShape(ShapeNeed):
        shape: Annotated[Name, BeforeValidator(_known_shape)]

    _shape_needs = {
        rule_id: create_model(
            f"{rule_id} need",
            __base__=(rule_of(shape).inputs, _BoxNeed if shape is slab_volume else ShapeNeed),
            shape=(Literal[rule_id], ...),
        )
        for rule_id, shape in SHAPES.items()
    }
    Need = Annotated[
        Union[
            Annotated[VolumeNeed, Tag("volume_m3")],
            Annotated[AreaNeed, Tag("area_m2")],
            Annotated[BagsNeed, Tag("bags")],
            Annotated[WeightNeed, Tag("mass_kg")],
            Annotated[OnHandNeed, Tag("on_hand")],
            Annotated[MouldNeed, Tag("container")],
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
    """A material as it is on site; what is left out takes the default of its kind.

    A mix by the bag needs its label: bag_kg, yield_l and the water of one bag in L. Other figures of the label
    (least_bag, the smallest part of one that may be mixed; life_min, rest_min, thickness in mm) override those of the
    mix. Prices are in any one currency.

    ``says``: the kind of bag by the words on it. ``age_months``: the age of the bag.
    """

    moisture_fraction: Fraction | None = None
    bulking_fraction: Amount | None = None
    absorption_fraction: Fraction | None = None
    bulk_density_kg_m3: Dimension | None = None
    particle_density_kg_m3: Dimension | None = None
    bag_kg: Dimension | None = None
    yield_l: Dimension | None = None
    least_bag: Annotated[float, Field(ge=0.1, le=1)] | None = None
    water_start_l: Amount | None = None
    water_min_l: Amount | None = None
    water_max_l: Dimension | None = None
    price_per_bag: Amount | None = None
    price_per_t: Amount | None = None
    says: Name | None = None
    age_months: Amount | None = None
    life_min: Dimension | None = None
    rest_min: Dimension | None = None
    thickness_min_mm: Dimension | None = None
    thickness_max_mm: Dimension | None = None


class Vessel(Strict):
    """A vessel filled level to its mark, a heaped shovel, or a whole bag.

    Its volume in L (a bag's follows from its weight), its tare in kg, the material it is for (else any).
    ``spread_fraction``: standard deviation from one shovel to the next over their mean (common practice, no source).
    """

    name: Annotated[Line, Field(min_length=1, max_length=40)]
    kind: Literal["level", "shovel", "bag"] = "level"
    volume_l: Dimension | None = None
    tare_kg: Amount = 0.0
    material: Name | None = None
    spread_fraction: Fraction = 0.15

    @model_validator(mode="after")
    def _is_whole(self) -> Self:
        if self.kind == "bag" and self.material is None:
            raise ValueError("of kind bag needs material: what is in it")
        if self.kind != "bag" and self.volume_l is None:
            raise ValueError("needs volume_l: what it holds, in L")
        return self


class Scale(Strict):
    """A scale: the most it weighs, kg, and its smallest division, g."""

    capacity_kg: Dimension
    division_g: Dimension


class AdmixtureLabel(Strict):
    """The label of an admixture; see the rule ``admixture-dose``.

    ``each``: what a cap or a splash of it holds, mL, or a pouch, g. ``with_chlorides``: it is not stated to be free of
    them. ``life_min``: the working life at 20 °C with this retarder or accelerator, min.
    """

    name: Name
    dose: Amount
    basis: Basis
    form: Literal["liquid", "powder"] = "liquid"
    density_kg_l: Dimension | None = None
    solids_fraction: Fraction | None = None
    each: Dimension | None = None
    with_chlorides: bool = False
    life_min: Dimension | None = None


class Placing(Strict):
    """Who places it and where: the hands, the air and the base; what is left out is as usual."""

    hands: Literal["alone"] | None = None
    air: Literal["heat", "wind", "indoors"] | None = None
    base: Literal["thirsty"] | None = None

    @property
    def surroundings(self) -> list[Surrounding]:
        """All of it that is not as usual."""
        return [name for name in (self.hands, self.air, self.base) if name]


class Design(Strict):
    """The requirements of a designed concrete; see the rules ``concrete-design-aci`` and ``concrete-by-content``.

    ``by``: from a mean strength and a slump, or from the binder in a m3 and the water over it. The fractions are shares
    of the binder, by mass.
    """

    by: Literal["strength", "content"] = "strength"
    strength_mpa: Dimension | None = None
    binder_kg_m3: Dimension | None = None
    w_cm: Dimension | None = None
    slag_fraction: Fraction = 0.0
    fly_ash_fraction: Fraction = 0.0
    silica_fume_fraction: Fraction = 0.0
    slump_mm: Annotated[list[Amount], Field(min_length=2, max_length=2)] = [75.0, 100.0]
    stone_max_mm: Dimension = 19.0
    fineness_modulus: Dimension = 2.8
    stone_rodded_density_kg_m3: Dimension = 1600.0
    air_entrained: bool = False
    exposure: Exposure = "mild"
    thin_section: bool = False
    sulfate_or_sea: bool = False


class OwnPlasterRatio(Strict):
    """A ratio of plaster of one's own: water per 100 plaster by weight, or plaster per quart or litre of water."""

    amount: Dimension
    basis: Literal["water_per_100", "lb_per_us_qt", "kg_per_l"] = "water_per_100"


class OwnWater(Strict):
    """The crew's own usual water, inside what the mix may have: its ratio, and the share of it to begin with."""

    ratio: Dimension | None = None
    start_share: Annotated[float, Field(ge=0.5, le=1)] | None = None


# A temperature as it was told: one that can hardly be is asked about, not refused.
_AsTold = Annotated[float, Field(ge=-200, le=1000)]
# What a load is made as large as: what is needed, whole measures of all of it, or whole litres or quarts of water.
SizeTo = Literal["order", "vessels", "litres", "quarts"]
Bags = Literal["sound", "soft-lumps", "damaged"]


class Conditions(Strict):
    """Temperatures on site in °C, steel in or beside the pour, and the state of the bags."""

    air_c: _AsTold | None = None
    stockpile_c: _AsTold | None = None
    water_c: LiquidCelsius | None = None
    near_steel: bool = False
    bags: Bags = "sound"


class Pace(Strict):
    """The pace of the work: what the crew places per hour (m3), how long a load takes the mixer (min), and whether
    loads are kept small enough to place at once.
    """

    placing_m3_h: Dimension | None = None
    cycle_min: Dimension | None = None
    keep_pace: bool = False


class Job(Strict):
    """A job, as it is read from and written to a job file."""

    format: Literal["keeve-job"]
    version: Literal[1]
    title: Annotated[Line, Field(min_length=1, max_length=120)]
    mix: Annotated[Annotated[Name, Tag("id")] | Annotated[Mix, Tag("inline")], Discriminator(_kind_of_mix)]
    proportion: Name | None = None
    parts: ByName[Amount] = {}
    design: Design | None = None
    plaster: OwnPlasterRatio | None = None
    own_water: OwnWater = OwnWater()
    need: Annotated[
        Annotated[list[Need], Field(min_length=1, max_length=MOST_ITEMS)], BeforeValidator(_as_list)
    ]
    waste_fraction: Annotated[float, Field(ge=0, le=1)] = 0.10
    mixer: Mixer
    materials: ByName[MaterialOnSite] = {}
    vessels: Few[Vessel] = []
    scales: Annotated[list[Scale], Field(max_length=6)] = []
    admixtures: Few[AdmixtureLabel] = []
    packs: ByName[bool] = {}
    order: Order | None = None
    support: Support | None = None
    intended_use: IntendedUse | None = None
    placing: Placing = Placing()
    gauge: Gauge = "weight"
    whole_bags: bool = False
    size_to: SizeTo = "order"
    trial_l: Dimension | None = None
    pace: Pace = Pace()
    conditions: Conditions = Conditions()

    @model_validator(mode="before")
    @classmethod
    def _placed(cls, raw: Any) -> Any:
        """Who and where were among the intended uses once."""
        use = raw.get("intended_use") if isinstance(raw, dict) else None
        if use not in ("alone", "heat", "indoors"):
            return raw
        others = {name: value for name, value in raw.items() if name != "intended_use"}
        return {**others, "placing": {"hands" if use == "alone" else "air": use}}

    @property
    def is_in_bags(self) -> bool:
        """Whether the job is the bags that are there, and no more: nothing is bought beyond them."""
        return all(isinstance(need, BagsNeed) for need in self.need)

    @property
    def is_on_hand(self) -> bool:
        """Whether the job is what is there of a material, and no more of that is bought."""
        return all(isinstance(need, BagsNeed | OnHandNeed) for need in self.need)

    @property
    def counts_by_bags(self) -> bool:
        """Whether what comes in bags is counted in them, whatever the other materials are counted in."""
        return self.whole_bags or self.is_in_bags
