"""The plan form and the job it stands for: what was typed, in the reader's units, to a job and back."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from keeve.core.errors import InputError
from keeve.core.job import Job
from keeve.core.mixes import library
from keeve.core.mixes.model import Mix
from keeve.core.planning import make_plan
from keeve.core.units import System
from keeve.formats.job_file import read_job
from keeve.web.entries import Choice, Entry, at, dotted, put
from keeve.web.plan_entries import SHAPES, choices_of, dosed, entries_of, library_choices, library_entries

_NEWCOMERS_MIX = "mortar-bricklaying"


class Offer(NamedTuple):
    """What one tap puts on the form: its words, and texts by name."""

    words: str
    texts: dict[str, str]


@dataclass
class PlanForm:
    """What stands on the form: texts by name, the mixes to choose from by id, what is wrong by name, and what is
    still to be given, by name; what was likely meant, by the name of what is wrong.
    """

    values: dict[str, str]
    mixes: Mapping[str, Mix]
    units: System
    errors: dict[str, str] = field(default_factory=dict)
    missing: dict[str, str] = field(default_factory=dict)
    offers: dict[str, Offer] = field(default_factory=dict)

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

    @property
    def choices(self) -> list[Choice]:
        """The choices that its mix asks for."""
        return choices_of(self.mix)

    @property
    def fields(self) -> dict[str, Entry | Choice]:
        """All of them, by their path in the job file as a refusal names it."""
        asked: list[Entry | Choice] = [*self.entries, *self.choices]
        return {dotted(item.path): item for item in asked}

    def offer(self, meant: Mapping[str, Any] | None) -> Offer | None:
        """What was meant as one tap; None where nothing is known, or where the form has no such field."""
        fields = self.fields
        if not meant or not set(meant) <= set(fields):
            return None
        words, texts = [], {}
        for path, kept in meant.items():
            item = fields[path]
            if isinstance(item, Choice):
                texts[item.name], shown = item.write(kept), item.options[kept]
            else:
                texts[item.name], shown = item.write(kept, self.units), item.shown(kept, self.units)
            words.append(f"{item.label}: {shown}")
        return Offer(", ".join(words), texts)

    def refuse(self, fault: InputError) -> None:
        """Put a refusal beside the fields it names, in the form's words."""
        places = {path: (item.name, item.label) for path, item in self.fields.items()}
        places |= {
            "title": ("title", "Job"),
            "mix": ("mix", "Mix"),
            "proportion": ("proportion", "Proportion"),
        }
        message = fault.message
        for path, (_, label) in places.items():
            # A field of one plain word (mix, order) is named only where the sentence begins with it.
            if not path.isalpha() or message.startswith(path):
                message = message.replace(path, label, 1)
        for entry in self.entries:
            message = message.replace(str(entry.path[-1]), entry.label)
        # A refusal of a list (the two ends of a slump) stands beside its first entry.
        named = [place[0] for path, place in places.items() if path.rpartition(".0")[0] in fault.fields]
        named += [places[path][0] for path in fault.fields if path in places]
        for name in named or [""]:
            self.errors.setdefault(name, message)
        if offer := self.offer(fault.meant):
            self.offers.setdefault((named or [""])[0], offer)


def empty_form(units: System, mixes: Mapping[str, Mix], mix_id: str = _NEWCOMERS_MIX) -> PlanForm:
    """The form as a newcomer meets it, with a small job on it that plans."""
    mix_id = mix_id if mix_id in mixes else _NEWCOMERS_MIX
    mix = mixes[mix_id]
    values = {"title": "", "shape": "slab-volume", "mix": mix_id, "proportion": ""}
    values |= {name: choice.default for name, choice in _every_choice(mix).items()}
    for name, entry in _every_entry(mix).items():
        values[name] = "" if entry.default is None else entry.write(entry.default, units)
    values["mixer_kind"] = mix.procedures[0].mixer
    return PlanForm(values, mixes, units)


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
    form.values["proportion"] = job.proportion or ""
    for choice in form.choices:
        form.values[choice.name] = choice.write(at(raw, choice.path)) or choice.default
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


def convert(form: PlanForm, new: System) -> PlanForm:
    """The same figures in other units. What is no number stays as typed."""
    values = dict(form.values)
    for name, entry in _every_entry(form.mix).items():
        try:
            values[name] = entry.write(entry.read(values[name], form.units), new)
        except ValueError:
            continue
    return PlanForm(values, form.mixes, new)


def _every_entry(mix: Mix) -> Mapping[str, Entry]:
    """What the library's mixes ask for, so that another one can be chosen, and this mix, which may be the crew's."""
    return {**library_entries(), **{entry.name: entry for entry in entries_of("volume", mix)}}


def _every_choice(mix: Mix) -> Mapping[str, Choice]:
    return {**library_choices(), **{choice.name: choice for choice in choices_of(mix)}}


def to_job(form: PlanForm) -> Job | None:
    """The job that the form stands for; None where something is wrong, which the form then says."""
    values, mix = form.values, form.mix
    raw: dict[str, Any] = {
        "format": "keeve-job",
        "version": 1,
        "title": values["title"] or "Untitled job",
        "mix": mix.id if mix.id in library() else mix.model_dump(mode="json"),
        "need": [{} if form.shape == "volume" else {"shape": form.shape}],
        "mixer": {},
        "materials": {part.name: {} for part in mix.parts},
        "parts": {},
        "conditions": {},
        "vessels": [{"name": "bucket"}] if values["volume_l"] and mix.basis != "bag" else [],
        "admixtures": [{"name": dosed(mix)}] if values["dose"] and dosed(mix) else [],
    }
    if values["proportion"] in {item.name for item in mix.proportions}:
        raw["proportion"] = values["proportion"]
    if mix.basis == "design":
        raw["design"] = {"slump_mm": [0.0, 0.0]}
    for choice in form.choices:
        kept = choice.read(values[choice.name])
        if kept is not None and at(raw, choice.path[:-1]) is not None:
            put(raw, choice.path, kept)
    for entry in form.entries:
        _put(raw, entry, form)
    if form.errors or form.missing:
        return None
    try:
        return read_job(raw)
    except InputError as fault:
        form.refuse(fault)
        return None


def _put(raw: dict[str, Any], entry: Entry, form: PlanForm) -> None:
    """One number of the form into the job, or its error onto the form."""
    text = form.values[entry.name]
    # What an admixture's label says counts only with its dose.
    if at(raw, entry.path[:-1]) is None:
        return
    if not text:
        if entry.needed:
            form.missing[entry.name] = f"{entry.label} is missing: give it."
        return
    try:
        put(raw, entry.path, entry.read(text, form.units))
    except ValueError as fault:
        form.errors[entry.name] = str(fault)
