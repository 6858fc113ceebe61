"""A crew's own mixes: versions that stay, ids that are its own, other crews' out of reach."""

import contextlib
from uuid import uuid4

import pytest
from helpers import RAW_JOB, job
from people import new_visitor
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix, library
from keeve.core.mixes.model import Mix
from keeve.core.planning.sample_plans import cubic_metre
from keeve.data import mixes, plans
from keeve.data.accounts import Visitor
from keeve.formats.job_file import read_job
from keeve.screens.plan.mix_choices import mix_shelves


def own(**changes: object) -> Mix:
    return get_mix("mortar-general").model_copy(
        update={"id": f"wall-{uuid4().hex[:6]}", "name": "Wall", **changes}
    )


def test_every_version_stays(engine: Engine, visitor: Visitor) -> None:
    first = own()
    second = first.model_copy(update={"life_min": 90.0})
    assert [mixes.save_mix(engine, visitor, mix) for mix in (first, first, second)] == [1, 1, 2]
    assert mixes.find_mix(engine, visitor, first.id) == second
    assert mixes.find_mix(engine, visitor, first.id, 1) == first
    assert mixes.find_mix(engine, visitor, first.id, 3) is None
    assert mixes.own_mixes(engine, visitor) == {first.id: second}
    assert [line.version for line in mixes.versions(engine, visitor, first.id)] == [2, 1]
    assert mixes.known_mixes(engine, visitor, first.id)[first.id] == second


def test_another_crew_has_none_of_it(engine: Engine, visitor: Visitor) -> None:
    mix = own()
    mixes.save_mix(engine, visitor, mix)
    stranger, _ = new_visitor(engine)
    assert mixes.find_mix(engine, stranger, mix.id) is None
    assert mixes.own_mixes(engine, stranger) == {}
    assert mixes.save_mix(engine, stranger, mix) == 1


def test_what_cannot_be_kept(engine: Engine, visitor: Visitor) -> None:
    part = get_mix("mortar-general").parts[0].model_copy(update={"material": "ash"})
    for mix, fields in (
        (get_mix("mortar-general"), ["id"]),
        (own(parts=[part, *get_mix("mortar-general").parts[1:]]), ["parts.0.material"]),
    ):
        with pytest.raises(InputError) as refused:
            mixes.save_mix(engine, visitor, mix)
        assert refused.value.fields == fields


def test_a_favourite_is_on_top_for_whoever_chose_it_and_used_last_comes_after(
    engine: Engine, visitor: Visitor
) -> None:
    known = mixes.every_mix(engine, visitor)
    plans.save_plan(engine, visitor, job(mix="mortar-general"))
    assert mixes.set_favourite(engine, visitor, "hemp-lime", is_on=True)
    assert mixes.set_favourite(engine, visitor, "hemp-lime", is_on=True)
    shelves = {
        shelf.heading: [item.mix.id for item in shelf.choices]
        for shelf in mix_shelves(known, *mixes.preferred(engine, visitor))
    }
    assert list(shelves)[:2] == ["Favourites", "Recent"]
    assert (shelves["Favourites"], shelves["Recent"]) == (["hemp-lime"], ["mortar-general"])
    # Every mix stands once, on one shelf.
    assert sorted(name for shelf in shelves.values() for name in shelf) == sorted(known)
    assert next(shelf.heading for shelf in mix_shelves(known, *mixes.preferred(engine, None))) == "concrete"
    other, _ = new_visitor(engine)
    assert mixes.favourites(engine, other) == []
    assert not mixes.set_favourite(engine, visitor, "nothing", is_on=True)
    mixes.set_favourite(engine, visitor, "hemp-lime", is_on=False)
    assert mixes.favourites(engine, visitor) == []


@pytest.mark.parametrize("mix", library().values(), ids=lambda mix: mix.id)
def test_a_part_of_nothing_is_left_out_or_refused_in_a_sentence(mix: Mix) -> None:
    for part in mix.parts:
        parts = [one.model_copy(update={"parts": 0.0 if one is part else one.parts}) for one in mix.parts]
        with contextlib.suppress(InputError):  # without a binder, say: in a sentence of ours
            plan = cubic_metre(mix.model_copy(update={"parts": parts}))
            designed = mix.basis_traits.asks_for == "design"  # its parts come from the design
            assert designed or part.name not in {one.name for one in plan.materials}


@pytest.mark.parametrize("volume_l", [1e-308, 5e-324, 1e-200])
def test_a_figure_too_small_to_be_one_is_refused_by_its_name(volume_l: float) -> None:
    with pytest.raises(InputError, match=r"vessels\.0\.volume_l "):
        read_job(RAW_JOB | {"vessels": [{"name": "bucket", "volume_l": volume_l}]})
    assert read_job(RAW_JOB | {"vessels": [{"name": "bucket", "volume_l": 1e-12}]})
