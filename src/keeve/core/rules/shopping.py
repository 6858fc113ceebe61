"""Shopping: what to buy for all loads, what is left over, what it costs."""

from collections.abc import Mapping
from math import fsum
from typing import Annotated

from pydantic import BaseModel, Field

from keeve.core.errors import InputError
from keeve.core.rules.load_sizes import MOST_LOADS
from keeve.core.rules.registry import (
    MASS_BALANCE,
    Amount,
    Dimension,
    Example,
    Fraction,
    Result,
    RuleWarning,
    rule,
)
from keeve.core.texts import ByName
from keeve.core.tolerances import ROUNDING, whole_up

# Bulk is sold by the tenth of a tonne.
_BULK_T = 0.1


class Bought(BaseModel):
    """What is bought of a material: bags where it comes in bags, else tonnes, and its kg."""

    bags: int | None = None
    t: float | None = None
    kg: float


class Shopping(Result):
    """What to buy, what is left over (kg), what it falls short by (kg; only where it does), and its
    cost (null without prices).
    """

    buy: dict[str, Bought]
    leftover_kg: dict[str, float]
    short_kg: dict[str, float]
    cost: float | None


@rule(
    "shopping",
    formula="bags = ⌈(1 − near enough) · (Σ loads − on hand) / bag⌉;  bulk up to the next 0.1 t in the same way",
    math=r"\text{bags} = \left\lceil \frac{(1 - n) (\sum \text{loads} - \text{on hand})}{\text{bag}} \right\rceil",
    sources=[MASS_BALANCE],
    example=Example(
        given={
            "loads": [{"cement": 20, "sand": 95}, {"cement": 20, "sand": 95}],
            "bag_kg": {"cement": 25},
            "on_hand_kg": {"sand": 10},
            "price_per_bag": {"cement": 6},
            "price_per_t": {"sand": 50},
        },
        gives={
            "buy": {
                "cement": {"bags": 2, "t": None, "kg": 50.0},
                "sand": {"bags": None, "t": 0.2, "kg": 200.0},
            },
            "leftover_kg": {"cement": 10.0, "sand": 20.0},
            "short_kg": {},
            "cost": 22.0,
        },
        origin="by hand: 40 kg of cement is two bags; 180 kg of sand is 0.2 t; 2 · 6 + 0.2 · 50",
    ),
)
def shopping(
    loads: Annotated[list[ByName[Amount]], Field(min_length=1, max_length=MOST_LOADS)],
    bag_kg: ByName[Dimension] | None = None,
    on_hand_kg: ByName[Amount] | None = None,
    price_per_bag: ByName[Amount] | None = None,
    price_per_t: ByName[Amount] | None = None,
    near_enough_fraction: Fraction = 0.0,
) -> Shopping:
    """What to buy for all the loads.

    Args:
        loads: what goes into each load, kg as charged, by name.
        bag_kg: mass of a bag by name, for what comes in bags; all else is bought in bulk.
        on_hand_kg: what you already have, kg by name.
        price_per_bag: of what comes in bags, in any one currency.
        price_per_t: of what comes in bulk, per tonne, in that currency.
        near_enough_fraction: how much less than worked out will do. At 1 %, 200.1 kg is 8 bags of 25.

    Returns:
        buy by name (bags or t, and kg), leftover_kg by name, short_kg of what is bought a little
        short, and cost of what has a price (null where nothing has).

    Raises:
        InputError: a name that no load holds.
    """
    bags, on_hand = bag_kg or {}, on_hand_kg or {}
    bag_price, bulk_price = price_per_bag or {}, price_per_t or {}
    needed: dict[str, float] = {}
    for load in loads:
        for name, mass in load.items():
            needed[name] = needed.get(name, 0.0) + mass
    _known_names(needed, bag_kg=bags, on_hand_kg=on_hand, price_per_bag=bag_price, price_per_t=bulk_price)
    buy = {
        name: _bought(max(mass - on_hand.get(name, 0.0), 0.0), bags.get(name), near_enough_fraction)
        for name, mass in needed.items()
    }
    costs = {name: _cost(name, item, bag_price, bulk_price) for name, item in buy.items()}
    priced = [cost for cost in costs.values() if cost is not None]
    over = {name: on_hand.get(name, 0.0) + item.kg - needed[name] for name, item in buy.items()}
    return Shopping(
        buy=buy,
        leftover_kg={name: max(kg, 0.0) for name, kg in over.items()},
        short_kg={name: -kg for name, kg in over.items() if kg < -ROUNDING},
        cost=fsum(priced) if priced else None,
        warnings=[_no_price(name) for name, cost in costs.items() if priced and cost is None],
    )


def _bought(mass_kg: float, bag_kg: float | None, near_enough: float) -> Bought:
    if bag_kg is None:
        tenths = whole_up(mass_kg * (1 - near_enough) / 1000 / _BULK_T)
        return Bought(t=tenths * _BULK_T, kg=tenths * _BULK_T * 1000)
    bags = whole_up(mass_kg * (1 - near_enough) / bag_kg)
    return Bought(bags=bags, kg=bags * bag_kg)


def _cost(name: str, item: Bought, per_bag: Mapping[str, float], per_t: Mapping[str, float]) -> float | None:
    if item.bags is not None:
        return item.bags * per_bag[name] if name in per_bag else None
    return item.kg / 1000 * per_t[name] if name in per_t else None


def _no_price(name: str) -> RuleWarning:
    return RuleWarning(
        code="no_price",
        message=f"No price for {name}, so it's not in the cost.",
        field="price_per_bag",
        suggestion="Enter its price per bag or per tonne.",
    )


def _known_names(needed: Mapping[str, float], **named: Mapping[str, float]) -> None:
    for field, names in named.items():
        for name in names:
            if name not in needed:
                raise InputError(
                    "unknown_name", f"{field} names {name!r}, which isn't in any load.", [f"{field}.{name}"]
                )
