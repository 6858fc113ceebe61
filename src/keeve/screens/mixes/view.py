"""A mix as it is shown: its materials by volume, what a cubic metre takes, its steps along their time."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import NamedTuple

from keeve.core.mixes import materials
from keeve.core.mixes.model import Hatch, Mix, Use
from keeve.core.mixes.procedures import Procedure, Step
from keeve.core.planning.plan import Plan
from keeve.core.planning.sample_plans import cubic_metre
from keeve.figures.terms import USE_NAMES, in_terms

# The scale of thickness that every mix without its own is shown on, mm.
_ANY_THICKNESS_MM = (1.0, 1000.0)

# Other words for a use, here or overseas, as one looks for it.
_LOOKED_FOR: Mapping[Use, str] = {
    "bed": "laying bricks blocks",
    "point": "repointing tuckpointing",
    "render": "stucco parge parging",
    "plaster": "skim",
    "lay floor": "flooring",
    "cast": "moulds molds",
    "top": "resurfacing",
    "infill": "filling studs",
}


class LooseVolume(NamedTuple):
    """A material of a load: its hatch, its name and its loose volume, L."""

    hatch: Hatch
    name: str
    volume_l: float


class DryAmount(NamedTuple):
    """A material of a cubic metre, oven-dry, kg."""

    name: str
    dry_kg: float


class TimedStep(NamedTuple):
    """A step of a procedure: its kind, the hatch of what goes in, its share, its times in min."""

    kind: str
    hatch: Hatch | None
    share: float
    minutes: tuple[float, float]


@dataclass(frozen=True)
class MixFigures:
    """A mix as it is shown.

    Args:
        mix: the mix.
        plan: a cubic metre of it.
        volumes: its materials and water by loose volume.
        amounts: its materials by mass; empty where its label or design gives the figures.
        water_l: water in a cubic metre, with what comes in the sand, L.
        thickness_mm: its thickness, or the whole scale where it has none.
        ratio: its parts in a word.
        found_by: the words it is found by, in small letters.
    """

    mix: Mix
    plan: Plan
    volumes: tuple[LooseVolume, ...]
    amounts: Sequence[DryAmount]
    water_l: float
    thickness_mm: tuple[float, float]
    ratio: str
    found_by: str


# Every mix to choose from is shown on the page of a new plan, each with a plan of its own: a tenth of a second.
@lru_cache(maxsize=128)
def mix_figures(mix: Mix) -> MixFigures:
    """The figures of a mix."""
    plan = cubic_metre(mix)
    load = plan.loads[0]
    volumes = [
        LooseVolume(plan.material(charge.material).hatch, charge.material, charge.volume_l)
        for charge in load.charges
    ]
    # Where the label gives the figures, the made-up ones of the sample are not shown.
    is_known = mix.basis_traits.asks_for is None
    return MixFigures(
        mix=mix,
        plan=plan,
        volumes=(*volumes, LooseVolume("water", "water", load.water.with_aggregate_l)),
        amounts=[DryAmount(charge.material, charge.dry_kg) for charge in load.charges] if is_known else [],
        water_l=load.water.with_aggregate_l,
        thickness_mm=mix.thickness_mm or _ANY_THICKNESS_MM,
        ratio=mix.ratio,
        found_by=" ".join(
            [
                *(mix.name, in_terms(mix.name, "us"), mix.ratio, mix.trade or ""),
                *(f"{use} {USE_NAMES[use]} {_LOOKED_FOR.get(use, '')}" for use in mix.uses),
                *mix.known_as,
            ]
        ).casefold(),
    )


def procedure_for(mix: Mix, mixer: str = "", order: str = "") -> Procedure:
    """The procedure for a mixer and an order, by name; else the mix's first."""
    procedures = mix.as_usual.procedures
    chosen = [item for item in procedures if item.mixer == mixer and order in ("", item.order)]
    return chosen[0] if chosen else procedures[0]


def timed_steps(mix: Mix, procedure: Procedure) -> list[TimedStep]:
    """The steps of a procedure up to placing."""
    return [
        TimedStep(step.kind, _hatch(mix, step), getattr(step, "share", 1.0), step.minutes)
        for step in procedure.steps
        if step.kind != "place"
    ]


def _hatch(mix: Mix, step: Step) -> Hatch | None:
    if step.kind == "charge":
        part = next(part for part in mix.parts if part.name == step.material)
        return materials()[part.material].hatch
    if step.kind == "water":
        return "water"
    return "paste" if step.kind == "admixture" else None
