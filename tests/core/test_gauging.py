"""A load in the user's own gauge: every gauge carries the same mass, none past what vessel and scale hold."""

import math
from typing import Any

import pytest
from helpers import plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.gauging import in_vessels, reading_of, shovels_of, told
from keeve.core.workings import Workings

BUCKET = {"name": "bucket", "volume_l": 12, "tare_kg": 0.7}
SHOVEL = {"name": "shovel", "kind": "shovel", "volume_l": 4.5}
BAG = {"name": "bag", "kind": "bag", "material": "cement"}
TIN = {"name": "tin", "volume_l": 5, "material": "cement"}


@given(st.floats(1.5, 60), st.floats(0.1, 3), st.floats(5, 200), st.floats(0.1, 1))
def test_the_scale_shows_the_whole_charge_and_is_never_overloaded(
    volume_l: float, tare_kg: float, capacity_kg: float, share: float
) -> None:
    found = plan(
        vessels=[{**BUCKET, "volume_l": volume_l, "tare_kg": tare_kg}],
        scale={"capacity_kg": capacity_kg, "division_g": 10},
    )
    for charge in found.loads[0].charges:
        reading = reading_of(found, charge, share)
        assert reading is not None
        net_kg = reading.gross_kg - tare_kg
        assert reading.fills * net_kg == pytest.approx(charge.mass_kg * share)
        assert reading.gross_kg <= capacity_kg * (1 + 1e-9)
        assert net_kg / charge.mass_kg * charge.volume_l <= volume_l * (1 + 1e-9)


def test_shovels_spread_as_independent_ones_do() -> None:
    """By hand: 4.5 L a shovel at 15 % each; n of them at 15 % over the root of n."""
    found = plan(vessels=[SHOVEL], gauge="shovels")
    charge = found.loads[0].charge("sand")
    shovels = shovels_of(found, charge)
    assert shovels is not None
    assert shovels.number == pytest.approx(charge.volume_l / 4.5)
    assert shovels.spread_fraction == pytest.approx(0.15 / math.sqrt(charge.volume_l / 4.5))
    assert told(found, charge).gauge == "shovels"


def test_a_vessel_for_one_material_comes_first_and_a_whole_bag_is_one() -> None:
    found = plan(vessels=[BUCKET, TIN], gauge="volume")
    cement, sand = (found.loads[0].charge(name) for name in ("cement", "sand"))
    assert [item.name for item in cement.vessels] == ["tin", "bucket"]
    assert [item.name for item in sand.vessels] == ["bucket"]
    bagged = plan(vessels=[BAG, BUCKET], gauge="volume")
    bags = bagged.loads[0].charge("cement").vessels[0]
    assert (bags.name, bags.count) == ("bag", pytest.approx(bagged.loads[0].charge("cement").dry_kg / 25))


def test_level_vessels_say_what_they_cost() -> None:
    found = plan(vessels=[BUCKET], gauge="volume")
    gauged = in_vessels(found, found.loads[0], Workings())
    assert gauged is not None
    litres = {name: count * 12 for name, count in gauged.counts.items()}
    wanted = {charge.material: charge.volume_l for charge in found.loads[0].charges}
    scale = sum(litres.values()) / sum(wanted.values())
    worst = max(abs(litres[name] / (scale * wanted[name]) - 1) for name in wanted)
    assert gauged.volume_error_fraction == pytest.approx(scale - 1)
    assert gauged.ratio_error_fraction == pytest.approx(worst)


@pytest.mark.parametrize("gauge", ["volume", "scale", "shovels"])
def test_without_the_means_an_amount_is_told_by_weight(gauge: str) -> None:
    found = plan(vessels=[], gauge=gauge)
    assert told(found, found.loads[0].charges[0]).gauge == "weight"


@pytest.mark.parametrize(
    ("vessel", "field"),
    [
        ({"name": "bag", "kind": "bag"}, "vessels.0"),
        ({"name": "bucket"}, "vessels.0"),
        ({**BUCKET, "material": "gravel"}, "vessels.0.material"),
    ],
)
def test_a_vessel_that_cannot_be_is_refused(vessel: dict[str, Any], field: str) -> None:
    with pytest.raises(InputError) as caught:
        plan(vessels=[vessel])
    assert caught.value.fields == [field]
