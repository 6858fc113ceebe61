"""The charge section: the mixer cut open, its charges as layers in order of charging, to scale by volume."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, NamedTuple

from keeve.core.mixes.model import Hatch
from keeve.core.planning.plan import Load, Plan, load_steps
from keeve.web.drawings.spread import spread
from keeve.web.drawings.vessel import Vessel

DrawnHatch = Hatch | Literal["mixed"]

CENTRE_X = 350.0
BOTTOM_Y = 500.0
LABEL_X = 590.0
_LABEL_GAP = 74.0
_LABELS_LOW, _LABELS_HIGH = 66.0, 470.0
_ROUGHNESS = 3.0


@dataclass(frozen=True)
class Layer:
    """One charge: its step (None once all is mixed), hatch, path, the dot of its leader, its label's height."""

    step: int | None
    hatch: DrawnHatch
    path: str
    dot_x: float
    dot_y: float
    label_y: float
    volume_l: float


@dataclass(frozen=True)
class Section:
    """Everything the template draws, in drawing units, y downwards."""

    kind: str
    wall: str
    inside: str
    layers: list[Layer]
    rim_y: float
    top_y: float
    full_y: float
    full_half: float
    mixed_y: float
    mixed_half: float
    mixed_l: float
    is_mixed: bool
    mark_labels: tuple[float, float]
    teeth: list[tuple[float, float, float, float]]
    overflows: bool


def charge_section(
    plan: Plan, load: Load, shares: Mapping[int, float] | None = None, mixed_l: float | None = None
) -> Section:
    """The section of a load.

    Args:
        plan: the plan of the load.
        load: the load.
        shares: how much of each step is in, to draw only that; None draws the whole load.
        mixed_l: where it is mixed already, what stands in the mixer, L.
    """
    vessel = Vessel(plan.mixer.kind, plan.mixer.full_l)
    charges = _charges(plan, load, shares) if mixed_l is None else [_Charge(None, "mixed", mixed_l)]
    filled = 0.0
    layers: list[tuple[int | None, DrawnHatch, float, float]] = []
    for charge in charges:
        layers.append((charge.step, charge.hatch, filled, filled + charge.volume_l))
        filled += charge.volume_l
    middles = [BOTTOM_Y - (vessel.level(low) + vessel.level(high)) / 2 for _, _, low, high in layers]
    # Labels are spread from the top down, layers stack from the bottom up.
    labels = spread(middles[::-1], _LABEL_GAP, _LABELS_LOW, _LABELS_HIGH)[::-1]
    level_l = load.yield_l if mixed_l is None else mixed_l
    full_y, mixed_y = BOTTOM_Y - vessel.level(plan.mixer.working_l), BOTTOM_Y - vessel.level(level_l)
    marks = spread([full_y, mixed_y], 52.0, 60.0, 480.0)
    return Section(
        kind=vessel.kind,
        wall=_outline(vessel, closed=False),
        inside=_outline(vessel, closed=True),
        layers=[
            _layer(vessel, step, hatch, low, high, label_y)
            for (step, hatch, low, high), label_y in zip(layers, labels, strict=True)
        ],
        rim_y=BOTTOM_Y - vessel.height,
        top_y=min([BOTTOM_Y - vessel.height, *labels]) - 30,
        full_y=full_y,
        full_half=vessel.half_width(vessel.level(plan.mixer.working_l)),
        mixed_y=mixed_y,
        mixed_half=vessel.half_width(vessel.level(level_l)),
        mixed_l=level_l,
        is_mixed=mixed_l is not None,
        mark_labels=(marks[0], marks[1]),
        teeth=_teeth(vessel),
        overflows=filled > vessel.full_l,
    )


class _Charge(NamedTuple):
    step: int | None
    hatch: DrawnHatch
    volume_l: float


def _charges(plan: Plan, load: Load, shares: Mapping[int, float] | None) -> list[_Charge]:
    found = []
    for step in load_steps(plan, load):
        volume = step.water_l if step.water_l is not None else step.volume_l
        if volume and shares is not None:
            volume *= shares.get(step.plan.step, 0.0)
        if volume:
            hatch = plan.material(step.plan.material).hatch if step.plan.material else "water"
            found.append(_Charge(step.plan.step, hatch, volume))
    return found


def _layer(
    vessel: Vessel, step: int | None, hatch: DrawnHatch, low_l: float, high_l: float, label_y: float
) -> Layer:
    low, high = vessel.level(low_l), vessel.level(high_l)
    middle = (low + high) / 2
    return Layer(
        step=step,
        hatch=hatch,
        path=_layer_path(vessel, high, rough=hatch != "water", seed=step or 0),
        dot_x=CENTRE_X + vessel.half_width(middle) * 0.72,
        dot_y=BOTTOM_Y - middle,
        label_y=label_y,
        volume_l=high_l - low_l,
    )


def _layer_path(vessel: Vessel, top: float, *, rough: bool, seed: int) -> str:
    """Everything under a surface. Layers are painted from the top one down, each over the one above it."""
    half = vessel.half_width(top)
    points = []
    for index in range(41):
        x = -half + 2 * half * index / 40
        # Two sines out of step look heaped, and draw the same each time.
        heave = math.sin(index * 0.55 + seed * 1.7) + 0.6 * math.sin(index * 1.9 + seed) if rough else 0.0
        points.append(f"{CENTRE_X + x:.1f},{BOTTOM_Y - top + heave * _ROUGHNESS:.1f}")
    wide = vessel.width
    return f"M{' L'.join(points)} L{CENTRE_X + wide:.1f},{BOTTOM_Y + 4:.1f} L{CENTRE_X - wide:.1f},{BOTTOM_Y + 4:.1f} Z"


def _outline(vessel: Vessel, *, closed: bool) -> str:
    right = [(CENTRE_X + half, BOTTOM_Y - at) for half, at in vessel.outline]
    left = [(CENTRE_X - half, BOTTOM_Y - at) for half, at in reversed(vessel.outline)]
    path = "M" + " L".join(f"{x:.1f},{y:.1f}" for x, y in [*left, *right])
    return f"{path} Z" if closed else path


def _teeth(vessel: Vessel) -> list[tuple[float, float, float, float]]:
    """The toothed ring round a drum's belly, as short strokes outside the wall."""
    if vessel.kind != "tilting-drum":
        return []
    half = vessel.width / 2
    rows = [BOTTOM_Y - vessel.height * (0.42 + 0.022 * index) for index in range(6)]
    return [
        (CENTRE_X + side * (half + 5), y, CENTRE_X + side * (half + 13), y) for side in (-1, 1) for y in rows
    ]
