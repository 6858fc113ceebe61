"""A number and a choice on a form: their words, and the way from what was given to what is kept and back."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from keeve.core.units import MEASURES, Kind, System, to_kept, to_shown

Path = tuple[str | int, ...]
_MOST = 1e12


@dataclass(frozen=True)
class Entry:
    """A number on a form.

    Args:
        name: its name on the form.
        label: its words.
        path: where it stands in what the form fills.
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

    def read(self, text: str, units: System) -> float | int:
        """What was typed, in kept units.

        Raises:
            ValueError: it is no such number; the message says what it must be.
        """
        try:
            number = float(text.replace(",", "."))
        except ValueError:
            number = _MOST
        if not abs(number) < _MOST or (self.whole and number != int(number)):
            example = "a whole number, such as 2" if self.whole else "a number, such as 3.5"
            raise ValueError(f"{self.label} must be {example}.")
        if self.whole:
            return int(number)
        kept = to_kept(number, self.kind, units) if self.kind else number
        return kept / 100 if self.percent else kept

    def write(self, kept: float, units: System) -> str:
        """A kept figure as it is typed."""
        shown = to_shown(kept, self.kind, units) if self.kind else kept * 100 if self.percent else kept
        decimals = MEASURES[units][self.kind].decimals + 1 if self.kind else 3
        text = f"{shown:.{decimals}f}"
        return text.rstrip("0").rstrip(".") if "." in text else text

    def shown(self, kept: float, units: System) -> str:
        """A kept figure with its unit."""
        unit = MEASURES[units][self.kind].unit if self.kind else "%" if self.percent else ""
        return f"{self.write(kept, units)} {unit}".rstrip()


@dataclass(frozen=True)
class Choice:
    """A choice on a form.

    Args:
        name: its name on the form.
        label: its words.
        path: where it stands in what the form fills.
        options: the words of each kept value (text, yes or no, None: left out); the first is what the empty form shows.
    """

    name: str
    label: str
    path: Path
    options: Mapping[Any, str]

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
