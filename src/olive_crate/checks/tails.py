"""How far is far? Distances in units of a distribution's own tail.

The values beyond the outer twentieth exceed it by some mean; an exponential tail goes on at that
rate for ever (J. Pickands, "Statistical inference using extreme order statistics", Annals of
Statistics 3 (1975) 119-131, for tails over a threshold). A gap of g such units is met by chance
once in e^g. Positive values have to be far in their logarithms as well, so that a skewed
distribution is held against its own kind of tail.
"""

from __future__ import annotations

import numpy as np

from ..kernels.types import Flags
from .distribution import drawn

ENOUGH = 30
"""Fewer values show no tail."""
OUTER, TAIL = 0.05, 12
"""The share of values at each end that make its tail, and how many it takes at least."""
FAR = 8.0
"""Units of the tail that have to lie between a value and the others: e^-8 is 1 in 3,000."""
NEAR = 6.0
"""Enough where something else speaks for a slip: a tenth of it would be usual."""
ZEROS = 0.1
"""Where this share of the values are zero, they are apart from the distribution of the others."""
WIDE = 0.75
"""Distances between the quartiles that a value has to lie beyond the others, in any case."""
SIGNED = 1.5
"""So much farther it has to be where there are no logarithms to ask."""
FEW = 0.01
"""The share of values that may be far; more are a part of the distribution."""


def far_values(values: np.ndarray, units: float = FAR, amounts: bool = True) -> Flags:
    """Which values lie so far beyond the others; `amounts` have a zero that means something."""
    far = np.zeros(len(values), bool)
    if len(values) < ENOUGH:
        return far
    zeros = values == 0
    if amounts and ZEROS < zeros.mean() < 1:  # amounts and counts that often are none
        far[~zeros] = far_values(values[~zeros], units)
        middle = float(np.median(values[~zeros]))
        return far & (values > max(middle, 0.0) if middle > 0 else values < middle)
    positive = values > 0
    signed = not amounts or positive.mean() <= 0.9
    low, high = _cuts(values, units * SIGNED if signed else units)
    quarter, three = np.quantile(drawn(values), (0.25, 0.75))
    gap = WIDE * (three - quarter)
    far = np.asarray((values < low - gap) | (values > high + gap))
    if far.any() and not signed:
        far &= (values > 0) | (values < _cuts(values, units * SIGNED)[0])
        logs = np.log(values[positive].astype(np.float64))
        low, high = _cuts(logs, units)
        far[positive] &= (logs < low) | (logs > high)
    return far


def low_in_logarithms(values: np.ndarray, units: float = NEAR) -> Flags:
    """Which positive values are far below the others by their logarithms alone."""
    positive = values > 0
    far = np.zeros(len(values), bool)
    if np.count_nonzero(positive) < ENOUGH:
        return far
    logs = np.log(values[positive].astype(np.float64))
    far[positive] = logs < _cuts(logs, units)[0]
    return far


def _cuts(values: np.ndarray, units: float) -> tuple[float, float]:
    """Below the first and above the second a value is far from the rest."""
    some = np.sort(drawn(values))
    step = _resolution(some)
    return -_cut(-values, -some[::-1], units, step), _cut(values, some, units, step)


def _resolution(ordered: np.ndarray) -> float:
    """How far apart values that differ lie at least."""
    steps = np.diff(ordered)
    steps = steps[steps > 0]
    return float(np.quantile(steps, 0.1)) if len(steps) else 0.0


def _cut(values: np.ndarray, some: np.ndarray, units: float, step: float) -> float:
    """Where the values end that belong together, seen from below."""
    count = len(values)
    outer = max(OUTER, TAIL / count)
    start = some[int((1 - 1.5 * outer) * len(some))]
    if some[-1] <= start and len(some) == count:
        return np.inf
    tail = np.sort(values[values > start].astype(np.float64))
    outside = np.arange(1, min(max(3, int(FEW * count)), len(tail) - 1) + 1)
    if not len(outside) or len(outside) >= count - ENOUGH + 3:
        return np.inf
    inside = len(tail) - outside
    gaps = tail[inside] - tail[inside - 1]
    before = np.concatenate(([0.0], np.cumsum(tail - start)))
    first = np.maximum(inside - np.ceil(outer * (count - outside)).astype(np.int64), 0)
    many = np.maximum(inside - first, 1)
    excess = (before[inside] - before[first]) / many - (tail[first] - start)
    hit = np.flatnonzero(gaps > units * np.maximum(excess, step))
    return float(tail[inside[hit[-1]] - 1]) if len(hit) else np.inf
