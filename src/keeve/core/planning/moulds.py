"""Moulds in a job: a hollow, or a frame, less the model in it, poured in one piece or several."""

from collections.abc import Callable, Mapping
from math import fsum
from typing import Annotated, Any, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.geometry import cylinder_volume, frustum_volume, slab_volume
from keeve.core.rules.gypsum import plaster_density
from keeve.core.rules.mesh_section import Cut, Up
from keeve.core.rules.moulds import LengthUnit, mould_volume, sphere_cap_volume
from keeve.core.rules.registry import Amount, Dimension, Strict
from keeve.core.rules.workings import Workings
from keeve.core.texts import Line

SolidName = Literal["box", "cylinder", "frustum", "dome"]


class MouldSolid(Strict):
    """A simple solid, so many times.

    ``length_m``: its length, or its diameter at the bottom. ``width_m``: its width, or its diameter at the top, where
    it has one.
    """

    solid: SolidName
    length_m: Dimension
    width_m: Dimension | None = None
    height_m: Dimension
    count: Annotated[int, Field(ge=1, le=1000)] = 1


class Solids(Strict):
    """A sum of simple solids."""

    by: Literal["solids"]
    solids: Annotated[list[MouldSolid], Field(min_length=1, max_length=12)]


class Frame(Strict):
    """A frame set up round a model (a coddle): the model's size, and how thick the plaster is beside and over it, m."""

    by: Literal["frame"]
    length_m: Dimension
    width_m: Dimension
    height_m: Dimension
    wall_m: Dimension
    base_m: Amount


class Displacement(Strict):
    """Water it holds, or that it pushes out of a full tub, L."""

    by: Literal["displacement"]
    water_l: Dimension


class ExistingCast(Strict):
    """A dry cast of it on the scale, kg, and the ratio it was made at."""

    by: Literal["cast"]
    dry_kg: Dimension
    water_per_100: Dimension = 70.0


Share = Annotated[float, Field(ge=0, le=1)]
_Ring = Annotated[list[Annotated[list[Share], Field(min_length=2, max_length=2)]], Field(max_length=200)]


class MeshFigures(Strict):
    """The figures of a mesh file once it was read and set upright.

    Args:
        name: the file's name.
        unit: the unit it was read in.
        up: the axis of the file that points up.
        cut: the side along which its section is cut.
        volume_m3: its volume, m3.
        sides_m: its length, width and height, m.
        below: the share of its volume below each of some levels, evenly spaced from bottom to top.
        outline: the rings of its outline in the section, as shares of the side cut along and of its height.
    """

    name: Annotated[Line, Field(max_length=120)] = ""
    unit: LengthUnit
    up: Up = "z"
    cut: Cut = "length"
    volume_m3: Dimension
    sides_m: Annotated[list[Dimension], Field(min_length=3, max_length=3)]
    below: Annotated[list[Share], Field(max_length=64)] = []
    outline: Annotated[list[_Ring], Field(max_length=16)] = []


class MeshFile(Strict):
    """A mesh file, by what it came to."""

    by: Literal["mesh"]
    mesh: MeshFigures


Hollow = Annotated[Solids | Frame | Displacement | ExistingCast | MeshFile, Field(discriminator="by")]
Model = Annotated[Solids | Displacement | ExistingCast | MeshFile, Field(discriminator="by")]


class MouldNeed(Strict):
    """The fill of a hollow, or of what is left of it round a model, in so many pieces.

    Args:
        name: what the crew calls it.
        container: the hollow.
        model: what is in it; None where it is empty.
        pieces: the pieces in the order they are poured, as parts of the whole: 1, 1 is two halves.
        count: how many times all of it is poured.
    """

    name: Annotated[Line, Field(max_length=60)] = ""
    container: Hollow
    model: Model | None = None
    pieces: Annotated[list[Dimension], Field(min_length=1, max_length=12)] = [1.0]
    count: Annotated[int, Field(ge=1, le=1000)] = 1


def mould_m3(need: MouldNeed, path: str, workings: Workings) -> dict[str, float]:
    """The volume of a mould and where it comes from, m3: volume_m3, container_m3 and model_m3.

    Args:
        need: the mould.
        path: its path in the job, for what is wrong.
        workings: keeps the rules that are run.

    Raises:
        InputError: the model fills its container, or a figure of a solid is missing.
    """
    container_m3 = _volume(need.container, f"{path}.container", workings)
    model_m3 = _volume(need.model, f"{path}.model", workings) if need.model else 0.0
    try:
        found = workings.run(mould_volume, container_m3=container_m3, model_m3=model_m3)
    except InputError as fault:
        fault.fields = [f"{path}.{'model' if need.model else 'container'}"]
        raise
    return {"volume_m3": found.total_m3, "container_m3": container_m3, "model_m3": model_m3}


def _volume(
    part: Solids | Frame | Displacement | ExistingCast | MeshFile, path: str, workings: Workings
) -> float:
    match part:
        case Solids():
            return fsum(
                _solid(solid, f"{path}.solids.{number}", workings) * solid.count
                for number, solid in enumerate(part.solids)
            )
        case Frame():
            return workings.run(
                slab_volume,
                length_m=part.length_m + 2 * part.wall_m,
                width_m=part.width_m + 2 * part.wall_m,
                thickness_m=part.height_m + part.base_m,
            ).volume_m3
        case Displacement():
            return part.water_l / 1000
        case ExistingCast():
            density = workings.run(plaster_density, water_per_100=part.water_per_100)
            return part.dry_kg / density.dry_density_kg_m3
        case MeshFile():
            return part.mesh.volume_m3


def _two_sided(solid: MouldSolid, path: str) -> float:
    if solid.width_m is None:
        raise InputError(
            "missing", f"{path}.width_m is missing. A {solid.solid} needs it.", [f"{path}.width_m"]
        )
    return solid.width_m


# The rule of each solid, and its sizes by the rule's names.
_SOLIDS: Mapping[SolidName, tuple[Callable[..., Any], Callable[[MouldSolid, str], dict[str, float]]]] = {
    "box": (
        slab_volume,
        lambda one, path: {
            "length_m": one.length_m, "width_m": _two_sided(one, path), "thickness_m": one.height_m
        },
    ),
    "cylinder": (
        cylinder_volume, lambda one, path: {"diameter_m": one.length_m, "height_m": one.height_m}
    ),
    "frustum": (
        frustum_volume,
        lambda one, path: {
            "bottom_diameter_m": one.length_m,
            "top_diameter_m": _two_sided(one, path),
            "height_m": one.height_m,
        },
    ),
    "dome": (
        sphere_cap_volume, lambda one, path: {"base_diameter_m": one.length_m, "height_m": one.height_m}
    ),
}  # fmt: skip


def _solid(solid: MouldSolid, path: str, workings: Workings) -> float:
    rule, sizes = _SOLIDS[solid.solid]
    volume_m3: float = workings.run(rule, **sizes(solid, path)).volume_m3
    return volume_m3
