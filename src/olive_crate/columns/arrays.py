"""The values of a column as a NumPy array."""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from ..kernels.buffers import numpy_of

UNITS = {"date": "datetime64[D]", "datetime": "datetime64[us]", "duration": "timedelta64[us]"}


def plain_array(kind: str | None, values: pa.Array, reasons: np.ndarray) -> np.ndarray:
    """One variable, shaped (rows,).

    Numbers are float64 with NaN where missing, integers int64 if none is missing; dates, date-times
    (in UTC) and durations have NaT; truth values are bool if none is missing; all else are objects
    with `None`.
    """
    whole = not values.null_count
    if kind in ("integer", "number"):
        numbers = numpy_of(values, np.nan)
        return numbers if whole and kind == "integer" else numbers.astype(np.float64)
    if kind in UNITS:
        stored = numpy_of(values).astype(np.int64)
        stored = np.where(reasons == 0, stored, np.iinfo(np.int64).min)
        return np.asarray(stored.view(UNITS[kind]))
    if kind == "boolean" and whole:
        return numpy_of(values)
    made = np.empty(len(values), object)
    made[:] = values.to_pylist()
    return made
