"""The plan form and its job: from what is on the form to a job, and from a job to the form."""

from collections.abc import Mapping
from copy import deepcopy
from typing import Any

from keeve.core.errors import InputError
from keeve.core.mixes import library
from keeve.core.mixes.model import Mix
from keeve.core.planning.job import Job
from keeve.core.units import System
from keeve.formats.job_file import read_job, write_job
from keeve.screens.plan.fields import SCALES, dosed, vessels
from keeve.screens.plan.form import PlanForm
from keeve.screens.plan.shapes import NO_PART, SHAPES, asked_of, shape_of
from keeve.web.fields import (
    Choice,
    Field,
    Number,
    at,
    empty_text,
    put,
    shown_text,
    stored_value,
    without_empty,
)


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
    filled: set[str] = set()
    # A choice that is filled may ask for more.
    while asked_for := {name: item for name, item in form.fields.items() if name not in filled}:
        filled |= set(asked_for)
        for name, item in asked_for.items():
            kept = at(by_number, item.path)
            if name in form.values and isinstance(item, Choice) and item.redraws:
                continue
            form.values[name] = _left_out(item, units) if kept is None else shown_text(item, kept, units)
    return form


def _left_out(item: Field, units: System) -> str:
    """The text of a field that its job leaves out."""
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
    raw = without_empty(raw)
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
_OF_THE_MIX = (
    "plaster",
    "own_water",
    "design",
    "proportion",
    "parts",
    "support",
    "intended_use",
    "placing",
    "packs",
    "materials",
    "admixtures",
)


def _started(form: PlanForm) -> dict[str, Any]:
    """The job the form started as, without what its fields say and what its mix does not have."""
    mix, opened = form.mix, deepcopy(dict(form.opened))
    asked = {item.path[0] for item in form.fields.values()}
    known = {item["name"]: item for item in opened.get("admixtures", [])}
    names = [item.name for item in dosed(mix)]
    rows = {"scales": SCALES, **({"vessels": vessels(mix)} if not mix.basis_traits.is_blended else {})}
    stored_rows = {
        name: [*opened.get(name, []), *({} for _ in range(each.count(form.values)))][
            : each.count(form.values)
        ]
        for name, each in rows.items()
    }
    return {
        **{name: value for name, value in opened.items() if name not in _OF_THE_MIX},
        **stored_rows,
        "format": "keeve-job",
        "version": 1,
        "title": form.values["title"] or form.made_up_title,
        "mix": mix.id if mix.id in library() else mix.model_dump(mode="json"),
        "need": [_started_need(form, index) for index in range(len(form.shapes))],
        "materials": {part.name: opened.get("materials", {}).get(part.name, {}) for part in mix.parts},
        "admixtures": {
            number: {**known.get(names[number], {}), "name": names[number]} for number in form.given_doses
        },
        **({"design": opened.get("design", {})} if "design" in asked else {}),
    }


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
        kept = stored_value(item, text, form.units)
    except ValueError as fault:
        form.errors[item.name] = str(fault)
        return
    counts_anyway = isinstance(item, Choice) and text == item.default and not item.needed
    put(raw, item.path, None if counts_anyway and at(raw, item.path) is None else kept)
    may_be_none = isinstance(item, Choice) and None in item.options
    if kept is None and item.needed and not may_be_none:
        form.missing[item.name] = f"{item.label} is missing. Enter it."
