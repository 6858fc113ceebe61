"""An action: one thing that may be done with a load, whole: its event, when and how it is offered, what it does.

A new kind of event is one new file beside this one, its words and a picture.
"""

from collections.abc import Iterable, Iterator
from typing import Any, ClassVar, Generic, NamedTuple, TypeVar

from keeve.core.errors import InputError
from keeve.core.loads.actions.offer import Amount, Offer
from keeve.core.loads.event import LoadEvent
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import Act, Situation
from keeve.core.planning.plan import Load, Plan
from keeve.core.tolerances import LEAST_POUR_L


class Moment(NamedTuple):
    """A load at a moment: its plan, its state, where it is in its procedure."""

    plan: Plan
    state: LoadState
    now: Situation


E = TypeVar("E", bound=LoadEvent)

# While a load is there, only what says so may be done with it.
_CLOSING: frozenset[Act] = frozenset({"accept", "dead", "clean", "strip", "dry", "stored", "done"})
ALWAYS = _CLOSING


class Action(Generic[E]):
    """One thing that may be done with a load.

    Args:
        id: how it is called.
        event: what is stored of it.
    """

    id: ClassVar[str]
    event: ClassVar[type[LoadEvent]]

    def offers(self, at: Moment) -> Iterable[Offer]:
        """Each way in which it may be done now, or may not, with the reason; none where a load never has it."""
        return ()

    def target(self, plan: Plan, event: E) -> str:
        """The target of the offer that an event takes up."""
        return ""

    def not_offered(self, at: Moment, event: E) -> InputError:
        """Why an event is no offer at all."""
        return InputError(
            "not_offered", f"kind {event.kind} isn't done with {at.plan.mix.name}. Reload the page.", ["kind"]
        )

    def check(self, at: Moment, event: E) -> None:
        """Check that an event is one of the offers, inside its bounds.

        Raises:
            InputError: it is not; one sentence says what to do instead.
        """
        self.check_amounts(at, self.taken(at, event), event)

    def taken(self, at: Moment, event: E) -> Offer:
        """The offer that an event takes up.

        Raises:
            InputError: it is none, or may not be taken now.
        """
        _refuse_unplanned(at.plan, event)
        target = self.target(at.plan, event)
        offer = next((held(one, at.now) for one in self.offers(at) if one.target == target), None)
        if offer is None:
            raise self.not_offered(at, event)
        if offer.refusal:
            raise offer.refusal
        return offer

    def check_amounts(self, at: Moment, offer: Offer, event: E) -> None:
        """Refuse a figure out of its bounds, one that is not asked for, and what is too soon."""
        bounds = {amount.name: amount for amount in offer.amounts}
        given = dict(_figures(event))
        for name, value in given.items():
            amount = bounds.get(name)
            if amount is None:
                raise InputError("other_amount", f"{name} isn't needed here. Reload the page.", [name])
            if value > amount.most + amount.slack or value < amount.least - amount.slack:
                raise InputError(*amount.over, [name], meant=_meant(name, value, amount))
        missing = [amount.name for amount in offer.amounts if amount.is_needed and amount.name not in given]
        if missing:
            raise InputError("other_amount", f"{missing[0]} is missing. Enter it.", missing)
        is_early = offer.ready_at is not None and event.occurred_at < offer.ready_at
        if offer.ready_at and is_early and getattr(event, "minutes", None) is None:
            seconds = (offer.ready_at - event.occurred_at).total_seconds()
            raise InputError(
                "not_yet",
                f"Not yet: {_span(seconds)} more. If you did it earlier, enter how long.",
                ["minutes"],
            )

    def apply(self, load: Load, state: LoadState, event: E) -> LoadState:
        """The state of a load after it."""
        return state


def held(offer: Offer, now: Situation) -> Offer:
    """An offer, refused where nothing of its kind may be done any more, or yet; a cast keeps its own reason."""
    if not is_closed(offer, now) or (offer.refusal and now.act in ("strip", "dry")):
        return offer
    if now.act == "accept":
        return offer.refused("not_accepted", "Do the checks first.")
    if now.act == "dead":
        return offer.refused(
            "past_life", "This load is past its working time. Throw it away. Water can't bring it back."
        )
    return offer.refused("load_done", "This load is done. Start the next one.")


def is_closed(offer: Offer, now: Situation) -> bool:
    """Whether nothing of its kind may be done any more, or yet."""
    return now.act == "taken_back" or (now.act in _CLOSING and now.act not in offer.still)


_FIGURES = (
    "mass_kg", "water_l", "volume_l", "minutes", "vessel_l", "seconds", "mix_c", "water_c", "slump_mm", "flow_mm",
    "air_fraction", "density_kg_m3",
)  # fmt: skip


def _figures(event: LoadEvent) -> Iterator[tuple[str, float]]:
    """The figures of an event by their paths."""
    of = vars(event)
    for name in _FIGURES:
        value = of.get(name)
        if value is not None:
            yield name, value
    for group in ("charged_kg", "add_kg", "doses"):
        for name, value in of.get(group, {}).items():
            yield f"{group}.{name}", value


# As many times over what is left, a figure has its decimal point in the wrong place; under that, all is meant.
_FAR_OVER = 3.0


def _meant(name: str, typed: float, amount: Amount) -> dict[str, float] | None:
    if not name.endswith("_l") or typed < amount.least:
        return None
    likely = typed / 10 if _FAR_OVER * amount.most < typed <= 10 * amount.most else amount.most
    return {name: likely} if likely >= LEAST_POUR_L else None


def _span(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes} min {rest:02d} s" if minutes else f"{rest} s"


def _refuse_unplanned(plan: Plan, event: LoadEvent) -> None:
    """Refuse a step or a material that the plan does not have."""
    said: dict[str, Any] = vars(event)
    number = said.get("step")
    if number is not None:
        step = next((item for item in plan.procedure if item.step == number), None)
        if step is None or step.kind_traits.event != event.kind:
            raise InputError(
                "unknown_step",
                f"step {number} of this plan is another kind of step. Reload the page.",
                ["step"],
            )
        if "material" in said and said["material"] != step.material:
            raise InputError(
                "wrong_material", f"material must be {step.material}. This step adds it.", ["material"]
            )
    materials = [material.name for material in plan.materials]
    admixtures = [item.name for item in plan.loads[0].admixtures]
    for group, known in (("add_kg", materials), ("charged_kg", materials), ("doses", admixtures)):
        if unknown := set(said.get(group, {})) - set(known):
            name = min(unknown)
            raise InputError(
                "unknown_material", f"{group} names {name!r}, which is not in this mix.", [f"{group}.{name}"]
            )
