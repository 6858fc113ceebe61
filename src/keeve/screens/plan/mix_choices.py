"""The mixes to choose from, on shelves: favourites, used last, the crew's own, by trade; or those that fit."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import NamedTuple, get_args

from keeve.core.mixes import library
from keeve.core.mixes.find import Against, fits
from keeve.core.mixes.model import Mix, Sort, Trade, Use
from keeve.core.texts import counted
from keeve.figures.terms import TRADE_NAMES
from keeve.screens.mixes.view import MixFigures, mix_figures

_TRADES: tuple[Trade, ...] = get_args(Trade)


class MixChoice(NamedTuple):
    """A mix to choose: what it shows, and what speaks against it."""

    mix: Mix
    figures: MixFigures
    against: Sequence[Against] = ()


class MixShelf(NamedTuple):
    """Mixes under a heading."""

    heading: str
    choices: Sequence[MixChoice]


def mix_shelves(mixes: Mapping[str, Mix], wanted: Sequence[str], used: Sequence[str]) -> list[MixShelf]:
    """Every mix once, on the first shelf it belongs on.

    Args:
        mixes: those to choose from, by id.
        wanted: the ids of the favourites of whoever chooses.
        used: the ids of those the crew planned with last, the newest first.
    """
    used = [name for name in used if name not in wanted]
    left = {mix.id: mix for mix in mixes.values() if mix.id not in (*wanted, *used)}
    lots: dict[str, list[Mix]] = {
        "Favourites": [mixes[name] for name in wanted if name in mixes],
        "Recent": [mixes[name] for name in used if name in mixes],
        "Our own": [mix for mix in left.values() if mix.id not in library()],
        **{
            TRADE_NAMES.get(trade, trade): [
                mix for mix in left.values() if mix.trade == trade and mix.id in library()
            ]
            for trade in _TRADES
        },
    }
    return [MixShelf(heading, [_choice(mix) for mix in lot]) for heading, lot in lots.items() if lot]


def mixes_that_fit(
    mixes: Iterable[Mix], use: Use | None, thickness_mm: float | None, on_hand: Collection[Sort]
) -> list[MixShelf]:
    """Those mixes that fit what is asked, then those that do not, with why not.

    Args:
        mixes: those to choose from.
        use: what it is for; None for any use.
        thickness_mm: of one layer; None for any.
        on_hand: the sorts of material there are; empty where that does not matter.
    """
    found = fits(mixes, use, thickness_mm, on_hand)
    good = [_choice(fit.mix) for fit in found if not fit.against]
    others = [_choice(fit.mix, fit.against) for fit in found if fit.against]
    count = counted(len(good), "mix fits", "mixes fit")
    return [MixShelf(count, good), *([MixShelf("Don't fit", others)] if others else [])]


def _choice(mix: Mix, against: Sequence[Against] = ()) -> MixChoice:
    return MixChoice(mix, mix_figures(mix), against)
