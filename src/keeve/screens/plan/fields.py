"""The fields of the plan form by what they are about, each once, with its path in the job file."""

from collections.abc import Mapping

from keeve.core.mixes import has_stockpile
from keeve.core.mixes import materials as default_figures
from keeve.core.mixes.mixers import MIXER_NAMES, ORDER_NAMES, USUAL_L
from keeve.core.mixes.model import Admixture, IntendedUse, Mix, Support
from keeve.core.planning.plausibility.labels import KINDS_OF_BAG, WANTED_BAGS
from keeve.core.planning.site_mix import WATER as WATER_VESSEL
from keeve.core.units import Kind
from keeve.web.fields import Choice, Field, Number, Rows, Text

WASTE = Number("Waste", ("waste_fraction",), percent=True, default=0.10)


# A drum or pan of 6 ft³, as they are sold in the US, L.
_US_DRUM_L = 169.9
# What is used up before it sets, L.
_STAGED_L = 2.5


def mixer(mix: Mix, values: Mapping[str, str]) -> list[Field]:
    """The mixer and what it mixes at a time."""
    kind = next((kind for kind in MIXER_NAMES if kind == values.get("mixer.kind")), mix.procedures[0].mixer)
    staged = mix.regime_traits.placed_in is not None and not mix.regime_traits.makes_casts
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
    ]


def order_and_loads(mix: Mix) -> list[Field]:
    """The order of loading, how the job is split, what the mixer holds to its rim."""
    by_hand = mix.procedures[0].mixer == "bucket"
    drum = Number("Bucket size, full" if by_hand else "Drum size, full", ("mixer", "drum_l"), "mixed_volume")
    if mix.basis_traits.is_blended:
        return [_ORDER, drum]
    size_to = Choice("Size a load to", ("size_to",), _TO_WATER if mix.basis == "gypsum" else _TO_VESSELS)
    return [_ORDER, *_LOADS, size_to, drum]


def temperatures(mix: Mix) -> list[Field]:
    """Of the air, the water and the pile."""
    asked: list[Field] = [
        Number("Air temperature", ("conditions", "air_c"), "temperature"),
        Number("Water temperature", ("conditions", "water_c"), "temperature"),
    ]
    if has_stockpile(mix):
        asked.append(Number("Sand pile temperature", ("conditions", "stockpile_c"), "temperature"))
    return asked


PLASTER: list[Field] = [
    Number("Amount", ("plaster", "amount")),
    Choice(
        "Given as",
        ("plaster", "basis"),
        {
            "water_per_100": "Water per 100 plaster, by weight",
            "lb_per_us_qt": "Pounds of plaster per US quart of water",
            "kg_per_l": "Kilograms of plaster per litre of water",
        },
        needed=True,
    ),
]
_ORDER = Choice("Loading order", ("order",), {None: "Recommended", **ORDER_NAMES})
# How a load is sized to its measures, of plaster and of what goes by parts.
_TO_WATER: dict[str | None, str] = {
    "order": "What you need",
    "litres": "Whole litres of water",
    "quarts": "Whole US quarts of water",
}
_TO_VESSELS: dict[str | None, str] = {"order": "What you need", "vessels": "Whole buckets"}
_LOADS = (
    Choice("Loads", ("whole_bags",), {False: "Equal", True: "Whole bags of cement or lime"}),
    Number("Test batch first (optional)", ("trial_l",), "mixed_volume"),
)
GAUGE = Choice(
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
PACE = (
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
        "Target strength (average), 28 days",
        ("design", "strength_mpa"),
        "strength",
        default=25.0,
        needed=True,
    ),
    Number("Slump, from", ("design", "slump_mm", 0), "size", default=75.0, needed=True),
    Number("Slump, to", ("design", "slump_mm", 1), "size", default=100.0, needed=True),
)
_BY_CONTENT: tuple[Field, ...] = (
    Number(
        "Cement, slag and ash together",
        ("design", "binder_kg_m3"),
        "content",
        default=330.0,
        needed=True,
    ),
    Number("Water to cement ratio", ("design", "w_cm"), default=0.5, needed=True),
)
DESIGN_MORE: tuple[Field, ...] = (
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
REPLACED: tuple[Field, ...] = (
    Number("Ground slag", ("design", "slag_fraction"), percent=True),
    Number("Fly ash", ("design", "fly_ash_fraction"), percent=True),
    Number("Silica fume", ("design", "silica_fume_fraction"), percent=True),
)


def design(mix: Mix, values: Mapping[str, str]) -> list[Field]:
    """How the mix is designed: by strength and slump, or by its cement and water."""
    if mix.basis_traits.asks_for != "design":
        return []
    ways = {"strength": "By strength and slump", "content": "By cement and water"}
    by = Choice("Designed", ("design", "by"), ways, redraws=True)
    asked = _BY_CONTENT if values.get("design.by") == "content" else _BY_STRENGTH
    return [by, *asked]


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


def proportion(mix: Mix) -> list[Field]:
    """Which of the mix's named ratios."""
    options = {item.name: f"{item.name} · {item.use}" for item in mix.proportions}
    return [Choice("Proportion", ("proportion",), options)] if options else []


# The commonest first: the empty form shows it.
_SUPPORTS: Mapping[Support, str] = {
    "unbonded": "On a membrane, unbonded",
    "bonded": "Bonded to its base",
    "floating": "Floating on insulation, in a home",
    "floating_loaded": "Floating on insulation, more load",
}


def support(mix: Mix) -> list[Field]:
    """How a floor of the mix lies."""
    options: dict[Support | None, str] = {
        support: words for support, words in _SUPPORTS.items() if support in mix.supports
    }
    if not options:
        return []
    return [Choice("Floor build-up", ("support",), options | {None: "Not said"}, needed=True, redraws=True)]


_INTENDED_USES: Mapping[IntendedUse, str] = {
    "bricks": "Bricks and blocks",
    "roof": "Roof tiles: stiffer",
    "pointing": "Pointing: stiffer",
    "rendering": "Rendering: a little wetter",
    "plastering": "Plastering inside: wetter",
    "flat": "Flat work, as usual",
    "slope": "On a slope or a kerb: stiffer",
    "detail": "Fine detail, tight steel: wetter",
}


def intended_use(mix: Mix) -> list[Field]:
    """The use, or the air, where that moves its water."""
    if not mix.wetness:
        return []
    # The first is the usual one: it needs no saying.
    usual, *others = mix.wetness
    options: dict[IntendedUse | None, str] = {
        None: _INTENDED_USES[usual],
        **{name: _INTENDED_USES[name] for name in others},
    }
    return [Choice("Used for", ("intended_use",), options)]


def placing(mix: Mix) -> list[Field]:
    """Who places it and where, which moves the water of any mix that has a range."""
    if not mix.is_moved:
        return []
    hands: dict[str | None, str] = {None: "Two or more", "alone": "Alone: stiffer"}
    air: dict[str | None, str] = {
        None: "Mild",
        "heat": "Heat or sun: wetter",
        "wind": "Wind: wetter",
        "indoors": "Indoors: stiffer",
    }
    base: dict[str | None, str] = {None: "Damp or sealed", "thirsty": "Thirsty: a touch wetter"}
    return [
        Choice("Hands", ("placing", "hands"), hands),
        Choice("Air", ("placing", "air"), air),
        Choice("Base", ("placing", "base"), base),
    ]


def laid(mix: Mix, values: Mapping[str, str]) -> Support:
    """How a floor of the mix lies on a form: as is chosen there, or what the empty one shows."""
    known = [support for support in _SUPPORTS if support in mix.supports]
    return next(
        (support for support in known if support == values.get("support")), (known or ["unbonded"])[0]
    )


def packs(mix: Mix) -> list[Field]:
    """Whether a pack that may be left out is used."""
    return [
        Choice(item.name.capitalize(), ("packs", item.name), {True: "Use it", False: "Leave it out"})
        for item in mix.admixtures
        if item.packs and item.optional
    ]


def bags_and_moistures(mix: Mix) -> list[Field]:
    """Moisture of what comes from a stockpile, weight of a bag."""
    if mix.basis_traits.asks_for == "label":
        return []
    asked: list[Field] = []
    for part in mix.as_usual.parts:
        default, name, here = (
            default_figures()[part.material],
            part.name.capitalize(),
            ("materials", part.name),
        )
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


def label(mix: Mix) -> list[Field]:
    """The label of an all-in bag or pail."""
    if mix.basis_traits.asks_for != "label":
        return []
    bag, unit = mix.parts[0].name, mix.parts[0].unit or "bag"
    figures: tuple[tuple[str, str, Kind], ...] = (
        ("bag_kg", f"Weight of a {unit}", "bag"),
        ("yield_l", f"Yield per {unit}", "mixed_volume"),
        ("water_start_l", f"Water per {unit}, start", "water"),
        ("water_min_l", f"Water per {unit}, min", "water"),
        ("water_max_l", f"Water per {unit}, max", "water"),
    )
    return [Number(label, ("materials", bag, name), kind, needed=True) for name, label, kind in figures]


def label_more(mix: Mix) -> list[Field]:
    """Further figures of a label, which override the mix's own."""
    if mix.basis_traits.asks_for != "label":
        return []
    here = ("materials", mix.parts[0].name)
    rests = any(step.kind == "rest" for procedure in mix.procedures for step in procedure.steps)
    return [
        Number("Smallest part of a bag, such as 1/2", (*here, "least_bag")),
        Number("Working time, min", (*here, "life_min")),
        *([Number("Rest, min", (*here, "rest_min"))] if rests else []),
        Number("Thickness, min", (*here, "thickness_min_mm"), "size"),
        Number("Thickness, max", (*here, "thickness_max_mm"), "size"),
    ]


def own_ratio(mix: Mix) -> list[Field]:
    """The parts that are the user's to choose."""
    return [
        Number(f"{part.name.capitalize()}, {_span(part.least, part.greatest)}", ("parts", part.name))
        for part in mix.parts
        if part.least is not None and part.greatest is not None
    ]


def own_water(mix: Mix) -> list[Field]:
    """The crew's own usual water."""
    if not mix.has_usual_water:
        return []
    return [
        Number(mix.ratio_name.capitalize(), ("own_water", "ratio")),
        Number("Start with", ("own_water", "start_share"), percent=True),
    ]


def _span(least: float, greatest: float) -> str:
    return f"{least:g} to {greatest:g}" if least < greatest else f"{least:g} by the standard"


def densities(mix: Mix) -> list[Field]:
    """The densities that may have been weighed of each material."""
    asked: list[Field] = []
    for part in mix.as_usual.parts if not mix.basis_traits.is_blended else ():
        here, name = ("materials", part.name), part.name.capitalize()
        asked.append(Number(f"{name}, loose and dry", (*here, "bulk_density_kg_m3"), "density"))
        if default_figures()[part.material].is_stockpiled:
            asked.append(Number(f"{name}: grain density", (*here, "particle_density_kg_m3"), "density"))
            asked.append(Number(f"{name}: bag, if bought in bags", (*here, "bag_kg"), "bag"))
            asked.append(Number(f"{name}: bulking", (*here, "bulking_fraction"), percent=True))
            asked.append(Number(f"{name}: absorption", (*here, "absorption_fraction"), percent=True))
    return asked


def prices(mix: Mix) -> list[Field]:
    """The price of each material, by the bag where it comes in bags, else by the tonne."""
    asked: list[Field] = []
    for part in mix.parts:
        here, name = ("materials", part.name), part.name.capitalize()
        if mix.basis_traits.is_blended or default_figures()[part.material].bag_kg:
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
    "ml_per_bag": "mL per bag",
    "ml_per_bucket": "mL per bucket of water",
    "floz_per_us_cwt": "US fl oz per US cwt",
    "cap_per_bag": "caps per bag",
    "splash_per_bag": "splashes per bag, about 20 mL each",
    "pouch_per_bag": "pouches per bag",
}


def dosed(mix: Mix) -> list[Admixture]:
    """The admixtures of the mix whose dose a label may give; a pack has none."""
    return [item for item in mix.admixtures if not item.packs]


def admixture_label(mix: Mix, number: int) -> list[Field]:
    """The label of an admixture: its dose, and what it is."""
    admixture, here = dosed(mix)[number], ("admixtures", number)
    first = admixture.usual_basis or ("percent_binder" if admixture.form == "powder" else "ml_per_100kg")
    forms = {"liquid": "Liquid", "powder": "Powder"}
    return [
        Number("Dose", (*here, "dose")),
        Choice("Dose unit", (*here, "basis"), {first: _DOSE_UNITS[first], **_DOSE_UNITS}, needed=True),
        Number("One cap holds, mL, or one pouch, g", (*here, "each")),
        Choice("Type", (*here, "form"), {admixture.form: forms[admixture.form], **forms}, needed=True),
        Number("Density", (*here, "density_kg_l"), "liquid_density"),
        Number("Solids", (*here, "solids_fraction"), percent=True),
        Choice("Chloride-free", (*here, "with_chlorides"), {False: "Yes", True: "No, or not stated"}),
        Number("Working time with it, min", (*here, "life_min")),
    ]


def site_check(mix: Mix) -> list[Field]:
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
        if default_figures()[part.material].is_binder:
            age = ("materials", part.name, "age_months")
            asked.append(Number(f"{part.name.capitalize()}: age, months", age))
    return asked
