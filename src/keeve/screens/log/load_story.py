"""The record of a load as a story: what went in against the plan, each entry with its effect, where all of it went."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from math import fsum
from typing import NamedTuple
from uuid import UUID

from keeve.core.loads.actions.add_water import WaterAdded
from keeve.core.loads.actions.amend import Amended, can_be_put_right, figure_of
from keeve.core.loads.actions.charge import Charged
from keeve.core.loads.actions.judge import Judged
from keeve.core.loads.actions.lose_water import WaterLost
from keeve.core.loads.actions.mix import Mixed
from keeve.core.loads.actions.recount import Recounted
from keeve.core.loads.actions.rest import Rested
from keeve.core.loads.actions.top_up import Corrected
from keeve.core.loads.event import LoadEvent, Undone
from keeve.core.loads.expected_water import as_expected
from keeve.core.loads.fold import fold_on, fold_ordered
from keeve.core.loads.next_step import Situation, last_judge, situation
from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.charts import SAME_RATIO
from keeve.core.mixes.model import Drawing, Hatch, Reading, Test
from keeve.core.planning.plan import load_steps
from keeve.figures.sections import SectionFigures, SectionLayer, section_figures


class Said(NamedTuple):
    """Something that was said of an entry later: why, by whom, when."""

    why: str
    by: str
    at: datetime


class Look(NamedTuple):
    """The look of a reading: the drawing of its test, the reading, and how wet between the drawings."""

    drawing: Drawing
    reading: Reading
    wetness: float | None


@dataclass(frozen=True)
class StoryEntry:
    """An entry of the story.

    Args:
        event: what happened, as it counts now.
        written: what was written down first, where it was put right since.
        amended: why, where it was.
        struck: that it was undone: why, by whom; None where it counts.
        ratio: the water ratio after it, where it changed it.
        took_min: how long it was mixed or rested, min.
        planned_min: how long it should have been, from and to.
        look: what a reading looked like.
        figure: the name of its figure that can be put right; empty where it has none.
        readings: the readings it could be instead.
    """

    event: LoadEvent
    written: LoadEvent | None
    amended: Said | None
    struck: Said | None
    ratio: float | None = None
    took_min: float | None = None
    planned_min: tuple[float, float] | None = None
    look: Look | None = None
    figure: str = ""
    readings: Sequence[Reading] = ()

    @property
    def may_be_struck(self) -> bool:
        """Whether it may be said that it did not happen."""
        return self.struck is None and not self.event.is_own

    @property
    def is_long(self) -> bool:
        """Whether it took longer than it should."""
        return (
            self.took_min is not None and self.planned_min is not None and self.took_min > self.planned_min[1]
        )

    @property
    def is_short(self) -> bool:
        """Whether it took less than it should."""
        return (
            self.took_min is not None and self.planned_min is not None and self.took_min < self.planned_min[0]
        )


def story(running: RunningLoad) -> list[StoryEntry]:
    """The entries of a load in order, with what each did and how long it took."""
    effects = _effects(running)
    found = []
    for entry in entries(running):
        ratio, took_min, planned_min = effects.get(entry.event.id, (None, None, None))
        found.append(replace(entry, ratio=ratio, took_min=took_min, planned_min=planned_min))
    return found


def entries(running: RunningLoad) -> list[StoryEntry]:
    """The entries of a load in order; what was said of an entry later stands with it."""
    counting = {event.id: event for event in running.state.applied}
    struck = {event.cancels: _said(event) for event in running.events if isinstance(event, Undone)}
    amended = {event.amends: _said(event) for event in counting.values() if isinstance(event, Amended)}
    found = []
    for event in running.events:
        if isinstance(event, Undone | Amended):
            continue
        counted = counting.get(event.id, event)
        test = _test_of(running, counted) if isinstance(counted, Judged) else None
        is_amended = event.id in amended and event.id in counting
        found.append(
            StoryEntry(
                event=counted,
                written=event if is_amended else None,
                amended=amended[event.id] if is_amended else None,
                struck=None if event.id in counting else struck.get(event.id),
                look=Look(test.drawing, counted.reading, counted.wetness)
                if test and isinstance(counted, Judged)
                else None,
                figure=figure_of(event) or "" if event.id in counting and can_be_put_right(event) else "",
                readings=tuple(test.looks) if test and event.id in counting else (),
            )
        )
    return found


def _said(event: Undone | Amended) -> Said:
    return Said(event.reason, event.recorded_by, event.occurred_at)


_Effect = tuple[float | None, float | None, tuple[float, float] | None]


def _effects(running: RunningLoad) -> dict[UUID, _Effect]:
    """The effect of each entry that counts on the water ratio, how long it took, and how long it should have."""
    plan, load, applied = running.plan, running.load, running.state.applied
    effects: dict[UUID, _Effect] = {}
    before_ratio: float | None = None
    worked_at: datetime | None = None
    state = fold_ordered(load, ())
    for count, event in enumerate(applied, start=1):
        state = fold_on(load, state, applied[:count])
        took_min, planned_min = None, None
        if isinstance(event, Mixed | Rested):
            waited = (event.occurred_at - worked_at) / timedelta(minutes=1) if worked_at else None
            took_min = event.minutes or waited
            planned_min = plan.step(event.step).minutes if event.step else None
        ratio = before_ratio
        if isinstance(event, Charged | Corrected | Recounted | WaterAdded | WaterLost):
            ratio = situation(plan, load, state, event.occurred_at).ratio
        is_other = ratio is not None and abs(ratio - (before_ratio or 0.0)) >= SAME_RATIO
        effects[event.id] = (ratio if is_other else None, took_min, planned_min)
        before_ratio, worked_at = ratio, state.worked_at
    return effects


def _test_of(running: RunningLoad, event: Judged) -> Test | None:
    """The test that a reading is of."""
    step = event.step or last_judge(running.plan)
    test = running.plan.step(step).test if step else None
    return running.plan.tests[test] if test else None


class ContentLine(NamedTuple):
    """A material or the water of a load: its step, what was planned and what went in, kg or L."""

    step: int
    name: str
    hatch: Hatch | str
    is_water: bool
    planned: float
    was: float

    @property
    def off_fraction(self) -> float | None:
        """How far what went in is from what was planned, as a share of that; None where nothing went in."""
        return self.was / self.planned - 1 if self.planned and self.was else None


def contents_of(running: RunningLoad) -> list[ContentLine]:
    """The contents as planned and as they went in, in order of loading; water in one line, by its sum."""
    plan, state = running.plan, running.state
    load = as_expected(plan, running.load, state.expected)
    lines = [
        ContentLine(
            next((step.step for step in plan.procedure if step.material == charge.material), 0),
            charge.material,
            plan.material(charge.material).hatch,
            False,
            charge.mass_kg,
            state.went_in_kg.get(charge.material, 0.0),
        )
        for charge in load.charges
    ]
    water = next((step.step for step in plan.procedure if step.kind == "water"), 0)
    if load.water.target_l or state.went_in_l:
        lines.append(ContentLine(water, "water", "water", True, load.water.target_l, state.went_in_l))
    return sorted(lines, key=lambda line: line.step or len(plan.procedure))


def planned_section(running: RunningLoad) -> SectionFigures:
    """The mixer cut open as it was planned."""
    return section_figures(running.plan, as_expected(running.plan, running.load, running.state.expected))


def real_section(running: RunningLoad, now: Situation) -> SectionFigures:
    """The mixer cut open as it was loaded: what went in, in that order, corrections on top; the level it made."""
    planned = planned_section(running)
    levels = {"layers": list(_real_layers(running)), "level_l": now.made_l or planned.level_l}
    return SectionFigures(**{**vars(planned), **levels})


def _real_layers(running: RunningLoad) -> Iterator[SectionLayer]:
    plan, load = running.plan, running.load
    of_step = {step.plan.step for step in load_steps(plan, load)}
    loose = {charge.material: charge.volume_l / charge.mass_kg for charge in load.charges if charge.mass_kg}
    if plan.mix.regime_traits.in_order:
        # Under water a powder takes no more room than its grains.
        loose = {
            charge.material: (load.yield_l - load.water.start_l) / charge.mass_kg for charge in load.charges
        }
    layers: dict[tuple[int, str], float] = {}
    for event in running.state.applied:
        match event:
            case Charged():
                number, amounts = event.step, {event.material: event.mass_kg * loose[event.material]}
            case Corrected():
                number, amounts = 0, {name: kg * loose[name] for name, kg in event.add_kg.items()}
            case WaterAdded():
                number, amounts = event.step or 0, {"": event.water_l}
            case Recounted():
                _recount(layers, {name: kg * loose[name] for name, kg in event.charged_kg.items()})
                continue
            case _:
                continue
        for name, litres in amounts.items():
            layers[number, name] = layers.get((number, name), 0.0) + litres
    for (number, name), litres in layers.items():
        hatch = plan.material(name).hatch if name else "water"
        yield SectionLayer(number if number in of_step else 0, hatch, litres, None)


def _recount(layers: dict[tuple[int, str], float], counted_l: Mapping[str, float]) -> None:
    """Each layer of a material that was counted again takes its share of what was really in."""
    for name, litres in counted_l.items():
        told_l = fsum(one for (_, known), one in layers.items() if known == name)
        for key in layers:
            if key[1] == name and told_l:
                layers[key] *= litres / told_l


def went_to(now: Situation, running: RunningLoad) -> Mapping[str, float]:
    """The ways of what was made, L: the rest was thrown away or is still in the mixer."""
    state = running.state
    out = {
        "placed": state.placed_l - state.from_store_l,
        "used elsewhere": state.given_l,
        "stored": state.stored_l,
    }
    rest_l = max(now.made_l - fsum(out.values()), 0.0)
    out["thrown away" if state.discarded is not None else "in the mixer"] = rest_l
    return {name: litres for name, litres in out.items() if litres > 0.05}
