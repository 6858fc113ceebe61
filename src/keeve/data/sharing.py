"""Links that show the cards of a plan to whoever has them, without signing in, until they are withdrawn."""

import secrets
from datetime import datetime
from uuid import UUID

from sqlalchemy import ColumnElement, Engine, select, update
from sqlalchemy.dialects.postgresql import insert

from keeve.data.accounts import Visitor
from keeve.data.plans import SavedPlan, plan_of_crew
from keeve.store.database import open_session
from keeve.store.models import ShareLink


def share(engine: Engine, visitor: Visitor, plan_id: UUID, now: datetime) -> str | None:
    """The token of a plan's link, made where there is none; None where the crew has no such plan."""
    if plan_of_crew(engine, visitor.crew_id, plan_id) is None:
        return None
    row = {
        "token": secrets.token_urlsafe(18),
        "crew_id": visitor.crew_id,
        "plan_id": plan_id,
        "made_by": visitor.account_id,
        "made_at": now,
    }
    with open_session(engine) as session:
        session.execute(insert(ShareLink).values(row).on_conflict_do_nothing())
    return link_of(engine, visitor, plan_id)


def link_of(engine: Engine, visitor: Visitor, plan_id: UUID) -> str | None:
    """The token of the link of one of the crew's plans; None where it is not shared."""
    with open_session(engine) as session:
        return session.scalars(select(ShareLink.token).where(*_open(visitor, plan_id))).first()


def withdraw(engine: Engine, visitor: Visitor, plan_id: UUID, now: datetime) -> None:
    """End every link to one of the crew's plans."""
    with open_session(engine) as session:
        session.execute(update(ShareLink).where(*_open(visitor, plan_id)).values(withdrawn_at=now))


def shared_plan(engine: Engine, token: str) -> SavedPlan | None:
    """The plan a link shows; None where it was withdrawn, or the job deleted."""
    with open_session(engine) as session:
        found = session.scalars(
            select(ShareLink).where(ShareLink.token == token, ShareLink.withdrawn_at.is_(None))
        ).first()
        where = (found.crew_id, found.plan_id) if found else None
    return plan_of_crew(engine, *where) if where else None


def _open(visitor: Visitor, plan_id: UUID) -> tuple[ColumnElement[bool], ...]:
    """The conditions of a link to one of the crew's plans that was not withdrawn."""
    return (
        ShareLink.crew_id == visitor.crew_id,
        ShareLink.plan_id == plan_id,
        ShareLink.withdrawn_at.is_(None),
    )
