"""The day: what a crew plans for it, how it would go by the weather and by what is begun, and what makes it hold."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property
from uuid import UUID, uuid4
from zoneinfo import ZoneInfo

from sqlalchemy import Engine, bindparam, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from keeve.core.curing.pours import cure_of
from keeve.core.day_plan.day import DayJob, DayPlan, Outcome, SoFar, Start, StartedLoad, Work, play, suits
from keeve.core.day_plan.day_changes import DayChange, changes, nearest
from keeve.core.errors import InputError
from keeve.core.log.load_row import LoadRow
from keeve.core.planning.job_versions import JobLine
from keeve.core.planning.site_mix import chosen_mix
from keeve.core.zones import zones
from keeve.data import jobs
from keeve.data.accounts import Visitor
from keeve.data.log_entries import loads_of_plans
from keeve.data.plans import plans_by_id
from keeve.devices.weather import Hour, Weather
from keeve.formats.job_file import read_job
from keeve.store import models
from keeve.store.database import crew_reading, crew_session

# The weather of the day and of those after it, which bring frost.
_HOURS = 96
# Jobs that may be put into a day: of the newest.
_OFFERED = 24
# What a crew places in an hour where nobody said, m3: a barrow every ten minutes (an estimate, no source).
PLACING_M3_H = 0.3
_BEGINS_MIN = 8 * 60


@dataclass(frozen=True)
class DayJobLine:
    """A job of the day as it is told: what was planned, its name and mix, and how many loads its plan has."""

    job: DayJob
    title: str
    mix_name: str
    of_loads: int
    yield_l: float


@dataclass(frozen=True)
class DayView:
    """A day as its page shows it.

    Args:
        day: which.
        midnight: when it begins.
        plan: what was planned.
        lines: its jobs.
        starts: when each of them begins, minutes since midnight.
        outcome: how it would go.
        works: of each job its plan and its limits.
        hours: its weather.
        offered: jobs that may be put into it.
        going: what was planned, its starts in minutes since midnight.
        so_far: what was begun of it, and now, min of the day (None: another day).
        zone: the crew's.
    """

    day: date
    midnight: datetime
    plan: DayPlan
    lines: Sequence[DayJobLine]
    starts: Sequence[float]
    outcome: Outcome
    works: Sequence[Work]
    hours: Sequence[Hour]
    offered: Sequence[JobLine]
    going: DayPlan
    so_far: SoFar
    zone: ZoneInfo

    @property
    def now_min(self) -> float | None:
        """Now, min of the day; None on another day."""
        return self.so_far.now_min

    @cached_property
    def _tried(self) -> Sequence[DayChange]:
        return changes(self.going, self.works, self.outcome, self.so_far)

    @cached_property
    def changes(self) -> Sequence[DayChange]:
        """Changes that make it break less, one each; worked out only where they are looked at, for it takes a while."""
        return [self._by_clock(change) for change in self._tried]

    @cached_property
    def holds(self) -> Sequence[DayChange]:
        """The changes that together make it hold."""
        found = nearest(self._tried, self.works, self.outcome, self.so_far)
        return [self._by_clock(change) for change in found]

    def _by_clock(self, change: DayChange) -> DayChange:
        """A change with its starts as the form has them."""
        told = [_clock_min(self.zone, self.moment(job.begins_min)) for job in change.day.jobs]
        return change._replace(day=_with_begins(change.day, told))

    def ready_min(self, index: int) -> float | None:
        """When to begin to get ready for a job, min of the day; None where nothing is to be done, or it was begun."""
        loads, before_min = self.outcome.jobs[index], self.works[index].plan.mix.before_min
        if not before_min or not loads or any(load.is_begun for load in loads):
            return None
        return loads[0].pieces[0].from_min - before_min

    def moment(self, minute: float) -> datetime:
        """A minute of the day as a moment: minutes that passed since midnight, whatever the clock did."""
        return self.midnight + timedelta(minutes=minute)


_NEWEST = (
    select(models.DayVersion.content)
    .where(models.DayVersion.day == bindparam("day"))
    .order_by(models.DayVersion.made_at.desc())
    .limit(1)
)
_PLANS = select(models.StoredPlan.id, models.StoredPlan.job).where(
    models.StoredPlan.id.in_(bindparam("plan_ids", expanding=True))
)


def midnight_of(visitor: Visitor, day: date) -> datetime:
    """When a day begins where the crew is, in UTC."""
    return datetime.combine(day, time(), visitor.zone).astimezone(UTC)


def _elapsed_min(visitor: Visitor, day: date, clock_min: int) -> int:
    """Minutes since midnight at a time of day by the clock; on two days a year that is not the same."""
    at = datetime.combine(day, time(clock_min // 60, clock_min % 60), visitor.zone).astimezone(UTC)
    return round((at - midnight_of(visitor, day)) / timedelta(minutes=1))


def _clock_min(zone: ZoneInfo, moment: datetime) -> int:
    at = moment.astimezone(zone)
    return 60 * at.hour + at.minute


def _with_begins(plan: DayPlan, begins_min: Sequence[int]) -> DayPlan:
    begun = zip(plan.jobs, begins_min, strict=True)
    return plan.model_copy(update={"jobs": [job.model_copy(update={"begins_min": at}) for job, at in begun]})


def planned(engine: Engine, visitor: Visitor, day: date) -> DayPlan:
    """The plan of a day; an empty day where nothing was planned."""
    with crew_reading(engine, visitor.crew_id) as session:
        return _planned(session, day)


def _planned(session: Session, day: date) -> DayPlan:
    found = session.execute(_NEWEST, {"day": day}).all()
    return DayPlan.model_validate(found[0].content) if found else DayPlan()


_BETWEEN = (
    select(models.DayVersion.day, models.DayVersion.content)
    .ext(distinct_on(models.DayVersion.day))
    .where(models.DayVersion.day.between(bindparam("first"), bindparam("last")))
    .order_by(models.DayVersion.day, models.DayVersion.made_at.desc())
)


def planned_days(engine: Engine, visitor: Visitor, first: date, last: date) -> dict[date, DayPlan]:
    """The plan of each day from the first to the last that has jobs."""
    with crew_reading(engine, visitor.crew_id) as session:
        found = {
            day: DayPlan.model_validate(content)
            for day, content in session.execute(_BETWEEN, {"first": first, "last": last}).all()
        }
    return {day: plan for day, plan in found.items() if plan.jobs}


def starts_of(session: Session, visitor: Visitor, day: date) -> list[Start]:
    """The jobs planned for a day, by when they begin."""
    plan = _planned(session, day)
    if not plan.jobs:
        return []
    plans = plans_by_id(session, [UUID(job.plan_id) for job in plan.jobs])
    midnight = midnight_of(visitor, day)
    found = [
        Start(
            midnight + timedelta(minutes=_elapsed_min(visitor, day, job.begins_min)),
            plans[UUID(job.plan_id)].title,
            job.first_load,
            job.loads,
            UUID(job.plan_id),
        )
        for job in plan.jobs
        if UUID(job.plan_id) in plans
    ]
    return sorted(found)


def save_day(engine: Engine, visitor: Visitor, day: date, plan: DayPlan, now: datetime) -> None:
    """Keep what is planned for a day.

    Raises:
        InputError: it names a plan that the crew has not.
    """
    wanted = {UUID(job.plan_id) for job in plan.jobs}
    with crew_session(engine, visitor.crew_id) as session:
        if len(plans_by_id(session, wanted)) < len(wanted):
            raise InputError("no_job", "One of these jobs is gone. Remove it from the day.", ["jobs"])
        session.add(
            models.DayVersion(
                id=uuid4(),
                day=day,
                content=plan.model_dump(mode="json"),
                made_by=visitor.account_id,
                made_at=now,
            )
        )


def with_added(engine: Engine, visitor: Visitor, plan: DayPlan, plan_id: UUID) -> DayPlan:
    """The day with what is left of a job put into it; as it was where there is no such job, or nothing left of it."""
    with crew_reading(engine, visitor.crew_id) as session:
        found = plans_by_id(session, {plan_id}).get(plan_id)
        if found is None:
            return plan
        begun = {load.number for load in loads_of_plans(session, [plan_id])}
        row = session.execute(_PLANS, {"plan_ids": [plan_id]}).all()[0]
    left = [load.number for load in found.loads if load.number not in begun]
    if not left:
        return plan
    mixer = 1 + max((mixer for job in plan.jobs for mixer in job.mixers), default=0)
    added = DayJob(
        plan_id=str(plan_id),
        first_load=left[0],
        loads=min(len(left), 200),
        begins_min=_BEGINS_MIN,
        mixers=[min(mixer, 2)],
        placing_m3_h=read_job(row.job).pace.placing_m3_h or PLACING_M3_H,
    )
    return plan.model_copy(update={"jobs": [*plan.jobs, added]})


def day_view(
    engine: Engine, visitor: Visitor, weather: Weather, day: date, now: datetime, plan: DayPlan | None = None
) -> DayView:
    """A day as its page shows it.

    Args:
        engine: the database.
        visitor: who looks.
        weather: who knows the weather.
        day: which.
        now: the moment.
        plan: as it would be planned; as it was saved where that is left out.
    """
    midnight = midnight_of(visitor, day)
    hours = weather.hours(zones()[visitor.zone.key], midnight, _HOURS)
    with crew_reading(engine, visitor.crew_id) as session:
        wanted = plan or _planned(session, day)
        plan_ids = [UUID(job.plan_id) for job in wanted.jobs]
        plans = plans_by_id(session, plan_ids) if plan_ids else {}
        wanted = wanted.model_copy(
            update={"jobs": [job for job in wanted.jobs if UUID(job.plan_id) in plans]}
        )
        rows = session.execute(_PLANS, {"plan_ids": plan_ids})
        made = {row.id: row.job for row in rows}
        mixed = loads_of_plans(session, plan_ids)
        offered = [line for line in jobs.newest_jobs(session, "active", _OFFERED) if not line.is_finished]
    works, lines = [], []
    for job in wanted.jobs:
        found = plans[UUID(job.plan_id)]
        asked = read_job(made[UUID(job.plan_id)])
        works.append(Work(found, chosen_mix(asked).temperature_c, cure_of(asked, now, now).uses))
        lines.append(DayJobLine(job, found.title, found.mix.name, len(found.loads), found.loads[0].yield_l))
    now_min = (now - midnight) / timedelta(minutes=1)
    is_today = 0 <= now_min < 24 * 60
    so_far = SoFar(_begun(wanted, mixed, midnight, now), now_min if is_today else None)
    starts = [_elapsed_min(visitor, day, job.begins_min) for job in wanted.jobs]
    going = _with_begins(wanted, starts)
    outcome = play(going, works, suits(going, works, [hour.air for hour in hours]), so_far)
    inside = {UUID(job.plan_id) for job in wanted.jobs}
    return DayView(
        day=day,
        midnight=midnight,
        plan=wanted,
        lines=lines,
        starts=starts,
        outcome=outcome,
        works=works,
        hours=hours[:24],
        offered=[line for line in offered if line.plan_id not in inside],
        going=going,
        so_far=so_far,
        zone=visitor.zone,
    )


def _begun(
    plan: DayPlan, loads: Iterable[LoadRow], midnight: datetime, now: datetime
) -> list[Mapping[int, StartedLoad]]:
    """The loads that were begun, of each job, in minutes of the day."""

    def minute(moment: datetime | None) -> float | None:
        return None if moment is None else (moment - midnight) / timedelta(minutes=1)

    found: dict[str, dict[int, StartedLoad]] = {}
    for load in loads:
        done_at = None if load.state == "mixing" else load.placed_at or now
        began = (load.begun_at - midnight) / timedelta(minutes=1)
        found.setdefault(str(load.plan_id), {})[load.number] = StartedLoad(
            began, minute(done_at), minute(load.dead_at)
        )
    return [
        {number: begun for number, begun in found.get(job.plan_id, {}).items() if number in job.numbers}
        for job in plan.jobs
    ]
