"""Figures of more cases than are held in memory at once: several passes over the pieces.

Nothing is estimated. Sums are taken block by block and added without error (`math.fsum`, after
J. R. Shewchuk, "Adaptive Precision Floating-Point Arithmetic", Discrete Comput. Geom. 18, 1997).
Order statistics and the number of different values come from values in ascending ranges: a first
pass counts them in bins of equal width, and each further one gathers as many bins as fit.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa

from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..kernels.buffers import numpy_of
from ..kernels.types import Flags
from .spread import is_spread, over

LARGE = 20_000_000
"""Cases from which on a variable is not held as a whole: 160 MB of numbers."""
HELD = 8_000_000
"""Numbers that are sorted at a time."""
BINS = 4096
COUNTED = 1 << 24
"""Whole numbers in a range no wider are counted one by one."""
FEW = 2_000_000
"""Different values that are held with their counts."""
TINY = 1e-140
"""Squares of smaller deviations fall below what binary64 holds."""
BLOCK = 1 << 16
Counted = tuple[np.ndarray, np.ndarray]
"""Different values in ascending order, and how often each occurs."""
Pieces = Sequence[Iterable[Column]]


def is_large(dataset: PlainDataset) -> bool:
    """Are there more cases than are held at once, or is the work spread over machines?"""
    return dataset.rows > LARGE or is_spread(dataset)


class Level(msgspec.Struct, frozen=True):
    """Some of the bins of equal width from `low` on."""

    low: float
    scale: float
    first: int
    last: int

    def bins(self, values: np.ndarray) -> np.ndarray:
        """The bin of each value; those outside are in the first or last one."""
        with np.errstate(over="ignore"):
            place = np.subtract(values, self.low, dtype=np.float64) * self.scale
        return np.asarray(np.clip(place, -1, BINS - 1), np.int32)

    def holds(self, values: np.ndarray) -> Flags:
        """Which values are in these bins."""
        place = self.bins(values)
        return np.asarray((place >= self.first) & (place < self.last))


Levels = tuple[Level, ...]


class Begun(msgspec.Struct):
    """What a first pass over some of the numbers finds."""

    count: int = 0
    low: float | int = 0
    high: float | int = 0
    zeros: int = 0
    negatives: int = 0
    sums: list[float] = msgspec.field(default_factory=list)
    whole: bool = False


def numbers_in(pieces: Pieces, timed: pa.DataType | None) -> Iterator[np.ndarray]:
    """The numbers of a variable that are there; dates and times as counts of their unit."""
    for piece in pieces[0]:
        values = piece.values.drop_null() if piece.values.null_count else piece.values
        values = values if timed is None else values.cast(timed)
        yield numpy_of(values)


def begin(pieces: Pieces, timed: pa.DataType | None) -> Begun:
    """Count, ends and sums."""
    made, near = Begun(), None
    for values in numbers_in(pieces, timed):
        if not len(values):
            continue
        near = values[0] if near is None else near
        low, high = values.min(), values.max()
        made.low = low.item() if not made.count else min(made.low, low.item())
        made.high = high.item() if not made.count else max(made.high, high.item())
        made.whole = values.dtype.kind == "i"
        made.count += len(values)
        made.zeros += int(np.count_nonzero(values == 0))
        made.negatives += int(np.count_nonzero(values < 0))
        for block in blocks(values):
            made.sums += [float(np.sum(np.subtract(block, near, dtype=np.float64)))]
            made.sums += [float(near) * len(block)]
    return made


def deviations(
    pieces: Pieces, timed: pa.DataType | None, mean: float, scale: float
) -> tuple[list[float], list[float]]:
    """Sums of deviations from the mean, in units of a scale, and of their squares, by blocks."""
    rest, squares = [], []
    for values in numbers_in(pieces, timed):
        for block in blocks(values):
            apart = block / scale - mean / scale if scale != 1.0 else block - mean
            rest.append(float(np.sum(apart)))
            squares.append(float(np.sum(np.square(apart, out=apart))))
    return rest, squares


def counted_one_by_one(
    pieces: Pieces, timed: pa.DataType | None, low: int, width: int
) -> np.ndarray:
    """How often each whole number of a narrow range occurs."""
    counts = np.zeros(width, np.int64)
    for values in numbers_in(pieces, timed):
        own = np.bincount(values - low)
        counts[: len(own)] += own
    return counts


def few_different(pieces: Pieces, timed: pa.DataType | None, most: int) -> Counted | None:
    """All different values with their counts, in one pass; `None` where there are many."""
    known: Counted = (np.zeros(0), np.zeros(0, np.int64))
    waiting: list[Counted] = []
    held = 0
    for values in numbers_in(pieces, timed):
        waiting.append(np.unique(values, return_counts=True))
        held += len(waiting[-1][0])
        if held > most:
            known = merged([known, *waiting])
            waiting, held = [], 0
            if len(known[0]) > most:
                return None
    return merged([known, *waiting])


def merged(parts: Sequence[Counted]) -> Counted:
    """Several of them as one."""
    filled = [each for each in parts if len(each[0])]
    if not filled:
        return np.zeros(0), np.zeros(0, np.int64)
    values, back = np.unique(np.concatenate([each[0] for each in filled]), return_inverse=True)
    counts = np.zeros(len(values), np.int64)
    np.add.at(counts, back, np.concatenate([each[1] for each in filled]))
    return values, counts


def _within(values: np.ndarray, levels: Levels) -> np.ndarray:
    for level in levels:
        values = values[level.holds(values)]
    return values


def binned(pieces: Pieces, timed: pa.DataType | None, levels: Levels, level: Level) -> np.ndarray:
    """How many of the values within some levels are in each bin of another one."""
    held = np.zeros(BINS, np.int64)
    for values in numbers_in(pieces, timed):
        held += np.bincount(level.bins(_within(values, levels)), minlength=BINS)
    return held


def gathered(pieces: Pieces, timed: pa.DataType | None, levels: Levels) -> Counted:
    """The different values within some levels, with their counts."""
    held = [_within(values, levels) for values in numbers_in(pieces, timed)]
    return np.unique(np.concatenate([np.zeros(0), *held]), return_counts=True)


def ends(pieces: Pieces, timed: pa.DataType | None, levels: Levels) -> tuple[float, float]:
    """The smallest and the largest value within some levels."""
    low, high = math.inf, -math.inf
    for values in numbers_in(pieces, timed):
        own = _within(values, levels)
        if len(own):
            low, high = min(low, float(own.min())), max(high, float(own.max()))
    return low, high


def blocks(values: np.ndarray) -> Iterator[np.ndarray]:
    """Values a block at a time."""
    return (values[start : start + BLOCK] for start in range(0, len(values), BLOCK))


class Figured:
    """What one variable's numbers come to."""

    def __init__(self, dataset: PlainDataset, name: str, timed: pa.DataType | None) -> None:
        self._dataset, self._name, self._timed = dataset, name, timed
        self.mean: float | None = None
        self.sd: float | None = None
        self.distinct = 0
        self.quartiles: list[float] = []
        filled = [each for each in self._over(begin) if each.count]
        self.count: int = sum(each.count for each in filled)
        self.zeros = sum(each.zeros for each in filled)
        self.negatives = sum(each.negatives for each in filled)
        if filled:
            self.low = min(each.low for each in filled)
            self.high = max(each.high for each in filled)
            self.whole = bool(filled[0].whole)
            self.mean = math.fsum(total for each in filled for total in each.sums) / self.count
            self._spread()
            self._by_rank()

    def _over(self, work: Callable[..., Any], *rest: Any) -> list[Any]:
        return over(self._dataset, [self._name], work, self._timed, *rest)

    def _spread(self) -> None:
        if self.count < 2:
            return
        widest = max(self.high - self.low, 1e-320)
        scale = 1.0 if TINY < widest < 1 / TINY else float(widest)
        made = self._over(deviations, self.mean, scale)
        left = math.fsum(each for rest, _ in made for each in rest)
        squares = math.fsum(each for _, own in made for each in own)
        variance = (squares - left * left / self.count) / (self.count - 1)
        self.sd = scale * math.sqrt(max(0.0, variance))

    def _by_rank(self) -> None:
        """Quartiles, and how many different values there are."""
        wanted = [(self.count - 1) * part for part in (0.25, 0.5, 0.75)]
        places = sorted({int(each) for each in wanted} | {self._after(each) for each in wanted})
        found: dict[int, float] = {}
        begun = 0
        for values, counts in self._ascending():
            if not len(values):
                continue
            self.distinct += len(values)
            upto = begun + np.cumsum(counts)
            for place in places:
                if begun <= place < upto[-1]:
                    found[place] = float(values[int(np.searchsorted(upto, place, "right"))])
            begun = int(upto[-1])
        for each in wanted:
            one, other = found[int(each)], found[self._after(each)]
            step = (other - one) * (each - int(each))
            self.quartiles.append(one if one == other else one + step)

    def _after(self, place: float) -> int:
        return min(int(place) + 1, self.count - 1)

    def _ascending(self) -> Iterator[Counted]:
        """Different values with their counts, in ascending ranges."""
        width = int(self.high) - int(self.low) + 1 if self.whole else 0
        if 0 < width <= COUNTED:
            counts = sum(self._over(counted_one_by_one, int(self.low), width))
            different = np.flatnonzero(counts)
            yield different + int(self.low), np.asarray(counts)[different]
            return
        few = self._over(few_different, FEW)
        if all(each is not None for each in few):
            yield merged(few)
        else:
            yield from self._in_ranges((), self.low, self.high, self.count)

    def _in_ranges(self, levels: Levels, low: float, high: float, count: int) -> Iterator[Counted]:
        if low == high:
            yield np.array([low]), np.array([count])
            return
        width = float(high) - float(low)
        scale = BINS / width if width > 0 else 0.0
        if count <= HELD or not math.isfinite(width) or not math.isfinite(scale):
            yield merged(self._over(gathered, levels))
            return
        level = Level(float(low), scale, 0, BINS)
        held = sum(self._over(binned, levels, level))
        for first, last in _runs(np.asarray(held)):
            total = int(np.asarray(held)[first:last].sum())
            inner = (*levels, Level(float(low), scale, first, last))
            if total > HELD:
                found = self._over(ends, inner)
                lowest, highest = min(e[0] for e in found), max(e[1] for e in found)
                yield from self._in_ranges(inner, lowest, highest, total)
            else:
                yield merged(self._over(gathered, inner))


def _runs(held: np.ndarray) -> Iterator[tuple[int, int]]:
    """Neighbouring bins that are gathered together; a bin that holds too much is alone."""
    first, total = 0, 0
    for place, count in enumerate(held.tolist()):
        if total and total + count > HELD:
            yield first, place
            first, total = place, 0
        total += count
    if total:
        yield first, len(held)
