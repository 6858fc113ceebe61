"""Plausibility of doses: ten times too much or too little, missing, chlorides where they do harm."""

from collections.abc import Iterator

from keeve.core.mixes import materials
from keeve.core.mixes.model import Admixture, Mix
from keeve.core.planning.amounts import LEAST_DIVISIONS
from keeve.core.planning.job import AdmixtureLabel, Job
from keeve.core.planning.plan import AdmixtureAmount, Load
from keeve.core.rules.admixtures import CWT_US_KG, FLOZ_US_ML
from keeve.core.rules.registry import RuleWarning

# A label may say that much more or less than is usual before a word is said.
_ROOM = 2.0


def implausible_doses(mix: Mix, job: Job, loads: list[Load]) -> Iterator[RuleWarning]:
    """Doses that are unusual or missing, and chlorides near steel or polymer."""
    known = {item.name: item for item in mix.admixtures}
    for amount in loads[0].admixtures:
        if amount.mass_kg is None and amount.packs is None:
            yield RuleWarning(
                code="no_label_dose",
                message=f"No dose for the {amount.name} yet." + _short_of_air(mix, known[amount.name]),
                field="admixtures",
                suggestion="Type the dose from the bottle to see how much.",
            )
        yield from _of_the_scale(job, amount)
        for index, label in enumerate(job.admixtures):
            if label.name == amount.name:
                yield from _of_the_dose(
                    f"admixtures.{index}.dose", label, known[label.name], amount, loads[0]
                )
    for index, label in enumerate(job.admixtures):
        yield from _of_chlorides(f"admixtures.{index}.with_chlorides", label, mix, job)


def _short_of_air(mix: Mix, undosed: Admixture) -> str:
    """The volume that a load lacks without the admixture that carries its air, in a sentence."""
    without = mix.air_fraction - undosed.carries_air
    less = 1 - (1 - mix.air_fraction) / (1 - without)
    return (
        f" It carries air. Without it the load makes about {less:.0%} less.".replace("%", " %")
        if undosed.carries_air
        else ""
    )


def _of_the_dose(
    field: str, label: AdmixtureLabel, usual: Admixture, amount: AdmixtureAmount, load: Load
) -> Iterator[RuleWarning]:
    counted = _counted(label, usual, amount, load)
    if counted is None:
        return
    dose, (least, greatest), unit = counted
    if least / _ROOM <= dose <= greatest * _ROOM:
        return
    likely = next((part for part in (0.1, 10.0) if least <= dose * part <= greatest), None)
    yield RuleWarning(
        code="dose_tenfold" if likely else "dose_unusual",
        message=(
            f"{round(dose, 1):g} {unit} is far {'under' if dose < least else 'over'} what labels of {label.name} "
            f"usually say ({least:g} to {greatest:g})."
        ),
        field=field,
        suggestion="Check the decimal point and the unit on the label.",
        meant={field: label.dose * likely} if likely else None,
    )


def _counted(
    label: AdmixtureLabel, usual: Admixture, amount: AdmixtureAmount, load: Load
) -> tuple[float, tuple[float, float], str] | None:
    """The dose, its usual span, and the unit of both; None where there is nothing to compare it with."""
    is_liquid = label.form == "liquid"
    measured = amount.volume_ml if is_liquid else (amount.mass_kg or 0.0) * 1000
    if usual.usual_per_100kg and measured:
        per_100kg, span = measured / load.binder_kg * 100, usual.usual_per_100kg
        # In the unit of the label where that is one of the two that labels have.
        if is_liquid and label.basis == "floz_per_us_cwt":
            each = FLOZ_US_ML * 100 / CWT_US_KG
            least, greatest = (round(one / each, 1) for one in span)
            return per_100kg / each, (least, greatest), "US fl oz per US cwt of cement and lime"
        return per_100kg, span, f"{'mL' if is_liquid else 'g'} per 100 kg of cement and lime"
    if usual.usual_dose and label.basis == usual.usual_basis and label.dose:
        return label.dose, (usual.usual_dose / 2, usual.usual_dose * 2), "of the unit on the label"
    return None


def _of_the_scale(job: Job, amount: AdmixtureAmount) -> Iterator[RuleWarning]:
    """A powder that no scale of the job can weigh."""
    if not job.scales or amount.mass_kg is None or amount.volume_ml is not None or amount.counted_in:
        return
    least_g, dose_g = LEAST_DIVISIONS * min(scale.division_g for scale in job.scales), amount.mass_kg * 1000
    if dose_g < least_g:
        yield RuleWarning(
            code="scale_too_coarse",
            message=f"{dose_g:.3g} g of {amount.name} is under {LEAST_DIVISIONS} divisions of your scale.",
            field="scales",
            suggestion=f"Use a finer scale, or weigh doses for several loads at once ({least_g:g} g or more).",
        )


def _of_chlorides(field: str, label: AdmixtureLabel, mix: Mix, job: Job) -> Iterator[RuleWarning]:
    if not label.with_chlorides:
        return
    has_polymer = any(materials()[part.material].has_polymer for part in mix.parts)
    if job.conditions.near_steel or has_polymer:
        harm = "it corrodes the steel" if job.conditions.near_steel else "it spoils the polymer"
        yield RuleWarning(
            code="chlorides",
            message=f"The {label.name} could contain chlorides: {harm}.",
            field=field,
            suggestion="Use one labelled chloride-free.",
        )
