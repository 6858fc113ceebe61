"""The forms of what a crew owns: what is asked of each kind of thing, and what was typed, to plain values and back."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from keeve.core.errors import InputError
from keeve.core.mixes import materials
from keeve.core.mixes.model import MIXER_NAMES
from keeve.core.planning.site_mix import WATER
from keeve.core.planning.yard import YardItem
from keeve.core.units import System
from keeve.web.entries import Choice, Entry, Field, Text, at, empty_text, kept_text, kept_value, place, put
from keeve.web.plan_entries import MEASURES_IN

_MATERIALS = {
    name: material.name for name, material in sorted(materials().items(), key=lambda item: item[1].name)
}
_CALLED = Text("Called", ("name",), needed=True)

# Each kind of thing: its words, and what is asked of it.
YARD: Mapping[str, tuple[str, str, tuple[Field, ...]]] = {
    "mixer": (
        "Mixers",
        "A mixer",
        (
            _CALLED,
            Choice("It is a", ("mixer_kind",), MIXER_NAMES, needed=True),
            Entry("Mixes at a time", ("working_l",), "batch", needed=True),
            Entry("Holds to the rim", ("drum_l",), "batch"),
            Entry("One load takes, min", ("cycle_min",)),
        ),
    ),
    "vessel": (
        "Vessels, shovels, bags",
        "A vessel",
        (
            _CALLED,
            Choice("It is", ("is_a",), MEASURES_IN),
            Entry("Holds, to its mark", ("volume_l",), "batch"),
            Entry("Or weighs, full of water to its mark", ("full_of_water_kg",), "mass"),
            Entry("Weighs empty", ("tare_kg",), "mass"),
            Entry("Its mark, below the rim", ("mark_mm",), "size"),
            Choice("Kept for", ("material",), {None: "Everything", WATER: "Water", **_MATERIALS}),
        ),
    ),
    "scale": (
        "Scales",
        "A scale",
        (
            _CALLED,
            Entry("Weighs to", ("capacity_kg",), "mass", needed=True),
            Entry("Smallest division, g", ("division_g",), needed=True),
        ),
    ),
    "material": (
        "Materials",
        "A material",
        (
            Choice("It is", ("material",), _MATERIALS, needed=True),
            Entry("A bag of it", ("bag_kg",), "bag"),
            Entry("Weighed loose and dry", ("weighed_kg",), "mass"),
            Entry("That was, level", ("weighed_l",), "batch"),
            Entry("Price of a bag", ("price_per_bag",)),
            Entry("Price of a tonne", ("price_per_t",)),
            Text("Bought on, as 2026-05-04", ("bought_on",)),
        ),
    ),
}


@dataclass
class YardForm:
    """What stands on the form of one thing: its kind, texts by name, and what is wrong by name."""

    kind: str
    values: dict[str, str]
    units: System
    errors: dict[str, str] = field(default_factory=dict)

    @property
    def fields(self) -> tuple[Field, ...]:
        """What is asked of its kind."""
        return YARD[self.kind][2]

    def check_allowed(self, fault: InputError) -> None:
        """Put a refusal beside the fields it names."""
        message, names = place(fault, {item.name: item.label for item in self.fields})
        for name in names or [""]:
            self.errors.setdefault(name, message)


def form_of_item(kind: str, item: YardItem | None, units: System) -> YardForm:
    """The form of a thing as it is; empty where it is new."""
    raw = item.model_dump(mode="json") if item else {}
    form = YardForm(kind, {}, units)
    for asked in form.fields:
        kept = at(raw, asked.path)
        form.values[asked.name] = empty_text(asked, units) if kept is None else kept_text(asked, kept, units)
    return form


def typed_item(form: YardForm, typed: Mapping[str, str]) -> dict[str, Any] | None:
    """The plain values of what was typed; None where something is no number, which the form then says."""
    form.values.update({name: typed[name].strip() for name in form.values if name in typed})
    raw: dict[str, Any] = {"kind": form.kind}
    for asked in form.fields:
        try:
            kept = kept_value(asked, form.values[asked.name], form.units)
        except ValueError as fault:
            form.errors[asked.name] = str(fault)
            continue
        put(raw, asked.path, kept)
        if kept is None and asked.needed:
            form.errors[asked.name] = f"{asked.label} is missing: give it."
    return None if form.errors else {name: value for name, value in raw.items() if value is not None}
