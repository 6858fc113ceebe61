"""The section: the mixer cut open, what is in it as layers in order of loading, to scale by volume."""

import math
from dataclasses import dataclass
from typing import Literal

from keeve.drawing.spread import spread
from keeve.drawing.vessel import DrawnVessel
from keeve.figures.amounts import StepView
from keeve.figures.sections import SectionFigures

CENTRE_X = 350.0
BOTTOM_Y = 500.0
# Labels of the layers are in a column from here, each with its numbered disc.
LABEL_X = 590.0
_DISC = 19.0
_LABEL_GAP = 74.0
_LABELS_LOW, _LABELS_HIGH = 66.0, 470.0
_LEADER_X = 550.0
# On a narrow picture the disc is in the layer, this far left of the dot.
_DISC_LEFT = 60.0
# Labels of the two levels are left of the mixer.
_MARKS_X, _MARKS_GAP = 150.0, 52.0
_ROUGHNESS = 3.0

DrawnHatch = str | Literal["mixed"]


@dataclass(frozen=True)
class Layer:
    """One layer: its step (None once all is mixed), hatch, path, dot, leader, disc in the layer, label height."""

    step: int | None
    hatch: DrawnHatch
    path: str
    dot_x: float
    dot_y: float
    disc_x: float
    leader: str
    label_y: float
    volume_l: float
    label: StepView | None


@dataclass(frozen=True)
class Section:
    """Everything the template draws, in drawing units, y downwards.

    ``full`` is the mixed working volume, ``level`` the level of this load once it is mixed.
    """

    kind: str
    wide_view: str
    short_view: str
    narrow_view: str
    bare_view: str
    label_x: float
    wall: str
    inside: str
    layers: list[Layer]
    full_l: float
    full_mark: str
    full_leader: str
    full_label_y: float
    level_l: float
    level_line: str
    level_leader: str
    level_label_y: float
    is_mixed: bool
    teeth: list[str]


def section(figures: SectionFigures) -> Section:
    """The section of a load."""
    vessel = DrawnVessel(figures.mixer, figures.full_l)
    layers = _layers(vessel, figures)
    full, level = vessel.level(figures.working_l), vessel.level(figures.level_l)
    full_half, level_half = vessel.half_width(full), vessel.half_width(level)
    full_y, level_y = BOTTOM_Y - full, BOTTOM_Y - level
    full_label_y, level_label_y = spread([full_y, level_y], _MARKS_GAP, 60.0, 480.0)
    rim_y = BOTTOM_Y - vessel.height
    top_y = min([rim_y, *(layer.label_y for layer in layers)]) - 30
    left, right = CENTRE_X - full_half - 8, CENTRE_X + full_half + 8
    return Section(
        kind=vessel.kind,
        wide_view=f"14 {top_y:.0f} 840 {518 - top_y:.0f}",
        short_view=f"48 {top_y:.0f} 764 {518 - top_y:.0f}",
        bare_view=f"{CENTRE_X - vessel.width / 2 - 20:.0f} {rim_y - 14:.0f} {vessel.width + 40:.0f} {528 - rim_y:.0f}",
        narrow_view=f"20 {rim_y - 40:.0f} 552 {570 - rim_y:.0f}",
        label_x=LABEL_X,
        wall=_outline(vessel, closed=False),
        inside=_outline(vessel, closed=True),
        layers=layers,
        full_l=figures.working_l,
        full_mark=f"M{left:.1f},{full_y:.1f} h22 M{right:.1f},{full_y:.1f} h-22",
        full_leader=f"M{left:.1f},{full_y:.1f} L{_MARKS_X},{full_label_y:.1f} h-8",
        full_label_y=full_label_y,
        level_l=figures.level_l,
        level_line=f"M{CENTRE_X - level_half:.1f},{level_y:.1f} H{CENTRE_X + level_half:.1f}",
        level_leader=f"M{CENTRE_X - level_half:.1f},{level_y:.1f} L{_MARKS_X},{level_label_y:.1f} h-8",
        level_label_y=level_label_y,
        is_mixed=figures.is_mixed,
        teeth=_teeth(vessel),
    )


def _layers(vessel: DrawnVessel, figures: SectionFigures) -> list[Layer]:
    """The layers from the bottom up; once it is mixed, one."""
    stacked: list[tuple[int | None, DrawnHatch, float, float, StepView | None]] = []
    filled = 0.0
    for one in figures.layers:
        stacked.append((one.step, one.hatch, filled, filled + one.volume_l, one.label))
        filled += one.volume_l
    if figures.is_mixed:
        stacked = [(None, figures.mixed_hatch, 0.0, figures.level_l, None)]
    middles = [BOTTOM_Y - (vessel.level(low) + vessel.level(high)) / 2 for _, _, low, high, _ in stacked]
    # Labels are spread from the top down, layers stack from the bottom up.
    labels = spread(middles[::-1], _LABEL_GAP, _LABELS_LOW, _LABELS_HIGH)[::-1]
    found = []
    for (step, hatch, low_l, high_l, label), label_y in zip(stacked, labels, strict=True):
        low, high = vessel.level(low_l), vessel.level(high_l)
        dot_x = CENTRE_X + vessel.half_width((low + high) / 2) * 0.72
        dot_y = BOTTOM_Y - (low + high) / 2
        leader_x = max(dot_x + 4, _LEADER_X)
        found.append(
            Layer(
                step=step,
                hatch=hatch,
                path=_layer_path(vessel, high, rough=hatch != "water", seed=step or 0),
                dot_x=round(dot_x, 1),
                dot_y=round(dot_y, 1),
                disc_x=round(dot_x - _DISC_LEFT, 1),
                leader=f"M{dot_x:.1f},{dot_y:.1f} L{leader_x:.1f},{label_y:.1f} H{LABEL_X - _DISC}",
                label_y=round(label_y, 1),
                volume_l=high_l - low_l,
                label=label,
            )
        )
    return found


def _layer_path(vessel: DrawnVessel, top: float, *, rough: bool, seed: int) -> str:
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


def _outline(vessel: DrawnVessel, *, closed: bool) -> str:
    right = [(CENTRE_X + half, BOTTOM_Y - at) for half, at in vessel.outline]
    left = [(CENTRE_X - half, BOTTOM_Y - at) for half, at in reversed(vessel.outline)]
    path = "M" + " L".join(f"{x:.1f},{y:.1f}" for x, y in [*left, *right])
    return f"{path} Z" if closed else path


def _teeth(vessel: DrawnVessel) -> list[str]:
    """The toothed ring round a drum's belly, as short strokes outside the wall."""
    if vessel.kind != "tilting-drum":
        return []
    half = vessel.width / 2
    rows = [BOTTOM_Y - vessel.height * (0.42 + 0.022 * index) for index in range(6)]
    return [f"M{CENTRE_X + side * (half + 5):.1f},{y:.1f} h{side * 8}" for side in (-1, 1) for y in rows]
