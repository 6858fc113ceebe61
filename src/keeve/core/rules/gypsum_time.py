"""Gypsum plaster in time: the clock of its setting, and how a cast dries."""

import math
from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.gypsum import COMBINED_FRACTION, WaterPer100
from keeve.core.rules.registry import (
    MASS_BALANCE,
    PRACTICE,
    Amount,
    Dimension,
    Example,
    Result,
    RuleWarning,
    Strict,
    rule,
)
from keeve.core.rules.temperature import LiquidCelsius

# The clock of 70 : 100 at 21 °C, 2.3 kg mixed for 2 min, in minutes after powder and water met.
_POUR, _THICK, _HARD, _HOTTEST = 10.0, 12.0, 20.0, 30.0
_SPRINKLE = 1.0
_SMALL_KG, _SOAK_SMALL, _SOAK = 2.3, 1.0, 3.5
# The first bubbles come up in that time after mixing, min.
_STAND = 0.5
# Warmer water sets faster than it can be worked; hotter, and nobody can say what it does.
WARM_C, HOTTEST_WATER_C = 30.0, 40.0
# What is seen of it, and when the reference clock has it, min.
Sight = Literal[
    "gloss-going", "trail-closing", "trail-stays", "like-butter", "like-cheese", "thumb-firm", "warmest"
]
SIGHTS: Mapping[Sight, float] = {
    "gloss-going": _POUR,
    "trail-closing": 11.0,
    "trail-stays": _THICK,
    "like-butter": 13.0,
    "like-cheese": 16.0,
    "thumb-firm": _HARD,
    "warmest": _HOTTEST,
}
# The stages of building up with it, and from when the reference clock has them. About seven minutes after stirring it
# can be trowelled (common practice, no source); the others are judgements made here.
_BUILD: tuple[tuple[str, float], ...] = (
    ("milk", 0.0),
    ("cream", 8.5),
    ("thick-cream", _POUR),
    ("trowel", SIGHTS["like-butter"]),
    ("carve", SIGHTS["like-cheese"]),
    ("hard", _HARD),
)
# So near its dry weight a cast is dry.
DRY_FRACTION = 0.005


# Powder takes up damp on the shelf and sets slower: by so much a month after the first half year, and not beyond that.
# An estimate, common practice, no source; own loads say it better.
_FRESH_MONTHS, _A_MONTH, _OLDEST = 6.0, 0.02, 1.4


# So dry only a harder kind still pours: the usual ratio of each, and from which on it is the next. Common practice, no
# source: casting plaster is not wetted right under 50.
_KINDS = ((34.0, 30.0), (50.0, 38.0), (math.inf, 70.0))


def _usual_per_100(water_per_100: float) -> float:
    """The usual ratio of the kind of plaster that is poured at this one."""
    return next(usual for below, usual in _KINDS if water_per_100 < below)


# No powder that still sets is that many times slower than fresh.
SLOWEST = 5.0


def age_factor_of(age_months: float | None) -> float:
    """How much slower a powder of that age sets than a fresh one; fresh where its age is not known."""
    if age_months is None:
        return 1.0
    return min(1 + _A_MONTH * max(age_months - _FRESH_MONTHS, 0.0), _OLDEST)


class Stage(Strict):
    """A stage of the setting: its name, and from when to when, min after powder and water met (null: open)."""

    name: str
    from_min: float
    to_min: float | None


class PlasterClock(Result):
    """The stages of the setting, in order, and how much slower it goes than the reference clock."""

    stages: list[Stage]
    factor: float

    def starts(self, name: str) -> float:
        """When a stage begins, min."""
        return next(stage.from_min for stage in self.stages if stage.name == name)


@rule(
    "plaster-clock",
    formula=(
        "F = (c/c₀)^1.2 · 1.4^((21−T)/10) · (kg/2.3)^−0.05 · (2/mix)^0.2 · age; c₀ 70, of c under 50 38, under 34 30"
    ),
    math=(
        r"F = \left(\frac{c}{c_0}\right)^{1.2} 1.4^{(21-T)/10} "
        r"\left(\frac{m}{2.3}\right)^{-0.05} \left(\frac{2}{t_{mix}}\right)^{0.2} a"
    ),
    sources=[PRACTICE],
    example=Example(
        given={"water_per_100": 70, "water_c": 21, "batch_kg": 2.3, "mixing_min": 2},
        gives={"factor": 1.0},
        origin="by hand: the reference clock itself",
    ),
)
def plaster_clock(
    water_per_100: WaterPer100,
    water_c: LiquidCelsius,
    batch_kg: Dimension,
    mixing_min: Dimension,
    age_factor: Annotated[float, Field(gt=0, le=SLOWEST)] = 1.0,
) -> PlasterClock:
    """Setting times of plaster. An estimate, good to a few minutes: correct it from what you see.

    More water, cold and age slow it. Size, warmth and mixing speed it up. Under 50 water per 100 it is a hard plaster,
    usually 38, or a stone, usually 30. They pour as long at their own ratio, a judgement made here.

    Args:
        water_per_100: water per 100 plaster, by weight.
        water_c: temperature of the water, °C.
        batch_kg: plaster in the batch, kg.
        mixing_min: how long it is mixed, min.
        age_factor: how much slower this powder sets than fresh. 1 until your loads show otherwise.

    Returns:
        stages (sprinkle, soak, mix, stand, pour, thickening, hardening, hard, strip; min after powder and water met)
        and factor.

    Raises:
        InputError: the water is too hot for anybody to say.
    """
    if water_c > HOTTEST_WATER_C:
        raise InputError(
            "too_hot",
            f"water_c is over {HOTTEST_WATER_C:.0f} °C: plaster sets in the bucket. Use cool water.",
            ["water_c"],
        )
    factor = (
        (water_per_100 / _usual_per_100(water_per_100)) ** 1.2
        * 1.4 ** ((21 - water_c) / 10)
        * (batch_kg / _SMALL_KG) ** -0.05
        * (2 / mixing_min) ** 0.2
        * age_factor
    )
    soaked = _SPRINKLE + (_SOAK_SMALL if batch_kg < _SMALL_KG else _SOAK)
    mixed = soaked + mixing_min
    pour = max(_POUR * factor, mixed + _STAND)
    thick = _THICK * factor
    warnings = []
    if water_c > WARM_C:
        warnings.append(
            RuleWarning(
                code="warm_water",
                message="Warm water makes a fast set: little time to pour.",
                field="water_c",
                suggestion="Use cool water unless you want a fast set.",
            )
        )
    if pour >= thick:
        warnings.append(
            RuleWarning(
                code="thickens_in_bucket",
                message="It thickens in the bucket before it can be poured.",
                field="water_c",
                suggestion="Use cooler water, a little more water, or a smaller load.",
            )
        )
    ends = [
        ("sprinkle", _SPRINKLE),
        ("soak", soaked),
        ("mix", mixed),
        ("stand", pour),
        ("pour", max(thick, pour)),
        ("thickening", _HARD * factor),
        ("hard", _HOTTEST * factor),
        ("strip", None),
    ]
    stages, begins = [], 0.0
    for name, ends_at in ends:
        stages.append(Stage(name=name, from_min=begins, to_min=ends_at))
        begins = begins if ends_at is None else ends_at
    return PlasterClock(stages=stages, factor=factor, warnings=warnings)


class PlasterStages(Result):
    """The stages of building up with plaster, in order."""

    stages: list[Stage]


@rule(
    "plaster-stages",
    formula="milk, cream, thick cream, trowel, carve, hard: each at its time by the reference clock, times F",
    math=r"t_i = F \, t_{i,70:100}",
    sources=[PRACTICE],
    example=Example(
        given={"factor": 1.2, "mixed_min": 7},
        gives={
            "stages": [
                {"name": "milk", "from_min": 7.0, "to_min": 10.2},
                {"name": "cream", "from_min": 10.2, "to_min": 12.0},
                {"name": "thick-cream", "from_min": 12.0, "to_min": 15.6},
                {"name": "trowel", "from_min": 15.6, "to_min": 19.2},
                {"name": "carve", "from_min": 19.2, "to_min": 24.0},
                {"name": "hard", "from_min": 24.0, "to_min": None},
            ]
        },
        origin="by hand: 8.5, 10, 13, 16 and 20 min, times 1.2",
    ),
)
def plaster_stages(factor: Dimension, mixed_min: Amount) -> PlasterStages:
    """What plaster is good for as it stiffens, building up on cloth or an armature. An estimate.

    Args:
        factor: how much slower it goes than the reference clock; see ``plaster-clock``.
        mixed_min: mixed how long after plaster meets water, min.

    Returns:
        stages (milk, cream, thick-cream, trowel, carve, hard; min after powder and water met).

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    starts = [max(minutes * factor, mixed_min) for _, minutes in _BUILD]
    ends: list[float | None] = [*starts[1:], None]
    return PlasterStages(
        stages=[
            Stage(name=name, from_min=begins, to_min=end)
            for (name, _), begins, end in zip(_BUILD, starts, ends, strict=True)
        ]
    )


class PlasterDryWeight(Result):
    """What a cast weighs wet and dry, and the water that still has to leave it, kg."""

    wet_kg: float
    dry_kg: float
    to_lose_kg: float


@rule(
    "plaster-dry-weight",
    formula="dry = m·(1 + 0.1862·purity)",
    math=r"m_{dry} = m \, (1 + 0.1862 \, p) \qquad m_{wet} = m + m_w",
    sources=[MASS_BALANCE],
    example=Example(
        given={"plaster_kg": 10, "water_kg": 7},
        gives={"wet_kg": 17.0, "dry_kg": 11.862, "to_lose_kg": 5.138},
        origin="by hand: of 7 kg of water 1.862 stay",
    ),
)
def plaster_dry_weight(
    plaster_kg: Dimension, water_kg: Amount, purity_fraction: Annotated[float, Field(gt=0, le=1)] = 1.0
) -> PlasterDryWeight:
    """The dry weight of a cast. It's dry when it stops losing weight there.

    Args:
        plaster_kg: plaster in it, kg.
        water_kg: water it was mixed with, kg.
        purity_fraction: share that is pure plaster.

    Returns:
        wet_kg, dry_kg and to_lose_kg, kg.

    Raises:
        InputError: so little water that the plaster cannot all set.
    """
    dry_kg = plaster_kg * (1 + COMBINED_FRACTION * purity_fraction)
    wet_kg = plaster_kg + water_kg
    if wet_kg < dry_kg:
        raise InputError(
            "cannot_set", "water_kg is less than the plaster takes up. It can't all set.", ["water_kg"]
        )
    return PlasterDryWeight(wet_kg=wet_kg, dry_kg=dry_kg, to_lose_kg=wet_kg - dry_kg)


class Weighing(Strict):
    """A drying cast on the scale: when, in days, and its weight, kg."""

    day: Annotated[float, Field(ge=0, le=10_000)]
    kg: Dimension


class PlasterDrying(Result):
    """How far a cast has dried; the day it will probably be dry and its standard deviation, days (null: unknown)."""

    done_fraction: float
    ready_day: float | None
    ready_day_sd: float | None


# From so few weighings a rate can be told, and how sure it is.
_FEWEST = 3


@rule(
    "plaster-drying",
    formula="ln(kg − dry) = a + b·day; ready where kg = 1.005·dry",
    math=r"\ln(m - m_{dry}) = a + b\,t \qquad t_{dry} = \frac{\ln(0.005\, m_{dry}) - a}{b}",
    sources=[PRACTICE],
    example=Example(
        given={
            "weighings": [{"day": 0, "kg": 18}, {"day": 1, "kg": 14}, {"day": 2, "kg": 12}],
            "dry_kg": 10,
        },
        gives={"done_fraction": 0.75, "ready_day": 7.321928094887363, "ready_day_sd": 0.0},
        origin="by hand: 8, 4 and 2 kg above dry, halving each day; 0.05 kg after log2(160) days",
        relative_tolerance=1e-6,
    ),
)
def plaster_drying(
    weighings: Annotated[list[Weighing], Field(min_length=1, max_length=400)], dry_kg: Dimension
) -> PlasterDrying:
    """When a cast will be dry, from its weighings. The water left drops by the same share each day.

    An estimate. The last of the water leaves slower, so go by the weight: it's dry when that stops dropping.

    Args:
        weighings: day and kg of each.
        dry_kg: its dry weight, kg.

    Returns:
        done_fraction (of what it has to lose), ready_day and ready_day_sd (days, on the scale of the weighings; null
        with fewer than three weighings above the dry weight, or where they do not fall).

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    ordered = sorted(weighings, key=lambda one: one.day)
    first, last = ordered[0].kg, ordered[-1].kg
    # Lighter than it can be it is dry, and heavier than at first it has lost nothing.
    done = min(max((first - last) / (first - dry_kg), 0.0), 1.0) if first > dry_kg else 1.0
    ready = _ready([(one.day, math.log(one.kg - dry_kg)) for one in ordered if one.kg > dry_kg], dry_kg)
    return PlasterDrying(
        done_fraction=done, ready_day=ready[0] if ready else None, ready_day_sd=ready[1] if ready else None
    )


def _ready(points: list[tuple[float, float]], dry_kg: float) -> tuple[float, float] | None:
    """Where the fitted line comes to nearly dry, and the standard deviation of that; None where it does not fall."""
    count = len(points)
    days = [day for day, _ in points]
    if count < _FEWEST or max(days) == min(days):
        return None
    middle, level = math.fsum(days) / count, math.fsum(value for _, value in points) / count
    spread = math.fsum((day - middle) ** 2 for day in days)
    slope = math.fsum((day - middle) * (value - level) for day, value in points) / spread
    if slope >= 0:
        return None
    ready = middle + (math.log(DRY_FRACTION * dry_kg) - level) / slope
    scatter = math.fsum((value - level - slope * (day - middle)) ** 2 for day, value in points) / (count - 2)
    return ready, math.sqrt(scatter * (1 / count + (ready - middle) ** 2 / spread)) / -slope
