"""The sizes of the loads, and what other ways to size them would change."""

from keeve.core.errors import InputError
from keeve.core.planning.job import Job
from keeve.core.planning.plan import Alternative, Way
from keeve.core.rules.load_sizes import Loads, LoadSize, WholeBags, split_loads
from keeve.core.rules.workings import Workings

# Mixers as they are sold and lent, mixed volume in L. Common practice, no source.
_MIXERS_L = (40.0, 60.0, 90.0, 120.0, 150.0, 200.0, 300.0)


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
    if job.trial_l and (trial_m3 >= order_m3 or job.trial_l > mixer_l):
        raise InputError(
            "trial_too_large",
            "trial_l must be less than the order and than what the mixer mixes at a time.",
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
        )
    except InputError as fault:
        fault.fields = [_PATHS.get(field, field) for field in fault.fields]
        raise
    if not job.trial_l:
        return split
    rest = [item.model_copy(update={"number": item.number + 1}) for item in split.loads]
    return split.model_copy(update={"loads": [LoadSize(number=1, volume_m3=trial_m3), *rest]})


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
    larger = next((size for size in _MIXERS_L if size > mixer_l * 1.05), None)
    if larger and chosen.limit in ("mixer", "bag") and len(chosen.loads) > 1:
        ways.append(("larger-mixer", larger, bags))
    found = []
    for what, size_l, whole in ways:
        try:
            loads = sized(plain, order_m3, size_l, life_min, whole, Workings()).loads
        except InputError:
            # A way that cannot be gone is none to offer.
            continue
        first, last = loads[0], loads[-1]
        found.append(
            Alternative(
                what=what,
                loads=len(loads),
                yield_l=first.volume_m3 * 1000,
                rest_l=last.volume_m3 * 1000 if last.volume_m3 < first.volume_m3 * 0.999 else None,
                bags=first.bags,
                mixer_l=size_l if what == "larger-mixer" else None,
            )
        )
    return found
