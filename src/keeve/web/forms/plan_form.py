"""The plan form and its job: from what was typed, in the reader's units, to a job and back."""

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from copy import deepcopy
from dataclasses import dataclass, field
from datetime import date
from typing import Any, NamedTuple

from keeve.core.errors import InputError
from keeve.core.mixes import library
from keeve.core.mixes.model import Mix, Use
from keeve.core.planning.job import Job
from keeve.core.planning.yard import YardItem, begun_with
from keeve.core.quantities import in_reader_units
from keeve.core.units import System
from keeve.formats.job_file import parse_job, read_job, write_job
from keeve.web.forms.fields import (
    Choice,
    Field,
    Number,
    Rows,
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
from keeve.web.forms.plan_sections import SCALES, Section, dosed, sections, vessels
from keeve.web.forms.shapes import NO_PART, SHAPES, asked_of, shape_of

_NEWCOMERS_MIX = "mortar-bricklaying"
# A form sent while other fields than those on the screen were asked for.
FORM_CHANGED = "The form changed with the mix or shape: check the fields, then save."


class Offer(NamedTuple):
    """What one tap puts on the form: its words, and texts by name."""

    words: str
    texts: dict[str, str]


@dataclass
class PlanForm:
    """The plan form. Every name but a few is the path of its figure in the job file.

    Args:
        values: texts by name.
        mixes: the mixes to choose from, by id.
        units: the reader's.
        opened: the job the form started as; what the form does not ask stays as it is there.
        errors: what is wrong, by name.
        missing: what is still to be filled in, by name.
        offers: what was probably meant, by the name of what is wrong.
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
    def shapes(self) -> list[str]:
        """The shape of each item of the job."""
        return [item["kind"] for item in members(self.values, "need")]

    @property
    def sections(self) -> list[Section]:
        """What the form asks besides the job's name and mix."""
        return sections(self.mix, self.shapes, self.values)

    @property
    def fields(self) -> dict[str, Field]:
        """Every field it asks, by name."""
        return {item.name: item for section in self.sections for item in section.fields(self.values)}

    @property
    def drawn_for(self) -> str:
        """The mix, the shapes and what else its fields are for, as JSON; it comes back with the form."""
        chosen = [name for name, item in self.fields.items() if _redraws(item)]
        shapes = [f"need.{index}.kind" for index in range(len(self.shapes))]
        return json.dumps({name: self.values.get(name, "") for name in ["mix", *shapes, *chosen]})

    @property
    def kept(self) -> dict[str, str]:
        """What was typed while another mix or shape was chosen: it comes back with that choice."""
        asked = {"title", "mix", *self.fields, *(f"need.{index}.kind" for index in range(len(self.shapes)))}
        return {name: text for name, text in self.values.items() if name not in asked}

    @property
    def given_doses(self) -> list[int]:
        """The numbers of the admixtures whose dose was given: the job has only those."""
        every = range(len(dosed(self.mix)))
        return [number for number in every if self.values.get(f"admixtures.{number}.dose")]

    def _name(self, path: str) -> str:
        """The name on the form of a path of its job."""
        first, _, rest = path.partition(".")
        number, _, last = rest.partition(".")
        given = self.given_doses
        if first == "admixtures" and number.isdigit() and int(number) < len(given):
            return f"admixtures.{given[int(number)]}.{last}"
        return path

    def offer(self, meant: Mapping[str, Any] | None) -> Offer | None:
        """What was meant as one tap; None where nothing is known, or the form has no such field."""
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
            elif isinstance(item, Number):
                shown = item.shown(kept, self.units)
            words.append(f"{item.label}: {shown}")
        return Offer(", ".join(words), texts)

    def refuse(self, fault: InputError) -> None:
        """Put an error beside the fields it names, in the form's words."""
        named = InputError(fault.code, fault.message, [self._name(path) for path in fault.fields])
        labels = {"title": "Job", "mix": "Mix", **{name: item.label for name, item in self.fields.items()}}
        message, names = place(named, labels)
        message = in_reader_units(message, self.units)
        for name in names or [""]:
            self.errors.setdefault(name, message)
        if offer := self.offer(fault.meant):
            self.offers.setdefault((names or [""])[0], offer)

    @property
    def wrong(self) -> dict[str, str]:
        """What is wrong, by field; where nothing is, what is still to be filled in, in one line of its own."""
        if self.errors or not self.missing:
            return self.errors
        labels = [item.label for name, item in self.fields.items() if name in self.missing]
        return {"": f"Fill in: {', '.join(labels)}."}


# What is made of a mix more often than anything else, by what it is for first; a slab or a bed of all others.
_SHAPES_BY_USE: Mapping[Use, str] = {
    "render": "coat",
    "plaster": "coat",
    "lay floor": "floor",
    "infill": "infill",
    "top": "overlay",
}


def _first_shape(mix: Mix) -> str:
    """What is made of a mix more often than anything else."""
    if mix.is_run.makes_casts:
        return "mould"
    return "cloth" if mix.is_run.placed_in else _SHAPES_BY_USE.get(mix.uses[0], "slab")


def frame_round(sides_m: Sequence[float], units: System) -> dict[str, str]:
    """The sides of a model as the fields of a frame round it show them, by the last part of their names."""
    frame = {item.path[-1]: item for item in SHAPES["mould"].parts["container"].ways["frame"].fields}
    names = ("length_m", "width_m", "height_m")
    return {name: kept_text(frame[name], side, units) for name, side in zip(names, sides_m, strict=True)}


def _redraws(item: Field) -> bool:
    return isinstance(item, Choice) and item.redraws


def empty_form(
    units: System,
    mixes: Mapping[str, Mix],
    mix_id: str = "",
    yard: Sequence[YardItem] = (),
    today: date | None = None,
    waste_fraction: float | None = None,
    stockpiles: Mapping[str, Mapping[str, float]] | None = None,
) -> PlanForm:
    """The form as a newcomer meets it, with a small job on it that plans; filled in from the yard, where there is one.

    Args:
        units: the reader's.
        mixes: those to choose from.
        mix_id: the mix it is for.
        yard: what the crew owns.
        today: for the age of what was bought.
        waste_fraction: the waste of the last closed job.
        stockpiles: what was last measured of each stockpile, by its material.
    """
    mix_id = mix_id if mix_id in mixes else _NEWCOMERS_MIX
    form = PlanForm({"title": "", "mix": mix_id, "need.0.kind": _first_shape(mixes[mix_id])}, mixes, units)
    form.values |= {"mixer.kind": form.mix.procedures[0].mixer}
    owned = {"waste_fraction": waste_fraction} | _without_empty(
        begun_with(yard, form.mix, today or date.max, stockpiles)
    )
    if not form.mix.is_made.is_blended:
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
        changes: ``_add`` with the name of what there should be one more of, ``_drop`` with the name of what goes.
    """
    values = {
        name: text.strip() for name, text in typed.items() if not name.startswith("_") and name != "opened"
    }
    changes = changes or {}
    if name := changes.get("_add"):
        first = {"need": {"kind": "slab"}, "vessels": {"name": "bucket"}}.get(name, {"": ""})
        values = grown(values, name) if members(values, name) else with_members(values, name, [first])
    if name := changes.get("_drop"):
        values = shrunk(values, name)
    errors = {}
    if values.setdefault("mix", _NEWCOMERS_MIX) not in mixes:
        errors["mix"] = "That mix is not here any more: choose another."
        values["mix"] = _NEWCOMERS_MIX
    if not members(values, "need"):
        values["need.0.kind"] = "slab"
    for index in range(len(members(values, "need"))):
        if values.get(f"need.{index}.kind") not in SHAPES:
            values[f"need.{index}.kind"] = "slab"
    opened = _opened(typed.get("opened", ""))
    form = _filled(PlanForm({"title": "", **values}, mixes, units, opened, errors))
    if "_redraw" in typed:
        before = _drawn_before(form, typed.get("_drawn_for", ""))
        form = _following(form, before, typed.get("_typed", "").split(" "))
    if typed.get("_drawn_for", form.drawn_for) != form.drawn_for and not changes:
        form.errors[""] = FORM_CHANGED
    return form


def _drawn_before(form: PlanForm, drawn_for: str) -> PlanForm | None:
    """The form as it was drawn before a choice changed its fields; None where that is not known."""
    try:
        chosen = json.loads(drawn_for)
        return (
            PlanForm({**form.values, **chosen}, form.mixes, form.units)
            if chosen["mix"] in form.mixes
            else None
        )
    except (ValueError, KeyError, TypeError):
        return None


def _following(form: PlanForm, before: PlanForm | None, typed: Sequence[str]) -> PlanForm:
    """The form after a choice: what nobody touched shows what the empty form would, the rest stays as typed.

    The mixer's sizes go with its kind, a label's dose with its admixture.

    Args:
        form: what was sent.
        before: the form as it was drawn; None where that is not known.
        typed: the names of what was typed since it was drawn.
    """
    if before is None:
        return form
    values = form.values
    if form.mix.id != before.mix.id:
        untouched = all(
            values.get(name) == empty_text(item, form.units)
            for name, item in before.fields.items()
            if name.startswith("need.")
        )
        if untouched and form.shapes == [_first_shape(before.mix)]:
            values["need.0.kind"] = _first_shape(form.mix)
        if values.get("mixer.kind") not in {procedure.mixer for procedure in form.mix.procedures}:
            values["mixer.kind"] = form.mix.procedures[0].mixer
    fresh = {"mixer."} if values.get("mixer.kind") != before.values.get("mixer.kind") else set()
    was = [admixture.name for admixture in dosed(before.mix)]
    for number, admixture in enumerate(dosed(form.mix)):
        if number >= len(was) or was[number] != admixture.name:
            fresh.add(f"admixtures.{number}.")
    for name, asked in form.fields.items():
        old = before.fields.get(name)
        if name in typed:
            continue
        is_fresh = name != "mixer.kind" and any(name.startswith(start) for start in fresh)
        if is_fresh or (old and values.get(name) == empty_text(old, form.units)):
            values[name] = empty_text(asked, form.units)
    return _filled(form)


def _opened(text: str) -> Mapping[str, Any]:
    """The job that the form started as, as the form carries it; none where it is no job any more."""
    try:
        return write_job(parse_job(text)) if text else {}
    except InputError:
        return {}


def _filled(form: PlanForm) -> PlanForm:
    """The form with everything that is not on it yet as on an empty one, and the fewest rows."""
    for rows in _every_rows(form):
        while rows.count(form.values) < rows.least:
            for item in rows.row(rows.count(form.values)):
                form.values[item.name] = empty_text(item, form.units)
    for name, item in form.fields.items():
        form.values.setdefault(name, empty_text(item, form.units))
    return form


def _every_rows(form: PlanForm) -> Iterator[Rows]:
    for section in form.sections:
        for part in section.parts:
            yield from part.rows


def form_of(job: Job, units: System, mixes: Mapping[str, Mix]) -> PlanForm:
    """The form of a job: everything the form asks, as the job has it."""
    if not isinstance(job.mix, str) and job.mix.id not in mixes:
        mixes = {**mixes, job.mix.id: job.mix}
    raw = write_job(job)
    mix = job.mix if isinstance(job.mix, str) else job.mix.id
    form = PlanForm({"title": job.title, "mix": mix}, mixes, units, raw)
    rows = [SCALES, vessels(form.mix)]
    for index, need in enumerate(raw["need"]):
        form.values[f"need.{index}.kind"] = shape_of(need)
        for name in SHAPES[form.shapes[index]].parts:
            form.values[f"need.{index}.{name}.by"] = need.get(name, {}).get("by", NO_PART)
        rows += [each for asked in asked_of(form.shapes[index], index, form.values) for each in asked.rows]
    for each in rows:
        for number in range(len(at(raw, each.path) or [])):
            form.values |= {item.name: "" for item in each.row(number)}
    by_number = _by_number(raw, form.mix)
    for name, item in form.fields.items():
        kept = at(by_number, item.path)
        if name in form.values and isinstance(item, Choice) and item.redraws:
            continue
        if kept is not None:
            form.values[name] = kept_text(item, kept, units)
        else:
            form.values[name] = _left_out(item, units)
    return form


def _left_out(item: Field, units: System) -> str:
    """What the form shows of a field that its job leaves out."""
    if isinstance(item, Choice) and None in item.options:
        return item.write(None)
    if isinstance(item, Number) and item.needed and item.default is not None:
        return item.write(item.default, units)
    return empty_text(item, units) if isinstance(item, Choice) or item.needed else ""


def _by_number(raw: Mapping[str, Any], mix: Mix) -> dict[str, Any]:
    """A job with its admixtures by their number in the mix, as the form has them."""
    names = [item.name for item in dosed(mix)]
    labels = raw.get("admixtures", [])
    return {
        **raw,
        "admixtures": {names.index(item["name"]): item for item in labels if item["name"] in names},
    }


def convert(form: PlanForm, new: System) -> PlanForm:
    """The form in other units: what was typed stays, now with its unit; what was not is round in the new units."""
    values = dict(form.values)
    for name, item in form.fields.items():
        if isinstance(item, Number) and item.kind:
            text = values[name]
            if text == empty_text(item, form.units):
                values[name] = empty_text(item, new)
            elif text.endswith(f" {item.unit(new)}"):
                values[name] = text.removesuffix(item.unit(new)).strip()
            elif _BARE.fullmatch(text):
                values[name] = f"{text} {item.unit(form.units)}"
    return PlanForm(values, form.mixes, new, form.opened)


# A number that was typed without a unit.
_BARE = re.compile(r"[\d\s.,/½¼¾-]+")


def to_job(form: PlanForm) -> Job | None:
    """The job of the form; None where something is wrong, which the form then says."""
    raw, before = _started(form), _by_number(form.opened, form.mix)
    given = {f"admixtures.{number}." for number in form.given_doses}
    for name, item in form.fields.items():
        if item.path[0] == "admixtures" and not any(name.startswith(start) for start in given):
            continue
        text, was = form.values[name], at(before, item.path)
        # Untouched, a figure stays what it was, however few of its places are shown.
        exact = None
        if isinstance(item, Number):
            # What an opened job leaves out is what it would be without a form.
            first = item.default if form.opened else item.shown_first(form.units)
            exact = first if was is None else was
        if isinstance(item, Number) and exact is not None and item.write(exact, form.units) == text:
            put(raw, item.path, exact)
        else:
            _put(raw, item, text, form)
    raw["admixtures"] = list(raw["admixtures"].values())
    raw = _without_empty(raw)
    raw["need"] = [
        {name: value for name, value in item.items() if value != {"by": NO_PART}} for item in raw["need"]
    ]
    if "amount" not in raw.get("plaster", {}):
        raw.pop("plaster", None)
    for holder in ("materials", "parts"):
        raw[holder] = {name: value for name, value in raw.get(holder, {}).items() if value != {}}
    if form.errors or form.missing:
        return None
    try:
        return read_job(raw)
    except InputError as fault:
        form.refuse(fault)
        return None


# What belongs to the mix that the form started with, and goes with it.
_OF_THE_MIX = ("plaster", "design", "proportion", "parts", "laying", "packs", "materials", "admixtures")


def _started(form: PlanForm) -> dict[str, Any]:
    """The job the form started as, without what its fields say and what its mix does not have."""
    mix, opened = form.mix, deepcopy(dict(form.opened))
    asked = {item.path[0] for item in form.fields.values()}
    known = {item["name"]: item for item in opened.get("admixtures", [])}
    names = [item.name for item in dosed(mix)]
    rows = {"scales": SCALES, **({"vessels": vessels(mix)} if not mix.is_made.is_blended else {})}
    kept_rows = {
        name: [*opened.get(name, []), *({} for _ in range(each.count(form.values)))][
            : each.count(form.values)
        ]
        for name, each in rows.items()
    }
    return {
        **{name: value for name, value in opened.items() if name not in _OF_THE_MIX},
        **kept_rows,
        "format": "keeve-job",
        "version": 2,
        "title": form.values["title"] or _made_up_title(form),
        "mix": mix.id if mix.id in library() else mix.model_dump(mode="json"),
        "need": [_started_need(form, index) for index in range(len(form.shapes))],
        "materials": {part.name: opened.get("materials", {}).get(part.name, {}) for part in mix.parts},
        "admixtures": {
            number: {**known.get(names[number], {}), "name": names[number]} for number in form.given_doses
        },
        **({"design": opened.get("design", {})} if "design" in asked else {}),
    }


def _made_up_title(form: PlanForm) -> str:
    """A name for a job that was given none: what is made, and of what."""
    shape, mix = SHAPES[form.shapes[0]].label, form.mix.name
    return f"{shape}, {mix[:1].lower()}{mix[1:]}"


def _started_need(form: PlanForm, index: int) -> dict[str, Any]:
    """An item of the job without its sizes; what the form does not ask of it stays as it was opened."""
    shape, before = form.shapes[index], at(form.opened, ("need", index)) or {}
    asked = {item.path[2] for item in form.fields.values() if item.path[:2] == ("need", index)}
    same = bool(before) and shape_of(before) == shape
    kept = {name: value for name, value in before.items() if name not in asked and (same or name == "name")}
    return {**kept, **SHAPES[shape].fixed, **{str(rows.path[-1]): [] for rows in SHAPES[shape].rows}}


def _put(raw: dict[str, Any], item: Field, text: str, form: PlanForm) -> None:
    """One figure of the form into the job, or its error onto the form; what was emptied is left out of the job."""
    try:
        kept = kept_value(item, text, form.units)
    except ValueError as fault:
        form.errors[item.name] = str(fault)
        return
    counts_anyway = isinstance(item, Choice) and text == item.default and not item.needed
    put(raw, item.path, None if counts_anyway and at(raw, item.path) is None else kept)
    may_be_none = isinstance(item, Choice) and None in item.options
    if kept is None and item.needed and not may_be_none:
        form.missing[item.name] = f"{item.label} is missing: fill it in."


def _without_empty(raw: Any) -> Any:
    """Plain values without what was left empty."""
    if isinstance(raw, dict):
        return {name: _without_empty(value) for name, value in raw.items() if value is not None}
    if isinstance(raw, list):
        return [_without_empty(value) for value in raw]
    return raw
