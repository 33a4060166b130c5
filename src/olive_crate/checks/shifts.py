"""Rows of numbers whose cells have moved: each fits the variable beside its own.

Where all variables are numbers, a shifted row has no cell of another kind; it shows as values far
from the rest in several variables at once. Each such row is held against the ranges of its
neighbours' variables.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from typing import Literal

import numpy as np

from ..kernels.types import Ints
from .distribution import drawn
from .findings import SHOWN, Finding
from .kinds import (
    DuplicateKeys,
    FarFromTheRest,
    ImpossibleTogether,
    KeptAsText,
    ShiftedRows,
    SlippedDecimals,
    SuspectedCodesFound,
)

SIGNS = (
    FarFromTheRest,
    SlippedDecimals,
    KeptAsText,
    SuspectedCodesFound,
    DuplicateKeys,
    ImpossibleTogether,
)
"""Findings that a shifted row may show as."""
OUTER = 0.002
"""The share of values at either end that is not part of a variable's range."""
AROUND = 20
"""Cases beside a suspected one that do not count for a variable's range."""
BETTER, MOSTLY = 2, 0.7
"""How many more cells have to fit beside their own place, and which share of all."""
FEWEST = 4
DIRECTIONS: tuple[tuple[int, Literal["left", "right"]], ...] = ((-1, "left"), (1, "right"))


Numbers = Callable[[str], np.ndarray | None]
"""A variable's values by case, NaN where there is none; `None` for texts."""


def shift_findings(
    found: list[Finding], names: Sequence[str], numbers: Numbers, rows_of: Callable[[], Ints]
) -> list[Finding]:
    """Shifted rows among those that several findings name, and what else is left of these.

    `rows_of` gives the rows of all cases.
    """
    named = Counter(row for each in found if isinstance(each, SIGNS) for row in set(each.rows))
    suspects = [row for row, count in named.items() if count > 1]
    if not suspects or len(names) < FEWEST:
        return found
    rows = rows_of()
    cases = np.flatnonzero(np.isin(rows, suspects)).tolist()
    table = Cells([numbers(name) for name in names], cases)
    made: list[Finding] = []
    moved: set[int] = set()
    for by, to in DIRECTIONS:
        hit = table.run(cases, by)
        if hit:
            at = tuple(rows[hit].tolist())
            moved.update(at)
            made.append(_finding(found, names, at, to))
    return made + [each for each in found if not _told(each, moved)]


def _finding(
    found: list[Finding], names: Sequence[str], at: tuple[int, ...], to: Literal["left", "right"]
) -> Finding:
    involved = {name for each in found if set(each.rows) & set(at) for name in each.variables}
    return ShiftedRows(
        severity="serious",
        variables=tuple(name for name in names if name in involved),
        count=len(at),
        rows=at[:SHOWN],
        to=to,
    )


def _told(finding: Finding, moved: set[int]) -> bool:
    """Is a finding about nothing but shifted rows?"""
    return isinstance(finding, SIGNS) and bool(finding.rows) and set(finding.rows) <= moved


def _range(values: np.ndarray) -> tuple[float, float]:
    """Where nearly all values of a variable lie."""
    known = values[~np.isnan(values)]
    if not len(known):
        return np.inf, -np.inf
    low, high = np.quantile(drawn(known), (OUTER, 1 - OUTER))
    return float(low), float(high)


class Cells:
    """The numbers of all variables, and where nearly all of each lie."""

    def __init__(self, columns: list[np.ndarray | None], suspects: list[int]) -> None:
        self.columns = columns
        self.count = next((len(each) for each in columns if each is not None), 0)
        usual = np.ones(self.count, bool)
        for case in suspects:
            usual[max(0, case - AROUND) : case + AROUND] = False
        if usual.sum() < self.count / 2:
            usual[:] = True
        self.ranges = [None if each is None else _range(each[usual]) for each in columns]

    def run(self, cases: list[int], by: int) -> list[int]:
        """Those of the cases that fit the variables so many places on, and their neighbours."""
        found = {case for case in cases if self.fits_beside(case, by)}
        for case in list(found):
            for step in (-1, 1):
                at = case + step
                while 0 <= at < self.count and at not in found and self.fits_beside(at, by):
                    found.add(at)
                    at += step
        return sorted(found)

    def fits_beside(self, case: int, by: int) -> bool:
        """Do the cells of a case fit the variables so many places on, and not their own?"""
        fits, known = self._fitting(case, by)
        own, _ = self._fitting(case, 0)
        return fits >= own + BETTER and fits >= max(2, MOSTLY * known)

    def _fitting(self, case: int, by: int) -> tuple[int, int]:
        """How many cells lie in the range of the variable so many places on, and of how many."""
        fits = known = 0
        for place, column in enumerate(self.columns):
            other = self.ranges[place + by] if 0 <= place + by < len(self.ranges) else None
            if column is None or other is None or np.isnan(column[case]):
                continue
            known += 1
            fits += bool(other[0] <= column[case] <= other[1])
        return fits, known
