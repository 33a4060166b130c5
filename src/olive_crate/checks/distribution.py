"""Questions about a variable's values that some of them answer for most variables.

What is drawn at random shows for most variables that there is nothing to find; only where it leaves
a question open are all values looked at. A pattern in the order of the cases cannot hide from it.
"""

from __future__ import annotations

import functools

import numpy as np
import pyarrow as pa

from .. import kernels
from ..kernels.types import Ints
from .row_hashes import GOLDEN, mixed

DRAWN = 20_000
"""Values that are drawn from more than twice as many."""
OFTEN = 0.8
"""Below this share of different values among them, a variable has not 95 % different ones."""


def drawn(values: np.ndarray) -> np.ndarray:
    """Some of the values, from all over the variable; the same ones each time."""
    return values if len(values) <= 2 * DRAWN else values[_places(len(values))]


@functools.lru_cache(256)
def _places(count: int) -> Ints:
    """Different places among so many, at random: a pattern in the order of cases cannot hide."""
    steps = np.arange(1, DRAWN + 1, dtype=np.uint64)
    return np.unique(mixed(steps * GOLDEN) % np.uint64(count)).astype(np.int64)


def repeats_often(values: pa.Array) -> bool:
    """Do values repeat so often that there is no need to compare them all?"""
    if len(values) <= 2 * DRAWN:
        return False
    some = values.take(kernels.whole_numbers(_places(len(values))))
    return len(some.unique()) < OFTEN * len(some)


def different(values: np.ndarray) -> int:
    """How many values differ."""
    ordered = np.sort(values)
    return int(1 + np.count_nonzero(ordered[1:] != ordered[:-1])) if len(ordered) else 0
