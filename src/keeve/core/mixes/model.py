"""What a mix is: its parts, water, procedures by kind of mixer, test, cautions and policy."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from keeve.core.rules import Air, Amount, Dimension, Fraction, Strict

MixerKind = Literal["tilting-drum", "forced-action", "paddle", "tray", "two-buckets", "barrow"]
Order = Literal["water-first", "dry-first"]
Gauge = Literal["weight", "volume"]
Reading = Literal["too-dry", "right", "too-wet", "not-mixed-yet"]
Hatch = Literal["cement", "sand", "stone", "dry-mix", "water"]
Drawing = Literal["trowel", "squeezed-ball", "slow-fold", "slump-cone"]

MIXER_NAMES: dict[MixerKind, str] = {
    "tilting-drum": "Tilting drum",
    "forced-action": "Forced-action mixer",
    "paddle": "Paddle in a tub",
    "tray": "Mixing tray",
    "two-buckets": "Two buckets",
    "barrow": "Barrow",
}
ORDER_NAMES: dict[Order, str] = {"water-first": "Water first", "dry-first": "Dry first"}
# How quarters are written, of parts and of vessels.
QUARTERS: dict[float, str] = {0.25: "¼", 0.5: "½", 0.75: "¾"}
READING_NAMES: dict[Reading, str] = {
    "too-dry": "Too dry",
    "right": "Right",
    "too-wet": "Too wet",
    "not-mixed-yet": "Not mixed yet",
}


class Material(Strict):
    """Default figures of a material, densities in kg/m3, fractions over oven-dry mass."""

    name: str
    hatch: Hatch
    bulk_density_kg_m3: Dimension
    particle_density_kg_m3: Dimension
    is_binder: bool
    moisture_fraction: Fraction = 0.0
    bulking_fraction: Amount = 0.0
    absorption_fraction: Fraction = 0.0
    bag_kg: Dimension | None = None


class MixPart(Strict):
    """A component of the mix.

    Args:
        name: its name on site.
        material: whose defaults it takes.
        parts: its parts, by the mix's basis.
        least: below this the mix is richer than it should be; None where no ratio is the user's to choose.
        greatest: above this it is leaner than it should be.
        richer: what too few of these parts do to the mix.
        leaner: what too many do.
    """

    name: str
    material: str
    parts: Dimension
    least: Dimension | None = None
    greatest: Dimension | None = None
    richer: str = ""
    leaner: str = ""


class MixWater(Strict):
    """Free water over binder, by mass, and the share of the target that goes in before judging."""

    ratio_low: Dimension
    ratio_default: Dimension
    ratio_high: Dimension
    start_share: Annotated[float, Field(gt=0, le=1)]
    why: str

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not self.ratio_low <= self.ratio_default <= self.ratio_high:
            raise ValueError("must rise from ratio_low over ratio_default to ratio_high")
        return self


class Proportion(Strict):
    """A named ratio of the mix with the water that goes with it, and what it is for."""

    name: str
    use: str
    parts: dict[str, Dimension]
    water: MixWater


class Admixture(Strict):
    """An admixture the mix counts on.

    A product's dose comes from the user's label, never from here; only what is not sold by a label of its
    own (fibres) has a usual dose.
    """

    name: str
    why: str
    usual_dose: Dimension | None = None
    usual_basis: Literal["g_per_m3"] | None = None
    form: Literal["liquid", "powder"] = "liquid"


class _Step(Strict):
    """What every step has: the command, its reason, and its least and greatest time in minutes."""

    do: str
    why: str
    # A list in YAML and JSON, so not held to being a tuple; its numbers stay strict.
    minutes: Annotated[tuple[Amount, Amount], Field(strict=False)]
    reading: str | None = None

    @model_validator(mode="after")
    def _time_forwards(self) -> Self:
        if self.minutes[0] > self.minutes[1]:
            raise ValueError("has minutes that run backwards: least first, greatest second")
        return self


class ChargeStep(_Step):
    """Put in a share of one component."""

    kind: Literal["charge"]
    material: str
    share: Annotated[float, Field(gt=0, le=1)]


class WaterStep(_Step):
    """Put in a share of the start water, with admixtures stirred in where they are named."""

    kind: Literal["water"]
    share: Annotated[float, Field(gt=0, le=1)]
    admixtures: list[str] = []


class WorkStep(_Step):
    """Mix or scrape: time and movement, no material."""

    kind: Literal["mix", "scrape"]


class JudgeStep(_Step):
    """Judge by the mix's test; water in steps follows from what is read."""

    kind: Literal["judge"]
    test: str


class PlaceStep(_Step):
    """Place within the working life."""

    kind: Literal["place"]


Step = Annotated[ChargeStep | WaterStep | WorkStep | JudgeStep | PlaceStep, Field(discriminator="kind")]


class Procedure(Strict):
    """The steps for one kind of mixer and one school of charging."""

    mixer: MixerKind
    order: Order
    why: str
    steps: Annotated[list[Step], Field(min_length=3)]


class Test(Strict):
    """A consistency test: how it is done, how it is drawn, what each reading looks like and asks for."""

    name: str
    drawing: Drawing = "trowel"
    how: str
    looks: dict[Reading, str]
    answers: dict[Reading, str]


class Caution(Strict):
    """A caution with a stable code."""

    code: str
    text: str


class Provenance(Strict):
    """Where a figure of the mix comes from."""

    figure: str
    origin: str


class Mix(Strict):
    """A proportion, its water, procedures by kind of mixer, tests and limits."""

    id: Annotated[str, Field(pattern=r"^[a-z0-9]+(-[a-z0-9.]+)*$")]
    name: str
    basis: Literal["volume", "mass", "bag"]
    uses: list[str]
    parts: Annotated[list[MixPart], Field(min_length=1)]
    proportions: list[Proportion] = []
    water: MixWater | None
    ratio_name: str = "water to cement"
    air_fraction: Air
    admixtures: list[Admixture] = []
    tests: dict[str, Test]
    wet_out_min: Amount
    retempering: Literal["never", "remix_dry", "small_water", "remix_freely"]
    retempering_why: str
    life_min: Dimension
    too_much_water: str
    too_little_water: str
    placing: str
    procedures: Annotated[list[Procedure], Field(min_length=1)]
    refuses: dict[MixerKind, str] = {}
    gauges: dict[Gauge, str]
    cautions: list[Caution]
    provenance: list[Provenance]

    @model_validator(mode="after")
    def _hangs_together(self) -> Self:
        names = {part.name for part in self.parts}
        if (self.water is None) != (self.basis == "bag"):
            raise ValueError("has water by ratio unless it goes by the bag, whose label gives the water")
        for proportion in self.proportions:
            if not set(proportion.parts) <= names:
                raise ValueError(f"proportion {proportion.name} names parts that the mix has not")
        known = {admixture.name for admixture in self.admixtures}
        for procedure in self.procedures:
            where = f"procedure {procedure.mixer}, {procedure.order}"
            shares: dict[str, float] = dict.fromkeys([*names, "water"], 0.0)
            for step in procedure.steps:
                if isinstance(step, ChargeStep):
                    if step.material not in names:
                        raise ValueError(f"{where} charges {step.material!r}, which is no part of the mix")
                    shares[step.material] += step.share
                elif isinstance(step, WaterStep):
                    shares["water"] += step.share
                    if unknown := set(step.admixtures) - known:
                        raise ValueError(
                            f"{where} names the admixture {unknown.pop()!r}, which the mix has not"
                        )
                elif isinstance(step, JudgeStep) and step.test not in self.tests:
                    raise ValueError(f"{where} judges by {step.test!r}, which is no test of the mix")
            if missing := {"judge", "place"} - {step.kind for step in procedure.steps}:
                raise ValueError(f"{where} has no {missing.pop()} step")
            if uneven := [name for name, share in shares.items() if abs(share - 1) > 1e-9]:
                raise ValueError(f"{where} does not charge the whole of {', '.join(sorted(uneven))}")
        return self

    @property
    def ratio(self) -> str:
        """The parts as the trade writes them, such as 1 : 4 by volume."""
        if self.basis == "bag":
            return "by the bag"
        return f"{' : '.join(_in_quarters(part.parts) for part in self.parts)} by {self.basis}"

    def procedure(self, mixer: MixerKind, order: Order | None) -> Procedure | None:
        """The steps for that mixer and order (its first order unless one is asked), or None."""
        return next(
            (item for item in self.procedures if item.mixer == mixer and order in (None, item.order)), None
        )

    def orders(self, mixer: MixerKind) -> list[Order]:
        """The schools of charging this mix has for that mixer, its default first."""
        return [item.order for item in self.procedures if item.mixer == mixer]


def _in_quarters(parts: float) -> str:
    """Parts as they are written: quarters as fractions, anything finer as a decimal."""
    whole, rest = divmod(parts, 1)
    return f"{int(whole) or ''}{QUARTERS[rest]}" if rest in QUARTERS else f"{parts:g}"
