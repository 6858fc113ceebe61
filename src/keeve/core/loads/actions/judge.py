"""Judge it."""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.loads.actions.action import Action, Moment
from keeve.core.loads.actions.offer import Offer
from keeve.core.loads.corrections import judges_cohesion
from keeve.core.loads.event import (
    Cohesion,
    LoadEvent,
    StepNumber,
)
from keeve.core.loads.load_state import LoadState
from keeve.core.loads.next_step import last_judge
from keeve.core.loads.state_parts import (
    Judgement,
)
from keeve.core.mixes.model import Reading, reading_at
from keeve.core.planning.plan import Load, Plan


class Judged(LoadEvent):
    """It was judged. Without ``step`` the last judge step is meant.

    ``wetness``: how wet it looked between the drawings, 0 too dry, 0.5 right, 1 too wet.
    """

    kind: Literal["judged"]
    reading: Reading
    step: StepNumber | None = None
    wetness: Annotated[float | None, Field(ge=0, le=1)] = None
    cohesion: Cohesion | None = None


class Judge(Action[Judged]):
    """Judge it by the look of a test."""

    id, event = "judge", Judged

    def offers(self, at: Moment) -> Iterator[Offer]:
        """The readings of the test that is asked for; or those of every test, with the reason why not."""
        if not at.plan.mix.regime_traits.is_judged:
            return
        for judge in (step for step in at.plan.procedure if step.kind == "judge"):
            refusal = _no_reading(at, judge.step)
            looks = at.plan.tests[judge.test].looks if judge.test else {}
            cohesions = ("sandy", "rich") if judges_cohesion(at.plan) and "too-wet" in looks else ()
            event = {"kind": "judged", "step": judge.step}
            for reading in looks:
                target = f"{judge.step} {reading}"
                yield Offer(self.id, {**event, "reading": reading}, target, refusal=refusal)
            for cohesion in cohesions:
                fixed = {**event, "reading": "right", "cohesion": cohesion}
                yield Offer(self.id, fixed, f"{judge.step} {cohesion}", refusal=refusal)

    def target(self, plan: Plan, event: Judged) -> str:
        """Its step and what was read."""
        return f"{event.step or last_judge(plan)} {event.cohesion or event.reading}"

    def not_offered(self, at: Moment, event: Judged) -> InputError:
        """Say that it is no reading of the test, where there is one."""
        if event.cohesion:
            return InputError(
                "no_cohesion",
                f"{at.plan.mix.name} isn't judged sandy or rich. Leave cohesion out.",
                ["cohesion"],
            )
        if at.plan.mix.regime_traits.is_judged:
            return InputError(
                "other_reading",
                f"{event.reading} isn't a reading of this test. Choose one it has.",
                ["reading"],
            )
        return super().not_offered(at, event)

    def check_amounts(self, at: Moment, offer: Offer, event: Judged) -> None:
        """Refuse a reading that is not the one of the look that was given with it."""
        super().check_amounts(at, offer, event)
        if event.wetness is not None and event.reading not in ("not-mixed-yet", reading_at(event.wetness)):
            raise InputError(
                "other_reading",
                f"wetness {event.wetness:g} isn't {event.reading}. Choose the matching reading.",
                ["wetness"],
            )

    def apply(self, load: Load, state: LoadState, event: Judged) -> LoadState:
        """Keep the reading; it counts once there is water in it, whoever brought that, and it is mixed."""
        judgement = Judgement(
            event.reading,
            event.recorded_by,
            event.occurred_at,
            counts=state.is_mixed and (bool(state.water) or load.water.needs_none),
            step=event.step,
            water_l=state.water_l,
            mixing=state.mixings,
            wetness=event.wetness,
            cohesion=event.cohesion,
        )
        return state._replace(judgements=(*state.judgements, judgement), worked_at=event.occurred_at)


def _no_reading(at: Moment, step: int) -> InputError | None:
    now = at.now
    if now.is_before_reading:
        return InputError("not_yet", "Too early to judge. Mix it first.", ["reading"])
    if now.act == "place":
        return InputError("judged_right", "It was judged right. Undo that to judge it again.", ["reading"])
    if step != now.position:
        return InputError(
            "other_step", f"step must be {now.position}. That is the step to judge now.", ["step"]
        )
    if now.act != "judge":
        return InputError("judged_already", "Already judged. Mix it and judge again, or undo.", ["reading"])
    return None
