"""What looks wrong in a job without being impossible: it is passed on, with what was likely meant."""

import math

from keeve.core.job import Job
from keeve.core.mixes.model import Mix
from keeve.core.plan import Load
from keeve.core.rules import RuleWarning


def suspicions(mix: Mix, job: Job, loads: list[Load]) -> list[RuleWarning]:
    """Everything that looks wrong in the job and the loads it comes to."""
    return [*_of_the_loads(job, loads), *_of_the_layers(mix, job), *_of_the_weather(mix, job)]


def _of_the_loads(job: Job, loads: list[Load]) -> list[RuleWarning]:
    found = []
    largest = max(loads, key=lambda load: load.loose_l)
    if largest.loose_l > job.mixer.full_l:
        found.append(
            RuleWarning(
                code="loose_charge_high",
                message=(
                    f"The loose charge of {largest.loose_l:.0f} L is more than the {job.mixer.full_l:.0f} L "
                    "the mixer holds to the rim: it will not all go in before some of it has sunk."
                ),
                field="mixer.working_l",
                suggestion="Mix less at a time, or charge slowly with the mixer turning.",
            )
        )
    for amount in loads[0].admixtures:
        if amount.mass_kg is None and amount.packs is None:
            found.append(
                RuleWarning(
                    code="no_label_dose",
                    message=f"No dose is given for the {amount.name}, so no amount is shown.",
                    field="admixtures",
                    suggestion=f"Read the dose from the label of your {amount.name} and type it in.",
                )
            )
    return found


# The inputs of the shapes that are the thickness of one layer or coat, and mm in one of their unit.
_THICKNESSES = {"thickness_m": 1000.0, "thickness_mm": 1.0, "coats_mm": 1.0, "joint_mm": 1.0, "depth_mm": 1.0}
# A hair over the bound, as decimals come, is the bound.
_HAIR_MM = 1e-6


def _of_the_layers(mix: Mix, job: Job) -> list[RuleWarning]:
    """Layers and coats thinner or thicker than the mix stands."""
    found = []
    for index, need in enumerate(job.need):
        for name, one_mm in _THICKNESSES.items():
            given = getattr(need, name, [])
            for value in given if isinstance(given, list) else [given]:
                found += _of_the_layer(mix, f"need.{index}.{name}", value * one_mm)
    return found


def _of_the_layer(mix: Mix, field: str, thickness_mm: float) -> list[RuleWarning]:
    least, greatest = mix.thickness_mm or (0.0, math.inf)
    if least - _HAIR_MM <= thickness_mm <= greatest + _HAIR_MM:
        return []
    return [
        RuleWarning(
            code="thickness_outside",
            message=(
                f"{thickness_mm:.3g} mm is {'thinner' if thickness_mm < least else 'thicker'} than {mix.name} is laid "
                f"({least:g} to {greatest:g} mm)."
            ),
            field=field,
            suggestion="Lay it in more coats, or take a mix for that thickness.",
        )
    ]


_TOO_COLD = "Wait, or shelter and warm the place."
_TOO_WARM = "Begin in the morning, in shade, with cool water."


def _of_the_weather(mix: Mix, job: Job) -> list[RuleWarning]:
    """Air that the mix is not for."""
    air_c = job.conditions.air_c
    if not mix.temperature_c or air_c is None or mix.temperature_c[0] <= air_c <= mix.temperature_c[1]:
        return []
    cold = air_c < mix.temperature_c[0]
    return [
        RuleWarning(
            code="air_too_cold" if cold else "air_too_warm",
            message=f"{mix.name} is for air between {mix.temperature_c[0]:g} and {mix.temperature_c[1]:g} °C.",
            field="conditions.air_c",
            suggestion=_TOO_COLD if cold else _TOO_WARM,
        )
    ]
