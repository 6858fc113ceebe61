"""A section through a mould: the plaster round its model, the model, and the level of each pour."""

import math
from collections.abc import Callable, Mapping, Sequence
from itertools import accumulate, pairwise
from typing import Any, NamedTuple

from keeve.drawing.faces import BACK_X, BACK_Y, Drawing, DrawnSolid, Face, Place, Size, SizedItem

# A hollow whose shape is not known is drawn so wide for its height; a model so wide in it, and so high at most.
_WIDE, _MODEL_WIDE, _MODEL_HIGH = 1.6, 0.55, 0.8
# A round outline is drawn in so many steps.
_STEPS = 24
# So often is the height of a level halved: it is then known to a thousandth.
_HALVINGS = 12


class _Part(NamedTuple):
    """A hollow or a model as it is cut.

    Args:
        wide: how wide it is at most, m.
        high: how high it is, m.
        outline: the rings of its outline about its middle, from its bottom.
        below: the share of its volume below each of some levels, evenly spaced; None where it is as wide at each.
        is_known: whether its shape is known, so that its sizes can be told.
        base: how wide it is at its bottom, m; None where it is widest there.
        top: where it is cut open: how wide its top is, how deep behind the cut, and whether that is round.
    """

    wide: float
    high: float
    outline: list[list[Place]]
    below: Sequence[float] | None
    is_known: bool
    base: float | None = None
    top: tuple[float, float, bool] | None = None


def mould_section(given: SizedItem) -> Drawing:
    """The section, as far as its sizes are known.

    Args:
        given: the mould, as plain values of the job file, with ``container_m3`` and ``model_m3``.
    """
    container_m3, model_m3 = given["container_m3"], given.get("model_m3", 0.0)
    high = (container_m3 / _WIDE**2) ** (1 / 3)
    hollow = _part(given.need["container"]) or _box(_WIDE * high, high)
    model = _model(given, hollow, model_m3) if model_m3 else None
    filled = _filled_by(hollow, container_m3, model, model_m3)
    levels = _levels(given.need.get("pieces", [1.0]), container_m3 - model_m3, hollow.high, filled)
    left, right = -hollow.wide / 2, hollow.wide / 2
    faces = [
        Face("ground", [(1.16 * left, 0, 0), (1.16 * right, 0, 0)], is_closed=False),
        *([Face("face top", _behind(*hollow.top, hollow.high))] if hollow.top else []),
        *(Face("face plaster", ring) for ring in hollow.outline),
        *(Face("layer", [(left, 0, level), (right, 0, level)], is_closed=False) for level in levels),
        *(Face("face model", outline) for outline in (model.outline if model else [])),
    ]
    shown = {f"pour_{number}_m": level for number, level in enumerate(levels, start=1)}
    sizes = [Size((right, 0, 0), (right, 0, level), name, "right") for name, level in shown.items()]
    if hollow.is_known:
        base = hollow.base or hollow.wide
        shown |= {"overall_m": base, "high_m": hollow.high}
        sizes = [
            Size((-base / 2, 0, 0), (base / 2, 0, 0), "overall_m", "below"),
            Size((left, 0, 0), (left, 0, hollow.high), "high_m", "left"),
            *sizes,
        ]
    if hollow.top:
        wide, deep, is_round = hollow.top
        if not is_round:
            shown["deep_m"] = 2 * deep
            sizes.append(Size((right, 0, hollow.high), (right, deep, hollow.high), "deep_m", "right"))
        elif wide and wide != hollow.base:
            # Over the round that lies behind the cut.
            over = hollow.high + BACK_Y * deep
            shown["top_m"] = wide
            sizes.append(Size((-wide / 2, 0, over), (wide / 2, 0, over), "top_m", "above"))
    return DrawnSolid(faces, sizes), shown, hollow.is_known and (model is None or model.is_known)


def _part(part: Mapping[str, Any]) -> _Part | None:
    """A hollow or a model whose shape is known; None of one that only its volume is known of."""
    if part["by"] == "frame":
        return _box(part["length_m"] + 2 * part["wall_m"], part["height_m"] + part["base_m"], is_known=True)
    if part["by"] == "mesh":
        mesh = part["mesh"]
        length, width, high = mesh["sides_m"]
        wide = width if mesh.get("cut") == "width" else length
        rings = [[((x - 0.5) * wide, 0.0, z * high) for x, z in ring] for ring in mesh.get("outline", [])]
        return _Part(wide, high, rings, mesh.get("below"), is_known=bool(rings))
    solids = part.get("solids", [])
    if len(solids) != 1 or solids[0].get("count", 1) != 1:
        return None
    return _of_a_solid(solids[0])


def _of_a_solid(solid: Mapping[str, Any]) -> _Part:
    """A simple solid: how wide it is at each level, and what is behind the cut."""
    base, high, kind = solid["length_m"], solid["height_m"], solid["solid"]
    steps = [index / _STEPS for index in range(_STEPS + 1)]
    top = solid.get("width_m") or base
    if kind in ("box", "cylinder"):
        found = _box(base, high, is_known=True)
        return found._replace(base=base, top=(base, (top if kind == "box" else base) / 2, kind == "cylinder"))
    if kind == "frustum":
        widths = [base + (top - base) * step for step in steps]
    else:
        # A cap of a sphere: its radius by its base and its height.
        radius, top = ((base / 2) ** 2 + high**2) / (2 * high), 0.0
        widths = [2 * math.sqrt(max(radius**2 - (radius - high * (1 - step)) ** 2, 0.0)) for step in steps]
    near = [(width / 2, 0.0, high * step) for width, step in zip(widths, steps, strict=True)]
    outline = [*((-x, y, z) for x, y, z in near), *reversed(near)]
    slices = [(one**2 + one * other + other**2) / 3 for one, other in pairwise(widths)]
    below = [math.fsum(slices[:index]) / math.fsum(slices) for index in range(len(steps))]
    return _Part(max(widths), high, [outline], below, is_known=True, base=base, top=(top, top / 2, True))


def _box(wide: float, high: float, *, is_known: bool = False) -> _Part:
    half = wide / 2
    ring: list[Place] = [(-half, 0, 0), (-half, 0, high), (half, 0, high), (half, 0, 0)]
    return _Part(wide, high, [ring], None, is_known)


def _model(given: SizedItem, hollow: _Part, model_m3: float) -> _Part:
    """The model: as it is, else as wide and high as its frame says, else a mound of about its volume."""
    container, told = given.need["container"], given.need.get("model") or {"by": ""}
    found = _part(told)
    if container["by"] == "frame":
        wide = container["width_m" if told.get("mesh", {}).get("cut") == "width" else "length_m"]
        high = container["height_m"]
        scale = (wide / found.wide, high / found.high) if found else (1.0, 1.0)
        outline = [
            [(x * scale[0], y, z * scale[1]) for x, y, z in ring] for ring in (found.outline if found else [])
        ]
        return _Part(wide, high, outline or [_mound(wide, high)], found and found.below, is_known=True)
    if found and found.wide <= hollow.wide and found.high <= hollow.high:
        return found
    wide = _MODEL_WIDE * hollow.wide
    high = min(model_m3 / (wide * _MODEL_WIDE * hollow.wide), _MODEL_HIGH * hollow.high)
    return _Part(wide, high, [_mound(wide, high)], None, is_known=False)


def _behind(wide: float, deep: float, is_round: bool, high: float) -> list[Place]:
    """The half of a top that lies behind the cut."""
    if not is_round:
        return [(-wide / 2, 0, high), (-wide / 2, deep, high), (wide / 2, deep, high), (wide / 2, 0, high)]
    # Seen from the front: what runs back does not run to the right, or the round would look askew.
    turns = (math.pi * index / _STEPS for index in range(_STEPS + 1))
    return [
        (wide / 2 * math.cos(turn) - BACK_X * deep * math.sin(turn), deep * math.sin(turn), high)
        for turn in turns
    ]


def _mound(wide: float, high: float) -> list[Place]:
    """A low mound, for a model whose shape is not known."""
    steps = [index / 12 for index in range(13)]
    over = [(wide * (u - 0.5), 0.0, high * (1 - (2 * u - 1) ** 6)) for u in steps]
    return [(-wide / 2, 0.0, 0.0), *over, (wide / 2, 0.0, 0.0)]


def _filled_by(
    hollow: _Part, container_m3: float, model: _Part | None, model_m3: float
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
        held = container_m3 * under(hollow.below, level / hollow.high)
        return held - (model_m3 * under(model.below, level / model.high) if model else 0.0)

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
            low, top = (
                (middle, top) if filled(middle) < total_m3 * part / math.fsum(pieces) else (low, middle)
            )
        found.append((low + top) / 2)
    return found
