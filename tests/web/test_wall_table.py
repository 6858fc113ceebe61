"""A table for the wall: each row is what a plan of so much of the measure would be."""

from html import unescape
from random import Random
from typing import get_args

import pytest
from helpers import EVERY_PROCEDURE, a_job_of, job, plan

from keeve.core.mixes import get_mix, library
from keeve.core.planning.sample_plans import cubic_metre
from keeve.core.rules.gypsum import KG_PER_POUND
from keeve.core.units import System
from keeve.data import plans
from keeve.formats.packed_job import quick_address
from keeve.screens.wall_table.view import wall_table
from web.conftest import Client

FIGURE = {"bags": "bags", "buckets": "vessels", "water": "volume_l"}
BY = {"bags": "bags", "buckets": "vessels", "water": "volume"}


@pytest.mark.parametrize("seed", range(30))
def test_a_row_is_the_plan_of_so_much(seed: int) -> None:
    chance = Random(seed)
    mix, mixer = chance.choice([pair for pair in EVERY_PROCEDURE if get_mix(pair[0]).bags_a_batch is None])
    changes = a_job_of(mix, mixer) | {"mixer": {"kind": mixer, "working_l": 1000}}
    made = plan(**changes)
    for by in ("bags", "buckets", "water"):
        table = wall_table(made, by, "metric")
        assert table is not None
        if table.by != by:
            continue
        row = chance.choice(table.rows)
        on_hand = {"by": BY[by], "material": table.of or "water", FIGURE[by]: row.amount}
        found = plan(**changes, need={"on_hand": on_hand}, waste_fraction=0.2)
        for charge in row.load.charges:
            whole = sum(load.charge(charge.material).mass_kg for load in found.loads)
            assert charge.mass_kg == pytest.approx(whole, rel=1e-9)
        target = sum(load.water.target_l for load in found.loads)
        assert row.load.water.target_l == pytest.approx(target, rel=1e-9)


def test_pounds_a_quart_are_on_the_sculptors_table() -> None:
    """The mix is told as 3 lb of plaster to a US quart of water: the quart's row says so."""
    mix = get_mix("plaster-quart")
    table = wall_table(cubic_metre(mix), "water", "us")
    assert table is not None
    assert [row.load.charges[0].mass_kg / KG_PER_POUND for row in table.rows] == pytest.approx(
        [3.0 * number for number in range(1, 11)], rel=0.01
    )


@pytest.mark.parametrize("units", get_args(System))
def test_every_mix_of_known_parts_has_a_table_and_a_job_its_own(client: Client, units: str) -> None:
    client.post("/units", data={"units": units, "next": "/"})
    for mix in library().values():
        answer = client.get(f"/mixes/{mix.id}/table")
        is_known = mix.basis_traits.asks_for is None
        assert answer.status_code == (200 if is_known else 404), mix.id
        assert (f'"/mixes/{mix.id}/table"' in client.get(f"/mixes/{mix.id}").text) == is_known
    plan_id = plans.save_plan(client.engine, client.visitor, job())
    assert f'"/plan/{plan_id}/table"' in client.get(f"/plan/{plan_id}/load/1").text
    shown = client.get(f"/plan/{plan_id}/table?by=buckets").text
    assert "QR code of this table" in shown
    assert "10 buckets" in shown


def test_a_card_that_is_kept_nowhere_changes_its_measure_and_has_its_table(client: Client) -> None:
    card = client.get(quick_address(job())).text
    links = [unescape(part.split('"')[0]) for part in card.split('href="')[1:]]
    (in_buckets,) = (link for link in links if link.endswith("&gauge=volume"))
    assert client.get(in_buckets).text.count('aria-current="true"') == 1
    (table,) = (link for link in links if "/quick/table" in link)
    assert "10 bags" in client.get(table).text
