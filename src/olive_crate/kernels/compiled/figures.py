"""What a column of numbers or reasons holds, in one pass."""

from __future__ import annotations

import numpy as np

from ..types import Bytes, Extremes, Ints
from . import _native
from .cells import NO_REASONS


def tally(reasons: Bytes) -> Ints:
    """As in the reference."""
    counts = np.zeros(256, np.int64)
    _native.tally(np.ascontiguousarray(reasons), counts)
    return counts


def extremes(values: np.ndarray, reasons: Bytes | None, looks: np.ndarray) -> Extremes:
    """As in the reference."""
    counts = np.zeros(len(looks), np.int64)
    why = NO_REASONS if reasons is None else np.ascontiguousarray(reasons)
    whole = values.dtype == np.int64
    given = (np.ascontiguousarray(values), whole, why, looks, counts)
    low, high, seen = _native.extremes(*given)
    hit = np.flatnonzero(counts)
    met = dict(zip(looks[hit].tolist(), counts[hit].tolist(), strict=True))
    return Extremes(low, high, seen, met)
