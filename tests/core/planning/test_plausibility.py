"""Slips: each with one as it is made on a site, and a right figure beside it that stays silent.

What is usual (layers, doses, bags, loose densities) is common practice, no source.
"""

import re
from typing import Any

import pytest
from helpers import EVERY_PROCEDURE, a_job_of, plan, raw_job

from keeve.core.errors import InputError
from keeve.core.mixes import library
from keeve.core.mixes.find import fits
from keeve.core.quantities import in_reader_units
from keeve.core.rules.registry import RuleWarning

OVERLAY = a_job_of("overlay-stampable", "paddle")
SCREED = a_job_of("screed-1-4-fibre", "forced-action")
BAGGED = a_job_of("concrete-bagged", "tilting-drum")
GENERAL = a_job_of("mortar-general", "tilting-drum")
NOMINAL = a_job_of("concrete-nominal", "tilting-drum")
TYPE_N = a_job_of("mortar-type-n", "tilting-drum")
PAIL = a_job_of("finish-tinted-pail", "paddle")
PLASTICISER = {
    "name": "plasticiser",
    "basis": "ml_per_100kg",
    "dose": 150,
    "density_kg_l": 1.02,
    "solids_fraction": 0.2,
}


def slab(length_m: float, width_m: float, thickness_m: float) -> dict[str, Any]:
    return {
        "need": {"shape": "slab-volume", "length_m": length_m, "width_m": width_m, "thickness_m": thickness_m}
    }


def bag(**label: Any) -> dict[str, Any]:
    known = {"bag_kg": 25, "yield_l": 12, "water_start_l": 1.5, "water_min_l": 1.75, "water_max_l": 2.5}
    return {**BAGGED, "materials": {"bag": {**known, **label}}}


def coat(**label: Any) -> dict[str, Any]:
    return {**a_job_of("stucco-one-coat-bagged", "paddle"), "materials": {"bag": label}}


def cement(**site: Any) -> dict[str, Any]:
    return {"materials": {"cement": {"bag_kg": 25, **site}}}


def concrete(thickness_m: float) -> dict[str, Any]:
    return {**NOMINAL, **slab(3, 2, thickness_m)}


def dose(**label: Any) -> dict[str, Any]:
    return {"admixtures": [{**PLASTICISER, **label}]}


def buckets(*tares_kg: float) -> dict[str, Any]:
    return {"vessels": [{"name": "bucket", "volume_l": 12, "tare_kg": tare_kg} for tare_kg in tares_kg]}


def warned(changes: dict[str, Any]) -> dict[str, RuleWarning]:
    """The warnings of a job by code; a dose that was simply not given is none here."""
    return {item.code: item for item in plan(**changes).warnings if item.code != "no_label_dose"}


# The slip as it is made, its code, its field, and what was meant.
SLIPS: dict[str, tuple[dict[str, Any], str, str, dict[str, Any] | None]] = {
    "4 to 1 for 1 to 4": (
        {**SCREED, "parts": {"sand": 0.25}}, "ratio_reversed", "parts.sand", {"parts.sand": 4}
    ),
    "a screed of 1 to 9": ({**SCREED, "parts": {"sand": 9}}, "ratio_outside", "parts.sand", None),
    "4 cm typed as 400 mm": (
        slab(3, 2, 0.4), "thickness_outside", "need.0.thickness_m", {"need.0.thickness_m": 0.04}
    ),
    "an overlay of 10 mm typed in cm": (
        {**OVERLAY, "need": {"area_m2": 4, "depth_mm": 1}}, "thickness_outside", "need.0.depth_mm",
        {"need.0.depth_mm": 10},
    ),
    "a wall in centimetres": (
        slab(220, 0.3, 0.02), "hundredfold", "need.0.length_m", {"need.0.length_m": 2.2}
    ),
    "a wall in millimetres": (
        slab(4500, 0.003, 0.02), "hundredfold", "need.0.length_m", {"need.0.length_m": 4.5}
    ),
    "litres for cubic metres": (
        {"need": {"volume_m3": 250}}, "hundredfold", "need.0.volume_m3", {"need.0.volume_m3": 0.25}
    ),
    "a decimal point late": (
        dose(dose=1500), "dose_tenfold", "admixtures.0.dose", {"admixtures.0.dose": 150}
    ),
    "a decimal point early": (
        dose(dose=15), "dose_tenfold", "admixtures.0.dose", {"admixtures.0.dose": 150}
    ),
    "a splash, guessed as a share": (
        dose(dose=20, basis="percent_binder"), "dose_unusual", "admixtures.0.dose", None
    ),
    "fibre by ten": (
        {**SCREED, "admixtures": [{"name": "fibre", "dose": 9000, "basis": "g_per_m3", "form": "powder"}]},
        "dose_tenfold", "admixtures.0.dose", {"admixtures.0.dose": 900},
    ),
    "chlorides beside steel": (
        {**dose(with_chlorides=True), "conditions": {"near_steel": True}},
        "chlorides", "admixtures.0.with_chlorides", None,
    ),
    "frozen sand": (
        {"conditions": {"stockpile_c": -2}}, "sand_frozen", "conditions.stockpile_c", None
    ),
    "an overlay in the cold": (
        {**OVERLAY, "conditions": {"air_c": 4.4}}, "air_too_cold", "conditions.air_c", None
    ),
    "degrees Fahrenheit for Celsius": (
        {"conditions": {"air_c": 68}}, "air_too_warm", "conditions.air_c", {"conditions.air_c": 20}
    ),
    "old cement": (cement(age_months=7), "bag_old", "materials.cement.age_months", None),
    "days for months": (
        cement(age_months=45), "bag_old", "materials.cement.age_months", None
    ),
    "lumps": ({"conditions": {"bags": "soft-lumps"}}, "bags_damaged", "conditions.bags", None),
    "masonry mortar for cement": (
        cement(says="Masonry mortar, type S"), "all_in_bag", "materials.cement.says", None,
    ),
    "a modifier for cement": (
        cement(says="Polymer modifier"), "wrong_bag", "materials.cement.says", None
    ),
    "a bag in pounds": (
        cement(bag_kg=94), "bag_unit", "materials.cement.bag_kg", {"materials.cement.bag_kg": 42.638}
    ),
    "loose density in kg a litre": (
        cement(bulk_density_kg_m3=1.2), "density_unlikely", "materials.cement.bulk_density_kg_m3",
        {"materials.cement.bulk_density_kg_m3": 1200},
    ),
    "a yield in cubic feet": (
        bag(yield_l=0.45), "label_contradicts", "materials.bag.yield_l", {"materials.bag.yield_l": 12.7426}
    ),
    "gallons for quarts of water": (
        bag(water_start_l=9.46, water_min_l=9.84, water_max_l=11.36), "water_unit", "materials.bag.water_max_l",
        {
            "materials.bag.water_start_l": 2.365,
            "materials.bag.water_min_l": 2.46,
            "materials.bag.water_max_l": 2.84,
        },
    ),
    "thinnest for thickest": (
        bag(thickness_min_mm=100, thickness_max_mm=50), "label_contradicts", "materials.bag.thickness_min_mm",
        {"materials.bag.thickness_min_mm": 50, "materials.bag.thickness_max_mm": 100},
    ),
    "a tare by ten": (buckets(7), "tare_unlikely", "vessels.0.tare_kg", {"vessels.0.tare_kg": 0.7}),
    "a slab of 10 cm, typed as 10 m": (
        concrete(10), "thickness_outside", "need.0.thickness_m", {"need.0.thickness_m": 0.1}
    ),
    "a slab of 4 in, typed as 4 m": (
        concrete(4), "thickness_outside", "need.0.thickness_m", {"need.0.thickness_m": 0.1016}
    ),
    "a slab of 6 in, typed as 6 m": (
        concrete(6), "thickness_outside", "need.0.thickness_m", {"need.0.thickness_m": 0.1524}
    ),
    "a slab of 4 in, typed as 4 ft": (
        concrete(1.2192 * 3), "thickness_outside", "need.0.thickness_m", {"need.0.thickness_m": 0.0929}
    ),
    "a slab of 15 cm, a nought too many": (
        concrete(0.015), "thickness_outside", "need.0.thickness_m", {"need.0.thickness_m": 0.15}
    ),
    "an overlay of 3/8 in, typed as a part of a metre": (
        {**OVERLAY, "need": {"shape": "slab-volume", "length_m": 2, "width_m": 2, "thickness_m": 0.375}},
        "thickness_outside", "need.0.thickness_m", {"need.0.thickness_m": 0.009525},
    ),
    "an overlay of half an inch, typed in mm": (
        {**OVERLAY, "need": {"area_m2": 4, "depth_mm": 0.5}}, "thickness_outside", "need.0.depth_mm",
        {"need.0.depth_mm": 12.7},
    ),
    "an overlay of 15 mm, typed in metres": (
        {**OVERLAY, "need": {"area_m2": 4, "depth_mm": 0.015}}, "thickness_outside", "need.0.depth_mm",
        {"need.0.depth_mm": 15},
    ),
    "an overlay of 12 mm by ten": (
        {**OVERLAY, "need": {"area_m2": 4, "depth_mm": 120}}, "thickness_outside", "need.0.depth_mm",
        {"need.0.depth_mm": 12},
    ),
    "a path in millimetres": (
        slab(0.6, 12000, 0.02), "hundredfold", "need.0.width_m", {"need.0.width_m": 12}
    ),
    "a hole in centimetres": (
        {"need": {"shape": "post-hole-volume", "hole_diameter_m": 0.3, "hole_depth_m": 75, "post_width_m": 0.1,
                  "post_thickness_m": 0.1, "embedment_m": 0.6}},
        "hundredfold", "need.0.hole_depth_m", {"need.0.hole_depth_m": 0.75},
    ),
    "a bucket of litres for cubic metres": (
        {"need": {"volume_m3": 140}}, "hundredfold", "need.0.volume_m3", {"need.0.volume_m3": 0.14}
    ),
    "a dose in mL for one bag as for 100 kg": (
        dose(dose=20), "dose_tenfold", "admixtures.0.dose", {"admixtures.0.dose": 200}
    ),
    "a dose by the litre as for 100 kg": (
        dose(dose=4000), "dose_tenfold", "admixtures.0.dose", {"admixtures.0.dose": 400}
    ),
    "fibre by a tenth": (
        {**SCREED, "admixtures": [{"name": "fibre", "dose": 90, "basis": "g_per_m3", "form": "powder"}]},
        "dose_tenfold", "admixtures.0.dose", {"admixtures.0.dose": 900},
    ),
    "fibre in kilograms": (
        {**SCREED, "admixtures": [{"name": "fibre", "dose": 0.9, "basis": "g_per_m3", "form": "powder"}]},
        "dose_unusual", "admixtures.0.dose", None,
    ),
    "a pile frozen through": (
        {"conditions": {"stockpile_c": -8}}, "sand_frozen", "conditions.stockpile_c", None
    ),
    "a frosty morning": ({"conditions": {"air_c": -3}}, "sand_frozen", "conditions.air_c", None),
    "an overlay in frost": ({**OVERLAY, "conditions": {"air_c": -10}}, "air_too_cold", "conditions.air_c", None),
    "77 °F for Celsius": (
        {"conditions": {"air_c": 77}}, "air_too_warm", "conditions.air_c", {"conditions.air_c": 25}
    ),
    "185 for 18.5 °C": (
        {"conditions": {"air_c": 185}}, "air_too_warm", "conditions.air_c", {"conditions.air_c": 18.5}
    ),
    "torn bags": ({"conditions": {"bags": "damaged"}}, "bags_damaged", "conditions.bags", None),
    "a masonry cement for cement": (
        cement(says="Masonry cement, type N"), "wrong_bag", "materials.cement.says", None
    ),
    "an all-in concrete for cement": (
        cement(says="Fast-setting concrete mix"), "all_in_bag", "materials.cement.says", None
    ),
    "gypsum for cement": (cement(says="Casting plaster"), "wrong_bag", "materials.cement.says", None),
    "a lime for cement": (cement(says="Hydrated lime"), "wrong_bag", "materials.cement.says", None),
    "a render for cement": (cement(says="Render, one coat"), "all_in_bag", "materials.cement.says", None),
    "a hydraulic lime for hydrated": (
        {**TYPE_N, "materials": {"lime": {"bag_kg": 25, "says": "NHL 3.5"}}}, "wrong_bag", "materials.lime.says", None
    ),
    "a cement for lime": (
        {**TYPE_N, "materials": {"lime": {"bag_kg": 25, "says": "Portland cement"}}}, "wrong_bag",
        "materials.lime.says", None,
    ),
    "80 lb, typed as kilograms": (
        cement(bag_kg=80), "bag_unit", "materials.cement.bag_kg", {"materials.cement.bag_kg": 36.287}
    ),
    "loose density in lb/ft3": (
        cement(bulk_density_kg_m3=94), "density_unlikely", "materials.cement.bulk_density_kg_m3",
        {"materials.cement.bulk_density_kg_m3": 940},
    ),
    "loose sand by ten": (
        {"materials": {"sand": {"bulk_density_kg_m3": 155}}}, "density_unlikely", "materials.sand.bulk_density_kg_m3",
        {"materials.sand.bulk_density_kg_m3": 1550},
    ),
    "a yield in cubic feet, read as gallons": (
        bag(yield_l=1.7034), "label_contradicts", "materials.bag.yield_l", {"materials.bag.yield_l": 12.742}
    ),
    "a bag of 80 lb with its own yield and water": (
        bag(bag_kg=80, yield_l=17, water_start_l=2.4, water_min_l=2.4, water_max_l=4.26), "label_contradicts",
        "materials.bag.yield_l", {"materials.bag.bag_kg": 36.287},
    ),
    "water by ten": (
        bag(water_start_l=15, water_min_l=17.5, water_max_l=25), "water_unit", "materials.bag.water_max_l",
        {"materials.bag.water_start_l": 1.5, "materials.bag.water_min_l": 1.75, "materials.bag.water_max_l": 2.5},
    ),
    "fluid ounces of water read as litres": (
        bag(water_start_l=60, water_min_l=64, water_max_l=84), "water_unit", "materials.bag.water_max_l",
        {
            "materials.bag.water_start_l": 1.774,
            "materials.bag.water_min_l": 1.893,
            "materials.bag.water_max_l": 2.484,
        },
    ),
    "a rest longer than the life": (
        bag(rest_min=60, life_min=45), "label_contradicts", "materials.bag.rest_min",
        {"materials.bag.rest_min": 45, "materials.bag.life_min": 60},
    ),
    "a tare in grams by ten": (buckets(9.5), "tare_unlikely", "vessels.0.tare_kg", {"vessels.0.tare_kg": 0.95}),
    "a full bucket for an empty one": (buckets(19), "tare_unlikely", "vessels.0.tare_kg", {"vessels.0.tare_kg": 1.9}),
    "3 to 1 for 1 to 3": (
        {**GENERAL, "parts": {"sand": 1 / 3}}, "ratio_reversed", "parts.sand", {"parts.sand": 3}
    ),
    "a mortar of 1 to 12": ({**GENERAL, "parts": {"sand": 12}}, "ratio_outside", "parts.sand", None),
    "one bucket that was weighed wet": (
        buckets(0.70, 0.71, 1.2), "tares_disagree", "vessels.2.tare_kg", {"vessels.2.tare_kg": 0.71}
    ),
}  # fmt: skip


@pytest.mark.parametrize(("changes", "code", "field", "meant"), SLIPS.values(), ids=SLIPS)
def test_a_slip_is_told_with_its_field_and_what_was_meant(
    changes: dict[str, Any], code: str, field: str, meant: dict[str, Any] | None
) -> None:
    found = warned(changes)
    assert code in found
    assert found[code].field == field
    assert set(found[code].meant or {}) == set(meant or {})
    for path, value in (meant or {}).items():
        is_text = isinstance(value, str | bool)
        assert (found[code].meant or {})[path] == (value if is_text else pytest.approx(value, rel=1e-3))


@pytest.mark.parametrize(
    ("changes", "code", "meant"), [(item[0], item[1], item[3]) for item in SLIPS.values() if item[3]]
)
def test_what_was_meant_mends_it(changes: dict[str, Any], code: str, meant: dict[str, Any]) -> None:
    raw: Any = raw_job(**changes)
    raw["need"] = [raw["need"]]
    for path, value in meant.items():
        *way, last = (int(step) if step.isdigit() else step for step in path.split("."))
        holder = raw
        for step in way:
            holder = holder[step]
        holder[last] = value
    assert code not in warned(raw)


RIGHT: dict[str, dict[str, Any]] = {
    "a screed of 1 to 3": {**SCREED, "parts": {"sand": 3}},
    "the thickest mortar bed": slab(3, 2, 0.04),
    "the thinnest overlay": {**OVERLAY, "need": {"area_m2": 4, "depth_mm": 6}},
    "the thickest overlay": {**OVERLAY, "need": {"area_m2": 4, "depth_mm": 20}},
    "two coats, each within": {
        **OVERLAY,
        "need": {"shape": "coat-volume", "area_m2": 4, "coats_mm": [8, 10]},
    },
    "a long garden wall": slab(60, 0.3, 0.02),
    "a large order": {"need": {"volume_m3": 1.8}},
    "a dose at the end of what is usual": dose(dose=600),
    "the same dose as a share of the binder": dose(dose=0.15, basis="percent_binder"),
    "fibre as its bag says": {
        **SCREED,
        "admixtures": [{"name": "fibre", "dose": 600, "basis": "g_per_m3", "form": "powder"}],
    },
    "chlorides away from steel": dose(with_chlorides=True),
    "steel without chlorides": {**dose(), "conditions": {"near_steel": True}},
    "a cold pile": {"conditions": {"stockpile_c": 1, "air_c": 6}},
    "an overlay at its coldest": {**OVERLAY, "conditions": {"air_c": 5}},
    "a hot day": {"conditions": {"air_c": 29}},
    "cement of six weeks": cement(age_months=1.5),
    "sound bags": {"conditions": {"bags": "sound"}},
    "portland cement": cement(says="Portland limestone cement"),
    "a US bag of cement": cement(bag_kg=42.64),
    "a bag of 50 kg": cement(bag_kg=50),
    "a half bag": cement(bag_kg=12.5),
    "aerated cement": cement(bulk_density_kg_m3=1000),
    "a US bag of concrete": bag(
        bag_kg=36.3, yield_l=17, water_start_l=2.4, water_min_l=2.4, water_max_l=4.26
    ),
    "a label's thicknesses": bag(thickness_min_mm=50, thickness_max_mm=100),
    "three buckets alike": buckets(0.70, 0.71, 0.74),
    "a heavy bucket of steel": buckets(2.1),
    "a slab of 75 mm": concrete(0.075),
    "a footing of 60 cm": {**NOMINAL, **slab(2, 0.6, 0.6)},
    "a thick base": {**NOMINAL, **slab(1, 1, 1.0)},
    "a screed of 50 mm": {**SCREED, **slab(4, 3, 0.05)},
    "a screed of 100 mm": {**SCREED, **slab(4, 3, 0.1)},
    "a lime joint of 3 mm": {
        **a_job_of("lime-hydraulic-3.5", "tilting-drum"),
        "need": {"area_m2": 4, "depth_mm": 3},
    },
    "a very long wall": slab(140, 0.2, 0.02),
    "a big pour": {"need": {"volume_m3": 5}, "mixer": {"kind": "tilting-drum", "working_l": 120}},
    "a tiny order": {"need": {"volume_m3": 0.003}},
    "a dose well under": dose(dose=100),
    "a dose of the strongest label": dose(dose=900),
    "fibre at twice the usual": {
        **SCREED,
        "admixtures": [{"name": "fibre", "dose": 1800, "basis": "g_per_m3", "form": "powder"}],
    },
    "an overlay at its warmest": {**OVERLAY, "conditions": {"air_c": 30}},
    "cold water": {"conditions": {"water_c": 4, "air_c": 10}},
    "cement of three months": cement(age_months=3),
    "a bag of 20 lb": cement(bag_kg=9.07),
    "a bag of 25 lb": cement(bag_kg=11.34),
    "a bag of 30 lb": cement(bag_kg=13.61),
    "a bag of 40 lb": cement(bag_kg=18.14),
    "a bag of 5 kg": cement(bag_kg=5),
    "cement for three uses": cement(says="General purpose cement for concrete, mortar and render"),
    "cement for plaster": cement(says="White cement for plaster and stucco"),
    "rapid cement": cement(says="Rapid hardening Portland cement"),
    "a hydrated lime for mortar": {
        **TYPE_N,
        "materials": {"lime": {"bag_kg": 25, "says": "Hydrated lime for mortar and plaster"}},
    },
    "a lime that is not hydraulic": {
        **TYPE_N,
        "materials": {"lime": {"bag_kg": 25, "says": "Non-hydraulic lime, hydrated"}},
    },
    "a lime that says no more": {**TYPE_N, "materials": {"lime": {"bag_kg": 25, "says": "Builder's lime"}}},
    "a US bag of 94 lb, packed": cement(bag_kg=42.64, bulk_density_kg_m3=1506),
    "a light lime": {**TYPE_N, "materials": {"lime": {"bulk_density_kg_m3": 450}}},
    "a coarse dense sand": {"materials": {"sand": {"bulk_density_kg_m3": 1800}}},
    "a light sand": {"materials": {"sand": {"bulk_density_kg_m3": 1300}}},
    "a dry bag": bag(water_start_l=1.3, water_min_l=1.3, water_max_l=1.5),
    "a bag of 60 lb": bag(bag_kg=27.2, yield_l=12.7, water_start_l=1.9, water_min_l=1.9, water_max_l=2.8),
    "a light plaster": bag(bag_kg=20, yield_l=25, water_start_l=6, water_min_l=6.5, water_max_l=7.5),
    "a paste that takes a splash": {
        **PAIL,
        "materials": {
            **PAIL["materials"],
            "pail": {
                **PAIL["materials"]["pail"],
                "water_start_l": 0.1,
                "water_min_l": 0.1,
                "water_max_l": 0.3,
            },
        },
    },
    "a rest shorter than the life": bag(rest_min=5, life_min=60),
    "a light bucket": buckets(0.2),
    "buckets of steel, alike": buckets(1.9, 1.95, 2.0),
    "a blinding of 50 mm": concrete(0.05),
    "a deep footing": {**NOMINAL, **slab(1, 0.5, 1.5)},
    "a path of 60 mm": concrete(0.06),
    "a bonded screed of 35 mm": {**SCREED, **slab(4, 3, 0.035), "laying": "bonded"},
    "a screed of 150 mm": {**SCREED, **slab(4, 3, 0.15)},
    "a stony dry bag": bag(water_start_l=0.8, water_min_l=0.9, water_max_l=1.1),
    "a thirsty coat": coat(bag_kg=15, yield_l=20, water_start_l=6, water_min_l=6.2, water_max_l=6.8),
    "aerated plaster": coat(bag_kg=10, yield_l=20, water_start_l=3, water_min_l=3, water_max_l=3.8),
    "a rich dose": dose(dose=1000),
    "a floating screed of 65 mm": {**SCREED, **slab(4, 3, 0.065), "laying": "floating"},
    "a mortar without lime": {"mix": "mortar-designation-m12", "materials": {}, "parts": {"lime": 0}},
}


# Unusual, past what the mix allows or what is common, yet meant: a word may be said, nothing is to be offered instead.
UNUSUAL: dict[str, dict[str, Any]] = {
    "a foundation of 1.5 m": concrete(1.5),
    "a joint of 3 mm": {"need": {"area_m2": 4, "depth_mm": 3}},
    "a very large order": {"need": {"volume_m3": 12}},
    "an overlay of 30 mm": {**OVERLAY, "need": {"area_m2": 4, "depth_mm": 30}},
    "frost of two degrees": {"conditions": {"air_c": -2}},
    "an overlay at 3 °C": {**OVERLAY, "conditions": {"air_c": 3}},
    "a hot afternoon": {"conditions": {"air_c": 35}},
    "44 °C in the sun": {"conditions": {"air_c": 44}},
    "a bag past its date": cement(age_months=5),
    "a lean mortar, still a mortar": {**GENERAL, "parts": {"sand": 5}},
    "a screed of 1 to 6": {**SCREED, "parts": {"sand": 6.5}},
    "chlorides in plain mortar": {**dose(with_chlorides=True), "conditions": {"near_steel": True}},
}  # fmt: skip


@pytest.mark.parametrize("changes", UNUSUAL.values(), ids=UNUSUAL)
def test_what_is_unusual_is_offered_nothing_instead(changes: dict[str, Any]) -> None:
    assert {code: item.meant for code, item in warned(changes).items() if item.meant} == {}


@pytest.mark.parametrize("changes", RIGHT.values(), ids=RIGHT)
def test_a_right_figure_stays_silent(changes: dict[str, Any]) -> None:
    assert warned(changes) == {}


@pytest.mark.parametrize(("mix", "mixer"), EVERY_PROCEDURE)
def test_every_mix_in_its_own_figures_stays_silent(mix: str, mixer: str) -> None:
    assert warned(a_job_of(mix, mixer)) == {}


def refused(changes: dict[str, Any]) -> InputError:
    with pytest.raises(InputError) as caught:
        plan(**changes)
    return caught.value


def test_a_shape_that_makes_thousands_of_loads_is_refused_by_the_size_at_fault() -> None:
    fault = refused(slab(300, 200, 0.04))
    assert (fault.code, fault.fields, fault.meant) == (
        "too_many_loads", ["need.0.length_m"], {"need.0.length_m": 3}
    )  # fmt: skip
    assert "300 m is more than" in fault.message
    assert fault.as_json()["error"]["meant"] == {"need.0.length_m": 3}


@pytest.mark.parametrize(
    ("changes", "meant_m"),
    [(concrete(100), 0.1), (concrete(150), 0.15), ({**SCREED, **slab(6, 4, 75)}, 0.075)],
)
def test_a_thickness_in_millimetres_is_refused_with_its_metres(
    changes: dict[str, Any], meant_m: float
) -> None:
    fault = refused(changes)
    assert (fault.code, fault.fields) == ("too_many_loads", ["need.0.thickness_m"])
    assert fault.meant == {"need.0.thickness_m": pytest.approx(meant_m)}


def test_a_coat_outside_the_mix_is_stopped() -> None:
    fault = refused({**OVERLAY, "need": {"shape": "coat-volume", "area_m2": 4, "coats_mm": [8, 100]}})
    assert (fault.code, fault.fields) == ("thickness_outside", ["need.0.coats_mm.1"])
    assert fault.meant == {"need.0.coats_mm.1": 10}


def test_a_mixer_that_does_not_suit_is_refused_with_one_that_does() -> None:
    fault = refused({**SCREED, "mixer": {"kind": "tilting-drum", "working_l": 90}})
    assert (fault.code, fault.fields) == ("mixer_unsuited", ["mixer.kind"])
    assert fault.meant
    assert plan(**{**SCREED, "mixer": {"kind": fault.meant["mixer.kind"], "working_l": 90}})


def test_nothing_is_added_to_an_all_in_bag() -> None:
    materials = {**BAGGED["materials"], "sand": {"moisture_fraction": 0.04}}
    fault = refused({**BAGGED, "materials": materials})
    assert (fault.code, fault.meant) == ("all_in_bag", {"materials.sand": None})
    assert "add no more sand or lime" in fault.message


def test_chlorides_spoil_a_polymer_without_any_steel() -> None:
    known = library()["mortar-bricklaying"].model_dump(mode="json")
    modified = {
        **known,
        "id": "modified-mortar",
        "parts": [
            {**part, "material": "polymer-modifier"} if part["name"] == "cement" else part
            for part in known["parts"]
        ],
    }
    found = warned({**dose(with_chlorides=True), "mix": modified})
    assert "spoils the polymer" in found["chlorides"].message
    assert "chlorides" not in warned({**dose(), "mix": modified})


def test_a_mix_is_found_by_use_thickness_and_yard() -> None:
    every = library().values()
    found = {fit.mix.id: fit.against for fit in fits(every, "bed", 10, ["lime", "sand"])}
    assert found["lime-hydraulic-3.5"] == []
    assert found["mortar-bricklaying"] == [("needs cement", None)]
    assert found["hemp-lime"] == [("not for: bed", None), ("not under", 100), ("needs hemp", None)]
    assert found["overlay-stampable"] == [("not for: bed", None), ("needs bags and pails", None)]
    assert len(found) == len(library())
    fitting = [fit for fit in fits(every, "lay floor", 75) if not fit.against]
    assert {"screed-1-4-fibre", "concrete-nominal"} <= {fit.mix.id for fit in fitting}


# A figure in a unit that no US reader reads, but for grams and what names units to choose from.
SI = re.compile(r"\d[ \u202f]?(mm|cm|m³|m3|m²|m|kg|L|mL|°C|MPa|kg/m³)(?![\w/³²])")


@pytest.mark.parametrize("changes", [*(case[0] for case in SLIPS.values()), *UNUSUAL.values()])
def test_what_is_told_is_told_in_the_reader_s_units(changes: dict[str, Any]) -> None:
    for item in warned(changes).values():
        told = in_reader_units(f"{item.message} {item.suggestion}", "us")
        assert not SI.search(told), told
