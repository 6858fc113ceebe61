"""Short answers that several screens give."""

from uuid import UUID

from fastapi import HTTPException
from fastapi.responses import RedirectResponse, Response


def go_on(found: bool, path: str) -> Response:
    """On to a page after something was done; not found where there was nothing to do it with."""
    if not found:
        raise HTTPException(404)
    return RedirectResponse(path, status_code=303)


def id_of(text: str) -> UUID:
    """An id as a form sends it; not found where it is none."""
    try:
        return UUID(text)
    except ValueError:
        raise HTTPException(404) from None
