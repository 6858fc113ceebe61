"""The plan form and the job file say the same: each shape from the page as from the file, and there and back again."""

import json
import math
from typing import Any, get_args

import pytest
from forms_in_html import fields_in
from helpers import EVERY_PROCEDURE, a_job_of, raw_job

from keeve.core.mixes import library
from keeve.core.mixes.mixers import USUAL_L, MixerKind
from keeve.core.mixes.model import Gauge
from keeve.core.planning.job import SHAPES as CORE_SHAPES
from keeve.core.planning.job import Job
from keeve.core.planning.make_plan import make_plan
from keeve.core.units import Kind, System
from keeve.demo import jobs
from keeve.formats.job_file import read_job, write_job
from keeve.screens.plan.form import FORM_CHANGED, PlanForm, convert, empty_form, form_from
from keeve.screens.plan.form_job import form_of, to_job
from keeve.screens.plan.shapes import SHAPE_GROUPS, SHAPES
from keeve.web import pages
from keeve.web.fields import Number, members
from web.conftest import Client

# What is typed for each shape, the same in a job file, and what it comes to, by hand.
TYPED: dict[str, tuple[dict[str, str], dict[str, Any], float]] = {
    "slab": (
        {"length_m": "4", "width_m": "3", "thickness_m": "20", "other_thickness_m": "30", "count": "2"},
        {"shape": "slab-volume", "length_m": 4, "width_m": 3, "thickness_m": 0.02, "other_thickness_m": 0.03,
         "count": 2},
        2 * 12 * 0.025,
    ),
    "strip-footing": (
        {"length_m": "10' 6\"", "width_m": "16 in", "thickness_m": "8 in"},
        {"shape": "slab-volume", "box": "strip-footing", "length_m": 3.2004, "width_m": 0.4064, "thickness_m": 0.2032},
        3.2004 * 0.4064 * 0.2032,
    ),
    "pad-footing": (
        {"length_m": "0,6", "width_m": "0,5", "thickness_m": "300", "count": "6"},
        {"shape": "slab-volume", "box": "pad-footing", "length_m": 0.6, "width_m": 0.5, "thickness_m": 0.3, "count": 6},
        6 * 0.09,
    ),
    "post-hole": (
        {"hole_diameter_m": "300", "hole_depth_m": "0.6", "post_width_m": "100", "post_thickness_m": "100",
         "embedment_m": "0.5", "count": "8"},
        {"shape": "post-hole-volume", "hole_diameter_m": 0.3, "hole_depth_m": 0.6, "post_width_m": 0.1,
         "post_thickness_m": 0.1, "embedment_m": 0.5, "count": 8},
        8 * 0.0374115008234622,
    ),
    "weight": ({"mass_kg": "12"}, {"mass_kg": 12}, 12 / 1898.8 / 1.1),
    "column": (
        {"diameter_m": "300", "height_m": "0.8"},
        {"shape": "cylinder-volume", "diameter_m": 0.3, "height_m": 0.8},
        0.0565486677646163,
    ),
    "pier": (
        {"bottom_diameter_m": "400", "top_diameter_m": "200", "height_m": "0.3"},
        {"shape": "frustum-volume", "bottom_diameter_m": 0.4, "top_diameter_m": 0.2, "height_m": 0.3},
        0.0219911485751285,
    ),
    "steps": (
        {"width_m": "1", "going_m": "300", "rise_m": "200", "steps": "3"},
        {"shape": "stairs-volume", "width_m": 1, "going_m": 0.3, "rise_m": 0.2, "steps": 3},
        0.36,
    ),
    "coat": (
        {"length_m": "5", "height_m": "2", "openings_m2": "2", "uneven_mm": "4", "coats_mm.0": "10", "coats_mm.1": "6"},
        {"shape": "coat-volume", "length_m": 5, "height_m": 2, "openings_m2": 2, "uneven_mm": 4, "coats_mm": [10, 6]},
        8 * 0.02,
    ),
    "masonry": (
        {"length_m": "5", "height_m": "2", "unit_length_mm": "215", "unit_height_mm": "65", "unit_width_mm": "102.5",
         "joint_mm": "10"},
        {"shape": "unit-masonry-mortar", "length_m": 5, "height_m": 2, "unit_length_mm": 215, "unit_height_mm": 65,
         "unit_width_mm": 102.5, "joint_mm": 10},
        0.1761,
    ),
    "pointing": (
        {"length_m": "5", "height_m": "2", "unit_length_mm": "190", "unit_height_mm": "90", "joint_mm": "10",
         "depth_mm": "20"},
        {"shape": "pointing-volume", "length_m": 5, "height_m": 2, "unit_length_mm": 190, "unit_height_mm": 90,
         "joint_mm": 10, "depth_mm": 20},
        0.029,
    ),
    "floor": (
        {"rooms.0.length_m": "4", "rooms.0.width_m": "3", "rooms.1.length_m": "2.5", "rooms.1.width_m": "2",
         "thickness_m": "20"},
        {"shape": "floor-volume", "rooms": [{"length_m": 4, "width_m": 3}, {"length_m": 2.5, "width_m": 2}],
         "thickness_m": 0.02},
        17 * 0.02,
    ),
    "infill": (
        {"length_m": "5", "height_m": "2", "openings_m2": "2", "thickness_mm": "300", "layer_mm": "50",
         "studs.0.width_mm": "50", "studs.0.depth_mm": "100", "studs.0.length_m": "20"},
        {"shape": "layered-wall-volume", "length_m": 5, "height_m": 2, "openings_m2": 2, "thickness_mm": 300,
         "layer_mm": 50, "studs": [{"width_mm": 50, "depth_mm": 100, "length_m": 20}]},
        2.3,
    ),
    "cloth": (
        {"area_m2": "0.5", "layers": "3", "strip_length_m": "600", "strip_width_m": "150", "take_up_l_m2": "1.2",
         "overlap_fraction": "25", "coat_mm": "8"},
        {"shape": "cloth-plaster", "area_m2": 0.5, "layers": 3, "coat_mm": 8},
        0.00625,
    ),
    "mould": (
        {"container.by": "frame", "container.length_m": "300", "container.width_m": "300", "container.height_m": "60",
         "container.wall_m": "30", "container.base_m": "30", "model.by": "solids", "model.solids.0.solid": "cylinder",
         "model.solids.0.length_m": "200", "model.solids.0.width_m": "", "model.solids.0.height_m": "50",
         "model.solids.0.count": "1", "pieces.0": "1", "pieces.1": "2", "count": "1"},
        {"container": {"by": "frame", "length_m": 0.3, "width_m": 0.3, "height_m": 0.06, "wall_m": 0.03,
                       "base_m": 0.03},
         "model": {"by": "solids", "solids": [{"solid": "cylinder", "length_m": 0.2, "height_m": 0.05}]},
         "pieces": [1, 2]},
        0.36 * 0.36 * 0.09 - math.pi * 0.01 * 0.05,
    ),
    "overlay": ({"area_m2": "8", "depth_mm": "10"}, {"area_m2": 8, "depth_mm": 10}, 0.08),
    "bags": ({"bags": "6"}, {"bags": 6}, 0.0),
    "on-hand": (
        {"on_hand.by": "bags", "on_hand.material": "sand", "on_hand.bags": "1 1/2", "on_hand.bag_kg": "25"},
        {"on_hand": {"by": "weight", "material": "sand", "mass_kg": 37.5}}, 0.0,
    ),
    "volume": ({"volume_m3": "1/4"}, {"volume_m3": 0.25}, 0.25),
}  # fmt: skip


@pytest.mark.parametrize("kind", SHAPES)
def test_a_shape_from_the_page_is_the_shape_from_the_file(kind: str) -> None:
    typed, need, net_m3 = TYPED[kind]
    form = form_from(
        {"need.0.kind": kind, **{f"need.0.{name}": text for name, text in typed.items()}},
        "metric",
        library(),
    )
    from_page = to_job(form)
    assert from_page is not None, (form.errors, form.missing)
    from_file = read_job({**write_job(from_page), "need": need})
    assert make_plan(from_page).volume.order_m3 == pytest.approx(make_plan(from_file).volume.order_m3)
    for ours, theirs in zip(make_plan(from_page).loads, make_plan(from_file).loads, strict=True):
        assert [item.mass_kg for item in ours.charges] == pytest.approx(
            [item.mass_kg for item in theirs.charges]
        )
    if net_m3:
        assert make_plan(from_page).volume.net_m3 == pytest.approx(net_m3, rel=1e-3)


def test_every_shape_of_the_core_is_on_the_page() -> None:
    assert {shape.fixed.get("shape") for shape in SHAPES.values()} - {None} == set(CORE_SHAPES)
    assert set(TYPED) == set(SHAPES)
    assert sorted(name for names in SHAPE_GROUPS.values() for name in names) == sorted(SHAPES)


# Moulds known in every other way.
MOULDS: list[dict[str, Any]] = [
    {"container": {"by": "displacement", "water_l": 6}, "count": 3},
    {
        "container": {"by": "cast", "dry_kg": 5.9, "water_per_100": 65.0},
        "model": {"by": "cast", "dry_kg": 1.2},
    },
    {
        "container": {"by": "mesh", "mesh": {"unit": "mm", "volume_m3": 0.004, "sides_m": [0.2, 0.2, 0.1]}},
        "model": {"by": "displacement", "water_l": 0.5},
        "pieces": [1, 1, 2],
    },
]
FILES = [
    *(
        raw_job(
            need=need,
            mix="plaster-casting",
            mixer={"kind": "bucket", "working_l": 8},
            materials={},
            plaster={"amount": 2.75, "basis": "lb_per_us_qt"},
        )
        for need in MOULDS
    ),
    *(raw_job(need=[need, {"volume_m3": 0.1, "name": "The rest"}]) for _, need, _ in TYPED.values()),
    *(value for name, value in vars(jobs).items() if name.isupper() and "format" in value),
    raw_job(
        admixtures=[
            {
                "name": "plasticiser",
                "dose": 150,
                "basis": "ml_per_100kg",
                "density_kg_l": 1.02,
                "solids_fraction": 0.2,
            }
        ],
        vessels=[
            {"name": "bucket", "volume_l": 12, "tare_kg": 0.7},
            {"name": "tin", "volume_l": 5, "material": "cement"},
        ],
        scales=[{"capacity_kg": 60, "division_g": 20}],
        whole_bags=True,
        gauge="volume",
        conditions={"air_c": -1.5, "near_steel": True, "bags": "soft-lumps"},
        materials={"cement": {"says": "Portland cement", "age_months": 2, "particle_density_kg_m3": 3100}},
    ),
]


def drawn(form: PlanForm) -> dict[str, str]:
    """What a browser sends back of the form as the template draws it."""
    asked = pages.environment.get_template("plan/asked.html")
    labels = {name: shape.label for name, shape in SHAPES.items()}
    html = asked.render(
        form=form,
        shapes=labels,
        shape_groups=SHAPE_GROUPS,
        shelves=(),
        bags=[],
        may_keep=False,
        units=form.units,
    )
    return {"title": form.values["title"], "mix": form.values["mix"], **fields_in(html)}


@pytest.mark.parametrize(("mix", "mixer"), EVERY_PROCEDURE)
def test_a_job_goes_through_the_drawn_form_unchanged(mix: str, mixer: str) -> None:
    gauges, turn = get_args(Gauge), EVERY_PROCEDURE.index((mix, mixer))
    # Each mix meets each shape in one gauge, and each shape every gauge from mix to mix.
    for index, (_, need, _) in enumerate(TYPED.values()):
        units: System = "us" if (index + turn // len(gauges)) % 2 else "metric"
        gauge = gauges[(index + turn) % len(gauges)]
        job = read_job(raw_job(**a_job_of(mix, mixer), need=[need], gauge=gauge))
        opened = form_of(job, units, library())
        again = form_from({**drawn(opened), "opened": jobs_text(job)}, units, library())
        assert not again.errors
        assert to_job(again) == job, (need, gauge)


def jobs_text(job: Job) -> str:
    """A job as the form carries it."""
    return json.dumps(write_job(job))


@pytest.mark.parametrize("raw", FILES)
@pytest.mark.parametrize("units", ["metric", "us"])
def test_a_job_file_goes_through_the_page_unchanged(
    client: Client, raw: dict[str, Any], units: System
) -> None:
    job = read_job(raw)
    client.post("/units", data={"units": units, "next": "/plan"})
    opened = client.post("/plan/open", data={"file": jobs_text(job)})
    assert opened.status_code == 200
    again = form_from(fields_in(opened.text, "plan-form"), units, library())
    assert to_job(again) == job, (again.errors, again.missing)


def test_fields_for_another_mix_than_the_chosen_are_not_kept() -> None:
    for name, other in (("mix", "stucco-base"), ("need.0.kind", "floor")):
        sent = drawn(form_from({"need.0.kind": "slab"}, "metric", library()))
        changed = form_from({**sent, name: other}, "metric", library())
        assert changed.errors == {"": FORM_CHANGED}
        assert to_job(changed) is None


def test_items_and_rows_come_and_go_and_nothing_is_lost() -> None:
    typed = {"need.0.kind": "floor", "need.0.rooms.0.length_m": "4", "need.0.rooms.0.width_m": "3"}
    form = form_from(typed, "metric", library(), {"_add": "need.0.rooms"})
    assert members(form.values, "need.0.rooms") == [{"length_m": "4", "width_m": "3"}] * 2
    form = form_from({**form.values, "need.0.rooms.1.length_m": "9"}, "metric", library(), {"_add": "need"})
    assert form.shapes == ["floor", "floor"]
    form = form_from(form.values, "metric", library(), {"_drop": "need.0.rooms.0"})
    assert members(form.values, "need.0.rooms") == [{"length_m": "9", "width_m": "3"}]
    # Another shape keeps what the first had, for when it comes back.
    form = form_from({**form.values, "need.0.kind": "volume"}, "metric", library(), {})
    assert form.kept["need.0.rooms.0.length_m"] == "9"
    form = form_from({**form.values, "need.0.kind": "floor"}, "metric", library(), {"_drop": "need.1"})
    assert form.shapes == ["floor"]
    assert to_job(form) is not None


def test_other_units_keep_the_figures() -> None:
    """What was typed keeps its unit, there and back; what nobody typed is round in either system."""
    typed = {"need.0.kind": "slab", "need.0.length_m": "4", "need.0.width_m": "6' 6\""}
    form = form_from(typed, "metric", library())
    american = convert(form, "us")
    names = ("length_m", "width_m", "thickness_m")
    assert [american.values[f"need.0.{name}"] for name in names] == ["4 m", "6' 6\"", "1.5"]
    back = convert(american, "metric")
    assert [back.values[f"need.0.{name}"] for name in names] == ["4", "6' 6\"", "40"]
    found = to_job(form_from({**american.values, "_drawn_for": american.drawn_for}, "us", library()))
    assert found is not None
    slab = found.need[0].model_dump()
    assert [slab[name] for name in names] == pytest.approx([4.0, 1.9812, 0.0381])


@pytest.mark.parametrize(
    ("kept", "kind", "units", "written"),
    [
        (3.0, "length", "us", "9.843"), (3.048, "length", "us", "10"), (3.048, "length", "metric", "10 ft"),
        (0.254, "thickness", "metric", "254"), (25.0, "bag", "us", "55.12"), (42.638, "bag", "us", "94"),
        (25.0, "strength", "us", "3625.9"), (0.0381, "thickness", "us", "1.5"),
    ],
)  # fmt: skip
def test_a_kept_figure_is_written_in_the_readers_unit_or_as_plainly_typed_in_feet_and_pounds(
    kept: float, kind: Kind, units: System, written: str
) -> None:
    item = Number("Size", ("size",), kind)
    assert item.write(kept, units) == written
    assert item.read(written, units) == pytest.approx(kept, rel=1e-4)


def _chosen(form: PlanForm, **choices: str) -> PlanForm:
    """The form after a choice on the page that draws its fields anew."""
    sent = {**form.values, "_drawn_for": form.drawn_for, "_redraw": "yes", **choices}
    return form_from(sent, form.units, form.mixes, sent)


UNTOUCHED = sorted(
    (mix, mixer) for mix, mixer in EVERY_PROCEDURE if library()[mix].basis_traits.asks_for != "label"
)


@pytest.mark.parametrize(("mix", "mixer"), UNTOUCHED)
@pytest.mark.parametrize("units", get_args(System))
def test_no_default_warns_against_itself(mix: str, mixer: str, units: System) -> None:
    form = _chosen(empty_form(units, library(), mix), **{"mixer.kind": mixer})
    job = to_job(form)
    assert job is not None, form.wrong
    told = {item.code: item.message for item in make_plan(job).warnings}
    told.pop("no_label_dose", None)
    assert told == {}
    kind: MixerKind = job.mixer.kind
    assert kind == mixer
    assert job.mixer.working_l <= USUAL_L[kind] * (1 if units == "metric" else 2)


def test_defaults_follow_the_mix_and_what_was_typed_stays() -> None:
    form = empty_form("metric", library(), "mortar-bricklaying")
    concrete = _chosen(form, mix="concrete-nominal")
    assert concrete.values["need.0.thickness_m"] == "100"
    screed = _chosen(concrete, mix="screed-1-4-fibre")
    assert (screed.shapes, screed.values["mixer.kind"]) == (["floor"], "forced-action")
    assert screed.values["admixtures.0.basis"] == "g_per_m3"
    assert screed.values["need.0.thickness_m"] == "75"
    bonded = _chosen(screed, support="bonded")
    assert bonded.values["need.0.thickness_m"] == "30"
    typed = _chosen(form, **{"need.0.thickness_m": "35", "need.0.length_m": "7"})
    kept = _chosen(typed, mix="concrete-nominal")
    assert (kept.values["need.0.thickness_m"], kept.values["need.0.length_m"]) == ("35", "7")


def test_a_mixer_has_its_own_size_and_an_admixture_its_own_unit() -> None:
    form = empty_form("metric", library(), "mortar-bricklaying")
    sized = _chosen(form, **{"mixer.working_l": "88", "mixer.drum_l": "134"})
    assert sized.values["mixer.working_l"] == "88"
    tray = _chosen(sized, **{"mixer.kind": "tray"})
    assert (tray.values["mixer.working_l"], tray.values["mixer.drum_l"]) == ("60", "")
    hurried = _chosen(sized, **{"mixer.kind": "tray", "mixer.working_l": "55", "_typed": "mixer.working_l"})
    assert hurried.values["mixer.working_l"] == "55"
    dosed = _chosen(form, **{"admixtures.0.dose": "200", "admixtures.0.basis": "ml_per_100kg"})
    strong = _chosen(dosed, mix="concrete-fine-high-strength")
    assert strong.values["admixtures.0.dose"] == ""
    assert strong.values["admixtures.0.form"] == "powder"


def test_a_job_without_a_name_is_named_by_what_is_made_and_of_what() -> None:
    form = empty_form("metric", library(), "mortar-designation-m6")
    for typed, title in (("", "Slab or bed, mortar M6"), ("Boathouse wall", "Boathouse wall")):
        form.values["title"] = typed
        job = to_job(form)
        assert job is not None
        assert job.title == title
