"""Reading between the rows of a table."""

from collections.abc import Sequence
from itertools import pairwise


def between_rows(table: Sequence[tuple[float, float]], value: float) -> float | None:
    """The value of a table, linear between its rows; None outside the table."""
    for (low, at_low), (high, at_high) in pairwise(table):
        if low <= value <= high:
            return at_low + (at_high - at_low) * (value - low) / (high - low)
    return None
