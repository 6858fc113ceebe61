"""What the plan form asks: every number and choice, where it stands in the job file, and which mix asks for it."""

from collections.abc import Mapping
from functools import cache

from keeve.core.mixes import get_mix, library, materials
from keeve.core.mixes.model import MIXER_NAMES, ORDER_NAMES, Mix
from keeve.core.slips.labels import KINDS_OF_BAG, WANTED_BAGS
from keeve.core.units import Kind
from keeve.web.entries import Choice, Entry


def _size(name: str, label: str, kind: Kind, default: float) -> Entry:
    return Entry(name, label, ("need", 0, name), kind, default=default, needed=True)


_COUNT = Entry("count", "How many", ("need", 0, "count"), whole=True, default=1)

# What can be filled, with the sizes each asks for. "volume" is the plain volume.
SHAPES: Mapping[str, tuple[str, tuple[Entry, ...]]] = {
    "slab-volume": (
        "Slab or bed",
        (
            _size("length_m", "Length", "length", 3.0),
            _size("width_m", "Width", "length", 2.0),
            _size("thickness_m", "Thickness", "thickness", 0.04),
            _COUNT,
        ),
    ),
    "cylinder-volume": (
        "Cylinder",
        (
            _size("diameter_m", "Diameter", "thickness", 0.3),
            _size("height_m", "Height", "length", 0.8),
            _COUNT,
        ),
    ),
    "post-hole-volume": (
        "Post hole",
        (
            _size("hole_diameter_m", "Hole diameter", "thickness", 0.3),
            _size("hole_depth_m", "Hole depth", "length", 0.6),
            _size("post_width_m", "Post width", "thickness", 0.1),
            _size("post_thickness_m", "Post thickness", "thickness", 0.1),
            _size("embedment_m", "Post in the hole", "length", 0.5),
            _COUNT,
        ),
    ),
    "volume": ("Plain volume", (_size("volume_m3", "Volume", "order", 0.25),)),
}

WASTE = Entry("waste_fraction", "Waste", ("waste_fraction",), percent=True, default=0.10)
WORKING = Entry("working_l", "Mixes at a time", ("mixer", "working_l"), "batch", default=90.0, needed=True)
AIR = Entry("air_c", "Air, where it is placed", ("conditions", "air_c"), "temperature")
HEAP = Entry("heap_c", "The heap itself", ("conditions", "heap_c"), "temperature")
VESSEL = Entry("volume_l", "Bucket, level", ("vessels", 0, "volume_l"), "batch", default=12.0)
DOSE = Entry("dose", "Dose", ("admixtures", 0, "dose"))
DENSITY = Entry("density_kg_l", "Density, kg/L", ("admixtures", 0, "density_kg_l"))
SOLIDS = Entry("solids_fraction", "Solids", ("admixtures", 0, "solids_fraction"), percent=True)

_BASES = {
    "ml_per_100kg": "mL per 100 kg of cement",
    "percent_binder": "% of cement by weight",
    "ml_per_l_water": "mL per L of water",
    "ml_per_batch": "mL per load",
    "floz_per_us_cwt": "US fl oz per US cwt",
}


# What a designed concrete is designed to, and what of its stone and sand the tables ask for.
DESIGN = (
    Entry("strength_mpa", "Mean strength, 28 days", ("design", "strength_mpa"), "strength", default=25.0, needed=True),
    Entry("slump_low_mm", "Slump, from", ("design", "slump_mm", 0), "size", default=75.0, needed=True),
    Entry("slump_high_mm", "Slump, to", ("design", "slump_mm", 1), "size", default=100.0, needed=True),
    Entry("stone_max_mm", "Largest stone", ("design", "stone_max_mm"), "size", default=19.0, needed=True),
    Entry("fineness_modulus", "Fineness of the sand", ("design", "fineness_modulus"), default=2.8, needed=True),
    Entry(
        "stone_rodded_density_kg_m3", "Stone, dry and rodded", ("design", "stone_rodded_density_kg_m3"), "density",
        default=1600.0, needed=True,
    ),
)  # fmt: skip
MIXER = Choice("mixer_kind", "Mixer", ("mixer", "kind"), MIXER_NAMES)
ORDER = Choice("order", "Charge", ("order",), {None: "As the mix says", **ORDER_NAMES})
GAUGE = Choice("gauge", "Measure", ("gauge",), {"weight": "By weight", "volume": "By level buckets"})
BASIS = Choice("basis", "The dose counts", ("admixtures", 0, "basis"), _BASES)
CHLORIDES = Choice(
    "with_chlorides",
    "Its label says it is free of chlorides",
    ("admixtures", 0, "with_chlorides"),
    {False: "Yes", True: "No, or nothing"},
)
EXPOSURE = Choice(
    "exposure",
    "Exposure",
    ("design", "exposure"),
    {"mild": "Mild", "moderate": "Moderate", "severe": "Severe: frost and water"},
)
AIR_ENTRAINED = Choice(
    "air", "Air", ("design", "air_entrained"), {False: "No air entrained", True: "Air entrained"}
)
STEEL = Choice(
    "near_steel", "Steel in it or beside it", ("conditions", "near_steel"), {False: "No", True: "Yes"}
)
BAGS = Choice(
    "bags",
    "The bags look",
    ("conditions", "bags"),
    {"sound": "Sound", "soft-lumps": "Soft lumps in them", "damaged": "Hard lumps, torn or wet"},
)


def bag_kinds(mix: Mix) -> list[Choice]:
    """What is asked of each bag that looks like another kind."""
    asked = []
    for part in mix.parts:
        if part.material in WANTED_BAGS:
            kinds = dict.fromkeys([WANTED_BAGS[part.material], *KINDS_OF_BAG])
            options: dict[str | None, str] = {None: "Not looked yet"}
            options |= {kind: kind.capitalize() for kind in kinds}
            label = f"{part.name.capitalize()}: the bag says"
            asked.append(Choice(f"{part.name}_says", label, ("materials", part.name, "says"), options))
    return asked


def bag_ages(mix: Mix) -> list[Entry]:
    """The age that is asked of each binder."""
    return [
        Entry(
            f"{part.name}_age",
            f"{part.name.capitalize()}: months old",
            ("materials", part.name, "age_months"),
        )
        for part in mix.parts
        if materials()[part.material].is_binder
    ]


def is_looked_at(values: Mapping[str, str], mix: Mix) -> bool:
    """Whether anything is given of the bags, the heap and the steel as they are there."""
    numbers = [*bag_ages(mix), HEAP]
    choices = [BAGS, STEEL, *bag_kinds(mix)]
    return any(values[item.name] for item in numbers) or any(
        values[item.name] != item.default for item in choices
    )


def choices_of(mix: Mix) -> list[Choice]:
    """Every choice asked for that mix, besides the mix itself and its proportion."""
    found = [MIXER, ORDER, GAUGE, STEEL, BAGS, *bag_kinds(mix)]
    if mix.basis == "design":
        found += [EXPOSURE, AIR_ENTRAINED]
    if dosed(mix):
        found += [BASIS, CHLORIDES]
    return found


def materials_asked(mix: Mix) -> list[Entry]:
    """What is asked of the mix's materials: moisture of a heap, mass of a bag, the label of an all-in bag."""
    if mix.basis == "bag":
        return _label(mix.parts[0].name, mix.parts[0].unit or "bag")
    asked = []
    for part in mix.parts:
        default = materials()[part.material]
        here = ("materials", part.name)
        if default.lies_in_a_heap:
            asked.append(
                Entry(
                    f"{part.name}_moisture",
                    f"{part.name.capitalize()} moisture",
                    (*here, "moisture_fraction"),
                    percent=True,
                    default=default.moisture_fraction,
                )
            )
        if default.bag_kg:
            label = f"{part.name.capitalize()} bag"
            asked.append(Entry(f"{part.name}_bag", label, (*here, "bag_kg"), "bag", default=default.bag_kg))
    return asked


def _label(bag: str, unit: str) -> list[Entry]:
    figures: tuple[tuple[str, str, Kind], ...] = (
        ("bag_kg", f"A {unit} weighs", "bag"),
        ("yield_l", f"A {unit} makes", "batch"),
        ("water_start_l", f"Water a {unit}, start with", "water"),
        ("water_min_l", "Water, least", "water"),
        ("water_max_l", "Water, most", "water"),
    )
    return [
        Entry(f"label_{name}", label, ("materials", bag, name), kind, needed=True)
        for name, label, kind in figures
    ]


def label_more(mix: Mix) -> list[Entry]:
    """What else a label may say, over the mix's own figures."""
    if mix.basis != "bag":
        return []
    here = ("materials", mix.parts[0].name)
    rests = any(step.kind == "rest" for procedure in mix.procedures for step in procedure.steps)
    return [
        Entry("label_life_min", "Working life, min", (*here, "life_min")),
        *([Entry("label_rest_min", "Rest, min", (*here, "rest_min"))] if rests else []),
        Entry("label_thickness_min_mm", "Thinnest", (*here, "thickness_min_mm"), "size"),
        Entry("label_thickness_max_mm", "Thickest", (*here, "thickness_max_mm"), "size"),
    ]


def own_ratio(mix: Mix) -> list[Entry]:
    """The parts that the user may choose."""
    return [
        Entry(f"{part.name}_parts", f"{part.name.capitalize()}, {part.least:g} to {part.greatest:g}",
              ("parts", part.name))
        for part in mix.parts
        if part.least is not None
    ]  # fmt: skip


def entries_of(shape: str, mix: Mix) -> list[Entry]:
    """Every number asked for that shape and mix."""
    found = [*SHAPES[shape][1], WASTE, WORKING, AIR, *materials_asked(mix), *label_more(mix), *own_ratio(mix)]
    if mix.basis == "design":
        found += DESIGN
    found += bag_ages(mix)
    if has_heap(mix):
        found.append(HEAP)
    if mix.basis != "bag":
        found.append(VESSEL)
    if dosed(mix):
        found += [DOSE, DENSITY, SOLIDS]
    return found


def has_heap(mix: Mix) -> bool:
    """Whether anything of the mix lies in a heap."""
    return any(materials()[part.material].lies_in_a_heap for part in mix.parts)


def dosed(mix: Mix) -> str | None:
    """The product of the mix whose label gives the dose."""
    return next((item.name for item in mix.admixtures if item.usual_dose is None and not item.packs), None)


@cache
def library_choices() -> Mapping[str, Choice]:
    """Every choice that any mix of the library asks for, by name."""
    return {choice.name: choice for mix in library().values() for choice in choices_of(mix)}


@cache
def library_entries() -> Mapping[str, Entry]:
    """Every number that any shape or any mix of the library asks for, by name."""
    found = (
        entry for shape in SHAPES for mix_id in library() for entry in entries_of(shape, get_mix(mix_id))
    )
    return {entry.name: entry for entry in found}
