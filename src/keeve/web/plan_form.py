"""The plan form and the job it stands for: what was typed, in the reader's units, to a job and back."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from keeve.core.errors import InputError
from keeve.core.job import Job
from keeve.core.units import MEASURES, Kind, System, to_kept, to_shown
from keeve.formats.job_file import read_job

Path = tuple[str | int, ...]


@dataclass(frozen=True)
class Entry:
    """A number on the form.

    Args:
        name: its name on the form, and the last part of its path in the job file.
        label: its words.
        path: where it stands in the job file.
        kind: what it measures; None for a bare number.
        percent: whether it is typed in percent and kept as a fraction.
        whole: whether it is a whole number.
        default: what the empty form shows, in kept units.
        needed: whether it may not be left empty.
    """

    name: str
    label: str
    path: Path
    kind: Kind | None = None
    percent: bool = False
    whole: bool = False
    default: float | None = None
    needed: bool = False


def _size(name: str, label: str, kind: Kind, default: float) -> Entry:
    return Entry(name, label, ("need", 0, name), kind, default=default, needed=True)


_COUNT = Entry("count", "How many", ("need", 0, "count"), whole=True, default=1)

# What can be filled, with the sizes each asks for. "volume" is the plain volume.
SHAPES: Mapping[str, tuple[str, tuple[Entry, ...]]] = {
    "slab-volume": (
        "Slab or bed",
        (
            _size("length_m", "Length", "length", 3.0),
            _size("width_m", "Width", "length", 2.0),
            _size("thickness_m", "Thickness", "thickness", 0.04),
            _COUNT,
        ),
    ),
    "cylinder-volume": (
        "Cylinder",
        (
            _size("diameter_m", "Diameter", "thickness", 0.3),
            _size("height_m", "Height", "length", 0.8),
            _COUNT,
        ),
    ),
    "post-hole-volume": (
        "Post hole",
        (
            _size("hole_diameter_m", "Hole diameter", "thickness", 0.3),
            _size("hole_depth_m", "Hole depth", "length", 0.6),
            _size("post_width_m", "Post width", "thickness", 0.1),
            _size("post_thickness_m", "Post thickness", "thickness", 0.1),
            _size("embedment_m", "Post in the hole", "length", 0.5),
            _COUNT,
        ),
    ),
    "volume": ("Plain volume", (_size("volume_m3", "Volume", "order", 0.25),)),
}

WASTE = Entry("waste_fraction", "Waste", ("waste_fraction",), percent=True, default=0.10)
WORKING = Entry("working_l", "Mixes at a time", ("mixer", "working_l"), "batch", default=90.0, needed=True)
MOISTURE = Entry(
    "moisture_fraction",
    "Sand moisture",
    ("materials", "sand", "moisture_fraction"),
    percent=True,
    default=0.04,
)
BAG = Entry("bag_kg", "Cement bag", ("materials", "cement", "bag_kg"), "bag", default=25.0)
VESSEL = Entry("volume_l", "Bucket, level", ("vessels", 0, "volume_l"), "batch", default=12.0)
DOSE = Entry("dose", "Dose", ("admixtures", 0, "dose"))
DENSITY = Entry("density_kg_l", "Density, kg/L", ("admixtures", 0, "density_kg_l"))
SOLIDS = Entry("solids_fraction", "Solids", ("admixtures", 0, "solids_fraction"), percent=True)

_ALWAYS = (WASTE, WORKING, MOISTURE, BAG, VESSEL)
_LABEL = (DOSE, DENSITY, SOLIDS)

DOSE_BASES: Mapping[str, str] = {
    "ml_per_100kg": "mL per 100 kg of cement",
    "percent_binder": "% of cement by weight",
    "ml_per_l_water": "mL per L of water",
    "ml_per_batch": "mL per load",
    "floz_per_us_cwt": "US fl oz per US cwt",
}

_CHOICES: Mapping[str, tuple[str, Path]] = {
    "mixer_kind": ("Mixer", ("mixer", "kind")),
    "order": ("Order", ("order",)),
    "gauge": ("Gauge", ("gauge",)),
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

    def refuse(self, fault: InputError) -> None:
        """Put a refusal beside the fields it names, in the form's words."""
        entries = {_dotted(entry.path): entry for entry in _entries(self.shape)}
        for choice, (label, place) in _CHOICES.items():
            entries[_dotted(place)] = Entry(choice, label, place)
        entries["title"] = Entry("title", "Job", ("title",))
        message = fault.message
        for dotted, entry in entries.items():
            message = message.replace(dotted, entry.label)
        for entry in _entries(self.shape):
            message = message.replace(entry.name, entry.label)
        named = [entries[dotted].name for dotted in fault.fields if dotted in entries]
        for name in named or [""]:
            self.errors.setdefault(name, message)


def empty_form(units: System) -> PlanForm:
    """The form as a newcomer meets it, with a small job on it that plans."""
    values = {"title": "", "shape": "slab-volume", "mixer_kind": "tilting-drum", "order": "", "gauge": "weight",
              "basis": "ml_per_100kg"}  # fmt: skip
    for entry in _every_entry():
        values[entry.name] = "" if entry.default is None else _text(entry, entry.default, units)
    return PlanForm(values)


def form_from(typed: Mapping[str, str], units: System) -> PlanForm:
    """The form as it was typed; what is not on it keeps the newcomer's value."""
    values = empty_form(units).values
    values.update({name: typed[name].strip() for name in values if name in typed})
    if values["shape"] not in SHAPES:
        values["shape"] = "slab-volume"
    return PlanForm(values)


def form_of(job: Job, units: System) -> PlanForm:
    """The form that stands for a job made on it."""
    form = empty_form(units)
    raw = job.model_dump(mode="json", exclude_none=True)
    form.values["title"] = job.title
    form.values["shape"] = raw["need"][0].get("shape", "volume")
    for choice, (_, path) in _CHOICES.items():
        form.values[choice] = str(_at(raw, path) or "")
    form.values["basis"] = str(_at(raw, ("admixtures", 0, "basis")) or "ml_per_100kg")
    for entry in _entries(form.shape):
        value = _at(raw, entry.path)
        if value is not None:
            form.values[entry.name] = _text(entry, value, units)
    return form


def convert(form: PlanForm, old: System, new: System) -> PlanForm:
    """The same figures in other units. What is no number stays as typed."""
    values = dict(form.values)
    for entry in _every_entry():
        number = _number(values[entry.name])
        if entry.kind and number is not None:
            values[entry.name] = _text(entry, to_kept(number, entry.kind, old), new)
    return PlanForm(values)


def to_job(form: PlanForm, mix: str, units: System) -> Job | None:
    """The job that the form stands for; None where something is wrong, which the form then says."""
    values = form.values
    raw: dict[str, Any] = {
        "format": "keeve-job",
        "version": 1,
        "mix": mix,
        "title": values["title"] or "Untitled job",
    }
    need = {} if form.shape == "volume" else {"shape": form.shape}
    raw |= {"need": [need], "mixer": {"kind": values["mixer_kind"]}, "materials": {"sand": {}, "cement": {}},
            "vessels": [{"name": "bucket"}], "gauge": values["gauge"]}  # fmt: skip
    if values["order"]:
        raw["order"] = values["order"]
    if values["dose"]:
        raw["admixtures"] = [{"name": "plasticiser", "basis": values["basis"]}]
    for entry in _entries(form.shape):
        _put(raw, entry, form, units)
    if not values["volume_l"]:
        raw["vessels"] = []
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
    if entry in _LABEL and not form.values["dose"]:
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


def _entries(shape: str) -> tuple[Entry, ...]:
    return (*SHAPES[shape][1], *_ALWAYS, *_LABEL)


def _every_entry() -> list[Entry]:
    sizes = [entry for _, entries in SHAPES.values() for entry in entries]
    return list({entry.name: entry for entry in (*sizes, *_ALWAYS, *_LABEL)}.values())


def _at(raw: Any, path: Path) -> Any:
    for part in path:
        try:
            raw = raw[part]
        except (KeyError, IndexError):
            return None
    return raw


def _dotted(path: Path) -> str:
    return ".".join(str(part) for part in path)
