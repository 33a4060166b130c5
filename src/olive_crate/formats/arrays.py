"""Datasets as NumPy arrays."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..dataset.model import PlainDataset


def record_array(dataset: PlainDataset) -> np.ndarray:
    """All variables as one structured array, shaped (rows,), with a field for each variable."""
    arrays = {name: dataset[name].to_numpy() for name in dataset.names}
    made: Any = np.empty(dataset.rows, [(name, each.dtype) for name, each in arrays.items()])
    for name, each in arrays.items():
        made[name] = each
    return np.asarray(made)


def matrix(dataset: PlainDataset) -> np.ndarray:
    """All variables as a plain array, shaped (rows, variables); numbers alone make it float64."""
    arrays = [dataset[name].to_numpy() for name in dataset.names]
    if not arrays:
        return np.empty((dataset.rows, 0))
    numeric = all(each.dtype.kind in "fib" for each in arrays)
    made = np.empty((dataset.rows, len(arrays)), np.float64 if numeric else object)
    for place, each in enumerate(arrays):
        made[:, place] = each
    return made
