"""Plausibility of bags and labels: contradictions, another country's units, the wrong bag."""

from collections.abc import Iterator, Mapping
from functools import cache

from keeve.core.mixes import materials
from keeve.core.mixes.model import Mix, MixPart, Sort
from keeve.core.planning.job import Job, MaterialOnSite
from keeve.core.rules.registry import RuleWarning
from keeve.core.units import factor


def implausible_labels(mix: Mix, job: Job) -> Iterator[RuleWarning]:
    """Contradictions on the labels of the job's bags, and bags the mix does not want."""
    for part in mix.parts:
        site = job.materials.get(part.name)
        if site is None:
            continue
        here = f"materials.{part.name}"
        yield from _of_what_it_says(here, part, site)
        yield from _of_its_weight(here, part, site)
        yield from _of_its_age(here, part, site)
        if mix.basis_traits.asks_for == "label":
            yield from _of_its_figures(here, _usual_water(mix, part), site)
            yield from _of_its_spans(here, site)
            yield from _of_its_minutes(here, site)


# What a bag is by the words on it; the first that is found counts.
_WORDS: tuple[tuple[str, str], ...] = (
    ("portland", "cement"),
    ("modifier", "modifier"),
    ("masonry cement", "masonry cement"),
    ("masonry", "masonry mortar"),
    ("mortar", "masonry mortar"),
    ("concrete", "all-in concrete"),
    ("render", "all-in render"),
    ("stucco", "all-in render"),
    ("cement plaster", "all-in render"),
    ("ready", "all-in mix"),
    ("all-in", "all-in mix"),
    ("non-hydraulic", "hydrated lime"),
    ("hydraulic lime", "hydraulic lime"),
    ("nhl", "hydraulic lime"),
    ("hydrated lime", "hydrated lime"),
    ("cement", "cement"),
    ("gypsum", "gypsum plaster"),
    ("plaster", "gypsum plaster"),
    ("lime", "lime"),
)
# What kind of bag a mix wants of a material.
WANTED_BAGS: Mapping[str, str] = {
    "cement": "cement",
    "cement-as-packed": "cement",
    "cement-for-pails": "cement",
    "cement-c270": "cement",
    "hydrated-lime": "hydrated lime",
    "lime-c270": "hydrated lime",
    "hydraulic-lime": "hydraulic lime",
    "polymer-modifier": "modifier",
    "bagged-masonry-mortar": "masonry mortar",
}
# The kinds of bag that look alike, as a person picks them.
KINDS_OF_BAG = tuple(dict.fromkeys(kind for _, kind in _WORDS))
# Kinds that hold their sand.
_ALL_IN = ("all-in concrete", "all-in render", "all-in mix", "masonry mortar")


def kind_of_bag(says: str) -> str | None:
    """The kind of a bag by the words on it; None where they say nothing known.

    The thing itself comes first, its use after that.
    """
    is_a, _, use = says.lower().partition(" for ")
    return next((kind for words in (is_a, use) for word, kind in _WORDS if word in words), None)


def _of_what_it_says(here: str, part: MixPart, site: MaterialOnSite) -> Iterator[RuleWarning]:
    wanted, kind = WANTED_BAGS.get(part.material), kind_of_bag(site.says or "")
    # A label that says no more than lime may be of either.
    if wanted is None or kind is None or kind == wanted or (kind == "lime" and "lime" in wanted):
        return
    is_all_in = kind in _ALL_IN and wanted not in _ALL_IN
    yield RuleWarning(
        code="all_in_bag" if is_all_in else "wrong_bag",
        message=f"The bag says {kind}; this mix needs {wanted}."
        + (" It already has sand in it. Add no sand or lime." if is_all_in else ""),
        field=f"{here}.says",
        suggestion=f"Get a bag of {wanted}, or choose the mix for this bag.",
    )


# Loose and dry, kg/m3, from the lightest to the heaviest that is still such a material.
_LOOSE: dict[Sort, tuple[float, float]] = {
    "cement": (900.0, 1650.0),
    "lime": (350.0, 1150.0),
    "sand": (1200.0, 1950.0),
    "stone": (1150.0, 1900.0),
    "hemp": (60.0, 200.0),
}
_HEAVIEST_BAG_KG = 50.5
# Bags as they are sold by the pound, and by the kilogram.
_POUND_BAGS = {50.0, 60.0, 70.0, 75.0, 78.0, 80.0, 90.0, 94.0, 100.0}


def _of_its_weight(here: str, part: MixPart, site: MaterialOnSite) -> Iterator[RuleWarning]:
    loose, bounds = site.bulk_density_kg_m3, _LOOSE.get(materials()[part.material].sort)
    if loose and bounds and not bounds[0] <= loose <= bounds[1]:
        likely = _first_within(loose, (1000.0, 0.1, 10.0, factor("lb/ft³", "kg/m³")), *bounds)
        yield RuleWarning(
            code="density_unlikely",
            message=f"{loose:.4g} kg/m³ is unusual for loose {part.name} (usually {bounds[0]:g} to {bounds[1]:g}).",
            field=f"{here}.bulk_density_kg_m3",
            suggestion="Weigh a level bucket again and check it's the right bag.",
            meant={f"{here}.bulk_density_kg_m3": likely} if likely else None,
        )
    if site.bag_kg is None:
        return
    if site.bag_kg > _HEAVIEST_BAG_KG and site.bag_kg in _POUND_BAGS:
        likely_kg = site.bag_kg * factor("lb", "kg")
        yield RuleWarning(
            code="bag_unit",
            message=f"Is that in pounds? {site.bag_kg:.4g} kg is unusual for a bag, {likely_kg:.4g} kg is usual.",
            field=f"{here}.bag_kg",
            suggestion="Check the weight and its unit on the bag.",
            meant={f"{here}.bag_kg": likely_kg},
        )


# Months after which a bag is past what is counted on, and past which months were likely days.
_FRESH_MONTHS = {"cement": 3.0, "lime": 6.0, "bags and pails": 6.0}
_MONTHS_NOT_DAYS = 24.0


def _of_its_age(here: str, part: MixPart, site: MaterialOnSite) -> Iterator[RuleWarning]:
    fresh = _FRESH_MONTHS.get(materials()[part.material].sort)
    if site.age_months is None or fresh is None or site.age_months <= fresh:
        return
    as_days = site.age_months / 30
    yield RuleWarning(
        code="bag_old",
        message=f"{part.name.capitalize()} {site.age_months:g} months old has lost strength. It keeps about {fresh:g}.",
        field=f"{here}.age_months",
        suggestion="Use a fresh bag for anything that carries load. Old bags without lumps are fine for blinding."
        + (
            f" If you meant {site.age_months:g} days, type {as_days:.2g} months."
            if site.age_months > _MONTHS_NOT_DAYS and as_days <= fresh
            else ""
        ),
    )


# The heaviest and the lightest solid of a bag, kg/L, and the most air in what it makes.
_HEAVIEST_SOLID, _LIGHTEST_SOLID, _MOST_AIR = 3.15, 1.0, 0.4
# Water to powder, L/kg: of an all-in bag from the driest concrete to a wet mortar, of a light coat more; a paste is
# only loosened.
_LEAST_WATER, _MOST_WATER, _MOST_OF_A_COAT = 0.03, 0.40, 0.60
_PASTE = (0.003, 0.12)
# What a kilogram of a bag usually makes, L: a yield within is not the figure that is wrong. Common practice, no source.
_USUAL_YIELD = (0.4, 0.75)
# Water no further outside than that is unusual, no slip, unless the yield too contradicts it.
_UNUSUAL = 2.0
# A figure that is mended comes to lie so many times above the least, and so many times under the most.
_ABOVE, _UNDER = 2.0, 1.2
_WATER = ("water_start_l", "water_min_l", "water_max_l")
_CUBIC_FOOT_L = 28.3168


@cache
def _figures() -> tuple[tuple[tuple[str, ...], tuple[float, ...]], ...]:
    """Likely slips in the figures of a label, the likelier first: another unit, then the decimal point."""
    gallon_l = factor("US gal", "L")
    of_water = (
        factor("US fl oz", "L"), factor("mL", "L"), 0.1, factor("US qt", "US gal"), factor("US pt", "L"), gallon_l, 10.0
    )  # fmt: skip
    return (
        (("bag_kg",), (factor("lb", "kg"),)),
        (("yield_l",), (_CUBIC_FOOT_L, _CUBIC_FOOT_L / gallon_l, gallon_l, 10.0, 0.1)),
        (_WATER, of_water),
    )


def _usual_water(mix: Mix, part: MixPart) -> tuple[float, float]:
    """The least and the most water that such a bag takes, L/kg."""
    if part.unit == "pail":
        # A paste is only loosened.
        return _PASTE
    is_coat = bool({"render", "plaster"} & set(mix.uses))
    return (_LEAST_WATER, _MOST_OF_A_COAT if is_coat else _MOST_WATER)


def _of_its_figures(here: str, usual: tuple[float, float], site: MaterialOnSite) -> Iterator[RuleWarning]:
    """Weight, yield and water that do not fit together, with the one change that makes them."""
    if not (site.bag_kg and site.water_max_l):
        return
    least, most = usual
    water = site.water_max_l / site.bag_kg
    takes, makes = least <= water <= most, _makes(site)
    if takes and makes:
        return
    is_unusual = makes and least / _UNUSUAL <= water <= most * _UNUSUAL
    mended = None if is_unusual else _reconciled(site, usual)
    meant: dict[str, float | str | bool | None] = {
        f"{here}.{name}": value for name, value in (mended or {}).items()
    }
    if not takes:
        yield RuleWarning(
            code="water_unit",
            message=f"{site.water_max_l:.3g} L of water for {site.bag_kg:g} kg is unlikely. Another unit?",
            field=f"{here}.water_max_l",
            suggestion="Type the unit too: US quart, US gallon, imperial gallon, fluid ounce or litre.",
            meant=meant or None,
        )
    elif site.yield_l:
        yield RuleWarning(
            code="label_contradicts",
            message=(
                f"A bag of {site.bag_kg:.3g} kg can't make {site.yield_l:.3g} L: mixed, it would weigh "
                f"{(site.bag_kg + site.water_max_l) / site.yield_l * 1000:.3g} kg/m³. "
                "Weight and yield don't match."
            ),
            field=f"{here}.yield_l",
            suggestion="Check weight, yield and their units on the label.",
            meant=meant or None,
        )


def _reconciled(site: MaterialOnSite, usual: tuple[float, float]) -> dict[str, float] | None:
    """The likeliest single change by which weight, yield and water fit together; None where none does."""
    is_usual = bool(
        site.yield_l and site.bag_kg and _USUAL_YIELD[0] <= site.yield_l / site.bag_kg <= _USUAL_YIELD[1]
    )
    # Of water against yield the one out of line with its kind is the slip.
    for names, parts in sorted(_figures(), key=lambda item: is_usual and "yield_l" in item[0]):
        given = {name: value for name in names if (value := getattr(site, name)) is not None}
        for part in parts:
            changed = {name: value * part for name, value in given.items()}
            mended = site.model_copy(update=changed)
            if not (mended.bag_kg and mended.water_max_l):
                continue
            water = mended.water_max_l / mended.bag_kg
            if usual[0] * _ABOVE <= water <= usual[1] / _UNDER and _makes(mended):
                return changed
    return None


def _makes(site: MaterialOnSite) -> bool:
    """Whether a bag with its water can make its yield; true where one of them is not known."""
    if not (site.bag_kg and site.yield_l and site.water_min_l is not None and site.water_max_l):
        return True
    least_l = site.bag_kg / _HEAVIEST_SOLID + site.water_min_l
    most_l = (site.bag_kg / _LIGHTEST_SOLID + site.water_max_l) / (1 - _MOST_AIR)
    return least_l <= site.yield_l <= most_l


# The longest rest of a label and the shortest and longest working time, min: none of a bag is outside.
_LONGEST_REST_MIN, _WORKING_MIN = 120.0, (5.0, 2880.0)


def _of_its_minutes(here: str, site: MaterialOnSite) -> Iterator[RuleWarning]:
    """Minutes of a label that were likely hours or seconds."""
    for name, words, (least, most) in (
        ("rest_min", "a rest", (0.0, _LONGEST_REST_MIN)),
        ("life_min", "a working time", _WORKING_MIN),
    ):
        told = getattr(site, name)
        if told is not None and not least <= told <= most:
            likely = _first_within(told, (60.0, 1 / 60, 0.1, 10.0), least, most)
            yield RuleWarning(
                code="minutes_unlikely",
                message=f"{told:g} min is unlikely for {words}.",
                field=f"{here}.{name}",
                suggestion="Check the label: is it minutes or hours?",
                meant={f"{here}.{name}": likely} if likely else None,
            )


def _first_within(value: float, parts: tuple[float, ...], least: float, most: float) -> float | None:
    return next((value * part for part in parts if least <= value * part <= most), None)


def _of_its_spans(here: str, site: MaterialOnSite) -> Iterator[RuleWarning]:
    """Two figures of one label in the wrong order."""
    for low, high, words in (
        ("thickness_min_mm", "thickness_max_mm", "The min thickness is more than the max"),
        ("rest_min", "life_min", "The rest is as long as the working time, or longer"),
    ):
        less, more = getattr(site, low), getattr(site, high)
        if less is not None and more is not None and less >= more:
            yield RuleWarning(
                code="label_contradicts",
                message=f"{words}: {less:g} and {more:g}.",
                field=f"{here}.{low}",
                suggestion="Check both on the label.",
                meant={f"{here}.{low}": more, f"{here}.{high}": less} if less > more else None,
            )
