"""What a column of numbers or reasons holds."""

from __future__ import annotations

import numpy as np

from ..types import Bytes, Extremes, Ints


def tally(reasons: Bytes) -> Ints:
    """How often each of the 256 reasons comes."""
    return np.bincount(reasons, minlength=256)


def extremes(values: np.ndarray, reasons: Bytes | None, looks: np.ndarray) -> Extremes:
    """The smallest and the largest of the numbers that have no reason and are none of `looks`.

    Those of `looks` that lie beyond both are counted.
    """
    rest = values if reasons is None else values[reasons == 0]
    usual = rest[~np.isin(rest, looks)]
    low, high = float("inf"), float("-inf")
    if len(usual):
        low, high = float(usual.min()), float(usual.max())
    beyond = looks[(looks < low) | (looks > high)].tolist()
    counts = {look: int(np.count_nonzero(rest == look)) for look in beyond}
    return Extremes(low, high, len(rest), {look: count for look, count in counts.items() if count})
