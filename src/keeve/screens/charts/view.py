"""The charts of a mix, from the newest of its loads: what is steady, what changed, how strong it was."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

from sqlalchemy import Engine

from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.charts import Done, RatioOf, Tested, ratio_of, ratio_series, window_of
from keeve.core.log.learning import Learnt, learn
from keeve.core.rules.strength_tests import Standard
from keeve.core.units import System
from keeve.data.accounts import Visitor
from keeve.data.load_store import read_loads_by_id
from keeve.data.log_entries import Lately, Listed, Sought, find, lately
from keeve.figures.chart_figures import ChartFigures, Table
from keeve.screens.charts import quality_charts
from keeve.store.database import crew_reading


class Specified(NamedTuple):
    """A specified strength, MPa, and the standard by whose rule tests are held against it."""

    mpa: float
    standard: Standard


# So many of the newest loads are charted: a season and more.
MOST = 200


@dataclass(frozen=True)
class QualityPage:
    """The charts of a mix: what it is called, of how many loads, the charts and tables there is something for, what
    may be chosen, the newest load that is done, and what they say for the next time.
    """

    mix_name: str
    loads: int
    charts: Sequence[ChartFigures]
    tables: Sequence[Table]
    lately: Lately
    newest: Done | None = None
    learnt: Learnt | None = None

    def table(self, name: str) -> Table | None:
        """One of its tables, also that of a chart."""
        every = [*(chart.table for chart in self.charts), *self.tables]
        return next((table for table in every if table.name == name), None)


def quality_page(
    engine: Engine, visitor: Visitor, sought: Sought, specified: Specified | None = None
) -> QualityPage:
    """The charts of the loads that are sought, of one mix: that of the newest of them where none is given.

    Args:
        engine: the database.
        visitor: who asks.
        sought: the loads.
        specified: the strength that their tests are held against.
    """
    known = lately(engine, visitor)
    mix_id = sought.mix_id or next((one.mix_id for one in find(engine, visitor, sought, limit=1)), "")
    if not mix_id:
        return QualityPage("", 0, (), (), known)
    listed = find(engine, visitor, replace(sought, mix_id=mix_id), limit=MOST)
    return _page(visitor, listed, done_in_order(engine, visitor, listed), known, specified)


def loads_in_order(engine: Engine, visitor: Visitor, listed: Sequence[Listed]) -> list[RunningLoad]:
    """Loads of the log with their plans and events, the first begun first."""
    with crew_reading(engine, visitor.crew_id) as session:
        read = read_loads_by_id(session, [one.id for one in listed])
    return sorted(read, key=lambda running: (running.begun_at, str(running.id)))


def done_of(running: RunningLoad) -> Done:
    """A load that is out of its mixer."""
    now = running.situation(running.events[-1].occurred_at)
    return Done(
        running.id,
        running.plan_id,
        running.plan.title,
        running.begun_at,
        running.plan,
        running.load,
        running.state,
        now.ratio,
        now.drying,
    )


def done_in_order(engine: Engine, visitor: Visitor, listed: Sequence[Listed]) -> list[Done]:
    """Those loads of the log that are out of their mixers, the first begun first."""
    return [done_of(running) for running in loads_in_order(engine, visitor, listed) if running.is_out]


def past_of(listed: Sequence[Listed]) -> list[Listed]:
    """Those loads of the log that are from before Keeve."""
    return [one for one in listed if one.plan_id is None]


def past_ratios(listed: Sequence[Listed]) -> list[float]:
    """The water ratios of loads from before Keeve that did not come out badly."""
    return [
        one.entry.ratio
        for one in past_of(listed)
        if one.entry.ratio is not None and one.entry.result in (None, "good") and one.entry.state == "done"
    ]


def charts_of(
    done: Sequence[Done], past: Sequence[Listed], tests: Sequence[Tested], units: System
) -> list[ChartFigures]:
    """The charts that there is something for, of loads of a mix in order, of those from before, and of their tests."""
    own = [ratio for one in done if (ratio := ratio_of(one)) is not None]
    told = [
        RatioOf(one.id, one.title, one.entry.number, one.entry.begun_at, one.entry.ratio)
        for one in past
        if one.entry.ratio is not None
    ]
    newest = done[-1] if done else None
    window = window_of(newest.load) if newest else None
    series = ratio_series(sorted([*told, *own], key=lambda one: one.begun_at), window)
    charts = (
        quality_charts.ratios(series, newest.plan.mix.ratio_name if newest else "water ratio", units),
        quality_charts.drift(series, units),
        quality_charts.strength_by_age(tests, units),
        quality_charts.strength_by_ratio(tests),
        quality_charts.by_moisture(done, units),
    )
    return [chart for chart in charts if chart is not None]


def _page(
    visitor: Visitor,
    listed: Sequence[Listed],
    done: Sequence[Done],
    known: Lately,
    specified: Specified | None,
) -> QualityPage:
    past = past_of(listed)
    tests = quality_charts.of_one_shape(done)
    # How somebody judges is for that person and for the lead.
    judges = quality_charts.judges(done, None if visitor.may_lead else [visitor.name])
    verdict = quality_charts.verdict(tests, *specified, visitor.units) if specified else None
    tables = [verdict, judges, quality_charts.uses(done, visitor.units)]
    return QualityPage(
        listed[0].entry.mix_name if listed else "",
        len(done) + len(past),
        charts_of(done, past, tests, visitor.units),
        [table for table in tables if table is not None and table.rows],
        known,
        done[-1] if done else None,
        learn(done, done[-1].plan, past_ratios(past)) if done else None,
    )
