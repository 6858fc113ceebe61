"""Plausibility of the site: weather, stockpile, bags, empty weights, a ratio the wrong way round."""

from collections.abc import Iterator
from statistics import median

from keeve.core.mixes import has_stockpile, materials
from keeve.core.mixes.model import Mix, MixPart
from keeve.core.planning.job import Job
from keeve.core.rules.registry import RuleWarning
from keeve.core.tolerances import ROUNDING
from keeve.core.units import to_kept


def implausible_site(mix: Mix, job: Job) -> Iterator[RuleWarning]:
    """Air, stockpile, bags and vessels that look wrong, and ratios outside the mix's."""
    yield from _of_the_weather(mix, job)
    yield from _of_frost(mix, job)
    yield from _of_the_bags(mix, job)
    yield from _of_the_tares(job)
    for part in mix.parts:
        # What hangs on the binders can come to lie outside though it was left as it is.
        if part.name in job.parts or (part.of_binders and job.parts):
            yield from _of_the_ratio(part, part.parts)


_TOO_COLD = "Wait, or shelter and warm the work."
_TOO_WARM = "Start in the morning, in shade, with cool water."
# Air past that was typed in Fahrenheit, for nobody places in it.
_HOTTEST_C = 45.0


def _of_the_weather(mix: Mix, job: Job) -> Iterator[RuleWarning]:
    """Air too cold or too warm for the mix."""
    air_c = job.conditions.air_c
    if not mix.temperature_c or air_c is None or mix.temperature_c[0] <= air_c <= mix.temperature_c[1]:
        return
    least_c, greatest_c = mix.temperature_c
    cold = air_c < least_c
    candidates = (to_kept(air_c, "temperature", "us"), air_c / 10) if air_c > _HOTTEST_C else ()
    likely = next((value for value in candidates if least_c <= value <= greatest_c), None)
    yield RuleWarning(
        code="air_too_cold" if cold else "air_too_warm",
        message=f"{mix.name} is for air between {least_c:g} and {greatest_c:g} °C.",
        field="conditions.air_c",
        suggestion=_TOO_COLD if cold else _TOO_WARM,
        meant={"conditions.air_c": likely} if likely is not None else None,
    )


def _of_frost(mix: Mix, job: Job) -> Iterator[RuleWarning]:
    """A damp stockpile that is frozen, or probably is."""
    stockpile_c, air_c = job.conditions.stockpile_c, job.conditions.air_c
    if not has_stockpile(mix):
        return
    if stockpile_c is not None and stockpile_c <= 0:
        field, words = "conditions.stockpile_c", f"At {stockpile_c:g} °C the sand pile is frozen"
    elif stockpile_c is None and air_c is not None and air_c < 0:
        field, words = "conditions.air_c", f"At {air_c:g} °C a damp sand pile freezes"
    else:
        return
    yield RuleWarning(
        code="sand_frozen",
        message=f"{words}: melting lumps add water you haven't counted.",
        field=field,
        suggestion="Cover and thaw it, or wait. Never mix frozen sand.",
    )


_DAMAGED = {
    "soft-lumps": (
        "Cement with lumps has begun to set",
        "Sieve it, and use it only for minor work.",
    ),
    "damaged": ("Hard lumps, torn or wet bags are spoilt", "Use fresh bags."),
}


def _of_the_bags(mix: Mix, job: Job) -> Iterator[RuleWarning]:
    state = job.conditions.bags
    if state == "sound" or not any(materials()[part.material].is_binder for part in mix.parts):
        return
    words, mend = _DAMAGED[state]
    yield RuleWarning(
        code="bags_damaged",
        message=f"{words}: the mix will be weak, and nobody can say how weak.",
        field="conditions.bags",
        suggestion=mend,
    )


# An empty vessel weighs no more than that to a litre: thick steel.
_HEAVIEST_TARE_KG_L = 0.3
# As the rule ``tare`` has it: weighings of one kind of vessel agree to that.
_TARE_SHARE, _TARE_KG = 0.05, 0.1


def _of_the_tares(job: Job) -> Iterator[RuleWarning]:
    """Impossible tares, and vessels of one name with different tares."""
    for index, vessel in enumerate(job.vessels):
        if vessel.volume_l is None:
            continue
        field = f"vessels.{index}.tare_kg"
        alike = [other.tare_kg for other in job.vessels if other.name == vessel.name]
        middle = median(alike)
        if vessel.tare_kg > _HEAVIEST_TARE_KG_L * vessel.volume_l:
            tenth = vessel.tare_kg / 10
            yield RuleWarning(
                code="tare_unlikely",
                message=f"An empty {vessel.name} of {vessel.volume_l:g} L can't weigh {vessel.tare_kg:g} kg.",
                field=field,
                suggestion="Weigh it empty again.",
                meant={field: tenth} if tenth <= _HEAVIEST_TARE_KG_L * vessel.volume_l else None,
            )
        elif len(alike) > 2 and abs(vessel.tare_kg - middle) > max(_TARE_SHARE * middle, _TARE_KG):
            yield RuleWarning(
                code="tares_disagree",
                message=f"This {vessel.name} weighs {vessel.tare_kg:g} kg, the others {middle:g} kg.",
                field=field,
                suggestion="Weigh it empty again, or give it another name.",
                meant={field: middle},
            )


def _of_the_ratio(part: MixPart, own: float) -> Iterator[RuleWarning]:
    """Parts outside the span of the mix; the wrong way round where that would be inside."""
    if part.least is None or part.greatest is None:
        return
    if part.least - ROUNDING <= own <= part.greatest + ROUNDING:
        return
    turned = 1 / own
    if own < 1 and part.least - ROUNDING <= turned <= part.greatest + ROUNDING:
        yield RuleWarning(
            code="ratio_reversed",
            message=f"{own:g} parts of {part.name} to 1 of cement looks the wrong way round.",
            field=f"parts.{part.name}",
            suggestion=f"1 : {turned:g} is one of cement to {turned:g} of {part.name}.",
            meant={f"parts.{part.name}": turned},
        )
        return
    richer = own < part.least
    yield RuleWarning(
        code="ratio_outside",
        message=(
            f"{own:g} parts of {part.name} are {'fewer' if richer else 'more'} than this mix allows: "
            f"{part.richer if richer else part.leaner}."
        ),
        field=f"parts.{part.name}",
        suggestion=(
            f"Use {part.least:g} parts, or choose another mix."
            if part.least == part.greatest
            else f"Stay between {part.least:g} and {part.greatest:g} parts, or choose another mix."
        ),
    )
