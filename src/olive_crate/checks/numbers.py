"""Checks of numbers as such: nothing in them, always the same, heaped digits, levels."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np

from ..declaration.values import value_text
from .codes import code_findings
from .distribution import different, drawn
from .findings import Finding, RowsOf
from .identifiers import is_identifier, number_identifiers
from .kinds import ConstantVariable, EmptyVariable, HeapedValues, LevelDoesNotFit
from .seen import Seen
from .units import unit_findings

FEW_DIFFERENT = 12
"""So few different values are a scale, of which none is far from the rest."""
HEAPED_FROM = 150
"""Fewer values show no heaps of digits."""
HEAPED, HEAPED_FIVES, COARSE = 0.45, 0.6, 0.8
"""The share of values that end in 0, and in 0 or 5, from which on they are heaped; where
nearly all do, they were recorded with a decimal less."""
LARGE, EVEN = 1000, 0.35
"""Whole numbers as large as these may be measured; the share of 0 and 5 before the last digit."""
PILED = 3.0
"""So many times as often as the digits next to it a digit occurs in a heap."""
DECIMALS = 5


def number_findings(seen: Seen, rows: RowsOf) -> list[Finding]:
    """What looks wrong among the numbers of one variable."""
    name = seen.name
    if not len(seen.values):
        return list(_levels(seen, seen.values))
    codes = code_findings(seen, rows)
    kept = seen
    if codes:
        suspects = [suspect.value for each in codes for suspect in each.suspects]
        rest = ~np.isin(seen.values, suspects)
        kept = _only(seen, rest)
    found: list[Finding] = [*codes, *number_identifiers(kept, rows)]
    if not found[len(codes) :] and len(kept.values) and not is_identifier(kept):
        if different(drawn(kept.values)) > FEW_DIFFERENT:
            found += unit_findings(kept, rows)
        if len(found) == len(codes):
            found += _heaped(name, kept.values)
    return [*found, *_levels(seen, kept.values)]


def _only(seen: Seen, which: np.ndarray) -> Seen:
    from msgspec.structs import replace

    return replace(seen, values=seen.values[which], cases=seen.cases[which])


def emptiness(seen: Seen) -> Iterator[Finding]:
    """No value at all, or always the same one."""
    column, there = seen.column, seen.filled
    name, count = column.variable.name, len(column)
    if count and not len(there):
        yield EmptyVariable(
            severity="note",
            sure=1.0,
            variables=(name,),
            count=count,
            reasons=column.reason_counts(),
        )
    elif len(there) >= 10 and len(there) >= 0.5 * count and _may_vary(seen):
        text = value_text(seen.values[0].item())
        yield ConstantVariable(severity="note", variables=(name,), count=len(there), value=text)


def _may_vary(seen: Seen) -> bool:
    """Is it the same number throughout? A word, a year or a flag often is, for good reason."""
    values = seen.values
    if seen.kind != "number" or not len(values) or (values != values[0]).any():
        return False
    first = float(values[0])
    return first not in (0, 1) and not (first.is_integer() and 1900 <= first <= 2100)


def _heaped(name: str, values: np.ndarray) -> list[Finding]:
    """Far too many measured numbers end in 0 or 5, at the decimals that others have.

    Where the digit before is heaped, too, people told round figures (minutes, wages), which is no
    fault; where it is not, an instrument or a clerk rounded.
    """
    values = values[values != 0]
    if len(values) < HEAPED_FROM:
        return []
    some = drawn(values)
    scale = next((s for s in (10.0**d for d in range(DECIMALS)) if _whole_at(some, s)), None)
    if scale is None or different(some) < 20 or np.ptp(some) * scale < 20:
        return []
    if scale == 1 and np.median(some) < LARGE:
        return []
    whole = np.abs(np.round(some * scale)).astype(np.int64)
    digits = whole % 10
    shares = np.bincount(digits, minlength=10) / len(digits)
    beside = {0: (shares[1] + shares[9]) / 2, 5: (shares[4] + shares[6]) / 2}
    for ends, least in (((0,), HEAPED), ((0, 5), HEAPED_FIVES)):
        share = float(sum(shares[end] for end in ends))
        piled = all(shares[end] > PILED * beside[end] > 0 for end in ends)
        if not (least <= share < COARSE and piled and np.count_nonzero(shares) >= 9):
            continue
        further = whole[np.isin(digits, ends)] // 10 % 10
        if np.mean(np.isin(further, (0, 5)) if ends == (0,) else further == 0) < EVEN:
            ending = np.abs(np.round(values * scale)).astype(np.int64) % 10
            count = int(np.count_nonzero(np.isin(ending, ends)))
            share = count / len(values)
            return [
                HeapedValues(
                    severity="doubtful",
                    sure=0.7,
                    variables=(name,),
                    count=count,
                    ends=ends,
                    share=share,
                )
            ]
    return []


def _whole_at(values: np.ndarray, scale: float) -> bool:
    scaled = values * scale
    near = np.abs(scaled - np.round(scaled)) < 1e-6 * np.maximum(1, np.abs(scaled))
    return bool(np.mean(near) > 0.995)


def _levels(seen: Seen, values: np.ndarray) -> Iterator[Finding]:
    """Levels of measurement that the values contradict."""
    variable = seen.column.variable
    why: Literal["type", "below zero", "decimals"] | None = None
    count = len(values)
    if variable.level in ("interval", "ratio") and variable.type in ("text", "category", "boolean"):
        why, count = "type", len(seen.filled)
    elif seen.kind != "number":
        return
    elif variable.level == "ratio" and len(values) and values.min() < 0:
        why, count = "below zero", int(np.count_nonzero(values < 0))
    elif variable.level in ("ordinal", "nominal") and not np.array_equal(values, np.floor(values)):
        why = "decimals"
    if why is not None:
        yield LevelDoesNotFit(
            severity="note",
            variables=(variable.name,),
            count=count,
            level=variable.level or "",
            why=why,
            type=variable.type or "",
        )
