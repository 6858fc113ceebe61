"""Bringing a batch back into its own ratio."""

from collections.abc import Mapping
from typing import Annotated

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules import MASS_BALANCE, Amount, Dimension, Example, Fraction, Result, RuleWarning, rule


class CorrectWet(Result):
    """What to add (damp, kg), its loose volume (L; null without densities), the new ratio, and if it fits."""

    add_kg: dict[str, float]
    volume_l: float | None
    new_ratio: float
    fits: bool | None


@rule(
    "correct-wet",
    formula="k = (W − r·B) / (r·B − Σ m·w);  add k · m · (1 + w)",
    sources=[MASS_BALANCE],
    example=Example(
        given={
            "charged_kg": {"cement": 20, "sand": 80},
            "water_kg": 17,
            "binder": ["cement"],
            "target_ratio": 0.75,
            "moisture_fraction": {"sand": 0.05},
            "mixer_free_l": 20,
            "densities": {"cement": 1200, "sand": 1400},
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
    *,
    charged_kg: Annotated[dict[str, Amount], Field(min_length=1)],
    water_kg: Amount,
    binder: Annotated[list[str], Field(min_length=1)],
    target_ratio: Dimension,
    mixer_free_l: Amount | None = None,
    moisture_fraction: dict[str, Fraction] | None = None,
    densities: dict[str, Dimension] | None = None,
) -> CorrectWet:
    """How much of everything dry, in the mix's own ratio, takes up too much water.

    Args:
        charged_kg: what is in, oven-dry kg by name, in the mix's ratio.
        water_kg: free water in the batch, kg.
        binder: the names that count as binder.
        target_ratio: water over binder to come back to.
        mixer_free_l: room left in the mixer, L.
        moisture_fraction: moisture of what is added, by name.
        densities: loose density as charged, kg/m3 by name; needed to say what room it takes.

    Returns:
        add_kg as charged (damp), volume_l, new_ratio and fits (both null where a figure is missing).

    Raises:
        InputError: a name is unknown, or the material to add is itself too wet to help.
    """
    moisture = moisture_fraction or {}
    _check_names(charged_kg, binder=binder, moisture_fraction=moisture, densities=densities or {})
    wanted = target_ratio * sum(charged_kg[name] for name in binder)
    brought = sum(mass * moisture.get(name, 0.0) for name, mass in charged_kg.items())
    if wanted <= brought:
        raise InputError(
            "material_too_wet",
            "moisture_fraction is so high that this material brings more water than it takes up: use drier sand.",
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
        sum(mass / densities[name] * 1000 for name, mass in add.items())
        if densities and set(add) <= set(densities)
        else None
    )
    fits = None if volume is None or mixer_free_l is None else volume <= mixer_free_l
    return CorrectWet(
        add_kg=add,
        volume_l=volume,
        new_ratio=(water_kg + k * brought) / (wanted * (1 + k)) * target_ratio,
        fits=fits,
    )


_NOT_TOO_WET = RuleWarning(
    code="not_too_wet",
    message="By its figures the batch is not too wet: nothing to add.",
    field="water_kg",
    suggestion="Check the water that was counted, and look again after mixing.",
)


def _check_names(charged: Mapping[str, float], **named: Mapping[str, float] | list[str]) -> None:
    for field, names in named.items():
        for name in names:
            if name not in charged:
                raise InputError(
                    "unknown_name", f"{field} names {name!r}, which charged_kg does not hold.", [field]
                )
