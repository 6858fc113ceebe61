"""The mixes to choose from, as one looks for them: those used last, the crew's own, then by trade."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple, get_args

from sqlalchemy import Engine

from keeve.core.mixes import library
from keeve.core.mixes.model import Mix, Trade
from keeve.services import plans
from keeve.services.accounts import Visitor
from keeve.services.views.mixes import MixFigures, mix_figures

_MOST_USED_LAST = 3
_TRADES: tuple[Trade, ...] = get_args(Trade)


class MixChoice(NamedTuple):
    """A mix to choose: what it shows, and the words it is found by, in small letters."""

    mix: Mix
    figures: MixFigures
    found_by: str


class MixShelf(NamedTuple):
    """Mixes under a heading."""

    heading: str
    choices: Sequence[MixChoice]


def mix_shelves(engine: Engine, visitor: Visitor | None, mixes: Mapping[str, Mix]) -> list[MixShelf]:
    """Every mix once, on the first shelf it belongs on.

    Args:
        engine: the database.
        visitor: who chooses; None for a stranger, who has used none.
        mixes: those to choose from, by id.
    """
    used = plans.mixes_used_last(engine, visitor, _MOST_USED_LAST) if visitor else []
    left = {mix.id: mix for mix in mixes.values() if mix.id not in used}
    lots: dict[str, list[Mix]] = {
        "Used last": [mixes[name] for name in used if name in mixes],
        "Our own": [mix for mix in left.values() if mix.id not in library()],
        **{
            trade: [mix for mix in left.values() if mix.trade == trade and mix.id in library()]
            for trade in _TRADES
        },
    }
    return [MixShelf(heading, [_choice(mix) for mix in lot]) for heading, lot in lots.items() if lot]


def _choice(mix: Mix) -> MixChoice:
    words = [mix.name, mix.ratio, mix.trade or "", *mix.uses, *mix.known_as]
    return MixChoice(mix, mix_figures(mix), " ".join(words).casefold())
