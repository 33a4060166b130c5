"""Checks of dates: in the future, at the beginning of a calendar, far from all others."""

from __future__ import annotations

import datetime as dt

import numpy as np
import pyarrow as pa

from ..columns.column import Column
from .findings import DatesAtAnEpoch, DatesInTheFuture, Finding, RowsOf

EPOCHS = (
    *((1, 1, 1), (1753, 1, 1), (1899, 12, 30), (1899, 12, 31), (1900, 1, 1), (1901, 1, 1)),
    *((1904, 1, 1), (1970, 1, 1), (1980, 1, 1), (2999, 12, 31), (9999, 12, 31)),
)
"""Days at which calendars of machines begin or end."""
ZERO = dt.date(1970, 1, 1)
YEAR = 366


def time_findings(column: Column, rows: RowsOf) -> list[Finding]:
    """What looks wrong among dates."""
    if column.variable.type not in ("date", "datetime"):
        return []
    there = np.flatnonzero(column.reasons == 0)
    if not len(there):
        return []
    days = column.values.drop_null().cast(pa.date32()).cast(pa.int32()).to_numpy()
    epochs = np.array([(dt.date(*each) - ZERO).days for each in EPOCHS])
    odd = np.isin(days, epochs)
    rest = days[~odd]
    apart = odd & _apart(days, rest)
    today = (dt.date.today() - ZERO).days
    future = (days > today) & ~apart
    coming = future & (len(rest) == 0 or np.median(days) <= today)
    kinds: list[tuple[np.ndarray, type[DatesAtAnEpoch] | type[DatesInTheFuture]]]
    kinds = [(apart, DatesAtAnEpoch), (coming, DatesInTheFuture)]
    found: list[Finding] = []
    for hit, kind in kinds:
        if hit.any():
            met = sorted({(ZERO + dt.timedelta(int(day))).isoformat() for day in days[hit]})
            found.append(
                kind(
                    severity="doubtful",
                    variables=(column.variable.name,),
                    count=int(np.count_nonzero(hit)),
                    rows=rows(there[hit]),
                    days=tuple(met[:3]),
                    others=len(met) > 3,
                )
            )
    return found


def _apart(days: np.ndarray, rest: np.ndarray) -> np.ndarray:
    """More than a year away from all other days."""
    if not len(rest):
        return np.ones(len(days), bool)
    return np.asarray((days < rest.min() - YEAR) | (days > rest.max() + YEAR))
