"""A crew's own gear (mixers, vessels, scales, materials), and what of it a new job starts with."""

from collections.abc import Iterable, Mapping
from datetime import date
from typing import Annotated, Any, Literal, Self

from pydantic import Field, TypeAdapter, model_validator

from keeve.core.errors import validated
from keeve.core.mixes import library, materials
from keeve.core.mixes.mixers import MixerKind
from keeve.core.mixes.model import Mix
from keeve.core.planning.site_mix import WATER
from keeve.core.rules.registry import Amount, Dimension, Fraction, Strict
from keeve.core.texts import Line, Name

_Called = Annotated[Line, Field(min_length=1, max_length=40)]
# Clean water on a site, kg/L.
_WATER_KG_L = 0.998
_DAYS_A_MONTH = 30.4


class OwnMixer(Strict):
    """A mixer: its kind, mixed volume per load and full volume (L), and minutes per load."""

    kind: Literal["mixer"]
    name: _Called
    mixer_kind: MixerKind
    working_l: Dimension
    drum_l: Dimension | None = None
    cycle_min: Dimension | None = None


class OwnVessel(Strict):
    """A vessel, a shovel or a bag: its volume in L or its weight full of water, and its tare.

    ``mark_mm``: how far its mark is below the rim. ``material``: the material it is kept for.
    """

    kind: Literal["vessel"]
    name: _Called
    is_a: Literal["level", "shovel", "bag"] = "level"
    volume_l: Dimension | None = None
    full_of_water_kg: Dimension | None = None
    tare_kg: Amount = 0.0
    mark_mm: Amount | None = None
    material: Name | None = None
    spread_fraction: Fraction = 0.15

    @model_validator(mode="after")
    def _holds_something(self) -> Self:
        if self.is_a != "bag" and self.volume_l is None and self.full_of_water_kg is None:
            raise ValueError("needs volume_l or full_of_water_kg: what it holds, or its weight full of water")
        if self.full_of_water_kg is not None and self.full_of_water_kg <= self.tare_kg:
            raise ValueError("has full_of_water_kg no larger than tare_kg. Weigh both again")
        return self

    @property
    def holds_l(self) -> float | None:
        """Its volume to the mark, L: by weighing with water where that was done."""
        if self.full_of_water_kg is None:
            return self.volume_l
        return (self.full_of_water_kg - self.tare_kg) / _WATER_KG_L


class OwnScale(Strict):
    """A scale: the most it weighs, kg, and its smallest division, g."""

    kind: Literal["scale"]
    name: _Called
    capacity_kg: Dimension
    division_g: Dimension


class OwnMaterial(Strict):
    """A material: its bag, a loose weighing (kg in a volume, L), its price, and when it was bought."""

    kind: Literal["material"]
    material: Name
    bag_kg: Dimension | None = None
    weighed_kg: Dimension | None = None
    weighed_l: Dimension | None = None
    price_per_bag: Amount | None = None
    price_per_t: Amount | None = None
    bought_on: Annotated[date | None, Field(strict=False)] = None

    @model_validator(mode="after")
    def _is_known(self) -> Self:
        if self.material not in materials():
            raise ValueError("isn't a known kind. Choose from the list")
        if (self.weighed_kg is None) != (self.weighed_l is None):
            raise ValueError("needs both weighed_kg and weighed_l: the weight, and the volume you weighed")
        return self

    @property
    def bulk_density_kg_m3(self) -> float | None:
        """Bulk density, loose and dry, by its weighing."""
        return self.weighed_kg / self.weighed_l * 1000 if self.weighed_kg and self.weighed_l else None


class OwnBag(Strict):
    """A bag or pail by its label: the mix it is, its weight, what it makes, its water (L), and the further figures.

    Its yield is in L, or as the area it covers: so many m2 at a thickness in mm.
    """

    kind: Literal["bag"]
    name: _Called
    mix: Name
    bag_kg: Dimension
    yield_l: Dimension | None = None
    coverage_m2: Dimension | None = None
    coverage_mm: Dimension | None = None
    water_start_l: Amount
    water_min_l: Amount
    water_max_l: Dimension
    life_min: Dimension | None = None

    @model_validator(mode="after")
    def _makes_something(self) -> Self:
        if self.mix not in library() or library()[self.mix].basis_traits.asks_for != "label":
            raise ValueError("isn't a known mix by the bag. Choose from the list")
        if (self.coverage_m2 is None) != (self.coverage_mm is None):
            raise ValueError("needs both coverage_m2 and coverage_mm: the area it covers, and how thick")
        if (self.yield_l is None) == (self.coverage_m2 is None):
            raise ValueError("needs yield_l, or coverage_m2 and coverage_mm. Copy one from the label")
        return self

    @property
    def makes_l(self) -> float:
        """The volume that a bag makes, L."""
        return self.yield_l or (self.coverage_m2 or 0.0) * (self.coverage_mm or 0.0)

    @property
    def label(self) -> dict[str, float]:
        """Its label, as a job has it of a material."""
        figures = {
            "bag_kg": self.bag_kg,
            "yield_l": self.makes_l,
            "water_start_l": self.water_start_l,
            "water_min_l": self.water_min_l,
            "water_max_l": self.water_max_l,
            "life_min": self.life_min,
        }
        return {name: value for name, value in figures.items() if value is not None}


YardItem = OwnMixer | OwnVessel | OwnScale | OwnMaterial | OwnBag
_ITEM: TypeAdapter[YardItem] = TypeAdapter(Annotated[YardItem, Field(discriminator="kind")])


def parse_item(raw: Any) -> YardItem:
    """An item of the yard from plain values.

    Raises:
        InputError: a field that is wrong, named.
    """
    return validated(_ITEM, raw)


def begun_with(
    items: Iterable[YardItem],
    mix: Mix,
    today: date,
    stockpiles: Mapping[str, Mapping[str, float]] | None = None,
) -> dict[str, Any]:
    """The values a new job takes from the yard: the first mixer that suits, every vessel and scale, materials.

    Args:
        items: the yard.
        mix: the mix of the job.
        today: for the age of what was bought.
        stockpiles: what was last measured or reported of each stockpile, by its material and the name of the figure.
    """
    items = list(items)
    suited = {procedure.mixer for procedure in mix.procedures}
    mixer = next((item for item in items if isinstance(item, OwnMixer) and item.mixer_kind in suited), None)
    kept = {item.material: item for item in items if isinstance(item, OwnMaterial)}
    named = {part.material: part.name for part in mix.parts}
    scales = [item for item in items if isinstance(item, OwnScale)]
    found: dict[str, Any] = {"materials": {}, "vessels": []}
    found["scales"] = [{"capacity_kg": item.capacity_kg, "division_g": item.division_g} for item in scales]
    if mixer:
        found["mixer"] = {"kind": mixer.mixer_kind, "working_l": mixer.working_l, "drum_l": mixer.drum_l}
        found["pace"] = {"cycle_min": mixer.cycle_min}
    for material, name in named.items():
        if own := kept.get(material):
            age = (today - own.bought_on).days / _DAYS_A_MONTH if own.bought_on else None
            dries_out = materials()[material].is_binder and not mix.basis_traits.is_blended
            found["materials"][name] = {
                "bag_kg": own.bag_kg,
                "bulk_density_kg_m3": own.bulk_density_kg_m3,
                "price_per_bag": own.price_per_bag,
                "price_per_t": own.price_per_t,
                "age_months": round(age, 1) if age is not None and dries_out else None,
            }
    for material, last_measured in (stockpiles or {}).items():
        if material in named and not mix.basis_traits.is_blended:
            found["materials"].setdefault(named[material], {}).update(last_measured)
            # A design asks for that of its sand, not of its stone.
            if "fineness_modulus" in last_measured and materials()[material].sort == "sand":
                found["design"] = {"fineness_modulus": last_measured["fineness_modulus"]}
    if bag := next((item for item in items if isinstance(item, OwnBag) and item.mix == mix.id), None):
        found["materials"].setdefault(mix.parts[0].name, {}).update(bag.label)
    for item in items:
        if isinstance(item, OwnVessel) and item.material in {None, WATER, *named}:
            vessel = {
                "name": item.name,
                "kind": item.is_a,
                "volume_l": item.holds_l,
                "tare_kg": item.tare_kg,
                "material": WATER if item.material == WATER else named.get(item.material or ""),
            }
            found["vessels"].append(vessel)
    return found
