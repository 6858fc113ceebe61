"""The needs of a day: materials to buy or to load, water, tools and covers, as one list over its jobs."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from math import fsum
from typing import Literal, NamedTuple

from keeve.core.day_plan.day import DayJob, Outcome, Work
from keeve.core.day_plan.weather_limits import Why
from keeve.core.mixes.mixers import MIXER_NAMES
from keeve.core.mixes.model import Drawing, Hatch
from keeve.core.planning.plan import Load
from keeve.core.tolerances import NEAR_ENOUGH_FRACTION, whole_up

Group = Literal["materials", "water", "kit", "weather", "safety"]
# Water to rinse a mixer and the tools after a load, L (common practice, no source).
RINSE_L = 10.0


class Need(NamedTuple):
    """A line of the list: its group, a key that stays, its name, and how much of it, where that is a figure.

    ``hatch``: of a material. ``fresh``: it holds damp sand, so it keeps for the day only.
    """

    group: Group
    key: str
    name: str
    bags: int | None = None
    unit: str = "bag"
    bag_kg: float | None = None
    mass_kg: float | None = None
    volume_ml: float | None = None
    water_l: float | None = None
    pieces: int | None = None
    hatch: Hatch | None = None
    fresh: bool = False


def needs_of(jobs: Sequence[DayJob], works: Sequence[Work], outcome: Outcome) -> list[Need]:
    """Everything the loads of the day that are still to be mixed need.

    Judgements made here: bags of one material and one size are counted together over the jobs, and rounded up once.
    """
    left = [
        [
            load
            for load in work.plan.loads
            if load.number in {each.number for each in done if not each.is_begun}
        ]
        for work, done in zip(works, outcome.jobs, strict=True)
    ]
    return [
        *_materials(works, left),
        *_admixtures(left),
        *_water(left),
        *_kits(works, left),
        *_tools(jobs, works, left),
        *_for_weather(outcome),
        *(Need("safety", name, name) for name in _SAFETY if any(left)),
    ]


_SAFETY = ("Gloves, goggles, dust mask", "Clean water for skin and eyes", "First-aid box", "Tub for wash-out")


def _materials(works: Sequence[Work], left: Sequence[Sequence[Load]]) -> Iterator[Need]:
    found: dict[tuple[str, float | None], list[float]] = {}
    known = {}
    for work, loads in zip(works, left, strict=True):
        for charge in (charge for load in loads for charge in load.charges):
            material = work.plan.material(charge.material)
            at = (material.title, material.bag_kg)
            known[at] = material
            found.setdefault(at, []).append(charge.mass_kg)
    for (title, bag_kg), masses in sorted(found.items(), key=lambda item: item[0][0]):
        material, mass_kg = known[title, bag_kg], fsum(masses)
        # As the plans of the jobs buy it: nobody opens a bag for its last spoonful.
        bags = whole_up(mass_kg * (1 - NEAR_ENOUGH_FRACTION) / bag_kg) if bag_kg else None
        yield Need(
            "materials",
            f"{title} {bag_kg or ''}".strip(),
            title,
            bags=bags,
            unit=material.unit,
            bag_kg=bag_kg,
            mass_kg=mass_kg,
            hatch=material.hatch,
        )


def _admixtures(left: Sequence[Sequence[Load]]) -> Iterator[Need]:
    items = [item for loads in left for load in loads for item in load.admixtures]
    for name in sorted({item.name for item in items}):
        same = [item for item in items if item.name == name]
        packs = fsum(item.packs or 0.0 for item in same)
        volume_ml = fsum(item.volume_ml or 0.0 for item in same)
        mass_kg = fsum(item.mass_kg or 0.0 for item in same)
        yield Need(
            "materials",
            name,
            name.capitalize(),
            bags=whole_up(packs) if packs else None,
            unit="pack",
            volume_ml=volume_ml or None,
            mass_kg=mass_kg if mass_kg and not volume_ml else None,
        )


def _water(left: Sequence[Sequence[Load]]) -> Iterator[Need]:
    loads = [load for each in left for load in each]
    if loads:
        to_mix = fsum(load.water.ceiling_l for load in loads)
        yield Need("water", "tub", "Clean water for mixing", water_l=to_mix)
        yield Need("water", "rinse", "Water for cleaning", water_l=RINSE_L * len(loads))


def _kits(works: Sequence[Work], left: Sequence[Sequence[Load]]) -> Iterator[Need]:
    """Dry kits that may be weighed ahead, of what is mixed by weight."""
    for work, loads in zip(works, left, strict=True):
        if loads and work.plan.gauge in ("weight", "scale") and len(loads[0].charges) > 1:
            name = f"Pre-weighed dry batches: {work.plan.title}"
            yield Need("kit", f"{name} {work.plan.mix.id}", name, pieces=len(loads), fresh=work.plan.has_damp)


def _tools(jobs: Sequence[DayJob], works: Sequence[Work], left: Sequence[Sequence[Load]]) -> Iterator[Need]:
    busy = [(job, work) for job, work, loads in zip(jobs, works, left, strict=True) if loads]
    by_number = {mixer: MIXER_NAMES[work.plan.mixer.kind] for job, work in busy for mixer in job.mixers}
    for number, name in sorted(by_number.items()):
        yield Need("kit", f"mixer {number}", f"Mixer {number}: {name.lower()}")
    yield from _once("kit", (vessel.name.capitalize() for _, work in busy for vessel in work.plan.vessels))
    if any(work.plan.gauge in ("weight", "scale") for _, work in busy):
        yield Need("kit", "scale", "Scale and list of empty weights")
    tests = [test for _, work in busy for test in work.plan.tests.values()]
    yield from _once(
        "kit", (_TOOLS_OF_CHECKS[test.drawing] for test in tests if test.drawing in _TOOLS_OF_CHECKS)
    )


# Checks that are made with more than the eye and the hand.
_TOOLS_OF_CHECKS: Mapping[Drawing, str] = {
    "slump-cone": "Slump cone, rod and rule",
    "trowel": "Trowel",
    "trowel-tap": "Trowel",
    "drag-fold": "Trowel",
    "float": "Float",
}


def _once(group: Group, names: Iterable[str]) -> Iterator[Need]:
    yield from (Need(group, name, name) for name in dict.fromkeys(names))


_WHAT_WEATHER_NEEDS: Mapping[Why, str] = {
    "frost": "Frost blankets",
    "rain": "Rain sheets",
    "heavy-rain": "Rain sheets",
    "drying": "Wind break, mister, sheets",
    "thirsty": "Hose or brush for the base",
    "mix-hot": "Ice, shade for sand and tub",
    "mix-cold": "Warm water",
}


def _for_weather(outcome: Outcome) -> Iterator[Need]:
    whys = [
        reason.why
        for job in outcome.jobs
        for load in job
        if not load.is_begun
        for reason in load.hour.reasons
    ]
    yield from _once("weather", (_WHAT_WEATHER_NEEDS[why] for why in whys if why in _WHAT_WEATHER_NEEDS))
