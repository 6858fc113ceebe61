"""The rules page: every rule by subject, and where each is used."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from keeve.core.planning.job import SHAPES
from keeve.core.planning.sample_plans import rules_of_each_mix
from keeve.core.rules.calc import all_rules
from keeve.core.rules.registry import Rule

# The modules of the rules in the order of the day, by subject.
_SUBJECTS: Mapping[str, str] = {
    "geometry": "Shapes and volumes",
    "walls_and_stairs": "Shapes and volumes",
    "moulds": "Shapes and volumes",
    "proportioning": "Proportions, weights, yield",
    "bagged": "Proportions, weights, yield",
    "concrete_design": "Proportions, weights, yield",
    "mortar_proportion": "Proportions, weights, yield",
    "load_sizes": "Loads",
    "vessels_and_scales": "Buckets and scales",
    "aggregate_moisture": "Sand and stone",
    "water": "Water and admixtures",
    "next_water": "Water and admixtures",
    "admixtures": "Water and admixtures",
    "corrections": "Corrections",
    "strength": "Strength",
    "strength_tests": "Strength",
    "control_chart": "Many loads",
    "gypsum": "Plaster",
    "gypsum_time": "Plaster",
    "temperature": "Temperature and working time",
    "loads_timeline": "The day",
    "maturity": "Curing and drying",
    "curing": "Curing and drying",
    "shopping": "Shopping",
}

# Every figure of a load card and of the bench, and the rules it comes from.
CARD_FIGURES: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("Volume needed", tuple(SHAPES)),
    ("Volume with waste", ("order-volume",)),
    ("Number and size of the loads", ("split-loads",)),
    ("Weight and volume of a material, mix by volume", ("volume-parts",)),
    ("Weight and volume of a material, mix by weight", ("mass-parts",)),
    ("Weight and volume of a material, mix by the bag or pail", ("bagged",)),
    (
        "Proportions of a concrete by strength, or by cement and water",
        ("concrete-design-aci", "concrete-by-content"),
    ),
    ("Bulking of damp sand", ("sand-bulking",)),
    ("Water to add, water ratio", ("water-account",)),
    ("Working time at a temperature", ("working-life", "mix-temperature")),
    ("Cooler water and ice for the next load", ("cooling-plan",)),
    ("Water in the sand", ("aggregate-moisture",)),
    ("Dose of an admixture and the water in it", ("admixture-dose",)),
    ("Water for the next load", ("next-water",)),
    ("Next water, water left to the max", ("water-window",)),
    ("Correcting a load that is too wet", ("correct-wet",)),
    ("Correcting a wrong amount, a sandy or a rich load", ("correct-miscount",)),
    ("Water steps up to the max", ("correct-dry",)),
    ("Expected strength, cost of an extra litre", ("strength-band", "water-penalty")),
    ("Bags and tonnes to buy", ("shopping",)),
    ("Volume of a mould", ("mould-volume", "sphere-cap-volume")),
    ("Plaster and its water", ("plaster-charge", "plaster-ratio", "plaster-yield", "plaster-vessel-fill")),
    ("Setting times and stages of plaster", ("plaster-clock", "plaster-stages")),
    (
        "Density, expansion and dry weight of a cast",
        ("plaster-density", "plaster-expansion", "plaster-dry-weight"),
    ),
    ("Drying of a cast", ("plaster-drying", "plaster-combined-water")),
)
_ON_THE_BENCH: Mapping[str, str] = {
    "plaster-clock": "Bench: setting times",
    "plaster-stages": "Bench: stages of building up",
    "plaster-dry-weight": "Bench: dry weight of a cast",
    "plaster-drying": "Bench: when a cast is dry",
    "next-water": "Bench: water of the next load",
    "water-window": "Bench: next water",
    "water-account": "Bench: water ratio",
    "correct-wet": "Bench: too wet",
    "correct-dry": "Bench: too dry",
    "correct-miscount": "Bench: wrong amount, sandy or rich",
    "working-life": "Bench: working time",
    "cooling-plan": "Bench: mix too warm",
}


_AFTER_PLACING = ("Curing: tasks after a pour", "/cure")
_ELSEWHERE: Mapping[str, tuple[str, str]] = {
    "loads-timeline": ("Day: load timeline", "/day"),
    "slump-retention": ("Mix card: batch ticket of a load by the yard", "/plan?mix=concrete-designed"),
    "ready-mixed": ("Plan: shopping list", "/plan"),
    "evaporation-rate": ("Day: when to cover", "/day"),
    "cure-plan": _AFTER_PLACING,
    "early-strength": _AFTER_PLACING,
    "equivalent-age": _AFTER_PLACING,
    "screed-drying": _AFTER_PLACING,
}


class Use(NamedTuple):
    """A place where a rule is used: words and a link."""

    words: str
    link: str


def rules_by_subject() -> dict[str, list[Rule]]:
    """Every rule, by subject."""
    found: dict[str, list[Rule]] = {title: [] for title in _SUBJECTS.values()}
    for rule in all_rules().values():
        found[_SUBJECTS[rule.function.__module__.rpartition(".")[2]]].append(rule)
    return found


def uses_of(rule_id: str) -> Sequence[Use]:
    """The uses of a rule."""
    used = [Use(mix.name, f"/mixes/{mix.id}") for mix, rules in rules_of_each_mix() if rule_id in rules]
    if rule_id in SHAPES or rule_id == "order-volume":
        used.insert(0, Use("Plan: what you are making", "/plan"))
    if rule_id in _ELSEWHERE:
        used.insert(0, Use(*_ELSEWHERE[rule_id]))
    if rule_id in _ON_THE_BENCH:
        used.insert(0, Use(_ON_THE_BENCH[rule_id], "/bench"))
    return used
