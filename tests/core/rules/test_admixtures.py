"""Admixture doses, against the trade's own arithmetic and an independent unit library."""

import pint
import pytest
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.rules.admixtures import admixture_dose

units = pint.UnitRegistry()


def test_thirty_fluid_ounces_a_yard() -> None:
    """Trade arithmetic (common practice, no source): 600 lb a yd3 at 5 US fl oz a US cwt is 30 US fl oz.

    At density 1.0 and 45 % solids it brings 16.5 US fl oz of water, 1.076 lb.
    """
    dose = admixture_dose(
        binder_kg=units.Quantity(600, "pound").to("kilogram").magnitude,
        dose=5,
        basis="floz_per_us_cwt",
        density_kg_l=1.0,
        solids_fraction=0.45,
    )
    assert dose.volume_ml is not None
    assert units.Quantity(dose.volume_ml, "milliliter").to("fluid_ounce").magnitude == pytest.approx(
        30, rel=1e-5
    )
    assert units.Quantity(dose.water_in_kg, "liter").to("fluid_ounce").magnitude == pytest.approx(
        16.5, rel=1e-5
    )
    assert units.Quantity(dose.water_in_kg, "kilogram").to("pound").magnitude == pytest.approx(
        1.076, abs=5e-4
    )


def test_a_small_batch() -> None:
    """10 US fl oz a US cwt on 4 lb is 0.4 fl oz, 11.8 mL (trade arithmetic)."""
    binder_kg = units.Quantity(4, "pound").to("kilogram").magnitude
    dose = admixture_dose(
        binder_kg=binder_kg, dose=10, basis="floz_per_us_cwt", density_kg_l=1.1, solids_fraction=0.3
    )
    assert dose.volume_ml == pytest.approx(11.8, abs=0.05)


@pytest.mark.parametrize(
    ("basis", "given", "mass_kg"),
    [
        ("percent_binder", {"dose": 3.5}, 0.7),
        ("percent_cement", {"dose": 1, "cement_kg": 18}, 0.18),
        ("g_per_m3", {"dose": 900, "volume_m3": 0.05}, 0.045),
        ("ml_per_100kg", {"dose": 150}, 0.03 * 1.1),
        ("ml_per_l_water", {"dose": 5, "water_l": 12}, 0.06 * 1.1),
        ("ml_per_batch", {"dose": 40}, 0.04 * 1.1),
    ],
)
def test_each_basis_by_hand(basis: str, given: dict[str, float], mass_kg: float) -> None:
    """On 20 kg of binder, product of 1.1 kg/L with a quarter of solids."""
    dose = admixture_dose(binder_kg=20, basis=basis, density_kg_l=1.1, solids_fraction=0.25, **given)  # type: ignore[arg-type]
    assert dose.mass_kg == pytest.approx(mass_kg)
    assert dose.volume_ml == pytest.approx(mass_kg / 1.1 * 1000)
    assert dose.water_in_kg == pytest.approx(0.75 * mass_kg)


def test_only_the_bottle_is_at_hand() -> None:
    """By hand: 30 mL to each of two bags and to each of three buckets; 60 mL at 1.05 kg/L are 63 g, 80 % water."""
    by_bag = admixture_dose(binder_kg=50, dose=30, basis="ml_per_bag", bags=2)
    by_bucket = admixture_dose(binder_kg=50, dose=20, basis="ml_per_bucket", buckets=3)
    for found in (by_bag, by_bucket):
        assert (found.volume_ml, found.mass_kg) == (pytest.approx(60), pytest.approx(0.063))
        assert found.water_in_kg == pytest.approx(0.8 * 0.063)
        assert {"density_kg_l": 1.05, "solids_fraction": 0.2}.items() <= found.assumed.items()


@given(st.floats(0.1, 500), st.floats(0, 20))
def test_powder_brings_no_water(binder_kg: float, dose: float) -> None:
    found = admixture_dose(binder_kg=binder_kg, dose=dose, basis="percent_binder", form="powder")
    assert found.water_in_kg == 0
    assert found.volume_ml is None


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({"basis": "ml_per_bag"}, "bags"),
        ({"basis": "ml_per_bucket"}, "buckets"),
        ({"basis": "ml_per_100kg", "form": "powder"}, "density_kg_l"),
        ({"basis": "percent_cement", "solids_fraction": 0.2}, "cement_kg"),
        ({"basis": "ml_per_l_water", "solids_fraction": 0.2, "density_kg_l": 1}, "water_l"),
    ],
)
def test_what_the_label_must_say(given: dict[str, object], field: str) -> None:
    with pytest.raises(InputError) as refused:
        admixture_dose(binder_kg=20, dose=1, **given)  # type: ignore[arg-type]
    assert refused.value.fields == [field]
