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
    Strict,
    rule,
)
from keeve.core.texts import ByName, Few, Name
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


class SoldReady(Strict):
    """Something sold ready mixed, or to be mixed with water: what one makes (L), its price, its minutes of work."""

    name: Name
    yield_l: Dimension
    price: Amount
    work_min: Amount = 5.0


class Truck(Strict):
    """A truck of ready-mix: its price a m3, what it costs to come, the least it brings and in which steps (m3), and how
    long it takes to empty it, min.
    """

    price_per_m3: Amount
    delivery: Amount = 0.0
    least_m3: Amount = 0.0
    step_m3: Dimension = 0.25
    work_min: Amount = 30.0


class ReadyMixed(Result):
    """By the name of each way: cost, hours, waste (m3), how many of it (m3 of a truck); and which costs least."""

    cost: dict[str, float]
    hours: dict[str, float]
    waste_m3: dict[str, float]
    number: dict[str, float]
    cheapest: str


@rule(
    "ready-mixed",
    formula="n = ⌈order / yield⌉;  cost = n · price + hours · people · wage;  waste = n · yield − order",
    math=(
        r"n = \left\lceil V / y \right\rceil \qquad "
        r"\text{cost} = n \, p + t \, k \, w \qquad \text{waste} = n \, y - V"
    ),
    sources=[MASS_BALANCE],
    example=Example(
        given={
            "order_m3": 1.0,
            "own_cost": 110,
            "own_hours": 3,
            "people": 2,
            "wage_per_hour": 20,
            "packs": [{"name": "bag", "yield_l": 12, "price": 5, "work_min": 4}],
            "truck": {"price_per_m3": 120, "delivery": 60, "least_m3": 2, "work_min": 30},
        },
        gives={
            "cost": {"own": 230.0, "bag": 644.0, "truck": 320.0},
            "hours": {"own": 3.0, "bag": 5.6, "truck": 0.5},
            "waste_m3": {"own": 0.0, "bag": 0.008, "truck": 1.0},
            "number": {"own": 1.0, "bag": 84.0, "truck": 2.0},
            "cheapest": "own",
        },
        origin="by hand: 110 + 3·2·20; 84 bags of 12 L at 5 and 4 min; 2 m3 at 120, 60 to come, half an hour of two",
    ),
)
def ready_mixed(
    order_m3: Dimension,
    own_cost: Amount,
    own_hours: Amount,
    people: Dimension = 1.0,
    wage_per_hour: Amount = 0.0,
    packs: Few[SoldReady] = [],  # noqa: B006
    truck: Truck | None = None,
) -> ReadyMixed:
    """Own mixing against bags, tubs and a truck: cost, hours and waste, from your prices.

    Args:
        order_m3: volume to come by, waste with it, m3.
        own_cost: what the materials of own mixing cost.
        own_hours: how long own mixing takes, h.
        people: how many work at it, whichever way.
        wage_per_hour: what an hour of one of them costs; 0 leaves work out.
        packs: bags or tubs that are sold.
        truck: a truck of ready-mix, where one comes.

    Returns:
        cost, hours, waste_m3 and number (of packs, m3 of a truck), each by the name of the way; cheapest.

    Raises:
        InputError: two packs of one name, or one named as another way is.
    """
    ways = {"own": (1.0, order_m3, own_hours, own_cost)}
    for index, pack in enumerate(packs):
        if pack.name in ways or pack.name == "truck":
            raise InputError(
                "same_name",
                f"packs has {pack.name} twice. Give each its own name.",
                [f"packs.{index}.name"],
            )
        number = whole_up(order_m3 * 1000 / pack.yield_l)
        made_m3 = number * pack.yield_l / 1000
        ways[pack.name] = (number, made_m3, number * pack.work_min / 60, number * pack.price)
    if truck:
        brought_m3 = max(whole_up(order_m3 / truck.step_m3) * truck.step_m3, truck.least_m3)
        price = brought_m3 * truck.price_per_m3 + truck.delivery
        ways["truck"] = (brought_m3, brought_m3, truck.work_min / 60, price)
    cost = {name: price + hours * people * wage_per_hour for name, (_, _, hours, price) in ways.items()}
    return ReadyMixed(
        cost=cost,
        hours={name: hours for name, (_, _, hours, _) in ways.items()},
        waste_m3={name: made_m3 - order_m3 for name, (_, made_m3, _, _) in ways.items()},
        number={name: number for name, (number, _, _, _) in ways.items()},
        cheapest=min(cost, key=cost.__getitem__),
    )
