"""The page of a job: its loads as far as they are, its plans, its notes."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from math import fsum
from typing import Any, NamedTuple
from uuid import UUID

from keeve.core.loads.running_load import RunningLoad
from keeve.core.planning.job import Job
from keeve.core.planning.job_versions import JobPage
from keeve.core.planning.pace import mixing_hours
from keeve.core.planning.plan import Plan
from keeve.core.planning.site_mix import chosen_mix
from keeve.figures.amounts import BoughtLine, shopping_list
from keeve.screens.mixes.view import MixFigures, mix_figures


class JobLoad(NamedTuple):
    """A load of a job: its plan's version, its number, its size in L, and where it is: planned, mixing or done."""

    version: int
    plan_id: UUID
    number: int
    yield_l: float
    state: str
    load_id: UUID | None
    begun_at: datetime | None


@dataclass(frozen=True)
class JobView:
    """A job as its page shows it.

    Args:
        job: the job with its versions and notes.
        plan: its newest plan.
        needs: what is to be made, as plain values.
        shopping: what that plan buys.
        figures: its mix.
        loads: every load begun, and those of the newest plan still to begin.
        left_l: what of the newest plan is not placed yet, L; None before anything is.
        link: the token of the link to its cards; None where they are not shared.
    """

    job: JobPage
    plan: Plan
    needs: Sequence[dict[str, Any]]
    shopping: Sequence[BoughtLine]
    figures: MixFigures
    loads: Sequence[JobLoad]
    left_l: float | None
    link: str | None


def job_view(
    job: JobPage,
    saved_job: Job,
    plan: Plan,
    begun: Mapping[UUID, Mapping[int, RunningLoad]],
    link: str | None,
    now: datetime,
) -> JobView:
    """The page of a job.

    Args:
        job: the job with its versions and notes.
        saved_job: what is to be made.
        plan: its newest plan.
        begun: the loads begun of each version, by its plan and by number.
        link: the token of the link to its cards; None where they are not shared.
        now: the moment.
    """
    # What was thrown away is to be made again: only what is in place counts.
    placed_l = fsum(running.state.placed_l for running in begun[job.line.plan_id].values())
    return JobView(
        job=job,
        plan=plan,
        needs=[need.model_dump(exclude_unset=True) for need in saved_job.need],
        shopping=shopping_list(plan),
        figures=mix_figures(chosen_mix(saved_job)),
        loads=job_loads(job, plan, begun, now),
        left_l=max(plan.volume.order_m3 * 1000 - placed_l, 0.0) if placed_l else None,
        link=link,
    )


def job_loads(
    job: JobPage, plan: Plan, begun: Mapping[UUID, Mapping[int, RunningLoad]], now: datetime
) -> list[JobLoad]:
    """Every load begun, version by version, and those of the newest plan still to begin; arguments as above."""
    lines = []
    for version in reversed(job.versions):
        of_version = begun[version.plan_id]
        is_newest = version.plan_id == job.line.plan_id
        for number in sorted({*of_version, *(load.number for load in plan.loads if is_newest)}):
            running = of_version.get(number)
            load = running.load if running else plan.load(number)
            if load is None:
                continue
            state = ("done" if running.situation(now).is_over else "mixing") if running else "planned"
            lines.append(
                JobLoad(
                    version.number,
                    version.plan_id,
                    number,
                    load.yield_l,
                    state,
                    running.id if running else None,
                    running.begun_at if running else None,
                )
            )
    return lines


class PlanLine(NamedTuple):
    """A figure of two plans: its words, its kind of quantity ("" of a plain number or a text), and what each has."""

    words: str
    kind: str
    each: tuple[Any, Any]

    @property
    def differs(self) -> bool:
        """Whether it is not the same in both."""
        return bool(self.each[0] != self.each[1])


def differences(one: Plan, other: Plan) -> list[PlanLine]:
    """The figures of two plans side by side; a material that only one has is left out of the other."""
    both = (one, other)
    bought = [{item.name: item for item in shopping_list(plan)} for plan in both]
    materials = dict.fromkeys(name for items in bought for name in items)
    lines = [
        PlanLine("Mix", "", _each(both, lambda plan: f"{plan.mix.name}, {plan.mix.ratio}")),
        PlanLine("Volume with waste", "volume", _each(both, lambda plan: plan.volume.order_m3)),
        PlanLine("Loads", "", _each(both, lambda plan: len(plan.loads))),
        PlanLine("Size of a load", "mixed_volume", _each(both, lambda plan: plan.loads[0].yield_l)),
        PlanLine("Start with water", "water", _each(both, lambda plan: plan.loads[0].water.start_l)),
        PlanLine("Max water", "water", _each(both, lambda plan: plan.loads[0].water.ceiling_l)),
    ]
    for name in materials:
        mass_kg = tuple(items[name].mass_kg if name in items else None for items in bought)
        if any(mass_kg):
            lines.append(PlanLine(name.capitalize(), "mass", (mass_kg[0], mass_kg[1])))
    return [
        *lines,
        PlanLine("Hours of one mixer", "", _each(both, lambda plan: round(mixing_hours(plan), 1))),
        PlanLine("Working time, min", "", _each(both, lambda plan: round(plan.mix.life_min))),
        PlanLine("Cost at your prices", "", _each(both, lambda plan: plan.cost and round(plan.cost, 2))),
    ]


def _each(both: tuple[Plan, Plan], of: Callable[[Plan], Any]) -> tuple[Any, Any]:
    return of(both[0]), of(both[1])
