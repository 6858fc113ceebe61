"""A set clock as it is shown: its stages, where it is in them, what it is counted by, and what may be seen."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import NamedTuple

from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.pre_start import SettingHistory
from keeve.core.loads.set_clock import SetClock, StageAt, set_clock
from keeve.core.planning.plan import Load, Plan
from keeve.core.rules.gypsum_time import Sight
from keeve.core.rules.workings import Workings
from keeve.figures.event_words import SIGHT_NAMES

# The line goes on past the last stage by this share of it.
_PAST_END = 1.12
# Better, or worse, by less than a point is neither.
_SAME_FRACTION = 0.01
STAGE_NAMES: Mapping[str, str] = {
    "sprinkle": "sprinkle",
    "soak": "soak",
    "mix": "stir",
    "stand": "wait",
    "pour": "pour",
    "thickening": "too thick",
    "hard": "hard and hot",
    "strip": "take out",
}


class BuildStage(NamedTuple):
    """A stage of building up: what it is like, what it is good for, what is lost by going on, and the sight of it."""

    name: str
    words: str
    good_for: str
    lost: str
    sight: Sight | None = None


BUILD_STAGES: Sequence[BuildStage] = (
    BuildStage("milk", "Milk", "Pour it, or brush it on a dry face.", "Too thin to stick."),
    BuildStage("cream", "Thin cream", "Dip cloth, splash on the first coat.", "Later the cloth picks up lumps."),
    BuildStage("thick-cream", "Thick cream", "Lay cloth, brush on, fill hollows.", "Later it won't flow in.",
               "gloss-going"),
    BuildStage("trowel", "Soft butter", "Trowel it on and leave it.", "Overworked, it slumps, then sets at once.",
               "like-butter"),
    BuildStage("carve", "Cheese", "Carve and scrape. Add nothing.", "Trowelled now, it loses strength.",
               "like-cheese"),
    BuildStage("hard", "Hard", "Wet it, then the next coat.", "Now only a rasp will cut it.", "thumb-firm"),
)  # fmt: skip


class LineStage(NamedTuple):
    """A stage on the line: its words, from when to when (min), whether it is placed in then, and when that is."""

    words: str
    from_min: float
    to_min: float
    is_placed: bool
    from_at: datetime | None


@dataclass(frozen=True)
class ClockFigures:
    """The figures of a set clock.

    Args:
        stages: its stages in order, of the pour or of building up.
        ends_min: where the line ends.
        met_at: when powder and water met; None before.
        stage: the stage it is in; empty before.
        now_in: the same in words.
        window: from when to when it is placed.
        window_min: the same, min after powder and water met.
        band_min: how far the beginning of that may be off, min, either way (80 % range).
        basis: what it is counted by, in sentences.
        has_closed: whether there is no time left to place it, as it thickens in the bucket.
    """

    stages: Sequence[LineStage]
    ends_min: float
    met_at: datetime | None
    stage: str
    now_in: str
    window: tuple[datetime | None, datetime | None]
    window_min: tuple[float, float]
    band_min: float
    basis: Sequence[str]

    @property
    def has_window(self) -> bool:
        """Whether there is any time to place it."""
        return self.window_min[1] > self.window_min[0]


# Standard deviations that hold four loads in five.
_EIGHTY = 1.2816


def clock_figures(plan: Plan, clock: SetClock, now: datetime | None = None) -> ClockFigures:
    """The figures of a set clock, at a moment where it runs."""
    build = not plan.mix.regime_traits.makes_casts
    stages = clock.build if build else clock.stages
    ends_min = stages[-1].from_min * _PAST_END
    begins, closes = clock.window_min
    stage = (clock.stage(now, build=build) or "") if now else ""
    return ClockFigures(
        stages=[_on_line(plan, clock, item, ends_min, build=build) for item in stages],
        ends_min=ends_min,
        met_at=clock.met_at,
        stage=stage,
        now_in=_words(stage, build=build) if stage else "",
        window=(clock.at(begins), clock.at(closes)),
        window_min=clock.window_min,
        band_min=_EIGHTY * clock.spread_fraction * begins,
        basis=_basis(clock),
    )


def planned_clock(plan: Plan, load: Load, setting: SettingHistory | None = None) -> ClockFigures | None:
    """The set clock of a load that is not begun, as the crew's own loads of its powder show; None: none runs it."""
    clock = set_clock(plan, load, LoadState(setting=setting), None, Workings())
    return clock and clock_figures(plan, clock)


def _words(stage: str, *, build: bool) -> str:
    """A stage in words."""
    names = {one.name: one.words.lower() for one in BUILD_STAGES} if build else STAGE_NAMES
    return names[stage]


def _on_line(plan: Plan, clock: SetClock, item: StageAt, ends_min: float, *, build: bool) -> LineStage:
    begins, closes = clock.window_min
    to_min = ends_min if item.to_min is None else item.to_min
    return LineStage(
        _words(item.name, build=build),
        item.from_min,
        to_min,
        item.from_min >= begins - 1e-6 and to_min <= closes + 1e-6,
        clock.at(item.from_min),
    )


# From that age on a powder may set sooner or later than fresh. Common practice, no source.
_AGED_MONTHS = 6.0


def _basis(clock: SetClock) -> list[str]:
    """The basis of a clock, in sentences."""
    if clock.seen:
        return [f"Re-timed from what you saw: {SIGHT_NAMES[clock.seen].lower()}."]
    old = f" and powder {clock.age_months:g} months old" if clock.age_months is not None else ""
    estimate = f"Estimate from ratio, size, mixing and water at {clock.water_c:.0f} °C{old}."
    own = clock.setting
    if own is None:
        aged = (clock.age_months or 0.0) >= _AGED_MONTHS
        unsure = [
            "Old powder can go off early and unevenly at first, and slowly once it's stale. Try a cupful."
        ]
        return [estimate, *(unsure if aged else []), "Tap what you see to re-time it."]
    slower = own.age_factor - 1
    how = "as estimated"
    if abs(slower) >= _SAME_FRACTION:
        how = f"{abs(slower) * 100:.0f} % {'slower' if slower > 0 else 'faster'}"
    loads = "load" if own.loads == 1 else f"{own.loads} loads"
    found = [estimate, f"Your last {loads} set {how}. Already included."]
    if own.loads > 1:
        before, lately = own.error_before_fraction, own.error_lately_fraction
        off = f"Error {before * 100:.0f} % at first, {lately * 100:.0f} % now"
        better = "improving" if lately < before - _SAME_FRACTION else "no better yet"
        found.append(f"{off}: {better}.")
    return found


class SightTap(NamedTuple):
    """A sight that may be told: its words, and what telling it does."""

    words: str
    offer: Offer


# What is seen of a pour; what is seen while building up is told by its stage.
_OF_A_POUR: Sequence[Sight] = ("gloss-going", "trail-closing", "trail-stays", "thumb-firm", "warmest")


def sights(can: Mapping[tuple[str, str], Offer]) -> list[SightTap]:
    """The sights of a pour that may be told now."""
    return [SightTap(SIGHT_NAMES[sight], can["see", sight]) for sight in _OF_A_POUR if ("see", sight) in can]


class Warmth(NamedTuple):
    """How the warmth of its water moves a load: from when to when it is placed, min."""

    water_c: float
    from_min: float
    to_min: float


# Of a cold cellar, a room, a warm day, °C.
_WATERS_C = (8.0, 14.0, 20.0, 26.0)


def by_warmth(plan: Plan, load: Load) -> list[Warmth]:
    """When a load would be placed with colder or warmer water; nothing of one without a set clock."""
    found = []
    for water_c in _WATERS_C:
        clock = set_clock(plan, load, LoadState(water_c=water_c), None, Workings())
        if clock:
            found.append(Warmth(water_c, *clock.window_min))
    return found


class Batches(NamedTuple):
    """Batches for building up: how many, how often one is started, how long all take, how long one may be used, min."""

    number: int
    each_min: float
    all_min: float
    used_min: float


def batches_of(plan: Plan) -> Batches | None:
    """How the batches of a plan follow each other, so that one is cream as the last passes the trowel; or None."""
    clock = set_clock(plan, plan.loads[0], LoadState(), None, Workings())
    if clock is None or plan.mix.regime_traits.makes_casts:
        return None
    starts = {item.name: item.from_min for item in clock.build}
    each_min = _between_batches_min(clock)
    count = len(plan.loads)
    return Batches(count, each_min, (count - 1) * each_min + starts["carve"], each_min)


def next_batch_at(clock: SetClock) -> datetime | None:
    """When to start the next batch, so that it is cream as this one passes the trowel stage; None before it runs."""
    each = timedelta(minutes=_between_batches_min(clock))
    return None if clock.met_at is None else clock.met_at + each


def _between_batches_min(clock: SetClock) -> float:
    """How long a batch is used: from when it is cream until it is past the trowel, min."""
    starts = {item.name: item.from_min for item in clock.build}
    return starts["carve"] - starts["cream"]
