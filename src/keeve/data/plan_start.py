"""The beginning of an empty plan form: the mixes to choose from, the crew's gear, its last waste and moistures."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Engine

from keeve.core.mixes.model import Mix
from keeve.core.planning.yard import YardItem
from keeve.data import job_summaries, mixes, stockpiles, yard
from keeve.data.accounts import Visitor
from keeve.data.job_summaries import ClosedWaste
from keeve.store.database import crew_reading


@dataclass(frozen=True)
class PlanStart:
    """The start of a plan.

    Args:
        mixes: the mixes to choose from, by id.
        owned: what the crew owns.
        waste: the waste of the last closed job, of the mix or of any; None before one was closed.
        measured: what was last measured or reported of each stockpile, by its material.
    """

    mixes: Mapping[str, Mix]
    owned: Sequence[YardItem]
    waste: ClosedWaste | None
    measured: Mapping[str, Mapping[str, float]]


def plan_start(engine: Engine, visitor: Visitor | None, mix_id: str, now: datetime) -> PlanStart:
    """The beginning of the form of a new plan.

    Args:
        engine: the database.
        visitor: who plans; None for a stranger, who owns nothing here.
        mix_id: the mix it is for; empty for none yet.
        now: the moment.
    """
    if visitor is None:
        return PlanStart(mixes.every_mix(engine, None), [], None, {})
    with crew_reading(engine, visitor.crew_id):
        return PlanStart(
            mixes=mixes.every_mix(engine, visitor),
            owned=[kept.item for kept in yard.yard_of(engine, visitor)],
            waste=job_summaries.last_waste(engine, visitor, mix_id),
            measured=stockpiles.last_measured_of(engine, visitor, now),
        )
