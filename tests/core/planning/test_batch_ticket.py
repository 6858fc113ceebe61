"""Concrete by the yard: the moisture trim by the absolute-volume method, the slump from mixing on."""

from typing import Any

import pytest
from helpers import plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.planning.batch_ticket import BatchTicket, batch_ticket
from keeve.core.planning.plan import Plan
from keeve.core.rules.temperature import slump_retention

LB_KG, YD3_M3, GAL_L = 0.45359237, 0.764554857984, 3.785411784
# ACI 211.1-91, first worked example (from memory): its moistures are stone 2 % (0.5 absorbed), sand 6 % (0.7).
MATERIALS: dict[str, Any] = {
    "sand": {"particle_density_kg_m3": 2640, "moisture_fraction": 0.06, "absorption_fraction": 0.007},
    "stone": {"particle_density_kg_m3": 2680, "moisture_fraction": 0.02, "absorption_fraction": 0.005},
    "cement": {"particle_density_kg_m3": 3150},
}
DESIGN = {
    "strength_mpa": 3500 / 145.0377, "slump_mm": [75, 100], "stone_max_mm": 37.5, "fineness_modulus": 2.8,
    "stone_rodded_density_kg_m3": 1601.846,
}  # fmt: skip
REDUCER = {
    "name": "plasticiser",
    "dose": 4,
    "basis": "floz_per_us_cwt",
    "density_kg_l": 1.0,
    "solids_fraction": 0.0,
}


def by_the_yard(yards: float, **changes: Any) -> Plan:
    volume_m3 = yards * YD3_M3
    job: dict[str, Any] = {
        "conditions": {},
        "mix": "concrete-designed", "design": DESIGN, "materials": MATERIALS, "need": {"volume_m3": volume_m3},
        "waste_fraction": 0.0, "mixer": {"kind": "tilting-drum", "working_l": volume_m3 * 1000},
    }  # fmt: skip
    return plan(**{**job, **changes})


def ticket_of(made: Plan) -> BatchTicket:
    ticket = batch_ticket(made, made.loads[0])
    assert ticket
    return ticket


def test_the_trim_is_the_standards_own() -> None:
    """Of 300 lb of water 201 are added, 1955 lb of stone and 1397 of sand weighed (the book rounds w/c to 0.62)."""
    ticket = ticket_of(by_the_yard(1))
    pounds = {line.material: line.batch_kg / LB_KG for line in ticket.lines}
    assert pounds["stone"] == pytest.approx(1955, abs=2)
    assert pounds["sand"] == pytest.approx(1397, abs=7)
    assert ticket.design_water_l / LB_KG == pytest.approx(300, abs=1)
    assert (ticket.design_water_l - ticket.trim_l) / LB_KG == pytest.approx(201, abs=2)


def test_what_a_reducer_brings_is_taken_off_too() -> None:
    """540 lb of cement at 4 US fl oz to 100 lb: 21.6 fl oz a yard, 216 for ten (trade arithmetic)."""
    content = {"by": "content", "binder_kg_m3": 540 * LB_KG / YD3_M3, "w_cm": 0.40}
    made = by_the_yard(10, design=content, admixtures=[REDUCER])
    (dose,) = [item for item in made.loads[0].admixtures if item.name == "plasticiser"]
    assert (dose.volume_ml or 0) / 29.5735 == pytest.approx(216, rel=1e-3)
    ticket = ticket_of(made)
    assert ticket.in_admixture_l / GAL_L == pytest.approx(216 / 128, rel=1e-3)
    assert ticket.design_water_l == pytest.approx(0.40 * 5400 * LB_KG, rel=1e-6)


@given(st.floats(1, 10), st.floats(0.0, 0.12), st.floats(0.0, 0.04), st.booleans())
def test_all_the_water_is_on_the_ticket(yards: float, sand: float, stone: float, dosed: bool) -> None:
    """What is put in, held back and brought along is the design's water, at any moisture and any size."""
    materials = {
        "sand": {**MATERIALS["sand"], "moisture_fraction": sand},
        "stone": {**MATERIALS["stone"], "moisture_fraction": stone},
        "cement": MATERIALS["cement"],
    }
    made = by_the_yard(yards, materials=materials, admixtures=[REDUCER] if dosed else [])
    ticket = ticket_of(made)
    total_l = ticket.at_plant_l + ticket.held_back_l + ticket.trim_l
    assert total_l == pytest.approx(ticket.design_water_l)
    brought_kg = sum(line.free_water_kg for line in ticket.lines)
    assert brought_kg + ticket.in_admixture_l == pytest.approx(ticket.trim_l)
    assert ticket.held_back_l >= 0
    for line in ticket.lines:
        soaked_kg = {"sand": 0.007, "stone": 0.005}.get(line.material, 0.0) * line.dry_kg
        assert line.batch_kg == pytest.approx(line.dry_kg + line.free_water_kg + soaked_kg)


def test_a_barrow_has_no_ticket() -> None:
    made = by_the_yard(0.5)
    assert batch_ticket(made, made.loads[0]) is None


@given(st.floats(25, 250), st.floats(0, 120), st.floats(5, 40), st.booleans(), st.floats(1, 3))
def test_slump_only_goes_down_sooner_in_heat_and_with_a_reducer(
    slump_mm: float, minutes: float, mix_c: float, reduced: bool, stretch: float
) -> None:
    kept = slump_retention(
        slump_mm=slump_mm, minutes=minutes, mix_c=mix_c, with_reducer=reduced, stretch=stretch
    )
    later = slump_retention(
        slump_mm=slump_mm, minutes=minutes + 10, mix_c=mix_c, with_reducer=reduced, stretch=stretch
    )
    warmer = slump_retention(
        slump_mm=slump_mm, minutes=minutes, mix_c=mix_c + 5, with_reducer=reduced, stretch=stretch
    )
    retarded = slump_retention(
        slump_mm=slump_mm, minutes=minutes, mix_c=mix_c, with_reducer=reduced, stretch=stretch + 1
    )
    assert 0 < later.slump_mm < kept.slump_mm <= slump_mm
    assert warmer.slump_mm <= kept.slump_mm <= retarded.slump_mm
    plain = slump_retention(slump_mm=slump_mm, minutes=minutes, mix_c=mix_c, stretch=stretch)
    assert kept.slump_mm <= plain.slump_mm


def test_a_reducers_slump_is_gone_within_about_an_hour_and_it_may_be_dosed_again() -> None:
    """Common practice, no source, and ACI 212.3R of early superplasticisers, 30 to 60 min (from memory)."""
    ticket = ticket_of(by_the_yard(10, admixtures=[REDUCER]))
    left = {at.minutes: at.slump_mm / 87.5 for at in ticket.slump}
    assert left[0] == 1
    assert 0.2 <= left[60] <= 0.35
    assert ticket.dosed_again_min == pytest.approx(30)
    plain = ticket_of(by_the_yard(10))
    assert plain.dosed_again_min is None
    hot = {"air_c": 35, "water_c": 30}
    assert (ticket_of(by_the_yard(10, admixtures=[REDUCER], conditions=hot)).dosed_again_min or 0) < 20
