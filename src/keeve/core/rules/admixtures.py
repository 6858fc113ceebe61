"""Admixtures: the user's label gives the dose; these rules turn it into an amount and its own water."""

from typing import Literal

from keeve.core.errors import InputError
from keeve.core.rules.registry import MASS_BALANCE, Amount, Dimension, Example, Fraction, Result, rule

FLOZ_US_ML = 29.5735
CWT_US_KG = 45.3592

Basis = Literal[
    "percent_binder",
    "ml_per_100kg",
    "floz_per_us_cwt",
    "percent_cement",
    "g_per_m3",
    "ml_per_l_water",
    "ml_per_batch",
    "ml_per_bag",
    "ml_per_bucket",
    "cap_per_bag",
    "splash_per_bag",
    "pouch_per_bag",
]
# Counted by hand: caps of a bottle, splashes, pouches.
COUNTED_IN: dict[Basis, str] = {"cap_per_bag": "cap", "splash_per_bag": "splash", "pouch_per_bag": "pouch"}
# A splash of a mortar plasticiser is 10 to 30 mL. Common practice, no source.
SPLASH_ML = 20.0
# A liquid of which only the bottle is at hand: a plasticiser or air entrainer. Common practice, no source.
LIQUID_KG_L, LIQUID_SOLIDS = 1.05, 0.2

# The input each basis is counted on besides the binder.
_COUNTED_ON: dict[str, str] = {
    "percent_cement": "cement_kg",
    "g_per_m3": "volume_m3",
    "ml_per_l_water": "water_l",
    "ml_per_bag": "bags",
    "ml_per_bucket": "buckets",
    "cap_per_bag": "bags",
    "splash_per_bag": "bags",
    "pouch_per_bag": "bags",
}


class AdmixtureDose(Result):
    """Mass in kg, volume in mL (null for a powder without density) and the water it brings in kg."""

    mass_kg: float
    volume_ml: float | None
    water_in_kg: float


@rule(
    "admixture-dose",
    formula="m = dose · base;  water = m · (1 − solids) for a liquid",
    math=(
        r"\text{mass} = \text{dose} \cdot \text{base} "
        r"\qquad \text{water in it} = \text{mass} \cdot (1 - \text{solids})"
    ),
    sources=[MASS_BALANCE],
    example=Example(
        given={
            "binder_kg": 272.1552,
            "dose": 5,
            "basis": "floz_per_us_cwt",
            "form": "liquid",
            "density_kg_l": 1.0,
            "solids_fraction": 0.45,
        },
        gives={"mass_kg": 0.887205, "volume_ml": 887.205, "water_in_kg": 0.48796275},
        origin="600 lb of binder at 5 US fl oz per US cwt is 30 fl oz, 16.5 of them water (trade arithmetic)",
    ),
)
def admixture_dose(
    binder_kg: Amount,
    dose: Amount,
    basis: Basis,
    form: Literal["liquid", "powder"] = "liquid",
    cement_kg: Amount | None = None,
    volume_m3: Amount | None = None,
    water_l: Amount | None = None,
    bags: Amount | None = None,
    buckets: Amount | None = None,
    density_kg_l: Dimension | None = None,
    solids_fraction: Fraction | None = None,
    each: Dimension | None = None,
) -> AdmixtureDose:
    """How much admixture for a batch, and how much of it is water.

    Args:
        binder_kg: binder in the batch, kg.
        dose: the label's figure, in the unit of the basis (``percent_binder``: 1 is 1 % of product by mass).
        basis: what the dose on the label is counted on.
        form: ``liquid`` or ``powder``.
        cement_kg: cement in the batch, kg; for ``percent_cement``.
        volume_m3: fresh volume, m3; for ``g_per_m3``.
        water_l: mixing water, L; for ``ml_per_l_water``.
        bags: bags of cement or mix in the batch; for ``ml_per_bag``, and caps, splashes or pouches a bag.
        buckets: buckets of mixing water in the batch; for ``ml_per_bucket``.
        density_kg_l: density of the product, kg/L. Blank for a liquid: 1.05.
        each: what one cap or splash holds, mL, or one pouch, g. Blank for a splash: 20.
        solids_fraction: solids by mass; the other share of a liquid is water. Blank: 0.2.

    Returns:
        mass_kg, volume_ml, water_in_kg.

    Raises:
        InputError: a figure that the form or basis needs is missing.
    """
    needed = _COUNTED_ON.get(basis)
    counted = {
        "cement_kg": cement_kg,
        "volume_m3": volume_m3,
        "water_l": water_l,
        "bags": bags,
        "buckets": buckets,
    }
    if needed and counted[needed] is None:
        raise InputError(
            "missing",
            f"{needed} is missing. This dose unit needs it. Choose another unit, or enter it.",
            [needed],
        )
    assumed: dict[str, float] = {}
    if basis == "splash_per_bag" and each is None:
        assumed["each"] = each = SPLASH_ML
    if basis in COUNTED_IN and each is None:
        raise InputError(
            "missing", "each is missing. Enter what one holds: mL of a cap, g of a pouch.", ["each"]
        )
    if form == "liquid" and solids_fraction is None:
        assumed["solids_fraction"] = solids_fraction = LIQUID_SOLIDS
    if form == "liquid" and density_kg_l is None:
        assumed["density_kg_l"] = density_kg_l = LIQUID_KG_L
    mass: float | None = {
        "percent_binder": binder_kg * dose / 100,
        "percent_cement": (cement_kg or 0) * dose / 100,
        "g_per_m3": (volume_m3 or 0) * dose / 1000,
        "pouch_per_bag": (bags or 0) * dose * (each or 0) / 1000,
    }.get(basis)
    if mass is None:
        millilitres: float = {
            "ml_per_100kg": binder_kg / 100 * dose,
            "floz_per_us_cwt": binder_kg / CWT_US_KG * dose * FLOZ_US_ML,
            "ml_per_l_water": (water_l or 0) * dose,
            "ml_per_batch": dose,
            "ml_per_bag": (bags or 0) * dose,
            "ml_per_bucket": (buckets or 0) * dose,
            "cap_per_bag": (bags or 0) * dose * (each or 0),
            "splash_per_bag": (bags or 0) * dose * (each or 0),
        }[basis]
        if density_kg_l is None:
            raise InputError(
                "missing",
                "density_kg_l is missing. A powder counted in mL needs it. Copy it from the label.",
                ["density_kg_l"],
            )
        mass = millilitres / 1000 * density_kg_l
    water = mass * (1 - (solids_fraction or 0)) if form == "liquid" else 0.0
    volume = None if density_kg_l is None else mass / density_kg_l * 1000
    return AdmixtureDose(mass_kg=mass, volume_ml=volume, water_in_kg=water, assumed=assumed)
