"""A crew's own history: what it says is read however it is written, and what it does not say is not made up."""

import random
from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime, time, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest
from core.test_units import PINT_NAMES
from pint import UnitRegistry

from keeve.core.errors import InputError
from keeve.core.log.imported import History, Meant, read_history
from keeve.core.log.imported_columns import (
    Order,
    fields,
    guess_columns,
    guess_order,
    guess_units,
    head_of,
    units_of,
)
from keeve.core.units import System

CREW = UUID(int=1790)
ZONE = ZoneInfo("Europe/London")
NOW = datetime(2026, 3, 14, 12, tzinfo=UTC)
# A day as people write it, by the order they write it in.
DAYS: Mapping[Order, tuple[Callable[[date], str], ...]] = {
    "day": (
        lambda day: f"{day:%d/%m/%Y}",
        lambda day: f"{day.day}.{day.month}.{day:%y}",
        lambda day: f"{day:%d-%b-%Y}",
    ),
    "month": (
        lambda day: f"{day:%m/%d/%Y}",
        lambda day: f"{day.month}-{day.day}-{day:%y}",
        lambda day: f"{day:%B %d, %Y}",
    ),
    "year": (date.isoformat, lambda day: f"{day:%Y/%m/%d}", lambda day: f"{day:%d %B %Y}"),
}  # fmt: skip
TIMES: tuple[Callable[[time], str], ...] = (
    lambda at: f"{at:%H:%M}",
    lambda at: f"{at:%I:%M %p}",
    lambda at: f"{at.hour}.{at:%M}",
    lambda at: f"{at:%H:%M:%S}",
)


def meant(table: list[list[str]], system: System = "metric", order: Order | None = None) -> Meant:
    columns = guess_columns(table[0])
    units = guess_units(table[0], columns)
    mixes = {"concrete 1:2:4": "concrete-nominal"}
    return Meant(
        columns,
        units,
        order or guess_order([row[0] for row in table[1:]], system),
        system,
        ZONE,
        mixes,
        NOW,
        CREW,
    )


def read(head: str, *rows: str, system: System = "metric", order: Order | None = None) -> History:
    table = [line.split("|") for line in (head, *rows)]
    return read_history(table, meant(table, system, order))


def test_a_load_is_read_however_it_is_written() -> None:
    some, pint = random.Random(20), UnitRegistry()
    for _ in range(400):
        order: Order = some.choice(("day", "month", "year"))
        system: System = some.choice(("metric", "us"))
        day, at = (
            date(2001, 1, 1) + timedelta(days=some.randrange(9000)),
            time(some.randrange(24), some.randrange(60)),
        )
        unit = some.choice(units_of("water_l"))
        litres, ratio, moisture = some.uniform(1, 60), some.uniform(0.3, 1.2), some.uniform(0, 0.12)
        # Converted by another library, printed to so many places, with a comma or a point.
        amount = f"{pint.Quantity(litres, 'liter').to(PINT_NAMES[unit]).magnitude:.7f}"
        if some.random() < 0.4 and system == "metric":
            amount = amount.replace(".", ",")
        in_head = some.random() < 0.5
        head = f"Date|Start time|Job|Load no|Mix|Water{f' ({unit})' if in_head else ''}|w/c|Moisture|Mixed by"
        row = [
            some.choice(DAYS[order])(day),
            some.choice(TIMES)(at),
            "Quay wall",
            str(some.randrange(1, 90)),
            "Concrete 1:2:4",
            amount if in_head else f"{amount} {unit}",
            f"{ratio:.4f}",
            f"{moisture * 100:.4f}{some.choice(('', ' %', '%'))}",
            "Sedge",
        ]
        (load,) = read(head, "|".join(row), system=system, order=order).loads
        assert load.begun_at == datetime.combine(day, at, ZONE), row
        assert (load.title, load.mix_id, load.number) == ("Quay wall", "concrete-nominal", int(row[3]))
        assert load.water_l == pytest.approx(litres, rel=1e-4), row
        assert load.ratio == pytest.approx(ratio, abs=1e-4)
        assert load.moisture_fraction == pytest.approx(moisture, abs=1e-6)
        assert load.judged_by == "Sedge"


@pytest.mark.parametrize(
    ("cell", "said"),
    [
        ("31/02/2020|1", "is not a date"),
        ("|1", "is empty"),
        ("45000|1", "is not a date"),
        ("01/02/2030|1", "is in the future"),
        ("01/02/1066|1", "is not a date"),
        ("0001-01-01T08:00|1", "is not a date"),
        ("14 Brumaire 2020|1", "is not a date"),
        ("01/02/2020|a lot", "must be a number"),
        ("01/02/2020|99999", "looks wrong"),
        ("01/02/2020|-3", "looks wrong"),
        ("01/02/2020|3 qt", "Type US qt or imp qt"),
        ("01/02/2020|1,250", "could be read two ways"),
        ("01/02/2020|4 kg", "can't be in kg"),
    ],
)
def test_what_cannot_be_is_said_with_its_row_and_column(cell: str, said: str) -> None:
    history = read("Date|Water", "03/02/2020|12", cell, "04/02/2020|12.5")
    assert [load.begun_at.day for load in history.loads] == [3, 4]
    (doubt,) = history.doubts
    assert doubt.row == 3
    assert doubt.column == ("Water added" if cell.startswith("01/02/2020|") else "Date")
    assert said in doubt.words
    assert doubt.is_refused
    assert history.refused == 1


def test_what_is_not_said_is_not_made_up() -> None:
    history = read(
        "Date|Job|Judged",
        "03/02/2020|Kerb|right",
        "03/02/2020|Kerb|a bit stiff",
        "03/02/2020||",
        "04/02/2020|Kerb|",
    )
    entries = history.loads
    assert [entry.number for entry in entries] == [1, 2, 1, 1]
    assert all(entry.day_only for entry in entries)
    assert entries[0].begun_at < entries[1].begun_at
    assert {entry.ratio for entry in entries} == {None}
    assert [entry.reading for entry in entries] == ["right", None, None, None]
    # A word that the log does not know is kept, and said.
    assert entries[1].note == "Judged: a bit stiff"
    (doubt,) = history.doubts
    assert not doubt.is_refused
    assert history.refused == 0
    assert history.loads[2].title == "Earlier loads"


def test_a_row_that_says_the_same_again_is_another_load_and_said() -> None:
    history = read("Date|Time|Water", "03/02/2020|08:00|12", "03/02/2020|08:00|12")
    assert len(history.loads) == 2
    assert "is the same as row 2" in history.doubts[0].words


def test_without_a_day_there_is_no_history() -> None:
    with pytest.raises(InputError, match="Choose the column with the mixing date"):
        read("Site|Water", "Kerb|12")


@pytest.mark.parametrize(
    ("head", "words", "unit"),
    [
        ("Water (gal)", "water", "gal"),
        ("water_added_l", "water added", "l"),
        ("Cement kg", "cement", "kg"),
        ("Load No.", "load no", ""),
        ("W/C", "w/c", ""),
        ("free_moisture_fraction", "free moisture", "fraction"),
    ],
)
def test_a_head_says_its_unit(head: str, words: str, unit: str) -> None:
    assert head_of(head) == (words, unit)


def test_no_head_is_two_things() -> None:
    heads = [{field.words.lower(), *field.heads} for field in fields().values()]
    assert sum(map(len, heads)) == len(set().union(*heads))
    assert guess_columns(["Date", "When", "Colour", "Water", "Water"]) == {0: "begun_at", 3: "water_l"}


@pytest.mark.parametrize(
    ("days", "system", "order"),
    [
        (["2026-03-01"], "us", "year"),
        (["13/02/2026", "1/2/2026"], "us", "day"),
        (["02/13/2026"], "metric", "month"),
        (["02/03/2026"], "metric", "day"),
        (["02/03/2026"], "us", "month"),
        ([], "metric", "day"),
    ],
)
def test_the_order_of_a_day(days: list[str], system: System, order: Order) -> None:
    assert guess_order(days, system) == order
