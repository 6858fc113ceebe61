"""Pictures are computed: to scale, in order, apart."""

import re
from itertools import combinations, pairwise
from typing import get_args

import pytest
from helpers import plan
from hypothesis import given
from hypothesis import strategies as st

from keeve.core.mixes import library
from keeve.core.mixes.model import Drawing, MixerKind, Reading
from keeve.core.running.next_step import Window
from keeve.web.built import BUILT
from keeve.web.drawings.order_bar import order_bar
from keeve.web.drawings.section import BOTTOM_Y, charge_section
from keeve.web.drawings.sketch import sketch
from keeve.web.drawings.spread import spread
from keeve.web.drawings.states import DRAWINGS, state_of
from keeve.web.drawings.vessel import Vessel
from keeve.web.drawings.water_line import water_lines
from keeve.web.plan_form import form_from, to_job


@pytest.mark.parametrize("kind", get_args(MixerKind))
def test_a_vessel_is_filled_to_scale(kind: MixerKind) -> None:
    """The volume under each level, summed from its own outline by the trapezium rule, is the volume asked."""
    vessel = Vessel(kind, 100)
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
    section = charge_section(found, load)
    assert [layer.step for layer in section.layers] == [1, 2, 3, 4, 5]
    assert [layer.hatch for layer in section.layers] == ["water", "sand", "cement", "sand", "water"]
    assert sum(layer.volume_l for layer in section.layers) == pytest.approx(load.loose_l)
    assert section.mixed_y > section.full_y > section.rim_y
    begun = charge_section(found, load, {1: 1.0, 2: 1.0})
    assert [layer.step for layer in begun.layers] == [1, 2]
    emptied = charge_section(found, load, mixed_l=20.0)
    assert [(layer.hatch, layer.volume_l) for layer in emptied.layers] == [("mixed", 20.0)]
    assert BOTTOM_Y > emptied.mixed_y > section.mixed_y


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
    for line in water_lines(window, additions):
        assert line.left <= line.start.x <= line.low_x <= line.target.x <= line.ceiling.x <= line.right
        assert line.additions == sorted(line.additions)
        assert (line.in_x > line.ceiling.x) == (sum(additions) > window.ceiling_l + 1e-9) or line.in_x == (
            pytest.approx(line.ceiling.x, abs=0.01)
        )
        labels = [line.start.label_x, line.target.label_x, line.ceiling.label_x]
        assert all(right - left >= 127.9 for left, right in pairwise(labels))


@given(st.lists(st.floats(0, 500), min_size=1, max_size=6).map(sorted), st.floats(1, 60))
def test_labels_keep_apart(wanted: list[float], gap: float) -> None:
    placed = spread(wanted, gap, 0, 500)
    assert all(right - left >= gap - 1e-6 for left, right in pairwise(placed))
    if wanted[-1] - wanted[0] == 0 and len(wanted) == 1:
        assert placed == wanted


def test_the_order_bar_is_to_scale() -> None:
    bar = order_bar(plan())
    whole = bar.right - bar.left
    assert (bar.net_x - bar.left) / whole == pytest.approx(0.25 / 0.275)
    assert [(x - bar.left) / whole for x in bar.cuts] == pytest.approx([0.25, 0.5, 0.75])


READINGS = get_args(Reading)


@pytest.mark.parametrize("drawing", DRAWINGS)
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
    assert all("nan" not in shape.path for shape in DRAWINGS[drawing](wetness, mixed))
    assert DRAWINGS[drawing](wetness, mixed) == DRAWINGS[drawing](wetness, mixed)


@pytest.mark.parametrize("kind", BUILT)
@pytest.mark.parametrize("longer", [1, 40])
def test_a_sketch_stays_on_its_sheet(kind: str, longer: float) -> None:
    form = form_from({"need.0.built": kind}, "metric", library())
    job = to_job(form)
    assert job is not None
    need = job.need[0].model_dump(exclude_unset=True)
    first = next(name for name, value in need.items() if isinstance(value, float) and name != "steps")
    drawn = sketch(kind, {**need, first: need[first] * longer})
    numbers = [
        (float(x), float(y)) for _, path in drawn.faces for x, y in re.findall(r"(-?[\d.]+),(-?[\d.]+)", path)
    ]
    assert numbers
    assert all(0 <= x <= 500 and 0 <= y <= 300 for x, y in numbers)
    assert {line.size for line in drawn.dimensions} <= set(drawn.sizes)
    assert all(70 <= line.text_x <= 430 for line in drawn.dimensions)
