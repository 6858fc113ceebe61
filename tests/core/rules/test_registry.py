"""Every rule: its worked example, its public names, and how it refuses."""

import inspect
import pydoc
from typing import Any

import pytest
from docstring_parser import parse

from keeve.core.errors import InputError
from keeve.core.rules.calc import all_rules, calc, get_rule
from keeve.core.rules.geometry import cylinder_volume, slab_volume
from keeve.core.rules.registry import parse_json


def same(given: Any, wanted: Any, tolerance: float) -> bool:
    if isinstance(wanted, dict):
        return all(name in given and same(given[name], value, tolerance) for name, value in wanted.items())
    if isinstance(wanted, list):
        pairs = zip(given, wanted, strict=True)
        return all(same(one, other, tolerance) for one, other in pairs)
    if isinstance(wanted, float):
        return bool(given == pytest.approx(wanted, rel=tolerance))
    return bool(given == wanted)


@pytest.mark.parametrize("rule", all_rules().values(), ids=all_rules())
def test_worked_example_and_docs(rule: Any) -> None:
    given = calc(rule.id, rule.example.given)
    assert same(given, rule.example.gives, rule.example.relative_tolerance), given
    assert rule.sources
    assert rule.formula


@pytest.mark.parametrize("rule", all_rules().values(), ids=all_rules())
def test_documentation_is_whole(rule: Any) -> None:
    """Every parameter has its line, the result is described, and what is raised is said; help() shows all of it."""
    parsed = parse(rule.documentation)
    assert {item.arg_name for item in parsed.params} == set(inspect.signature(rule.function).parameters)
    assert all(item.description for item in parsed.params)
    assert parsed.returns
    assert parsed.returns.description
    assert [item.type_name for item in parsed.raises] == ["InputError"]
    called = vars(inspect.getmodule(rule.function))[rule.function.__name__]
    assert called.__name__ == rule.function.__name__
    shown = pydoc.plain(pydoc.render_doc(called))
    for part in (rule.formula, rule.source, rule.example.origin, rule.id, "InputError"):
        assert part in shown


def test_a_rule_is_called_by_position_or_by_name() -> None:
    assert slab_volume(3, 2, 0.1) == slab_volume(3, width_m=2, thickness_m=0.1)
    assert str(inspect.signature(cylinder_volume)).startswith("(diameter_m: float, height_m: float)")
    with pytest.raises(TypeError, match="takes 4 arguments, 5 were given"):
        slab_volume(3, 2, 0.1, 0.1, 0.1)  # type: ignore[call-arg]
    with pytest.raises(TypeError, match="width_m both by position and by name"):
        slab_volume(3, 2, width_m=2, thickness_m=0.1)  # type: ignore[misc]


def test_older_names_of_inputs_are_read() -> None:
    by_unit = calc("strength-band", get_rule("strength-band").example.given)
    masses = {"cement": 300, "water": 150, "coarse": 1050, "fine": 850}
    assert calc("strength-band", {**masses, "age_days": 28}) == by_unit
    assert (
        calc("correct-miscount", {"charged": {"sand": 3}, "parts": {"sand": 4, "lime": 1}})["add"]["lime"]
        == 0.75
    )


# The public interface of the rules: inputs, outputs. Names are never changed, only added to.
PUBLIC = {
    "floor-volume": ("rooms thickness_m", "area_m2 volume_m3"),
    "slab-volume": ("length_m width_m thickness_m", "volume_m3"),
    "cylinder-volume": ("diameter_m height_m", "volume_m3"),
    "post-hole-volume": (
        "hole_diameter_m hole_depth_m post_width_m post_thickness_m embedment_m",
        "volume_m3",
    ),
    "frustum-volume": ("bottom_diameter_m top_diameter_m height_m", "volume_m3"),
    "stairs-volume": ("width_m going_m rise_m steps", "volume_m3"),
    "coat-volume": ("area_m2 openings_m2 coats_mm uneven_mm", "net_area_m2 volume_m3"),
    "unit-masonry-mortar": (
        "wall_area_m2 unit_length_mm unit_height_mm unit_width_mm joint_mm",
        "units volume_m3",
    ),
    "pointing-volume": (
        "wall_area_m2 unit_length_mm unit_height_mm joint_mm depth_mm",
        "joint_length_m volume_m3",
    ),
    "layered-wall-volume": (
        "wall_area_m2 thickness_mm openings_m2 studs height_m layer_mm",
        "volume_m3 layers",
    ),
    "order-volume": ("net_m3 waste_fraction", "order_m3"),
    "absolute-volume": ("components air_fraction", "volume_m3 fresh_density_kg_m3"),
    "volume-parts": (
        "components water_binder_ratio air_fraction target_m3",
        "masses_kg dry_kg volumes_l added_water_l water_binder_ratio yield_factor",
    ),
    "concrete-by-content": (
        "binder_kg_m3 w_cm stone_max_mm fineness_modulus stone_rodded_density_kg_m3 binder_density_kg_m3 "
        "stone_density_kg_m3 sand_density_kg_m3 air_entrained exposure thin_section sulfate_or_sea",
        "per_m3 air_fraction w_c",
    ),
    "concrete-design-aci": (
        "strength_mpa slump_mm stone_max_mm fineness_modulus stone_rodded_density_kg_m3 cement_density_kg_m3 "
        "stone_density_kg_m3 sand_density_kg_m3 air_entrained exposure thin_section sulfate_or_sea "
        "stone_moisture_fraction stone_absorption_fraction sand_moisture_fraction sand_absorption_fraction",
        "per_m3 air_fraction w_c batch_per_m3",
    ),
    "mortar-proportion": ("type designation binder_volume_l lime_parts sand_parts", "volumes_l dry_kg"),
    "mass-parts": (
        "components water_binder_ratio air_fraction target_m3",
        "masses_kg dry_kg added_water_l water_binder_ratio",
    ),
    "bagged": (
        "bag_kg bag_yield_l water_start_l water_min_l water_max_l target_m3 part_fraction",
        "bags water_l yield_l",
    ),
    "aggregate-moisture": (
        "dry_mass_kg total_moisture_fraction absorption_fraction",
        "batch_mass_kg free_water_kg",
    ),
    "split-loads": (
        "order_m3 mixer_working_l whole_bags life_min placing_m3_h cycle_min keep_pace",
        "loads limit",
    ),
    "water-window": (
        "start_l min_l max_l target_l additions_l",
        "total_l remaining_l next_step_l state",
    ),
    "pan-dry-moisture": ("wet_kg dry_kg pan_kg", "moisture_fraction"),
    "sand-bulking": ("damp_height_mm flooded_height_mm moisture_fraction grade", "bulking_fraction"),
    "silt-jar": ("sand_mm silt_mm water_look floating", "silt_fraction verdict"),
    "water-account": ("binder_kg added_l free_aggregate_water_kg admixture_water_kg", "total_kg ratio"),
    "gauge-vessels": (
        "masses_kg bulk_densities_kg_m3 vessel_l fraction batch_tolerance max_l",
        "counts ratio_error_fraction volume_error_fraction",
    ),
    "scale-target": ("net_kg tare_kg vessels", "gross_kg"),
    "strength-band": (
        "cement_kg_m3 slag_kg_m3 fly_ash_kg_m3 water_kg_m3 superplasticizer_kg_m3 stone_kg_m3 sand_kg_m3 age_days "
        "cement slag fly_ash water superplasticizer coarse fine",
        "mpa low_mpa high_mpa",
    ),
    "water-penalty": ("binder_kg water_kg extra_water_kg", "strength_ratio"),
    "required-mean-strength": ("specified_mpa sd_mpa", "mean_mpa"),
    "next-water": (
        "history target_water_kg dry_aggregate_kg absorption_fraction",
        "start_l free_moisture_fraction sd_fraction low_l high_l last_total_l",
    ),
    "tare": ("gross_kg net_kg", "tare_kg warnings"),
    "mix-temperature": (
        "aggregate_kg cement_kg water_kg aggregate_water_kg ice_kg aggregate_c cement_c water_c",
        "mix_c",
    ),
    "cooling-plan": (
        "aggregate_kg cement_kg water_kg aggregate_water_kg aggregate_c cement_c water_c target_c min_water_c",
        "water_c ice_kg mix_c feasible",
    ),
    "working-life": ("life_min_at_20c mix_c", "life_min"),
    "correct-wet": (
        "charged_kg water_kg binder target_ratio moisture_fraction mixer_free_l bulk_densities_kg_m3 densities",
        "add_kg volume_l new_ratio fits",
    ),
    "correct-dry": ("charged_kg water_kg binder ceiling_l", "steps"),
    "correct-miscount": ("charged_vessels parts_vessels charged parts", "add multiple"),
    "plaster-charge": (
        "volume_m3 water_per_100 powder_density_kg_m3 water_c",
        "plaster_kg water_kg water_l",
    ),
    "plaster-ratio": ("plaster_kg water_kg", "water_per_100 plaster_lb_per_us_qt plaster_kg_per_l"),
    "plaster-yield": ("plaster_kg water_kg claimed_l", "slurry_l"),
    "plaster-combined-water": ("plaster_kg purity_fraction", "water_kg set_mass_kg"),
    "plaster-density": ("water_per_100", "dry_density_kg_m3 pore_fraction hardness"),
    "plaster-expansion": ("length_mm expansion_fraction", "growth_mm"),
    "plaster-dry-weight": ("plaster_kg water_kg purity_fraction", "wet_kg dry_kg to_lose_kg"),
    "plaster-drying": ("weighings dry_kg", "done_fraction ready_day ready_day_sd"),
    "plaster-clock": ("water_per_100 water_c batch_kg mixing_min age_factor", "stages factor"),
    "plaster-stages": ("factor mixed_min", "stages"),
    "plaster-vessel-fill": (
        "bucket_diameter_m bucket_height_m water_fill_fraction water_per_100",
        "water_l plaster_kg slurry_l",
    ),
    "cloth-plaster": (
        "area_m2 layers strip_length_m strip_width_m take_up_l_m2 overlap_fraction coat_mm",
        "cloth_m2 strips volume_m3",
    ),
    "sphere-cap-volume": ("base_diameter_m height_m", "volume_m3"),
    "mould-volume": ("container_m3 model_m3 pieces", "total_m3 per_piece_m3"),
    "shopping": ("loads bag_kg on_hand_kg price_per_bag price_per_t", "buy leftover_kg cost"),
    "admixture-dose": (
        "binder_kg dose basis cement_kg volume_m3 water_l density_kg_l solids_fraction form",
        "mass_kg volume_ml water_in_kg",
    ),
}


def test_the_public_interface_is_whole() -> None:
    assert set(PUBLIC) == set(all_rules())


def names_of(info: Any) -> tuple[str, ...]:
    """The names an input is read by, where it has more than its own."""
    return tuple(info.validation_alias.choices) if info.validation_alias else ()


@pytest.mark.parametrize("rule_id", PUBLIC)
def test_public_names(rule_id: str) -> None:
    inputs, outputs = PUBLIC[rule_id]
    rule = get_rule(rule_id)
    read = {name for field, info in rule.inputs.model_fields.items() for name in (field, *names_of(info))}
    assert set(inputs.split()) <= read
    assert set(outputs.split()) <= set(calc(rule_id, rule.example.given))


@pytest.mark.parametrize(
    ("text", "fields"),
    [
        ('{"length_m": 3, "width_m": 2}', ["thickness_m"]),
        ('{"length_m": NaN, "width_m": 2, "thickness_m": 0.1}', ["length_m"]),
        ('{"length_m": 3, "width_m": 1e999, "thickness_m": 0.1}', ["width_m"]),
        ('{"length_m": 3, "width_m": -Infinity, "thickness_m": 0.1}', ["width_m"]),
        ('{"length_m": "3", "width_m": true, "thickness_m": null}', ["length_m", "width_m", "thickness_m"]),
        ('{"length_m": 3, "width_m": 2, "thickness_m": 0}', ["thickness_m"]),
        ('{"length_m": 3, "width_m": 2, "thickness_m": 0.1, "self": 1}', ["self"]),
        (
            '[{"length_m": 1, "width_m": 1, "thickness_m": 1}, {"width_m": 1, "thickness_m": 1}]',
            ["1.length_m"],
        ),
        ('{"length_m": 1e308, "width_m": 1e308, "thickness_m": 1}', ["length_m", "thickness_m", "width_m"]),
        ("3", ["input"]),
        ("{", ["input"]),
        ("[" * 100_000, ["input"]),
    ],
)
def test_bad_input_names_the_field(text: str, fields: list[str]) -> None:
    with pytest.raises(InputError) as refused:
        calc("slab-volume", parse_json(text))
    assert refused.value.fields == fields
    assert refused.value.message.endswith(".")


def test_fields_inside_lists_and_defaults() -> None:
    cement = {"name": "cement", "mass_kg": 1, "particle_density_kg_m3": 3150}
    with pytest.raises(InputError) as refused:
        calc(
            "absolute-volume", {"components": [cement, {**cement, "mass_kg": float("nan"), "colour": "grey"}]}
        )
    assert set(refused.value.fields) == {"components.1.mass_kg", "components.1.colour"}
    assert calc("absolute-volume", {"components": [cement]})["assumed"] == {"air_fraction": 0.0}


def test_an_array_gives_an_array_and_an_unknown_rule_is_named() -> None:
    assert [item["order_m3"] for item in calc("order-volume", [{"net_m3": 1.0}, {"net_m3": 2.0}])] == [
        1.1,
        2.2,
    ]
    with pytest.raises(InputError, match="slab-volume"):
        calc("slab", {})
