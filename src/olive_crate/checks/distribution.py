"""Questions about a variable's values that some of them answer for most variables.

Quartiles, and whether all values differ, cost a sort of the whole variable. Values drawn at random
show for most variables that there is nothing to find; only where they leave it open are all values
looked at. So what is found is always that of all values; what is not found may, with a chance of
1 in 100 million, have been passed over.
"""

from __future__ import annotations

import math

import numpy as np
import pyarrow as pa

from ..kernels.types import Ints
from .row_hashes import GOLDEN, mixed

DRAWN = 20_000
"""Values that are drawn from more than twice as many."""
OFTEN = 0.8
"""Below this share of different values among them, a variable has not 95 % different ones."""
CHANCE = 1e-8
"""How likely it is at most that what is drawn misleads."""


def drawn(values: np.ndarray) -> np.ndarray:
    """Some of the values, from all over the variable; the same ones each time."""
    return values if len(values) <= 2 * DRAWN else values[_places(len(values))]


def _places(count: int) -> Ints:
    """Different places among so many, at random: a pattern in the order of cases cannot hide."""
    steps = np.arange(1, DRAWN + 1, dtype=np.uint64)
    return np.unique(mixed(steps * GOLDEN) % np.uint64(count)).astype(np.int64)


def repeats_often(values: pa.Array) -> bool:
    """Do values repeat so often that there is no need to compare them all?"""
    if len(values) <= 2 * DRAWN:
        return False
    some = values.take(pa.array(_places(len(values))))
    return len(some.unique()) < OFTEN * len(some)


def surely_near(values: np.ndarray, low: float, high: float, far: float) -> bool:
    """Does no value lie so many distances between the quartiles beyond them?

    Shares among n values that are drawn differ from those among all by no more than `margin`, but
    for a chance of exp(-2 n margin^2) each way: W. Hoeffding, "Probability inequalities for sums of
    bounded random variables", J. Am. Stat. Assoc. 58 (1963), theorem 1 and section 6.
    """
    if len(values) <= 2 * DRAWN:
        return False
    some = drawn(values)
    margin = math.sqrt(math.log(2 / CHANCE) / (2 * len(some)))
    if margin >= 0.25:
        return False
    lower, upper = np.quantile(some, (0.25 + margin, 0.75 - margin))
    reach = far * (upper - lower)
    return bool(low >= lower - reach and high <= upper + reach)


def different(values: np.ndarray) -> int:
    """How many values differ."""
    ordered = np.sort(values)
    return int(1 + np.count_nonzero(ordered[1:] != ordered[:-1])) if len(ordered) else 0
