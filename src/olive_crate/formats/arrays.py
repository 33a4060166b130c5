"""Datasets as NumPy arrays."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa

from ..columns import Column
from ..dataset import Dataset

UNITS = {"date": "datetime64[D]", "datetime": "datetime64[us]", "duration": "timedelta64[us]"}


def plain_array(column: Column) -> np.ndarray:
    """One variable, shaped (rows,).

    Numbers are float64 with NaN where missing, integers int64 if none is missing; dates, date-times
    (in UTC) and durations have NaT; truth values are bool if none is missing; all else are objects
    with `None`.
    """
    kind, values = column.variable.type, column.values
    whole = not values.null_count
    if kind in ("integer", "number"):
        numbers: np.ndarray = values.to_numpy(zero_copy_only=False)
        return numbers if whole and kind == "integer" else numbers.astype(np.float64)
    if kind in UNITS:
        ints = values.cast(pa.int32() if kind == "date" else pa.int64()).fill_null(0)
        stored = ints.to_numpy(zero_copy_only=False).astype(np.int64)
        stored = np.where(column.reasons == 0, stored, np.iinfo(np.int64).min)
        return np.asarray(stored.view(UNITS[kind]))
    if kind == "boolean" and whole:
        return np.asarray(values.to_numpy(zero_copy_only=False), bool)
    made = np.empty(len(values), object)
    made[:] = values.to_pylist()
    return made


def record_array(dataset: Dataset) -> np.ndarray:
    """All variables as one structured array, shaped (rows,), with a field for each variable."""
    arrays = {name: plain_array(dataset[name]) for name in dataset.names}
    made: Any = np.empty(dataset.rows, [(name, each.dtype) for name, each in arrays.items()])
    for name, each in arrays.items():
        made[name] = each
    return np.asarray(made)


def matrix(dataset: Dataset) -> np.ndarray:
    """All variables as a plain array, shaped (rows, variables); numbers alone make it float64."""
    arrays = [plain_array(dataset[name]) for name in dataset.names]
    if not arrays:
        return np.empty((dataset.rows, 0))
    numeric = all(each.dtype.kind in "fib" for each in arrays)
    made = np.empty((dataset.rows, len(arrays)), np.float64 if numeric else object)
    for place, each in enumerate(arrays):
        made[:, place] = each
    return made
