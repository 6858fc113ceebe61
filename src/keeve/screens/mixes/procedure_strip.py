"""A procedure as a strip along its time: what goes in, when it is mixed, rests and is judged."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from keeve.screens.mixes.view import TimedStep

WIDTH, HEIGHT = 1000.0, 132.0
_TOP, _LOW = 46.0, 108.0
_LEAST = 34.0
_LEAST_SHARE = 0.3
_GAP = 2.0


class Block(NamedTuple):
    """One step in drawing units: number, kind, the class that fills it, its box and middle, its times in min."""

    number: int
    kind: str
    look: str
    x: float
    width: float
    top: float
    height: float
    middle: float
    scraper: str
    minutes: tuple[float, float]

    @property
    def goes_in(self) -> bool:
        """Whether something goes in with it."""
        return self.kind in ("charge", "water", "admixture")


def procedure_strip(steps: Sequence[TimedStep]) -> list[Block]:
    """The blocks of a procedure. Widths go by the root of the minutes, so that short steps can be read."""
    wanted = [_LEAST + 26 * math.sqrt(math.fsum(step.minutes) / 2) for step in steps]
    scale = WIDTH / math.fsum(wanted)
    blocks, x = [], 0.0
    for index, (step, wide) in enumerate(zip(steps, wanted, strict=True)):
        width = wide * scale
        # What goes in is as high as its share; the least of it can still be seen.
        share = max(step.share, _LEAST_SHARE) if step.kind in ("charge", "water") else 1.0
        top = _LOW - (_LOW - _TOP) * share
        blocks.append(
            Block(
                number=index + 1,
                kind=step.kind,
                look=_look(step),
                x=round(x + _GAP, 1),
                width=round(width - 2 * _GAP, 1),
                top=round(top, 1),
                height=round(_LOW - top, 1),
                middle=round(x + width / 2, 1),
                scraper=f"M{x + 6:.1f},{_LOW - 6:.1f} L{x + width - 6:.1f},{top + 6:.1f}",
                minutes=step.minutes,
            )
        )
        x += width
    return blocks


def _look(step: TimedStep) -> str:
    if step.hatch:
        return f"fill-{step.hatch}"
    return {"mix": "fill-mixed", "scrape": "fill-mixed"}.get(step.kind, step.kind)
