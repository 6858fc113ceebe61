"""A day in words: what breaks, what would help, what the weather asks for."""

from collections.abc import Sequence
from typing import NamedTuple

from keeve.core.day_plan.day import Break, Outcome
from keeve.core.day_plan.day_changes import DayChange
from keeve.core.day_plan.weather_limits import HourFor, Reason
from keeve.core.texts import counted


class WeatherWords(NamedTuple):
    """The weather's demand on a job: a reason with its worst figure, and from which hour to which (min of the day)."""

    job: int
    reason: Reason
    from_min: int
    to_min: int


def broken(titles: Sequence[str], each: Break) -> str:
    """A break, in a sentence."""
    title, loads = titles[each.job], _numbers(each.loads)
    it_is = "it's" if len(each.loads) == 1 else "they're"
    return {
        "dead": f"{title}: {loads} past working time before {it_is} placed.",
        "cold-joint": f"{title}: {loads} too late to bond: cold joint.",
        "no-weather": f"{title}: {loads} in weather too bad for this mix.",
        "late": f"{title}: {loads} not placed by 20:00.",
        "no-hands": f"{title}: not enough people to mix and place. {counted(len(each.loads), 'load')} not mixed.",
    }[each.kind]


def _numbers(loads: Sequence[int]) -> str:
    if len(loads) == 1:
        return f"load {loads[0]}"
    if list(loads) == list(range(loads[0], loads[-1] + 1)):
        return f"loads {loads[0]} to {loads[-1]}"
    return f"loads {', '.join(map(str, loads[:-1]))} and {loads[-1]}"


def change_words(titles: Sequence[str], change: DayChange) -> str:
    """A change, as one would tell it; a start is told by the page, which knows the clock."""
    title = titles[change.job] if change.job >= 0 else ""
    return {
        "hold-back": f"{title}: start each load just in time",
        "later": f"{title}: start at",
        "mixer": f"{title}: {change.to:.0f} mixers",
        "pace": f"{title}: place 50 % faster",
        "hands": f"{change.to:.0f} people",
        "fewer": f"{title}: only {counted(int(change.to), 'load')} today",
        "joints": f"{title}: plan a joint at each gap",
        "retarder": f"{title}: retarder giving {change.to:.0f} min at 20 °C",
        "smaller": f"{title}: halve the load size",
    }[change.kind]


def weather_words(outcome: Outcome) -> list[WeatherWords]:
    """The weather's demands in the hours in which each job is mixed, one line for each kind."""
    found: list[WeatherWords] = []
    for index, (loads, by_hour) in enumerate(zip(outcome.jobs, outcome.hours, strict=True)):
        ahead = [load for load in loads if not load.is_begun]
        if not ahead:
            continue
        first = int(min(load.pieces[0].from_min for load in ahead) // 60)
        last = min(int(max(load.placed_min for load in ahead) // 60), 23)
        found += _of_hours(index, first, by_hour[first : last + 1])
    return found


def _of_hours(job: int, first: int, hours: Sequence[HourFor]) -> list[WeatherWords]:
    spans: dict[str, WeatherWords] = {}
    for hour, suited in enumerate(hours, start=first):
        for reason in suited.reasons:
            known = spans.get(reason.why)
            worst = reason if known is None or abs(reason.figure) > abs(known.reason.figure) else known.reason
            begins = known.from_min if known else 60 * hour
            spans[reason.why] = WeatherWords(job, worst, begins, 60 * (hour + 1))
    return list(spans.values())
