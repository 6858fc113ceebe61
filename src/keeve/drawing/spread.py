"""Keeping labels apart."""

from collections.abc import Sequence


def spread(wanted: Sequence[float], gap: float, low: float, high: float) -> list[float]:
    """Positions near the wanted ones, in their order, at least ``gap`` apart, between ``low`` and ``high``.

    Args:
        wanted: rising positions.
        gap: least distance between neighbours.
        low: least position.
        high: greatest position; given up where there is no room for all.
    """
    placed: list[float] = []
    for position in wanted:
        placed.append(max(position, placed[-1] + gap if placed else low))
    limit = high
    for index in range(len(placed) - 1, -1, -1):
        placed[index] = min(placed[index], limit)
        limit = placed[index] - gap
    floor = low
    for index, position in enumerate(placed):
        placed[index] = max(position, floor)
        floor = placed[index] + gap
    return placed
