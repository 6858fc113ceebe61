"""A job told by what is there: the batch uses that up, whatever the mix, the material and the measure."""

from math import fsum
from random import Random
from typing import Any

import pytest
from helpers import EVERY_PROCEDURE, a_job_of, job, plan

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix

BUCKET_L = 12.0  # of the example job


def used(found: Any, material: str, by: str) -> float:
    """What all loads take of a material, in a measure."""
    charges = [charge for load in found.loads for charge in load.charges if charge.material == material]
    match by:
        case "weight":
            return fsum(charge.mass_kg for charge in charges)
        case "volume":
            return fsum(charge.volume_l for charge in charges)
        case "vessels":
            return fsum(charge.volume_l for charge in charges) / BUCKET_L
    return fsum(charge.mass_kg for charge in charges) / 25


FIGURE = {"weight": "mass_kg", "volume": "volume_l", "vessels": "vessels", "bags": "bags"}


@pytest.mark.parametrize("seed", range(60))
def test_what_is_there_is_used_up_whatever_the_waste(seed: int) -> None:
    chance = Random(seed)
    mix, mixer = chance.choice(EVERY_PROCEDURE)
    material, by = chance.choice(get_mix(mix).parts).name, chance.choice(sorted(FIGURE))
    amount = round(chance.uniform(0.2, 9), 2)
    on_hand = {"by": by, "material": material, FIGURE[by]: amount} | (
        {"bag_kg": 25.0} if by == "bags" else {}
    )
    changes = a_job_of(mix, mixer) | {
        "need": {"on_hand": on_hand},
        "waste_fraction": chance.choice((0, 0.1, 0.2)),
    }
    in_it = {charge.material for charge in plan(**a_job_of(mix, mixer)).loads[0].charges if charge.mass_kg}
    if material not in in_it:
        with pytest.raises(InputError, match="Choose"):
            plan(**changes)
        return
    found = plan(**changes)
    if get_mix(mix).bags_a_batch is None:
        assert used(found, material, by) == pytest.approx(amount, rel=1e-9)
    (bought,) = (item for item in found.shopping if item.material == material)
    assert bought.is_on_hand
    assert not any(item.is_on_hand for item in found.shopping if item.material != material)


def test_a_bag_of_sand_and_the_cement_for_it() -> None:
    """1 : 4 by volume, sand 4 % damp: by hand from the loads of the quarter metre in a drum, 96.5 kg to 21.6 kg."""
    found = plan(need={"on_hand": {"by": "bags", "material": "sand", "bags": 1, "bag_kg": 25}})
    (load,) = found.loads
    assert load.charge("sand").mass_kg == pytest.approx(25)
    assert load.charge("cement").mass_kg == pytest.approx(25 * 21.557 / 96.53, rel=1e-3)


def test_a_third_of_a_bucket_of_water() -> None:
    found = plan(need={"on_hand": {"by": "vessels", "material": "water", "vessels": 1 / 3}})
    assert fsum(load.water.target_l for load in found.loads) == pytest.approx(BUCKET_L / 3)


@pytest.mark.parametrize(
    ("needs", "code", "field"),
    [
        ([{"by": "weight", "material": "straw", "mass_kg": 5}], "unknown_material", "need.0.on_hand.material"),
        ([{"by": "bags", "material": "sand", "bags": 1}], "no_bag", "need.0.on_hand.bag_kg"),
        (
            [{"by": "weight", "material": "sand", "mass_kg": 5}, {"by": "weight", "material": "cement", "mass_kg": 5}],
            "one_on_hand", "need.0.on_hand.material",
        ),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_at_its_field(needs: list[Any], code: str, field: str) -> None:
    with pytest.raises(InputError) as refused:
        plan(need=[{"on_hand": one} for one in needs])
    assert (refused.value.code, refused.value.fields) == (code, [field])


def test_without_a_bucket_it_is_not_counted_in_them() -> None:
    with pytest.raises(InputError) as refused:
        plan(need={"on_hand": {"by": "vessels", "material": "sand", "vessels": 2}}, vessels=[])
    assert refused.value.code == "no_vessel"


def test_two_lots_of_one_material_add_up() -> None:
    lots = [
        {"by": "weight", "material": "sand", "mass_kg": 30},
        {"by": "weight", "material": "sand", "mass_kg": 12.5},
    ]
    found = plan(need=[{"on_hand": one} for one in lots])
    assert used(found, "sand", "weight") == pytest.approx(42.5)
    assert job(need=[{"on_hand": one} for one in lots]).is_on_hand
