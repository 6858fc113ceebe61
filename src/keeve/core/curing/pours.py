"""A pour: what was placed of a job on a day, and what follows until it may be used."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from functools import lru_cache
from itertools import zip_longest
from typing import Literal, NamedTuple, get_args
from uuid import UUID

from keeve.core.mixes import materials
from keeve.core.mixes.model import Mix, Sort, Use
from keeve.core.planning.job import Job, ShapeNeed
from keeve.core.planning.plan import Plan
from keeve.core.planning.site_mix import chosen_mix
from keeve.core.rules.curing import CureTask, Family, Kind, cure_plan, cure_table, spells_of
from keeve.core.rules.maturity import Hardening, Spell, early_strength, equivalent_age, until

# What a shape is used as, where it says that; any use of the mix where it does not.
_USES: Mapping[str, Use] = {
    "floor-volume": "lay floor",
    "coat-volume": "render",
    "unit-masonry-mortar": "bed",
    "pointing-volume": "point",
    "post-hole-volume": "cast",
    "layered-wall-volume": "infill",
}
# A slab is a floor or a strip in the ground; what the box is called says which.
_FLOOR_BOX = "slab"
# Stone without sand and so much air in it is open through and through.
_OPEN = 0.1
# Cement classes by family, of those whose strength is asked for: a fine cast has rapid cement and little water.
_HARDENING: Mapping[Family, Hardening] = {"concrete": "normal", "fine cast": "rapid"}
# A thermometer tells of no longer than that after its reading.
_READING_LASTS = timedelta(hours=12)


class Reading(NamedTuple):
    """A temperature read in the pour, °C, and when."""

    at: datetime
    c: float


@dataclass(frozen=True)
class Cure:
    """How a pour cures: its family, what it is used as, its thickness (mm), when its first and last load was placed."""

    family: Family
    uses: tuple[Use, ...]
    thickness_mm: float | None
    first_at: datetime
    last_at: datetime


class Task(NamedTuple):
    """A task of a pour: what to keep, to do once, or what may be done from then on, and when; see the rule.

    ``earliest`` and ``latest``: the band of its beginning, where it waits for hardening.
    """

    what: str
    kind: Kind
    do: str
    why: str
    source: str
    begins: datetime
    ends: datetime | None
    earliest: datetime | None
    latest: datetime | None

    @property
    def half_band(self) -> timedelta | None:
        """Half the width of the band."""
        return (self.latest - self.earliest) / 2 if self.earliest and self.latest else None


def cure_of(job: Job, first_at: datetime, last_at: datetime) -> Cure:
    """How what is placed of a job cures."""
    mix = chosen_mix(job)
    return Cure(family_of(mix), _uses(job, mix), _thickness_mm(job), first_at, last_at)


def family_of(mix: Mix) -> Family:
    """The family of a mix: by its trade; where nobody said, by what is in it."""
    known = [materials()[part.material] for part in mix.parts if part.material in materials()]
    sorts = {material.sort for material in known}
    if "stone" in sorts and "sand" not in sorts and mix.air_fraction >= _OPEN:
        return "pervious"
    if _is_fine_cast(sorts):
        return "fine cast"
    if mix.trade == "render and stucco" and any(material.has_polymer for material in known):
        return "polymer coat"
    if mix.trade is not None:
        return mix.trade
    by_sort: Sequence[tuple[str, Family]] = (("hemp", "hemp"), ("plaster", "plaster"), ("stone", "concrete"))
    return next((family for sort, family in by_sort if sort in sorts), "mortar")


def _is_fine_cast(sorts: Collection[Sort | None]) -> bool:
    """Whether it is a concrete so fine and strong that it is stripped the next day: of silica fume, without stone."""
    return "silica fume" in sorts and "stone" not in sorts


def cube_days(plan: Plan) -> list[int]:
    """The ages at which cubes of a plan's mix are broken, days: by what follows its pour; the last of them twice."""
    is_fine = _is_fine_cast([material.sort for material in plan.materials])
    rows = cure_table()["fine cast" if is_fine else "concrete"]
    days = [int(row.begins.days) for row in rows if row.what.startswith("strength-tests")]
    return [*days, days[-1]]


class Hardened(NamedTuple):
    """How far a pour has hardened: its equivalent age at 20 °C and its share of its 28-day strength; an estimate."""

    age_at_20c: timedelta
    strength_fraction: float

    @property
    def strength_percent(self) -> int:
        """The share in percent, as nearly as it is known."""
        return 5 * round(20 * self.strength_fraction)


def hardened(
    cure: Cure, daily_c: Sequence[float], readings: Iterable[Reading], now: datetime
) -> Hardened | None:
    """How far a pour has hardened by now, its last load; None before an hour, past 28 days, or where nobody asks.

    Args:
        cure: how it cures.
        daily_c: as for ``tasks``.
        readings: of a thermometer left in it, in any order.
        now: the moment.
    """
    hours = (now - cure.last_at) / timedelta(hours=1)
    hardening = _HARDENING.get(cure.family)
    if hardening is None or not 1 <= hours <= 28 * 24:
        return None
    spells = spells_of(cure.last_at, daily_c, list(_measured(cure.last_at, sorted(readings))))
    aged_h = equivalent_age(temperatures=until(spells, hours)).hours_at_20c
    if not aged_h:
        return None
    return Hardened(timedelta(hours=aged_h), early_strength(aged_h, hardening).strength_fraction)


def tasks(cure: Cure, daily_c: Sequence[float], readings: Iterable[Reading] = ()) -> Sequence[Task]:
    """The tasks of a pour, in the order in which they begin.

    Judgements made here: what may be done counts from the last load, what must be done from the first. A reading in the
    pour holds until the next, for half a day at most.

    Args:
        cure: how it cures; its times with the zone of the crew, whose days are meant.
        daily_c: mean temperature of the air on the day of the last load and on those after it, °C.
        readings: of a thermometer left in it, in any order.
    """
    return _tasks(cure, tuple(daily_c), tuple(_measured(cure.last_at, sorted(readings))))


@lru_cache(maxsize=1024)
def _tasks(cure: Cure, daily_c: tuple[float, ...], measured: tuple[Spell, ...]) -> Sequence[Task]:
    plan = cure_plan(
        cure.family,
        cure.last_at.isoformat(),
        list(daily_c),
        uses=list(cure.uses),
        thickness_mm=cure.thickness_mm,
        measured=list(measured),
    )
    return [_task(each, cure.last_at - cure.first_at) for each in plan.tasks]


def _task(each: CureTask, sooner: timedelta) -> Task:
    """A task of the rule, what must be done by so much sooner."""
    before = timedelta() if each.kind == "may" else sooner

    def begins(text: str | None) -> datetime | None:
        return datetime.fromisoformat(text) - before if text else None

    return Task(
        what=each.what,
        kind=each.kind,
        do=each.do,
        why=each.why,
        source=each.source,
        begins=datetime.fromisoformat(each.from_) - before,
        ends=datetime.fromisoformat(each.to) if each.to else None,
        earliest=begins(each.earliest),
        latest=begins(each.latest),
    )


Said = Literal["done", "skipped"]
State = Literal["done", "skipped", "over", "late", "now", "later"]
# What is to be done once and has no end is late when it was not done within this.
_SOON = timedelta(days=1)


@dataclass(frozen=True)
class TaskLine:
    """A task, how it stands, and who said so when, where somebody did."""

    task: Task
    state: State
    said_by: str = ""
    said_at: datetime | None = None


@dataclass(frozen=True)
class PourLine:
    """A pour with its tasks, the temperatures read in it, in order, and the air of its days, °C."""

    job_id: UUID
    day: date
    title: str
    mix_name: str
    cure: Cure
    tasks: Sequence[TaskLine]
    readings: Sequence[Reading]
    daily_c: Sequence[float]


def state_of(task: Task, said: Said | None, now: datetime) -> State:
    """How it stands with a task: what was said of it counts, else the time."""
    if said is not None:
        return said
    if now < task.begins:
        return "later"
    if task.kind == "do" and now >= (task.ends or task.begins + _SOON):
        return "late"
    return "over" if task.ends is not None and now >= task.ends else "now"


def _measured(poured: datetime, readings: Sequence[Reading]) -> Iterable[Spell]:
    """Spells from the pour on, as far as the thermometer tells; before its first reading it was as that says."""
    told = [reading for reading in readings if reading.at >= poured]
    begins = poured
    for reading, after in zip_longest(told, told[1:]):
        if reading.at - begins > _READING_LASTS:
            return
        ends = reading.at + _READING_LASTS
        ends = min(ends, after.at) if after else ends
        if ends > begins:
            yield Spell(hours=(ends - begins) / timedelta(hours=1), c=reading.c)
        begins = ends


def _uses(job: Job, mix: Mix) -> tuple[Use, ...]:
    shapes = [need for need in job.need if isinstance(need, ShapeNeed)]
    found = {_USES[need.shape] for need in shapes if need.shape in _USES}
    if any(getattr(need, "box", None) == _FLOOR_BOX for need in shapes if need.shape == "slab-volume"):
        found.add("lay floor")
    known = tuple(use for use in get_args(Use) if use in found)
    return known or tuple(mix.uses)


def _thickness_mm(job: Job) -> float | None:
    sizes = [need.sizes().get("thickness_m") for need in job.need if isinstance(need, ShapeNeed)]
    depths = [1000 * size for size in sizes if isinstance(size, float | int)]
    return max(depths, default=None)


class SaidLine(NamedTuple):
    """Something said of the pour of a load: a task done, skipped or open again, a reading (°C), or its end."""

    kind: str
    do: str
    c: float | None
    by: str
    at: datetime
