"""Without signal: what a device is given, so that it goes on by itself."""

from typing import Annotated, Any
from uuid import UUID

from fastapi import Body, HTTPException, Request
from fastapi.responses import JSONResponse, Response
from pydantic import Field
from starlette.concurrency import run_in_threadpool

from keeve.core.errors import validated
from keeve.core.loads.event import StepNumber
from keeve.core.rules.registry import Strict
from keeve.core.zones import Occurred
from keeve.data import loads, packs, plans, yard
from keeve.formats.job_file import read_job
from keeve.formats.pack import Pack, checksum, zone_file
from keeve.screens.without_signal import runtime
from keeve.web.pages import holder_of, page
from keeve.web.security import Anyone, Database, Forecast, MayMix, Now, screen_router, units_of
from keeve.web.static_files import FOR_GOOD, addresses, content_of_file

router = screen_router()


@router.get("/service-worker.js")
async def service_worker() -> Response:
    """The script that answers while Keeve is gone; at the root, since it answers for what lies below it."""
    return Response(content_of_file("service-worker.js"), media_type="text/javascript")


@router.get("/pack.json")
def pack(
    request: Request,
    database: Database,
    visitor: Anyone,
    weather: Forecast,
    now: Now,
    version: str | None = None,
) -> Response:
    """The pack of a device: all it needs of the crew to go on by itself; of no crew, the library in one's units.

    A device reads only the packs of its own version: where the server has another it keeps the pack it has.
    """
    if version is not None and version != runtime.version():
        raise HTTPException(404)
    holder = holder_of(visitor)
    if visitor is None:
        found = Pack(
            pack=1,
            made_at=now,
            holder=holder,
            person=None,
            open_to_all=request.app.state.open_to_all,
            units=units_of(request),
            zone="UTC",
            zone_file=zone_file("UTC"),
        )
    else:
        found = packs.pack_of(database, visitor, holder, now, weather)
    return Response(found.model_dump_json(), media_type="application/json", headers={"Keeve-Holder": holder})


@router.post("/plan/{plan_id}/told")
def keep_plan(
    database: Database, visitor: MayMix, now: Now, plan_id: UUID, told: Annotated[dict[str, Any], Body()]
) -> Response:
    """Keep a job that was planned on a device, under the id its plan has there; says whether both plans are alike.

    The bag whose label was to be kept is kept with it.
    """
    job = read_job(told.get("job"))
    if told.get("bag"):
        yard.keep_item(database, visitor, plan_id, told["bag"], now)
    plans.save_plan(database, visitor, job, as_plan=plan_id)
    saved = plans.saved_plan(database, visitor, plan_id)
    is_alike = saved is not None and checksum(saved.plan) == told.get("checksum")
    return JSONResponse({"is_alike": is_alike}, headers={"Keeve-Holder": holder_of(visitor)})


class BegunElsewhere(Strict):
    """A load that was begun on a device without signal: of which plan, its number there, and when."""

    plan_id: Annotated[UUID, Field(strict=False)]
    number: StepNumber
    occurred_at: Occurred


@router.post("/bench/{load_id}/begin")
def begin(
    database: Database,
    visitor: MayMix,
    weather: Forecast,
    now: Now,
    load_id: UUID,
    told: Annotated[dict[str, Any], Body()],
) -> Response:
    """Begin a load that a device began without signal, under the id it has there; give the id it has here.

    Somebody else may have begun it meanwhile: then that is the load, and what was told on the device belongs to it.
    """
    given = validated(BegunElsewhere, {name: told.get(name) for name in BegunElsewhere.model_fields})
    found = loads.begin_load(
        database, visitor, given.plan_id, given.number, now, weather, as_load=load_id, at=given.occurred_at
    )
    if found is None:
        raise HTTPException(404)
    return JSONResponse({"load": str(found)}, headers={"Keeve-Holder": holder_of(visitor)})


@router.get("/without-signal")
def shell(request: Request, visitor: Anyone) -> Response:
    """The page that a device draws others into."""
    return page(request, "without_signal/shell.html")


@router.get("/device.json")
async def device() -> Response:
    """The version of what runs on a device, its files and what they take, bytes."""
    # Packed once a process, which takes a second.
    await run_in_threadpool(runtime.version)
    return JSONResponse(
        {
            "version": runtime.version(),
            "size": runtime.size(),
            "files": list(runtime.device_files()),
            # What the pages that it draws are shown with.
            "shown_with": [
                address for name, address in addresses().items() if name.endswith((".js", ".css"))
            ],
        }
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
