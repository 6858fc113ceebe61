"""Cement-lime mortars by the proportions of the standards."""

from typing import Literal, NamedTuple

from keeve.core.errors import InputError
from keeve.core.rules.registry import Amount, Dimension, Example, Result, published, rule
from keeve.core.tolerances import ROUNDING


class _Proportion(NamedTuple):
    """Parts by volume to one of cement: lime and sand, least, usual, greatest."""

    lime: tuple[float, float, float]
    sand: tuple[float, float, float] | None  # None: 2 1/4 to 3 times the sum of the binders


# ASTM C270 table 1, from memory. Type M is 1 : 1/4 : 3 1/2 by custom, inside its range.
_TYPES: dict[str, _Proportion] = {
    "M": _Proportion((0.25, 0.25, 0.25), None),
    "S": _Proportion((0.25, 0.5, 0.5), None),
    "N": _Proportion((0.5, 1.0, 1.25), None),
    "O": _Proportion((1.25, 2.0, 2.5), None),
}
_USUAL_SAND_M = 3.5
_LEAST_SAND, _GREATEST_SAND = 2.25, 3.0
# UK National Annex to EN 1996-1-1, from memory.
_DESIGNATIONS: dict[str, _Proportion] = {
    "M12": _Proportion((0.0, 0.25, 0.25), (3.0, 3.0, 3.0)),
    "M6": _Proportion((0.5, 0.5, 0.5), (4.0, 4.25, 4.5)),
    "M4": _Proportion((1.0, 1.0, 1.0), (5.0, 5.5, 6.0)),
    "M2": _Proportion((2.0, 2.0, 2.0), (8.0, 8.5, 9.0)),
}
# kg of dry material in a loose m3, the sand damp and bulked: ASTM C270 (94, 40 and 80 lb/ft3), from memory.
_DENSITIES = {"cement": 1506.0, "lime": 641.0, "sand": 1281.0}


class MortarProportion(Result):
    """Loose volumes in L and dry masses in kg of cement, lime and sand."""

    volumes_l: dict[str, float]
    dry_kg: dict[str, float]


@rule(
    "mortar-proportion",
    formula="cement = binder / (1 + lime parts);  lime and sand by their parts",
    math=(
        r"\text{cement} = \frac{\text{binder}}{1 + \text{lime parts}} "
        r"\qquad \text{lime} = \text{cement} \cdot \text{lime parts} "
        r"\qquad \text{sand} = \text{cement} \cdot \text{sand parts}"
    ),
    sources=[published("ASTM C270 table 1"), published("UK National Annex to EN 1996-1-1")],
    example=Example(
        given={"type": "N", "binder_volume_l": 20},
        gives={
            "volumes_l": {"cement": 10.0, "lime": 10.0, "sand": 60.0},
            "dry_kg": {"cement": 15.06, "lime": 6.41, "sand": 76.86},
        },
        origin="by hand: 1 : 1 : 6",
    ),
)
def mortar_proportion(
    binder_volume_l: Dimension,
    type: Literal["M", "S", "N", "O"] | None = None,  # noqa: A002 - the standard's own word
    designation: Literal["M12", "M6", "M4", "M2"] | None = None,
    lime_parts: Amount | None = None,
    sand_parts: Amount | None = None,
) -> MortarProportion:
    """A mortar by its type or designation.

    Args:
        binder_volume_l: cement and lime together, L.
        type: by ASTM C270, or
        designation: by the UK National Annex to EN 1996-1-1.
        lime_parts: per part of cement, within the standard. Blank: the usual.
        sand_parts: damp, per part of cement, within the standard. Blank: the usual.

    Returns:
        volumes_l (L) and dry_kg (kg) of cement, lime and sand.

    Raises:
        InputError: neither or both of type and designation, or parts outside the standard's range.
    """
    if (type is None) == (designation is None):
        raise InputError(
            "one_standard", "Give either type or designation, not both.", ["type", "designation"]
        )
    proportion = _TYPES[type] if type else _DESIGNATIONS[designation or ""]
    lime = _within("lime_parts", lime_parts, *proportion.lime)
    if proportion.sand is None:
        usual = _USUAL_SAND_M if type == "M" else _GREATEST_SAND * (1 + lime)
        bounds = _LEAST_SAND * (1 + lime), usual, _GREATEST_SAND * (1 + lime)
    else:
        bounds = proportion.sand
    sand = _within("sand_parts", sand_parts, *bounds)
    cement_l = binder_volume_l / (1 + lime)
    volumes = {"cement": cement_l, "lime": cement_l * lime, "sand": cement_l * sand}
    return MortarProportion(
        volumes_l=volumes,
        dry_kg={name: volume / 1000 * _DENSITIES[name] for name, volume in volumes.items()},
    )


def _within(field: str, given: float | None, least: float, usual: float, greatest: float) -> float:
    parts = usual if given is None else given
    if not least - ROUNDING <= parts <= greatest + ROUNDING:
        span = f"{least:g}" if least == greatest else f"between {least:g} and {greatest:g}"
        raise InputError("outside_standard", f"{field} must be {span} for this mortar.", [field])
    return parts
