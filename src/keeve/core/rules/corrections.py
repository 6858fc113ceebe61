"""Bringing a batch back into its own ratio."""

from collections.abc import Mapping
from itertools import accumulate
from math import fsum
from typing import Annotated

from pydantic import BaseModel, Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import (
    MASS_BALANCE,
    PRACTICE,
    Amount,
    Dimension,
    Example,
    Fraction,
    Result,
    RuleWarning,
    older,
    rule,
)
from keeve.core.texts import ByName, Few, Name
from keeve.core.tolerances import is_over


class CorrectWet(Result):
    """What to add (damp, kg), its loose volume (L; null without densities), the new ratio, and if it fits."""

    add_kg: dict[str, float]
    volume_l: float | None
    new_ratio: float
    fits: bool | None


@rule(
    "correct-wet",
    formula="k = (W − r·B) / (r·B − Σ m·f);  add k · m · (1 + w);  f = w unless given",
    math=r"k = \frac{W - r B}{r B - \sum m f} \qquad \text{add} = k \, m \, (1 + w)",
    sources=[MASS_BALANCE],
    example=Example(
        given={
            "charged_kg": {"cement": 20, "sand": 80},
            "water_kg": 17,
            "binder": ["cement"],
            "target_ratio": 0.75,
            "moisture_fraction": {"sand": 0.05},
            "mixer_free_l": 20,
            "bulk_densities_kg_m3": {"cement": 1200, "sand": 1400},
        },
        gives={
            "add_kg": {"cement": 3.6363636363636362, "sand": 15.272727272727273},
            "volume_l": 13.939393939393939,
            "new_ratio": 0.75,
            "fits": True,
        },
        origin="by hand: k = 2/11; water then 17 + 0.727, cement 23.636",
    ),
)
def correct_wet(
    charged_kg: Annotated[ByName[Amount], Field(min_length=1)],
    water_kg: Amount,
    binder: Annotated[Few[Name], Field(min_length=1)],
    target_ratio: Dimension,
    mixer_free_l: Amount | None = None,
    moisture_fraction: ByName[Fraction] | None = None,
    bulk_densities_kg_m3: Annotated[
        ByName[Dimension] | None, older("bulk_densities_kg_m3", "densities")
    ] = None,
    free_moisture_fraction: ByName[Annotated[float, Field(gt=-1, lt=1)]] | None = None,
) -> CorrectWet:
    """Dry materials, in the mix ratio, to correct a load with too much water.

    Args:
        charged_kg: oven-dry weight of each material, in the mix ratio.
        water_kg: in the load now, kg.
        binder: the materials that count as cement or lime.
        target_ratio: the water ratio to get back to.
        mixer_free_l: room left, L.
        moisture_fraction: of each material you add.
        bulk_densities_kg_m3: loose density as charged, kg/m3 by name; needed to say what room it takes (also read as
            ``densities``).
        free_moisture_fraction: the part of its moisture that is free water, by name, where that is another: less by
            what it absorbs, negative where it soaks.

    Returns:
        add_kg as charged (damp), volume_l, new_ratio and fits (both null where a figure is missing).

    Raises:
        InputError: a name is unknown, or the material to add is itself too wet to help.
    """
    moisture = moisture_fraction or {}
    free = {**moisture, **(free_moisture_fraction or {})}
    _check_names(
        charged_kg,
        binder=binder,
        moisture_fraction=moisture,
        bulk_densities_kg_m3=bulk_densities_kg_m3 or {},
        free_moisture_fraction=free_moisture_fraction or {},
    )
    wanted = target_ratio * fsum(charged_kg[name] for name in binder)
    brought = fsum(mass * free.get(name, 0.0) for name, mass in charged_kg.items())
    if wanted <= brought:
        raise InputError(
            "material_too_wet",
            "moisture_fraction is so high that this material adds more water than it takes up. Use drier sand.",
            ["moisture_fraction"],
        )
    surplus = water_kg - wanted
    if surplus <= 0:
        return CorrectWet(
            add_kg=dict.fromkeys(charged_kg, 0.0),
            volume_l=0.0,
            new_ratio=water_kg / wanted * target_ratio,
            fits=True,
            warnings=[_NOT_TOO_WET],
        )
    k = surplus / (wanted - brought)
    add = {name: k * mass * (1 + moisture.get(name, 0.0)) for name, mass in charged_kg.items()}
    volume = (
        fsum(mass / bulk_densities_kg_m3[name] * 1000 for name, mass in add.items())
        if bulk_densities_kg_m3 and set(add) <= set(bulk_densities_kg_m3)
        else None
    )
    fits = None if volume is None or mixer_free_l is None else not is_over(volume, mixer_free_l)
    return CorrectWet(
        add_kg=add,
        volume_l=volume,
        new_ratio=(water_kg + k * brought) / (wanted * (1 + k)) * target_ratio,
        fits=fits,
    )


_NOT_TOO_WET = RuleWarning(
    code="not_too_wet",
    message="By the figures the load isn't too wet. Nothing to add.",
    field="water_kg",
    suggestion="Check the water counted, then mix and judge again.",
)


def _check_names(charged: Mapping[str, float], **named: Mapping[str, float] | list[str]) -> None:
    for field, names in named.items():
        for name in names:
            if name not in charged:
                raise InputError(
                    "unknown_name", f"{field} names {name!r}, which isn't in charged_kg.", [field]
                )


class WaterAddition(BaseModel):
    """Water to add, L, and the ratio it comes to."""

    add_l: float
    ratio: float


class CorrectDry(Result):
    """Steps of water up to the ceiling."""

    steps: list[WaterAddition]


# Near the ceiling a little more turns a stiff mix into one that runs: half the gap, then two quarters.
_SHARES = (0.5, 0.25, 0.25)


@rule(
    "correct-dry",
    formula="½, ¼, ¼ of (ceiling − water)",
    math=(
        r"\text{steps} = \tfrac{1}{2}, \tfrac{1}{4}, \tfrac{1}{4} \ \text{of} \ (\text{ceiling} - \text{water})"
    ),
    sources=[PRACTICE],
    example=Example(
        given={
            "charged_kg": {"cement": 20, "sand": 80},
            "water_kg": 12,
            "binder": ["cement"],
            "ceiling_l": 16,
        },
        gives={
            "steps": [
                {"add_l": 2.0, "ratio": 0.7},
                {"add_l": 1.0, "ratio": 0.75},
                {"add_l": 1.0, "ratio": 0.8},
            ]
        },
        origin="by hand",
    ),
)
def correct_dry(
    charged_kg: Annotated[ByName[Amount], Field(min_length=1)],
    water_kg: Amount,
    binder: Annotated[Few[Name], Field(min_length=1)],
    ceiling_l: Dimension,
) -> CorrectDry:
    """Water in steps for a load that is too dry. Mix in and judge each before the next.

    Args:
        charged_kg: oven-dry weight of each material.
        water_kg: in the load now, kg.
        binder: the materials that count as cement or lime.
        ceiling_l: the most free water allowed, L.

    Returns:
        steps of add_l with the ratio each comes to; none at or past the ceiling.

    Raises:
        InputError: binder names what was not charged, or there is no binder in it.
    """
    _check_names(charged_kg, binder=binder)
    binder_kg = fsum(charged_kg[name] for name in binder)
    if binder_kg == 0:
        raise InputError("no_binder", "charged_kg has no binder. Enter its mass.", ["charged_kg"])
    gap = ceiling_l - water_kg
    if gap <= 0:
        return CorrectDry(steps=[])
    totals = accumulate(share * gap for share in _SHARES)
    return CorrectDry(
        steps=[
            WaterAddition(add_l=share * gap, ratio=(water_kg + total) / binder_kg)
            for share, total in zip(_SHARES, totals, strict=True)
        ]
    )


class CorrectMiscount(Result):
    """Vessels to add of each, and how many times the mix's parts the batch then is."""

    add: dict[str, float]
    multiple: float


@rule(
    "correct-miscount",
    formula="multiple = max(charged / parts);  add = parts · multiple − charged",
    math=(
        r"\text{multiple} = \max \frac{\text{charged}}{\text{parts}} "
        r"\qquad \text{add} = \text{parts} \cdot \text{multiple} - \text{charged}"
    ),
    sources=[MASS_BALANCE],
    example=Example(
        given={
            "charged_vessels": {"cement": 1, "lime": 1, "sand": 3},
            "parts_vessels": {"cement": 1, "lime": 1, "sand": 6},
        },
        gives={"add": {"cement": 0.0, "lime": 0.0, "sand": 3.0}, "multiple": 1.0},
        origin="by hand",
    ),
)
def correct_miscount(
    charged_vessels: Annotated[ByName[Amount], Field(min_length=1), older("charged_vessels", "charged")],
    parts_vessels: Annotated[ByName[Dimension], Field(min_length=1), older("parts_vessels", "parts")],
) -> CorrectMiscount:
    """What to add after a miscount. You can't take anything out, so the biggest amount sets the size.

    Args:
        charged_vessels: buckets of each material in the mixer (also read as ``charged``).
        parts_vessels: parts of each material in the same buckets (also read as ``parts``).

    Returns:
        add in vessels by name, and multiple, which the water follows.

    Raises:
        InputError: something was charged that the mix has not, or nothing was.
    """
    for name in charged_vessels:
        if name not in parts_vessels:
            raise InputError(
                "unknown_name",
                f"charged_vessels names {name!r}, which isn't in parts_vessels.",
                [f"charged_vessels.{name}"],
            )
    multiple = max(charged_vessels.get(name, 0.0) / wanted for name, wanted in parts_vessels.items())
    if multiple == 0:
        raise InputError(
            "nothing_charged", "charged_vessels are all 0. Load the mixer first.", ["charged_vessels"]
        )
    return CorrectMiscount(
        add={
            name: wanted * multiple - charged_vessels.get(name, 0.0) for name, wanted in parts_vessels.items()
        },
        multiple=multiple,
    )
