"""Photos of a load: taken with the phone, shown beside what they were taken of."""

from uuid import UUID

from fastapi import HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from keeve.data import loads, photos
from keeve.formats.photo import photo_of
from keeve.web import worker_process
from keeve.web.responses import go_on, id_of
from keeve.web.security import Database, MayMix, Now, SignedIn, screen_router
from keeve.web.timeouts import with_timeout

router = screen_router()

# A photo never changes: it need not be asked for again, by this browser alone.
_ONCE = {"Cache-Control": "private, max-age=31536000, immutable"}


@router.post("/photos/of/{load_id}")
async def keep(request: Request, database: Database, visitor: MayMix, now: Now, load_id: UUID) -> Response:
    """Keep a photo of the load, of one of its entries where the form names it."""
    named = request.state.form.get("event_id", "")
    event_id = id_of(named) if named else None
    if not await with_timeout(lambda: photos.check_room(database, visitor, load_id, event_id)):
        raise HTTPException(404)
    content = request.state.files.get("photo", b"")
    photo = await worker_process.run(request, visitor.account_id, photo_of, content)
    await with_timeout(lambda: photos.keep(database, visitor, load_id, event_id, photo, now))
    if "at_bench" in request.state.form:
        return RedirectResponse(f"/bench/{load_id}", status_code=303)
    return RedirectResponse(
        f"/log/{load_id}#{f'entry-{event_id}' if event_id else 'photos'}", status_code=303
    )


@router.get("/photos/of/{load_id}")
def after_keeping(database: Database, visitor: SignedIn, load_id: UUID) -> Response:
    """The page a reload lands on after a photo was refused."""
    return go_on(loads.running_load(database, visitor, load_id) is not None, f"/log/{load_id}")


@router.get("/photos/{photo_id}.jpg")
def show(database: Database, visitor: SignedIn, photo_id: UUID, small: bool = False) -> Response:
    """A photo, or a small one of it."""
    jpeg = photos.picture(database, visitor, photo_id, small=small)
    if jpeg is None:
        raise HTTPException(404)
    return Response(jpeg, media_type="image/jpeg", headers=_ONCE)


@router.post("/photos/{photo_id}/remove")
def remove(database: Database, visitor: MayMix, photo_id: UUID) -> Response:
    """Remove a photo for good."""
    load_id = photos.remove(database, visitor, photo_id)
    return go_on(load_id is not None, f"/log/{load_id}#photos")
