"""The trowel test drawn from wetness: one function, every state."""

import math
from dataclasses import dataclass, field

from keeve.core.mixes.model import Reading

BLADE_Y = 136.0
_MIDDLE_X = 118.0
_BLADE_HALF = 98.0
_POINTS = 48

# Wetness runs from 0, too dry, over 0.5, right, to 1, too wet.
_WETNESS: dict[Reading, float] = {"too-dry": 0.0, "right": 0.5, "too-wet": 1.0, "not-mixed-yet": 0.5}


@dataclass(frozen=True)
class Trowel:
    """The heap on the blade, with what shows that it is dry, wet or unmixed; y downwards."""

    heap: str
    cracks: list[str] = field(default_factory=list)
    crumbs: list[tuple[float, float, float]] = field(default_factory=list)
    film: str | None = None
    drips: list[tuple[float, float, float]] = field(default_factory=list)
    patches: list[str] = field(default_factory=list)


def trowel_of(reading: Reading) -> Trowel:
    """The drawing of a reading."""
    return trowel(_WETNESS[reading], mixed=reading != "not-mixed-yet")


def trowel(wetness: float, *, mixed: bool = True) -> Trowel:
    """A trowelful, shaken once.

    Args:
        wetness: 0 too dry, 0.5 right, 1 too wet.
        mixed: whether it is of one colour; patches show where it is not.
    """
    dry, wet = max(0.0, 1 - wetness / 0.4), max(0.0, (wetness - 0.6) / 0.4)
    half = 62 + 10 * (1 - dry) + 34 * wet
    height = 104 - 80 * wet
    power = 1.25 + 1.1 * (1 - dry) + 6 * wet
    rough = 9 * dry + 1.2 * (1 - wet)
    surface = [
        (
            _MIDDLE_X + half * u,
            BLADE_Y - height * (1 - abs(u) ** power) + rough * _ragged(index) * (1 - abs(u) ** 8),
        )
        for index, u in ((index, -1 + 2 * index / _POINTS) for index in range(_POINTS + 1))
    ]
    heap = _line([(_MIDDLE_X - half, BLADE_Y), *surface, (_MIDDLE_X + half, BLADE_Y)]) + " Z"
    return Trowel(
        heap=heap,
        cracks=[_crack(x, height) for x in (-34, -8, 21, 40)[: round(4 * dry)]],
        crumbs=_crumbs(round(13 * dry)),
        film=_line(surface[8:-8]) if wet > 0.3 else None,
        drips=[
            (x, BLADE_Y + 6, 18 + 10 * (index % 3))
            for index, x in enumerate((26, 62, 172, 204)[: round(4 * wet)])
        ],
        patches=[] if mixed else _patches(),
    )


def _ragged(index: int) -> float:
    return math.sin(index * 1.9) * 0.6 + math.sin(index * 4.3 + 1) * 0.4


def _crack(offset: float, height: float) -> str:
    x, top = _MIDDLE_X + offset, BLADE_Y - height * (0.72 - abs(offset) / 90)
    return _line([(x, top), (x + 5, top + 14), (x - 3, top + 26), (x + 3, top + 40)])


def _crumbs(count: int) -> list[tuple[float, float, float]]:
    """Crumbs falling past the blade, as circles; spread without chance so that each drawing is the same."""
    return [
        (22 + (index * 61) % 196, BLADE_Y + 16 + (index * 37) % 40, 2.5 + (index * 7) % 5)
        for index in range(count)
    ]


def _patches() -> list[str]:
    """Dry lumps and a streak: shapes that the template fills as powder."""
    lumps = ((92.0, 112.0, 15.0), (140.0, 96.0, 19.0), (118.0, 66.0, 11.0), (164.0, 122.0, 11.0))
    return [_lump(x, y, radius, seed) for seed, (x, y, radius) in enumerate(lumps)]


def _lump(x: float, y: float, radius: float, seed: int) -> str:
    around = [2 * math.pi * index / 18 for index in range(18)]
    reach = [radius * (1 + 0.16 * math.sin(3 * angle + seed) + 0.1 * math.sin(5 * angle)) for angle in around]
    return (
        _line([(x + r * math.cos(a), y + 0.78 * r * math.sin(a)) for a, r in zip(around, reach, strict=True)])
        + " Z"
    )


def _line(points: list[tuple[float, float]]) -> str:
    return "M" + " L".join(f"{x:.1f},{y:.1f}" for x, y in points)
