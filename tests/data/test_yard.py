"""What a crew owns: kept version by version, and where a new job begins."""

from datetime import date, timedelta
from typing import Any
from uuid import uuid4

import pytest
from helpers import NOON
from people import new_visitor
from sqlalchemy import Engine

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix, library, materials
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.yard import begun_with, parse_item
from keeve.data import yard
from keeve.data.accounts import Visitor
from keeve.demo import jobs
from keeve.screens.plan.form import empty_form
from keeve.screens.plan.form_job import to_job

DRUM = {"kind": "mixer", "name": "drum", "mixer_kind": "tilting-drum", "working_l": 70, "drum_l": 110}
TIN = {"kind": "vessel", "name": "tin", "full_of_water_kg": 5.39, "tare_kg": 0.4, "material": "cement"}


def test_a_thing_is_written_down_changed_and_taken_out(engine: Engine, visitor: Visitor) -> None:
    thing_id = uuid4()
    yard.keep_item(engine, visitor, thing_id, DRUM, NOON)
    yard.keep_item(engine, visitor, thing_id, {**DRUM, "working_l": 80}, NOON + timedelta(minutes=1))
    assert [kept.item.model_dump()["working_l"] for kept in yard.yard_of(engine, visitor)] == [80]
    stranger, _ = new_visitor(engine)
    assert yard.yard_of(engine, stranger) == []
    assert not yard.take_out(engine, stranger, thing_id, NOON)
    assert yard.take_out(engine, visitor, thing_id, NOON + timedelta(minutes=2))
    assert yard.yard_of(engine, visitor) == []


@pytest.mark.parametrize(
    ("raw", "words"),
    [
        ({**DRUM, "working_l": 0}, "working_l"),
        ({"kind": "crane", "name": "crane"}, "kind"),
        ({"kind": "vessel", "name": "pot"}, "its weight full of water"),
        ({**TIN, "full_of_water_kg": 0.3}, "Weigh both again"),
        ({"kind": "material", "material": "gold"}, "isn't a known kind"),
        ({"kind": "material", "material": "cement", "weighed_kg": 18}, "both weighed_kg and weighed_l"),
    ],
)
def test_what_cannot_be_is_refused(engine: Engine, visitor: Visitor, raw: dict[str, Any], words: str) -> None:
    with pytest.raises(InputError, match=words):
        yard.keep_item(engine, visitor, uuid4(), raw, NOON)


def test_a_new_job_begins_with_the_yard() -> None:
    """By hand: 5.39 kg less 0.4 of water at 0.998 kg/L is 5 L; 18.6 kg in 12 L is 1550 kg/m3; 61 days are 2 months."""
    items = [parse_item(raw) for raw in (DRUM, TIN, *jobs.YARD[4:])]
    bought = parse_item({"kind": "material", "material": "cement", "bag_kg": 20, "bought_on": "2026-03-04"})
    found = begun_with([*items, bought], get_mix("mortar-bricklaying"), date(2026, 5, 4))
    assert found["mixer"] == {"kind": "tilting-drum", "working_l": 70, "drum_l": 110}
    assert [scale["division_g"] for scale in found["scales"]] == [20, 1]
    tin = next(vessel for vessel in found["vessels"] if vessel["name"] == "tin")
    assert (tin["volume_l"], tin["material"]) == (pytest.approx(5.0), "cement")
    assert found["materials"]["cement"]["age_months"] == pytest.approx(2.0, abs=0.05)
    assert found["materials"]["sand"]["bulk_density_kg_m3"] == pytest.approx(1550)


@pytest.mark.parametrize("mix_id", library())
def test_every_mix_plans_from_the_yard_of_the_demo(mix_id: str) -> None:
    form = empty_form("metric", library(), mix_id, [parse_item(raw) for raw in jobs.YARD], date(2026, 5, 4))
    job = to_job(form)
    kept = {raw["mix"] for raw in jobs.YARD if raw["kind"] == "bag"}
    if get_mix(mix_id).basis == "bag" and mix_id not in kept:
        assert job is None
        assert form.missing
    else:
        assert job is not None, form.errors
        assert make_plan(job).loads


def test_a_design_takes_the_fineness_of_its_sand_not_of_its_stone() -> None:
    """By a laboratory's report on each; densities and absorption go with their material."""
    mix = get_mix("concrete-designed")
    named = {part.material: part.name for part in mix.parts}
    by_sort = {materials()[material].sort: material for material in named}
    sand, stone = by_sort["sand"], by_sort["stone"]
    reported = {
        sand: {"fineness_modulus": 2.4, "absorption_fraction": 0.014},
        stone: {"fineness_modulus": 6.8, "particle_density_kg_m3": 2690.0},
    }
    found = begun_with([], mix, date(2026, 5, 4), reported)
    assert found["design"] == {"fineness_modulus": 2.4}
    assert found["materials"][named[sand]]["absorption_fraction"] == 0.014
    assert found["materials"][named[stone]]["particle_density_kg_m3"] == 2690.0
