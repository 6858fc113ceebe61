"""From proportions to masses: the absolute-volume method, parts by loose volume, parts by mass."""

from collections.abc import Mapping, Sequence
from math import fsum
from typing import Annotated, NamedTuple

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.aggregate_moisture import free_moisture_fraction
from keeve.core.rules.registry import (
    MASS_BALANCE,
    Air,
    Amount,
    Dimension,
    Example,
    Fraction,
    Result,
    RuleWarning,
    Strict,
    published,
    rule,
)
from keeve.core.texts import Few, Name

WATER_KG_M3 = 1000.0

_ACI_211 = published("ACI 211.1-91, absolute volume method")


class Component(Strict):
    """A component by mass: name, mass_kg (kg, water included as a component), particle_density_kg_m3."""

    name: Name
    mass_kg: Amount
    particle_density_kg_m3: Dimension


class Part(Strict):
    """A component by loose volume.

    Args:
        name: the component.
        parts: loose volumes as measured, so damp and bulked for sand.
        bulk_density_kg_m3: dry and loose, kg/m3.
        particle_density_kg_m3: oven-dry particle density, kg/m3.
        is_binder: whether it counts in the water to binder ratio.
        moisture_fraction: water over oven-dry mass.
        bulking_fraction: how much the damp loose volume exceeds the dry one.
        absorption_fraction: water the grains take up, by oven-dry weight.
    """

    name: Name
    parts: Dimension
    bulk_density_kg_m3: Dimension
    particle_density_kg_m3: Dimension
    is_binder: bool
    moisture_fraction: Fraction = 0.0
    bulking_fraction: Amount = 0.0
    absorption_fraction: Fraction = 0.0

    @property
    def dry_density_as_measured_kg_m3(self) -> float:
        """Oven-dry mass in a loose m3 as it lies, kg/m3."""
        return self.bulk_density_kg_m3 / (1 + self.bulking_fraction)


class AbsoluteVolume(Result):
    """Volume in m3 and fresh density in kg/m3."""

    volume_m3: float
    fresh_density_kg_m3: float


class PartsBatch(Result):
    """A batch by volume.

    ``masses_kg`` are as charged (damp), ``dry_kg`` oven-dry, ``volumes_l`` loose as measured,
    ``added_water_l`` what the tap gives, ``water_binder_ratio`` the true one, ``yield_factor`` fresh
    volume over loose volume.
    """

    masses_kg: dict[str, float]
    dry_kg: dict[str, float]
    volumes_l: dict[str, float]
    added_water_l: float
    water_binder_ratio: float
    yield_factor: float


@rule(
    "absolute-volume",
    formula="V = Σ(m / ρ) / (1 − air)",
    math=r"V = \frac{\sum m / \rho}{1 - \text{air}}",
    sources=[_ACI_211],
    example=Example(
        given={
            "components": [
                {"name": "cement", "mass_kg": 315, "particle_density_kg_m3": 3150},
                {"name": "sand", "mass_kg": 1310, "particle_density_kg_m3": 2620},
                {"name": "water", "mass_kg": 200, "particle_density_kg_m3": 1000},
            ],
            "air_fraction": 0.2,
        },
        gives={"volume_m3": 1.0, "fresh_density_kg_m3": 1825.0},
        origin="by hand: (0.1 + 0.5 + 0.2) / 0.8",
    ),
)
def absolute_volume(
    components: Annotated[Few[Component], Field(min_length=1)], air_fraction: Air = 0.0
) -> AbsoluteVolume:
    """The fresh volume of known weights.

    Args:
        components: every solid and liquid, water too.
        air_fraction: share of the mix that is air.

    Returns:
        volume_m3 (m3) and fresh_density_kg_m3 (kg/m3).

    Raises:
        InputError: the components weigh nothing.
    """
    mass = fsum(item.mass_kg for item in components)
    if mass == 0:
        raise InputError("no_mass", "components weigh nothing. Enter at least one mass_kg.", ["components"])
    volume = fsum(item.mass_kg / item.particle_density_kg_m3 for item in components) / (1 - air_fraction)
    return AbsoluteVolume(volume_m3=volume, fresh_density_kg_m3=mass / volume)


@rule(
    "volume-parts",
    formula="V = (Σ dry / ρ + W / 1000) / (1 − air);  W = max(ratio · Σ binder, Σ dry · (w − a))",
    math=(
        r"V = \frac{\sum m_{\text{dry}} / \rho + W / 1000}{1 - \text{air}} "
        r"\qquad m_{\text{dry}} = \frac{V_{\text{loose}} \, \rho_{\text{bulk}}}{1 + \text{bulking}} "
        r"\qquad W = \max \left( r \sum m_{\text{binder}}, \ \sum m_{\text{dry}} (w - a) \right)"
    ),
    sources=[_ACI_211, MASS_BALANCE],
    example=Example(
        given={
            "components": [
                {
                    "name": "cement",
                    "parts": 1,
                    "bulk_density_kg_m3": 1260,
                    "particle_density_kg_m3": 3150,
                    "is_binder": True,
                },
                {
                    "name": "sand",
                    "parts": 4,
                    "bulk_density_kg_m3": 1572,
                    "particle_density_kg_m3": 2620,
                    "is_binder": False,
                    "moisture_fraction": 0.05,
                    "bulking_fraction": 0.2,
                },
            ],
            "water_binder_ratio": 0.5,
            "air_fraction": 0.0,
            "target_m3": 3.03,
        },
        gives={
            "masses_kg": {"cement": 1260.0, "sand": 5502.0},
            "dry_kg": {"cement": 1260.0, "sand": 5240.0},
            "volumes_l": {"cement": 1000.0, "sand": 4000.0},
            "added_water_l": 368.0,
            "water_binder_ratio": 0.5,
            "yield_factor": 0.606,
        },
        origin="by hand: 1 m3 cement fills 0.4, 4 m3 damp sand 2.0, water 0.63 m3, 0.262 of that in the sand",
    ),
)
def volume_parts(
    components: Annotated[Few[Part], Field(min_length=1)],
    water_binder_ratio: Amount,
    air_fraction: Air,
    target_m3: Dimension,
) -> PartsBatch:
    """Weights and loose volumes for a mix given in parts by volume.

    Args:
        components: one of them must be cement or lime.
        water_binder_ratio: free water to cement and lime, by weight.
        air_fraction: share of the mix that is air.
        target_m3: volume you want, m3.

    Returns:
        Masses (kg), loose volumes (L) and water to add (L). Where the stockpile alone brings more water than
        asked, nothing is added, the true ratio is returned and ``sand_too_wet`` is warned of.

    Raises:
        InputError: no cement or lime among the materials, or the same name twice.
    """
    # One m3 per part first; the whole batch is then scaled to the target.
    dry = {item.name: item.parts * item.dry_density_as_measured_kg_m3 for item in components}
    made = _fill(components, dry, water_binder_ratio, air_fraction, target_m3)
    loose_l = {item.name: item.parts * 1000 * made.scale for item in components}
    return PartsBatch(
        masses_kg=made.masses_kg,
        dry_kg=made.dry_kg,
        volumes_l=loose_l,
        added_water_l=made.added_water_l,
        water_binder_ratio=made.water_binder_ratio,
        yield_factor=target_m3 * 1000 / fsum(loose_l.values()),
        warnings=made.warnings,
    )


class MassPart(Strict):
    """A component by dry mass.

    Args:
        name: the component.
        parts: oven-dry mass, relative to the others.
        particle_density_kg_m3: oven-dry particle density, kg/m3.
        is_binder: whether it counts in the water to binder ratio.
        moisture_fraction: water over oven-dry mass.
        absorption_fraction: water the grains take up, by oven-dry weight.
    """

    name: Name
    parts: Dimension
    particle_density_kg_m3: Dimension
    is_binder: bool
    moisture_fraction: Fraction = 0.0
    absorption_fraction: Fraction = 0.0


class MassBatch(Result):
    """A batch by mass: as charged (damp) and oven-dry kg, L from the tap, the true water ratio."""

    masses_kg: dict[str, float]
    dry_kg: dict[str, float]
    added_water_l: float
    water_binder_ratio: float


@rule(
    "mass-parts",
    formula="V = (Σ dry / ρ + W / 1000) / (1 − air);  W = max(ratio · Σ binder, Σ dry · (w − a))",
    math=(
        r"V = \frac{\sum m_{\text{dry}} / \rho + W / 1000}{1 - \text{air}} "
        r"\qquad W = \max \left( r \sum m_{\text{binder}}, \ \sum m_{\text{dry}} (w - a) \right)"
    ),
    sources=[_ACI_211, MASS_BALANCE],
    example=Example(
        given={
            "components": [
                {"name": "cement", "parts": 1, "particle_density_kg_m3": 3150, "is_binder": True},
                {
                    "name": "sand",
                    "parts": 4,
                    "particle_density_kg_m3": 2500,
                    "is_binder": False,
                    "moisture_fraction": 0.05,
                },
            ],
            "water_binder_ratio": 0.4,
            "air_fraction": 0.0,
            "target_m3": 7.3,
        },
        gives={
            "masses_kg": {"cement": 3150.0, "sand": 13230.0},
            "dry_kg": {"cement": 3150.0, "sand": 12600.0},
            "added_water_l": 630.0,
            "water_binder_ratio": 0.4,
        },
        origin="by hand: 3150 kg cement fill 1 m3, 12600 kg sand 5.04, 1260 kg water 1.26, 630 of that in the sand",
    ),
)
def mass_parts(
    components: Annotated[Few[MassPart], Field(min_length=1)],
    water_binder_ratio: Amount,
    air_fraction: Air,
    target_m3: Dimension,
) -> MassBatch:
    """Weights for a mix given in parts by weight.

    Args:
        components: one of them must be cement or lime.
        water_binder_ratio: free water to cement and lime, by weight.
        air_fraction: share of the mix that is air.
        target_m3: volume you want, m3.

    Returns:
        Masses (kg) and water to add (L). Where the stockpile alone brings more water than asked, nothing is
        added, the true ratio is returned and ``sand_too_wet`` is warned of.

    Raises:
        InputError: no cement or lime among the materials, or the same name twice.
    """
    made = _fill(
        components,
        {item.name: item.parts for item in components},
        water_binder_ratio,
        air_fraction,
        target_m3,
    )
    return MassBatch(
        masses_kg=made.masses_kg,
        dry_kg=made.dry_kg,
        added_water_l=made.added_water_l,
        water_binder_ratio=made.water_binder_ratio,
        warnings=made.warnings,
    )


class _Filled(NamedTuple):
    masses_kg: dict[str, float]
    dry_kg: dict[str, float]
    added_water_l: float
    water_binder_ratio: float
    scale: float
    warnings: list[RuleWarning]


def _fill(
    components: Sequence[Part | MassPart],
    dry: Mapping[str, float],
    ratio: float,
    air: float,
    target_m3: float,
) -> _Filled:
    """Scale dry masses in their proportion, with their water, to a fresh volume."""
    _check_components(components)
    binder = fsum(dry[item.name] for item in components if item.is_binder)
    free = fsum(
        dry[item.name] * free_moisture_fraction(item.moisture_fraction, item.absorption_fraction)
        for item in components
    )
    water = max(ratio * binder, free)
    solids = fsum(dry[item.name] / item.particle_density_kg_m3 for item in components)
    scale = target_m3 / ((solids + water / WATER_KG_M3) / (1 - air))
    warnings = []
    if free > ratio * binder:
        warnings.append(
            RuleWarning(
                code="sand_too_wet",
                message=(
                    "The sand alone holds more water than this mix needs: "
                    f"water to cement and lime becomes {water / binder:.2f}, not {ratio:.2f}."
                ),
                field="moisture_fraction",
                suggestion="Use drier sand, or take it from the drained top of the pile.",
            )
        )
    return _Filled(
        masses_kg={item.name: dry[item.name] * (1 + item.moisture_fraction) * scale for item in components},
        dry_kg={name: mass * scale for name, mass in dry.items()},
        added_water_l=(water - free) * scale,
        water_binder_ratio=water / binder,
        scale=scale,
        warnings=warnings,
    )


def _check_components(components: Sequence[Part | MassPart]) -> None:
    names = [item.name for item in components]
    if len(set(names)) < len(names):
        raise InputError(
            "name_twice", "components has the same name twice. Give each its own.", ["components"]
        )
    if not any(item.is_binder for item in components):
        raise InputError(
            "no_binder", "components has no binder. Set is_binder on the cement or lime.", ["components"]
        )
