"""What a load is placed as moves its water inside the mix's window, by a share that the mix gives.

How far is common practice, no source: pointing is mixed drier than bedding, a roof drier than bricks, rendering a
little wetter. What is checked here is that the water stays in the window and goes the way it is said to.
"""

import pytest
from helpers import a_job_of, job, plan

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix, library
from keeve.core.planning.make_plan import make_plan

MOVED = [(mix.id, name) for mix in library().values() for name in list(mix.wetness)[1:]]


@pytest.mark.parametrize(("mix_id", "intended_use"), MOVED)
def test_the_target_moves_as_the_mix_says_and_never_out_of_its_window(mix_id: str, intended_use: str) -> None:
    mix = get_mix(mix_id)
    changes = a_job_of(mix_id, mix.procedures[0].mixer)
    usual, moved = plan(**changes), plan(**changes, intended_use=intended_use)
    wanted = mix.wetness[intended_use]  # type: ignore[index]
    water = moved.loads[0].water
    assert (water.target_l - usual.loads[0].water.target_l) * wanted.shift > 0
    assert water.min_l <= water.target_l <= water.ceiling_l
    made = moved.mix
    assert made.water_why == wanted.why
    assert (usual.mix.target_ratio, usual.mix.usual_ratio) == (None, None)
    assert mix.water is not None
    assert mix.water.ratio_low <= (made.target_ratio or 0) <= mix.water.ratio_high


def test_by_hand_pointing_goes_so_far_to_the_dry_end() -> None:
    # Bricklaying mortar: 0.65 to 0.80, usually 0.75; pointing goes 0.6 of the way to the dry end: 0.75 - 0.6 * 0.10.
    made = plan(mix="mortar-bricklaying", intended_use="pointing").mix
    assert (made.usual_ratio, made.target_ratio) == pytest.approx((0.75, 0.69))


def test_the_first_placing_is_the_usual_one_and_the_others_stand_apart() -> None:
    for mix in library().values():
        shifts = [wanted.shift for wanted in mix.wetness.values()]
        if shifts:
            assert shifts[0] == 0
            assert all(shifts[1:])
    order = ["pointing", "roof", "bricks"]
    targets = [plan(mix="mortar-bricklaying", intended_use=name).loads[0].water.target_l for name in order]
    assert targets == sorted(targets)


def test_a_placing_the_mix_does_not_know_is_refused_by_name() -> None:
    with pytest.raises(InputError, match="Choose: bricks, roof, pointing, heat, alone") as fault:
        make_plan(job(mix="mortar-bricklaying", intended_use="plastering"))
    assert fault.value.fields == ["intended_use"]
