"""What the yard shows: the stockpiles with their history, and what the crew owns."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Engine

from keeve.core.mixes import materials
from keeve.core.stockpile.events import FEELS, Feel
from keeve.data import stockpiles, yard
from keeve.data.accounts import Visitor
from keeve.data.yard import Kept
from keeve.devices.weather import Weather
from keeve.screens.our_kit.stockpile import StockpileLine, stockpile_history


@dataclass(frozen=True)
class YardPage:
    """The yard: its stockpiles, the moisture of each feel."""

    stockpiles: Sequence[StockpileLine]
    feels: Mapping[Feel, float]


def yard_page(engine: Engine, visitor: Visitor, now: datetime, weather: Weather | None = None) -> YardPage:
    """The stockpiles of the crew's yard."""
    return YardPage(
        stockpiles=[
            StockpileLine(stockpile, stockpile_history(stockpile))
            for stockpile in stockpiles.stockpiles_of(engine, visitor, now, weather)
        ],
        feels=FEELS,
    )


@dataclass(frozen=True)
class KitPage:
    """What the crew owns, and the name of each material."""

    own: Sequence[Kept]
    material_names: Mapping[str, str]


def kit_page(engine: Engine, visitor: Visitor) -> KitPage:
    """What the crew owns."""
    return KitPage(
        own=yard.yard_of(engine, visitor),
        material_names={name: material.name for name, material in materials().items()},
    )
