"""Questions about a variable's values that some of them answer for most variables.

Quartiles, and whether all values differ, cost a sort of the whole variable. Values taken at equal
distances show for most variables that there is nothing to find; only where they leave it open are
all values looked at. So the answer is that of all values.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa

GLANCED = 20_000
"""Values that are taken at equal distances."""
OFTEN = 0.8
"""Below this share of different values among them, a variable has not 95 % different ones."""
SAFE = 0.8
"""The part of a distance that counts as surely too short, although quartiles are from a glance."""


def glance(values: np.ndarray) -> np.ndarray:
    """Some of the values, from all over the variable."""
    return values[:: max(1, len(values) // GLANCED)]


def repeats_often(values: pa.Array) -> bool:
    """Do values repeat so often that there is no need to compare them all?"""
    if len(values) <= 2 * GLANCED:
        return False
    step = len(values) // GLANCED
    some = values.take(pa.array(np.arange(0, len(values), step)))
    return len(some.unique()) < OFTEN * len(some)


def surely_near(values: np.ndarray, low: float, high: float, far: float) -> bool:
    """Does no value lie so many distances between the quartiles beyond them?"""
    if len(values) <= 2 * GLANCED:
        return False
    lower, upper = np.quantile(glance(values), (0.25, 0.75))
    reach = SAFE * far * (upper - lower)
    return bool(low >= lower - reach and high <= upper + reach)


def different(values: np.ndarray) -> int:
    """How many values differ."""
    ordered = np.sort(values)
    return int(1 + np.count_nonzero(ordered[1:] != ordered[:-1])) if len(ordered) else 0
