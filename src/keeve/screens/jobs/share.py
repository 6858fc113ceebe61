"""Sharing: a link to the cards of a plan, for anybody who has it, to read only."""

from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.mixes.model import Gauge
from keeve.data import plans, sharing
from keeve.screens.card.drawn import drawn
from keeve.screens.card.view import card_of
from keeve.web.pages import page
from keeve.web.security import Database, MayMix, Now, screen_router

router = screen_router()


@router.post("/plan/{plan_id}/share")
def share(database: Database, visitor: MayMix, now: Now, plan_id: UUID) -> Response:
    """A link to the plan's cards."""
    if sharing.share(database, visitor, plan_id, now) is None:
        raise HTTPException(404)
    return _to_job(database, visitor, plan_id)


@router.post("/plan/{plan_id}/withdraw")
def withdraw(database: Database, visitor: MayMix, now: Now, plan_id: UUID) -> Response:
    """End the link."""
    answer = _to_job(database, visitor, plan_id)
    sharing.withdraw(database, visitor, plan_id, now)
    return answer


@router.get("/shared/{token}")
def show(
    request: Request, database: Database, now: Now, token: str, load: int = 1, gauge: Gauge | None = None
) -> Response:
    """The card of a load, to read, for whoever has the link."""
    saved = sharing.shared_plan(database, token)
    shown = card_of(saved.plan, load, gauge) if saved else None
    if shown is None:
        raise HTTPException(404)
    return page(
        request, "card/card.html", shown=shown, plan=shown.plan, moment=now, token=token, **drawn(shown.card)
    )


def _to_job(database: Database, visitor: MayMix, plan_id: UUID) -> Response:
    saved = plans.saved_plan(database, visitor, plan_id)
    if saved is None:
        raise HTTPException(404)
    return RedirectResponse(f"/jobs/{saved.job_id}#share", status_code=303)
