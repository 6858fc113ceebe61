"""The plan form and the job it stands for: what was typed, in the reader's units, to a job and back."""

from collections.abc import Mapping, Sequence
from copy import deepcopy
from dataclasses import dataclass, field
from datetime import date
from typing import Any, NamedTuple

from keeve.core.errors import InputError
from keeve.core.mixes import library
from keeve.core.mixes.model import Mix
from keeve.core.planning.job import Job
from keeve.core.planning.yard import YardItem, begun_with
from keeve.core.units import System
from keeve.formats.job_file import parse_job, read_job, write_job
from keeve.web import built, plan_entries
from keeve.web.built import BUILT
from keeve.web.entries import (
    Choice,
    Entry,
    Field,
    Rows,
    Text,
    at,
    empty_text,
    grown,
    kept_text,
    kept_value,
    members,
    place,
    put,
    shrunk,
    with_members,
)

_NEWCOMERS_MIX = "mortar-bricklaying"


class Offer(NamedTuple):
    """What one tap puts on the form: its words, and texts by name."""

    words: str
    texts: dict[str, str]


@dataclass
class PlanForm:
    """What stands on the form: texts by name, the mixes to choose from by id, what is wrong by name, and what is
    still to be given, by name; what was likely meant, by the name of what is wrong.

    Every name but a few is the path of its figure in the job file. ``opened`` is the job that the form began as: what
    the form does not ask stays as it is there.
    """

    values: dict[str, str]
    mixes: Mapping[str, Mix]
    units: System
    opened: Mapping[str, Any] = field(default_factory=dict)
    errors: dict[str, str] = field(default_factory=dict)
    missing: dict[str, str] = field(default_factory=dict)
    offers: dict[str, Offer] = field(default_factory=dict)

    @property
    def mix(self) -> Mix:
        """The chosen mix."""
        return self.mixes[self.values["mix"]]

    @property
    def items(self) -> list[str]:
        """What is built, item by item."""
        return [item["built"] for item in members(self.values, "need")]

    def sizes_of(self, index: int) -> list[Field]:
        """The sizes of an item, besides what it has several of."""
        return built.sizes_of(self.items[index], index)

    def rows_of(self, index: int) -> list[Rows]:
        """What an item has several of."""
        return [rows.under(("need", index)) for rows in BUILT[self.items[index]].rows]

    @property
    def vessel_names(self) -> list[str]:
        """What its vessels are called."""
        return [vessel.get("name", "") for vessel in members(self.values, "vessels")]

    @property
    def vessels(self) -> Rows:
        """The rows of its vessels."""
        return plan_entries.vessels_of(self.mix)

    @property
    def fields(self) -> dict[str, Field]:
        """Everything that is asked, by name."""
        found = plan_entries.fields_of_mix(self.mix)
        for index, kind in enumerate(self.items):
            found += built.fields_of(kind, index, self.values)
            found.append(Text("Called", ("need", index, "name")))
        for rows in (plan_entries.SCALES, *([self.vessels] if self.mix.basis != "bag" else [])):
            for number in range(rows.count(self.values)):
                found += rows.row(number)
        return {item.name: item for item in found}

    @property
    def kept(self) -> dict[str, str]:
        """What was typed where another mix or shape was chosen: it comes back with that choice."""
        asked = {"title", "mix", *self.fields, *(f"need.{index}.built" for index in range(len(self.items)))}
        return {name: text for name, text in self.values.items() if name not in asked}

    @property
    def _given(self) -> list[int]:
        """The numbers of the admixtures whose dose was given: the job has only those."""
        every = range(len(plan_entries.dosed(self.mix)))
        return [number for number in every if self.values.get(f"admixtures.{number}.dose")]

    def _name(self, path: str) -> str:
        """The name on the form of what stands at a path of its job."""
        parts = path.split(".")
        if (
            parts[0] == "admixtures"
            and len(parts) > 1
            and parts[1].isdigit()
            and int(parts[1]) < len(self._given)
        ):
            parts[1] = str(self._given[int(parts[1])])
        return ".".join(parts)

    def offer(self, meant: Mapping[str, Any] | None) -> Offer | None:
        """What was meant as one tap; None where nothing is known, or where the form has no such field."""
        named = {self._name(path): kept for path, kept in (meant or {}).items()}
        fields = self.fields
        if not named or not set(named) <= set(fields):
            return None
        words, texts = [], {}
        for name, kept in named.items():
            item = fields[name]
            texts[name] = shown = kept_text(item, kept, self.units)
            if isinstance(item, Choice):
                shown = item.options[kept]
            elif isinstance(item, Entry):
                shown = item.shown(kept, self.units)
            words.append(f"{item.label}: {shown}")
        return Offer(", ".join(words), texts)

    def check_allowed(self, fault: InputError) -> None:
        """Put a refusal beside the fields it names, in the form's words."""
        named = InputError(fault.code, fault.message, [self._name(path) for path in fault.fields])
        labels = {"title": "Job", "mix": "Mix", **{name: item.label for name, item in self.fields.items()}}
        message, names = place(named, labels)
        for name in names or [""]:
            self.errors.setdefault(name, message)
        if offer := self.offer(fault.meant):
            self.offers.setdefault((names or [""])[0], offer)


def empty_form(
    units: System,
    mixes: Mapping[str, Mix],
    mix_id: str = "",
    yard: Sequence[YardItem] = (),
    today: date | None = None,
    waste_fraction: float | None = None,
    stockpiles: Mapping[str, Mapping[str, float]] | None = None,
) -> PlanForm:
    """The form as a newcomer meets it, with a small job on it that plans; with what the yard has, where it has any.

    Args:
        units: the reader's.
        mixes: those to choose from.
        mix_id: the mix it is for.
        yard: what the crew owns.
        today: for the age of what was bought.
        waste_fraction: what a job showed, where one was reckoned up.
        stockpiles: what was last found of each stockpile, by its material.
    """
    mix_id = mix_id if mix_id in mixes else _NEWCOMERS_MIX
    form = PlanForm({"title": "", "mix": mix_id, "need.0.built": "slab"}, mixes, units)
    form.values |= {"mixer.kind": form.mix.procedures[0].mixer}
    owned = {"waste_fraction": waste_fraction} | _without_empty(
        begun_with(yard, form.mix, today or date.max, stockpiles)
    )
    if form.mix.basis != "bag":
        form.values |= {f"vessels.{number}.name": "bucket" for number in range(len(owned["vessels"]) or 1)}
    form.values |= {f"scales.{number}.capacity_kg": "" for number in range(len(owned["scales"]))}
    for name, item in form.fields.items():
        if (kept := at(owned, item.path)) is not None:
            form.values[name] = kept_text(item, kept, units)
    return _filled(form)


def form_from(
    typed: Mapping[str, str],
    units: System,
    mixes: Mapping[str, Mix],
    changes: Mapping[str, str] | None = None,
) -> PlanForm:
    """The form as it was typed, with one more of something, or one less, where that was tapped.

    Args:
        typed: what came with the form.
        units: the reader's.
        mixes: those to choose from.
        changes: ``_add`` and the name of what there is to be one more of, ``_drop`` and the name of what goes.
    """
    values = {
        name: text.strip() for name, text in typed.items() if not name.startswith("_") and name != "opened"
    }
    changes = changes or {}
    if name := changes.get("_add"):
        first = {"need": {"built": "slab"}, "vessels": {"name": "bucket"}}.get(name, {"": ""})
        values = grown(values, name) if members(values, name) else with_members(values, name, [first])
    if name := changes.get("_drop"):
        values = shrunk(values, name)
    errors = {}
    if values.setdefault("mix", _NEWCOMERS_MIX) not in mixes:
        errors["mix"] = "That mix is not here any more: choose another."
        values["mix"] = _NEWCOMERS_MIX
    if not members(values, "need"):
        values["need.0.built"] = "slab"
    for index in range(len(members(values, "need"))):
        if values.get(f"need.{index}.built") not in BUILT:
            values[f"need.{index}.built"] = "slab"
    opened = _opened(typed.get("opened", ""))
    return _filled(PlanForm({"title": "", **values}, mixes, units, opened, errors))


def _opened(text: str) -> Mapping[str, Any]:
    """The job that the form began as, as the form carries it; none where that is no job any more."""
    try:
        return write_job(parse_job(text)) if text else {}
    except InputError:
        return {}


def _filled(form: PlanForm) -> PlanForm:
    """The form with what is not on it yet as on an empty one; rows that a thing needs are there."""
    for index, kind in enumerate(form.items):
        for rows in BUILT[kind].rows:
            standing = rows.under(("need", index))
            while standing.count(form.values) < rows.least:
                for entry in standing.row(standing.count(form.values)):
                    form.values[entry.name] = empty_text(entry, form.units)
    for name, item in form.fields.items():
        form.values.setdefault(name, empty_text(item, form.units))
    return form


def form_of(job: Job, units: System, mixes: Mapping[str, Mix]) -> PlanForm:
    """The form that stands for a job: everything the form asks as the job says it."""
    if not isinstance(job.mix, str) and job.mix.id not in mixes:
        mixes = {**mixes, job.mix.id: job.mix}
    raw = write_job(job)
    mix = job.mix if isinstance(job.mix, str) else job.mix.id
    form = PlanForm({"title": job.title, "mix": mix}, mixes, units, raw)
    for index, need in enumerate(raw["need"]):
        form.values[f"need.{index}.built"] = built.built_of(need)
        for rows in BUILT[form.items[index]].rows:
            for number in range(len(need.get(rows.path[0], []))):
                form.values |= {entry.name: "" for entry in rows.under(("need", index)).row(number)}
    for rows in (plan_entries.SCALES, form.vessels):
        for number in range(len(raw.get(rows.name, []))):
            form.values |= {entry.name: "" for entry in rows.row(number)}
    raw = _by_number(raw, form.mix)
    for name, item in form.fields.items():
        kept = at(raw, item.path)
        if kept is not None:
            form.values[name] = kept_text(item, kept, units)
        else:
            form.values[name] = empty_text(item, units) if isinstance(item, Choice) or item.needed else ""
    return form


def _by_number(raw: Mapping[str, Any], mix: Mix) -> dict[str, Any]:
    """A job with its admixtures by their number in the mix, as the form has them."""
    names = [item.name for item in plan_entries.dosed(mix)]
    labels = raw.get("admixtures", [])
    return {
        **raw,
        "admixtures": {names.index(item["name"]): item for item in labels if item["name"] in names},
    }


def convert(form: PlanForm, new: System) -> PlanForm:
    """The same figures in other units. What is no number stays as typed."""
    values = dict(form.values)
    for name, entry in form.fields.items():
        if isinstance(entry, Entry):
            try:
                values[name] = entry.write(entry.read(values[name], form.units), new)
            except ValueError:
                continue
    return PlanForm(values, form.mixes, new, form.opened)


def to_job(form: PlanForm) -> Job | None:
    """The job that the form stands for; None where something is wrong, which the form then says."""
    raw, before = _begun(form), _by_number(form.opened, form.mix)
    for name, item in form.fields.items():
        text, was = form.values[name], at(before, item.path)
        if at(raw, item.path[:-1]) is None:
            continue
        # Untouched, a figure stays what it was, however few of its places are shown.
        exact = (was if was is not None else item.default) if isinstance(item, Entry) else None
        if isinstance(item, Entry) and exact is not None and item.write(exact, form.units) == text:
            put(raw, item.path, exact)
        else:
            _put(raw, item, text, form)
    raw["admixtures"] = list(raw["admixtures"].values())
    raw = _without_empty(raw)
    raw["materials"] = {name: figures for name, figures in raw["materials"].items() if figures}
    if form.errors or form.missing:
        return None
    try:
        return read_job(raw)
    except InputError as fault:
        form.check_allowed(fault)
        return None


def _begun(form: PlanForm) -> dict[str, Any]:
    """The job with everything that the form does not ask, and places for what it asks."""
    mix, opened = form.mix, deepcopy(dict(form.opened))
    needs = [dict(BUILT[kind].stands) for kind in form.items]
    for index, (kind, need) in enumerate(zip(form.items, needs, strict=True)):
        for rows in BUILT[kind].rows:
            count = rows.under(("need", index)).count(form.values)
            put(need, rows.path, [{} if rows.entries[0].path else None for _ in range(count)])
    dosed = plan_entries.dosed(mix)
    known = {item["name"]: item for item in opened.get("admixtures", [])}
    vessels = opened.get("vessels", [])
    return {
        **{name: value for name, value in opened.items() if name not in ("design", "proportion", "parts")},
        "format": "keeve-job",
        "version": 1,
        "title": form.values["title"] or "Untitled job",
        "mix": mix.id if mix.id in library() else mix.model_dump(mode="json"),
        "need": needs,
        "mixer": opened.get("mixer", {}),
        "materials": {part.name: opened.get("materials", {}).get(part.name, {}) for part in mix.parts},
        "parts": {},
        "conditions": opened.get("conditions", {}),
        "pace": opened.get("pace", {}),
        "scales": [{} for _ in range(plan_entries.SCALES.count(form.values))],
        "vessels": [
            vessels[number] if number < len(vessels) else {}
            for number in range(form.vessels.count(form.values))
        ]
        if mix.basis != "bag"
        else vessels,
        "admixtures": {
            number: {**known.get(dosed[number].name, {}), "name": dosed[number].name}
            for number in form._given
        },
        **({"design": {"slump_mm": [0.0, 0.0], **opened.get("design", {})}} if mix.basis == "design" else {}),
    }


def _put(raw: dict[str, Any], item: Field, text: str, form: PlanForm) -> None:
    """One figure of the form into the job, or its error onto the form; what was emptied is left out of the job."""
    try:
        kept = kept_value(item, text, form.units)
    except ValueError as fault:
        form.errors[item.name] = str(fault)
        return
    counts_anyway = isinstance(item, Choice) and text == item.default and not item.needed
    put(raw, item.path, None if counts_anyway and at(raw, item.path) is None else kept)
    if kept is None and item.needed:
        form.missing[item.name] = f"{item.label} is missing: give it."


def _without_empty(raw: Any) -> Any:
    """Plain values without what was left empty."""
    if isinstance(raw, dict):
        return {name: _without_empty(value) for name, value in raw.items() if value is not None}
    if isinstance(raw, list):
        return [_without_empty(value) for value in raw]
    return raw
