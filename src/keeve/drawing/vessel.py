"""The outline of a vessel cut open, and how high a volume reaches in it."""

from bisect import bisect_left
from dataclasses import dataclass
from functools import cache
from itertools import accumulate, pairwise

from keeve.core.mixes.mixers import MixerKind

# Half width against height, both as fractions, from the bottom to the rim.
_OUTLINES: dict[MixerKind, tuple[tuple[float, float], ...]] = {
    # A tilting drum stood up: bowl, the belly with its toothed ring, the cone up to the mouth.
    "tilting-drum": (
        (0.0, 0.50),
        (0.05, 0.60),
        (0.36, 0.97),
        (0.40, 1.0),
        (0.55, 1.0),
        (0.59, 0.97),
        (1.0, 0.60),
    ),
    "forced-action": ((0.0, 1.0), (1.0, 1.0)),
    "paddle": ((0.0, 0.86), (1.0, 1.0)),
    "bowl": ((0.0, 0.42), (0.12, 0.66), (0.30, 0.82), (0.60, 0.95), (1.0, 1.0)),
    "tray": ((0.0, 0.80), (1.0, 1.0)),
    "two-buckets": ((0.0, 0.80), (1.0, 1.0)),
    "barrow": ((0.0, 0.45), (0.25, 0.62), (1.0, 1.0)),
    "bucket": ((0.0, 0.80), (1.0, 1.0)),
}
_SIZES: dict[MixerKind, tuple[float, float]] = {
    "tilting-drum": (360.0, 430.0),
    "forced-action": (410.0, 230.0),
    "paddle": (330.0, 350.0),
    "bowl": (330.0, 290.0),
    "tray": (420.0, 190.0),
    "two-buckets": (300.0, 380.0),
    "barrow": (410.0, 230.0),
    "bucket": (300.0, 330.0),
}
# A tray or barrow is as wide behind the section as in it; round vessels are bodies of revolution.
_ROUND: frozenset[MixerKind] = frozenset(
    {"tilting-drum", "forced-action", "paddle", "bowl", "two-buckets", "bucket"}
)
_SLICES = 200


@dataclass(frozen=True)
class DrawnVessel:
    """A vessel in drawing units: width and height of the box it fills, its full volume in L."""

    kind: MixerKind
    full_l: float

    @property
    def width(self) -> float:
        """Width over all."""
        return _SIZES[self.kind][0]

    @property
    def height(self) -> float:
        """Height from bottom to rim."""
        return _SIZES[self.kind][1]

    @property
    def outline(self) -> list[tuple[float, float]]:
        """Half width and height of each corner, from the bottom up, in drawing units."""
        return [(half * self.width / 2, at * self.height) for at, half in _OUTLINES[self.kind]]

    def half_width(self, height: float) -> float:
        """Half the inside width at a height, in drawing units."""
        at = min(max(height / self.height, 0.0), 1.0)
        for (low, half_low), (high, half_high) in pairwise(_OUTLINES[self.kind]):
            if at <= high:
                return (half_low + (half_high - half_low) * (at - low) / (high - low)) * self.width / 2
        return _OUTLINES[self.kind][-1][1] * self.width / 2

    def level(self, volume_l: float) -> float:
        """The height that a volume reaches, in drawing units; the rim where it is more than full."""
        share = min(max(volume_l / self.full_l, 0.0), 1.0)
        filled = _filled(self.kind)
        index = bisect_left(filled, share)
        if index == 0:
            return 0.0
        below, above = filled[index - 1], filled[index]
        part = (share - below) / (above - below)
        return (index - 1 + part) * self.height / _SLICES


@cache
def _filled(kind: MixerKind) -> list[float]:
    """The filled share of a vessel's volume at each slice boundary, 0 to 1; the same whatever its size."""
    vessel = DrawnVessel(kind, 1.0)
    power = 2 if kind in _ROUND else 1
    step = vessel.height / _SLICES
    filled = [*accumulate(vessel.half_width((index + 0.5) * step) ** power for index in range(_SLICES))]
    return [0.0, *(each / filled[-1] for each in filled)]
