"""A section through a mould: the plaster round its model, the model, and the level of each pour."""

from collections.abc import Callable, Mapping, Sequence
from itertools import accumulate
from typing import Any

from keeve.drawing.faces import Drawing, DrawnSolid, Face, Place, Size, SizedItem

# A hollow whose shape is not known is drawn so wide for its height; a model so wide in it, and so high at most.
_WIDE, _MODEL_WIDE, _MODEL_HIGH = 1.6, 0.55, 0.8
# So often is the height of a level halved: it is then known to a thousandth.
_HALVINGS = 12


def mould_section(given: SizedItem) -> Drawing:
    """The section, as far as its sizes are known.

    Args:
        given: the mould, as plain values of the job file, with ``container_m3`` and ``model_m3``.
    """
    container, model = given.need["container"], given.need.get("model") or {}
    container_m3, model_m3 = given["container_m3"], given.get("model_m3", 0.0)
    mesh = model.get("mesh") or {}
    if container["by"] == "frame":
        side = container["width_m" if mesh.get("cut") == "width" else "length_m"]
        wide, high = side + 2 * container["wall_m"], container["height_m"] + container["base_m"]
        model_wide, model_high = side, container["height_m"]
    elif container["by"] == "mesh":
        length, width, high = container["mesh"]["sides_m"]
        wide = width if container["mesh"].get("cut") == "width" else length
        model_wide, model_high = _MODEL_WIDE * wide, _MODEL_HIGH * high
    else:
        high = (container_m3 / _WIDE**2) ** (1 / 3)
        wide = _WIDE * high
        model_wide = _MODEL_WIDE * wide
        model_high = min(model_m3 / (model_wide * _MODEL_WIDE * wide), _MODEL_HIGH * high)
    left = (wide - model_wide) / 2
    hollow = _rings(container.get("mesh"), 0.0, wide, high) or [
        [(0, 0, 0), (0, 0, high), (wide, 0, high), (wide, 0, 0)]
    ]
    outlines = _rings(mesh, left, model_wide, model_high) or [_mound(left, model_wide, model_high)]
    filled = _filled_by(container.get("mesh"), mesh, container_m3, model_m3, high, model_high)
    levels = _levels(given.need.get("pieces", [1.0]), container_m3 - model_m3, high, filled)
    faces = [
        Face("ground", [(-0.08 * wide, 0, 0), (1.08 * wide, 0, 0)], is_closed=False),
        *(Face("face plaster", ring) for ring in hollow),
        *(Face("layer", [(0, 0, level), (wide, 0, level)], is_closed=False) for level in levels),
        *(Face("face model", outline) for outline in outlines if model_m3),
    ]
    shown = {"overall_m": wide, "high_m": high}
    sizes = [
        Size((0, 0, 0), (wide, 0, 0), "overall_m", "below"),
        Size((0, 0, 0), (0, 0, high), "high_m", "left"),
    ]
    for number, level in enumerate(levels, start=1):
        shown[f"pour_{number}_m"] = level
        sizes.append(Size((wide, 0, 0), (wide, 0, level), f"pour_{number}_m", "right"))
    return DrawnSolid(faces, sizes), shown, container["by"] in ("frame", "mesh")


def _rings(mesh: Mapping[str, Any] | None, left: float, wide: float, high: float) -> list[list[Place]]:
    """The outline of a mesh as it is cut; nothing of what is no mesh."""
    return [[(left + x * wide, 0.0, z * high) for x, z in ring] for ring in (mesh or {}).get("outline", [])]


def _mound(left: float, wide: float, high: float) -> list[Place]:
    """A low mound, for a model whose shape is not known."""
    steps = [index / 12 for index in range(13)]
    over = [(left + wide * u, 0.0, high * (1 - (2 * u - 1) ** 6)) for u in steps]
    return [(left, 0.0, 0.0), *over, (left + wide, 0.0, 0.0)]


def _filled_by(
    hollow: Mapping[str, Any] | None,
    mesh: Mapping[str, Any],
    container_m3: float,
    model_m3: float,
    high: float,
    model_high: float,
) -> Callable[[float], float]:
    """The fill up to a level, m3: a hollow less what of the model stands under that level."""

    def under(below: Sequence[float] | None, share: float) -> float:
        share = min(max(share, 0.0), 1.0)
        if not below:
            return share
        index = min(int(share * (len(below) - 1)), len(below) - 2)
        part = share * (len(below) - 1) - index
        return below[index] + (below[index + 1] - below[index]) * part

    def filled(level: float) -> float:
        held = container_m3 * under((hollow or {}).get("below"), level / high)
        return held - (model_m3 * under(mesh.get("below"), level / model_high) if model_m3 else 0.0)

    return filled


def _levels(
    pieces: Sequence[float], total_m3: float, high: float, filled: Callable[[float], float]
) -> list[float]:
    """The level of each pour but the last, m."""
    found = []
    for part in list(accumulate(pieces))[:-1]:
        low, top = 0.0, high
        for _ in range(_HALVINGS):
            middle = (low + top) / 2
            low, top = (middle, top) if filled(middle) < total_m3 * part / sum(pieces) else (low, middle)
        found.append((low + top) / 2)
    return found
