"""Numbers that stand for something missing, known by how they stand to the others.

A code is a number that people choose because no value can be it: it is far from all values (999
among ages), the only one below zero (-9), or next to a scale that ends before it (9 after 1 to 5).
Where it touches the values (99 after ages up to 97, 0 before weights) it shows as a spike where the
distribution has no more than a tail. Answers in a scale from 1 to 9 are left alone: there 9 is one.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from .. import kernels
from ..columns.suggestions import Watch
from ..evidence import Mend, Suspect
from .distribution import drawn
from .findings import RowsOf
from .kinds import SuspectedCodesFound
from .seen import Seen

ENOUGH = 20
"""Values that show what is usual."""
SCALE_FROM = 50
"""Answers that show where a scale ends."""
SCALE = 7
"""The longest scale after which 8 and 9 may be codes."""
HIGH = (77, 88, 95, 96, 97, 98, 99, 777, 888, 995, 996, 997, 998, 999, 9996, 9997, 9998, 9999)
"""Codes at the upper end."""
LOW = (-1, -2, -3, -4, -5, -6, -7, -8, -9, -77, -88, -97, -98, -99, -777, -888, -999, -9999)
SCALE_CODES = (7, 8, 9, 66, 77, 88, 97, 98, 99)
"""Codes behind a short scale."""
MOST = 0.4
"""A larger share of the values is no code."""
AROUND_ZERO = 0.06
"""The share of values below zero from which on a scale goes on there."""
SPIKE = 4
"""So many times as often as any of its neighbours, a value is a spike."""
NEIGHBOURS = 8
"""Whole numbers below a spike that are looked at."""
MANY_DIFFERENT = 5_000
"""More different values than these are only asked for the codes that lie far away."""
NO_ZERO = 0.33
"""Where the least value is this share of the middle one, zero is none of them."""


def code_findings(seen: Seen, rows: RowsOf) -> list[SuspectedCodesFound]:
    """Values that look like missing codes."""
    values = seen.values
    far = _far_away(values)
    rest = values[~np.isin(values, [each.value for each in far])] if far else values
    found = {each.value: each for each in far if _clear(each, rest)}
    few = _counted(values)
    if few is not None:
        for suspect in (*_of_scale(*few), *_negative(*few), *_spikes(*few), *_zeros(*few)):
            found.setdefault(suspect.value, suspect)
    if not found:
        return []
    suspects = tuple(found[value] for value in sorted(found))
    codes = [each.value for each in suspects]
    hit = np.isin(values, codes)
    rest = values[~hit]
    if not len(rest) or hit.mean() > MOST:
        return []
    return [
        SuspectedCodesFound(
            severity="doubtful" if codes == [0.0] else "serious",
            sure=0.7 if codes == [0.0] else 0.95,
            variables=(seen.name,),
            count=int(np.count_nonzero(hit)),
            rows=rows(seen.cases[hit]),
            suspects=suspects,
            low=float(rest.min()),
            high=float(rest.max()),
            mend=Mend({"missing": [_plain(each) for each in codes]}, seen.name),
        )
    ]


def _clear(suspect: Suspect, rest: np.ndarray) -> bool:
    """Is a code more than the next number of a short scale?"""
    apart = np.abs(rest - suspect.value).min() if len(rest) else 0
    return bool(apart >= 2 or suspect.value < 0)


def _plain(number: float) -> int | float:
    return int(number) if number.is_integer() else number


def _far_away(values: np.ndarray) -> list[Suspect]:
    """Codes far outside the range of all others."""
    watch = Watch()
    watch.add(kernels.arrow(values, None, pa.from_numpy_dtype(values.dtype)), None)
    return watch.suspects()


def _counted(values: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
    """Different values and how often each occurs, where they are few."""
    if len(values) < ENOUGH or len(np.unique(drawn(values))) > MANY_DIFFERENT:
        return None
    if values.dtype == np.int64 and values.max() - values.min() < 4 * MANY_DIFFERENT:
        low = int(values.min())
        counts = np.bincount(values - low)
        different = np.flatnonzero(counts)
        return different + low, counts[different]
    different, counts = np.unique(values, return_counts=True)
    return (different, counts) if len(different) <= 4 * MANY_DIFFERENT else None


def _suspect(value: float, count: int, low: float, high: float) -> Suspect:
    away = max(low - value, value - high) / max(high - low, 1.0)
    return Suspect(float(value), int(count), float(away))


def _of_scale(values: np.ndarray, counts: np.ndarray) -> list[Suspect]:
    """8 and 9 behind a scale that ends before: 1 to 5, say."""
    if not (values == np.floor(values)).all():
        return []
    core = (values >= 0) & (values <= SCALE)
    inside = values[core]
    if len(inside) < 2 or counts[core].sum() < (1 - MOST) * counts.sum():
        return []
    while len(inside) > 2 and inside[-1] in SCALE_CODES and inside[-1] - inside[-2] > 1:
        inside = inside[:-1]
    low, high = float(inside[0]), float(inside[-1])
    if low > 1 or len(inside) != high - low + 1:
        return []
    beyond = [(v, c) for v, c in zip(values.tolist(), counts.tolist(), strict=True) if v > high]
    if not beyond or any(v not in SCALE_CODES for v, _ in beyond):
        return []
    inner = counts[core][: len(inside)]
    if sum(count for _, count in beyond) > 2 * len(beyond) * np.median(inner):
        return []  # a scale with a hole
    if counts.sum() < SCALE_FROM:
        return []
    first = beyond[0][0]
    if first - high < (2 if len(beyond) > 1 else 3):
        return []
    return [_suspect(value, count, low, high) for value, count in beyond if count > 1]


def _negative(values: np.ndarray, counts: np.ndarray) -> list[Suspect]:
    """Whole numbers below zero among values that never are."""
    below = values < 0
    if not below.any() or below.sum() > 4 or not np.isin(values[below], LOW).all():
        return []
    share, rest = counts[below].sum() / counts.sum(), values[~below]
    if share > MOST or not len(rest) or counts[below].sum() < 2:
        return []
    tenths = rest[rest != np.floor(rest)]
    if len(tenths) and values[below].max() > -2 and rest.min() < 1:
        return []  # a measurement around zero
    low, high = float(rest[0]), float(rest[-1])
    if low <= 0 and values[below].max() == -1 and share > AROUND_ZERO:
        return []  # a scale around zero
    pairs = zip(values[below].tolist(), counts[below].tolist(), strict=True)
    return [_suspect(value, count, low, high) for value, count in pairs]


def _spikes(values: np.ndarray, counts: np.ndarray) -> list[Suspect]:
    """Codes at the upper end that occur far more often than their neighbours below."""
    top = len(values)
    while top > 1 and values[top - 1] in HIGH:
        top -= 1
    codes, rest = values[top:], values[:top]
    if not len(codes) or len(rest) < 5 or codes[0] <= 0.5 * rest[-1]:
        return []
    found = []
    edge = np.quantile(np.repeat(rest, np.minimum(counts[:top], 1000)), 0.98)
    for value, count in zip(codes.tolist(), counts[top:].tolist(), strict=True):
        near = (rest >= value - NEIGHBOURS) & (rest < value)
        usual = int(counts[:top][near].max()) if near.any() else 0
        if count >= max(3, SPIKE * usual) and value > edge and value - edge >= 2:
            found.append(_suspect(value, count, float(rest[0]), float(rest[-1])))
    return found


def _zeros(values: np.ndarray, counts: np.ndarray) -> list[Suspect]:
    """Zeros among measurements that come nowhere near zero."""
    at = np.flatnonzero(values == 0)
    if not len(at) or values[0] < 0 or len(values) < ENOUGH:
        return []
    count, rest, many = int(counts[at[0]]), values[1:], counts[1:]
    total = np.cumsum(many)
    middle = rest[np.searchsorted(total, total[-1] / 2)]
    outer = rest[np.searchsorted(total, total[-1] / 20)]
    if not 3 <= count <= 0.15 * total[-1] or rest[0] < NO_ZERO * middle:
        return []
    unit = max(float(outer - rest[0]) / 3, float(np.diff(rest).min()))
    if rest[0] < 3 * unit or rest[0] < 3 * float(np.diff(rest).min()):
        return []
    return [_suspect(0.0, count, float(rest[0]), float(rest[-1]))]
