"""Patterns of missing cells, and products of pairs, of more cases than are held at once."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

import numpy as np

from ..columns.suggestions import plain_numbers
from ..dataset.model import PlainDataset
from ..kernels.buffers import none_missing, numpy_of
from .large import BLOCK, Pieces
from .pair_sums import PairSums
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


def products(dataset: PlainDataset, names: Sequence[str], complete: bool) -> PairSums:
    """Sums for each pair over the cases that have both; with `complete`, those that have all.

    Deviations are from the mean of a variable's first numbers; where that is far from its mean,
    they are taken once more, from the mean.
    """
    near = np.array([_near(dataset, name) for name in names])
    sums = _added(over(dataset, names, _products, near, complete))
    if sums.shifted().any():
        count, total = np.diag(sums.n), np.diag(sums.sums)
        means = near + np.divide(total, count, out=np.zeros(len(near)), where=count > 0)
        sums = _added(over(dataset, names, _products, means, complete))
    return sums


def _added(parts: Sequence[PairSums]) -> PairSums:
    return PairSums(*(np.asarray(sum(each)) for each in zip(*parts, strict=True)))


def _near(dataset: PlainDataset, name: str) -> float:
    """The mean of the first numbers of a variable, from which deviations are taken."""
    for piece in dataset.column_pieces(name):
        values = numpy_of(piece.values.drop_null())[:BLOCK]
        if len(values):
            return float(np.mean(values, dtype=np.float64))
    return 0.0


def _products(pieces: Pieces, near: np.ndarray, complete: bool) -> PairSums:
    shape = (len(near), len(near))
    n, products, sums, squares = (np.zeros(shape) for _ in range(4))
    for own, there in _deviations(pieces, near):
        if complete:
            kept = there.all(axis=0)
            own, there = own[:, kept], there[:, kept]
        here = there.astype(np.float64)
        n += here @ here.T
        products += own @ own.T
        sums += own @ here.T
        np.square(own, out=own)
        squares += own @ here.T
    return PairSums(n, products, sums, squares)


def _deviations(pieces: Pieces, near: np.ndarray) -> Iterator[tuple[np.ndarray, np.ndarray]]:
    """Deviations and whether there are any, shaped (variables, rows); 0 where missing."""
    for columns in zip(*pieces, strict=True):
        numbers = [plain_numbers(each.values, None) for each in columns]
        missing = [None if none_missing(each.reasons) else each.reasons != 0 for each in columns]
        for start in range(0, len(columns[0]), BLOCK):
            at = slice(start, start + BLOCK)
            own = np.empty((len(columns), len(numbers[0][at])))
            there = np.ones(own.shape, bool)
            for place, (values, lacks) in enumerate(zip(numbers, missing, strict=True)):
                np.subtract(values[at], near[place], out=own[place], dtype=np.float64)
                if lacks is not None:
                    own[place][lacks[at]] = 0.0
                    there[place] = ~lacks[at]
            yield own, there
