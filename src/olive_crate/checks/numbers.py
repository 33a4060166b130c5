"""Checks of numbers: codes among values, values far away, heaping, lost digits, levels."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np

from ..columns.column import Column
from ..columns.suggestions import Watch
from ..declaration.values import value_text
from ..declaration.variable import NUMERIC
from ..evidence import Mend
from ..kernels.types import Ints
from .distribution import different, drawn, repeats_often, surely_near
from .findings import (
    ConstantVariable,
    EmptyVariable,
    FarFromTheRest,
    Finding,
    HeapedValues,
    LevelDoesNotFit,
    LostDigits,
    RowsOf,
    SuspectedCodesFound,
)

FAR = 5.0
"""Distances between quartiles beyond the quartiles, from which on a value is far from the rest."""
GAP = 2.0
"""The same distances that have to lie between such a value and the others."""
ENOUGH = 30
"""Fewer values show no distribution that one could be far from."""
LONG = 1e9
"""From here on, numbers may have been cut to few digits."""
EXACT = 2.0**53
"""From here on, binary64 does not hold every whole number."""


def number_findings(column: Column, rows: RowsOf) -> list[Finding]:
    """What looks wrong among the values of one variable, as far as they are numbers."""
    there = np.flatnonzero(column.reasons == 0)
    name = column.variable.name
    found = list(_emptiness(column, there))
    if column.variable.type not in NUMERIC or not len(there):
        return found + list(_levels(column, np.zeros(0)))
    values = column.values.drop_null().to_numpy()
    codes = _codes(column, values, there, rows)
    found += codes
    suspected = {suspect.value for each in codes for suspect in each.suspects}
    if suspected:
        kept = ~np.isin(values, list(suspected))
        values, there = values[kept], there[kept]
    identifier = _is_identifier(column, values)
    if not identifier:
        found += _far(name, values, there, rows)
        found += _heaped(name, values)
    return [*found, *_lost(name, values, there, rows), *_levels(column, values)]


def _emptiness(column: Column, there: Ints) -> Iterator[Finding]:
    name, count = column.variable.name, len(column)
    if count and not len(there):
        yield EmptyVariable(
            severity="doubtful", variables=(name,), count=count, reasons=column.reason_counts()
        )
    elif len(there) >= 10 and len(there) >= 0.5 * count:
        values = column.values.take(there[:1])
        if int(np.count_nonzero(column == values[0].as_py())) == len(there):
            text = value_text(values[0].as_py())
            yield ConstantVariable(severity="note", variables=(name,), count=len(there), value=text)


def _codes(
    column: Column, values: np.ndarray, there: Ints, rows: RowsOf
) -> list[SuspectedCodesFound]:
    watch = Watch()
    watch.add(column.values, column.reasons if column.values.null_count else None)
    suspects = watch.suspects()
    if not suspects:
        return []
    hit = np.isin(values, [each.value for each in suspects])
    name = column.variable.name
    return [
        SuspectedCodesFound(
            severity="serious",
            variables=(name,),
            count=int(np.count_nonzero(hit)),
            rows=rows(there[hit]),
            suspects=tuple(suspects),
            low=watch.low,
            high=watch.high,
            mend=Mend({"missing": [_plain(each.value) for each in suspects]}, name),
        )
    ]


def _plain(number: float) -> int | float:
    return int(number) if number.is_integer() else number


def _is_identifier(column: Column, values: np.ndarray) -> bool:
    """Whole numbers that all differ, like a running number."""
    if column.variable.level == "nominal":
        return True
    if column.variable.type != "integer" or repeats_often(column.values):
        return False
    return different(values) > 0.98 * len(values)


def _far(name: str, values: np.ndarray, there: Ints, rows: RowsOf) -> list[Finding]:
    """Values far beyond the quartiles, also in logarithms where all are positive."""
    if len(values) < ENOUGH or surely_near(values, values.min(), values.max(), FAR):
        return []
    far = _beyond(values.astype(np.float64))
    if far.any() and (values > 0).all():
        far &= _beyond(np.log(values))
    count = int(np.count_nonzero(far))
    if not count or count > max(3, 0.01 * len(values)) or not _parted(values, far):
        return []
    met = np.unique(values[far])
    rest = values[~far]
    return [
        FarFromTheRest(
            severity="doubtful",
            variables=(name,),
            count=count,
            rows=rows(there[far]),
            values=tuple(value_text(each) for each in met[:5].tolist()),
            others=len(met) > 5,
            low=value_text(rest.min().item()),
            high=value_text(rest.max().item()),
        )
    ]


def _beyond(values: np.ndarray) -> np.ndarray:
    low, high = np.quantile(values, (0.25, 0.75))
    width = high - low
    if width == 0:
        return np.zeros(len(values), bool)
    return np.asarray((values < low - FAR * width) | (values > high + FAR * width))


def _parted(values: np.ndarray, far: np.ndarray) -> bool:
    """Is there a gap to the rest? A long tail has none."""
    rest, odd = values[~far].astype(np.float64), values[far].astype(np.float64)
    low, high = np.quantile(rest, (0.25, 0.75))
    nearest = np.maximum(rest.min() - odd, odd - rest.max()).min()
    return bool(nearest > GAP * (high - low))


def _heaped(name: str, values: np.ndarray) -> list[Finding]:
    """Far too many numbers end in 0 or 5 (or in 0 alone), though not all of them do."""
    if len(values) < 2 * ENOUGH:
        return []
    some = drawn(values)
    if different(some) < 20 and different(values) < 20:
        return []
    scales = (10.0**d for d in range(5))
    scale = next(
        (each for each in scales if _whole_at(some, each) and _whole_at(values, each)), None
    )
    if scale is None:
        return []
    digits = np.abs(np.round(values * scale)).astype(np.int64) % 10
    shares = np.bincount(digits, minlength=10) / len(digits)
    for ends, least in (((0,), 0.4), ((0, 5), 0.6)):
        share = float(sum(shares[end] for end in ends))
        if least <= share < 0.97 and _spread(shares, ends):
            count = round(share * len(values))
            return [
                HeapedValues(
                    severity="note", variables=(name,), count=count, ends=ends, share=share
                )
            ]
    return []


def _whole_at(values: np.ndarray, scale: float) -> bool:
    scaled = values * scale
    return bool(np.all(np.abs(scaled - np.round(scaled)) < 1e-6 * np.maximum(1, np.abs(scaled))))


def _spread(shares: np.ndarray, ends: tuple[int, ...]) -> bool:
    """Do the other digits all occur, as they do where no rule forbids them?"""
    return all(share > 0 for digit, share in enumerate(shares) if digit not in ends)


def _lost(name: str, values: np.ndarray, there: Ints, rows: RowsOf) -> list[Finding]:
    """Numbers too long for binary64, or cut to few digits by exponents."""
    if not len(values) or max(abs(float(values.min())), abs(float(values.max()))) < LONG:
        return []
    sizes = np.abs(values.astype(np.float64))
    if values.dtype != np.int64 and bool((long := sizes >= EXACT).any()):
        return [
            LostDigits(
                severity="serious",
                variables=(name,),
                count=int(np.count_nonzero(long)),
                rows=rows(there[long]),
                by_exponent=False,
                mend=Mend({"type": "text"}, name),
            )
        ]
    large = sizes >= LONG
    if np.count_nonzero(large) < 5:
        return []
    whole = sizes[large]
    cut = (whole % 1e4 == 0) & (np.floor(whole) == whole)
    if np.mean(cut) < 0.9 or len(np.unique(whole)) < 5:
        return []
    return [
        LostDigits(
            severity="doubtful",
            variables=(name,),
            count=len(whole),
            rows=rows(there[large]),
            by_exponent=True,
        )
    ]


def _levels(column: Column, values: np.ndarray) -> Iterator[Finding]:
    """Levels of measurement that the values contradict."""
    variable = column.variable
    why: Literal["type", "below zero", "decimals"] | None = None
    count = len(values)
    if variable.level in ("interval", "ratio") and variable.type in ("text", "category", "boolean"):
        why = "type"
    elif variable.level == "ratio" and len(values) and values.min() < 0:
        why, count = "below zero", int(np.count_nonzero(values < 0))
    elif variable.level in ("ordinal", "nominal") and not np.array_equal(values, np.floor(values)):
        why = "decimals"
    if why is not None:
        yield LevelDoesNotFit(
            severity="doubtful",
            variables=(variable.name,),
            count=count,
            level=variable.level or "",
            why=why,
            type=variable.type or "",
        )
