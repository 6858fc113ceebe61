"""A mix: its parts, water, tests, limits, cautions and policy."""

from collections.abc import Collection
from typing import Annotated, Any, Literal, Self, get_args

from pydantic import BeforeValidator, Field, model_validator

from keeve.core.mixes.bases import BASES, Basis, BasisName
from keeve.core.mixes.mixers import NEAREST, MixerKind, Order
from keeve.core.mixes.procedures import AdmixtureStep, ChargeStep, JudgeStep, Procedure, Step, WaterStep
from keeve.core.mixes.regimes import REGIMES, Regime, RegimeName
from keeve.core.mixes.step_kinds import StepKind
from keeve.core.older_formats import MIX_STEPS, upgraded
from keeve.core.rules.admixtures import Basis as DoseBasis
from keeve.core.rules.registry import Air, Amount, Dimension, Fraction, Signed, Strict
from keeve.core.texts import ByName, Few, Name, Sentence
from keeve.core.tolerances import ROUNDING

Gauge = Literal["weight", "volume", "scale", "shovels"]
Reading = Literal["too-dry", "right", "too-wet", "not-mixed-yet"]
Hatch = Literal["cement", "lime", "sand", "stone", "hemp", "dry-mix", "paste", "water", "gypsum"]
# What a yard holds, as one looks for a mix by it.
Sort = Literal[
    "cement", "lime", "sand", "stone", "hemp", "silica fume", "slag", "fly ash", "plaster", "bags and pails"
]
Retempering = Literal["never", "remix_dry", "small_water", "remix_freely"]
# How a floor of it lies: on its base and bonded to it, on a membrane, on insulation (lightly or heavily loaded).
Support = Literal["bonded", "unbonded", "floating", "floating_loaded"]
Use = Literal["bed", "point", "render", "plaster", "lay floor", "pour", "cast", "infill", "top", "pack"]
# What moves the wetness a load is mixed to: what it is placed as; and the hands, the air and the base.
IntendedUse = Literal[
    "bricks",
    "roof",
    "pointing",
    "rendering",
    "plastering",
    "flat",
    "slope",
    "detail",
]
Surrounding = Literal["alone", "heat", "wind", "indoors", "thirsty"]
# Where one looks for a mix.
Trade = Literal["concrete", "mortar", "render and stucco", "lime", "screed", "overlay", "plaster", "hemp"]
Drawing = Literal[
    "trowel",
    "trowel-tap",
    "bleed",
    "drag-fold",
    "slow-fold",
    "slump-cone",
    "squeezed-ball",
    "stone-ball",
    "hemp-ball",
    "float",
    "thin-pour",
    "tint",
    "soft-peak",
    "self-level",
    "islands",
    "gloss-trail",
    "cloth",
    "plaster-stages",
]

# How quarters are written, of parts and of vessels.
QUARTERS: dict[float, str] = {0.25: "¼", 0.5: "½", 0.75: "¾"}
READING_NAMES: dict[Reading, Sentence] = {
    "too-dry": "Too dry",
    "right": "Right",
    "too-wet": "Too wet",
    "not-mixed-yet": "Not mixed yet",
}
# On the scale from 0, as dry as it is drawn, to 1, as wet: between these it is right. A judgement made here.
_RIGHT = (0.35, 0.65)


def reading_at(wetness: float) -> Reading:
    """The reading of a mix that looks so wet, from 0 too dry over 0.5 right to 1 too wet."""
    if wetness < _RIGHT[0]:
        return "too-dry"
    return "too-wet" if wetness > _RIGHT[1] else "right"


def driest_right() -> float:
    """How wet a mix looks, from 0 to 1, that is just not too dry any more."""
    return _RIGHT[0]


RETEMPERING_NAMES: dict[Retempering, str] = {
    "never": "Don't add water once it stiffens",
    "remix_dry": "Remix it, no water",
    "small_water": "Remix it, a few drops of water allowed",
    "remix_freely": "Remix it as often as needed",
}
# A span from least to greatest. A list in YAML and JSON, so not held to being a tuple; its numbers stay strict.
Span = Annotated[tuple[Signed, Signed], Field(strict=False)]


class Material(Strict):
    """The default figures of a material: densities in kg/m3, fractions over oven-dry mass.

    ``bag_kg`` is its usual bag, ``us_bag_kg`` that of the US. ``has_polymer``: it holds a polymer. ``is_dry``: it comes
    as a powder or grains, not as a paste in a pail.
    """

    name: Name
    sort: Sort
    hatch: Hatch
    bulk_density_kg_m3: Dimension
    particle_density_kg_m3: Dimension
    is_binder: bool
    moisture_fraction: Fraction = 0.0
    bulking_fraction: Amount = 0.0
    absorption_fraction: Fraction = 0.0
    has_polymer: bool = False
    is_dry: bool = True
    bag_kg: Dimension | None = None
    us_bag_kg: Dimension | None = None

    @property
    def is_stockpiled(self) -> bool:
        """Whether it comes loose and damp: sand or stone that is not sold dry in bags."""
        return self.sort in ("sand", "stone") and self.bag_kg is None


class MixPart(Strict):
    """A component of the mix.

    Args:
        name: its name on site.
        material: whose defaults it takes.
        parts: its parts, by the mix's basis; 0 of what is in it only where it is asked for.
        least: below this the mix is richer than it should be; None where no ratio is the user's to choose.
        greatest: above this it is leaner than it should be.
        of_binders: the same span as multiples of all the parts of binder, where it hangs on those.
        richer: what too few of these parts do to the mix.
        leaner: what too many do.
        unit: what it comes in, of a mix by the bag (bag, pail); None where it is weighed out to the first part.
    """

    name: Name
    material: Name
    parts: Amount
    least: Amount | None = None
    greatest: Dimension | None = None
    of_binders: Span | None = None
    richer: Sentence = ""
    leaner: Sentence = ""
    unit: Name | None = "bag"


class MixWater(Strict):
    """Free water over binder, by mass, and the share of the target that goes in before judging."""

    ratio_low: Dimension
    ratio_default: Dimension
    ratio_high: Dimension
    start_share: Annotated[float, Field(gt=0, le=1)]
    why: Sentence

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not self.ratio_low <= self.ratio_default <= self.ratio_high:
            raise ValueError("must rise from ratio_low over ratio_default to ratio_high")
        return self

    @property
    def is_fixed(self) -> bool:
        """Whether nothing of it is left to judgement."""
        return self.ratio_low == self.ratio_high and self.start_share == 1


class Proportion(Strict):
    """A named ratio of the mix with the water that goes with it, and what it is for."""

    name: Name
    use: Sentence
    parts: ByName[Dimension]
    water: MixWater


class Admixture(Strict):
    """An admixture the mix counts on.

    A product's dose comes from the user's label, never from here; only what the mix is defined by (fibres, a
    powder modifier) has a usual dose.

    Args:
        name: its name on site.
        why: what it does.
        usual_dose: the mix's own dose, where it has one.
        usual_basis: what that dose counts on; see the rule ``admixture-dose``.
        form: liquid or powder.
        usual_per_100kg: what such a product's label usually says, from least to greatest, mL of a liquid or g of a
            powder to 100 kg of binder: for catching slips only.
        carries_air: what of the mix's air it carries: without it the mix makes less.
        looks: how the mix looks with it, where that is not as without: it loosens the mix without water.
        optional: whether the mix works without it.
        packs: whether it comes as one pack a batch.
    """

    name: Name
    why: Sentence
    usual_dose: Dimension | None = None
    usual_basis: DoseBasis | None = None
    form: Literal["liquid", "powder"] = "liquid"
    usual_per_100kg: Span | None = None
    carries_air: Air = 0.0
    looks: Sentence = ""
    optional: bool = False
    packs: bool = False


class Test(Strict):
    """A consistency test: how it is done, how it is drawn, what each reading looks like and asks for.

    A test need not tell all four readings: a tint is even or it is not.
    """

    name: Name
    drawing: Drawing
    how: Sentence
    looks: dict[Reading, Sentence]
    answers: dict[Reading, Sentence]

    @model_validator(mode="after")
    def _tells_right(self) -> Self:
        if "right" not in self.looks or set(self.looks) != set(self.answers):
            raise ValueError("needs the look of right, and an answer to every look")
        return self


class Wetness(Strict):
    """How much wetter or drier than usual a mix is wanted for a placing, and why.

    ``shift``: the share of the way from the usual water to the wet end of its window, where positive, or to the dry
    end, where negative.
    """

    shift: Annotated[float, Field(ge=-1, le=1)]
    why: Sentence


def _uses_only(raw: Any) -> Any:
    """The wetness by use alone: who and where were among the uses once."""
    if not isinstance(raw, dict):
        return raw
    return {name: wanted for name, wanted in raw.items() if name not in get_args(Surrounding)}


class Caution(Strict):
    """A caution with a stable code."""

    code: Name
    text: Sentence


class TypicalLabel(Strict):
    """A label as such bags usually have it: to begin with, until one's own is read. Of one bag, kg and L."""

    bag_kg: Dimension
    yield_l: Dimension
    water_start_l: Dimension
    water_min_l: Dimension
    water_max_l: Dimension


class Preparation(Strict):
    """Something to do before the first load is mixed, how long it takes, min, and why."""

    do: Sentence
    minutes: Dimension
    why: Sentence


class Trouble(Strict):
    """Something that goes wrong in steps of a kind: as one says it, and what to do then."""

    name: Name
    steps: Annotated[Few[StepKind], Field(min_length=1)]
    answer: Sentence


class Provenance(Strict):
    """The origin of a figure of the mix."""

    figure: Sentence
    origin: Sentence


class School(Strict):
    """A question on which practitioners differ: the schools, and what is done here and why."""

    question: Sentence
    ways: Annotated[Few[Sentence], Field(min_length=2)]
    here: Sentence


class Mix(Strict):
    """A proportion, its water, procedures by kind of mixer, tests and limits.

    Args:
        version: of the format.
        trade: where one looks for it; None where nobody said.
        known_as: other names it goes by, and what it is used for, as one looks for it.
        basis: parts by loose volume, by dry mass, by the bag (whose label rules), or designed to a strength.
        water: None where the label or the design gives it.
        bags_a_batch: bags or pails that make one batch, no more and no fewer; None as many as the mixer takes.
        least_bag: the smallest part of a bag that may be mixed: 1, 0.5 or 0.25.
        absorption_min: how long an addition works in before a reading counts, min.
        regime: how a load of it is run.
        life_min: working life at about 20 °C from the start of its clock, min.
        water_fill: of a bucket, how full of water it may be at most; None where any fill will do.
        thickness_mm: least and greatest thickness of a coat or layer.
        wetness: where the use asks for another wetness than usual; the first is the usual one.
        surroundings: how the hands, the air and the base move it besides.
        supports: the thickness on each support it may be laid on, of a floor; ``thickness_mm`` spans them all.
        temperature_c: air between which it may be placed.
        over_mixing: what mixing it too long does, where that harms.
        leftovers: what to do with what is left.
        keeps: whether what was mixed keeps when it is sealed.
        procedures: for each kind of mixer and school of charging; the first of a mixer is its default.
        refuses: mixers it is not mixed in, with what goes wrong.
        typical_label: of a mix by the bag, a label as such bags have it.
        before: what is done before the first load is mixed, in order.
        troubles: what goes wrong on the way, with what to do then.
    """

    version: Literal[2]
    id: Annotated[str, Field(pattern=r"^[a-z0-9]+(-[a-z0-9.]+)*$", max_length=60)]
    name: Annotated[Name, Field(min_length=1)]
    trade: Trade | None = None
    known_as: Few[Annotated[Name, Field(min_length=1)]] = []
    basis: BasisName
    uses: Annotated[Few[Use], Field(min_length=1)]
    parts: Annotated[Few[MixPart], Field(min_length=1)]
    proportions: Few[Proportion] = []
    water: MixWater | None = None
    bags_a_batch: Annotated[int | None, Field(ge=1, le=10)] = None
    least_bag: Dimension = 1.0
    ratio_name: Sentence = "water to cement"
    air_fraction: Air
    admixtures: Few[Admixture] = []
    tests: ByName[Test] = {}
    absorption_min: Amount
    retempering: Retempering
    retempering_why: Sentence
    regime: RegimeName = "judged"
    life_min: Dimension
    water_fill: Fraction | None = None
    thickness_mm: Span | None = None
    supports: dict[Support, Span] = {}
    wetness: Annotated[dict[IntendedUse, Wetness], BeforeValidator(_uses_only)] = {}
    surroundings: dict[Surrounding, Wetness] = {}
    temperature_c: Span | None = None
    too_much_water: Sentence
    too_little_water: Sentence
    over_mixing: Sentence = ""
    placing: Sentence
    leftovers: Sentence = ""
    keeps: bool = False
    procedures: Annotated[Few[Procedure], Field(min_length=1)]
    refuses: dict[MixerKind, Sentence] = {}
    gauges: dict[Gauge, Sentence]
    cautions: Few[Caution]
    typical_label: TypicalLabel | None = None
    before: Few[Preparation] = []
    troubles: Few[Trouble] = []
    schools: Few[School] = []
    provenance: Few[Provenance]

    @model_validator(mode="before")
    @classmethod
    def _in_this_version(cls, raw: Any) -> Any:
        return upgraded(raw, "version", MIX_STEPS)

    @model_validator(mode="after")
    def _hangs_together(self) -> Self:
        names = {part.name for part in self.parts}
        if (self.water is not None) != self.basis_traits.has_water:
            raise ValueError(
                "has water by ratio unless it goes by the bag or by design, which give the water"
            )
        for proportion in self.proportions:
            if not set(proportion.parts) <= names:
                raise ValueError(f"proportion {proportion.name} names parts that the mix has not")
        if not self.regime_traits.water_in_steps and self.water and not self.water.is_fixed:
            raise ValueError(
                f"is {self.regime}, so all its water goes in at one ratio, with a start_share of 1"
            )
        if self.basis == "gypsum" and len(self.parts) != 1:
            raise ValueError("is gypsum plaster and water, so it has one part: the plaster")
        for procedure in self.procedures:
            self._check(procedure, names)
        return self

    def _check(self, procedure: Procedure, names: set[str]) -> None:
        """Refuse a procedure that names what the mix has not, or does not charge the whole of it."""
        where = f"procedure {procedure.mixer}, {procedure.order}"
        known = {admixture.name for admixture in self.admixtures}
        shares: dict[str, float] = dict.fromkeys([*names, "water"], 0.0)
        for step in procedure.steps:
            if isinstance(step, ChargeStep):
                if step.material not in names:
                    raise ValueError(f"{where} charges {step.material!r}, which is no part of the mix")
                shares[step.material] += step.share
            elif isinstance(step, WaterStep):
                shares["water"] += step.share
            elif isinstance(step, JudgeStep) and step.test not in self.tests:
                raise ValueError(f"{where} judges by {step.test!r}, which is no test of the mix")
            if step.look is not None and step.look not in self.tests:
                raise ValueError(f"{where} looks for {step.look!r}, which is no test of the mix")
            if isinstance(step, WaterStep | AdmixtureStep) and (unknown := set(step.admixtures) - known):
                raise ValueError(f"{where} names the admixture {unknown.pop()!r}, which the mix has not")
        if missing := self.regime_traits.must_have - {step.kind for step in procedure.steps}:
            raise ValueError(f"{where} has no {min(missing)} step")
        if uneven := [name for name, share in shares.items() if abs(share - 1) > ROUNDING]:
            raise ValueError(f"{where} does not charge the whole of {', '.join(sorted(uneven))}")

    def __hash__(self) -> int:
        """Of its id; whether it is the same mix is told by all of it."""
        return hash(self.id)

    @property
    def as_usual(self) -> "Mix":
        """The mix without what is in it only where it is asked for."""
        nothing = {part.name for part in self.parts if not part.parts}
        return self.without(nothing) if nothing else self

    def without(self, names: Collection[str]) -> "Mix":
        """The mix without these parts and admixtures, and without the steps that put in nothing else."""

        def is_left_out(step: Step) -> bool:
            if isinstance(step, AdmixtureStep):
                return set(step.admixtures) <= set(names)
            return isinstance(step, ChargeStep) and step.material in names

        procedures = [
            procedure.model_copy(
                update={"steps": [step for step in procedure.steps if not is_left_out(step)]}
            )
            for procedure in self.procedures
        ]
        parts = [part for part in self.parts if part.name not in names]
        admixtures = [item for item in self.admixtures if item.name not in names]
        return self.model_copy(update={"parts": parts, "admixtures": admixtures, "procedures": procedures})

    @property
    def is_moved(self) -> bool:
        """Whether who places it, and where, moves its water: it has a range to be moved in."""
        return bool(self.surroundings) and (
            self.basis_traits.asks_for == "label"
            or (self.water is not None and self.water.ratio_low < self.water.ratio_high)
        )

    @property
    def has_usual_water(self) -> bool:
        """Whether it has water of its own that is judged, so that a crew comes to a usual one."""
        return self.water is not None and not self.water.is_fixed and self.regime_traits.water_in_steps

    @property
    def basis_traits(self) -> Basis:
        """How its amounts come about."""
        return BASES[self.basis]

    @property
    def regime_traits(self) -> Regime:
        """How a load of it is run."""
        return REGIMES[self.regime]

    @property
    def ratio(self) -> str:
        """The parts as the trade writes them, such as 1 : 4 by volume."""
        match self.basis_traits.asks_for:
            case "label":
                return f"by the {self.parts[0].unit}"
            case "design":
                return "by strength and slump"
        if self.water and self.water.is_fixed and len(self.parts) == 1:
            name, water = self.parts[0].name, f"{self.water.ratio_default * 100:.3g}"
            return f"{water} water per 100 {name} by {self.basis_traits.measure}"
        parts = [part.parts for part in self.parts]
        tenths = [round(10 * part, 6) for part in parts]
        if parts[0] % 1 not in {0, *QUARTERS} and not any(part % 1 for part in tenths):
            parts = tenths
        return f"{' : '.join(map(_in_quarters, parts))} by {self.basis_traits.measure}"

    def procedure(self, mixer: MixerKind, order: Order | None) -> Procedure | None:
        """The steps for that mixer and order (its first order unless one is asked), or None."""
        return next(
            (item for item in self.procedures if item.mixer == mixer and order in (None, item.order)), None
        )

    def nearest(self, mixer: MixerKind, order: Order | None) -> Procedure | None:
        """The steps of the mixer that comes nearest, in that order if it can be; None where none does."""
        near = [
            self.procedure(kind, asked) for kind in NEAREST[mixer] for asked in dict.fromkeys((order, None))
        ]
        found = next((item for item in near if item), None)
        return found and found.model_copy(update={"mixer": mixer})

    def orders(self, mixer: MixerKind) -> list[Order]:
        """The schools of charging this mix has for that mixer, its default first."""
        return [item.order for item in self.procedures if item.mixer == mixer]


def _in_quarters(parts: float) -> str:
    """Parts as they are written: quarters as fractions, anything finer as a decimal."""
    whole, rest = divmod(parts, 1)
    return f"{int(whole) or ''}{QUARTERS[rest]}" if rest in QUARTERS else f"{parts:.3g}"
