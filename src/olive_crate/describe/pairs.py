"""Figures of each pair of variables: overlap, covariances, correlations.

Products are summed of deviations from each variable's own mean, so that nothing large cancels; by
pairs, what the means of the cases with both differ from it is taken off again (Chan, Golub and
LeVeque, 1983, as in `summary`).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Literal

import msgspec
import numpy as np

from ..dataset.model import PlainDataset
from ..declaration.variable import NUMERIC
from ..errors import PlanError, nearest
from ..plan.selecting import Names, chosen
from ..views import Worded
from .large import is_large
from .large_pairs import both_present, products
from .pair_sums import PairSums
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
        sums = products(dataset, wanted, use == "complete")
        return Pairs("covariance", tuple(wanted), sums.covariances(), sums.n.astype(np.int64))
    wanted, numbers = _numbers(dataset, names, use)
    present = ~np.isnan(numbers)
    sums = _sums_of_pairs(numbers, present)
    made, shifted = sums.covariances(), sums.shifted()
    if shifted.any():
        _, numbers = _numbers(dataset, names, use)
        _work_out(made, shifted, numbers, present, _covariance)
    return Pairs("covariance", tuple(wanted), made, sums.n)


def _sums_of_pairs(numbers: np.ndarray, present: np.ndarray) -> PairSums:
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
    return PairSums(n, products, sums, squares)


def _work_out(
    made: np.ndarray,
    pairs: np.ndarray,
    numbers: np.ndarray,
    present: np.ndarray,
    figure: Callable[[np.ndarray, np.ndarray], float],
) -> None:
    """Put in the figure of each of these pairs, from the cases that have both."""
    for one, other in zip(*np.nonzero(np.triu(pairs)), strict=True):
        both = present[:, one] & present[:, other]
        made[one, other] = made[other, one] = figure(numbers[both, one], numbers[both, other])


def correlations(dataset: PlainDataset, names: Names | None = None, use: Use = "pairs") -> Pairs:
    """See `Dataset.correlations`."""
    if is_large(dataset) or dataset.rows > MANY_CASES:
        wanted = _wanted(dataset, names, use)
        sums = products(dataset, wanted, use == "complete")
        return Pairs("correlation", tuple(wanted), sums.correlations(), sums.n.astype(np.int64))
    wanted, numbers = _numbers(dataset, names, use)
    present = ~np.isnan(numbers)
    width = len(wanted)
    made, n = np.full((width, width), np.nan), _both(present)
    alone = np.ones((width, width), bool)
    if len(numbers) > FEW_CASES and np.nanmax(np.abs(numbers), initial=0.0) < HUGE:
        sums = _sums_of_pairs(numbers, present)
        made = sums.correlations()
        alone = sums.shifted() | np.isnan(made)
        if alone.any():
            _, numbers = _numbers(dataset, names, use)
    _work_out(made, alone, numbers, present, _correlation)
    return Pairs("correlation", tuple(wanted), made, n)


def _from_mean(values: np.ndarray) -> np.ndarray:
    return values - (mean_and_sd(values)[0] or 0.0)


def _covariance(one: np.ndarray, other: np.ndarray) -> float:
    """The covariance of deviations from the means of these very cases."""
    with np.errstate(over="ignore", invalid="ignore"):
        found = float(np.sum(_from_mean(one) * _from_mean(other))) / (len(one) - 1)
    return found if math.isfinite(found) else math.nan


def _calm(values: np.ndarray) -> np.ndarray:
    """Numbers on a scale on which their squares do not exceed binary64."""
    largest = float(np.abs(values).max())
    return values / largest if largest > HUGE else values


def _correlation(one: np.ndarray, other: np.ndarray) -> float:
    """Pearson's product-moment correlation, of deviations from the means of these very cases."""
    if len(one) < 2 or one.min() == one.max() or other.min() == other.max():
        return float("nan")
    one, other = _calm(one), _calm(other)
    left, right = _from_mean(one), _from_mean(other)
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
