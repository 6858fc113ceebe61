"""Proportions: open data, published figures, and what must hold for every batch."""

import csv
from pathlib import Path
from statistics import mean

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.proportioning import Component, Part, absolute_volume, volume_parts

DATA = Path(__file__).parents[3] / "tests" / "reference" / "concrete_mixtures.csv"
# kg/m3, as the rules give them for this check.
PARTICLE_DENSITY = {
    "cement_kg_m3": 3150, "slag_kg_m3": 2900, "fly_ash_kg_m3": 2300, "water_kg_m3": 1000,
    "superplasticizer_kg_m3": 1060, "coarse_kg_m3": 2650, "fine_kg_m3": 2620,
}  # fmt: skip


def test_laboratory_mixes_fill_their_cubic_metre() -> None:
    """Concrete Compressive Strength data (UCI, CC BY 4.0; see tests/reference/README.md).

    The masses are per nominal m3, so without air they must fill a little less than one: 0.987 on average,
    which leaves about 1.2 % of air.
    """
    with DATA.open() as file:
        rows = list(csv.DictReader(file))
    volumes = [
        absolute_volume(
            components=[
                Component(name=name, mass_kg=float(row[name]), particle_density_kg_m3=density)
                for name, density in PARTICLE_DENSITY.items()
            ]
        ).volume_m3
        for row in rows
    ]
    assert len(volumes) == 687
    assert mean(volumes) == pytest.approx(0.987, abs=0.0005)
    assert 0.9 < min(volumes) < max(volumes) < 1.06


CEMENT = Part(
    name="cement", parts=1, bulk_density_kg_m3=1200, particle_density_kg_m3=3150, is_binder=True
)  # fmt: skip


def sand(parts: float = 4, moisture: float = 0.04, bulking: float = 0.2, absorption: float = 0.0) -> Part:
    return Part(
        name="sand", parts=parts, bulk_density_kg_m3=1550, particle_density_kg_m3=2620, is_binder=False,
        moisture_fraction=moisture, bulking_fraction=bulking, absorption_fraction=absorption,
    )  # fmt: skip


def test_bulked_sand_holds_what_astm_c270_says() -> None:
    """ASTM C270 (from memory): a damp loose cubic foot holds 80 lb of dry sand; 80 · 0.45359237 / 0.3048³."""
    wanted = 80 * 0.45359237 / 0.3048**3
    assert sand(bulking=0.21).dry_density_as_measured_kg_m3 == pytest.approx(wanted, rel=0.005)


@given(
    st.floats(0.5, 9), st.floats(0, 0.12), st.floats(0, 0.4), st.floats(0, 0.03), st.floats(0.3, 1.2),
    st.floats(0, 0.3), st.floats(0.001, 10),
)  # fmt: skip
def test_mass_and_volume_balance(
    parts: float, moisture: float, bulking: float, absorption: float, ratio: float, air: float, target: float
) -> None:
    stockpile = sand(parts, moisture, bulking, absorption)
    state = volume_parts(
        components=[CEMENT, stockpile], water_binder_ratio=ratio, air_fraction=air, target_m3=target
    )
    dry = state.dry_kg
    water = state.water_binder_ratio * dry["cement"]
    assert dry["cement"] / 3150 + dry["sand"] / 2620 + water / 1000 == pytest.approx(target * (1 - air))
    # All the water there is: what is added, what comes with the sand, less what the sand soaks up.
    soaked = dry["sand"] * absorption
    brought = state.masses_kg["sand"] - dry["sand"]
    assert state.added_water_l + brought - soaked == pytest.approx(water)
    assert state.volumes_l["sand"] == pytest.approx(parts * state.volumes_l["cement"])
    assert state.yield_factor == pytest.approx(1000 * target / sum(state.volumes_l.values()))
    if not state.warnings:
        assert state.water_binder_ratio == pytest.approx(ratio)


@given(st.floats(0.001, 10), st.floats(0.1, 20))
def test_scaling_a_batch_scales_its_masses(target: float, k: float) -> None:
    def made(target_m3: float) -> list[float]:
        state = volume_parts(
            components=[CEMENT, sand()], water_binder_ratio=0.75, air_fraction=0.15, target_m3=target_m3
        )
        return [*state.masses_kg.values(), *state.volumes_l.values(), state.added_water_l]

    assert made(k * target) == pytest.approx([k * figure for figure in made(target)])


def test_a_stockpile_too_wet_is_said_and_counted() -> None:
    state = volume_parts(
        components=[CEMENT, sand(moisture=0.25, bulking=0)],
        water_binder_ratio=0.5,
        air_fraction=0,
        target_m3=1,
    )
    assert state.added_water_l == 0
    assert state.water_binder_ratio == pytest.approx(4 * 1550 * 0.25 / 1200)
    assert [warning.code for warning in state.warnings] == ["sand_too_wet"]


@pytest.mark.parametrize("parts", [[sand()], [CEMENT, CEMENT]])
def test_parts_without_a_binder_or_with_a_name_twice(parts: list[Part]) -> None:
    with pytest.raises(InputError) as refused:
        volume_parts(components=parts, water_binder_ratio=0.5, air_fraction=0, target_m3=1)
    assert refused.value.fields == ["components"]
