"""The plan page as its templates read it: a server draws it with them, and a device without signal."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

from keeve.core.errors import InputError
from keeve.core.mixes.model import Use
from keeve.core.planning.plan import PlanItem
from keeve.core.planning.yard import OwnBag, YardItem
from keeve.drawing.composition import LayerBand, composition
from keeve.drawing.set_clock import clock_lines
from keeve.drawing.shape_pictures import shape_picture
from keeve.drawing.sketch import Sketch, sketch
from keeve.drawing.volume_bar import VolumeBar, volume_bar
from keeve.screens.plan import form as plan_form
from keeve.screens.plan import form_job as plan_job
from keeve.screens.plan.form import PlanForm
from keeve.screens.plan.mix_choices import MixChoice, mix_shelves
from keeve.screens.plan.shapes import SHAPE_GROUPS, SHAPES, shape_of
from keeve.screens.plan.view import Expects, PlanAnswer, Sets, plan_answer


def choices(
    form: PlanForm,
    owned: Sequence[YardItem],
    favourites: Sequence[str],
    used_last: Sequence[str],
    *,
    is_kept: bool,
) -> dict[str, Any]:
    """The shapes and mixes to choose from, with pictures.

    Args:
        form: the form.
        owned: what the crew owns.
        favourites: the ids of the mixes that are wanted on top.
        used_last: those of the mixes that were planned with last.
        is_kept: whether what is planned is kept: a bag's label may be, too.
    """
    return {
        **shape_choices(),
        "bags": plan_form.offered_bags(form, [item for item in owned if isinstance(item, OwnBag)]),
        "may_keep": is_kept and form.has_label,
        "shelves": tuple(
            Shelf(shelf.heading, tuple(map(_tile, shelf.choices)))
            for shelf in mix_shelves(form.mixes, favourites, used_last)
        ),
    }


class MixTile(NamedTuple):
    """A mix to choose: its id, its name, its ratio and its uses, the words it is found by, and its bar."""

    id: str
    name: str
    ratio: str
    uses: Sequence[Use]
    found_by: str
    bands: tuple[LayerBand, ...]


class Shelf(NamedTuple):
    """Mixes to choose under a heading."""

    heading: str
    tiles: tuple[MixTile, ...]


def _tile(choice: MixChoice) -> MixTile:
    mix, figures = choice.mix, choice.figures
    bands = composition(figures.volumes)
    return MixTile(mix.id, mix.name, figures.ratio, tuple(mix.uses), figures.found_by, bands)


def shape_choices() -> dict[str, Any]:
    """Every shape to choose from, where one looks for it, with its picture."""
    return {
        "shapes": {name: shape.label for name, shape in SHAPES.items()},
        "shape_groups": SHAPE_GROUPS,
        "pictures": tuple((name, shape_picture(name)) for name in SHAPES),
    }


def result(
    form: PlanForm, expected_of: Expects | None = None, setting_of: Sets | None = None
) -> dict[str, Any]:
    """The answer to the form with its pictures, or none; what is wrong is left on the form."""
    job = plan_job.to_job(form)
    if job is None:
        return {"answer": None, "errors": form.wrong}
    try:
        answer = plan_answer(job, expected_of, setting_of)
    except InputError as fault:
        form.refuse(fault)
        return {"answer": None, "errors": form.errors}
    # What they draw is seen in the answer alone: a part of the page that is known is not drawn again.
    return {
        "answer": answer,
        "errors": {},
        "clock_lines": clock_lines,
        "sketches_of": sketches,
        "volume_bar_of": _volume_bar,
    }


def previewed(
    form: PlanForm, found: Mapping[str, Any], chosen: Mapping[str, Any] | None, part: Callable[..., str]
) -> dict[str, Any]:
    """The answer to a form that is typed on, as plain values.

    Args:
        form: the form.
        found: its ``result``.
        chosen: its ``choices``, where its own fields are drawn again.
        part: draws a template with values.
    """
    return {
        "html": part("plan/result.html", form=form, **found),
        "bar": part("plan/bar.html", form=form, **found),
        "workings": part("plan/workings.html", form=form, **found),
        "asked": "" if chosen is None else part("plan/asked.html", form=form, **chosen),
        "folds": form.fold_words,
        "errors": form.wrong,
        "offers": {name: offer._asdict() for name, offer in form.offers.items()},
    }


def sketches(needs: Sequence[Mapping[str, Any]], items: Sequence[PlanItem]) -> list[tuple[Sketch, PlanItem]]:
    """The items to be made, drawn with their sizes as the plan made them out; beside each what the plan makes of it."""
    made = zip(needs, items, strict=False)
    return [(sketch(shape_of(need), {**need, **item.facts}), item) for need, item in made]


def _volume_bar(answer: PlanAnswer) -> VolumeBar:
    volume = answer.plan.volume
    return volume_bar(volume.net_m3, volume.order_m3, [load.yield_l for load in answer.plan.loads])
