"""Levels of measurement, suggested from the first block of a variable. They are never applied.

The four levels are those of S. S. Stevens, "On the theory of scales of measurement", Science 103
(1946) 677-680.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from ..kernels.reference import Flags
from .suspects import plain_numbers

FEW = 12
ENOUGH = 20


def suggested(kind: str, values: pa.Array, present: Flags | None) -> str:
    """A level and why, as `level: why`; empty where nothing can be said."""
    count = len(values) - values.null_count
    if count < ENOUGH:
        return ""
    if kind in ("text", "category", "boolean"):
        return _of_words(kind, values, count)
    if kind in ("date", "time", "datetime"):
        return "interval: points in time"
    if kind == "duration":
        return "ratio: lengths of time"
    numbers = plain_numbers(values, present)
    low, high = float(numbers.min()), float(numbers.max())
    if kind == "integer":
        if np.diff(np.sort(numbers)).all():
            return f"nominal: the first {count:,} values all differ, like an identifier"
        if high - low < FEW:
            return f"ordinal: whole numbers from {low:g} to {high:g} only"
    return "ratio: numbers from zero up" if low >= 0 else "interval: numbers below zero too"


def _of_words(kind: str, values: pa.Array, count: int) -> str:
    if kind == "boolean":
        return "nominal: true or false"
    distinct = len({value for value in values.to_pylist() if value is not None})
    if distinct == count:
        return f"nominal: the first {count:,} texts all differ, like an identifier"
    if distinct <= FEW:
        return f"nominal: {distinct} different texts"
    return ""
