"""Patterns of missing cells, and products of pairs, of more cases than are held at once."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Sequence

import numpy as np

from ..dataset.model import PlainDataset
from .large import BLOCK, Pieces
from .spread import over


def patterns_of(dataset: PlainDataset, names: Sequence[str]) -> Counter[bytes]:
    """How many cases have each pattern of missing variables: a bit for each, packed in bytes."""
    counted: Counter[bytes] = Counter()
    for each in over(dataset, names, _patterns):
        counted.update(each)
    return counted


def _patterns(pieces: Pieces) -> dict[bytes, int]:
    counted: Counter[bytes] = Counter()
    for columns in zip(*pieces, strict=True):
        bits = np.packbits(
            np.column_stack([each.reasons != 0 for each in columns]), axis=1, bitorder="little"
        )
        kinds, counts = _kinds(np.ascontiguousarray(bits))
        for kind, count in zip(kinds, counts.tolist(), strict=True):
            counted[kind.tobytes()] += count
    return dict(counted)


def _kinds(bits: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The different rows of bytes, and how often each occurs."""
    width = bits.shape[1]
    if width > 2:
        return np.unique(bits.view(f"V{width}").ravel(), return_counts=True)
    counts = np.bincount(bits.view(f"u{width}").ravel())
    kinds = np.flatnonzero(counts)
    return kinds.astype(f"u{width}"), counts[kinds]


def both_present(dataset: PlainDataset, names: Sequence[str]) -> np.ndarray:
    """How many cases have both of each pair, as floats that are whole."""
    made: np.ndarray = sum(over(dataset, names, _both), np.zeros((len(names), len(names))))
    return made


def _both(pieces: Pieces) -> np.ndarray:
    n = np.zeros((len(pieces), len(pieces)))
    for columns in zip(*pieces, strict=True):
        for start in range(0, len(columns[0]), BLOCK):
            block = np.column_stack([c.reasons[start : start + BLOCK] == 0 for c in columns])
            here = block.astype(np.float32)  # whole numbers below 2**24
            n += here.T @ here
    return n


class Products:
    """Sums of products of deviations, for each pair over the cases that have both."""

    def __init__(self, dataset: PlainDataset, names: Sequence[str], complete: bool) -> None:
        sums = over(dataset, names, _sums)
        totals = [math.fsum(t for each in sums for t in each[0][k]) for k in range(len(names))]
        counts = sum(each[1] for each in sums)
        means = np.divide(totals, counts, out=np.zeros(len(names)), where=np.asarray(counts) > 0)
        made = over(dataset, names, _products, means, complete)
        self.n, self.products, self.sums, self.squares = (
            np.asarray(sum(each[part] for each in made)) for part in range(4)
        )

    def covariances(self) -> np.ndarray:
        """Sample covariances; NaN for fewer than two cases."""
        with np.errstate(invalid="ignore", divide="ignore"):
            made = (self.products - self.sums * self.sums.T / self.n) / (self.n - 1)
        made[self.n < 2] = np.nan
        return np.asarray(made)

    def correlations(self) -> np.ndarray:
        """Product-moment correlations; NaN for no variation."""
        with np.errstate(invalid="ignore", divide="ignore"):
            own = self.squares - self.sums * self.sums / self.n
            own[own <= 1e-14 * self.squares] = 0.0
            made = (self.products - self.sums * self.sums.T / self.n) / np.sqrt(own * own.T)
        made[(self.n < 2) | ~np.isfinite(made)] = np.nan
        return np.asarray(np.clip(made, -1.0, 1.0))


def _sums(pieces: Pieces) -> tuple[list[list[float]], np.ndarray]:
    sums: list[list[float]] = [[] for _ in pieces]
    counts = np.zeros(len(pieces))
    for numbers in _numbers(pieces):
        counts += (~np.isnan(numbers)).sum(axis=0)
        for place, total in enumerate(np.nansum(numbers, axis=0).tolist()):
            sums[place].append(total)
    return sums, counts


def _products(pieces: Pieces, means: np.ndarray, complete: bool) -> tuple[np.ndarray, ...]:
    shape = (len(means), len(means))
    n, products, sums, squares = (np.zeros(shape) for _ in range(4))
    for numbers in _numbers(pieces):
        there = ~np.isnan(numbers)
        if complete:
            kept = there.all(axis=1)
            numbers, there = numbers[kept], there[kept]
        own = np.nan_to_num(numbers - means, nan=0.0)
        here = there.astype(np.float64)
        n += here.T @ here
        products += own.T @ own
        sums += own.T @ here
        squares += (own * own).T @ here
    return n, products, sums, squares


def _numbers(pieces: Pieces) -> Iterator[np.ndarray]:
    """Numbers block by block, shaped (rows, variables), NaN where missing."""
    for columns in zip(*pieces, strict=True):
        for start in range(0, len(columns[0]), 4 * BLOCK):
            stop = min(start + 4 * BLOCK, len(columns[0]))
            yield np.column_stack([each.slice(start, stop).to_numpy() for each in columns])
