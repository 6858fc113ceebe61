"""From a job to its plan: figures worked by hand, balances, and refusals."""

import json
from typing import Any

import pytest
from helpers import EVERY_PROCEDURE, a_job_of, job, plan, raw_job
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.errors import InputError
from keeve.core.mixes import get_mix, library
from keeve.core.mixes.mixers import MIXER_NAMES, MixerKind
from keeve.core.planning.make_plan import make_plan
from keeve.core.planning.plan import load_steps


def test_the_quarter_metre_in_a_ninety_litre_drum() -> None:
    """By hand, per loose m3 of cement: 1200 kg and 4 · 1550 / 1.2 = 5166.7 kg of dry sand, 900 kg of water.

    Solids 1200 / 3150 + 5166.7 / 2620 = 2.35294 m3; with the water 3.25294, with 15 % air 3.82699 m3. A m3 of
    mortar so holds 313.56 kg of cement, 1350.1 kg of sand, 235.2 kg of water.
    """
    found = plan()
    assert [load.yield_l for load in found.loads] == pytest.approx([68.75] * 4)
    assert sum(load.yield_l for load in found.loads) == pytest.approx(275)
    for load in found.loads:
        cement, sand = load.charge("cement"), load.charge("sand")
        assert cement.mass_kg == pytest.approx(313.562 * 0.06875, rel=1e-4)
        assert sand.dry_kg == pytest.approx(1350.06 * 0.06875, rel=1e-4)
        assert sand.mass_kg == pytest.approx(sand.dry_kg * 1.04)
        assert sand.volume_l / cement.volume_l == pytest.approx(4)
        assert sand.vessels[0].count == pytest.approx(sand.volume_l / 12)
        water = load.water
        assert water.in_aggregate_l == pytest.approx(sand.dry_kg * 0.04)
        assert water.target_l + water.in_aggregate_l == pytest.approx(0.75 * cement.mass_kg)
        assert water.ceiling_l + water.in_aggregate_l == pytest.approx(0.80 * cement.mass_kg)
        assert water.start_l == pytest.approx(0.75 * water.target_l)
    assert [(item.material, item.bags) for item in found.shopping] == [
        ("cement", 4), ("sand", None), ("plasticiser", None)
    ]  # fmt: skip


# kg a m3 of cement, aggregate and water, common practice, no source: within a few per cent.
TRADE = [
    ({"mix": "mortar-bricklaying"}, 315, 1355, 236),
    ({"mix": "mortar-general"}, 443, 1432, 266),
    ({"mix": "concrete-nominal", "proportion": "1 : 1½ : 3"}, 385, None, 385 * 0.5),
    ({"mix": "concrete-nominal"}, 304, None, 304 * 0.6),
    ({"mix": "concrete-nominal", "proportion": "1 : 3 : 6"}, 214, None, 214 * 0.8),
    ({"mix": "screed-1-4-fibre"}, 373, 1490, 186),
]


@pytest.mark.parametrize(("mix", "cement", "aggregate", "water"), TRADE)
def test_masses_a_cubic_metre_are_the_trades(
    mix: dict[str, Any], cement: float, aggregate: float | None, water: float
) -> None:
    found = plan(
        **mix,
        need={"volume_m3": 1},
        waste_fraction=0.0,
        materials={},
        mixer={"kind": "forced-action" if "screed" in mix["mix"] else "tilting-drum", "working_l": 1000},
    )
    load = found.loads[0]
    assert load.charge("cement").dry_kg == pytest.approx(cement, rel=0.03)
    assert load.water.target_l + load.water.in_aggregate_l == pytest.approx(water, rel=0.03)
    if aggregate:
        assert load.charge("sand").dry_kg == pytest.approx(aggregate, rel=0.03)


def test_a_cubic_metre_of_screed_is_fifteen_bags_and_a_tonne_and_a_half() -> None:
    """Common practice, no source; the mass balance by hand: 1 / 3150 + 4 / 2620 + 0.5 / 1000, 13 % voids."""
    mixer = {"kind": "forced-action", "working_l": 150}
    found = plan(
        mix="screed-1-4-fibre",
        need={"volume_m3": 1},
        waste_fraction=0.0,
        mixer=mixer,
        materials={},
        vessels=[],
    )
    cement = 0.87 / (1 / 3150 + 4 / 2620 + 0.5 / 1000)
    bought = {item.material: item for item in found.shopping}
    assert bought["cement"].mass_kg == pytest.approx(cement)
    assert bought["cement"].bags == 15
    assert sum(load.charge("sand").dry_kg for load in found.loads) == pytest.approx(1500, rel=0.02)
    assert bought["fibre"].mass_kg == pytest.approx(0.9)
    with pytest.raises(InputError, match="rolls into balls in a drum"):
        plan(mix="screed-1-4-fibre", materials={}, mixer={"kind": "tilting-drum", "working_l": 90})


def test_damp_sand_by_the_hundred_kilograms_is_less_than_four_parts() -> None:
    """100 kg of sand at 4 % on a 25 kg bag: 100 / 1.04 / 25 = 3.85 dry parts; four take 104 kg."""
    found = plan(
        mix="screed-1-4-fibre",
        need={"bags": 1},
        mixer={"kind": "forced-action", "working_l": 150},
        materials={},
    )
    load = found.loads[0]
    assert load.charge("cement").mass_kg == pytest.approx(25)
    assert load.charge("sand").mass_kg == pytest.approx(104)


def test_an_own_ratio_inside_its_range_is_silent_and_outside_it_warns_why() -> None:
    inside = plan(mix="mortar-general", parts={"sand": 3.5}, materials={})
    assert inside.mix.ratio == "1 : 3½ by volume"
    assert "ratio_outside" not in {warning.code for warning in inside.warnings}
    for parts, reason in ((1.5, "shrinks"), (5.0, "harsh")):
        outside = plan(mix="mortar-general", parts={"sand": parts}, materials={})
        warning = next(warning for warning in outside.warnings if warning.code == "ratio_outside")
        assert reason in warning.message
        assert warning.field == "parts.sand"
        sand, cement = outside.loads[0].charge("sand"), outside.loads[0].charge("cement")
        assert sand.volume_l / cement.volume_l == pytest.approx(parts)


@given(st.floats(0.005, 5), st.floats(0.5, 4), st.floats(0, 0.08), st.sampled_from([20.0, 90.0, 250.0]))
def test_scaling_a_job_scales_what_is_bought(
    volume: float, k: float, moisture: float, working_l: float
) -> None:
    def masses(volume_m3: float) -> list[float]:
        found = plan(
            need={"volume_m3": volume_m3},
            mixer={"kind": "tilting-drum", "working_l": working_l},
            materials={"sand": {"moisture_fraction": moisture}},
        )
        assert sum(load.yield_l for load in found.loads) == pytest.approx(1000 * found.volume.order_m3)
        assert max(load.yield_l for load in found.loads) <= working_l / 0.99 * (1 + 1e-8)
        return [item.mass_kg for item in found.shopping if item.mass_kg is not None]

    assert masses(k * volume) == pytest.approx([k * mass for mass in masses(volume)])


@pytest.mark.parametrize(("mix", "mixer"), EVERY_PROCEDURE)
def test_steps_charge_the_whole_load(mix: str, mixer: str) -> None:
    found = plan(**a_job_of(mix, mixer))
    load = found.loads[0]
    steps = load_steps(found, load)
    for charge in load.charges:
        parts = [step.mass_kg for step in steps if step.plan.material == charge.material and step.mass_kg]
        assert sum(parts) == pytest.approx(charge.mass_kg)
    assert sum(step.water_l for step in steps if step.water_l) == pytest.approx(load.water.start_l)
    assert [step.step for step in found.procedure] == list(range(1, len(found.procedure) + 1))


def test_the_label_gives_the_dose_and_its_water_is_counted() -> None:
    """150 mL per 100 kg on 21.557 kg is 32.3 mL; at 1.02 kg/L and 20 % solids it brings 26.4 g of water."""
    label = {
        "name": "plasticiser", "dose": 150, "basis": "ml_per_100kg", "density_kg_l": 1.02, "solids_fraction": 0.2
    }  # fmt: skip
    without, dosed = plan().loads[0], plan(admixtures=[label]).loads[0]
    assert without.admixtures[0].mass_kg is None
    assert without.admixtures[0].volume_ml is None
    assert dosed.admixtures[0].volume_ml == pytest.approx(32.34, abs=0.01)
    assert without.water.target_l - dosed.water.target_l == pytest.approx(0.02639, abs=1e-4)


def test_needs_of_every_kind_add_up() -> None:
    needs = [
        {"volume_m3": 0.1},
        {"area_m2": 8, "depth_mm": 50},
        {"shape": "slab-volume", "length_m": 3, "width_m": 2, "thickness_m": 0.1, "count": 2},
    ]
    assert plan(need=needs).volume.net_m3 == pytest.approx(0.1 + 0.4 + 1.2)
    by_bags = plan(need={"bags": 4})
    assert by_bags.shopping[0].mass_kg == pytest.approx(100)


def test_an_inline_mix_and_whole_bags() -> None:
    own = get_mix("mortar-bricklaying").model_dump(mode="json") | {"id": "own", "name": "Own mortar"}
    assert plan(mix=own).mix.name == "Own mortar"
    bagged = plan(whole_bags=True)
    assert bagged.limit == "bag"
    assert bagged.loads[0].charge("cement").mass_kg == pytest.approx(25)


def test_weighed_moisture_without_a_jar_test_bulks_by_the_curve() -> None:
    """Medium sand at 3 %: 0.18 on the default curve; the stockpile of no word at all stays at 0.20."""
    weighed = plan(materials={"sand": {"moisture_fraction": 0.03}}).material("sand")
    assert weighed.bulking_fraction == pytest.approx(0.18)
    assert plan(materials={}).material("sand").bulking_fraction == pytest.approx(0.20)


def test_every_figure_has_its_working() -> None:
    found = plan()
    rules = {working.rule for working in found.workings}
    assert {"order-volume", "split-loads", "volume-parts", "water-account"} <= rules
    assert all(working.source and working.formula for working in found.workings)
    assert found.assumed["mixer.drum_l"] == 135
    assert found.cautions[-1].text == "Estimates only: local codes and licensed professionals decide."
    json.dumps(found.model_dump(mode="json"), allow_nan=False)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"mix": "mortar"}, "mix"),
        ({"mix": 3}, "mix"),
        ({"need": {"volume_m3": float("nan")}}, "need.volume_m3"),
        ({"need": {"volume_m3": float("inf")}}, "need.volume_m3"),
        ({"need": [{"shape": "slab-volume", "length_m": 3, "width_m": "2", "thickness_m": 0.1}]}, "need.0.width_m"),
        ({"need": {"shape": "wedge"}}, "need.shape"),
        ({"need": {"shape": [1]}}, "need.shape"),
        ({"need": []}, "need"),
        ({"need": {}}, "need.volume_m3"),
        ({"waste_fraction": 1.5}, "waste_fraction"),
        ({"mixer": {"kind": "tilting-drum", "working_l": True}}, "mixer.working_l"),
        ({"mixer": {"kind": "pan", "working_l": 90}}, "mixer.kind"),
        ({"materials": {"gravel": {}}}, "materials.gravel"),
        ({"order": "water-first", "mixer": {"kind": "tray", "working_l": 40}}, "order"),
        ({"admixtures": [{"name": "glue", "dose": 1, "basis": "ml_per_batch"}]}, "admixtures.0.name"),
        ({"admixtures": [{"name": "plasticiser", "dose": 1, "basis": "ml_per_bucket"}], "vessels": []},
         "admixtures.0.buckets"),
        ({"proportion": "1 : 9"}, "proportion"),
        ({"parts": {"cement": 2}}, "parts.cement"),
        ({"colour": "grey"}, "colour"),
        ({"version": 3}, "version"),
        ({"title": "Coping\x00bed"}, "title"),
    ],
)  # fmt: skip
def test_a_job_that_cannot_be_planned_names_the_field(change: dict[str, Any], field: str) -> None:
    with pytest.raises(InputError) as refused:
        make_plan(job(**change))
    assert refused.value.fields == [field]
    assert refused.value.message


def test_a_post_below_its_hole_is_named_where_it_stands() -> None:
    post = {
        "shape": "post-hole-volume", "hole_diameter_m": 0.3, "hole_depth_m": 0.6, "post_width_m": 0.1,
        "post_thickness_m": 0.1, "embedment_m": 0.9,
    }  # fmt: skip
    with pytest.raises(InputError) as refused:
        make_plan(job(need=[raw_job()["need"], post]))
    assert refused.value.fields == ["need.1.embedment_m", "need.1.hole_depth_m"]


def test_a_load_is_no_larger_than_goes_in_loose() -> None:
    """A mixer of 90 L that holds 95 to the rim takes no 90 L of mortar, for which 130 L go in loose."""
    found = plan(mixer={"kind": "tilting-drum", "working_l": 90, "drum_l": 95}, need={"volume_m3": 1})
    assert found.limit == "rim"
    assert 90 < found.loads[0].loose_l <= 95 + 1e-9
    assert "loose_charge_high" not in [warning.code for warning in found.warnings]
    assert plan(mixer={"kind": "tilting-drum", "working_l": 90, "drum_l": 140}).limit == "mixer"


@pytest.mark.parametrize("kind", ["volume", "weight"])
def test_the_demo_drum_is_not_overfilled_by_its_own_loads(kind: str) -> None:
    """General mortar counted out: 89 L were planned, 145 L loose in a drum of 134."""
    found = plan(mix="mortar-general", mixer={"kind": "tilting-drum", "working_l": 90, "drum_l": 134}, gauge=kind,
                 need={"volume_m3": 0.5}, materials={})  # fmt: skip
    assert max(load.loose_l for load in found.loads) <= 134 + 1e-9


def test_a_designed_concrete_is_the_standards_own_example() -> None:
    """ACI 211.1-91, first worked example (from memory): 3500 psi mean, 3 to 4 in slump, 1 1/2 in stone, rodded
    100 lb/ft3, fineness 2.8. Unrounded 178.0 water, 284.8 cement, 1137.3 stone, 784.7 kg/m3 sand; w/c 0.625.
    """
    design = {
        "strength_mpa": 3500 / 145.0377, "slump_mm": [75, 100], "stone_max_mm": 37.5, "fineness_modulus": 2.8,
        "stone_rodded_density_kg_m3": 1601.846,
    }  # fmt: skip
    dry = {"moisture_fraction": 0.0, "bulking_fraction": 0.0}
    found = plan(
        mix="concrete-designed", design=design, need={"volume_m3": 1}, waste_fraction=0,
        mixer={"kind": "tilting-drum", "working_l": 1000},
        materials={
            "sand": {**dry, "particle_density_kg_m3": 2640}, "stone": {"particle_density_kg_m3": 2680},
            "cement": {"particle_density_kg_m3": 3150},
        },
    )  # fmt: skip
    load = found.loads[0]
    masses = [load.charge(name).mass_kg for name in ("cement", "stone", "sand")]
    assert masses == pytest.approx([284.8, 1137.3, 784.7], rel=1e-3)
    assert load.water.ceiling_l == load.water.target_l == pytest.approx(178.0, rel=1e-3)
    assert found.mix.ratio == "1 : 2.76 : 3.99 by weight"


@pytest.mark.parametrize(
    ("changes", "fields"),
    [
        ({"mix": "concrete-designed"}, ["design"]),
        ({"mix": "concrete-designed", "design": {"strength_mpa": 90}}, ["design.strength_mpa"]),
        ({"design": {"strength_mpa": 25}}, ["design"]),
    ],
)
def test_designs_that_cannot_be(changes: dict[str, object], fields: list[str]) -> None:
    with pytest.raises(InputError) as refused:
        plan(**changes)
    assert refused.value.fields == fields


def test_a_designed_mix_is_of_cement_sand_and_stone() -> None:
    own = get_mix("concrete-designed").model_dump(mode="json") | {"id": "own"}
    own["parts"][2]["material"] = "building-sand"
    with pytest.raises(InputError, match="it has one part each of cement, sand, stone"):
        plan(mix=own, design={"strength_mpa": 25})


def test_a_mix_by_mass_takes_its_powders_by_the_binder() -> None:
    """Binder 1 : sand 1; modifier 3.5 % and plasticiser 1 % of the binder, as powders without water."""
    found = plan(**a_job_of("concrete-fine-high-strength", "paddle"))
    load = found.loads[0]
    doses = {item.name: item.mass_kg for item in load.admixtures}
    assert doses == pytest.approx(
        {"powder modifier": 0.035 * load.binder_kg, "powder plasticiser": 0.01 * load.binder_kg}
    )
    assert load.water.in_admixture_l == 0
    assert load.charge("silica fume").dry_kg / load.binder_kg == pytest.approx(0.1)
    assert "no_label_dose" not in {warning.code for warning in found.warnings}


@pytest.mark.parametrize("mixer", MIXER_NAMES)
@pytest.mark.parametrize("mix", library())
def test_a_mixer_has_its_steps_or_the_nearest_or_is_refused_with_a_reason(mix: str, mixer: MixerKind) -> None:
    known = get_mix(mix)
    changes = a_job_of(mix, mixer)
    own = [item for item in known.procedures if item.mixer == mixer]
    if mixer in known.refuses:
        assert not own
        with pytest.raises(InputError) as refused:
            plan(**changes)
        assert known.refuses[mixer] in refused.value.message
        return
    made = plan(**changes)
    told = [item for item in made.warnings if item.code == "nearest_procedure"]
    assert bool(told) == (not own)
    assert made.order in made.orders


@pytest.mark.parametrize(
    ("mix", "mixer"),
    [
        # Common practice, no source: what the trade mixes in what.
        *(
            (mix, "forced-action")
            for mix in ("mortar-bricklaying", "mortar-type-n", "stucco-base", "lime-hydraulic-3.5")
        ),
        *(("concrete-nominal", mixer) for mixer in ("tray", "barrow", "paddle")),
        *(
            (mix, "bowl")
            for mix in ("mortar-general", "stucco-base", "concrete-fine-high-strength", "overlay-carvable")
        ),
    ],
)
def test_a_suitable_mixer_is_not_refused(mix: str, mixer: str) -> None:
    assert plan(**a_job_of(mix, mixer)).mixer.kind == mixer


SEVERE = {"strength_mpa": 28, "air_entrained": True, "exposure": "severe"}


def test_an_air_entrained_design_asks_for_its_agent() -> None:
    """6 % of air at 19 mm in severe exposure (ACI 211.1-91, from memory) is carried by an agent, or it is not there."""
    job = {"mix": "concrete-designed", "materials": {}}
    undosed = plan(**job, design=SEVERE)
    (agent,) = undosed.loads[0].admixtures
    assert (agent.name, agent.mass_kg) == ("air-entrainer", None)
    assert undosed.mix.air_fraction == pytest.approx(0.06)
    assert [item.message for item in undosed.warnings if item.code == "no_label_dose"] == [
        "No dose for the air-entrainer yet."
    ]
    assert any("air-entrainer" in step.admixtures for step in undosed.procedure)
    label = {
        "name": "air-entrainer",
        "dose": 60,
        "basis": "ml_per_100kg",
        "density_kg_l": 1.02,
        "solids_fraction": 0.1,
    }
    dosed = plan(**job, design=SEVERE, admixtures=[label])
    cement = dosed.loads[0].charge("cement").dry_kg
    assert dosed.loads[0].admixtures[0].volume_ml == pytest.approx(0.6 * cement)
    assert not plan(**job, design={"strength_mpa": 28}).loads[0].admixtures


def test_a_nominal_concrete_says_that_frost_scales_it() -> None:
    assert "frost" in {caution.code for caution in plan(mix="concrete-nominal", materials={}).cautions}


TYPED = {"by": "content", "binder_kg_m3": 350, "w_cm": 0.5, "slag_fraction": 0.3, "fly_ash_fraction": 0.1}


def test_a_concrete_typed_by_its_binder_splits_it_and_has_its_strength() -> None:
    """350 kg/m3 at 0.50: 210 cement, 105 slag, 35 fly ash, 175 water. By hand from the law at 28 days: 137.54 ·
    exp(−2.5914 · 0.5) · (210 + 0.6866 · 105 + 0.2168 · 35) / 350 = 31.2 MPa.
    """
    job = a_job_of("concrete-designed", "forced-action") | {
        "design": TYPED, "need": {"volume_m3": 0.03}, "waste_fraction": 0.0,
    }  # fmt: skip
    found = plan(**job)
    load = found.loads[0]
    per_m3 = {charge.material: charge.dry_kg / load.yield_l * 1000 for charge in load.charges}
    wanted = {"cement": 210, "slag": 105, "fly ash": 35}
    assert {name: per_m3[name] for name in wanted} == pytest.approx(wanted)
    assert load.water.free_l(load.water.target_l) / load.yield_l * 1000 == pytest.approx(175)
    assert [step.material for step in found.procedure if step.material] == [
        "stone",
        "sand",
        "cement",
        "slag",
        "fly ash",
    ]
    assert {item.material: item.bags for item in found.shopping if item.bags} == {
        "cement": 1,
        "slag": 1,
        "fly ash": 1,
    }
    assert found.strength is not None
    assert found.strength.mpa == pytest.approx(31.2, abs=0.1)
    assert found.strength.designed_mpa is None


@pytest.mark.parametrize(
    ("changes", "fields"),
    [
        ({"w_cm": None}, ["design.w_cm"]),
        (
            {"slag_fraction": 0.6, "fly_ash_fraction": 0.4},
            ["design.slag_fraction", "design.fly_ash_fraction"],
        ),
        ({"by": "strength"}, ["design.strength_mpa"]),
        ({"binder_kg_m3": 1200}, ["design.stone_rodded_density_kg_m3"]),
    ],
)
def test_a_typed_concrete_that_is_not_whole_is_refused_by_its_field(
    changes: dict[str, Any], fields: list[str]
) -> None:
    design = {name: value for name, value in {**TYPED, **changes}.items() if value is not None}
    with pytest.raises(InputError) as refused:
        plan(**a_job_of("concrete-designed", "forced-action") | {"design": design})
    assert refused.value.fields == fields


@pytest.mark.parametrize(
    ("slag", "dosed", "has_figure"), [(0.0, False, True), (0.0, True, False), (0.3, True, True)]
)
def test_plain_cement_with_plasticiser_has_no_strength_figure(
    slag: float, dosed: bool, has_figure: bool
) -> None:
    """Held out of the open data it is 11 MPa too high at 28 days: no figure is better than that one."""
    job = a_job_of("concrete-designed", "tilting-drum")
    job["design"] = {"strength_mpa": 35, "slag_fraction": slag}
    if dosed:
        job["admixtures"] = [{"name": "plasticiser", "dose": 800, "basis": "ml_per_100kg"}]
    assert (plan(**job).strength is not None) == has_figure
