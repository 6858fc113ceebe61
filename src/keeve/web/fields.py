"""The fields of a form: numbers, texts, choices and rows, and the way from what was typed to what is kept and back."""

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import count, pairwise
from typing import Any, ClassVar, Self

from keeve.core.errors import InputError
from keeve.core.quantities import read_quantity
from keeve.core.units import DISPLAY_UNITS, Kind, System, as_read, to_kept, to_shown

Path = tuple[str | int, ...]
_LARGEST = 1e12


@dataclass(frozen=True)
class _Field:
    """A field: its label, and its path in what the form fills. The dotted path is its name on the form.

    ``what``: its sort, by which a page draws it.
    """

    what: ClassVar[str]
    label: str
    path: Path

    @property
    def name(self) -> str:
        """Its name on the form."""
        return dotted(self.path)

    def under(self, path: Path) -> Self:
        """The same field under a path."""
        return replace(self, path=path + self.path)


@dataclass(frozen=True)
class Number(_Field):
    """A number.

    Args:
        label: its label.
        path: its path in what the form fills.
        kind: the kind of quantity; None for a bare number.
        percent: whether it is typed in percent and kept as a fraction.
        whole: whether it is a whole number.
        default: what the empty form shows, in kept units.
        default_us: what it shows a US reader, where that is not the nearest round figure of his.
        needed: whether it may not be left empty.
    """

    what: ClassVar[str] = "number"
    kind: Kind | None = None
    percent: bool = False
    whole: bool = False
    default: float | None = None
    default_us: float | None = None
    needed: bool = False

    def shown_first(self, units: System) -> float | None:
        """The figure on the empty form, in kept units: a round one in the reader's own."""
        if units == "metric" or self.default is None or self.kind is None:
            return self.default
        return native(self.default, self.kind) if self.default_us is None else self.default_us

    def read(self, text: str, units: System) -> float | int:
        """The typed number in kept units.

        Raises:
            ValueError: it is not such a number; the message says what it must be.
        """
        try:
            number = read_quantity(text.removesuffix("%") if self.percent else text, self.kind, units)
        except InputError as fault:
            example = " and whole, such as 2" if self.whole else ""
            raise ValueError(f"{self.label} {fault.message}{example}.") from None
        if not abs(number) < _LARGEST or (self.whole and number != int(number)):
            raise ValueError(
                f"{self.label} must be {'a whole number, such as 2' if self.whole else 'smaller'}."
            )
        if self.whole:
            return int(number)
        return number / 100 if self.percent else number

    def write(self, kept: float, units: System) -> str:
        """A kept number as it is typed; a metric reader's in US units where it was plainly typed so, such as 3 ft."""
        if self.kind is None:
            return _plain(kept * 100 if self.percent else kept, 3)
        # One place more than is shown elsewhere, so that a typed number comes back as it was.
        own, other = (
            _plain(to_shown(kept, self.kind, system), DISPLAY_UNITS[system][self.kind].decimals + 1)
            for system in (units, "us")
        )
        if _figures(own) < _ODD_FIGURES or _figures(other) >= _figures(own):
            return own
        return f"{other} {DISPLAY_UNITS['us'][self.kind].unit}"

    def shown(self, kept: float, units: System) -> str:
        """A kept number with its unit."""
        if self.kind and units == "us":
            return str(as_read(kept, self.kind, units))
        return f"{self.write(kept, units)} {self.unit(units)}".rstrip()

    def unit(self, units: System) -> str:
        """Its unit as the form shows it; empty where it has none."""
        return DISPLAY_UNITS[units][self.kind].unit if self.kind else "%" if self.percent else ""


# A figure of so many digits was typed in another unit, if it is shorter there.
_ODD_FIGURES = 4
# The steps of a US reader's round figures: from so much of the shown unit on, to the nearest of what.
_STEPS: Mapping[Kind, tuple[tuple[float, float], ...]] = {
    "length": ((0.0, 0.25), (2.0, 0.5), (3.0, 1.0)),
    "thickness": ((0.0, 0.125), (1.0, 0.5), (6.0, 1.0)),
    "size": ((0.0, 0.125), (1.0, 0.5), (6.0, 1.0)),
    "area": ((0.0, 1.0), (10.0, 5.0)),
    "volume": ((0.0, 0.25),),
    "mixed_volume": ((0.0, 0.1), (0.5, 0.25)),
    "vessel": ((0.0, 0.5), (3.0, 1.0)),
    "water": ((0.0, 0.5),),
    "mass": ((0.0, 0.5), (10.0, 5.0)),
    "bag": ((0.0, 5.0),),
    "density": ((0.0, 5.0),),
    "strength": ((0.0, 500.0),),
}


def native(kept: float, kind: Kind) -> float:
    """The nearest figure that is round in US units, kept: 40 mm as 1 1/2 in."""
    shown = to_shown(kept, kind, "us")
    steps = [step for least, step in _STEPS.get(kind, ()) if shown >= least]
    return to_kept(max(round(shown / steps[-1]), 1) * steps[-1], kind, "us") if steps else kept


def _plain(number: float, decimals: int) -> str:
    text = f"{number:.{decimals}f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def _figures(text: str) -> int:
    """How many digits a number takes, without the noughts at its ends."""
    return len(text.replace(".", "").replace("-", "").strip("0"))


@dataclass(frozen=True)
class Text(_Field):
    """A short text: its default on the empty form, whether it may not be left empty, whether it is a date."""

    what: ClassVar[str] = "text"
    default: str = ""
    needed: bool = False
    is_date: bool = False


@dataclass(frozen=True)
class Choice(_Field):
    """A choice.

    Args:
        label: its label.
        path: its path in what the form fills.
        options: the words of each kept value (text, true or false, None: left out); the empty form shows the first.
        needed: whether it is kept whatever it is (and may be left out only by an option of its own, None); otherwise
            the first counts without it.
        redraws: whether other fields come and go with it.
    """

    what: ClassVar[str] = "choice"
    options: Mapping[Any, str]
    needed: bool = False
    redraws: bool = False

    @property
    def default(self) -> str:
        """The text on the empty form."""
        return self.write(next(iter(self.options)))

    def written(self, text: str) -> list[tuple[str, str]]:
        """Each option as the form sends it, with its words; what the form has is among them, known or not."""
        known = {self.write(kept): words for kept, words in self.options.items()}
        return list(known.items() if text in known else {**known, text: text}.items())

    def read(self, text: str) -> str | bool | None:
        """The kept value of an option. An unknown one is passed on, to be refused with what it is put into."""
        return next((kept for kept in self.options if self.write(kept) == text), text)

    def write(self, kept: str | bool | None) -> str:
        """A kept value as the form sends it."""
        return ("yes" if kept else "no") if isinstance(kept, bool) else kept or ""


@dataclass(frozen=True)
class UploadedMesh(_Field):
    """A mesh file: read when it is chosen, kept as what it came to (JSON)."""

    what: ClassVar[str] = "mesh"
    default: str = ""
    needed: bool = False

    def shown(self, text: str) -> Mapping[str, Any]:
        """The file as plain values; nothing where none was read."""
        found = _json(text)
        return found if isinstance(found, Mapping) else {}


def _json(text: str) -> Any:
    try:
        return json.loads(text) if text else None
    except ValueError:
        return None


Field = Number | Text | Choice | UploadedMesh


def stored_value(item: Field, text: str, units: System) -> Any:
    """The typed or chosen value, as it is kept; None where nothing was.

    Raises:
        ValueError: it is not such a number; the message says what it must be.
    """
    if isinstance(item, Choice):
        return item.read(text)
    if isinstance(item, UploadedMesh):
        return _json(text)
    if not text or isinstance(item, Text):
        return text or None
    return item.read(text, units)


def shown_text(item: Field, kept: Any, units: System) -> str:
    """A kept value as the form has it."""
    match item:
        case Number():
            return item.write(kept, units)
        case Choice():
            return item.write(kept)
        case UploadedMesh():
            return json.dumps(kept)
        case Text():
            return str(kept)


def empty_text(item: Field, units: System) -> str:
    """The text of a field on the empty form."""
    if isinstance(item, Number):
        first = item.shown_first(units)
        return "" if first is None else item.write(first, units)
    return item.default


def is_given(item: Field, values: Mapping[str, str]) -> bool:
    """Whether a field holds anything but what the empty form shows."""
    return values.get(item.name, "") not in ("", empty_text(item, "metric"), empty_text(item, "us"))


@dataclass(frozen=True)
class Rows(_Field):
    """Rows of the same fields.

    Args:
        label: the label above them.
        path: the path of their list.
        one: what one of them is called.
        fields: the fields of a row; without a path of its own where a row is one number.
        least: the fewest rows.
        most: the most rows.
    """

    one: str
    fields: tuple[Field, ...]
    least: int = 1
    most: int = 12

    def row(self, index: int) -> list[Field]:
        """The fields of the row with that index."""
        return [field.under((*self.path, index)) for field in self.fields]

    def count(self, values: Mapping[str, str]) -> int:
        """How many rows a form has: those numbered from 0 on without a gap."""
        prefix = f"{self.name}."
        numbers = {name.removeprefix(prefix).partition(".")[0] for name in values if name.startswith(prefix)}
        return next(number for number in count() if str(number) not in numbers)

    def standing(self, values: Mapping[str, str]) -> list[list[Field]]:
        """The fields of each row that a form has."""
        return [self.row(index) for index in range(self.count(values))]

    def last_name(self, values: Mapping[str, str]) -> str:
        """The name of the last row."""
        return f"{self.name}.{self.count(values) - 1}"


def members(values: Mapping[str, str], name: str) -> list[dict[str, str]]:
    """The values of a form under each number of a name, by the rest of the name, in order."""
    found: dict[int, dict[str, str]] = {}
    prefix = f"{name}."
    for key, text in values.items():
        if not key.startswith(prefix):
            continue
        number, _, rest = key.removeprefix(prefix).partition(".")
        if number.isdecimal():
            found.setdefault(int(number), {})[rest] = text
    return [found[number] for number in sorted(found)]


def with_members(values: Mapping[str, str], name: str, every: list[dict[str, str]]) -> dict[str, str]:
    """The values of a form with these under the numbers of a name, from 0 on."""
    kept = {key: text for key, text in values.items() if not key.startswith(f"{name}.")}
    for number, one in enumerate(every):
        kept |= {f"{name}.{number}.{rest}".rstrip("."): text for rest, text in one.items()}
    return kept


def grown(values: Mapping[str, str], name: str) -> dict[str, str]:
    """The values with one more under a name, a copy of the last."""
    every = members(values, name)
    return with_members(values, name, [*every, every[-1]] if every else every)


def shrunk(values: Mapping[str, str], name: str) -> dict[str, str]:
    """The values without the member of that name and number."""
    where, _, number = name.rpartition(".")
    every = members(values, where)
    return with_members(values, where, [one for index, one in enumerate(every) if str(index) != number])


def at(raw: Any, path: Path) -> Any:
    """The value at a path in plain values; None where there is nothing."""
    for part in path:
        try:
            raw = raw[part]
        except (KeyError, IndexError, TypeError):
            return None
    return raw


def put(raw: Any, path: Path, value: Any) -> None:
    """Put a value at a path in plain values; dictionaries and lists on the way are made."""
    for part, following in pairwise(path):
        inner: Any = [] if isinstance(following, int) else {}
        if isinstance(raw, list):
            raw.extend([None] * (int(part) + 1 - len(raw)))
            raw[int(part)] = inner if raw[int(part)] is None else raw[int(part)]
        elif raw.get(part) is None:
            raw[part] = inner
        raw = raw[part]
    if isinstance(raw, list):
        raw.extend([None] * (int(path[-1]) + 1 - len(raw)))
    raw[path[-1]] = value


def without_empty(raw: Any) -> Any:
    """Plain values without what was left empty."""
    if isinstance(raw, dict):
        return {name: without_empty(value) for name, value in raw.items() if value is not None}
    if isinstance(raw, list):
        return [without_empty(value) for value in raw]
    return raw


@lru_cache(maxsize=2048)
def dotted(path: Path) -> str:
    """A path as an error names it."""
    return ".".join(str(part) for part in path)
