"""The report of a job, as a client or an engineer is handed it: what was asked, what was batched, loads and tests."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from math import fsum
from typing import Any, NamedTuple

from keeve.core.loads.actions.add_water import WaterAdded
from keeve.core.loads.actions.correct import Correcting
from keeve.core.loads.actions.discard import Discarded
from keeve.core.loads.actions.give import Given
from keeve.core.loads.actions.note import Noted
from keeve.core.loads.actions.take_temperature import TemperatureTaken
from keeve.core.loads.actions.test_fresh import FreshTested
from keeve.core.loads.actions.top_up import Corrected
from keeve.core.loads.event import LoadEvent
from keeve.core.loads.running_load import RunningLoad
from keeve.core.log.cast_checks import checks_of
from keeve.core.log.charts import is_past
from keeve.core.log.job_summary import JobSummary, summarise_job
from keeve.core.log.load_row import LoadRow, RatioWindow, ratio_window
from keeve.core.log.specimens import Age, SpecimenRow, ages_of
from keeve.core.planning.job import Job
from keeve.core.planning.job_versions import JobPage
from keeve.core.planning.plan import AdmixtureAmount, Plan
from keeve.core.units import System
from keeve.figures.amounts import Dose, dose_of, steps_of
from keeve.figures.chart_figures import ChartFigures, Table
from keeve.figures.sections import SectionFigures, section_figures
from keeve.screens.charts import quality_charts
from keeve.screens.charts.view import Specified, charts_of, done_of
from keeve.screens.log.load_story import ContentLine, StoryEntry, contents_of, entries

# Of a larger job the newest loads are reported.
MOST = 400


class ReportedLoad(NamedTuple):
    """A load of the job: how it is called, its row, tests of it fresh, whether it has too much water."""

    name: str
    row: LoadRow
    fresh: Sequence[LoadEvent]
    is_wet: bool


class Told(NamedTuple):
    """Something that was told of a load: how the load is called, its plan, the entry of its story."""

    load: str
    plan: Plan
    entry: StoryEntry


class ReportedSpecimen(NamedTuple):
    """A specimen of a load: how the load is called, and the specimen."""

    load: str
    specimen: SpecimenRow


class Checked(NamedTuple):
    """A check of what was cast: when it is made, its words, and how often it held and did not."""

    when: str
    words: str
    held: int
    failed: int


@dataclass(frozen=True)
class JobReport:
    """The report of a job. The same record gives the same report, whenever it is made.

    Args:
        title: its name.
        crew: who mixed it.
        plan: its newest plan.
        versions: how many plans it has.
        needs: what was to be made, as plain values.
        planned: its first load as planned.
        window: the water ratios its mix may have; None of a mix without binder.
        specified: the strength that tests are held against, where one was given.
        told_until: when the last of it happened; when it was planned, before anything did.
        first_at, last_at: when its first and its last load were begun; None before that.
        summary: what the job came to.
        contents: what its loads were to have, and what went in.
        doses: the admixtures that went in.
        loads: its loads in order.
        left_out: older loads that are not in it.
        specimens: its specimens.
        ages: what their tests come to.
        verdict: those of 28 days against the specified strength.
        checks: what was looked at on what was cast.
        remarks: what was told besides: notes, corrections, what was put right or struck out later, and why.
        charts: its charts.
    """

    title: str
    crew: str
    plan: Plan
    versions: int
    needs: Sequence[dict[str, Any]]
    planned: SectionFigures
    window: RatioWindow | None
    specified: Specified | None
    told_until: datetime
    first_at: datetime | None
    last_at: datetime | None
    summary: JobSummary
    contents: Sequence[ContentLine]
    doses: Sequence[Dose]
    loads: Sequence[ReportedLoad]
    left_out: int
    specimens: Sequence[ReportedSpecimen]
    ages: Sequence[Age]
    verdict: Table | None
    checks: Sequence[Checked]
    remarks: Sequence[Told]
    charts: Sequence[ChartFigures]


def job_report(
    job: JobPage,
    asked: Job,
    plan: Plan,
    loads: Sequence[LoadRow],
    running: Sequence[RunningLoad],
    crew: str,
    units: System,
    specified: Specified | None = None,
) -> JobReport:
    """The report of a job.

    Args:
        job: the job with its versions.
        asked: what was asked of its newest plan.
        plan: that plan.
        loads: its loads, the first begun first.
        running: the same with everything that was told of them.
        crew: who mixed it.
        units: the reader's, for figures in sentences.
        specified: the strength that its tests are held against.
    """
    numbers = {version.plan_id: version.number for version in job.versions}
    # A change of the job gives its loads new numbers.
    names = {
        one.id: f"{numbers[one.plan_id]}/{one.number}"
        if len(numbers) > 1 and one.plan_id
        else f"{one.number}"
        for one in loads
    }
    stories = [Told(names[one.id], one.plan, entry) for one in running for entry in entries(one)]
    specimens = [ReportedSpecimen(names[one.id], specimen) for one in loads for specimen in one.specimens]
    # One chart shows one mix.
    of_mix = [one for one in loads if one.mix_id == plan.mix.id]
    tests = quality_charts.of_one_shape(done_of(of_mix))
    happened = [event.occurred_at for one in running for event in one.events]
    told = {one.id: one.state.applied for one in running}
    return JobReport(
        title=job.line.title,
        crew=crew,
        plan=plan,
        versions=len(job.versions),
        needs=[need.model_dump(exclude_unset=True) for need in asked.need],
        planned=section_figures(plan, plan.loads[0], labels=steps_of(plan, plan.loads[0])),
        window=ratio_window(plan.loads[0]),
        specified=specified,
        told_until=max(happened, default=job.line.made_at),
        first_at=loads[0].begun_at if loads else None,
        last_at=loads[-1].begun_at if loads else None,
        summary=summarise_job(plan, loads),
        contents=_together(line for one in running for line in contents_of(one)),
        doses=_doses(running),
        loads=[_reported(names[one.id], one, told[one.id]) for one in loads],
        left_out=job.mixed - len(loads) if len(loads) == MOST else 0,
        specimens=specimens,
        ages=ages_of((one.specimen for one in specimens), specified.mpa if specified else None),
        verdict=quality_charts.verdict(tests, *specified, units) if specified else None,
        checks=_checks(plan, loads),
        remarks=[remark for remark in stories if _is_remark(remark)],
        charts=charts_of(of_mix, tests, units),
    )


_FRESH = (FreshTested, TemperatureTaken)


def _is_remark(told: Told) -> bool:
    entry = told.entry
    if entry.struck is not None:
        # What was undone at once was a slip of the thumb.
        return bool(entry.struck.why)
    match entry.event:
        case Noted() | Correcting() | Corrected() | Given() | Discarded():
            return True
        case WaterAdded() if entry.event.past_ceiling:
            return True
    return entry.amended is not None


def _reported(name: str, load: LoadRow, told: Iterable[LoadEvent]) -> ReportedLoad:
    window = load.as_planned.window if load.as_planned else None
    is_wet = load.ratio is not None and window is not None and is_past(load.ratio, window)
    return ReportedLoad(name, load, [event for event in told if isinstance(event, _FRESH)], is_wet)


def _together(lines: Iterable[ContentLine]) -> list[ContentLine]:
    """The contents of all loads, by their names, in order of loading."""
    found: dict[str, ContentLine] = {}
    for line in lines:
        sofar = found.get(line.name)
        found[line.name] = (
            sofar._replace(planned=sofar.planned + line.planned, was=sofar.was + line.was) if sofar else line
        )
    return sorted(found.values(), key=lambda line: line.step)


def _doses(running: Sequence[RunningLoad]) -> list[Dose]:
    """The admixtures that went into loads, summed up; those that go by their label only are not."""
    found: dict[str, AdmixtureAmount] = {}
    for one in running:
        for item in _dosed(one):
            sofar = found.get(item.name)
            found[item.name] = _plus(sofar, item) if sofar else item
    # A jar measures the dose of a load, not the sum of them.
    return [dose_of(item)._replace(jar=None) for item in found.values()]


def _dosed(running: RunningLoad) -> Iterator[AdmixtureAmount]:
    done = {
        name
        for step in running.plan.procedure
        if step.step in running.state.steps_done
        for name in step.admixtures
    }
    for item in running.load.admixtures:
        times = running.state.dose(item.name)
        if item.name in done and times:
            packs = None if item.packs is None else item.packs * times
            yield item.times(times).model_copy(update={"packs": packs})


def _plus(one: AdmixtureAmount, other: AdmixtureAmount) -> AdmixtureAmount:
    def sums(name: str) -> float | None:
        amounts = getattr(one, name), getattr(other, name)
        return None if None in amounts else fsum(amounts)

    return one.model_copy(update={name: sums(name) for name in ("mass_kg", "volume_ml", "packs")})


def _checks(plan: Plan, loads: Sequence[LoadRow]) -> list[Checked]:
    found = []
    for check in checks_of(plan):
        answers = [one.checks[check.id] for one in loads if check.id in one.checks]
        if answers:
            found.append(Checked(check.when, check.words, sum(answers), answers.count(False)))
    return found
