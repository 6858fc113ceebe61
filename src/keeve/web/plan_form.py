"""The plan form and the job it stands for: what was typed, in the reader's units, to a job and back."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from keeve.core.errors import InputError
from keeve.core.job import Job
from keeve.core.mixes import get_mix, library
from keeve.core.mixes.model import Mix
from keeve.core.units import MEASURES, System, to_kept, to_shown
from keeve.formats.job_file import read_job
from keeve.web.plan_entries import DENSITY, DOSE, SHAPES, SOLIDS, Entry, Path, entries_of, every_entry

_NEWCOMERS_MIX = "mortar-bricklaying"

# Each choice of the form: its words, where it stands in the job file, what the empty form shows.
_CHOICES: Mapping[str, tuple[str, Path, str]] = {
    "mix": ("Mix", ("mix",), _NEWCOMERS_MIX),
    "proportion": ("Proportion", ("proportion",), ""),
    "mixer_kind": ("Mixer", ("mixer", "kind"), "tilting-drum"),
    "order": ("Order", ("order",), ""),
    "gauge": ("Measure", ("gauge",), "weight"),
    "basis": ("The dose counts", ("admixtures", 0, "basis"), "ml_per_100kg"),
}


@dataclass
class PlanForm:
    """What stands on the form: texts by name, and what is wrong by name."""

    values: dict[str, str]
    errors: dict[str, str] = field(default_factory=dict)

    @property
    def shape(self) -> str:
        """The chosen shape."""
        return self.values["shape"]

    @property
    def mix(self) -> Mix:
        """The chosen mix."""
        return get_mix(self.values["mix"])

    @property
    def entries(self) -> list[Entry]:
        """The numbers that its shape and mix ask for."""
        return entries_of(self.shape, self.mix)

    def refuse(self, fault: InputError) -> None:
        """Put a refusal beside the fields it names, in the form's words."""
        places = {_dotted(entry.path): (entry.name, entry.label) for entry in self.entries}
        places |= {_dotted(path): (name, label) for name, (label, path, _) in _CHOICES.items()}
        places["title"] = ("title", "Job")
        message = fault.message
        for dotted, (_, label) in places.items():
            message = message.replace(dotted, label)
        for entry in self.entries:
            message = message.replace(str(entry.path[-1]), entry.label)
        named = [places[dotted][0] for dotted in fault.fields if dotted in places]
        for name in named or [""]:
            self.errors.setdefault(name, message)


def empty_form(units: System, mix_id: str = _NEWCOMERS_MIX) -> PlanForm:
    """The form as a newcomer meets it, with a small job on it that plans."""
    values = {"title": "", "shape": "slab-volume"}
    values |= {name: default for name, (_, _, default) in _CHOICES.items()}
    for entry in every_entry():
        values[entry.name] = "" if entry.default is None else _text(entry, entry.default, units)
    if mix_id in library():
        values["mix"] = mix_id
    return PlanForm(values)


def form_from(typed: Mapping[str, str], units: System) -> PlanForm:
    """The form as it was typed; what is not on it keeps the newcomer's value."""
    values = empty_form(units).values
    values.update({name: typed[name].strip() for name in values if name in typed})
    if values["shape"] not in SHAPES:
        values["shape"] = "slab-volume"
    if values["mix"] not in library():
        values["mix"] = _NEWCOMERS_MIX
    return PlanForm(values)


def form_of(job: Job, units: System) -> PlanForm:
    """The form that stands for a job made on it."""
    form = empty_form(units)
    raw = job.model_dump(mode="json", exclude_none=True)
    form.values["title"] = job.title
    form.values["shape"] = raw["need"][0].get("shape", "volume")
    for choice, (_, path, default) in _CHOICES.items():
        found = _at(raw, path)
        form.values[choice] = found if isinstance(found, str) else default
    for entry in form.entries:
        value = _at(raw, entry.path)
        if value is not None:
            form.values[entry.name] = _text(entry, value, units)
    return form


def convert(form: PlanForm, old: System, new: System) -> PlanForm:
    """The same figures in other units. What is no number stays as typed."""
    values = dict(form.values)
    for entry in every_entry():
        number = _number(values[entry.name])
        if entry.kind and number is not None:
            values[entry.name] = _text(entry, to_kept(number, entry.kind, old), new)
    return PlanForm(values)


def to_job(form: PlanForm, units: System) -> Job | None:
    """The job that the form stands for; None where something is wrong, which the form then says."""
    values, mix = form.values, form.mix
    raw: dict[str, Any] = {
        "format": "keeve-job",
        "version": 1,
        "title": values["title"] or "Untitled job",
        "mix": mix.id,
        "need": [{} if form.shape == "volume" else {"shape": form.shape}],
        "mixer": {"kind": values["mixer_kind"]},
        "materials": {part.name: {} for part in mix.parts},
        "parts": {},
        "vessels": [{"name": "bucket"}] if values["volume_l"] and mix.basis != "bag" else [],
        "gauge": values["gauge"],
    }
    if values["order"]:
        raw["order"] = values["order"]
    if values["proportion"] in {item.name for item in mix.proportions}:
        raw["proportion"] = values["proportion"]
    dosed = next((item.name for item in mix.admixtures if item.usual_dose is None), None)
    if values["dose"] and dosed:
        raw["admixtures"] = [{"name": dosed, "basis": values["basis"]}]
    for entry in form.entries:
        _put(raw, entry, form, units)
    if form.errors:
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
            form.errors[entry.name] = f"{entry.label} is missing: give it."
        return
    number = _number(text)
    if number is None or (entry.whole and number != int(number)):
        example = "a whole number, such as 2" if entry.whole else "a number, such as 3.5"
        form.errors[entry.name] = f"{entry.label} must be {example}."
        return
    kept: float = to_kept(number, entry.kind, units) if entry.kind else number
    if entry.percent:
        kept /= 100
    holder: Any = raw
    for part in entry.path[:-1]:
        holder = holder[part]
    holder[entry.path[-1]] = int(kept) if entry.whole else kept


def _number(text: str) -> float | None:
    try:
        number = float(text.replace(",", "."))
    except ValueError:
        return None
    return number if abs(number) < 1e12 else None


def _text(entry: Entry, kept: float, units: System) -> str:
    shown = to_shown(kept, entry.kind, units) if entry.kind else kept * 100 if entry.percent else kept
    decimals = MEASURES[units][entry.kind].decimals + 1 if entry.kind else 3
    return f"{shown:.{decimals}f}".rstrip("0").rstrip(".")


def _at(raw: Any, path: Path) -> Any:
    for part in path:
        try:
            raw = raw[part]
        except (KeyError, IndexError, TypeError):
            return None
    return raw


def _dotted(path: Path) -> str:
    return ".".join(str(part) for part in path)
