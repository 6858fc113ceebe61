"""A procedure as a strip along the time it takes: what goes in, when it turns, rests and is judged."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from keeve.core.mixes import materials
from keeve.core.mixes.model import Mix, Procedure, Step

WIDTH, HEIGHT = 1000.0, 132.0
_TOP, _LOW = 46.0, 108.0
_LEAST = 34.0
_LEAST_SHARE = 0.3


class Block(NamedTuple):
    """One step: its number, kind, look (a class that fills it), where it stands, and its times in min."""

    number: int
    kind: str
    look: str
    x: float
    width: float
    top: float
    low: float
    minutes: tuple[float, float]


def procedure_strip(mix: Mix, procedure: Procedure) -> list[Block]:
    """The blocks of a procedure. Widths go by the root of the minutes, so that short steps can be read."""
    steps: Sequence[Step] = [step for step in procedure.steps if step.kind != "place"]
    wanted = [_LEAST + 26 * math.sqrt(sum(step.minutes) / 2) for step in steps]
    scale = WIDTH / sum(wanted)
    blocks, x = [], 0.0
    for index, (step, width) in enumerate(zip(steps, wanted, strict=True)):
        # What goes in stands as high as its share; the least of it can still be seen.
        share = max(step.share, _LEAST_SHARE) if step.kind in ("charge", "water") else 1.0
        blocks.append(
            Block(
                number=index + 1,
                kind=step.kind,
                look=_look(mix, step),
                x=round(x, 1),
                width=round(width * scale, 1),
                top=round(_LOW - (_LOW - _TOP) * share, 1),
                low=_LOW,
                minutes=step.minutes,
            )
        )
        x += width * scale
    return blocks


def _look(mix: Mix, step: Step) -> str:
    if step.kind == "charge":
        part = next(part for part in mix.parts if part.name == step.material)
        return f"fill-{materials()[part.material].hatch}"
    return {
        "water": "fill-water",
        "admixture": "fill-paste",
        "mix": "fill-mixed",
        "scrape": "fill-mixed",
    }.get(step.kind, step.kind)
