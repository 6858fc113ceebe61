"""The steps of a mix for one kind of mixer: what goes in when, how long, why, and what it ends on."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from keeve.core.mixes.mixers import MixerKind, Order
from keeve.core.mixes.step_kinds import KINDS, Kind, StepKind
from keeve.core.rules.registry import Amount, Strict
from keeve.core.texts import Few, Name, Sentence


class _Step(Strict):
    """Every step: its kind, the command, its reason, and its least and greatest time in minutes.

    ``look``: the test whose drawings show how it looks when it is done, where that is shown and not judged.
    """

    kind: StepKind
    do: Sentence
    why: Sentence
    minutes: Annotated[tuple[Amount, Amount], Field(strict=False)]
    until: Sentence | None = None
    look: Name | None = None

    @property
    def kind_traits(self) -> Kind:
        """The kind of step it is."""
        return KINDS[self.kind]

    @model_validator(mode="after")
    def _time_forwards(self) -> Self:
        if self.minutes[0] > self.minutes[1]:
            raise ValueError("has minutes that run backwards: least first, greatest second")
        return self


class ChargeStep(_Step):
    """Put in a share of one component."""

    kind: Literal["charge"]
    material: Name
    share: Annotated[float, Field(gt=0, le=1)]


class WaterStep(_Step):
    """Put in a share of the start water, with admixtures stirred in where they are named."""

    kind: Literal["water"]
    share: Annotated[float, Field(gt=0, le=1)]
    admixtures: Few[Name] = []


class AdmixtureStep(_Step):
    """Put in admixtures by themselves: a powder among the dry, or late, when the mix has loosened."""

    kind: Literal["admixture"]
    admixtures: Annotated[Few[Name], Field(min_length=1)]


class WorkStep(_Step):
    """Mix, scrape, or let it rest: time and movement, no material."""

    kind: Literal["mix", "scrape", "rest"]


class JudgeStep(_Step):
    """Judge by one of the mix's tests; water in steps follows from what is read.

    A mix whose right state depends on the phase is judged more than once, each time by another test.
    """

    kind: Literal["judge"]
    test: Name


class PlaceStep(_Step):
    """Place within the working life."""

    kind: Literal["place"]


Step = Annotated[
    ChargeStep | WaterStep | AdmixtureStep | WorkStep | JudgeStep | PlaceStep, Field(discriminator="kind")
]


class Procedure(Strict):
    """The steps for one kind of mixer and one school of charging."""

    mixer: MixerKind
    order: Order
    why: Sentence
    steps: Annotated[Few[Step], Field(min_length=3)]
