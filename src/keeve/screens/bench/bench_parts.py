"""The parts of the bench: fills, doses, cards, counts, each as it is drawn and what a tap on it does."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from keeve.core.loads.actions.correct import Correcting
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Situation
from keeve.core.mixes.model import Reading, Test, driest_right
from keeve.core.planning.amounts import GaugedAmount, fill_of, gauged
from keeve.core.planning.plan import Load, LoadStep, Plan
from keeve.core.planning.vessel_loads import COUNTED
from keeve.core.stockpile.events import FEELS
from keeve.core.tolerances import whole_up
from keeve.figures.amounts import Dose, dose_of
from keeve.figures.labels import PILE_PARTS

# A charge of little more than one fill is not counted fill by fill.
_MORE_THAN_ONE = 1.2
# How dry a mix that is too dry looks: as dry as drawn, half way to right, nearly right.
_DRY_LOOKS = {"Crumbling": 0.0, "Still dry": 0.5, "Nearly right": 0.85}
# Nobody holds a hose longer, s.
_LONGEST_HOSE_S = 900
# What may be done out of turn: a step of the procedure.
STEPS = frozenset({"charge", "add_water", "admix", "mix", "rest"})


class Filling(NamedTuple):
    """One fill of the vessel a charge is counted in: its mass, and half of it where half fills are counted, kg."""

    vessel: str
    mass_kg: float
    half_kg: float | None


class TopUpLine(NamedTuple):
    """A material that a correction still adds, and which of how many it is."""

    material: str
    mass_kg: float
    amount: GaugedAmount
    number: int
    of: int


class AddedMaterial(NamedTuple):
    """A material that a correction adds, as it is measured."""

    material: str
    amount: GaugedAmount


class HalfDose(NamedTuple):
    """Half a dose more of an admixture that loosens."""

    name: str
    dose: Dose
    offer: Offer


class DryLook(NamedTuple):
    """How dry a mix that is too dry looks: its key, in words, and on the scale from 0 too dry to 1 too wet."""

    key: str
    words: str
    wetness: float


class JudgeCard(NamedTuple):
    """A reading as it is picked: what it looks like, what picking it does, and how dry it may be said to be."""

    reading: Reading
    look: str
    offer: Offer
    dry_looks: Sequence[DryLook]


class OutOfTurn(NamedTuple):
    """A step that can be done out of turn."""

    do: str
    offer: Offer


class Counted(NamedTuple):
    """A material that can be counted again: as planned, and the mass of one vessel where it is counted in those, kg."""

    material: str
    planned: GaugedAmount
    vessel_kg: float | None


class StockpileNews(NamedTuple):
    """News of the stockpile: in words, and the event it makes."""

    words: str
    event: Mapping[str, str | bool]


STOCKPILE_NEWS = (
    StockpileNews("It rained", {"kind": "rain"}),
    StockpileNews("New delivery", {"kind": "delivery"}),
    *(StockpileNews(words, {"kind": "dug", "part": part}) for part, words in PILE_PARTS.items()),
)
# A handful as it is squeezed.
HANDFULS = tuple(StockpileNews(feel.capitalize(), {"kind": "felt", "feel": feel}) for feel in FEELS)


def judge_cards(test: Test, now: Situation, can: Mapping[tuple[str, str], Offer]) -> list[JudgeCard]:
    """The readings that may be picked now."""
    found = []
    for reading, look in test.looks.items():
        offer = can.get(("judge", f"{now.position} {reading}"))
        if offer:
            dry = [
                DryLook(key, words, share * driest_right())
                for key, (words, share) in zip("789", _DRY_LOOKS.items(), strict=True)
            ]
            found.append(JudgeCard(reading, look, offer, dry if reading == "too-dry" else []))
    return found


def out_of_turn(steps: Sequence[LoadStep], can: Mapping[tuple[str, str], Offer]) -> list[OutOfTurn]:
    """The steps that can be done before the one in hand."""
    by_step = {target: offer for (action, target), offer in can.items() if action in STEPS}
    return [
        OutOfTurn(item.plan.do, by_step[str(item.plan.step)])
        for item in sorted(steps, key=lambda item: item.plan.step)
        if str(item.plan.step) in by_step
    ]


def other_use(plan: Plan) -> str:
    """A use in which a load that is not right for its job does no harm."""
    has_stone = any(item.sort == "stone" for item in plan.materials)
    return "blinding, backfill" if has_stone else "packing, backing up"


def filling(amount: GaugedAmount) -> Filling | None:
    """One fill of a charge; None where it is not counted fill by fill."""
    fill = fill_of(amount)
    if fill is None or fill.number <= _MORE_THAN_ONE:
        return None
    return Filling(fill.vessel, fill.mass_kg, fill.mass_kg / 2 if amount.gauge in COUNTED else None)


def _share(plan: Plan, load: Load, material: str, mass_kg: float) -> GaugedAmount:
    charge = load.charge(material)
    return gauged(plan, charge, mass_kg / charge.mass_kg)


def top_up(plan: Plan, load: Load, state: LoadState) -> TopUpLine | None:
    """The next material of a chosen correction; None where it adds no more."""
    if state.owed is None or not state.owed.add_kg:
        return None
    material, mass_kg = next(iter(state.owed.add_kg.items()))
    chosen = next((event for event in reversed(state.applied) if isinstance(event, Correcting)), None)
    count = len(chosen.add_kg) if chosen else len(state.owed.add_kg)
    number = count - len(state.owed.add_kg) + 1
    return TopUpLine(material, mass_kg, _share(plan, load, material, mass_kg), number, count)


def added_materials(plan: Plan, load: Load, add_kg: Mapping[str, float]) -> list[AddedMaterial]:
    """The materials of a correction, as they are measured."""
    return [AddedMaterial(name, _share(plan, load, name, kg)) for name, kg in add_kg.items()]


def half_doses(load: Load, can: Mapping[tuple[str, str], Offer]) -> list[HalfDose]:
    """Half doses that loosen without water."""
    return [
        HalfDose(item.name, dose_of(item, share=offer.amounts[0].default or 0.0), offer)
        for item in load.admixtures
        if item.loosens and (offer := can.get(("admix", item.name)))
    ]


def what_is_counted(plan: Plan, load: Load) -> list[Counted]:
    """The materials that can be counted again."""
    found = []
    for charge in load.charges:
        planned = gauged(plan, charge)
        fill = fill_of(planned) if planned.gauge in COUNTED else None
        found.append(Counted(charge.material, planned, fill.mass_kg if fill else None))
    return found


def hosed_l(state: LoadState, now: Situation) -> list[float]:
    """The litres that ran in at each second of the open hose; past what may go in they stay at that."""
    each_l = (state.flow_l_min or 0.0) / 60
    seconds = whole_up(now.water.remaining_l / each_l)
    return [
        min(each_l * second, now.water.remaining_l) for second in range(min(seconds, _LONGEST_HOSE_S) + 1)
    ]
