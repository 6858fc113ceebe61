"""Who calls a mix right at what: how far each person is from what the crew calls right."""

from collections.abc import Sequence
from math import fsum
from typing import NamedTuple

from keeve.core.log.load_row import LoadRow

# Of one load nobody can say that its judge has drifted.
_LEAST_LOADS = 2


class Drift(NamedTuple):
    """A person's right: of how many loads, their mean ratio, how much wetter than the crew's that is, as a fraction."""

    by: str
    loads: int
    ratio: float
    wetter_fraction: float


def drift_of(rows: Sequence[LoadRow]) -> list[Drift]:
    """The right of each person who judged enough loads, the farthest off first; nothing of fewer than two people.

    Args:
        rows: loads of one mix in the same parts.
    """
    by_person: dict[str, list[float]] = {}
    for row in rows:
        if row.is_right and row.ratio is not None and row.judged_by:
            by_person.setdefault(row.judged_by, []).append(row.ratio)
    enough = {by: ratios for by, ratios in by_person.items() if len(ratios) >= _LEAST_LOADS}
    if len(enough) < _LEAST_LOADS:
        return []
    every = [ratio for ratios in enough.values() for ratio in ratios]
    crew = fsum(every) / len(every)
    found = []
    for by, ratios in enough.items():
        mean = fsum(ratios) / len(ratios)
        found.append(Drift(by, len(ratios), mean, mean / crew - 1))
    return sorted(found, key=lambda one: -abs(one.wetter_fraction))
