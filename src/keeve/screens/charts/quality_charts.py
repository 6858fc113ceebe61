"""The charts of the loads of a mix, and the tables beside them."""

from collections.abc import Iterator, Mapping, Sequence
from itertools import groupby
from math import fsum

from keeve.core.loads.event import Result
from keeve.core.log.charts import (
    SAME_RATIO,
    JobUse,
    JudgeBias,
    RatioSeries,
    SignalRun,
    TestedSpecimen,
    Verdict,
    is_past,
    judges_of,
    runs_of,
    specimens_tested,
    uses_of,
    verdict_of,
    water_by_moisture,
)
from keeve.core.log.load_row import LoadRow
from keeve.core.log.specimens import CUBE_OVER_CYLINDER
from keeve.core.rules.strength import Binders, band_ends, strength_law, strength_mpa
from keeve.core.rules.strength_tests import Standard
from keeve.core.texts import counted
from keeve.core.units import System, as_read
from keeve.figures.chart_figures import Axis, Band, Bars, ChartBar, ChartFigures, Dot, Line, Places, Table
from keeve.figures.dates import write_day_in_year
from keeve.figures.event_words import RESULT_NAMES

# As near as an eye measures water, L.
_SAME_L = 0.1
_STEPS = 40
# Drawn that far past the oldest test, and past the ratios that were tested.
_LEAST_DAYS, _PAST = 1.0, 1.15


def ratio_name(load: LoadRow) -> str:
    """The mix's name for water over binder."""
    return load.as_planned.ratio_name if load.as_planned else "water ratio"


def ratios(series: RatioSeries | None, name: str, units: System) -> ChartFigures | None:
    """Water over binder, load by load, in the window of the mix and the limits of chance; of one load nothing."""
    if series is None or len(series.loads) < 2:
        return None
    chart, window = series.chart, series.window
    signals = chart.signals if chart else []
    outside = {one.index for one in signals if one.kind in ("above", "below")}
    lines = []
    if chart is not None:
        levels = (("centre", chart.centre), ("limit", chart.limits.lower), ("limit", chart.limits.upper))
        lines = [Line("centre" if style == "centre" else "limit", _level(series, y)) for style, y in levels]
    return ChartFigures(
        Table(
            "ratio",
            "Water, load to load",
            ("load", "begun_at", name.replace(" ", "_"), "least", "most", "signals"),
            [
                (
                    load.name,
                    load.begun_at,
                    ratio,
                    window.low if window else None,
                    window.high if window else None,
                    " ".join(_FLAGS[one.kind] for one in signals if one.index == index),
                )
                for index, (load, ratio) in enumerate(zip(series.loads, series.ratios, strict=True))
            ],
            list(_ratio_words(series, units)),
        ),
        Axis("loads in order"),
        Axis(name),
        _in_order(series.loads, series.ratios, outside),
        lines,
        [Band("window", _level(series, window.high), _level(series, window.low))] if window else [],
        is_joined=True,
        key="Band: allowed range. Lines: usual and normal variation. Ring: check this load.",
    )


def _level(series: RatioSeries, y: float) -> Places:
    return [(0.0, y), (float(max(len(series.ratios) - 1, 1)), y)]


def _in_order(loads: Sequence[LoadRow], values: Sequence[float], signals: set[int]) -> list[Dot]:
    return [
        Dot(float(index), value, load.id, load.name, index in signals)
        for index, (load, value) in enumerate(zip(loads, values, strict=True))
    ]


def _ratio_words(series: RatioSeries, units: System) -> Iterator[str]:
    chart, window = series.chart, series.window
    if window and (over := sum(is_past(ratio, window) for ratio in series.ratios)):
        most = f"{window.high:.2f}"
        yield f"{over} of {len(series.ratios)} loads went over the max ({most})."
    if chart is None:
        yield f"{len(series.ratios)} loads so far. Eight are needed to spot a change."
        return
    low, high = chart.limits.lower, chart.limits.upper
    yield f"Usually {chart.centre:.2f}. Normal variation: {low:.2f} to {high:.2f}."
    runs = [run for run in runs_of(chart.signals) if not run.kind.startswith("drift")]
    yield from _run_words(series.loads, runs, units) if runs else ["All loads within normal variation."]


# Of more than that the newest are told; the figures have them all.
_MOST_TOLD = 6


def _run_words(loads: Sequence[LoadRow], runs: Sequence[SignalRun], units: System) -> Iterator[str]:
    """The signals, the oldest first."""
    if len(runs) > _MOST_TOLD:
        yield f"{len(runs)} signals. The latest are here, all of them under Data:"
    for run in runs[-_MOST_TOLD:]:
        yield f"{_span(loads, run, units)}: {_RUN_WORDS[run.kind]}"


_FLAGS: Mapping[str, str] = {
    "above": "wetter",
    "below": "drier",
    "jump": "jump",
    "drift-up": "drift wetter",
    "drift-down": "drift drier",
}
_RUN_WORDS: Mapping[str, str] = {
    "above": "wetter than normal. What changed: sand, hose, who mixed?",
    "below": "drier than normal. What changed: sand, hose, who mixed?",
    "jump": "big jump from the load before.",
    "drift-up": "drifting wetter.",
    "drift-down": "drifting drier.",
}


def _span(loads: Sequence[LoadRow], run: SignalRun, units: System) -> str:
    newest = loads[-1].begun_at.year

    def day(load: LoadRow) -> str:
        return write_day_in_year(load.begun_at.date(), newest, units)

    if run.kind.startswith("drift"):
        since = loads[run.since]
        return f"From {since.name} ({day(since)})"
    first, last = loads[run.first], loads[run.last]
    if first is last:
        return f"{first.name} ({day(first)})"
    number = str(last.number) if last.title == first.title else last.name
    days = day(first) if day(first) == day(last) else f"{day(first)} to {day(last)}"
    return f"{first.name} to {number} ({days})"


def drift(series: RatioSeries | None, units: System) -> ChartFigures | None:
    """The loads off the usual ratio, summed up: a small lasting change shows here first."""
    if series is None or series.chart is None:
        return None
    chart = series.chart
    bound = chart.sum_limit
    drifts = [run for run in runs_of(chart.signals) if run.kind.startswith("drift")]
    sums = [up - down for up, down in zip(chart.sums_up, chart.sums_down, strict=True)]
    return ChartFigures(
        Table(
            "drift",
            "Drift",
            ("load", "begun_at", "sum_up", "sum_down", "bound"),
            [
                (load.name, load.begun_at, up, down, bound)
                for load, up, down in zip(series.loads, chart.sums_up, chart.sums_down, strict=True)
            ],
            list(_run_words(series.loads, drifts, units)) or ["No drift."],
        ),
        Axis("loads in order"),
        Axis("running total (CUSUM)"),
        _in_order(series.loads, sums, {run.first for run in drifts}),
        [Line("limit", _level(series, bound)), Line("limit", _level(series, -bound))],
        is_joined=True,
        key="Rising: wetter than usual. Flat: steady. Past the dashed line: real drift.",
    )


_TEST_COLUMNS = (
    "load",
    "specimen",
    "shape",
    "age_days",
    "water_ratio",
    "strength_mpa",
    "expected_low_mpa",
    "expected_high_mpa",
)


def strength_by_age(tests: Sequence[TestedSpecimen], units: System) -> ChartFigures | None:
    """Tested strengths by age, with what the law gives at the usual ratio; of the shape that was tested most."""
    if not tests:
        return None
    usual = sorted(test.load.ratio or 0.0 for test in tests)[len(tests) // 2]
    oldest = max(test.specimen.age_days or 0.0 for test in tests) * _PAST
    ages = [_LEAST_DAYS * (oldest / _LEAST_DAYS) ** (step / _STEPS) for step in range(_STEPS + 1)]
    law = _law(tests, [(age, usual, age) for age in ages])
    return ChartFigures(
        _test_table("strength-by-age", "Strength by age", tests, _strength_words(tests, units)),
        Axis("age, days"),
        Axis(f"strength of {tests[0].specimen.shape}s", "strength"),
        [_dot(test, test.specimen.age_days or 0.0, test.specimen.is_weak) for test in tests],
        *law,
        key=f"Band: 8 in 10 results at water ratio {usual:.2f}, cured wet. Ring: weak for its water.",
    )


def strength_by_ratio(tests: Sequence[TestedSpecimen]) -> ChartFigures | None:
    """Strengths at 28 days by water ratio, with the law."""
    tests = [test for test in tests if test.specimen.test_days == 28 and test.load.ratio]
    if not tests:
        return None
    tested = [test.load.ratio or 0.0 for test in tests]
    least, most = min(tested) / _PAST, max(tested) * _PAST
    across = [least + (most - least) * step / _STEPS for step in range(_STEPS + 1)]
    return ChartFigures(
        _test_table("strength-by-ratio", "Strength against water", tests, ()),
        Axis(ratio_name(tests[0].load)),
        Axis("strength at 28 days", "strength"),
        [_dot(test, test.load.ratio or 0.0, False) for test in tests],
        *_law(tests, [(ratio, ratio, 28.0) for ratio in across]),
        key="Line and band: expected strength, 8 in 10 inside.",
    )


def verdict(
    tests: Sequence[TestedSpecimen], specified_mpa: float, standard: Standard, units: System
) -> Table | None:
    """A first verdict against a specified strength."""
    found = verdict_of(tests, specified_mpa, standard)
    if found is None:
        return None
    rows = [(load.name, load.begun_at, mpa) for load, mpa in found.samples]
    says = list(_verdict_words(found, tests[0].specimen.shape, specified_mpa, standard, units))
    return Table("acceptance", "Specified strength", ("load", "begun_at", "mean_mpa"), rows, says)


_VERDICTS: Mapping[Standard, str] = {
    "aci-318": "ACI 318 (from memory)",
    "en-206": "EN 206 (from memory)",
}


def _verdict_words(
    found: Verdict, shape: str, specified_mpa: float, standard: Standard, units: System
) -> Iterator[str]:
    def shown(mpa: float) -> str:
        return str(as_read(mpa, "strength", units))

    samples = counted(len(found.samples), f"{shape} sample")
    spread = f", standard deviation {shown(found.record.sd)}" if found.record.sd else ""
    yield f"{samples} at 28 days: average {shown(found.record.mean)}{spread}."
    met = "met" if found.meets else "not shown to be met"
    yield f"{_VERDICTS[standard]}: {shown(specified_mpa)} {met}."
    for part, accepted in found.acceptances:
        for short in accepted.shortfalls:
            what = "average of three" if short.kind == "mean" and standard == "aci-318" else short.kind
            where = part or found.samples[short.index][0].name
            yield f"{where}: {what} {shown(short.mpa)}, {shown(short.least_mpa)} required."
        if accepted.verdict == "too-few":
            yield "Needs three samples in a row."
    if found.aim_mpa is not None:
        yield f"With this variation, aim for an average of {shown(found.aim_mpa)}."


def of_one_shape(loads: Sequence[LoadRow]) -> list[TestedSpecimen]:
    """The tested specimens of loads whose ratio is known, of the shape there is most of."""
    tests = sorted(
        (test for test in specimens_tested(loads) if test.load.ratio), key=lambda test: test.specimen.shape
    )
    by_shape = [list(own) for _, own in groupby(tests, key=lambda test: test.specimen.shape)]
    return max(by_shape, key=len, default=[])


def _dot(test: TestedSpecimen, x: float, is_signal: bool) -> Dot:
    name = f"{test.load.name}, {test.specimen.shape} {test.specimen.name}"
    return Dot(x, test.specimen.mpa or 0.0, test.load.id, name, is_signal)


def _law(
    tests: Sequence[TestedSpecimen], places: Sequence[tuple[float, float, float]]
) -> tuple[list[Line], list[Band]]:
    """The law at places (across, water ratio, age in days), where it describes the mix: its middle and its band."""
    if all(test.specimen.expected is None for test in tests):
        return [], []
    law = strength_law()
    over = CUBE_OVER_CYLINDER if tests[0].specimen.shape == "cube" else 1.0
    middle, upper, lower = [], [], []
    for x, ratio, days in places:
        contents = Binders(1.0, 0.0, 0.0, ratio)
        mpa = strength_mpa(law, contents, days)
        low, high = band_ends(law, contents, mpa)
        middle.append((x, mpa * over))
        upper.append((x, high * over))
        lower.append((x, low * over))
    return [Line("law", middle)], [Band("law", upper, lower)]


def _test_table(name: str, heading: str, tests: Sequence[TestedSpecimen], says: Sequence[str]) -> Table:
    rows = [
        (
            test.load.name,
            test.specimen.name,
            test.specimen.shape,
            test.specimen.age_days,
            test.load.ratio,
            test.specimen.mpa,
            test.specimen.expected.low_mpa if test.specimen.expected else None,
            test.specimen.expected.high_mpa if test.specimen.expected else None,
        )
        for test in tests
    ]
    return Table(name, heading, _TEST_COLUMNS, rows, says)


def _strength_words(tests: Sequence[TestedSpecimen], units: System) -> list[str]:
    known = [test for test in tests if test.specimen.expected is not None]
    if not known:
        return ["Strength of this mix can't be predicted, so there is no band."]
    weak = sum(test.specimen.is_weak for test in known)
    weakest = min(known, key=lambda test: test.specimen.mpa or 0.0 if test.specimen.test_days == 28 else 1e9)
    says = [
        f"{len(known) - weak} of {len(known)} tests are as strong as expected for their water, or stronger."
    ]
    if weakest.specimen.test_days == 28:
        found = as_read(weakest.specimen.mpa or 0.0, "strength", units)
        says.append(f"Weakest at 28 days: {found} ({weakest.load.name}, ratio {weakest.load.ratio:.2f}).")
    return says


def by_moisture(loads: Sequence[LoadRow], units: System) -> ChartFigures | None:
    """The water from the tap against what the sand brings."""
    found = list(water_by_moisture(loads))
    if len(found) < 2:
        return None
    balance = sorted((one.moisture, one.balance_l) for one in found)
    off = [one.water_l - one.balance_l for one in found]
    mean_l = fsum(off) / len(off)
    says = "Tap water and sand water balance."
    if abs(mean_l) >= _SAME_L:
        more = f"{as_read(abs(mean_l), 'water', units)} {'more' if mean_l > 0 else 'less'} water"
        says = f"On average, loads took {more} than the sand moisture explains."
    return ChartFigures(
        Table(
            "water-by-moisture",
            "Water against sand moisture",
            ("load", "begun_at", "free_moisture_fraction", "water_l", "balance_l"),
            [(one.load.name, one.load.begun_at, one.moisture, one.water_l, one.balance_l) for one in found],
            [says],
        ),
        Axis("free water in the sand", is_percent=True),
        Axis("tap water", "water"),
        [Dot(one.moisture, one.water_l, one.load.id, one.load.name) for one in found],
        [Line("law", balance)],
        key="Line: target minus the water in the sand.",
    )


_RESULTS: tuple[Result, ...] = ("good", "usable", "poor")


def judges(loads: Sequence[LoadRow], names: Sequence[str] | None) -> Table:
    """How people call a mix right, and what followed; of everybody, or of these only."""
    found = [judge for judge in judges_of(loads) if names is None or judge.name in names]
    return Table(
        "judges",
        "Wetter or drier, by person",
        ("name", "loads", "wetter_by", "good", "usable", "poor"),
        [
            (
                judge.name,
                judge.loads,
                judge.wetter_by,
                *(judge.results.get(result, 0) for result in _RESULTS),
            )
            for judge in found
        ],
        [_judge_words(judge.name, judge.wetter_by, judge.results) for judge in found],
        [_wetter(found)] if len(found) > 1 else [],
    )


def _wetter(judges: Sequence[JudgeBias]) -> Bars:
    bars = [ChartBar(judge.name, judge.wetter_by) for judge in judges]
    return Bars("Drier (left) or wetter (right) than usual, water ratio", None, False, 3, bars)


def _judge_words(name: str, wetter_by: float, results: Mapping[Result, int]) -> str:
    how = "same as the crew"
    if abs(wetter_by) >= SAME_RATIO:
        how = f"{abs(wetter_by):.2f} {'wetter' if wetter_by > 0 else 'drier'} than usual"
    told = [f"{count} {RESULT_NAMES[result].lower()}" for result, count in results.items()]
    return f"{name}: {how}; {', '.join(told)}." if told else f"{name}: {how}."


def uses(loads: Sequence[LoadRow], units: System) -> Table:
    """The use of each job, against its plan."""
    rows, says, found = [], [], uses_of(loads)
    for use in found:
        rows.append(
            (
                use.name,
                use.loads,
                use.planned_binder_kg,
                use.binder_kg,
                use.planned_min,
                use.minutes,
                use.planned_waste,
                use.waste,
            )
        )
        kg = as_read(use.binder_kg, "mass", units), as_read(use.planned_binder_kg, "mass", units)
        minutes = (
            f", {use.minutes:.0f} min to get a load right ({use.planned_min:.0f} planned)"
            if use.minutes
            else ""
        )
        mixed = counted(use.loads, "load")
        says.append(f"{use.name}: {kg[0]} of cement and lime in {mixed} ({kg[1]} planned){minutes}.")
    columns = (
        "job",
        "loads",
        "planned_binder_kg",
        "binder_kg",
        "planned_min",
        "minutes",
        "planned_waste_fraction",
        "not_placed_fraction",
    )
    return Table(
        "jobs",
        "Used against planned",
        columns,
        rows,
        says,
        list(_use_bars(found[-_MOST_DRAWN:])),
    )


# The newest jobs are drawn; the figures have them all.
_MOST_DRAWN = 8


def _use_bars(found: Sequence[JobUse]) -> Iterator[Bars]:
    """Binder, minutes and waste of jobs, each against its plan."""
    if not found:
        return
    kg = [ChartBar(use.name, use.binder_kg, use.planned_binder_kg) for use in found]
    minutes = [ChartBar(use.name, use.minutes, use.planned_min) for use in found if use.minutes is not None]
    yield Bars("Cement and lime (outline: planned)", "mass", False, 0, kg)
    if minutes:
        yield Bars("Minutes to get a load right", None, False, 0, minutes)
    waste = [ChartBar(use.name, use.waste, use.planned_waste) for use in found]
    yield Bars("Waste: mixed but not placed", None, True, 1, waste)
