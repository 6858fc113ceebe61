"""The plan form and its job: from what was typed, in the reader's units, to a job and back."""

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any, NamedTuple

from keeve.core.errors import InputError
from keeve.core.mixes import library
from keeve.core.mixes.model import Mix, TypicalLabel, Use
from keeve.core.planning.job import MOST_ITEMS, Job
from keeve.core.planning.yard import OwnBag, YardItem, begun_with
from keeve.core.texts import MOST_OF_A_KIND
from keeve.core.units import System
from keeve.figures.refusals import fields_of, in_readers_words
from keeve.formats.job_file import parse_job, write_job
from keeve.screens.plan.fields import dosed
from keeve.screens.plan.sections import Fold, FormSection, sections
from keeve.screens.plan.shapes import SHAPES
from keeve.web.fields import (
    Choice,
    Field,
    Number,
    Rows,
    at,
    empty_text,
    grown,
    members,
    shown_text,
    shrunk,
    with_members,
    without_empty,
)

_NEWCOMERS_MIX = "mortar-bricklaying"
# A form sent while other fields than those on the screen were asked for.
FORM_CHANGED = "The fields changed with the mix or shape. Check them, then save."


class FormOffer(NamedTuple):
    """One tap on the form: its words, and texts by name."""

    words: str
    texts: Mapping[str, str]


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
    offers: dict[str, FormOffer] = field(default_factory=dict)

    @property
    def mix(self) -> Mix:
        """The chosen mix."""
        return self.mixes[self.values["mix"]]

    @property
    def has_label(self) -> bool:
        """Whether it asks for the label of a bag that the yard can keep: one of the library's."""
        return self.mix.basis_traits.asks_for == "label" and self.mix.id in library()

    @property
    def typical_label(self) -> FormOffer | None:
        """The label as such bags usually have it, as one tap; None where the mix has none, or one was typed."""
        label, bag = self.mix.typical_label, self.mix.parts[0].name
        names = [f"materials.{bag}.{name}" for name in TypicalLabel.model_fields]
        if label is None or any(self.values.get(name) for name in names):
            return None
        return self.offer({f"materials.{bag}.{name}": kept for name, kept in label.model_dump().items()})

    @property
    def shapes(self) -> list[str]:
        """The shape of each item of the job."""
        return [item["kind"] for item in members(self.values, "need")]

    @property
    def made_up_title(self) -> str:
        """A name for a job that was given none: what is made, and of what."""
        shape, mix = SHAPES[self.shapes[0]].label, self.mix.name
        return f"{shape}, {mix[:1].lower()}{mix[1:]}"

    @property
    def sections(self) -> list[FormSection]:
        """The questions of the form besides the job's name and mix."""
        return sections(self.mix, self.shapes, self.values)

    @property
    def fields(self) -> dict[str, Field]:
        """Every field it asks, by name."""
        return {item.name: item for section in self.sections for item in section.fields(self.values)}

    @property
    def fold_words(self) -> list[str]:
        """The contents of each fold, in the order of the folds."""
        folds = (part for section in self.sections for part in section.parts if isinstance(part, Fold))
        return [fold.words(self.values, self.units) for fold in folds]

    @property
    def drawn_for(self) -> str:
        """The mix, the shapes and what else its fields are for, as JSON; it comes back with the form."""
        chosen = [name for name, item in self.fields.items() if _redraws(item)]
        shapes = [f"need.{index}.kind" for index in range(len(self.shapes))]
        return json.dumps({name: self.values.get(name, "") for name in ["mix", *shapes, *chosen]})

    @property
    def kept(self) -> dict[str, str]:
        """The texts typed while another mix or shape was chosen: they come back with that choice."""
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

    def offer(self, meant: Mapping[str, Any] | None) -> FormOffer | None:
        """The likely meaning as one tap; None where nothing is known, or the form has no such field."""
        named = {self._name(path): kept for path, kept in (meant or {}).items()}
        fields = self.fields
        if not named or not set(named) <= set(fields):
            return None
        words, texts = [], {}
        for name, kept in named.items():
            item = fields[name]
            texts[name] = shown = shown_text(item, kept, self.units)
            if isinstance(item, Choice):
                shown = item.options[kept]
            elif isinstance(item, Number):
                shown = item.shown(kept, self.units)
            words.append(f"{item.label}: {shown}")
        return FormOffer(", ".join(words), texts)

    def refuse(self, fault: InputError) -> None:
        """Put an error beside the fields it names, in the form's words."""
        named = InputError(fault.code, fault.message, [self._name(path) for path in fault.fields])
        labels = {"title": "Job", "mix": "Mix", **{name: item.label for name, item in self.fields.items()}}
        message, names = in_readers_words(named, labels, self.units), fields_of(named, labels)
        for name in names or [""]:
            self.errors.setdefault(name, message)
        if offer := self.offer(fault.meant):
            self.offers.setdefault((names or [""])[0], offer)

    @property
    def wrong(self) -> dict[str, str]:
        """The faults, by field; where there are none, what is still to be filled in, in one line of its own."""
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


# What a shape is made of more often than anything else; all others of concrete.
_MIX_BY_SHAPE: Mapping[str, str] = {
    "coat": "stucco-base",
    "masonry": _NEWCOMERS_MIX,
    "pointing": _NEWCOMERS_MIX,
    "floor": "screed-1-4",
    "infill": "hemp-lime",
    "mould": "plaster-casting",
    "cloth": "plaster-coat",
    "overlay": "overlay-stampable",
}
_OTHERWISE = "concrete-nominal"


def _first_shape(mix: Mix) -> str:
    """The shape that is made of a mix more often than any other."""
    if mix.regime_traits.makes_casts:
        return "mould"
    return "cloth" if mix.regime_traits.placed_in else _SHAPES_BY_USE.get(mix.uses[0], "slab")


def frame_round(sides_m: Sequence[float], units: System) -> dict[str, str]:
    """The sides of a model as the fields of a frame round it show them, by the last part of their names."""
    frame = {item.path[-1]: item for item in SHAPES["mould"].parts["container"].ways["frame"].fields}
    names = ("length_m", "width_m", "height_m")
    return {name: shown_text(frame[name], side, units) for name, side in zip(names, sides_m, strict=True)}


def label_of(form: PlanForm, job: Job, name: str) -> dict[str, Any] | None:
    """The bag whose label is on a form, as a thing of the yard under a name; None where no name was given."""
    if not name.strip() or not form.has_label:
        return None
    figures = job.materials[form.mix.parts[0].name].model_dump(exclude_none=True)
    kept = {field: figures[field] for field in OwnBag.model_fields if field in figures}
    return {"kind": "bag", "name": name.strip(), "mix": form.mix.id, **kept}


def offered_bags(form: PlanForm, bags: Sequence[OwnBag]) -> list[FormOffer]:
    """The crew's own bags of the chosen mix: each fills the label at a tap."""
    part, fields = form.mix.parts[0].name, form.fields
    return [
        FormOffer(
            bag.name,
            {
                name: shown_text(fields[name], kept, form.units)
                for figure, kept in bag.label.items()
                if (name := f"materials.{part}.{figure}") in fields
            },
        )
        for bag in bags
        if bag.mix == form.mix.id
    ]


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
    shape: str = "",
) -> PlanForm:
    """The form as a newcomer meets it, with a small job on it that plans; filled in from the yard, where there is one.

    Args:
        units: the reader's.
        mixes: those to choose from.
        mix_id: the mix it is for.
        yard: what the crew owns.
        today: for the age of what was bought.
        waste_fraction: the waste of the last closed job.
        stockpiles: what was last measured or reported of each stockpile, by its material.
        shape: what is made, by the name of its shape; a mix for it is taken where none is given.
    """
    if mix_id not in mixes:
        mix_id = _MIX_BY_SHAPE.get(shape, _OTHERWISE) if shape in SHAPES else _NEWCOMERS_MIX
    kind = shape if shape in SHAPES else _first_shape(mixes[mix_id])
    form = PlanForm({"title": "", "mix": mix_id, "need.0.kind": kind}, mixes, units)
    form.values |= {"mixer.kind": form.mix.procedures[0].mixer}
    owned = {"waste_fraction": waste_fraction} | without_empty(
        begun_with(yard, form.mix, today or date.max, stockpiles)
    )
    if not form.mix.basis_traits.is_blended:
        form.values |= {f"vessels.{number}.name": "bucket" for number in range(len(owned["vessels"]) or 1)}
    form.values |= {f"scales.{number}.capacity_kg": "" for number in range(len(owned["scales"]))}
    for name, item in form.fields.items():
        if (kept := at(owned, item.path)) is not None:
            form.values[name] = shown_text(item, kept, units)
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
        errors["mix"] = "That mix is gone. Choose another."
        values["mix"] = _NEWCOMERS_MIX
    needs = [_of_a_known_shape(need) for need in members(values, "need")]
    if len(needs) > MOST_ITEMS:
        raise InputError(
            "too_many", f"A plan holds up to {MOST_ITEMS} items. Make a second plan for the rest.", ["need"]
        )
    values = with_members(values, "need", needs or [_of_a_known_shape({})])
    opened = _opened(typed.get("opened", ""))
    form = _filled(PlanForm({"title": "", **values}, mixes, units, opened, errors))
    if "_redraw" in typed:
        before = _drawn_before(form, typed.get("_drawn_for", ""))
        form = _following(form, before, typed.get("_typed", "").split(" "))
    if typed.get("_drawn_for", form.drawn_for) != form.drawn_for and not changes:
        form.errors[""] = FORM_CHANGED
    return form


def _of_a_known_shape(need: Mapping[str, str]) -> dict[str, str]:
    return {**need, "kind": need["kind"] if need.get("kind") in SHAPES else "slab"}


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
        if rows.count(form.values) > MOST_OF_A_KIND:
            raise InputError("too_many", f"{rows.label}: up to {MOST_OF_A_KIND}.", [rows.name])
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
