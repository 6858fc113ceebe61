"""Plausibility of sizes: a dimension in another unit, a layer outside the mix's span, a load that overfills the
mixer.
"""

import math
from collections.abc import Iterator

from keeve.core.mixes.model import Mix
from keeve.core.planning.job import Job
from keeve.core.planning.moulds import Hollow, MeshFile, Model, MouldNeed, MouldSolid, Solids
from keeve.core.planning.plan import Load
from keeve.core.rules.registry import RuleWarning
from keeve.core.rules.value_ranges import SIZES, Span
from keeve.core.tolerances import UNMEASURABLE, is_over

# The inputs of the shapes that are the thickness of one layer or coat, and mm in one of their unit.
_THICKNESSES = {
    "thickness_m": 1000.0,
    "other_thickness_m": 1000.0,
    "thickness_mm": 1.0,
    "coats_mm": 1.0,
    "joint_mm": 1.0,
    "depth_mm": 1.0,
}
# How many of what was likely typed make a metre or a cubic metre: centimetres or millimetres, litres, likelier first.
_TYPED = {"m": (100.0, 1000.0), "m³": (1000.0,)}
# More loads than that are a day's work of several mixers. A judgement made here.
_MOST_LOADS = 60
# The likelier unit is meant where the size then lies well inside.
_WELL_INSIDE = 0.1
# What is no further outside than that is unusual, no slip: what it is offered instead would do harm.
_UNUSUAL = 2.0
# So many times the least a layer is rather meant to be.
_WELL_ABOVE = 1.4
# What a layer may be off by: typed in mm, cm, inches or feet where metres are asked for, or with its point misplaced.
_LAYER_IN_UNITS = (0.001, 0.01, 0.0254, 1 / 12, 0.3048)
_LAYER_IN_MM = (10.0, 25.4, 1000.0, 0.1, 0.01)
_MISPLACED = (0.1, 10.0, 0.0254)


def implausible_sizes(mix: Mix, job: Job) -> Iterator[RuleWarning]:
    """Sizes that look like another unit's, and layers outside the mix's span: told, and planned as they are."""
    for index, need in enumerate(job.need):
        of = vars(need)
        for name, one_mm in _THICKNESSES.items():
            given = of.get(name) or []
            for place, value in enumerate(given if isinstance(given, list) else [given]):
                path = f"need.{index}.{name}" + (f".{place}" if isinstance(given, list) else "")
                yield from _of_the_layer(mix, path, value, one_mm)
        for name, span in SIZES.items():
            size = of.get(name)
            if name not in _THICKNESSES and span.unit in _TYPED and isinstance(size, float):
                yield from _of_the_largest(f"need.{index}.{name}", size, span)


def _of_the_layer(mix: Mix, field: str, value: float, one_mm: float) -> Iterator[RuleWarning]:
    least, greatest = mix.thickness_mm or (0.0, math.inf)
    thickness_mm = value * one_mm
    if least - UNMEASURABLE <= thickness_mm <= greatest + UNMEASURABLE:
        return
    is_unusual = least / _UNUSUAL <= thickness_mm <= greatest * _UNUSUAL
    if is_unusual and thickness_mm > greatest and "pour" in mix.uses:
        # A trench may be filled so deep: what is poured does not come off.
        return
    metres = _LAYER_IN_UNITS if value >= 1 else _MISPLACED
    parts = () if is_unusual else metres if one_mm > 1 else _LAYER_IN_MM
    inside = [part for part in parts if least <= thickness_mm * part <= greatest]
    likely = next(
        (part for part in inside if least * _WELL_ABOVE <= thickness_mm * part), next(iter(inside), None)
    )
    yield RuleWarning(
        code="thickness_outside",
        message=(
            f"{thickness_mm:.4g} mm is {'thinner' if thickness_mm < least else 'thicker'} than {mix.name} allows "
            f"({least:g} to {greatest:g} mm)."
        ),
        field=field,
        suggestion="Use more coats, or another mix.",
        meant={field: value * likely} if likely else None,
    )


def _of_the_largest(field: str, size: float, span: Span) -> Iterator[RuleWarning]:
    if size <= span.greatest:
        return
    units = _TYPED[span.unit]
    one = next((one for one in units if size / one <= span.greatest * _WELL_INSIDE), units[-1])
    yield RuleWarning(
        code="hundredfold",
        message=f"{size:g} {span.unit} looks far too large.",
        field=field,
        suggestion="Check the figure and its unit.",
        meant={field: size / one},
    )


# A side of so few mm, so many times shorter than the longest, was likely typed in centimetres.
_FLAT_MM, _SLENDER = 10.0, 30.0


def implausible_moulds(job: Job) -> Iterator[RuleWarning]:
    """Moulds with a side in another unit, and models that are larger than what is round them."""
    for index, need in enumerate(job.need):
        if not isinstance(need, MouldNeed):
            continue
        here = f"need.{index}"
        for part in ("container", "model"):
            solids = getattr(getattr(need, part), "solids", [])
            for number, solid in enumerate(solids):
                yield from _of_a_flat_side(f"{here}.{part}.solids.{number}", solid)
        outside, inside = _sides_mm(need.container), _sides_mm(need.model)
        for words, one, other in zip(("long", "wide", "high"), inside, outside, strict=False):
            if one > other * (1 + UNMEASURABLE):
                yield RuleWarning(
                    code="model_outside",
                    message=f"The model is {one:.4g} mm {words}, the mould around it {other:.4g} mm.",
                    field=f"{here}.model",
                    suggestion="Check both sizes and their units.",
                )
                break


def _of_a_flat_side(here: str, solid: MouldSolid) -> Iterator[RuleWarning]:
    sides = {name: value for name in ("length_m", "width_m", "height_m") if (value := getattr(solid, name))}
    name, least = min(sides.items(), key=lambda side: side[1])
    largest = max(sides.values())
    if least * 1000 < _FLAT_MM and largest / least > _SLENDER:
        yield RuleWarning(
            code="side_unit",
            message=f"{least * 1000:.4g} mm is thin for a mould {largest * 1000:.4g} mm across.",
            field=f"{here}.{name}",
            suggestion="Check the figure and its unit.",
            meant={f"{here}.{name}": least * 10},
        )


def _sides_mm(part: Hollow | Model | None) -> tuple[float, ...]:
    """Length, width and height of a part of one body as it stands, the longer side first, mm; none where not known."""
    if isinstance(part, MeshFile):
        length, width, height = part.mesh.sides_m
    elif isinstance(part, Solids) and len(part.solids) == 1 and part.solids[0].count == 1:
        solid = part.solids[0]
        length, height = solid.length_m, solid.height_m
        # Of a round one the width is its diameter at the top.
        width = solid.width_m if solid.solid == "box" and solid.width_m else length
    else:
        return ()
    return (1000 * max(length, width), 1000 * min(length, width), 1000 * height)


# Of a designed concrete, kg/m³ of cement and what counts as it: past it there is paste for the sake of paste.
_USUAL_CONTENT = (200.0, 550.0)


def implausible_design(job: Job) -> Iterator[RuleWarning]:
    """More of cement in a cubic metre than concrete takes, or less."""
    content = job.design.binder_kg_m3 if job.design else None
    if content is None or _USUAL_CONTENT[0] <= content <= _USUAL_CONTENT[1]:
        return
    yield RuleWarning(
        code="content_unusual",
        message=(
            f"{content:.4g} kg/m³ of cement is unusual. "
            f"A concrete takes {_USUAL_CONTENT[0]:g} to {_USUAL_CONTENT[1]:g} kg/m³ of cement."
        ),
        field="design.binder_kg_m3",
        suggestion="Check the figure and its unit.",
    )


def implausible_charge(job: Job, loads: list[Load]) -> Iterator[RuleWarning]:
    """Too many loads for a mixer, and a loose load larger than one of which it is known what it holds."""
    if len(loads) > _MOST_LOADS:
        yield RuleWarning(
            code="many_loads",
            message=f"That is {len(loads)} loads.",
            field="mixer.working_l",
            suggestion="Check the sizes and the mixer. For this much, use a bigger mixer or order ready-mix.",
        )
    largest = max(loads, key=lambda load: load.loose_l)
    if job.mixer.drum_l and is_over(largest.loose_l, job.mixer.drum_l):
        yield RuleWarning(
            code="loose_charge_high",
            message=(
                f"Dry materials of {largest.loose_l:.0f} L is more than the {job.mixer.drum_l:.0f} L "
                "the drum holds. They won't all fit until some has mixed down."
            ),
            field="mixer.working_l",
            suggestion="Make smaller loads, or add slowly with the mixer running.",
        )
