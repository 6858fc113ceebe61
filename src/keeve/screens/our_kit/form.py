"""The forms of what a crew owns: what is asked of each kind of thing, and what was typed, to plain values and back."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Any, NamedTuple

from keeve.core.errors import InputError
from keeve.core.mixes import library, materials
from keeve.core.mixes.mixers import MIXER_NAMES
from keeve.core.planning.site_mix import WATER
from keeve.core.planning.yard import YardItem
from keeve.core.units import System
from keeve.figures.refusals import fields_of, in_readers_words
from keeve.screens.plan.fields import VESSEL_KINDS
from keeve.web.fields import Choice, Field, Number, Text, at, empty_text, put, shown_text, stored_value

_NAME = Text("Name", ("name",), needed=True)


class OwnKind(NamedTuple):
    """A kind of thing a crew owns: what several are called, what one is, advice on measuring it, its fields."""

    several: str
    one: str
    advice: str
    fields: tuple[Field, ...]


@cache
def own_kinds() -> Mapping[str, OwnKind]:
    """The kinds of thing a crew owns, by name."""
    by_name = {name: material.name for name, material in materials().items()}
    of_materials = dict(sorted(by_name.items(), key=lambda item: item[1]))
    # The mixes whose figures a label gives.
    by_label = {mix.id: mix.name for mix in library().values() if mix.basis_traits.asks_for == "label"}
    return {
        "mixer": OwnKind(
            "Mixers",
            "mixer",
            "The mixed volume per load is about two thirds of the full drum.",
            (
                _NAME,
                Choice("Type", ("mixer_kind",), MIXER_NAMES, needed=True),
                Number("Mixed volume per load", ("working_l",), "mixed_volume", needed=True),
                Number("Drum size, full", ("drum_l",), "mixed_volume"),
                Number("Minutes per load", ("cycle_min",)),
            ),
        ),
        "vessel": OwnKind(
            "Buckets, shovels, bags",
            "bucket",
            "Best way: weigh it empty, fill it with water to its mark, weigh it again.",
            (
                _NAME,
                Choice("Type", ("is_a",), VESSEL_KINDS),
                Number("Volume, to its mark", ("volume_l",), "vessel"),
                Number("Or weight, filled with water to its mark", ("full_of_water_kg",), "mass"),
                Number("Empty weight", ("tare_kg",), "mass"),
                Number("Mark below the rim", ("mark_mm",), "size"),
                Choice("Used for", ("material",), {None: "Everything", WATER: "Water", **of_materials}),
            ),
        ),
        "scale": OwnKind(
            "Scales",
            "scale",
            "Weigh at least ten divisions at a time. Less is a guess.",
            (
                _NAME,
                Number("Weighs up to", ("capacity_kg",), "mass", needed=True),
                Number("Smallest division, g", ("division_g",), needed=True),
            ),
        ),
        "bag": OwnKind(
            "Bags and pails by their label",
            "bag",
            "Copy the label once: its yield, or the area it covers and how thick. Plans with that mix start from it.",
            (
                _NAME,
                Choice("Mix", ("mix",), by_label, needed=True),
                Number("Weight of a bag", ("bag_kg",), "bag", needed=True),
                Number("Yield per bag", ("yield_l",), "mixed_volume"),
                Number("Or area it covers", ("coverage_m2",), "area"),
                Number("At a thickness of", ("coverage_mm",), "size"),
                Number("Water per bag, start", ("water_start_l",), "water", needed=True),
                Number("Water per bag, min", ("water_min_l",), "water", needed=True),
                Number("Water per bag, max", ("water_max_l",), "water", needed=True),
                Number("Working time, min", ("life_min",)),
            ),
        ),
        "material": OwnKind(
            "Materials",
            "material",
            "Weigh a level bucket, loose and dry. Mixes by volume depend on it.",
            (
                Choice("Material", ("material",), of_materials, needed=True),
                Number("Weight of a bag", ("bag_kg",), "bag"),
                Number("Weight, loose and dry", ("weighed_kg",), "mass"),
                Number("Volume of the measure", ("weighed_l",), "vessel"),
                Number("Price per bag", ("price_per_bag",)),
                Number("Price per tonne", ("price_per_t",)),
                Text("Bought on", ("bought_on",), is_date=True),
            ),
        ),
    }


# What is typed for each measurement of a stockpile, by its event.
MEASUREMENTS: Mapping[str, tuple[Number | Text, ...]] = {
    "pan": (
        Number("Damp, with its pan", ("wet_kg",), "mass", needed=True),
        Number("Dried, with its pan", ("dry_kg",), "mass", needed=True),
        Number("Pan alone", ("pan_kg",), "mass", needed=True),
    ),
    "bulking": (
        Number("Height damp", ("damp_height_mm",), "size", needed=True),
        Number("Height flooded and settled", ("flooded_height_mm",), "size", needed=True),
    ),
    "report": (
        Text("Report number", ("report_number",)),
        Number("Absorption, by dry weight", ("absorption_fraction",), percent=True),
        Number("Grain density, oven-dry", ("particle_density_kg_m3",), "density"),
        Number("Bulk density, loose and dry", ("bulk_density_kg_m3",), "density"),
        Number("Fineness modulus", ("fineness_modulus",)),
        Number("Fines (silt and clay)", ("fines_fraction",), percent=True),
    ),
    "moisture": (Number("Moisture, by dry weight", ("moisture_fraction",), percent=True, needed=True),),
}


def refused(fault: InputError, typed: Mapping[str, str], units: System) -> dict[str, str]:
    """The sentence of a refused event by the field it belongs to; by "" where it belongs to none."""
    labels = {item.name: item.label for item in MEASUREMENTS.get(typed.get("kind", ""), ())}
    return dict.fromkeys(fields_of(fault, labels)[:1] or [""], in_readers_words(fault, labels, units))


def stockpile_event(typed: Mapping[str, str], units: System) -> dict[str, Any]:
    """The event of a stockpile that was tapped or typed, but for its time.

    Raises:
        InputError: what was typed is no such number.
    """
    event: dict[str, Any] = {name: typed[name] for name in ("id", "kind", "cancels") if name in typed}
    event |= {"device_id": "page", "device_seq": 0, "schema": 1}
    match event.get("kind"):
        case "jar":
            look, _, floating = typed.get("look", "").partition(" ")
            event |= {"water_look": look, "floating": floating}
        case "felt":
            event |= {"feel": typed.get("feel", "")}
        case "dug":
            event |= {"part": typed.get("part", "")}
        case "cover":
            event |= {"is_on": typed.get("is_on") == "yes"}
        case kind:
            for item in MEASUREMENTS.get(str(kind), ()):
                try:
                    kept = stored_value(item, typed.get(item.name, "").strip(), units)
                except ValueError as fault:
                    raise InputError("bad_input", str(fault), [item.name]) from None
                if kept is None and item.needed:
                    raise InputError("bad_input", f"{item.label} is missing. Enter it.", [item.name])
                if kept is not None:
                    event[item.name] = kept
    return event


@dataclass
class YardForm:
    """The form of one thing: its kind, texts by name, and what is wrong by name."""

    kind: str
    values: dict[str, str]
    units: System
    errors: dict[str, str] = field(default_factory=dict)

    @property
    def fields(self) -> tuple[Field, ...]:
        """The fields of its kind."""
        return own_kinds()[self.kind].fields

    def refuse(self, fault: InputError) -> None:
        """Put a refusal beside the fields it names."""
        labels = {item.name: item.label for item in self.fields}
        for name in fields_of(fault, labels) or [""]:
            self.errors.setdefault(name, in_readers_words(fault, labels, self.units))


def form_of_item(kind: str, item: YardItem | None, units: System) -> YardForm:
    """The form of a thing as it is; empty where it is new."""
    raw = item.model_dump(mode="json") if item else {}
    form = YardForm(kind, {}, units)
    for asked in form.fields:
        kept = at(raw, asked.path)
        form.values[asked.name] = empty_text(asked, units) if kept is None else shown_text(asked, kept, units)
    return form


def typed_item(form: YardForm, typed: Mapping[str, str]) -> dict[str, Any] | None:
    """The plain values of what was typed; None where something is no number, which the form then says."""
    form.values.update({name: typed[name].strip() for name in form.values if name in typed})
    raw: dict[str, Any] = {"kind": form.kind}
    for asked in form.fields:
        try:
            kept = stored_value(asked, form.values[asked.name], form.units)
        except ValueError as fault:
            form.errors[asked.name] = str(fault)
            continue
        put(raw, asked.path, kept)
        if kept is None and asked.needed:
            form.errors[asked.name] = f"{asked.label} is missing. Enter it."
    return None if form.errors else {name: value for name, value in raw.items() if value is not None}
