"""``./keeve fit-strength``: fits the strength law to the open data and says how well it holds.

Fitted by least squares in MPa, all mixtures alike. It is judged out of fold, ten folds drawn by mixture: a mixture's
other ages never help to foretell it. The band is the tenth and the ninetieth hundredth of what the law misses,
over the root of the strength, and is judged out of fold as well.
"""

import csv
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import yaml
from numpy.typing import NDArray

from keeve.core.rules.strength import LAW_FILE, StrengthLaw, strength_mpa
from keeve.launch.system import ROOT

DATA = ROOT / "tests" / "reference" / "concrete_mixtures.csv"
FOLDS = 10
_SEED = 1
_COEFFICIENTS = [name for name in StrengthLaw.model_fields if name not in ("low", "high")]
_BEGIN = (100.0, 2.0, 0.3, 0.8, 0.2, 0.4, 0.2)
_BAND = (0.1, 0.9)

_HEADER = """\
# The strength law of the rule strength-band. Made by ./keeve fit-strength; do not edit.
# Fitted to {rows} laboratory strengths of {mixtures} concrete mixtures: I-C. Yeh, "Modeling of strength of
# high-performance concrete using artificial neural networks", Cement and Concrete Research 28 (1998) 1797-1808;
# UCI Machine Learning Repository, Concrete Compressive Strength, CC BY 4.0; the part described in tests/reference.
# Out of fold, {folds} folds by mixture: R2 {r2:.3f}, the 80 % band covers {coverage:.1%}.
"""

Numbers = NDArray[np.float64]


@dataclass(frozen=True)
class Fit:
    """The law, and how well it holds out of fold."""

    law: StrengthLaw
    rows: int
    mixtures: int
    r2: float
    coverage: float


def fit(data: Path = DATA) -> Fit:
    """Fit the law to the data and judge it."""
    with data.open(encoding="utf-8") as file:
        rows = [[float(value) for value in row.values()] for row in csv.DictReader(file)]
    table = np.array(rows)
    mixtures, mixture_of = np.unique(table[:, :7], axis=0, return_inverse=True)
    fold_of = np.random.default_rng(_SEED).permutation(len(mixtures)) % FOLDS
    fold = fold_of[mixture_of.ravel()]
    predicted, low, high = np.empty(len(table)), np.empty(len(table)), np.empty(len(table))
    for number in range(FOLDS):
        held_out = fold == number
        law = _fitted(table[~held_out])
        middle = _predicted(law, table[held_out])
        predicted[held_out] = middle
        low[held_out] = middle + law.low * np.sqrt(middle)
        high[held_out] = middle + law.high * np.sqrt(middle)
    seen = table[:, -1]
    return Fit(
        law=_fitted(table),
        rows=len(table),
        mixtures=len(mixtures),
        r2=float(1 - ((seen - predicted) ** 2).sum() / ((seen - seen.mean()) ** 2).sum()),
        coverage=float(((low <= seen) & (seen <= high)).mean()),
    )


def _fitted(table: Numbers) -> StrengthLaw:
    from scipy.optimize import least_squares

    def misses(values: Numbers) -> Numbers:
        return _predicted(_law(values), table) - table[:, -1]

    law = _law(least_squares(misses, _BEGIN).x)
    middle = _predicted(law, table)
    low, high = np.quantile((table[:, -1] - middle) / np.sqrt(middle), _BAND)
    return law.model_copy(update={"low": float(low), "high": float(high)})


def _law(values: Any) -> StrengthLaw:
    return StrengthLaw(**dict(zip(_COEFFICIENTS, map(float, values), strict=True)), low=0.0, high=0.0)


def _predicted(law: StrengthLaw, table: Numbers) -> Numbers:
    cement, slag, fly_ash, water, _, _, _, age, *_ = table.T
    return np.array([strength_mpa(law, *row) for row in zip(cement, slag, fly_ash, water, age, strict=True)])


def fit_strength(*, write: bool) -> int:
    """Print law, coefficients, R2 and coverage; write the law's file where asked to."""
    found = fit()
    print("strength = base · exp(−slope · water / binder) · exp(gain · h),  h = 1 − √(28 / age)")
    print("binder = cement + k_slag · slag + k_fly_ash · fly ash,  k = min(at 28 days · exp(rise · h), 1)")
    for name, value in found.law.model_dump().items():
        print(f"{name:14} {value:8.4f}")
    print(f"{found.rows} strengths of {found.mixtures} mixtures, {FOLDS} folds by mixture, out of fold:")
    print(f"R2 {found.r2:.3f}   80 % band covers {found.coverage:.1%}")
    if write:
        heading = _HEADER.format(folds=FOLDS, **vars(found))
        figures = {name: round(value, 4) for name, value in found.law.model_dump().items()}
        LAW_FILE.write_text(heading + yaml.safe_dump(figures, sort_keys=False), encoding="utf-8")
        print(f"wrote {LAW_FILE.relative_to(ROOT)}")
    return 0
