"""The ratios of a plaster mix, side by side: as they are told, how dense and how hard they dry."""

from collections.abc import Sequence
from typing import NamedTuple

from keeve.core.mixes.model import Mix
from keeve.core.planning.plan import Plan
from keeve.core.rules.gypsum import ISLANDS_PER_100, plaster_density, plaster_ratio


class RatioLine(NamedTuple):
    """A ratio: what it is called and for, as it is told in every way, and the dry cast it makes."""

    name: str
    use: str
    water_per_100: float
    plaster_lb_per_us_qt: float
    plaster_kg_per_l: float
    dry_density_kg_m3: float
    pore_fraction: float
    hardness: str
    is_chosen: bool = False


def ratio_line(name: str, use: str, ratio: float, *, is_chosen: bool = False) -> RatioLine:
    """A ratio of water over plaster, by mass."""
    told = plaster_ratio(plaster_kg=1.0, water_kg=ratio)
    cast = plaster_density(water_per_100=told.water_per_100)
    return RatioLine(
        name,
        use,
        told.water_per_100,
        told.plaster_lb_per_us_qt,
        told.plaster_kg_per_l,
        cast.dry_density_kg_m3,
        cast.pore_fraction,
        cast.hardness,
        is_chosen,
    )


def ratios_of(mix: Mix) -> list[RatioLine]:
    """The ratios of a plaster mix; what dry islands come to, between which it is found out by weighing."""
    if mix.basis != "gypsum" or mix.water is None:
        return []
    if mix.proportions:
        return [ratio_line(item.name, item.use, item.water.ratio_default) for item in mix.proportions]
    least, most = ISLANDS_PER_100
    return [
        ratio_line("many islands", "the least water", least / 100),
        ratio_line("half islands", "about", mix.water.ratio_default),
        ratio_line("few islands", "the most", most / 100),
    ]


def ratios_beside(mix: Mix, plan: Plan) -> Sequence[RatioLine]:
    """The ratios of a mix with the one of a plan among them."""
    load = plan.loads[0]
    chosen = load.water.target_l / load.binder_kg
    lines = ratios_of(mix)
    if not lines:
        return []
    same = [line for line in lines if abs(line.water_per_100 / 100 - chosen) < _SAME]
    marked = [line._replace(is_chosen=line in same) for line in lines]
    own = [] if same else [ratio_line("your own", "", chosen, is_chosen=True)]
    return sorted([*marked, *own], key=lambda line: line.water_per_100)


# Ratios nearer than that are one.
_SAME = 5e-4
