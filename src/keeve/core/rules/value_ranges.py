"""What a figure can be at all, by its name: what lies outside was typed in another unit, or into another field.

The spans are physics where there is any (no mineral is lighter than water), else common practice, no source; wide
enough that what is merely unusual stays silent.
"""

from collections.abc import Iterator
from typing import NamedTuple

from pydantic import BaseModel


class Span(NamedTuple):
    """From the least to the greatest a figure can be, in its unit."""

    least: float
    greatest: float
    unit: str


# The largest of each size that is still mixed in drums and barrows, with room for what is unusual.
SIZES: dict[str, Span] = {
    "length_m": Span(0, 200, "m"),
    "width_m": Span(0, 200, "m"),
    "height_m": Span(0, 60, "m"),
    "diameter_m": Span(0, 10, "m"),
    "hole_diameter_m": Span(0, 6, "m"),
    "hole_depth_m": Span(0, 10, "m"),
    "post_width_m": Span(0, 2, "m"),
    "post_thickness_m": Span(0, 2, "m"),
    "thickness_m": Span(0, 3, "m"),
    "other_thickness_m": Span(0, 3, "m"),
    "unit_length_mm": Span(40, 700, "mm"),
    "unit_height_mm": Span(20, 400, "mm"),
    "unit_width_mm": Span(30, 500, "mm"),
    "volume_m3": Span(0, 120, "m³"),
}
SPANS: dict[str, Span] = SIZES | {
    "particle_density_kg_m3": Span(1000, 8000, "kg/m³"),
    "cement_density_kg_m3": Span(1000, 8000, "kg/m³"),
    "powder_density_kg_m3": Span(1000, 8000, "kg/m³"),
    "sand_density_kg_m3": Span(2000, 3400, "kg/m³"),
    "stone_density_kg_m3": Span(2000, 3400, "kg/m³"),
    "stone_rodded_density_kg_m3": Span(1000, 2000, "kg/m³"),
    "density_kg_l": Span(0.7, 1.6, "kg/L"),
    "bulking_fraction": Span(0, 0.6, ""),
    "water_binder_ratio": Span(0, 2, ""),
    "waste_fraction": Span(0, 0.5, ""),
    "water_c": Span(0, 60, "°C"),
    "slump_mm": Span(10, 260, "mm"),
    # To a truck of ready-mix.
    "working_l": Span(1, 10_000, "L"),
    "mixer_working_l": Span(1, 10_000, "L"),
}
# The largest dose that is one, by what it is counted on.
_DOSES = {
    "percent_binder": Span(0, 25, "%"),
    "percent_cement": Span(0, 25, "%"),
    "ml_per_100kg": Span(0, 6000, "mL to 100 kg"),
    "floz_per_us_cwt": Span(0, 100, "fl oz to 100 lb"),
    "g_per_m3": Span(0, 60_000, "g/m³"),
    "ml_per_l_water": Span(0, 500, "mL to a litre"),
}


# Of these types is what has no parts.
PLAIN = frozenset({float, int, str, bool, type(None)})


class Impossible(NamedTuple):
    """A figure that can hardly be: the path to it, and why in a sentence."""

    path: str
    message: str


def impossible(model: BaseModel, prefix: str = "") -> Iterator[Impossible]:
    """The figures of a model, and of all that is in it, that can hardly be.

    Args:
        model: inputs of a rule, a job or a part of one.
        prefix: the path to it.
    """
    # What is not there is asked for at every part of every job: of a model itself that takes ten times as long.
    of = vars(model)
    basis = of.get("basis")
    for name in type(model).model_fields:
        value = of[name]
        span = SPANS.get(name) or (_DOSES.get(basis) if name == "dose" and isinstance(basis, str) else None)
        if span is not None or type(value) not in PLAIN:
            yield from _of(value, f"{prefix}{name}", span)
    bulk, particle = of.get("bulk_density_kg_m3"), of.get("particle_density_kg_m3")
    if bulk and particle and bulk > particle >= SPANS["particle_density_kg_m3"].least:
        yield Impossible(
            f"{prefix}bulk_density_kg_m3",
            f"Loose material can't be heavier than its own grains: {bulk:g} kg/m³ against {particle:g}.",
        )


def _of(value: object, path: str, span: Span | None) -> Iterator[Impossible]:
    if isinstance(value, BaseModel):
        yield from impossible(value, f"{path}.")
    elif isinstance(value, list | tuple):
        for index, item in enumerate(value):
            yield from _of(item, f"{path}.{index}", span)
    elif isinstance(value, dict):
        for key, item in value.items():
            yield from _of(item, f"{path}.{key}", span)
    elif span and isinstance(value, int | float) and not span.least <= value <= span.greatest:
        bounds = f"{span.least:g} to {span.greatest:g}" if span.least else f"up to {span.greatest:g}"
        unit = f" {span.unit}" if span.unit else ""
        yield Impossible(path, f"{value:g}{unit} looks wrong. It should be {bounds}{unit}.")
