"""Numbers, texts and choices on a form: their words, and the way from what was given to what is kept and back."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Self

from keeve.core.errors import InputError
from keeve.core.quantities import read_quantity
from keeve.core.units import DISPLAY_UNITS, Kind, System, to_shown

Path = tuple[str | int, ...]
_MOST = 1e12


@dataclass(frozen=True)
class _Placed:
    """Something on a form: its words, and where it stands in what the form fills, which is its name on the form."""

    label: str
    path: Path

    @property
    def name(self) -> str:
        """Its name on the form."""
        return dotted(self.path)

    def under(self, path: Path) -> Self:
        """The same of something that stands at a path."""
        return replace(self, path=path + self.path)


@dataclass(frozen=True)
class Entry(_Placed):
    """A number on a form.

    Args:
        label: its words.
        path: where it stands in what the form fills.
        kind: what it measures; None for a bare number.
        percent: whether it is typed in percent and kept as a fraction.
        whole: whether it is a whole number.
        default: what the empty form shows, in kept units.
        needed: whether it may not be left empty.
    """

    kind: Kind | None = None
    percent: bool = False
    whole: bool = False
    default: float | None = None
    needed: bool = False

    def read(self, text: str, units: System) -> float | int:
        """What was typed, in kept units.

        Raises:
            ValueError: it is no such figure; the message says what it must be.
        """
        try:
            number = read_quantity(text.removesuffix("%") if self.percent else text, self.kind, units)
        except InputError as fault:
            example = " and whole, such as 2" if self.whole else ""
            raise ValueError(f"{self.label} {fault.message}{example}.") from None
        if not abs(number) < _MOST or (self.whole and number != int(number)):
            raise ValueError(
                f"{self.label} must be {'a whole number, such as 2' if self.whole else 'smaller'}."
            )
        if self.whole:
            return int(number)
        return number / 100 if self.percent else number

    def write(self, kept: float, units: System) -> str:
        """A kept figure as it is typed."""
        shown = to_shown(kept, self.kind, units) if self.kind else kept * 100 if self.percent else kept
        # So many places that a figure that was typed comes back as it was.
        decimals = DISPLAY_UNITS[units][self.kind].decimals + 1 if self.kind else 3
        text = f"{shown:.{decimals}f}"
        return text.rstrip("0").rstrip(".") if "." in text else text

    def shown(self, kept: float, units: System) -> str:
        """A kept figure with its unit."""
        unit = DISPLAY_UNITS[units][self.kind].unit if self.kind else "%" if self.percent else ""
        return f"{self.write(kept, units)} {unit}".rstrip()


@dataclass(frozen=True)
class Text(_Placed):
    """A few words on a form: their label, where they stand, what the empty form shows, whether they are needed."""

    default: str = ""
    needed: bool = False


@dataclass(frozen=True)
class Choice(_Placed):
    """A choice on a form.

    Args:
        label: its words.
        path: where it stands in what the form fills.
        options: the words of each kept value (text, yes or no, None: left out); the first is what the empty form shows.
        needed: whether it may not be left out; else the first is what counts without it.
    """

    options: Mapping[Any, str]
    needed: bool = False

    @property
    def default(self) -> str:
        """What the empty form shows."""
        return self.write(next(iter(self.options)))

    @property
    def written(self) -> list[tuple[str, str]]:
        """Each option as the form has it, with its words."""
        return [(self.write(kept), words) for kept, words in self.options.items()]

    def read(self, text: str) -> str | bool | None:
        """The kept value of an option; what is none is passed on, for the job to refuse it."""
        return next((kept for kept in self.options if self.write(kept) == text), text)

    def write(self, kept: str | bool | None) -> str:
        """A kept value as the form has it."""
        return ("yes" if kept else "no") if isinstance(kept, bool) else kept or ""


Field = Entry | Text | Choice


def kept_value(item: Field, text: str, units: System) -> Any:
    """What was typed or chosen, as it is kept; None where nothing was.

    Raises:
        ValueError: it is no such figure; the message says what it must be.
    """
    if isinstance(item, Choice):
        return item.read(text)
    if not text or isinstance(item, Text):
        return text or None
    return item.read(text, units)


def kept_text(item: Field, kept: Any, units: System) -> str:
    """A kept value as the form has it."""
    match item:
        case Entry():
            return item.write(kept, units)
        case Choice():
            return item.write(kept)
        case Text():
            return str(kept)


def empty_text(item: Field, units: System) -> str:
    """What the empty form shows of a field."""
    if isinstance(item, Entry):
        return "" if item.default is None else item.write(item.default, units)
    return item.default


@dataclass(frozen=True)
class Rows(_Placed):
    """Several of the same on a form: their words, where their list stands, and what each has.

    ``least`` and ``most`` bound how many there are; where each is one figure, its entry has no path of its own.
    """

    one: str
    entries: tuple[Field, ...]
    least: int = 1
    most: int = 12

    def row(self, index: int) -> list[Field]:
        """What the row of that number has."""
        return [entry.under((*self.path, index)) for entry in self.entries]

    def count(self, values: Mapping[str, str]) -> int:
        """How many rows stand on a form."""
        return len(members(values, self.name))


def members(values: Mapping[str, str], name: str) -> list[dict[str, str]]:
    """What a form has under each number of a name, by the rest of the name, in order."""
    found: dict[int, dict[str, str]] = {}
    for key, text in values.items():
        if not key.startswith(f"{name}."):
            continue
        number, _, rest = key.removeprefix(f"{name}.").partition(".")
        if number.isdigit():
            found.setdefault(int(number), {})[rest] = text
    return [found[number] for number in sorted(found)]


def with_members(values: Mapping[str, str], name: str, every: list[dict[str, str]]) -> dict[str, str]:
    """The values of a form with these under the numbers of a name, from nought on."""
    kept = {key: text for key, text in values.items() if not key.startswith(f"{name}.")}
    for number, one in enumerate(every):
        kept |= {f"{name}.{number}.{rest}".rstrip("."): text for rest, text in one.items()}
    return kept


def grown(values: Mapping[str, str], name: str) -> dict[str, str]:
    """The values with one more under a name, like the last."""
    every = members(values, name)
    return with_members(values, name, [*every, every[-1]] if every else every)


def shrunk(values: Mapping[str, str], name: str) -> dict[str, str]:
    """The values without the member of that name and number."""
    where, _, number = name.rpartition(".")
    every = members(values, where)
    return with_members(values, where, [one for index, one in enumerate(every) if str(index) != number])


def at(raw: Any, path: Path) -> Any:
    """What stands at a path in plain values; None where there is nothing."""
    for part in path:
        try:
            raw = raw[part]
        except (KeyError, IndexError, TypeError):
            return None
    return raw


def put(raw: Any, path: Path, value: Any) -> None:
    """Put a value at a path in plain values, whose holder is there."""
    at(raw, path[:-1])[path[-1]] = value


def dotted(path: Path) -> str:
    """A path as a refusal names it."""
    return ".".join(str(part) for part in path)


def place(fault: InputError, labels: Mapping[str, str]) -> tuple[str, list[str]]:
    """A refusal in a form's words, and the names of the fields that it stands beside.

    Args:
        fault: the refusal.
        labels: the words of every field of the form, by name.
    """
    message = fault.message
    for name, label in sorted(labels.items(), key=lambda item: -len(item[0])):
        last = name.rpartition(".")[2]
        for written in (name, last):
            # A field of one plain word (mix, order) is named only where the sentence begins with it.
            if "_" in written or "." in written or message.startswith(written):
                message = message.replace(written, label, 1)
    # A refusal of a list (the two ends of a slump) stands beside its first entry.
    beside = (
        next((name for name in labels if f"{name}.".startswith(f"{field}.")), None) for field in fault.fields
    )
    return message, [name for name in beside if name is not None]
