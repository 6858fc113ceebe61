"""Places as SVG writes them."""

from collections.abc import Iterable


def points(places: Iterable[tuple[float, float]]) -> str:
    """The ``points`` of a polyline or polygon."""
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in places)
