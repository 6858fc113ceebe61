"""Slips: each with one as it is made on a site, and a right figure beside it that stays silent.

What is usual (layers, doses, bags, loose densities) is common practice, no source.
"""

import re
from typing import Any

import pytest
import yaml
from helpers import EVERY_PROCEDURE, REFERENCE, a_job_of, plan, raw_job

from keeve.core.errors import InputError
from keeve.core.mixes import library
from keeve.core.mixes.find import fits
from keeve.core.quantities import in_reader_units
from keeve.core.rules.registry import RuleWarning

OVERLAY = a_job_of("overlay-stampable", "paddle")
SCREED = a_job_of("screed-1-4-fibre", "forced-action")
BAGGED = a_job_of("concrete-bagged", "tilting-drum")
NOMINAL = a_job_of("concrete-nominal", "tilting-drum")
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


def concrete(thickness_m: float) -> dict[str, Any]:
    return {**NOMINAL, **slab(3, 2, thickness_m)}


def dose(**label: Any) -> dict[str, Any]:
    return {"admixtures": [{**PLASTICISER, **label}]}


def warned(changes: dict[str, Any]) -> dict[str, RuleWarning]:
    """The warnings of a job by code; a dose that was simply not given is none here."""
    return {item.code: item for item in plan(**changes).warnings if item.code != "no_label_dose"}


CASES = yaml.safe_load((REFERENCE / "plausibility.yaml").read_text())
SLIPS: dict[str, dict[str, Any]] = CASES["slips"]
RIGHT: dict[str, dict[str, Any]] = CASES["right"]
UNUSUAL: dict[str, dict[str, Any]] = CASES["unusual"]


@pytest.mark.parametrize(
    ("changes", "code", "field", "meant"), [tuple(slip.values()) for slip in SLIPS.values()], ids=SLIPS
)
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
    ("changes", "code", "meant"),
    [(slip["changes"], slip["code"], slip["meant"]) for slip in SLIPS.values() if slip["meant"]],
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


# Unusual, past what the mix allows or what is common, yet meant: a word may be said, nothing is to be offered instead.


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
    assert "300 m looks far too large" in fault.message
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


def test_a_coat_outside_the_mix_is_told_and_planned() -> None:
    found = warned({**OVERLAY, "need": {"shape": "coat-volume", "area_m2": 4, "coats_mm": [8, 100]}})
    told = found["thickness_outside"]
    assert (told.field, told.meant) == ("need.0.coats_mm.1", {"need.0.coats_mm.1": 10})


@pytest.mark.parametrize(
    ("label", "meant"),
    [
        # 300 typed for a pail of 30 kg that is loosened with 300 mL: no fluid ounces, which would be 8.9 L.
        ({"bag_kg": 30, "yield_l": 18, "water_start_l": 100, "water_min_l": 100, "water_max_l": 300}, 0.3),
        # 25 kg make 12 L; 5 pints are 2.4 L: the water is wrong, not the yield.
        ({"bag_kg": 25, "yield_l": 12, "water_start_l": 4, "water_min_l": 4.5, "water_max_l": 5}, 2.366),
    ],
)
def test_the_figure_out_of_line_with_its_kind_is_mended(label: dict[str, float], meant: float) -> None:
    is_pail = label["bag_kg"] == 30
    job = a_job_of("finish-tinted-pail", "paddle") if is_pail else a_job_of("concrete-bagged", "tilting-drum")
    found = warned({**job, "materials": {next(iter(job["materials"])): label}})
    mends = [item.meant for item in found.values() if item.meant]
    assert [
        value for mend in mends for name, value in mend.items() if name.endswith("water_max_l")
    ] == pytest.approx([meant], rel=1e-3)


def test_a_mixer_that_does_not_suit_is_refused_with_one_that_does() -> None:
    fault = refused({**SCREED, "mixer": {"kind": "tilting-drum", "working_l": 90}})
    assert (fault.code, fault.fields) == ("mixer_unsuited", ["mixer.kind"])
    assert fault.meant
    assert plan(**{**SCREED, "mixer": {"kind": fault.meant["mixer.kind"], "working_l": 90}})


def test_nothing_is_added_to_an_all_in_bag() -> None:
    materials = {**BAGGED["materials"], "sand": {"moisture_fraction": 0.04}}
    fault = refused({**BAGGED, "materials": materials})
    assert (fault.code, fault.meant) == ("all_in_bag", {"materials.sand": None})
    assert "Add no sand or lime" in fault.message


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
    assert found["hemp-lime"] == [("not for: bed", None), ("min", 100), ("needs hemp", None)]
    assert found["overlay-stampable"] == [("not for: bed", None), ("needs bags and pails", None)]
    assert len(found) == len(library())
    fitting = [fit for fit in fits(every, "lay floor", 75) if not fit.against]
    assert {"screed-1-4-fibre", "concrete-nominal"} <= {fit.mix.id for fit in fitting}


# A figure in a unit that no US reader reads, but for grams and what names units to choose from.
SI = re.compile(r"\d[ \u202f]?(mm|cm|m³|m3|m²|m|kg|L|mL|°C|MPa|kg/m³)(?![\w/³²])")


@pytest.mark.parametrize("changes", [*(slip["changes"] for slip in SLIPS.values()), *UNUSUAL.values()])
def test_what_is_told_is_told_in_the_reader_s_units(changes: dict[str, Any]) -> None:
    for item in warned(changes).values():
        told = in_reader_units(f"{item.message} {item.suggestion}", "us")
        assert not SI.search(told), told
