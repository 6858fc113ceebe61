"""Jobs reckoned up: what a job showed, kept, and the waste it proposes for the next."""

from datetime import datetime
from typing import NamedTuple
from uuid import UUID, uuid4

from sqlalchemy import Engine, select
from sqlalchemy.dialects.postgresql import insert

from keeve.core.reckoning import Reckoning, reckoned
from keeve.services import batches, plans
from keeve.services.accounts import Visitor
from keeve.services.plans import SavedPlan
from keeve.store import models
from keeve.store.database import crew_reading, crew_session


class Shown(NamedTuple):
    """The waste that a job showed, and which job."""

    title: str
    waste_fraction: float


def reckon(
    engine: Engine, visitor: Visitor, plan_id: UUID, used: dict[str, float] | None = None
) -> Reckoning | None:
    """The job of a plan as it was so far; None where the crew has no such plan.

    Raises:
        InputError: a count that cannot be.
    """
    saved = plans.saved_plan(engine, visitor, plan_id)
    return None if saved is None else _reckoned(engine, visitor, saved, used)


def _reckoned(engine: Engine, visitor: Visitor, saved: SavedPlan, used: dict[str, float] | None) -> Reckoning:
    begun = batches.loads_of_plan(engine, visitor, saved.id).values()
    return reckoned(saved.plan, [(running.load, running.batch) for running in begun], used)


def keep_reckoning(
    engine: Engine, visitor: Visitor, plan_id: UUID, used: dict[str, float], now: datetime
) -> bool:
    """Keep a job as it was reckoned up; whether the crew has it."""
    saved = plans.saved_plan(engine, visitor, plan_id)
    if saved is None:
        return False
    found = _reckoned(engine, visitor, saved, used)
    with crew_session(engine, visitor.crew_id) as session:
        session.execute(
            insert(models.Reckoning).values(
                id=uuid4(),
                crew_id=visitor.crew_id,
                plan_id=plan_id,
                mix_id=saved.plan.mix.id,
                title=saved.plan.title,
                content=found.model_dump(mode="json"),
                made_by=visitor.account_id,
                made_at=now,
            )
        )
    return True


def waste_shown(engine: Engine, visitor: Visitor, mix_id: str = "") -> Shown | None:
    """The waste that the newest job showed, of a mix or of any; None before one was reckoned up."""
    newest = (
        select(models.Reckoning.title, models.Reckoning.content)
        .order_by(models.Reckoning.made_at.desc())
        .limit(1)
    )
    if mix_id:
        newest = newest.where(models.Reckoning.mix_id == mix_id)
    with crew_reading(engine, visitor.crew_id) as session:
        row = session.execute(newest).first()
    return None if row is None else Shown(row.title, Reckoning.model_validate(row.content).waste_fraction)


def kept_reckoning(engine: Engine, visitor: Visitor, plan_id: UUID) -> Reckoning | None:
    """The job of a plan as it was kept last."""
    newest = (
        select(models.Reckoning.content)
        .where(models.Reckoning.plan_id == plan_id)
        .order_by(models.Reckoning.made_at.desc())
        .limit(1)
    )
    with crew_reading(engine, visitor.crew_id) as session:
        content = session.scalar(newest)
    return None if content is None else Reckoning.model_validate(content)
