"""How warm a mix comes out by the temperatures of the site, and how long it may be worked so."""

from collections.abc import Collection
from math import fsum

from keeve.core.errors import InputError
from keeve.core.planning.job import Conditions
from keeve.core.planning.plan import Load
from keeve.core.rules.temperature import mix_temperature, working_life
from keeve.core.rules.workings import Workings


def heat_masses(binders: Collection[str], load: Load) -> dict[str, float]:
    """The masses of a load that hold heat, kg, by the names that the rules of temperature use."""
    return {
        "aggregate_kg": fsum(item.dry_kg for item in load.charges if item.material not in binders),
        "cement_kg": fsum(item.dry_kg for item in load.charges if item.material in binders),
        "water_kg": load.water.target_l,
        "aggregate_water_kg": max(load.water.in_aggregate_l, 0.0),
    }


def estimated_mix_c(
    site: Conditions, binders: Collection[str], load: Load, workings: Workings
) -> float | None:
    """The temperature of a mix by those of the site; None where they are not known, or it cannot be mixed so.

    Materials lie at the temperature of the air unless the stockpile's own is given.
    """
    if site.air_c is None or site.water_c is None:
        return None
    try:
        return workings.run(
            mix_temperature,
            **heat_masses(binders, load),
            aggregate_c=site.air_c if site.stockpile_c is None else site.stockpile_c,
            cement_c=site.air_c,
            water_c=site.water_c,
        ).mix_c
    except InputError:
        # A frozen stockpile is no mix: the plan says so, and life is counted as at 20 °C.
        return None


def life_on_site(
    life_min: float, site: Conditions, binders: Collection[str], load: Load, workings: Workings
) -> float:
    """The working life of a mix on this site, min: a computed temperature may shorten it, never lengthen it."""
    mix_c = estimated_mix_c(site, binders, load, workings)
    if mix_c is None:
        return life_min
    return min(workings.run(working_life, life_min_at_20c=life_min, mix_c=mix_c).life_min, life_min)
