"""The plan form and the job it stands for: what was typed, in the reader's units, to a job and back."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from keeve.core.errors import InputError
from keeve.core.job import Job
from keeve.core.mixes import library
from keeve.core.mixes.model import Mix
from keeve.core.planning import make_plan
from keeve.core.units import System
from keeve.formats.job_file import read_job
from keeve.web.entries import Entry, Path, at, dotted, put
from keeve.web.plan_entries import (
    DENSITY,
    DOSE,
    SHAPES,
    SOLIDS,
    dosed,
    entries_of,
    library_entries,
    materials_asked,
    own_ratio,
)

_NEWCOMERS_MIX = "mortar-bricklaying"

# Each choice of the form: its words, where it stands in the job file, what the empty form shows.
_CHOICES: Mapping[str, tuple[str, Path, str]] = {
    "mix": ("Mix", ("mix",), _NEWCOMERS_MIX),
    "proportion": ("Proportion", ("proportion",), ""),
    "mixer_kind": ("Mixer", ("mixer", "kind"), "tilting-drum"),
    "order": ("Order", ("order",), ""),
    "gauge": ("Measure", ("gauge",), "weight"),
    "basis": ("The dose counts", ("admixtures", 0, "basis"), "ml_per_100kg"),
    "exposure": ("Exposure", ("design", "exposure"), "mild"),
    "air": ("Air", ("design", "air_entrained"), "plain"),
}


@dataclass
class PlanForm:
    """What stands on the form: texts by name, the mixes to choose from by id, what is wrong by name, and what is
    still to be given, by name.
    """

    values: dict[str, str]
    mixes: Mapping[str, Mix]
    errors: dict[str, str] = field(default_factory=dict)
    missing: dict[str, str] = field(default_factory=dict)

    @property
    def shape(self) -> str:
        """The chosen shape."""
        return self.values["shape"]

    @property
    def mix(self) -> Mix:
        """The chosen mix."""
        return self.mixes[self.values["mix"]]

    @property
    def entries(self) -> list[Entry]:
        """The numbers that its shape and mix ask for."""
        return entries_of(self.shape, self.mix)

    def refuse(self, fault: InputError) -> None:
        """Put a refusal beside the fields it names, in the form's words."""
        places = {dotted(entry.path): (entry.name, entry.label) for entry in self.entries}
        places |= {dotted(path): (name, label) for name, (label, path, _) in _CHOICES.items()}
        places["title"] = ("title", "Job")
        message = fault.message
        for path, (_, label) in places.items():
            message = message.replace(path, label)
        for entry in self.entries:
            message = message.replace(str(entry.path[-1]), entry.label)
        # A refusal of a list (the two ends of a slump) stands beside its first entry.
        named = [place[0] for path, place in places.items() if path.rpartition(".0")[0] in fault.fields]
        named += [places[path][0] for path in fault.fields if path in places]
        for name in named or [""]:
            self.errors.setdefault(name, message)


def empty_form(units: System, mixes: Mapping[str, Mix], mix_id: str = _NEWCOMERS_MIX) -> PlanForm:
    """The form as a newcomer meets it, with a small job on it that plans."""
    mix_id = mix_id if mix_id in mixes else _NEWCOMERS_MIX
    values = {"title": "", "shape": "slab-volume"}
    values |= {name: default for name, (_, _, default) in _CHOICES.items()}
    for name, entry in _every_entry(mixes[mix_id]).items():
        values[name] = "" if entry.default is None else entry.write(entry.default, units)
    values["mix"] = mix_id
    values["mixer_kind"] = mixes[mix_id].procedures[0].mixer
    return PlanForm(values, mixes)


def form_from(typed: Mapping[str, str], units: System, mixes: Mapping[str, Mix]) -> PlanForm:
    """The form as it was typed; what is not on it keeps the newcomer's value."""
    form = empty_form(units, mixes, typed.get("mix", ""))
    form.values.update({name: typed[name].strip() for name in form.values if name in typed})
    if form.values["shape"] not in SHAPES:
        form.values["shape"] = "slab-volume"
    if form.values["mix"] not in mixes:
        form.values["mix"] = _NEWCOMERS_MIX
        form.errors["mix"] = "That mix is not here any more: choose another."
    return form


def form_of(job: Job, units: System, mixes: Mapping[str, Mix]) -> PlanForm:
    """The form that stands for a job; what it cannot show by its shape it shows as its plain volume."""
    if not isinstance(job.mix, str) and job.mix.id not in mixes:
        mixes = {**mixes, job.mix.id: job.mix}
    form = empty_form(units, mixes, job.mix if isinstance(job.mix, str) else job.mix.id)
    raw = job.model_dump(mode="json", exclude_none=True)
    form.values["title"] = job.title
    for choice, (_, path, default) in _CHOICES.items():
        found = at(raw, path)
        if choice != "mix":
            form.values[choice] = found if isinstance(found, str) else default
    if at(raw, ("design", "air_entrained")):
        form.values["air"] = "entrained"
    needs = raw["need"]
    form.values["shape"] = needs[0].get("shape", "volume")
    if form.shape not in SHAPES or len(needs) > 1 or (form.shape == "volume" and "volume_m3" not in needs[0]):
        form.values["shape"] = "volume"
        raw["need"] = [{"volume_m3": make_plan(job).volume.net_m3}]
    for entry in form.entries:
        value = at(raw, entry.path)
        if value is not None:
            form.values[entry.name] = entry.write(value, units)
    return form


def convert(form: PlanForm, old: System, new: System) -> PlanForm:
    """The same figures in other units. What is no number stays as typed."""
    values = dict(form.values)
    for name, entry in _every_entry(form.mix).items():
        try:
            values[name] = entry.write(entry.read(values[name], old), new)
        except ValueError:
            continue
    return PlanForm(values, form.mixes)


def _every_entry(mix: Mix) -> Mapping[str, Entry]:
    """What the library's mixes ask for, so that another one can be chosen, and this mix, which may be the crew's."""
    return {**library_entries(), **{entry.name: entry for entry in materials_asked(mix) + own_ratio(mix)}}


def to_job(form: PlanForm, units: System) -> Job | None:
    """The job that the form stands for; None where something is wrong, which the form then says."""
    values, mix = form.values, form.mix
    raw: dict[str, Any] = {
        "format": "keeve-job",
        "version": 1,
        "title": values["title"] or "Untitled job",
        "mix": mix.id if mix.id in library() else mix.model_dump(mode="json"),
        "need": [{} if form.shape == "volume" else {"shape": form.shape}],
        "mixer": {"kind": values["mixer_kind"]},
        "materials": {part.name: {} for part in mix.parts},
        "parts": {},
        "conditions": {},
        "vessels": [{"name": "bucket"}] if values["volume_l"] and mix.basis != "bag" else [],
        "gauge": values["gauge"],
    }
    if values["order"]:
        raw["order"] = values["order"]
    if values["proportion"] in {item.name for item in mix.proportions}:
        raw["proportion"] = values["proportion"]
    if mix.basis == "design":
        raw["design"] = {
            "slump_mm": [0.0, 0.0],
            "exposure": values["exposure"],
            "air_entrained": values["air"] == "entrained",
        }
    if values["dose"] and dosed(mix):
        raw["admixtures"] = [{"name": dosed(mix), "basis": values["basis"]}]
    for entry in form.entries:
        _put(raw, entry, form, units)
    if form.errors or form.missing:
        return None
    try:
        return read_job(raw)
    except InputError as fault:
        form.refuse(fault)
        return None


def _put(raw: dict[str, Any], entry: Entry, form: PlanForm, units: System) -> None:
    """One number of the form into the job, or its error onto the form."""
    text = form.values[entry.name]
    if entry in (DOSE, DENSITY, SOLIDS) and not form.values["dose"]:
        return
    if not text:
        if entry.needed:
            form.missing[entry.name] = f"{entry.label} is missing: give it."
        return
    try:
        put(raw, entry.path, entry.read(text, units))
    except ValueError as fault:
        form.errors[entry.name] = str(fault)
