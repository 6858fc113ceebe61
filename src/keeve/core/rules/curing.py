"""What follows a pour, until it may be used: tasks by family, stretched by how warm it is."""

import math
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Annotated, Literal

from pydantic import ConfigDict, Field, TypeAdapter

from keeve.core.errors import InputError
from keeve.core.rules.maturity import FROZEN_C, Spell, hours_until_aged, screed_drying
from keeve.core.rules.registry import (
    PRACTICE,
    Amount,
    Dimension,
    Example,
    Result,
    RuleWarning,
    Strict,
    published,
    rule,
)
from keeve.core.rules.temperature import Celsius
from keeve.core.rules.yaml_tables import read_table
from keeve.core.texts import Name

Family = Literal[
    "concrete",
    "fine cast",
    "pervious",
    "mortar",
    "render and stucco",
    "polymer coat",
    "lime",
    "screed",
    "overlay",
    "plaster",
    "hemp",
]
# Keep it so, do it once, or it may be done from then on.
Kind = Literal["keep", "do", "may"]
# Setting and hardening of two cements at one temperature differ by about so much either way (an estimate, no source).
SPREAD = 0.2
TASKS_FILE = Path(__file__).parent / "cure_tasks.yaml"
_DAY_H = 24.0


class Milestone(Strict):
    """When something is: by equivalent age at 20 °C, by the clock, after the drying of a screed; the latest counts."""

    age_h: Amount = 0.0
    hours: Amount = 0.0
    days: Amount = 0.0
    drying_days: bool = False


class CureRow(Strict):
    """A row of the table: see cure_tasks.yaml."""

    what: str
    kind: Kind
    do: str
    begins: Annotated[Milestone, Field(alias="from")]
    ends: Annotated[Milestone | None, Field(alias="to")] = None
    why: str
    source: str
    uses: Annotated[list[str] | None, Field(min_length=1)] = None


class CureTask(Strict):
    """A task: what, its kind, what to do, from and to (ISO), why, where that comes from.

    ``earliest`` and ``latest``: the same beginning where the cement hardens a fifth faster or slower; an estimate. Only
    what waits for hardening has them.
    """

    model_config = ConfigDict(serialize_by_alias=True)

    what: str
    kind: Kind
    do: str
    from_: Annotated[str, Field(alias="from")]
    to: str | None
    why: str
    source: str
    earliest: str | None
    latest: str | None


class CurePlan(Result):
    """The tasks, in the order in which they begin."""

    tasks: list[CureTask]


@cache
def cure_table() -> Mapping[Family, Sequence[CureRow]]:
    """The table of tasks, by family."""
    table = TypeAdapter(dict[Family, list[CureRow]])
    return table.validate_python(read_table(TASKS_FILE))


@rule(
    "cure-plan",
    formula="each task of the family at its equivalent age or by the clock, whichever is later",
    math=r"t = \max\left(t_{clock},\ \min\{t : t_e(t) \ge t_{e,task}\}\right)",
    sources=[
        published("ACI 308R, 302.1R, 306R, 347, 522.1; ASTM C926, C1074; EN 1996-2, 13670; BS 8203, 8204-1"),
        PRACTICE,
    ],
    example=Example(
        given={"family": "overlay", "poured_at": "2026-05-04T08:00:00+00:00", "daily_c": [20]},
        gives={
            "tasks": [
                {"what": what, "from": begins, "to": ends}
                for what, begins, ends in (
                    ("protect", "2026-05-04T08:00:00+00:00", "2026-05-05T08:00:00+00:00"),
                    ("walk-on", "2026-05-05T08:00:00+00:00", None),
                    ("stain", "2026-05-05T08:00:00+00:00", None),
                    ("seal", "2026-05-06T08:00:00+00:00", None),
                    ("full-load", "2026-05-11T08:00:00+00:00", None),
                )
            ]
        },
        origin="by hand: at 20 °C the clock and the equivalent age go alike",
    ),
)
def cure_plan(
    family: Family,
    poured_at: Name,
    daily_c: Annotated[list[Celsius], Field(min_length=1, max_length=400)],
    uses: Annotated[list[Name] | None, Field(max_length=20)] = None,
    thickness_mm: Dimension | None = None,
    measured: Annotated[list[Spell] | None, Field(max_length=1000)] = None,
) -> CurePlan:
    """What to do after a pour, and when you can use it.

    Judgements made here: the pour follows the mean temperature of the day, and the last one given goes on. A task comes
    no earlier than by the clock where the table says so, however warm it is.

    Args:
        family: what you placed.
        poured_at: date and time, such as 2026-05-04T08:00.
        daily_c: average temperature on the day of placing, the next day, and so on, °C.
        uses: what it is used as. Blank: every task.
        thickness_mm: for a screed's drying, mm.
        measured: temperatures inside, from placing on, h and °C. Used instead of the daily ones.

    Returns:
        tasks: what, do, from, to, why, source, and the earliest and latest of what waits for hardening.

    Raises:
        InputError: poured_at is no time.
    """
    poured = _time(poured_at)
    spells = spells_of(poured, daily_c, measured or [])
    found = [
        task
        for row in cure_table()[family]
        if uses is None or row.uses is None or set(row.uses) & set(uses)
        if (task := _task(row, poured, spells, thickness_mm)) is not None
    ]
    frozen = [] if all(spell.c >= FROZEN_C for spell in spells) else [_FROZEN]
    return CurePlan(tasks=sorted(found, key=lambda task: datetime.fromisoformat(task.from_)), warnings=frozen)


_FROZEN = RuleWarning(
    code="frozen",
    message="Below −5 °C it doesn't harden, so nothing is promised for that time.",
    field="daily_c",
    suggestion="Keep it warm under covers and measure inside it.",
)


def _time(text: str) -> datetime:
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        raise InputError(
            "no_time", "poured_at must be a date and time, such as 2026-05-04T08:00:00+01:00.", ["poured_at"]
        ) from None


def spells_of(poured: datetime, daily_c: Sequence[float], measured: Sequence[Spell]) -> list[Spell]:
    """The temperatures of a pour: as measured, then the days that follow: the rest of the one in which that ends first.

    Args:
        poured: when it was placed, with its zone.
        daily_c: mean temperature of the air on that day and the days after it, °C.
        measured: in the pour, from placing on.
    """
    midnight = poured.replace(hour=0, minute=0, second=0, microsecond=0) + timedelta(days=1)
    first_h = (midnight - poured) / timedelta(hours=1)
    known_h, spells = math.fsum(spell.hours for spell in measured), list(measured)
    for index, c in enumerate(daily_c):
        left_h = first_h + index * _DAY_H - max(known_h, first_h + (index - 1) * _DAY_H if index else 0.0)
        if left_h > 0 or index == len(daily_c) - 1:
            spells.append(Spell(hours=left_h if left_h > 0 else _DAY_H, c=c))
    return spells


def _task(
    row: CureRow, poured: datetime, spells: Sequence[Spell], thickness_mm: float | None
) -> CureTask | None:
    if row.begins.drying_days and thickness_mm is None:
        return None

    def at(mark: Milestone, spread: float = 1.0) -> str | None:
        (aged_h,) = hours_until_aged(spells, [mark.age_h * spread])
        if aged_h == math.inf:
            return None
        days = mark.days
        if mark.drying_days and thickness_mm is not None:
            days += screed_drying(thickness_mm).days
        return (poured + timedelta(hours=max(aged_h, mark.hours, days * _DAY_H))).isoformat()

    waits, begins = row.begins.age_h > 0, at(row.begins)
    if begins is None:
        return None
    return CureTask.model_validate(
        {
            "what": row.what,
            "kind": row.kind,
            "do": row.do,
            "from": begins,
            "to": at(row.ends) if row.ends else None,
            "why": row.why,
            "source": row.source,
            "earliest": at(row.begins, 1 - SPREAD) if waits else None,
            "latest": at(row.begins, 1 + SPREAD) if waits else None,
        }
    )
