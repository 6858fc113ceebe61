"""Pictures are computed: to scale, in order, apart."""

import re
from itertools import accumulate, combinations, pairwise
from typing import get_args

import pytest
from helpers import plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.loads.next_step import Window
from keeve.core.mixes import library
from keeve.core.mixes.mixers import MixerKind
from keeve.core.mixes.model import Drawing, Reading
from keeve.core.planning.make_plan import make_plan
from keeve.drawing.section import BOTTOM_Y, section
from keeve.drawing.sketch import sketch
from keeve.drawing.spread import spread
from keeve.drawing.states import DRAWINGS, state_at, state_of
from keeve.drawing.states.plaster_stages import STAGES, stage_drawing
from keeve.drawing.vessel import DrawnVessel
from keeve.drawing.volume_bar import volume_bar
from keeve.drawing.water_line import water_lines
from keeve.figures.sections import section_figures
from keeve.figures.water import water_figures
from keeve.screens.plan.form import form_from
from keeve.screens.plan.form_job import to_job
from keeve.screens.plan.shapes import SHAPES


@pytest.mark.parametrize("kind", get_args(MixerKind))
def test_a_vessel_is_filled_to_scale(kind: MixerKind) -> None:
    """The volume under each level, summed from its own outline by the trapezium rule, is the volume asked."""
    vessel = DrawnVessel(kind, 100)
    power = 1 if kind in ("tray", "barrow") else 2

    def under(level: float) -> float:
        steps = [level * index / 2000 for index in range(2001)]
        areas = [vessel.half_width(step) ** power for step in steps]
        return sum((one + other) / 2 * level / 2000 for one, other in pairwise(areas))

    whole = under(vessel.height)
    for litres in (10, 35, 50, 80, 100):
        assert under(vessel.level(litres)) / whole == pytest.approx(litres / 100, abs=0.004)


def test_the_section_stacks_every_charge_in_order() -> None:
    found = plan()
    load = found.loads[0]
    whole = section(section_figures(found, load))
    assert [layer.step for layer in whole.layers] == [1, 2, 3, 4, 5]
    assert [layer.hatch for layer in whole.layers] == ["water", "sand", "cement", "sand", "water"]
    assert sum(layer.volume_l for layer in whole.layers) == pytest.approx(load.loose_l)
    assert height(whole.level_line) > height(whole.full_mark)
    begun = section(section_figures(found, load, {1: 1.0, 2: 1.0}))
    assert [layer.step for layer in begun.layers] == [1, 2]
    emptied = section(section_figures(found, load, mixed_l=20.0))
    assert [(layer.hatch, layer.volume_l) for layer in emptied.layers] == [("mixed", 20.0)]
    assert BOTTOM_Y > height(emptied.level_line) > height(whole.level_line)


def height(path: str) -> float:
    """The height at which a path begins, downwards."""
    begins = re.match(r"M[-\d.]+,([-\d.]+)", path)
    assert begins
    return float(begins[1])


@given(
    st.floats(0.5, 20),
    st.floats(0.1, 5),
    st.floats(0, 1),
    st.floats(0.1, 5),
    st.lists(st.floats(0.1, 6), max_size=6),
)
def test_the_water_line_rises_with_the_water(
    start: float, gap: float, share: float, width: float, additions: list[float]
) -> None:
    low = start + gap
    window = Window(start, low, low + share * width, low + width)
    for line in water_lines(water_figures(window, additions)):
        marks = {mark.name: mark for mark in line.marks}
        places = [line.left, line.window_x, line.target_x, line.ceiling_x, line.right]
        assert places == sorted(places)
        if "start" in marks:
            assert line.left <= marks["start"].x <= line.window_x
        assert line.additions == sorted(line.additions)
        assert (line.in_x > line.ceiling_x) == (sum(additions) > window.ceiling_l + 1e-9) or line.in_x == (
            pytest.approx(line.ceiling_x, abs=0.01)
        )
        labels = [mark.label_x for mark in line.marks]
        assert all(right - left >= 127.9 for left, right in pairwise(labels))


@given(st.lists(st.floats(0, 500), min_size=1, max_size=6).map(sorted), st.floats(1, 60))
def test_labels_keep_apart(wanted: list[float], gap: float) -> None:
    placed = spread(wanted, gap, 0, 500)
    assert all(right - left >= gap - 1e-6 for left, right in pairwise(placed))
    if wanted[-1] - wanted[0] == 0 and len(wanted) == 1:
        assert placed == wanted


def test_the_volume_bar_is_to_scale() -> None:
    found = plan()
    bar = volume_bar(found.volume.net_m3, found.volume.order_m3, [load.yield_l for load in found.loads])
    whole = bar.right - bar.left
    assert (bar.net_x - bar.left) / whole == pytest.approx(0.25 / 0.275)
    assert [(x - bar.left) / whole for x in bar.cuts] == pytest.approx([0.25, 0.5, 0.75])


READINGS = get_args(Reading)


# What is only looked at while plaster sets: never judged, so its marks are its own.
LOOKED_AT = ("islands", "gloss-trail", "cloth", "plaster-stages")


@pytest.mark.parametrize("drawing", LOOKED_AT)
def test_the_looks_of_setting_plaster_are_told_apart_by_shape_alone(drawing: Drawing) -> None:
    """No two share their marks or their outlines: a stipple alone tells nothing."""
    drawn = {reading: state_of(drawing, reading) for reading in READINGS[:3]}
    for one, other in combinations(drawn.values(), 2):
        same = {shape.path for shape in one} & {shape.path for shape in other}
        assert len(same) <= 0.7 * len(one)
    assert len({tuple(sorted({shape.look for shape in shapes})) for shapes in drawn.values()}) == 3


def test_the_six_stages_of_plaster_are_six_drawings() -> None:
    drawn = [tuple(stage_drawing(stage)) for stage in STAGES]
    assert len(set(drawn)) == 6
    assert [state_at("plaster-stages", 1 - (index + 0.5) / 6) for index in range(6)] == [
        list(one) for one in drawn
    ]


@pytest.mark.parametrize("drawing", [name for name in DRAWINGS if name not in LOOKED_AT])
def test_states_are_told_apart_by_shape_alone(drawing: Drawing) -> None:
    """Each reading has marks that no other of its test has, and stays on its sheet."""
    looks = {reading: {shape.look for shape in state_of(drawing, reading)} for reading in READINGS}
    paths = {reading: {shape.path for shape in state_of(drawing, reading)} for reading in READINGS}
    assert "film" in looks["too-wet"]
    assert "powder" in looks["not-mixed-yet"]
    assert not looks["right"] & {"film", "powder", "crumb", "crack", "drop"}
    assert looks["too-dry"] & {"crumb", "crack"} or drawing == "slow-fold"
    assert all(paths[one] != paths[other] for one, other in combinations(READINGS, 2))
    for reading in READINGS:
        for shape in state_of(drawing, reading):
            starts = re.findall(r"[ML](-?[\d.]+),(-?[\d.]+)", shape.path)
            assert all(-1 <= float(x) <= 251 and -1 <= float(y) <= 181 for x, y in starts), (reading, shape)


@given(st.sampled_from(sorted(DRAWINGS)), st.floats(0, 1), st.booleans())
def test_a_state_can_be_drawn_at_any_wetness(drawing: Drawing, wetness: float, mixed: bool) -> None:
    shapes = DRAWINGS[drawing](wetness, mixed)
    starts = [place for shape in shapes for place in re.findall(r"[ML](-?[\d.]+),(-?[\d.]+)", shape.path)]
    assert starts
    assert all(-1 <= float(x) <= 251 and -1 <= float(y) <= 181 for x, y in starts)
    assert all("nan" not in shape.path for shape in shapes)


@pytest.mark.parametrize("kind", SHAPES)
@pytest.mark.parametrize("longer", [1, 40])
def test_a_sketch_stays_on_its_sheet(kind: str, longer: float) -> None:
    form = form_from({"need.0.kind": kind}, "metric", library())
    job = to_job(form)
    assert job is not None
    need = job.need[0].model_dump(exclude_unset=True)
    if kind == "mould":
        need["container"]["length_m"] *= longer
        need |= make_plan(job.model_copy(update={"need": [type(job.need[0])(**need)]})).volume.items[0].facts
    elif kind == "on-hand":
        need["on_hand"]["bags"] *= longer
    else:
        first = next(name for name, value in need.items() if isinstance(value, float) and name != "steps")
        need[first] *= longer
    drawn = sketch(kind, need)
    numbers = [
        (float(x), float(y)) for _, path in drawn.faces for x, y in re.findall(r"(-?[\d.]+),(-?[\d.]+)", path)
    ]
    assert numbers
    assert all(0 <= x <= 500 and 0 <= y <= 300 for x, y in numbers)
    assert {line.size for line in drawn.dimensions} <= set(drawn.sizes)
    assert all(70 <= line.text_x <= 430 for line in drawn.dimensions)


@given(
    st.sampled_from(["box", "cylinder", "frustum", "dome"]),
    st.floats(0.05, 2),
    st.floats(0.05, 2),
    st.floats(0.05, 1),
    st.lists(st.floats(0.3, 3), min_size=1, max_size=3),
)
def test_a_mould_of_one_shape_is_drawn_with_the_sizes_that_were_typed(
    solid: str, base: float, other: float, high: float, pieces: list[float]
) -> None:
    """The sizes shown are those typed, and the fill under each pour's level, by a sum of thin slices, is its share."""
    high = min(high, base / 2) if solid == "dome" else high
    one = {"solid": solid, "length_m": base, "width_m": other, "height_m": high}
    item = {
        "container": {"by": "solids", "solids": [one]},
        "pieces": pieces,
        "container_m3": 1.0,
        "model_m3": 0.0,
    }
    drawn = sketch("mould", item)
    assert drawn.to_scale
    assert (drawn.sizes["overall_m"], drawn.sizes["high_m"]) == pytest.approx((base, high))
    if solid in ("box", "frustum"):
        assert drawn.sizes.get("deep_m" if solid == "box" else "top_m", base) == pytest.approx(other)
    radius = ((base / 2) ** 2 + high**2) / (2 * high)
    area = {
        "box": lambda z: 1.0,
        "cylinder": lambda z: 1.0,
        "frustum": lambda z: (base + (other - base) * z / high) ** 2,
        "dome": lambda z: radius**2 - (radius - high + z) ** 2,
    }[solid]
    slices = [area(high * (index + 0.5) / 2000) for index in range(2000)]
    for number, whole in enumerate(accumulate(pieces[:-1]), start=1):
        level = drawn.sizes[f"pour_{number}_m"]
        under = sum(slices[: round(2000 * level / high)]) / sum(slices)
        assert under == pytest.approx(whole / sum(pieces), abs=0.01)


def test_a_hollow_of_unknown_shape_is_drawn_without_sizes() -> None:
    item = {"container": {"by": "displacement", "water_l": 3.0}, "container_m3": 0.003, "model_m3": 0.0}
    drawn = sketch("mould", item)
    assert not drawn.to_scale
    assert not drawn.dimensions
