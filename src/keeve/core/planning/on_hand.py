"""A job told by what is there: so much of one material of the mix, or of its water, and the batch that makes."""

from typing import assert_never

from keeve.core.errors import InputError
from keeve.core.mixes.model import Mix
from keeve.core.planning.job import BagsOnHand, Job, OnHandNeed, VesselsOnHand, VolumeOnHand, WeightOnHand
from keeve.core.planning.load_contents import bag_kg_of, first_volume
from keeve.core.planning.plan import Load
from keeve.core.planning.site_mix import WATER


def batch_on_hand_m3(mix: Mix, job: Job, need: OnHandNeed, a_cubic_metre: Load, path: str) -> float:
    """The volume that is made with what is there, waste included, m3.

    Args:
        mix: the mix on this site.
        job: the job.
        need: what is there.
        a_cubic_metre: a load of 1 m3 of it.
        path: of the need in the job, for a refusal.

    Raises:
        InputError: the mix has nothing of it, it cannot be measured so, or another is told of besides.
    """
    on_hand, path = need.on_hand, f"{path}.on_hand"
    if any(isinstance(one, OnHandNeed) and one.on_hand.material != on_hand.material for one in job.need):
        raise InputError(
            "one_on_hand",
            "Enter what you have of one material. The others are worked out.",
            [f"{path}.material"],
        )
    bag_kg = next((bag_kg_of(part, job) for part in mix.parts if part.name == on_hand.material), None)
    vessel = first_volume(on_hand.material, job.vessels)
    if on_hand.material == WATER:
        # A litre of water is told as a kilogram of it, as everywhere in a load.
        damp_kg = dry_kg = loose_l = a_cubic_metre.water.target_l
    else:
        charge = next((one for one in a_cubic_metre.charges if one.material == on_hand.material), None)
        if charge is None:
            known = ", ".join([*(one.material for one in a_cubic_metre.charges), WATER])
            raise InputError(
                "unknown_material",
                f"This mix has no {on_hand.material}. Choose: {known}.",
                [f"{path}.material"],
            )
        damp_kg, dry_kg, loose_l = charge.mass_kg, charge.dry_kg, charge.volume_l
    if not loose_l:
        raise InputError(
            "none_of_it",
            f"None of the {on_hand.material} goes in. Choose another material.",
            [f"{path}.material"],
        )
    match on_hand:
        case WeightOnHand():
            return on_hand.mass_kg / damp_kg
        case VolumeOnHand():
            return on_hand.volume_l / loose_l
        case BagsOnHand(bag_kg=float(own_kg)):
            return on_hand.bags * own_kg / damp_kg
        case BagsOnHand():
            if bag_kg is None:
                raise InputError(
                    "no_bag",
                    f"A bag of {on_hand.material}: how heavy is it? Enter its weight.",
                    [f"{path}.bag_kg"],
                )
            # A bag holds it dry.
            return on_hand.bags * bag_kg / dry_kg
        case VesselsOnHand():
            if vessel is None:
                raise InputError(
                    "no_vessel",
                    f"There's no bucket for the {on_hand.material}. Enter one under measure, or the volume you have.",
                    [f"{path}.vessels"],
                )
            return on_hand.vessels * vessel[1] / loose_l
        case _:
            assert_never(on_hand)
