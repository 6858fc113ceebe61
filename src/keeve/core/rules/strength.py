"""Strength of concrete from its water to binder ratio and age, what water costs, and the mean to aim at."""

import math
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Annotated, Any, NamedTuple, overload

from keeve.core.errors import InputError
from keeve.core.rules.registry import (
    Amount,
    Dimension,
    Example,
    Result,
    RuleWarning,
    Source,
    Strict,
    older,
    published,
    rule,
)
from keeve.core.rules.yaml_tables import read_table

LAW_FILE = Path(__file__).parent / "strength_law.yaml"
# Where the law was fitted: water over all binder by mass, and age. The data reach from 0.235 to 0.80; up to 0.90 it is
# drawn out, past which there is nothing to lean on.
LEAST_RATIO, MOST_RATIO = 0.235, 0.90
_LEAST_DAYS, _MOST_DAYS = 1.0, 365.0
# The greatest shares of the binder in the data.
_MOST_SLAG, _MOST_FLY_ASH = 0.62, 0.56
# The least dose of superplasticiser in the data, of the binder: under it, its effect is taken in proportion.
_LEAST_DOSE = 0.0036
# The spread grows with the strength to this power: with it the band covers as well at 3 days as at a year.
SPREAD_POWER = 2 / 3
# The ratio at which ``gain`` is told.
_GAIN_AT_RATIO = 0.5
# Particle densities, kg/m3, to see whether the masses make a cubic metre (common practice, no source).
_DENSITIES = {
    "cement": 3150,
    "slag": 2900,
    "fly_ash": 2300,
    "water": 1000,
    "superplasticizer": 1060,
    "stone": 2650,
    "sand": 2620,
}
_CUBIC_METRE = (0.9, 1.1)
_DATA = Source(
    text="fitted to I-C. Yeh, Cement and Concrete Research 28 (1998), open data, CC BY 4.0, by ./keeve fit-strength",
    kind="derived",
)


class StrengthLaw(Strict):
    """Abrams' law with an age, and what slag and fly ash count as in it.

    ``base`` (MPa) and ``slope`` of the law in water over all binder at 28 days; ``gain`` with age at a ratio of 0.5
    and ``gain_by_ratio``, how much more a wetter concrete gains late; ``plasticised``, the share of its water that
    superplasticiser makes up for; what a kilogram of slag and of fly ash counts as cement at 28 days, and how fast
    that rises with age; the ends of the 80 % band over the spread of the strength with cement alone, and how many
    times wider it is with two and with three kinds of binder.
    """

    base: float
    slope: float
    gain: float
    gain_by_ratio: float
    plasticised: float
    slag: float
    slag_rise: float
    fly_ash: float
    fly_ash_rise: float
    low: float
    high: float
    two_binders: float
    three_binders: float


@cache
def strength_law() -> StrengthLaw:
    """The law as it was fitted."""
    return StrengthLaw.model_validate(read_table(LAW_FILE))


class Binders(NamedTuple):
    """What the law looks at: masses in any one unit."""

    cement: float
    slag: float
    fly_ash: float
    water: float
    superplasticizer: float = 0.0

    @property
    def binder(self) -> float:
        """Mass of all binder."""
        return self.cement + self.slag + self.fly_ash

    @property
    def kinds(self) -> int:
        """How many kinds of binder there are."""
        return sum(mass > 0 for mass in (self.cement, self.slag, self.fly_ash))


class Functions(NamedTuple):
    """What the law is worked out with: for one concrete, or for columns of many."""

    exp: Callable[[Any], Any]
    sqrt: Callable[[Any], Any]
    lesser: Callable[[Any, Any], Any]


_FOR_ONE = Functions(math.exp, math.sqrt, min)


@overload
def strength_mpa(law: StrengthLaw, contents: Binders, age_days: float) -> float: ...
@overload
def strength_mpa(law: StrengthLaw, contents: Binders, age_days: Any, by: Functions) -> Any: ...
def strength_mpa(law: StrengthLaw, contents: Binders, age_days: Any, by: Functions = _FOR_ONE) -> Any:
    """What the law gives, MPa.

    A kilogram of slag or fly ash counts as part of a kilogram of cement, at most as one; water is over all of them.

    Args:
        law: the law.
        contents: the masses; of many concretes their columns.
        age_days: the age, or a column of ages, days.
        by: what it is worked out with.
    """
    h = 1 - by.sqrt(28 / age_days)
    counted = (
        contents.cement
        + by.lesser(law.slag * by.exp(law.slag_rise * h), 1.0) * contents.slag
        + by.lesser(law.fly_ash * by.exp(law.fly_ash_rise * h), 1.0) * contents.fly_ash
    )
    ratio = contents.water / contents.binder
    plasticised = by.lesser(contents.superplasticizer / contents.binder / _LEAST_DOSE, 1.0)
    exponent = (
        -law.slope * ratio * (1 - law.plasticised * plasticised)
        + (law.gain + law.gain_by_ratio * (ratio - _GAIN_AT_RATIO)) * h
    )
    return law.base * by.exp(exponent) * counted / contents.binder


def band_ends(law: StrengthLaw, contents: Binders, mpa: float) -> tuple[float, float]:
    """The ends of the 80 % band round that strength, MPa."""
    wider = (1.0, law.two_binders, law.three_binders)[contents.kinds - 1]
    spread = wider * mpa**SPREAD_POWER
    return max(mpa + law.low * spread, 0.0), mpa + law.high * spread


class StrengthBand(Result):
    """Strength in MPa with its 80 % band: laboratory cylinders, cured wet; an estimate."""

    mpa: float
    low_mpa: float
    high_mpa: float


@rule(
    "strength-band",
    formula="f = base · exp(−slope · (1 − plasticised) · water / binder + gain · (1 − √(28 / age))) · counted / binder",
    math=(
        r"f = A \, e^{-B r (1 - q) + (g + g_r (r - 0.5)) h} \; \frac{c + k_s s + k_f f_a}{c + s + f_a} "
        r"\qquad r = \frac{w}{c + s + f_a} \qquad h = 1 - \sqrt{28 / t}"
    ),
    sources=[published("Abrams, Design of Concrete Mixtures, 1918"), _DATA],
    example=Example(
        given={
            "cement_kg_m3": 300,
            "water_kg_m3": 150,
            "stone_kg_m3": 1050,
            "sand_kg_m3": 850,
            "age_days": 28,
        },
        gives={"mpa": 37.64},
        origin="by hand with the fitted base 137.54 and slope 2.5914: 137.54 · exp(−1.2957)",
        relative_tolerance=1e-3,
    ),
)
def strength_band(
    cement_kg_m3: Annotated[Amount, older("cement_kg_m3", "cement")],
    water_kg_m3: Annotated[Dimension, older("water_kg_m3", "water")],
    stone_kg_m3: Annotated[Amount, older("stone_kg_m3", "coarse")],
    sand_kg_m3: Annotated[Amount, older("sand_kg_m3", "fine")],
    age_days: Dimension,
    slag_kg_m3: Annotated[Amount, older("slag_kg_m3", "slag")] = 0.0,
    fly_ash_kg_m3: Annotated[Amount, older("fly_ash_kg_m3", "fly_ash")] = 0.0,
    superplasticizer_kg_m3: Annotated[Amount, older("superplasticizer_kg_m3", "superplasticizer")] = 0.0,
) -> StrengthBand:
    """Expected strength of a concrete from its cement, water and age.

    Water, cement, age and plasticiser count. Sand and stone added nothing that held up on other data.
    They only check that the weights fill a cubic metre.

    Args:
        cement_kg_m3: cement, kg/m3 of concrete (also read as ``cement``; so with the other names without a unit).
        water_kg_m3: free water, kg/m3.
        stone_kg_m3: stone, kg/m3 (also read as ``coarse``).
        sand_kg_m3: sand, kg/m3 (also read as ``fine``).
        age_days: age, days.
        slag_kg_m3: ground slag, kg/m3.
        fly_ash_kg_m3: fly ash, kg/m3.
        superplasticizer_kg_m3: superplasticiser, as the solution, kg/m3. The concretes with it are a little
            stronger at the same ratio: they are better dispersed and compacted.

    Returns:
        mpa, with low_mpa and high_mpa, its 80 % range: nine in ten are stronger than low_mpa. Laboratory
        cylinders, cured wet; a cube reads about a fifth more (EN 206 pairs C25/30, from memory). Site concrete
        scatters more, and compaction and curing take from it.

    Raises:
        InputError: water over binder, or age, outside where the law was fitted.
    """
    contents = Binders(cement_kg_m3, slag_kg_m3, fly_ash_kg_m3, water_kg_m3, superplasticizer_kg_m3)
    binder = contents.binder
    ratio = water_kg_m3 / binder if binder else math.inf
    _refuse_outside(ratio, ["water_kg_m3", "cement_kg_m3", "slag_kg_m3", "fly_ash_kg_m3"])
    if not _LEAST_DAYS <= age_days <= _MOST_DAYS:
        raise InputError(
            "age_outside",
            f"age_days must be {_LEAST_DAYS:g} to {_MOST_DAYS:g}: there is no data outside that.",
            ["age_days"],
        )
    law = strength_law()
    mpa = strength_mpa(law, contents, age_days)
    low_mpa, high_mpa = band_ends(law, contents, mpa)
    masses = {
        "cement": cement_kg_m3,
        "slag": slag_kg_m3,
        "fly_ash": fly_ash_kg_m3,
        "water": water_kg_m3,
        "superplasticizer": superplasticizer_kg_m3,
        "stone": stone_kg_m3,
        "sand": sand_kg_m3,
    }
    return StrengthBand(
        mpa=mpa,
        low_mpa=low_mpa,
        high_mpa=high_mpa,
        warnings=[*_not_a_cubic_metre(masses), *_much_replaced(slag_kg_m3 / binder, fly_ash_kg_m3 / binder)],
    )


def _refuse_outside(ratio: float, fields: list[str]) -> None:
    if not LEAST_RATIO <= ratio <= MOST_RATIO:
        raise InputError(
            "ratio_outside",
            f"Water to cement is {ratio:.3g}. The test data cover {LEAST_RATIO:g} to {MOST_RATIO:.2f}. "
            "Check water and cement.",
            fields,
        )


def _not_a_cubic_metre(masses: dict[str, float]) -> list[RuleWarning]:
    volume_m3 = math.fsum(mass / _DENSITIES[name] for name, mass in masses.items())
    if _CUBIC_METRE[0] <= volume_m3 <= _CUBIC_METRE[1]:
        return []
    return [
        RuleWarning(
            code="not_a_cubic_metre",
            message=f"These weights fill {volume_m3:.2f} m3, not a cubic metre of concrete with sand and stone.",
            field="stone_kg_m3",
            suggestion="Enter kg per m3 of concrete. This doesn't work for mortar.",
        )
    ]


def _much_replaced(slag_share: float, fly_ash_share: float) -> list[RuleWarning]:
    found = []
    for name, share, most in (("slag", slag_share, _MOST_SLAG), ("fly ash", fly_ash_share, _MOST_FLY_ASH)):
        if share > most:
            found.append(
                RuleWarning(
                    code="share_outside",
                    message=f"{share:.0%} of the cement is {name}. The test data stop at {most:.0%}.",
                    field=f"{name.replace(' ', '_')}_kg_m3",
                    suggestion="Treat the figure as a guess and test specimens.",
                )
            )
    return found


_PENALTY_DAYS = 28


class WaterPenalty(Result):
    """Strength with the extra water over strength without."""

    strength_ratio: float


@rule(
    "water-penalty",
    formula="ratio = exp(−slope · extra water / binder)",
    math=r"\frac{f_{\text{wet}}}{f} = e^{-B \, \Delta w / b}",
    sources=[published("Abrams, Design of Concrete Mixtures, 1918"), _DATA],
    example=Example(
        given={"binder_kg": 30, "water_kg": 15, "extra_water_kg": 3},
        gives={"strength_ratio": 0.7717},
        origin="by hand with the fitted slope 2.5914: exp(−0.25914)",
        relative_tolerance=1e-3,
    ),
)
def water_penalty(binder_kg: Dimension, water_kg: Dimension, extra_water_kg: Amount) -> WaterPenalty:
    """How much strength extra water costs at 28 days.

    Args:
        binder_kg: cement, kg.
        water_kg: without the extra, kg.
        extra_water_kg: beyond that, kg.

    Returns:
        strength_ratio, strength with the extra water over strength without.

    Raises:
        InputError: water over binder outside where the law was fitted, with or without the extra water.
    """
    _refuse_outside(water_kg / binder_kg, ["water_kg", "binder_kg"])
    _refuse_outside((water_kg + extra_water_kg) / binder_kg, ["extra_water_kg"])
    law = strength_law()
    without, with_extra = (
        strength_mpa(law, Binders(binder_kg, 0, 0, water), _PENALTY_DAYS)
        for water in (water_kg, water_kg + extra_water_kg)
    )
    return WaterPenalty(strength_ratio=with_extra / without)


class RequiredMeanStrength(Result):
    """The mean to aim at, MPa."""

    mean_mpa: float


@rule(
    "required-mean-strength",
    formula="f ≤ 35: max(f + 1.34 s, f + 2.33 s − 3.45); above: max(f + 1.34 s, 0.9 f + 2.33 s)",
    math=(
        r"f_m = \begin{cases} \max(f + 1.34 s, \; f + 2.33 s - 3.45) & f \le 35 \\ "
        r"\max(f + 1.34 s, \; 0.9 f + 2.33 s) & f > 35 \end{cases}"
    ),
    sources=[published("ACI 318, required average compressive strength with a record of tests")],
    example=Example(
        given={"specified_mpa": 25, "sd_mpa": 4},
        gives={"mean_mpa": 30.87},
        origin="by hand: 25 + 5.36 = 30.36, and 25 + 9.32 − 3.45 = 30.87",
    ),
)
def required_mean_strength(specified_mpa: Dimension, sd_mpa: Amount) -> RequiredMeanStrength:
    """The average strength to aim for, so few tests fall below the specified one.

    Args:
        specified_mpa: the specified strength, MPa.
        sd_mpa: of your own tests, MPa.

    Returns:
        mean_mpa, the mean to design for.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    f, s = specified_mpa, sd_mpa
    second = f + 2.33 * s - 3.45 if f <= _HIGH_STRENGTH_MPA else 0.9 * f + 2.33 * s
    return RequiredMeanStrength(mean_mpa=max(f + 1.34 * s, second))


_HIGH_STRENGTH_MPA = 35.0
