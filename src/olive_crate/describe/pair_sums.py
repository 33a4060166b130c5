"""Sums for each pair of variables over the cases that have both, and the figures they give."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

SHIFTED = 0.9
"""The share of a variable's squares beyond which they are mostly due to a mean that is not its."""
NO_VARIATION = 1e-14
"""The share of the squares below which what is left of them is an error of rounding."""


class PairSums(NamedTuple):
    """Sums of deviations from a number near each variable's mean, shaped (variables, variables).

    `sums` and `squares` are of the first variable of a pair.
    """

    n: np.ndarray
    products: np.ndarray
    sums: np.ndarray
    squares: np.ndarray

    def covariances(self) -> np.ndarray:
        """Sample covariances; NaN for fewer than two cases, and beyond binary64."""
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            made = (self.products - self.sums * self.sums.T / self.n) / (self.n - 1)
        return np.where((self.n < 2) | ~np.isfinite(made), np.nan, made)

    def correlations(self) -> np.ndarray:
        """Product-moment correlations; NaN for fewer than two cases, and for no variation."""
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            own = self.squares - self.sums * self.sums / self.n
            own = np.where(own <= NO_VARIATION * self.squares, 0.0, own)
            made = (self.products - self.sums * self.sums.T / self.n) / np.sqrt(own * own.T)
        made[(self.n < 2) | ~np.isfinite(made)] = np.nan
        return np.asarray(np.clip(made, -1.0, 1.0))

    def shifted(self) -> np.ndarray:
        """The pairs in which much cancels, for want of deviations from their very cases' means."""
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            far = self.sums * self.sums / self.n > SHIFTED * self.squares
        return np.asarray((far | far.T) & (self.n > 1))
