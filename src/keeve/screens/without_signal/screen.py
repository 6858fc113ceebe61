"""Without signal: what a device is given, so that it goes on by itself."""

from fastapi import HTTPException, Request
from fastapi.responses import JSONResponse, Response
from starlette.concurrency import run_in_threadpool

from keeve.data import packs
from keeve.screens.without_signal import runtime
from keeve.web.pages import holder_of, page
from keeve.web.security import Database, Forecast, Now, SignedIn, screen_router
from keeve.web.static_files import FOR_GOOD, content_of_file

router = screen_router()


@router.get("/service-worker.js")
async def service_worker() -> Response:
    """The script that answers while Keeve is gone; at the root, since it answers for what lies below it."""
    return Response(content_of_file("service-worker.js"), media_type="text/javascript")


@router.get("/pack.json")
def pack(database: Database, visitor: SignedIn, weather: Forecast, now: Now) -> Response:
    """What a device needs of the crew to go on by itself."""
    holder = holder_of(visitor)
    found = packs.pack_of(database, visitor, holder, now, weather)
    return Response(found.model_dump_json(), media_type="application/json", headers={"Keeve-Holder": holder})


@router.get("/without-signal")
def shell(request: Request, visitor: SignedIn) -> Response:
    """The page that a device draws others into."""
    return page(request, "without_signal/shell.html")


@router.get("/device.json")
async def device() -> Response:
    """The version of what runs on a device, its files and what they take, bytes."""
    # Packed once a process, which takes a second.
    await run_in_threadpool(runtime.version)
    return JSONResponse(
        {"version": runtime.version(), "size": runtime.size(), "files": list(runtime.device_files())}
    )


@router.get("/device/{version}/{name}")
async def device_file(version: str, name: str) -> Response:
    """A file of what runs on a device; another version has other addresses."""
    await run_in_threadpool(runtime.version)
    file = runtime.device_files().get(name)
    if file is None or version != runtime.version():
        raise HTTPException(404)
    headers = {"Cache-Control": FOR_GOOD, "Content-Encoding": "gzip"}
    return Response(file.sent, media_type=file.kind, headers=headers)
