"""What the plan form asks besides what is built: where it stands in the job file, and which mix asks for it."""

from collections.abc import Mapping
from typing import Any

from keeve.core.mixes import has_stockpile, materials
from keeve.core.mixes.model import MIXER_NAMES, ORDER_NAMES, Admixture, Mix
from keeve.core.planning.plausibility.labels import KINDS_OF_BAG, WANTED_BAGS
from keeve.core.planning.site_mix import WATER as WATER_VESSEL
from keeve.core.units import Kind
from keeve.web.entries import Choice, Entry, Field, Rows, Text

WASTE = Entry("Waste", ("waste_fraction",), percent=True, default=0.10)
WORKING = Entry("Mixes at a time", ("mixer", "working_l"), "batch", default=90.0, needed=True)
DRUM = Entry("Holds to the rim", ("mixer", "drum_l"), "batch")
AIR = Entry("Air, where it is placed", ("conditions", "air_c"), "temperature")
WATER = Entry("Mixing water", ("conditions", "water_c"), "temperature")
STOCKPILE = Entry("The pile itself", ("conditions", "stockpile_c"), "temperature")
MIXER = Choice("Mixer", ("mixer", "kind"), MIXER_NAMES, needed=True)
ORDER = Choice("Charge", ("order",), {None: "As the mix says", **ORDER_NAMES})
GAUGE = Choice(
    "Measure",
    ("gauge",),
    {
        "weight": "By weight",
        "scale": "By what the scale shows, vessel and all",
        "volume": "By level vessels and whole bags",
        "shovels": "By shovels: small patches only",
    },
)
SCALES = Rows(
    "Your scales",
    ("scales",),
    "Scale",
    (
        Entry("Weighs to", ("capacity_kg",), "mass", needed=True),
        Entry("Smallest division, g", ("division_g",), needed=True),
    ),
    least=0,
    most=6,
)
WHOLE_BAGS = Choice("Size the loads", ("whole_bags",), {False: "All alike", True: "By whole bags of binder"})
TRIAL = Entry("A trial first", ("trial_l",), "batch")
PACE = (
    Entry("The crew places in an hour", ("pace", "placing_m3_h"), "order"),
    Entry("One load takes the mixer, min", ("pace", "cycle_min")),
    Choice(
        "No load waits for the crew",
        ("pace", "keep_pace"),
        {False: "It may wait", True: "Keep the loads that small"},
    ),
)
STEEL = Choice("Steel in it or beside it", ("conditions", "near_steel"), {False: "No", True: "Yes"})
BAGS = Choice(
    "The bags look",
    ("conditions", "bags"),
    {"sound": "Sound", "soft-lumps": "Soft lumps in them", "damaged": "Hard lumps, torn or wet"},
)
# What a designed concrete is designed to, and what of its stone and sand the tables ask for.
DESIGN = (
    Entry("Mean strength, 28 days", ("design", "strength_mpa"), "strength", default=25.0, needed=True),
    Entry("Slump, from", ("design", "slump_mm", 0), "size", default=75.0, needed=True),
    Entry("Slump, to", ("design", "slump_mm", 1), "size", default=100.0, needed=True),
    Entry("Largest stone", ("design", "stone_max_mm"), "size", default=19.0, needed=True),
    Entry("Fineness of the sand", ("design", "fineness_modulus"), default=2.8, needed=True),
    Entry(
        "Stone, dry and rodded",
        ("design", "stone_rodded_density_kg_m3"),
        "density",
        default=1600.0,
        needed=True,
    ),
)
EXPOSURE = Choice(
    "Exposure",
    ("design", "exposure"),
    {"mild": "Mild", "moderate": "Moderate", "severe": "Severe: frost and water"},
)
AIR_ENTRAINED = Choice("Air", ("design", "air_entrained"), {False: "No air entrained", True: "Air entrained"})

_BASES = {
    "ml_per_100kg": "mL per 100 kg of binder",
    "percent_binder": "% of binder by weight",
    "percent_cement": "% of cement by weight",
    "ml_per_l_water": "mL per L of water",
    "g_per_m3": "g per m³",
    "ml_per_batch": "mL per load",
    "floz_per_us_cwt": "US fl oz per US cwt",
}


def proportion_of(mix: Mix) -> Choice | None:
    """The named proportions to choose from, where the mix has them."""
    options = {item.name: f"{item.name} · {item.use}" for item in mix.proportions}
    return Choice("Proportion", ("proportion",), options) if options else None


MEASURES_IN = {"level": "Filled level", "shovel": "A heaped shovel", "bag": "A whole bag"}


def vessels_of(mix: Mix) -> Rows:
    """The vessels that charges are gauged in."""
    options: dict[str | None, str] = {
        None: "Everything",
        **{part.name: part.name.capitalize() for part in mix.parts},
        WATER_VESSEL: "Water",
    }
    return Rows(
        "Your vessels",
        ("vessels",),
        "Vessel",
        (
            Text("Called", ("name",), default="bucket", needed=True),
            Entry("Holds, to its mark", ("volume_l",), "batch", default=12.0),
            Entry("Weighs empty", ("tare_kg",), "mass"),
            Choice("It is", ("kind",), MEASURES_IN),
            Choice("For", ("material",), options),
        ),
        least=0,
        most=6,
    )


def materials_asked(mix: Mix) -> list[Entry]:
    """What is asked of the mix's materials: moisture of a stockpile, mass of a bag, the label of an all-in bag."""
    if mix.basis == "bag":
        return _label(mix.parts[0].name, mix.parts[0].unit or "bag")
    asked = []
    for part in mix.parts:
        default, name = materials()[part.material], part.name.capitalize()
        here = ("materials", part.name)
        if default.is_stockpiled:
            moisture = (*here, "moisture_fraction")
            asked.append(Entry(f"{name} moisture", moisture, percent=True, default=default.moisture_fraction))
        if default.bag_kg:
            asked.append(Entry(f"{name} bag", (*here, "bag_kg"), "bag", default=default.bag_kg))
    return asked


def weighed(mix: Mix) -> list[Entry]:
    """What may have been weighed of the mix's materials, over the defaults of their kind."""
    asked = []
    for part in mix.parts if mix.basis != "bag" else ():
        here, name = ("materials", part.name), part.name.capitalize()
        asked.append(Entry(f"{name}, loose and dry", (*here, "bulk_density_kg_m3"), "density"))
        if materials()[part.material].is_stockpiled:
            asked.append(Entry(f"{name}: bulks by", (*here, "bulking_fraction"), percent=True))
            asked.append(Entry(f"{name}: grains take up", (*here, "absorption_fraction"), percent=True))
    return asked


def prices(mix: Mix) -> list[Entry]:
    """The price of each material, by the bag where it comes in bags, else by the tonne."""
    asked = []
    for part in mix.parts:
        here, name = ("materials", part.name), part.name.capitalize()
        if mix.basis == "bag" or materials()[part.material].bag_kg:
            asked.append(Entry(f"{name}, a {part.unit or 'bag'}", (*here, "price_per_bag")))
        else:
            asked.append(Entry(f"{name}, a tonne", (*here, "price_per_t")))
    return asked


def _label(bag: str, unit: str) -> list[Entry]:
    figures: tuple[tuple[str, str, Kind], ...] = (
        ("bag_kg", f"A {unit} weighs", "bag"),
        ("yield_l", f"A {unit} makes", "batch"),
        ("water_start_l", f"Water a {unit}, start with", "water"),
        ("water_min_l", "Water, least", "water"),
        ("water_max_l", "Water, most", "water"),
    )
    return [Entry(label, ("materials", bag, name), kind, needed=True) for name, label, kind in figures]


def label_more(mix: Mix) -> list[Entry]:
    """What else a label may say, over the mix's own figures."""
    if mix.basis != "bag":
        return []
    here = ("materials", mix.parts[0].name)
    rests = any(step.kind == "rest" for procedure in mix.procedures for step in procedure.steps)
    return [
        Entry("Working life, min", (*here, "life_min")),
        *([Entry("Rest, min", (*here, "rest_min"))] if rests else []),
        Entry("Thinnest", (*here, "thickness_min_mm"), "size"),
        Entry("Thickest", (*here, "thickness_max_mm"), "size"),
    ]


def own_ratio(mix: Mix) -> list[Entry]:
    """The parts that the user may choose."""
    return [
        Entry(f"{part.name.capitalize()}, {part.least:g} to {part.greatest:g}", ("parts", part.name))
        for part in mix.parts
        if part.least is not None
    ]


def dosed(mix: Mix) -> list[Admixture]:
    """The admixtures of the mix that a label may give the dose of; what comes as a pack is none."""
    return [item for item in mix.admixtures if not item.packs]


def label_of(mix: Mix, number: int) -> list[Field]:
    """What is asked of the label of the admixture of that number."""
    admixture, here = dosed(mix)[number], ("admixtures", number)
    first = admixture.usual_basis or "ml_per_100kg"
    forms = {"liquid": "Liquid", "powder": "Powder"}
    return [
        Entry("Dose", (*here, "dose")),
        Choice("The dose counts", (*here, "basis"), {first: _BASES[first], **_BASES}, needed=True),
        Choice("It is a", (*here, "form"), {admixture.form: forms[admixture.form], **forms}, needed=True),
        Entry("Density, kg/L", (*here, "density_kg_l")),
        Entry("Solids", (*here, "solids_fraction"), percent=True),
        Choice(
            "Its label says it is free of chlorides",
            (*here, "with_chlorides"),
            {False: "Yes", True: "No, or nothing"},
        ),
        Entry("Working life with it at 20 °C, min", (*here, "life_min")),
    ]


def bag_kinds(mix: Mix) -> list[Choice]:
    """What is asked of each bag that looks like another kind."""
    asked = []
    for part in mix.parts:
        if part.material in WANTED_BAGS:
            kinds = dict.fromkeys([WANTED_BAGS[part.material], *KINDS_OF_BAG])
            options: dict[str | None, str] = {None: "Not looked yet"}
            options |= {kind: kind.capitalize() for kind in kinds}
            label = f"{part.name.capitalize()}: the bag says"
            asked.append(Choice(label, ("materials", part.name, "says"), options))
    return asked


def bag_ages(mix: Mix) -> list[Entry]:
    """The age that is asked of each binder."""
    return [
        Entry(f"{part.name.capitalize()}: months old", ("materials", part.name, "age_months"))
        for part in mix.parts
        if materials()[part.material].is_binder
    ]


def seen(mix: Mix) -> list[Field]:
    """What is asked of bags, stockpile and steel as they are there."""
    return [BAGS, STEEL, *bag_kinds(mix), *bag_ages(mix), *([STOCKPILE] if has_stockpile(mix) else [])]


def fields_of_mix(mix: Mix) -> list[Field]:
    """Every field asked for that mix, besides its vessels and what is built."""
    found: list[Field] = [WASTE, MIXER, WORKING, DRUM, ORDER, AIR, WATER, GAUGE, *PACE]
    if proportion := proportion_of(mix):
        found.append(proportion)
    found += [*materials_asked(mix), *weighed(mix), *prices(mix), *label_more(mix), *own_ratio(mix)]
    if mix.basis == "design":
        found += [*DESIGN, EXPOSURE, AIR_ENTRAINED]
    if mix.basis != "bag":
        found += [WHOLE_BAGS, TRIAL]
    found += [item for number in range(len(dosed(mix))) for item in label_of(mix, number)]
    return found + seen(mix)


def is_given(values: Mapping[str, str], asked: list[Any]) -> bool:
    """Whether anything of what is asked stands on a form otherwise than on the empty one."""
    return any(
        values.get(item.name, "") not in ("", item.default if isinstance(item, Choice) else "")
        for item in asked
    )
