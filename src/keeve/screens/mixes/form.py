"""The form on which a mix becomes one's own: its name, parts, water, air, life and limits."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from keeve.core.errors import InputError, validated
from keeve.core.mixes.model import Mix
from keeve.core.units import System
from keeve.figures.refusals import fields_of, in_readers_words
from keeve.web.fields import Number, at, put
from keeve.web.filters import slug


@dataclass
class MixForm:
    """The form of a mix: the figures asked, texts by name, and what is wrong by name."""

    fields: list[Number]
    values: dict[str, str]
    errors: dict[str, str] = field(default_factory=dict)


def form_of_mix(mix: Mix, units: System, *, is_own: bool) -> MixForm:
    """The form as it begins: the mix as it is."""
    raw = mix.model_dump(mode="json")
    fields = _asked_of(mix)
    values = {asked.name: asked.write(at(raw, asked.path), units) for asked in fields}
    return MixForm(fields, {"name": mix.name if is_own else f"{mix.name}, our own", "remark": "", **values})


def form_typed(mix: Mix, typed: Mapping[str, str], units: System) -> MixForm:
    """The form as it was sent."""
    form = form_of_mix(mix, units, is_own=True)
    form.values.update({name: typed[name].strip() for name in form.values if name in typed})
    return form


def changed_mix(mix: Mix, form: MixForm, units: System, *, is_own: bool) -> Mix | None:
    """The mix with what the form says; None where something is wrong, which the form then says.

    A variant of a mix of the library takes an id from its name; one's own keeps its id and becomes its next
    version. Everything else (steps, tests, cautions) is the mix's.
    """
    raw = mix.model_dump(mode="json")
    if not form.values["name"]:
        form.errors["name"] = "Name is missing. Enter one."
    for asked in form.fields:
        try:
            put(raw, asked.path, asked.read(form.values[asked.name], units))
        except ValueError as fault:
            form.errors[asked.name] = str(fault)
    if form.errors:
        return None
    raw["name"] = form.values["name"]
    # One's own is one proportion: the one on the form.
    raw["proportions"] = []
    if not is_own:
        raw["id"] = _id_of(form.values["name"])
        raw["provenance"].insert(0, {"figure": "this variant", "origin": f"our own, made from {mix.name}"})
    if form.values["remark"]:
        raw["provenance"].insert(0, {"figure": form.values["remark"], "origin": "our own"})
    try:
        return validated(Mix, raw)
    except InputError as fault:
        _refuse(form, fault, units)
        return None


def _asked_of(mix: Mix) -> list[Number]:
    """The figures of a mix that can be changed on the form."""
    found = []
    if mix.basis_traits.asks_for != "design":
        found += [
            Number(part.name.capitalize(), ("parts", index, "parts"), needed=True)
            for index, part in enumerate(mix.parts)
            if len(mix.parts) > 1
        ]
    if mix.water:
        found += [
            Number("Water ratio, min", ("water", "ratio_low")),
            Number("Water ratio, target", ("water", "ratio_default")),
            Number("Water ratio, max", ("water", "ratio_high")),
            Number("Start with, % of target", ("water", "start_share"), percent=True),
        ]
    found += [
        Number("Air", ("air_fraction",), percent=True),
        Number("Working time, min", ("life_min",)),
        Number("Wait before judging, min", ("absorption_min",)),
    ]
    if mix.thickness_mm:
        found += [
            Number("Thickness, min", ("thickness_mm", 0), "size"),
            Number("Thickness, max", ("thickness_mm", 1), "size"),
        ]
    return found


def _refuse(form: MixForm, fault: InputError, units: System) -> None:
    """Put a refusal beside the fields it names, in the form's words."""
    labels = {asked.name: asked.label for asked in form.fields}
    for name in fields_of(fault, labels)[:1] or [""]:
        form.errors.setdefault(name, in_readers_words(fault, labels, units))


def _id_of(name: str) -> str:
    """An id out of a name."""
    return slug(name)[:60].strip("-") or "mix"
