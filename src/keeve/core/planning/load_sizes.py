"""The sizes of the loads, and what other ways to size them would change."""

import math
from collections import Counter

from keeve.core.errors import InputError
from keeve.core.mixes.model import Mix, MixWater
from keeve.core.mixes.procedures import Step
from keeve.core.planning.job import Job
from keeve.core.planning.moulds import MouldNeed
from keeve.core.planning.plan import Alternative, Load, PlanVolume, Way
from keeve.core.planning.set_clock import clock_of, water_c_of, window_of
from keeve.core.rules.gypsum import plaster_vessel_fill
from keeve.core.rules.gypsum_time import plaster_stages
from keeve.core.rules.load_sizes import Limit, Loads, LoadSize, WholeBags, split_loads
from keeve.core.rules.registry import RuleWarning
from keeve.core.rules.workings import Workings
from keeve.core.tolerances import NEAR_ENOUGH_FRACTION, ROUNDING, is_over

# Mixers as they are sold and lent, mixed volume in L. Common practice, no source.
_MIXERS_L = (40.0, 60.0, 90.0, 120.0, 150.0, 200.0, 300.0)


# Less than a quarter of a bag is not told in bags.
_LEAST_OF_A_BAG = 0.25


def sized(
    job: Job, order_m3: float, mixer_l: float, life_min: float, bags: WholeBags | None, workings: Workings
) -> Loads:
    """The loads of a volume; a test batch comes first, and the rest is split as usual.

    Args:
        job: the job, for its pace and its test batch.
        order_m3: volume to make, m3.
        mixer_l: mixed volume per load, L.
        life_min: working life of the mix, min.
        bags: whole bags, where loads are sized by them.
        workings: keeps the rule that is run.
    """
    trial_m3 = (job.trial_l or 0.0) / 1000
    if job.trial_l and (trial_m3 >= order_m3 or is_over(job.trial_l, mixer_l)):
        raise InputError(
            "trial_too_large",
            "trial_l must be less than the order, and fit in the mixer.",
            ["trial_l"],
        )
    try:
        split = workings.run(
            split_loads,
            order_m3=order_m3 - trial_m3,
            mixer_working_l=mixer_l,
            whole_bags=bags,
            life_min=life_min if job.pace.placing_m3_h else None,
            placing_m3_h=job.pace.placing_m3_h,
            cycle_min=job.pace.cycle_min,
            keep_pace=job.pace.keep_pace,
            near_enough_fraction=NEAR_ENOUGH_FRACTION,
        )
    except InputError as fault:
        fault.fields = [_PATHS.get(field, field) for field in fault.fields]
        raise
    split = split.model_copy(update={"loads": _without_crumb(split.loads)})
    if not job.trial_l:
        return split
    rest = [item.model_copy(update={"number": item.number + 1}) for item in split.loads]
    return split.model_copy(update={"loads": [LoadSize(number=1, volume_m3=trial_m3), *rest]})


# Less of a bag than that is no load of its own. A judgement made here.
_CRUMB_OF_A_BAG = 0.2


def _without_crumb(loads: list[LoadSize]) -> list[LoadSize]:
    """The loads, the last of them no crumb of a bag: it shares with the one before, that in quarters of a bag."""
    if len(loads) < 2:
        return loads
    *_, before, last = loads
    if not (before.bags and last.bags) or last.bags >= _CRUMB_OF_A_BAG:
        return loads
    both, bag_m3 = before.bags + last.bags, before.volume_m3 / before.bags
    shared = math.floor(both / 2 / _LEAST_OF_A_BAG) * _LEAST_OF_A_BAG
    if not shared:
        return loads
    bags = (shared, both - shared)
    halves = [
        size.model_copy(update={"bags": one, "volume_m3": one * bag_m3})
        for size, one in zip((before, last), bags, strict=True)
    ]
    return [*loads[:-2], *halves]


class PouredLoads(Loads):
    """Loads, and by number what each is poured for, where a mould is poured in pieces."""

    pours: dict[int, str] = {}


def sized_by_pour(
    job: Job,
    volume: PlanVolume,
    mixer_l: float,
    life_min: float,
    bags: WholeBags | None,
    workings: Workings,
) -> PouredLoads:
    """The loads of a job: the pieces of its moulds are poured one after the other, each by loads of its own.

    Args:
        job: the job.
        volume: its volume, item by item.
        mixer_l: mixed volume per load, L.
        life_min: how long a load may be placed, min.
        bags: whole bags, where loads are sized by them.
        workings: keeps the rule that is run.
    """
    with_waste = volume.order_m3 / volume.net_m3
    moulds = [
        (item.name or "Mould", item.pieces_m3)
        for need, item in zip(job.need, volume.items, strict=True)
        if isinstance(need, MouldNeed) and len(item.pieces_m3) > 1
        for _ in range(need.count)
    ]
    # Moulds of one name, and copies of one mould, are told apart by their number.
    many = Counter(name for name, _ in moulds)
    so_far: Counter[str] = Counter()
    pieces: list[tuple[str, float]] = []
    for name, each_m3 in moulds:
        so_far[name] += 1
        own = f"{name} {so_far[name]}" if many[name] > 1 else name
        pieces += [
            (f"{own}, piece {number} of {len(each_m3)}", piece_m3)
            for number, piece_m3 in enumerate(each_m3, start=1)
        ]
    rest_m3 = volume.net_m3 - math.fsum(piece_m3 for _, piece_m3 in pieces)
    if not pieces:
        return PouredLoads(**dict(sized(job, volume.order_m3, mixer_l, life_min, bags, workings)))
    if rest_m3 > ROUNDING:
        pieces.insert(0, ("", rest_m3))
    loads: list[LoadSize] = []
    pours: dict[int, str] = {}
    limits: list[tuple[int, Limit]] = []
    for name, net_m3 in pieces:
        found = sized(job, net_m3 * with_waste, mixer_l, life_min, bags, workings)
        limits.append((len(found.loads), found.limit))
        for one in found.loads:
            loads.append(one.model_copy(update={"number": len(loads) + 1}))
            pours[len(loads)] = name
    return PouredLoads(loads=loads, limit=max(limits)[1], pours=pours)


def poured_in_parts(loads: list[Load]) -> list[RuleWarning]:
    """A word where a piece of a mould takes several loads: each sets by its own clock."""
    parts = Counter(load.pours for load in loads if load.pours)
    return [
        RuleWarning(
            code="piece_in_parts",
            message=f"{name} takes {count} loads.",
            field="mixer.working_l",
            suggestion="Use a larger bucket, or mix two at once and pour wet on wet.",
        )
        for name, count in parts.items()
        if count > 1
    ]


def batch_limits(
    mix: Mix, water: MixWater, job: Job, steps: list[Step], binder_kg_m3: float
) -> tuple[float, float]:
    """The most of a plaster mix that is mixed at once, L, and how long it may be poured, min.

    A bucket is filled with water to the mix's mark at most; a straight bucket of its volume is taken, whatever its
    shape: what it holds is the same.
    """
    most_l = job.mixer.working_l
    if mix.water_fill:
        side_m = (4 * job.mixer.full_l / 1000 / math.pi) ** (1 / 3)
        fill = plaster_vessel_fill(
            bucket_diameter_m=side_m,
            bucket_height_m=side_m,
            water_fill_fraction=mix.water_fill,
            water_per_100=water.ratio_default * 100,
        )
        most_l = min(most_l, fill.slurry_l)
    plaster_kg = binder_kg_m3 * most_l / 1000
    clock = clock_of(water.ratio_default, plaster_kg, steps, water_c_of(job.conditions), Workings())
    begins, ends = window_of(mix.regime_traits, clock) or (0.0, 0.0)
    if not mix.regime_traits.makes_casts:
        # Built up with, it has to be used from when it is cream until it is past the trowel.
        found = plaster_stages(factor=clock.factor, mixed_min=clock.starts("stand")).stages
        starts = {stage.name: stage.from_min for stage in found}
        begins, ends = starts["cream"], starts["carve"]
    # Where it thickens in the bucket there is no window: the clock's own warning says so.
    return most_l, ends - begins if ends > begins else mix.life_min


_PATHS = {
    "placing_m3_h": "pace.placing_m3_h",
    "cycle_min": "pace.cycle_min",
    "mixer_working_l": "mixer.working_l",
}


def alternatives(
    job: Job,
    order_m3: float,
    mixer_l: float,
    life_min: float,
    bags: WholeBags | None,
    chosen: Loads,
    other: tuple[Way, WholeBags | None] | None = None,
) -> list[Alternative]:
    """Other ways to size the loads: equal against whole bags, where there is a choice, and the next larger mixer.

    Args:
        job: the job.
        order_m3: volume to make, m3.
        mixer_l: mixed volume per load, L.
        life_min: working life of the mix, min.
        bags: whole bags, where the planned loads are sized by them.
        chosen: the loads as planned.
        other: the way that was not chosen, and its bags.
    """
    plain = job.model_copy(update={"trial_l": None})
    ways: list[tuple[Way, float, WholeBags | None]] = [(other[0], mixer_l, other[1])] if other else []
    larger = next((size for size in _MIXERS_L if size > job.mixer.working_l * 1.05), None)
    if larger and chosen.limit in ("mixer", "bag") and len(chosen.loads) > 1:
        # It holds as much more to the rim, where that is what limits.
        ways.append(("larger-mixer", larger * min(mixer_l / job.mixer.working_l, 1.0), bags))
    found = []
    for what, size_l, whole in ways:
        try:
            loads = sized(plain, order_m3, size_l, life_min, whole, Workings()).loads
        except InputError:
            # A way that cannot be gone is none to offer.
            continue
        if what == "larger-mixer" and len(loads) >= len(chosen.loads):
            continue
        if what == "whole-bags" and (loads[0].bags or 0) < _LEAST_OF_A_BAG:
            continue
        first, last = loads[0], loads[-1]
        found.append(
            Alternative(
                what=what,
                loads=len(loads),
                yield_l=first.volume_m3 * 1000,
                rest_l=last.volume_m3 * 1000 if last.volume_m3 < first.volume_m3 * 0.999 else None,
                bags=first.bags,
                mixer_l=larger if what == "larger-mixer" else None,
                meant={"mixer.working_l": larger}
                if what == "larger-mixer"
                else {"whole_bags": what == "whole-bags"},
            )
        )
    return found
