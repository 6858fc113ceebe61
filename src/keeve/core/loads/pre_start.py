"""Known of a load before it is begun, and written down then: the water it will need, how its plaster sets."""

from typing import Annotated, Literal

from pydantic import Field

from keeve.core.rules.registry import Amount, Strict
from keeve.core.texts import Name

_Moisture = Annotated[float, Field(ge=-1, le=1)]


class ForecastReason(Strict):
    """Why so much water is expected, in figures; ``expected_water.in_words`` says it.

    Args:
        kind: that the last load took it; what changed the stockpile unseen; that it changed and nobody said so; how it
            has gone since it last changed; ``told``, that another moisture was typed than it had before.
        free_moisture_fraction: free moisture of the stockpile.
        before_fraction: what that was before.
        spread_fraction: how far it may be from that.
        loads: over how many loads it was seen.
        is_past_ceiling: whether the water it asks for is past the max.
        by_weather: whether the weather of the night was known.
    """

    kind: Literal[
        "last-load",
        "rain",
        "delivery",
        "night",
        "digging",
        "untold",
        "drying",
        "wetter",
        "steady",
        "seen-once",
        "told",
    ]
    free_moisture_fraction: _Moisture = 0.0
    before_fraction: _Moisture = 0.0
    spread_fraction: Amount = 0.0
    loads: Annotated[int, Field(ge=0, le=10_000)] = 0
    is_past_ceiling: bool = False
    by_weather: bool = False


class ExpectedWater(Strict):
    """The water a load is expected to need from the tap, L (see ``stockpile.forecast``).

    Args:
        stockpile: id of the material in it; empty where all of it comes dry and the last load is the guide.
        start_l: the start that is offered.
        about_l: the total it will probably need.
        low_l: low end of the 80 % band of that total.
        high_l: high end of it.
        last_total_l: total of the last load.
        free_moisture_fraction: free moisture of the stockpile.
        sd_fraction: standard deviation of that moisture.
        weighed: whether a pan was dried since the stockpile last changed.
        because: the reason.
    """

    stockpile: Name
    start_l: Amount
    about_l: Amount
    low_l: Amount
    high_l: Amount
    last_total_l: Amount | None
    free_moisture_fraction: _Moisture
    sd_fraction: Amount
    weighed: bool
    because: ForecastReason


class SettingHistory(Strict):
    """The setting of a plaster as the crew's own loads of it show it (see ``set_clock.learnt``).

    Args:
        age_factor: how much slower it sets than fresh powder is estimated to.
        spread_fraction: standard deviation of that, over itself.
        loads: how many loads say so.
        error_before_fraction: how far the first half of them was from what was expected then.
        error_lately_fraction: how far the last half was.
    """

    age_factor: Annotated[float, Field(gt=0, le=5)]
    spread_fraction: Amount
    loads: Annotated[int, Field(ge=1, le=10_000)]
    error_before_fraction: Amount
    error_lately_fraction: Amount
