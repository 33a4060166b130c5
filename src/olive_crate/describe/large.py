"""Figures of more cases than are held in memory at once: several passes over the pieces.

Nothing is estimated. Sums are taken block by block and added without error (`math.fsum`, after
J. R. Shewchuk, "Adaptive Precision Floating-Point Arithmetic", Discrete Comput. Geom. 18, 1997).
Order statistics and the number of different values come from values in ascending ranges: a first
pass counts them in bins of equal width, and each further one gathers as many bins as fit.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator, Sequence

import numpy as np

from ..columns.column import Column
from ..dataset.model import PlainDataset
from ..kernels.types import Flags
from .prefetch import ahead

LARGE = 20_000_000
"""Cases from which on a variable is not held as a whole: 160 MB of numbers."""
HELD = 8_000_000
"""Numbers that are sorted at a time."""
BINS = 4096
COUNTED = 1 << 24
"""Whole numbers in a range no wider are counted one by one."""
FEW = 2_000_000
"""Different values that are held with their counts."""
BLOCK = 1 << 16
Pieces = Callable[[], Iterator[np.ndarray]]
Inside = Callable[[np.ndarray], Flags]


class Figured:
    """What one variable's numbers come to."""

    def __init__(self, pieces: Pieces) -> None:
        self.pieces = pieces
        self.count = self.zeros = self.negatives = 0
        self.low: float | int = 0
        self.high: float | int = 0
        self.mean: float | None = None
        self.sd: float | None = None
        self.distinct = 0
        self.quartiles: list[float] = []
        self._first_pass()
        if self.count:
            self._second_pass()
            self._by_rank()

    def _first_pass(self) -> None:
        sums, near = [], None
        for values in self.pieces():
            if not len(values):
                continue
            near = values[0] if near is None else near
            low, high = values.min(), values.max()
            self.low = low if not self.count else min(self.low, low)
            self.high = high if not self.count else max(self.high, high)
            self.count += len(values)
            self.zeros += int(np.count_nonzero(values == 0))
            self.negatives += int(np.count_nonzero(values < 0))
            sums += [float(np.sum(np.subtract(b, near, dtype=np.float64))) for b in blocks(values)]
        if near is not None:
            self.mean = float(near) + math.fsum(sums) / self.count

    def _second_pass(self) -> None:
        if self.count < 2 or self.mean is None:
            return
        rest, squares = [], []
        for values in self.pieces():
            for block in blocks(values):
                deviations = block - self.mean
                rest.append(float(np.sum(deviations)))
                squares.append(float(np.sum(np.square(deviations, out=deviations))))
        left = math.fsum(rest)
        variance = max(0.0, (math.fsum(squares) - left * left / self.count) / (self.count - 1))
        self.sd = math.sqrt(variance)

    def _by_rank(self) -> None:
        """Quartiles, and how many different values there are."""
        wanted = [(self.count - 1) * part for part in (0.25, 0.5, 0.75)]
        places = sorted({int(each) for each in wanted} | {self._after(each) for each in wanted})
        found: dict[int, float] = {}
        begun = 0
        for values, counts in self._ascending():
            self.distinct += len(values)
            ends = begun + np.cumsum(counts)
            for place in places:
                if begun <= place < ends[-1]:
                    found[place] = float(values[int(np.searchsorted(ends, place, "right"))])
            begun = int(ends[-1])
        for each in wanted:
            one, other = found[int(each)], found[self._after(each)]
            step = (other - one) * (each - int(each))
            self.quartiles.append(one if one == other else one + step)

    def _after(self, place: float) -> int:
        return min(int(place) + 1, self.count - 1)

    def _ascending(self) -> Iterator[tuple[np.ndarray, np.ndarray]]:
        """Different values with their counts, in ascending ranges."""
        whole = isinstance(self.low, np.integer)
        if whole and int(self.high) - int(self.low) < COUNTED:
            counts = np.zeros(int(self.high) - int(self.low) + 1, np.int64)
            for values in self.pieces():
                own = np.bincount(values - self.low)
                counts[: len(own)] += own
            different = np.flatnonzero(counts)
            yield different + self.low, counts[different]
            return
        few = _few_different(self.pieces)
        if few is not None:
            yield few
        else:
            yield from ascending(self.pieces, _all, self.low, self.high, self.count)


def _few_different(pieces: Pieces) -> tuple[np.ndarray, np.ndarray] | None:
    """All different values with their counts, in one pass; `None` where there are many."""
    values, counts = np.zeros(0), np.zeros(0, np.int64)
    waiting: list[tuple[np.ndarray, np.ndarray]] = []
    held = 0
    for piece in pieces():
        waiting.append(np.unique(piece, return_counts=True))
        held += len(waiting[-1][0])
        if held > FEW:
            values, counts = _merged([(values, counts), *waiting])
            waiting, held = [], 0
            if len(values) > FEW:
                return None
    return _merged([(values, counts), *waiting])


def _merged(parts: list[tuple[np.ndarray, np.ndarray]]) -> tuple[np.ndarray, np.ndarray]:
    filled = [each for each in parts if len(each[0])]
    values, back = np.unique(np.concatenate([each[0] for each in filled]), return_inverse=True)
    counts = np.zeros(len(values), np.int64)
    np.add.at(counts, back, np.concatenate([each[1] for each in filled]))
    return values, counts


def _all(values: np.ndarray) -> Flags:
    return np.ones(len(values), bool)


def blocks(values: np.ndarray) -> Iterator[np.ndarray]:
    """Values a block at a time."""
    return (values[start : start + BLOCK] for start in range(0, len(values), BLOCK))


def ascending(
    pieces: Pieces, inside: Inside, low: float, high: float, count: int
) -> Iterator[tuple[np.ndarray, np.ndarray]]:
    """Different values with their counts, of those inside, in ascending ranges."""
    if low == high:
        yield np.array([low]), np.array([count])
        return
    if count <= HELD:
        yield _sorted(pieces, inside)
        return
    width = float(high) - float(low)
    scale = BINS / width if math.isfinite(width) and width > 0 else 0.0
    if not math.isfinite(scale) or scale == 0.0:
        yield _sorted(pieces, inside)
        return

    def bins(values: np.ndarray) -> np.ndarray:
        with np.errstate(over="ignore"):
            place = np.subtract(values, low, dtype=np.float64) * scale
        return np.asarray(np.clip(place, -1, BINS - 1), np.int32)

    held = np.zeros(BINS, np.int64)
    for values in pieces():
        held += np.bincount(bins(values[inside(values)]), minlength=BINS)
    for first, last in _runs(held):
        total = int(held[first:last].sum())

        def within(values: np.ndarray, first: int = first, last: int = last) -> Flags:
            place = bins(values)
            return inside(values) & (place >= first) & (place < last)

        if total > HELD:
            lowest, highest = _ends(pieces, within)
            yield from ascending(pieces, within, lowest, highest, total)
        else:
            yield _sorted(pieces, within)


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


def _sorted(pieces: Pieces, inside: Inside) -> tuple[np.ndarray, np.ndarray]:
    values, counts = np.unique(
        np.concatenate([each[inside(each)] for each in pieces()]), return_counts=True
    )
    return values, counts


def _ends(pieces: Pieces, inside: Inside) -> tuple[float, float]:
    low, high = math.inf, -math.inf
    for values in pieces():
        own = values[inside(values)]
        if len(own):
            low, high = min(low, float(own.min())), max(high, float(own.max()))
    return low, high


def patterns_of(dataset: PlainDataset, names: Sequence[str]) -> Counter[bytes]:
    """How many cases have each pattern of missing variables: a bit for each, packed in bytes."""
    counted: Counter[bytes] = Counter()
    for columns in together(dataset, names):
        bits = np.packbits(
            np.column_stack([each.reasons != 0 for each in columns]), axis=1, bitorder="little"
        )
        kinds, counts = _kinds(np.ascontiguousarray(bits))
        for kind, count in zip(kinds, counts.tolist(), strict=True):
            counted[kind.tobytes()] += count
    return counted


def _kinds(bits: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The different rows of bytes, and how often each occurs."""
    width = bits.shape[1]
    if width > 2:
        return np.unique(bits.view(f"V{width}").ravel(), return_counts=True)
    counts = np.bincount(bits.view(f"u{width}").ravel())
    kinds = np.flatnonzero(counts)
    return kinds.astype(f"u{width}"), counts[kinds]


def together(dataset: PlainDataset, names: Sequence[str]) -> Iterator[tuple[Column, ...]]:
    """Several variables piece by piece, side by side."""
    return ahead(zip(*(dataset.column_pieces(name) for name in names), strict=True))


def both_present(dataset: PlainDataset, names: Sequence[str]) -> np.ndarray:
    """How many cases have both of each pair, as floats that are whole."""
    n = np.zeros((len(names), len(names)))
    for columns in together(dataset, names):
        for start in range(0, len(columns[0]), BLOCK):
            stop = start + BLOCK
            block = np.column_stack([c.reasons[start:stop] == 0 for c in columns])
            here = block.astype(np.float32)  # whole numbers below 2**24
            n += here.T @ here
    return n


class Products:
    """Sums of products of deviations, for each pair over the cases that have both."""

    def __init__(self, dataset: PlainDataset, names: Sequence[str], complete: bool) -> None:
        shape = (len(names), len(names))
        self.n, self.products, self.sums, self.squares = (np.zeros(shape) for _ in range(4))
        means = self._means(dataset, names)
        for numbers in _numbers(dataset, names):
            there = ~np.isnan(numbers)
            if complete:
                kept = there.all(axis=1)
                numbers, there = numbers[kept], there[kept]
            own = np.nan_to_num(numbers - means, nan=0.0)
            here = there.astype(np.float64)
            self.n += here.T @ here
            self.products += own.T @ own
            self.sums += own.T @ here
            self.squares += (own * own).T @ here

    def _means(self, dataset: PlainDataset, names: Sequence[str]) -> np.ndarray:
        sums: list[list[float]] = [[] for _ in names]
        counts = np.zeros(len(names))
        for numbers in _numbers(dataset, names):
            counts += (~np.isnan(numbers)).sum(axis=0)
            for place, total in enumerate(np.nansum(numbers, axis=0).tolist()):
                sums[place].append(total)
        totals = np.array([math.fsum(each) for each in sums])
        made: np.ndarray = np.divide(totals, counts, out=np.zeros(len(names)), where=counts > 0)
        return made

    def covariances(self) -> np.ndarray:
        """Sample covariances; NaN for fewer than two cases."""
        with np.errstate(invalid="ignore", divide="ignore"):
            made = (self.products - self.sums * self.sums.T / self.n) / (self.n - 1)
        made[self.n < 2] = np.nan
        return made

    def correlations(self) -> np.ndarray:
        """Product-moment correlations; NaN for no variation."""
        with np.errstate(invalid="ignore", divide="ignore"):
            own = self.squares - self.sums * self.sums / self.n
            own[own <= 1e-14 * self.squares] = 0.0
            made = (self.products - self.sums * self.sums.T / self.n) / np.sqrt(own * own.T)
        made[(self.n < 2) | ~np.isfinite(made)] = np.nan
        return np.clip(made, -1.0, 1.0)


def _numbers(dataset: PlainDataset, names: Sequence[str]) -> Iterator[np.ndarray]:
    """Numbers block by block, shaped (rows, variables), NaN where missing."""
    for columns in together(dataset, names):
        for start in range(0, len(columns[0]), 4 * BLOCK):
            stop = min(start + 4 * BLOCK, len(columns[0]))
            yield np.column_stack([each.slice(start, stop).to_numpy() for each in columns])


def is_large(dataset: PlainDataset) -> bool:
    """Are there more cases than are held at once?"""
    return dataset.rows > LARGE
