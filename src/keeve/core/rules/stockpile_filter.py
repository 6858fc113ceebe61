"""The filters that follow a stockpile for the rule ``next-water``.

A Kalman filter follows the stockpile's free moisture, its drift per load, and how much too wet or too dry the mixer's
eye likes it; only what is measured tells that last one apart from the sand. How sharp the eye is, how much the sand
varies from load to load, how fast it changes and how true the eye is are unknown, so a filter runs for each guess at
them, weighted by how well it predicted what was seen. After every sight each filter stands in three branches: all went
as usual, the stockpile changed before it (rain nobody told of), or the sight was a slip. Which of them holds shows
with the next sight: only then are the branches drawn together into one.
"""

import math
from itertools import product
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.float64]

# What the filters begin with: free moisture and its sd, drift per load. Common practice, no source.
MOISTURE, MOISTURE_SD = 0.05, 0.03
_DRIFT = -0.0005
# The unknowns with their prior chances, tuned on simulated days (tests/stockpile_days.py): scatter of single loads; the
# eye beside the usual one; how the drift differs from the usual, how it changes from load to load, and how the moisture
# does beside it; how far the eye is from true, over the wanted water.
_SCATTERS = ((0.001, 0.65), (0.016, 0.35))
_EYES = ((0.12, 0.18), (0.45, 0.33), (0.9, 0.34), (1.75, 0.15))
_WAYS = ((0.0008, 0.0, 0.0003, 0.80), (0.0035, 0.0003, 0.0005, 0.17), (0.0008, 0.0, 0.006, 0.03))
_LIKINGS = ((0.006, 0.82), (0.05, 0.18))
# What may have come before a sight: all as usual, a change of the stockpile, a slip. The chance of each, what it adds
# to the moisture, to the covariance of the filters, and to the variance of the sight.
_CHANCES = np.log([0.982, 0.006, 0.012])
_SHIFTS = np.array([[0.0, 0.0, 0.0], [0.01, 0.0, 0.0], [0.0, 0.0, 0.0]])
_UNSURE = np.zeros((3, 3, 3))
_UNSURE[1, 0, 0] = 0.025**2
_BLURS = np.array([0.0, 0.0, 0.063**2])
# How the drift of one day differs from that of the day before, sd.
_DAY_SD = 0.0005
# Filters that hardly count, and how finely an end of the band is sought.
_HARDLY, _HALVINGS = 1e-3, 14
_erf = np.vectorize(math.erf, otypes=[float])


class Chances(NamedTuple):
    """The chances of what a sight was: as usual, after a change of the stockpile, a slip."""

    usual: float
    changed: float
    slipped: float


class StockpileFilter:
    """All filters of a stockpile side by side, first by guess, then by branch."""

    def __init__(self) -> None:
        guesses = np.array(
            [
                (scatter, eye, drift_sd, drift_change, change, liking, p * q * r * s)
                for (scatter, p), (eye, q), (drift_sd, drift_change, change, r), (liking, s) in product(
                    _SCATTERS, _EYES, _WAYS, _LIKINGS
                )
            ]
        )
        self._scatter, self._eye, drift_sd, drift_change, change, liking, chance = guesses.T
        self._state = np.tile([MOISTURE, _DRIFT, 0.0], (len(guesses), 1, 1))
        self._spread = np.zeros((len(guesses), 1, 3, 3))
        self._spread[:, 0, range(3), range(3)] = np.stack(
            [np.full(len(guesses), MOISTURE_SD**2), drift_sd**2, liking**2], axis=1
        )
        self._log_weight = np.log(chance)[:, None]
        self._growth = np.zeros((len(guesses), 1, 3, 3))
        self._growth[:, 0, 0, 0], self._growth[:, 0, 1, 1] = change**2, drift_change**2

    def pass_load(self) -> None:
        """One load on."""
        self._state[..., 0] += self._state[..., 1]
        self._spread[..., 0, :] += self._spread[..., 1, :]
        self._spread[..., :, 0] += self._spread[..., :, 1]
        self._spread += self._growth

    def unsettle(self) -> None:
        """Rain, a delivery, a night, another part: the moisture is uncertain again. How fast it dries stays learnt."""
        self._spread[..., 0, 0] += MOISTURE_SD**2
        self._spread[..., 0, 1:] = self._spread[..., 1:, 0] = 0.0
        self._spread[..., 1, 1] += _DAY_SD**2

    def shift(self, by: float) -> None:
        """The moisture changed by about so much; how unsure it is stays."""
        self._state[..., 0] += by

    def see(self, moisture: float, sd: float, by_eye_of: float | None) -> tuple[Chances, Chances]:
        """Take a sight of the moisture.

        Args:
            moisture: the free moisture that was seen.
            sd: its standard deviation, by a usual eye.
            by_eye_of: wanted water over aggregate where it was judged by eye; None where it was measured.

        Returns:
            What the sight before probably was, now that this one is known, and what this one probably was.
        """
        liking = by_eye_of or 0.0
        blurred = (sd * (self._eye if by_eye_of is not None else 1.0)) ** 2 + self._scatter**2
        state = self._state[:, :, None] + _SHIFTS
        spread = self._spread[:, :, None] + _UNSURE
        # A mix that is liked wet has taken more water, as if the sand were drier.
        miss = moisture - state[..., 0] + liking * state[..., 2]
        moved = spread[..., 0] - liking * spread[..., 2]
        total = moved[..., 0] - liking * moved[..., 2] + blurred[:, None, None] + _BLURS
        gain = moved / total[..., None]
        state += gain * miss[..., None]
        spread -= gain[..., :, None] * moved[..., None, :]
        log_weight = self._log_weight[:, :, None] + _CHANCES - 0.5 * (np.log(total) + miss**2 / total)
        weight = np.exp(log_weight - log_weight.max())
        weight /= weight.sum()
        self._draw_together(state, spread, log_weight)
        before = weight.sum(axis=(0, 2)) if weight.shape[1] > 1 else (1.0, 0.0, 0.0)
        return Chances(*map(float, before)), Chances(*map(float, weight.sum(axis=(0, 1))))

    def _draw_together(self, state: Numbers, spread: Numbers, log_weight: Numbers) -> None:
        """Draw the branches of the sight before together, by their mean and covariance."""
        highest = log_weight.max(axis=1, keepdims=True)
        weight = np.exp(log_weight - highest)
        whole = weight.sum(axis=1, keepdims=True)
        weight /= whole
        mean = (weight[..., None] * state).sum(axis=1)
        apart = state - mean[:, None]
        both = spread + apart[..., :, None] * apart[..., None, :]
        self._state = mean
        self._spread = (weight[..., None, None] * both).sum(axis=1)
        self._log_weight = (highest + np.log(whole))[:, 0]

    def predict(self) -> "Predicted":
        """The free moisture of the next load, over all filters."""
        weight = np.exp(self._log_weight - self._log_weight.max()).ravel()
        weight /= weight.sum()
        means = self._state[..., 0].ravel()
        variances = (self._spread[..., 0, 0] + self._scatter[:, None] ** 2).ravel()
        mean = float(weight @ means)
        return Predicted(
            mean, math.sqrt(weight @ (variances + (means - mean) ** 2)), weight, means, variances
        )


class Predicted(NamedTuple):
    """The free moisture of the next load: its mean and sd, and the weight, mean and variance of each filter."""

    mean: float
    sd: float
    weight: Numbers
    means: Numbers
    variances: Numbers

    def below(self, share: float) -> float:
        """The moisture under which it lies with that chance."""
        counts = self.weight > _HARDLY
        weight, means, spans = self.weight[counts], self.means[counts], np.sqrt(2 * self.variances[counts])
        wanted = (2 * share - 1) * weight.sum()
        low, high = self.mean - 8 * self.sd, self.mean + 8 * self.sd
        for _ in range(_HALVINGS):
            middle = (low + high) / 2
            low, high = (middle, high) if weight @ _erf((middle - means) / spans) < wanted else (low, middle)
        return (low + high) / 2
