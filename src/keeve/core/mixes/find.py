"""Finding a mix by its use, its layer thickness and the materials on hand."""

from collections.abc import Collection, Iterable
from typing import NamedTuple

from keeve.core.mixes import materials
from keeve.core.mixes.model import Mix, Sort, Use


class Against(NamedTuple):
    """Something that speaks against a mix, in words, with the thickness in mm that they end on."""

    words: str
    mm: float | None = None


class Fit(NamedTuple):
    """A mix, and what speaks against it; nothing where it fits."""

    mix: Mix
    against: list[Against]


def fits(
    mixes: Iterable[Mix],
    use: Use | None = None,
    thickness_mm: float | None = None,
    in_yard: Collection[Sort] = (),
) -> list[Fit]:
    """Every mix with what speaks against it, those that fit first, each lot by name.

    Args:
        mixes: the mixes to look through.
        use: what it is for; None for any use.
        thickness_mm: of one layer or coat; None for any.
        in_yard: the sorts of material there are; empty where that does not matter.
    """
    found = [Fit(mix, _against(mix, use, thickness_mm, in_yard)) for mix in mixes]
    return sorted(found, key=lambda fit: (bool(fit.against), fit.mix.name))


def _against(
    mix: Mix, use: Use | None, thickness_mm: float | None, in_yard: Collection[Sort]
) -> list[Against]:
    against = []
    if use is not None and use not in mix.uses:
        against.append(Against(f"not for: {use}"))
    if thickness_mm is not None and mix.thickness_mm:
        least, greatest = mix.thickness_mm
        if thickness_mm < least:
            against.append(Against("min", least))
        if thickness_mm > greatest:
            against.append(Against("too thick: max", greatest))
    if in_yard:
        sorts = dict.fromkeys(materials()[part.material].sort for part in mix.parts)
        against += [Against(f"needs {sort}") for sort in sorts if sort not in in_yard]
    return against
