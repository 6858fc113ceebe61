"""A plan: a job computed load by load. It is never changed afterwards."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import fsum
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from keeve.core.mixes.bases import BASES, Basis, BasisName
from keeve.core.mixes.mixers import Order
from keeve.core.mixes.model import Caution, Gauge, Hatch, Preparation, Sort, Test, Trouble
from keeve.core.mixes.regimes import REGIMES, Regime, RegimeName
from keeve.core.mixes.step_kinds import KINDS, Kind, StepKind
from keeve.core.planning.job import Conditions, Mixer, Scale, Vessel
from keeve.core.rules.aggregate_moisture import free_moisture_fraction
from keeve.core.rules.load_sizes import Limit
from keeve.core.rules.proportioning import Part
from keeve.core.rules.registry import RuleWarning
from keeve.core.rules.workings import Working
from keeve.core.tolerances import ROUNDING


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, defer_build=True)


Along = Literal["length_m", "area_m2", "items", "units", "courses", "layers"]


class Extent(_Part):
    """A measure along which an item is worked: a length (m), an area (m2), or a number of what it is made of."""

    kind: Along
    amount: float


class PlanItem(_Part):
    """One item of the job: its net volume (m3, all of its count), and the other results of its shape's rule for one.

    ``pieces_m3``: net volume of each piece of a mould, in the order they are poured. ``extents``: how far it goes.
    """

    name: str = ""
    net_m3: float
    facts: dict[str, float] = {}
    pieces_m3: list[float] = []
    extents: list[Extent] = []


class PlanVolume(_Part):
    """Net and ordered volume, m3, and the items that are filled."""

    net_m3: float
    order_m3: float
    items: list[PlanItem] = []


# What sets the size of a load; a colour pack belongs to its bags.
PlanLimit = Limit | Literal["pack", "rim"]


Way = Literal["equal", "whole-bags", "larger-mixer", "vessels", "litres", "quarts"]


class VesselCount(_Part):
    """A number of level vessels, unrounded."""

    name: str
    count: float


class PlannedCharge(_Part):
    """A material in a load: as charged (damp, kg), oven-dry (kg), loose as measured (L), in vessels."""

    material: str
    mass_kg: float
    dry_kg: float
    volume_l: float
    vessels: list[VesselCount]

    def times(self, share: float) -> "PlannedCharge":
        """A share of it."""
        return PlannedCharge(
            material=self.material,
            mass_kg=self.mass_kg * share,
            dry_kg=self.dry_kg * share,
            volume_l=self.volume_l * share,
            vessels=[VesselCount(name=item.name, count=item.count * share) for item in self.vessels],
        )


class LoadWater(_Part):
    """Water to add, L, without the water in aggregate and admixtures, which is beside it."""

    start_l: float
    min_l: float
    target_l: float
    ceiling_l: float
    in_aggregate_l: float
    in_admixture_l: float

    def free_l(self, added_l: float) -> float:
        """All the free water of the load with this much added, L."""
        return added_l + self.in_aggregate_l + self.in_admixture_l

    def to_add_l(self, free_l: float) -> float:
        """Water to add for this much free water, L."""
        return free_l - self.in_aggregate_l - self.in_admixture_l

    @property
    def needs_none(self) -> bool:
        """Whether none is added: what comes with the aggregate is enough."""
        return self.start_l <= ROUNDING

    def times(self, share: float) -> "LoadWater":
        """A share of it."""
        return LoadWater(**{name: value * share for name, value in self.model_dump().items()})

    @property
    def with_aggregate_l(self) -> float:
        """The target with the free water of the aggregate, L."""
        return self.target_l + max(self.in_aggregate_l, 0.0)


class AdmixtureAmount(_Part):
    """An admixture in a load: by weight and volume, or in packs; all null where no dose was given.

    ``count``: how many caps, splashes or pouches of it that is, where it is counted so.

    ``water_l``: water in it. ``looks``: how it changes the look of the mix, where it loosens it without water.
    """

    name: str
    mass_kg: float | None
    volume_ml: float | None
    packs: float | None = None
    count: float | None = None
    counted_in: str = ""
    water_l: float = 0.0
    looks: str = ""

    def times(self, share: float) -> "AdmixtureAmount":
        """A share of it; a pack stays whole."""
        return self.model_copy(
            update={
                "mass_kg": None if self.mass_kg is None else self.mass_kg * share,
                "volume_ml": None if self.volume_ml is None else self.volume_ml * share,
                "count": None if self.count is None else self.count * share,
                "water_l": self.water_l * share,
            }
        )

    @property
    def loosens(self) -> bool:
        """Whether it has a dose, and loosens the mix without water."""
        return bool(self.looks) and self.mass_kg is not None


class Load(_Part):
    """One load of the plan; ``pours``: the piece it is for, where a mould is poured in pieces."""

    number: int
    pours: str = ""
    yield_l: float
    loose_l: float
    binder_kg: float
    charges: list[PlannedCharge]
    water: LoadWater
    admixtures: list[AdmixtureAmount]

    def numbered(self, number: int) -> "Load":
        """The same load under another number."""
        return self.model_copy(update={"number": number})

    def charge(self, material: str) -> PlannedCharge:
        """The charge of that material."""
        return next(charge for charge in self.charges if charge.material == material)

    def with_water(self, **litres: float) -> "Load":
        """The load with some figures of its water changed, L."""
        return self.model_copy(update={"water": self.water.model_copy(update=litres)})

    def times(self, share: float) -> "Load":
        """A share of it: what is left of it in the mixer."""
        if share == 1:
            return self
        return Load(
            number=self.number,
            pours=self.pours,
            yield_l=self.yield_l * share,
            loose_l=self.loose_l * share,
            binder_kg=self.binder_kg * share,
            charges=[charge.times(share) for charge in self.charges],
            water=self.water.times(share),
            admixtures=[item.times(share) for item in self.admixtures],
        )


class Alternative(_Part):
    """Another way to size the loads: how many, of what size (L), and the size of a smaller last one.

    ``measured``: the first of them, where its measures come out whole. ``meant``: what of the job makes it so, by path.
    """

    what: Way
    loads: int
    yield_l: float
    rest_l: float | None
    bags: float | None = None
    mixer_l: float | None = None
    measured: Load | None = None
    meant: dict[str, Any] = {}


class PlanMix(_Part):
    """The mix as it was when the plan was made, as far as card and bench need it.

    ``target_ratio`` is what its water is aimed at where the placing moves that, ``usual_ratio`` what it would be
    without; ``usual_life_min`` is its life without the admixture that changes it.
    """

    id: str
    name: str
    ratio: str
    basis: BasisName = "volume"
    ratio_name: str = "water to cement"
    air_fraction: float
    water_why: str
    target_ratio: float | None = None
    usual_ratio: float | None = None
    absorption_min: float
    regime: RegimeName = "judged"
    life_min: float
    usual_life_min: float | None = None
    water_fill: float | None = None
    retempering: str
    retempering_why: str
    too_much_water: str
    too_little_water: str
    over_mixing: str = ""
    placing: str
    leftovers: str = ""
    keeps: bool = False
    order_why: str
    gauge_why: str
    before: list[Preparation] = []
    troubles: list[Trouble] = []

    @property
    def basis_traits(self) -> Basis:
        """How its amounts come about."""
        return BASES[self.basis]

    @property
    def regime_traits(self) -> Regime:
        """How a load of it is run."""
        return REGIMES[self.regime]

    @property
    def before_min(self) -> float:
        """How long it takes to get ready for the first load, min."""
        return fsum(item.minutes for item in self.before)

    @property
    def takes_water_later(self) -> bool:
        """Whether a little water is allowed after it was right, within its ceiling."""
        return self.retempering in ("small_water", "remix_freely")


class PlanMaterial(Part):
    """A material of the plan: a part of its mix with the figures of this site.

    ``stockpile``: the material's id where it comes from a stockpile. ``least`` and ``greatest``: the span of parts in
    which the mix is neither too rich nor too lean. ``age_months``: how old its bag is, where that was said.
    """

    title: str
    hatch: Hatch
    is_dry: bool = True
    bag_kg: float | None
    unit: str = "bag"
    stockpile: str = ""
    sort: Sort | None = None
    least: float | None = None
    greatest: float | None = None
    age_months: float | None = None

    @property
    def free_fraction(self) -> float:
        """Its free water over oven-dry mass; negative where it soaks."""
        return free_moisture_fraction(self.moisture_fraction, self.absorption_fraction)


class PlanStep(_Part):
    """One step of the procedure: its number, kind, command, reason, times (min) and share."""

    step: int
    kind: StepKind
    do: str
    why: str
    minutes: tuple[float, float]
    starts_min: float
    until: str | None = None
    look: str | None = None
    material: str | None = None
    share: float | None = None
    admixtures: list[str] = []
    test: str | None = None

    @property
    def kind_traits(self) -> Kind:
        """The kind of step it is."""
        return KINDS[self.kind]


class Purchase(_Part):
    """A purchase of a material: kg as delivered (damp), whole bags, pails or packs, mL of a liquid.

    ``short_kg``: what that is short of by less than a hundredth. ``is_on_hand``: it is there.
    """

    material: str
    mass_kg: float | None
    bags: int | None
    volume_ml: float | None = None
    unit: str = "bag"
    short_kg: float = 0.0
    is_on_hand: bool = False


class PlanStrength(_Part):
    """Strength to expect, MPa, with its 80 % band, and its ratio with one litre more in a load.

    ``designed_mpa`` is the mean it was designed for, where it was designed.
    """

    age_days: float
    mpa: float
    low_mpa: float
    high_mpa: float
    litre_more_ratio: float | None
    designed_mpa: float | None = None


class Plan(_Part):
    """The whole plan; ``slump_mm``: the middle of the slump it is designed for, mm."""

    format: Literal["keeve-plan"] = "keeve-plan"
    version: Literal[1]
    rules_version: str
    title: str
    mix: PlanMix
    order: Order
    orders: list[Order]
    gauge: Gauge
    mixer: Mixer
    vessels: list[Vessel]
    scales: list[Scale] = []
    conditions: Conditions = Conditions()
    materials: list[PlanMaterial]
    volume: PlanVolume
    limit: PlanLimit
    alternatives: list[Alternative] = []
    loads: list[Load]
    strength: PlanStrength | None = None
    slump_mm: float | None = None
    shopping: list[Purchase]
    cost: float | None = None
    procedure: list[PlanStep]
    tests: dict[str, Test]
    cautions: list[Caution]
    warnings: list[RuleWarning]
    assumed: dict[str, Any]
    workings: list[Working]

    @property
    def binders(self) -> list[str]:
        """The names of its binders."""
        return [material.name for material in self.materials if material.is_binder]

    @property
    def is_in_whole_bags(self) -> bool:
        """Whether the volume to make is what whole bags of a mix by the bag make."""
        bags = [count.count for load in self.loads for charge in load.charges for count in charge.vessels]
        return self.mix.basis_traits.is_blended and all(count == round(count) for count in bags)

    @property
    def has_damp(self) -> bool:
        """Whether any of it is damp: what is pre-weighed then keeps for one day only."""
        return any(material.moisture_fraction for material in self.materials)

    @property
    def charge_rule(self) -> str:
        """The rule that gives the amounts of its charges."""
        return self.mix.basis_traits.charge_rule

    @property
    def water_rule(self) -> str:
        """The rule that gives its water."""
        return self.mix.basis_traits.water_rule

    def water_a_bag_l(self, ratio: float) -> float:
        """Water of that ratio to a bag of a mix by the bag, L."""
        return ratio * (self.materials[0].bag_kg or 0.0)

    def load(self, number: int) -> Load | None:
        """The load of that number, or None."""
        return next((load for load in self.loads if load.number == number), None)

    @property
    def loads_alike(self) -> list[list[Load]]:
        """Its loads, those of the same amounts together, in the order of the first of each."""
        groups: dict[tuple[float, ...], list[Load]] = {}
        for load in self.loads:
            amounts = (load.yield_l, load.water.start_l, *(charge.mass_kg for charge in load.charges))
            groups.setdefault(amounts, []).append(load)
        return list(groups.values())

    def step(self, number: int) -> PlanStep:
        """The step of the procedure with that number."""
        return self.procedure[number - 1]

    def material(self, name: str) -> PlanMaterial:
        """The material of that name."""
        return next(material for material in self.materials if material.name == name)


@dataclass(frozen=True)
class LoadStep:
    """A step of the procedure with the amounts of one load: kg, loose L, vessels, L of water, admixtures.

    ``left``: the share of it that is still to be done.
    """

    plan: PlanStep
    left: float = 1.0
    mass_kg: float | None = None
    volume_l: float | None = None
    vessels: Sequence[VesselCount] = ()
    water_l: float | None = None
    admixtures: Sequence[AdmixtureAmount] = ()


def load_steps(plan: Plan, load: Load) -> list[LoadStep]:
    """The procedure of the plan with the amounts of that load."""
    return [load_step(step, load) for step in plan.procedure]


def load_step(step: PlanStep, load: Load, left: float = 1.0) -> LoadStep:
    """A step with the amounts of a load, or of the share that is left."""
    if step.kind == "charge" and step.material and step.share:
        charge = load.charge(step.material).times(step.share * left)
        return LoadStep(step, left, charge.mass_kg, charge.volume_l, charge.vessels)
    admixtures = [item for item in load.admixtures if item.name in step.admixtures]
    water_l = load.water.start_l * step.share * left if step.kind == "water" and step.share else None
    return LoadStep(plan=step, left=left, water_l=water_l, admixtures=admixtures)
