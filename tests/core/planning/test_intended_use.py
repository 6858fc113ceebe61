"""The use, the hands, the air and the base move the water of a mix inside its range, by shares that the mix gives.

How far is common practice, no source: pointing is mixed drier than bedding, a roof drier than bricks, rendering a
little wetter; one person works stiffer than a crew, heat takes the wet end of what a label allows, indoors no more than
its middle. What is checked here is that the water stays in the range and goes the way it is said to.
"""

from collections.abc import Mapping
from typing import Any

import pytest
from helpers import a_job_of, job, plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix, library
from keeve.core.mixes.model import Mix
from keeve.core.planning.job import Job, Placing
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.placing import wetness_of
from keeve.core.planning.plan import Plan

USES = [(mix.id, name) for mix in library().values() for name in list(mix.wetness)[1:]]
MOVED = [mix for mix in library().values() if mix.is_moved]
PLACINGS = st.builds(
    dict,
    hands=st.sampled_from([None, "alone"]),
    air=st.sampled_from([None, "heat", "wind", "indoors"]),
    base=st.sampled_from([None, "thirsty"]),
)


def placed(mix: Mix, **changes: Any) -> Plan:
    return plan(**{**a_job_of(mix.id, mix.procedures[0].mixer), **changes})


def shift_of(mix: Mix, uses: Mapping[str, Any]) -> float:
    wanted = wetness_of(mix, job(**uses))
    return wanted.shift if wanted else 0.0


@pytest.mark.parametrize(("mix_id", "intended_use"), USES)
def test_the_target_moves_as_the_mix_says_and_never_out_of_its_window(mix_id: str, intended_use: str) -> None:
    mix = get_mix(mix_id)
    usual, moved = placed(mix), placed(mix, intended_use=intended_use)
    wanted = mix.wetness[intended_use]  # type: ignore[index]
    water = moved.loads[0].water
    assert (water.target_l - usual.loads[0].water.target_l) * wanted.shift > 0
    assert water.min_l <= water.target_l <= water.ceiling_l
    assert wanted.why in moved.mix.water_why
    assert (usual.mix.target_ratio, usual.mix.usual_ratio) == (None, None)


@given(st.sampled_from(MOVED), PLACINGS, st.booleans())
def test_who_and_where_move_the_water_of_every_mix_inside_its_range(
    mix: Mix, placing: dict[str, Any], used: bool
) -> None:
    """Bags too: the water stays between the least and the most, and goes the way all of it together says."""
    uses = {"placing": placing, **({"intended_use": list(mix.wetness)[-1]} if used and mix.wetness else {})}
    usual, moved = placed(mix).loads[0], placed(mix, **uses)
    load, shift = moved.loads[0], shift_of(mix, uses)
    assert load.binder_kg == pytest.approx(usual.binder_kg, rel=0.2)
    assert load.water.min_l - 1e-9 <= load.water.target_l <= load.water.ceiling_l + 1e-9
    # For a kilogram of binder: with more water a load of the same size has less of it.
    went = load.water.free_l(load.water.target_l) / load.binder_kg
    came = usual.water.free_l(usual.water.target_l) / usual.binder_kg
    assert (went - came) * shift > 0 or shift == pytest.approx(0) == pytest.approx(went - came)
    assert (moved.mix.usual_ratio is None) == (not any(placing.values()) and "intended_use" not in uses)


def test_by_hand_pointing_goes_so_far_to_the_dry_end_and_heat_some_of_it_back() -> None:
    # Bricklaying mortar: 0.65 to 0.80, usually 0.75; pointing goes 0.6 of the way to the dry end: 0.75 - 0.6 * 0.10.
    made = plan(mix="mortar-bricklaying", intended_use="pointing").mix
    assert (made.usual_ratio, made.target_ratio) == pytest.approx((0.75, 0.69))
    made = plan(mix="mortar-bricklaying", intended_use="pointing", placing={"air": "heat"}).mix
    assert made.target_ratio == pytest.approx(0.75 - (0.6 - 0.4) * 0.10)


def test_by_hand_a_label_is_used_from_its_dry_to_its_wet_end() -> None:
    """An overlay of 2.6 to 3.5 L a bag: a crew takes the middle, one alone the dry end, in heat nearly the most."""
    label = {"bag_kg": 25, "yield_l": 13, "water_start_l": 2.6, "water_min_l": 2.6, "water_max_l": 3.5}
    mix = get_mix("overlay-stampable")
    a_bag = {
        name: placed(mix, materials={"bag": label}, placing=given).loads[0].water.target_l / 2
        for name, given in {"crew": {}, "alone": {"hands": "alone"}, "heat": {"air": "heat"}}.items()
    }
    assert a_bag == pytest.approx({"crew": 3.05, "alone": 3.05 - 0.8 * 0.45, "heat": 3.05 + 0.9 * 0.45})


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
    with pytest.raises(InputError, match="Choose: bricks, roof, pointing") as fault:
        make_plan(job(mix="mortar-bricklaying", intended_use="plastering"))
    assert fault.value.fields == ["intended_use"]


@pytest.mark.parametrize("mix_id", ["plaster-casting", "concrete-designed"])
def test_what_has_no_range_is_not_moved_and_says_so(mix_id: str) -> None:
    mix = get_mix(mix_id)
    with pytest.raises(InputError, match="doesn't move the water") as fault:
        placed(mix, placing={"hands": "alone"})
    assert fault.value.fields == ["placing"]


def test_who_and_where_of_a_job_of_before_are_read_as_what_they_are_now() -> None:
    raw = job().model_dump(mode="json", exclude_unset=True)
    assert Job.model_validate({**raw, "intended_use": "heat"}).placing == Placing(air="heat")
    assert Job.model_validate({**raw, "intended_use": "alone"}).placing == Placing(hands="alone")
