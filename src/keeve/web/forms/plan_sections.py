"""The plan form as data: its sections, each field once, with its path in the job file and the mixes that ask for it.

The page draws these sections, the answer is read by them, the yard fills them in, and a fold is open where something
in it was given.
"""

from collections.abc import Iterator, Mapping
from typing import NamedTuple

from keeve.core.mixes import has_stockpile, materials
from keeve.core.mixes.mixers import MIXER_NAMES, ORDER_NAMES, USUAL_L
from keeve.core.mixes.model import Admixture, Laying, Mix
from keeve.core.planning.plausibility.labels import KINDS_OF_BAG, WANTED_BAGS
from keeve.core.planning.site_mix import WATER as WATER_VESSEL
from keeve.core.units import Kind
from keeve.web.forms.fields import Choice, Field, Number, Rows, Text, is_given, members
from keeve.web.forms.shapes import SHAPES, asked_of


class Group(NamedTuple):
    """Fields that are always shown; rows below them."""

    fields: list[Field]
    rows: list[Rows] = []
    note: str = ""


class Fold(NamedTuple):
    """Fields or rows behind a line that opens; ``value`` says in that line what they hold."""

    label: str
    fields: list[Field] = []
    rows: list[Rows] = []
    value: str = ""

    def is_open(self, values: Mapping[str, str]) -> bool:
        """Whether it starts open: something in its fields was given."""
        return any(is_given(field, values) for field in self.fields)


class Section(NamedTuple):
    """A part of the form under a heading; ``item`` is the number of the job's item it is about."""

    heading: str
    parts: list[Group | Fold]
    item: int | None = None
    is_last_item: bool = False

    @property
    def parts_of_item(self) -> int:
        """How many of its parts are of the item itself; the waste of the whole job comes after the last one."""
        return len(self.parts) - self.is_last_item

    def fields(self, values: Mapping[str, str]) -> Iterator[Field]:
        """Every field of the section that a form with these values has."""
        for part in self.parts:
            yield from part.fields
            for rows in part.rows:
                for row in rows.standing(values):
                    yield from row


def sections(mix: Mix, shapes: list[str], values: Mapping[str, str]) -> list[Section]:
    """The sections of the form besides the job's name and mix.

    Args:
        mix: the chosen mix.
        shapes: the shape of each item of the job.
        values: what the form has, for the number of rows and the words of folds.
    """
    span_mm = mix.layings.get(_laid(mix, values)) or mix.thickness_mm
    items = [_item_section(shape, index, len(shapes), values, span_mm) for index, shape in enumerate(shapes)]
    return [*items, _mix_section(mix, values), _mixer_section(mix, values)]


WASTE = Number("Waste", ("waste_fraction",), percent=True, default=0.10)


def _item_section(
    shape: str, index: int, count: int, values: Mapping[str, str], span_mm: tuple[float, float] | None
) -> Section:
    parts: list[Group | Fold] = [Group(*asked) for asked in asked_of(shape, index, values, span_mm)]
    if count > 1:
        parts.insert(0, Group([Text("Name", ("need", index, "name"))]))
    if index == count - 1:
        parts.append(Group([WASTE]))
    heading = "What are you making?" if count == 1 else f"Item {index + 1}"
    return Section(heading, parts, index, is_last_item=index == count - 1)


def _mix_section(mix: Mix, values: Mapping[str, str]) -> Section:
    unit = mix.parts[0].unit or "bag"
    note = "" if mix.proportions else f"{mix.ratio[:1].upper()}{mix.ratio[1:]}."
    if mix.is_made.asks_for == "label":
        note += f" From the label on your {unit}:"
    folds = [
        Fold("More from the label", _label_more(mix)),
        Fold(f"Your own ratio, parts to 1 of {mix.parts[0].name}", _own_ratio(mix)),
        Fold("In place of cement", list(_REPLACED) if mix.is_made.asks_for == "design" else []),
        Fold("Your own ratio of water and plaster", _PLASTER if mix.basis == "gypsum" else []),
        Fold("Your own densities and bags (optional)", _densities(mix)),
        Fold("Prices", _prices(mix)),
        *(
            Fold(f"{item.name[:1].upper()}{item.name[1:]}, from your label", _admixture_label(mix, number))
            for number, item in enumerate(dosed(mix))
        ),
        Fold("Site check: bags, sand pile, steel", _site_check(mix)),
    ]
    asked = [
        *_proportion(mix),
        *_laying(mix),
        *_packs(mix),
        *_materials(mix),
        *_design(mix, values),
    ]
    return Section(mix.name, [Group(asked, note=note), *(fold for fold in folds if fold.fields)])


def _mixer_section(mix: Mix, values: Mapping[str, str]) -> Section:
    by_parts = not mix.is_made.is_blended
    asked: list[Field] = [*_mixer(mix, values), _ORDER, *((*_LOADS, _GAUGE) if by_parts else ())]
    buckets = ", ".join(vessel.get("name", "") for vessel in members(values, "vessels")) or "none"
    scales = len(members(values, "scales"))
    parts: list[Group | Fold] = [Group(asked)]
    if by_parts:
        parts.append(Fold("Your buckets", rows=[vessels(mix)], value=buckets))
    parts.append(Fold("Speed", list(_PACE)))
    parts.append(Fold("Your scales", rows=[SCALES], value=str(scales or "none")))
    return Section("Mixer", parts)


# A drum or pan of 6 ft³, as they are sold in the US, L.
_US_DRUM_L = 169.9
# What is used up before it sets, L.
_STAGED_L = 2.5


def _mixer(mix: Mix, values: Mapping[str, str]) -> list[Field]:
    kind = next((kind for kind in MIXER_NAMES if kind == values.get("mixer.kind")), mix.procedures[0].mixer)
    by_hand = mix.procedures[0].mixer == "bucket"
    staged = mix.is_run.placed_in is not None and not mix.is_run.makes_casts
    most_l = _STAGED_L if staged else USUAL_L[kind]
    return [
        Choice("Type of mixer", ("mixer", "kind"), MIXER_NAMES, needed=True, redraws=True),
        Number(
            "Mixed volume per load",
            ("mixer", "working_l"),
            "mixed_volume",
            default=most_l,
            default_us=_US_DRUM_L if most_l == USUAL_L["tilting-drum"] else None,
            needed=True,
        ),
        Number("Bucket size, full" if by_hand else "Drum size, full", ("mixer", "drum_l"), "mixed_volume"),
        Number("Air temperature", ("conditions", "air_c"), "temperature"),
        Number("Water temperature", ("conditions", "water_c"), "temperature"),
    ]


_PLASTER: list[Field] = [
    Number("Amount", ("plaster", "amount")),
    Choice(
        "Given as",
        ("plaster", "basis"),
        {
            "water_per_100": "Water to 100 of plaster, by weight",
            "lb_per_us_qt": "Pounds of plaster to a US quart of water",
            "kg_per_l": "Kilograms of plaster to a litre of water",
        },
        needed=True,
    ),
]
_ORDER = Choice("Loading order", ("order",), {None: "Recommended", **ORDER_NAMES})
_LOADS = (
    Choice("Loads", ("whole_bags",), {False: "Equal", True: "Whole bags of cement or lime"}),
    Number("Test batch first (optional)", ("trial_l",), "mixed_volume"),
)
_GAUGE = Choice(
    "Measure",
    ("gauge",),
    {
        "weight": "By weight",
        "scale": "Scale reading, bucket included",
        "volume": "Level buckets and whole bags",
        "shovels": "Shovels (small jobs)",
    },
)
SCALES = Rows(
    "Scales",
    ("scales",),
    "Scale",
    (
        Number("Weighs up to", ("capacity_kg",), "mass", needed=True),
        Number("Smallest division, g", ("division_g",), needed=True),
    ),
    least=0,
    most=6,
)
_PACE = (
    Number("You place per hour", ("pace", "placing_m3_h"), "volume"),
    Number("Minutes per load", ("pace", "cycle_min")),
    Choice(
        "Keep loads small enough to place at once",
        ("pace", "keep_pace"),
        {False: "No", True: "Yes"},
    ),
)
_BY_STRENGTH: tuple[Field, ...] = (
    Number(
        "Target strength (mean), 28 days", ("design", "strength_mpa"), "strength", default=25.0, needed=True
    ),
    Number("Slump, from", ("design", "slump_mm", 0), "size", default=75.0, needed=True),
    Number("Slump, to", ("design", "slump_mm", 1), "size", default=100.0, needed=True),
)
_BY_CONTENT: tuple[Field, ...] = (
    Number(
        "Cement, with what replaces it",
        ("design", "binder_kg_m3"),
        "density",
        default=330.0,
        needed=True,
    ),
    Number("Water over that, by weight", ("design", "w_cm"), default=0.5, needed=True),
)
_DESIGN: tuple[Field, ...] = (
    Number("Largest stone", ("design", "stone_max_mm"), "size", default=19.0, needed=True),
    Number("Fineness modulus of the sand", ("design", "fineness_modulus"), default=2.8, needed=True),
    Number(
        "Stone, dry-rodded density",
        ("design", "stone_rodded_density_kg_m3"),
        "density",
        default=1600.0,
        needed=True,
    ),
    Choice(
        "Exposure",
        ("design", "exposure"),
        {"mild": "Mild", "moderate": "Moderate", "severe": "Severe: frost and water"},
    ),
    Choice("Air", ("design", "air_entrained"), {False: "No air entrained", True: "Air entrained"}),
)
# What takes the place of cement, as a share of the binder.
_REPLACED: tuple[Field, ...] = (
    Number("Ground slag", ("design", "slag_fraction"), percent=True),
    Number("Fly ash", ("design", "fly_ash_fraction"), percent=True),
    Number("Silica fume", ("design", "silica_fume_fraction"), percent=True),
)


def _design(mix: Mix, values: Mapping[str, str]) -> list[Field]:
    if mix.is_made.asks_for != "design":
        return []
    ways = {"strength": "By strength and slump", "content": "By its cement and water"}
    by = Choice("Designed", ("design", "by"), ways, redraws=True)
    asked = _BY_CONTENT if values.get("design.by") == "content" else _BY_STRENGTH
    return [by, *asked, *_DESIGN]


# A 5 gal pail.
_US_PAIL_L = 18.927
VESSEL_KINDS = {"level": "Bucket, filled level", "shovel": "Shovel, heaped", "bag": "Whole bag"}


def vessels(mix: Mix) -> Rows:
    """The vessels that materials are measured in."""
    options: dict[str | None, str] = {
        None: "Everything",
        **{part.name: part.name.capitalize() for part in mix.as_usual.parts},
        WATER_VESSEL: "Water",
    }
    return Rows(
        "Buckets",
        ("vessels",),
        "Bucket",
        (
            Text("Name", ("name",), default="bucket", needed=True),
            Number("Volume", ("volume_l",), "vessel", default=12.0, default_us=_US_PAIL_L),
            Number("Empty weight", ("tare_kg",), "mass"),
            Choice("Type", ("kind",), VESSEL_KINDS),
            Choice("Used for", ("material",), options),
        ),
        least=0,
        most=6,
    )


def _proportion(mix: Mix) -> list[Field]:
    options = {item.name: f"{item.name} · {item.use}" for item in mix.proportions}
    return [Choice("Proportion", ("proportion",), options)] if options else []


# The commonest first: the empty form shows it.
_LAYINGS: Mapping[Laying, str] = {
    "unbonded": "On a membrane, unbonded",
    "bonded": "Bonded to its base",
    "floating": "Floating on insulation, in a home",
    "floating_loaded": "Floating on insulation, more load",
}


def _laying(mix: Mix) -> list[Field]:
    options: dict[Laying | None, str] = {
        laying: words for laying, words in _LAYINGS.items() if laying in mix.layings
    }
    if not options:
        return []
    return [Choice("How it lies", ("laying",), options | {None: "Not said"}, needed=True, redraws=True)]


def _laid(mix: Mix, values: Mapping[str, str]) -> Laying:
    """How a floor of the mix lies on a form: as is chosen there, or what the empty one shows."""
    known = [laying for laying in _LAYINGS if laying in mix.layings]
    return next((laying for laying in known if laying == values.get("laying")), (known or ["unbonded"])[0])


def _packs(mix: Mix) -> list[Field]:
    """Whether a pack that may be left out is used."""
    return [
        Choice(item.name.capitalize(), ("packs", item.name), {True: "With it", False: "Without"})
        for item in mix.admixtures
        if item.packs and item.optional
    ]


def _materials(mix: Mix) -> list[Number]:
    """Moisture of what comes from a stockpile, weight of a bag; or the label of an all-in bag."""
    if mix.is_made.asks_for == "label":
        return _label(mix.parts[0].name, mix.parts[0].unit or "bag")
    asked = []
    for part in mix.as_usual.parts:
        default, name, here = materials()[part.material], part.name.capitalize(), ("materials", part.name)
        if default.is_stockpiled:
            moisture = (*here, "moisture_fraction")
            asked.append(
                Number(f"{name} moisture", moisture, percent=True, default=default.moisture_fraction)
            )
        if default.bag_kg:
            bag = Number(
                f"{name} bag", (*here, "bag_kg"), "bag", default=default.bag_kg, default_us=default.us_bag_kg
            )
            asked.append(bag)
    return asked


def _label(bag: str, unit: str) -> list[Number]:
    figures: tuple[tuple[str, str, Kind], ...] = (
        ("bag_kg", f"Weight of a {unit}", "bag"),
        ("yield_l", f"Yield per {unit}", "mixed_volume"),
        ("water_start_l", f"Water per {unit}, start", "water"),
        ("water_min_l", f"Water per {unit}, min", "water"),
        ("water_max_l", f"Water per {unit}, max", "water"),
    )
    return [Number(label, ("materials", bag, name), kind, needed=True) for name, label, kind in figures]


def _label_more(mix: Mix) -> list[Field]:
    """Further figures of a label, which override the mix's own."""
    if mix.is_made.asks_for != "label":
        return []
    here = ("materials", mix.parts[0].name)
    rests = any(step.kind == "rest" for procedure in mix.procedures for step in procedure.steps)
    return [
        Number("Smallest part of a bag, such as 1/2", (*here, "least_bag")),
        Number("Working time, min", (*here, "life_min")),
        *([Number("Rest, min", (*here, "rest_min"))] if rests else []),
        Number("Thickness, least", (*here, "thickness_min_mm"), "size"),
        Number("Thickness, greatest", (*here, "thickness_max_mm"), "size"),
    ]


def _own_ratio(mix: Mix) -> list[Field]:
    return [
        Number(f"{part.name.capitalize()}, {_span(part.least, part.greatest)}", ("parts", part.name))
        for part in mix.parts
        if part.least is not None and part.greatest is not None
    ]


def _span(least: float, greatest: float) -> str:
    return f"{least:g} to {greatest:g}" if least < greatest else f"{least:g} by the standard"


def _densities(mix: Mix) -> list[Field]:
    asked: list[Field] = []
    for part in mix.as_usual.parts if not mix.is_made.is_blended else ():
        here, name = ("materials", part.name), part.name.capitalize()
        asked.append(Number(f"{name}, loose and dry", (*here, "bulk_density_kg_m3"), "density"))
        if materials()[part.material].is_stockpiled:
            asked.append(Number(f"{name}: bag, if bought in bags", (*here, "bag_kg"), "bag"))
            asked.append(Number(f"{name}: bulking", (*here, "bulking_fraction"), percent=True))
            asked.append(Number(f"{name}: absorption", (*here, "absorption_fraction"), percent=True))
    return asked


def _prices(mix: Mix) -> list[Field]:
    """The price of each material, by the bag where it comes in bags, else by the tonne."""
    asked: list[Field] = []
    for part in mix.parts:
        here, name = ("materials", part.name), part.name.capitalize()
        if mix.is_made.is_blended or materials()[part.material].bag_kg:
            asked.append(Number(f"{name}, per {part.unit or 'bag'}", (*here, "price_per_bag")))
        else:
            asked.append(Number(f"{name}, per tonne", (*here, "price_per_t")))
    return asked


_DOSE_UNITS = {
    "ml_per_100kg": "mL per 100 kg of cement or lime",
    "percent_binder": "% of cement and lime, by weight",
    "percent_cement": "% of cement, by weight",
    "ml_per_l_water": "mL per L of water",
    "g_per_m3": "g per m³",
    "ml_per_batch": "mL per load",
    "floz_per_us_cwt": "US fl oz per US cwt",
}


def dosed(mix: Mix) -> list[Admixture]:
    """The admixtures of the mix whose dose a label may give; a pack has none."""
    return [item for item in mix.admixtures if not item.packs]


def _admixture_label(mix: Mix, number: int) -> list[Field]:
    admixture, here = dosed(mix)[number], ("admixtures", number)
    first = admixture.usual_basis or ("percent_binder" if admixture.form == "powder" else "ml_per_100kg")
    forms = {"liquid": "Liquid", "powder": "Powder"}
    return [
        Number("Dose", (*here, "dose")),
        Choice("Dose unit", (*here, "basis"), {first: _DOSE_UNITS[first], **_DOSE_UNITS}, needed=True),
        Choice("Type", (*here, "form"), {admixture.form: forms[admixture.form], **forms}, needed=True),
        Number("Density, kg/L", (*here, "density_kg_l")),
        Number("Solids", (*here, "solids_fraction"), percent=True),
        Choice("Chloride-free", (*here, "with_chlorides"), {False: "Yes", True: "No, or not stated"}),
        Number("Working time with it, min", (*here, "life_min")),
    ]


def _site_check(mix: Mix) -> list[Field]:
    """The bags, the sand pile and steel as they are on site."""
    asked: list[Field] = [
        Choice(
            "Bags",
            ("conditions", "bags"),
            {"sound": "Sound", "soft-lumps": "Soft lumps", "damaged": "Hard lumps, torn or wet"},
        ),
        Choice("Rebar or steel in contact", ("conditions", "near_steel"), {False: "No", True: "Yes"}),
    ]
    for part in mix.as_usual.parts:
        name, here = part.name.capitalize(), ("materials", part.name)
        if part.material in WANTED_BAGS:
            kinds = dict.fromkeys([WANTED_BAGS[part.material], *KINDS_OF_BAG])
            options: dict[str | None, str] = {None: "Not checked"}
            options |= {kind: kind.capitalize() for kind in kinds}
            asked.append(Choice(f"{name}: printed on the bag", (*here, "says"), options))
    for part in mix.as_usual.parts:
        if materials()[part.material].is_binder:
            age = ("materials", part.name, "age_months")
            asked.append(Number(f"{part.name.capitalize()}: age, months", age))
    if has_stockpile(mix):
        asked.append(Number("Temperature of the pile", ("conditions", "stockpile_c"), "temperature"))
    return asked


def shape_options() -> Mapping[str, str]:
    """The label of every shape, by name."""
    return {name: shape.label for name, shape in SHAPES.items()}
