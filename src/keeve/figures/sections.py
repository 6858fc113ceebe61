"""A mixer cut open: its layers in order of loading, the levels, and what is mixed."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from keeve.core.mixes.mixers import MixerKind
from keeve.core.mixes.model import Hatch
from keeve.core.planning.plan import Load, Plan, load_steps
from keeve.figures.amounts import StepView


class SectionLayer(NamedTuple):
    """One layer: its step, hatch, loose volume (L), and the step as it is shown where the layer is labelled."""

    step: int
    hatch: Hatch
    volume_l: float
    label: StepView | None


@dataclass(frozen=True)
class SectionFigures:
    """The figures of a section.

    Args:
        mixer: kind of mixer.
        full_l: its volume to the rim, L.
        working_l: its mixed working volume, L.
        layers: what is in, in order of loading; nothing once it is mixed.
        level_l: the level of the mixed load, L.
        is_mixed: whether it is mixed.
        mixed_hatch: the hatch of what is mixed.
    """

    mixer: MixerKind
    full_l: float
    working_l: float
    layers: Sequence[SectionLayer]
    level_l: float
    is_mixed: bool
    mixed_hatch: str


def section_figures(
    plan: Plan,
    load: Load,
    shares: Mapping[int, float] | None = None,
    mixed_l: float | None = None,
    labels: Sequence[StepView] = (),
) -> SectionFigures:
    """The figures of a section.

    Args:
        plan: the plan of the load.
        load: the load.
        shares: how much of each step is in; None for the whole load.
        mixed_l: the level in the mixer where it is mixed, L.
        labels: the steps as they are shown, where layers are labelled.
    """
    return SectionFigures(
        mixer=plan.mixer.kind,
        full_l=plan.mixer.full_l,
        working_l=plan.mixer.working_l,
        layers=_layers(plan, load, shares, labels) if mixed_l is None else [],
        level_l=load.yield_l if mixed_l is None else mixed_l,
        is_mixed=mixed_l is not None,
        mixed_hatch=plan.materials[0].hatch if plan.mix.regime_traits.in_order else "mixed",
    )


def _layers(
    plan: Plan, load: Load, shares: Mapping[int, float] | None, labels: Sequence[StepView]
) -> list[SectionLayer]:
    by_number = {label.plan.step: label for label in labels}
    found = []
    for step in load_steps(plan, load):
        volume_l = step.volume_l if step.water_l is None else step.water_l
        if plan.mix.regime_traits.in_order and step.mass_kg is not None:
            # Under water a powder takes no more room than its grains.
            volume_l = load.yield_l - load.water.start_l
        if volume_l and shares is not None:
            volume_l *= shares.get(step.plan.step, 0.0)
        if volume_l:
            hatch = plan.material(step.plan.material).hatch if step.plan.material else "water"
            number = step.plan.step
            found.append(SectionLayer(number, hatch, volume_l, by_number.get(number)))
    return found
