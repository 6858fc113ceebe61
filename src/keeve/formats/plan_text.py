"""A plan as plain text, for a terminal or a scrap of paper."""

from collections.abc import Iterator

from keeve.core.mixes.mixers import MIXER_NAMES, ORDER_NAMES
from keeve.core.planning.plan import AdmixtureAmount, Load, LoadStep, Plan, Purchase, load_steps
from keeve.core.texts import counted
from keeve.core.units import in_figures


def plan_text(plan: Plan) -> str:
    """The plan as lines of text."""
    return "\n".join(_lines(plan)) + "\n"


def _lines(plan: Plan) -> Iterator[str]:
    yield f"{plan.title}: {plan.mix.name} {plan.mix.ratio}"
    yield (
        f"{in_figures(plan.volume.net_m3)} m3 needed, {in_figures(plan.volume.order_m3)} m3 with waste, "
        f"in {counted(len(plan.loads), 'load')}"
    )
    yield f"{MIXER_NAMES[plan.mixer.kind]}, {plan.mixer.working_l:g} L, {ORDER_NAMES[plan.order].lower()}"
    yield ""
    yield "Shopping list"
    for purchase in plan.shopping:
        yield f"  {purchase.material}: {_amount(purchase)}"
    for group in plan.loads_alike:
        yield ""
        yield f"{_numbers(group)}: {in_figures(group[0].yield_l, 1)} L each"
        for step in load_steps(plan, group[0]):
            yield f"  {step.plan.step}. {_step(step)}"
        water = group[0].water
        stockpile = (
            f" (plus {in_figures(water.in_aggregate_l, 1)} L already in the sand)"
            if water.in_aggregate_l > 0
            else ""
        )
        yield (
            f"  Water to add: start with {in_figures(water.start_l, 1)} L, target {in_figures(water.target_l, 1)} L, "
            f"max {in_figures(water.ceiling_l, 1)} L{stockpile}"
        )
    if plan.strength:
        yield ""
        yield (
            f"Strength at {plan.strength.age_days:g} days about {plan.strength.mpa:.0f} MPa, usually "
            f"{plan.strength.low_mpa:.0f} to {plan.strength.high_mpa:.0f}, if cured wet (an estimate)"
        )
    for title, texts in (
        ("Warnings", [f"{warning.message} {warning.suggestion}" for warning in plan.warnings]),
        ("Cautions", [caution.text for caution in plan.cautions]),
    ):
        if texts:
            yield ""
            yield title
            yield from (f"  {text}" for text in texts)


def _numbers(group: list[Load]) -> str:
    first, last = group[0].number, group[-1].number
    if first == last:
        return f"Load {first}"
    if last - first + 1 == len(group):
        return f"Loads {first} to {last}"
    return f"Loads {', '.join(str(load.number) for load in group)}"


def _amount(purchase: Purchase) -> str:
    if purchase.mass_kg is None:
        return counted(purchase.bags, purchase.unit) if purchase.bags else "see the label"
    bags = f", {counted(purchase.bags, purchase.unit)}" if purchase.bags is not None else ""
    volume = f", {in_figures(purchase.volume_ml)} mL" if purchase.volume_ml is not None else ""
    return f"{in_figures(purchase.mass_kg, 1)} kg{bags}{volume}"


def _step(step: LoadStep) -> str:
    amounts = []
    if step.mass_kg is not None and step.volume_l is not None:
        amounts.append(f"{in_figures(step.mass_kg, 1)} kg, {in_figures(step.volume_l, 1)} L")
        amounts += [f"{in_figures(vessel.count)} {vessel.name}" for vessel in step.vessels]
    if step.water_l is not None:
        amounts.append(f"{in_figures(step.water_l, 1)} L")
    amounts += [f"with {_admixture(item)}" for item in step.admixtures]
    least, greatest = step.plan.minutes
    if step.plan.kind_traits.is_counted:
        amounts.append(f"{least:g} to {greatest:g} min")
    return f"{step.plan.do}: {', '.join(amounts)}" if amounts else step.plan.do


def _admixture(item: AdmixtureAmount) -> str:
    if item.packs:
        return f"{item.name}, {item.packs:g} pack"
    if item.mass_kg is None:
        return f"{item.name} see the label"
    return (
        f"{item.name} {in_figures(item.volume_ml)} mL"
        if item.volume_ml is not None
        else f"{item.name} {in_figures(item.mass_kg * 1000)} g"
    )
