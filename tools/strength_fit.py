"""``./keeve fit-strength``: fits the strength law to the open data and says how well it holds.

Cement alone, as plans show it, is fitted first and on its own specimens: those with slag and fly ash would bend it; at
28 days, where it is shown, each counts twice. The worth of slag and fly ash is fitted then, with the rest held.
Misses are taken over the spread, which grows with the strength. All is judged out of fold, ten folds drawn by mixture:
a mixture's other ages never help to predict it. The band's ends are the tenth and the ninetieth hundredth of what the
law misses, out of fold again, widened by how much more the concretes with two and with three kinds of binder miss on
average.
"""

import csv
import sys
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import yaml
from numpy.typing import NDArray

from keeve.core.planning.expected_strength import AGE_DAYS
from keeve.core.rules.strength import (
    LAW_FILE,
    SPREAD_POWER,
    Binders,
    Functions,
    StrengthLaw,
    band_ends,
    strength_mpa,
)
from keeve.launch.system import ROOT

DATA = ROOT / "tests" / "reference" / "concrete_mixtures.csv"
FOLDS = 10
_SEED = 1
# Where the fit begins; the band is measured, not fitted.
_BEGIN = StrengthLaw(
    base=130, slope=2.5, gain=0.3, gain_by_ratio=0.5, plasticised=0.05, slag=0.7, slag_rise=0.7, fly_ash=0.3,
    fly_ash_rise=1.5, low=0, high=0, two_binders=1, three_binders=1,
)  # fmt: skip
# How often the misses are weighed anew by the strength last fitted; a fit that begins near its end needs one.
_ROUNDS = 3
_BAND = (0.1, 0.9)

_HEADER = """\
# The strength law of the rule strength-band. Made by ./keeve fit-strength; do not edit.
# Fitted to {rows} laboratory strengths of {mixtures} concrete mixtures: I-C. Yeh, "Modeling of strength of
# high-performance concrete using artificial neural networks", Cement and Concrete Research 28 (1998) 1797-1808;
# UCI Machine Learning Repository, Concrete Compressive Strength, CC BY 4.0; the part described in tests/reference.
# Out of fold, {folds} folds by mixture: R2 {r2:.3f}, the 80 % band covers {coverage:.1%}.
"""


class Specimen(NamedTuple):
    """One row of the data."""

    contents: Binders
    mixture: tuple[float, ...]
    age_days: float
    seen_mpa: float

    @property
    def ratio(self) -> float:
        """Water over all binder."""
        return self.contents.water / self.contents.binder

    @property
    def is_shown(self) -> bool:
        """Whether it is of the sort plans show: cement alone, at 28 days."""
        return self.contents.kinds == 1 and self.age_days == AGE_DAYS


class Judged(NamedTuple):
    """A specimen and what a law that never saw its mixture says of it, MPa."""

    specimen: Specimen
    mpa: float
    low_mpa: float
    high_mpa: float


@dataclass(frozen=True)
class Class:
    """How the law holds, out of fold, for one sort of specimen.

    ``bias`` is what the law is high by, over the mean seen; ``below`` the share under the low end of its band.
    """

    name: str
    rows: int
    bias: float
    coverage: float
    below: float


@dataclass(frozen=True)
class Fit:
    """The law, and how well it holds out of fold."""

    law: StrengthLaw
    rows: int
    mixtures: int
    r2: float
    coverage: float
    classes: list[Class]


def read(data: Path = DATA) -> list[Specimen]:
    """The specimens of the data."""
    with data.open(encoding="utf-8") as file:
        rows = [[float(value) for value in row.values()] for row in csv.DictReader(file)]
    return [Specimen(Binders(*row[:5]), tuple(row[:7]), row[7], row[8]) for row in rows]


def fit(data: Path = DATA) -> Fit:
    """Fit the law to the data and judge it."""
    specimens = read(data)
    judged: list[Judged] = []
    for kept, held_out in _folds(specimens):
        law = fitted(kept)
        judged += [_judge(law, one) for one in held_out]
    seen = np.array([one.specimen.seen_mpa for one in judged])
    missed = seen - [one.mpa for one in judged]
    return Fit(
        law=fitted(specimens),
        rows=len(specimens),
        mixtures=len({specimen.mixture for specimen in specimens}),
        r2=float(1 - (missed**2).sum() / ((seen - seen.mean()) ** 2).sum()),
        coverage=_class("all", judged).coverage,
        classes=[
            _class(name, [one for one in judged if is_of(one.specimen)]) for name, is_of in _CLASSES.items()
        ],
    )


def _judge(law: StrengthLaw, specimen: Specimen) -> Judged:
    mpa = strength_mpa(law, specimen.contents, specimen.age_days)
    return Judged(specimen, mpa, *band_ends(law, specimen.contents, mpa))


def _folds(specimens: Sequence[Specimen]) -> Iterable[tuple[list[Specimen], list[Specimen]]]:
    """The kept and the held-out part, fold by fold: a mixture is held out as a whole."""
    mixtures = sorted({specimen.mixture for specimen in specimens})
    drawn = np.random.default_rng(_SEED).permutation(len(mixtures)) % FOLDS
    fold_of = dict(zip(mixtures, map(int, drawn), strict=True))
    for fold in range(FOLDS):
        yield (
            [one for one in specimens if fold_of[one.mixture] != fold],
            [one for one in specimens if fold_of[one.mixture] == fold],
        )


def fitted(specimens: Sequence[Specimen]) -> StrengthLaw:
    """The law fitted to these specimens, with its band."""
    law = _middle(_BEGIN, specimens, _ROUNDS)
    kinds: list[int] = []
    missed: list[float] = []
    for kept, held_out in _folds(specimens):
        kinds += [one.contents.kinds for one in held_out]
        without, table = _middle(law, kept, rounds=1), _table(held_out)
        missed += list((table.seen_mpa - _predicted(without, table)) / _spread(without, table))
    mean = {number: np.mean(np.abs(missed)[np.array(kinds) == number]) for number in (1, 2, 3)}
    wider = {number: float(mean[number] / mean[1]) for number in mean}
    low, high = np.quantile(np.array(missed) / [wider[number] for number in kinds], _BAND)
    band = {"low": float(low), "high": float(high), "two_binders": wider[2], "three_binders": wider[3]}
    return law.model_copy(update=band)


def _middle(begin: StrengthLaw, specimens: Sequence[Specimen], rounds: int) -> StrengthLaw:
    """The law without its band, stage by stage."""
    alone = [one for one in specimens if one.contents.kinds == 1]
    shown = [one for one in specimens if one.is_shown]
    others = [one for one in specimens if one.contents.kinds > 1]
    law = begin
    for names, described in (
        (("base", "slope", "gain", "gain_by_ratio", "plasticised"), [*alone, *shown]),
        (("slag", "slag_rise", "fly_ash", "fly_ash_rise"), others),
    ):
        for _ in range(rounds):
            law = _with_least_misses(law, names, described)
    return law


def _with_least_misses(law: StrengthLaw, names: Sequence[str], specimens: Sequence[Specimen]) -> StrengthLaw:
    from scipy.optimize import least_squares

    table = _table(specimens)
    spread = _spread(law, table)

    def misses(values: Iterable[float]) -> NDArray[np.float64]:
        return (table.seen_mpa - _predicted(_changed(law, names, values), table)) / spread

    return _changed(law, names, least_squares(misses, [getattr(law, name) for name in names]).x)


def _changed(law: StrengthLaw, names: Sequence[str], values: Iterable[float]) -> StrengthLaw:
    return law.model_copy(update=dict(zip(names, map(float, values), strict=True)))


class _Table(NamedTuple):
    """Specimens by their columns."""

    contents: Binders
    age_days: NDArray[np.float64]
    seen_mpa: NDArray[np.float64]


_FOR_MANY = Functions(np.exp, np.sqrt, np.minimum)


def _table(specimens: Sequence[Specimen]) -> _Table:
    masses: Any = np.array([one.contents for one in specimens]).T
    rest = np.array([(one.age_days, one.seen_mpa) for one in specimens]).T
    return _Table(Binders(*masses), *rest)


def _predicted(law: StrengthLaw, table: _Table) -> NDArray[np.float64]:
    found: NDArray[np.float64] = strength_mpa(law, table.contents, table.age_days, _FOR_MANY)
    return found


def _spread(law: StrengthLaw, table: _Table) -> NDArray[np.float64]:
    """How far strengths lie round the law, but for a factor."""
    found: NDArray[np.float64] = np.power(_predicted(law, table), SPREAD_POWER)
    return found


# The sorts of specimen the law is judged on: by age, by ratio, by binder, and where plans show it.
_CLASSES: dict[str, Callable[[Specimen], bool]] = {
    "1 to 6 days": lambda one: one.age_days < 7,
    "7 days": lambda one: one.age_days == 7,
    "14 days": lambda one: 7 < one.age_days < 28,
    "28 days": lambda one: one.age_days == 28,
    "over 28 days": lambda one: one.age_days > 28,
    "ratio under 0.4": lambda one: one.ratio < 0.4,
    "ratio 0.4 to 0.5": lambda one: 0.4 <= one.ratio < 0.5,
    "ratio 0.5 to 0.6": lambda one: 0.5 <= one.ratio < 0.6,
    "ratio from 0.6": lambda one: one.ratio >= 0.6,
    "cement alone": lambda one: one.contents.kinds == 1,
    "with slag": lambda one: one.contents.slag > 0 and not one.contents.fly_ash,
    "with fly ash": lambda one: one.contents.fly_ash > 0 and not one.contents.slag,
    "with both": lambda one: one.contents.kinds == 3,
    "plasticised": lambda one: one.contents.superplasticizer > 0,
    "not plasticised": lambda one: not one.contents.superplasticizer,
    "cement alone, 28 days": lambda one: one.is_shown,
}


def _class(name: str, judged: Sequence[Judged]) -> Class:
    seen = np.array([one.specimen.seen_mpa for one in judged])
    middle, low, high = (np.array(column) for column in zip(*(one[1:] for one in judged), strict=True))
    return Class(
        name=name,
        rows=len(judged),
        bias=float(middle.mean() / seen.mean() - 1),
        coverage=float(((low <= seen) & (seen <= high)).mean()),
        below=float((seen < low).mean()),
    )


def fit_strength(*, write: bool) -> int:
    """Print law, coefficients, R2, and bias and coverage by class; write the law's file where asked to."""
    found = fit()
    print("strength = base · exp(−slope · (1 − plasticised) · r + gain of r · h) · counted / binder")
    print("r = water / binder,  gain of r = gain + gain_by_ratio · (r − 0.5),  h = 1 − √(28 / age)")
    print("counted = cement + k_slag · slag + k_fly_ash · fly ash,  k = min(at 28 days · exp(rise · h), 1)")
    for name, value in found.law.model_dump().items():
        print(f"{name:14} {value:8.4f}")
    print(f"{found.rows} strengths of {found.mixtures} mixtures, {FOLDS} folds by mixture, out of fold:")
    print(f"R2 {found.r2:.3f}   80 % band covers {found.coverage:.1%}")
    print(f"{'':22} {'rows':>5} {'bias':>7} {'covered':>8} {'below':>6}")
    for one in found.classes:
        print(f"{one.name:22} {one.rows:5} {one.bias:+7.1%} {one.coverage:8.1%} {one.below:6.1%}")
    if write:
        heading = _HEADER.format(folds=FOLDS, **vars(found))
        figures = {name: round(value, 4) for name, value in found.law.model_dump().items()}
        LAW_FILE.write_text(heading + yaml.safe_dump(figures, sort_keys=False), encoding="utf-8")
        print(f"wrote {LAW_FILE.relative_to(ROOT)}")
    return 0


if __name__ == "__main__":
    sys.exit(fit_strength(write="--write" in sys.argv[1:]))
