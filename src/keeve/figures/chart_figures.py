"""A chart, whatever draws it: values, lines and bands in kept units, what they say, and the table of it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, NamedTuple
from uuid import UUID

from keeve.core.units import Kind
from keeve.formats.csv_table import Cell

Places = Sequence[tuple[float, float]]


class Dot(NamedTuple):
    """A value: where it is, the load it is of and what that is called, and whether it is one to look at."""

    x: float
    y: float
    load_id: UUID
    name: str
    is_signal: bool = False


class Line(NamedTuple):
    """A line of a chart: how it is drawn, and its places."""

    style: Literal["centre", "limit", "law"]
    places: Places


class Band(NamedTuple):
    """A band of a chart: how it is drawn, its upper and its lower edge."""

    style: Literal["window", "law"]
    upper: Places
    lower: Places


class Axis(NamedTuple):
    """The quantity along an axis, in words, and its kind; None for a bare figure."""

    words: str
    kind: Kind | None = None
    is_percent: bool = False


class ChartBar(NamedTuple):
    """A figure drawn as a bar: what it is of, the figure, and what was planned; None where nothing was."""

    words: str
    value: float
    planned: float | None = None


class Bars(NamedTuple):
    """Figures of one kind drawn as bars from nothing: what they are, their kind of quantity (None for a bare figure),
    whether they are shares, their decimals, the bars.
    """

    words: str
    kind: Kind | None
    is_percent: bool
    decimals: int
    bars: Sequence[ChartBar]


class Table(NamedTuple):
    """Figures in rows: their name, the heading, the columns, what they say in sentences, and what of
    them is drawn as bars.
    """

    name: str
    heading: str
    columns: Sequence[str]
    rows: Sequence[Sequence[Cell]]
    says: Sequence[str] = ()
    bars: Sequence[Bars] = ()


@dataclass(frozen=True)
class ChartFigures:
    """A chart with its table.

    Args:
        table: its table, with its heading.
        across: what is across.
        up: what is up.
        dots: the values.
        lines: the lines.
        bands: the bands behind them.
        is_joined: whether the values are joined: they are in order.
        key: what is drawn how, in a sentence.
    """

    table: Table
    across: Axis
    up: Axis
    dots: Sequence[Dot]
    lines: Sequence[Line] = ()
    bands: Sequence[Band] = ()
    is_joined: bool = False
    key: str = ""
