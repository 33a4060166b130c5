"""Figures of each pair of variables: overlap, covariances, correlations.

Products are summed of deviations from each variable's own mean, so that nothing large cancels; by
pairs, what the means of the cases with both differ from it is taken off again (Chan, Golub and
LeVeque, 1983, as in `summary`).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal, NamedTuple

import msgspec
import numpy as np

from ..dataset.model import PlainDataset
from ..declaration.variable import NUMERIC
from ..errors import PlanError, nearest
from ..plan.selecting import Names, chosen
from ..views import Worded
from .large import is_large
from .large_pairs import Products, both_present
from .prefetch import ahead
from .summary import complete_cases, mean_and_sd

if TYPE_CHECKING:
    import pandas

Use = Literal["pairs", "complete"]
USES = ("pairs", "complete")
BLOCK = 1 << 17
HUGE = 1e150
"""The square of a larger number exceeds binary64."""
MANY_CASES = 1_000_000
"""From here on, the numbers of all variables are not put side by side."""
FEW_CASES = 10_000
"""Up to so many, each pair is worked out alone, from the means of its very cases."""
SHIFTED = 0.9
"""A pair is worked out alone if so much of its squares is due to means that are not the pair's."""


class Pairs(Worded, msgspec.Struct, frozen=True, eq=False):
    """A figure for each pair of variables; both arrays are shaped (variables, variables)."""

    kind: str
    """`overlap`, `covariance` or `correlation`."""
    names: tuple[str, ...]
    values: np.ndarray
    """NaN where there is no such figure, for want of cases or of variation."""
    n: np.ndarray
    """Cases that have both."""

    def __getitem__(self, pair: tuple[str, str]) -> float:
        one, other = (self.names.index(name) for name in pair)
        return float(self.values[one, other])

    def to_dict(self) -> dict[str, Any]:
        """As plain values, ready for JSON; what is not a number is `null`."""
        values = [[None if np.isnan(x) else float(x) for x in row] for row in self.values]
        return {
            "kind": self.kind,
            "names": list(self.names),
            "values": values,
            "n": self.n.tolist(),
        }

    def to_pandas(self) -> pandas.DataFrame:
        """The figures, with the names both ways. Needs the extra `pandas`."""
        from .frames import frame

        rows = [dict(zip(self.names, row, strict=True)) for row in self.values.tolist()]
        made = frame(rows, self.names)
        made.index = list(self.names)
        return made


def overlap(dataset: PlainDataset, names: Names = "*") -> Pairs:
    """See `Dataset.overlap`."""
    wanted = chosen(names, dataset.variables)
    if is_large(dataset):
        n = both_present(dataset, wanted).astype(np.int64)
    else:
        n = _both(np.column_stack([_present(dataset, name) for name in wanted]))
    share = n / dataset.rows if dataset.rows else np.full(n.shape, np.nan)
    return Pairs("overlap", tuple(wanted), share, n)


def _present(dataset: PlainDataset, name: str) -> np.ndarray:
    return np.concatenate([piece.reasons == 0 for piece in ahead(dataset.column_pieces(name))])


def _both(present: np.ndarray) -> np.ndarray:
    """How many cases have both of each pair."""
    n = np.zeros((present.shape[1], present.shape[1]))
    for start in range(0, len(present), BLOCK):
        block = present[start : start + BLOCK].astype(np.float32)  # whole numbers below 2**24
        n += block.T @ block
    return n.astype(np.int64)


def covariances(dataset: PlainDataset, names: Names | None = None, use: Use = "pairs") -> Pairs:
    """See `Dataset.covariances`."""
    if is_large(dataset) or dataset.rows > MANY_CASES:
        wanted = _wanted(dataset, names, use)
        large = Products(dataset, wanted, use == "complete")
        return Pairs("covariance", tuple(wanted), large.covariances(), large.n.astype(np.int64))
    wanted, numbers = _numbers(dataset, names, use)
    present = ~np.isnan(numbers)
    sums = _sums_of_pairs(numbers, present)
    made, lost = sums.covariances(), sums.lost()
    if lost.any():
        _, numbers = _numbers(dataset, names, use)
    for one, other in zip(*np.nonzero(np.triu(lost)), strict=True):
        there_both = present[:, one] & present[:, other]
        made[one, other] = made[other, one] = _covariance(
            numbers[there_both, one], numbers[there_both, other]
        )
    made[(sums.n < 2) | ~np.isfinite(made)] = np.nan
    return Pairs("covariance", tuple(wanted), made, sums.n)


class _PairSums(NamedTuple):
    """Sums for each pair over the cases that have both, of deviations from each variable's mean.

    `sums` and `squares` are of the first variable of a pair.
    """

    n: np.ndarray
    products: np.ndarray
    sums: np.ndarray
    squares: np.ndarray

    def covariances(self) -> np.ndarray:
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            made = (self.products - self.sums * self.sums.T / self.n) / (self.n - 1)
        return np.asarray(made)

    def correlations(self) -> np.ndarray:
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            own = self.squares - self.sums * self.sums / self.n
            made = (self.products - self.sums * self.sums.T / self.n) / np.sqrt(own * own.T)
        return np.asarray(np.clip(made, -1.0, 1.0))

    def lost(self) -> np.ndarray:
        """The pairs in which too much cancels, so that they are worked out alone."""
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            shifted = self.sums * self.sums / self.n > SHIFTED * self.squares
        return np.asarray((shifted | shifted.T) & (self.n > 1))


def _sums_of_pairs(numbers: np.ndarray, present: np.ndarray) -> _PairSums:
    """The sums for all pairs, by products of blocks; `numbers` is left changed."""
    n = _both(present)
    for place in range(numbers.shape[1]):
        mean, _ = mean_and_sd(numbers[present[:, place], place])
        with np.errstate(over="ignore"):
            numbers[:, place] -= mean or 0.0
    np.nan_to_num(numbers, copy=False, nan=0.0)
    products, sums, squares = (np.zeros(n.shape) for _ in range(3))
    with np.errstate(invalid="ignore", over="ignore"):
        for start in range(0, len(numbers), BLOCK):
            block = numbers[start : start + BLOCK]
            there = present[start : start + BLOCK].astype(np.float64)
            products += block.T @ block
            sums += block.T @ there
            squares += (block * block).T @ there
    return _PairSums(n, products, sums, squares)


def _covariance(one: np.ndarray, other: np.ndarray) -> float:
    """The covariance of deviations from the means of these very cases."""
    with np.errstate(over="ignore", invalid="ignore"):
        return _sum_of_products(one, other) / (len(one) - 1)


def _sum_of_products(one: np.ndarray, other: np.ndarray) -> float:
    left, right = one - (mean_and_sd(one)[0] or 0.0), other - (mean_and_sd(other)[0] or 0.0)
    return float(np.sum(left * right))


def correlations(dataset: PlainDataset, names: Names | None = None, use: Use = "pairs") -> Pairs:
    """See `Dataset.correlations`."""
    if is_large(dataset) or dataset.rows > MANY_CASES:
        wanted = _wanted(dataset, names, use)
        large = Products(dataset, wanted, use == "complete")
        return Pairs("correlation", tuple(wanted), large.correlations(), large.n.astype(np.int64))
    wanted, numbers = _numbers(dataset, names, use)
    present = ~np.isnan(numbers)
    width = len(wanted)
    made, n = np.full((width, width), np.nan), _both(present)
    alone = np.ones((width, width), bool)
    if len(numbers) > FEW_CASES and np.nanmax(np.abs(numbers), initial=0.0) < HUGE:
        sums = _sums_of_pairs(numbers, present)
        made = sums.correlations()
        alone = sums.lost() | ~np.isfinite(made)
        if alone.any():
            _, numbers = _numbers(dataset, names, use)
    for one, other in zip(*np.nonzero(np.triu(alone)), strict=True):
        there = present[:, one] & present[:, other]
        made[one, other] = made[other, one] = _correlation(
            numbers[there, one], numbers[there, other]
        )
    return Pairs("correlation", tuple(wanted), made, n)


def _calm(values: np.ndarray) -> np.ndarray:
    """Numbers on a scale on which their squares do not exceed binary64."""
    largest = float(np.abs(values).max())
    return values / largest if largest > HUGE else values


def _correlation(one: np.ndarray, other: np.ndarray) -> float:
    """Pearson's product-moment correlation, of deviations from the means of these very cases."""
    if len(one) < 2 or one.min() == one.max() or other.min() == other.max():
        return float("nan")
    one, other = _calm(one), _calm(other)
    left, right = one - (mean_and_sd(one)[0] or 0.0), other - (mean_and_sd(other)[0] or 0.0)
    product = float(np.sum(left * right))
    scale = float(np.sqrt(np.sum(left * left)) * np.sqrt(np.sum(right * right)))
    return float(np.clip(product / scale, -1.0, 1.0)) if scale else float("nan")


def _numbers(dataset: PlainDataset, names: Names | None, use: str) -> tuple[list[str], np.ndarray]:
    """Numbers shaped (rows, variables), NaN where missing; without names, all numeric variables."""
    wanted = _wanted(dataset, names, use)
    made = np.empty((dataset.rows, len(wanted)))
    for place, name in enumerate(wanted):
        begin = 0
        for piece in ahead(dataset.column_pieces(name)):
            made[begin : begin + len(piece), place] = piece.to_numpy()
            begin += len(piece)
    return wanted, made[complete_cases(dataset, wanted)] if use == "complete" else made


def _wanted(dataset: PlainDataset, names: Names | None, use: str) -> list[str]:
    """The numeric variables that are asked for."""
    if use not in USES:
        raise PlanError(f'use: unknown choice "{use}"{nearest(use, USES)}')
    kinds = {each.name: each.type for each in dataset.variables}
    if names is None:
        wanted = [name for name, kind in kinds.items() if kind in NUMERIC]
    else:
        wanted = chosen(names, dataset.variables)
    for name in wanted:
        if kinds[name] not in NUMERIC:
            raise PlanError(f'"{name}" has the type {kinds[name]}; numbers are required')
    return wanted
