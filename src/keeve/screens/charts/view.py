"""The charts of a mix, from the newest of its loads: what is steady, what changed, how strong it was."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

from keeve.core.log.charts import TestedSpecimen, ratio_series
from keeve.core.log.learning import Learnt, learn
from keeve.core.log.load_row import LoadRow
from keeve.core.rules.strength_tests import Standard
from keeve.core.units import System
from keeve.figures.chart_figures import ChartFigures, Table
from keeve.screens.charts import quality_charts


class Specified(NamedTuple):
    """A specified strength, MPa, and the standard by whose rule tests are held against it."""

    mpa: float
    standard: Standard


@dataclass(frozen=True)
class QualityPage:
    """The charts of a mix: what it is called, of how many loads, the charts and tables there is something for, the
    newest load that is done, and what its loads say for the next of its plan.
    """

    mix_name: str
    loads: int
    charts: Sequence[ChartFigures]
    tables: Sequence[Table]
    newest: LoadRow | None
    learnt: Learnt | None

    def table(self, name: str) -> Table | None:
        """One of its tables, also that of a chart."""
        every = [*(chart.table for chart in self.charts), *self.tables]
        return next((table for table in every if table.name == name), None)


def quality_page(
    loads: Sequence[LoadRow],
    specified: Specified | None,
    judges: Sequence[str] | None,
    units: System,
) -> QualityPage:
    """The charts of loads of one mix.

    Args:
        loads: the loads, the first begun first.
        specified: the strength that their tests are held against.
        judges: those of whom it is told how they judge; None for everybody.
        units: the reader's.
    """
    done = done_of(loads)
    newest = done[-1] if done else None
    tests = quality_charts.of_one_shape(done)
    verdict = quality_charts.verdict(tests, *specified, units) if specified else None
    tables = [verdict, quality_charts.judges(done, judges), quality_charts.uses(done, units)]
    return QualityPage(
        loads[-1].mix_name if loads else "",
        len(charted(loads)),
        charts_of(loads, tests, units),
        [table for table in tables if table is not None and table.rows],
        newest,
        learn(loads, newest.mix_id, newest.as_planned) if newest and newest.as_planned else None,
    )


def done_of(loads: Sequence[LoadRow]) -> list[LoadRow]:
    """Those of loads that are out of their mixers."""
    return [load for load in loads if load.is_out]


def charted(loads: Sequence[LoadRow]) -> list[LoadRow]:
    """Those of loads that are out of their mixers or from before Keeve."""
    return [load for load in loads if load.is_out or load.plan_id is None]


def charts_of(loads: Sequence[LoadRow], tests: Sequence[TestedSpecimen], units: System) -> list[ChartFigures]:
    """The charts that there is something for, of loads of a mix in order and of their tests."""
    done = done_of(loads)
    planned = done[-1].as_planned if done else None
    series = ratio_series(charted(loads), planned.window if planned else None)
    charts = (
        quality_charts.ratios(series, planned.ratio_name if planned else "water ratio", units),
        quality_charts.drift(series, units),
        quality_charts.strength_by_age(tests, units),
        quality_charts.strength_by_ratio(tests),
        quality_charts.by_moisture(done, units),
    )
    return [chart for chart in charts if chart is not None]
