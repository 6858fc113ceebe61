"""The volume of a mould: what its container holds less its model, by figures or from a mesh; and of a skin of cloth."""

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field

from keeve.core.errors import InputError
from keeve.core.rules.registry import (
    GEOMETRY,
    PRACTICE,
    Amount,
    Dimension,
    Example,
    Result,
    RuleWarning,
    rule,
)
from keeve.core.tolerances import UNMEASURABLE, whole_up

if TYPE_CHECKING:
    from keeve.core.rules.mesh_bodies import Mesh

LengthUnit = Literal["mm", "cm", "m", "in"]
METRES: dict[LengthUnit, float] = {"mm": 0.001, "cm": 0.01, "m": 1.0, "in": 0.0254}
# A thing to cast is between these, largest side in m; else the unit of its file is another.
_LIKELY_M = (0.01, 10.0)


class SphereCapVolume(Result):
    """Volume of a cap of a sphere, m3."""

    volume_m3: float


@rule(
    "sphere-cap-volume",
    formula="V = π h (3a² + h²) / 6, a = d/2",
    math=r"V = \frac{\pi h}{6} \left( 3 \left(\tfrac{d}{2}\right)^{2} + h^{2} \right)",
    sources=[GEOMETRY],
    example=Example(
        given={"base_diameter_m": 0.4, "height_m": 0.2},
        gives={"volume_m3": 0.016755160819145562},
        origin="by hand: half a sphere of radius 0.2 m, 2/3 π · 0.008",
    ),
)
def sphere_cap_volume(base_diameter_m: Dimension, height_m: Dimension) -> SphereCapVolume:
    """The volume of a dome: a cap of a sphere, by its flat base and its height.

    Args:
        base_diameter_m: diameter of its flat base, m.
        height_m: height over the base, m.

    Returns:
        volume_m3, m3.

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    radius_m = base_diameter_m / 2
    return SphereCapVolume(volume_m3=math.pi * height_m / 6 * (3 * radius_m**2 + height_m**2))


class MouldVolume(Result):
    """The volume of a mould, and of each of its pieces, m3."""

    total_m3: float
    per_piece_m3: float


@rule(
    "mould-volume",
    formula="V = container − model",
    math=r"V = V_{container} - V_{model}",
    sources=[GEOMETRY],
    example=Example(
        given={"container_m3": 0.260, "model_m3": 0.092, "pieces": 3},
        gives={"total_m3": 0.168, "per_piece_m3": 0.056},
        origin="by hand: 260 less 92 is 168, in three pours of 56",
    ),
)
def mould_volume(
    container_m3: Dimension, model_m3: Amount, pieces: Annotated[int, Field(ge=1, le=100)] = 1
) -> MouldVolume:
    """Volume to fill around a model.

    Args:
        container_m3: volume inside the frame, m3.
        model_m3: volume of the model in it, m3.
        pieces: how many equal pieces the mould is poured in.

    Returns:
        total_m3 and per_piece_m3, m3.

    Raises:
        InputError: the model fills the container.
    """
    if model_m3 >= container_m3:
        raise InputError(
            "model_fills",
            "model_m3 is as large as the mould around it. Check the sizes and units.",
            ["model_m3"],
        )
    total_m3 = container_m3 - model_m3
    return MouldVolume(total_m3=total_m3, per_piece_m3=total_m3 / pieces)


class ClothPlaster(Result):
    """Cloth for a skin of plaster: its area (m2), strips, and the plaster it takes up with what goes over it, m3."""

    cloth_m2: float
    strips: int
    volume_m3: float


@rule(
    "cloth-plaster",
    formula="cloth = A·layers·(1 + overlap); V = cloth·take-up + A·coat",
    math=(r"A_c = A \, n \, (1 + o) \qquad V = A_c \, u + A \, s"),
    sources=[GEOMETRY, PRACTICE],
    example=Example(
        given={
            "area_m2": 0.5,
            "layers": 3,
            "strip_length_m": 0.6,
            "strip_width_m": 0.15,
            "take_up_l_m2": 1.2,
            "overlap_fraction": 0.25,
            "coat_mm": 8,
        },
        gives={"cloth_m2": 1.875, "strips": 21, "volume_m3": 0.00625},
        origin="by hand: 0.5 · 3 · 1.25; in strips of 0.09 m2; 2.25 L taken up and 4 L over it",
    ),
)
def cloth_plaster(
    area_m2: Dimension,
    layers: Annotated[int, Field(ge=1, le=50)],
    strip_length_m: Dimension = 0.6,
    strip_width_m: Dimension = 0.15,
    take_up_l_m2: Dimension = 1.2,
    overlap_fraction: Annotated[float, Field(ge=0, le=1)] = 0.25,
    coat_mm: Amount = 0.0,
) -> ClothPlaster:
    """Strips of cloth over an armature, and the plaster they soak up.

    How much they soak up is an estimate (common practice, no source). Weigh a strip dry and dipped.
    A litre of slurry of 70 : 100 weighs about 1.57 kg.

    Args:
        area_m2: area to cover, m2.
        layers: layers of cloth.
        strip_length_m: length of a strip, m.
        strip_width_m: width of a strip, m.
        take_up_l_m2: plaster soaked up per square metre, L.
        overlap_fraction: how much of a strip overlaps the next.
        coat_mm: plaster trowelled over the last layer, mm.

    Returns:
        cloth_m2 (m2), strips and volume_m3 (m3).

    Raises:
        InputError: an input is missing, unknown or out of bounds.
    """
    cloth_m2 = area_m2 * layers * (1 + overlap_fraction)
    return ClothPlaster(
        cloth_m2=cloth_m2,
        strips=whole_up(cloth_m2 / (strip_length_m * strip_width_m)),
        volume_m3=cloth_m2 * take_up_l_m2 / 1000 + area_m2 * coat_mm / 1000,
    )


class MeshVolume(Result):
    """The volume of a closed mesh, m3, and the lengths of its sides along the axes, m."""

    volume_m3: float
    watertight: bool
    bounds_m: list[float]


@rule(
    "mesh-volume",
    formula="V = Σ a·(b × c) / 6",
    math=r"V = \frac{1}{6} \sum \vec{a} \cdot (\vec{b} \times \vec{c})",
    sources=[GEOMETRY],
    example=Example(
        given={"file": "block.stl", "unit": "mm"},
        gives={"volume_m3": 0.00024, "watertight": True, "bounds_m": [0.1, 0.06, 0.04]},
        origin="by hand: a block of 100 × 60 × 40 mm",
    ),
    reads_files=True,
)
def mesh_volume(
    file: Annotated[str, Field(max_length=4096)], unit: LengthUnit, close_holes: bool = False
) -> MeshVolume:
    """The volume that a mesh encloses, of an STL, OBJ, PLY or 3MF file.

    Args:
        file: path of the file.
        unit: the unit of its lengths: most files do not say.
        close_holes: close flat holes and small gaps first.

    Returns:
        volume_m3 (m3), watertight and bounds_m (m, along x, y and z).

    Raises:
        InputError: the file cannot be read, is too large, or its surface is open: where is said.
    """
    # Reading meshes takes NumPy and a second to import; no other rule should wait for that.
    from keeve.core.rules.mesh import read_mesh

    mesh = read_mesh(Path(file), close_holes=close_holes)
    scale = METRES[unit]
    sides_m = [float(side) * scale for side in mesh.sides]
    return MeshVolume(
        volume_m3=mesh.volume * scale**3,
        watertight=True,
        bounds_m=sides_m,
        warnings=[*unlikely_unit(max(sides_m), unit), *several_bodies(mesh, scale**3)],
    )


def several_bodies(mesh: "Mesh", unit_m3: float) -> list[RuleWarning]:
    """What was made of the bodies of a mesh, where it has several: what counts once, and what is left empty.

    Args:
        mesh: the mesh.
        unit_m3: one unit of its volume, m3.
    """
    found = []
    if mesh.overlap > UNMEASURABLE * mesh.volume:
        found.append(
            RuleWarning(
                code="mesh_overlap",
                message=f"Its {mesh.bodies} bodies overlap by {mesh.overlap * unit_m3 * 1000:.3g} L. That counts once.",
                field="file",
                suggestion="Check that they are all one casting.",
            )
        )
    if mesh.hollow > UNMEASURABLE * mesh.volume:
        found.append(
            RuleWarning(
                code="mesh_hollow",
                message=f"It has a hollow of {mesh.hollow * unit_m3 * 1000:.3g} L inside. That isn't filled.",
                field="file",
                suggestion="If it is solid, take the inner body out of the file.",
            )
        )
    return found


def unlikely_unit(largest_m: float, unit: LengthUnit) -> list[RuleWarning]:
    """A word where the unit of a mesh makes a thing that nobody casts."""
    if _LIKELY_M[0] <= largest_m <= _LIKELY_M[1]:
        return []
    likely = next(
        (
            other
            for other, metres in METRES.items()
            if _LIKELY_M[0] <= largest_m / METRES[unit] * metres <= _LIKELY_M[1]
        ),
        None,
    )
    longest = f"{largest_m:.3g} m" if largest_m >= 1 else f"{largest_m * 1000:.3g} mm"
    return [
        RuleWarning(
            code="mesh_unit",
            message=f"Its longest side is {longest}. The file's unit looks wrong.",
            field="unit",
            suggestion=f"Is it in {likely}?" if likely else "Check the file.",
            meant={"unit": likely} if likely else None,
        )
    ]
