"""Mixes: the library and the crew's own; find one, compare two, read all there is to one, make a variant."""

from typing import Annotated, Any, get_args

from fastapi import HTTPException, Query, Request
from fastapi.responses import RedirectResponse, Response

from keeve.core.errors import InputError
from keeve.core.mixes import library, mix_text, parse_mix
from keeve.core.mixes.model import Mix, Sort, Use
from keeve.core.mixes.procedures import Procedure
from keeve.core.units import System
from keeve.data import mixes
from keeve.drawing.composition import composition
from keeve.drawing.states import state_of
from keeve.drawing.thickness import thickness_bar, thickness_x
from keeve.figures.plaster import ratios_of
from keeve.screens.mixes.form import MixForm, changed_mix, form_of_mix, form_typed
from keeve.screens.mixes.procedure_strip import procedure_strip
from keeve.screens.mixes.view import MixFigures, mix_figures, procedure_for, timed_steps
from keeve.screens.plan.mix_choices import mix_shelves, mixes_that_fit
from keeve.web.fields import Number
from keeve.web.pages import page
from keeve.web.security import Anyone, Database, MayMix, SignedIn, screen_router, units_of

router = screen_router()

# A version as an address names it, as large as the database counts them.
Version = Annotated[int | None, Query(ge=1, lt=2**31)]

_USES: tuple[Use, ...] = get_args(Use)
_SORTS: tuple[Sort, ...] = get_args(Sort)


@router.get("/mixes")
def show_all(
    request: Request, database: Database, visitor: Anyone, use: str = "", thickness: str = ""
) -> Response:
    """Every mix, those first that fit what is asked."""
    on_hand = [sort for sort in _SORTS if sort in request.query_params.getlist("yard")]
    thickness_mm, refusal = _thickness(thickness, units_of(request))
    wanted = next((item for item in _USES if item == use), None)
    is_asked = bool(wanted or thickness_mm or on_hand)
    known = mixes.every_mix(database, visitor)
    if is_asked:
        found = mixes_that_fit(known.values(), wanted, thickness_mm, on_hand)
    else:
        found = mix_shelves(known, *mixes.preferred(database, visitor))
    return page(
        request,
        "mixes/mixes.html",
        shelves=[
            {"heading": shelf.heading, "lines": [(item, _bars(item.figures)) for item in shelf.choices]}
            for shelf in found
        ],
        is_asked=is_asked or bool(refusal),
        uses=_USES,
        sorts=_SORTS,
        asked={"use": use, "thickness": thickness, "yard": on_hand},
        refusal=refusal,
        wanted_x=None if thickness_mm is None else thickness_x(thickness_mm),
    )


@router.get("/mixes/compare")
def compare(request: Request, database: Database, visitor: Anyone) -> Response:
    """Two mixes side by side; with one only, what to compare it with."""
    known = mixes.every_mix(database, visitor)
    chosen = [*request.query_params.getlist("mix"), "", ""][:2]
    pair = [known[name] for name in chosen if name in known]
    return page(
        request,
        "mixes/compare.html",
        pair=[_shown(mix, procedure_for(mix)) for mix in pair],
        known=known.values(),
        chosen=chosen,
        state_of=state_of,
    )


@router.get("/mixes/{mix_id}")
def show(
    request: Request,
    database: Database,
    visitor: Anyone,
    mix_id: str,
    mixer: str = "",
    order: str = "",
    version: Version = None,
) -> Response:
    """All there is to one mix."""
    mix = _found(database, visitor, mix_id, version)
    return page(
        request,
        "mixes/mix.html",
        **_shown(mix, procedure_for(mix, mixer, order)),
        own=mix_id not in library(),
        is_favourite=mix_id in mixes.favourites(database, visitor),
        versions=mixes.versions(database, visitor, mix_id),
        version=version,
        state_of=state_of,
        ratios=ratios_of(mix),
    )


@router.get("/mixes/{mix_id}/mix.yaml")
def mix_file(database: Database, visitor: Anyone, mix_id: str, version: Version = None) -> Response:
    """The mix as a file."""
    mix = _found(database, visitor, mix_id, version)
    return Response(
        mix_text(mix),
        media_type="application/yaml",
        headers={"Content-Disposition": f'attachment; filename="{mix.id}.yaml"'},
    )


@router.post("/mixes/{mix_id}/favourite")
def set_favourite(request: Request, database: Database, visitor: SignedIn, mix_id: str) -> Response:
    """Put the mix on top, or not any more."""
    if not mixes.set_favourite(database, visitor, mix_id, is_on=request.state.form.get("on") == "yes"):
        raise HTTPException(404)
    return RedirectResponse(f"/mixes/{mix_id}", status_code=303)


@router.get("/mixes/{mix_id}/own")
def edit(request: Request, database: Database, visitor: MayMix, mix_id: str) -> Response:
    """The form that makes a variant of a mix, or the next version of one's own."""
    mix = _found(database, visitor, mix_id, None)
    return _edit_page(request, mix, form_of_mix(mix, visitor.units, is_own=mix_id not in library()))


@router.post("/mixes/{mix_id}/own")
def save(request: Request, database: Database, visitor: MayMix, mix_id: str) -> Response:
    """Keep the variant, or show the form again with what is wrong."""
    mix = _found(database, visitor, mix_id, None)
    form = form_typed(mix, request.state.form, visitor.units)
    try:
        variant = changed_mix(mix, form, visitor.units, is_own=mix_id not in library())
        if variant is not None:
            mixes.save_mix(database, visitor, variant)
            return RedirectResponse(f"/mixes/{variant.id}", status_code=303)
    except InputError as fault:
        form.errors.setdefault("", fault.message)
    return _edit_page(request, mix, form, 422)


@router.post("/mixes/open")
def open_file(request: Request, database: Database, visitor: MayMix) -> Response:
    """Keep a mix from a mix file as the crew's own."""
    mix = parse_mix(request.state.form.get("file", ""))
    mixes.save_mix(database, visitor, mix)
    return RedirectResponse(f"/mixes/{mix.id}", status_code=303)


def _found(database: Database, visitor: Anyone, mix_id: str, version: int | None) -> Mix:
    mix = mixes.find_mix(database, visitor, mix_id, version)
    if mix is None:
        raise HTTPException(404)
    return mix


_THICKNESS = Number("Layer thickness", ("thickness",), "size")


def _thickness(typed: str, units: System) -> tuple[float | None, str]:
    """The thickness that was typed, in mm, or why it is none."""
    if not typed.strip():
        return None, ""
    try:
        found = _THICKNESS.read(typed, units)
    except ValueError as fault:
        return None, str(fault)
    return (found, "") if found > 0 else (None, "Layer thickness must be more than 0.")


def _bars(figures: MixFigures) -> dict[str, Any]:
    """The bars of a mix: of its materials and of its thickness."""
    return {"bands": composition(figures.volumes), "bar": thickness_bar(figures.thickness_mm)}


def _shown(mix: Mix, procedure: Procedure) -> dict[str, Any]:
    """The page of a mix, or one side of a comparison."""
    figures = mix_figures(mix)
    return {
        "mix": mix,
        "figures": figures,
        **_bars(figures),
        "procedure": procedure,
        "strip_blocks": procedure_strip(timed_steps(mix, procedure)),
    }


def _edit_page(request: Request, mix: Mix, form: MixForm, status: int = 200) -> Response:
    return page(request, "mixes/own.html", status, mix=mix, form=form, is_own=mix.id not in library())
